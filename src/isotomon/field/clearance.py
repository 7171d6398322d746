"""Whether a body that goes round meets itself: neighbouring turns of a helix, a path that comes back on itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from isotomon.field.section_field import SectionField, Sections

Array = NDArray[np.float64]
ROUND, MOST_PAIRS = 48, 6_000
"""Places round each section that is tried against the others; and pairs of sections tried."""


@dataclass(frozen=True)
class Meeting:
    """Where a body meets itself: positions along it (mm), the place, and the largest share of its size at which it would not."""

    position: float
    other: float
    place: tuple[float, float, float]
    fits: float


def meets_itself(field: SectionField, places: int) -> Meeting | None:
    """The deepest place at which one part of a body that is carried round lies inside another, or None. Sections at `places`
    along it are tried against those they do not neighbour.
    """
    v = np.linspace(field.first, field.last, places + 1)[: -1 if field.ring else None]
    sections = field.sections(v)
    share = np.linspace(0.0, 1.0, ROUND, endpoint=False)
    rows = field.common.rows(share)
    local, space = rows @ sections.local, rows @ sections.control
    middle = local.mean(axis=1, keepdims=True)
    reach = np.linalg.norm(local - middle, axis=2).max(axis=1)
    centre = space.mean(axis=1)
    wide = float(reach.max())
    # Sections near each other in space but not along the body; what lies within a section's own reach is its neighbour.
    pairs = cKDTree(centre).query_pairs(2.0 * wide, output_type="ndarray")
    along = np.abs(v[pairs[:, 0]] - v[pairs[:, 1]])
    if field.ring:
        along = np.minimum(along, (field.last - field.first) - along)
    straight = np.linalg.norm(centre[pairs[:, 0]] - centre[pairs[:, 1]], axis=1)
    pairs = pairs[along > np.maximum(2.5 * wide, 1.5 * straight)]
    if not len(pairs):
        return None
    pairs = np.vstack([pairs, pairs[:, ::-1]])
    step = float(v[1] - v[0])
    way = field.carrier.frames(field.positions(v)).origin1
    some = pairs[:: max(1, len(pairs) // MOST_PAIRS)]
    depth = _depths(sections, way, rows, some, step, 1.0)
    if depth.max() <= 1e-9 * wide:
        return None
    pair, point = np.unravel_index(int(depth.argmax()), depth.shape)
    k, m = some[pair].tolist()
    near = some[(np.abs(some[:, 0] - k) <= 6) & (np.abs(some[:, 1] - m) <= 12)]
    low, high = 0.0, 1.0
    for _ in range(10):
        middle_size = (low + high) / 2.0
        clear = _depths(sections, way, rows, near, step, middle_size).max() <= 1e-9 * wide
        low, high = (middle_size, high) if clear else (low, middle_size)
    x, y, z = space[k, point].tolist()
    return Meeting(float(v[k]), float(v[m]), (x, y, z), low)


def _depths(sections: Sections, way: Array, rows: Array, pairs: NDArray[np.intp], step: float, size: float) -> Array:
    """(p, u) mm: how deep the places round the first sections of pairs lie within the second ones, both of them `size` times as
    large about their planes' origins, which move along `way` (n_v, 3)."""
    one, other = pairs.T
    local = rows @ sections.local * size
    axes = np.stack([sections.across, sections.up], axis=1)
    space = sections.origin[:, None] + local @ axes
    away = space[one] - sections.origin[other][:, None]
    high = np.einsum("puk,pk->pu", away, sections.normal[other])
    flat = np.matmul(away, axes[other].transpose(0, 2, 1))
    # A place ahead of the section is brought back to it the way the section has come: along a helix that is up, too.
    rise = np.einsum("pk,pk->p", way, sections.normal)
    drift = np.einsum("pk,pak->pa", way, axes) / np.where(np.abs(rise) > 1e-9, rise, 1e-9)[:, None]
    flat = flat - high[..., None] * drift[other][:, None]
    # Only what lies between this section and the next belongs to it.
    return np.where(np.abs(high) <= 0.75 * step, _depth(flat, local[other]), 0.0)


def _depth(points: Array, rings: Array) -> Array:
    """(p, u) mm: how deep points (p, u, 2) lie within polygons (p, n, 2), nought for those outside."""
    a, b = rings, np.roll(rings, -1, axis=1)
    px, py = points[..., 0][:, :, None], points[..., 1][:, :, None]
    ax, ay, bx, by = (c[:, None] for c in (a[..., 0], a[..., 1], b[..., 0], b[..., 1]))
    crossing = ((ay > py) != (by > py)) & (px < (bx - ax) * (py - ay) / np.where(by == ay, 1e-300, by - ay) + ax)
    inside = crossing.sum(axis=2) % 2 == 1
    long = (bx - ax) ** 2 + (by - ay) ** 2
    t = np.clip(((px - ax) * (bx - ax) + (py - ay) * (by - ay)) / np.maximum(long, 1e-300), 0.0, 1.0)
    far = np.hypot(px - ax - t * (bx - ax), py - ay - t * (by - ay)).min(axis=2)
    return np.where(inside, far, 0.0)
