"""A skin cut along another skin or body, and a part of it kept."""

from __future__ import annotations

import numpy as np
from OCP.BOPAlgo import BOPAlgo_Splitter
from OCP.BOPTools import BOPTools_AlgoTools3D
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape, BRepExtrema_SupportType
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Pnt2d, gp_Vec
from OCP.IntTools import IntTools_Context
from OCP.TopAbs import TopAbs_ShapeEnum, TopAbs_State
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from isotomon.errors import SolidError
from isotomon.kernel.faces import named_faces, numbers
from isotomon.kernel.making import NamedShape, is_valid, sewn
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody

UNCUT = "the other body does not cut through the skin; let it reach out of it, or move it"


def apply(given: Given) -> MadeBody:
    """What of the first body, a skin, lies `behind` the second or within it, or `before` it or outside.

    Raises: SolidError, where that is no skin, or nothing is cut away or left.
    """
    (skin, tool), behind = given.bodies, given.values["keep"] == "behind"
    if parts(skin.shape, TopAbs_ShapeEnum.TopAbs_SOLID):
        raise SolidError("only a skin is trimmed; of a solid another body is cut away")
    pieces = _pieces(skin, tool, given.tolerance)
    is_behind = _is_behind(tool)
    kept = [(name, face) for name, face in pieces if is_behind(face) == behind]
    if len(kept) in (0, len(pieces)):
        raise SolidError(UNCUT)
    made = sewn(kept, given.tolerance, skin=True)
    if not is_valid(made):
        raise SolidError("what is left of the skin is not sound; move the other body a little")
    return MadeBody(made)


def _pieces(skin: NamedShape, tool: NamedShape, tolerance: float) -> list[tuple[str, TopoDS_Face]]:
    """The faces of a skin cut along a tool, each with the name of what it is a piece of."""
    maker = BOPAlgo_Splitter()
    maker.AddArgument(skin.shape)
    maker.AddTool(tool.shape)
    maker.SetFuzzyValue(tolerance)
    maker.Perform()
    if maker.HasErrors():
        raise SolidError("the kernel does not cut the skin along the other body; move that a little")
    found = list[tuple[str, TopoDS_Face]]()
    for name, face in named_faces(skin):
        own = [face] if not maker.Modified(face).Size() else list(maker.Modified(face))
        found += [(name, TopoDS.Face(piece)) for piece in own if not maker.IsDeleted(piece)]
    return found


def _is_behind(tool: NamedShape):  # type: ignore[no-untyped-def]
    """What says whether a face lies behind a skin, or within a solid."""
    solids, context = parts(tool.shape, TopAbs_ShapeEnum.TopAbs_SOLID), IntTools_Context()

    def place(face: TopoDS_Face) -> gp_Pnt:
        at, flat = gp_Pnt(), gp_Pnt2d()
        BOPTools_AlgoTools3D.PointInFace_s(face, at, flat, context)
        return at

    def within(face: TopoDS_Face) -> bool:
        states = (BRepClass3d_SolidClassifier(solid, place(face), 1e-7).State() for solid in solids)
        return any(state == TopAbs_State.TopAbs_IN for state in states)

    return within if solids else lambda face: _beside(tool.shape, place(face)) < 0.0


def _beside(skin: TopoDS_Shape, at: gp_Pnt) -> float:
    """How far before a skin a place lies, by the skin's normal where it is nearest."""
    found = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(at).Vertex(), skin)
    best = 0.0
    for k in range(1, found.NbSolution() + 1):
        if found.SupportTypeShape2(k) != BRepExtrema_SupportType.BRepExtrema_IsInFace:
            continue
        face = TopoDS.Face(found.SupportOnShape2(k))
        u, v = found.ParOnFaceS2(k)
        point, normal = gp_Pnt(), gp_Vec()
        BRepGProp_Face(face).Normal(u, v, point, normal)
        away = float(np.dot(numbers(at) - numbers(point), numbers(normal)))
        best = away if abs(away) > abs(best) else best
    if best == 0.0:
        raise SolidError("the other skin ends beside this one, so that it has no side there; lengthen it")
    return best
