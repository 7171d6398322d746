"""Finished bodies as the worker sends them, ready to be drawn."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.kernel.protocol import Built, unpack


@lru_cache(maxsize=8)
def solid_mesh(built: Built) -> tuple[Array, Index, Array]:
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
