"""Bevels along runs of edges that go on smoothly into each other. The kernel's own are narrower by half in places. Here the faces along a run are made for themselves, and the body is parted by them. Worker only."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy, BRepBuilderAPI_MakeFace
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepTools import BRepTools
from OCP.Geom import Geom_Surface
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum, TopAbs_State
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Edge, TopoDS_Face
from scipy.interpolate import make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.patch import Patch
from isotomon.kernel.combining import pieces_side_by_side, split_by
from isotomon.kernel.edges import NamedEdge
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.faces import numbers, outward
from isotomon.kernel.making import NamedShape, is_valid, sewn, surface
from isotomon.kernel.meshing import parts

SPREAD = 0.5 - 0.5 * np.cos(np.linspace(0.0, np.pi, 13))
"""The shares of each edge at which it is worked out where the bevel begins and ends, closer and closer to its ends."""
STEPS, CLOSE = 12, 1e-10
"""Of Newton's rule at most, and the miss, of the width, that is none."""
BEYOND = 0.25
"""Of a face's parameters: so far past its sides it may be gone on with, where a rim does not run square to these."""
PAST = 0.25
"""Of its width: so far what parts the body reaches past the bevel at both sides, so that it cuts through the faces there."""
BULGE = 0.1
"""Of what a bevel takes away between flat faces: by so much curved ones may change it."""


@dataclass(frozen=True, eq=False)
class SmoothRun:
    """The edges of a run that goes on smoothly, in order, and whether each is gone along the way it has."""

    edges: list[tuple[NamedEdge, bool]]
    closed: bool


@dataclass(frozen=True, eq=False)
class Beside:
    """Places along an edge of a run, (n, 3) each: on the edge, and where the bevel begins and ends beside it; what it is called."""

    edge: Array
    first: Array
    second: Array
    called: str


def smooth_runs(maker: Any, edges: Sequence[NamedEdge]) -> list[SmoothRun]:
    """Each run of several edges, of what a maker of the kernel has been told."""
    runs = []
    for contour in range(1, maker.NbContours() + 1):
        own = [maker.Edge(contour, k) for k in range(1, maker.NbEdges(contour) + 1)]
        named = [next((one for one in edges if one.edge.IsSame(edge)), None) for edge in own]
        ahead = [edge.Orientation() == TopAbs_Orientation.TopAbs_FORWARD for edge in own]
        run = [(one, way) for one, way in zip(named, ahead, strict=True) if one is not None and _is_outward(one)]
        if len(run) == len(own) > 1:
            runs.append(SmoothRun(run, bool(maker.Closed(contour))))
    return runs


def _is_outward(edge: NamedEdge) -> bool:
    """Whether the body fills less than half of what is round an edge, half way along it."""
    t = _half_way(edge)
    return float(_inward(edge.edge, t, edge.faces[0]) @ outward(edge.edge, t, edge.faces[1])) < 0.0


def _half_way(edge: NamedEdge) -> float:
    """Its parameter in the middle."""
    curve = BRepAdaptor_Curve(edge.edge)
    return float(curve.FirstParameter() + curve.LastParameter()) / 2.0


def bevel_along(
    body: NamedShape, run: SmoothRun, size: float, ratio: float, tolerance: float
) -> tuple[NamedShape, float]:
    """The skin of a bevel `size` mm wide on the first face along a run, and `ratio` times that on the other, which reaches out of the body
    all round; and mm³ of what it takes away, were the faces flat.

    Raises: SolidError, where it reaches past a face, or the body goes on where the run ends.
    """
    (begun, way), widths = run.edges[0], (size, size * ratio)
    left = _is_left(begun, way, begun_with(begun))
    found = []
    for edge, ahead in run.edges:
        first = 0 if _is_left(edge, ahead, edge.faces[0]) == left else 1
        found.append(_places(edge, ahead, (edge.faces[first], edge.faces[1 - first]), widths))
    around = [found[-1], *found, found[0]] if run.closed else [None, *found, None]
    met = [_meeting(*three) for three in zip(around, found, around[2:], strict=False)]
    every = met if run.closed else [_drawn_out(met[0], 0, max(widths)), *met, _drawn_out(met[-1], -1, max(widths))]
    if not run.closed and any(_is_within(body, _middle(one)) for one in (every[0], every[-1])):
        raise SolidError("a bevel cannot end at a corner at which the body goes on")
    faces = [(f"bevel of ({one.called})", _ruled(*_reaching_out(one), tolerance)) for one in every]
    return sewn(faces, tolerance, skin=True), _wedge(met)


