"""The Board's plots: area above, angles below, with the laws' bands behind."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from isotomon.app.board.cut_shown import ANGLES, CutShown
from isotomon.app.board.layout import LEFT, Layout, nice_step
from isotomon.app.board.overlay import Overlay
from isotomon.app.shapes import polygon
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Judged
from isotomon.quantity import display, to_unit

_PARTS = (1, 2, 5, 10, 20, 50, 100)
MOST_MARKS = 60
"""A law judged at more places shows the worst of them only."""


NAMES_HIGH = 16.0
"""Pixels that the names of curves take of a plot."""


class CurvePainter:
    """Paints the curves of one Quick."""

    def __init__(
        self,
        painter: QPainter,
        theme: Theme,
        quick: Quick,
        layout: Layout,
        bends: Mapping[str, Array] | None = None,
        over: Overlay | None = None,
        cut: CutShown | None = None,
    ) -> None:
        self.p, self.theme, self.quick, self.layout = painter, theme, quick, layout
        self.bends, self.over, self.cut = bends or {}, over, cut
        self.small = QFont(painter.font())
        self.small.setPixelSize(11)

    def colour(self, name: str, alpha: int = 255) -> QColor:
        """A colour of the theme by its role."""
        colour = QColor(getattr(self.theme, name))
        colour.setAlpha(alpha)
        return colour

    @property
    def otherwise(self) -> bool:
        """The finished body is cut another way than its own."""
        return self.cut is not None and bool(self.cut.sections.way)

    def curves(self) -> None:
        """Area above, angles or another figure below, with the laws' bands behind."""
        self._areas()
        if self.cut is not None and (self.otherwise or self.cut.below != ANGLES):
            self._finished_below(self.cut)
        else:
            self._angles()

    def _areas(self) -> None:
        shape, cut, unit = self.quick.shape, self.cut, self.quick.design.unit
        solid, dotted = Qt.PenStyle.SolidLine, Qt.PenStyle.DotLine
        drawn: list[tuple[Array, Array, str, Qt.PenStyle]] = []
        entries: list[tuple[str, Qt.PenStyle, str]] = []
        laws: list[Judged] = []
        parts = 1
        if shape is not None and not shape.open and not self.otherwise:
            c, faint = shape.curves, cut is not None
            laws = [j for j in self.quick.judged if j.quality == "area"]
            if self.over is not None:
                if not self.over.marked:
                    drawn.append((self._over_at(c.v), self.over.area, "attention", dotted))
                entries.append((self.over.name, dotted, "attention"))
            parts = self._shared_by(c.area) if cut is not None and not laws else 1
            drawn.append((c.v, c.area / parts, "soft_ink" if faint else "accent", dotted if faint else solid))
            words = f"Area {unit}²" if not faint else f"As shaped ÷ {parts}" if parts > 1 else "As shaped"
            entries.insert(0, (words, dotted if faint else solid, drawn[-1][2]))
        if cut is not None:
            style = Qt.PenStyle.DashLine if cut.stale else solid
            said = ", not up to date" if cut.stale else ", refined" if cut.refined else ""
            words = f"Finished area {unit}²{said}"
            drawn.append((cut.sections.position, cut.area, "accent", style))
            entries.insert(0, (words, style, "accent"))
        if not drawn:
            if shape is not None:
                self.p.setPen(self.colour("soft_ink"))
                self.p.drawText(self.layout.area, Qt.AlignmentFlag.AlignCenter, "No area: the profiles are open")
            return
        low, high = _range([values for _, values, _, _ in drawn] + _reach(laws, 1.0))
        bounds = _with_room((min(low, 0.0) if low < 0.3 * high else low, high), [drawn[-1][1]], self.layout.area)
        self._plot(self.layout.area, bounds, to_unit(1.0, unit) ** 2, drawn, laws, 1.0)
        self._legend(self.layout.area, bounds, [values for _, values, _, _ in drawn[-1:]], entries)
        if shape is not None and not self.otherwise:
            self._bends(self.layout.area, bounds, self.bends.get("area"), shape.curves.v, shape.curves.area / parts)
            if self.over is not None and self.over.marked:
                self._marks(
                    self.layout.area, bounds, self._over_at(shape.curves.v), self.over.area / parts, "attention"
                )

    def _shared_by(self, shaped: Array) -> int:
        """By how much the area as shaped is divided, so that it stands behind the finished one and does not flatten it."""
        assert self.cut is not None
        least = float(np.nanmax(shaped)) / max(1.5 * float(self.cut.area.max()), 1e-300)
        return next((parts for parts in _PARTS if parts >= least), max(_PARTS))

    def _angles(self) -> None:
        if self.quick.shape is None:
            return
        c, solid, dashed = self.quick.shape.curves, Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine
        degree = math.degrees(1.0)
        angles = [j for j in self.quick.judged if j.quality in ("set_angle", "turn")]
        lines = [(c.v, c.set_angle * degree, "accent", solid), (c.v, c.turn * degree, "soft_ink", dashed)]
        over = self.over if self.over is not None and self.over.angle.size else None
        if over is not None and not over.marked:
            lines.append((self._over_at(c.v), over.angle * degree, "attention", Qt.PenStyle.DotLine))
        bounds = _range([*(values for _, values, _, _ in lines), *_reach(angles, degree)], 1.0)
        bounds = _with_room(bounds, [lines[0][1], lines[1][1]], self.layout.angle)
        self._plot(self.layout.angle, bounds, 1.0, lines, angles, degree)
        names = [("Set angle °", solid, "accent"), ("Turn °", dashed, "soft_ink")]
        self._legend(self.layout.angle, bounds, [lines[0][1], lines[1][1]], names)
        self._bends(self.layout.angle, bounds, self.bends.get("turn"), c.v, lines[1][1])
        if over is not None and over.marked:
            self._marks(self.layout.angle, bounds, self._over_at(c.v), over.angle * degree, "attention")

    def _over_at(self, v: Array) -> Array:
        """Where along the body what lies over it is told."""
        assert self.over is not None
        return np.asarray(v[0] + self.over.share * (v[-1] - v[0]))

    def _finished_below(self, cut: CutShown) -> None:
        """A figure of the finished body's sections in the lower plot."""
        found = _in_thousands(cut.lower(self.quick.design.unit))
        if not any(np.isfinite(values).any() for _, _, values in found):
            text = "Being worked out" if cut.waits else "There is none: choose another figure under Show"
            self.p.setPen(self.colour("soft_ink"))
            self.p.drawText(self.layout.angle, Qt.AlignmentFlag.AlignCenter, text)
            return
        styles = (("accent", Qt.PenStyle.SolidLine), ("soft_ink", Qt.PenStyle.DashLine))
        lines = [(at, values, *style) for (_, at, values), style in zip(found, styles, strict=False)]
        low, high = _range([values for _, _, values in found])
        bounds = (min(low, 0.0) if low < 0.3 * high else low, high)
        bounds = _with_room(bounds, [values for _, _, values in found], self.layout.angle)
        self._plot(self.layout.angle, bounds, 1.0, lines, (), 1.0)
        names = [(title, style, colour) for (title, _, _), (colour, style) in zip(found, styles, strict=False)]
        self._legend(self.layout.angle, bounds, [values for _, _, values in found], names)

    def _bends(self, plot: QRectF, bounds: tuple[float, float], at: Array | None, v: Array, values: Array) -> None:
        """Open diamonds where a curve changes the way it bends."""
        if at is not None:
            self._marks(plot, bounds, at, np.interp(at, v, values), "ink")

    def _marks(self, plot: QRectF, bounds: tuple[float, float], at: Array, values: Array, colour: str) -> None:
        """Open diamonds at places along the body, where there is a value."""
        self.p.setPen(QPen(self.colour(colour), 1.5))
        self.p.setBrush(self.colour("paper"))
        for z, value in zip(at.tolist(), values.tolist(), strict=True):
            if math.isfinite(value):
                y = plot.bottom() - (value - bounds[0]) / (bounds[1] - bounds[0]) * plot.height()
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
        high, ends = _taken_above(bounds), _ends(curves)
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
        if len(law.position) > MOST_MARKS:
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


