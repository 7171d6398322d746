"""How stiff sections are: torsion constant and shear centre, by boundary elements for Prandtl's stress function.

Source: Katsikadelis, The Boundary Element Method for Engineers and Scientists (2016), chapters 3 (constant elements) and 6 (torsion);
Trefftz, "Über den Schubmittelpunkt in einem durch eine Einzellast gebogenen Balken", ZAMM 15 (1935), for the shear centre.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.geometry.planar import cross

ELEMENTS, MOST = 160, 640
"""On each run of a section at least, and in all at most."""
OF_THICKNESS = 0.3
"""So much of a section's mean thickness an element is long, where that leaves no more than `MOST`."""
CORNER = 0.35
"""rad: where a run turns by more than this between two pieces, it has a corner, at which an element ends."""
GRADED = 0.85
"""By how much elements are shorter at a corner than halfway to the next."""
DOUBT = 0.01
"""By more than this share of itself the torsion constant may not be off, as far as that is known: else it is not told."""
LEAST = 3
"""Elements on each side of a corner."""


@dataclass(frozen=True, eq=False)
class Stiffness:
    """Of a section: `torsion` constant mm⁴, NaN where it is too small beside the others to be told; `shear_centre` (2,) mm in its plane, through which a load does not twist it (for a
    Poisson's ratio of nought)."""

    torsion: float
    shear_centre: Array


@dataclass(frozen=True, eq=False)
class _Elements:
    """Straight elements of constant values: `start`, `end` (n, 2), `loop` (n,); material lies on their left."""

    start: Array
    end: Array
    loop: Index

    @property
    def middle(self) -> Array:
        return (self.start + self.end) / 2.0

    @property
    def length(self) -> Array:
        return np.asarray(np.linalg.norm(self.end - self.start, axis=1))

    @property
    def normal(self) -> Array:
        """(n, 2) out of the material."""
        along = (self.end - self.start) / self.length[:, None]
        return np.stack([along[:, 1], -along[:, 0]], axis=1)


def stiffness(runs: Sequence[Array]) -> Stiffness:
    """Of a section in one part, bounded by closed runs (n, 2), mm: the outer one counter-clockwise, holes clockwise.

    Raises: ValueError, where that is no section.
    """
    sizes = [float(cross(r, np.roll(r, -1, axis=0)).sum()) / 2.0 for r in runs]
    if not sizes or max(sizes) <= 0.0 or sum(s > 0.0 for s in sizes) != 1 or sum(sizes) <= 0.0:
        raise ValueError("the section is not in one part")
    outer = int(np.argmax(sizes))
    ordered = [runs[outer], *(r for k, r in enumerate(runs) if k != outer)]
    around = [float(np.linalg.norm(np.roll(r, -1, axis=0) - r, axis=1).sum()) for r in ordered]
    fine = max(OF_THICKNESS * 2.0 * sum(sizes) / sum(around), sum(around) / MOST)
    made = [_elements(run, max(ELEMENTS, round(length / fine))) for run, length in zip(ordered, around, strict=True)]
    starts, ends = (np.vstack([m[k] for m in made]) for k in (0, 1))
    middle, (xx, xy, yy) = _moments(starts, ends)
    # In principal axes a thin section's own stress function is nearly -y²: what is left to be found is small then, not a difference
    # of large things.
    angle = 0.5 * float(np.arctan2(2.0 * xy, xx - yy))
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s], [s, c]])
    loop = np.concatenate([np.full(len(m[0]), k) for k, m in enumerate(made)])
    elements = _Elements((starts - middle) @ turn, (ends - middle) @ turn, loop)
    across = float((xx + yy) / 2.0 + np.hypot((xx - yy) / 2.0, xy))
    least = xx + yy - across
    flux, held = _stress(elements, [-abs(sizes[k]) for k in range(len(runs)) if k != outer])
    torsion, other = (
        _torsion(e=elements, flux=flux, held=held, axis=k, second=m) for k, m in ((1, least), (0, across))
    )
    # Both are the same but for what the elements miss, of which that about the lesser axis has less.
    if abs(torsion - other) * least / (across + least) > DOUBT * abs(torsion):
        torsion = float("nan")
    centre = _shear_centre(elements, flux, across, least)
    return Stiffness(torsion, centre @ turn.T + middle)


def _elements(run: Array, elements: int) -> tuple[Array, Array]:
    """Starts and ends of a run's elements, so many: from corner to corner, shorter towards both."""
    run = run[np.linalg.norm(run - np.roll(run, 1, axis=0), axis=1) > 1e-9 * np.ptp(run, axis=0).max()]
    along = np.roll(run, -1, axis=0) - run
    before = np.roll(along, 1, axis=0)
    turned = np.abs(np.arctan2(cross(before, along), np.sum(before * along, axis=1)))
    corners = np.flatnonzero(turned > CORNER)
    first = int(corners[0]) if len(corners) else 0
    run, corners = np.roll(run, -first, axis=0), corners - first
    closed = np.vstack([run, run[:1]])
    length = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))]
    bounds = np.r_[length[corners] if len(corners) else 0.0, length[-1]]
    places = []
    for low, high in zip(bounds[:-1], bounds[1:], strict=True):
        count = max(LEAST, round(elements * (high - low) / length[-1]))
        even = np.linspace(0.0, 1.0, count, endpoint=False)
        graded = even - GRADED * np.sin(2.0 * np.pi * even) / (2.0 * np.pi) if len(corners) else even
        places.append(low + (high - low) * graded)
    at = np.concatenate(places)
    points = np.stack([np.interp(at, length, closed[:, k]) for k in (0, 1)], axis=1)
    return points, np.roll(points, -1, axis=0)


