"""A design's values worked out: every formula as a number in mm and rad."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from functools import lru_cache
from typing import Any

from isotomon.design.bodies import check_bodies
from isotomon.design.body import Along, Body, Ending
from isotomon.design.gauges import MOST_GAUGES
from isotomon.design.guides import check_guide
from isotomon.design.law_values import law_band
from isotomon.design.recipe import check_made
from isotomon.design.records import Design
from isotomon.design.resolved import STATION_KINDS, EndNumbers, Placed, Resolved, SpanNumbers, StationNumbers
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError, QuantityError
from isotomon.operations.counting import check_steps
from isotomon.profile.drawing import DIMENSIONS, Drawing, check_drawing
from isotomon.profile.section import Apex, Drawn, Elsewhere
from isotomon.profile.section_text import check_section, is_foil
from isotomon.quantity import Kind, Quantity, Value, names_in, resolve, resolve_numbers

MOST_STATIONS = 1000
MOST_NUMBERS = 500


def check_numbers(design: Design) -> dict[str, Quantity]:
    """The named numbers of a design, when these and all that belongs to no body can be worked out.

    Raises: DesignError, QuantityError, naming what cannot, with the remedy.
    """
    _check_counts(design)
    names = resolve_numbers([(n.name, n.value, n.kind) for n in design.numbers])
    for gauge in design.gauges:
        check_made("measure", gauge)
    for datum in design.datums:
        check_made("datum", datum)
    for guide in design.guides:
        check_guide(guide)
    for drawing in design.drawings:
        drawing_figures(check_drawing(drawing), names)
    return names


def resolve_body(design: Design, body: Body, placed: Placed | None = None) -> Resolved:
    """All numbers of a body. `placed`: of the stations on datum planes; without it their own numbers count.

    Raises: DesignError, QuantityError or ProfileError, naming the station and field, with the remedy.
    """
    names = check_numbers(design)
    _check_body(design, body, names)
    loft, radius = body.loft, _radius(body, names)
    endings = (_ending(loft.first, "first", names), _ending(loft.last, "last", names))
    stations = _stations(body, radius, placed, names)
    figures = {d.id: drawing_figures(d, names) for d in design.drawings}
    return Resolved(body, names, stations, figures, endings, radius, _span(body, radius, names), loft.ring)


def _stations(
    body: Body, radius: float, placed: Placed | None, names: dict[str, Quantity]
) -> tuple[StationNumbers, ...]:
    """The stations in mm and rad, in order of position."""
    places = placed or {}
    positions = {s.id: places[s.id][0] if s.id in places else _position(s, radius, names) for s in body.stations}
    ordered = sorted(body.stations, key=lambda s: positions[s.id])
    for before, after in zip(ordered[:-1], ordered[1:], strict=True):
        unsettled = placed is None and (before.plane or after.plane)
        if positions[after.id] - positions[before.id] < 1e-6 and not unsettled:
            raise DesignError(
                f"stations '{before.name}' and '{after.name}' stand at one position "
                f"({positions[after.id]:g} mm); move one of them"
            )
    span = (positions[ordered[-1].id] - positions[ordered[0].id]) if len(ordered) > 1 else 1.0
    first = positions[ordered[0].id] if ordered else 0.0
    wall, shut = _wall(body, names), body.loft.shut
    return tuple(
        replace(
            _station(s, positions[s.id], (positions[s.id] - first) / max(span, 1e-9), places, names),
            wall=wall,
            shut=shut,
        )
        for s in ordered
    )


def _check_body(design: Design, body: Body, names: dict[str, Quantity]) -> None:
    """Whether what a body says besides its stations can be used. Raises: DesignError, QuantityError."""
    loft = body.loft
    _check_each(
        (
            ("stations", body.stations, MOST_STATIONS),
            ("laws", body.laws, 100),
            ("steps", body.steps, 200),
            ("rails", loft.rails, 64),
            ("ties", loft.ties, 200),
        )
    )
    if body.density is not None and not 0.0 < body.density < 1e6:
        raise DesignError(f"the density is {body.density:g} kg/m³; use a positive number")
    if body.colour and not re.fullmatch(r"#[0-9A-Fa-f]{6}", body.colour):
        raise DesignError(f"{body.name}: '{body.colour}' is no colour; write it as #AABBCC, or leave it blank")
    if body.file and all(i.id != body.file for i in design.imports):
        raise DesignError(f"{body.name}: the file it was brought in from is gone; bring it in again")
    if body.up_to and all(step.id != body.up_to for step in body.steps):
        raise DesignError(f"{body.name}: the step it is rebuilt up to is gone; choose another")
    if any(not step.id for step in body.steps):
        raise DesignError(f"{body.name}: a step has no id; give each its own")
    check_steps(body.done)
    for law in body.laws:
        law_band(law, names)
    drawn = {d.id for d in design.drawings}
    for station in body.stations:
        if isinstance(station.section, Drawn) and station.section.drawing not in drawn:
            raise DesignError(f"station '{station.name}': its drawing is gone; choose another section")
    for title, value, kind in along_values(loft.along):
        along_value(title, value, kind, 0.0, 0.0, names)


def _wall(body: Body, names: dict[str, Quantity]) -> tuple[float, float] | None:
    wall = body.loft.wall
    if wall is None:
        return None
    try:
        thick = resolve(wall.thickness, "length", names)
    except QuantityError as error:
        raise QuantityError(f"{body.name}, thickness of the wall: {error}") from None
    if not thick > 1e-6:
        raise DesignError(f"{body.name}: the wall is {thick:g} mm thick; use more than nought")
    return {"inside": (thick, 0.0), "middle": (thick / 2.0, thick / 2.0), "outside": (0.0, thick)}[wall.side]


def _span(body: Body, radius: float, names: dict[str, Quantity]) -> SpanNumbers | None:
    span = body.loft.span
    if span is None:
        return None
    ways = []
    for title, value in (("how far back it goes", span.back), ("how far on it goes", span.on)):
        try:
            way = resolve(value, "angle" if radius else "length", names) * (radius or 1.0)
        except QuantityError as error:
            raise QuantityError(f"{body.name}, {title}: {error}") from None
        if radius and way > math.tau * radius * (1.0 + 1e-9):
            raise DesignError(f"{body.name}, {title}: {math.degrees(way / radius):g}° is more than a whole turn")
        ways.append(way)
    return SpanNumbers(span.whole, *ways)


def along_values(along: Along) -> tuple[tuple[str, Value, Kind], ...]:
    """(title, value, kind) of what changes along a body, in the order of its course."""
    return (
        ("Turn", along.turn, "angle"),
        ("Width", along.width, "ratio"),
        ("Height", along.height, "ratio"),
        ("Offset across", along.offset_x, "length"),
        ("Offset up", along.offset_y, "length"),
    )


def is_course(value: Value) -> bool:
    """Whether a value is a course along the body by itself."""
    return isinstance(value, str) and bool(re.search(r"\b(fraction|position)\b", value))


def along_value(
    title: str, value: Value, kind: Kind, fraction: float, position: float, names: dict[str, Quantity]
) -> float:
    """What a course along the body is at a place (mm, rad, ratio).

    Raises: QuantityError, naming it.
    """
    here = (
        {**names, "position": Quantity(position, 1, 0), "fraction": Quantity(fraction)} if is_course(value) else names
    )
    try:
        return resolve(value, kind, here)
    except QuantityError as error:
        raise QuantityError(f"{title.lower()} along the body: {error}") from None


def _radius(body: Body, names: dict[str, Quantity]) -> float:
    """mm, of a body turned about an axis; nought of any other."""
    carrier = body.loft.carrier
    if carrier.how != "axis":
        return 0.0
    try:
        radius = resolve(carrier.radius, "length", names)
    except QuantityError as error:
        raise QuantityError(f"the radius about the axis: {error}") from None
    if not radius > 1e-6:
        raise DesignError(f"the radius about the axis is {radius:g} mm; it must be greater than zero")
    return radius


def _position(station: Station, radius: float, names: dict[str, Quantity]) -> float:
    """mm along what carries the station."""
    if not radius:
        return _station_value(station, "position", names)
    try:
        return resolve(station.position, "angle", names) * radius
    except QuantityError as error:
        raise QuantityError(f"station '{station.name}', position (an angle about the axis): {error}") from None


def _ending(ending: Ending, which: str, names: dict[str, Quantity]) -> EndNumbers | None:
    if ending.how == "free":
        return None
    where = f"the body's {which} end"
    try:
        strength = resolve(ending.strength, "length", names)
        angle = resolve(ending.angle, "angle", names) if ending.how == "leaning" else 0.0
    except QuantityError as error:
        raise QuantityError(f"{where}: {error}") from None
    if strength < 0.0:
        raise DesignError(f"{where}: its strength is {strength:g} mm; use nought (the whole bay) or more")
    if abs(angle) > math.radians(80.0):
        raise DesignError(f"{where}: it leans by {math.degrees(angle):g}°; use at most 80°")
    return EndNumbers(strength, angle, ending.how if ending.how in ("flush", "fair") else "leaning")


def drawing_figures(drawing: Drawing, names: dict[str, Quantity]) -> dict[str, float]:
    """The figures of a drawing's driving dimensions, by id, mm or rad.

    Raises: QuantityError, DesignError, naming drawing and dimension.
    """
    figures = {}
    for c in drawing.constraints:
        if c.value is None or not c.driving:
            continue
        try:
            figures[c.id] = resolve(c.value, DIMENSIONS[c.kind], names)
        except QuantityError as error:
            raise QuantityError(f"drawing '{drawing.name}', {c.kind} {c.id}: {error}") from None
        least = 0.0 if c.kind in ("across", "up", "angle", "distance", "width") else 1e-6
        if figures[c.id] < least or (c.kind == "angle" and figures[c.id] > math.tau):
            wanted = "an angle from 0 to 360°" if c.kind == "angle" else "a length greater than zero"
            raise DesignError(f"drawing '{drawing.name}', {c.kind} {c.id} is {figures[c.id]:g}; use {wanted}")
    return figures


def _check_counts(design: Design) -> None:
    _check_each(
        (
            ("numbers", design.numbers, MOST_NUMBERS),
            ("foil outlines", design.outlines, 200),
            ("drawings", design.drawings, 500),
            ("datums", design.datums, 1000),
            ("guides", design.guides, 1000),
            ("measures", design.gauges, MOST_GAUGES),
            ("bodies brought in", design.imports, 50),
        )
    )
    if not 1e-9 <= design.tolerance <= 10.0:
        raise DesignError(f"the tolerance is {design.tolerance:g} mm; use 1e-9 to 10")


def _check_each(groups: tuple[tuple[str, tuple[Any, ...], int], ...]) -> None:
    """Whether there are not too many of each group, and each has an id of its own. Raises: DesignError."""
    for what, entries, most in groups:
        if len(entries) > most:
            raise DesignError(f"the design has {len(entries)} {what}; at most {most} can be used")
        ids = [e.id for e in entries]
        if len(set(ids)) != len(ids):
            raise DesignError(f"two of the {what} have the same id; give each its own")


def _station_value(station: Station, field: str, names: dict[str, Quantity]) -> float:
    value: Value = getattr(station, field)
    try:
        return resolve(value, STATION_KINDS[field], names)
    except QuantityError as error:
        raise QuantityError(f"station '{station.name}', {field.replace('_', ' ')}: {error}") from None


def _station(
    station: Station, position: float, fraction: float, placed: Placed, names: dict[str, Quantity]
) -> StationNumbers:
    used = tuple((name, names[name]) for name in _names_used(station) if name in names)
    return _station_numbers(station, position, fraction, placed[station.id][1:] if station.id in placed else None, used)


@lru_cache(maxsize=512)
def _names_used(station: Station) -> tuple[str, ...]:
    """The names in a station's formulas."""
    values = (getattr(station, field) for field in STATION_KINDS)
    return tuple(sorted({name for value in values if isinstance(value, str) for name in names_in(value)}))


