"""A study's variants as a picture: one figure over another, or curves along the body laid over each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from isotomon.app.shapes import polygon
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.paper.charts import number, ticks
from isotomon.studies.figures import VariantRow

NEAR = 12.0
"""Pixels within which a click means a variant."""
LEFT, TOP, RIGHT, FOOT = 74.0, 26.0, 18.0, 34.0


class StudyPlot(QWidget):
    """`picked`: the place of a variant among the rows."""

    picked = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setMinimumHeight(160)
        self.setAccessibleName("Plot of the variants")
        self.title = ("", "")
        self.places: Array = np.empty((0, 2))
        self.curves: list[Array] = []
        self.chosen: int | None = None
        self._range = (np.zeros(2), np.ones(2))

    def show_points(self, x: Sequence[float], y: Sequence[float], across: str, up: str) -> None:
        """One figure over another, NaN where a variant has it not."""
        self.places, self.curves, self.title = np.column_stack([x, y]).reshape(-1, 2), [], (across, up)
        self._fit(self.places)

    def show_curves(self, rows: Sequence[VariantRow], what: str, up: str) -> None:
        """`area` or `set_angle` along the body, a curve a variant."""
        self.places, self.title = np.empty((0, 2)), ("along the body, mm", up)
        factor = np.degrees(1.0) if what == "set_angle" else 1.0
        self.curves = [
            np.column_stack([row.position, np.array([np.nan if v is None else v * factor for v in getattr(row, what)])])
            if row.position
            else np.empty((0, 2))
            for row in rows
        ]
        self._fit(np.vstack([np.empty((0, 2)), *self.curves]))

    def _fit(self, points: Array) -> None:
        points = points[np.isfinite(points).all(axis=1)]
        if len(points):
            low, high = points.min(axis=0), points.max(axis=0)
            pad = np.where(high > low, 0.05 * (high - low), np.maximum(0.05 * np.abs(high), 1e-6))
            self._range = (low - pad, high + pad)
        self.update()

    def _room(self) -> QRectF:
        return QRectF(LEFT, TOP, max(self.width() - LEFT - RIGHT, 10.0), max(self.height() - TOP - FOOT, 10.0))

    def _placed(self, points: Array) -> Array:
        room, (low, high) = self._room(), self._range
        share = (points - low) / (high - low)
        return np.column_stack([room.left() + share[:, 0] * room.width(), room.bottom() - share[:, 1] * room.height()])

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes, and what is on them."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if len(self.places) or any(len(curve) for curve in self.curves):
            self._paint_axes(painter)
            self._paint_curves(painter)
            self._paint_points(painter)
        else:
            painter.setPen(QColor(self.theme.soft_ink))
            text = "Choose at the right which numbers vary, and run the study."
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), text)
        painter.end()

    def _paint_axes(self, painter: QPainter) -> None:
        room, (low, high) = self._room(), self._range
        ink, line = QColor(self.theme.ink), QPen(QColor(self.theme.hairline), 1.0)
        for k, reach in enumerate((high - low).tolist()):
            for mark in ticks(float(low[k]), float(high[k])):
                at = self._placed(np.array([[mark, mark]]))[0]
                painter.setPen(line)
                if k:
                    painter.drawLine(QPointF(room.left(), at[1]), QPointF(room.right(), at[1]))
                else:
                    painter.drawLine(QPointF(at[0], room.top()), QPointF(at[0], room.bottom()))
                painter.setPen(ink)
                text = number(mark, reach)
                box = (
                    QRectF(0.0, at[1] - 9.0, LEFT - 6.0, 18.0)
                    if k
                    else QRectF(at[0] - 40.0, room.bottom() + 2.0, 80.0, 16.0)
                )
                side = (
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter if k else Qt.AlignmentFlag.AlignHCenter
                )
                painter.drawText(box, int(side), text)
        painter.drawText(QRectF(LEFT, 2.0, room.width(), 20.0), int(Qt.AlignmentFlag.AlignLeft), self.title[1])
        foot = QRectF(LEFT, room.bottom() + 16.0, room.width(), 18.0)
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignRight), self.title[0])

    def _paint_curves(self, painter: QPainter) -> None:
        faint = QColor(self.theme.accent)
        faint.setAlpha(70)
        order = [k for k in range(len(self.curves)) if k != self.chosen]
        if self.chosen is not None and self.chosen < len(self.curves):
            order.append(self.chosen)
        for k in order:
            chosen = k == self.chosen
            painter.setPen(QPen(QColor(self.theme.attention) if chosen else faint, 2.5 if chosen else 1.0))
            placed = self._placed(self.curves[k])
            painter.drawPolyline(polygon(placed[np.isfinite(placed).all(axis=1)]))

    def _paint_points(self, painter: QPainter) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        for k, (x, y) in enumerate(self._placed(self.places).tolist()):
            if np.isfinite(x) and np.isfinite(y):
                chosen = k == self.chosen
                painter.setBrush(QColor(self.theme.attention if chosen else self.theme.accent))
                painter.drawEllipse(QPointF(x, y), 6.0 if chosen else 3.0, 6.0 if chosen else 3.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The variant that is nearest is chosen."""
        at = np.array([event.position().x(), event.position().y()])
        if len(self.places):
            away = np.linalg.norm(self._placed(self.places) - at, axis=1)
        else:
            away = np.array([self._off(curve, at) for curve in self.curves])
        if len(away) and np.nanmin(np.append(away, np.inf)) < NEAR:
            self.picked.emit(int(np.nanargmin(away)))

    def _off(self, curve: Array, at: Array) -> float:
        if not len(curve):
            return float("inf")
        placed = self._placed(curve)
        placed = placed[np.isfinite(placed).all(axis=1)]
        return float(abs(np.interp(at[0], placed[:, 0], placed[:, 1]) - at[1])) if len(placed) else float("inf")
