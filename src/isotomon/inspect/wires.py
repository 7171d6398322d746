"""A design's guides and sections as wires in space."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import KnotError, named_error
from isotomon.geometry.edge import Edge
from isotomon.geometry.wire import Wire, curve_edges
from isotomon.inspect.results import Quick

GUIDES, SECTIONS = "guides", "sections"


def guide_wires(quick: Quick) -> tuple[Wire, ...]:
    """All guides that can be made.

    Raises: KnotError, naming one that no reasonable spline follows.
    """
    found = []
    for guide in quick.design.guides:
        curve = quick.guides.get(guide.id)
        if curve is None:
            continue
        try:
            found.append(Wire(GUIDES, guide.name, curve_edges(curve, guide.name, quick.design.tolerance)))
        except KnotError as error:
            raise named_error("guide", guide.name, error) from None
    return tuple(found)


def section_wires(quick: Quick, positions: Array, names: tuple[str, ...]) -> tuple[Wire, ...]:
    """The sections of the body in hand at positions along it (mm), as it is shaped, where its first copy stands; a wire for the outline, and one
    for each hole: the very curves that its skin goes through."""
    shape = quick.shape
    if shape is None or not len(positions):
        return ()
    field, common = shape.field, shape.form.common
    sections = field.sections(field.params(np.clip(positions, field.first, field.last)))
    found = []
    for control, name in zip(sections.control, names, strict=True):
        placed = quick.stood(control)
        for loop in range(common.lanes[-1].loop + 1):
            called = f"{name} hole {loop}" if loop else name
            edges = tuple(
                Edge(called, "spline", placed[lane.columns], loop, lane.basis)
                for lane in common.lanes
                if lane.loop == loop
                and np.ptp(placed[lane.columns], axis=0).max() > 0.0  # a lane without width is none
            )
            if edges:
                found.append(Wire(SECTIONS, called, edges))
    return tuple(found)
