"""What the Board shows of a finished body: its sections along its own way or square to something else, and figures of them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import QFileDialog, QMenu

from isotomon.app.api import Api
from isotomon.app.board.cut_shown import ANGLES, BELOW, CutShown
from isotomon.app.command import Command, needs_design
from isotomon.app.state.later import Later, read_aside
from isotomon.arrays import Array
from isotomon.design.disk import write_atomically
from isotomon.errors import IsotomonError, SolidError
from isotomon.geometry.datums import Axis, Frame, Plane, SpaceCurve
from isotomon.inspect.finished_figures import finished_csv, finished_figures
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import stiff, wall_along, walls_of
from isotomon.inspect.sections import FinishedSections, changes_sections, finished_sections, mesh_of_finished
from isotomon.kernel.protocol import Built
from isotomon.quantity.record import Ref
from isotomon.solids.deliver import ask_finer
from isotomon.solids.supervisor import Job

OWN = Ref("")
ALONG = {"x": "Square to X", "y": "Square to Y", "z": "Square to Z"}


@dataclass(frozen=True)
class CutWanted:
    """`finished`: the finished body, where its steps change its sections; `way`: what it is cut square to, empty for its own way;
    `below`: which of `BELOW` the lower plot shows."""

    finished: bool = True
    way: Ref = OWN
    below: str = ANGLES


def sections_shown(quick: Quick, wanted: CutWanted) -> CutShown:
    """The sections alone, without what takes longer. Raises: DesignError."""
    sections = finished_sections(quick, quick.finished[quick.result], wanted.way)
    return CutShown(sections, quick, wanted.below, station_outlines(quick, sections))


def station_outlines(quick: Quick, sections: FinishedSections) -> tuple[tuple[str, list[Array]], ...]:
    """(station, runs (n, 2), mm in its plane) of the finished body at stations; none where it is not cut along its own way."""
    if sections.way or quick.shape is None:
        return ()
    rows = [(index, n, int(np.argmin(np.abs(sections.position - n.position)))) for index, n in quick.resolved.own]
    return tuple(
        (n.station.id, [quick.in_plane(index, line) for line in sections.lines(row)]) for index, n, row in rows
    )


def with_figures(shown: CutShown) -> CutShown:
    """The sections with the figures of the lower plot that take longer."""
    if shown.below == "torsion":
        return replace(shown, stiff=stiff(shown.sections))
    built = shown.of.finished[shown.of.result]
    return replace(shown, wall=wall_along(shown.sections, walls_of(built, mesh_of_finished(built))))


IDLE = 2.0
"""s without a change after which what is shown is refined."""


def refined(shown: CutShown, job: Job) -> CutShown | None:
    """The same sections of a mesh that is nearer to the body, once a job has made it; none where it has not. Raises: IsotomonError."""
    outcome = job.wait()
    if not isinstance(outcome, Built):
        return None
    sections = finished_sections(shown.of, outcome, shown.sections.way)
    return replace(shown, sections=sections, outlines=station_outlines(shown.of, sections), refined=True)


class BoardCuts:
    """Has finished bodies cut for the Board, the body plan and the View; never changes the design."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self.wanted = CutWanted()
        self._latest: tuple[Quick, CutWanted] | None = None
        self.later = Later("board-cuts", api.widget)
        self.later.answered.connect(self._show)
        self._job: Job | None = None
        self.refining = Later("board-refining", api.widget)
        self.refining.answered.connect(self._show_refined)
        self.idle = QTimer(api.widget, singleShot=True, interval=round(1e3 * IDLE))
        self.idle.timeout.connect(self._refine)
        self.menu = QMenu(self.w.board.shown)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.w.board.shown.setMenu(self.menu)

    def set(self, **changes: object) -> None:
        """Show something else."""
        self.wanted = replace(self.wanted, **changes)  # type: ignore[arg-type]
        self.refresh()
        self.w.refresh_commands()

    def refresh(self) -> None:
        """Cut again, where the newest results have their solid."""
        quick, wanted = self.w.desk.quick, self._meant()
        if self._latest is not None and (self._latest[0] is not quick or self._latest[1] != wanted):
            self._give_up()
        if quick is None or not self._needed(quick):
            self._latest = None
            self._put(None)
        elif quick.result not in quick.finished:
            self._latest = None  # what is still being cut is of before
            self._keep(quick)
        elif self._latest is None or self._latest[0] is not quick or self._latest[1] != wanted:
            self._latest = (quick, wanted)
            self._keep(quick)
            self.later.ask(partial(sections_shown, quick, wanted))

    def _meant(self) -> CutWanted:
        """What is wanted of the body in hand: one that has no way of its own is cut square to Z."""
        quick = self.w.desk.quick
        ready = quick is not None and quick.shape is None and changes_sections(quick)
        return replace(self.wanted, way=Ref("z")) if ready and not self.wanted.way else self.wanted

    def _needed(self, quick: Quick) -> bool:
        wanted, built = self._meant(), quick.finished.get(quick.result)
        if built is not None and not (built.pieces or self.wanted.way):  # a skin, whose sections bound nothing
            return False
        return bool(wanted.way) or wanted.below != ANGLES or (wanted.finished and changes_sections(quick))

    def _keep(self, quick: Quick) -> None:
        """Until its newest sections are there, what was shown of this body stays, said to be of before, and nothing of another one."""
        shown, wanted = self.w.board.cut, self._meant()
        if shown is None:
            return
        same = shown.sections.body == quick.body.id and shown.sections.way == wanted.way and shown.below == wanted.below
        self._put(replace(shown, stale=True) if same else None)

    def _show(self, answer: object) -> None:
        if self._latest is None:
            return
        quick, wanted = self._latest
        if isinstance(answer, str):
            self.w.say("note", f"The finished body is not cut: {answer}.")
            self._put(None)
            if self.wanted.way:
                self.set(way=OWN)
        elif isinstance(answer, CutShown) and answer.of is quick and answer.sections.way == wanted.way:
            lacks = wanted.below in ("torsion", "wall") and answer.stiff is None and answer.wall is None
            self._put(replace(answer, waits=lacks))
            if lacks:
                self.later.ask(partial(with_figures, answer))
            elif not answer.refined:
                self.idle.start()

    def _refine(self) -> None:
        """What is shown has stayed for a while: there is time to have it of a finer mesh."""
        shown = self.w.board.cut
        if shown is None or shown.stale or self._latest is None or self._latest[0] is not shown.of:
            return
        body = shown.of.result
        try:
            self._job = ask_finer(shown.of, self.w.desk.engine.supervisor, {body: shown.of.finished[body]}).get(body)
        except SolidError:  # the worker is closed already: so is the window
            return
        if self._job is not None:
            self.refining.ask(partial(refined, shown, self._job))

    def _show_refined(self, answer: object) -> None:
        now = self.w.board.cut
        if (
            isinstance(answer, CutShown)
            and now is not None
            and now.of is answer.of
            and now.sections.way == answer.sections.way
        ):
            self._put(replace(now, sections=answer.sections, outlines=answer.outlines, refined=True))

    def _give_up(self) -> None:
        """Nothing is refined any more of what was shown."""
        self.idle.stop()
        if self._job is not None:
            self.w.desk.engine.supervisor.cancel(self._job)
            self._job = None

    def _put(self, shown: CutShown | None) -> None:
        self.w.board.set_cut(shown)
        self.w.body_plan.set_finished(() if shown is None or shown.stale else shown.outlines)

    def show_live(self, position: float) -> None:
        """Where along the Board the pointer is, or NaN: the section there is drawn in View and body plan, finished where such are shown."""
        plain = math.nan if self.w.board.otherwise is not None else position
        self.w.view.set_live(self._lines_at(position) or plain)
        self.w.body_plan.set_live(plain)

    def _lines_at(self, position: float) -> tuple[Array, ...]:
        shown = self.w.board.cut
        if shown is None or shown.stale or math.isnan(position):
            return ()
        return tuple(shown.sections.lines(int(np.argmin(np.abs(shown.sections.position - position)))))

    # The menu

    def _fill_menu(self) -> None:
        menu = self.menu
        menu.clear()
        self._choices(
            menu,
            [("As finished", True), ("As shaped", False)],
            self.wanted.finished,
            lambda finished: self.set(finished=finished, **({} if finished else {"way": OWN, "below": ANGLES})),
        )
        menu.addSection("Cut")
        quick = self.w.desk.quick
        own = [] if quick is not None and quick.shape is None and quick.there else [("Along its own way", OWN)]
        ways = [*own, *((title, Ref(key)) for key, title in ALONG.items())]
        chosen = self.chosen()
        if chosen:
            ways.append((f"Square to {self.w.desk.ground().called(chosen)}", chosen))  # type: ignore[union-attr]
        self._choices(menu, ways, self._meant().way, lambda way: self.set(way=way))
        menu.addSection("Below")
        self._choices(menu, [(t, k) for k, t in BELOW.items()], self.wanted.below, lambda below: self.set(below=below))

    def _choices(self, menu: QMenu, entries: list[tuple[str, Any]], now: Any, put: Callable[[Any], None]) -> None:
        group = QActionGroup(menu)
        for title, value in entries:
            action = QAction(title, menu, checkable=True)
            action.setChecked(value == now)
            action.triggered.connect(lambda _=False, value=value: put(value))
            group.addAction(action)
            menu.addAction(action)

    def chosen(self) -> Ref:
        """What is chosen that planes can be square to: an axis, a plane, a guide, a straight edge; empty for nothing."""
        ground = self.w.desk.ground()
        for key in self.w.desk.selection if ground is not None else ():
            try:
                thing = ground.get(key)  # type: ignore[union-attr]
            except IsotomonError:
                continue
            if isinstance(thing, Axis | Plane | Frame | SpaceCurve):
                return Ref(key)
        return OWN

    def write(self) -> None:
        """The figures of the finished bodies' sections as CSV, cut as the Board is."""
        quick, way = self.w.desk.quick, self._meant().way
        name, _ = QFileDialog.getSaveFileName(self.w.widget, "Section figures", "sections.csv", "Tables (*.csv)")
        if not name or quick is None:
            return
        try:
            figures = read_aside(
                self.w.widget, "Cutting the finished bodies", lambda: finished_figures(quick, quick.finished, way)
            )
            write_atomically(Path(name), finished_csv(figures).encode())
        except IsotomonError as error:
            self.w.say("error", f"{error}. Nothing was written.")
            return
        self.w.say("note", f"Wrote {Path(name).name}.")


