"""Operations in words: read from texts such as `angle=30 deg`, and described for help and docs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, cast

from isotomon.errors import DesignError, IsotomonError
from isotomon.operations import OPERATIONS
from isotomon.operations.base import KINDS, Input, Operation, inputs_of
from isotomon.quantity import Kind, read
from isotomon.quantity.record import refs

LETTERS = {"A": "an axis", "P": "a plane", "p": "a point", "c": "a curve", "B": "another body"}


def read_operation(kind: str, texts: Sequence[str], unit: str, bodies: Mapping[str, str]) -> Operation:
    """An operation from its kind and NAME=VALUE texts. `unit`: of lengths without one; `bodies`: name → id.

    Raises: DesignError, saying what can be written.
    """
    if kind not in OPERATIONS:
        raise DesignError(f"there is no operation '{kind}'; there are {', '.join(OPERATIONS)}")
    inputs = {i.name: i for i in inputs_of(OPERATIONS[kind])}
    fields: dict[str, Any] = {}
    for text in texts:
        name, equals, value = text.partition("=")
        given = inputs.get(name.strip())
        if not equals or given is None:
            raise DesignError(f"'{text}' says nothing of {kind}; write NAME=VALUE with one of: {', '.join(inputs)}")
        fields[given.name] = _value(given, value.strip(), unit, bodies)
    missing = [i.name for i in inputs.values() if i.what == "B" and i.name not in fields]
    if missing:
        raise DesignError(f"{kind} needs {missing[0]}=NAME, with one of: {', '.join(bodies)}")
    return OPERATIONS[kind](**fields)


def _value(given: Input, text: str, unit: str, bodies: Mapping[str, str]) -> Any:
    try:
        if given.what in KINDS:
            return read(text, cast(Kind, given.what), {"length": unit, "angle": "deg"}.get(given.what, ""))
        if given.what == "count":
            return int(text)
        if given.what == "copies":
            return tuple(int(word) - 1 for word in text.replace(",", " ").split())
        if given.what == "yes":
            return {"yes": True, "no": False}[text]
        if given.what == "B":
            return bodies[text]
        if given.what == "lengths":
            return tuple(read(word.strip(), "length", unit) for word in text.split(","))
        if given.what in ("edges", "faces"):
            return refs(*(_edge(word.strip(), bodies) for word in text.split(",") if word.strip()))
        if given.what == "choice" and text not in dict(given.words):
            raise KeyError
    except (IsotomonError, ValueError, KeyError) as error:
        why = str(error) if isinstance(error, IsotomonError) else f"write {wanted(given)}"
        raise DesignError(f"{given.name} '{text}': {why}") from None
    return text


def _edge(text: str, bodies: Mapping[str, str]) -> str:
    """`hub/last-rim`, with a body's name or id before the stroke."""
    name, stroke, part = text.partition("/")
    if not stroke or not (name in bodies or name in bodies.values()):
        raise KeyError(text)
    return f"{bodies.get(name, name)}/{part}"


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
        "lengths": f"lengths, a comma between, in the order of `{given.beside}`; nought for none",
        "faces": "faces: `BODY/first`, `BODY/last`, `BODY/face:NAME`, `BODY/faces`…",
        "edges": "edges: `BODY/along`, `BODY/last-rim`, `BODY/meets`, `BODY/all`…",
        "yes": "yes or no",
    }
    return plain.get(given.what) or " or ".join(LETTERS[letter] for letter in given.what)


def _usual(given: Input) -> str:
    """A field's usual value, as it would be written."""
    if given.what == "angle":
        return f"{math.degrees(given.usual):g} deg"
    if given.what == "yes":
        return "yes" if given.usual else "no"
    if given.what in ("copies", "edges", "faces", "lengths"):
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
        lines += ["", f"## {operation.COMMAND}: `{kind}`, `{operation.__name__}`", "", f"{operation.HELP}.", ""]
        lines += ["| field | title | takes | usual |", "|---|---|---|---|"]
        for given in inputs_of(operation):
            tip = f" {given.tip}." if given.tip else ""
            usual = "" if given.what == "B" else f"`{_usual(given)}`"
            lines.append(f"| `{given.name}` | {given.title} | {wanted(given)}.{tip} | {usual} |")
    return "\n".join(lines) + "\n"
