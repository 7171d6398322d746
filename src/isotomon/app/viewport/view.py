"""The View: the body in 3D, painted from the scene's image with labels on top."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QGuiApplication, QMouseEvent, QPainter, QResizeEvent

from isotomon.app.theme import Theme
from isotomon.app.viewport import labels
from isotomon.app.viewport.canvas import SceneCanvas
from isotomon.app.viewport.colours import paint_legend, scalars
from isotomon.app.viewport.copies import corners, finished_bodies, lying, meshes_beside, placed_mesh
from isotomon.app.viewport.finished_parts import shown_at
from isotomon.app.viewport.handles import Handle, handle_near, paint_handles
from isotomon.app.viewport.lines import Lines, Wanted, curves_of, drawn_of, line_near, rgb
from isotomon.app.viewport.parts import is_edge
from isotomon.app.viewport.sketch import meanwhile
from isotomon.app.viewport.solids import edges_drawn, looks, solid_mesh
from isotomon.app.viewport.worked import worked_surfaces
from isotomon.arrays import Array
from isotomon.design.datums import BASE_SHOWN
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Finding
from isotomon.measure.skin import reflected
from isotomon.quantity.record import Ref

STILL_PIXELS = 4
"""A press that moves less is a click."""
STROKE_PIXELS = 3
"""So near to each other the places of a stroke are at which it is seen which edges it passes."""


class View(SceneCanvas):
    """Shows a Quick. Turn with the left button, move with the middle one (or Shift), zoom with the wheel."""

    picked_more = Signal(str)
    """with Ctrl: an id, or the reference of an edge or face, that is chosen besides what is chosen already"""
    picked = Signal(str)
    """id of the station or body clicked, empty for nothing"""
    opened = Signal(str)
    """id of the station double-clicked"""
    datum_pulled = Signal(str, object, object)
    """id of the datum dragged; from which pixel, to which: (2,) each"""
    handle_pulled = Signal(str, object, object)
    """name of the handle dragged; from which pixel, to which: (2,) each"""
    let_go = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("view")
        self.setAccessibleName("View of the body")
        self.setMinimumSize(240, 180)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.quick: Quick | None = None
        self.look, self.body_shown = "shaded", True
        self.handles: dict[str, Handle] = {}
        """Places that can be dragged, by name."""
        self._held = ""
        self._pulled = self.handle_pulled
        """The handle, or the datum, that is being dragged."""
        self._pressed: QPointF | None = None
        self._clicked = QPointF(), ""  # where, with Ctrl, and what that took
        self._drawn = Lines()
        self._wanted = Wanted()
        self._compared = ""
        """The other body whose lines are over this one, in place of its skin."""
        self._colouring: Colouring | None = None
        self._colour_title, self._lamp_count = "", 12
        self._lamps: Array | None = None
        self._finding: Finding | None = None
        self._last: Quick | None = None  # whose solids were finished last
        self._fitted: bytes | None = None
        """What carried the body when it was last fitted, and with how many others: else it lies elsewhere."""
        self._drag: tuple[QPointF, str, bool] | None = None
        """Where the pointer was last, whether it turns or moves the camera, and whether it has moved yet."""
        self.set_theme(theme)

    # What is shown

    def set_theme(self, theme: Theme) -> None:
        """Colours for ground, body and labels."""
        self.theme = theme
        self.scene.set_colours(*map(rgb, (theme.sky, theme.body, theme.ink, theme.failure)))
        self._refresh_curves()

    def show_quick(self, quick: Quick) -> None:
        """Show new results; the first ones are fitted to the window."""
        self.quick, self.changing = quick, quick.moving
        mesh = quick.mesh
        self._drawn = drawn_of(quick)
        self.scene.set_mesh(placed_mesh(mesh, quick.placed[0]) if mesh is not None else None)
        self._show_finished()
        self._paint_skin()
        lies = lying(quick, self._fitted)
        if lies != self._fitted:
            self._fitted = lies
            self.fit()
        self._refresh_curves()

    def _set_beside(self, quick: Quick) -> None:
        """The other bodies' skins, but that of one which is compared with."""
        beside = meshes_beside(quick, self.theme.body, self._wanted.finished, self._compared)
        self.scene.set_others([(mesh, rgb(colour), clear) for mesh, colour, clear in beside])

    def _show_finished(self) -> None:
        """The finished bodies in place of the skins, where they are other than these; not where the skin itself is looked at."""
        quick = self.quick
        at_skin = self._lamps is not None or (self._colouring is not None and not self._colouring.of_solid)
        wanted = quick is not None and not at_skin
        solids = finished_bodies(quick, self._colouring is not None) if quick is not None and wanted else {}
        self._last = quick if quick is not None and quick.finished else self._last
        waits = quick if quick is not None and wanted and not (quick.finished or quick.before) else None
        kept, self._wanted.sketch = meanwhile(waits, self._last) if waits is not None else ({}, ())
        self._wanted.finished = solids = kept or solids
        meshes = [solid_mesh(built) for built in solids.values()]
        if quick is not None:
            self.scene.set_solids(looks(quick, solids, meshes, self._colouring is not None), *edges_drawn(solids))
            body, own = quick.body, quick.result not in solids
            seen = own and body.seen != "hidden" and not body.aside and self.body_shown
            self.scene.set_own(rgb(body.colour or self.theme.body), body.seen == "see-through", seen)
            self.scene.set_worked(*worked_surfaces(quick if wanted and own else None))
            self._set_beside(quick)
        if quick is not None and meshes and all(q.mesh is None for q in (quick, *quick.others)):
            points = np.vstack([points for points, _, _ in meshes])
            marks = points[::97].tobytes()
            if marks != self._fitted:
                self._fitted = marks
                self.camera = self.camera.fitting(points, self.aspect, 1.12)

    def set_section_lines(self, lines: Sequence[Array]) -> None:
        """Section curves on the skin, (n, 3) each."""
        if lines or self._wanted.on_skin:
            self._wanted.on_skin = tuple(lines)
            self._refresh_curves()

    def set_colouring(self, colouring: Colouring | None, title: str) -> None:
        """Colour the skin by a quality, with its legend; by nothing for None."""
        if colouring is not None or self._colouring is not None:
            self._colouring, self._colour_title = colouring, title
            self._show_finished()
            self._paint_skin()
            self.touch()

    def set_lamps(self, lamps: Array | None, count: int) -> None:
        """Show how the skin reflects lamps that run along a direction (3,); without any for None."""
        self._lamps, self._lamp_count = lamps, count
        self._show_finished()
        self._paint_skin()
        self.touch()

    def _paint_skin(self) -> None:
        mesh, bright = self.quick.mesh if self.quick is not None else None, None
        if self._lamps is not None and mesh is not None:
            bright = reflected(mesh.normals, self.camera.axes()[2], self._lamps, self._lamp_count)
        self.scene.set_scalars(*scalars(self.theme, self._colouring, bright))

    @property
    def selected(self) -> tuple[str, ...]:
        """Ids of what is chosen."""
        return self._wanted.selected

    @property
    def hovered(self) -> str:
        """What is under the pointer."""
        return self._wanted.hovered

    @property
    def ties_shown(self) -> bool:
        """Whether ties are drawn along the body."""
        return self._wanted.ties

    @property
    def datums_shown(self) -> bool:
        """Whether datums are drawn."""
        return self._wanted.datums

    def show_ties(self, visible: bool) -> None:
        """Show or hide the ties along the body."""
        self._wanted.ties = visible
        self._refresh_curves()

    def show_datums(self, visible: bool) -> None:
        """Show or hide all datums; the design stays as it is."""
        self._wanted.datums = visible
        self._refresh_curves()

    def set_handles(self, handles: dict[str, Handle]) -> None:
        """Places that can be dragged."""
        self.handles = handles
        self.update()

    def set_selected(self, ids: tuple[str, ...]) -> None:
        """Mark stations, guides and datums."""
        self._wanted.selected = ids
        self._refresh_curves()

    def set_live(self, live: float | tuple[Array, ...]) -> None:
        """Where along the body the pointer is on the Board (mm), or NaN: the section there is drawn, of what is shown; or its lines."""
        if any(isinstance(one, tuple) or not math.isnan(one) for one in (live, self._wanted.live)):
            self._wanted.live = live
            self._refresh_curves()

    def set_over(self, lines: Sequence[Array], body: str = "") -> None:
        """Lines (n, 3) of another body (of this design) over this one, in place of its skin; or none."""
        if lines or self._wanted.over:
            self._wanted.over, self._compared = tuple(lines), body if lines else ""
            if self.quick is not None:
                self._set_beside(self.quick)
            self._refresh_curves()

    def set_finding(self, finding: Finding | None) -> None:
        """Point at a finding's place."""
        self._finding = finding
        self.touch()

    def set_look(self, look: str) -> None:
        """'shaded', 'see-through' or 'lines'."""
        self.look = look
        self.scene.set_look(look)
        self.touch()

    def show_body(self, visible: bool) -> None:
        """Hide or show the body; stations stay."""
        self.body_shown = visible
        self.scene.show_body(visible)
        self.touch()

    def look_from(self, name: str) -> None:
        """A named view, fitted."""
        self._camera_taken = False
        self.camera = self.camera.looking(name)
        self.fit()

    def look_at_station(self, key: str) -> None:
        """Straight at a station's plane."""
        line = self._drawn.outlines.get(key)
        if self.quick is None or self.quick.shape is None or line is None:
            return
        sections, row = self.quick.shape.sections, self.quick.shape.at_stations[self.quick.resolved.row(key)]
        self.camera = self.camera.looking_at_plane(sections.normal[row], sections.up[row], line.mean(axis=0))
        self.camera = self.camera.fitting(line, self.aspect, 1.6)
        self.touch()

    def fit(self) -> None:
        """All of the body in the picture; of an empty design the base planes."""
        if self.quick is not None and self.quick.mesh is None and not self.quick.others:
            self.camera = self.camera.fitting(self._drawn.places, self.aspect, 1.4)
        if self.quick is not None and any(q.mesh is not None for q in (self.quick, *self.quick.others)):
            # Room above for the stations' labels.
            margin = max(1.12, self.height() / max(self.height() - 90, 60))
            self.camera = self.camera.fitting(corners(self.quick), self.aspect, margin)
        self.touch()

    # Drawing

    def _refresh_curves(self) -> None:
        self.scene.set_curves(curves_of(self.quick, self._drawn, self._wanted, self.theme))
        self.touch()

    def before_drawing(self) -> None:
        """Reflected light goes with the camera."""
        if self._lamps is not None:
            self._paint_skin()

    def paint_over(self, painter: QPainter) -> None:
        """Names, handles, the legend of colours, the three directions."""
        paper = labels.Paper(painter, self.theme, QRectF(self.rect()), self.project)
        labels.paint_compass(paper, self.camera.axes())
        if self._colouring is not None and self._lamps is None:
            paint_legend(painter, self.theme, paper.area, self._colouring, self._colour_title)
        quick = self.quick
        if quick is not None and quick.body.ready:
            return
        if quick is None or not quick.there:
            labels.paint_nothing(paper, quick)
        if quick is not None:
            labels.paint_names(paper, quick, self._drawn, self._wanted)
            paint_handles(painter, self.theme, self.handles.values(), self.handles.get(self._held), self.seen)
            if self._finding is not None:
                labels.paint_finding(paper, quick, self._finding)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the body fitted until the user takes the camera."""
        if not self._camera_taken:
            self.fit()
        self.touch()

    # What is picked, by the mouse

    def pick_part(self, at: QPointF) -> str:
        """The edge or face of a body at a pixel, by reference, else what `pick` finds."""
        return self._pick_line(at) or self._body_at(at, True)

    def pick(self, at: QPointF) -> str:
        """The station, guide or datum whose line is at a pixel, else the body's id if it is there, else nothing."""
        return self._pick_line(at) or self._body_at(at, False)

    def _body_at(self, at: QPointF, part: bool) -> str:
        if self.quick is None or not self.body_shown:
            return ""
        size = self.width(), self.height()
        return shown_at(self.quick, self._wanted.finished, self.camera, np.array([at.x(), at.y()]), size, part)

    def _pick_line(self, at: QPointF) -> str:
        return line_near(self._drawn, self._wanted, self.project, np.array([at.x(), at.y()]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a handle or a chosen datum, or begin to turn or move."""
        self.setFocus()
        at, left = event.position(), event.button() == Qt.MouseButton.LeftButton
        if left and not event.modifiers():
            under = handle_near(self.handles, self.project, at) or self.pick(at)
            datum = under in self._drawn.datums and under in self.selected and under not in BASE_SHOWN
            if under in self.handles or datum:
                # A handle may be gone before it is let go, and is no datum then.
                self._pulled = self.handle_pulled if under in self.handles else self.datum_pulled
                self._held, self._pressed = under, at
                return
        keys = Qt.KeyboardModifier
        held = event.modifiers() & (keys.ControlModifier | keys.ShiftModifier) if left else keys.ShiftModifier
        if left or event.button() == Qt.MouseButton.MiddleButton:
            self._drag = (at, {keys.NoModifier: "turn", keys.ControlModifier: "choose"}.get(held, "move"), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pull, turn, move, or show what a click would pick."""
        at = event.position()
        if self._pressed is not None:
            if (at - self._pressed).manhattanLength() >= STILL_PIXELS:
                begun, now = np.array([self._pressed.x(), self._pressed.y()]), np.array([at.x(), at.y()])
                self._pulled.emit(self._held, begun, now)
        elif self._drag is not None:
            last, kind, moved = self._drag
            step = at - last
            if moved or step.manhattanLength() >= STILL_PIXELS:
                self._drag = (at, kind, True)
                if kind == "choose":
                    self._choose_edges(last, step)
                else:
                    (self.turn if kind == "turn" else self.move_by)(step.x(), step.y())
        else:
            self._hover(at)

    def _choose_edges(self, last: QPointF, step: QPointF) -> None:
        """The edges that a stroke of the pointer passes are chosen, too."""
        for share in np.arange(0.0, 1.0, STROKE_PIXELS / max(step.manhattanLength(), STROKE_PIXELS)).tolist():
            key = self._body_at(last + share * step, True)
            if is_edge(Ref(key)) and key not in self.selected:
                self.picked_more.emit(key)

    def _hover(self, at: QPointF) -> None:
        handle = handle_near(self.handles, self.project, at)
        self.setToolTip(f"Drag to {self.handles[handle].words}" if handle else "")
        parts = bool(QGuiApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier)
        key = self.pick_part(at) if parts else self.pick(at)
        if key != self.hovered:
            self._wanted.hovered = key
            self.setCursor(Qt.CursorShape.PointingHandCursor if key else Qt.CursorShape.ArrowCursor)
            self._refresh_curves()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click without movement picks."""
        if self._pressed is not None:
            self._pressed, self._held = None, ""
            self.let_go.emit()
            return
        drag, self._drag = self._drag, None
        if drag is None or drag[2] or event.button() != Qt.MouseButton.LeftButton:
            return
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.picked.emit(self.pick(event.position()))
            return
        for key in self._taken(event.position()):
            self.picked_more.emit(key)

    def _taken(self, at: QPointF) -> tuple[str, ...]:
        """What a click with Ctrl takes: what is seen there; once more in the same place, what lies beneath instead."""
        found = [key for key in (self._pick_line(at), self._body_at(at, True)) if key] or [""]
        again = found[1:] and self._clicked[1] == found[0] and (at - self._clicked[0]).manhattanLength() < STILL_PIXELS
        self._clicked = at, found[1 if again else 0]
        return tuple(found) if again else (found[0],)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open a drawing, or a station's."""
        key = self.pick(event.position())
        if key in self._drawn.outlines or key in self._drawn.drawings:
            self.opened.emit(key)

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer."""
        if self.hovered:
            self._wanted.hovered = ""
            self._refresh_curves()
