"""Where rays first meet the triangles of a body, many rays at once; and how thick its walls are along its normals."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array, Index, Mask
from isotomon.geometry.planar import cross3
from isotomon.measure.curved_mesh import CurvedMesh
from isotomon.pace import checkpoint

LEAF = 8
"""Triangles in each box at the bottom of the tree."""
AT_A_TIME, THREADS = 4096, 2
"""Rays that go down the tree together, and how many such groups do at a time."""
GRAIN = 1 << 10
"""Boxes are put side by side by a curve through so many cells each way."""
EDGE = 1e-9
"""By so much, in shares of a triangle, a ray that passes beside its edge still counts as through it."""


@dataclass(frozen=True, eq=False)
class BoxTree:
    """Triangles `corners` (m, 3, 3) in boxes within boxes: `low`, `high` of each level, (3, 1), (3, 2), (3, 4)…; `order` (leaves, LEAF)
    of the triangles, -1 where there is none."""

    corners: Array
    low: tuple[Array, ...]
    high: tuple[Array, ...]
    order: Index


def box_tree(corners: Array) -> BoxTree:
    """Of triangles (m, 3, 3).

    Source: Morton, A computer oriented geodetic data base (1966), for the order; boxes are halved along it.
    """
    middle = corners.mean(axis=1)
    low = middle.min(axis=0)
    cell = ((middle - low) / max(float(np.ptp(middle, axis=0).max()), 1e-300) * (GRAIN - 1)).astype(np.int64)
    code = sum(_spread(cell[:, k]) << k for k in range(3))
    leaves = 1 << int(np.ceil(np.log2(max(len(corners) / LEAF, 1.0))))
    flat = np.full(leaves * LEAF, -1)
    # Evenly over the leaves, so that no box is made of far things only because the last leaf is not full.
    flat[(np.arange(len(corners)) * leaves * LEAF) // len(corners)] = np.argsort(code, kind="stable")
    order = flat.reshape(leaves, LEAF)
    there = order[..., None] >= 0
    lows = [np.where(there, corners.min(axis=1)[order], np.inf).min(axis=1)]
    highs = [np.where(there, corners.max(axis=1)[order], -np.inf).max(axis=1)]
    while len(lows[0]) > 1:
        lows.insert(0, lows[0].reshape(-1, 2, 3).min(axis=1))
        highs.insert(0, highs[0].reshape(-1, 2, 3).max(axis=1))
    low, high = (tuple(level.T.copy() for level in levels) for levels in (lows, highs))
    return BoxTree(corners, low, high, order)


def _spread(a: Index) -> Index:
    """Whole numbers below 1024 with two noughts after every binary digit."""
    for shift, mask in ((16, 0x030000FF), (8, 0x0300F00F), (4, 0x030C30C3), (2, 0x09249249)):
        a = (a | (a << shift)) & mask
    return a


def first_hits(tree: BoxTree, origin: Array, way: Array, reach: Array) -> tuple[Array, Index, Array]:
    """(n,) how far along rays (n, 3) from an origin the first triangle is met, infinite beyond `reach` (n,); which it is; and (n, 3) in
    what shares of its corners."""
    parts = list[tuple[Array, Index, Array]]()
    some = [slice(start, start + AT_A_TIME) for start in range(0, len(origin), AT_A_TIME)]
    with ThreadPoolExecutor(THREADS) as threads:
        for part in threads.map(lambda own: _descend(tree, origin[own], way[own], reach[own]), some):
            checkpoint(len(parts) / len(some))
            parts.append(part)
    far, number, share = (np.concatenate([p[k] for p in parts]) for k in range(3))
    return far, number, share


def _descend(tree: BoxTree, origin: Array, way: Array, reach: Array) -> tuple[Array, Index, Array]:
    with np.errstate(divide="ignore"):
        inverse = (1.0 / np.where(way == 0.0, 1e-300, way)).T.copy()
    begin = origin.T.copy()
    ray, box = np.arange(len(origin)), np.zeros(len(origin), dtype=np.int64)
    for level, (low, high) in enumerate(zip(tree.low, tree.high, strict=True)):
        if level:
            ray, box = np.repeat(ray, 2), (2 * box[:, None] + np.arange(2)).ravel()
        enter, leave = np.zeros(len(ray)), reach[ray]
        for k in range(3):  # an axis after another, which is how so many are reckoned with fastest
            start, rate = begin[k, ray], inverse[k, ray]
            lower, upper = (low[k, box] - start) * rate, (high[k, box] - start) * rate
            enter, leave = np.maximum(enter, np.minimum(lower, upper)), np.minimum(leave, np.maximum(lower, upper))
        kept = enter <= leave
        ray, box = ray[kept], box[kept]
    number: Index = tree.order[box].ravel()
    ray = np.repeat(ray, LEAF)[number >= 0]
    number = number[number >= 0]
    far, share, hit = meet(tree.corners[number], origin[ray], way[ray])
    hit &= far <= reach[ray]
    ray, number, far, share = ray[hit], number[hit], far[hit], share[hit]
    order = np.lexsort((far, ray))
    first = order[np.r_[True, np.diff(ray[order]) > 0]] if len(order) else order
    nearest, which, where = np.full(len(origin), np.inf), np.zeros(len(origin), np.int64), np.zeros((len(origin), 3))
    nearest[ray[first]], which[ray[first]], where[ray[first]] = far[first], number[first], share[first]
    return nearest, which, where


def meet(corners: Array, origin: Array, way: Array) -> tuple[Array, Array, Mask]:
    """(n,) how far along each ray (an origin for all, or (n, 3)) its triangle's plane is, (n, 3) shares of the corners there, and whether that is within it.

    Source: Möller, Trumbore, "Fast, minimum storage ray/triangle intersection", J. Graphics Tools 2 (1997).
    """
    a, ab, ac = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    square = cross3(way, ac)
    size = np.einsum("nk,nk->n", ab, square)
    off = origin - a
    turned = cross3(off, ab)
    with np.errstate(divide="ignore", invalid="ignore"):
        u = np.einsum("nk,nk->n", off, square) / size
        v = np.einsum("nk,nk->n", way, turned) / size
        far = np.einsum("nk,nk->n", ac, turned) / size
        hit = (u >= -EDGE) & (v >= -EDGE) & (u + v <= 1.0 + EDGE) & (far > 0.0)
        share = np.stack([1.0 - u - v, u, v], axis=1)
    return far, share, hit


@dataclass(frozen=True, eq=False)
class Walls:
    """How thick a body is below the middles of its triangles: `place` (m, 3) mm, `normal` (m, 3), `thick` (m,) mm along the normal to the
    other side, NaN where that is no wall: it runs along the body's own ends, or the other side leans."""

    place: Array
    normal: Array
    thick: Array
    triangle: Index
    """(m,) below which of the body's triangles."""

    def extreme(self, sign: float) -> tuple[float, Array]:
        """The least (1) or greatest (-1) thickness, mm, and (3,) where; NaN where there is no wall."""
        if np.isnan(self.thick).all():
            return float("nan"), np.full(3, np.nan)
        k = int(np.nanargmin(sign * self.thick))
        return float(self.thick[k]), self.place[k]


