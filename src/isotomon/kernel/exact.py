"""Exact bodies by the kernel: a profile of lines, arcs and splines moved straight, or turned about an axis."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepLib import BRepLib
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism, BRepPrimAPI_MakeRevol
from OCP.collections import Array1_gp_Pnt
from OCP.GC import GC_MakeArcOfCircle, GC_MakeCircle
from OCP.Geom import Geom_BSplineCurve
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Vec
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.errors import SolidError
from isotomon.geometry.edge import Edge
from isotomon.kernel.arrays import doubles, ints
from isotomon.kernel.making import NamedShape, wire_of
from isotomon.kernel.meshing import parts

Vector = Sequence[float]


def moved(edges: Sequence[Edge], way: Vector, origin: Vector | None, angle: float, skin: bool) -> NamedShape:
    """The body that a profile makes when it is moved by `way`, or about the axis through `origin` along `way` by `angle`
    rad. `skin`: the profile is open, and what it makes is a shell.

    Raises: SolidError, when the kernel cannot do it.
    """
    made = kernel_edges(edges)
    profile = _profile([(e, k) for e, k in zip(edges, made, strict=True)], skin)
    if origin is None:
        maker: Any = BRepPrimAPI_MakePrism(profile, gp_Vec(*way))
    else:
        axis = gp_Ax1(gp_Pnt(*origin), gp_Dir(*way))
        whole = abs(angle - math.tau) < 1e-9
        maker = BRepPrimAPI_MakeRevol(profile, axis) if whole else BRepPrimAPI_MakeRevol(profile, axis, angle)
    if not maker.IsDone():
        raise SolidError("the kernel cannot move this profile so; check that it does not cross the axis")
    shape: TopoDS_Shape = maker.Shape()
    came = [(e.name, face) for e, k in zip(edges, made, strict=True) for face in maker.Generated(k)]
    if not skin:
        solids = parts(shape, TopAbs_ShapeEnum.TopAbs_SOLID)
        if len(solids) != 1:
            raise SolidError(
                f"the profile makes {len(solids)} solids where one was wanted; check that it is one outline"
            )
        came += [("first cap", maker.FirstShape()), ("last cap", maker.LastShape())]
        shape = solids[0]
        BRepLib.OrientClosedSolid_s(TopoDS.Solid(shape))
    if not BRepCheck_Analyzer(shape).IsValid():
        raise SolidError(
            "the kernel makes no valid body of this profile; check that it does not touch itself or the axis"
        )
    names = []
    for face in parts(shape, TopAbs_ShapeEnum.TopAbs_FACE):
        name = next((name for name, own in came if own.IsSame(face)), None)
        names.append(name if name is not None else _lies_on(face, edges))
    return NamedShape(shape, tuple(names))


def _lies_on(face: TopoDS_Shape, edges: Sequence[Edge]) -> str:
    """The name of the profile's edge that lies on a face: the kernel does not say which one made a flat ring of a whole
    turn."""
    for edge in edges:
        if edge.kind != "line":
            continue
        middle = BRepBuilderAPI_MakeVertex(gp_Pnt(*edge.points.mean(axis=0).tolist())).Vertex()
        if BRepExtrema_DistShapeShape(middle, face).Value() < 1e-6:
            return edge.name
    return "unnamed"


def kernel_edges(edges: Sequence[Edge]) -> list[Any]:
    """The kernel's edges, neighbours sharing their vertex."""
    corners: dict[tuple[float, ...], Any] = {}

    def corner(point: Vector) -> Any:
        key = tuple(round(float(c), 6) for c in point)
        if key not in corners:
            corners[key] = BRepBuilderAPI_MakeVertex(gp_Pnt(*point)).Vertex()
        return corners[key]

    made = []
    for edge in edges:
        points = [gp_Pnt(*p) for p in edge.points.tolist()]
        if edge.kind == "circle":
            made.append(BRepBuilderAPI_MakeEdge(GC_MakeCircle(*points).Value()).Edge())
            continue
        closed = edge.basis is not None and edge.basis.periodic
        if closed:
            made.append(BRepBuilderAPI_MakeEdge(_spline(edge)).Edge())
            continue
        ends = [corner(p) for p in edge.points[[0, -1]].tolist()]
        if edge.kind == "line":
            maker = BRepBuilderAPI_MakeEdge(*ends)
        else:
            curve = GC_MakeArcOfCircle(*points).Value() if edge.kind == "arc" else _spline(edge)
            # From end to end: of a curve that comes back to one corner, the ends by themselves do not say which way.
            maker = BRepBuilderAPI_MakeEdge(curve, *ends, curve.FirstParameter(), curve.LastParameter())
        if not maker.IsDone():
            raise SolidError(f"the kernel makes no edge of {edge.name}")
        made.append(maker.Edge())
    return made


def _spline(edge: Edge) -> Geom_BSplineCurve:
    assert edge.basis is not None
    poles = Array1_gp_Pnt(1, len(edge.points))
    for i, p in enumerate(edge.points.tolist(), 1):
        poles.SetValue(i, gp_Pnt(*p))
    times = edge.basis.multiplicity.copy()
    if not edge.basis.periodic:
        times[[0, -1]] = edge.basis.degree + 1
    return Geom_BSplineCurve(poles, doubles(edge.basis.breaks), ints(times), edge.basis.degree, edge.basis.periodic)


def _profile(edges: Sequence[tuple[Edge, Any]], skin: bool) -> TopoDS_Shape:
    """The flat face inside the outer run and outside the others, or the open wire."""
    loops: dict[int, list[Any]] = {}
    for edge, made in edges:
        loops.setdefault(edge.loop, []).append(made)
    wires = {loop: wire_of(own) for loop, own in loops.items()}
    if skin:
        return wires[0]
    maker = BRepBuilderAPI_MakeFace(wires[0], True)
    for loop, wire in wires.items():
        if loop:
            maker.Add(wire)
    if not maker.IsDone():
        raise SolidError("the profile is not one flat closed outline")
    fix = ShapeFix_Face(maker.Face())
    fix.FixOrientation()
    return fix.Face()
