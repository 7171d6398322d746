"""Refreshes docs/screenshots from the demo: one picture a main view, at 1280×800, off screen."""

from __future__ import annotations

import math
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"


from isotomon.app.forms.meet import MeetForm
from isotomon.app.shell.main import save_window, solid_ready, wait_for, window_off_screen
from isotomon.app.shell.window import Window
from isotomon.author import shaping
from isotomon.design import bodies, edits, station_edits
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.profile import shapes
from isotomon.profile.drawing import Drawing
from isotomon.profile.shapes import Spot
from isotomon.quantity.record import Ref
from isotomon.samples import sample


def _station(w: Window, name: str) -> str:
    assert w.desk.design is not None
    return next(s.id for s in w.desk.held.stations if s.name == name)


def _skin(w: Window) -> None:
    w.show_work()
    w.set_stage("Shape")
    w.desk.select((w.desk.hand,))


def _start(w: Window) -> None:
    w.show_start()


def _work(w: Window) -> None:
    w.show_work()
    w.set_stage("Draw")
    w.desk.select((_station(w, "r5"),))


def _check(w: Window) -> None:
    w.desk.do("too small", lambda d: station_edits.change_station(d, _station(w, "r5"), chord=202.0))
    wait_for(lambda: w.desk.quick is not None and bool(w.desk.quick.findings), 10.0)
    w.set_stage("Check")
    w.toggle_findings()
    w.findings.go_to_next()
    w.desk.select(("law1",))


def _meet(w: Window) -> None:
    w.toggle_findings()
    form = w.details.findChildren(MeetForm)[0]
    form.propose.click()
    wait_for(lambda: form.accept.isVisible(), 20.0)
    w.details.ensureWidgetVisible(form.accept)


def _grid(w: Window) -> None:
    _meet(w)
    w.details.findChildren(MeetForm)[0].accept.click()
    w.view.set_finding(None)
    w.set_stage("Set out")
    w.desk.select((_station(w, "r5"),))
    w.page.toggle_table(w.grid)


def _numbers(w: Window) -> None:
    w.page.toggle_table(w.grid)
    w.set_stage("Set out")
    w.page.toggle_table(w.numbers)
    w.desk.select(("n2",))


def _datums(w: Window) -> None:
    w.page.toggle_table(w.numbers)
    w.view.set_finding(None)
    w.desk.select((_station(w, "r5"),))
    w.datums.make("parallel")
    w.desk.select(())
    w.datums.make("cylinder")
    w.desk.do("widen", lambda d: edits.set_datum_value(d, d.datums[-1].id, 0, 160.0))
    assert w.desk.design is not None
    w.desk.select((w.desk.design.datums[0].id,))


def _slate(w: Window) -> None:
    w.board._pointer = None
    w.cuts.show_live(float("nan"))
    w.set_stage("Deliver")
    w.toggle_theme()


SHOTS: dict[str, Callable[[Window], None]] = {
    "start": _start,
    "station": _work,
    "check": _check,
    "grid": _grid,
    "numbers": _numbers,
    "datums": _datums,
    "slate": _slate,
}


def _drawing(w: Window) -> None:
    w.room.open_station("s3")
    w.room.editor.choose(("e1", "e2"))


def _rails(w: Window) -> None:
    w.set_stage("Guide")
    w.view.show_ties(True)
    w.desk.select(("u1",))


def _vessel(w: Window) -> None:
    w.view.show_ties(False)
    w.set_stage("Check")
    w.run_command("colour-mean")
    w.run_command("section-curves")
    w.run_command("fairness")
    wait_for(lambda: w.checks.seen is not None and w.checks.seen.wanted == w.checks.wanted, 20.0)


def _stripes(w: Window) -> None:
    w.run_command("section-curves")
    w.run_command("stripes")
    w.run_command("joins")
    wait_for(lambda: w.checks.seen is not None and w.checks.seen.wanted == w.checks.wanted, 20.0)


def _finish(w: Window) -> None:
    w.set_stage("Finish")
    w.desk.select(("body",))
    w.view.turn(-330.0, 60.0)
    _finished(w, "wall")
    w.details.verticalScrollBar().setValue(w.details.verticalScrollBar().maximum())


def _rotor(w: Window) -> None:
    w.set_stage("Check")
    w.desk.select(("b1",))
    w.cuts.set(way=Ref("z"))
    _finished(w, "torsion")


def _finished(w: Window, below: str) -> None:
    """Sections of the finished body, and a figure of them below."""
    w.cuts.set(below=below)
    wait_for(lambda: w.board.cut is not None and not (w.board.cut.stale or w.board.cut.waits), 120.0)


