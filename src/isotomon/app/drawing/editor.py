"""The profile editor: a canvas that looks straight at a drawing. It changes the design through the desk only."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QLineEdit, QMenu, QWidget

from isotomon.app.desk import Desk
from isotomon.app.drawing import paint
from isotomon.app.drawing.ghosts import ghosts_of
from isotomon.app.drawing.marks import constraint_anchors, handle_tips, mark_of, middle_of
from isotomon.app.drawing.pens import BY_ID as DRAW_BY_ID
from isotomon.app.drawing.pens import DrawTool, Settings
from isotomon.app.drawing.picks import PickTool
from isotomon.app.drawing.snap import NEW, Catch, Catcher
from isotomon.app.drawing.ties import tie_chosen
from isotomon.app.fields import NAMING
from isotomon.app.theme import Theme
from isotomon.errors import IsotomonError
from isotomon.model import draw_edits, edits
from isotomon.model.draw_edits import Pen
from isotomon.model.drawing import DIMENSIONS, Constraint, Curve, Drawing, Handle, Ring, part_points, replace
from isotomon.model.records import Design, Drawn, Number
from isotomon.model.resolve import drawing_figures
from isotomon.profile.curves import handles_of
from isotomon.profile.drawn import figures_of
from isotomon.profile.loops import Runs, find_runs
from isotomon.profile.relate import possible_ties
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import (
    Drag,
    Freedoms,
    Solution,
    begin_drag,
    drag_to,
    freedoms,
    freedoms_at,
    measured,
    with_coordinates,
)
from isotomon.quantity import Value, read, resolve_numbers, show
from isotomon.rebuild.drawn import solved
from isotomon.rebuild.settle import settled

Array = NDArray[np.float64]
Change = Callable[[Drawing], Drawing]
CATCH_PIXELS = 9.0


class DrawingEditor(QWidget):
    """`key`: the drawing; `station`: the station it was opened at (empty: none), whose frame the ghosts are seen in."""

    changed = Signal()
    """the drawing, what is chosen, or the tool"""
    hinted = Signal(str)
    """what to do next, for the foot of the window"""
    closed = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("drawing")
        self.setAccessibleName("Profile editor")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 180)
        self.desk, self.theme = desk, theme
        self.key, self.station = "", ""
        self.pending: Drawing | None = None
        self.settings = Settings()
        self.selection: tuple[str, ...] = ()
        self.tool: DrawTool | PickTool | None = None
        self.spots: tuple[Spot, ...] = ()
        self.ties: list[tuple[Spot, Catch]] = []
        self.arc_next = False
        self.catch: Catch | None = None
        self.show_grid, self.show_ghosts = True, True
        self.middle, self.per_pixel = np.zeros(2), 0.2
        self.hovered = ""
        self.clipboard: tuple[Drawing, tuple[str, ...]] | None = None
        self._picked: tuple[str, ...] = ()
        self._boxes: dict[str, list[QRectF]] = {}
        self._press: QPointF | None = None
        self._pan: QPointF | None = None
        self._box: tuple[QPointF, QPointF] | None = None
        self._drag: tuple[Drag, Array, Array] | None = None
        self._label: str = ""
        self._dragged: Drawing | None = None
        self._pointer = QPointF()
        self._fitted = False
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
        self.hidden_figures = 0
        self._followed: dict[str, tuple[float, float]] = {}
        self._forget()
        desk.design_changed.connect(self._design_changed)
        desk.quick_changed.connect(lambda _: self._quick_changed())

    # What is shown

    def open(self, key: str, station: str) -> None:
        """Edit a drawing, seen from a station."""
        self.key, self.station = key, station
        self.selection, self.tool, self.spots, self._fitted = (), None, (), False
        self._forget()
        self.fit()
        self.setFocus()
        QTimer.singleShot(0, self.changed.emit)  # the canvas first, the panel a frame later

    def begin(self, drawing: Drawing, station: str) -> None:
        """Begin a new drawing for a station; it comes into the design with its first line."""
        self.pending = drawing
        self.open(drawing.id, station)

    def _stored(self) -> Drawing:
        """The drawing as the design has it, or the one just begun."""
        found = next((d for d in self.design.drawings if d.id == self.key), None)
        if found is None and self.pending is not None and self.pending.id == self.key:
            return self.pending
        return edits.find(self.design.drawings, self.key) if found is None else found

    def _forget(self) -> None:
        self._solution: Solution | None = None
        self._runs: Runs | None = None
        self._free: Freedoms | None = None
        self._repeats: tuple[object, ...] = ()
        self._catcher: Catcher | None = None
        self._dragged = None

    def _design_changed(self) -> None:
        if not self.key:
            return
        design = self.desk.design
        begun = self.pending is not None and self.pending.id == self.key
        if design is None or (not begun and all(d.id != self.key for d in design.drawings)):
            self.key = ""
            self.closed.emit()
            return
        self._forget()
        known = (
            {p.id for p in self.drawing.points}
            | {p.id for p in self.drawing.parts}
            | {c.id for c in self.drawing.constraints}
        )
        self.selection = tuple(k for k in self.selection if k.partition("@")[0] in known)
        self.spots = tuple(s if not s.point or s.point in known else Spot(s.x, s.y) for s in self.spots)
        self._say_hint()
        self.update()
        self.changed.emit()

    def _quick_changed(self) -> None:
        """Other stations' profiles, and what points follow elsewhere, may have moved."""
        if self.key and self._drag is None and self._outside() != self._followed:
            self._forget()
            self.changed.emit()
        self.update()

    def _outside(self) -> dict[str, tuple[float, float]]:
        """Where what the drawing follows stands now."""
        quick = self.desk.quick
        return dict(quick.drawings.outside.get(self.key, {})) if quick is not None else {}

    @property
    def design(self) -> Design:
        assert self.desk.design is not None
        return self.desk.design

    @property
    def solution(self) -> Solution:
        """The drawing solved, with what clashes in it."""
        if self._solution is None:
            drawing = self._stored()
            self._followed = self._outside()
            try:
                figures = self.figures(drawing)
                self._solution = solved(drawing, tuple(figures.items()), tuple(self._followed.items()))
            except IsotomonError as error:
                self._solution = Solution(drawing, 0.0)
                self.hinted.emit(f"✕  {error}")
        return self._solution

    def figures(self, drawing: Drawing) -> dict[str, float]:
        """The figures of its driving dimensions."""
        return drawing_figures(drawing, resolve_numbers([(n.name, n.value, n.kind) for n in self.design.numbers]))

    @property
    def drawing(self) -> Drawing:
        """What is shown: while something is dragged, the drawing as it would be."""
        return self._dragged if self._dragged is not None else self.solution.drawing

    @property
    def catcher(self) -> Catcher:
        if self._catcher is None:
            self._catcher = Catcher(self.drawing)
        return self._catcher

    @property
    def runs(self) -> Runs:
        if self._runs is None:
            self._runs = find_runs(self.drawing)
        return self._runs

    @property
    def freedom(self) -> Freedoms:
        """What can still move; worked out when the drawing rests."""
        if self._free is None:
            try:
                solution = self.solution
                if solution.system is None or solution.x is None:
                    self._free, self._repeats = freedoms(solution.drawing)
                else:
                    self._free, self._repeats = freedoms_at(solution.system, solution.x)
            except IsotomonError:
                self._free = Freedoms(0, frozenset())
        return self._free

    @property
    def repeats(self) -> tuple:
        """Constraints that say nothing new."""
        _ = self.freedom
        return self._repeats

    def live_figures(self) -> object:
        """Figures of the outer run, or None."""
        return figures_of(self.runs.outer) if self.runs.outer is not None else None

    # Changing

    def commit(
        self,
        title: str,
        change: Change,
        choose: Callable[[Drawing, Drawing], tuple[str, ...]] | None = None,
        number: Number | None = None,
    ) -> str:
        """Make a change of the drawing one step; returns what is wrong with it, or nothing.

        A `number` comes into the design first. The first closed run of a drawing begun at a station with a ready-made section takes that section's place.
        """
        before, station, pending = self.solution.drawing, self.station, self.pending

        def edit(design: Design) -> Design:
            if pending is not None and all(d.id != self.key for d in design.drawings):
                design = edits.add_drawing(design, pending)
            if number is not None:
                design = edits.add_number(design, edits.replace(number, id=edits.fresh_id(design, "n")))
            made = settled(edits.change_drawing(design, self.key, change), self.key)
            return _placed(made, self.key, station)

        wrong = self.desk.do(title, edit)
        if wrong:
            self.hinted.emit(f"✕  {wrong}. Nothing was changed.")
        elif choose is not None:
            self.choose(choose(before, self.solution.drawing))
        return wrong

    def choose(self, refs: tuple[str, ...]) -> None:
        """Choose points, parts, handles and constraints by id."""
        self.selection = tuple(dict.fromkeys(refs))
        self.update()
        self.changed.emit()

    def use(self, tool: DrawTool | PickTool | None) -> None:
        """Take a tool in hand, or none."""
        self.settings.chosen = self.selection
        self.tool, self.spots, self.ties, self._picked, self.arc_next = tool, (), [], (), False
        self.setCursor(Qt.CursorShape.CrossCursor if tool is not None else Qt.CursorShape.ArrowCursor)
        self.setFocus()
        self._say_hint()
        self.update()
        self.changed.emit()

    def _say_hint(self) -> None:
        if isinstance(self.tool, DrawTool):
            step = min(len(self.spots), len(self.tool.prompts) - 1)
            arc = " – arc" if self.arc_next else ""
            self.hinted.emit(
                f"{self.tool.title}{arc}: {self.tool.prompts[step]}. Alt refuses what is assumed, Esc stops."
            )
        elif self.tool is not None:
            self.hinted.emit(f"{self.tool.title}: {self.tool.prompt}. Esc stops.")
        else:
            self.hinted.emit("Drag what is free; choose things to tie them; double-click a figure to change it.")

    def add_spot(self, spot: Spot, catch: Catch | None = None) -> None:
        """One click of a drawing tool; when it has all it asks for, the thing is made."""
        tool = self.tool
        assert isinstance(tool, DrawTool)
        self.spots = (*self.spots, spot)
        if catch is not None:
            self.ties.append((spot, catch))
        if tool.id == "draw-run":
            if len(self.spots) == 2:
                self._run_step()
        elif tool.open_end:
            if len(self.spots) > 3 and np.hypot(*(spot.at - self.spots[0].at)) < 1e-9:
                self.finish_tool()
        elif len(self.spots) == len(tool.prompts):
            self.finish_tool()
        self._say_hint()
        self.update()

    def _run_step(self) -> None:
        """One more line or arc of a run; the next begins at its end, unless it closed the run."""
        start, end = self.spots
        arc, self.arc_next = self.arc_next, False
        tool = DRAW_BY_ID["arc-tangent"] if arc else self.tool
        assert isinstance(tool, DrawTool)
        closes = bool(end.point)
        if self._make(tool, self.spots):
            self.spots, self.ties = (start,), []
            return
        last = end.point or self._point_near(end)
        self.spots, self.ties = ((), []) if closes else ((Spot(end.x, end.y, last),), [])

    def _point_near(self, spot: Spot) -> str:
        return self.catcher.point_at(spot.at, 1e-6 + 0.5 * self.per_pixel)

    def finish_tool(self) -> None:
        """Make what the spots given so far describe, if they are enough."""
        tool, spots = self.tool, self.spots
        if (isinstance(tool, DrawTool) and tool.id != "draw-run" and len(spots) >= 2) or (
            isinstance(tool, DrawTool) and len(tool.prompts) == 1 and spots
        ):
            self._make(tool, spots)
        self.spots, self.ties = (), []
        self._say_hint()
        self.update()

    def _make(self, tool: DrawTool, spots: tuple[Spot, ...]) -> str:
        ties = list(self.ties)
        settings = self.settings

        def change(drawing: Drawing) -> Drawing:
            return _with_assumed(drawing, tool.build(drawing, spots, settings), ties)

        def new(before: Drawing, after: Drawing) -> tuple[str, ...]:
            old = {p.id for p in before.parts}
            return tuple(p.id for p in after.parts if p.id not in old and p.role == settings.role)

        return self.commit(f"draw: {tool.title.lower()}", change, new)

    # Seeing

    def to_screen(self, points: Array) -> Array:
        """(n, 2) mm → pixels."""
        scale = np.array([1.0 / self.per_pixel, -1.0 / self.per_pixel])
        return points * scale + (np.array([self.width() / 2.0, self.height() / 2.0]) - self.middle * scale)

    def to_plane(self, point: QPointF) -> Array:
        """(2,) pixels → mm."""
        size = np.array([self.width(), self.height()]) / 2.0
        return (np.array([point.x(), point.y()]) - size) * np.array([1.0, -1.0]) * self.per_pixel + self.middle

    def fit(self) -> None:
        """All of the drawing, or the ghosts while it is empty, in the canvas."""
        if not self.key:
            return
        points = [p.at(np.linspace(0, 1, 33)) for p in self.catcher.pieces.values()] + (
            [self.catcher.points] if self.catcher.ids else []
        )
        if not points:
            points = [g for _, g, _ in self._ghosts()] or [np.array([[-60.0, -40.0], [60.0, 40.0]])]
        every = np.vstack(points)
        low, high = every.min(axis=0), every.max(axis=0)
        self.middle = (low + high) / 2.0
        room = np.maximum(np.array([self.width(), self.height()]) - 130.0, 60.0)
        self.per_pixel = float(np.clip(np.max((high - low) / room), 1e-5, 1e5))
        self._fitted = True
        self.update()

    def _ghosts(self) -> list[tuple[str, Array, object]]:
        quick = self.desk.quick
        if quick is None or not self.show_ghosts:
            return []
        return ghosts_of(quick, self.station, self.key, self.theme)  # type: ignore[return-value]

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep what is seen in the middle; fit when first shown."""
        if self.key and not event.oldSize().isValid():
            self.fit()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paper, grid, ghosts, the drawing, and what the tool in hand would make."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.paper)
        if not self.key:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect())
        low, high = self.to_plane(rect.bottomLeft()), self.to_plane(rect.topRight())
        if self.show_grid:
            paint.draw_grid(painter, self.theme, rect, low, high, paint.grid_step(self.per_pixel), self.to_screen)
        paint.draw_ghosts(painter, self.theme, self._ghosts(), self.to_screen)  # type: ignore[arg-type]
        outer = self.runs.closed
        paint.fill_runs(painter, self.theme, [c.polygon() for c in outer], self.to_screen)
        if self.runs.mirrored:
            paint.draw_ghosts(
                painter, self.theme, [("", outer[0].polygon(), QColor(self.theme.accent))], self.to_screen
            )
        chosen, clash = (
            set(self.selection) | set(self._picked),
            {k for c in self.solution.conflicts for k in c.culprits},
        )
        free = self.freedom.free
        paint.draw_parts(painter, self.theme, self.catcher, self.to_screen, free, chosen, self.hovered, set())
        for key in {k.partition("@")[0] for k in chosen}:
            if isinstance(self.catcher.parts.get(key), Curve):
                paint.draw_handles(painter, self.theme, handle_tips(self.catcher, key), self.to_screen, chosen)
        paint.draw_points(painter, self.theme, self.catcher, self.to_screen, free, chosen, self.hovered)
        self._paint_marks(painter, chosen, clash)
        self._paint_findings(painter)
        self._paint_tool(painter)
        if self.hidden_figures:
            painter.setPen(self.theme.ink)
            painter.drawText(
                12, self.height() - 12, f"{self.hidden_figures} figures lie close together: zoom in to see them"
            )
        if self._box is not None:
            painter.setPen(self.theme.attention)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(*self._box).normalized())

    def _paint_marks(self, painter: QPainter, chosen: set[str], clash: set[str]) -> None:
        self._boxes, self.hidden_figures = {}, 0
        values = self._measures()
        taken: dict[tuple[int, int], int] = {}
        seen: dict[tuple[str, int, int, str], QRectF] = {}
        labels: set[tuple[int, int]] = set()
        for c in self.drawing.constraints:
            state = "clash" if c.id in clash else "chosen" if c.id in chosen else ""
            if c.kind in DIMENSIONS:
                # Figures that would lie on top of another are left for a closer look.
                x, y = self.to_screen((middle_of(self.catcher, c) + np.array(c.place or (0.0, 0.0)))[None])[0]
                cell = (round(x / 60), round(y / 17))
                if cell in labels and not state:
                    self.hidden_figures += 1
                    continue
                labels.add(cell)
                state = state or ("" if c.driving else "reported")
                mark = mark_of(self.catcher, c, self.per_pixel)
                text = self.figure_text(c, values.get(c.id, 0.0))
                self._boxes[c.id] = [paint.draw_dimension(painter, self.theme, mark, text, self.to_screen, state)]
                continue
            for place in constraint_anchors(self.catcher, c):
                x, y = self.to_screen(place[None])[0]
                cell = (round(x / 12), round(y / 12))
                same = (c.kind, *cell, state)  # one picture for all of a kind at one place
                if same in seen:
                    self._boxes.setdefault(c.id, []).append(seen[same])
                    continue
                shift = taken.get(cell, 0)
                taken[cell] = shift + 1
                at = QPointF(x + 13 + 17 * shift, y + 13)
                box = paint.draw_constraint(painter, self.theme, c.kind, at, state or ("assumed" if c.assumed else ""))
                seen[same] = box
                self._boxes.setdefault(c.id, []).append(box)

    def _measures(self) -> dict[str, float]:
        """What dimensions read: those that drive and hold, their figure; the others, what is there."""
        clash = {k for c in self.solution.conflicts for k in c.culprits}
        held = {c.id for c in self.drawing.constraints if c.driving and c.id not in clash}
        others = tuple(c for c in self.drawing.constraints if c.kind in DIMENSIONS and c.id not in held)
        try:
            values = {k: v for k, v in self.figures(self._stored()).items() if k in held}
            return values | (measured(replace(self.drawing, constraints=others)) if others else {})
        except IsotomonError:
            return {}

    def figure_text(self, c: Constraint, value: float) -> str:
        """A dimension's label: what it measures, and the formula that drives it."""
        kind = DIMENSIONS[c.kind]
        text = show(value, kind, "deg" if kind == "angle" else self.design.unit)
        text = {"angle": f"{text}°", "radius": f"R {text}", "diameter": f"⌀ {text}", "width": f"⌀ {text}"}.get(
            c.kind, text
        )
        return f"{text}  =  {c.value}" if isinstance(c.value, str) else text

    def _paint_findings(self, painter: QPainter) -> None:
        if self._drag is not None:
            return
        for finding in self.runs.findings:
            if finding.kind in ("empty", "hole"):
                continue
            x, y = self.to_screen(np.array([finding.place]))[0]
            painter.setPen(self.theme.failure)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), 10.0, 10.0)
            if finding.kind == "gap":
                painter.drawText(QPointF(x + 13, y - 8), finding.text.split(";")[0])

    def _paint_tool(self, painter: QPainter) -> None:
        if isinstance(self.tool, DrawTool) and self.catch is not None:
            self._paint_preview(painter)
        if self.catch is not None and (self.tool is not None):
            x, y = self.to_screen(self.catch.spot.at[None])[0]
            painter.setPen(self.theme.attention)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(x - 5, y - 5, 10, 10))
            name = self.catch.name
            if name:
                painter.setPen(self.theme.ink)
                painter.drawText(QPointF(x + 12, y - 10), name)
            for k, (kind, _) in enumerate(self._assumed_now()):
                paint.draw_constraint(painter, self.theme, kind, QPointF(x + 20 + 18 * k, y + 14), "assumed")

    def _assumed_now(self) -> list[tuple[str, object]]:
        """What would be taken for granted by a click now, shown before it."""
        if self.catch is None or not isinstance(self.tool, DrawTool):
            return []
        found = list(self.catch.ties)
        if "level" in self.catch.name and not self.catch.spot.point:
            found.append(("horizontal", ()))
        if "upright" in self.catch.name and not self.catch.spot.point:
            found.append(("vertical", ()))
        return found  # type: ignore[return-value]

    def _paint_preview(self, painter: QPainter) -> None:
        tool, catch = self.tool, self.catch
        assert isinstance(tool, DrawTool) and catch is not None
        spots = (*self.spots, catch.spot)
        build = DRAW_BY_ID["arc-tangent"] if self.arc_next else tool
        if len(spots) < 2 or (
            tool.id != "draw-run" and not tool.open_end and len(spots) < len(tool.prompts) and len(spots) < 2
        ):
            return
        try:
            made = build.build(self.solution.drawing, spots, self.settings)
        except (IsotomonError, IndexError):
            paint.draw_guide(painter, self.theme, self.to_screen(np.array([s.at for s in spots])))
            return
        new = {p.id for p in made.parts} - {p.id for p in self.solution.drawing.parts}
        ghost = Catcher(replace(made, parts=tuple(p for p in made.parts if p.id in new), constraints=()))
        paint.draw_parts(painter, self.theme, ghost, self.to_screen, frozenset(new), set(), "", set())
        a, b = spots[-2].at, spots[-1].at
        length, unit = float(np.hypot(*(b - a))), self.design.unit
        angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
        x, y = self.to_screen(b[None])[0]
        painter.setPen(self.theme.ink)
        painter.drawText(QPointF(x + 12, y + 34), f"{show(length, 'length', unit)} {unit}  {angle:.1f}°")

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
        self._pointer = event.position()
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
        self._pointer = event.position()
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
            if part is None or (isinstance(part, Ring) and len(group) == 1):
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

    def remove_chosen(self) -> None:
        """Delete what is chosen, with what cannot stand without it."""
        chosen = tuple(k for k in self.selection if "@" not in k)
        if chosen:
            self.commit("delete in the drawing", lambda d: draw_edits.remove(d, chosen))

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
        mark = mark_of(self.catcher, c, self.per_pixel)
        x, y = self.to_screen(mark.label[None])[0]
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

    def set_figure(self, key: str, text: str) -> str:
        """Give a dimension a figure or formula (`name = 5 mm` names it); returns what is wrong with it."""
        c = next(c for c in self.drawing.constraints if c.id == key)
        kind = DIMENSIONS[c.kind]
        naming = NAMING.match(text)
        try:
            value = read(naming[2] if naming else text, kind, "deg" if kind == "angle" else self.design.unit)
        except IsotomonError as error:
            self.hinted.emit(f"✕  {error}. Nothing was changed.")
            return str(error)
        return self.drive(key, value, naming[1] if naming else "")

    def drive(self, key: str, value: Value, name: str = "") -> str:
        """Let a dimension be driven by a value, which is given a name first if there is one."""
        c = next(c for c in self.drawing.constraints if c.id == key)
        number = Number("", name, value, DIMENSIONS[c.kind]) if name else None
        given: Value = name or value
        return self.commit(
            "change a figure",
            lambda d: draw_edits.change_constraint(d, key, value=given, driving=True),
            number=number,
        )


