"""Sheets of paper: sizes, the frame, the title block that is filled from the design, the bar that is measured on paper."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.paper.page import Item, Page, Role, Stroke, Text, shortened, text_width
from isotomon.version import VERSION

Paper = Literal["A4", "A3", "A2", "A1", "A0"]
PAPERS: dict[Paper, tuple[float, float]] = {
    "A4": (297.0, 210.0),
    "A3": (420.0, 297.0),
    "A2": (594.0, 420.0),
    "A1": (841.0, 594.0),
    "A0": (1189.0, 841.0),
}
"""Width and height of sheets that lie across, mm."""
MARGIN = 10.0
BLOCK = 16.0
"""Height of the title block, which runs along the foot of a sheet, mm."""
SCALES = (100, 50, 20, 10, 5, 2, 1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001)
"""On paper for one in the design, of which a drawing takes the largest that fits."""


class Box(NamedTuple):
    """Room on a page, mm."""

    left: float
    bottom: float
    width: float
    height: float

    def within(self, gap: float) -> Box:
        """The same less a gap all round."""
        return Box(self.left + gap, self.bottom + gap, self.width - 2.0 * gap, self.height - 2.0 * gap)

    @property
    def middle(self) -> Array:
        """Its centre."""
        return np.array([self.left + self.width / 2.0, self.bottom + self.height / 2.0])


@dataclass(frozen=True)
class Block:
    """What a title block says on every sheet: the design's name, the day, and whose drawing it is."""

    design: str
    day: str
    tolerance: float
    unit: str = "mm"


def size_of(paper: str) -> tuple[float, float]:
    """Width and height of a sheet that lies across, mm. Raises: DesignError."""
    if paper not in PAPERS:
        raise DesignError(f"'{paper}' is no size of paper; use {', '.join(PAPERS)}")
    return PAPERS[paper]


def room_on(paper: Paper) -> Box:
    """What of a sheet is left within its frame, above the title block."""
    width, height = PAPERS[paper]
    return Box(MARGIN, MARGIN + BLOCK, width - 2.0 * MARGIN, height - 2.0 * MARGIN - BLOCK)


def scale_for(wide: float, high: float, room: Box) -> float:
    """The largest of `SCALES` at which something of a size (mm) fits a room."""
    fits = (s for s in SCALES if wide * s <= room.width and high * s <= room.height)
    return float(next(fits, SCALES[-1]))


def scale_words(scale: float) -> str:
    """A scale as it is written: 1:5, 2:1."""
    return f"{scale:g}:1" if scale >= 1.0 else f"1:{1.0 / scale:g}"


def rectangle(box: Box, role: Role, filled: bool = False) -> Stroke:
    """The outline of a box."""
    left, bottom, width, height = box
    corners = [(left, bottom), (left + width, bottom), (left + width, bottom + height), (left, bottom + height)]
    return Stroke(np.array(corners), role, closed=True, filled=filled)


def segment(x: float, y: float, to_x: float, to_y: float, role: Role) -> Stroke:
    """A straight line."""
    return Stroke(np.array([[x, y], [to_x, to_y]]), role)


def bar(x: float, y: float) -> tuple[Item, ...]:
    """A bar of 100 mm, with a mark every 10, to be measured on paper."""
    items: list[Item] = [segment(x, y, x + 100.0, y, "size")]
    items += [segment(x + k * 10.0, y, x + k * 10.0, y + (3.0 if k % 5 == 0 else 1.8), "size") for k in range(11)]
    items.append(Text(x, y + 4.0, "0", 2.2, "middle"))
    items.append(Text(x + 100.0, y + 4.0, "100 mm", 2.2, "middle"))
    items.append(Text(x + 50.0, y + 4.0, "measure this on paper: print at 100 %", 2.2, "middle"))
    return tuple(items)


class Fact(NamedTuple):
    """A cell of the title block."""

    title: str
    words: str


def framed(
    title: str, paper: Paper, block: Block, facts: tuple[Fact, ...], items: tuple[Item, ...], number: int, of: int
) -> Page:
    """A sheet with frame, centre marks and title block round what is drawn on it."""
    width, height = PAPERS[paper]
    whole = Box(MARGIN, MARGIN, width - 2.0 * MARGIN, height - 2.0 * MARGIN)
    made: list[Item] = [rectangle(whole, "frame")]
    for x, y, to_x, to_y in (
        (width / 2.0, MARGIN / 2.0, width / 2.0, MARGIN),
        (width / 2.0, height - MARGIN, width / 2.0, height - MARGIN / 2.0),
        (MARGIN / 2.0, height / 2.0, MARGIN, height / 2.0),
        (width - MARGIN, height / 2.0, width - MARGIN / 2.0, height / 2.0),
    ):
        made.append(segment(x, y, to_x, to_y, "hair"))
    cells = (
        Fact("design", block.design),
        Fact("sheet", title),
        *facts,
        Fact("tolerance", f"{block.tolerance:.3g} mm"),
        Fact("paper", paper),
        Fact("day", block.day),
        Fact("page", f"{number} of {of}"),
    )
    return Page(title, width, height, (*made, *_block(whole, cells), *items))


def _block(whole: Box, cells: tuple[Fact, ...]) -> list[Item]:
    top = whole.bottom + BLOCK
    items: list[Item] = [segment(whole.left, top, whole.left + whole.width, top, "frame")]
    wanted = [max(text_width(c.words, 3.2, True), text_width(c.title, 2.0)) + 4.0 for c in cells]
    spare = whole.width - sum(wanted) - text_width(MADE, 2.0) - 4.0
    for k in (0, 1):  # the first two take what is left, or give what lacks
        wanted[k] = max(wanted[k] + spare / 2.0, 20.0)
    x = whole.left
    for cell, wide in zip(cells, wanted, strict=True):
        items.append(Text(x + 2.0, top - 4.0, cell.title, 2.0))
        items.append(Text(x + 2.0, top - 11.0, shortened(cell.words, 3.2, wide - 3.0, True), 3.2, bold=True))
        x += wide
        items.append(segment(x, whole.bottom, x, top, "hair"))
    items.append(Text(x + 2.0, top - 4.0, MADE, 2.0))
    return items


MADE = f"made with Isotomon {VERSION}"
