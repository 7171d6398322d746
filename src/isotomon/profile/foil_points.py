"""Foils through coordinates: reading the text of a coordinate file, and the outline through its points."""

from __future__ import annotations

import math

import numpy as np
from scipy.interpolate import make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.geometry.planar import crossing, signed_area
from isotomon.profile.outline import Outline2D, Run, fit_run, line

Point = tuple[float, float]
MOST_POINTS = 5000
FEWEST_POINTS = 8
SAME_POINT = 1e-9
"""Points nearer than this share of the chord are one."""
MOST_SIZE = 1e9
SHARP = 1e-5
"""A trailing edge thinner than this share of the chord is closed."""


def parse_foil_text(text: str) -> tuple[Point, ...]:
    """Points of a coordinate file, as one run: trailing edge, over the top, leading edge, back below.

    A title line and `#` comments are skipped. Two runs (each from the leading edge to the trailing edge, upper
    first; after a line with their counts, or parted by a blank line) are joined.
    Raises: ProfileError, with the line.
    """
    rows: list[Point | None] = []
    for number, raw in enumerate(text.splitlines(), 1):
        words = raw.split("#")[0].replace(",", " ").replace(";", " ").split()
        if not words:
            rows.append(None)
            continue
        try:
            x, y = (float(word) for word in words)
        except ValueError:
            if not any(row is not None for row in rows):
                continue
            raise ProfileError(f"line {number}: expected two numbers (x and y), found '{raw.strip()[:60]}'") from None
        if not (math.isfinite(x) and math.isfinite(y)):
            raise ProfileError(f"line {number}: expected finite numbers, found '{raw.strip()[:60]}'")
        rows.append((x, y))
        if len(rows) > 2 * MOST_POINTS:
            raise ProfileError(f"more than {MOST_POINTS} points; thin the file out")
    points = [row for row in rows if row is not None]
    if points and min(points[0]) >= 2.0 and all(v == int(v) for v in points[0]):
        upper = int(points[0][0])
        if upper + int(points[0][1]) != len(points) - 1:
            raise ProfileError(f"the counts say {upper} + {int(points[0][1])} points, but {len(points) - 1} follow")
        return _join(points[1 : upper + 1], points[upper + 1 :])
    blocks = _blocks(rows)
    if len(blocks) == 2 and _from_one_nose(*blocks):
        return _join(*blocks)
    return _check_count(points)


def _blocks(rows: list[Point | None]) -> list[list[Point]]:
    """Runs of points parted by blank lines."""
    blocks: list[list[Point]] = [[]]
    for row in rows:
        if row is not None:
            blocks[-1].append(row)
        elif blocks[-1]:
            blocks.append([])
    return [block for block in blocks if block]


def _from_one_nose(upper: list[Point], lower: list[Point]) -> bool:
    """Whether both runs begin at one place (the leading edge) rather than the second where the first ends."""
    return math.dist(upper[0], lower[0]) < 0.2 * math.dist(upper[0], upper[-1])


def _join(upper: list[Point], lower: list[Point]) -> tuple[Point, ...]:
    tail = lower[1:] if upper and lower and upper[0] == lower[0] else lower
    return _check_count([*reversed(upper), *tail])


def _check_count(points: list[Point]) -> tuple[Point, ...]:
    if not FEWEST_POINTS <= len(points) <= MOST_POINTS:
        raise ProfileError(f"{len(points)} points; a foil needs {FEWEST_POINTS} to {MOST_POINTS}")
    return tuple(points)


def outline_from_points(points: Array) -> Outline2D:
    """A foil smooth through `points` (n, 2), with a corner at the trailing edge (two when it is blunt).

    The nominal chord runs from (0, 0) to (1, 0) when the points span it, else from the point farthest from the
    trailing edge; it is laid along X and scaled to 1.
    Raises: ProfileError, for points that repeat, cross or enclose nothing.
    """
    _check_count(points.tolist())
    if not np.isfinite(points).all() or np.abs(points).max() > MOST_SIZE:
        raise ProfileError(f"a coordinate is beyond {MOST_SIZE:g}; a foil's are usually between 0 and 1")
    points = _to_unit_chord(points)
    apart = np.linalg.norm(np.diff(points, axis=0), axis=1)
    points = points[np.r_[True, apart > SAME_POINT]]
    if len(points) < FEWEST_POINTS:
        raise ProfileError(f"only {len(points)} of its points differ; a foil needs {FEWEST_POINTS}")
    if signed_area(points) < 0.0:
        points = points[::-1]
    closed = np.linalg.norm(points[0] - points[-1]) < SHARP
    ring = points[:-1] if closed else points
    found = crossing(ring, slack=1e-12)
    if found is not None:
        i, j = found
        raise ProfileError(f"the foil crosses itself between points {i + 1} and {j + 1}; mend the coordinates")
    if not signed_area(ring) > 1e-6:
        raise ProfileError("the points enclose no area; a foil runs once around")
    if closed:
        points = np.vstack([ring, ring[:1]])
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    t = np.concatenate([[0.0], np.cumsum(step)]) / step.sum()
    try:
        through = make_interp_spline(t, points, k=3)
    except (ValueError, np.linalg.LinAlgError):
        raise ProfileError(
            "no smooth curve goes through the points: some lie too near each other; thin them out"
        ) from None
    nose = float(t[int(np.argmin(points[:, 0]))])
    if not 0.0 < nose < 1.0:
        raise ProfileError("the points do not begin at the trailing edge and go once round it; put them in that order")
    around = fit_run(lambda s: through(np.clip(s, 0.0, 1.0)), marks=[("nose", nose, 2)])
    outline = Outline2D(foil_runs(around), np.array([[0.0, 0.0], [1.0, 0.0]]))
    if crossing(outline.polygon(600), slack=1e-9) is not None:
        raise ProfileError("the smooth curve through the points crosses itself; mend or thin out the coordinates")
    return outline


def foil_runs(around: Run) -> tuple[Run, ...]:
    """The runs of a foil from the one round its nose, with their corners' names: `tail` where it is sharp, and closed by a
    line from its `lower-tail` to its `upper-tail` where it is blunt."""
    if np.abs(around.control[0] - around.control[-1]).max() < 1e-9:
        return (around.named("tail", "tail"),)
    blunt = line(around.control[-1].tolist(), around.control[0].tolist())
    return around.named("upper-tail", "lower-tail"), blunt.named("lower-tail", "upper-tail")


def _to_unit_chord(points: Array) -> Array:
    trailing = (points[0] + points[-1]) / 2.0
    spans_unit = abs(points[:, 0].min()) < 2e-3 and np.linalg.norm(trailing - [1.0, 0.0]) < 2e-3
    leading = points[int(np.argmax(np.linalg.norm(points - trailing, axis=1)))]
    if spans_unit:
        leading, trailing = np.array([0.0, 0.0]), np.array([1.0, 0.0])
    along = trailing - leading
    size = float(np.hypot(*along))
    if not size > 0.0:
        raise ProfileError("the points have no chord; a foil runs from the trailing edge round and back")
    c, s = along / (size * size)
    moved = points - leading
    return np.stack([c * moved[:, 0] + s * moved[:, 1], c * moved[:, 1] - s * moved[:, 0]], axis=1)