FACING = 0.7
"""The cosine by which the other side of a wall at least faces this one, and a triangle its corners' normals."""
START = 1e-7
"""Of the body's size: so far within the skin rays begin."""


def walls(mesh: CurvedMesh, ends: Mask, floors: Mask) -> Walls:
    """Of all triangles but those of the flat `ends` (m,), which are the other side of `floors` (m,) alone: beside a rim a wall that leans
    comes out at it. Triangles bulge: places and the other side lie on them as they do."""
    corners, bulge, normals = mesh.corners, mesh.bulge, mesh.corner_normals
    # At a tip, or in a corner of rounds, normals say nothing of the triangle.
    flat = _unit(cross3(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    chosen = np.flatnonzero(~ends & (np.einsum("nkd,nd->nk", normals, flat).min(axis=1) > FACING))
    if not len(chosen):
        return Walls(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.int64))
    place = corners[chosen].mean(axis=1) + 4.0 / 9.0 * bulge[chosen].sum(axis=1)
    normal = normals[chosen].sum(axis=1)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    size = float(np.ptp(mesh.points, axis=0).max())
    tree, origin = box_tree(corners), corners[chosen].mean(axis=1) - START * size * normal
    # First as far as walls go at most as a rule; the rest all through the body, which takes far longer.
    reach = np.full(len(chosen), size / 16.0)
    far, number, share = first_hits(tree, origin, -normal, reach)
    left = np.flatnonzero(np.isinf(far))
    if len(left):
        found = first_hits(tree, origin[left], -normal[left], np.full(len(left), 2.0 * size))
        far[left], number[left], share[left] = found
    met = np.isfinite(far)
    far, number, share = far[met], number[met], share[met]
    origin, place, normal = origin[met], place[met], normal[met]
    other = _unit(np.einsum("nk,nkd->nd", share, normals[number]))
    pairs = 4.0 * share * np.roll(share, -1, axis=1)
    raised = np.einsum("nk,nkd->nd", pairs, bulge[number])
    opposite = origin - far[:, None] * normal
    facing = -np.einsum("nk,nk->n", other, normal)
    with np.errstate(divide="ignore", invalid="ignore"):
        more = np.einsum("nk,nk->n", place - opposite - raised, other) / -facing
        across = (facing > FACING) & (~ends[number] | floors[chosen[met]])
        thick = np.where(across, more, np.nan)
    return Walls(place, normal, np.asarray(thick), chosen[met])


def _unit(a: Array) -> Array:
    return np.asarray(a / np.maximum(np.linalg.norm(a, axis=-1, keepdims=True), 1e-300))
