"""Colours of values on the skin, and their legend."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen

from isotomon.app.theme import Theme, station_colour
from isotomon.arrays import Array
from isotomon.inspect.looks import Colouring
from isotomon.quantity import display

Table = NDArray[np.uint8]
STEPS = 255


def colour_range(colouring: Colouring) -> tuple[float, float]:
    """From which to which value colours run: all but the outermost three hundredths, and as far down as up where the sign tells."""
    values = colouring.values[np.isfinite(colouring.values)]
    low, high = (float(x) for x in np.percentile(values, [3.0, 97.0])) if len(values) else (0.0, 1.0)
    if colouring.even or (colouring.signed and low < 0.0 < high):
        reach = max(-low, high, 1e-9)
        return -reach, reach
    if high - low < 1e-9 * max(abs(high), 1e-9):
        pad = max(abs(high) * 0.05, 1e-6)
        return low - pad, high + pad
    return low, high


def colour_table(theme: Theme, low: float, high: float) -> Table:
    """(STEPS, 3): from indigo through the body's own colour at nought to ochre where values have both signs; else the scale
    that stations have."""
    share = np.linspace(0.0, 1.0, STEPS)
    if low >= 0.0 or high <= 0.0:
        colours = [station_colour(theme, round(float(s), 3)) for s in share]
        return np.array([(c.red(), c.green(), c.blue()) for c in colours], dtype=np.uint8)
    cold, warm, middle = station_colour(theme, 0.0), station_colour(theme, 1.0), QColor(theme.paper)
    stops = np.array([(c.red(), c.green(), c.blue()) for c in (cold, middle, warm)], dtype=float)
    return np.stack([np.interp(share, [0.0, 0.5, 1.0], stops[:, k]) for k in range(3)], axis=1).round().astype(np.uint8)


def stripe_table(theme: Theme) -> Table:
    """(2, 3): dark and light."""
    dark, light = QColor(theme.ink), QColor(theme.paper)
    if theme.name == "slate":
        dark, light = light, dark
    return np.array([(c.red(), c.green(), c.blue()) for c in (dark, light)], dtype=np.uint8)


def scalars(
    theme: Theme, colouring: Colouring | None, bright: Array | None
) -> tuple[Array | None, Table, float, float]:
    """What colours a skin, over which table, from which value to which: reflected light before a quality before the body's own colour."""
    if bright is not None:
        return bright, stripe_table(theme), -1.0, 1.0
    if colouring is not None:
        low, high = colour_range(colouring)
        return colouring.values, colour_table(theme, low, high), low, high
    return None, stripe_table(theme), 0.0, 1.0


def paint_legend(painter: QPainter, theme: Theme, area: QRectF, colouring: Colouring, title: str) -> None:
    """A bar of the colours with its title above and the values at its ends and middle below."""
    low, high = colour_range(colouring)
    bar = QRectF(area.right() - 236.0, area.bottom() - 34.0, 216.0, 12.0)
    ground = QColor(theme.paper)
    ground.setAlpha(215)
    painter.fillRect(bar.adjusted(-10.0, -24.0, 10.0, 24.0), ground)
    fade = QLinearGradient(bar.topLeft(), bar.topRight())
    table = colour_table(theme, low, high)
    for k in range(0, STEPS, 16):
        r, g, b = (int(x) for x in table[k])
        fade.setColorAt(k / (STEPS - 1), QColor(r, g, b))
    painter.setPen(QPen(QColor(theme.soft_ink), 1))
    painter.setBrush(fade)
    painter.drawRect(bar)
    painter.setPen(QColor(theme.ink))
    painter.drawText(QPointF(bar.left(), bar.top() - 6.0), f"{title}, {colouring.unit}")
    middle = (low + high) / 2.0
    for share, value, align in (
        (0.0, low, Qt.AlignmentFlag.AlignLeft),
        (0.5, middle, Qt.AlignmentFlag.AlignHCenter),
        (1.0, high, Qt.AlignmentFlag.AlignRight),
    ):
        x = bar.left() + share * bar.width()
        box = QRectF(x - 60.0 * 2 * share if share in (0.0, 1.0) else x - 60.0, bar.bottom() + 2.0, 120.0, 16.0)
        painter.drawText(box, align | Qt.AlignmentFlag.AlignTop, _figure(value, high - low))


def _figure(value: float, span: float) -> str:
    digits = int(np.clip(2 - np.floor(np.log10(max(span, 1e-12))), 0, 9))
    return display(value, digits)
