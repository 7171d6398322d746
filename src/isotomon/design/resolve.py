"""A design's values worked out: every formula as a number in mm and rad."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from isotomon.design.after import check_after
from isotomon.design.datums import check_datum
from isotomon.design.drawing import DIMENSIONS, Drawing, check_drawing
from isotomon.design.gauges import MOST_GAUGES, check_gauge
from isotomon.design.guides import check_guide
from isotomon.design.records import Along, Apex, Design, Drawn, Elsewhere, Ending, Law, Loft, Station
from isotomon.design.sections import check_section, is_foil
from isotomon.errors import DesignError, IsotomonError, QuantityError
from isotomon.quantity import Kind, Quantity, Value, evaluate, resolve, resolve_numbers

MOST_STATIONS = 1000
MOST_NUMBERS = 500
STATION_KINDS: dict[str, Kind] = {
    "position": "length",
    "chord": "length",
    "set_angle": "angle",
    "pivot": "ratio",
    "offset_x": "length",
    "offset_y": "length",
    "tilt_x": "angle",
    "tilt_y": "angle",
}


def station_kind(design: Design, field: str) -> Kind:
    """What a station's field is: a position about an axis is an angle."""
    return "angle" if field == "position" and design.loft.carrier.how == "axis" else STATION_KINDS[field]


@dataclass(frozen=True)
class StationNumbers:
    """A station in mm and rad; `fraction` is 0 at the first station and 1 at the last.

    `chord` and `pivot` are NaN where the drawing itself says them: they are known once it is solved.
    """

    station: Station
    position: float
    fraction: float
    chord: float
    set_angle: float
    pivot: float
    offset: tuple[float, float]
    tilt: tuple[float, float]
    wall: tuple[float, float] | None = None
    """mm by which a wall reaches to the left and to the right of the profile."""
    shut: bool = False
    """An open profile is closed by a straight line."""
    carried: bool = False
    """It is no station of its own: the section of the one beside it, carried on to the end of the body."""


@dataclass(frozen=True)
class SpanNumbers:
    """How far a body goes on past its outer stations, mm, or the whole way."""

    whole: bool
    back: float
    on: float


@dataclass(frozen=True)
class LawTarget:
    """An intended value at a position (mm), with its half band in the same unit (mm², rad, rad/mm)."""

    position: float
    value: float
    band: float
    where: str


@dataclass(frozen=True)
class EndNumbers:
    """How the skin leaves an end: over `strength` mm (nought: the whole bay), leaning outward by `angle` rad, or `flush` or
    `fair` with the body that ends there."""

    strength: float
    angle: float
    how: str = "leaning"


@dataclass(frozen=True)
class Resolved:
    """The numbers of a design: stations in order of position. `figures`: drawing id → dimension id → mm or rad."""

    names: dict[str, Quantity]
    stations: tuple[StationNumbers, ...]
    figures: dict[str, dict[str, float]]
    ends: tuple[EndNumbers | None, EndNumbers | None] = (None, None)
    radius: float = 0.0
    """mm from the axis at which stations stand that are turned about one; their positions are angles times it."""
    span: SpanNumbers | None = None
    ring: bool = False
    """The body comes round to its start."""
    wrap: tuple[float, float, float] | None = None
    """When stations stand on cylinders: the axis's direction (x, y) of length 1, and where it crosses Z, mm."""

    @property
    def own(self) -> tuple[tuple[int, StationNumbers], ...]:
        """(place among all, station) of those that are stations of their own."""
        return tuple((k, n) for k, n in enumerate(self.stations) if not n.carried)

    def get(self, key: str) -> StationNumbers | None:
        """The numbers of a station of its own; None for one that is not there."""
        return next((n for n in self.stations if n.station.id == key and not n.carried), None)

    def of(self, key: str) -> StationNumbers:
        """The numbers of a station. Raises: DesignError, for one that is not there."""
        found = self.get(key)
        if found is None:
            raise DesignError(f"station '{key}' is not there any more; pick another")
        return found


def own_position(radius: float, position: float) -> float:
    """The value that a station says for a position (mm): itself, or the angle (rad) about an axis `radius` mm away."""
    return position / radius if radius else position


Placed = Mapping[str, tuple[float, float, float]]
"""Station id → position (mm) and tilts about X and Y (rad) that a datum plane gives it."""


