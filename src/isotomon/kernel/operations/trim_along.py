"""A skin cut along a curve that lies on it, and a part of it kept."""

from __future__ import annotations

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape, BRepExtrema_SupportType
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Face, TopoDS_Shape

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.basis import Basis
from isotomon.geometry.patch import Patch
from isotomon.kernel.arrays import surface
from isotomon.kernel.faces import numbers
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.parting import SideOf, parted_skin

HIGH = 5e-3
"""Of its length: so far the fence on which a skin is cut stands out of it, at least."""
ABOVE = 20.0
"""Times as far as the curve is off the skin."""
OFF = 0.02
"""Of its length: a curve that is farther off does not lie on the skin."""
ON = 0.02
"""Of the curve's length: so far its open ends are drawn out, so that the cut comes through the skin's edge."""
LOOKED = 257


def apply(given: Given) -> MadeBody:
    """What of a skin lies `left` of a curve, seen from before the skin and along the curve, `right` of it, or both in pieces.

    `runs`: as many smooth ones as there are, each by `breaks K`, `times K` and `control K` (n, 3) mm of a quintic.
    Raises: SolidError, where the curve does not lie on the skin, or does not part it.
    """
    (skin,), arrays = given.bodies, given.arrays
    runs = list[tuple[Basis, Array]]()
    for k in range(int(given.values["runs"])):
        basis = Basis(5, np.array(arrays[f"breaks {k}"]), np.array(arrays[f"times {k}"]), False)
        runs.append((basis, np.array(arrays[f"control {k}"], dtype=float)))
    fence = _fence(skin.shape, runs, bool(given.values["closed"]))
    made = parted_skin(
        skin, fence, _side_of(runs), str(given.values["keep"]), str(given.values["called"]), given.tolerance
    )
    return MadeBody(made)


def _fence(skin: TopoDS_Shape, runs: list[tuple[Basis, Array]], closed: bool) -> TopoDS_Compound:
    """A strip that stands on the skin along a curve, square to it.

    Raises: SolidError, where the curve does not lie on the skin.
    """
    normals, length, off = list[Array](), 0.0, 0.0
    for basis, control in runs:
        points = np.asarray(basis.spline(control)(basis.greville()))
        found, away = _normals(skin, points)
        normals.append(basis.interpolate(lambda _, own=found: own))  # type: ignore[misc]
        off = max(off, away)
        length += float(
            np.linalg.norm(np.diff(basis.spline(control)(np.linspace(0.0, 1.0, LOOKED)), axis=0), axis=1).sum()
        )
    if off > OFF * length:
        raise SolidError(f"the curve is up to {off:.4g} mm off the skin; lay it on the skin first")
    high = max(HIGH * length, ABOVE * off)
    strips = [
        _strip(basis, control - high * n, control + high * n) for (basis, control), n in zip(runs, normals, strict=True)
    ]
    if not closed:
        strips += [
            _drawn_out(runs[0], normals[0], 0, high, ON * length),
            _drawn_out(runs[-1], normals[-1], -1, high, ON * length),
        ]
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for strip in strips:
        builder.Add(whole, strip)
    return whole


def _strip(basis: Basis, low: Array, up: Array) -> TopoDS_Face:
    times = basis.multiplicity.copy()
    times[[0, -1]] = basis.degree + 1
    ends = np.array([0.0, 1.0])
    control = np.stack([low, up], axis=1)
    patch = Patch("fence", basis.degree, 1, basis.breaks, times, ends, np.array([2, 2]), False, control)
    return BRepBuilderAPI_MakeFace(surface(patch), 1e-9).Face()


def _drawn_out(run: tuple[Basis, Array], normals: Array, end: int, high: float, on: float) -> TopoDS_Face:
    """The strip straight on over an end of a curve."""
    control = run[1]
    inner = control[1] if end == 0 else control[-2]
    way = (control[end] - inner) / np.linalg.norm(control[end] - inner)
    row = np.stack([control[end], control[end] + on * way])
    straight = Basis(1, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False)
    return _strip(straight, row - high * normals[end], row + high * normals[end])


def _normals(skin: TopoDS_Shape, points: Array) -> tuple[Array, float]:
    """(n, 3) of length 1: a skin's normals where it is nearest to points (n, 3); and how far the farthest point is off it, mm.

    At the skin's border, where no place within a face is nearest, the normal is that of the nearest point within.
    """
    found, farthest = np.full((len(points), 3), np.nan), 0.0
    for k, at in enumerate(points.tolist()):
        near = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(gp_Pnt(*at)).Vertex(), skin)
        farthest = max(farthest, near.Value())
        for j in range(1, near.NbSolution() + 1):
            if near.SupportTypeShape2(j) == BRepExtrema_SupportType.BRepExtrema_IsInFace:
                point, normal = gp_Pnt(), gp_Vec()
                BRepGProp_Face(TopoDS.Face(near.SupportOnShape2(j))).Normal(*near.ParOnFaceS2(j), point, normal)
                found[k] = numbers(normal) / normal.Magnitude()
    known = np.flatnonzero(~np.isnan(found[:, 0]))
    if not len(known):
        raise SolidError("the curve does not lie on the skin; lay it on the skin first")
    return found[known[np.abs(np.arange(len(points))[:, None] - known[None]).argmin(axis=1)]], farthest


def _side_of(runs: list[tuple[Basis, Array]]) -> SideOf:
    """What says on which side of a curve a face lies: its border runs along the curve where it lies left of it, and against it where it lies
    right."""
    t = np.linspace(0.0, 1.0, LOOKED)
    points = np.concatenate([basis.spline(control)(t) for basis, control in runs])
    ways = np.concatenate([basis.spline(control)(t, nu=1) for basis, control in runs])

    def side(face: TopoDS_Face) -> str:
        best, along = np.inf, 0.0
        explorer = TopExp_Explorer(face, TopAbs_ShapeEnum.TopAbs_EDGE)
        while explorer.More():
            edge = TopoDS.Edge(explorer.Current())
            curve, at, way = BRepAdaptor_Curve(edge), gp_Pnt(), gp_Vec()
            curve.D1((curve.FirstParameter() + curve.LastParameter()) / 2.0, at, way)
            sign = -1.0 if edge.Orientation() == TopAbs_Orientation.TopAbs_REVERSED else 1.0
            far = np.linalg.norm(points - numbers(at), axis=1)
            k = int(far.argmin())
            if far[k] < best:
                best, along = float(far[k]), sign * float(numbers(way) @ ways[k])
            explorer.Next()
        return "left" if along > 0.0 else "right"

    return side
