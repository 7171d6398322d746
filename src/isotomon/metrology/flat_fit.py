"""A section as it was made: its designed outline moved, turned, sized and sheared onto points that were measured of it, and what is left beside
that. In its plane; arrays in, figures out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask

ROUNDS = 12
TUKEY = 4.685
FREE = 0.05
"""By so much, in shares and rad, sizes and turn may be other than designed before they are held back by more than the points' own spread."""
BINS = 120
"""Stretches of the outline in which what is left is told."""
MOST_BRIDGED = 12
"""Stretches without a point over which what is left is bridged; over more it counts as nought."""
LEAST_POINTS = 12
"""Of a section of which anything is told."""


@dataclass(frozen=True, eq=False)
class FlatFit:
    """`map` (2, 3): from the designed outline to the one as made. `left` (m,) mm outward at each place of the outline beside that; `spread`: of
    the points about it, mm; `covered`: the share of the outline along which there are points; `doubt`: the standard
    errors of the share by which the chord is longer, and of its angle (rad)."""

    map: Array
    left: Array
    spread: float
    covered: float
    doubt: tuple[float, float]
    seen: Mask
    """(m,) of the places: whether there are points beside them."""

    def made(self, outline: Array, normals: Array) -> Array:
        """(m, 2) the outline as made, of the designed one and its outward normals."""
        linear = self.map[:, :2]
        turned = normals @ np.linalg.inv(linear)
        turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-300)
        return np.asarray(outline @ linear.T + self.map[:, 2] + self.left[:, None] * turned)


def flat_fit(outline: Array, normals: Array, chord_way: Array, points: Array) -> FlatFit | None:
    """A designed outline (m, 2) mm, closely and in order, its outward normals (m, 2) and the way of its chord (2,), fitted to points (n, 2) of it as
    it was made; None for too few."""
    if len(points) < LEAST_POINTS:
        return None
    middle = outline.mean(axis=0)
    axes = np.stack([chord_way, [-chord_way[1], chord_way[0]]])
    size = float(np.ptp(outline, axis=0).max())
    whole = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
    cover = np.zeros((6, 6))
    for _ in range(ROUNDS):
        _, off, here, facing = _beside(outline, normals, whole, points)
        spread = max(1.4826 * float(np.median(np.abs(off - np.median(off)))), 1e-9 * size)
        x, y = ((here - middle) @ axes.T).T
        nx, ny = (facing @ axes.T).T
        columns = np.stack([nx, ny, ny * x - nx * y, nx * x, ny * y, nx * y + ny * x], axis=1)
        share = off / (TUKEY * max(spread, 1.4826 * float(np.median(np.abs(off)))))
        weight = np.where(np.abs(share) < 1.0, 1.0 - share * share, 0.0) ** 2
        held = np.diag([0.0, 0.0, *[(spread / FREE) ** 2] * 4])
        normal = columns.T @ (weight[:, None] * columns) + held + 1e-12 * np.eye(6)
        cover = np.linalg.inv(normal)
        step = cover @ (columns.T @ (weight * off))
        whole = _moved(whole, step, axes, middle)
        if np.abs(step * np.array([1.0, 1.0, size, size, size, size])).max() < 1e-7 * size:
            break
    near, off, _, _ = _beside(outline, normals, whole, points)
    left, seen, covered = _left(outline, near, off)
    spread = 1.4826 * float(np.median(np.abs(off - left[near])))
    errors = cover[3, 3], cover[2, 2] + cover[5, 5] + 2.0 * cover[2, 5]  # turn and shear turn the chord alike
    doubt = (spread * float(np.sqrt(errors[0])), spread * float(np.sqrt(errors[1])))
    return FlatFit(whole, left, spread, covered, doubt, seen)


def _beside(outline: Array, normals: Array, whole: Array, points: Array) -> tuple[Index, Array, Array, Array]:
    """Of each point the nearest place of the outline as it is mapped, how far outward of it, and that place and its normal."""
    linear = whole[:, :2]
    mapped = outline @ linear.T + whole[:, 2]
    turned = normals @ np.linalg.inv(linear)
    turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-300)
    near = np.asarray(cKDTree(mapped).query(points)[1])
    off = np.einsum("nk,nk->n", points - mapped[near], turned[near])
    return near, off, mapped[near], turned[near]


def _moved(whole: Array, step: Array, axes: Array, middle: Array) -> Array:
    """A map with one more step of it: shifts, turn, two sizes and shear in the axes of the chord."""
    tx, ty, turn, sx, sy, shear = step
    own = np.array([[1.0 + sx, shear - turn], [shear + turn, 1.0 + sy]])
    linear = axes.T @ own @ axes
    shift = axes.T @ np.array([tx, ty])
    found = np.empty((2, 3))
    found[:, :2] = linear @ whole[:, :2]
    found[:, 2] = linear @ (whole[:, 2] - middle) + middle + shift
    return found


def _left(outline: Array, near: Index, off: Array) -> tuple[Array, Mask, float]:
    """(m,) mm that are left beside the mapped outline, by the middle of what is in each stretch of it; where there are points; and the share of
    stretches that have some."""
    ahead = np.linalg.norm(np.roll(outline, -1, axis=0) - outline, axis=1)
    run = np.r_[0.0, np.cumsum(ahead)]
    place = (run[:-1] / run[-1] * BINS).astype(int).clip(0, BINS - 1)
    order = np.argsort(place[near], kind="stable")
    bins, values = place[near][order], off[order]
    there, start = np.unique(bins, return_index=True)
    middles = np.array([float(np.median(part)) for part in np.split(values, start[1:])])
    gaps = np.diff(np.r_[there, there[0] + BINS])
    every = np.interp(np.arange(BINS), there, middles, period=BINS)
    seen = np.zeros(BINS, dtype=bool)
    for at, gap in zip(there.tolist(), gaps.tolist(), strict=True):  # stretches, not points
        if gap <= MOST_BRIDGED:
            seen[np.arange(at, at + gap + 1) % BINS] = True
    bell = np.exp(-0.5 * np.arange(-3, 4) ** 2)
    smooth = sum(
        w * np.roll(np.where(seen, every, 0.0), k) for k, w in zip(range(-3, 4), bell / bell.sum(), strict=True)
    )
    centre = (np.arange(BINS) + 0.5) / BINS
    fine = np.interp(run[:-1] / run[-1], centre, smooth, period=1.0)
    return fine, seen[place], float(seen.mean())
