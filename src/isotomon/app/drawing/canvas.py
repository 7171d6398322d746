"""The canvas of the profile editor: zoom and place on the paper, and everything that is painted on it."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)

from isotomon.app.drawing import paint
from isotomon.app.drawing.ghosts import ghosts_of
from isotomon.app.drawing.pens import BY_ID as DRAW_BY_ID
from isotomon.app.drawing.pens import DrawTool
from isotomon.app.drawing.sheet import Sheet
from isotomon.app.drawing.snap import Catch, Catcher
from isotomon.app.state.desk import Desk
from isotomon.app.theme import Theme
from isotomon.arrays import Array
from isotomon.errors import IsotomonError
from isotomon.profile.drawing import DIMENSIONS, Constraint, Curve, replace
from isotomon.profile.marks import SIDES, constraint_anchors, handle_tips, mark_of
from isotomon.profile.relate import figure_words
from isotomon.quantity import show, to_unit


class Canvas(Sheet):
    """A sheet that can be seen."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.catch: Catch | None = None
        self.show_grid, self.show_ghosts, self.show_body = True, True, False
        self.middle, self.per_pixel = np.zeros(2), 0.2
        self.hovered = ""
        self.hidden_figures = 0
        self._boxes: dict[str, list[QRectF]] = {}
        self._box: tuple[QPointF, QPointF] | None = None

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
        points = [p for p in (self.catcher.stack, self.catcher.points) if len(p)]
        if not points:
            points = [g for _, g, _ in self._ghosts()] or [np.array([[-60.0, -40.0], [60.0, 40.0]])]
        every = np.vstack(points)
        low, high = every.min(axis=0), every.max(axis=0)
        self.middle = (low + high) / 2.0
        room = np.maximum(np.array([self.width(), self.height()]) - 130.0, 60.0)
        self.per_pixel = float(np.clip(np.max((high - low) / room), 1e-5, 1e5))
        self.update()

    def _ghosts(self) -> list[tuple[str, Array, object]]:
        quick = self.desk.quick
        if quick is None or not (self.show_ghosts or self.show_body):
            return []
        return ghosts_of(quick, self.station, self.theme, self.show_body)  # type: ignore[return-value]

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
            step = paint.grid_step(self.per_pixel)
            paint.draw_grid(painter, self.theme, rect, low, high, step, self.to_screen)
            shown = 5.0 * step, 5.0 * step * to_unit(1.0, self.design.unit)
            paint.draw_scale(painter, self.theme, rect, shown, self.to_screen, self.drawing.plane)
        paint.draw_ghosts(painter, self.theme, self._ghosts(), self.to_screen)  # type: ignore[arg-type]
        if not self.opening:
            self._paint_runs(painter)
        chosen, clash = (
            set(self.selection) | set(self._picked),
            {k for c in self.solution.conflicts for k in c.culprits},
        )
        free = self.freedom.free
        paint.draw_parts(painter, self.theme, self.catcher, self.to_screen, free, chosen, self.hovered)
        for key in {k.partition("@")[0] for k in chosen}:
            if isinstance(self.catcher.parts.get(key), Curve):
                paint.draw_handles(painter, self.theme, handle_tips(self.catcher, key), self.to_screen, chosen)
        paint.draw_points(painter, self.theme, self.catcher, self.to_screen, free, chosen, self.hovered)
        self._paint_marks(painter, chosen, clash)
        if not self.opening:
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

    def _paint_runs(self, painter: QPainter) -> None:
        """The inside of closed runs, and the mirror image of a half section."""
        outer = self.runs.closed
        paint.fill_runs(painter, self.theme, [c.polygon() for c in outer], self.to_screen)
        if self.runs.mirrored:
            image = ("", outer[0].polygon(), QColor(self.theme.accent))
            paint.draw_ghosts(painter, self.theme, [image], self.to_screen)

    def _paint_marks(self, painter: QPainter, chosen: set[str], clash: set[str]) -> None:
        """Figures, each where it covers no other, and the tiles of constraints beside them."""
        self._boxes, self.hidden_figures = {}, 0

        def state(c: Constraint) -> str:
            return "clash" if c.id in clash else "chosen" if c.id in chosen else ""

        figures = [c for c in self.drawing.constraints if c.kind in DIMENSIONS]
        values = self._measures()
        # Those that have a place of their own keep it; the others make room.
        for c in sorted(figures, key=lambda c: (not state(c), c.place is None)):
            self._paint_figure(painter, c, figure_words(c, values.get(c.id, 0.0), self.design.unit), state(c))
        seen: dict[tuple[str, int, int, str], QRectF] = {}
        for c in (c for c in self.drawing.constraints if c.kind not in DIMENSIONS):
            for place in constraint_anchors(self.catcher, c):
                x, y = self.to_screen(place[None])[0]
                same = (c.kind, round(x / 12), round(y / 12), state(c))  # one picture for all of a kind at one place
                if same not in seen:
                    at = self._room_for_tile(x + 13, y + 13)
                    paint.draw_constraint(painter, self.theme, c.kind, at, state(c) or ("assumed" if c.assumed else ""))
                    seen[same] = paint.tile_box(at)
                self._boxes.setdefault(c.id, []).append(seen[same])

    def _paint_figure(self, painter: QPainter, c: Constraint, text: str, state: str) -> None:
        """A figure beside what it measures; where all places are taken it is left for a closer look, unless it stands out."""
        state = state or ("" if c.driving else "reported")
        text = f"({text})" if state == "reported" else text
        sides = SIDES if c.place is None else SIDES[:1]
        marks = [mark_of(self.catcher, c, self.per_pixel, side) for side in sides]
        boxes = [paint.label_box(painter, mark, text, self.to_screen) for mark in marks]
        free = next(
            (k for k, box in enumerate(boxes) if self._is_free(box)), 0 if state in ("chosen", "clash") else None
        )
        if free is None:
            self.hidden_figures += 1
            return
        paint.draw_dimension(painter, self.theme, marks[free], text, self.to_screen, state, boxes[free])
        self._boxes[c.id] = [boxes[free]]

    def _is_free(self, box: QRectF) -> bool:
        return not any(box.intersects(other) for boxes in self._boxes.values() for other in boxes)

    def _room_for_tile(self, x: float, y: float) -> QPointF:
        """The first place to the right, or on the line below, at which a tile covers nothing."""
        places = [QPointF(x + 17.0 * k, y + 17.0 * line) for line in (0, -2, 1) for k in range(5)]
        return next((at for at in places if self._is_free(paint.tile_box(at))), places[0])

    def _paint_findings(self, painter: QPainter) -> None:
        if self._dragged is not None:
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
        if len(spots) < 2:
            return
        try:
            made = build.build(self.solution.drawing, spots, self.settings)
        except (IsotomonError, IndexError):
            paint.draw_guide(painter, self.theme, self.to_screen(np.array([s.at for s in spots])))
            return
        new = {p.id for p in made.parts} - {p.id for p in self.solution.drawing.parts}
        ghost = Catcher(replace(made, parts=tuple(p for p in made.parts if p.id in new), constraints=()))
        paint.draw_parts(painter, self.theme, ghost, self.to_screen, frozenset(new), set(), "")
        a, b = spots[-2].at, spots[-1].at
        length, unit = float(np.hypot(*(b - a))), self.design.unit
        angle = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
        x, y = self.to_screen(b[None])[0]
        painter.setPen(self.theme.ink)
        painter.drawText(QPointF(x + 12, y + 34), f"{show(length, 'length', unit)} {unit}  {angle:.1f}°")
