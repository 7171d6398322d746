"""Edits: functions from a design to a new one. None of them changes what it is given."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

from isotomon.design.after import TITLES, VALUES, references
from isotomon.design.base import Record
from isotomon.design.datums import Datum, construction
from isotomon.design.draw_edits import next_name
from isotomon.design.drawing import Drawing
from isotomon.design.gauges import Gauge, check_gauge
from isotomon.design.guides import Guide, Rail, Tie
from isotomon.design.records import Design, Drawn, Kept, Law, Loft, Number, Outline, Part, Section, Station
from isotomon.design.uses import users
from isotomon.errors import DesignError
from isotomon.quantity import Value, check_name

Entry = TypeVar("Entry", Number, Outline, Station, Law, Drawing, Datum, Guide, Gauge, Rail, Tie)
replace = msgspec.structs.replace


def fresh_id(design: Design, stem: str) -> str:
    """An id that nothing in the design has, nor is made from: what stands on a thing that is gone never comes to stand on
    another one."""
    bare = replace(design, imports=tuple(replace(i, data="") for i in design.imports))
    said = re.findall(rf"\b{stem}(\d{{1,9}})\b", msgspec.json.encode(bare).decode())
    return f"{stem}{max(map(int, said), default=0) + 1}"


def find(entries: tuple[Entry, ...], key: str) -> Entry:
    """The entry with this id.

    Raises: DesignError.
    """
    for entry in entries:
        if entry.id == key:
            return entry
    raise DesignError(f"the design has nothing with the id '{key}'")


def _changed(entries: tuple[Entry, ...], key: str, changes: dict[str, Any]) -> tuple[Entry, ...]:
    find(entries, key)
    return tuple(replace(e, **changes) if e.id == key else e for e in entries)


def change_station(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one station changed."""
    return replace(design, stations=_changed(design.stations, key, changes))


def change_stations(design: Design, keys: tuple[str, ...], change: Callable[[Station], Station]) -> Design:
    """The design with several stations changed by one function."""
    return replace(design, stations=tuple(change(s) if s.id in keys else s for s in design.stations))


def add_station(design: Design, station: Station) -> Design:
    """The design with one more station. Its place in the list does not matter; its position does."""
    return replace(design, stations=(*design.stations, station))


def remove_stations(design: Design, keys: tuple[str, ...]) -> Design:
    """The design without some stations, and without the law points, tie ends and points of curves that stood on them."""
    left = tuple(s for s in design.stations if s.id not in keys)
    laws = tuple(
        replace(law, points=tuple(p for p in law.points if p.station not in keys)) if law.points else law
        for law in design.laws
    )
    laws = tuple(law for law in laws if law.points or law.formula is not None)
    loft = design.loft
    rails = tuple(
        replace(
            r,
            ends=tuple(e for e in r.ends if e.station not in keys),
            follows=tuple(k for k in r.follows if k not in keys),
        )
        for r in loft.rails
    )
    ties = tuple(replace(t, ends=tuple(e for e in t.ends if e.station not in keys)) for t in loft.ties)
    turns = tuple(t for t in loft.turns if t.station not in keys)
    loft = replace(loft, rails=rails, ties=tuple(t for t in ties if len(t.ends) > 1), turns=turns)
    guides = []
    for guide in design.guides:
        points = tuple(p for p in guide.points if p.on.split("/")[0] not in keys)
        guides.append(replace(guide, points=points) if len(points) > 1 else guide)
    return replace(design, stations=left, laws=laws, loft=loft, guides=tuple(guides))


def add_number(design: Design, number: Number) -> Design:
    """The design with one more named number.

    Raises: QuantityError, DesignError for a name that cannot be used or is taken.
    """
    check_name(number.name)
    if any(n.name == number.name for n in design.numbers):
        raise DesignError(f"there is a number '{number.name}' already; choose another name")
    return replace(design, numbers=(*design.numbers, number))


