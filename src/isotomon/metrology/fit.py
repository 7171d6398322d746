"""Measured points fitted to a body: by named points, then best with the freedoms that are left to it; mirrored parts and wrong units found out."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.spatial.transform import Rotation

from isotomon.arrays import Array, unique_rows
from isotomon.errors import DesignError
from isotomon.measure.onto import Onto, onto
from isotomon.metrology.sections import places_along
from isotomon.metrology.target import Target
from isotomon.pace import checkpoint

Freedom = Literal["none", "shift", "turn", "size"]
FREEDOMS: dict[Freedom, str] = {
    "none": "as they came",
    "shift": "shifted",
    "turn": "shifted and turned",
    "size": "shifted, turned and sized",
}
"""What a best fit may do with measured points."""
MOST_FITTED = 20_000
"""Points by which a fit is found; of more, evenly chosen ones."""
FEW = 1_500
"""Points by which it is seen from where a fit is to begin."""
ROUNDS, FEW_ROUNDS, ROUGH_ROUNDS = 60, 12, 20
MOST_SIZED = 2.0
"""Times as large, or as small, a fit makes points at most."""
STILL = 1e-8
"""Of the body's size: a step smaller than this is none."""
WEAK = 3e-3
"""Of the strongest: so weakly held a motion is not made, as a body of revolution's about its axis."""
TUKEY = 4.685
"""Residuals beyond so many times their spread do not count (Beaton and Tukey's biweight at 95 % efficiency)."""
ROUGH = 1e-3
"""Of the body's size: a fit whose middle deviation is more is looked for from elsewhere, too."""
CLEARLY = 0.4
"""A fit that is so much nearer than another is clearly the better one."""


@dataclass(frozen=True, eq=False)
class Fit:
    """`matrix` (4, 4) from measured places to the design's; `size` of that; `middle`: the median of what lies between points and body then, mm;
    `by`: how it was found, in words; `mirrored`: the mirror image would fit far better."""

    matrix: Array
    size: float
    middle: float
    by: str
    mirrored: bool = False

    def placed(self, points: Array) -> Array:
        """(n, 3) measured places where they lie on the design."""
        return np.asarray(points @ self.matrix[:3, :3].T + self.matrix[:3, 3])


def fitted(target: Target, points: Array, freedom: Freedom = "turn", named: Mapping[str, Array] | None = None) -> Fit:
    """Points (n, 3) mm fitted to a body: by those of the `named` ones that the body has places for, then best. Without named ones it is looked
    for from how they came, and, where that is nothing like the body, from all ways in which their main axes lie along its own.

    Raises: DesignError, for named points that the body does not know.
    """
    few, many = _some(points, FEW), _some(points, MOST_FITTED)
    if named:
        start, by = by_names(target, named, freedom), "named points"
        if freedom == "none":
            return _judged(target, few, Fit(start, 1.0, 0.0, by))
    else:
        start, by = np.eye(4), FREEDOMS[freedom]
        if freedom == "none":
            return _judged(target, few, Fit(start, 1.0, 0.0, by))
    first = best_fit(target, few, freedom, start, FEW_ROUNDS)
    mirrored = False
    if first.middle > ROUGH * target.size and freedom in ("turn", "size"):
        first = best_fit(target, few, freedom, first.matrix)
        if not named and first.middle > ROUGH * target.size:
            other = _from_axes(target, few, freedom, False)
            first = other if other.middle < CLEARLY * first.middle else first
        if first.middle > ROUGH * target.size:
            other = _from_axes(target, few, freedom, True)
            mirrored = other.middle < CLEARLY * first.middle
    return replace(best_fit(target, many, freedom, first.matrix), by=by, mirrored=mirrored)


def _judged(target: Target, points: Array, fit: Fit) -> Fit:
    return replace(fit, middle=float(np.median(np.abs(onto(target.surface, fit.placed(points)).off))))


def _some(points: Array, most: int) -> Array:
    """Evenly chosen ones of many."""
    return points if len(points) <= most else points[np.linspace(0, len(points) - 1, most).round().astype(int)]