def _needs_finished(w: Api) -> str:
    return _needs_solid(w) or (
        "" if w.desk.quick is not None and w.desk.quick.finished else "The solid is not finished yet"
    )


def _needs_solid(w: Api) -> str:
    return needs_design(w) or (
        "" if w.desk.quick is not None and w.desk.quick.result else "There is no body yet to cut"
    )


def _needs_way(w: Any) -> str:
    return _needs_solid(w) or ("" if w.cuts.chosen() else "Choose an axis, a plane, a guide or a straight edge first")


def _cut_command(key: str, title: str) -> Command:
    return Command(
        f"cut-{key or 'own'}",
        f"Cut the finished body {title[0].lower()}{title[1:]}",
        lambda w: w.cuts.set(way=Ref(key)),
        stage="Check",
        tip="Section areas of the finished body on the Board, holes and walls and all",
        reason=_needs_solid,
        checked=lambda w: w.cuts.wanted.way == key,
        family="Sections",
    )


def _below_command(key: str) -> Command:
    return Command(
        f"below-{key}",
        f"{BELOW[key]} on the Board",
        lambda w: w.cuts.set(below=key),
        stage="Check",
        tip="In the Board's lower plot, along the finished body",
        reason=_needs_solid,
        checked=lambda w: w.cuts.wanted.below == key,
        family="Sections",
    )


CUT_COMMANDS: tuple[Command, ...] = (
    *(_cut_command(key, title) for key, title in {"": "Along its own way", **ALONG}.items()),
    Command(
        "cut-chosen",
        "Cut the finished body square to what is chosen",
        lambda w: w.cuts.set(way=w.cuts.chosen()),
        stage="Check",
        tip="An axis, a plane, a guide or a straight edge: section areas of the finished body along it, on the Board",
        reason=_needs_way,
        family="Sections",
    ),
    *(_below_command(key) for key in BELOW),
    Command(
        "export-sections",
        "Section figures…",
        lambda w: w.cuts.write(),
        stage="Deliver",
        icon="table-2",
        tip="Areas, moments, stiffness and mass per length of the finished body's sections as CSV, cut as on the Board",
        reason=_needs_finished,
        family="Tables",
    ),
)
