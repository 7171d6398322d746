"""A body cut by a plane."""

from __future__ import annotations

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.TopoDS import TopoDS_Face

from isotomon.errors import SolidError
from isotomon.kernel.combining import cut_by_block, pieces_side_by_side
from isotomon.kernel.making import NamedShape, is_skin
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.parting import parted_skin, place_in


def apply(given: Given) -> MadeBody:
    """What of a body or skin lies `behind` the `plane` (origin and normal, mm), `before` it, or both in pieces; a flat face is `called` so.

    Raises: SolidError, where the plane misses the body.
    """
    (body,), (origin, normal) = given.bodies, np.asarray(given.arrays["plane"], dtype=float)
    called, keep = str(given.values["called"]), str(given.values["keep"])
    lump = given.lump(0)
    away = (lump.points - origin) @ normal
    if away.max() <= given.tolerance or away.min() >= -given.tolerance:
        raise SolidError("the plane misses the body; move it")
    if is_skin(body):
        flat = _flat(body, origin, normal)[0]

        def side_of(face: TopoDS_Face) -> str:
            return "behind" if float((place_in(face) - origin) @ normal) < 0.0 else "before"

        return MadeBody(parted_skin(body, flat, side_of, keep, called.removeprefix("cut of "), given.tolerance))
    made = [
        cut_by_block(body, _block(body, origin, way * normal), called, given.tolerance)
        for side, way in (("behind", 1.0), ("before", -1.0))
        if keep in (side, "both")
    ]
    return MadeBody(made[0] if len(made) == 1 else pieces_side_by_side(made))


def _block(body: NamedShape, origin: np.ndarray, normal: np.ndarray) -> NamedShape:
    """All that lies before a plane, as far as the body reaches; its face in the plane comes first."""
    face, reach = _flat(body, origin, normal)
    return NamedShape(BRepPrimAPI_MakePrism(face, gp_Vec(*(reach * normal).tolist())).Shape(), ())


def _flat(body: NamedShape, origin: np.ndarray, normal: np.ndarray) -> tuple[TopoDS_Face, float]:
    """A face in a plane that reaches out of the body, and how far from it all of the body lies within, mm."""
    box = Bnd_Box()
    BRepBndLib.Add_s(body.shape, box)
    low, high = box.CornerMin(), box.CornerMax()
    corners = np.array([[p.X(), p.Y(), p.Z()] for p in (low, high)])
    middle, size = corners.mean(axis=0), float(np.linalg.norm(corners[1] - corners[0]))
    foot = middle - normal * float((middle - origin) @ normal)
    flat = gp_Pln(gp_Pnt(*foot.tolist()), gp_Dir(*normal.tolist()))
    face = BRepBuilderAPI_MakeFace(flat, -size, size, -size, size).Face()
    return face, size + abs(float((middle - origin) @ normal))
