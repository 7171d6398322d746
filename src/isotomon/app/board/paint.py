"""Drawing of the Board: stations standing at their positions over the area and angle curves on one axis."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPen

from isotomon.app.board.curves import CurvePainter
from isotomon.app.board.layout import AXIS, LEFT, RIGHT, nice_step
from isotomon.app.shapes import polygon
from isotomon.app.theme import station_colour
from isotomon.arrays import Array
from isotomon.design.pieces import origin_of
from isotomon.design.resolved import StationNumbers
from isotomon.field.mesh import applied
from isotomon.inspect.results import Quick
from isotomon.quantity import display

THUMB, THUMB_HIGH = 40.0, 42.0


def closing_of(quick: Quick | None) -> float:
    """The position at which a ring comes round to its first station; minus infinity where the body is none."""
    ring = quick is not None and quick.shape is not None and quick.shape.field.ring
    return quick.shape.field.last if ring and quick is not None and quick.shape is not None else -math.inf


def bays_of(quick: Quick | None) -> list[tuple[float, float]]:
    """The ends of all bays, mm."""
    places = [n.position for n in quick.resolved.stations] if quick is not None else []
    if places and closing_of(quick) > -math.inf:
        places.append(closing_of(quick))
    return list(zip(places[:-1], places[1:], strict=True))


def handle_key(stations: Sequence[StationNumbers], row: int) -> str:
    """What is dragged at a section of the body: its station, or `reach on` and `reach back` at ends it goes on to; empty
    inside a ring."""
    n = stations[row]
    if not n.carried:
        return n.station.id
    return "reach back" if row == 0 else "reach on" if row == len(stations) - 1 else ""


class BoardPainter(CurvePainter):
    """Paints one Quick on a Board."""

    def ground(self) -> None:
        """Backgrounds, axis and the lines stations drop to the curves."""
        p, box = self.p, self.layout
        p.fillRect(QRectF(0, 0, box.width, box.height), self.colour("panel"))
        for plot in (box.area, box.angle):
            p.fillRect(plot, self.colour("paper"))
        p.setFont(self.small)
        if (self.quick.body.ready or self.quick.sheet is not None) and not self.otherwise:
            p.setPen(self.colour("soft_ink"))
            p.drawText(
                box.area,
                Qt.AlignmentFlag.AlignCenter,
                f"The body in hand is {origin_of(self.quick.design, self.quick.body)}: it has no stations",
            )
            return
        unit, one = self.quick.along_unit
        if self.otherwise and self.cut is not None:
            unit, one = self.cut.sections.unit, self.cut.sections.one
        start, end = box.first * one, box.last * one
        step = nice_step(end - start, int((box.width - LEFT) / 90))
        tick = math.ceil(start / step - 1e-9) * step
        scale = (box.last - box.first) / max(end - start, 1e-12)
        while tick <= end + 1e-9 * max(abs(end), 1.0):
            x = float(box.x(tick * scale))
            p.setPen(QPen(self.colour("hairline"), 1))
            p.drawLine(QPointF(x, box.area.top()), QPointF(x, box.angle.bottom()))
            p.setPen(self.colour("ink"))
            p.drawText(
                QRectF(x - 40, box.height - AXIS + 1, 80, AXIS - 2), Qt.AlignmentFlag.AlignCenter, display(tick, 6)
            )
            tick += step
        p.setPen(self.colour("soft_ink"))
        p.drawText(QRectF(8, box.height - AXIS + 1, LEFT, AXIS - 2), Qt.AlignmentFlag.AlignVCenter, unit)

    def stations(self, selected: Sequence[str], hovered: str, positions: dict[str, float] | None = None) -> None:
        """Thumbnails at true relative scale, names under them, plus signs between."""
        box, p = self.layout, self.p
        p.setPen(QPen(self.colour("hairline"), 1.5))
        p.drawLine(QPointF(LEFT, box.rail), QPointF(box.width - RIGHT, box.rail))
        if self.otherwise:
            self._title()
            return
        numbers = self.quick.resolved.stations
        if not numbers:
            return
        rings = self._rings()
        # All at one scale, at which neither the widest nor the tallest leaves its place.
        size = np.ptp(rings, axis=1).max(axis=0) if rings is not None else np.ones(2)
        largest = max(float(size[0]), float(size[1]) * THUMB / THUMB_HIGH, 1e-9)
        flagged = self.quick.stations_out()
        count = max(len(numbers) - 1, 1)
        last_label = -1e9
        for index, n in enumerate(numbers):
            place = (positions or {}).get(handle_key(numbers, index), n.position)
            x = float(box.x(place))
            strong = not n.carried and (n.station.id in selected or n.station.id == hovered)
            strong = strong or (n.carried and bool(hovered) and hovered == handle_key(numbers, index))
            colour = station_colour(self.theme, index / count)
            p.setPen(QPen(colour, 1.2 if not strong else 2))
            p.drawLine(QPointF(x, box.rail), QPointF(x, box.angle.bottom() if strong else box.area.top()))
            if rings is not None:
                self._thumb(rings[index] * (THUMB / largest), x, colour, strong)
            p.setBrush(colour if not n.carried else self.colour("panel"))
            p.setPen(QPen(self.colour("panel") if not n.carried else colour, 1 if not n.carried else 2))
            p.drawEllipse(QPointF(x, box.rail), 5 if not strong else 7, 5 if not strong else 7)
            p.setBrush(Qt.BrushStyle.NoBrush)
            width = p.fontMetrics().horizontalAdvance(n.station.name)
            out = n.station.id in flagged
            if n.carried and not strong:
                continue
            if x - width / 2 > last_label + 4 or strong or out:
                self._name(n.station.name, x, width, strong, out)
                last_label = x + width / 2
        for left, right in bays_of(self.quick):
            self._plus(float(box.x(left)), float(box.x(right)))
        if closing_of(self.quick) > -math.inf and numbers:
            self._closing(numbers[0].station.name)

    def _name(self, name: str, x: float, width: float, strong: bool, out: bool) -> None:
        """A station's name under its handle, marked where a law is not kept there."""
        p, box = self.p, self.layout
        p.setPen(self.colour("ink"))
        font = QFont(self.small)
        font.setBold(strong or out)
        p.setFont(font)
        p.fillRect(QRectF(x - width / 2 - 2, box.rail + 8, width + 4, 14), self.colour("panel"))
        align = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop
        p.drawText(QRectF(x - 50, box.rail + 8, 100, 14), align, f"{name} ▲" if out else name)

    def _title(self) -> None:
        """In place of stations, which have no place there: which way the finished body is cut."""
        assert self.cut is not None
        p, box = self.p, self.layout
        p.setPen(self.colour("ink"))
        text = f"Finished body, cut square to {self.cut.sections.called}"
        p.drawText(QRectF(LEFT, box.rail - 30, box.width - LEFT - RIGHT, 24), Qt.AlignmentFlag.AlignCenter, text)

    def _closing(self, name: str) -> None:
        """Where a ring comes round to its first station again."""
        p, box = self.p, self.layout
        x = float(box.x(closing_of(self.quick)))
        p.setPen(QPen(self.colour("soft_ink"), 1.6))
        p.setBrush(self.colour("panel"))
        p.drawEllipse(QPointF(x, box.rail), 4.5, 4.5)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setFont(self.small)
        p.drawText(QRectF(x - 90, box.rail + 8, 100, 14), Qt.AlignmentFlag.AlignRight, f"↻ {name}")

    def _rings(self) -> Array | None:
        """Every station's section as points about its middle, Y downwards: (stations, n, 2) mm."""
        shape = self.quick.shape
        if shape is None:
            return None
        samples = shape.mesh.sampling
        rings = applied(samples.value, shape.sections.local[shape.at_stations])[
            :, samples.outline[:: 1 if samples.open else 2]
        ]
        middle = (rings.min(axis=1, keepdims=True) + rings.max(axis=1, keepdims=True)) / 2.0
        return (rings - middle) * [1.0, -1.0]

    def _thumb(self, ring: Array, x: float, colour: QColor, strong: bool) -> None:
        outline = polygon(ring + np.array([x, self.layout.rail - 29.0]))
        fill = QColor(colour)
        fill.setAlpha(70 if strong else 36)
        self.p.setPen(QPen(colour, 2 if strong else 1.3))
        if self.quick.shape is not None and self.quick.shape.open:
            self.p.drawPolyline(outline)
            return
        self.p.setBrush(fill)
        self.p.drawPolygon(outline)
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def _plus(self, left: float, right: float) -> None:
        if right - left < 46:
            return
        at = QPointF((left + right) / 2, self.layout.rail)
        self.p.setPen(QPen(self.colour("soft_ink"), 1.2))
        self.p.setBrush(self.colour("panel"))
        self.p.drawEllipse(at, 7, 7)
        self.p.drawLine(at + QPointF(-3.5, 0), at + QPointF(3.5, 0))
        self.p.drawLine(at + QPointF(0, -3.5), at + QPointF(0, 3.5))
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def readout(self, position: float, lines: Sequence[str]) -> None:
        """A line at a position with figures beside it."""
        p, box = self.p, self.layout
        x = float(box.x(position))
        p.setPen(QPen(self.colour("ink"), 1.3))
        p.drawLine(QPointF(x, box.area.top()), QPointF(x, box.angle.bottom()))
        p.setFont(self.small)
        width = max(p.fontMetrics().horizontalAdvance(line) for line in lines) + 16
        left = x + 8 if x + width + 12 < box.width else x - width - 8
        card = QRectF(left, box.area.top() + 4, width, 15 * len(lines) + 8)
        p.setPen(QPen(self.colour("hairline"), 1))
        p.setBrush(self.colour("field"))
        p.drawRoundedRect(card, 3, 3)
        p.setPen(self.colour("ink"))
        for row, line in enumerate(lines):
            p.drawText(QPointF(card.left() + 8, card.top() + 15 + 15 * row), line)
        p.setBrush(Qt.BrushStyle.NoBrush)
