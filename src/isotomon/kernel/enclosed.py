"""The volume that a body's faces enclose, the share of each worked out once: what a step leaves as it was is not integrated again.
Worker only."""

from __future__ import annotations

from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepGProp import BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.kernel.meshing import parts

NEAR = 1e-3
"""Of the share of a face: how nearly it is worked out at the least; for what is only looked at for whether it can be right."""
MOST_FACES = 20_000
"""So many shares are kept; a step forgets them by ending."""

_faces = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
_shares: list[float] = []
_tip = gp_Pnt()
"""That of the cones to all faces that are known."""


def volume_of(shape: TopoDS_Shape) -> float:
    """mm³ within the closed shells of a shape."""
    if not 0 < len(_shares) < MOST_FACES:
        _forget(shape)
    closed = [shell for shell in parts(shape, TopAbs_ShapeEnum.TopAbs_SHELL) if BRep_Tool.IsClosed_s(shell)]
    return sum(_share(face) for shell in closed for face in parts(shell, TopAbs_ShapeEnum.TopAbs_FACE))


def _forget(shape: TopoDS_Shape) -> None:
    """Begin anew, with cones from the middle of this shape: those from afar are large, and nearly cancel."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box)
    _faces.Clear()
    _shares.clear()
    if not box.IsVoid():
        low, high = box.CornerMin(), box.CornerMax()
        _tip.SetCoord(*((a + b) / 2.0 for a, b in zip(_xyz(low), _xyz(high), strict=True)))


def _xyz(p: gp_Pnt) -> tuple[float, float, float]:
    return p.X(), p.Y(), p.Z()


def _share(face: TopoDS_Shape) -> float:
    """mm³ of the cone to a face, less than nought where the face looks towards its tip."""
    number = _faces.Add(face)
    if number > len(_shares):
        forward = TopoDS.Face(face.Oriented(TopAbs_Orientation.TopAbs_FORWARD))
        cone = BRepGProp_Vinert(BRepGProp_Face(forward), BRepGProp_Domain(forward), _tip, NEAR)
        _shares.append(float(cone.Mass()))
    return -_shares[number - 1] if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else _shares[number - 1]