def by_names(target: Target, named: Mapping[str, Array], freedom: Freedom) -> Array:
    """(4, 4) that brings named points (3,) to the places of the body that have these names: with three or more that do not lie on a line shifted and
    turned, else shifted only.

    Raises: DesignError, for a name that the body has no place for.

    Source: Umeyama, IEEE Transactions on Pattern Analysis and Machine Intelligence 13 (1991), 376.
    """
    unknown = [name for name in named if name not in target.named]
    if unknown:
        known = ", ".join(list(target.named)[:12])
        raise DesignError(f"the design has no place called '{unknown[0]}'; there are {known}")
    here, there = np.array(list(named.values())), np.array([target.named[name] for name in named])
    middle, aim = here.mean(axis=0), there.mean(axis=0)
    u, spread, vt = np.linalg.svd((there - aim).T @ (here - middle))
    turned = np.eye(3)
    if freedom != "shift" and len(named) >= 3 and spread[1] > 1e-9 * max(float(spread[0]), 1e-300):
        turned = u @ np.diag([1.0, 1.0, float(np.sign(np.linalg.det(u @ vt)))]) @ vt
    found = np.eye(4)
    found[:3, :3], found[:3, 3] = turned, aim - turned @ middle
    return found


def best_fit(
    target: Target, points: Array, freedom: Freedom, start: Array, rounds: int = ROUNDS, rough: bool = False
) -> Fit:
    """Points (n, 3) brought as near to the body's surface as can be, from a `start` (4, 4), by least squares of their distances to it, those far
    off counting little. `rough`: by places spread over the surface alone, to see where to begin.

    Source: Chen and Medioni, Image and Vision Computing 10 (1992), 145, with the biweight.
    """
    matrix, size = start.copy(), 1.0
    least, scale = np.inf, 0.0
    best = matrix
    for _ in range(rounds):
        checkpoint(0.0)
        here = points @ matrix[:3, :3].T + matrix[:3, 3]
        found = _roughly(target, here) if rough else onto(target.surface, here)
        off = found.off
        scale = float(np.median(np.hypot(off, found.aside) if rough else np.abs(off)))
        if scale < least:
            least, best = scale, matrix
        step, move = _step(target, here, found, freedom, scale, rough)
        if not 1.0 / MOST_SIZED < np.cbrt(np.linalg.det((move @ matrix)[:3, :3])) < MOST_SIZED:
            break  # points of something else come nearest to a body as one point of it
        matrix = move @ matrix
        if np.abs(step).max() < STILL * target.size:
            break
    if rough:
        return Fit(best, 1.0, least, FREEDOMS[freedom])
    here = points @ matrix[:3, :3].T + matrix[:3, 3]
    last = float(np.median(np.abs(onto(target.surface, here).off)))
    matrix = matrix if last <= least * 1.05 else best
    size = float(np.cbrt(np.linalg.det(matrix[:3, :3])))
    return Fit(matrix, size, min(last, least), FREEDOMS[freedom])


GROWN = 0.05
"""By so much of their size sections may be other than designed before a fit is held back."""


def _step(target: Target, here: Array, found: Onto, freedom: Freedom, scale: float, rough: bool) -> tuple[Array, Array]:
    """One step of Gauss and Newton's towards a body, and the map (4, 4) that it is. `scale`: the middle deviation, mm."""
    off, middle = found.off, here.mean(axis=0)
    away = (here - middle) / target.size
    columns = [found.normal]
    if freedom in ("turn", "size"):
        columns.append(np.cross(away, found.normal))
    if freedom == "size":
        columns.append(np.einsum("nk,nk->n", away, found.normal)[:, None])
    grows = None if rough else _growing(target, found)
    if grows is not None:
        columns.append(grows[:, None])
    share = off / (TUKEY * max(1.4826 * scale, 1e-9 * target.size))
    root = np.where(np.abs(share) < 1.0, 1.0 - share * share, 0.0)
    root = np.where(found.at_rim & (found.aside > np.abs(scale)), 0.0, root)
    rows = root[:, None] * np.hstack(columns)
    if grows is not None:
        # Sections that are all larger, or smaller, are no place elsewhere along a body that tapers; by how much they are is held back a little.
        held = np.zeros((1, rows.shape[1]))
        held[0, -1] = scale / (GROWN * target.size)
        rows = np.vstack([rows, held])
        off, root = np.append(off, 0.0), np.append(root, 0.0)
    step = np.linalg.lstsq(rows, -root * off, rcond=WEAK)[0]
    step = step if grows is None else step[:-1]
    grown = 1.0 + float(step[6]) / target.size if freedom == "size" else 1.0
    turn = Rotation.from_rotvec(step[3:6] / target.size).as_matrix() if len(step) > 3 else np.eye(3)
    move = np.eye(4)
    move[:3, :3] = grown * turn
    move[:3, 3] = middle + step[:3] - move[:3, :3] @ middle
    return step, move


