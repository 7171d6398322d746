"""A finished body hollowed out by the kernel: for bodies whose skin is no field any more."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Mode
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakeThickSolid
from OCP.collections import List_TopoDS_Shape
from OCP.GeomAbs import GeomAbs_JoinType
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.errors import SizeError, SolidError
from isotomon.geometry.face_names import whole_face
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.faces import lone_solid, named_faces
from isotomon.kernel.finishing import offered
from isotomon.kernel.making import NamedShape, names_of, sewn
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody

JOINS = (GeomAbs_JoinType.GeomAbs_Intersection, GeomAbs_JoinType.GeomAbs_Arc)
"""How the inner faces go on to each other, in the order in which it is tried."""
JOIN = 1e-4
"""mm: places that are nearer are one where walls meet."""


def apply(given: Given) -> MadeBody:
    """A `wall` (mm) left within the body, whose `first` and `last` cap are taken away where they are to be open.

    Raises: SolidError; SizeError, with the thickness that would do.
    """
    (body,), values = given.bodies, given.values
    wall = float(values["wall"])
    work = partial(_hollowed, body, tuple(f"{end} cap" for end in ("first", "last") if values[end]))
    try:
        return MadeBody(work(wall))
    except Exception as error:
        fits, offer = offered(work, wall, given.seconds, "thickness")
        raise SizeError(f"the kernel leaves no wall of {wall:.4g} mm; {offer}", fits) from error


def _hollowed(body: NamedShape, open_: tuple[str, ...], wall: float) -> NamedShape:
    faces = list(zip(body.names, parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True))
    gone = List_TopoDS_Shape()
    for name, face in faces:
        if whole_face(name) in open_:
            gone.Append(face)
    if gone.Size() < len(open_):
        raise SolidError("an end that is to be open is not there any more")
    made = _opened(body, faces, gone, open_, wall) if open_ else _closed(body, wall)
    valid = BRepCheck_Analyzer(made.shape).IsValid() and len(parts(made.shape, TopAbs_ShapeEnum.TopAbs_SOLID)) == 1
    if not valid or not 0.0 < volume_of(made.shape) < volume_of(body.shape):
        raise SolidError("what comes of it is not sound")
    return made


def _opened(
    body: NamedShape,
    faces: Sequence[tuple[str, TopoDS_Shape]],
    gone: List_TopoDS_Shape,
    open_: tuple[str, ...],
    wall: float,
) -> NamedShape:
    """A wall within a body that is open where some of its faces were."""
    for join in JOINS:
        maker = BRepOffsetAPI_MakeThickSolid()
        maker.MakeThickSolidByJoin(body.shape, gone, -wall, JOIN, BRepOffset_Mode.BRepOffset_Skin, False, False, join)
        if maker.IsDone() and parts(maker.Shape(), TopAbs_ShapeEnum.TopAbs_SOLID):
            return _named(faces, maker, open_)
    raise SolidError("the kernel cannot do it")


def _closed(body: NamedShape, wall: float) -> NamedShape:
    """A wall within a body all round: between its skin and another one within."""
    maker, faces = BRepOffset_MakeOffset(), named_faces(body)
    mode = BRepOffset_Mode.BRepOffset_Skin
    maker.Initialize(lone_solid(body), -wall, JOIN, mode, False, False, JOINS[0], False, False)
    maker.MakeOffsetShape()
    if not maker.IsDone() or not 0.0 < volume_of(maker.Shape()) < volume_of(body.shape):
        raise SolidError("the kernel cannot do it")
    came = [(f"inside of {name}", piece) for name, face in faces for piece in maker.Generated(face)]
    names = names_of(maker.Shape(), came)
    inner = zip(names, parts(maker.Shape(), TopAbs_ShapeEnum.TopAbs_FACE), strict=True)
    return sewn([*faces, *((name, TopoDS.Face(face)) for name, face in inner)], JOIN)


def _named(faces: Sequence[tuple[str, TopoDS_Shape]], maker: Any, open_: Sequence[str]) -> NamedShape:
    """What the kernel has made, its faces called by what they are the inside of, or are still."""
    came = [(name, face) for name, face in faces if whole_face(name) not in open_]
    for name, face in faces:
        within = "" if whole_face(name) in open_ else "inside of "
        came += [(name, piece) for piece in maker.Modified(face)]
        came += [(f"{within}{name}", piece) for piece in maker.Generated(face)]
    return NamedShape(maker.Shape(), names_of(maker.Shape(), came))
