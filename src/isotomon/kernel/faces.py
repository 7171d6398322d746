"""The faces of a finished body, chosen by their names; and what has been made of them looked at before it is believed. Worker only."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.face_names import own_name, whole_face
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.making import NamedShape, names_of
from isotomon.kernel.meshing import parts


def named_faces(body: NamedShape) -> list[tuple[str, TopoDS_Face]]:
    """(name, face) of all faces, in the kernel's order."""
    faces = parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE)
    return [(name, TopoDS.Face(face)) for name, face in zip(body.names, faces, strict=True)]


def lone_solid(body: NamedShape) -> TopoDS_Shape:
    """The one solid that a body is, out of whatever holds it.

    Raises: SolidError, for a body in pieces.
    """
    solids = parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID)
    if len(solids) != 1:
        raise SolidError("the body is in pieces; do this before it is cut in two, or copied")
    return solids[0]


def chosen_faces(body: NamedShape, choices: Sequence[str]) -> list[int]:
    """The numbers of the faces meant by any of some choices: `face NAME`, whole or in pieces; `all MARK`, whose names begin with that.

    Raises: SolidError, naming the choice that means none.
    """
    found = set[int]()
    for choice in choices:
        kind, _, rest = choice.partition(" ")
        meant = {
            k
            for k, name in enumerate(body.names)
            if (name.startswith(rest) if kind == "all" else rest in (whole_face(name), own_name(whole_face(name))))
        }
        if not meant:
            raise SolidError(f"there is no face {rest.rstrip(': ')} any more; choose others")
        found |= meant
    return sorted(found)


def sound(
    maker: Any, came: Iterable[tuple[str, Iterable[TopoDS_Shape]]], may_be: Callable[[float], bool]
) -> NamedShape:
    """What the kernel has made, its faces called by what they came from. `may_be`: whether it may have a volume (mm³).

    Raises: SolidError, for what is not sound.
    """
    if not maker.IsDone():
        raise SolidError("the kernel cannot do it")
    shape = maker.Shape()
    if not parts(shape, TopAbs_ShapeEnum.TopAbs_SOLID) or not BRepCheck_Analyzer(shape).IsValid():
        raise SolidError("what comes of it is not sound; choose other faces, or less of it")
    if not may_be(volume_of(shape)):
        raise SolidError("what comes of it has not the volume that it must have; choose other faces, or less of it")
    return NamedShape(shape, names_of(shape, [(name, face) for name, faces in came for face in faces]))


def outward(edge: TopoDS_Edge, t: float, face: TopoDS_Face) -> Array:
    """(3,) the outward normal of a face at a place of its rim."""
    uv, at, normal = BRep_Tool.CurveOnSurface_s(edge, face, 0.0, 1.0).Value(t), gp_Pnt(), gp_Vec()
    BRepGProp_Face(face).Normal(uv.X(), uv.Y(), at, normal)
    return numbers(normal) / normal.Magnitude()


def middle_normal(face: TopoDS_Shape) -> Array:
    """(3,) of length 1, outward: a face's normal in the middle of its parameters."""
    surface, at, normal = BRepAdaptor_Surface(TopoDS.Face(face)), gp_Pnt(), gp_Vec()
    u = (surface.FirstUParameter() + surface.LastUParameter()) / 2.0
    v = (surface.FirstVParameter() + surface.LastVParameter()) / 2.0
    BRepGProp_Face(TopoDS.Face(face)).Normal(u, v, at, normal)
    return numbers(normal) / normal.Magnitude()


def numbers(a: gp_Pnt | gp_Vec) -> Array:
    """(3,) the coordinates of a point or a vector of the kernel's."""
    return np.array([a.X(), a.Y(), a.Z()])
