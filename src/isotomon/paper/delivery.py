"""What can be delivered besides bodies themselves: sheets, tables and the report, each made from results by one call."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from isotomon.errors import DesignError
from isotomon.geometry.wire import Wire
from isotomon.inspect.results import Quick
from isotomon.inspect.trade import blade_tables, duct_table, point_table, pour_table, section_table
from isotomon.metrology.compare import AsMade
from isotomon.paper.as_made import made_tables
from isotomon.paper.flat import flat_pattern
from isotomon.paper.frame import PAPERS, Block, Paper
from isotomon.paper.page import Page
from isotomon.paper.report import DesignReport, made_blocks, report, stations_table
from isotomon.paper.report_pages import report_pages
from isotomon.paper.templates import KINDS, Kind, templates
from isotomon.paper.views import Angle, body_plan, curve_sheet, views
from isotomon.paper.wireframe import wireframe, wires_of
from isotomon.quantity.record import Ref
from isotomon.quantity.table import Table

ANGLES: tuple[Angle, ...] = ("first", "third")


@dataclass(frozen=True)
class Requested:
    """What is to be delivered, and how: `what` is one of `DELIVERIES`. `axis`: the id of what a blade turns about, empty for the usual;
    `stations`: of templates, by name, or lengths along the body, all stations where none is said; `finished`: templates with holes and walls."""

    what: str
    paper: Paper = "A3"
    angle: Angle = "first"
    kind: Kind = "section"
    finished: bool = False
    stations: tuple[str, ...] = ()
    axis: str = ""


@dataclass(frozen=True, eq=False)
class Prepared:
    """What has been made: pages of paper, and where it is a report, tables or curves in space, these themselves."""

    title: str
    pages: tuple[Page, ...]
    report: DesignReport | None = None
    tables: tuple[Table, ...] = ()
    wires: tuple[Wire, ...] = ()

    @property
    def endings(self) -> tuple[str, ...]:
        """Of the files that it can be written as, the usual one first."""
        if self.report is not None:
            return (".pdf", ".html", ".csv") if self.tables else (".pdf", ".html")
        if self.wires:
            return (".dxf", ".step", ".iges")
        return (".csv", ".pdf") if self.tables else (".pdf", ".svg", ".dxf", ".png")


class Attached(NamedTuple):
    """What is known beside the design's results: pictures of the body, PNGs by what they show; and a part as it was made."""

    pictures: Mapping[str, bytes]
    made: AsMade | None


class Delivery(NamedTuple):
    """One kind of what is delivered: its title, what it is in words, and which of the choices it asks for."""

    title: str
    help: str
    asks: tuple[str, ...]
    make: Callable[[Quick, Requested, str, Attached], Prepared]


def make(
    quick: Quick,
    wanted: Requested,
    day: str,
    pictures: Mapping[str, bytes] | None = None,
    made: AsMade | None = None,
) -> Prepared:
    """What is wanted of results, with what is known of the finished bodies. `day`: that it is made on; `pictures`: PNGs of the body by what they
    show, for the report; `made`: a part of it as it was made.

    Raises: DesignError, for what cannot be made of this design.
    """
    found = DELIVERIES.get(wanted.what)
    if found is None:
        raise DesignError(f"there is nothing called '{wanted.what}' to deliver; there are {', '.join(DELIVERIES)}")
    for value, known, called in (
        (wanted.paper, tuple(PAPERS), "size of paper"),
        (wanted.angle, ANGLES, "projection"),
        (wanted.kind, KINDS, "kind of template"),
    ):
        if value not in known:
            raise DesignError(f"'{value}' is no {called}; use {', '.join(known)}")
    return found.make(quick, wanted, day, Attached(pictures or {}, made))


def _block(quick: Quick, day: str) -> Block:
    return Block(quick.design.name, day, quick.design.tolerance, quick.design.unit)


