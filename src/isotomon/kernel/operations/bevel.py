"""Edges of a body cut off flat."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer

from isotomon.kernel.bevel_runs import begun_with, bevel_along, cut_off, smooth_runs
from isotomon.kernel.edges import NamedEdge, chosen_edges, running_on
from isotomon.kernel.finishing import finished, within_limits
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The chosen `edges` (a choice a line) cut off by `width` mm on the face whose name comes first, and `ratio` times that on the
    other.

    Raises: SolidError; SizeError, with the width that would do.
    """
    (body,), values = given.bodies, given.values
    choices = str(values["edges"]).split("\n")
    edges = running_on(body, chosen_edges(body, choices), choices)
    work = partial(_bevelled, body, ratio=float(values["ratio"]), tolerance=given.tolerance)
    return MadeBody(within_limits(work, edges, float(values["width"]), given.seconds, "width", "bevelled"))


def _bevelled(body: NamedShape, edges: Sequence[NamedEdge], size: float, ratio: float, tolerance: float) -> NamedShape:
    maker = _told(body, edges, size, ratio)
    runs = smooth_runs(maker, edges)
    along = [bevel_along(body, run, size, ratio, tolerance) for run in runs]
    left = [edge for edge in edges if not any(edge is one for run in runs for one, _ in run.edges)]
    if left:
        maker = _told(body, left, size, ratio)
        maker.Build()
        body = finished(body, left, maker, "bevel", size * max(ratio, 1.0))
    return cut_off(body, along, tolerance) if along else body


def _told(body: NamedShape, edges: Sequence[NamedEdge], size: float, ratio: float) -> BRepFilletAPI_MakeChamfer:
    """The kernel's maker, told what to do."""
    maker = BRepFilletAPI_MakeChamfer(body.shape)
    for edge in edges:
        if maker.Contour(edge.edge) == 0:
            maker.Add(size, size * ratio, edge.edge, begun_with(edge))
    return maker
