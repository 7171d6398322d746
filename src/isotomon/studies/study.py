"""A variant study: which named numbers of a design take which values, and what is looked for. Read from TOML or from a CSV of variants."""

from __future__ import annotations

import csv
import io
import itertools
import math
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from isotomon.design.disk import decode_text, read_bytes
from isotomon.design.records import Design, Number
from isotomon.errors import FileError, IsotomonError
from isotomon.quantity import LENGTHS, read, scale_of

How = Literal["all", "sample", "search"]
HOWS: tuple[How, ...] = ("all", "sample", "search")
MOST_BYTES = 16 * 1024 * 1024
MOST_VARIANTS = 100_000
Variant = tuple[float, ...]
"""The values of the varied numbers, in their order: mm, rad or as they stand."""


@dataclass(frozen=True)
class Varied:
    """A named number that takes `values`, or lies between `low` and `high`; mm, rad or as it stands. Where values are meant, `low` and `high`
    are the least and the greatest of them."""

    name: str
    kind: str
    values: tuple[float, ...]
    low: float
    high: float


@dataclass(frozen=True)
class Limit:
    """What a figure is to keep within, in the figure's own unit."""

    figure: str
    least: float
    most: float


@dataclass(frozen=True)
class Study:
    """`how`: all combinations (or all rows of a table), a space-filling sample of `count` (made by `seed`), or a search in at most `count`
    steps for the least, or the `greatest`, of the figure `aim` within `limits`."""

    how: How
    varied: tuple[Varied, ...]
    rows: tuple[Variant, ...] = ()
    count: int = 100
    seed: int = 1
    aim: str = ""
    greatest: bool = False
    limits: tuple[Limit, ...] = ()


def read_study(path: Path, design: Design) -> Study:
    """A study of a design from its file: TOML, or CSV with a row a variant.

    Raises: FileError, that says what is wrong, where, and what to do.
    """
    text = decode_text(read_bytes(path, MOST_BYTES, "study"), str(path))
    try:
        if path.suffix.lower() in (".csv", ".tsv", ".txt"):
            varied, rows = _table(text, design)
            return Study("all", varied, rows)
        return _study(tomllib.loads(text), path.parent, design)
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{path} is not a study: {error}") from None
    except IsotomonError as error:
        raise FileError(f"{path}: {error}") from None


def _study(told: Mapping[str, Any], folder: Path, design: Design) -> Study:
    _known(told, ("numbers", "run", "table", "search"), "the file")
    run, search = _part(told, "run"), _part(told, "search")
    _known(run, ("how", "count", "seed"), "[run]")
    _known(search, ("aim", "greatest", "limits"), "[search]")
    how = run.get("how", "search" if search else "all")
    if how not in HOWS:
        raise FileError(f"'{how}' is no way to run a study; use {', '.join(HOWS)}")
    count = _whole(run.get("count", 100), "count", 1, MOST_VARIANTS)
    seed = _whole(run.get("seed", 1), "seed", 0, 2**31)
    if "table" in told:
        name = str(told["table"])
        if not (folder / name).resolve().is_relative_to(folder.resolve()):
            raise FileError(f"the table '{name}' lies outside the study's folder; put it beside the study")
        text = decode_text(read_bytes(folder / name, MOST_BYTES, "table"), name)
        varied, rows = _table(text, design)
        return Study("all", varied, rows)
    numbers = _part(told, "numbers")
    if not numbers:
        raise FileError("the study varies no number; give [numbers] with a range or a list each")
    varied = tuple(_varied(name, value, design, how) for name, value in numbers.items())
    limits = tuple(_limit(name, value) for name, value in _part(search, "limits").items())
    if how == "search" and not search.get("aim"):
        raise FileError('a search needs an aim: the name of a figure, as [search] aim = "mass_kg"')
    found = Study(how, varied, (), count, seed, str(search.get("aim", "")), bool(search.get("greatest", False)), limits)
    size = math.prod(len(one.values) for one in varied) if how == "all" else count
    if size > MOST_VARIANTS:
        raise FileError(f"the study has {size:,} variants; at most {MOST_VARIANTS:,} are run; sample it instead")
    return found


def study_of(told: Mapping[str, Any], design: Design) -> Study:
    """A study of a design as its file would say it, without tables beside it.

    Raises: IsotomonError, that says what is wrong and what to do.
    """
    return _study({name: value for name, value in told.items() if name != "table"}, Path(), design)


def _known(told: Mapping[str, Any], names: tuple[str, ...], where: str) -> None:
    unknown = next((name for name in told if name not in names), None)
    if unknown is not None:
        raise FileError(f"'{unknown}' in {where} is not known; known are {', '.join(names)}")