def _general(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    return Prepared("general drawing", (views(quick, _block(quick, day), wanted.paper, wanted.angle),))


def _body_plan(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    return Prepared("body plan", (body_plan(quick, _block(quick, day), wanted.paper),))


def _curves(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    return Prepared("curves", (curve_sheet(quick, _block(quick, day), wanted.paper),))


def _templates(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    pages = templates(quick, _block(quick, day), wanted.paper, wanted.kind, wanted.finished, places=wanted.stations)
    return Prepared("templates", tuple(pages))


def _report(quick: Quick, wanted: Requested, day: str, beside: Attached) -> Prepared:
    made = report(quick, day, beside.pictures, Ref(wanted.axis) if wanted.axis else None, beside.made)
    return Prepared("report", tuple(report_pages(made)), report=made)


def _tables(title: str, tables: tuple[Table, ...], quick: Quick, day: str) -> Prepared:
    pages = report_pages(DesignReport(f"{quick.design.name}: {title}", day, tables))
    return Prepared(title, tuple(pages), tables=tables)


def _stations(quick: Quick, _: Requested, day: str, __: Attached) -> Prepared:
    return _tables("stations", (stations_table(quick),), quick, day)


def _sections(quick: Quick, _: Requested, day: str, __: Attached) -> Prepared:
    return _tables("sections", (section_table(quick),), quick, day)


def _blade(quick: Quick, wanted: Requested, day: str, __: Attached) -> Prepared:
    return _tables("blade", blade_tables(quick, Ref(wanted.axis) if wanted.axis else None), quick, day)


def _duct(quick: Quick, _: Requested, day: str, __: Attached) -> Prepared:
    return _tables("duct", (duct_table(quick),), quick, day)


def _flat(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    return Prepared("flat pattern", tuple(flat_pattern(quick, _block(quick, day), wanted.paper)))


def _wireframe(quick: Quick, wanted: Requested, day: str, _: Attached) -> Prepared:
    wires = wires_of(quick, wanted.stations)
    page = wireframe(wires, _block(quick, day), wanted.paper)
    return Prepared("guides and sections", (page,), wires=wires)


def _points(quick: Quick, _: Requested, day: str, __: Attached) -> Prepared:
    return _tables("points", (point_table(quick),), quick, day)


def _as_made(quick: Quick, _: Requested, day: str, beside: Attached) -> Prepared:
    if beside.made is None:
        raise DesignError(
            "nothing has been measured of this design; open As made, and read points or take them from a machine"
        )
    told = DesignReport(f"{quick.design.name}: as made", day, tuple(made_blocks(beside.made)))
    return Prepared("as made", tuple(report_pages(told)), told, made_tables(beside.made))


def _pour(quick: Quick, wanted: Requested, day: str, __: Attached) -> Prepared:
    return _tables("pouring", (pour_table(quick, Ref(wanted.axis) if wanted.axis else None),), quick, day)


DELIVERIES: dict[str, Delivery] = {
    "general": Delivery(
        "General drawing",
        "Profile, plan and end view with stations, sizes and hidden edges",
        ("paper", "angle"),
        _general,
    ),
    "body-plan": Delivery("Body plan", "All stations' sections laid over each other", ("paper",), _body_plan),
    "templates": Delivery(
        "Templates",
        "Sections at 1:1 to be cut out, a station a sheet, parted where one is too large",
        ("paper", "kind", "finished", "stations"),
        _templates,
    ),
    "flat": Delivery(
        "Flat pattern", "The skin laid flat at 1:1, with the lines at which it is folded", ("paper",), _flat
    ),
    "curves": Delivery(
        "Curves", "Area, set angle, turn and thickness along the body, with laws and bands", ("paper",), _curves
    ),
    "wireframe": Delivery(
        "Wireframe",
        "Guides, and sections at stations, as curves in space for other programs",
        ("stations",),
        _wireframe,
    ),
    "report": Delivery(
        "Report", "All that is to be known of the design: looks, findings, laws, figures, tables", ("axis",), _report
    ),
    "as-made": Delivery(
        "As-made report", "Measured points against the design: deviations, sections, laws, what is other", (), _as_made
    ),
    "stations": Delivery(
        "Figures at stations", "Chord, thickness, angles and area at the stations, as they are shaped", (), _stations
    ),
    "sections": Delivery(
        "Sections", "Area, second moments, torsion constant and mass per length at the stations", (), _sections
    ),
    "blade": Delivery(
        "Blade", "Pitch, thickness, camber, edges, skew, rake; expanded area and solidity", ("axis",), _blade
    ),
    "duct": Delivery("Duct", "Hydraulic diameter, area change and cone angle", (), _duct),
    "points": Delivery("Points of sections", "Places round the sections at the stations, in space", (), _points),
    "pour": Delivery("Pouring", "What is left in a vessel that is tilted about a level axis", ("axis",), _pour),
}