def _in_thousands(curves: list[tuple[str, Array, Array]]) -> list[tuple[str, Array, Array]]:
    """Curves with their titles, in a power of a thousand of their unit where their figures would be too long to be read."""
    size = max((float(np.nanmax(np.abs(v))) for _, _, v in curves if np.isfinite(v).any()), default=0.0)
    power = 3 * max(int(math.log10(max(size, 1.0)) // 3) - 1, 0)
    if not power:
        return curves
    raised = str(power).translate(str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹"))
    titles = [title.rpartition(" ") for title, _, _ in curves]
    return [
        (f"{what} 10{raised} {unit}", at, values / 10.0**power)
        for (what, _, unit), (_, at, values) in zip(titles, curves, strict=True)
    ]


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


def _ends(curves: Sequence[Array]) -> list[float]:
    """The highest values of curves in their first and last quarters."""
    quarters = slice(0, len(curves[0]) // 4), slice(-len(curves[0]) // 4, None)
    return [
        max((float(np.nanmax(c[part])) for c in curves if np.isfinite(c[part]).any()), default=-math.inf)
        for part in quarters
    ]


def _taken_above(bounds: tuple[float, float]) -> float:
    """Above this a curve takes the place of the names in a corner."""
    return bounds[0] + 0.7 * (bounds[1] - bounds[0])


def _with_room(bounds: tuple[float, float], curves: Sequence[Array], plot: QRectF) -> tuple[float, float]:
    """The same with room above the curves for their names, where these leave neither upper corner free."""
    if min(_ends(curves)) <= _taken_above(bounds) or plot.height() <= 3.0 * NAMES_HIGH:
        return bounds
    return bounds[0], bounds[1] + (bounds[1] - bounds[0]) * NAMES_HIGH / (plot.height() - NAMES_HIGH)


def _reach(laws: Sequence[Judged], scale: float) -> list[Array]:
    """How far the laws' bands reach up and down."""
    return [(j.target + side * j.band) * scale for j in laws for side in (1.0, -1.0)]
