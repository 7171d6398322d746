"""Numbers as the kernel's arrays, and patches as its surfaces. Worker only."""

from __future__ import annotations

from OCP.collections import Array1_double, Array1_int, Array2_gp_Pnt
from OCP.Geom import Geom_BSplineSurface
from OCP.gp import gp_Pnt

from isotomon.arrays import Array, Index
from isotomon.geometry.patch import Patch


def doubles(values: Array) -> Array1_double:
    """Numbers as the kernel's array."""
    result = Array1_double(1, len(values))
    for i, value in enumerate(values, 1):
        result.SetValue(i, float(value))
    return result


def ints(values: Index) -> Array1_int:
    """Whole numbers as the kernel's array."""
    result = Array1_int(1, len(values))
    for i, value in enumerate(values, 1):
        result.SetValue(i, int(value))
    return result


def surface(patch: Patch) -> Geom_BSplineSurface:
    """The kernel's surface of a patch."""
    n_u, n_v = patch.control.shape[:2]
    poles = Array2_gp_Pnt(1, n_u, 1, n_v)
    for i, row in enumerate(patch.control, 1):
        for j, (x, y, z) in enumerate(row.tolist(), 1):
            poles.SetValue(i, j, gp_Pnt(x, y, z))
    return Geom_BSplineSurface(
        poles,
        doubles(patch.breaks_u),
        doubles(patch.breaks_v),
        ints(patch.times_u),
        ints(patch.times_v),
        patch.degree_u,
        patch.degree_v,
        patch.periodic_u,
        False,
    )
