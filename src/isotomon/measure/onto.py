"""Where a surface that is known by triangles and its normals at their corners comes nearest to points, millions of them, and how far off
they lie: outward positive."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask, unique_rows
from isotomon.geometry.nearby import far_off, nearest
from isotomon.geometry.planar import cross3
from isotomon.pace import checkpoint

SPOTS = 120_000
"""Places spread over a surface from which the search begins; about so many."""
FIRST = 3
"""Of these, the nearest to a point whose triangles are tried first."""
WALKS = 12
"""Steps from a triangle to a neighbour that is nearer, at most."""
AT_A_TIME = 200_000
MOST_PARTS = 32
"""In so many each way a long triangle is parted at most, to spread places over it."""
BELIEVED = 0.5
"""Cosine of the angle to its triangle of a normal that is believed to be the surface's there: not that of a point."""
ONE = 1e-7
"""Of the size of the whole: corners so near to each other are one."""


@dataclass(frozen=True, eq=False)
class Surface:
    """`corners` (m, 3, 3) mm of its triangles, and outward normals there (m, 3, 3), of length 1. `beside` (m, 3): the triangle across each
    side, from each corner to the next, -1 at a rim. `kept` (m,): which of the triangles it was made of each is. `spots` over it, `owner`: the
    triangle on which each is."""

    corners: Array
    normals: Array
    beside: Index
    kept: Index
    spots: cKDTree
    owner: Index

    def with_corners(self, corners: Array, normals: Array) -> Surface:
        """The same triangles, a little elsewhere."""
        spots, owner = _spread(corners)
        return replace(self, corners=corners, normals=normals, spots=cKDTree(spots), owner=owner)

    @cached_property
    def areas(self) -> Array:
        """(m,) mm² of its triangles."""
        return np.asarray(np.linalg.norm(_square(self.corners), axis=1) / 2.0)

    @property
    def area(self) -> float:
        """mm² of its triangles in all."""
        return float(self.areas.sum())


@dataclass(frozen=True, eq=False)
class Onto:
    """Of points (n, 3): the `triangle` nearest to each, shares of its corners (n, 3), the `foot` on the surface itself and its outward `normal`
    there, (n, 3); `off` (n,) mm outward; `aside` (n,) mm square to the normal: how far beyond its edge or rim a point lies; `at_rim`:
    the foot is on a rim."""

    triangle: Index
    share: Array
    foot: Array
    normal: Array
    off: Array
    aside: Array
    at_rim: Mask

    def at(self, rows: Index | Mask) -> Onto:
        """Of some of the points alone."""
        return Onto(*(values[rows] for values in vars(self).values()))


def surface(vertices: Array, triangles: Index, normals: Array) -> Surface:
    """Of vertices (n, 3), outward triangles (m, 3), and outward normals at the vertices (n, 3), nought where there is none. Vertices that lie
    together count as one for what is beside what."""
    corners = vertices[triangles]
    square = _square(corners)
    size = np.linalg.norm(square, axis=1)
    whole = size > 1e-14 * float(np.ptp(vertices, axis=0).max()) ** 2
    corners, square, index = corners[whole], square[whole] / size[whole, None], triangles[whole]
    own = normals[index]
    facing = np.einsum("mkc,mc->mk", own, square)
    own = np.where((facing > BELIEVED)[..., None], own, square[:, None])
    grain = ONE * float(np.ptp(vertices, axis=0).max())
    one = unique_rows(np.round(vertices / grain).astype(np.int64))[1][index]
    spots, owner = _spread(corners)
    return Surface(corners, own, _beside(one), np.flatnonzero(whole), cKDTree(spots), owner)


def _square(corners: Array) -> Array:
    return cross3(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])


def _beside(index: Index) -> Index:
    """(m, 3) across each side of triangles (m, 3), by sides that run the other way; -1 where there is none."""
    here, there = index.ravel(), np.roll(index, -1, axis=1).ravel()
    count = np.int64(index.max() + 1)
    key, back = here * count + there, there * count + here
    order = np.argsort(key, kind="stable")
    found = np.minimum(np.searchsorted(key, back, sorter=order), len(key) - 1)
    match = order[found]
    return np.where(key[match] == back, match // 3, -1).reshape(-1, 3)


def _spread(corners: Array) -> tuple[Array, Index]:
    """Places evenly over triangles (m, 3, 3), one on each at least, and on which each is."""
    sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2).max(axis=1)
    step = np.sqrt(np.linalg.norm(_square(corners), axis=1).sum() / 2.0 / SPOTS)
    parts = np.exp2(np.ceil(np.log2(np.clip(sides / (2.0 * step), 1.0, MOST_PARTS)))).astype(int)
    places, owner = list[Array](), list[Index]()
    for count in np.unique(parts).tolist():
        rows = np.flatnonzero(parts == count)
        i, j = (a.ravel() for a in np.meshgrid(np.arange(count), np.arange(count)))
        share = np.concatenate(
            [
                np.stack([i, j], axis=1)[i + j < count] + 1.0 / 3.0,
                np.stack([i, j], axis=1)[i + j < count - 1] + 2.0 / 3.0,
            ]
        )
        share = np.column_stack([share, count - share.sum(axis=1)]) / count
        places.append(np.einsum("sk,mkc->msc", share, corners[rows]).reshape(-1, 3))
        owner.append(np.repeat(rows, len(share)))
    return np.concatenate(places), np.concatenate(owner)


