"""The report on a design: pictures, figures, laws, findings and tables, in an order that is read from above. As blocks, of which PDF
and HTML are made with the same words and figures."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from isotomon.design.bodies import results
from isotomon.design.file import encode
from isotomon.errors import DesignError, IsotomonError
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import walls_of
from isotomon.inspect.sections import mesh_of_finished
from isotomon.inspect.trade import blade_tables, duct_table, section_table
from isotomon.measure.laws import Finding
from isotomon.metrology.compare import AsMade
from isotomon.operations.hollow import Hollow
from isotomon.operations.thicken import Thicken
from isotomon.paper.as_made import FIGURE, fit_words, made_pages, made_tables
from isotomon.paper.frame import Box
from isotomon.paper.page import Item, Page, Picture, Stroke, Text, moved
from isotomon.paper.views import END, PLAN, PROFILE, QUALITIES, curve_items, seen_from
from isotomon.profile.section import FromPoints, Naca4
from isotomon.quantity import to_unit
from isotomon.quantity.record import Ref
from isotomon.quantity.table import Cell, Column, Table
from isotomon.version import VERSION


@dataclass(frozen=True)
class Heading:
    """The title of what follows."""

    words: str


@dataclass(frozen=True)
class Paragraph:
    """A line of plain text."""

    words: str


Block = Heading | Paragraph | Table | Page
"""A page in a report is a drawing of its own size, `FIGURE` wide."""


@dataclass(frozen=True, eq=False)
class DesignReport:
    """What a report says, from above."""

    title: str
    day: str
    blocks: tuple[Block, ...]


def report(
    quick: Quick,
    day: str,
    pictures: Mapping[str, bytes] | None = None,
    axis: Ref | None = None,
    made: AsMade | None = None,
) -> DesignReport:
    """The report on a design from its results, with what is known of its finished bodies. `pictures`: PNGs by what they show, which stand in
    place of line drawings; `axis`: what blades turn about; `made`: a part as it was made."""
    design = quick.design
    ok = quick.ok and not quick.empty
    state = hashlib.sha256(encode(design)).hexdigest()[:12]
    blocks: list[Block] = [
        Paragraph(f"Made with Isotomon {VERSION} on {day}; tolerance {design.tolerance:.3g} mm; design {state}"),
        Paragraph("All checks are met." if ok else "NOT all checks are met: see the findings."),
        Heading("What it looks like"),
        *_looks(quick, pictures or {}),
        Heading("Findings"),
        *_findings(quick),
        Heading("Laws"),
        *_laws(quick),
        Heading("Bodies"),
        _bodies(quick),
        *_walls(quick),
        *_measures(quick),
        *_numbers(quick),
    ]
    for body in design.bodies:
        one = quick.of(body.id)
        if one is not None and one.shape is not None and not body.aside:
            blocks += _body_blocks(replace(one, finished=quick.finished), axis)
    if made is not None:
        blocks += made_blocks(made)
    return DesignReport(design.name, day, tuple(blocks))


def made_blocks(made: AsMade) -> Iterable[Block]:
    """What the report tells of a part as it was made."""
    yield Heading(f"{made.quick.body.name} as made")
    yield Paragraph(fit_words(made))
    yield from _told(made.findings)
    spread, *outlines = made_pages(made)
    yield spread
    yield from made_tables(made)
    yield from outlines


def _body_blocks(one: Quick, axis: Ref | None) -> Iterable[Block]:
    yield Heading(f"{one.body.name}: along it")
    yield _charts(one)
    yield stations_table(one)
    foils = any(isinstance(n.station.section, Naca4 | FromPoints) for n in one.resolved.stations)
    try:
        yield section_table(one)
        yield from blade_tables(one, axis) if foils else (duct_table(one),)
    except IsotomonError as error:
        yield Paragraph(str(error))


def stations_table(one: Quick) -> Table:
    """The stations of a body as they are shaped. Raises: DesignError, where there are none."""
    if one.shape is None or one.full is None:
        raise DesignError(f"{one.body.name} has no stations")
    curves, sizes = one.shape.curves, one.full.extents
    rows: list[tuple[Cell, ...]] = []
    for k, (row, n) in enumerate(zip(one.shape.at_stations.tolist(), one.resolved.stations, strict=True)):
        lengths = (n.position, float(curves.chord[row]), float(sizes.thickness[k]))
        angles = (math.degrees(float(a[row])) for a in (curves.set_angle, curves.turn))
        rows.append((n.station.name, *lengths, *angles, float(curves.area[row])))
    return Table(f"{one.body.name}: stations", STATIONS, tuple(rows))


STATIONS = (
    Column("station"),
    Column("position", "mm"),
    Column("chord", "mm"),
    Column("thickness", "mm"),
    Column("set angle", "°"),
    Column("turn", "°"),
    Column("area", "mm²"),
)


def _looks(quick: Quick, pictures: Mapping[str, bytes]) -> list[Block]:
    """Pictures, or the same as line drawings, two beside each other."""
    if pictures:
        wide = {name for name, png in pictures.items() if _aspect(png) > WIDE}
        beside = [(name, (_fitting(png, 86.0, 54.0),)) for name, png in pictures.items() if name not in wide]
        return [_beside(beside, 62.0), *(_across(name, pictures[name]) for name in pictures if name in wide)]
    try:
        drawn = [(name, seen_from(quick, view)) for name, view in (("profile", PROFILE), ("plan", PLAN), ("end", END))]
    except DesignError as error:
        return [Paragraph(str(error))]
    cells = []
    for name, seen in drawn:
        points = np.vstack(seen.lines)
        low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-9)
        scale = float(min(80.0 / size[0], 50.0 / size[1]))
        corner = (np.array([86.0, 54.0]) - scale * size) / 2.0
        lines = tuple(
            Stroke(corner + scale * (line - low), "hidden" if hidden else "edge")
            for line, hidden in zip(seen.lines, seen.hidden, strict=True)
        )
        cells.append((name, lines))
    return [_beside(cells, 62.0)]


WIDE = 2.2
"""Pictures that are so much wider than high stand alone."""


def _aspect(png: bytes) -> float:
    """How much wider than high a picture is, as its head says."""
    wide, high = (int.from_bytes(png[at : at + 4], "big") for at in (16, 20))
    return wide / max(high, 1)


def _fitting(png: bytes, wide: float, high: float) -> Picture:
    """A picture in the middle of a box, mm, its sides as they are to each other."""
    own = min(wide, high * _aspect(png))
    return Picture((wide - own) / 2.0, (high - own / _aspect(png)) / 2.0, own, own / _aspect(png), png)


def _across(name: str, png: bytes) -> Page:
    """A picture as wide as the report."""
    high = FIGURE / _aspect(png)
    under = Text(FIGURE / 2.0, 1.0, name, 2.5, "middle")
    return Page(name, FIGURE, high + 6.0, (Picture(0.0, 6.0, FIGURE, high, png), under))


def _beside(cells: Sequence[tuple[str, tuple[Item, ...]]], high: float) -> Page:
    """Drawings of 86 by 54 mm with their names, two beside each other."""
    rows = -(-len(cells) // 2)
    items: list[Item] = []
    for k, (name, drawn) in enumerate(cells):
        x, y = 94.0 * (k % 2), high * (rows - 1 - k // 2)
        items += [*moved(drawn, x, y + 6.0), Text(x + 43.0, y + 1.0, name, 2.5, "middle")]
    return Page("what it looks like", FIGURE, rows * high, tuple(items))


def _findings(quick: Quick) -> list[Block]:
    return _told(quick.findings) or [Paragraph("None.")]


def _told(findings: Iterable[Finding]) -> list[Block]:
    words = {"error": "error", "band": "out of band", "note": "note"}
    return [Paragraph(f"{words[f.severity]}: {f.where}: {f.text}") for f in findings]


def _laws(quick: Quick) -> list[Block]:
    """Each law with its worst place."""
    rows: list[tuple[Cell, ...]] = []
    for one in (quick, *quick.others):
        for judged in one.judged:
            if not len(judged.position):
                continue
            worst = int(np.argmax(judged.excess))
            factor = math.degrees(1.0) if judged.quality in ("set_angle", "turn", "twist_rate") else 1.0
            figures = (judged.value[worst], judged.target[worst], judged.band[worst])
            met = "missed" if bool(judged.out.any()) else "met"
            values = (float(f) * factor for f in figures)
            rows.append((one.body.name, judged.name, met, *values, float(judged.position[worst])))
    if not rows:
        return [Paragraph("There is none.")]
    return [Table("each at its worst place", LAWS, tuple(rows))]


LAWS = (
    Column("body"),
    Column("law"),
    Column("met or missed"),
    Column("value", "mm², mm, °"),
    Column("intended"),
    Column("half band"),
    Column("position", "mm"),
)


PLACES = 4
"""Decimals of a mm to which a centre is told."""


def _bodies(quick: Quick) -> Table:
    """Volume, surface, mass and centre of every body of its own, as finished where that is known."""
    rows: list[tuple[Cell, ...]] = []
    for key in results(quick.design):
        one, built = quick.of(key), quick.finished.get(key)
        if one is None or (built is None and one.full is None):
            continue
        if built is not None:
            volume, area, centre, state = built.volume, built.area, np.array(built.centre), "as finished"
            sound = "valid, watertight" if built.valid and built.watertight else "valid" if built.valid else "NOT VALID"
        else:
            assert one.full is not None
            volume, area, state, sound = one.volume, one.full.body.area, "as shaped", "not built"
            centre = one.stood(one.full.body.centre[None])[0]
        density = one.body.density
        mass = volume * density * 1e-9 if density is not None else math.nan
        rows.append((one.body.name, state, sound, volume, area, mass, *(round(float(x), PLACES) + 0.0 for x in centre)))
    return Table("", BODIES, tuple(rows))


BODIES = (
    Column("body"),
    Column("state"),
    Column("solid"),
    Column("volume", "mm³"),
    Column("surface", "mm²"),
    Column("mass", "kg"),
    Column("centre x", "mm"),
    Column("centre y", "mm"),
    Column("centre z", "mm"),
)


def _walls(quick: Quick) -> list[Block]:
    """The thinnest and the thickest wall of every finished body that is hollowed or thickened, and where they are."""
    rows: list[tuple[Cell, ...]] = []
    for key in results(quick.design):
        one, built = quick.of(key), quick.finished.get(key)
        if one is None or built is None or not built.watertight or not _has_walls(one):
            continue
        found = walls_of(built, mesh_of_finished(built))
        for word, sign in (("least", 1.0), ("greatest", -1.0)):
            thick, place = found.extreme(sign)
            if not math.isnan(thick):
                rows.append((one.body.name, word, thick, *(round(float(x), PLACES) + 0.0 for x in place)))
    return [Heading("Walls"), Table("", WALLS, tuple(rows))] if rows else []


def _has_walls(one: Quick) -> bool:
    return one.body.loft.wall is not None or any(isinstance(s, Hollow | Thicken) for s in one.body.done)


WALLS = (
    Column("body"),
    Column("wall"),
    Column("thickness", "mm"),
    Column("at x", "mm"),
    Column("at y", "mm"),
    Column("at z", "mm"),
)


def _measures(quick: Quick) -> list[Block]:
    """What the measures kept on the design read, as the window says them."""
    scale = {"litres": (1e-6, "l"), "angle": (math.degrees(1.0), "°"), "area": (1.0, "mm²"), "second": (1.0, "mm⁴")}
    rows: list[tuple[Cell, ...]] = []
    for gauge in quick.design.gauges:
        reading = quick.readings.get(gauge.id)
        if reading is None:
            continue
        if reading.wrong:
            rows.append((gauge.name, reading.wrong, math.nan, ""))
        for title, value, what in reading.figures:
            factor, unit = scale.get(what, (1.0, "mm" if what == "length" else what))
            rows.append((gauge.name, title.lower(), value * factor, unit))
    if not rows:
        return []
    return [
        Heading("Measures"),
        Table("", tuple(map(Column, ("measure", "figure", "value", "unit"))), tuple(rows)),
    ]


def _numbers(quick: Quick) -> list[Block]:
    known, rows = quick.resolved.names, list[tuple[Cell, ...]]()
    for number in quick.design.numbers:
        value = known[number.name].value if number.name in known else math.nan
        unit = {"length": quick.design.unit, "angle": "deg", "ratio": ""}[number.kind]
        shown = to_unit(value, unit) if unit else value
        rows.append((number.name, str(number.value) if isinstance(number.value, str) else "", shown, unit))
    if not rows:
        return []
    return [
        Heading("Numbers"),
        Table("", tuple(map(Column, ("number", "formula", "value", "unit"))), tuple(rows)),
    ]


def _charts(one: Quick) -> Page:
    items: list[Item] = []
    for k, quality in enumerate(QUALITIES):
        box = Box(90.0 * (k % 2), 62.0 * (1 - k // 2), 90.0, 62.0)
        items += curve_items(one, quality, box, one.design.unit)
    return Page(f"{one.body.name}: curves", FIGURE, 124.0, tuple(items))
