"""Faces sewn to a solid where they close; where they do not it is said how far they are apart. Worker only."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.collections import IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as Ancestors
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face

from isotomon.arrays import Array
from isotomon.geometry.face_names import owner_and_name
from isotomon.kernel.making import NamedShape, names_of, sewn
from isotomon.kernel.meshing import parts

PLACES = 65
"""At which an open edge is looked at."""
NEAR = 0.1
"""Of the whole: open edges that run side by side no further apart than that were to be one."""


@dataclass(frozen=True, eq=False)
class Open:
    """An open edge: the name of its face, places (n, 3) along it, and its length, mm."""

    name: str
    points: Array
    length: float


def sewn_together(faces: Sequence[tuple[str, TopoDS_Face]], tolerance: float) -> tuple[NamedShape, tuple[str, ...]]:
    """Named faces sewn where edges are no further apart than the tolerance (mm): a solid where they close, else one skin; and what is to be told
    of where it is open, and where more than two faces meet.

    Raises: SolidError.
    """
    edges, branches = _edges(faces, tolerance)
    if not edges:
        return sewn(faces, tolerance), ()
    told = _told(edges)
    if branches:
        where = _said(branches[0].points[PLACES // 2])
        told += (
            f"three faces or more meet at {_counted(branches)}, as at {where}; only two of them can bound a solid",
        )
    return sewn(faces, tolerance, skin=True), told


def _edges(faces: Sequence[tuple[str, TopoDS_Face]], tolerance: float) -> tuple[list[Open], list[Open]]:
    """The edges of sewn faces at which there is no other face, none where they close; and which of them lie where two others meet."""
    sewing = BRepBuilderAPI_Sewing(tolerance)
    for _, face in faces:
        sewing.Add(face)
    sewing.Perform()
    shape = sewing.SewedShape()
    came = [(name, sewing.Modified(face) if sewing.IsModified(face) else face) for name, face in faces]
    names = dict(zip(map(hash, parts(shape, TopAbs_ShapeEnum.TopAbs_FACE)), names_of(shape, came), strict=True))
    known = Ancestors()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_ShapeEnum.TopAbs_EDGE, TopAbs_ShapeEnum.TopAbs_FACE, known)
    found, shared = list[Open](), list[Open]()
    for k in range(1, known.Extent() + 1):
        edge, own = TopoDS.Edge(known.FindKey(k)), list(known.FindFromIndex(k))
        seam = len(own) == 1 and BRep_Tool.IsClosed_s(edge, TopoDS.Face(own[0]))
        if len(own) == 1 and not (seam or BRep_Tool.Degenerated_s(edge)):
            found.append(_looked_at(edge, names.get(hash(own[0]), "skin")))
        elif len(own) > 1:
            shared.append(_looked_at(edge, names.get(hash(own[0]), "skin")))
    return found, [edge for edge in found if any(_lies_on(edge, other, tolerance) for other in shared)]


def _lies_on(edge: Open, other: Open, tolerance: float) -> bool:
    """Whether an edge lies on another, all along."""
    middle = edge.points[PLACES // 2]
    near = float(np.linalg.norm(other.points - middle, axis=1).min()) <= other.length / 2.0
    return near and edge.length <= (1.0 + NEAR) * other.length and _apart(edge, other)[0] <= tolerance


def _looked_at(edge: TopoDS_Edge, name: str) -> Open:
    curve = BRepAdaptor_Curve(edge)
    t = np.linspace(curve.FirstParameter(), curve.LastParameter(), PLACES)
    points = np.array([(p.X(), p.Y(), p.Z()) for p in map(curve.Value, t.tolist())])
    return Open(name, points, float(GCPnts_AbscissaPoint.Length_s(curve)))


def _told(edges: Sequence[Open]) -> tuple[str, ...]:
    """Where skins are open: the widest gap between two open edges that run side by side, and how long the open edges are in all."""
    whole = sum(edge.length for edge in edges)
    words = f"open along {_counted(edges)}, {whole:.4g} mm in all"
    size = float(np.ptp(np.vstack([edge.points for edge in edges]), axis=0).max())
    # Each edge was to be one with that which it runs beside; of these pairs the widest is told.
    pairs = [
        min(((*_apart(a, b), b) for b in edges if b is not a), key=lambda one: one[0], default=(np.inf, a.points[0], a))
        for a in edges
    ]
    near = [(*pair, a) for pair, a in zip(pairs, edges, strict=True) if pair[0] < NEAR * size]
    if not near:
        return (words,)
    gap, place, a, b = max(near, key=lambda one: one[0])
    return (f"{words}; {_called(a)} and {_called(b)} are up to {gap:.4g} mm apart, at {_said(place)}",)


def _said(place: Array) -> str:
    x, y, z = (f"{c:.4g}" for c in place.round(6) + 0.0)
    return f"({x}, {y}, {z})"


def _counted(edges: Sequence[Open]) -> str:
    return f"{len(edges)} edges" if len(edges) > 1 else "one edge"


def _apart(a: Open, b: Open) -> tuple[float, Array]:
    """How far two open edges are apart at most, mm, and where: of the shorter one, from the other."""
    short, long = sorted((a, b), key=lambda edge: edge.length)
    ends, step = long.points[:-1], np.diff(long.points, axis=0)
    away = short.points[:, None] - ends[None]
    share = np.clip((away * step).sum(axis=2) / np.maximum((step**2).sum(axis=1), 1e-300), 0.0, 1.0)
    far = np.linalg.norm(away - share[..., None] * step, axis=2).min(axis=1)
    k = int(far.argmax())
    return float(far[k]), short.points[k]


def _called(edge: Open) -> str:
    """The face of an open edge, by the body that it is of."""
    owner, name = owner_and_name(edge.name)
    return f"{name} of {owner}" if owner else name
