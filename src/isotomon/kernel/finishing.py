"""What the kernel has made of a body's edges or faces: looked at before it is believed, and named. Worker only."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher
from OCP.gp import gp_Pnt
from OCP.ShapeBuild import ShapeBuild_ReShape
from OCP.ShapeFix import ShapeFix_Face, ShapeFix_Shape
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.errors import SizeError, SolidError
from isotomon.kernel.edges import NamedEdge
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.making import NamedShape, from_bytes, names_of, to_bytes
from isotomon.kernel.meshing import mesh_of, parts, welded
from isotomon.kernel.tries import largest, made_apart, works
from isotomon.kernel.volumes import Lump

LOOSE = 0.02
"""Of a radius or width: an edge that lies farther beside its faces is not sound."""
DOUBT = 1e-4
"""Of the body: by so much such a volume is off at most."""
WORTH_OFFERING = 1e-3
"""Of what was asked: a smaller size that works is not offered."""
SEARCH_SECONDS, CULPRIT_SECONDS = 12.0, 6.0
"""At most, for the largest size that works, and for which edge does not go."""
ALONE_SECONDS = 4.0
"""For one edge by itself, when it is looked for which of several does not go."""


LUMP_ANGLE = 0.7
"""rad by which a mesh turns at most of which it is only asked whether places lie within."""


def lump_of(body: NamedShape, deflection: float) -> Lump:
    """A body's mesh, for places to be asked for, with the body's own volume. `deflection`: mm by which it is off at most."""
    return Lump(*welded(mesh_of(body.shape, deflection, LUMP_ANGLE)), volume_of(body.shape))


def finished(body: NamedShape, edges: Sequence[NamedEdge], maker: Any, work: str, size: float) -> NamedShape:
    """What has come of working on a body's edges; `work`: what a new face is called by; `size` mm.

    Raises: SolidError, for what is not sound, or not of a volume that it can have.
    """
    return looked_at(body, edges, come_of(body, edges, maker, work, True), size)


def looked_at(body: NamedShape, edges: Sequence[NamedEdge], made: NamedShape, size: float) -> NamedShape:
    """What has been `made` by working on a body's edges, if it can be that. Raises: SolidError."""
    shape = made.shape
    solids = parts(shape, TopAbs_ShapeEnum.TopAbs_SOLID)
    if not solids or not BRepCheck_Analyzer(shape).IsValid() or loosest(shape) > LOOSE * size:
        raise SolidError("what comes of it is not sound")
    before, after = volume_of(body.shape), volume_of(shape)
    # At no edge more than the square beside it goes, or is filled.
    most = sum(edge.length for edge in edges) * size**2 + 4.0 * size**3 + DOUBT * before
    if (
        not after > 0.0
        or abs(after - before) > most
        or len(solids) != len(parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID))
    ):
        raise SolidError("what comes of it is not the body with its edges worked on")
    return made


Mended = tuple[TopoDS_Shape, Callable[[TopoDS_Shape], TopoDS_Shape]]
"""A shape put right, and what gives the faces as they are on it."""


def come_of(body: NamedShape, edges: Sequence[NamedEdge], maker: Any, work: str, whole: bool = False) -> NamedShape:
    """The same, not looked at yet, but put right where the kernel left it wrong, as it does with faces that go round: as a `whole`, or only the
    faces that are new, in a tenth of the time.

    Raises: SolidError, where nothing has come of it.
    """
    if not maker.IsDone():
        raise SolidError("the kernel cannot do it")
    shape, mended = _mended(maker.Shape()) if whole else _faces_mended(maker.Shape(), _faces_of(body.shape))
    came = [(name, mended(face)) for name, face in _came(body, edges, maker, work)]
    return NamedShape(shape, names_of(shape, came))


def _faces_of(shape: TopoDS_Shape) -> IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher:
    known = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    TopExp.MapShapes_s(shape, TopAbs_ShapeEnum.TopAbs_FACE, known)
    return known


def _mended(shape: TopoDS_Shape) -> Mended:
    if BRepCheck_Analyzer(shape).IsValid():
        return shape, lambda face: face
    fix = ShapeFix_Shape(shape)
    fix.Perform()
    return fix.Shape(), fix.Context().Apply


def _faces_mended(shape: TopoDS_Shape, known: IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher) -> Mended:
    """The same of the faces alone that are not `known` to be right."""
    fresh = [TopoDS.Face(face) for face in parts(shape, TopAbs_ShapeEnum.TopAbs_FACE) if not known.Contains(face)]
    wrong = [face for face in fresh if not BRepCheck_Analyzer(face).IsValid()]
    if not wrong:
        return shape, lambda face: face
    context = ShapeBuild_ReShape()
    for face in wrong:
        fix = ShapeFix_Face(face)
        fix.SetContext(context)
        fix.Perform()
    return context.Apply(shape), context.Apply


