"""Bodies as triangles where they stand: how near they come to other things, and their volume, centre and inertia."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.geometry.datums import Plane
from isotomon.geometry.planar import cross3
from isotomon.measure.apart import LEVEL
from isotomon.measure.body import BodyMeasures, fluxes, measures_of
from isotomon.pace import checkpoint

TOUCH = 1e-6
"""mm: what is nearer to one place than this is at it."""
STARTS, STEPS, NEAR = 4, 40, 400
"""From so many pairs of places, among so many of the nearest, the least distance is sought, in so many steps at most."""


@dataclass(frozen=True, eq=False)
class Faces:
    """A body's skin and ends as triangles, outward: `vertices` (n, 3) mm, `index` (m, 3)."""

    vertices: Array
    index: Index

    @cached_property
    def corners(self) -> Array:
        """(m, 3, 3)"""
        return self.vertices[self.index]

    @cached_property
    def _round(self) -> tuple[Array, Array]:
        """(m, 3) middles of the triangles and (m,) how far their corners lie from them."""
        middle = self.corners.mean(axis=1)
        return middle, np.linalg.norm(self.corners - middle[:, None], axis=2).max(axis=1)

    @cached_property
    def tree(self) -> cKDTree:
        """Its corners, to be asked which is nearest."""
        return cKDTree(self.vertices)

    def taken(self, maps: Array) -> Faces:
        """All copies where affine maps (k, 4, 4) take it, mirrored ones turned outward again."""
        linear = maps[:, :3, :3]
        moved = np.einsum("nj,kij->kni", self.vertices, linear) + maps[:, None, :3, 3]
        turned = np.where(np.linalg.det(linear)[:, None, None] < 0.0, self.index[None, :, ::-1], self.index[None])
        step = len(self.vertices) * np.arange(len(maps))[:, None, None]
        return Faces(moved.reshape(-1, 3), (turned + step).reshape(-1, 3))

    def nearest(self, point: Array) -> tuple[Array, Index]:
        """(3,) the place on it nearest to a point, and the triangles that have it.

        Source: Ericson, Real-Time Collision Detection (2005), section 5.1.5, for all triangles at once.
        """
        # No triangle is nearer whose middle lies farther off than the nearest corner and its own reach.
        middle, reach = self._round
        close = np.flatnonzero(np.linalg.norm(middle - point, axis=1) - reach <= self.tree.query(point)[0] + 1e-9)
        a, b, c = (self.corners[close, k] for k in range(3))
        ab, ac, ap, bp, cp = b - a, c - a, point - a, point - b, point - c
        d1, d2, d3, d4, d5, d6 = (np.einsum("nk,nk->n", e, p) for p in (ap, bp, cp) for e in (ab, ac))
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        with np.errstate(divide="ignore", invalid="ignore"):
            on_ab, on_ac = d1 / (d1 - d3), d2 / (d2 - d6)
            on_bc = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            whole = va + vb + vc
            inside = (vb / whole, vc / whole)
        zero, one = np.zeros(len(a)), np.ones(len(a))
        regions = [
            ((d1 <= 0.0) & (d2 <= 0.0), zero, zero),
            ((d3 >= 0.0) & (d4 <= d3), one, zero),
            ((d6 >= 0.0) & (d5 <= d6), zero, one),
            ((vc <= 0.0) & (d1 >= 0.0) & (d3 <= 0.0), on_ab, zero),
            ((vb <= 0.0) & (d2 >= 0.0) & (d6 <= 0.0), zero, on_ac),
            ((va <= 0.0) & (d4 >= d3) & (d5 >= d6), 1.0 - on_bc, on_bc),
        ]
        conditions = [r[0] for r in regions]
        v = np.select(conditions, [r[1] for r in regions], inside[0])
        w = np.select(conditions, [r[2] for r in regions], inside[1])
        places = a + v[:, None] * ab + w[:, None] * ac
        away = np.sum((places - point) ** 2, axis=1)
        k = int(np.nanargmin(away))
        return np.asarray(places[k]), close[np.linalg.norm(places - places[k], axis=1) < TOUCH]

    def cut_by(self, plane: Plane) -> Faces:
        """The triangles that a plane passes through, alone."""
        side = (self.vertices - plane.origin) @ plane.normal > -LEVEL
        passed = side[self.index]
        crossed = self.index[passed.any(axis=1) & ~passed.all(axis=1)]
        return Faces(self.vertices[crossed].reshape(-1, 3), np.arange(3 * len(crossed)).reshape(-1, 3))

    def measures(self) -> BodyMeasures:
        """Volume, surface, centre and second moments, exact for the triangles: three sites in each."""
        square = cross3(self.corners[:, 1] - self.corners[:, 0], self.corners[:, 2] - self.corners[:, 0])
        area = np.linalg.norm(square, axis=1) / 2.0
        normal = square / np.maximum(2.0 * area, 1e-300)[:, None]
        sites = (self.corners + np.roll(self.corners, -1, axis=1)) / 2.0
        total = fluxes(sites, normal[:, None], np.repeat(area[:, None] / 3.0, 3, axis=1))
        return measures_of(total, float(area.sum()))


def from_faces(faces: Faces, places: Array, nearest: Callable[[Array], Array]) -> tuple[float, Array]:
    """The least distance (mm) from a body to another thing, and (2, 3) where: `places` (n, 3) of the thing, and its place
    `nearest` to a point. By going to and fro from the nearest pairs of places."""
    far, pick = faces.tree.query(places)
    best, ends = np.inf, np.zeros((2, 3))
    for k in _spread(places, far):
        own, last = faces.vertices[pick[k]], np.inf
        for step in range(STEPS):
            checkpoint(step / STEPS)
            other = nearest(own)
            own = faces.nearest(other)[0]
            now = float(np.linalg.norm(own - other))
            if last - now < 1e-9 * max(now, 1.0):
                break
            last = now
        if now < best:
            best, ends = now, np.stack([own, other])
    return best, ends


def _spread(places: Array, far: Array) -> list[int]:
    """The nearest place, and some of the next ones that lie apart from it and each other."""
    order = np.argsort(far, kind="stable")[:NEAR].tolist()
    room = 0.1 * float(np.ptp(places, axis=0).max())
    chosen: list[int] = []
    for k in order:
        if all(np.linalg.norm(places[k] - places[j]) > room for j in chosen):
            chosen.append(k)
        if len(chosen) == STARTS:
            break
    return chosen
