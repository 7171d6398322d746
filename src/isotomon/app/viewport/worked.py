"""A body whose skin is worked on, rounded or hollow, ready to be drawn before its solid is there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.field.parallel import WorkedGrids
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
    return [
        _surface(side @ affine[:3, :3].T + affine[:3, 3], way * np.sign(np.linalg.det(affine[:3, :3])))
        for sides, way in (((*grids.outer, *grids.rounds), 1.0), (grids.inner, -1.0))
        for side in sides
    ]


def _surface(points: Array, way: float) -> Surface:
    n_y, n_s = points.shape[:2]
    normals = way * cross3(np.gradient(points, axis=1), np.gradient(points, axis=0))
    size = np.linalg.norm(normals, axis=2, keepdims=True)
    normals = normals / np.where(size > 0.0, size, 1.0)
    a = (np.arange(n_y - 1)[:, None] * n_s + np.arange(n_s - 1)).ravel()
    quads = np.stack([a, a + 1, a + n_s + 1, a + n_s], axis=1)
    triangles = np.vstack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return points.reshape(-1, 3), triangles, normals.reshape(-1, 3)


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
