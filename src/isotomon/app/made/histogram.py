"""How many points lie how far off the design, as bars in the colours that the skin has there."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from isotomon.app.theme import Theme
from isotomon.app.viewport.colours import colour_range, colour_table
from isotomon.arrays import Array
from isotomon.inspect.looks import Colouring
from isotomon.paper.as_made import bins_of
from isotomon.paper.charts import number, ticks

FOOT, TOP, SIDE = 18.0, 14.0, 6.0


class Histogram(QWidget):
    """Bars of deviations."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName("Points by deviation")
        self.values: Array = np.zeros(0)
        self.colouring: Colouring | None = None

    def sizeHint(self) -> QSize:
        """As high as tells its bars apart."""
        return QSize(240, 112)

    def show_values(self, values: Array, colouring: Colouring | None) -> None:
        """Deviations (n,) mm, and what the skin is coloured by."""
        self.values, self.colouring = values, colouring
        self.setVisible(len(values) > 0)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Bars over an axis in mm."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        counts, edges = bins_of(self.values)
        room = QRectF(SIDE, TOP, self.width() - 2.0 * SIDE, self.height() - FOOT - TOP)
        reach, high = float(edges[-1]), max(int(counts.max()), 1)
        x = room.left() + (edges + reach) / (2.0 * reach) * room.width()
        colours = self._colours((edges[:-1] + edges[1:]) / 2.0)
        painter.setPen(QPen(QColor(self.theme.soft_ink), 0.6))
        for k, count in enumerate(counts.tolist()):
            if count:
                tall = max(room.height() * count / high, 1.0)
                painter.setBrush(colours[k])
                painter.drawRect(QRectF(float(x[k]), room.bottom() - tall, float(x[k + 1] - x[k]), tall))
        painter.setPen(QColor(self.theme.ink))
        painter.drawLine(room.bottomLeft(), room.bottomRight())
        for mark in ticks(-reach, reach):
            at = room.left() + (mark + reach) / (2.0 * reach) * room.width()
            painter.drawLine(QPointF(at, room.bottom()), QPointF(at, room.bottom() + 3.0))
            box = QRectF(at - 30.0, room.bottom() + 3.0, 60.0, 14.0)
            if box.left() >= 0.0 and box.right() <= self.width():
                painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter), number(mark, 2.0 * reach))
        painter.drawText(
            QRectF(SIDE, 0.0, room.width(), TOP), int(Qt.AlignmentFlag.AlignLeft), "Points by deviation, mm"
        )
        painter.end()

    def _colours(self, values: Array) -> list[QColor]:
        if self.colouring is None:
            return [QColor(self.theme.accent)] * len(values)
        low, high = colour_range(self.colouring)
        table = colour_table(self.theme, low, high)
        row = np.clip((values - low) / max(high - low, 1e-300) * (len(table) - 1), 0, len(table) - 1).astype(int)
        return [QColor(*rgb) for rgb in table[row].tolist()]
