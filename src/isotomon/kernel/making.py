"""Bodies from patches by the geometry kernel. Runs only in the worker process: kernel calls hold the interpreter."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from OCP.BinTools import BinTools
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.collections import (
    IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher,
)
from OCP.Geom import Geom_CylindricalSurface
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.ShapeFix import ShapeFix_Face, ShapeFix_Solid
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Shell, TopoDS_Solid, TopoDS_Wire

from isotomon.errors import SolidError
from isotomon.geometry.patch import APART, Patch
from isotomon.kernel.arrays import surface
from isotomon.kernel.meshing import Mesh, is_closed, parts
from isotomon.kernel.trimming import flat_face, trimmed_face


@dataclass(frozen=True, eq=False)
class NamedShape:
    """A finished body with the lasting name of each face, in the kernel's order."""

    shape: TopoDS_Shape
    names: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Report:
    """What the kernel says of a body: mm³, mm², mm."""

    volume: float
    area: float
    centre: tuple[float, float, float]
    valid: bool
    watertight: bool
    faces: int
    pieces: int


def wire_of(edges: Sequence[Any]) -> TopoDS_Wire:
    """Edges as one run. Raises: SolidError."""
    wire = BRepBuilderAPI_MakeWire()
    for edge in edges:
        wire.Add(edge)
    if not wire.IsDone():
        raise SolidError("the end of the body is not one closed outline")
    return wire.Wire()


def _cap(rims: dict[int, list[Any]], origin: Sequence[float], normal: Sequence[float]) -> TopoDS_Face:
    """The flat face inside the outer rim (0) and outside the others."""
    plane = gp_Pln(gp_Pnt(*origin), gp_Dir(*normal))
    face = BRepBuilderAPI_MakeFace(plane, wire_of(rims[0]), True)
    for loop, edges in rims.items():
        if loop:
            face.Add(wire_of(edges))
    if not face.IsDone():
        raise SolidError("the end of the body cannot be closed by a flat cap")
    if len(rims) == 1:
        return face.Face()
    fix = ShapeFix_Face(face.Face())
    fix.FixOrientation()
    return fix.Face()


def _round_cap(
    edges: Sequence[Any], origin: Sequence[float], way: Sequence[float], radius: float, tolerance: float
) -> TopoDS_Face:
    """The part of a cylinder inside an outline that lies on it; the cylinder's seam is on the far side of the axis."""
    skin = Geom_CylindricalSurface(gp_Ax3(gp_Pnt(*origin), gp_Dir(*way), gp_Dir(0.0, 0.0, -1.0)), radius)
    face, builder = TopoDS_Face(), BRep_Builder()
    builder.MakeFace(face, skin, tolerance)
    builder.Add(face, wire_of(edges))
    fix = ShapeFix_Face(face)
    fix.SetPrecision(tolerance)
    fix.Perform()
    fix.FixOrientation()
    return fix.Face()


def loft(
    patches: Sequence[Patch],
    ends: Sequence[tuple[Sequence[float], Sequence[float]] | None],
    radii: tuple[float, float] | None,
    tolerance: float,
    skin: bool = False,
) -> NamedShape:
    """A solid from lanes and two caps, or the `skin` alone, which bounds nothing.

    `ends`: origin and normal of the first and last plane (none of a ring or a skin, None of one that patches close), or, with `radii`,
    origin and direction of the axis of the cylinders that the ends lie on.

    Raises: SolidError.
    """
    along = [p for p in patches if p.loop != APART]
    first = min(float(p.breaks_v[0]) for p in along)
    last = max(float(p.breaks_v[-1]) for p in along)
    faces: list[tuple[str, TopoDS_Face]] = []
    rims: dict[float, dict[int, list[Any]]] = {first: {}, last: {}}
    for patch in patches:
        carrier = surface(patch)
        if patch.trims or patch.flat:
            make = flat_face if patch.flat else trimmed_face
            faces.append((patch.name, make(carrier, patch, tolerance)))
            continue
        maker = BRepBuilderAPI_MakeFace(carrier, tolerance)
        if not maker.IsDone():
            raise SolidError(f"the kernel makes no face of {patch.name}")
        faces.append((patch.name, maker.Face()))
        for at, column in ((float(patch.breaks_v[0]), 0), (float(patch.breaks_v[-1]), -1)):
            if at in rims and patch.loop != APART and np.ptp(patch.control[:, column], axis=0).max() > tolerance:
                rims[at].setdefault(patch.loop, []).append(BRepBuilderAPI_MakeEdge(carrier.VIso(at)).Edge())
    caps = zip(("first cap", "last cap"), (first, last), ends, strict=True) if ends else ()
    for k, (name, at, end) in enumerate(caps):
        if end is None or not rims[at]:  # the body ends in a point
            continue
        origin, way = end
        cap = (
            _cap(rims[at], origin, way) if radii is None else _round_cap(rims[at][0], origin, way, radii[k], tolerance)
        )
        faces.append((name, cap))
    return sewn(faces, tolerance, skin)


