"""Where a body comes to stand: the affine maps of its moves and copies."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from isotomon.design.steps import (
    TITLES,
    Combine,
    Mirror,
    Move,
    Placing,
    Resize,
    Ring,
    Row,
    Step,
    check_steps,
    is_joined,
)
from isotomon.errors import DesignError
from isotomon.evaluate.sources import Sources
from isotomon.field.carriers import path
from isotomon.geometry.datums import Axis, SpaceCurve
from isotomon.quantity import resolve

Array = NDArray[np.float64]
ITSELF = np.eye(4)[None]


def even_sizes(maps: Array) -> Array | None:
    """(k,) the sizes of affine maps (k, 4, 4) that each resize the same in all directions; None where one does not."""
    linear = maps[:, :3, :3]
    square = linear @ linear.transpose(0, 2, 1)
    sizes = np.trace(square, axis1=1, axis2=2) / 3.0
    even = np.abs(square / sizes[:, None, None] - np.eye(3)).max() < 1e-9
    return np.asarray(np.sqrt(sizes)) if even else None


@dataclass(frozen=True, eq=False)
class Put:
    """What steps in a row do with a body: affine maps (k, 4, 4), mm, one for each place it comes to, and whether the copies
    are made one."""

    maps: Array
    joined: bool


Stage = Put | Combine
"""What is done with a body at once: put elsewhere, or combined with another one."""


def stages(ground: Sources, steps: tuple[Step, ...]) -> tuple[Stage, ...]:
    """What is done with a body, in order; steps that put it elsewhere and follow one another at once.

    Raises: IsotomonError, naming the step; for copies that lie over one another.
    """
    check_steps(steps)
    made: list[Stage] = []
    for placing, row in groupby(steps, lambda step: not isinstance(step, Combine)):
        together = tuple(row)
        if placing:
            made.append(Put(placements(ground, together), is_joined(together)))
        else:
            made += [step for step in together if isinstance(step, Combine)]
    _check_apart(placed_by(made))
    return tuple(made)


def placed_by(made: Sequence[Stage]) -> Array:
    """(k, 4, 4) affine maps, mm, of a body's copies, one for each place it comes to; combining it with others moves nothing."""
    maps = ITSELF
    for stage in made:
        if isinstance(stage, Put):
            maps = (stage.maps[:, None] @ maps[None]).reshape(-1, 4, 4)
    return maps


def placements(ground: Sources, steps: Iterable[Step]) -> Array:
    """(k, 4, 4) affine maps, mm, of steps that put a body elsewhere.

    Raises: IsotomonError, naming the step.
    """
    maps = ITSELF
    for step in steps:
        if isinstance(step, Combine):
            continue
        try:
            own = _maps(ground, step)
        except ValueError as error:
            raise DesignError(f"{TITLES[type(step)].lower()}: {error}") from None
        maps = (own[:, None] @ maps[None]).reshape(-1, 4, 4)
    return maps


def _check_apart(maps: Array) -> None:
    """Raises: DesignError, for copies that lie over one another."""
    if len(maps) < 2:
        return
    flat = maps[:, :3].reshape(len(maps), 12) * np.array([100.0, 100.0, 100.0, 1.0] * 3)
    near = np.abs(flat[:, None] - flat[None]).max(axis=2) < 1e-6
    a, b = np.nonzero(np.triu(near, 1))
    if len(a):
        raise DesignError(
            f"copy {b[0] + 1} lies over copy {a[0] + 1}; use fewer copies, or another angle or distance between them"
        )


def _maps(ground: Sources, step: Placing) -> Array:
    """(k, 4, 4) of one step."""

    def number(title: str, value: float | str, kind: str) -> float:
        try:
            return resolve(value, kind, ground.names)  # type: ignore[arg-type]
        except ValueError as error:
            raise DesignError(f"{title}: {error}") from None

    if isinstance(step, Move):
        made = turned(ground.axis(step.about), number("turn", step.turn, "angle"))
        made[:3, 3] += [number(n, v, "length") for n, v in zip("xyz", (step.x, step.y, step.z), strict=True)]
        return made[None]
    if isinstance(step, Resize):
        sizes = np.array([number(n, v, "ratio") for n, v in zip("xyz", (step.x, step.y, step.z), strict=True)])
        if sizes.min() <= 1e-6:
            raise DesignError("sizes must be greater than nought; use a mirror to turn the body over")
        origin = ground.point(step.about)
        return _affine(np.diag(sizes), origin - sizes * origin)[None]
    if isinstance(step, Mirror):
        plane = ground.plane(step.plane)
        flip = np.eye(3) - 2.0 * np.outer(plane.normal, plane.normal)
        made = _affine(flip, plane.origin - flip @ plane.origin)[None]
        return np.concatenate([ITSELF, made]) if step.keep else made
    kept = [k for k in range(step.count) if k not in step.without]
    if isinstance(step, Ring):
        angle = number("angle", step.angle, "angle")
        if step.by == "total":
            whole = abs(abs(angle) - math.tau) < 1e-9
            angle /= max(step.count if whole else step.count - 1, 1)
        axis = ground.axis(step.about)
        return np.stack([turned(axis, k * angle) for k in kept])
    return _row(ground, step, number("distance", step.distance, "length"))[kept]


def _row(ground: Sources, step: Row, distance: float) -> Array:
    thing = ground.get(step.along)
    share = np.arange(step.count) / (max(step.count - 1, 1) if step.by == "total" else 1.0)
    if not isinstance(thing, SpaceCurve) or _straight(thing):
        way = ground.axis(step.along).way
        return np.stack([_affine(np.eye(3), s * distance * way) for s in share])
    carrier = path(thing)
    distance = distance or carrier.length / (1.0 if step.by == "total" else max(step.count - (not carrier.closed), 1))
    s = share * distance
    if s.max() > carrier.length * (1.0 + 1e-9):
        raise DesignError(
            f"the copies reach {s.max():.4g} mm along {ground.called(step.along)}, which is {carrier.length:.4g} mm long; "
            "use fewer, or a smaller distance"
        )
    f = carrier.frames(s)
    axes = np.stack([f.across, f.up, f.normal], axis=2)
    turns = axes @ axes[0].T if step.turning else np.broadcast_to(np.eye(3), axes.shape)
    return np.stack([_affine(t, o - t @ f.origin[0]) for t, o in zip(turns, f.origin, strict=True)])


def _straight(curve: SpaceCurve) -> bool:
    _, p, run = curve.table(65)
    return float(np.linalg.norm(p[-1] - p[0])) > run[-1] * (1.0 - 1e-9)


def turned(axis: Axis, angle: float) -> Array:
    """(4, 4) the turn about an axis by an angle (rad). Source: Rodrigues' formula."""
    x, y, z = axis.way
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    turn = np.eye(3) + math.sin(angle) * cross + (1.0 - math.cos(angle)) * (cross @ cross)
    return _affine(turn, axis.origin - turn @ axis.origin)


def _affine(matrix: Array, shift: Array) -> Array:
    made = np.eye(4)
    made[:3, :3], made[:3, 3] = matrix, shift
    return made
