"""Affine maps of space as (4, 4) matrices, mm."""

from __future__ import annotations

import math

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.datums import Axis

ITSELF = np.eye(4)[None]
"""(1, 4, 4): the map that leaves all where it is."""
EVEN = 1e-9
"""Of a size squared: by so much the directions of a map that resizes evenly differ, by rounding."""


def affine(matrix: Array, shift: Array) -> Array:
    """(4, 4) of a matrix (3, 3) and a shift (3,)."""
    made = np.eye(4)
    made[:3, :3], made[:3, 3] = matrix, shift
    return made


def turned(axis: Axis, angle: float) -> Array:
    """(4, 4) the turn about an axis by an angle (rad). Source: Rodrigues' formula."""
    x, y, z = axis.way
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    turn = np.eye(3) + math.sin(angle) * cross + (1.0 - math.cos(angle)) * (cross @ cross)
    return affine(turn, axis.origin - turn @ axis.origin)


def even_sizes(maps: Array) -> Array | None:
    """(k,) the sizes of affine maps (k, 4, 4) that each resize the same in all directions; None where one does not."""
    linear = maps[:, :3, :3]
    square = linear @ linear.transpose(0, 2, 1)
    sizes = np.trace(square, axis1=1, axis2=2) / 3.0
    even = np.abs(square / sizes[:, None, None] - np.eye(3)).max() < EVEN
    return np.asarray(np.sqrt(sizes)) if even else None