def sewn(faces: Sequence[tuple[str, TopoDS_Face]], tolerance: float, skin: bool = False) -> NamedShape:
    """The solid that named faces bound, or the `skin` that they are.

    Raises: SolidError, when they do not close.
    """
    sewing = BRepBuilderAPI_Sewing(tolerance)
    for _, face in faces:
        sewing.Add(face)
    sewing.Perform()
    came = [(name, sewing.Modified(face) if sewing.IsModified(face) else face) for name, face in faces]
    shells = parts(sewing.SewedShape(), TopAbs_ShapeEnum.TopAbs_SHELL)
    if skin:
        shape = shells[0] if len(shells) == 1 else sewing.SewedShape()
        return NamedShape(shape, names_of(shape, came))
    if not shells and not sewing.NbFreeEdges():  # faces that are closed by themselves, as a ring's
        shells = [_shell_of(face) for face in parts(sewing.SewedShape(), TopAbs_ShapeEnum.TopAbs_FACE)]
    if not shells or sewing.NbFreeEdges():
        raise SolidError(f"the skin does not close: {sewing.NbFreeEdges()} open edges in {len(shells)} shells")
    solid = _solid_of(shells)
    if not BRepCheck_Analyzer(solid).IsValid():
        fix = ShapeFix_Solid(solid)
        fix.Perform()
        solid = fix.Solid()
    return NamedShape(solid, names_of(solid, came))


def _shell_of(face: TopoDS_Shape) -> TopoDS_Shell:
    builder, shell = BRep_Builder(), TopoDS_Shell()
    builder.MakeShell(shell)
    builder.Add(shell, face)
    shell.Closed(True)
    return shell


def _solid_of(shells: Sequence[TopoDS_Shape]) -> TopoDS_Solid:
    """The solid inside the largest of closed shells and outside the others, which are hollows in it."""
    alone = [BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell)).Solid() for shell in shells]
    for solid in alone:
        BRepLib.OrientClosedSolid_s(solid)
    if len(alone) == 1:
        return alone[0]
    sizes = []
    for solid in alone:
        found = GProp_GProps()
        BRepGProp.VolumeProperties_s(solid, found)
        sizes.append(found.Mass())
    outer = int(np.argmax(sizes))
    builder, whole = BRep_Builder(), TopoDS_Solid()
    builder.MakeSolid(whole)
    for k, solid in enumerate(alone):
        shell = parts(solid, TopAbs_ShapeEnum.TopAbs_SHELL)[0]
        builder.Add(whole, shell if k == outer else shell.Reversed())
    return whole


UNNAMED = "unnamed"
"""A face that came of none that had a name."""


def names_of(shape: TopoDS_Shape, came: Sequence[tuple[str, TopoDS_Shape]]) -> tuple[str, ...]:
    """The name of each face, in the kernel's order; `came`: names and the faces they belong to."""
    known = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    names: dict[int, str] = {}
    for name, face in came:
        names.setdefault(known.Add(face), name)
    found = parts(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    return tuple(names.get(known.FindIndex(face), UNNAMED) for face in found)


def is_valid(body: NamedShape) -> bool:
    """Whether the kernel finds nothing wrong with a body."""
    return bool(BRepCheck_Analyzer(body.shape).IsValid())


def is_skin(body: NamedShape) -> bool:
    """Whether a body bounds nothing."""
    return not parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID)


