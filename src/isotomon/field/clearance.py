"""Whether a body that goes round meets itself: neighbouring turns of a helix, a path that comes back on itself."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.field.section_field import SectionField, Sections

NEAR = 0.15
"""Sections that come nearer to each other than this share of their reach may meet between the places tried."""
MOST_SEARCHED, FINE_ROUND = 12, 360
"""From so many of the nearest pairs the deepest place is sought, against sections of so many sides."""
ROUND, MOST_PAIRS = 48, 6_000
"""Places round each section that is tried against the others; and pairs of sections tried."""


@dataclass(frozen=True)
class SelfMeeting:
    """Where a body meets itself: positions along it (mm), the place, and the largest share of its size at which it would not."""

    position: float
    other: float
    place: tuple[float, float, float]
    fits: float


def meets_itself(field: SectionField, places: int) -> SelfMeeting | None:
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
    step = float(np.linalg.norm(np.diff(centre, axis=0), axis=1).max())
    pairs = cKDTree(centre).query_pairs(math.hypot(2.0 * wide * (1.0 + NEAR), step), output_type="ndarray")
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
    at = np.column_stack(np.unravel_index(np.argsort(depth, axis=None)[::-1][: 4 * MOST_SEARCHED], depth.shape))
    if depth.max() <= -NEAR * wide:
        return None
    # The deepest place lies between those tried: it is sought from the nearest pairs of sections.
    _, kept = np.unique(at[:, 0], return_index=True)
    at = at[np.sort(kept)][:MOST_SEARCHED]
    begin = np.stack([v[some[at[:, 0], 0]], share[at[:, 1]], v[some[at[:, 0], 1]]], axis=1)
    deep, position, other, place = _deepest(field, begin, step, 1.0 / ROUND)
    if deep <= 1e-6 * wide:
        return None
    pair = int(at[0, 0])
    k, m = some[pair].tolist()
    near = some[(np.abs(some[:, 0] - k) <= 6) & (np.abs(some[:, 1] - m) <= 12)]
    low, high = 0.0, 1.0
    for _ in range(10):
        middle_size = (low + high) / 2.0
        clear = _depths(sections, way, rows, near, step, middle_size).max() <= 1e-9 * wide
        low, high = (middle_size, high) if clear else (low, middle_size)
    x, y, z = place.tolist()
    return SelfMeeting(position, other, (x, y, z), min(low, 1.0 - deep / (2.0 * wide)))


def _deepest(field: SectionField, begin: Array, step: float, round_: float) -> tuple[float, float, float, Array]:
    """How deep (mm) the skin lies within another part of the body at most, the two positions (mm), and (3,) the place. `begin`
    (k, 3): v, u and the other part's v to seek from; within `step` of v and `round_` of u, more closely at each turn."""
    offsets = np.linspace(-1.0, 1.0, 7)
    fine = np.linspace(0.0, 1.0, FINE_ROUND, endpoint=False)
    rows = field.common.rows(fine)
    best: tuple[float, float, float, Array] = (-np.inf, 0.0, 0.0, np.zeros(3))
    for _ in range(4):
        one, u = (begin[:, :1] + step * offsets)[:, :, None], (begin[:, 1:2] + round_ * offsets)[:, None, :]
        one, u = (np.broadcast_to(a, (len(begin), 7, 7)).reshape(len(begin), -1) for a in (one, u))
        one = np.clip(one, field.first, field.last)
        points = np.einsum("pn,pnk->pk", field.common.rows(np.mod(u.ravel(), 1.0)), field.sections(one.ravel()).control)
        other = np.repeat(begin[:, 2], one.shape[1])
        for _ in range(3):  # the plane of the other part that the place lies in
            there = field.sections(other)
            away = points - there.origin
            rate = np.einsum("pk,pk->p", field.carrier.frames(field.positions(other)).origin1, there.normal)
            move = np.einsum("pk,pk->p", away, there.normal) / np.where(np.abs(rate) > 1e-9, rate, np.inf)
            other = np.clip(other + np.clip(move, -2.0 * step, 2.0 * step), field.first, field.last)
        there = field.sections(other)
        away = points - there.origin
        flat = np.stack([np.einsum("pk,pk->p", away, axis) for axis in (there.across, there.up)], axis=1)
        off = np.abs(np.einsum("pk,pk->p", away, there.normal)) > 1e-3 * step
        found = np.concatenate(
            [_depth(flat[part, None], rows @ there.local[part])[:, 0] for part in _chunks(len(flat))]
        )
        depth = np.where(off, -np.inf, found).reshape(len(begin), -1)
        k = depth.argmax(axis=1)
        lines = np.arange(len(begin))
        begin = np.stack([one[lines, k], u[lines, k], other.reshape(depth.shape)[lines, k]], axis=1)
        row = int(depth.max(axis=1).argmax())
        if depth[row, k[row]] > best[0]:
            place = points.reshape(len(begin), -1, 3)[row, k[row]]
            best = float(depth[row, k[row]]), float(begin[row, 0]), float(begin[row, 2]), place
        step, round_ = step / 3.0, round_ / 3.0
    return best


def _chunks(count: int) -> list[slice]:
    return [slice(start, start + 256) for start in range(0, count, 256)]


def _depths(sections: Sections, way: Array, rows: Array, pairs: Index, step: float, size: float) -> Array:
    """(p, u) mm: how deep the places round the first sections of pairs lie within the second ones (less than nought: outside), both of them `size` times as
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
    return np.where(np.abs(high) <= 0.75 * step, _depth(flat, local[other]), -np.inf)


def _depth(points: Array, rings: Array) -> Array:
    """(p, u) mm: how deep points (p, u, 2) lie within polygons (p, n, 2); less than nought, how far outside."""
    a, b = rings, np.roll(rings, -1, axis=1)
    px, py = points[..., 0][:, :, None], points[..., 1][:, :, None]
    ax, ay, bx, by = (c[:, None] for c in (a[..., 0], a[..., 1], b[..., 0], b[..., 1]))
    crossing = ((ay > py) != (by > py)) & (px < (bx - ax) * (py - ay) / np.where(by == ay, 1e-300, by - ay) + ax)
    inside = crossing.sum(axis=2) % 2 == 1
    long = (bx - ax) ** 2 + (by - ay) ** 2
    t = np.clip(((px - ax) * (bx - ax) + (py - ay) * (by - ay)) / np.maximum(long, 1e-300), 0.0, 1.0)
    far = np.hypot(px - ax - t * (bx - ax), py - ay - t * (by - ay)).min(axis=2)
    return np.where(inside, far, -far)
