"""Named numbers as CSV: name, value (a number with a unit, or a formula), kind, note."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from isotomon.design.disk import decode_text, read_bytes
from isotomon.design.records import Design, Number
from isotomon.design.resolve import MOST_NUMBERS
from isotomon.errors import FileError, IsotomonError
from isotomon.quantity import Kind, Value, check_name, evaluate, names_in, number_kind, read

COLUMNS = ("name", "value", "kind", "note")
KINDS: tuple[Kind, ...] = ("length", "angle", "ratio")


def read_numbers(path: Path, unit: str) -> tuple[Number, ...]:
    """The numbers in a CSV file; their ids are empty. `unit`: what bare lengths are in. A kind left out follows from the value.

    Raises: FileError, with the line.
    """
    data = read_bytes(path, 2_000_000, "number table")
    try:
        rows = list(csv.reader(io.StringIO(decode_text(data, str(path)))))
    except csv.Error as error:
        raise FileError(f"{path} is not a CSV of numbers: {error}") from None
    head = [c.strip().lower() for c in rows[0]] if rows else []
    if head[:2] != ["name", "value"] or any(c not in COLUMNS for c in head):
        raise FileError(
            f"{path} needs the columns name, value, and may have kind and note; found {', '.join(head) or 'nothing'}"
        )
    if len(rows) > MOST_NUMBERS + 1:
        raise FileError(f"{path} has {len(rows) - 1} numbers; at most {MOST_NUMBERS} can be used")
    numbers: list[Number] = []
    for line, row in enumerate(rows[1:], 2):
        cells = dict(zip(head, (c.strip() for c in row), strict=False))
        if not any(cells.values()):
            continue
        try:
            numbers.append(_number(cells, unit))
        except IsotomonError as error:
            raise FileError(f"{path}, line {line}: {error}") from None
        if any(n.name == numbers[-1].name for n in numbers[:-1]):
            raise FileError(f"{path}, line {line}: the name '{numbers[-1].name}' is there twice; remove one")
    return tuple(numbers)


def _number(cells: dict[str, str], unit: str) -> Number:
    name, text, said = check_name(cells.get("name", "")), cells.get("value", ""), cells.get("kind", "").lower()
    if said and said not in KINDS:
        raise FileError(f"'{said}' is no kind; use {', '.join(KINDS)} or leave it empty")
    if said:
        kind: Kind = said
    else:
        kind = "length" if names_in(text) else number_kind(evaluate(text, {}))
    value: Value = read(text, kind, {"length": unit, "angle": "deg", "ratio": ""}[kind] or "mm")
    return Number("", name, value, kind, cells.get("note", ""))


def write_numbers(design: Design) -> str:
    """The design's numbers as CSV; lengths in mm, angles in degrees, formulas as they are."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for n in design.numbers:
        text = n.value if isinstance(n.value, str) else _text(n.value, n.kind)
        writer.writerow([n.name, text, n.kind, n.note])
    return out.getvalue()


def _text(value: float, kind: Kind) -> str:
    if kind == "length":
        return f"{value!r} mm"
    # Radians keep every bit; degrees would round.
    return f"{value!r} rad" if kind == "angle" else repr(value)