def resolve_design(design: Design, placed: Placed | None = None) -> Resolved:
    """All numbers of the design. `placed`: of the stations on datum planes; without it their own numbers count.

    Raises: DesignError, QuantityError or ProfileError, naming the station and field, with the remedy.
    """
    _check_counts(design)
    names = resolve_numbers([(n.name, n.value, n.kind) for n in design.numbers])
    places, radius = placed or {}, _radius(design, names)
    positions = {s.id: places[s.id][0] if s.id in places else _position(s, radius, names) for s in design.stations}
    ordered = sorted(design.stations, key=lambda s: positions[s.id])
    for before, after in zip(ordered[:-1], ordered[1:], strict=True):
        unsettled = placed is None and (before.plane or after.plane)
        if positions[after.id] - positions[before.id] < 1e-6 and not unsettled:
            raise DesignError(
                f"stations '{before.name}' and '{after.name}' stand at one position "
                f"({positions[after.id]:g} mm); move one of them"
            )
    span = (positions[ordered[-1].id] - positions[ordered[0].id]) if len(ordered) > 1 else 1.0
    first = positions[ordered[0].id] if ordered else 0.0
    wall, shut = _wall(design.loft, names), design.loft.shut
    stations = tuple(
        replace(
            _station(s, positions[s.id], (positions[s.id] - first) / max(span, 1e-9), places, names),
            wall=wall,
            shut=shut,
        )
        for s in ordered
    )
    for law in design.laws:
        law_band(law, names)
    if design.loft.colour and not re.fullmatch(r"#[0-9A-Fa-f]{6}", design.loft.colour):
        raise DesignError(
            f"{design.loft.name}: '{design.loft.colour}' is no colour; write it as #AABBCC, or leave it blank"
        )
    if design.loft.imported and all(i.id != design.loft.imported for i in design.imports):
        raise DesignError(f"{design.loft.name}: the file it was brought in from is gone; bring it in again")
    check_after(design.loft.after)
    for gauge in design.gauges:
        check_gauge(gauge)
    for datum in design.datums:
        check_datum(datum)
    for guide in design.guides:
        check_guide(guide)
    figures = {d.id: drawing_figures(check_drawing(d), names) for d in design.drawings}
    for station in design.stations:
        if isinstance(station.section, Drawn) and station.section.drawing not in figures:
            raise DesignError(f"station '{station.name}': its drawing is gone; choose another section")
    loft = design.loft
    endings = (_ending(loft.first, "first", names), _ending(loft.last, "last", names))
    reach = _span(loft, radius, names)
    for title, value, kind in along_values(loft.along):
        along_value(title, value, kind, 0.0, 0.0, names)
    return Resolved(names, stations, figures, endings, radius, reach, loft.ring)


def _wall(loft: Loft, names: dict[str, Quantity]) -> tuple[float, float] | None:
    if loft.wall is None:
        return None
    try:
        thick = resolve(loft.wall.thickness, "length", names)
    except QuantityError as error:
        raise QuantityError(f"{loft.name}, thickness of the wall: {error}") from None
    if not thick > 1e-6:
        raise DesignError(f"{loft.name}: the wall is {thick:g} mm thick; use more than nought")
    return {"inside": (thick, 0.0), "middle": (thick / 2.0, thick / 2.0), "outside": (0.0, thick)}[loft.wall.side]


def _span(loft: Loft, radius: float, names: dict[str, Quantity]) -> SpanNumbers | None:
    if loft.span is None:
        return None
    ways = []
    for title, value in (("how far back it goes", loft.span.back), ("how far on it goes", loft.span.on)):
        try:
            way = resolve(value, "angle" if radius else "length", names) * (radius or 1.0)
        except QuantityError as error:
            raise QuantityError(f"{loft.name}, {title}: {error}") from None
        if radius and way > math.tau * radius * (1.0 + 1e-9):
            raise DesignError(f"{loft.name}, {title}: {math.degrees(way / radius):g}° is more than a whole turn")
        ways.append(way)
    return SpanNumbers(loft.span.whole, *ways)


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


def _radius(design: Design, names: dict[str, Quantity]) -> float:
    """mm, of a loft turned about an axis; nought of any other."""
    carrier = design.loft.carrier
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
    for what, entries, most in (
        ("stations", design.stations, MOST_STATIONS),
        ("numbers", design.numbers, MOST_NUMBERS),
        ("laws", design.laws, 100),
        ("foil outlines", design.outlines, 200),
        ("drawings", design.drawings, 500),
        ("datums", design.datums, 1000),
        ("guides", design.guides, 1000),
        ("measures", design.gauges, MOST_GAUGES),
        ("bodies brought in", design.imports, 50),
        ("rails", design.loft.rails, 64),
        ("ties", design.loft.ties, 200),
    ):
        if len(entries) > most:
            raise DesignError(f"the design has {len(entries)} {what}; at most {most} can be used")
        ids = [e.id for e in entries]
        if len(set(ids)) != len(ids):
            raise DesignError(f"two of the {what} have the same id; give each its own")
    if not 1e-9 <= design.tolerance <= 10.0:
        raise DesignError(f"the tolerance is {design.tolerance:g} mm; use 1e-9 to 10")
    if design.loft.density is not None and not 0.0 < design.loft.density < 1e6:
        raise DesignError(f"the density is {design.loft.density:g} kg/m³; use a positive number")


