"""How a drawing looks on its canvas: paper, grid, ghosts, parts, constraint marks and dimensions."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from isotomon.app.drawing.snap import Catcher
from isotomon.app.shapes import polygon
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.profile.drawing import part_points
from isotomon.profile.marks import DimensionMark
from isotomon.quantity import display

ToScreen = Callable[[Array], Array]
AXIS_NAMES = {"yz": ("Y", "Z"), "zx": ("Z", "X")}
"""Of the axes to the right and upward, where these are not X and Y."""


def grid_step(per_pixel: float) -> float:
    """A round distance (mm) of 14 pixels or more."""
    least = 14.0 * per_pixel
    power = 10.0 ** math.floor(math.log10(least))
    return next(power * k for k in (1.0, 2.0, 5.0, 10.0) if power * k >= least)


def draw_grid(
    painter: QPainter, theme: Theme, rect: QRectF, low: Array, high: Array, step: float, to: ToScreen
) -> None:
    """Fine lines every step, stronger every five, and the axes through the origin."""
    fine, strong = QColor(theme.hairline), QColor(theme.hairline)
    fine.setAlphaF(0.35)
    strong.setAlphaF(0.9)
    for axis in (0, 1):
        first, last = math.ceil(low[axis] / step), math.floor(high[axis] / step)
        for k in range(first, last + 1):
            at = np.zeros((1, 2))
            at[0, axis] = k * step
            place = to(at)[0]
            painter.setPen(QPen(strong if k % 5 == 0 else fine, 1.0))
            if k == 0:
                painter.setPen(QPen(QColor(theme.soft_ink), 1.0))
            if axis == 0:
                painter.drawLine(QPointF(place[0], rect.top()), QPointF(place[0], rect.bottom()))
            else:
                painter.drawLine(QPointF(rect.left(), place[1]), QPointF(rect.right(), place[1]))


def draw_scale(
    painter: QPainter, theme: Theme, rect: QRectF, steps: tuple[float, float], to: ToScreen, plane: str
) -> None:
    """Figures along the lower and the left edge, at every strong line of the grid, and the names of its axes. `steps`: mm from one of these lines
    to the next, and the same in the unit that is shown."""
    step, shown = steps
    painter.setPen(QColor(theme.soft_ink))
    middle = to(np.zeros((1, 2)))[0]
    apart = float(to(np.array([[step, 0.0]]))[0, 0] - middle[0])
    right, up = AXIS_NAMES.get(plane, ("X", "Y"))
    for k in range(
        math.ceil((rect.left() + 30.0 - middle[0]) / apart), math.floor((rect.right() - 40.0 - middle[0]) / apart) + 1
    ):
        at = QRectF(middle[0] + k * apart - 40.0, rect.bottom() - 16.0, 80.0, 14.0)
        painter.drawText(at, Qt.AlignmentFlag.AlignCenter, display(k * shown, 3))
    for k in range(
        math.ceil((middle[1] - rect.bottom() + 30.0) / apart), math.floor((middle[1] - rect.top() - 20.0) / apart) + 1
    ):
        at = QRectF(rect.left() + 4.0, middle[1] - k * apart - 7.0, 60.0, 14.0)
        painter.drawText(at, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, display(k * shown, 3))
    painter.setPen(QColor(theme.ink))
    painter.drawText(QPointF(rect.right() - 16.0, middle[1] - 5.0), right)
    painter.drawText(QPointF(middle[0] + 6.0, rect.top() + 14.0), up)


def draw_ghosts(painter: QPainter, theme: Theme, ghosts: Iterable[tuple[str, Array, QColor]], to: ToScreen) -> None:
    """Faint profiles of other stations, each with its name."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for name, points, colour in ghosts:
        faint = QColor(colour)
        faint.setAlphaF(0.45)
        painter.setPen(QPen(faint, 1.2))
        shape = to(points)
        painter.drawPolygon(polygon(shape))
        if name:
            top = shape[np.argmin(shape[:, 1])]
            painter.setPen(QColor(theme.soft_ink))
            painter.drawText(QPointF(top[0] + 3, top[1] - 3), name)


