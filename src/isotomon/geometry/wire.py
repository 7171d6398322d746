"""Wires: runs of edges in space with a name, on a layer. What leaves the program where curves are wanted and not bodies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import KnotError
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.edge import Edge

QUINTIC = 5
MOST_SPANS = 2000
"""Of a curve that is fitted, in each of its smooth parts."""


@dataclass(frozen=True, eq=False)
class Wire:
    """A run of B-spline edges end to end, mm. `layer`: what it is, as `guides`; `name`: of the thing that it is."""

    layer: str
    name: str
    edges: tuple[Edge, ...]

    def places(self, a_span: int = 8) -> Array:
        """(n, 3) mm: places along the whole of it, so many in each span of its edges."""
        return np.vstack([_places(edge, a_span) for edge in self.edges])


def _places(edge: Edge, a_span: int) -> Array:
    basis = edge.basis
    assert basis is not None
    spans = len(basis.breaks) - 1
    at = np.interp(np.linspace(0.0, spans, a_span * spans + 1), np.arange(spans + 1), basis.breaks)
    return Basis(basis.degree, basis.breaks, basis.multiplicity, basis.periodic).sparse(at) @ edge.points


def clamped(edge: Edge) -> Edge:
    """The same edge with ends, which every reader takes, where it runs round smoothly."""
    basis = edge.basis
    if basis is None or not basis.periodic:
        return edge
    whole = Basis(basis.degree, basis.breaks, basis.multiplicity, True)
    ended = Basis(basis.degree, basis.breaks, basis.multiplicity, False)
    control = ended.interpolate(lambda u: np.asarray(whole.sparse(u) @ edge.points))
    return Edge(edge.name, edge.kind, control, edge.loop, ended)


def curve_edges(curve: SpaceCurve, name: str, tolerance: float) -> tuple[Edge, ...]:
    """A curve as splines, an edge from corner to corner: the very same where it is made of quintics, else within a tolerance (mm).

    Raises: KnotError, for one that no reasonable number of spans follows.
    """
    if curve.spline is not None:
        times = np.full(len(curve.spline.x), 3)  # quintics that go on with slope and curvature
        basis = Basis(QUINTIC, curve.spline.x, times, False)
        return (Edge(name, "spline", basis.interpolate(curve.at), basis=basis),)
    ends = [0.0, *(c for c in curve.corners if 0.0 < c < 1.0), 1.0]
    return tuple(_fitted(curve, a, b, name, tolerance) for a, b in zip(ends[:-1], ends[1:], strict=True))


def _fitted(curve: SpaceCurve, begin: float, end: float, name: str, tolerance: float) -> Edge:
    joints = [(j - begin) / (end - begin) for j in curve.joints if begin < j < end]

    def at(u: Array) -> Array:
        return curve.at(begin + u * (end - begin))

    for smoothness in (1, 0):  # where one formula ends and another begins, the parameter may jump
        try:
            basis, control = fit(at, tolerance, joins=dict.fromkeys(joints, smoothness), most=MOST_SPANS)
        except KnotError:
            if not smoothness:
                raise
            continue
        return Edge(name, "spline", control, basis=basis)
    raise AssertionError("the last of them is raised")
