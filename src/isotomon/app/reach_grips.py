"""Handles in the View of how far a body goes on past its stations, and of where it is moved to once it is shaped."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isotomon.app.after_form import change_step
from isotomon.app.along_form import change_span
from isotomon.model.after import Move
from isotomon.model.records import Design
from isotomon.model.resolve import own_position

if TYPE_CHECKING:
    from isotomon.app.window import Window

Array = NDArray[np.float64]
AXES = "xyz"


class ReachGrips:
    """While the body is chosen, each end it goes on to by a plain distance has a handle, and its first move has three."""

    def __init__(self, window: Window) -> None:
        self.w = window
        self._begun: tuple[float, Array, Array] | None = None
        """The value when the pull began, and the handle's foot and way then."""

    def grips(self) -> dict[str, Array]:
        """Places of the handles."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None or self.w.desk.selection != (quick.design.loft.id,):
            return {}
        found = {}
        for which, row in (("on", -1), ("back", 0)):
            foot = self._foot(which)
            if foot is not None and self._value(f"reach {which}") is not None and quick.resolved.stations[row].carried:
                found[f"reach {which}"] = foot[0]
        if self._step() is not None:
            reach = 0.6 * float(np.ptp(quick.shape.mesh.points.reshape(-1, 3), axis=0).max())
            middle = quick.stood(quick.shape.mesh.points.reshape(-1, 3).mean(axis=0)[None])[0]
            for k, axis in enumerate(AXES):
                if self._value(f"move {axis}") is not None:
                    found[f"move {axis}"] = middle + reach * np.eye(3)[k]
        return found

    def _step(self) -> int | None:
        """Which step of the body in hand is its first move."""
        design = self.w.desk.design
        steps = design.loft.after if design is not None else ()
        return next((k for k, step in enumerate(steps) if isinstance(step, Move)), None)

    def _foot(self, which: str) -> tuple[Array, Array] | None:
        """Where the body ends, in the View, and the way on from there."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None:
            return None
        row, way = (-1, 1.0) if which == "on" else (0, -1.0)
        place = quick.full.moments.centroid[row] if quick.full is not None else quick.shape.sections.origin[row]
        ends = quick.stood(np.stack([place, place + way * quick.shape.sections.normal[row]]))
        return ends[0], ends[1] - ends[0]

    def _value(self, kind: str) -> float | None:
        """The plain number that a handle changes; None where there is none, or a formula drives it."""
        design = self.w.desk.design
        if design is None:
            return None
        what, which = kind.split()
        if what == "move":
            k = self._step()
            value = getattr(design.loft.after[k], which) if k is not None else None
        else:
            span = design.loft.span
            value = (
                getattr(span, which)
                if span is not None and not span.whole and not getattr(span, f"{which}_to")
                else None
            )
        return float(value) if isinstance(value, float) else None

    def pull(self, kind: str, start: Array, now: Array) -> None:
        """A handle dragged from one pixel to another: its number follows, seen at once."""
        desk, view = self.w.desk, self.w.view
        what, which = kind.split()
        if self._begun is None:
            value, place = self._value(kind), self.grips().get(kind)
            foot = self._foot(which) if what == "reach" else None
            if value is None or place is None or desk.quick is None:
                return
            way = foot[1] if foot is not None else np.eye(3)[AXES.index(which)]
            self._begun = (value, place, way)
        value, place, way = self._begun
        seen = view.camera.project(np.stack([place, place + way]), view.width(), view.height())[:, :2]
        step = seen[1] - seen[0]
        if float(step @ step) < 1e-9:
            return
        far = float((now - start) @ step / (step @ step))
        edit = self._edit(kind, value, far)
        desk.preview("change how far the body goes" if what == "reach" else "move the body", edit)

    def _edit(self, kind: str, value: float, far: float) -> Callable[[Design], Design]:
        what, which = kind.split()
        if what == "move":
            k, to = self._step(), round(value + far, 2)
            assert k is not None
            return lambda d: change_step(d, k, **{which: to})
        quick = self.w.desk.quick
        assert quick is not None
        radius = quick.resolved.radius
        reached = max(value + own_position(radius, far), 0.0)
        there = round(reached, 4 if radius else 2)
        return lambda d: change_span(d, **{which: there})

    def let_go(self) -> None:
        """The pull is over."""
        self._begun = None
