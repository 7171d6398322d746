"""Drawing of the Board: stations standing at their positions over the area and angle curves on one axis."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from isotomon.app.board.overlay import Overlay
from isotomon.app.shapes import polygon
from isotomon.app.theme import Theme, station_colour
from isotomon.design.resolved import StationNumbers
from isotomon.field.mesh import applied
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Judged
from isotomon.quantity import display, to_unit

Array = NDArray[np.float64]
LEFT, RIGHT, TOP_ROW, AXIS = 64.0, 22.0, 80.0, 20.0
THUMB, THUMB_HIGH = 40.0, 42.0


@dataclass(frozen=True)
class Layout:
    """Where things are on a Board of a given size, and how positions (mm) map to pixels."""

    width: float
    height: float
    first: float
    last: float

    def x(self, position: float | Array) -> float | Array:
        return LEFT + (position - self.first) / max(self.last - self.first, 1e-9) * (self.width - LEFT - RIGHT)

    def position(self, x: float) -> float:
        return self.first + (x - LEFT) / max(self.width - LEFT - RIGHT, 1.0) * (self.last - self.first)

    @property
    def rail(self) -> float:
        """y of the line the stations stand on."""
        return TOP_ROW - 26.0

    @property
    def area(self) -> QRectF:
        middle = TOP_ROW + (self.height - TOP_ROW - AXIS) * 0.5
        return QRectF(LEFT, TOP_ROW + 4, self.width - LEFT - RIGHT, middle - TOP_ROW - 8)

    @property
    def angle(self) -> QRectF:
        middle = TOP_ROW + (self.height - TOP_ROW - AXIS) * 0.5
        return QRectF(LEFT, middle + 2, self.width - LEFT - RIGHT, self.height - AXIS - middle - 4)


def nice_step(span: float, count: int) -> float:
    """A step of 1, 2 or 5 times a power of ten that cuts `span` into about `count` parts."""
    raw = max(span / max(count, 1), 1e-12)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(power * k for k in (1.0, 2.0, 5.0, 10.0) if power * k >= raw * 0.999)


def _range(values: Sequence[Array], least: float = 0.0) -> tuple[float, float]:
    """From the lowest to the highest of all values with some room, and no less than `least` in all."""
    joined = np.concatenate([v[np.isfinite(v)] for v in values] or [np.zeros(1)])
    if not len(joined):
        return 0.0, 1.0
    low, high = float(joined.min()), float(joined.max())
    least = max(least, 1e-3 * max(abs(low), abs(high)))
    if high - low < least:
        low, high = (low + high - least) / 2.0, (low + high + least) / 2.0
    pad = 0.08 * (high - low)
    return low - pad, high + pad


def _reach(laws: Sequence[Judged], scale: float) -> list[Array]:
    """How far the laws' bands reach up and down."""
    return [(j.target + side * j.band) * scale for j in laws for side in (1.0, -1.0)]


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


