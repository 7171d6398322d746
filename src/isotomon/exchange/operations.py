"""Operations in words: read from texts such as `angle=30 deg`, and described for help and docs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, cast

from isotomon.errors import DesignError, IsotomonError
from isotomon.exchange.lists import numbers, pairs
from isotomon.operations import OPERATIONS
from isotomon.operations.base import KINDS, Input, Operation, inputs_of
from isotomon.operations.skins import MAKINGS
from isotomon.operations.skins.base import Making
from isotomon.quantity import Kind, read
from isotomon.quantity.record import Record, Ref, refs

LETTERS = {"A": "an axis", "P": "a plane", "p": "a point", "c": "a curve", "B": "another body", "S": "another body"}


def read_operation(kind: str, texts: Sequence[str], unit: str, things: Mapping[str, str]) -> Operation:
    """An operation from its kind and NAME=VALUE texts. `unit`: of lengths without one; `things`: name → id, of bodies.

    Raises: DesignError, saying what can be written.
    """
    if kind not in OPERATIONS:
        raise DesignError(f"there is no operation '{kind}'; there are {', '.join(OPERATIONS)}")
    return cast(Operation, _read(kind, OPERATIONS[kind], texts, unit, things))


def read_making(kind: str, texts: Sequence[str], unit: str, things: Mapping[str, str]) -> Making:
    """How a skin is made, from its kind and NAME=VALUE texts; `things`: name → id, of all that curves and points are called by.

    Raises: DesignError, saying what can be written.
    """
    if kind not in MAKINGS:
        raise DesignError(f"there is no skin of the kind '{kind}'; there are {', '.join(MAKINGS)}")
    return cast(Making, _read(kind, MAKINGS[kind], texts, unit, things))


def _read(kind: str, record: type[Record], texts: Sequence[str], unit: str, things: Mapping[str, str]) -> Record:
    """Raises: DesignError, saying what can be written."""
    inputs = {i.name: i for i in inputs_of(record)}
    fields: dict[str, Any] = {}
    for text in texts:
        name, equals, value = text.partition("=")
        given = inputs.get(name.strip())
        if not equals or given is None:
            raise DesignError(f"'{text}' says nothing of {kind}; write NAME=VALUE with one of: {', '.join(inputs)}")
        fields[given.name] = _value(given, value.strip(), unit, things)
    missing = [i.name for i in inputs.values() if i.what in ("B", "c") and i.name not in fields]
    if missing:
        raise DesignError(f"{kind} needs {missing[0]}=NAME, with one of: {', '.join(things)}")
    return record(**fields)


def _value(given: Input, text: str, unit: str, things: Mapping[str, str]) -> Any:
    try:
        if given.what in KINDS:
            return read(text, cast(Kind, given.what), {"length": unit, "angle": "deg"}.get(given.what, ""))
        if given.what == "count":
            return int(text)
        if given.what == "copies":
            return numbers(text)
        if given.what == "pairs":
            return pairs(text)
        if given.what == "yes":
            return {"yes": True, "no": False}[text]
        if given.what == "B":
            return things[text]
        if given.what == "c":
            return Ref(_named(text, things))
        if given.what in ("curves", "points", "bodies"):
            return refs(*(_named(word.strip(), things) for word in text.split(",") if word.strip()))
        if given.what == "lengths":
            return tuple(read(word.strip(), "length", unit) for word in text.split(","))
        if given.what in ("edges", "faces"):
            return refs(*(_edge(word.strip(), things) for word in text.split(",") if word.strip()))
        if "S" in given.what:
            return Ref(things.get(text, text))
        if given.what == "choice" and text not in dict(given.words):
            raise KeyError
    except (IsotomonError, ValueError, KeyError) as error:
        why = str(error) if isinstance(error, IsotomonError) else f"write {wanted(given)}"
        raise DesignError(f"{given.name} '{text}': {why}") from None
    return text


def _edge(text: str, things: Mapping[str, str]) -> str:
    """`hub/last-rim`, with a body's name or id before the stroke."""
    if "/" not in text:
        raise KeyError(text)
    return _named(text, things)


