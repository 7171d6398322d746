"""What scripts use: build a design, rebuild it, measure it, write it. The same core as the window.

import isotomon
design = isotomon.read_table("blade.csv")
session = isotomon.Session(design)
session.apply("wider", lambda d: isotomon.station_edits.change_station(d, "s3", chord=120.0))
with isotomon.Solids() as solids:
    result = isotomon.check(session.design, solids)
    isotomon.export(session.design, "blade.step", solids)
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from contextlib import nullcontext
from pathlib import Path
from typing import Any

from isotomon.author import meet as meeting
from isotomon.author import shaping
from isotomon.author import unroll as unrolling
from isotomon.author.carry import carry
from isotomon.author.insert import insert_station
from isotomon.author.session import Session
from isotomon.author.skins import make_skin
from isotomon.delivering import Delivered, Solids, deliver, deliver_all, export, study
from isotomon.design import bodies, edits, file, loft_edits, station_edits
from isotomon.design.body import Along, Body, Carrying, Ending, Loft, Span, Wall
from isotomon.design.datums import Datum
from isotomon.design.gauges import Gauge
from isotomon.design.guides import End, Guide, GuidePoint, Rail, Tie
from isotomon.design.imports import read_import as _read_import
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.settle import settled
from isotomon.exchange.drawing_files import read_drawing as _read_drawing
from isotomon.exchange.drawing_files import write_drawing as _write_drawing
from isotomon.exchange.numbers import read_numbers as _read_numbers
from isotomon.exchange.numbers import write_numbers
from isotomon.exchange.table import read_table as _read_table
from isotomon.exchange.table import write_table
from isotomon.field.unrolled import Unrolled
from isotomon.inspect import compare as comparing
from isotomon.inspect import looks
from isotomon.inspect.capacity import capacity_table as _capacity_table
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild as rebuilt
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.measuring import as_made, probe, simulated_machine, write_points
from isotomon.metrology.machine import Dent, Faults, Habits
from isotomon.operations import OPERATIONS
from isotomon.operations.skins import MAKINGS
from isotomon.profile import change, copies, draw_edits, shapes
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Constraint, Drawing
from isotomon.profile.relate import add_dimension
from isotomon.profile.section import (
    Apex,
    BodyEnd,
    Circle,
    Drawn,
    Ellipse,
    FromPoints,
    Naca4,
    OnCurve,
    Outline,
    Polygon,
    Rounded,
    Star,
    Superellipse,
)
from isotomon.profile.section_text import parse_section, section_text
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import freedoms, solve
from isotomon.quantity.record import Ref
from isotomon.samples import sample
from isotomon.solids import deliver as building
from isotomon.solids.checked import checked as _checked


def read_table(path: str | Path) -> Design:
    """A design from a station table.

    Raises: FileError.
    """
    return _read_table(Path(path))


def read_numbers(path: str | Path, unit: str = "mm") -> tuple[Number, ...]:
    """Named numbers from CSV, for `edits.put_numbers`.

    Raises: FileError.
    """
    return _read_numbers(Path(path), unit)


def read_drawing(path: str | Path, unit: str = "mm") -> Drawing:
    """A drawing from a DXF, SVG or coordinate file; `unit`: of lengths where the file does not say.

    Raises: FileError.
    """
    return _read_drawing(Path(path), unit).drawing


def write_drawing(design: Design, name: str, path: str | Path) -> None:
    """Write a drawing of a design, solved, as DXF, SVG or coordinates, by the file's ending.

    Raises: FileError, DesignError.
    """
    found = next((d for d in design.drawings if d.name == name or d.id == name), None)
    if found is None:
        names = ", ".join(d.name for d in design.drawings) or "none"
        raise DesignError(f"the design has no drawing '{name}'; it has {names}")
    _write_drawing(rebuilt(design).drawings.solutions[found.id].drawing, Path(path))


def unroll(design: Design, body: str) -> tuple[Design, Unrolled]:
    """The design with one more drawing, the skin of a body (its name or id) laid flat, and how it was laid: its strain, how far it is from
    developable.

    Raises: DesignError, for one that cannot be.
    """
    found = next((b for b in design.bodies if body in (b.name, b.id)), None)
    if found is None:
        raise DesignError(f"the design has no body '{body}'; it has {', '.join(b.name for b in design.bodies)}")
    return unrolling.unroll(design, found.id)


def load(path: str | Path) -> Design:
    """A design from its file.

    Raises: FileError.
    """
    return file.load(Path(path))


def save(design: Design, path: str | Path) -> None:
    """Write a design file.

    Raises: FileError.
    """
    file.save(design, Path(path))


def build(design: Design, solids: Solids) -> Built:
    """The solid of a design: its mesh and the kernel's figures.

    Raises: SolidError, FieldError.
    """
    return building.build(rebuilt(design), solids.supervisor)


def check(design: Design, solids: Solids | None = None, finished: str | None = None) -> dict[str, Any]:
    """The check of a design as JSON values; with `solids` also the solid's figures. `finished`: with sections, stiffness and walls of the
    finished bodies, cut at their stations (empty) or square to x, y, z or the id of an axis, a plane or a guide.

    A solid that cannot be made is a finding in the result. Raises: IsotomonError, for what bodies cannot be cut square to.
    """
    cut = None if finished is None else Ref(finished)
    return _checked(rebuilt(design), solids.supervisor if solids else None, cut)


def meet_law(
    design: Design, law: str, kinds: Sequence[meeting.Kind] = ("sizes",), stations: Sequence[str] = ()
) -> meeting.Meeting:
    """The least change of what may change (sizes, set angles, offsets, rail points; at stations by name, or all) that brings
    the body into the band of a law, by its name.

    Raises: DesignError, for an unknown law, station or kind, or when nothing may change.
    """
    unknown = [k for k in kinds if k not in meeting.KINDS]
    if unknown:
        raise DesignError(f"'{unknown[0]}' is nothing that may change; use {', '.join(meeting.KINDS)}")
    found = next((entry for b in design.bodies for entry in b.laws if law in (entry.name, entry.id)), None)
    if found is None:
        raise DesignError(
            f"there is no law '{law}'; there are {', '.join(entry.name for b in design.bodies for entry in b.laws) or 'none'}"
        )
    by_name = {s.name: s.id for s in bodies.body_of(design, found.id).stations}
    missing = [name for name in stations if name not in by_name]
    if missing:
        raise DesignError(f"there is no station '{missing[0]}'; there are {', '.join(by_name)}")
    chosen, driven = meeting.freedoms(rebuilt(design), kinds, [by_name[name] for name in stations])
    return meeting.meet(design, found.id, chosen, driven=driven)


def measures(design: Design, solids: Solids | None = None) -> dict[str, dict[str, float | str]]:
    """What the measures kept on a design read, by name: figures in mm, mm², mm³, mm⁴, kg, kg mm², litres and degrees; or
    `wrong`, why not. Those of combined bodies are taken of the finished `solids`, which are started when they are needed.

    Raises: SolidError, when these cannot be built.
    """
    quick = _measured(design, solids)
    scale = {"litres": 1e-6, "angle": 180.0 / math.pi}
    found: dict[str, dict[str, float | str]] = {}
    for gauge in design.gauges:
        reading = quick.readings[gauge.id]
        found[gauge.name] = {title: value * scale.get(what, 1.0) for title, value, what in reading.figures}
        if reading.wrong:
            found[gauge.name]["wrong"] = reading.wrong
    return found


def _measured(design: Design, solids: Solids | None) -> Quick:
    """The results with the solids that measures wait for, where any do."""
    quick = rebuilt(design)
    if not any(reading.waits for reading in quick.readings.values()):
        return quick
    with nullcontext(solids) if solids is not None else Solids() as own:
        return with_finished(quick, building.build_all(quick, own.supervisor))


def capacity_table(design: Design, name: str, solids: Solids | None = None) -> str:
    """Level, volume and wetted area of a vessel from its floor to its brim, as CSV, by the name of its measure; of a hollow one from the
    finished `solids`, which are started when they are needed.

    Raises: DesignError, for a measure that is not there; IsotomonError, when the vessel cannot be gauged.
    """
    found = next((g for g in design.gauges if name in (g.name, g.id)), None)
    if found is None:
        raise DesignError(
            f"there is no measure '{name}'; there are {', '.join(g.name for g in design.gauges) or 'none'}"
        )
    return _capacity_table(_measured(design, solids), found)


def compare(design: Design, other: Design | None = None, bodies: Sequence[str] = ()) -> dict[str, tuple[float, float]]:
    """Figures of two bodies side by side where they stand, in mm, mm², mm³ and degrees, NaN where there is none; `outside` and
    `inside`: how far the first lies outside and inside the other. Two bodies of one design by name, or the ones in hand
    of two designs, or those named.

    Raises: DesignError.
    """
    found = comparing.compare(*comparing.choose((design,) if other is None else (design, other), bodies))
    scale = {"angle": 180.0 / math.pi}
    rows = {title: (a * scale.get(what, 1.0), b * scale.get(what, 1.0)) for title, a, b, what in found.figures}
    return {**rows, "outside": (found.outside, math.nan), "inside": (found.inside, math.nan)}


def bring_in(design: Design, path: str | Path) -> Design:
    """The design with the body of a STEP, IGES or STL file, kept in it as it is; in hand afterwards.

    Raises: FileError.
    """
    return bodies.bring_in(design, _read_import(Path(path), edits.fresh_id(design, "f")))


__all__ = [
    "Along",
    "Apex",
    "Body",
    "BodyEnd",
    "Carrying",
    "Circle",
    "Constraint",
    "Datum",
    "Delivered",
    "Dent",
    "Design",
    "Drawing",
    "Drawn",
    "Ellipse",
    "End",
    "Ending",
    "Faults",
    "FromPoints",
    "Gauge",
    "Guide",
    "GuidePoint",
    "Habits",
    "IsotomonError",
    "Law",
    "LawPoint",
    "Loft",
    "Naca4",
    "Number",
    "OnCurve",
    "Outline",
    "Pen",
    "Polygon",
    "Quick",
    "Rail",
    "Rounded",
    "Session",
    "Solids",
    "Span",
    "Spot",
    "Star",
    "Station",
    "Superellipse",
    "Tie",
    "Wall",
    "add_dimension",
    "as_made",
    "bodies",
    "bring_in",
    "build",
    "capacity_table",
    "carry",
    "change",
    "check",
    "compare",
    "copies",
    "deliver",
    "deliver_all",
    "draw_edits",
    "edits",
    "export",
    "freedoms",
    "insert_station",
    "load",
    "loft_edits",
    "looks",
    "make_skin",
    "measures",
    "meet_law",
    "parse_section",
    "probe",
    "read_drawing",
    "read_numbers",
    "read_table",
    "rebuilt",
    "sample",
    "save",
    "section_text",
    "settled",
    "shapes",
    "shaping",
    "simulated_machine",
    "solve",
    "station_edits",
    "study",
    "unroll",
    "write_drawing",
    "write_numbers",
    "write_points",
    "write_table",
]
RECORDS = (*OPERATIONS.values(), *MAKINGS.values())
globals().update({record.__name__: record for record in RECORDS})
__all__ += [record.__name__ for record in RECORDS]
