"""What a shaped body gives others to stand on: its ends, rims, edges, faces and round skin."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.correspond import Lane
from isotomon.field.section_field import SectionField
from isotomon.geometry import datums as g
from isotomon.geometry.datums import Axis, Cylinder, Plane, SpaceCurve
from isotomon.geometry.tensor import going_on


def part_of(field: SectionField, part: str, what: str) -> Plane | Cylinder | SpaceCurve:
    """A part of a body by its name, `what` in words.

    Raises: DesignError, for one that is not there, or not flat where it is to be.
    """
    if part in ("first", "last"):
        sections = field.sections(field.nodes[[0 if part == "first" else -1]])
        return Plane(sections.origin[0], sections.across[0], sections.normal[0])
    if part == "skin":
        ends = field.sections(field.nodes)
        rings = [g.round_through(c) for c in (_ring(field, ends.control[k]) for k in range(len(field.nodes)))]
        way = rings[-1].axis.origin - rings[0].axis.origin
        return Cylinder(Axis(rings[0].axis.origin, g.unit(way, "the body has no axis")), rings[0].radius)
    if part in ("first-rim", "last-rim"):
        return _rim(field, field.first if part == "first-rim" else field.last)
    if part.startswith("face:"):
        lane = field.common.lanes[field.names.lane(part.removeprefix("face:"))]
        return _flat_face(field, lane, what)
    if not part.startswith("along:"):
        raise DesignError(f"the body has no {part} any more; pick something else")
    column = field.names.column(part.removeprefix("along:"))
    return SpaceCurve(
        lambda t: field.sections(field.first + np.asarray(t) * (field.last - field.first)).control[:, column]
    )


def _ring(field: SectionField, control: Array) -> Array:
    """Points round a section from its control points."""
    u = [np.linspace(0.0, 1.0, 33)[:-1]] * len(field.common.lanes)
    return field.common.matrix(u) @ control


def _rim(field: SectionField, v: float) -> SpaceCurve:
    """The closed edge of an end of the body; lane borders are its corners."""
    control = field.sections(np.array([v])).control[0]
    outer = [k for k, lane in enumerate(field.common.lanes) if not lane.loop and not lane.basis.periodic]
    corners = tuple(float(field.common.u[k]) for k in outer)
    names = tuple(field.names.edges[k][0] for k in outer)
    return SpaceCurve(
        lambda t: field.common.rows(np.asarray(t, dtype=float)) @ control,
        True,
        corners,
        names=names,
        beyond=lambda t: _beyond(field, v, np.asarray(t, dtype=float)),
    )


NEAR = 1e-4
"""Of the body's length: over so much at its end its second derivative along is taken, by differences."""


def _beyond(field: SectionField, v: float, t: Array) -> tuple[Array, Array]:
    """How the body's skin goes on over its rim at an end, at places (n,) round it: the direction, and its curvature that way."""
    last, step = v == field.last, NEAR * (field.last - field.first)
    sign = 1.0 if last else -1.0
    inward = v - sign * step * np.arange(3.0)
    sections = field.sections(inward)
    value, slope, bend = (field.common.rows(t, order) for order in range(3))
    second = sign * (1.5 * sections.slopes[0] - 2.0 * sections.slopes[1] + 0.5 * sections.slopes[2]) / step
    control, slopes = sections.control[0], sections.slopes[0]
    return going_on(slope @ control, sign * (value @ slopes), (bend @ control, sign * (slope @ slopes), value @ second))


def _flat_face(field: SectionField, lane: Lane, what: str) -> Plane:
    """The plane in which a lane's face lies, outward; its X runs on round the section.

    Raises: DesignError, when it is not flat.
    """
    control = field.sections(np.linspace(field.first, field.last, 25)).control
    points = control[:, lane.columns].reshape(-1, 3)
    normal = g.flat_normal(points)
    if normal is None:
        raise DesignError(f"{what} is not flat; pick a flat face or a plane")
    run = control[0, lane.columns.stop - 1] - control[0, lane.columns.start]
    on = control[-1, lane.columns.start] - control[0, lane.columns.start]
    outward = normal if float(np.cross(run, on) @ normal) > 0.0 else -normal
    return Plane(points.mean(axis=0), g.unit(run, f"{what} has no width"), outward)
