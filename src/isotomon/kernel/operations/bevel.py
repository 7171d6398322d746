"""Edges of a body cut off flat."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer

from isotomon.kernel.edges import NamedEdge, chosen_edges
from isotomon.kernel.finishing import finished, within_limits
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The chosen `edges` (a choice a line) cut off by `width` mm on the face whose name comes first, and `ratio` times that on the
    other.

    Raises: SolidError; SizeError, with the width that would do.
    """
    (body,), values = given.bodies, given.values
    edges = chosen_edges(body, str(values["edges"]).split("\n"))
    work = partial(_bevelled, body, ratio=float(values["ratio"]))
    return MadeBody(within_limits(work, edges, float(values["width"]), given.seconds, "width", "bevelled"))


def _bevelled(body: NamedShape, edges: Sequence[NamedEdge], size: float, ratio: float) -> NamedShape:
    maker = BRepFilletAPI_MakeChamfer(body.shape)
    for edge in edges:
        first = edge.faces[edge.names.index(min(edge.names))]
        if maker.Contour(edge.edge) == 0:
            maker.Add(size, size * ratio, edge.edge, first)
    maker.Build()
    return finished(body, edges, maker, "bevel", size * max(ratio, 1.0))
