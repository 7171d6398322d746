"""The window: stage strip, tray, Ledger, View and body plan, Details, Board, foot."""

from __future__ import annotations

import math
import os
import time
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QSettings, QSize
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QIcon
from PySide6.QtWidgets import QApplication, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from isotomon.app.board.board import Board
from isotomon.app.board.bodyplan import BodyPlan
from isotomon.app.drawing.room import DrawingRoom
from isotomon.app.forms.details import Details
from isotomon.app.forms.shape_checks import ShapeForm
from isotomon.app.handles.base import Handles
from isotomon.app.handles.ends import EndHandles
from isotomon.app.handles.guides import GuideHandles
from isotomon.app.handles.reach import ReachHandles
from isotomon.app.handles.stations import StationHandles
from isotomon.app.handles.steps import StepHandles
from isotomon.app.handles.ties import TieHandles
from isotomon.app.made.room import MadeRoom
from isotomon.app.paper.room import PaperRoom
from isotomon.app.shell.actions import find_action, make_actions, make_menus, show_help
from isotomon.app.shell.board_hands import BoardHands
from isotomon.app.shell.commands import BY_ID, COMMANDS, STAGES
from isotomon.app.shell.files import Files
from isotomon.app.shell.findings import Findings
from isotomon.app.shell.foot import Foot
from isotomon.app.shell.page import WorkPage
from isotomon.app.shell.start import StartPage
from isotomon.app.shell.tray import StageStrip, ToolButtons, Tray
from isotomon.app.state.desk import Desk
from isotomon.app.state.engine import Engine
from isotomon.app.study.room import StudyRoom
from isotomon.app.tables.ledger import Ledger
from isotomon.app.tables.numbers import NumberTable
from isotomon.app.tables.stations import StationGrid
from isotomon.app.theme import THEMES, VELLUM, apply_theme, icon
from isotomon.app.tools.cutting import BoardCuts
from isotomon.app.tools.datums import DatumTools
from isotomon.app.tools.gauges import GaugeTools
from isotomon.app.tools.guides import GuideTools
from isotomon.app.tools.shape_checks import ShapeChecks
from isotomon.app.tools.shaping import ShapingTools
from isotomon.app.tools.stations import Tools
from isotomon.app.tools.ties import TieTools
from isotomon.app.viewport.view import View
from isotomon.author.session import find_recovered
from isotomon.errors import IsotomonError
from isotomon.inspect.results import Quick
from isotomon.samples import sample


