"""Narrow faces of a body rounded away: both edges along each are rounded by the ball that touches the face and those at both its sides."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.gp import gp_Pnt, gp_Vec
from OCP.ShapeAnalysis import ShapeAnalysis_Surface
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.face_names import whole_face
from isotomon.kernel.edges import NamedEdge, crisp_edges, length_of
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.faces import chosen_faces, named_faces, numbers, outward
from isotomon.kernel.finishing import apart
from isotomon.kernel.making import NamedShape, is_valid, sewn
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.operations.round import set_radii

NEARLY = (1e-5, 1e-4, 1e-3)
"""Of the ball's radius, in the order in which it is tried: by so much less both edges are rounded, since the kernel cannot let a face
shrink to nothing. What is left of it, a strip of this width, is dropped, and both rounds are sewn to each other."""
WIDER = 4.0
"""So many times as far as such a strip is wide may the rounds lie apart."""
PLACES = 7
"""Along each edge at which the ball is looked for."""
STEPS, CLOSE = 30, 1e-10
"""Of Newton's rule at most, and the miss, of the ball's radius, that is none."""
FEW = 4
"""Places are too few for a smooth curve through them."""
SAME = 1e-4
"""Of a radius: one that changes by no more along a run of edges is taken for the same."""
RIM = 1e-6
"""Of a face's parameters: so near its rim a ball does not touch the face itself."""


@dataclass(frozen=True, eq=False)
class LongSide:
    """One of the two sides of a narrow face: its edges, in order, and the faces beyond them."""

    edges: list[NamedEdge]
    beyond: list[TopoDS_Face]


def apply(given: Given) -> MadeBody:
    """The chosen `faces` (a choice a line), each with a round from side to side in its place.

    Raises: SolidError, for a face that has no two sides, and where the rounds cannot be made.
    """
    (body,) = given.bodies
    faces, edges = named_faces(body), crisp_edges(body)
    found, gone = list[tuple[NamedEdge, Array]](), list[str]()
    for number in chosen_faces(body, str(given.values["faces"]).split("\n")):
        name, face = whole_face(faces[number][0]), faces[number][1]
        gone.append(name)
        one, other = _sides(name, face, edges)
        for here, across in ((one, other), (other, one)):
            found += [(edge, _balls(edge, face, across.beyond, name)) for edge in here.edges]
    for less in NEARLY:
        made = apart(partial(_rounded, body, found, gone, less), given.seconds / (2.0 * len(NEARLY)))
        if made is not None:
            return MadeBody(made)
    raise SolidError("the kernel cannot round these faces away; round their edges by a radius instead")


def _sides(name: str, face: TopoDS_Face, edges: Sequence[NamedEdge]) -> tuple[LongSide, LongSide]:
    """Both sides of a face: its two rims, or what is left of its one rim without the two short ends.

    Raises: SolidError, where it has no two such sides.
    """
    wires = [_in_order(TopoDS.Wire(wire), face) for wire in parts(face, TopAbs_ShapeEnum.TopAbs_WIRE)]
    if len(wires) == 1 and len(wires[0]) >= 4:
        (rim,) = wires
        lengths, count = [length_of(edge) for edge in rim], len(rim)
        pairs = [(a, b) for a in range(count) for b in range(a + 2, count) if (b + 1) % count != a]
        first, last = min(pairs, key=lambda pair: lengths[pair[0]] + lengths[pair[1]])
        wires = [rim[first + 1 : last], [*rim[last + 1 :], *rim[:first]]]
    if len(wires) != 2:
        raise SolidError(f"the face {name} does not run between two others; choose a narrow one with two long sides")
    made = []
    for wire in wires:
        own = [edge for one in wire for edge in edges if edge.edge.IsSame(one)]
        if len(own) != len(wire):
            raise SolidError(f"the face {name} runs on smoothly at one side, where there is nothing to round")
        beyond = [next(f for f in edge.faces if not f.IsSame(face)) for edge in own]
        made.append(LongSide(own, beyond))
    return made[0], made[1]


def _in_order(wire: object, face: TopoDS_Face) -> list[TopoDS_Edge]:
    explorer, found = BRepTools_WireExplorer(wire, face), []
    while explorer.More():
        found.append(TopoDS.Edge(explorer.Current()))
        explorer.Next()
    return found


def _balls(edge: NamedEdge, face: TopoDS_Face, across: Sequence[TopoDS_Face], name: str) -> Array:
    """(2, n) shares of an edge's length, and mm: the radii there of balls that touch the face, the one beyond the edge and one `across`.

    Raises: SolidError, where there is none.
    """
    beyond = next(f for f in edge.faces if not f.IsSame(face))
    curve, whole = BRepAdaptor_Curve(edge.edge), edge.length
    shares = (np.arange(PLACES) + 0.5) / PLACES
    places = [
        GCPnts_AbscissaPoint(curve, share * whole, curve.FirstParameter()).Parameter() for share in shares.tolist()
    ]
    found = np.array([_ball(edge.edge, t, (face, beyond), across) for t in places])
    if not found.any():
        raise SolidError(
            f"no ball touches the face {name} and those at both its sides; round its edges by a radius instead"
        )
    return np.stack([shares, found])[:, found > 0.0]