def onto(what: Surface, points: Array) -> Onto:
    """Points (n, 3) brought onto a surface; right to the third order of the size of its triangles. Tells how far it has come."""
    parts = list[Onto]()
    for start in range(0, max(len(points), 1), AT_A_TIME):
        checkpoint(start / max(len(points), 1))
        parts.append(_onto(what, points[start : start + AT_A_TIME]))
    return (
        parts[0]
        if len(parts) == 1
        else Onto(*(np.concatenate(rows) for rows in zip(*map(_values, parts), strict=True)))
    )


def _values(part: Onto) -> tuple[Array, ...]:
    return tuple(vars(part).values())


def _onto(what: Surface, points: Array) -> Onto:
    first = nearest(what.spots, points, FIRST)
    triangle = what.owner[first[:, 0]]
    share, far = on_triangles(points, what.corners[triangle])
    for k in range(1, FIRST):
        other = what.owner[first[:, k]]
        rows = np.flatnonzero(other != triangle)
        _nearer(what, points, rows, other[rows], (triangle, share, far))
    active = np.flatnonzero((share <= 0.0).any(axis=1))
    for _ in range(WALKS):
        if not len(active):
            break
        active = active[_walked(what, points, active, (triangle, share, far))]
    return _told(what, points, triangle, share)


def _walked(what: Surface, points: Array, rows: Index, best: tuple[Index, Array, Array]) -> Mask:
    """Go to the nearest of the triangles beside its own, for the points of some rows, where that is nearer; for which of these it was."""
    beside = what.beside[best[0][rows]]
    row, side = np.nonzero(beside >= 0)
    away = np.full(beside.shape, np.inf)
    away[row, side] = on_triangles(points[rows[row]], what.corners[beside[row, side]])[1]
    chosen = away.argmin(axis=1)
    nearer = away[np.arange(len(rows)), chosen] < best[2][rows]
    _nearer(what, points, rows[nearer], beside[nearer, chosen[nearer]], best)
    return np.asarray(nearer)


def _nearer(what: Surface, points: Array, rows: Index, other: Index, best: tuple[Index, Array, Array]) -> None:
    """Take other triangles for the points of some rows, where these are nearer."""
    triangle, share, far = best
    own, away = on_triangles(points[rows], what.corners[other])
    less = away < far[rows]
    won = rows[less]
    triangle[won], share[won], far[won] = other[less], own[less], away[less]


def on_triangles(points: Array, corners: Array) -> tuple[Array, Array]:
    """Shares (n, 3) of the corners of a triangle each (n, 3, 3) at its place nearest to a point each (n, 3), and its squared distance.

    Source: Ericson, Real-Time Collision Detection (2005), section 5.1.5, with all three sides tried.
    """
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ab, ac, ap = b - a, c - a, points - a
    d00, d01, d11, d20, d21 = (
        np.einsum("nk,nk->n", x, y) for x, y in ((ab, ab), (ab, ac), (ac, ac), (ap, ab), (ap, ac))
    )
    whole = np.maximum(d00 * d11 - d01 * d01, 1e-300)
    v, w = (d11 * d20 - d01 * d21) / whole, (d00 * d21 - d01 * d20) / whole
    share = np.stack([1.0 - v - w, v, w], axis=1)
    out = np.flatnonzero((share < 0.0).any(axis=1))
    if len(out):
        share[out] = _on_sides(points[out], corners[out])
    away = points - np.einsum("nk,nkc->nc", share, corners)
    return share, np.einsum("nk,nk->n", away, away)


def _on_sides(points: Array, corners: Array) -> Array:
    """Shares (n, 3) of the corners at the nearest places on the sides of triangles."""
    ahead = np.roll(corners, -1, axis=1) - corners
    to = points[:, None] - corners
    along = np.einsum("nkc,nkc->nk", to, ahead) / np.maximum(np.einsum("nkc,nkc->nk", ahead, ahead), 1e-300)
    along = np.clip(along, 0.0, 1.0)
    away = to - along[..., None] * ahead
    best = np.einsum("nkc,nkc->nk", away, away).argmin(axis=1)
    rows = np.arange(len(points))
    share = np.zeros((len(points), 3))
    share[rows, best] = 1.0 - along[rows, best]
    share[rows, (best + 1) % 3] += along[rows, best]
    return share


def _told(what: Surface, points: Array, triangle: Index, share: Array) -> Onto:
    corners, normals = what.corners[triangle], what.normals[triangle]
    flat = np.einsum("nk,nkc->nc", share, corners)
    normal = np.einsum("nk,nkc->nc", share, normals)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    # The surface bulges over its triangle as the quadratic does whose normals at the corners are these.
    bulge = -0.5 * np.einsum("nk,nkc,nkc->n", share, flat[:, None] - corners, normals)
    away = points - flat
    along = np.einsum("nk,nk->n", away, normal)
    aside = np.sqrt(np.maximum(np.einsum("nk,nk->n", away, away) - along * along, 0.0))
    beyond = aside > np.abs(along)
    off = np.where(beyond, np.copysign(np.hypot(along, aside), along), along - bulge)
    # Far off is outside, whichever way the normal at nearly the nearest place leans.
    off = np.where(far_off(what.spots, points), np.linalg.norm(away, axis=1), off)
    on_side = share[:, [2, 0, 1]] <= 0.0  # the side from a corner to the next lies across from the third
    at_rim = np.asarray((on_side & (what.beside[triangle] < 0)).any(axis=1))
    return Onto(triangle, share, flat + bulge[:, None] * normal, normal, off, aside, at_rim)
