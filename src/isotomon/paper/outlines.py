"""Sections as they are drawn: their outlines as curves in the plane of the section, and what is marked on them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.basis import Basis
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import finished_sections
from isotomon.measure.sections import curves, extents, moments, quadrature
from isotomon.paper.page import Bezier, Role, Stroke, through

IN_A_SPAN = 3
"""Cubics in each span of a section's own spline: 1e-3 mm off a chord of 100 at most, at the nose of a foil."""
LEAST = 12
"""Cubics in a lane of few spans."""


@dataclass(frozen=True, eq=False)
class DrawnSection:
    """A section in its own plane, mm: what bounds it, its nominal leading and trailing points (2, 2), its pivot and centroid (2,), and
    its figures in mm, mm² and rad; NaN where there is none."""

    name: str
    position: float
    runs: tuple[Bezier | Stroke, ...]
    anchor: Array
    pivot: Array
    centroid: Array
    chord: float
    set_angle: float
    area: float
    thickness: float
    perimeter: float

    @property
    def box(self) -> Array:
        """(2, 2) lowest and highest corner of all that is drawn of it, the origin of its plane among it."""
        points = np.vstack([*(run.points for run in self.runs), self.anchor, np.zeros((1, 2))])
        return np.array([points.min(axis=0), points.max(axis=0)])


def sections_of(quick: Quick, positions: Array, names: tuple[str, ...], role: Role = "outline") -> list[DrawnSection]:
    """Sections of a body as it is shaped, at positions along it (mm).

    Each lane is drawn as cubics through even places on it, with the spline's own slopes there: corners stay corners.
    """
    shape = quick.shape
    assert shape is not None
    field, common = shape.field, shape.form.common
    sections = field.sections(field.params(np.clip(positions, field.first, field.last)))
    first = field.sections(field.params(np.array([shape.curves.v[0]])))
    rule = quadrature(common)
    told, more, sizes = curves(sections, first, rule), moments(sections, rule), extents(sections, common)
    flat = np.stack(
        [np.einsum("nk,nk->n", more.centroid - sections.origin, way) for way in (sections.across, sections.up)],
        axis=1,
    )
    found = []
    for k, name in enumerate(names):
        runs = []
        for lane in common.lanes:
            at = _places(lane.basis)
            points, slopes = (lane.basis.sparse(at, d) @ sections.local[k][lane.columns] for d in (0, 1))
            runs.append(Bezier(through(at, np.asarray(points), np.asarray(slopes)), role))
        placed = next((n for n in quick.resolved.stations if abs(n.position - positions[k]) < 1e-9), None)
        share = placed.pivot if placed is not None else 0.5
        anchor = sections.anchor[k]
        found.append(
            DrawnSection(
                name,
                float(sections.position[k]),
                tuple(runs),
                anchor,
                anchor[0] + share * (anchor[1] - anchor[0]),
                flat[k],
                float(told.chord[k]),
                float(told.set_angle[k]),
                float(told.area[k]),
                float(sizes.thickness[k]),
                float(more.perimeter[k]),
            )
        )
    return found


def _places(basis: Basis) -> Array:
    """Where in a lane cubics begin and end: at its knots, and evenly between them."""
    knots = np.unique(basis.knots[(basis.knots >= 0.0) & (basis.knots <= 1.0)])
    parts = max(IN_A_SPAN, -(-LEAST // max(len(knots) - 1, 1)))
    return np.interp(np.arange(parts * (len(knots) - 1) + 1) / parts, np.arange(len(knots)), knots)


def finished_runs(quick: Quick, position: float, role: Role = "outline") -> tuple[tuple[Stroke, ...], float, float]:
    """What bounds the section of the finished body at a position along it, mm in its plane; its area and perimeter.

    Raises: DesignError, for a body that has no such sections.
    """
    built = quick.finished[quick.body.id]
    sections = finished_sections(quick, built, position=np.array([position]))
    runs = tuple(Stroke(run, role, closed=True) for run in sections.outlines(0))
    return runs, float(np.nan_to_num(sections.cuts.area[0])), float(np.nan_to_num(sections.cuts.perimeter[0]))
