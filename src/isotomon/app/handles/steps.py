"""Handles in the View of what is done with a body once it is shaped: moves, turns, sizes, and how far copies go."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.app.api import Api
from isotomon.design.bodies import change_step
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.stages import placements
from isotomon.geometry.affine import turned
from isotomon.geometry.datums import Axis
from isotomon.operations import Step
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.operations.row import Row

Array = NDArray[np.float64]
AXES = "xyz"
TITLES = {"turn": "turn the body", "angle": "spread the copies", "distance": "spread the copies"}


@dataclass(frozen=True, eq=False)
class Grip:
    """A handle: where it is, and the places (n, 3) that it can be dragged to, each with what the step's fields are there."""

    place: Array
    course: Callable[[Array], Array]
    """Places (n, 3) for shares (n,) of the way from one end of its course to the other, 0.5 being where it is."""
    changes: Callable[[float], dict[str, float]]


class StepGrips:
    """While the body is chosen, the steps after its shaping have handles; formulas have none."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._begun: tuple[str, Grip] | None = None

    def grips(self) -> dict[str, Array]:
        """Places of the handles."""
        return {kind: grip.place for kind, grip in self._all().items()}

    def _all(self) -> dict[str, Grip]:
        quick, ground = self.w.desk.quick, self.w.desk.ground()
        if (
            quick is None
            or quick.shape is None
            or ground is None
            or self.w.desk.selection != (quick.body.id,)
            or self.w.desk.body is None
            or [s.id for s in quick.body.done] != [s.id for s in self.w.desk.body.done]
        ):
            return {}
        points = quick.shape.mesh.points.reshape(-1, 3)
        steps, found = quick.body.done, {}
        for k, step in enumerate(steps):
            try:
                before = placements(ground, steps[:k])[0]
                body = points @ before[:3, :3].T + before[:3, 3]
                for field, grip in _grips_of(ground, step, body).items():
                    found[f"step {step.id} {field}"] = grip
            except IsotomonError:  # the step has a finding of its own
                continue
        return found

    def pull(self, kind: str, start: Array, now: Array) -> None:
        """A handle dragged: its numbers are those at the place of its course that is seen nearest to the pixel."""
        desk, view = self.w.desk, self.w.view
        if self._begun is None or self._begun[0] != kind:
            grip = self._all().get(kind)
            if grip is None:
                return
            self._begun = (kind, grip)
        grip = self._begun[1]
        shares = np.linspace(0.0, 1.0, 2001)
        seen = view.camera.project(grip.course(shares), view.width(), view.height())[:, :2]
        here = view.camera.project(grip.place[None], view.width(), view.height())[0, :2]
        best = int(np.linalg.norm(seen - (here + now - start), axis=1).argmin())
        _, k, field = kind.split()
        changes = grip.changes(float(shares[best]))

        def edit(design: Design) -> Design:
            return change_step(design, k, **changes)

        title = TITLES.get(field, "resize the body" if field.startswith("size") else "move the body")
        desk.preview(title, edit)

    def let_go(self) -> None:
        """The pull is over."""
        self._begun = None


def _grips_of(ground: Ground, step: Step, body: Array) -> dict[str, Grip]:
    """The handles of one step on a body, whose points (n, 3) are those before it. Raises: IsotomonError."""
    size = float(np.ptp(body, axis=0).max())
    own = placements(ground, (step,))
    middle = own[0, :3, :3] @ body.mean(axis=0) + own[0, :3, 3]
    match step:
        case Move():
            found = {
                axis: _along(middle + 0.35 * size * np.eye(3)[k], np.eye(3)[k], 20.0 * size, axis, value)
                for k, axis in enumerate(AXES)
                if isinstance(value := getattr(step, axis), float)
            }
            if isinstance(step.turn, float):
                found["turn"] = _about(ground.axis(step.about), middle, 0.45 * size, "turn", step.turn, 1.0)
            return found
        case Resize():
            return _sizes(step, ground.point(step.about), body @ own[0, :3, :3].T + own[0, :3, 3])
        case Ring(about=about, angle=float(angle)):
            far = _far(step)
            steps = 1.0 if step.by == "step" else max(step.count - 1, 1)
            if far == 0 or (step.by == "total" and abs(abs(angle) - math.tau) < 1e-9):
                return {}
            place = turned(ground.axis(about), far * angle / steps) @ np.append(body.mean(axis=0), 1.0)
            return {"angle": _about(ground.axis(about), place[:3], 0.0, "angle", angle, steps / far)}
        case Row(along=along, distance=float(distance)):
            far, thing = _far(step), ground.get(along)
            if far == 0 or not isinstance(thing, Axis):
                return {}
            steps = 1.0 if step.by == "step" else max(step.count - 1, 1)
            place = body.mean(axis=0) + far * distance / steps * thing.way
            return {"distance": _along(place, thing.way, 20.0 * size, "distance", distance, steps / far)}
    return {}


def _far(step: Ring | Row) -> int:
    """The number of the copy that has the handle: the next one of those from one to the next, else the last; nought where
    only the body itself is left."""
    kept = [k for k in range(1, step.count) if k not in step.without]
    return 0 if not kept else kept[0] if step.by == "step" else kept[-1]


def _along(place: Array, way: Array, reach: float, field: str, value: float, scale: float = 1.0) -> Grip:
    """A handle that goes straight, `reach` mm either way; the value changes by so many mm times the scale."""
    return Grip(
        place,
        lambda t: place + ((t - 0.5) * 2.0 * reach)[:, None] * way,
        lambda t: {field: round(value + (t - 0.5) * 2.0 * reach * scale, 2)},
    )


def _about(axis: Axis, place: Array, beyond: float, field: str, value: float, scale: float) -> Grip:
    """A handle that goes round an axis, so much `beyond` a place; the value changes by its angle times the scale."""
    foot = axis.origin + axis.way * float((place - axis.origin) @ axis.way)
    spoke = place - foot
    far = float(np.linalg.norm(spoke))
    out = spoke / far if far > 1e-6 * max(beyond, 1.0) else _square(axis.way, value)
    spoke = spoke + beyond * out
    side = np.cross(axis.way, spoke)

    def course(t: Array) -> Array:
        angle = ((t - 0.5) * 2.0 * math.pi)[:, None]
        return np.asarray(foot + np.cos(angle) * spoke + np.sin(angle) * side)

    def changes(t: float) -> dict[str, float]:
        return {field: math.radians(round(math.degrees(value + (t - 0.5) * 2.0 * math.pi * scale), 1))}

    return Grip(foot + spoke, course, changes)


def _square(way: Array, angle: float) -> Array:
    """(3,) a direction square to a way, turned about it with the body."""
    first = np.array([1.0, 0.0, 0.0]) if abs(way[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    first = first - way * float(first @ way)
    first = first / np.linalg.norm(first)
    return np.asarray(math.cos(angle) * first + math.sin(angle) * np.cross(way, first))


def _sizes(step: Resize, about: Array, body: Array) -> dict[str, Grip]:
    """A handle of each direction at the body's far side, and one of all three beyond its corner."""
    low, high = body.min(axis=0), body.max(axis=0)
    far = np.where(high - about >= about - low, high, low)
    found = {}
    for k, axis in enumerate(AXES):
        value, reach = getattr(step, axis), float(far[k] - about[k])
        if isinstance(value, float) and abs(reach) > 1e-9:
            place = (low + high) / 2.0
            place[k] = far[k]
            found[f"size-{axis}"] = _scaling(place, reach * np.eye(3)[k], {axis: value})
    values = {axis: getattr(step, axis) for axis in AXES}
    if all(isinstance(v, float) for v in values.values()) and np.abs(far - about).max() > 1e-9:
        found["size-all"] = _scaling(far, far - about, values)
    return found


def _scaling(place: Array, away: Array, values: dict[str, float]) -> Grip:
    """A handle `away` from what is resized about: the sizes change as its distance does, from a hundredth to ten times."""

    def share(t: Array) -> Array:
        return np.asarray(np.where(t < 0.5, 0.01 + 1.98 * t, 1.0 + (t - 0.5) * 18.0))

    return Grip(
        place,
        lambda t: place + (share(t) - 1.0)[:, None] * away,
        lambda t: {axis: float(f"{value * float(share(np.array(t))):.4g}") for axis, value in values.items()},
    )
