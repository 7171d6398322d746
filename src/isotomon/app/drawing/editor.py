"""The profile editor: a canvas that looks straight at a drawing, and the hands that work on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QLineEdit, QMenu

from isotomon.app.drawing import paint
from isotomon.app.drawing.canvas import Canvas
from isotomon.app.drawing.pens import DrawTool
from isotomon.app.drawing.picks import PickTool
from isotomon.app.drawing.snap import Catch
from isotomon.app.drawing.ties import tie_chosen
from isotomon.app.state.desk import Desk
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.design import edits
from isotomon.errors import IsotomonError
from isotomon.profile import draw_edits
from isotomon.profile.curves import handles_of
from isotomon.profile.dragging import Drag, begin_drag, drag_to
from isotomon.profile.drawing import DIMENSIONS, CirclePart, Curve, Drawing, TangentHandle, part_points, replace
from isotomon.profile.marks import handle_tips, mark_of, middle_of
from isotomon.profile.relate import possible_ties
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import with_coordinates
from isotomon.quantity import show

CATCH_PIXELS = 9.0


class DrawingEditor(Canvas):
    """Mouse and keys: draw, pick, drag, choose, type figures."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.setObjectName("drawing")
        self.setAccessibleName("Profile editor")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 180)
        self._press: QPointF | None = None
        self._pan: QPointF | None = None
        self._drag: tuple[Drag, Array, Array] | None = None
        self._label = ""
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(40)
        self._later.timeout.connect(self._preview_body)
        self.figure = QLineEdit(self)
        self.figure.setAccessibleName("Figure")
        self.figure.setFixedWidth(130)
        self.figure.hide()
        self.figure.returnPressed.connect(self._take_figure)
        self._figure_of = ""

    # Hands

    def _reach(self) -> float:
        return CATCH_PIXELS * self.per_pixel

    def _caught(self, event: QMouseEvent) -> Catch:
        at = self.to_plane(event.position())
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return Catch(Spot(float(at[0]), float(at[1])))
        levels = isinstance(self.tool, DrawTool) and self.tool.levels and self.spots
        start = self.spots[-1] if levels else None
        grid = paint.grid_step(self.per_pixel) if self.show_grid else None
        caught = self.catcher.catch(at, self._reach(), start, grid)
        if self.spots and not caught.spot.point and np.hypot(*(self.spots[0].at - at)) < self._reach():
            first = self.spots[0]
            return Catch(first, "where it began")
        return caught

    def thing_at(self, position: QPointF) -> str:
        """What lies under the pointer: a mark, handle, point or part."""
        for key, boxes in self._boxes.items():
            if any(b.contains(position) for b in boxes):
                return key
        at = self.to_plane(position)
        for key in self.selection:
            for ref, _, tip, _ in (
                handle_tips(self.catcher, key.partition("@")[0]) if key.partition("@")[0] in self.catcher.parts else ()
            ):
                if np.hypot(*(tip - at)) < self._reach():
                    return ref
        return self.catcher.point_at(at, self._reach()) or self.catcher.part_at(at, self._reach())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Left: the tool's click, or take hold, or choose. Middle: move the paper."""
        self._close_figure()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan = event.position()
            return
        if event.button() != Qt.MouseButton.LeftButton or not self.key:
            return
        if isinstance(self.tool, DrawTool):
            catch = self._caught(event)
            self.add_spot(catch.spot, catch)
            return
        if self.tool is not None:
            self._pick(event)
            return
        self._press = event.position()

    def _pick(self, event: QMouseEvent) -> None:
        """A click of a tool that works on what is there."""
        tool = self.tool
        assert isinstance(tool, PickTool)
        at = self.to_plane(event.position())
        thing = self.thing_at(event.position())
        thing = thing if not thing.startswith("c") else ""
        self._picked = tool.pick(self, thing, at, self._picked)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Catch, highlight, drag, box or move the paper."""
        if self._pan is not None:
            way = event.position() - self._pan
            self.middle = self.middle - np.array([way.x(), -way.y()]) * self.per_pixel
            self._pan = event.position()
        elif (
            self._press is not None
            and (event.position() - self._press).manhattanLength() > 3
            and self._drag is None
            and self._box is None
            and not self._label
        ):
            self._begin(self._press)
        if self._drag is not None:
            self._drag_on(event)
        elif self._label:
            self._move_label(event.position())
        elif self._box is not None:
            self._box = (self._box[0], event.position())
        elif self.key and self._pan is None:
            self.catch = self._caught(event) if self.tool is not None else None
            self.hovered = self.thing_at(event.position())
        self.update()

    def _begin(self, press: QPointF) -> None:
        """A press that moved: take hold of what is there, or open a box."""
        thing = self.thing_at(press)
        constraint = next((c for c in self.drawing.constraints if c.id == thing), None)
        if constraint is not None and constraint.kind in DIMENSIONS:
            self._label = thing
            return
        if not thing or constraint is not None:
            self._box = (press, press)
            return
        held = self._held(thing)
        try:
            drawing = _with_held_handle(self.solution.drawing, thing)
            figures = self.figures(drawing)
            drag = begin_drag(drawing, figures, held)
        except IsotomonError as error:
            self.hinted.emit(f"✕  {error}")
            self._press = None
            return
        self._drag = (drag, drag.system.start, self.to_plane(press))
        if thing not in self.selection:
            self.choose((thing,))

    def _held(self, thing: str) -> tuple[str, ...]:
        """The points to move when something is dragged: all that is chosen, if it is among it."""
        group = self.selection if thing in self.selection else (thing,)
        held: list[str] = []
        for key in group:
            part = self.catcher.parts.get(key)
            if part is None or (isinstance(part, CirclePart) and len(group) == 1):
                held.append(key)
            else:
                held += part_points(part)
        return tuple(dict.fromkeys(held))

    def _drag_on(self, event: QMouseEvent) -> None:
        assert self._drag is not None
        drag, x, start = self._drag
        to = self.to_plane(event.position())
        shift = to - start
        names = np.array(drag.system.names)[drag.columns]
        if len(names) == 1:  # a circle's rim: its radius follows the pointer's distance from the centre
            ring = next(p for p in drag.drawing.parts if p.id == names[0])
            centre = self.catcher.places[ring.centre]  # type: ignore[union-attr]
            per = np.array([np.hypot(*(to - centre)) - np.hypot(*(start - centre))])
        else:
            first = np.r_[True, names[1:] != names[:-1]]
            per = np.where(first, shift[0], shift[1])
            handle = next((n for n in names.tolist() if "@" in n), "")
            if handle:
                per = per * _handle_factor(drag.drawing, handle)
        x = drag_to(drag, x, per)
        self._drag = (drag, x, start)
        self._dragged = with_coordinates(drag.drawing, drag.system, x)
        self._catcher = self._runs = None
        if not self._later.isActive():
            self._later.start()

    def _preview_body(self) -> None:
        """Let the body follow the drag, as often as it can."""
        shown, key = self._dragged, self.key
        if shown is not None and self._drag is not None:
            self.desk.preview("drag in the drawing", lambda d: edits.change_drawing(d, key, lambda _: shown))

    def _move_label(self, position: QPointF) -> None:
        c = next(c for c in self.drawing.constraints if c.id == self._label)
        place = self.to_plane(position) - middle_of(self.catcher, c)
        changed = draw_edits.change_constraint(self.drawing, c.id, place=(float(place[0]), float(place[1])))
        self._dragged = changed
        self._catcher = None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End a drag as one step, choose what is in the box, or what was clicked."""
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan = None
            return
        if self._drag is not None or self._label:
            shown = self._dragged
            title = "move the figure" if self._label else "drag in the drawing"
            self._drag, self._label, self._press = None, "", None
            self._later.stop()
            self._dragged = None
            self._catcher = self._runs = None
            if shown is not None:
                self.commit(title, lambda _: shown)
        elif self._box is not None:
            a, b = (self.to_plane(p) for p in self._box)
            touching = self._box[1].x() < self._box[0].x()
            inside = self.catcher.inside(np.minimum(a, b), np.maximum(a, b), touching)
            add = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
            self._box, self._press = None, None
            self.choose((*self.selection, *inside) if add else inside)
        elif self._press is not None:
            self._press = None
            self._click(event)
        self.update()

    def _click(self, event: QMouseEvent) -> None:
        thing = self.thing_at(event.position())
        add = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if not add:
            self.choose((thing,) if thing else ())
        elif thing in self.selection:
            self.choose(tuple(k for k in self.selection if k != thing))
        elif thing:
            self.choose((*self.selection, thing))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """A figure: type another. With a tool: the end of what is being drawn."""
        if self.tool is not None:
            if isinstance(self.tool, DrawTool) and self.tool.open_end:
                self.finish_tool()
            return
        thing = self.thing_at(event.position())
        if any(c.id == thing and c.kind in DIMENSIONS for c in self.drawing.constraints):
            self.ask_figure(thing)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom to the pointer."""
        before = self.to_plane(event.position())
        self.per_pixel = float(np.clip(self.per_pixel * 1.2 ** (-event.angleDelta().y() / 120.0), 1e-6, 1e6))
        self.middle = self.middle + before - self.to_plane(event.position())
        self._close_figure()
        self.update()

    def leaveEvent(self, event: object) -> None:
        """Nothing is caught any more."""
        self.catch, self.hovered = None, ""
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with what is chosen; with an open tool, its end."""
        if isinstance(self.tool, DrawTool) and self.spots:
            self.finish_tool()
            return
        thing = self.thing_at(QPointF(event.pos()))
        if thing and thing not in self.selection:
            self.choose((thing,))
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.fill_menu(menu)
        if not menu.isEmpty():
            menu.popup(event.globalPos())

    def fill_menu(self, menu: QMenu) -> None:
        """Constraints that fit what is chosen, and the usual edits; the window adds its own."""
        for kind, title in possible_ties(self.drawing, self.selection):
            menu.addAction(title, lambda k=kind: tie_chosen(self, k))  # type: ignore[misc]
        if self.selection:
            menu.addSeparator()
            menu.addAction("Delete", self.remove_chosen)

    # Keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc, Enter, Delete, A for an arc in a run; the rest are commands of the window."""
        key = event.key()
        if key == Qt.Key.Key_Escape:
            self.step_back()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(self.tool, DrawTool):
            self.finish_tool()
        elif (
            key == Qt.Key.Key_A
            and isinstance(self.tool, DrawTool)
            and self.tool.id == "draw-run"
            and not event.modifiers()
        ):
            self.arc_next = not self.arc_next
            self._say_hint()
            self.update()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            if self.spots:
                self.spots = self.spots[:-1]
                self._say_hint()
                self.update()
            else:
                self.remove_chosen()
        else:
            super().keyPressEvent(event)

    def step_back(self) -> None:
        """Esc: give up the drag, the spots, the tool, the choice, in that order."""
        if self._drag is not None or self._label:
            self._drag, self._label, self._press, self._dragged = None, "", None, None
            self._catcher = self._runs = None
            self.desk.give_up_preview()
        elif self.spots or self._picked:
            self.spots, self.ties, self._picked = (), [], ()
        elif self.tool is not None:
            self.use(None)
            return
        elif self.selection:
            self.choose(())
        self._say_hint()
        self.update()

    # Figures

    def ask_figure(self, key: str) -> None:
        """Open the field on a dimension's label."""
        c = next(c for c in self.drawing.constraints if c.id == key)
        self._figure_of = key
        kind = DIMENSIONS[c.kind]
        value = self._measures().get(key, 0.0)
        self.figure.setText(
            c.value if isinstance(c.value, str) else show(value, kind, "deg" if kind == "angle" else self.design.unit)
        )
        shown = self._boxes.get(key)
        x, y = self.to_screen(mark_of(self.catcher, c, self.per_pixel).label[None])[0]
        x, y = (shown[0].center().x(), shown[0].center().y()) if shown else (x, y)
        self.figure.move(int(np.clip(x - 65, 2, self.width() - 134)), int(np.clip(y - 13, 2, self.height() - 28)))
        self.figure.show()
        self.figure.setFocus()
        self.figure.selectAll()

    def _take_figure(self) -> None:
        wrong = self.set_figure(self._figure_of, self.figure.text())
        if not wrong:
            self._close_figure()
            self.setFocus()

    def _close_figure(self) -> None:
        self.figure.hide()
        self._figure_of = ""


def _with_held_handle(drawing: Drawing, thing: str) -> Drawing:
    """The drawing with the dragged handle held, if a handle is dragged."""
    key, at, index = thing.partition("@")
    if not at:
        return drawing
    curve = next(p for p in drawing.parts if p.id == key)
    assert isinstance(curve, Curve)
    if curve.handles[int(index)] is not None:
        return drawing
    tangent = handles_of(curve, {p.id: np.array([p.x, p.y]) for p in drawing.points})[int(index)]
    handles = list(curve.handles)
    handles[int(index)] = TangentHandle(float(tangent[0]), float(tangent[1]))
    held = replace(curve, handles=tuple(handles))
    return replace(drawing, parts=tuple(held if p.id == key else p for p in drawing.parts))


def _handle_factor(drawing: Drawing, handle: str) -> float:
    """How much faster a tangent grows than the tip of its handle moves."""
    key, _, index = handle.partition("@")
    curve = next(p for p in drawing.parts if p.id == key)
    assert isinstance(curve, Curve)
    spans = np.diff(curve.params)
    return 3.0 / float(spans[min(int(index), len(spans) - 1)])