def fill_runs(painter: QPainter, theme: Theme, chains: Iterable[Array], to: ToScreen) -> None:
    """The inside of closed runs, holes left out."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for points in chains:
        path.addPolygon(polygon(to(points)))
        path.closeSubpath()
    fill = QColor(theme.accent)
    fill.setAlphaF(0.09)
    painter.fillPath(path, fill)


def draw_parts(
    painter: QPainter,
    theme: Theme,
    catcher: Catcher,
    to: ToScreen,
    free: frozenset[str],
    chosen: set[str],
    hovered: str,
) -> None:
    """Lines and curves: ink when fixed, verdigris while something of them can move; construction dashed."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    follows = {p.id for p in catcher.drawing.points if p.source}
    every = to(catcher.stack)
    for part in catcher.drawing.parts:
        points = every[catcher.slices[part.id]]
        moves = part.id in free or any(p in free for p in part_points(part))
        colour = QColor(theme.accent if moves else theme.ink)
        width = 2.2 if part.role == "shape" else 1.2
        pen = QPen(colour, width)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        if part.role == "construction":
            pen.setDashPattern([4.0, 3.0])
        elif part.role == "centre":
            pen.setDashPattern([10.0, 3.0, 2.0, 3.0])
        if follows and follows.issuperset(part_points(part)):
            pen.setColor(QColor("#3B3F8C") if theme.name == "vellum" else QColor("#8E93E6"))
        if part.id in chosen or part.id == hovered:
            glow = QColor(theme.attention)
            glow.setAlphaF(0.45 if part.id in chosen else 0.25)
            painter.setPen(QPen(glow, width + 5.0))
            painter.drawPolyline(polygon(points))
        painter.setPen(pen)
        painter.drawPolyline(polygon(points))


def draw_points(
    painter: QPainter,
    theme: Theme,
    catcher: Catcher,
    to: ToScreen,
    free: frozenset[str],
    chosen: set[str],
    hovered: str,
) -> None:
    """Points: hollow while they can move, filled when fixed."""
    if not catcher.ids:
        return
    places = to(catcher.points)
    for key, (x, y) in zip(catcher.ids, places.tolist(), strict=True):
        moves = key in free
        colour = QColor(theme.accent if moves else theme.ink)
        if key in chosen or key == hovered:
            painter.setPen(QPen(QColor(theme.attention), 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), 7.0, 7.0)
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(QColor(theme.paper) if moves else colour)
        painter.drawEllipse(QPointF(x, y), 3.2, 3.2)


def draw_handles(
    painter: QPainter, theme: Theme, tips: Iterable[tuple[str, Array, Array, bool]], to: ToScreen, chosen: set[str]
) -> None:
    """Tangent handles of chosen curves: a held one has a filled end."""
    for key, foot, tip, held in tips:
        a, b = to(np.array([foot, tip]))
        painter.setPen(QPen(QColor(theme.attention if key in chosen else theme.soft_ink), 1.2))
        painter.drawLine(QPointF(*a), QPointF(*b))
        painter.setBrush(QColor(theme.soft_ink) if held else QColor(theme.paper))
        painter.drawRect(QRectF(b[0] - 3, b[1] - 3, 6, 6))


def draw_guide(painter: QPainter, theme: Theme, points: Array) -> None:
    """A dashed line through the spots given so far, while they do not make the thing yet."""
    painter.setPen(QPen(QColor(theme.accent), 1.0, Qt.PenStyle.DashLine))
    painter.drawPolyline(polygon(points))


def tile_box(at: QPointF) -> QRectF:
    """The tile of a constraint's picture, 15 pixels wide."""
    return QRectF(at.x() - 7.5, at.y() - 7.5, 15, 15)


