"""Faces trimmed by curves in their own parameters. Worker only."""

from __future__ import annotations

from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepLib import BRepLib
from OCP.collections import Array1_gp_Pnt2d
from OCP.Geom import Geom_BSplineSurface
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Pnt2d
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopoDS import TopoDS_Face, TopoDS_Wire

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
