"""The Board: the strip along the bottom with the stations and the area and angle curves. Drag, insert, hover, choose."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QToolButton, QWidget

from isotomon.app.board.cut_shown import CutShown
from isotomon.app.board.layout import Layout, nice_step
from isotomon.app.board.overlay import Overlay
from isotomon.app.board.paint import BoardPainter, bays_of, closing_of, handle_key
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.design.resolved import StationNumbers
from isotomon.inspect.results import Quick
from isotomon.quantity import display, to_unit

SNAP_PIXELS = 5.0
GRAB_PIXELS = 9.0


class Board(QWidget):
    """Shows a Quick; tells what the user wants of it. It changes nothing itself."""

    chosen = Signal(str, bool)
    """station id (empty: none); whether to add to the selection"""
    opened = Signal(str)
    """station double-clicked"""
    hovered_at = Signal(float)
    """position (mm) under the pointer; NaN when it leaves"""
    drag_began = Signal(str)
    dragging = Signal(str, float)
    dropped = Signal(str, float)
    given_up = Signal()
    insert_wanted = Signal(float)
    menu_wanted = Signal(str, float, QPoint)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("board")
        self.setAccessibleName("Board: stations, area and angles along the body")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(170)
        self.theme = theme
        self.quick: Quick | None = None
        self.cut: CutShown | None = None
        """The finished body's sections, where they are shown."""
        self.shown = QToolButton(self)
        self.shown.setText("Show ▾")
        self.shown.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.shown.setToolTip("What the Board shows: as shaped or as finished; cut which way; and which figures below")
        self.shown.move(6, 6)
        self._over: Overlay | None = None
        self._bends: Mapping[str, Array] = {}
        self.selected: tuple[str, ...] = ()
        self.may_drag: Callable[[str], bool] = lambda key: True
        self._hover_key = ""
        self._pointer: float | None = None
        self._press: tuple[str, QPointF] | None = None
        self._drag: tuple[str, float] | None = None
        self._frozen: Layout | None = None

    def sizeHint(self) -> QSize:
        """As tall as two small plots and a row of thumbnails need."""
        return QSize(800, 262)

    def show_quick(self, quick: Quick) -> None:
        """Show new results."""
        stays, self.quick = quick.moves_on_from(self.quick), quick
        if self._drag is not None and self._drag[0] not in dict(self._handles()):  # what is dragged is gone
            self._end_drag()
            self.given_up.emit()
        if not stays:
            self.update()

    def set_cut(self, cut: CutShown | None) -> None:
        """Sections of the finished body, or none."""
        if cut is not None or self.cut is not None:
            self.cut = cut
            self.update()

    @property
    def otherwise(self) -> CutShown | None:
        """The sections, where they are cut another way than the body's own: stations have no place along that."""
        return self.cut if self.cut is not None and self.cut.sections.way else None

    def set_bends(self, bends: Mapping[str, Array]) -> None:
        """Mark where the area and turn curves change the way they bend."""
        if bends or self._bends:
            self._bends = bends
            self.update()

    def set_over(self, over: Overlay | None) -> None:
        """Another body's area and turn behind this one's, or none."""
        if over is not None or self._over is not None:
            self._over = over
            self.update()

    def set_selected(self, ids: tuple[str, ...]) -> None:
        """Mark stations."""
        self.selected = ids
        self.update()

    def layout_now(self) -> Layout:
        """Where things are now; held still while a station is dragged."""
        if self._frozen is not None:
            return self._frozen
        if self.otherwise is not None:
            places = self.otherwise.sections.position
            pad = 0.025 * float(places[-1] - places[0])
            return Layout(float(self.width()), float(self.height()), float(places[0]) - pad, float(places[-1]) + pad)
        stations = self._stations()
        first = stations[0].position if stations else 0.0
        last = stations[-1].position if len(stations) > 1 else first + 100.0
        last = max(last, closing_of(self.quick))
        pad = 0.025 * (last - first)
        return Layout(float(self.width()), float(self.height()), first - pad, last + pad)

    def _stations(self) -> tuple[StationNumbers, ...]:
        return self.quick.resolved.stations if self.quick is not None and self.otherwise is None else ()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ground, curves, stations, and the figures under the pointer."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, self.quick is None or self.quick.full is not None)
        if self.quick is None:
            painter.fillRect(self.rect(), self.theme.panel)
            return
        board = BoardPainter(painter, self.theme, self.quick, self.layout_now(), self._bends, self._over, self.cut)
        board.ground()
        board.curves()
        board.stations(self.selected, self._hover_key, {self._drag[0]: self._drag[1]} if self._drag else None)
        lines = self._figures()
        if lines and (place := self._drag[1] if self._drag else self._pointer) is not None:
            board.readout(place, lines)
        painter.end()

    def _figures(self) -> list[str]:
        quick = self.quick
        place = self._drag[1] if self._drag else self._pointer
        if quick is None or place is None:
            return []
        unit = quick.design.unit
        along, one = (
            quick.along_unit if self.otherwise is None else (self.otherwise.sections.unit, self.otherwise.sections.one)
        )
        lines = [f"{display(place * one, 3)}{'' if along == '°' else ' '}{along}"]
        if self.otherwise is not None:
            return lines + self.otherwise.figures(place, unit)
        if quick.shape is None:
            return []
        c = quick.shape.curves
        if not c.v[0] <= place <= c.v[-1]:
            return lines
        area = float(np.interp(place, c.v, c.area)) * to_unit(1.0, unit) ** 2
        lines += [] if quick.shape.open else [f"area {display(area, 2)} {unit}²"]
        row = int(np.argmin(np.abs(c.v - place)))
        angle = float(np.interp(place, c.v, c.set_angle))
        if math.isnan(angle):
            angle = float(c.set_angle[row])
        lines.append("set angle – (round)" if math.isnan(angle) else f"set angle {display(math.degrees(angle), 3)}°")
        turn = float(np.interp(place, c.v, c.turn))
        lines.append("turn – (point)" if math.isnan(turn) else f"turn {display(math.degrees(turn), 3)}°")
        return lines + (self.cut.figures(place, unit) if self.cut is not None else [])

    def _handles(self) -> list[tuple[str, float]]:
        """(key, position mm) of what is dragged along the rail: stations, and the ends that the body goes on to."""
        stations = self._stations()
        return [(key, n.position) for k, n in enumerate(stations) if (key := handle_key(stations, k))]

    # What is where

    def station_at(self, at: QPointF) -> str:
        """The station standing at a pixel of the upper row, or nothing."""
        box = self.layout_now()
        if at.y() > box.area.top():
            return ""
        best, key = GRAB_PIXELS + 6.0, ""
        for handle, position in self._handles():
            away = abs(float(box.x(position)) - at.x())
            if away < best:
                best, key = away, handle
        return key

    def plus_at(self, at: QPointF) -> float | None:
        """The position a plus sign at a pixel stands for (mm), or None."""
        box = self.layout_now()
        if abs(at.y() - box.rail) > 10 or self.otherwise is not None:
            return None
        for left, right in bays_of(self.quick):
            a, b = float(box.x(left)), float(box.x(right))
            if b - a >= 46 and abs((a + b) / 2 - at.x()) < 9:
                return (left + right) / 2.0
        return None

    def handle_of(self, key: str) -> QPointF:
        """The pixel of a station's handle on the rail."""
        box = self.layout_now()
        return QPointF(float(box.x(dict(self._handles())[key])), box.rail)

    def snapped(self, key: str, x: float) -> float:
        """The position (mm) for a station dragged to pixel x: on a round figure when near, never past a neighbour."""
        box = self.layout_now()
        position = box.position(x)
        per_pixel = (box.last - box.first) / max(box.width, 1.0)
        one = 1.0 / (self.quick.along_unit[1] if self.quick is not None else 1.0)
        step = nice_step(per_pixel * SNAP_PIXELS * 2 / one, 1) * one
        near = round(position / step) * step
        fine = nice_step(per_pixel / one, 1) * one
        position = near if abs(near - position) < per_pixel * SNAP_PIXELS else round(position / fine) * fine
        others = [z for handle, z in self._handles() if handle != key]
        now = dict(self._handles())[key]
        gap = 2e-3 * (box.last - box.first)
        low = max((z for z in others if z < now), default=-math.inf) + gap
        high = min((z for z in others if z > now), default=math.inf) - gap
        return float(np.clip(position, low, high))

    # Mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose, or get ready to drag."""
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        key = self.station_at(event.position())
        place = self.plus_at(event.position())
        if place is not None:
            self.insert_wanted.emit(place)
            return
        add = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if event.position().y() < self.layout_now().area.top():
            self.chosen.emit(key, add)
        if key and not add:
            self._press = (key, event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag, or show the section under the pointer."""
        at = event.position()
        if self._press is not None and self._drag is None and abs(at.x() - self._press[1].x()) > 3:
            key = self._press[0]
            self._press = None
            if key in dict(self._handles()) and self.may_drag(key):
                self._frozen = self.layout_now()
                self._drag = (key, self.snapped(key, at.x()))
                self.drag_began.emit(key)
        if self._drag is not None and self._drag[0] not in dict(self._handles()):  # it went meanwhile
            self._end_drag()
            self.given_up.emit()
        if self._drag is not None:
            place = self.snapped(self._drag[0], at.x())
            self._drag = (self._drag[0], place)
            self.dragging.emit(self._drag[0], place)
            self.update()
            return
        self._hover(at)

    def _hover(self, at: QPointF) -> None:
        box = self.layout_now()
        self._hover_key = self.station_at(at)
        on_plus = self.plus_at(at) is not None
        self.setCursor(
            Qt.CursorShape.PointingHandCursor
            if on_plus
            else Qt.CursorShape.SizeHorCursor
            if self._hover_key
            else Qt.CursorShape.ArrowCursor
        )
        self.setToolTip("Insert a station here; the shape stays as it is" if on_plus else "")
        place = box.position(at.x())
        stations = self._stations()
        low, high = (stations[0].position, stations[-1].position) if stations else (math.inf, -math.inf)
        if self.otherwise is not None:
            low, high = self.otherwise.sections.position[[0, -1]].tolist()
        inside = low <= place <= high and at.y() > box.area.top() - 4
        self._pointer = place if inside else None
        self.hovered_at.emit(place if inside else math.nan)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A drag ends: one change."""
        self._press = None
        if self._drag is not None:
            key, place = self._drag
            self._end_drag()
            self.dropped.emit(key, place)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open the station's section."""
        key = self.station_at(event.position())
        if key:
            self.opened.emit(key)

    def _end_drag(self) -> None:
        self._drag, self._frozen, self._press = None, None, None
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer."""
        self._pointer, self._hover_key = None, ""
        self.hovered_at.emit(math.nan)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The menu of the station, or of the place."""
        at = QPointF(event.pos())
        self.menu_wanted.emit(self.station_at(at), self.layout_now().position(at.x()), event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc gives a drag up; left and right go from station to station."""
        if event.key() == Qt.Key.Key_Escape and self._drag is not None:
            self._end_drag()
            self.given_up.emit()
            return
        ids = [n.station.id for n in self._stations() if not n.carried]
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and ids:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            now = (
                ids.index(self.selected[-1])
                if self.selected and self.selected[-1] in ids
                else (-1 if step > 0 else len(ids))
            )
            self.chosen.emit(ids[int(np.clip(now + step, 0, len(ids) - 1))], False)
            return
        super().keyPressEvent(event)