def _placed(design: Design, key: str, station: str) -> Design:
    """A drawing that bounds a section takes the place of the ready-made section it was begun to replace."""
    found = next((s for s in design.stations if s.id == station), None)
    if found is None or isinstance(found.section, Drawn):
        return design
    if find_runs(edits.find(design.drawings, key)).outer is None:
        return design
    return edits.change_station(design, station, section=Drawn(key), chord=None, pivot=None)


def _with_assumed(before: Drawing, after: Drawing, ties: list[tuple[Spot, Catch]]) -> Drawing:
    """What the catches took for granted, tied to the points and lines that were made; nothing twice."""
    pen = Pen(after, assumed=True)
    old_points, old_parts = {p.id for p in before.points}, {p.id for p in before.parts}
    new_points = [p for p in after.points if p.id not in old_points]
    new_lines = [p for p in after.parts if p.id not in old_parts and hasattr(p, "b") and len(part_points(p)) == 2]
    for spot, catch in ties:
        made = next((p.id for p in new_points if abs(p.x - spot.x) + abs(p.y - spot.y) < 1e-9), spot.point)
        for kind, on in catch.ties:
            if made and made not in on:
                pen.tie(kind, *(made if ref == NEW else ref for ref in on))
        level = {"level": "horizontal", "upright": "vertical"}.get(catch.name.split(", ")[-1])
        if level and len(new_lines) == 1:
            pen.tie(level, new_lines[0].id)  # type: ignore[arg-type]
    return _without_repeats(after, pen.done())


def _without_repeats(before: Drawing, after: Drawing) -> Drawing:
    """Assumed constraints that say nothing new are not made."""
    if len(after.constraints) == len(before.constraints):
        return after
    known = {c.id for c in before.constraints}
    try:
        _, repeats = freedoms(after)
    except IsotomonError:
        return before
    extra = {r.extra for r in repeats} - known
    return replace(after, constraints=tuple(c for c in after.constraints if c.id not in extra))


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
    handles[int(index)] = Handle(float(tangent[0]), float(tangent[1]))
    held = replace(curve, handles=tuple(handles))
    return replace(drawing, parts=tuple(held if p.id == key else p for p in drawing.parts))


def _handle_factor(drawing: Drawing, handle: str) -> float:
    """How much faster a tangent grows than the tip of its handle moves."""
    key, _, index = handle.partition("@")
    curve = next(p for p in drawing.parts if p.id == key)
    assert isinstance(curve, Curve)
    spans = np.diff(curve.params)
    return 3.0 / float(spans[min(int(index), len(spans) - 1)])
