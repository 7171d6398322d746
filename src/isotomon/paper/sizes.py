"""Sizes that a section's drawing carries, on paper: as large as they are at the station."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import IsotomonError
from isotomon.evaluate.drawn import to_plane
from isotomon.inspect.results import Quick
from isotomon.paper.frame import Box
from isotomon.paper.outlines import DrawnSection
from isotomon.paper.page import Item, Stroke, Text, text_width
from isotomon.profile.drawing import Constraint, replace
from isotomon.profile.drawn import Figures, figures_of
from isotomon.profile.loops import find_runs
from isotomon.profile.marks import SIDES, DimensionMark, LaidParts, laid_out, mark_of
from isotomon.profile.relate import figure_words
from isotomon.profile.section import Drawn
from isotomon.profile.solver import measured

AWAY = 8.0 / 26.0
"""mm on paper for a pixel on the screen: how far from what they measure sizes stand that have no place of their own."""
LETTERS = 2.4
ARROW = 2.2
"""mm: how long arrows are."""
AS_DRAWN = 1e-5
"""Of its size: how far a section's area, perimeter and middle may be from its drawing's. Else it is another one there, as where rails carry it."""


def drawn_sizes(quick: Quick, one: DrawnSection, unit: str) -> list[Item]:
    """The sizes of the drawing that stands at a section's station, in the section's plane; none where there is none, or where the section
    is not as drawn."""
    n = next((n for _, n in quick.resolved.own if abs(n.position - one.position) < 1e-9), None)
    if n is None or not isinstance(n.station.section, Drawn):
        return []
    try:
        section = quick.drawings.section(n.station.section)
        drawing = quick.drawings.solutions[n.station.section.drawing].drawing
        runs, laid, values = find_runs(drawing), laid_out(drawing), measured(drawing)
        told = figures_of(runs.outer, runs.holes) if runs.outer is not None else None
    except IsotomonError:
        return []

    def placed(points: Array) -> Array:
        return to_plane(points, n, section)

    scale = float(np.linalg.norm(np.diff(placed(np.array([[0.0, 0.0], [1.0, 0.0]])), axis=0)))
    if told is None or not _as_drawn(one, told, scale, placed(np.array([told.centroid]))[0]):
        return []
    items, taken = list[Item](), list[Box]()
    for c in (c for c in drawing.constraints if c.id in values):
        value = values[c.id] * (1.0 if c.kind == "angle" else scale)
        # Of the two signs for a diameter the font that is set on paper knows the second.
        words = figure_words(replace(c, value=None), value, unit).replace("⌀", "Ø")
        items += _fitted(laid, c, words, scale, placed, taken)
    return items


def _as_drawn(one: DrawnSection, told: Figures, scale: float, middle: Array) -> bool:
    size = scale * max(told.high[0] - told.low[0], told.high[1] - told.low[1])
    return bool(
        abs(one.area - told.area * scale**2) < AS_DRAWN * size**2
        and abs(one.perimeter - told.perimeter * scale) < AS_DRAWN * size
        and np.linalg.norm(one.centroid - middle) < AS_DRAWN * size
    )


def _fitted(
    laid: LaidParts, c: Constraint, words: str, scale: float, placed: Callable[[Array], Array], taken: list[Box]
) -> list[Item]:
    """A size where it covers no other, or where it was put in the drawing; what it takes is added to what is `taken`."""
    best: tuple[list[Item], Box] | None = None
    for side in SIDES if c.place is None else SIDES[:1]:
        items, box = _drawn(mark_of(laid, c, AWAY / scale, side), words, c.kind in ("radius", "diameter"), placed)
        best = best or (items, box)
        if not any(_meet(box, other) for other in taken):
            best = items, box
            break
    assert best is not None
    taken.append(best[1])
    return best[0]


def _drawn(mark: DimensionMark, words: str, leads: bool, placed: Callable[[Array], Array]) -> tuple[list[Item], Box]:
    """Its lines, arrows and words, and the box that these take. `leads`: the words stand at the end of its last line, else along it, or, where
    that is an arc, in their place."""
    items: list[Item] = [Stroke(placed(line), "size") for line in mark.lines]
    for tip, way in mark.arrows:
        end, ahead = placed(np.array([tip, tip + way]))
        back = (end - ahead) / np.linalg.norm(ahead - end) * ARROW
        aside = 0.25 * np.array([-back[1], back[0]])
        items.append(Stroke(np.array([end + back + aside, end, end + back - aside]), "size"))
    (at,), last = placed(mark.label[None]), placed(mark.lines[-1])
    wide, way = text_width(words, LETTERS), last[-1] - last[0]
    turn, align = 0.0, "middle"
    if leads:
        align = "left" if way[0] >= 0.0 else "right"
        at = at + np.array([math.copysign(1.0, way[0]), -0.35 * LETTERS])
    elif len(last) == 2:
        turn = math.remainder(math.atan2(way[1], way[0]), math.pi)
        turn = -turn if abs(turn + math.pi / 2.0) < 1e-9 else turn  # upward, read from the right
        at = at + 1.2 * np.array([-math.sin(turn), math.cos(turn)])
    x, y = at.tolist()
    items.append(Text(x, y, words, LETTERS, align, turn=turn))  # type: ignore[arg-type]
    half = 0.5 * wide * np.abs([math.cos(turn), math.sin(turn)]) + 0.5 * LETTERS
    shift = {"left": 0.5 * wide, "right": -0.5 * wide, "middle": 0.0}[align]
    return items, Box(x + shift - half[0], y - half[1], 2.0 * half[0], 2.0 * half[1])


def _meet(a: Box, b: Box) -> bool:
    return (
        a.left < b.left + b.width
        and b.left < a.left + a.width
        and a.bottom < b.bottom + b.height
        and b.bottom < a.bottom + a.height
    )
