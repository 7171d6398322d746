"""A body cut by a plane."""

from __future__ import annotations

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt, gp_Vec

from isotomon.errors import SolidError
from isotomon.kernel.combining import cut_by_block, pieces_side_by_side
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """What lies `behind` the `plane` (origin and normal, mm), `before` it, or both in pieces; the flat face is `called` so.

    Raises: SolidError, where the plane misses the body.
    """
    (body,), (origin, normal) = given.bodies, np.asarray(given.arrays["plane"], dtype=float)
    called, keep = str(given.values["called"]), str(given.values["keep"])
    lump = given.lump(0)
    away = (lump.points - origin) @ normal
    if away.max() <= given.tolerance or away.min() >= -given.tolerance:
        raise SolidError("the plane misses the body; move it")
    made = [
        cut_by_block(body, _block(body, origin, way * normal), called, given.tolerance)
        for side, way in (("behind", 1.0), ("before", -1.0))
        if keep in (side, "both")
    ]
    return MadeBody(made[0] if len(made) == 1 else pieces_side_by_side(made))


def _block(body: NamedShape, origin: np.ndarray, normal: np.ndarray) -> NamedShape:
    """All that lies before a plane, as far as the body reaches; its face in the plane comes first."""
    box = Bnd_Box()
    BRepBndLib.Add_s(body.shape, box)
    low, high = box.CornerMin(), box.CornerMax()
    corners = np.array([[p.X(), p.Y(), p.Z()] for p in (low, high)])
    middle, size = corners.mean(axis=0), float(np.linalg.norm(corners[1] - corners[0]))
    foot = middle - normal * float((middle - origin) @ normal)
    flat = gp_Pln(gp_Pnt(*foot.tolist()), gp_Dir(*normal.tolist()))
    face = BRepBuilderAPI_MakeFace(flat, -size, size, -size, size).Face()
    reach = size + abs(float((middle - origin) @ normal))
    return NamedShape(BRepPrimAPI_MakePrism(face, gp_Vec(*(reach * normal).tolist())).Shape(), ())