def draw_constraint(painter: QPainter, theme: Theme, kind: str, at: QPointF, state: str) -> None:
    """A constraint's little picture in its tile; `state`: '', 'chosen', 'assumed' or 'clash'."""
    box = tile_box(at)
    edge = {"chosen": theme.attention, "clash": theme.failure}.get(state, theme.hairline)
    painter.setPen(
        QPen(
            QColor(edge),
            1.6 if state in ("chosen", "clash") else 1.0,
            Qt.PenStyle.DashLine if state == "assumed" else Qt.PenStyle.SolidLine,
        )
    )
    painter.setBrush(QColor(theme.field))
    painter.drawRoundedRect(box, 3.0, 3.0)
    ink = QColor(theme.failure if state == "clash" else theme.ink)
    painter.setPen(QPen(ink, 1.3))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    x, y = at.x(), at.y()
    lines, circles, dots = _PICTURES[kind]
    for x0, y0, x1, y1 in lines:
        painter.drawLine(QPointF(x + x0, y + y0), QPointF(x + x1, y + y1))
    for cx, cy, r in circles:
        painter.drawEllipse(QPointF(x + cx, y + cy), r, r)
    painter.setBrush(ink)
    for cx, cy in dots:
        painter.drawEllipse(QPointF(x + cx, y + cy), 1.2, 1.2)


_Picture = tuple[tuple[tuple[float, ...], ...], tuple[tuple[float, float, float], ...], tuple[tuple[float, float], ...]]
_PICTURES: dict[str, _Picture] = {
    "coincident": ((), ((0, 0, 3.5),), ((0, 0),)),
    "on": (((-5, 3, 5, -3),), (), ((0, 0),)),
    "horizontal": (((-4.5, 0, 4.5, 0), (-4.5, -2, -4.5, 2), (4.5, -2, 4.5, 2)), (), ()),
    "vertical": (((0, -4.5, 0, 4.5), (-2, -4.5, 2, -4.5), (-2, 4.5, 2, 4.5)), (), ()),
    "parallel": (((-4, 4, 0, -4), (0, 4, 4, -4)), (), ()),
    "square": (((-3.5, -4, -3.5, 3.5), (-3.5, 3.5, 4, 3.5), (-3.5, 0, 0, 0), (0, 0, 0, 3.5)), (), ()),
    "tangent": (((-5, 3.5, 5, 3.5),), ((0, -0.3, 3.8),), ()),
    "smooth": (((-5, 3, -2, 2), (-2, 2, 2, -2), (2, -2, 5, -3)), (), ((0, 0),)),
    "in_line": (((-5, 3, -1.5, 1), (1.5, -1, 5, -3)), (), ()),
    "concentric": ((), ((0, 0, 4.3), (0, 0, 2.0)), ()),
    "equal": (((-4, -2, 4, -2), (-4, 2, 4, 2)), (), ()),
    "symmetric": (((0, -5, 0, 5),), (), ((-3.5, 0), (3.5, 0))),
    "middle": (((-5, 0, 5, 0), (-5, -2, -5, 2), (5, -2, 5, 2)), (), ((0, 0),)),
    "fixed": (((-3.5, -3.5, 3.5, 3.5), (-3.5, 3.5, 3.5, -3.5)), (), ()),
}


def label_box(painter: QPainter, mark: DimensionMark, text: str, to: ToScreen) -> QRectF:
    """Where a dimension's label stands on the screen."""
    metrics = painter.fontMetrics()
    width, height = metrics.horizontalAdvance(text) + 8, metrics.height() + 2
    x, y = to(mark.label[None])[0]
    return QRectF(x - width / 2, y - height / 2, width, height)


def draw_dimension(
    painter: QPainter, theme: Theme, mark: DimensionMark, text: str, to: ToScreen, state: str, box: QRectF
) -> None:
    """A dimension's lines, arrows and label in its `box`. `state`: '', 'chosen', 'clash' or 'reported'."""
    colour = QColor({"chosen": theme.attention, "clash": theme.failure}.get(state, theme.soft_ink))
    painter.setPen(QPen(colour, 1.0))
    for points in mark.lines:
        painter.drawPolyline(polygon(to(points)))
    painter.setBrush(colour)
    for tip, way in mark.arrows:
        x, y = to(tip[None])[0]
        dx, dy = way[0], -way[1]
        head = [(x, y), (x - 8 * dx + 2.6 * dy, y - 8 * dy - 2.6 * dx), (x - 8 * dx - 2.6 * dy, y - 8 * dy + 2.6 * dx)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(*p) for p in head]))
    painter.setPen(QPen(colour, 1.0) if state in ("chosen", "clash") else Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.paper))
    painter.drawRoundedRect(box, 3.0, 3.0)
    painter.setPen(QColor(theme.failure if state == "clash" else theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