def change_number(design: Design, key: str, **changes: Any) -> Design:
    """The design with a named number changed; a new name is taken over by every formula that used the old one."""
    old = find(design.numbers, key)
    new_name = changes.get("name", old.name)
    if new_name == old.name:
        return replace(design, numbers=_changed(design.numbers, key, changes))
    check_name(new_name)
    if any(n.name == new_name for n in design.numbers):
        raise DesignError(f"there is a number '{new_name}' already; choose another name")
    design = replace(design, numbers=_changed(design.numbers, key, changes))
    word = re.compile(rf"(?<![\w.]){re.escape(old.name)}(?!\w)")
    return map_formulas(design, lambda text: word.sub(new_name, text))


def put_numbers(design: Design, numbers: tuple[Number, ...]) -> Design:
    """The design with numbers brought in: those known by name are changed, others added. Their ids are given anew."""
    known = {n.name: n for n in design.numbers}
    for number in numbers:
        if number.name in known:
            key = known[number.name].id
            design = change_number(design, key, value=number.value, kind=number.kind, note=number.note)
        else:
            design = add_number(design, replace(number, id=fresh_id(design, "n")))
    return design


def remove_number(design: Design, key: str) -> Design:
    """The design without a named number.

    Raises: DesignError, saying where it is used.
    """
    name = find(design.numbers, key).name
    uses = number_uses(design, name)
    if uses:
        raise DesignError(f"'{name}' is used by {', '.join(uses[:6])}; change those first")
    return replace(design, numbers=tuple(n for n in design.numbers if n.id != key))


STATION_VALUES = ("position", "chord", "set_angle", "pivot", "offset_x", "offset_y", "tilt_x", "tilt_y")
ALONG_VALUES = ("turn", "turn_over", "width", "height", "offset_x", "offset_y", "draft")


def _values(design: Design) -> list[tuple[str, Any]]:
    """(where, value) of everything that may be a formula."""
    found: list[tuple[str, Any]] = [(f"number {n.name}", n.value) for n in design.numbers]
    for part in design.parts:
        found += _values_of_body(part)
    for datum in design.datums:
        fields = zip(construction(datum).fields, datum.values, strict=False)
        found += [(f"datum {datum.name} {f.title.lower()}", v) for f, v in fields]
    for g in design.guides:
        found += [(f"guide {g.name} {f.title.lower()}", v) for f, v in zip(g.way.fields, g.values, strict=False)]
        found += [
            (f"guide {g.name}, point {k + 1}", v) for k, p in enumerate(g.points) for v in (p.x, p.y, p.z, p.pull)
        ]
    found += [(f"measure {g.name}", v) for g in design.gauges for v in g.values]
    for d in design.drawings:
        found += [(f"drawing {d.name}, {c.kind} {c.id}", c.value) for c in d.constraints]
    return found


def _values_of_body(part: Part) -> list[tuple[str, Any]]:
    found: list[tuple[str, Any]] = []
    for s in part.stations:
        found += [(f"station {s.name} {f.replace('_', ' ')}", getattr(s, f)) for f in STATION_VALUES]
    for word, ending in (("first", part.loft.first), ("last", part.loft.last)):
        found += [(f"{part.loft.name}, {word} end", v) for v in (ending.strength, ending.angle)]
    loft = part.loft
    found.append((f"{loft.name}, radius about its axis", loft.carrier.radius))
    found.append((f"{loft.name}, bends of its path", loft.carrier.bend))
    if loft.span is not None:
        found += [(f"{loft.name}, how far it goes", v) for v in (loft.span.on, loft.span.back)]
    found += [(f"{loft.name}, {f.replace('_', ' ')} along it", getattr(loft.along, f)) for f in ALONG_VALUES]
    if loft.wall is not None:
        found.append((f"{loft.name}, its wall", loft.wall.thickness))
    found += [(f"{loft.name}, {TITLES[type(s)].lower()}", getattr(s, f)) for s in loft.after for f in VALUES[type(s)]]
    for law in part.laws:
        found += [(f"law {law.name}", v) for v in (law.formula, law.band)]
        found += [(f"law {law.name}", v) for p in law.points for v in (p.value, p.position, p.band)]
    return found


