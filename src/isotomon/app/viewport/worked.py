"""A body whose skin is worked on, rounded or hollow, ready to be drawn before its solid is there."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.field.seen import WorkedGrids
from isotomon.geometry.planar import cross3
from isotomon.inspect.results import Quick

Surface = tuple[Array, Index, Array]
"""Points (n, 3), triangles (m, 3) and normals (n, 3)."""


def worked_surfaces(quick: Quick | None) -> tuple[Sequence[Surface], Sequence[list[Array]]]:
    """The sides of a body whose skin is worked on, where its first copy comes to stand, and the runs that bound its flat faces; none of
    any other."""
    if quick is None or quick.grids is None:
        return (), ()
    return _side_surfaces(quick.grids, quick.placed[0]), _ends(quick.grids, quick.placed[0])


def _side_surfaces(grids: WorkedGrids, affine: Array) -> list[Surface]:
    """The sides of the skin, and of the hollow, which face inward, where an affine map (4, 4) takes them."""
    handed = np.sign(np.linalg.det(affine[:3, :3]))
    ways = [handed] * (len(grids.outer) + len(grids.rounds)) + [-handed] * len(grids.inner)
    sides = [side @ affine[:3, :3].T + affine[:3, 3] for side in (*grids.outer, *grids.rounds, *grids.inner)]
    made: list[Surface | None] = [None] * len(sides)
    for shape in {side.shape for side in sides}:  # those that are alike at once
        alike = [k for k, side in enumerate(sides) if side.shape == shape]
        points = np.stack([sides[k] for k in alike])
        normals = _normals(points, np.array([ways[k] for k in alike]))
        for k, own, out in zip(alike, points, normals, strict=True):
            made[k] = own.reshape(-1, 3), _triangles(*shape[:2]), out.reshape(-1, 3)
    return [surface for surface in made if surface is not None]


def _normals(points: Array, ways: Array) -> Array:
    """Of grids (k, n_y, n_s, 3), by which side is out (k,)."""
    normals = cross3(np.gradient(points, axis=2), np.gradient(points, axis=1))
    size = np.linalg.norm(normals, axis=3, keepdims=True)
    return np.asarray(normals * (ways[:, None, None, None] / np.where(size > 0.0, size, 1.0)))


@lru_cache(maxsize=32)
def _triangles(n_y: int, n_s: int) -> Index:
    a = (np.arange(n_y - 1)[:, None] * n_s + np.arange(n_s - 1)).ravel()
    quads = np.stack([a, a + 1, a + n_s + 1, a + n_s], axis=1)
    return np.vstack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


def _ends(grids: WorkedGrids, affine: Array) -> list[list[Array]]:
    """The runs (n, 3) that bound each flat face: both ends, with a mouth in them where the hollow reaches through, and the floors."""

    def run(sides: Sequence[Array], row: int) -> Array:
        points = np.concatenate([side[row, :-1] for side in sides])
        return np.asarray(points @ affine[:3, :3].T + affine[:3, 3])

    made = []
    for row, open_, away in zip((0, -1), grids.open, grids.away, strict=True):
        if away:
            continue
        outer, inner = run(grids.outer, row), [run(grids.inner, row)] if grids.inner else []
        made += [[outer, *inner]] if open_ else [[outer], *([i] for i in inner)]
    return made