def _deliver(w: Window) -> None:
    w.run_command("paper-general")
    wait_for(lambda: w.paper.made is not None and not w.paper.view.image.isNull(), 30.0)


def _as_made(w: Window) -> None:
    """A part that is turned more than designed from a station on, touched by the simulated machine."""
    w.run_command("as-made")
    made = w.made
    made.panel.with_machine.setChecked(True)
    made.panel.edits["twist"].setText("0.4 deg")
    made.panel.turned_from.setCurrentText("r6")
    made.panel.edits["missing"].setText("0.03")
    made.touch()
    wait_for(lambda: not made.touching.running and w.desk.made is not None, 200.0)
    made.panel.with_machine.setChecked(False)
    made.panel.verticalScrollBar().setValue(0)
    w.view.look_from("round")


def _variants(w: Window) -> None:
    """A small study, its curves over each other, one of them chosen."""
    assert w.desk.design is not None
    with tempfile.TemporaryDirectory() as folder:
        w.files.save_to(Path(folder) / "reach-blade.isotomon")
        w.run_command("study")
        panel = w.study.panel
        for name in ("span", "widest_chord", "tip_chord"):
            panel.varies[name][0].setChecked(True)
        panel.count.setText("40")
        w.study.run()
        wait_for(lambda: not w.study.running, 120.0)
    panel.up.setCurrentIndex(0)
    panel.plot_changed.emit()
    w.study.table.choose(7)


def _compare(w: Window) -> None:
    w.set_stage("Check")
    w.run_command("compare-rim")
    wait_for(lambda: w.checks.seen is not None and bool(w.checks.seen.rows), 30.0)


def _capacity(w: Window) -> None:
    w.checks.set(colour="", lamps="", along="", joins=False, fair=False)
    w.desk.select(("m1",))


def _oval() -> Design:
    """A tub whose wall is turned about an axis by an oval rim."""
    spots = tuple(
        GuidePoint(x=60.0 * math.cos(k * math.tau / 24), y=40.0 * math.sin(k * math.tau / 24)) for k in range(24)
    )
    wall = Drawing("g1", "wall", plane="zx")
    corners = (Spot(-40.0, 34.0), Spot(0.0, 34.0), Spot(0.0, 40.0), Spot(-40.0, 36.0))
    for a, b in zip(corners, (*corners[1:], corners[0]), strict=True):
        wall = shapes.line(wall, a, b)
    rim = Guide("u1", "oval", "through", (), (), ("closed",), spots)
    tub = shaping.revolve(Design("oval-tub", drawings=(wall,), guides=(rim,)), "g1", "z")
    own = tub.bodies[0]
    tub = bodies.change_loft(tub, own.id, carrier=edits.replace(own.loft.carrier, rim="u1"))
    return bodies.change_body(tub, own.id, name="tub")


OTHERS: tuple[tuple[Callable[[], Design], tuple[tuple[str, Callable[[Window], None]], ...]], ...] = (
    (
        lambda: sample("kelp-steeper"),
        (("rails", _rails), ("vessel", _vessel), ("stripes", _stripes), ("capacity", _capacity)),
    ),
    (lambda: sample("signal-mast"), (("drawing", _drawing),)),
    (lambda: sample("kelp-steeper"), (("finish", _finish),)),
    (lambda: sample("reach-blade"), (("deliver", _deliver), ("variants", _variants), ("as-made", _as_made))),
    (lambda: sample("reach-rotor"), (("rotor", _rotor),)),
    (lambda: sample("spray-hood"), (("skin", _skin),)),
    (_oval, (("compare", _compare),)),
)


def main(folder: Path) -> None:
    """Take them all."""
    folder.mkdir(parents=True, exist_ok=True)
    with window_off_screen(sample("reach-blade")) as window:
        for name, arrange in SHOTS.items():
            arrange(window)
            wait_for(lambda: False, 0.3)
            wait_for(lambda: solid_ready(window), 30.0)
            save_window(window, folder / f"{name}.png")
            print(folder / f"{name}.png")
        window.files.may_leave = lambda: True  # type: ignore[method-assign]
    for design, shots in OTHERS:
        _take(design(), shots, folder)


def _take(design: Design, shots: tuple[tuple[str, Callable[[Window], None]], ...], folder: Path) -> None:
    """Pictures of one more design."""
    with window_off_screen(design) as window:
        window.files.may_leave = lambda: True  # type: ignore[method-assign]
        window.show_work()
        for name, arrange in shots:
            arrange(window)
            wait_for(lambda: False, 0.8)
            wait_for(lambda: not window.desk.building, 60.0)
            save_window(window, folder / f"{name}.png")
            print(folder / f"{name}.png")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
    sys.stdout.flush()
    os._exit(0)
