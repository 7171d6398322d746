"""Edits: functions from a design to a new one. None of them changes what it is given."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

from isotomon.design.body import Body
from isotomon.design.datums import Datum
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide, Rail, Tie
from isotomon.design.law import Law
from isotomon.design.recipe import check_made
from isotomon.design.records import Design, Imported, Number
from isotomon.design.station import Station
from isotomon.design.walk import map_formulas, number_uses, users, word_of
from isotomon.errors import DesignError
from isotomon.operations import Step
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn, Outline
from isotomon.quantity import Value, check_name
from isotomon.quantity.record import plain_text

Identified = Number | Outline | Body | Station | Law | Step | Drawing | Datum | Guide | Gauge | Rail | Tie | Imported
Entry = TypeVar("Entry", bound=Identified)
replace = msgspec.structs.replace


def fresh_id(design: Design, stem: str) -> str:
    """An id that nothing in the design has, nor is made from: what stands on a thing that is gone never comes to stand on
    another one."""
    bare = replace(design, imports=tuple(replace(i, data="") for i in design.imports))
    said = re.findall(rf"\b{stem}(\d{{1,9}})\b", msgspec.json.encode(bare, enc_hook=plain_text).decode())
    return f"{stem}{max(map(int, said), default=0) + 1}"


def find(entries: tuple[Entry, ...], key: str) -> Entry:
    """The entry with this id.

    Raises: DesignError.
    """
    for entry in entries:
        if entry.id == key:
            return entry
    raise DesignError(f"the design has nothing with the id '{key}'")


def changed(entries: tuple[Entry, ...], key: str, **changes: Any) -> tuple[Entry, ...]:
    """The entries with fields of one of them changed.

    Raises: DesignError, when it is not there.
    """
    find(entries, key)
    return tuple(replace(e, **changes) if e.id == key else e for e in entries)


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
        return replace(design, numbers=changed(design.numbers, key, **changes))
    check_name(new_name)
    if any(n.name == new_name for n in design.numbers):
        raise DesignError(f"there is a number '{new_name}' already; choose another name")
    design = replace(design, numbers=changed(design.numbers, key, **changes))
    word = word_of(old.name)
    renamed: Design = map_formulas(design, lambda text: word.sub(new_name, text))
    return renamed


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


def add_outline(design: Design, outline: Outline) -> Design:
    """The design with the coordinates of one more foil."""
    return replace(design, outlines=(*design.outlines, outline))


def add_datum(design: Design, datum: Datum) -> Design:
    """The design with one more datum."""
    return replace(design, datums=(*design.datums, datum))


def change_datum(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one datum changed."""
    return replace(design, datums=changed(design.datums, key, **changes))


def set_datum_value(design: Design, key: str, index: int, value: Value) -> Design:
    """The design with one number of a datum changed."""
    values = list(find(design.datums, key).values)
    values[index] = value
    return change_datum(design, key, values=tuple(values))


def remove_datum(design: Design, key: str) -> Design:
    """The design without a datum.

    Raises: DesignError, saying what stands on it.
    """
    found = users(design, key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} stands on '{find(design.datums, key).name}'; move that first")
    return replace(design, datums=tuple(d for d in design.datums if d.id != key))


def add_drawing(design: Design, drawing: Drawing) -> Design:
    """The design with one more drawing."""
    return replace(design, drawings=(*design.drawings, drawing))


def change_drawing(design: Design, key: str, change: Callable[[Drawing], Drawing]) -> Design:
    """The design with one drawing changed by a function; its id stays."""
    find(design.drawings, key)
    return replace(design, drawings=tuple(replace(change(d), id=key) if d.id == key else d for d in design.drawings))


def drawing_users(design: Design, key: str) -> tuple[Station, ...]:
    """The stations at which a drawing stands."""
    stations = (s for b in design.bodies for s in b.stations)
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


def add_gauge(design: Design, gauge: Gauge) -> Design:
    """The design with one more measure."""
    check_made("measure", gauge)
    return replace(design, gauges=(*design.gauges, gauge))


def change_gauge(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one measure changed."""
    return replace(design, gauges=changed(design.gauges, key, **changes))


def remove_gauge(design: Design, key: str) -> Design:
    """The design without one measure."""
    return replace(design, gauges=tuple(g for g in design.gauges if g.id != key))
