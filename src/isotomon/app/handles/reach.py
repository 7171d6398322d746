"""Handles in the View of how far a body goes on past its stations."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from isotomon.app.api import Api
from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array
from isotomon.design.loft_edits import change_span
from isotomon.design.records import Design
from isotomon.design.resolved import own_position
from isotomon.inspect.results import Quick


class ReachHandles:
    """While the body is chosen, each end it goes on to by a plain distance has a handle."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._begun: tuple[float, Array, Array] | None = None
        """The value when the pull began, and the handle's foot and way then."""

    def places(self) -> dict[str, Handle]:
        """Places of the handles."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None or self.w.desk.selection != (quick.body.id,):
            return {}
        found = {}
        for which, row in (("on", -1), ("back", 0)):
            foot = self._foot(which)
            if foot is not None and self._value(f"reach {which}") is not None and quick.resolved.stations[row].carried:
                found[f"reach {which}"] = Handle(foot[0], "dot", "change how far the body goes on")
        return found

    def _foot(self, which: str) -> tuple[Array, Array] | None:
        """Where the body ends, in the View, and the way on from there."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None:
            return None
        row, way = (-1, 1.0) if which == "on" else (0, -1.0)
        place = quick.full.moments.centroid[row] if quick.full is not None else quick.shape.sections.origin[row]
        ends = quick.stood(np.stack([place, place + way * quick.shape.sections.normal[row]]))
        return ends[0], ends[1] - ends[0]

    def _value(self, name: str) -> float | None:
        """The plain number that a handle changes; None where there is none, or a formula drives it."""
        body = self.w.desk.body
        if body is None:
            return None
        span, which = body.loft.span, name.split()[1]
        if span is None or span.whole or getattr(span, f"{which}_to"):
            return None
        value = getattr(span, which)
        return float(value) if isinstance(value, float) else None

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A handle dragged from one pixel to another: its number follows, seen at once."""
        desk, view = self.w.desk, self.w.view
        if self._begun is None:
            value, foot = self._value(name), self._foot(name.split()[1])
            if value is None or foot is None:
                return
            self._begun = (value, *foot)
        value, place, way = self._begun
        seen = view.camera.project(np.stack([place, place + way]), view.width(), view.height())[:, :2]
        step = seen[1] - seen[0]
        if float(step @ step) < 1e-9:
            return
        far = float((now - start) @ step / (step @ step))
        if desk.quick is not None:
            desk.preview("change how far the body goes", self._edit(name.split()[1], value, far, desk.quick))

    def _edit(self, which: str, value: float, far: float, quick: Quick) -> Callable[[Design], Design]:
        radius = quick.resolved.radius
        reached = max(value + own_position(radius, far), 0.0)
        there = round(reached, 4 if radius else 2)
        return lambda d: change_span(d, self.w.desk.hand, **{which: there})

    def release(self) -> None:
        """The pull is over."""
        self._begun = None