def _moments(a: Array, b: Array) -> tuple[Array, tuple[float, float, float]]:
    """Centroid and second moments (of x², xy, y²) about it within straight pieces."""
    swirl = cross(a, b)
    area = float(swirl.sum()) / 2.0
    middle = (swirl[:, None] * (a + b)).sum(axis=0) / (6.0 * area)
    a, b = a - middle, b - middle
    swirl = cross(a, b)
    xx, yy = ((swirl[:, None] * (a * a + a * b + b * b)).sum(axis=0) / 12.0).tolist()
    (ax, ay), (bx, by) = a.T, b.T
    xy = float((swirl * (ax * by + 2.0 * ax * ay + 2.0 * bx * by + bx * ay)).sum()) / 24.0
    return middle, (xx, xy, yy)


def _influence(e: _Elements) -> tuple[Array, Array]:
    """(n, n) integrals over each element of ln r and of its derivative by the normal, seen from the middle of each."""
    middle, length, normal = e.middle, e.length, e.normal
    along = np.stack([-normal[:, 1], normal[:, 0]], axis=1)
    off = middle[:, None] - e.start[None]
    s, d = np.einsum("ijk,jk->ij", off, along), np.einsum("ijk,jk->ij", off, normal)
    t = length - s
    ahead = np.log(np.maximum(np.hypot(t, d), 1e-300))
    back = np.log(np.maximum(np.hypot(s, d), 1e-300))
    np.fill_diagonal(d, 0.0)
    seen = np.arctan2(t, np.abs(d)) + np.arctan2(s, np.abs(d))
    value = t * ahead + s * back - length + np.abs(d) * seen
    slope = -np.sign(d) * seen
    return value, slope


def _stress(e: _Elements, holes: Sequence[float]) -> tuple[Array, Array]:
    """(n,) slope of the stress function out of each element, and its value round each hole; `holes`: their areas, negative. It is nought
    on the outer run; ∇² of it is -2, and round each hole the slope adds up to twice the hole's area."""
    value, slope = _influence(e)
    half = slope - np.pi * np.eye(len(value))
    y, ny = e.middle[:, 1], e.normal[:, 1]
    # What is sought is -y² and a harmonic function, whose value on the runs is y² and what the holes are held at.
    count = len(holes)
    matrix = np.zeros((len(y) + count, len(y) + count))
    right = np.zeros(len(matrix))
    matrix[: len(y), : len(y)] = value
    right[: len(y)] = half @ _squares(e)
    for k in range(count):
        own = (e.loop == k + 1).astype(float)
        matrix[: len(y), len(y) + k] = -half @ own
        matrix[len(y) + k, : len(y)] = own * e.length
        # out of the material is into the hole
        right[len(y) + k] = -2.0 * holes[k] + float((own * e.length * 2.0 * y * ny).sum())
    found = np.linalg.solve(matrix, right)
    return np.asarray(found[: len(y)] - 2.0 * y * ny), np.asarray(found[len(y) :])


def _squares(e: _Elements) -> Array:
    """(n,) mean of y² on each element."""
    a, b = e.start[:, 1], e.end[:, 1]
    return np.asarray((a * a + a * b + b * b) / 3.0)


def _torsion(e: _Elements, flux: Array, held: Array, axis: int, second: float) -> float:
    """2 ∫ φ dA and what the holes add, from Green's second identity with half the square of x or y (`axis` 0 or 1), whose ∇² is 1.
    `second`: ∫ of that square."""
    along = e.normal[:, axis] * e.middle[:, axis]
    a, b = e.start[:, axis], e.end[:, axis]
    squares = (a * a + a * b + b * b) / 3.0
    level = np.r_[0.0, held][e.loop]
    around = float(((level * along - squares / 2.0 * flux) * e.length).sum())
    swirl = np.bincount(e.loop, weights=cross(e.start, e.end)) / 2.0
    return 2.0 * (around - second) + 2.0 * float(held @ np.abs(swirl[1:]))


def _shear_centre(e: _Elements, flux: Array, across: float, least: float) -> Array:
    """(2,) in principal axes about the centroid; `across`, `least`: ∫ x² dA and ∫ y² dA."""
    warp = _warping(e, flux)
    (x, y), (nx, ny) = e.middle.T, e.normal.T
    q = y * nx - x * ny
    forms = (x**2 / 2.0 * nx * warp - x**3 / 6.0 * q, y**2 / 2.0 * ny * warp - y**3 / 6.0 * q)
    of_x, of_y = (float((f * e.length).sum()) for f in forms)
    return np.array([-of_y / least, of_x / across])


def _warping(e: _Elements, flux: Array) -> Array:
    """(n,) the warping function at the middles, from its slope along the runs; between the runs from Green's second identity with the
    logarithm about a place in each hole."""
    along = np.stack([-e.normal[:, 1], e.normal[:, 0]], axis=1)
    (x, y), (tx, ty) = e.middle.T, along.T
    step = (y * tx - x * ty - flux) * e.length
    warp = np.zeros(len(x))
    for k in np.unique(e.loop):
        own = e.loop == k
        run = np.cumsum(step[own]) - step[own] / 2.0
        warp[own] = run
    q = y * e.normal[:, 0] - x * e.normal[:, 1]
    for k in range(1, int(e.loop.max()) + 1):
        own = e.loop == k
        place = e.middle[own].mean(axis=0)
        off = e.middle - place
        r2 = np.sum(off * off, axis=1)
        by_normal = np.sum(off * e.normal, axis=1) / r2 * e.length
        left = float((warp * by_normal - np.log(r2) / 2.0 * q * e.length).sum())
        warp[own] -= left / float(by_normal[own].sum())
    return warp
