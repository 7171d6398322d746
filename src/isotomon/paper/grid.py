"""Tables on paper: columns as wide as what stands in them, parted over pages and, where they are too wide, side by side."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from isotomon.paper.frame import segment
from isotomon.paper.page import Align, Item, Text, text_width
from isotomon.quantity.table import Column, Table, said

SIZE, LEAST = 2.3, 1.9
"""mm of letters in a table, and how small they may become for it to fit."""
LINE = 1.9
"""Of the size of letters: from line to line."""
GAP = 3.0
"""mm between columns."""


def parted(table: Table, wide: float) -> list[Table]:
    """The table, or where it is wider than there is room (mm) even in small letters, several with its first column each."""
    widths = _widths(table, LEAST)
    if sum(widths) <= wide:
        return [table]
    groups, room = [[0]], wide - widths[0]
    for k, own in enumerate(widths[1:], 1):
        if room < own and len(groups[-1]) > 1:
            groups.append([0])
            room = wide - widths[0]
        groups[-1].append(k)
        room -= own
    return [
        replace(
            table,
            columns=tuple(table.columns[k] for k in g),
            rows=tuple(tuple(row[k] for k in g) for row in table.rows),
        )
        for g in groups
    ]


class TableOnPage(NamedTuple):
    """What is drawn of a table on one page, how high that is (mm), and how many of its rows it holds."""

    items: tuple[Item, ...]
    high: float
    rows: int


def laid(table: Table, x: float, top: float, wide: float, high: float) -> TableOnPage:
    """As many rows of a table under their heads as fit room of a width and height (mm) under `top`; one at least, where there is one."""
    size = next((s for s in (SIZE, 2.1, LEAST) if sum(_widths(table, s)) <= wide), LEAST)
    widths, step = _widths(table, size), size * LINE
    rows = table.rows[: max(int((high - 2.6 * step) / step), 1)]
    right = x + sum(widths) - GAP
    items: list[Item] = []
    y = top - step
    for k, column in enumerate(table.columns):
        left, align = _place(x, widths, k, table)
        items += [Text(left, y, column.title, size, align, bold=True)]
        items += [Text(left, y - step * 0.75, column.unit, size * 0.9, align)] if column.unit else []
    y -= step * 1.1
    items.append(segment(x, y, right, y, "size"))
    for row in rows:
        y -= step
        for k, cell in enumerate(row):
            left, align = _place(x, widths, k, table)
            items.append(Text(left, y + 0.3 * size, said(cell), size, align))
    items.append(segment(x, y - 0.2 * step, right, y - 0.2 * step, "hair"))
    return TableOnPage(tuple(items), top - y + 0.5 * step, len(rows))


def _is_words(table: Table, k: int) -> bool:
    return any(isinstance(row[k], str) for row in table.rows)


def _place(x: float, widths: list[float], k: int, table: Table) -> tuple[float, Align]:
    """Where the text of a column stands, and whether it begins or ends there."""
    if _is_words(table, k):
        return x + sum(widths[:k]), "left"
    return x + sum(widths[: k + 1]) - GAP, "right"


def _widths(table: Table, size: float) -> list[float]:
    def own(k: int, column: Column) -> float:
        cells = max((text_width(said(row[k]), size) for row in table.rows), default=0.0)
        return max(text_width(column.title, size, True), text_width(column.unit, size * 0.9), cells) + GAP

    return [own(k, column) for k, column in enumerate(table.columns)]
