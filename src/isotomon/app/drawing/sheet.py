"""The drawing under work in the editor: as it stands solved, what is chosen, the tool in hand, and every change of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QWidget

from isotomon.app.drawing.pens import BY_ID as DRAW_BY_ID
from isotomon.app.drawing.pens import DrawTool, Settings
from isotomon.app.drawing.picks import PickTool
from isotomon.app.drawing.snap import Catch, Catcher
from isotomon.app.drawing.taking import placed, point_at, put, with_assumed
from isotomon.app.forms.fields import NAMING
from isotomon.app.state.desk import Desk
from isotomon.app.theme import Theme
from isotomon.design import edits
from isotomon.design.bodies import stations_of_all
from isotomon.design.records import Design, Number
from isotomon.design.resolve import drawing_figures
from isotomon.errors import IsotomonError
from isotomon.evaluate.drawn import solved
from isotomon.evaluate.settle import settled
from isotomon.profile import draw_edits
from isotomon.profile.drawing import DIMENSIONS, Drawing, replace
from isotomon.profile.drawn import figures_of
from isotomon.profile.loops import Runs, find_runs
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import (
    Freedoms,
    Solution,
    freedoms,
    freedoms_at,
    measured,
)
from isotomon.quantity import Value, read, resolve_numbers

Change = Callable[[Drawing], Drawing]


class Sheet(QWidget):
    """`key`: the drawing; `station`: the station it was opened at (empty: none), whose frame the ghosts are seen in.

    It changes the design through the desk only.
    """

    changed = Signal()
    """the drawing, what is chosen, or the tool"""
    hinted = Signal(str)
    """what to do next, for the foot of the window"""
    closed = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key, self.station = "", ""
        self.pending: Drawing | None = None
        self.settings = Settings()
        self.selection: tuple[str, ...] = ()
        self.tool: DrawTool | PickTool | None = None
        self.spots: tuple[Spot, ...] = ()
        self.ties: list[tuple[Spot, Catch]] = []
        self.arc_next = False
        self.clipboard: tuple[Drawing, tuple[str, ...]] | None = None
        self._picked: tuple[str, ...] = ()
        self._dragged: Drawing | None = None
        self.opening = False
        self._followed: dict[str, tuple[float, float]] = {}
        self._forget()
        desk.design_changed.connect(self._design_changed)
        desk.quick_changed.connect(lambda _: self._quick_changed())

    def fit(self) -> None:
        """Bring all of the drawing into sight."""
        raise NotImplementedError

    # What is shown

    def open(self, key: str, station: str) -> None:
        """Edit a drawing, seen from a station."""
        self.key, self.station = key, station
        self.selection, self.tool, self.spots = (), None, ()
        self._forget()
        self.opening = True
        self.fit()
        self.setFocus()
        QTimer.singleShot(0, self._opened)

    def _opened(self) -> None:
        """After the first frame: runs, and the panel with all it says."""
        self.opening = False
        self._say_hint()
        self.update()
        self.changed.emit()

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
        if self.key and self._dragged is None and self._outside() != self._followed:
            self._forget()
            self.changed.emit()
        self.update()

    def _outside(self) -> dict[str, tuple[float, float]]:
        """Where what the drawing follows stands now."""
        quick = self.desk.quick
        return dict(quick.drawings.outside.get(self.key, {})) if quick is not None else {}

    @property
    def design(self) -> Design:
        """The design, of which the drawing is a part."""
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
                self.hint(f"✕  {error}")
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
        """What the pointer catches in the drawing."""
        if self._catcher is None:
            self._catcher = Catcher(self.drawing)
        return self._catcher

    @property
    def runs(self) -> Runs:
        """What the lines of the drawing make up."""
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

    @property
    def placed(self) -> bool:
        """Whether the station that the drawing was opened at, if any, has a drawing for its section."""
        found = next((s for s in stations_of_all(self.design) if s.id == self.station), None)
        return found is None or isinstance(found.section, Drawn)

    def place(self) -> None:
        """An open run takes the place of the station's ready-made section, as a closed one does by itself."""
        self.desk.do("use an open profile", lambda d: put(d, self.key, self.station))

    def live_figures(self) -> object:
        """Figures of the outer run less its holes, or None."""
        return figures_of(self.runs.outer, self.runs.holes) if self.runs.outer is not None else None

    # Changing

    def hint(self, text: str) -> None:
        """Say what is to be done next."""
        self.hinted.emit(text)

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
            return placed(made, self.key, station)

        wrong = self.desk.do(title, edit)
        if wrong:
            self.hint(f"✕  {wrong}. Nothing was changed.")
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
            self.hint(f"{self.tool.title}{arc}: {self.tool.prompts[step]}. Alt refuses what is assumed, Esc stops.")
        elif self.tool is not None:
            self.hint(f"{self.tool.title}: {self.tool.prompt}. Esc stops.")
        elif self.key and not self.drawing.parts:
            self.hint("Take a tool from the tray: W draws a run of lines and arcs. F1 tells the rest.")
        else:
            self.hint("Drag what is free; choose things to tie them; double-click a figure to change it.")

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
        return self.catcher.point_at(spot.at, 1e-6 * max(float(np.ptp(self.catcher.points)), 1.0))

    def finish_tool(self) -> None:
        """Make what the spots given so far describe, if they are enough."""
        tool, spots = self.tool, self.spots
        enough = isinstance(tool, DrawTool) and len(spots) >= (2 if tool.open_end else len(tool.prompts))
        # A run is made step by step; there is nothing left of it to make.
        if enough and isinstance(tool, DrawTool) and tool.id != "draw-run":
            self._make(tool, spots)
        self.spots, self.ties = (), []
        self._say_hint()
        self.update()

    def _make(self, tool: DrawTool, spots: tuple[Spot, ...]) -> str:
        ties = list(self.ties)
        settings = self.settings

        def change(drawing: Drawing) -> Drawing:
            return with_assumed(drawing, tool.build(drawing, spots, settings), ties)

        def new(before: Drawing, after: Drawing) -> tuple[str, ...]:
            old = {p.id for p in before.parts}
            return tuple(p.id for p in after.parts if p.id not in old and p.role == settings.role)

        return self.commit(f"draw: {tool.title.lower()}", change, new)

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

    def set_figure(self, key: str, text: str) -> str:
        """Give a dimension a figure or formula (`name = 5 mm` names it); returns what is wrong with it."""
        c = next(c for c in self.drawing.constraints if c.id == key)
        kind = DIMENSIONS[c.kind]
        naming = NAMING.match(text)
        try:
            value = read(naming[2] if naming else text, kind, "deg" if kind == "angle" else self.design.unit)
        except IsotomonError as error:
            self.hint(f"✕  {error}. Nothing was changed.")
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

    def place_point(self, ref: str, axis: str, number: float) -> str:
        """Put a point at a typed coordinate; what it is tied to follows. Returns what is wrong, or nothing."""
        drawing = self.solution.drawing
        try:
            stands = point_at(drawing, ref, axis, number, self.figures(drawing), self._followed)
        except IsotomonError as error:
            return str(error)
        return self.commit("move a point", lambda _: stands)

    def remove_chosen(self) -> None:
        """Delete what is chosen, with what cannot stand without it."""
        chosen = tuple(k for k in self.selection if "@" not in k)
        if chosen:
            self.commit("delete in the drawing", lambda d: draw_edits.remove(d, chosen))