def loosest(shape: TopoDS_Shape) -> float:
    """mm by which an edge of a shape lies beside its faces at most: the kernel calls valid what is so loose that anything would be."""
    edges = parts(shape, TopAbs_ShapeEnum.TopAbs_EDGE)
    return max((BRep_Tool.Tolerance_s(TopoDS.Edge(edge)) for edge in edges), default=0.0)


def _came(body: NamedShape, edges: Sequence[NamedEdge], maker: Any, work: str) -> list[tuple[str, TopoDS_Shape]]:
    """Names and the faces they belong to: those that stay, those made of edges, those made of corners."""
    came: list[tuple[str, TopoDS_Shape]] = []
    left = _faces_of(maker.Shape())
    for name, face in zip(body.names, parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True):
        if left.Contains(face):
            came.append((name, face))
        elif not maker.IsDeleted(face):
            came += [(name, piece) for piece in maker.Modified(face)]
    meeting: dict[int, tuple[TopoDS_Shape, set[str]]] = {}
    for edge, pieces in _made_of(edges, maker):
        came += [(f"{work} of ({edge.called})", piece) for piece in pieces]
        for corner in parts(edge.edge, TopAbs_ShapeEnum.TopAbs_VERTEX):
            meeting.setdefault(hash(corner), (corner, set()))[1].update(edge.names)
    for corner, names in meeting.values():
        came += [(f"corner of ({'|'.join(sorted(names))})", piece) for piece in maker.Generated(corner)]
    return came


def _made_of(edges: Sequence[NamedEdge], maker: Any) -> list[tuple[NamedEdge, list[TopoDS_Shape]]]:
    """Edges with the faces that each has become. Where a closed run of them begins, the kernel says of one that it has become its neighbour's
    face, too, and of that that it has become none."""
    made = [(edge, list(maker.Generated(edge.edge))) for edge in edges]
    for edge, pieces in made:
        lent = [(other, piece) for _, other in made if len(other) > 1 for piece in other] if not pieces else []
        if lent:
            at = BRepBuilderAPI_MakeVertex(gp_Pnt(*edge.middle)).Vertex()
            other, piece = min(lent, key=lambda one: BRepExtrema_DistShapeShape(at, one[1]).Value())
            other.remove(piece)
            pieces.append(piece)
    return made


def within_limits(
    work: Callable[[Sequence[NamedEdge], float], NamedShape],
    edges: Sequence[NamedEdge],
    size: float,
    seconds: float,
    what: str,
    done: str,
) -> NamedShape:
    """What work on edges makes; `what` (radius, width) is `size` mm; `done`: what is done with an edge, for what is said.

    Raises: SizeError, with the largest size that works, found in a third of the seconds at most.
    """
    # The kernel may take its process down: that is no answer yet to what would do.
    made = apart(lambda: work(edges, size), seconds / 2.0)
    if made is not None:
        return made
    fits, offer = offered(lambda less: work(edges, less), size, seconds, what)
    bad = _culprit(work, edges, size, min(seconds / 6.0, CULPRIT_SECONDS))
    where = f" between {bad.called.replace('|', ' and ')}" if bad is not None and len(edges) > 1 else ""
    text = f"an edge{where} cannot be {done} with a {what} of {size:.4g} mm; {offer}"
    raise SizeError(text, fits, bad.called if bad else "", bad.middle if bad else None)


def apart(work: Callable[[], NamedShape], seconds: float) -> NamedShape | None:
    """What a piece of work makes in a process of its own; None where it fails, takes longer, or takes that process down."""

    def packed() -> bytes:
        body = work()
        return "\n".join(body.names).encode() + b"\n\n" + to_bytes(body)

    made = made_apart(packed, seconds)
    if made is None:
        return None
    names, _, body = made.partition(b"\n\n")
    return from_bytes(body, names.decode().split("\n"))


def offered(work: Callable[[float], object], size: float, seconds: float, what: str) -> tuple[float, str]:
    """The largest size below one that does not go with which a piece of work succeeds, nought for none, and in words; `what` it is."""
    fits = largest(work, size, min(seconds / 3.0, SEARCH_SECONDS))
    fits = float(np.floor(fits * 1e4) / 1e4) if fits > WORTH_OFFERING * size else 0.0
    return fits, f"up to {fits:.4g} mm works" if fits else f"no {what} was found that works"


def _culprit(
    work: Callable[[Sequence[NamedEdge], float], NamedShape], edges: Sequence[NamedEdge], size: float, seconds: float
) -> NamedEdge | None:
    """The first edge with which alone it does not work; the longest where each works by itself."""
    left = seconds
    for edge in sorted(edges, key=lambda e: e.length):
        if left <= 0.0:
            break
        if not works(lambda edge=edge: work([edge], size), min(ALONE_SECONDS, left)):  # type: ignore[misc]
            return edge
        left -= seconds / max(len(edges), 1)
    return max(edges, key=lambda e: e.length, default=None)
