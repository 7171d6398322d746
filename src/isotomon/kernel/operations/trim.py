"""A skin cut along another skin or body, and a part of it kept."""

from __future__ import annotations

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape, BRepExtrema_SupportType
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum, TopAbs_State
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.kernel.faces import numbers
from isotomon.kernel.making import NamedShape
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.parting import SideOf, parted_skin, place_in


def apply(given: Given) -> MadeBody:
    """What of the first body, a skin, lies `behind` the second or within it, or `before` it or outside; or both, in pieces.

    Raises: SolidError, where that is no skin, or nothing is cut away or left.
    """
    (skin, tool), keep, called = given.bodies, str(given.values["keep"]), str(given.values["called"])
    return MadeBody(parted_skin(skin, tool.shape, _side_of(tool), keep, called, given.tolerance))


def _side_of(tool: NamedShape) -> SideOf:
    """What says whether a face lies behind a skin or within a solid, or before or outside of it."""
    solids = parts(tool.shape, TopAbs_ShapeEnum.TopAbs_SOLID)

    def within(at: Array) -> bool:
        point = gp_Pnt(*at.tolist())
        states = (BRepClass3d_SolidClassifier(solid, point, 1e-7).State() for solid in solids)
        return any(state == TopAbs_State.TopAbs_IN for state in states)

    def side(face: TopoDS_Face) -> str:
        at = place_in(face)
        return "behind" if (within(at) if solids else _beside(tool.shape, at) < 0.0) else "before"

    return side


def _beside(skin: TopoDS_Shape, at: Array) -> float:
    """How far before a skin a place lies, by the skin's normal where it is nearest."""
    found = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(gp_Pnt(*at.tolist())).Vertex(), skin)
    best = 0.0
    for k in range(1, found.NbSolution() + 1):
        if found.SupportTypeShape2(k) != BRepExtrema_SupportType.BRepExtrema_IsInFace:
            continue
        face = TopoDS.Face(found.SupportOnShape2(k))
        u, v = found.ParOnFaceS2(k)
        point, normal = gp_Pnt(), gp_Vec()
        BRepGProp_Face(face).Normal(u, v, point, normal)
        away = float(np.dot(at - numbers(point), numbers(normal)))
        best = away if abs(away) > abs(best) else best
    if best == 0.0:
        raise SolidError("the other skin ends beside this one, so that it has no side there; lengthen it")
    return best
