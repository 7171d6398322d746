"""Bodies the kernel has the exact form of: one section moved straight or about an axis, its lines and arcs kept as such."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from isotomon.arrays import Array
from isotomon.field.carriers import Relative, Square, Straight, Turning
from isotomon.field.checks import ON_AXIS
from isotomon.field.section_field import SectionField
from isotomon.geometry.datums import Axis
from isotomon.geometry.edge import Edge
from isotomon.geometry.edge_forms import edges_of


@dataclass(frozen=True, eq=False)
class Motion:
    """A section's `edges` at the body's first end, moved by `way` (3,) mm; or about the axis `origin`, `way` by `angle`
    rad."""

    edges: tuple[Edge, ...]
    way: Array
    origin: Array | None = None
    angle: float = 0.0


def motion(field: SectionField) -> Motion | None:
    """How one section that never changes is moved to make the body, or None where the kernel has no exact form of it."""
    base = field.carrier.base if isinstance(field.carrier, Relative) else field.carrier
    if not isinstance(base, Straight | Square | Turning) or not _alike(field):
        return None
    sections = field.sections(np.array([field.first]))
    control = sections.control[0]
    size = float(np.ptp(control, axis=0).max())
    edges = tuple(
        edge
        for lane, name in zip(field.common.lanes, field.names.lanes, strict=True)
        for edge in edges_of(
            f"lane {name} from {field.stations[0].key.partition('/')[0]}",
            lane.basis,
            control[lane.columns],
            size,
            lane.loop,
        )
        if np.ptp(edge.points, axis=0).max() > 1e-9 * size
    )
    if all(e.kind == "spline" for e in edges):
        return None
    reach = field.last - field.first
    if isinstance(base, Turning):
        edges = tuple(_on_axis(e, base.axis, size) for e in edges)
        # The body goes from X towards X × the axis, which is a turn about the axis reversed.
        return Motion(edges, -base.axis.way, base.axis.origin, reach / base.radius)
    return Motion(edges, reach * sections.normal[0])


def _on_axis(edge: Edge, axis: Axis, size: float) -> Edge:
    """An edge with its ends on the axis where they lie next to it."""
    if edge.kind in ("circle", "spline"):
        return edge
    points = edge.points.copy()
    foot = axis.origin + ((points - axis.origin) @ axis.way)[:, None] * axis.way
    near = np.linalg.norm(points - foot, axis=1) < ON_AXIS * size
    near[1:-1] = False
    points[near] = foot[near]
    return replace(edge, points=points)


def _alike(field: SectionField) -> bool:
    first = field.stations[0]
    bent = (
        field.course is not None
        or field.rim is not None
        or field.rails is not None
        or field.wrap is not None
        or bool(field.bendings)
        or bool(field.ends)
    )
    return not bent and all(
        not s.tip
        and s.tilt == (0.0, 0.0)
        and (s.chord, s.set_angle, s.offset) == (first.chord, first.set_angle, first.offset)
        and np.array_equal(s.shape, first.shape)
        for s in field.stations
    )