def _ball(edge: TopoDS_Edge, t: float, beside: tuple[TopoDS_Face, TopoDS_Face], across: Sequence[TopoDS_Face]) -> float:
    """mm: the radius of the ball, in the plane square to an edge at t, that touches the face to be rounded away and the one beyond the
    edge, which are `beside` it, and the nearest of those `across`; nought where it touches none of these but past its rim."""
    at, way = gp_Pnt(), gp_Vec()
    BRepAdaptor_Curve(edge).D1(t, at, way)
    here, along = numbers(at), numbers(way) / way.Magnitude()
    feet = [Touch(face, here) for face in across]
    opposite = min(feet, key=lambda foot: foot.away)
    reach = opposite.away
    x = np.append((here + opposite.place) / 2.0 - reach / 2.0 * outward(edge, t, beside[0]), reach / 2.0)
    touching = [*(Touch(face, here) for face in beside), opposite]
    for _ in range(STEPS):
        for foot in touching:
            foot.follow(x[:3])
        rows = [np.append((x[:3] - foot.place) / max(foot.away, 1e-300), -1.0) for foot in touching]
        miss = [*(foot.away - x[3] for foot in touching), float((x[:3] - here) @ along)]
        step = np.linalg.lstsq(np.array([*rows, [*along, 0.0]]), -np.array(miss), rcond=None)[0]
        x = x + step
        if np.abs(step).max() < CLOSE * reach:
            return float(x[3]) if opposite.within and 0.0 < x[3] < reach else 0.0
    return 0.0


class Touch:
    """The nearest place of a face's surface to a point that moves."""

    def __init__(self, face: TopoDS_Face, point: Array) -> None:
        self.surface = ShapeAnalysis_Surface(BRep_Tool.Surface_s(face))
        self.bounds = np.reshape(BRepTools.UVBounds_s(face), (2, 2))
        self.uv = self.surface.ValueOfUV(gp_Pnt(*point.tolist()), CLOSE)
        self._take(point)

    def follow(self, point: Array) -> None:
        """Go on to where that is nearest to a point (3,) near the one before."""
        self.uv = self.surface.NextValueOfUV(self.uv, gp_Pnt(*point.tolist()), CLOSE)
        self._take(point)

    def _take(self, point: Array) -> None:
        self.place = numbers(self.surface.Value(self.uv))
        self.away = float(np.linalg.norm(point - self.place))

    @property
    def within(self) -> bool:
        """Whether it lies where the face is, and not on its rim or past it."""
        uv = np.array([self.uv.X(), self.uv.Y()])
        room = RIM * (self.bounds[:, 1] - self.bounds[:, 0])
        return bool(((uv > self.bounds[:, 0] + room) & (uv < self.bounds[:, 1] - room)).all())


def _rounded(
    body: NamedShape, found: Sequence[tuple[NamedEdge, Array]], gone: Sequence[str], less: float
) -> NamedShape:
    """The body with edges rounded by balls whose radii, `less` that share, are known at shares of each edge; what comes of the faces
    that are `gone` is called after them."""
    maker = BRepFilletAPI_MakeFillet(body.shape)
    for edge, (_, radii) in found:
        if not maker.Contour(edge.edge):
            maker.Add(float(radii.mean()), edge.edge)
    for contour in range(1, maker.NbContours() + 1):
        _set_run(maker, contour, found, less)
    maker.Build()
    if not maker.IsDone():
        raise SolidError("the kernel cannot do it")
    came = [
        (name, piece)
        for name, face in named_faces(body)
        if whole_face(name) not in gone
        for piece in _after(maker, face)
    ]
    for edge, _ in found:
        name = next(name for name in edge.names if name in gone)
        came += [(f"round of ({name})", TopoDS.Face(piece)) for piece in maker.Generated(edge.edge)]
    widest = max(float(radii.max()) for _, (_, radii) in found)
    made, before = sewn(came, WIDER * less * widest), volume_of(body.shape)
    if not is_valid(made) or not 0.0 < volume_of(made.shape) < before:
        raise SolidError("what comes of it is not sound")
    return made


def _after(maker: Any, face: TopoDS_Face) -> list[TopoDS_Face]:
    """What is left of a face."""
    if maker.IsDeleted(face):
        return []
    return [TopoDS.Face(piece) for piece in maker.Modified(face)] or [face]


def _set_run(maker: Any, contour: int, found: Sequence[tuple[NamedEdge, Array]], less: float) -> None:
    """The radii along a run of edges that go on smoothly into each other: one curve through all that is known of it."""
    edges = [maker.Edge(contour, k) for k in range(1, maker.NbEdges(contour) + 1)]
    starts = np.cumsum([0.0, *(length_of(edge) for edge in edges)])
    places, radii = list[float](), list[float]()
    for k, edge in enumerate(edges):
        own = next((known for one, known in found if one.edge.IsSame(edge)), np.empty((2, 0)))
        # Shares are counted along the edge as the kernel has it, which may go the other way than the run.
        ahead = edge.Orientation() == TopAbs_Orientation.TopAbs_FORWARD
        places += (starts[k] + (own[0] if ahead else 1.0 - own[0]) * (starts[k + 1] - starts[k])).tolist()
        radii += own[1].tolist()
    order = np.argsort(places)
    along = _curve(
        np.array(places)[order], (1.0 - less) * np.array(radii)[order], starts[-1] if maker.Closed(contour) else 0.0
    )
    for k, edge in enumerate(edges):
        set_radii(maker, edge, along(np.linspace(starts[k], starts[k + 1], 2 * PLACES + 1)))


def _curve(places: Array, radii: Array, period: float) -> Callable[[Array], Array]:
    """A smooth curve through radii (n,) at places (n,); `period`: the length after which they come again, nought where they do not."""
    if np.ptp(radii) < SAME * radii.max():
        return lambda s: np.full(len(s), radii.min())
    if len(places) < FEW:
        return lambda s: np.interp(s, places, radii)
    if period == 0.0:
        return CubicSpline(places, radii)
    round_ = CubicSpline(np.append(places, places[0] + period), np.append(radii, radii[0]), bc_type="periodic")
    return lambda s: np.asarray(round_(places[0] + np.mod(s - places[0], period)))