def _named(text: str, things: Mapping[str, str]) -> str:
    """A thing, or after a stroke a part of it, by its name or id."""
    name, stroke, part = text.partition("/")
    if not (name in things or name in things.values()):
        raise KeyError(text)
    return f"{things.get(name, name)}{stroke}{part}"


def wanted(given: Input) -> str:
    """What a field takes, in words."""
    if given.what == "choice":
        return " or ".join(f"`{value}` ({words})" for value, words in given.words)
    plain = {
        "length": "a length or formula",
        "angle": "an angle or formula",
        "ratio": "a ratio or formula",
        "count": "a whole number",
        "copies": "numbers of copies, from 1",
        "pairs": "pairs of shares of lengths, such as `0.3:0.4, 0.7:0.6`",
        "lengths": f"lengths, a comma between, in the order of `{given.beside}`; nought for none",
        "faces": "faces: `BODY/first`, `BODY/last`, `BODY/face:NAME`, `BODY/faces`…",
        "edges": "edges: `BODY/along`, `BODY/last-rim`, `BODY/meets`, `BODY/all`…",
        "curves": "curves: `GUIDE`, `DRAWING`, `STATION/outline`, `BODY/first-rim`, `BODY/side:first`…, a comma between",
        "points": "points: `DATUM`, `STATION/lead`…, a comma between",
        "bodies": "other bodies, a comma between",
        "yes": "yes or no",
    }
    return plain.get(given.what) or " or ".join(LETTERS[letter] for letter in given.what)


def _usual(given: Input) -> str:
    """A field's usual value, as it would be written."""
    if given.what == "angle":
        return f"{math.degrees(given.usual):g} deg"
    if given.what == "yes":
        return "yes" if given.usual else "no"
    if given.what in ("copies", "pairs", "edges", "faces", "lengths", "curves", "points", "bodies"):
        return "none"
    return f"{given.usual:g}" if given.what in KINDS else str(given.usual)


def page() -> str:
    """All operations, as a page of the docs."""
    lines = [
        "# What can be done with a body",
        "",
        "Each is a step in the list of a body, acts on what the body is at that place, and may be set aside. Made by `make schema`",
        "from the operations themselves; on the command line `isotomon step DESIGN KIND NAME=VALUE…`, in scripts",
        "`bodies.add_step(design, body, Kind(…))`.",
    ]
    for kind, operation in OPERATIONS.items():
        lines += _described(kind, operation.COMMAND, operation.HELP, operation)
    return "\n".join(lines) + "\n"


def skins_page() -> str:
    """All ways of making a skin from curves, as a page of the docs."""
    lines = [
        "# Skins made from curves",
        "",
        "Each is a body of its own, follows its curves, and takes steps like any other ([operations](operations.md)): smoothed, moved in",
        "part, lengthened, given a thickness, sewn. Made by `make schema` from what makes them; on the command line `isotomon skin DESIGN KIND NAME=VALUE…`, in scripts",
        "`make_skin(design, kind, curves)`, or `bodies.begin_body(design, name, shaped=Kind(…))`. Curves are guides, drawings, profiles",
        "(`STATION/outline`), rims (`BODY/last-rim`), and the sides of other skins (`BODY/side:first`, `last`, `start`, `end`; of a filling",
        "`BODY/side:CURVE`), as the first steps leave them. `isotomon unroll DESIGN BODY FILE`, in scripts `unroll(design, body)`, lays one flat.",
    ]
    for kind, making in MAKINGS.items():
        lines += _described(kind, making.COMMAND, making.HELP, making)
    return "\n".join(lines) + "\n"


def _described(kind: str, title: str, says: str, record: type[Record]) -> list[str]:
    """A record's fields as a table."""
    lines = ["", f"## {title}: `{kind}`, `{record.__name__}`", "", f"{says}.", ""]
    lines += ["| field | title | takes | usual |", "|---|---|---|---|"]
    for given in inputs_of(record):
        tip = f" {given.tip}." if given.tip else ""
        usual = "" if given.what in ("B", "c", "SP") else f"`{_usual(given)}`"
        lines.append(f"| `{given.name}` | {given.title} | {wanted(given)}.{tip} | {usual} |")
    return lines