class BoardPainter:
    """Paints one Quick on a Board."""

    def __init__(
        self,
        painter: QPainter,
        theme: Theme,
        quick: Quick,
        layout: Layout,
        bends: Mapping[str, Array] | None = None,
        over: Overlay | None = None,
    ) -> None:
        self.p, self.theme, self.quick, self.layout = painter, theme, quick, layout
        self.bends, self.over = bends or {}, over
        self.small = QFont(painter.font())
        self.small.setPixelSize(11)

    def colour(self, name: str, alpha: int = 255) -> QColor:
        colour = QColor(getattr(self.theme, name))
        colour.setAlpha(alpha)
        return colour

    def ground(self) -> None:
        """Backgrounds, axis and the lines stations drop to the curves."""
        p, box = self.p, self.layout
        p.fillRect(QRectF(0, 0, box.width, box.height), self.colour("panel"))
        for plot in (box.area, box.angle):
            p.fillRect(plot, self.colour("paper"))
        p.setFont(self.small)
        if self.quick.body.file:
            p.setPen(self.colour("soft_ink"))
            p.drawText(box.area, Qt.AlignmentFlag.AlignCenter, "The body in hand was brought in: it has no stations")
            return
        unit, one = self.quick.along_unit
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

    def curves(self) -> None:
        """Area above, angles below, with the laws' bands behind."""
        shape = self.quick.shape
        if shape is None:
            return
        c, unit = shape.curves, self.quick.design.unit
        solid, dashed = Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine
        areas = [j for j in self.quick.judged if j.quality == "area"]
        other, dotted = self.over, Qt.PenStyle.DotLine
        place = np.array([]) if other is None else c.v[0] + other.share * (c.v[-1] - c.v[0])
        low, high = _range([c.area, *_reach(areas, 1.0), *([other.area] if other is not None else [])])
        bounds = (min(low, 0.0) if low < 0.3 * high else low, high)
        if shape.open:
            self.p.setPen(self.colour("soft_ink"))
            self.p.drawText(self.layout.area, Qt.AlignmentFlag.AlignCenter, "No area: the profiles are open")
        else:
            drawn, entries = [(c.v, c.area, "accent", solid)], [(f"Area {unit}²", solid, "accent")]
            if other is not None:
                drawn.insert(0, (place, other.area, "attention", dotted))
                entries.append(("Reference", dotted, "attention"))
            self._plot(self.layout.area, bounds, to_unit(1.0, unit) ** 2, drawn, areas, 1.0)
            self._legend(self.layout.area, bounds, [c.area], entries)
            self._bends(self.layout.area, bounds, self.bends.get("area"), c.v, c.area)
        degree = math.degrees(1.0)
        angles = [j for j in self.quick.judged if j.quality in ("set_angle", "turn")]
        lines = [(c.v, c.set_angle * degree, "accent", solid), (c.v, c.turn * degree, "soft_ink", dashed)]
        bounds = _range([lines[0][1], lines[1][1], *_reach(angles, degree)], 1.0)
        self._plot(self.layout.angle, bounds, 1.0, lines, angles, degree)
        names = [("Set angle °", solid, "accent"), ("Turn °", dashed, "soft_ink")]
        self._legend(self.layout.angle, bounds, [lines[0][1], lines[1][1]], names)
        self._bends(self.layout.angle, bounds, self.bends.get("turn"), c.v, lines[1][1])

    def _bends(self, plot: QRectF, bounds: tuple[float, float], at: Array | None, v: Array, values: Array) -> None:
        """Open diamonds where a curve changes the way it bends."""
        self.p.setPen(QPen(self.colour("ink"), 1.5))
        self.p.setBrush(self.colour("paper"))
        for z in at.tolist() if at is not None else ():
            y = plot.bottom() - (float(np.interp(z, v, values)) - bounds[0]) / (bounds[1] - bounds[0]) * plot.height()
            x = float(self.layout.x(z))
            self.p.drawPolygon(polygon(np.array([[x - 5, y], [x, y - 5], [x + 5, y], [x, y + 5]])))
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def _legend(
        self,
        plot: QRectF,
        bounds: tuple[float, float],
        curves: Sequence[Array],
        entries: Sequence[tuple[str, Qt.PenStyle, str]],
    ) -> None:
        """Names of the curves with a stroke of each, in the upper corner of the plot that they leave free."""
        p = self.p
        p.setFont(self.small)
        high = bounds[0] + 0.7 * (bounds[1] - bounds[0])
        ends = [
            max((float(np.nanmax(c[part])) for c in curves if np.isfinite(c[part]).any()), default=-math.inf)
            for part in (slice(0, len(curves[0]) // 4), slice(-len(curves[0]) // 4, None))
        ]
        wide = sum(p.fontMetrics().horizontalAdvance(text) + 40 for text, _, _ in entries)
        x = plot.left() + wide - 8 if ends[1] > high and ends[0] < ends[1] else plot.right() - 8
        p.fillRect(QRectF(x - wide + 10, plot.top() + 2, wide - 4, 16), self.colour("paper", 215))
        for text, style, colour in reversed(entries):
            x -= p.fontMetrics().horizontalAdvance(text)
            p.setPen(self.colour("ink"))
            p.drawText(QPointF(x, plot.top() + 14), text)
            x -= 24
            p.setPen(QPen(self.colour(colour), 2, style))
            p.drawLine(QPointF(x, plot.top() + 10), QPointF(x + 18, plot.top() + 10))
            x -= 16

    def _plot(
        self,
        plot: QRectF,
        bounds: tuple[float, float],
        scale: float,
        curves: Sequence[tuple[Array, Array, str, Qt.PenStyle]],
        laws: Sequence[Judged],
        law_scale: float,
    ) -> None:
        p, (low, high) = self.p, bounds

        def y(values: Array | float) -> Array:
            return plot.bottom() - (np.asarray(values) - low) / (high - low) * plot.height()

        p.setFont(self.small)
        step = nice_step((high - low) * scale, max(int(plot.height() / 22), 2))
        tick = math.ceil(low * scale / step) * step
        while tick <= high * scale:
            at = float(y(tick / scale))
            p.setPen(QPen(self.colour("hairline"), 1))
            p.drawLine(QPointF(plot.left(), at), QPointF(plot.right(), at))
            if at > plot.top() + 5 and at < plot.bottom() - 3:
                p.setPen(self.colour("soft_ink"))
                align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                p.drawText(QRectF(LEFT - 52, at - 8, 47, 16), align, display(tick, 6))
            tick += step
        p.setClipRect(plot)
        for law in laws:
            self._band(law, law_scale, y)
        for v, values, colour, style in curves:
            p.setPen(QPen(self.colour(colour), 2, style))
            self._line(self.layout.x(v), y(values))
        for law in laws:
            self._targets(law, law_scale, y)
        p.setClipping(False)

    def _line(self, x: Array | float, y: Array) -> None:
        """A polyline, broken where the value is undefined."""
        xs = np.asarray(x)
        good = np.isfinite(y)
        edges = np.flatnonzero(np.diff(np.r_[0, good.astype(int), 0]))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            self.p.drawPolyline(polygon(np.stack([xs[a:b], y[a:b]], axis=1)))

    def _band(self, law: Judged, scale: float, y: object) -> None:
        v, target, band = law.line
        if len(v) < 2:
            return
        x = np.asarray(self.layout.x(v))
        upper, lower = y((target + band) * scale), y((target - band) * scale)  # type: ignore[operator]
        outline = np.stack([np.concatenate([x, x[::-1]]), np.concatenate([upper, lower[::-1]])], axis=1)
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(self.colour("accent", 46))
        self.p.drawPolygon(polygon(outline))
        self.p.setBrush(Qt.BrushStyle.NoBrush)

    def _targets(self, law: Judged, scale: float, y: object) -> None:
        """Where a law is judged: its band as a bracket, and a mark where it is not kept."""
        p = self.p
        if len(law.position) > 60:
            keep = [law.worst]
        else:
            keep = list(range(len(law.position)))
        for i in keep:
            if math.isnan(law.value[i]):
                continue
            x = float(self.layout.x(float(law.position[i])))
            top, bottom = (float(y((law.target[i] + s * law.band[i]) * scale)) for s in (1, -1))  # type: ignore[operator]
            out = law.out[i]
            p.setPen(QPen(self.colour("failure" if out else "accent"), 2 if out else 1.3))
            for level in (top, bottom):
                p.drawLine(QPointF(x - 6, level), QPointF(x + 6, level))
            if out:
                at = float(y(law.value[i] * scale))  # type: ignore[operator]
                self._warning(QPointF(x, at))

    def _warning(self, at: QPointF) -> None:
        """A triangle with a stroke in it."""
        p = self.p
        p.setPen(QPen(self.colour("failure"), 2))
        p.setBrush(self.colour("paper"))
        p.drawPolygon(QPolygonF([at + QPointF(0, -8), at + QPointF(8, 6), at + QPointF(-8, 6)]))
        p.drawLine(at + QPointF(0, -3), at + QPointF(0, 1))
        p.drawPoint(at + QPointF(0, 4))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def stations(self, selected: Sequence[str], hovered: str, positions: dict[str, float] | None = None) -> None:
        """Thumbnails at true relative scale, names under them, plus signs between."""
        box, p = self.layout, self.p
        p.setPen(QPen(self.colour("hairline"), 1.5))
        p.drawLine(QPointF(LEFT, box.rail), QPointF(box.width - RIGHT, box.rail))
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
                p.setPen(self.colour("ink"))
                font = QFont(self.small)
                font.setBold(strong or out)
                p.setFont(font)
                text = f"{n.station.name} ▲" if out else n.station.name
                p.fillRect(QRectF(x - width / 2 - 2, box.rail + 8, width + 4, 14), self.colour("panel"))
                p.drawText(
                    QRectF(x - 50, box.rail + 8, 100, 14),
                    Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop,
                    text,
                )
                last_label = x + width / 2
        for left, right in bays_of(self.quick):
            self._plus(float(box.x(left)), float(box.x(right)))
        if closing_of(self.quick) > -math.inf and numbers:
            self._closing(numbers[0].station.name)

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