def mesh_report(mesh: Mesh) -> Report:
    """The figures of a body that is nothing but its triangles."""
    closed = is_closed(mesh.triangles)
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    area, volume = np.linalg.norm(across, axis=1) / 2.0, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0
    # The middle of each triangle, or of the pyramid that it makes with the origin.
    share, middle = (volume, (a + b + c) / 4.0) if closed else (area, (a + b + c) / 3.0)
    x, y, z = (share @ middle / share.sum()).tolist()
    size = float(volume.sum()) if closed else 0.0
    return Report(size, float(area.sum()), (x, y, z), size > 0.0 or not closed, closed, 1, int(closed))


@dataclass(frozen=True, eq=False)
class Integrals:
    """What is integrated over a body: mm³ (nought of a skin), mm², mm."""

    volume: float
    area: float
    centre: tuple[float, float, float]


def integrals_of(body: NamedShape) -> Integrals:
    """The kernel's own figures of a body."""
    volume, area = GProp_GProps(), GProp_GProps()
    faces = len(parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE))
    if faces <= MOST_FACES_INTEGRATED and _spans(body) <= MOST_SPANS_INTEGRATED:
        BRepGProp.VolumeProperties_s(body.shape, volume, NEAR_VOLUME, True, False)
    else:  # to a precision asked for would take minutes
        BRepGProp.VolumeProperties_s(body.shape, volume, True, False, False)
    BRepGProp.SurfaceProperties_s(body.shape, area, NEAR_AREA)
    solid = not is_skin(body)
    centre = (volume if solid else area).CentreOfMass()
    return Integrals(volume.Mass() if solid else 0.0, area.Mass(), (centre.X(), centre.Y(), centre.Z()))


def report(body: NamedShape, closed_mesh: bool, figures: Integrals | None = None) -> Report:
    """What the kernel says of a body whose mesh is closed or not; its `figures` where they are known. What was stretched is valid once it has been
    meshed."""
    figures = figures or integrals_of(body)
    faces, solids = (len(parts(body.shape, k)) for k in (TopAbs_ShapeEnum.TopAbs_FACE, TopAbs_ShapeEnum.TopAbs_SOLID))
    sound = is_valid(body) and (figures.volume > 0.0 or not solids)
    return Report(figures.volume, figures.area, figures.centre, sound, closed_mesh, faces, solids)


def _spans(body: NamedShape) -> int:
    """Of the knots of all faces' surfaces together."""
    total = 0
    for face in parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE):
        carrier = BRepAdaptor_Surface(TopoDS.Face(face))
        if carrier.GetType() == GeomAbs_SurfaceType.GeomAbs_BSplineSurface:
            spline = carrier.BSpline()
            total += (spline.NbUKnots() - 1) * (spline.NbVKnots() - 1)
    return total


NEAR_VOLUME = 3e-6
"""What the kernel is asked for, of the volume: it comes within some 1e-7 by it."""
NEAR_AREA = 1e-3
"""What the kernel is asked for, of the area: it comes within 1e-6 by it, and takes thrice as long when asked for a tenth of this."""
MOST_FACES_INTEGRATED = 3_000
MOST_SPANS_INTEGRATED = 20_000
"""The kernel's integration to a given precision takes a millisecond or two for each span of a surface."""


def to_bytes(body: NamedShape) -> bytes:
    """The body in the kernel's binary form."""
    stream = io.BytesIO()
    BinTools.Write_s(body.shape, stream)
    return stream.getvalue()


def from_bytes(data: bytes, names: Sequence[str]) -> NamedShape:
    """A body from `to_bytes`."""
    shape = TopoDS_Shape()
    BinTools.Read_s(shape, io.BytesIO(data))
    return NamedShape(shape, tuple(names))