def _reaching_out(one: Beside) -> tuple[Array, Array]:
    """(n, 3) each: places beyond the bevel at both sides."""
    return one.first + PAST * (one.first - one.second), one.second + PAST * (one.second - one.first)


def _drawn_out(one: Beside, row: int, reach: float) -> Beside:
    """How a run goes straight on past its first place, or its last."""
    inner, outer = (one.edge[1], one.edge[0]) if row == 0 else (one.edge[-2], one.edge[-1])
    way = reach * (outer - inner) / np.linalg.norm(outer - inner)
    share = SPREAD if row else SPREAD - 1.0
    past = share[:, None] * (way if row else -way)
    return Beside(one.edge[row] + past, one.first[row] + past, one.second[row] + past, one.called)


def _middle(one: Beside) -> Array:
    row = len(SPREAD) // 2
    return np.asarray((one.first + one.second + 4.0 * one.edge)[row] / 6.0)


def _is_within(body: NamedShape, place: Array) -> bool:
    found = BRepClass3d_SolidClassifier(body.shape, gp_Pnt(*place.tolist()), CLOSE)
    return bool(found.State() == TopAbs_State.TopAbs_IN)


def begun_with(edge: NamedEdge) -> TopoDS_Face:
    """The face of an edge along which a bevel's first width is."""
    return edge.faces[edge.names.index(min(edge.names))]


def cut_off(body: NamedShape, bevels: Sequence[tuple[NamedShape, float]], tolerance: float) -> NamedShape:
    """A body without what lies before bevels.

    Raises: SolidError, where what comes of it cannot be that.
    """
    count = len(parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID))
    found = [(volume_of(one.shape), one) for one in split_by(body, [skin for skin, _ in bevels], tolerance)[0]]
    largest = sorted(found, key=lambda one: -one[0])[:count]
    left = [NamedShape(BRepBuilderAPI_Copy(one.shape).Shape(), one.names) for _, one in largest]
    made = left[0] if count == 1 else pieces_side_by_side(left)
    wanted, taken = sum(volume for _, volume in bevels), sum(v for v, _ in found) - sum(v for v, _ in largest)
    if not is_valid(made) or abs(taken - wanted) > BULGE * wanted:
        raise SolidError("what comes of it is not the body with its edges worked on")
    return made


def _wedge(found: Sequence[Beside]) -> float:
    """mm³ of what lies between a bevel and flat faces, by the divergence theorem over the three sides of it."""
    total = 0.0
    for one in found:
        for a, b in ((one.first, one.second), (one.second, one.edge), (one.edge, one.first)):
            for p, q, r in ((a[:-1], b[:-1], a[1:]), (b[:-1], b[1:], a[1:])):
                total += float(np.einsum("ij,ij->", p, np.cross(q, r))) / 6.0
    begin, end = found[0], found[-1]  # which cancel each other where the run closes
    total += float(begin.first[0] @ np.cross(begin.edge[0], begin.second[0])) / 6.0
    total += float(end.first[-1] @ np.cross(end.second[-1], end.edge[-1])) / 6.0
    return abs(total)


def _is_left(edge: NamedEdge, ahead: bool, face: TopoDS_Face) -> bool:
    """Whether a face lies to the left of a run, seen from outside."""
    t = _half_way(edge)
    along = _along(BRepAdaptor_Curve(edge.edge), t)[1] * (1.0 if ahead else -1.0)
    return float(np.cross(outward(edge.edge, t, face), along) @ _inward(edge.edge, t, face)) > 0.0


def _places(
    edge: NamedEdge, ahead: bool, faces: tuple[TopoDS_Face, TopoDS_Face], widths: tuple[float, float]
) -> Beside:
    curve = BRepAdaptor_Curve(edge.edge)
    t = curve.FirstParameter() + SPREAD * (curve.LastParameter() - curve.FirstParameter())
    t = t if ahead else t[::-1]
    sides = [
        np.array([_beside(edge, at, face, width) for at in t.tolist()])
        for face, width in zip(faces, widths, strict=True)
    ]
    return Beside(np.array([_along(curve, at)[0] for at in t.tolist()]), sides[0], sides[1], edge.called)


