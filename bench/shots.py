"""Refreshes docs/screenshots from the demo: one picture a main view, at 1280×800, off screen."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from isotomon.app.main import save_window, wait_for, window_off_screen
from isotomon.app.window import Window
from isotomon.samples import sample


def _station(w: Window, name: str) -> str:
    assert w.desk.design is not None
    return next(s.id for s in w.desk.design.stations if s.name == name)


def _start(w: Window) -> None:
    w.show_start()


def _work(w: Window) -> None:
    w.show_work()
    w.set_stage("Draw")
    w.desk.select((_station(w, "r5"),))


def _check(w: Window) -> None:
    w.set_stage("Check")
    w.toggle_findings()
    w.next_finding()
    w.desk.select(("law1",))


def _grid(w: Window) -> None:
    w.toggle_findings()
    w.set_stage("Set out")
    w.desk.select((_station(w, "r5"),))
    w.toggle_grid()


def _hover(w: Window) -> None:
    w.toggle_grid()
    w.set_stage("Shape")
    w.desk.select(("body",))
    w.board._pointer = 640.0
    w._show_live(640.0)


def _slate(w: Window) -> None:
    w.board._pointer = None
    w._show_live(float("nan"))
    w.set_stage("Deliver")
    w.toggle_theme()


def _finder(w: Window) -> None:
    w.toggle_theme()
    w.find_action()
    w.finder.query.setText("st")


SHOTS: dict[str, Callable[[Window], None]] = {
    "start": _start,
    "station": _work,
    "check": _check,
    "grid": _grid,
    "live-section": _hover,
    "slate": _slate,
}


def main(folder: Path) -> None:
    """Take them all."""
    folder.mkdir(parents=True, exist_ok=True)
    with window_off_screen(sample("reach-blade")) as window:
        for name, arrange in SHOTS.items():
            arrange(window)
            wait_for(lambda: False, 0.3)
            save_window(window, folder / f"{name}.png")
            print(folder / f"{name}.png")
        _finder(window)
        wait_for(lambda: False, 0.2)
        window.finder.grab().save(str(folder / "find.png"))
        window.finder.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
    sys.stdout.flush()
    os._exit(0)
