"""The body plan: all sections laid over each other, seen along the carrier, with the ties between them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from isotomon.app.board.layout import nice_step
from isotomon.app.shapes import polygon
from isotomon.app.theme import Theme, station_colour
from isotomon.arrays import Array
from isotomon.field.mesh import applied
from isotomon.inspect.results import Quick
from isotomon.quantity import display, to_unit

PICK_PIXELS = 7.0


class BodyPlan(QWidget):
    """Shows a Quick's sections in their planes, X to the right and Y up; a click chooses a station."""

    picked = Signal(str)
    tie_pulled = Signal(str, int, object)
    """the station and which of its ties is dragged, and to which place in its plane (2,)"""
    let_go = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("bodyplan")
        self.setAccessibleName("Body plan: sections seen along the carrier")
        self.setMouseTracking(True)
        self.setMinimumSize(180, 150)
        self.theme = theme
        self.quick: Quick | None = None
        self.selected: tuple[str, ...] = ()
        self._outlines: dict[str, Array] = {}
        self._holes: dict[str, list[Array]] = {}
        self._extent = np.array([[-1.0, -1.0], [1.0, 1.0]])
        """(2, 2) mm: the lowest and the highest of all outlines."""
        self._ties: list[Array] = []
        self._live_at = math.nan
        self._live: Array | None = None
        self._over: list[Array] = []
        self._finished: list[tuple[str, list[Array]]] = []
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self._drag: QPointF | None = None
        self._tie: tuple[str, int] | None = None
        self._hovered = ""

    def show_quick(self, quick: Quick) -> None:
        """Show new results."""
        stays, self.quick = quick.moves_on_from(self.quick), quick
        if stays:
            return
        self._outlines, self._holes, self._ties = {}, {}, []
        shape = quick.shape
        if shape is not None:
            samples = shape.mesh.sampling
            local = shape.sections.local[shape.at_stations]
            rings = applied(samples.value, local)
            for k, (n, ring) in enumerate(zip(quick.resolved.stations, rings, strict=True)):
                key = f"{n.station.id}/{k}" if n.carried else n.station.id
                self._outlines[key] = ring[samples.rim]
                self._holes[key] = [ring[np.append(run, run[0])] for run in samples.holes]
            points = np.vstack(list(self._outlines.values()))
            self._extent = np.stack([points.min(axis=0), points.max(axis=0)])
            rows = shape.form.common.rows(np.array([t.u for t in shape.form.common.ties]))
            self._ties = list(np.matmul(rows, local).transpose(1, 0, 2))
        self.set_live(self._live_at)

    def set_over(self, outlines: Sequence[Array]) -> None:
        """Pieces of line (n, 2, 2), mm, of another body behind this one's sections, or none."""
        self._over = list(outlines)
        self.update()

    def set_finished(self, outlines: Sequence[tuple[str, list[Array]]]) -> None:
        """(station, runs (n, 2), mm) of the finished body's sections, drawn over those it is shaped by; or none."""
        if outlines or self._finished:
            self._finished = list(outlines)
            self.update()

    def set_selected(self, ids: tuple[str, ...]) -> None:
        """Mark stations."""
        self.selected = ids
        self.update()

    def set_live(self, position: float) -> None:
        """Where along the body the pointer is on the Board (mm), or NaN: the section there is drawn, of what is shown."""
        self._live_at = position
        section = self.quick.section_at(position) if self.quick is not None else None
        self._live = None
        if section is not None and self.quick is not None and self.quick.shape is not None:
            samples = self.quick.shape.mesh.sampling
            self._live = (samples.value @ section.local[0])[samples.rim]
        self.update()

    def _frame(self) -> tuple[float, float, float]:
        """Scale (pixels per mm) and the middle of all sections."""
        low, high = self._extent
        size = np.maximum(high - low, 1e-6)
        scale = min((self.width() - 44) / size[0], (self.height() - 74) / size[1]) * self._zoom
        return float(scale), float((low[0] + high[0]) / 2), float((low[1] + high[1]) / 2)

    def to_pixels(self, points: Array) -> Array:
        """Pixels (n, 2) of points (n, 2) in mm."""
        scale, cx, cy = self._frame()
        x = self.width() / 2 + self._shift.x() + (points[:, 0] - cx) * scale
        y = self.height() / 2 + 4 + self._shift.y() - (points[:, 1] - cy) * scale
        return np.stack([x, y], axis=1)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes, ties, sections, the live section."""
        p = QPainter(self)
        # Smooth lines when still; quick ones while something moves.
        p.setRenderHint(QPainter.RenderHint.Antialiasing, self.quick is None or self.quick.full is not None)
        p.fillRect(self.rect(), QColor(self.theme.paper))
        small = QFont(p.font())
        small.setPixelSize(11)
        p.setFont(small)
        if self._outlines:
            self._paint_axes(p)
            self._paint_sections(p)
        p.setPen(QColor(self.theme.soft_ink))
        p.drawText(QPointF(10, 18), "Body plan, seen from the last station")
        p.end()

    def _paint_axes(self, p: QPainter) -> None:
        origin = self.to_pixels(np.zeros((1, 2)))[0]
        p.setPen(QPen(QColor(self.theme.hairline), 1))
        p.drawLine(QPointF(0, float(origin[1])), QPointF(self.width(), float(origin[1])))
        p.drawLine(QPointF(float(origin[0]), 0), QPointF(float(origin[0]), self.height()))
        unit = self.quick.design.unit if self.quick else "mm"
        scale = self._frame()[0]
        one = 1.0 / to_unit(1.0, unit)
        step = nice_step((self.width() / 3) / scale / one, 1)
        length = step * one * scale
        y = self.height() - 14.0
        p.setPen(QPen(QColor(self.theme.ink), 1.4))
        p.drawLine(QPointF(12, y), QPointF(12 + length, y))
        for x in (12.0, 12.0 + length):
            p.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        p.drawText(QRectF(12, y - 20, max(length, 60), 16), Qt.AlignmentFlag.AlignLeft, f"{display(step)} {unit}")

    def _paint_sections(self, p: QPainter) -> None:
        p.setPen(QPen(QColor(self.theme.hairline), 1))
        for tie in self._ties:
            p.drawPolyline(polygon(self.to_pixels(tie)))
        p.setBrush(QColor(self.theme.paper))
        p.setPen(QPen(QColor(self.theme.ink), 1.4))
        for _, index in self._tie_ends():
            for tie in self._ties:
                x, y = self.to_pixels(tie[index : index + 1])[0].tolist()
                p.drawEllipse(QPointF(x, y), 3.2, 3.2)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(self.theme.attention), 1.2, Qt.PenStyle.DotLine))
        for pieces in self._over:
            ends = self.to_pixels(pieces.reshape(-1, 2)).reshape(-1, 4).tolist()
            p.drawLines([QLineF(*xy) for xy in ends])
        count, finished = max(len(self._outlines) - 1, 1), dict(self._finished)
        for index, (key, ring) in enumerate(self._outlines.items()):
            strong = key in self.selected or key == self._hovered
            colour = QColor(station_colour(self.theme, index / count))
            colour.setAlpha(90 if key in finished else 255)
            p.setPen(QPen(colour, 3 if strong else 1.4))
            for run in (ring, *self._holes[key]):
                p.drawPolyline(polygon(self.to_pixels(run)))
            colour.setAlpha(255)
            p.setPen(QPen(colour, 3 if strong else 1.6))
            for run in finished.get(key, ()):
                p.drawPolygon(polygon(self.to_pixels(run)))
        if self._live is not None:
            p.setPen(QPen(QColor(self.theme.ink), 2.2))
            p.drawPolyline(polygon(self.to_pixels(self._live)))
        name = (
            next((n.station.name for n in self.quick.resolved.stations if n.station.id == self._hovered), "")
            if self.quick
            else ""
        )
        if name:
            p.setPen(QColor(self.theme.ink))
            p.drawText(QRectF(self.width() - 130, 5, 120, 18), Qt.AlignmentFlag.AlignRight, name)

    def _tie_ends(self) -> list[tuple[str, int]]:
        """(station, row) of the profiles whose tie ends can be dragged: the chosen ones, and the one pointed at."""
        return [(k, i) for i, k in enumerate(self._outlines) if k in self.selected or k == self._hovered]

    def tie_at(self, at: QPointF) -> tuple[str, int] | None:
        """(station, tie) whose end is at a pixel, of the profiles that show theirs."""
        point = np.array([at.x(), at.y()])
        best, found = PICK_PIXELS, None
        for key, row in self._tie_ends():
            for k, tie in enumerate(self._ties):
                away = float(np.linalg.norm(self.to_pixels(tie[row : row + 1])[0] - point))
                if away < best:
                    best, found = away, (key, k)
        return found

    def from_pixels(self, at: QPointF) -> Array:
        """(2,) mm of a pixel."""
        scale, cx, cy = self._frame()
        x = (at.x() - self.width() / 2 - self._shift.x()) / scale + cx
        return np.array([x, cy - (at.y() - self.height() / 2 - 4 - self._shift.y()) / scale])

    def pick(self, at: QPointF) -> str:
        """The station whose section is at a pixel, or nothing."""
        point = np.array([at.x(), at.y()])
        best, key = PICK_PIXELS, ""
        for name, ring in self._outlines.items():
            away = float(np.min(np.linalg.norm(self.to_pixels(ring) - point, axis=1)))
            if away < best:
                best, key = away, name
        return key

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a station, or begin to move the paper."""
        self._tie = self.tie_at(event.position()) if event.button() == Qt.MouseButton.LeftButton else None
        if self._tie is not None:
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(self.pick(event.position()))
        self._drag = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the paper, or show what a click would choose."""
        if self._tie is not None and event.buttons():
            self.tie_pulled.emit(*self._tie, self.from_pixels(event.position()))
            return
        if self._drag is not None and event.buttons():
            self._shift += event.position() - self._drag
            self._drag = event.position()
            self.update()
            return
        key = self.pick(event.position())
        if key != self._hovered:
            self._hovered = key
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The paper stays where it is."""
        self._drag = None
        if self._tie is not None:
            self._tie = None
            self.let_go.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Fit again."""
        self._zoom, self._shift = 1.0, QPointF(0, 0)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom to the pointer."""
        factor = 1.0015 ** event.angleDelta().y()
        middle = QPointF(self.width() / 2, self.height() / 2 + 4)
        away = event.position() - middle - self._shift
        self._shift += away * (1.0 - factor)
        self._zoom *= factor
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer."""
        self._hovered = ""
        self.update()
