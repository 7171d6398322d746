"""Where the time of a frame goes while a station's chord is dragged: `python -m bench.stages`. Times of a stage hold those that are set in
below it."""

from __future__ import annotations

import functools
import importlib
import os
import time
from collections import defaultdict
from collections.abc import Callable
from contextlib import ExitStack
from unittest import mock

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["OPENBLAS_NUM_THREADS"] = "1"

import numpy as np

from bench.__main__ import railed
from isotomon.app.shell.main import wait_for, window_off_screen
from isotomon.design import bodies, edits, station_edits
from isotomon.samples import sample

STAGES = (
    ("rebuild, on its own thread", "isotomon.app.state.engine", "rebuild"),
    ("  what the edit does not touch", "isotomon.evaluate.ground", "unchanged"),
    ("  stations: formulas, planes, ends", "isotomon.evaluate.ground", "Ground.ended"),
    ("  the field", "isotomon.evaluate.ground", "shape_body"),
    ("    rails: where they meet the profiles", "isotomon.evaluate.body_field", "lay_rails"),
    ("    ties and sections carried by rails", "isotomon.evaluate.body_field", "make_shape"),
    ("  sections, mesh, areas and turn", "isotomon.inspect.quick", "_laid_out"),
    ("  guides", "isotomon.inspect.quick", "_guides"),
    ("  laws judged", "isotomon.inspect.quick", "judge_laws"),
    ("shown, on the window's thread", "isotomon.app.shell.window", "Window._show_quick"),
    ("  View", "isotomon.app.viewport.view", "View.show_quick"),
    ("  body plan", "isotomon.app.board.bodyplan", "BodyPlan.show_quick"),
    ("  Board", "isotomon.app.board.board", "Board.show_quick"),
    ("  Ledger", "isotomon.app.tables.ledger", "Ledger.show_quick"),
    ("  handles", "isotomon.app.shell.window", "Window.show_handles"),
    ("painted: the View", "isotomon.app.viewport.canvas", "SceneCanvas.paintEvent"),
    ("  the scene drawn", "isotomon.app.viewport.scene", "Scene.draw"),
    ("painted: the body plan", "isotomon.app.board.bodyplan", "BodyPlan.paintEvent"),
    ("painted: the Board", "isotomon.app.board.board", "Board.paintEvent"),
)
FRAMES = 100


def main() -> None:
    """Print the stages, ms a frame."""
    taken = defaultdict[str, float](float)

    def timed(label: str, work: Callable[..., object]) -> Callable[..., object]:
        @functools.wraps(work)
        def wrapped(*args: object, **kwargs: object) -> object:
            begin = time.perf_counter()
            try:
                return work(*args, **kwargs)
            finally:
                taken[label] += time.perf_counter() - begin

        return wrapped

    design = railed(bodies.change_loft(edits.replace(sample("reach-blade"), guides=()), "body", rails=()))
    with ExitStack() as patches:
        for label, module, path in STAGES:
            holder = importlib.import_module(module)
            *owners, name = path.split(".")
            for owner in owners:
                holder = getattr(holder, owner)
            patches.enter_context(mock.patch.object(holder, name, timed(label, getattr(holder, name))))
        window = patches.enter_context(window_off_screen(design))
        taken.clear()
        begin = time.perf_counter()
        for chord in np.linspace(190.0, 215.0, FRAMES).tolist():
            seen = window.desk.quick
            window.desk.preview("chord", lambda d, c=chord: station_edits.change_station(d, "s6", chord=c))
            wait_for(lambda seen=seen: window.desk.quick is not seen, 5.0)  # type: ignore[misc]
            window.view.repaint()
        whole = time.perf_counter() - begin
        print(f"{'a frame, from the edit to pixels':<44} {whole / FRAMES * 1e3:6.1f} ms")
        for label, _, _ in STAGES:
            print(f"{label:<44} {taken[label] / FRAMES * 1e3:6.1f} ms")


if __name__ == "__main__":
    main()
