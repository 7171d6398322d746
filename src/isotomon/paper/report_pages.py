"""A report on pages of A4: its blocks one under another, tables parted where a page ends."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from isotomon.paper.grid import laid, parted
from isotomon.paper.page import Item, Page, Stroke, Text, moved, shortened, text_width
from isotomon.paper.report import FIGURE, DesignReport, Heading, Paragraph
from isotomon.quantity.table import Table

WIDTH, HEIGHT = 210.0, 297.0
EDGE = 15.0
"""mm left free round a page."""
HEAD, FOOT = 8.0, 8.0
"""mm for the title on every page, and below all."""
LETTERS = 2.8
"""mm of running text."""
BEGUN = 28.0
"""mm that a table or heading must have under it to begin on a page."""


class _Flow:
    """What has been put on pages so far, and how high on the last one the next block begins."""

    def __init__(self) -> None:
        self.pages: list[list[Item]] = [[]]
        self.y = HEIGHT - EDGE - HEAD - 6.0

    @property
    def left(self) -> float:
        """mm that are left on the page."""
        return self.y - EDGE - FOOT

    def need(self, high: float) -> None:
        """Turn to the next page, unless so much is left on this one."""
        if self.left < high and self.pages[-1]:
            self.turn()

    def turn(self) -> None:
        """The next page."""
        self.pages.append([])
        self.y = HEIGHT - EDGE - HEAD

    def put(self, items: tuple[Item, ...], high: float) -> None:
        """Something on the page, which takes so much of it."""
        self.pages[-1] += items
        self.y -= high


def report_pages(report: DesignReport) -> list[Page]:
    """The report on pages of A4, each with its title and number."""
    flow = _Flow()
    for block, after in zip(report.blocks, (*report.blocks[1:], None), strict=True):
        if isinstance(block, Heading):  # not alone at the foot of a page
            flow.need(13.0 + (after.height + 4.0 if isinstance(after, Page) else BEGUN))
            flow.put((Text(EDGE, flow.y - 8.0, block.words, 4.2, bold=True),), 13.0)
        elif isinstance(block, Paragraph):
            for line in wrapped(block.words, LETTERS, FIGURE):
                flow.need(5.0)
                flow.put((Text(EDGE, flow.y - 3.5, line, LETTERS),), 5.0)
        elif isinstance(block, Page):
            flow.need(block.height + 4.0)
            flow.put(moved(block.items, EDGE, flow.y - block.height), block.height + 4.0)
        else:
            for part in parted(block, FIGURE):
                _put_table(flow, part)
    return [_numbered(report, k, len(flow.pages), tuple(items)) for k, items in enumerate(flow.pages, 1)]


def _put_table(flow: _Flow, table: Table) -> None:
    flow.need(7.0 + BEGUN)
    if table.title:
        flow.put((Text(EDGE, flow.y - 5.0, table.title, LETTERS, bold=True),), 7.0)
    while True:
        done = laid(table, EDGE, flow.y, FIGURE, flow.left)
        flow.put(done.items, done.high + 3.0)
        table = replace(table, rows=table.rows[done.rows :])
        if not table.rows:
            return
        flow.turn()


def _numbered(report: DesignReport, number: int, count: int, items: tuple[Item, ...]) -> Page:
    top, size = HEIGHT - EDGE, 6.0 if number == 1 else 3.0
    head = (
        Text(EDGE, top - 5.0, shortened(report.title, size, 130.0, True), size, bold=True),
        Text(WIDTH - EDGE, top - 5.0, f"{report.day}   {number} of {count}", 2.5, "right"),
        Stroke(np.array([[EDGE, top - HEAD], [WIDTH - EDGE, top - HEAD]]), "size"),
    )
    return Page(f"{report.title}, page {number}", WIDTH, HEIGHT, (*head, *items))


def wrapped(words: str, size: float, room: float) -> list[str]:
    """A text in lines that fit a width, mm."""
    lines, line = list[str](), ""
    for word in words.split():
        longer = f"{line} {word}".lstrip()
        if line and text_width(longer, size) > room:
            lines.append(line)
            line = word
        else:
            line = longer
    return [*lines, line]