def _part(told: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    found = told.get(name, {})
    if not isinstance(found, dict):
        raise FileError(f"'{name}' is to be a table, as [{name}]")
    return found


def _whole(value: object, name: str, least: int, most: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
        raise FileError(f"{name} is {value!r}; give a whole number from {least} to {most:,}")
    return value


def _number(name: str, design: Design) -> Number:
    found = next((n for n in design.numbers if n.name == name), None)
    if found is None:
        names = ", ".join(n.name for n in design.numbers) or "none"
        raise FileError(f"the design has no number '{name}'; it has {names}")
    return found


def _value(value: object, number: Number, unit: str) -> float:
    """A value in mm, rad or as it stands; of a number without unit in the design's."""
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise FileError(f"{number.name}: {value!r} is no value; write a number, or text with a unit")
    if isinstance(value, float) and not math.isfinite(value):
        raise FileError(f"{number.name}: {value!r} is no number")
    own = {"length": unit, "angle": "deg", "ratio": "mm"}[number.kind]
    found = read(repr(value) if not isinstance(value, str) else value, number.kind, own)
    if isinstance(found, str):
        raise FileError(f"{number.name}: '{value}' is a formula; a variant needs a value")
    return float(found)


def _varied(name: str, told: object, design: Design, how: How) -> Varied:
    number = _number(name, design)
    if isinstance(told, list):
        values = tuple(_value(v, number, design.unit) for v in told)
        if not values:
            raise FileError(f"{name} has an empty list; give it one value or more")
        if how == "search":
            raise FileError(f"{name} has a list, which a search cannot go between; give it from and to")
        return Varied(name, number.kind, values, min(values), max(values))
    if not isinstance(told, dict):
        raise FileError(f'{name} is to be a list, or a range as {{ from = "1 m", to = "1.2 m", steps = 5 }}')
    _known(told, ("from", "to", "steps"), f"the range of {name}")
    if "from" not in told or "to" not in told:
        raise FileError(f"the range of {name} needs both from and to")
    low, high = (_value(told[end], number, design.unit) for end in ("from", "to"))
    if not low < high:
        raise FileError(f"the range of {name} runs from {told['from']} to {told['to']}; its end must be greater")
    steps = _whole(told.get("steps", 5), f"steps of {name}", 2, 10_000)
    values = tuple(float(v) for v in np.linspace(low, high, steps)) if how == "all" else ()
    return Varied(name, number.kind, values, low, high)


def _limit(name: str, told: object) -> Limit:
    if not isinstance(told, dict):
        raise FileError(f"the limit of '{name}' is to be {{ least = 1.0 }}, {{ most = 2.0 }}, or both")
    _known(told, ("least", "most"), f"the limit of '{name}'")
    ends = [told.get("least", -math.inf), told.get("most", math.inf)]
    if not told or any(isinstance(e, bool) or not isinstance(e, int | float) or math.isnan(e) for e in ends):
        raise FileError(f"the limit of '{name}' needs numbers: least, most, or both")
    return Limit(name, float(ends[0]), float(ends[1]))


def _table(text: str, design: Design) -> tuple[tuple[Varied, ...], tuple[Variant, ...]]:
    """What varies, and the variants, of a table whose heads are names of numbers, each with the unit that its bare values are in, as span_mm."""
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if len(lines) < 2:
        raise FileError("the table has no variants: a row of names, and a row of values for each")
    mark = max(",;\t", key=lines[0].count)
    heads, *cells = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=mark))
    if len(cells) > MOST_VARIANTS:
        raise FileError(f"the table has {len(cells):,} rows; at most {MOST_VARIANTS:,} are run")
    columns = [_column(head.strip(), design) for head in heads]
    names = [number.name for number, _ in columns]
    if len(set(names)) < len(names):
        raise FileError("two columns are of the same number; keep one")
    rows = []
    for line, row in enumerate(cells, 2):
        if len(row) != len(columns):
            raise FileError(f"row {line}: {len(row)} cells under {len(columns)} columns")
        try:
            rows.append(tuple(_value(c.strip(), number, unit) for c, (number, unit) in zip(row, columns, strict=True)))
        except IsotomonError as error:
            raise FileError(f"row {line}: {error}") from None
    ends = np.array(rows)
    varied = tuple(
        Varied(number.name, number.kind, (), float(ends[:, k].min()), float(ends[:, k].max()))
        for k, (number, _) in enumerate(columns)
    )
    return varied, tuple(rows)


def _column(head: str, design: Design) -> tuple[Number, str]:
    """The number a column is of, and the unit of its bare values."""
    if any(n.name == head for n in design.numbers):
        return _number(head, design), design.unit
    name, _, unit = head.rpartition("_")
    number = _number(name or head, design)
    if number.kind != "length" or unit not in LENGTHS:
        if number.kind == "angle" and unit == "deg":
            return number, design.unit
        raise FileError(f"the column '{head}' has no unit that '{number.name}' can have")
    scale_of(unit)
    return number, unit


def variants(study: Study) -> tuple[Variant, ...]:
    """All variants of a study that is no search, in the order in which they are told; the same for the same file."""
    if study.rows:
        return study.rows
    if study.how == "all":
        return tuple(itertools.product(*(one.values for one in study.varied)))
    from scipy.stats import qmc  # half a second of loading, which the window's start does without

    # Stein's Latin hypercube: each number's range is parted evenly, and each part is taken once.
    places = qmc.LatinHypercube(len(study.varied), rng=np.random.default_rng(study.seed)).random(study.count)
    low, high = (np.array([getattr(one, end) for one in study.varied]) for end in ("low", "high"))
    found = low + places * (high - low)
    for k, one in enumerate(study.varied):
        if one.values:  # of a list, the value in whose part of the range it falls
            found[:, k] = np.array(one.values)[
                np.minimum((places[:, k] * len(one.values)).astype(int), len(one.values) - 1)
            ]
    return tuple(tuple(float(v) for v in row) for row in found)