class Window(QMainWindow):
    """Puts the parts together; holds no design of its own."""

    def __init__(self, engine: Engine, settings: QSettings, recovery: Path | None) -> None:
        super().__init__()
        self.settings, self._recovery = settings, recovery
        self.theme = THEMES.get(str(settings.value("theme", "vellum")), VELLUM)
        self.stage = "Set out"
        self.desk: Desk = Desk(engine)
        self.files: Files = Files(self)
        self._make_tools()
        self._make_views()
        self.room: DrawingRoom = DrawingRoom(self)
        self.paper: PaperRoom = PaperRoom(self)
        self.study: StudyRoom = StudyRoom(self)
        self.made: MadeRoom = MadeRoom(self)
        self.actions_by_id = make_actions(self)
        make_menus(self, self.actions_by_id)
        self.setAcceptDrops(True)
        self._make_layout()
        self._connect()
        self._restore_geometry()
        self.set_stage(str(settings.value("stage", "Set out")))
        self.refresh_commands()
        self.show_start()

    def _make_tools(self) -> None:
        self.tools: Tools = Tools(self)
        self.datums: DatumTools = DatumTools(self)
        self.guides: GuideTools = GuideTools(self)
        self.shaping: ShapingTools = ShapingTools(self)
        self.gauges: GaugeTools = GaugeTools(self)
        self.ties: TieTools = TieTools(self)
        self.checks: ShapeChecks = ShapeChecks(self)
        self.tie_handles: TieHandles = TieHandles(self)
        self.handles: tuple[Handles, ...] = (
            StationHandles(self),
            GuideHandles(self),
            self.tie_handles,
            EndHandles(self),
            ReachHandles(self),
            StepHandles(self),
        )
        self._pulled: Handles | None = None
        """Those of which one is being dragged."""

    def _make_views(self) -> None:
        self.view: View = View(self.theme)
        self.body_plan: BodyPlan = BodyPlan(self.theme)
        self.board: Board = Board(self.theme)
        self.cuts: BoardCuts = BoardCuts(self)
        self.ledger: Ledger = Ledger(self.theme)
        self.details: Details = Details(self.desk, lambda: ShapeForm(self.checks))
        self.grid: StationGrid = StationGrid(self.desk)
        self.numbers: NumberTable = NumberTable(self.desk)
        self.foot: Foot = Foot(self.toggle_findings, partial(self.run_command, "cancel"))
        self.findings: Findings = Findings(self.desk, self.view, self.foot)
        self.start_page = StartPage()
        self.canvas: QStackedWidget = QStackedWidget()
        self.side: QStackedWidget = QStackedWidget()

    # What tools may use besides

    @property
    def widget(self) -> QWidget:
        """The window itself, over which menus and file dialogs stand."""
        return self

    @property
    def forms(self) -> QWidget:
        """Details, where what is chosen is changed."""
        return self.details

    def refresh_forms(self) -> None:
        """What Details shows has changed."""
        self.details.refresh()

    def _make_layout(self) -> None:
        shell = QWidget()
        shell.setObjectName("shell")
        column = QVBoxLayout(shell)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.buttons = ToolButtons(self, self.actions_by_id)
        self.strip = StageStrip(self.buttons, self.set_stage, partial(self.run_command, "find"))
        self.tray = Tray(self.buttons)
        for middle in (self.view, self.room.editor, self.paper.view, self.study.view):
            self.canvas.addWidget(middle)
        for side in (self.details, self.room.panel, self.paper.panel, self.study.panel, self.made.panel):
            self.side.addWidget(side)
        self.page = WorkPage(
            (self.canvas, self.body_plan),
            (self.grid, self.numbers),
            (self.ledger, self.side),
            (self.board, self.findings),
        )
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.page.outer)
        column.addWidget(self.strip)
        column.addWidget(self.tray)
        column.addWidget(self.pages, 1)
        column.addWidget(self.foot)
        self.setCentralWidget(shell)

    def _connect(self) -> None:
        desk, view, plan = self.desk, self.view, self.body_plan
        desk.quick_changed.connect(self._show_quick)
        desk.selection_changed.connect(self._show_selection)
        desk.design_changed.connect(self._show_title)
        desk.design_changed.connect(self.files.tell_unkept)
        desk.design_changed.connect(self.refresh_commands)
        desk.solid_changed.connect(self._show_solid)
        desk.progressed.connect(lambda *_: self.foot.show_solid(desk))
        desk.busy_changed.connect(self.refresh_commands)
        desk.said.connect(self.say)
        desk.engine.exported.connect(self.files.exported)
        view.picked.connect(lambda key: desk.select((key,)))
        view.picked_more.connect(desk.select_more)
        view.opened.connect(self.room.open)
        view.datum_pulled.connect(self.datums.pull)
        view.handle_pulled.connect(self._pull_handle)
        view.let_go.connect(self._release)
        plan.picked.connect(lambda key: desk.select((key,)))
        plan.tie_pulled.connect(self.tie_handles.pull_in_plan)
        plan.let_go.connect(desk.finish_preview)
        self.board_hands = BoardHands(self, self.shaping, self.tools.insert_at, self.actions_by_id)
        self.board_hands.connect()
        self.board.opened.connect(self.room.open)
        self.board.hovered_at.connect(self.cuts.show_live)
        self.ledger.chosen.connect(desk.select)
        self.ledger.opened.connect(self.room.open)
        self.ledger.remove_wanted.connect(partial(self.run_command, "remove"))
        self.ledger.menu_wanted.connect(lambda key, at: self.board_hands.show_menu(key, math.nan, at))
        page, files = self.start_page, self.files
        page.demo_wanted.connect(lambda name: files.open_design(sample(name), ask=True))
        page.recent_wanted.connect(files.open_path)
        page.new_wanted.connect(files.new)
        page.empty_wanted.connect(files.new_empty)
        page.open_wanted.connect(files.ask_open)
        page.table_wanted.connect(files.ask_table)
        page.recover_wanted.connect(files.recover)

    # Showing

    def _show_quick(self, quick: Quick) -> None:
        for widget in (self.view, self.body_plan, self.board, self.ledger):
            widget.show_quick(quick)
        self.show_handles()
        self.checks.refresh()
        self.cuts.refresh()
        self.findings.show_quick(quick)
        self.foot.show_counts(quick)
        self.foot.show_solid(self.desk)
        if not self.desk.moving:  # a drag makes no command useful that was not
            self.refresh_commands()

    def _show_selection(self) -> None:
        stations = self.desk.selected_stations()
        self.view.set_selected(self.desk.selection)
        self.show_handles()
        for widget in (self.body_plan, self.board):
            widget.set_selected(stations)
        self.ledger.set_selected(self.desk.selection)
        self.refresh_commands()

    def _show_solid(self) -> None:
        desk = self.desk
        self.ledger.show_solid(desk.solid_key, desk.finished)
        self.foot.show_solid(desk)
        self.refresh_commands()

    def show_handles(self) -> None:
        """Places in the View that can be dragged, for what is chosen."""
        self.view.set_handles({name: handle for kind in self.handles for name, handle in kind.places().items()})

    def _pull_handle(self, name: str, start: np.ndarray, now: np.ndarray) -> None:
        if self._pulled is None:
            self._pulled = next((kind for kind in self.handles if name in kind.places()), None)
        if self._pulled is not None:
            self._pulled.pull(name, start, now)

    def _release(self) -> None:
        """What was dragged in the View becomes one step."""
        if self._pulled is not None:
            self._pulled.release()
            self._pulled = None
        self.desk.finish_preview()

    def say(self, severity: str, text: str) -> None:
        """A sentence in the foot; severity is empty, note, band or error."""
        self.foot.say(severity, text)

    def show_view(self) -> None:
        """The View in the middle again, whatever stands in its place."""
        for room in (self.room, self.paper, self.study, self.made):
            room.leave()

    def show_start(self) -> None:
        """The start page."""
        recovered = find_recovered(self._recovery) if self._recovery is not None else []
        self.start_page.show_all(self.files.recent(), recovered)
        self.pages.setCurrentIndex(0)
        self._show_title()
        self.foot.show_design(False)

    def show_work(self) -> None:
        """The design's page."""
        self.pages.setCurrentIndex(1)
        self.foot.show_design(True)
        self.foot.show_solid(self.desk)
        self.board.setFocus()

    def set_stage(self, name: str) -> None:
        """Show a stage's tools in the tray; while a drawing is open, Draw shows its tools."""
        name = name if name in STAGES else STAGES[0]
        for room in () if name == "Deliver" else (self.paper, self.study, self.made):
            room.leave()
        self.stage = name
        self.strip.stages[name].setChecked(True)
        self.settings.setValue("stage", name)
        self.tray.show_stage(name, self.room.editing and name == "Draw")
        self.refresh_commands()

    def _show_title(self) -> None:
        session = self.desk.session
        if session is None:
            self.setWindowTitle("Isotomon")
            return
        name = session.path.name if session.path else session.design.name
        self.setWindowTitle(f"{name}{' •' if session.dirty else ''} – Isotomon")

    # Doing

    def toggle_theme(self) -> None:
        """Vellum or slate."""
        self.theme = THEMES["slate" if self.theme.name == "vellum" else "vellum"]
        self.settings.setValue("theme", self.theme.name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, self.theme)
        self.view.set_theme(self.theme)
        self.ledger.set_theme(self.theme)
        papers = self.paper.view, self.study.plot, self.made.panel.histogram
        for widget in (self.board, self.body_plan, self.room.editor, *papers):
            widget.theme = self.theme
            widget.update()
        self.refresh_commands()

    def find_action(self) -> None:
        """The list that narrows as one types."""
        self.finder = find_action(self)

    def show_help(self) -> None:
        """Help for the part that has the focus or the pointer."""
        self.help_sheet = show_help(self)

    def toggle_findings(self) -> None:
        """Show or hide the list of findings."""
        self.findings.setVisible(self.findings.isHidden())
        self.refresh_commands()

    def refresh_commands(self) -> None:
        """Which commands can be used now, and why others cannot."""
        session = self.desk.session
        named = {"undo": session.undo_title, "redo": session.redo_title} if session else {}
        for command in COMMANDS:
            action = self.actions_by_id[command.id]
            action.setEnabled(not command.reason(self))
            if command.id in named:
                action.setText(f"{command.title} {named[command.id] or ''}".strip())
            if command.checked is not None:
                action.setChecked(command.checked(self))
        self.buttons.refresh()
        self.strip.find_button.setIcon(icon("search", self.theme.ink))

    def run_command(self, key: str, *_: object) -> None:
        """Do a command by id, if it can be done now; else say why not."""
        self.details.commit()
        command = BY_ID[key]
        reason = command.reason(self)
        if reason:
            self.say("note", f"{command.title}: {reason}.")
        else:
            try:
                command.run(self)
            except IsotomonError as error:  # of what is on show and older than what is chosen, perhaps
                self.say("note", f"{command.title}: {error}.")
        self.refresh_commands()

    # The window itself

    def _restore_geometry(self) -> None:
        self.setMinimumSize(960, 640)
        if not self.restoreGeometry(self.settings.value("geometry") or b""):
            self.resize(1280, 800)
        free = self.screen().availableGeometry().size() if self.screen() is not None else QSize(1280, 800)
        self.setMinimumSize(self.minimumSize().boundedTo(free))
        self.resize(self.size().boundedTo(free))
        self.page.restore(self.settings)
        self.setWindowIcon(QIcon(icon("section", self.theme.accent)))

    def recovery_file(self) -> Path | None:
        """Where a new session keeps unsaved work: a name that no other has, whatever ids its process and others have."""
        if self._recovery is None:
            return None
        return self._recovery / f"session-{os.getpid()}-{time.time_ns():x}.isotomon"

    def changeEvent(self, event: QEvent) -> None:
        """When the user comes back, a file that was changed meanwhile is told."""
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            self.files.tell_changed()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A design or a table may be dropped."""
        urls = event.mimeData().urls()
        if len(urls) == 1 and urls[0].isLocalFile():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open what is dropped."""
        self.files.open_path(Path(event.mimeData().urls()[0].toLocalFile()))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved changes, remember the window, end the worker."""
        self.details.commit()
        if not self.files.may_leave():
            event.ignore()
            return
        if self.desk.session is not None:
            self.desk.session.drop_recovery()
        self.settings.setValue("geometry", self.saveGeometry())
        self.page.save(self.settings)
        for room in (self.study, self.made):
            room.stop()
        self.desk.engine.close()
        self.view.close_scene()
        event.accept()