@lru_cache(maxsize=512)
def _station_numbers(
    station: Station,
    position: float,
    fraction: float,
    placed: tuple[float, float] | None,
    used: tuple[tuple[str, Quantity], ...],
) -> StationNumbers:
    """The same numbers for the same record where it stands: an edit touches few stations. `placed`: tilts that a datum plane gives it."""
    names = {**dict(used), "position": Quantity(position, 1, 0), "fraction": Quantity(fraction)}
    drawn = isinstance(station.section, Drawn | Elsewhere)
    if station.chord is None and not drawn and not isinstance(station.section, Apex):
        raise DesignError(
            f"station '{station.name}' has no chord; only a drawn section can be left as large as it is drawn"
        )
    pointed = isinstance(station.section, Apex)
    chord = 0.0 if pointed else math.nan if station.chord is None else _station_value(station, "chord", names)
    if chord <= 1e-6 and not pointed:
        raise DesignError(f"station '{station.name}': the chord is {chord:g} mm; it must be greater than zero")
    pivot = math.nan if drawn else 0.25 if is_foil(station.section) else 0.5
    if station.pivot is not None:
        pivot = _station_value(station, "pivot", names)
        if not -10.0 <= pivot <= 10.0:
            raise DesignError(f"station '{station.name}': the pivot is {pivot:g} of the chord; use -10 to 10")
    tilt = placed or (_station_value(station, "tilt_x", names), _station_value(station, "tilt_y", names))
    if max(map(abs, tilt)) >= math.radians(89.0):
        raise DesignError(f"station '{station.name}': the plane is tilted by 89° or more; tilt it less")
    try:
        check_section(station.section)
    except IsotomonError as error:
        raise DesignError(f"station '{station.name}': {error}") from None
    return StationNumbers(
        station=station,
        position=position,
        fraction=fraction,
        chord=chord,
        set_angle=_station_value(station, "set_angle", names),
        pivot=pivot,
        offset=(_station_value(station, "offset_x", names), _station_value(station, "offset_y", names)),
        tilt=tilt,
    )


def resolve_bodies(design: Design) -> None:
    """Whether the numbers of every body can be worked out.

    Raises: IsotomonError, naming what cannot.
    """
    check_bodies(design)
    for body in design.bodies:
        resolve_body(design, body)
