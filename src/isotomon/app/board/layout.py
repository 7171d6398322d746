"""Where things are on the Board: a row of stations over two plots on one axis."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PySide6.QtCore import QRectF

from isotomon.arrays import Array

LEFT, RIGHT, TOP_ROW, AXIS = 64.0, 22.0, 80.0, 20.0
"""Pixels: what is left free beside, over and under the plots."""


@dataclass(frozen=True)
class Layout:
    """Where things are on a Board of a given size, and how positions (mm) map to pixels."""

    width: float
    height: float
    first: float
    last: float

    def x(self, position: float | Array) -> float | Array:
        """Pixels from the left, of positions along the body (mm)."""
        return LEFT + (position - self.first) / max(self.last - self.first, 1e-9) * (self.width - LEFT - RIGHT)

    def position(self, x: float) -> float:
        """The position along the body (mm) at so many pixels from the left."""
        return self.first + (x - LEFT) / max(self.width - LEFT - RIGHT, 1.0) * (self.last - self.first)

    @property
    def rail(self) -> float:
        """y of the line the stations stand on."""
        return TOP_ROW - 26.0

    @property
    def area(self) -> QRectF:
        """The upper plot."""
        middle = TOP_ROW + (self.height - TOP_ROW - AXIS) * 0.5
        return QRectF(LEFT, TOP_ROW + 4, self.width - LEFT - RIGHT, middle - TOP_ROW - 8)

    @property
    def angle(self) -> QRectF:
        """The lower plot."""
        middle = TOP_ROW + (self.height - TOP_ROW - AXIS) * 0.5
        return QRectF(LEFT, middle + 2, self.width - LEFT - RIGHT, self.height - AXIS - middle - 4)


def nice_step(span: float, count: int) -> float:
    """A step of 1, 2 or 5 times a power of ten that cuts `span` into about `count` parts."""
    raw = max(span / max(count, 1), 1e-12)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(power * k for k in (1.0, 2.0, 5.0, 10.0) if power * k >= raw * 0.999)
