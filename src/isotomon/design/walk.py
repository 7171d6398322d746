"""One walk over a design that finds every reference and every formula, in whatever record it stands, by the types of fields."""

from __future__ import annotations

import re
import typing
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import msgspec

from isotomon.design.records import Design
from isotomon.quantity.record import FORMULA, Record, Ref, leaves_of

Role = Literal["formula", "reference", "records", ""]
_TITLES = {"Gauge": "measure", "Outline": "foil"}
"""What things are called that are not called as their records are."""
_PLACES = {
    "value": "",
    "values": "",
    "shaped": "",
    "points": "a point",
    "constraints": "a constraint",
    "first": "first end",
    "last": "last end",
    "carrier": "what carries it",
    "span": "how far it goes",
    "along": "what changes along it",
    "wall": "its wall",
    "steps": "its steps",
}
"""What fields on the way to a formula are called that are not called as in the record."""


MOST_MENTIONS = 5000
"""Records of which it is known what they refer to."""
_MENTIONS: dict[int, tuple[object, frozenset[str]]] = {}


class Mention(NamedTuple):
    """A reference or formula: the id of the thing it belongs to, that thing and where in it in words, and its text."""

    owner: str
    thing: str
    place: str
    text: str


def references(design: Design) -> Iterator[Mention]:
    """Every reference in a design, with the thing that refers."""
    yield from _walk(design, "reference", "", "", "")


def mentions(parts: tuple[object, ...]) -> frozenset[str]:
    """The ids of the things that parts of a design refer to. Of the very same records they are known."""
    found = set[str]()
    for part in parts:
        if isinstance(part, tuple):
            found |= mentions(part)
        elif isinstance(part, Record):
            found |= _mentions_of(part)
    return frozenset(found)


def _mentions_of(record: Record) -> frozenset[str]:
    known = _MENTIONS.get(id(record))
    if known is None:
        if len(_MENTIONS) >= MOST_MENTIONS:
            _MENTIONS.clear()
        # As long as it is kept, the record is, and nothing else has its id.
        known = record, frozenset(Ref(found.text).thing for found in _walk(record, "reference", "", "", ""))
        _MENTIONS[id(record)] = known
    return known[1]


def formulas(design: Design) -> Iterator[Mention]:
    """Every formula in a design."""
    yield from _walk(design, "formula", "", "", "")


def users(design: Design, *keys: str) -> list[str]:
    """What refers to any of some things or to parts of them, in words, once each; not these things themselves."""
    found = (f.thing for f in references(design) if f.owner not in keys and Ref(f.text).thing in keys)
    return list(dict.fromkeys(found))


def number_uses(design: Design, name: str) -> list[str]:
    """Where formulas use a named number, in words."""
    word = word_of(name)
    found = (f"{f.thing.removeprefix('body ')}{f.place}" for f in formulas(design) if word.search(f.text))
    return list(dict.fromkeys(found))


def word_of(name: str) -> re.Pattern[str]:
    """What finds a number's name in a formula."""
    return re.compile(rf"(?<![\w.]){re.escape(name)}(?!\w)")


def map_formulas(record: Any, change: Callable[[str], str]) -> Any:
    """A record, or several, with every formula's text in them passed through `change`."""
    return _mapped(record, "formula", change)


def map_references(record: Any, change: Callable[[str], str]) -> Any:
    """A record, or several, with every reference in them passed through `change`."""
    return _mapped(record, "reference", change)


def _mapped(record: Any, wanted: Role, change: Callable[[str], str]) -> Any:
    if isinstance(record, tuple):
        return tuple(_mapped(item, wanted, change) for item in record)
    if not isinstance(record, Record):
        return record
    changed: dict[str, Any] = {}
    for name, role in _roles(type(record)):
        value = getattr(record, name)
        if role == wanted:
            changed[name] = _map_texts(value, change)
        elif role == "records":
            changed[name] = _mapped(value, wanted, change)
    return msgspec.structs.replace(record, **changed) if changed else record


def _map_texts(value: Any, change: Callable[[str], str]) -> Any:
    if isinstance(value, tuple):
        return tuple(_map_texts(item, change) for item in value)
    return change(value) if isinstance(value, str) else value


def _walk(value: Any, wanted: Role, owner: str, thing: str, place: str) -> Iterator[Mention]:
    """What is wanted in a record, or in several, that stand at a place in a thing."""
    if isinstance(value, tuple):
        for item in value:
            yield from _walk(item, wanted, owner, thing, place)
        return
    if not isinstance(value, Record):
        return
    if not isinstance(value, Design) and hasattr(value, "id") and hasattr(value, "name"):
        word = type(value).__name__
        owner, thing, place = value.id, f"{_TITLES.get(word, word.lower())} {value.name}", ""
    for name, role in _roles(type(value)):
        word = _PLACES.get(name, name.replace("_", " "))
        if role == wanted:
            for text in _texts(getattr(value, name)):
                yield Mention(owner, thing, place or (f" {word}" if word else ""), text)
        elif role == "records":
            inside = place or (f", {word}" if word and thing else "")
            yield from _walk(getattr(value, name), wanted, owner, thing, inside)


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, tuple):
        for item in value:
            yield from _texts(item)


@lru_cache(maxsize=256)
def _roles(kind: type) -> tuple[tuple[str, Role], ...]:
    """The fields of a kind of record that are formulas, references, or hold further records."""
    hints = typing.get_type_hints(kind, include_extras=True)
    found = ((name, _role(set(leaves_of(hints[name])))) for name in kind.__struct_fields__)  # type: ignore[attr-defined]
    return tuple((name, role) for name, role in found if role)


def _role(leaves: set[Any]) -> Role:
    if Ref in leaves:
        return "reference"
    if FORMULA in leaves or (float in leaves and str in leaves):
        return "formula"
    if any(isinstance(leaf, type) and issubclass(leaf, Record) for leaf in leaves):
        return "records"
    return ""