def number_uses(design: Design, name: str) -> list[str]:
    """Where formulas use a named number, in words."""
    word = re.compile(rf"(?<![\w.]){re.escape(name)}(?!\w)")
    return list(
        dict.fromkeys(where for where, value in _values(design) if isinstance(value, str) and word.search(value))
    )


def map_formulas(design: Design, change: Callable[[str], str]) -> Design:
    """The design with every formula's text passed through `change`."""

    def mapped(record: Record, fields: tuple[str, ...]) -> Any:
        texts = {f: getattr(record, f) for f in fields}
        return replace(record, **{f: change(t) for f, t in texts.items() if isinstance(t, str)})

    def mapped_law(law: Law) -> Law:
        points = tuple(mapped(p, ("value", "position", "band")) for p in law.points)
        return replace(mapped(law, ("formula", "band")), points=points)

    def mapped_loft(loft: Loft) -> Loft:
        return replace(
            loft,
            first=mapped(loft.first, ("strength", "angle")),
            last=mapped(loft.last, ("strength", "angle")),
            carrier=mapped(loft.carrier, ("radius", "bend")),
            span=None if loft.span is None else mapped(loft.span, ("on", "back")),
            along=mapped(loft.along, ALONG_VALUES),
            wall=None if loft.wall is None else mapped(loft.wall, ("thickness",)),
            after=tuple(mapped(step, VALUES[type(step)]) for step in loft.after),
        )

    def mapped_stations(stations: tuple[Station, ...]) -> tuple[Station, ...]:
        return tuple(mapped(s, STATION_VALUES) for s in stations)

    return replace(
        design,
        numbers=tuple(mapped(n, ("value",)) for n in design.numbers),
        stations=mapped_stations(design.stations),
        datums=tuple(
            replace(d, values=tuple(change(v) if isinstance(v, str) else v for v in d.values)) for d in design.datums
        ),
        guides=tuple(
            replace(
                g,
                values=tuple(change(v) if isinstance(v, str) else v for v in g.values),
                points=tuple(mapped(p, ("x", "y", "z", "pull")) for p in g.points),
            )
            for g in design.guides
        ),
        gauges=tuple(
            replace(g, values=tuple(change(v) if isinstance(v, str) else v for v in g.values)) for g in design.gauges
        ),
        drawings=tuple(
            replace(d, constraints=tuple(mapped(c, ("value",)) for c in d.constraints)) for d in design.drawings
        ),
        loft=mapped_loft(design.loft),
        laws=tuple(mapped_law(law) for law in design.laws),
        rest=tuple(
            Part(mapped_loft(p.loft), mapped_stations(p.stations), tuple(mapped_law(law) for law in p.laws))
            for p in design.rest
        ),
    )


def add_outline(design: Design, outline: Outline) -> Design:
    """The design with the coordinates of one more foil."""
    return replace(design, outlines=(*design.outlines, outline))


def add_datum(design: Design, datum: Datum) -> Design:
    """The design with one more datum."""
    return replace(design, datums=(*design.datums, datum))


