"""Tables as the trades keep them: of blades, of ducts and vessels, and of all sections; each figure with its unit."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, FieldError
from isotomon.geometry.datums import Axis, turned_about
from isotomon.geometry.planar import signed_area
from isotomon.inspect.capacity import inside_of
from isotomon.inspect.looks import ground_of
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import stiff
from isotomon.inspect.sections import FinishedSections, finished_sections
from isotomon.measure.foils import Foil, foil
from isotomon.measure.sections import curves, moments, quadrature
from isotomon.operations.hollow import Hollow
from isotomon.operations.ring import Ring
from isotomon.quantity.record import Ref
from isotomon.quantity.table import Cell, Column, Table

# Blades

FINE = 3200
"""Places round a section at which its outline is looked at."""
ALONG = 201
"""Places along a blade over which areas are summed."""


def axis_of(quick: Quick, axis: Ref | None) -> Axis:
    """What a body turns about: the axis that is named, that of its first copies round one, else Y through the origin.

    Raises: DesignError, for what is no axis.
    """
    ring = next((step.about for step in quick.body.done if isinstance(step, Ring)), Ref("y"))
    return ground_of(quick).axis(axis or ring)


def blade_tables(quick: Quick, axis: Ref | None = None) -> tuple[Table, Table]:
    """Of a blade at its stations, and in all. Raises: DesignError, for a body that is none."""
    shape = quick.shape
    if shape is None or shape.open:
        raise DesignError(f"{quick.body.name} has no closed sections, and so none of a blade's figures")
    about = axis_of(quick, axis)
    places = np.array([n.position for n in quick.resolved.stations])
    here = _turning(quick, places, about)
    fine = _turning(quick, np.linspace(shape.field.first, shape.field.last, ALONG), about)
    blades, tip = len(quick.placed), float(fine.radius.max())
    rows = []
    for k, (station, one) in enumerate(zip(quick.resolved.stations, _foils(quick, places), strict=True)):
        chord, radius, pitch = (float(a[k]) for a in (here.chord, here.radius, here.pitch))
        solidity = blades * chord / (math.tau * radius) if radius > 1e-9 else math.nan
        over = chord if chord > 0.0 else math.nan
        rows.append(
            (
                station.station.name,
                *(radius, radius / tip, chord, math.degrees(float(here.angle[k])), pitch, pitch / (2.0 * tip)),
                *(one.thickness, one.thickness / over, one.thickest, one.camber, one.camber / over, one.cambered),
                *(one.leading_radius, one.trailing_radius, solidity),
                *(math.degrees(float(here.skew[k])), float(here.rake[k])),
            )
        )
    step = np.abs(np.diff(fine.radius))
    expanded = blades * float(((fine.chord[1:] + fine.chord[:-1]) / 2.0 * step).sum())
    disc = math.pi * tip * tip
    whole = (
        ("blades", float(blades), ""),
        ("diameter", 2.0 * tip, "mm"),
        ("expanded area", expanded, "mm²"),
        ("disc area", disc, "mm²"),
        ("expanded area ratio", expanded / disc, ""),
        ("solidity at 0.7 of the radius", _at(fine, 0.7 * tip, blades), ""),
        ("pitch ratio at 0.7 of the radius", float(_over(fine.radius, fine.pitch, 0.7 * tip)) / (2.0 * tip), ""),
        ("skew, greatest less least", math.degrees(float(np.nanmax(fine.skew) - np.nanmin(fine.skew))), "°"),
        ("rake at the tip", float(fine.rake[-1]), "mm"),
    )
    return (
        Table(f"{quick.body.name}: blade at its stations", BLADE, tuple(rows)),
        Table(
            f"{quick.body.name}: blade in all", (Column("figure"), Column("value"), Column("unit")), whole_rows(whole)
        ),
    )


def whole_rows(figures: tuple[tuple[str, float, str], ...]) -> tuple[tuple[Cell, ...], ...]:
    """Rows of a table of single figures."""
    return tuple((title, value, unit) for title, value, unit in figures)


BLADE = (
    Column("station"),
    Column("radius", "mm"),
    Column("r/R"),
    Column("chord", "mm"),
    Column("pitch angle", "°"),
    Column("pitch", "mm"),
    Column("pitch ratio"),
    Column("thickness", "mm"),
    Column("t/c"),
    Column("thickest at"),
    Column("camber", "mm"),
    Column("f/c"),
    Column("cambered at"),
    Column("leading radius", "mm"),
    Column("trailing radius", "mm"),
    Column("solidity"),
    Column("skew", "°"),
    Column("rake", "mm"),
)


class AroundAxis(NamedTuple):
    """Of sections that go round an axis, (n,): radius of the middle of the chord, chord, angle of the chord against the way round, pitch
    (2πr tan), skew and rake of the middle against the first; mm, rad; NaN where a section is round."""

    radius: Array
    chord: Array
    angle: Array
    pitch: Array
    skew: Array
    rake: Array


def _turning(quick: Quick, places: Array, about: Axis) -> AroundAxis:
    assert quick.shape is not None
    sections = quick.shape.field.sections(quick.shape.field.params(places))
    ends = sections.origin[:, None] + np.einsum(
        "npk,nkc->npc", sections.anchor, np.stack([sections.across, sections.up], 1)
    )
    ends = quick.stood(ends.reshape(-1, 3)).reshape(-1, 2, 3)
    middle, along = ends.mean(axis=1), ends[:, 1] - ends[:, 0]
    away = middle - about.origin
    rise = away @ about.way
    out = away - rise[:, None] * about.way
    radius = np.linalg.norm(out, axis=1)
    whole = quick.stood(np.stack([sections.origin[0], sections.origin[-1]]))
    reach = whole[1] - whole[0]
    reach = reach - (reach @ about.way) * about.way
    far = out[np.argmax(radius)] if np.linalg.norm(reach) < 1e-9 else reach
    outward = far / max(float(np.linalg.norm(far)), 1e-300)
    around = np.cross(about.way, outward)
    # Against the way round at the section itself, not at the blade's own line: of a skewed blade these differ.
    own = np.cross(about.way, out / np.maximum(radius, 1e-300)[:, None])
    angle = np.arctan2(along @ about.way, np.einsum("nk,nk->n", along, own))
    angle = np.where(sections.round, np.nan, angle)
    skew = np.where(radius > 1e-9, np.arctan2(out @ around, out @ outward), np.nan)
    return AroundAxis(
        radius, np.linalg.norm(along, axis=1), angle, math.tau * radius * np.tan(angle), skew, rise - rise[0]
    )


def _over(radius: Array, value: Array, at: float) -> Array:
    order = np.argsort(radius)
    return np.asarray(np.interp(at, radius[order], value[order]))


def _at(fine: AroundAxis, radius: float, blades: int) -> float:
    return blades * float(_over(fine.radius, fine.chord, radius)) / (math.tau * radius)


def _foils(quick: Quick, places: Array) -> list[Foil]:
    """The foil's figures of sections at positions along the body; NaN throughout for a round one."""
    assert quick.shape is not None
    field, common = quick.shape.field, quick.shape.form.common
    sections = field.sections(field.params(places))
    outer = [lane for lane in common.lanes if lane.loop == 0]
    share = (np.arange(FINE // len(outer)) + 0.5) / (FINE // len(outer))
    rows = [common.matrix([share if lane.loop == 0 else share[:0] for lane in common.lanes], d) for d in (0, 1, 2)]
    found = []
    for k in range(len(places)):
        points, slopes, bends = (matrix @ sections.local[k] for matrix in rows)
        found.append(foil(points, slopes, bends, *sections.anchor[k]))
    return [
        Foil(one.thickness, *[math.nan] * 5) if flat else one for one, flat in zip(found, sections.round, strict=True)
    ]


# Ducts and vessels

STEP = 1e-4
"""Of the body's length: so far apart are sections between which an area changes by the length."""


def duct_table(quick: Quick) -> Table:
    """Of a duct or vessel at its stations: hydraulic diameter (4 A/P), how its area changes along it, and the angle of the cone whose area
    would change so. Of a hollow body that is finished, what flows within. Raises: DesignError, for a body without closed sections."""
    shape = quick.shape
    if shape is None or shape.open:
        raise DesignError(f"{quick.body.name} has no closed sections, and so none of a duct's figures")
    field = shape.field
    step = STEP * (field.last - field.first)
    places = np.array([n.position for n in quick.resolved.stations])
    near = np.clip(places[:, None] + step * np.array([-1.0, 0.0, 1.0]), field.first, field.last)
    area, perimeter, within = _flow(quick, near.ravel())
    area, perimeter = area.reshape(-1, 3), perimeter.reshape(-1, 3)
    run = near[:, 2] - near[:, 0]
    size = np.sqrt(4.0 * np.maximum(area, 0.0) / math.pi)
    rows = []
    for k, one in enumerate(quick.resolved.stations):
        wet = float(perimeter[k, 1])
        rows.append(
            (
                one.station.name,
                *(float(places[k]), float(area[k, 1]), wet),
                4.0 * float(area[k, 1]) / wet if wet > 1e-9 else math.nan,
                float((area[k, 2] - area[k, 0]) / run[k]),
                math.degrees(2.0 * math.atan(float((size[k, 2] - size[k, 0]) / run[k]) / 2.0)),
            )
        )
    return Table(f"{quick.body.name}: duct at its stations, {within}", DUCT, tuple(rows))


DUCT = (
    Column("station"),
    Column("position", "mm"),
    Column("area", "mm²"),
    Column("perimeter", "mm"),
    Column("hydraulic diameter", "mm"),
    Column("area change", "mm"),
    Column("cone angle", "°"),
)


def _flow(quick: Quick, places: Array) -> tuple[Array, Array, str]:
    """Area and perimeter of what flows, at positions; and in words what that is."""
    cut = _finished(quick, places)
    if cut is not None and (cut.cuts.holes == 1).all():
        sizes = [[_ring(run) for run in cut.outlines(row)] for row in range(len(places))]
        holes = np.array([min(rings) for rings in sizes])
        return -holes[:, 0], holes[:, 1], "within the finished body"
    assert quick.shape is not None
    sections = quick.shape.field.sections(quick.shape.field.params(places))
    rule = quadrature(quick.shape.form.common)
    told = curves(sections, sections.at(np.array([0])), rule)
    return told.area, moments(sections, rule).perimeter, "outside, as shaped"


def _ring(run: Array) -> tuple[float, float]:
    return float(signed_area(run)), float(np.linalg.norm(np.roll(run, -1, axis=0) - run, axis=1).sum())


def _finished(quick: Quick, places: Array) -> FinishedSections | None:
    """Sections of the finished body, where there is one and it has sections of its own."""
    built = quick.finished.get(quick.body.id)
    if built is None:
        return None
    try:
        return finished_sections(quick, built, position=places)
    except DesignError:
        return None


TILTS = np.radians(np.arange(-90.0, 91.0, 10.0))
"""By which a vessel is tilted, to pour."""


def pour_table(quick: Quick, about: Ref | None = None) -> Table:
    """What is left in a vessel that is tilted about a level axis (X, where none is said): of the first capacity that the design measures, by
    angles about that axis, to the brim as it lies then.

    Raises: DesignError, for a design that measures none, a vessel that is not hollowed out and finished, or an axis that is not level.
    """
    gauge = next((g for g in quick.design.gauges if g.kind == "capacity"), None)
    if gauge is None:
        raise DesignError("the design measures no capacity; put one on the vessel first")
    vessel = quick.of(gauge.on[0])
    if vessel is None or not any(isinstance(step, Hollow) for step in vessel.body.done):
        raise DesignError("what a leaning vessel holds is told of one that is hollowed out; hollow it out first")
    if vessel.result not in quick.finished:
        raise DesignError("the vessel is not finished yet; wait for its solid")
    ground = ground_of(quick)
    way, up = ground.axis(about or Ref("x")).way, ground.axis(gauge.on[1]).way
    if abs(float(way @ up)) > LEVEL:
        raise DesignError("the axis to pour about is not level; choose one square to what is up")
    rows: list[tuple[Cell, ...]] = []
    for angle in TILTS.tolist():
        # The vessel turns one way, and what is up the other, as seen from it.
        seen = turned_about(up, way, -angle)
        try:
            found = inside_of(ground, quick, gauge, seen)
            brim = np.array([found.brim])
            left, wet = float(found.volumes(brim)[0]) * 1e-6, float(found.wetted(brim)[0])
        except FieldError:  # open at its lowest place: nothing stays in it
            left, wet = 0.0, 0.0
        rows.append((math.degrees(angle), left, wet))
    called = "X" if about is None else ground.called(about)
    return Table(f"{gauge.name}: what is left when it is tilted about {called}", POUR, tuple(rows))


LEVEL = 1e-6
"""Cosine of the angle to what is up of an axis that counts as level."""
POUR = (Column("tilt", "°"), Column("left", "l"), Column("wetted area", "mm²"))
POINTS = 240
"""Places round a section whose coordinates are told."""


def point_table(quick: Quick) -> Table:
    """Places round the sections at the stations, where the body's first copy stands, for a machine or a lofting floor; run by run, evenly
    by the parameter of each lane, corners among them.

    Raises: DesignError, for a body without stations.
    """
    if quick.shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and so no points of sections")
    field, common = quick.shape.field, quick.shape.form.common
    places = np.array([n.position for n in quick.resolved.stations])
    sections = field.sections(field.params(places))
    count = max(POINTS // len(common.lanes), 2)
    share = np.arange(count) / count
    matrix = common.matrix([share] * len(common.lanes))
    loop = np.repeat([lane.loop for lane in common.lanes], count)
    rows = [
        (n.station.name, float(run + 1), *quick.stood(place[None])[0].tolist())
        for n, control in zip(quick.resolved.stations, sections.control, strict=True)
        for run, place in zip(loop.tolist(), matrix @ control, strict=True)
    ]
    return Table(f"{quick.body.name}: points of the stations", POINT, tuple(rows))


POINT = (Column("station"), Column("run"), Column("x", "mm"), Column("y", "mm"), Column("z", "mm"))

# All bodies


def section_table(quick: Quick) -> Table:
    """Of a body at its stations: area, second moments, torsion constant and mass per length, as finished where that is known.

    Raises: DesignError, for a body without stations.
    """
    if quick.shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and so no table of sections")
    places = np.array([n.position for n in quick.resolved.stations])
    cut, density = _finished(quick, places), quick.body.density
    names = [n.station.name for n in quick.resolved.stations]
    if cut is not None:
        torsion = stiff(cut, np.arange(len(places))).torsion
        figures = [
            cut.cuts.area,
            cut.cuts.perimeter,
            cut.cuts.i_max,
            cut.cuts.i_min,
            np.degrees(cut.cuts.angle),
            torsion,
        ]
        state = "as finished"
    else:
        sections = quick.shape.field.sections(quick.shape.field.params(places))
        rule = quadrature(quick.shape.form.common)
        more, told = moments(sections, rule), curves(sections, sections.at(np.array([0])), rule)
        figures = [
            told.area,
            more.perimeter,
            more.i_max,
            more.i_min,
            np.degrees(more.principal),
            np.full(len(places), np.nan),
        ]
        state = "as shaped"
    mass = figures[0] * (density * 1e-6 if density is not None else np.nan)
    columns = [places, *figures, mass]
    rows: list[tuple[Cell, ...]] = [(name, *(float(c[k]) for c in columns)) for k, name in enumerate(names)]
    return Table(f"{quick.body.name}: sections, {state}", SECTION, tuple(rows))


SECTION = (
    Column("station"),
    Column("position", "mm"),
    Column("area", "mm²"),
    Column("perimeter", "mm"),
    Column("greatest second moment", "mm⁴"),
    Column("least second moment", "mm⁴"),
    Column("principal axis", "°"),
    Column("torsion constant", "mm⁴"),
    Column("mass per length", "kg/m"),
)
