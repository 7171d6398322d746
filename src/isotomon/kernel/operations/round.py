"""Edges of a body rounded by a rolling ball."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.collections import Array1_gp_Pnt2d
from OCP.gp import gp_Pnt2d
from OCP.TopoDS import TopoDS_Edge

from isotomon.arrays import Array
from isotomon.kernel.edges import NamedEdge, chosen_edges, connected, found_again, length_of, running_on
from isotomon.kernel.finishing import come_of, finished, looked_at, within_limits
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody

NAMED = "round"
"""What a new face is called by."""
MANY = 4
"""So many groups of edges are not rounded at once."""
SAME = 1e-7
"""Of a radius: one that changes by no more is the same all along."""


def apply(given: Given) -> MadeBody:
    """The chosen `edges` (a choice a line) rounded; for each choice, `radii` (k, n) mm at even places along each run of edges, or one for
    all.

    Raises: SolidError; SizeError, with the radius that would do.
    """
    (body,), radii = given.bodies, np.asarray(given.arrays["radii"], dtype=float)
    choices = str(given.values["edges"]).split("\n")
    edges = running_on(body, chosen_edges(body, choices), choices)
    largest = float(radii.max())
    made = within_limits(
        partial(_rounded, body, radii=radii / largest), edges, largest, given.seconds, "radius", "rounded"
    )
    return MadeBody(made)


def _rounded(body: NamedShape, edges: Sequence[NamedEdge], size: float, radii: Array) -> NamedShape:
    """The body with edges rounded by the `radii` (k, n) of their choices times `size`; where they hang together in many groups, one group after
    another: of as many at once the kernel makes nothing, or takes longer."""
    groups = connected(edges)
    if len(groups) < MANY:
        return finished(body, edges, _maker(body, edges, size, radii), NAMED, size)
    made = body
    for group in groups:  # each is looked at with all others, in the end: that takes as long as the rounds
        left = found_again(made, group)
        made = come_of(made, left, _maker(made, left, size, radii), NAMED)
    return looked_at(body, edges, made, size)


def _maker(body: NamedShape, edges: Sequence[NamedEdge], size: float, radii: Array) -> BRepFilletAPI_MakeFillet:
    """The kernel's maker, when it is done."""
    maker = BRepFilletAPI_MakeFillet(body.shape)
    # The first edge of a run brings the others along.
    for edge in sorted(edges, key=lambda e: -e.choice):
        if maker.Contour(edge.edge):
            continue
        own = size * radii[edge.choice]
        maker.Add(float(own[0]), edge.edge)
        if np.ptp(own) > 0.0:
            _vary(maker, maker.Contour(edge.edge), own)
    maker.Build()
    return maker


def _vary(maker: Any, contour: int, radii: Array) -> None:
    """Set the radii (n,), at even places along a run of edges, for each of its edges."""
    whole, start = maker.Length(contour), 0.0
    places = np.linspace(0.0, 1.0, len(radii))
    for number in range(1, maker.NbEdges(contour) + 1):
        own = length_of(maker.Edge(contour, number))
        share = np.linspace(start / whole, (start + own) / whole, len(radii))
        set_radii(maker, maker.Edge(contour, number), np.interp(share, places, radii))
        start += own


def set_radii(maker: Any, edge: TopoDS_Edge, radii: Array) -> None:
    """Set the radii (n,) mm, at even places along it, of one edge that is to be rounded."""
    contour = maker.Contour(edge)
    number = next(k for k in range(1, maker.NbEdges(contour) + 1) if maker.Edge(contour, k).IsSame(edge))
    if np.ptp(radii) <= SAME * float(radii.max()):
        maker.SetRadius(float(radii.mean()), contour, number)
        return
    table = Array1_gp_Pnt2d(1, len(radii))
    for k, (u, r) in enumerate(zip(np.linspace(0.0, 1.0, len(radii)).tolist(), radii.tolist(), strict=True), 1):
        table.SetValue(k, gp_Pnt2d(u, r))
    maker.SetRadius(table, contour, number)