def _beside(edge: NamedEdge, t: float, face: TopoDS_Face, width: float) -> Array:
    """(3,) the place of a face that is `width` mm from a place of its rim, square to that.

    Raises: SolidError, where the face ends before.
    """
    here, along = _along(BRepAdaptor_Curve(edge.edge), t)
    skin, (low, high) = BRep_Tool.Surface_s(face), np.reshape(BRepTools.UVBounds_s(face), (2, 2)).T
    rim = BRep_Tool.CurveOnSurface_s(edge.edge, face, 0.0, 1.0).Value(t)
    uv, wanted = np.array([rim.X(), rim.Y()]), width * _inward(edge.edge, t, face)
    for step in range(STEPS):
        if ((uv < low - BEYOND * (high - low)) | (uv > high + BEYOND * (high - low))).any():
            break
        place, slopes = _on(skin, uv, np.clip(uv, low, high))
        away = place - here
        if step == 0:
            uv = uv + np.linalg.lstsq(slopes, wanted - away, rcond=None)[0]
            continue
        miss = np.array([along @ away, (away @ away - width**2) / (2.0 * width)])
        if np.abs(miss).max() < CLOSE * width:
            return place
        uv = uv - np.linalg.solve(np.stack([along @ slopes, away @ slopes / width]), miss)
    raise SolidError("a bevel reaches past the face beside an edge")


def _on(skin: Geom_Surface, uv: Array, within: Array) -> tuple[Array, Array]:
    """(3,) where a skin is at u and v, and (3, 2) its derivatives; past its rim, where it is nearest `within`, it goes on by its first two
    derivatives there: its last pieces are short, and soon lead away."""
    at, by_u, by_v, uu, vv, u_v = gp_Pnt(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec(), gp_Vec()
    skin.D2(*within.tolist(), at, by_u, by_v, uu, vv, u_v)
    slopes, past = np.stack([numbers(by_u), numbers(by_v)], axis=1), uv - within
    bends = np.array([[numbers(uu), numbers(u_v)], [numbers(u_v), numbers(vv)]])
    turned = np.einsum("ijk,j->ki", bends, past)
    return numbers(at) + (slopes + turned / 2.0) @ past, slopes + turned


def _inward(edge: TopoDS_Edge, t: float, face: TopoDS_Face) -> Array:
    """(3,) the way from a place of a face's rim into the face, square to the rim."""
    explorer = TopExp_Explorer(face, TopAbs_ShapeEnum.TopAbs_EDGE)
    while not explorer.Current().IsSame(edge):
        explorer.Next()
    forward = explorer.Current().Orientation() == TopAbs_Orientation.TopAbs_FORWARD
    along = _along(BRepAdaptor_Curve(edge), t)[1] * (1.0 if forward else -1.0)
    return np.cross(outward(edge, t, face), along)


def _along(curve: BRepAdaptor_Curve, t: float) -> tuple[Array, Array]:
    """(3,) each: where a curve is at t, and the way it goes there."""
    at, way = gp_Pnt(), gp_Vec()
    curve.D1(t, at, way)
    return numbers(at), numbers(way) / way.Magnitude()


def _meeting(before: Beside | None, one: Beside, after: Beside | None) -> Beside:
    """Places along an edge, which at its ends lie half way to where they are by the edges before and after it, if there are any."""
    lines = one.edge.copy(), one.first.copy(), one.second.copy()
    for row, other, there in ((0, before, -1), (-1, after, 0)):
        if other is not None:
            for own, its in zip(lines, (other.edge, other.first, other.second), strict=True):
                own[row] = (own[row] + its[there]) / 2.0
    return Beside(*lines, one.called)


def _ruled(one: Array, other: Array, tolerance: float) -> TopoDS_Face:
    """The face between two curves through places (n, 3)."""
    along = make_interp_spline(SPREAD, np.stack([one, other], axis=1), k=5)
    breaks, times = np.unique(along.t, return_counts=True)
    ends, twice = np.array([0.0, 1.0]), np.array([2, 2])
    maker = BRepBuilderAPI_MakeFace(surface(Patch("", 5, 1, breaks, times, ends, twice, False, along.c)), tolerance)
    if not maker.IsDone():
        raise SolidError("the kernel makes no bevel there")
    return maker.Face()
