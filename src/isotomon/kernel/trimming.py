"""Faces trimmed by curves in their own parameters. Worker only."""

from __future__ import annotations

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools_WireExplorer
from OCP.collections import Array1_gp_Pnt2d
from OCP.Geom import Geom_BSplineSurface
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt, gp_Pnt2d
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopoDS import TopoDS_Edge, TopoDS_Face, TopoDS_Vertex, TopoDS_Wire

from isotomon.errors import SolidError
from isotomon.geometry.patch import Patch, TrimPiece
from isotomon.kernel.arrays import doubles, ints


def trimmed_face(carrier: Geom_BSplineSurface, patch: Patch, tolerance: float) -> TopoDS_Face:
    """The part of a patch that lies within its first run, and outside of the others.

    Raises: SolidError.
    """
    wires = [_wire(carrier, run) for run in patch.trims]
    maker = BRepBuilderAPI_MakeFace(carrier, wires[0], True)
    for wire in wires[1:]:
        maker.Add(wire)
    if not maker.IsDone():
        raise SolidError(f"the kernel does not trim {patch.name}")
    face = maker.Face()
    BRepLib.BuildCurves3d_s(face, tolerance)
    fix = ShapeFix_Face(face)
    fix.SetPrecision(tolerance)
    fix.FixOrientation()
    return fix.Face()


def _wire(carrier: Geom_BSplineSurface, run: tuple[TrimPiece, ...]) -> TopoDS_Wire:
    """Raises: SolidError."""
    wire = BRepBuilderAPI_MakeWire()
    for piece in run:
        poles = Array1_gp_Pnt2d(1, len(piece.control))
        for k, (x, y) in enumerate(piece.control.tolist(), 1):
            poles.SetValue(k, gp_Pnt2d(x, y))
        curve = Geom2d_BSplineCurve(poles, doubles(piece.breaks), ints(piece.times), piece.degree, False)
        edge = BRepBuilderAPI_MakeEdge(curve, carrier)
        if not edge.IsDone():
            raise SolidError("the kernel makes no edge of a curve on the skin")
        BRepLib.BuildCurve3d_s(edge.Edge())
        wire.Add(edge.Edge())
    if not wire.IsDone():
        raise SolidError("the curves on the skin are not one closed run")
    return wire.Wire()


def flat_face(carrier: Geom_BSplineSurface, patch: Patch, tolerance: float) -> TopoDS_Face:
    """A patch that lies in a plane, or the part of it within its runs, as a part of that plane.

    Raises: SolidError.
    """
    wires = [_wire(carrier, run) for run in patch.trims] or [_border(carrier, patch, tolerance)]
    maker = BRepBuilderAPI_MakeFace(_plane(patch), _on_their_own(wires[0]), True)
    for wire in wires[1:]:
        maker.Add(_on_their_own(wire))
    if not maker.IsDone():
        raise SolidError(f"the kernel makes no flat face of {patch.name}")
    fix = ShapeFix_Face(maker.Face())
    fix.FixOrientation()
    return fix.Face()


def _plane(patch: Patch) -> gp_Pln:
    """The plane of a flat patch, its normal as the patch's."""
    points = patch.control
    middle = points.reshape(-1, 3).mean(axis=0)
    normal = np.linalg.svd(points.reshape(-1, 3) - middle)[2][2]
    run, on = points[-1] - points[0], points[:, -1] - points[:, 0]
    facing = float(np.cross(run.sum(axis=0), on.sum(axis=0)) @ normal)
    return gp_Pln(gp_Pnt(*middle.tolist()), gp_Dir(*(normal if facing > 0.0 else -normal).tolist()))


def _border(carrier: Geom_BSplineSurface, patch: Patch, tolerance: float) -> TopoDS_Wire:
    """The four sides of a patch, but those that are points."""
    u, v = patch.breaks_u[[0, -1]].tolist(), patch.breaks_v[[0, -1]].tolist()
    sides = (
        (patch.control[:, 0], lambda: carrier.VIso(v[0])),
        (patch.control[-1], lambda: carrier.UIso(u[1])),
        (patch.control[:, -1], lambda: carrier.VIso(v[1])),
        (patch.control[0], lambda: carrier.UIso(u[0])),
    )
    wire = BRepBuilderAPI_MakeWire()
    for control, curve in sides:
        if float(np.ptp(control, axis=0).max()) > tolerance:
            wire.Add(BRepBuilderAPI_MakeEdge(curve()).Edge())
    if not wire.IsDone():
        raise SolidError("the sides of a flat skin are not one closed run")
    return wire.Wire()


STRAIGHT = 1e-9
"""Of its length: an edge that leaves its chord by no more is straight."""


def _on_their_own(wire: TopoDS_Wire) -> TopoDS_Wire:
    """The same edges, without the skin that they were made on; straight ones as lines."""
    made, corners = BRepBuilderAPI_MakeWire(), list[TopoDS_Vertex]()
    explorer = BRepTools_WireExplorer(wire)
    edges = list[TopoDS_Edge]()
    while explorer.More():
        edges.append(explorer.Current())
        corners.append(explorer.CurrentVertex())
        explorer.Next()
    for edge, begin, end in zip(edges, corners, [*corners[1:], corners[0]], strict=True):
        curve = BRepAdaptor_Curve(edge)
        t = np.linspace(curve.FirstParameter(), curve.LastParameter(), 17)
        points = np.array([(p.X(), p.Y(), p.Z()) for p in map(curve.Value, t.tolist())])
        chord = points[-1] - points[0]
        away = np.cross(points - points[0], chord)
        size = float(np.linalg.norm(chord))
        straight = size > 0.0 and float(np.linalg.norm(away, axis=1).max()) < STRAIGHT * size * size
        if straight:
            made.Add(BRepBuilderAPI_MakeEdge(begin, end).Edge())
        else:
            own = BRep_Tool.Curve_s(edge, 0.0, 1.0)
            made.Add(BRepBuilderAPI_MakeEdge(own, curve.FirstParameter(), curve.LastParameter()).Edge())
    if not made.IsDone():
        raise SolidError("the sides of a flat skin are not one closed run")
    return made.Wire()
