"""A neutral page: lines, curves, fillings, texts and pictures in mm from its lower left corner, which files of all forms are made from.

What is drawn says what it is (its `Role`), never how it is painted: that is the same in every form, and stands in `PENS`."""

from __future__ import annotations

import logging
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Literal, NamedTuple

import numpy as np

from isotomon.arrays import Array

Role = Literal[
    "outline", "hidden", "axis", "chord", "mark", "frame", "hair", "size", "law", "band", "curve", "cut", "edge"
]
Align = Literal["left", "middle", "right"]


class LineStyle(NamedTuple):
    """How lines of a role are drawn: width and dashes in mm, colour as #RRGGBB."""

    width: float
    colour: str = "#22303A"
    dashes: tuple[float, ...] = ()


INK = "#22303A"
PENS: dict[Role, LineStyle] = {
    "outline": LineStyle(0.35),
    "edge": LineStyle(0.25),
    "hidden": LineStyle(0.18, "#4C5A63", (2.0, 1.0)),
    "axis": LineStyle(0.13, "#4C5A63", (6.0, 1.2, 0.6, 1.2)),
    "chord": LineStyle(0.18, "#1F7A6D", (4.0, 1.5)),
    "mark": LineStyle(0.25, "#B23A3A"),
    "frame": LineStyle(0.35),
    "hair": LineStyle(0.1, "#CFC6B2"),
    "size": LineStyle(0.18),
    "law": LineStyle(0.25, "#B9770E", (2.5, 1.0)),
    "band": LineStyle(0.0, "#F3E3C3"),
    "curve": LineStyle(0.35, "#1F7A6D"),
    "cut": LineStyle(0.25, "#B23A3A", (3.0, 1.5)),
}


@dataclass(frozen=True, eq=False)
class Stroke:
    """A polyline (n, 2); `closed`: back to its beginning; `filled`: what it goes round is painted instead."""

    points: Array
    role: Role = "outline"
    closed: bool = False
    filled: bool = False


@dataclass(frozen=True, eq=False)
class Bezier:
    """Cubics in one run, (3 k + 1, 2)."""

    points: Array
    role: Role = "outline"
    closed: bool = False


@dataclass(frozen=True)
class Text:
    """A line of text whose base line begins, is centred, or ends at (x, y); `size`: of the letters, mm; `turn`: rad, anticlockwise."""

    x: float
    y: float
    words: str
    size: float = 2.5
    align: Align = "left"
    bold: bool = False
    turn: float = 0.0


@dataclass(frozen=True)
class Picture:
    """A PNG in a box: its lower left corner, width and height."""

    x: float
    y: float
    width: float
    height: float
    png: bytes = field(repr=False)


Item = Stroke | Bezier | Text | Picture


@dataclass(frozen=True, eq=False)
class Page:
    """What is on a sheet of `width` by `height`, and what it is called."""

    title: str
    width: float
    height: float
    items: tuple[Item, ...]


FONTS = Path(__file__).parents[1] / "assets" / "fonts"
FACES = {False: "Lato-Regular.ttf", True: "Lato-Bold.ttf"}


@lru_cache(maxsize=2)
def _advances(bold: bool) -> tuple[dict[int, float], float]:
    """How far letters of a size of 1 move the pen, by their code; and that of one that the font has not."""
    from fontTools.ttLib import TTFont

    logging.getLogger("fontTools").setLevel(logging.ERROR)  # it finds the font's day of birth odd
    with TTFont(str(FONTS / FACES[bold]), lazy=True) as font:
        em, widths = font["head"].unitsPerEm, font["hmtx"].metrics
        return {code: widths[name][0] / em for code, name in font.getBestCmap().items()}, widths[".notdef"][0] / em


def text_width(words: str, size: float, bold: bool = False) -> float:
    """mm that a line of text takes."""
    known, other = _advances(bold)
    return size * sum(known.get(ord(letter), other) for letter in words)


def shortened(words: str, size: float, room: float, bold: bool = False) -> str:
    """As much of a text as there is room (mm) for, ended with … where that is not all."""
    if text_width(words, size, bold) <= room:
        return words
    while words and text_width(words + "…", size, bold) > room:
        words = words[:-1]
    return words + "…"


def moved(items: tuple[Item, ...], x: float, y: float) -> tuple[Item, ...]:
    """What is drawn, elsewhere on the page."""
    by = np.array([x, y])
    return tuple(
        replace(item, points=item.points + by)
        if isinstance(item, Stroke | Bezier)
        else replace(item, x=item.x + x, y=item.y + y)
        for item in items
    )


def through(at: Array, points: Array, slopes: Array) -> Array:
    """(3 k + 1, 2) cubics through points (k + 1, 2) with their `slopes` by a parameter `at` (k + 1,): Hermite's form as Bézier's."""
    third = np.diff(at)[:, None] / 3.0
    ahead, back = points[:-1] + third * slopes[:-1], points[1:] - third * slopes[1:]
    run = np.stack([points[:-1], ahead, back], axis=1).reshape(-1, 2)
    return np.vstack([run, points[-1:]])
