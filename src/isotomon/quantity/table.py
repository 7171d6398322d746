"""Tables of words and figures with their units, for paper, files and reading."""

from __future__ import annotations

import csv
import io
import math
from dataclasses import dataclass
from typing import NamedTuple

from isotomon.quantity.units import display

Cell = str | float


class Column(NamedTuple):
    """Of a table: its title and the unit of its figures, empty for words and ratios."""

    title: str
    unit: str = ""

    @property
    def header(self) -> str:
        """As CSV names it: set_angle_deg."""
        units = {"°": "deg", "mm²": "mm2", "mm⁴": "mm4", "mm³": "mm3", "kg/m": "kg_per_m"}
        unit = units.get(self.unit, self.unit)
        return "_".join(p for p in (self.title.replace(" ", "_").replace("/", "_"), unit) if p)


@dataclass(frozen=True, eq=False)
class Table:
    """Rows of words and figures under columns; NaN for what is undefined."""

    title: str
    columns: tuple[Column, ...]
    rows: tuple[tuple[Cell, ...], ...]

    def csv(self) -> str:
        """As CSV with headers that carry the units; what is undefined is left blank."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow([column.header for column in self.columns])
        for row in self.rows:
            writer.writerow(
                [cell if isinstance(cell, str) else "" if math.isnan(cell) else f"{cell:.10g}" for cell in row]
            )
        return out.getvalue()


def said(cell: Cell) -> str:
    """A cell for reading: a figure to six places that count."""
    if isinstance(cell, str):
        return cell
    if math.isnan(cell) or cell == 0.0:
        return display(cell)
    return display(cell, max(0, min(6, 5 - math.floor(math.log10(abs(cell))))))
