"""Walks without end: `python -m tests.walks MINUTES [SEED]` walks through session, window and files until the time is over,
prints every hit with the seed that makes it again, and ends with the plain line."""

from __future__ import annotations

import logging
import os
import sys
import tempfile
import threading
import time
import warnings
from pathlib import Path
from unittest import mock

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import shiboken6

from isotomon.app.shell.main import make_window, run_events
from isotomon.app.shell.window import Window
from tests import walk_files, walk_session, walk_window
from tests.walk_session import Hit, starts


def one_window(seed: int, steps: int, folder: Path) -> int:
    """A walk through a window of its own; how many steps it took. Raises: Hit."""
    designs = starts()
    before = set(threading.enumerate())
    window = make_window(walk_window.settings_in(folder), folder)
    window.resize(1280, 800)
    window.show()
    try:
        walk_window.walk(window, designs[seed % len(designs)], seed, steps, folder)
    finally:
        with mock.patch.object(Window, "closeEvent", lambda w, e: e.accept()):
            window.close()
        window.desk.engine.close()
        window.view.close_scene()
        run_events()  # what threads have said meanwhile is still taken, and may have another begin
        while others := set(threading.enumerate()) - before:
            for thread in others:
                if thread.ident is not None:  # one that is about to begin cannot be waited for yet
                    thread.join(60.0)
            run_events()
        for teller in (window.desk.engine, window.desk):  # their timers may run on
            teller.blockSignals(True)
        shiboken6.delete(window)
    return steps


def one_round(seed: int, folder: Path) -> int:
    """A walk of each kind; how many steps they took. Raises: Hit."""
    designs = starts()
    steps = len(walk_session.walk(designs[seed % len(designs)], seed, 60, folder).done)
    steps += one_window(seed, 60, folder)
    for reader in walk_files.sources():
        walk_files.walk(reader, seed, 20, folder)
        steps += 20
    return steps


def main(minutes: float, seed: int) -> int:
    """0 without a hit."""
    warnings.simplefilter("error", RuntimeWarning)
    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)
    end, steps, hits = time.monotonic() + 60.0 * minutes, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        while time.monotonic() < end:
            try:
                steps += one_round(seed, Path(folder))
            except Hit as hit:
                hits += 1
                print(f"seed {seed}: {hit}", flush=True)
            except KeyboardInterrupt:  # what has been walked so far counts
                break
            seed += 1
    print(f"{steps} passed, {hits} failed")
    return 1 if hits else 0


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1))
