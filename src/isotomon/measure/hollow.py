"""What is really inside a hollow body: from the faces of its finished mesh that lie within, as they bulge."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array, Mask
from isotomon.errors import FieldError
from isotomon.geometry.planar import cross3
from isotomon.measure.capacity import Inside
from isotomon.measure.curved_mesh import CurvedMesh

# Shares of the corners at seven sites in a triangle, with their weights, exact to degree 5.
# Source: Strang, Fix, An Analysis of the Finite Element Method (1973), table 4.1.
_A, _B, _C, _D = 0.05971587178977, 0.47014206410512, 0.79742698535309, 0.10128650732346
SITES = np.array(
    [[1 / 3, 1 / 3, 1 / 3], [_A, _B, _B], [_B, _A, _B], [_B, _B, _A], [_C, _D, _D], [_D, _C, _D], [_D, _D, _C]]
)
WEIGHTS = np.array([0.225, *[0.13239415278851] * 3, *[0.12593918054483] * 3])
LEVEL = 1e-7
"""Of the body's size: what lies so near to the lowest place is the floor."""


def inside_hollow(mesh: CurvedMesh, within: Mask, up: Array) -> Inside:
    """The inside of a body whose triangles `within` (m,) face it; `up` (3,). It is open where others adjoin these.

    Raises: FieldError, for a body that is not hollow.
    """
    if not within.any():
        raise FieldError("the body is not hollow any more; take the wall as a number, without hollowing it out")
    corners, bulge = mesh.corners[within], 4.0 * mesh.bulge[within]
    p = np.einsum("sk,mkd->msd", SITES, corners)
    p += np.einsum("sk,mkd->msd", SITES * np.roll(SITES, -1, axis=1), bulge)
    # By the shares of the second and the third corner, of which the first has what is left.
    slopes = [corners[:, k, None] - corners[:, :1] for k in (1, 2)]
    l0, l1, l2 = SITES.T[:, None, :, None]
    e01, e12, e20 = (bulge[:, k, None] for k in range(3))
    by_second = slopes[0] + e01 * (l0 - l1) + e12 * l2 - e20 * l2
    by_third = slopes[1] - e01 * l1 + e12 * l1 + e20 * (l0 - l2)
    square = cross3(by_second, by_third) * (WEIGHTS / 2.0)[:, None]
    height, area = (p @ up).ravel(), np.linalg.norm(square, axis=2).ravel()
    flat = -(square @ up).ravel()
    size = float(np.ptp(height))
    floor = float((mesh.points[mesh.index[within]] @ up).min())
    level = height <= floor + LEVEL * size
    sides = within[mesh.triangles]
    rim = mesh.edges[sides[:, 0] != sides[:, 1]]
    brim = float((mesh.points[rim] @ up).min()) if len(rim) else float(height.max())
    if brim - floor < LEVEL * size:
        raise FieldError("it is open at its floor, so that nothing stays in it; turn it over, or close that end")
    base = float(area[level].sum())
    order = np.flatnonzero(~level)[np.argsort(height[~level], kind="stable")]
    return Inside(height[order], area[order], flat[order], floor, brim, base)