def _roughly(target: Target, points: Array) -> Onto:
    """Points by the nearest of the places spread over the surface, and its plane there."""
    spots, places, normals = target.coarse
    near = np.asarray(spots.query(points)[1])
    foot, normal = places[near], normals[near]
    away = points - foot
    off = np.einsum("nk,nk->n", away, normal)
    aside = np.sqrt(np.maximum(np.einsum("nk,nk->n", away, away) - off * off, 0.0))
    share, rim = np.full((len(points), 3), 1.0 / 3.0), np.zeros(len(points), dtype=bool)
    return Onto(near, share, foot, normal, off, aside, rim)


def _growing(target: Target, found: Onto) -> Array | None:
    """(n,) how fast points on a body would go outward if all its sections grew about the middles of their chords, per size of the body; None for
    a body that has no sections."""
    quick = target.quick
    if quick.shape is None:
        return None
    at = places_along(quick, found.foot)
    own = found.normal @ np.linalg.inv(quick.placed[0][:3, :3]).T
    facing = np.einsum("nkc,nc->nk", at.axes, own)
    return np.asarray(np.einsum("nk,nk->n", at.flat - at.middle, facing) / target.size)


def _from_axes(target: Target, points: Array, freedom: Freedom, mirrored: bool) -> Fit:
    """The best fit of those that begin with the points' main axes along the body's, each way round."""
    own, middle = _axes(points)
    aim, there = _axes(target.surface.spots.data)
    fits = list[Fit]()
    for order in itertools.permutations(range(3)):
        for signs in itertools.product((1.0, -1.0), repeat=3):
            turned = aim @ (np.eye(3)[list(order)] * np.array(signs)) @ own.T
            if (np.linalg.det(turned) < 0.0) != mirrored:
                continue
            start = np.eye(4)
            start[:3, :3], start[:3, 3] = turned, there - turned @ middle
            fits.append(best_fit(target, points[::3], freedom, start, ROUGH_ROUNDS, rough=True))
    near = sorted(fits, key=lambda fit: fit.middle)[:2]
    return min((best_fit(target, points, freedom, one.matrix, FEW_ROUNDS) for one in near), key=lambda fit: fit.middle)


def _axes(points: Array) -> tuple[Array, Array]:
    """(3, 3) main axes of places as columns, right-handed, and their middle; each little cell in which some lie counts once."""
    low, size = points.min(axis=0), float(np.ptp(points, axis=0).max())
    some = points[unique_rows(np.round((points - low) / max(size / 60.0, 1e-300)).astype(np.int64))[0]]
    middle = some.mean(axis=0)
    axes = np.linalg.svd((some - middle).T @ (some - middle))[0]
    return axes * np.array([1.0, 1.0, float(np.sign(np.linalg.det(axes)))]), middle


UNITS = {"inches": 25.4, "centimetres": 10.0, "metres": 1000.0, "feet": 304.8}
"""mm of each unit in which points may have been written."""
UNLIKE = 1.6
"""Times as large, or as small, as the body are points that may be in another unit."""
ALIKE = 0.15
"""So near, in shares, is a size that tells of a unit."""


def other_unit(target: Target, points: Array) -> str:
    """In which unit points are that were taken for mm, or were mm and taken for another; empty where their size is like the body's, or of no unit.
    In words: "in inches instead", "in mm instead of inches"."""
    spans = [
        np.ptp(np.percentile(np.asarray(a), [0.5, 99.5], axis=0), axis=0) for a in (points, target.surface.spots.data)
    ]
    ratio = float(np.linalg.norm(spans[0]) / max(float(np.linalg.norm(spans[1])), 1e-300))
    if 1.0 / UNLIKE < ratio < UNLIKE or ratio <= 0.0:
        return ""
    for unit, mm in UNITS.items():
        for factor, words in (
            (1.0 / mm, f"{mm:g} times too small: as if they were in {unit}"),
            (mm, f"{mm:g} times too large: as if they were in mm and read as {unit}"),
        ):
            if abs(np.log(ratio / factor)) < ALIKE:
                return words
    return ""