def _station_value(station: Station, field: str, names: dict[str, Quantity]) -> float:
    value: Value = getattr(station, field)
    try:
        return resolve(value, STATION_KINDS[field], names)
    except QuantityError as error:
        raise QuantityError(f"station '{station.name}', {field.replace('_', ' ')}: {error}") from None


def _station(
    station: Station, position: float, fraction: float, placed: Placed, names: dict[str, Quantity]
) -> StationNumbers:
    names = {**names, "position": Quantity(position, 1, 0), "fraction": Quantity(fraction)}
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
    tilt = (
        placed[station.id][1:]
        if station.id in placed
        else (_station_value(station, "tilt_x", names), _station_value(station, "tilt_y", names))
    )
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


_POWERS: dict[str, tuple[int, int]] = {
    "area": (2, 0),
    "set_angle": (0, 1),
    "turn": (0, 1),
    "twist_rate": (-1, 1),
    "thickness": (1, 0),
}


def law_value(value: Value, law: Law, names: dict[str, Quantity]) -> float:
    """A law's value in mm², rad or rad/mm.

    Raises: QuantityError, naming the law.
    """
    if not isinstance(value, str):
        return value
    try:
        quantity = evaluate(value, names)
    except QuantityError as error:
        raise QuantityError(f"law '{law.name}': {error}") from None
    if (quantity.length, quantity.angle) != _POWERS[law.quality]:
        wanted = {
            "area": "an area, such as 300 mm * 2 mm",
            "twist_rate": "an angle over a length, such as 2 deg / 1 m",
            "thickness": "a length, such as 12 mm",
        }
        raise QuantityError(
            f"law '{law.name}': '{value}' is {quantity.describe()}; "
            f"{law.quality.replace('_', ' ')} needs {wanted.get(law.quality, 'an angle, such as 5 deg')}"
        )
    return quantity.value


def law_band(law: Law, names: dict[str, Quantity], band: Value | None = None) -> float:
    """The half width of a law's band: a fraction of the target when relative, else in the law's own unit.

    Raises: QuantityError, DesignError.
    """
    value = law.band if band is None else band
    number = resolve(value, "ratio", names) if law.relative else law_value(value, law, names)
    if not number > 0.0:
        raise DesignError(f"law '{law.name}': the band is {number:g}; it must be greater than zero")
    return number


def law_targets(law: Law, resolved: Resolved) -> list[LawTarget]:
    """The law's points worked out, in order of position; a formula gives one at each station.

    Raises: QuantityError, DesignError.
    """
    at = {n.station.id: n for n in resolved.stations if not n.carried}
    targets = []
    places: list[tuple[float, str, Value, Value | None]] = []
    if law.formula is not None:
        places = [(n.position, f"station {n.station.name}", law.formula, None) for n in resolved.stations]
    else:
        for p in law.points:
            if p.station is not None and p.station not in at:
                raise DesignError(f"law '{law.name}' has a point at a station that is gone; remove the point")
            position = (
                at[p.station].position
                if p.station is not None
                else resolve(p.position or 0.0, "length", resolved.names)
            )
            where = f"station {at[p.station].station.name}" if p.station is not None else f"{position:g} mm"
            places.append((position, where, p.value, p.band))
    for position, where, value, band in sorted(places, key=lambda place: place[0]):
        number = law_value(value, law, names_at(resolved, position))
        half = law_band(law, resolved.names, band)
        targets.append(LawTarget(position, number, half * abs(number) if law.relative else half, where))
    return targets


def names_at(resolved: Resolved, position: float) -> dict[str, Quantity]:
    """The names a formula may use at a position along the body."""
    stations = resolved.stations
    first, last = (stations[0].position, stations[-1].position) if stations else (0.0, 1.0)
    fraction = (position - first) / (last - first) if last > first else 0.0
    return {**resolved.names, "position": Quantity(position, 1, 0), "fraction": Quantity(fraction)}
