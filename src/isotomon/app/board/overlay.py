"""What another body, or an earlier version of this one, looks like over the one in hand: on the Board, in the body plan, in
the View; and both in figures."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from isotomon.arrays import Array
from isotomon.field.mesh import triangles
from isotomon.geometry.datums import Plane
from isotomon.inspect.compare import Comparison, compare
from isotomon.inspect.results import Quick
from isotomon.measure.apart import plane_section
from isotomon.quantity import display, to_unit

LINES = 13
"""Sections of the other body drawn in the View."""


@dataclass(frozen=True, eq=False)
class Overlay:
    """The other body laid over the one in hand: (share of its length, area) for the Board; for the body plan pieces of
    line (n, 2, 2) in which the stations' planes cut it; and lines (n, 3) for the View. `name`: what it is; `angle`: set angles, where they are shown;
    `marked`: it is known at some places only, which are marked on the Board instead of curves."""

    share: Array
    area: Array
    outlines: tuple[Array, ...]
    lines: tuple[Array, ...]
    name: str = "Reference"
    angle: Array = field(default_factory=lambda: np.zeros(0))
    marked: bool = False


def overlay(quick: Quick, other: Quick) -> Overlay | None:
    """Another body over the one in hand, or None where one of them is not there."""
    if quick.shape is None or other.shape is None:
        return None
    own, samples = quick.shape.field, other.shape.mesh.sampling
    sections = own.sections(own.nodes)
    cut = [_cut(other, Plane(*rows)) for rows in zip(sections.origin, sections.across, sections.normal, strict=True)]
    points = other.shape.mesh.points
    rows = np.linspace(0, len(points) - 1, LINES).round().astype(int)
    starts = np.flatnonzero(np.r_[True, samples.lane[1:] != samples.lane[:-1]])
    edges = [points[:, s] for s in starts[samples.crisp[samples.lane[starts]]]]
    c = other.shape.curves
    return Overlay(
        (c.v - c.v[0]) / (c.v[-1] - c.v[0]),
        c.area,
        tuple(_near(lines, ring) for lines, ring in zip(cut, sections.local, strict=True)),
        tuple(other.stood(line) for line in (*points[rows][:, samples.rim], *edges)),
    )


def _cut(other: Quick, plane: Plane) -> Array:
    """(n, 2, 2) mm: pieces of line in which a plane cuts the other body's skin, in the plane's own X and Y."""
    assert other.shape is not None
    vertices, index = triangles(other.shape.mesh)
    found = plane_section(other.stood(vertices), index, plane)
    if found is None:
        return np.zeros((0, 2, 2))
    away = found.lines - plane.origin
    return np.stack([away @ plane.across, away @ plane.up], axis=-1)


def _near(lines: Array, ring: Array) -> Array:
    """Those of the pieces (n, 2, 2) that lie about a section's control points: a body that goes round is cut on its far side,
    too."""
    low, high = ring.min(axis=0), ring.max(axis=0)
    room = 0.5 * float((high - low).max())
    return lines[((lines > low - room) & (lines < high + room)).all(axis=(1, 2))]


def side_by_side(quick: Quick, other: Quick) -> list[tuple[str, str, str]]:
    """(what, of this one, of the other) of two bodies, in the design's unit.

    Raises: IsotomonError.
    """
    unit = quick.design.unit
    scale = to_unit(1.0, unit)
    shown = {
        "volume": lambda v: display(v * scale**3, 1),
        "area": lambda v: display(v * scale**2, 2),
        "length": lambda v: display(v * scale, 3),
        "angle": lambda v: display(math.degrees(v), 3),
    }
    marks = {"volume": f"{unit}³", "area": f"{unit}²", "length": unit, "angle": "°"}
    found: Comparison = compare(quick, other)
    rows = [(f"{title}, {marks[what]}", shown[what](a), shown[what](b)) for title, a, b, what in found.figures]
    rows.append((f"Lies outside, {unit}", shown["length"](found.outside), ""))
    rows.append((f"Lies inside, {unit}", shown["length"](found.inside), ""))
    return rows


def table_of(rows: list[tuple[str, str, str]]) -> str:
    """The rows as a table of three columns."""
    head = "<tr><td></td><td align='right'><b>This</b></td><td align='right'><b>The other</b></td></tr>"
    cells = "".join(
        f"<tr><td style='white-space:nowrap'>{title}</td><td align='right' style='padding-left:8px'>{a}</td>"
        f"<td align='right' style='padding-left:8px'>{b}</td></tr>"
        for title, a, b in rows
    )
    return f"<table width='100%'>{head}{cells}</table>"