def change_datum(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one datum changed."""
    return replace(design, datums=_changed(design.datums, key, changes))


def set_datum_value(design: Design, key: str, index: int, value: Value) -> Design:
    """The design with one number of a datum changed."""
    values = list(find(design.datums, key).values)
    values[index] = value
    return change_datum(design, key, values=tuple(values))


def loft_references(loft: Loft) -> set[str]:
    """What a body's carrier, reach and copies refer to."""
    carrier, span = loft.carrier, loft.span
    refs = {carrier.on, carrier.drawn_on} if carrier.how != "straight" else set()
    refs |= {carrier.rim} if carrier.how == "axis" else set()
    refs |= {carrier.toward} if carrier.how == "path" else set()
    refs |= {span.on_to, span.back_to} if span is not None else set()
    return {*refs, *(ref for step in loft.after for ref in references(step))} - {""}


def remove_datum(design: Design, key: str) -> Design:
    """The design without a datum.

    Raises: DesignError, saying what stands on it.
    """
    found = users(design, key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} stands on '{find(design.datums, key).name}'; move that first")
    return replace(design, datums=tuple(d for d in design.datums if d.id != key))


def stand_on(design: Design, keys: tuple[str, ...], plane: str) -> Design:
    """Stations put on a datum plane (empty: back on their own position and tilts)."""
    return change_stations(design, keys, lambda s: replace(s, plane=plane))


def add_drawing(design: Design, drawing: Drawing) -> Design:
    """The design with one more drawing."""
    return replace(design, drawings=(*design.drawings, drawing))


def change_drawing(design: Design, key: str, change: Callable[[Drawing], Drawing]) -> Design:
    """The design with one drawing changed by a function; its id stays."""
    find(design.drawings, key)
    return replace(design, drawings=tuple(replace(change(d), id=key) if d.id == key else d for d in design.drawings))


def drawing_users(design: Design, key: str) -> tuple[Station, ...]:
    """The stations at which a drawing stands."""
    stations = (s for p in design.parts for s in p.stations)
    return tuple(s for s in stations if isinstance(s.section, Drawn) and s.section.drawing == key)


def remove_drawing(design: Design, key: str) -> Design:
    """The design without a drawing.

    Raises: DesignError, saying where it stands, or what goes along it.
    """
    stands, name = drawing_users(design, key), find(design.drawings, key).name
    if stands:
        where = ", ".join(s.name for s in stands[:6])
        raise DesignError(f"'{name}' stands at {where}; give those another section first")
    along = users(design, key)
    if along:
        raise DesignError(f"'{name}' is the way of {', '.join(along[:6])}; choose another for that first")
    return replace(design, drawings=tuple(d for d in design.drawings if d.id != key))


def put_section(design: Design, keys: tuple[str, ...], section: Section) -> Design:
    """Another section at some stations. A drawing comes as large as drawn where the station has no size of its own."""

    def put(station: Station) -> Station:
        drawn = isinstance(section, Drawn)
        # A pivot typed for one kind of section stays; one that came with a kept section, or a drawing's, does not.
        pivot = station.pivot if not (isinstance(station.section, Kept) or drawn) else None
        chord = station.chord if station.chord is not None or drawn else 100.0
        return replace(station, section=section, pivot=pivot, chord=chord)

    return change_stations(design, keys, put)


def own_copy(design: Design, keys: tuple[str, ...]) -> Design:
    """Stations on a linked drawing given a copy of it each, to be changed on its own."""
    for key in keys:
        station = find(design.stations, key)
        if not isinstance(station.section, Drawn):
            raise DesignError(f"station '{station.name}' has no drawing; draw its section first")
        old = find(design.drawings, station.section.drawing)
        name = next_name((d.name for d in design.drawings), station.name)
        copy = replace(old, id=fresh_id(design, "g"), name=name)
        design = add_drawing(design, copy)
        design = change_station(design, key, section=replace(station.section, drawing=copy.id))
    return design


def add_gauge(design: Design, gauge: Gauge) -> Design:
    """The design with one more measure."""
    check_gauge(gauge)
    return replace(design, gauges=(*design.gauges, gauge))


def change_gauge(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one measure changed."""
    return replace(design, gauges=_changed(design.gauges, key, changes))


def remove_gauge(design: Design, key: str) -> Design:
    """The design without one measure."""
    return replace(design, gauges=tuple(g for g in design.gauges if g.id != key))


def add_law(design: Design, law: Law) -> Design:
    """The design with one more law."""
    return replace(design, laws=(*design.laws, law))


def change_law(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one law changed."""
    return replace(design, laws=_changed(design.laws, key, changes))


def remove_law(design: Design, key: str) -> Design:
    """The design without one law."""
    return replace(design, laws=tuple(law for law in design.laws if law.id != key))


def change_loft(design: Design, **changes: Any) -> Design:
    """The design with fields of its loft changed."""
    loft: Loft = replace(design.loft, **changes)
    return replace(design, loft=loft)
