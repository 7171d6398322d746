"""What uses a thing: one walk over a design that finds every reference, whatever record it stands in."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import msgspec

from isotomon.design.drawing import Drawing
from isotomon.design.records import Design

TEXTS = frozenset(
    {"id", "name", "note", "kind", "how", "text", "material", "colour", "data", "form", "digits", "basis"}
)
"""Fields whose text is no reference."""
_HEAD = re.compile(r"[/:@]")


def users(design: Design, *keys: str) -> list[str]:
    """What refers to any of some things or to parts of them, in words, once each; not these things themselves."""
    found = (words for owner, words, refs in _references(design) if owner not in keys and not refs.isdisjoint(keys))
    return list(dict.fromkeys(found))


def _references(design: Design) -> Iterator[tuple[str, str, set[str]]]:
    """(id, what it is in words, ids it refers to) of everything that can refer to something."""
    for title, group in (("datum", design.datums), ("guide", design.guides), ("measure", design.gauges)):
        for record in group:
            yield record.id, f"{title} {record.name}", set(_heads(record))
    for drawing in design.drawings:
        yield drawing.id, f"drawing {drawing.name}", set(_outside(drawing))
    for part in design.parts:
        yield part.loft.id, f"body {part.loft.name}", set(_heads(part.loft))
        for station in part.stations:
            yield station.id, f"station {station.name}", set(_heads(station))
        for law in part.laws:
            yield law.id, f"law {law.name}", set(_heads(law))


def _outside(drawing: Drawing) -> Iterator[str]:
    """What a drawing refers to; its points and lines refer to each other by ids of their own."""
    yield _HEAD.split(drawing.plane)[0]
    for point in drawing.points:
        yield _HEAD.split(point.source)[0]


def _heads(value: Any) -> Iterator[str]:
    """The ids of things that stand at the head of every text in a record."""
    if isinstance(value, str):
        yield _HEAD.split(value)[0]
    elif isinstance(value, tuple):
        for item in value:
            yield from _heads(item)
    elif isinstance(value, msgspec.Struct):
        for name in value.__struct_fields__:
            if name not in TEXTS:
                yield from _heads(getattr(value, name))
