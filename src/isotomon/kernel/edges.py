"""The edges of a finished body, chosen by the names of the faces that meet at them. Worker only."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepLib import BRepLib
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAbs import GeomAbs_Shape
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.face_names import edge_is_meant, whole_face
from isotomon.kernel.making import NamedShape
from isotomon.kernel.meshing import parts

SAME_PLACE = 1e-5
"""mm: an edge whose middle is no further from that of another is that one."""
SMOOTH = np.radians(1.0)
"""rad: faces that meet at a lesser angle run on smoothly into each other, and there is no edge to be worked on."""


@dataclass(frozen=True, eq=False)
class NamedEdge:
    """An edge, the two faces that meet at it, what these are called, without which piece of them it is, and the last of the choices
    that mean it."""

    edge: TopoDS_Edge
    faces: tuple[TopoDS_Face, TopoDS_Face]
    names: tuple[str, str]
    choice: int = 0

    @property
    def called(self) -> str:
        """By the names of its faces, in order."""
        return "|".join(sorted(self.names))

    @property
    def length(self) -> float:
        """mm."""
        return length_of(self.edge)

    @property
    def middle(self) -> tuple[float, float, float]:
        """mm, half way along its parameter."""
        return middle_of(self.edge)


def middle_of(edge: TopoDS_Edge) -> tuple[float, float, float]:
    """mm, half way along its parameter."""
    curve = BRepAdaptor_Curve(edge)
    at = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2.0)
    return at.X(), at.Y(), at.Z()


def length_of(edge: TopoDS_Edge) -> float:
    """mm."""
    return float(GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(edge)))


def crisp_edges(body: NamedShape, wanted: Callable[[TopoDS_Edge], bool] = lambda edge: True) -> list[NamedEdge]:
    """All edges of a body at which two faces meet at an angle, of those that are `wanted`."""
    known = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    beside: dict[int, list[tuple[TopoDS_Face, str]]] = {}
    for name, face in zip(body.names, parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True):
        for edge in parts(face, TopAbs_ShapeEnum.TopAbs_EDGE):
            beside.setdefault(known.Add(edge), []).append((TopoDS.Face(face), whole_face(name)))
    found = []
    for number, sides in beside.items():
        edge = TopoDS.Edge(known.FindKey(number))
        if len(sides) != 2 or sides[0][0].IsSame(sides[1][0]) or not wanted(edge):
            continue
        (f, a), (g, b) = sides
        if BRepLib.ContinuityOfFaces_s(edge, f, g, SMOOTH) == GeomAbs_Shape.GeomAbs_C0:
            found.append(NamedEdge(edge, (f, g), (a, b)))
    return found


def chosen_edges(body: NamedShape, choices: Sequence[str]) -> list[NamedEdge]:
    """The edges meant by any of some choices, each once: `all`; `along` the body; `through CORNER`, along it through that corner;
    `face NAME`, all about it; `meets MARK`, where faces whose names begin with that mark meet others; `edge A|B`, where two meet; but for those meant by `without CHOICE`.

    Raises: SolidError, naming the choice that means no edge.
    """
    found: dict[int, NamedEdge] = {}
    edges = crisp_edges(body)
    out = [choice.removeprefix("without ") for choice in choices if choice.startswith("without ")]
    for number, choice in enumerate(choice for choice in choices if not choice.startswith("without ")):
        meant = {k: replace(edge, choice=number) for k, edge in enumerate(edges) if edge_is_meant(edge.names, choice)}
        if not meant:
            raise SolidError(f"there is no edge {_in_words(choice)} any more; choose others")
        found |= meant
    left = [found[k] for k in sorted(found) if not any(edge_is_meant(found[k].names, choice) for choice in out)]
    if not left:
        raise SolidError("all edges that are chosen are left out; choose others")
    return left


def running_on(body: NamedShape, edges: Sequence[NamedEdge], choices: Sequence[str]) -> list[NamedEdge]:
    """Chosen edges, and those of the body that run on smoothly from them, which a ball or a bevel goes along, too, as the same choice.

    Raises: SolidError, where one of these is left out by the choices: there is no stopping before it.
    """
    maker = BRepFilletAPI_MakeFillet(body.shape)
    choice: dict[int, int] = {}
    for edge in sorted(edges, key=lambda e: -e.choice):
        if not maker.Contour(edge.edge):
            maker.Add(1.0, edge.edge)  # of whatever radius: nothing is built
        choice.setdefault(maker.Contour(edge.edge), edge.choice)
    chosen = {hash(edge.edge) for edge in edges}
    along = [edge for edge in crisp_edges(body) if maker.Contour(edge.edge) and hash(edge.edge) not in chosen]
    for edge in along:
        for out in choices:
            if out.startswith("without ") and edge_is_meant(edge.names, out.removeprefix("without ")):
                between = edge.called.replace("|", " and ")
                text = f"the edge between {between} is left out, but runs on smoothly from one that is chosen; choose both or neither"
                raise SolidError(text)
    return [*edges, *(replace(edge, choice=choice[maker.Contour(edge.edge)]) for edge in along)]


def connected(edges: Sequence[NamedEdge]) -> list[list[NamedEdge]]:
    """Edges in groups: those of one hang together by their ends, and with none of the others."""
    groups: list[tuple[set[int], list[int]]] = []
    for k, edge in enumerate(edges):
        ends, members = {hash(corner) for corner in parts(edge.edge, TopAbs_ShapeEnum.TopAbs_VERTEX)}, [k]
        for group in [group for group in groups if group[0] & ends]:
            groups.remove(group)
            ends, members = ends | group[0], members + group[1]
        groups.append((ends, members))
    return [[edges[k] for k in members] for members in sorted(sorted(members) for _, members in groups)]


def found_again(body: NamedShape, edges: Sequence[NamedEdge]) -> list[NamedEdge]:
    """Edges as they are on a body on which others were worked on meanwhile.

    Raises: SolidError, for one that is not there any more.
    """
    places = np.array([edge.middle for edge in edges])

    def off(edge: TopoDS_Edge) -> Array:
        """(n,) mm from the middles of those that are looked for."""
        return np.asarray(np.linalg.norm(places - middle_of(edge), axis=1))

    there = crisp_edges(body, lambda edge: off(edge).min() <= SAME_PLACE)
    far = np.array([off(edge.edge) for edge in there]).reshape(len(there), len(edges))
    if not len(there) or far.min(axis=0).max() > SAME_PLACE:
        raise SolidError("an edge is gone once the others are worked on")
    return [replace(there[k], choice=edge.choice) for k, edge in zip(far.argmin(axis=0), edges, strict=True)]


def _in_words(choice: str) -> str:
    kind, _, rest = choice.partition(" ")
    words = {
        "all": "at which faces meet at an angle",
        "along": "along the body",
        "through": f"through {rest}",
        "face": f"about {rest}",
        "meets": "where the two bodies meet",
    }
    return words.get(kind, "between " + rest.replace("|", " and "))
