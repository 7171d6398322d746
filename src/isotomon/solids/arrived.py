"""Whether what the worker has sent can be a body: it is looked at before anything is made of it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import SolidError
from isotomon.kernel.protocol import Built, unpack


def check_built(built: Built) -> None:
    """Raises: SolidError, when the arrays of a body cannot be a mesh."""
    try:
        vertices, triangles, owner = unpack(built.vertices), unpack(built.triangles), unpack(built.owner)
        normals, same = unpack(built.normals), unpack(built.same)
    except (ValueError, TypeError) as error:
        raise SolidError(f"the solid worker sent arrays that cannot be read: {error}") from None
    sound = (
        vertices.dtype == normals.dtype in (np.float32, np.float64)
        and triangles.dtype == owner.dtype == same.dtype == np.int32
        and normals.shape == vertices.shape
        and same.shape == vertices.shape[:1]
        and vertices.ndim == triangles.ndim == 2
        and vertices.shape[1] == triangles.shape[1] == 3
        and owner.shape == triangles.shape[:1]
    )
    sound = sound and bool(np.isfinite(vertices).all() and np.isfinite(normals).all())
    sound = sound and _within(triangles, len(vertices)) and _within(same, len(vertices))
    sound = (
        sound
        and _within(owner, len(built.names))
        and bool(np.isfinite([built.volume, built.area, *built.centre]).all())
    )
    if not sound:
        raise SolidError("the solid worker sent a mesh that cannot be one; rebuild the solids")


def _within(index: NDArray, count: int) -> bool:
    return index.size == 0 or bool(index.min() >= 0 and index.max() < count)
