"""Finished bodies as the worker sends them, ready to be drawn."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

import numpy as np

from isotomon.app.viewport.finished_parts import borders_of
from isotomon.app.viewport.lines import rgb
from isotomon.arrays import Array, Index
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, unpack
from isotomon.quantity.record import Id

Solid = tuple[Array, Index, Array]
"""Vertices (n, 3), triangles (m, 3) and normals (n, 3)."""
Shown = tuple[Solid, tuple[float, float, float] | None, bool]
"""With its colour, where it has one of its own, and whether it is seen through."""


@lru_cache(maxsize=8)
def solid_mesh(built: Built) -> Solid:
    """Vertices (n, 3), triangles (m, 3) and normals (n, 3) of a finished body. Its faces share no vertices, so that edges
    stay crisp."""
    points, triangles = unpack(built.vertices).astype(np.float64), unpack(built.triangles).astype(np.int64)
    known = unpack(built.normals).astype(np.float64)
    if known.any(axis=1).all():
        return points, triangles, known
    a, b, c = (points[triangles[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    normals = np.zeros_like(points)
    for k in range(3):
        np.add.at(normals, triangles[:, k], square)
    size = np.linalg.norm(normals, axis=1, keepdims=True)
    return points, triangles, normals / np.maximum(size, 1e-300)


def edges_drawn(solids: Mapping[Id, Built]) -> tuple[Array, Array]:
    """(e, 2, 3) mm each: the sharp edges of finished bodies, those between pieces, and those of skins; and the open ones of skins that were to close."""
    found, gaps = list[Array](), list[Array]()
    for built in solids.values():
        borders = borders_of(built)
        found.append(borders.drawn(built.names))
        (gaps if built.told and not built.pieces else found).append(borders.open)
    none = np.empty((0, 2, 3))
    return np.concatenate([none, *found]), np.concatenate([none, *gaps])


def looks(quick: Quick, shown: Iterable[Id], meshes: Sequence[Solid], plain: bool) -> list[Shown]:
    """Finished bodies' meshes, each with its colour, if it has one of its own, and whether it is seen through; or all `plain`."""
    bodies = {body.id: body for body in quick.design.bodies}
    found = list[Shown]()
    for key, mesh in zip(shown, meshes, strict=True):
        colour, clear = (
            (bodies[key].colour, bodies[key].seen == "see-through") if key in bodies and not plain else ("", False)
        )
        found.append((mesh, rgb(colour) if colour else None, clear))
    return found
