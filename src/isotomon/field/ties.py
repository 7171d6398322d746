"""Ties: which point of one outline belongs to which point of another, chosen for least turn and travel."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import FieldError
from isotomon.profile.outline import Outline2D

Array = NDArray[np.float64]

NEAR = np.radians(30.0)
"""Corners whose directions from the middle differ by more do not belong together."""
MERGE = 0.03
"""Corners closer than this share of the perimeter may meet in one corner on another outline."""


@dataclass(frozen=True, eq=False)
class Ties:
    """`share`: (outlines, ties + 1), where each tie lies on each outline as a share of its arc length, counted from
    the outline's start and not wrapped, the first tie repeated one turn later. `corner`: (outlines, ties), whether
    the outline has a corner there. `u`: (ties + 1,) from 0 to 1.
    """

    share: Array
    corner: NDArray[np.bool_]
    u: Array


def _directions(outline: Outline2D, shares: Array) -> Array:
    """Direction (rad, in [0, 2π)) from the outline's middle to its points at `shares` of the arc length."""
    polygon = outline.polygon(400)
    middle = (polygon.min(axis=0) + polygon.max(axis=0)) / 2.0
    away = outline.points(shares * outline.length) - middle
    return np.mod(np.arctan2(away[:, 1], away[:, 0]), 2 * np.pi)


def automatic_ties(outlines: Sequence[Outline2D]) -> Ties | None:
    """Ties at every corner of every outline; None when all are smooth (they then correspond from their +X points).

    Outlines are taken already turned back, so that equal directions from the middle mean no turn.
    Raises: FieldError, when corners cannot be matched in one order round the section.
    """
    corners = [outline.corner_lengths() / outline.length for outline in outlines]
    if not any(len(c) for c in corners):
        return None
    first = max(range(len(outlines)), key=lambda i: (len(corners[i]), -i))
    directions = [_directions(o, c) for o, c in zip(outlines, corners, strict=True)]
    ties: list[dict[int, float]] = [{first: float(s)} for s in corners[first]]
    aims = list(directions[first])
    for i in range(len(outlines)):
        if i != first and len(corners[i]):
            _match(i, corners[i], directions[i], ties, aims)
    order = np.argsort(aims, kind="stable")
    return _placed(outlines, [ties[k] for k in order], np.array(aims)[order])


def _match(i: int, shares: Array, directions: Array, ties: list[dict[int, float]], aims: list[float]) -> None:
    """Join each corner of outline i to the tie whose direction is nearest, both ways; the rest become new ties."""
    apart = np.abs(np.mod(directions[:, None] - np.array(aims) + np.pi, 2 * np.pi) - np.pi)
    best_tie, best_corner = apart.argmin(axis=1), apart.argmin(axis=0)
    for corner, tie in enumerate(best_tie):
        if best_corner[tie] == corner and apart[corner, tie] < NEAR:
            ties[tie][i] = float(shares[corner])
        else:
            ties.append({i: float(shares[corner])})
            aims.append(float(directions[corner]))


def _placed(outlines: Sequence[Outline2D], ties: list[dict[int, float]], aims: Array) -> Ties:
    count = len(ties)
    share = np.zeros((len(outlines), count + 1))
    corner = np.zeros((len(outlines), count), dtype=bool)
    for i, outline in enumerate(outlines):
        has = np.array([i in tie for tie in ties])
        here = np.array([tie.get(i, np.nan) for tie in ties])
        if not has.all():
            here = _fill(outline, here, has, aims)
            here = _merged(i, here, ties)
        relative = _once_round(here, aims)
        if relative is None:
            relative = _once_round(_spread(here, has), aims)
        if relative is None:
            raise FieldError(
                "the corners of two sections do not follow in the same order; use sections that are more alike"
            )
        share[i] = relative + here[0]
        corner[i] = has | np.isin(np.round(here, 12), np.round(here[has], 12))
    u = (share - share[:, :1]).mean(axis=0)
    if np.any(np.diff(u) <= 0.0):
        raise FieldError("two corners fall together on every section; use sections that are more alike")
    return Ties(share, corner, u)


def _fill(outline: Outline2D, here: Array, has: NDArray[np.bool_], aims: Array) -> Array:
    """Shares of the ties that fall on no corner of this outline: in the same direction from its middle."""
    s = np.arange(2000) / 2000.0
    seen = np.unwrap(_directions(outline, s))
    if np.all(np.diff(seen) > 0.0):
        wanted = seen[0] + np.mod(aims - seen[0], 2 * np.pi)
        by_direction = np.interp(wanted, np.append(seen, seen[0] + 2 * np.pi), np.append(s, 1.0))
    else:
        by_direction = aims / (2 * np.pi)
    return np.where(has, here, by_direction)


def _merged(i: int, here: Array, ties: list[dict[int, float]]) -> Array:
    """A tie next to a corner of outline i shares it when elsewhere the two lie close (a trailing edge that closes)."""
    here = here.copy()
    for k, tie in enumerate(ties):
        for beside in (ties[k - 1], ties[(k + 1) % len(ties)]):
            if i in tie or i not in beside:
                continue
            gaps = [abs((tie[m] - beside[m] + 0.5) % 1.0 - 0.5) for m in tie.keys() & beside.keys()]
            if gaps and max(gaps) < MERGE:
                here[k] = beside[i]
    return here


def _once_round(here: Array, aims: Array) -> Array | None:
    """Shares counted from the first tie, ending at 1; None when they do not go round in order.

    When all ties share one corner, the widest lane (by direction) takes the whole way round.
    """
    steps = np.mod(np.diff(np.append(here, here[0])) + 1e-9, 1.0) - 1e-9
    steps = np.maximum(steps, 0.0)
    if steps.sum() < 0.5:
        steps[int(np.argmax(np.mod(np.diff(np.append(aims, aims[0])), 2 * np.pi)))] += 1.0
    if abs(steps.sum() - 1.0) > 1e-6:
        return None
    relative = np.concatenate([[0.0], np.cumsum(steps)])
    relative[-1] = 1.0
    return np.minimum(relative, 1.0)


def _spread(here: Array, has: NDArray[np.bool_]) -> Array:
    """Ties off the corners spread evenly between the corners around them, so that the order holds."""
    count = len(here)
    own = np.flatnonzero(has) if has.any() else np.array([0])
    index = np.append(own, own[0] + count)
    value = np.unwrap(np.append(here[own], here[own[0]] + 1.0), period=1.0)
    place = np.arange(count) + np.where(np.arange(count) < own[0], count, 0)
    return np.mod(np.interp(place, index, value), 1.0)
