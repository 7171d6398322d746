"""The window: stage strip, tray, Ledger, View and body plan, Details, Board, foot."""

from __future__ import annotations

import math
import os
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QSettings, QSize, Qt, QTimer
from PySide6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMainWindow,
    QMenu,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.board.board import Board
from isotomon.app.board.bodyplan import BodyPlan
from isotomon.app.drawing.room import DrawingRoom
from isotomon.app.forms.body import solid_state
from isotomon.app.forms.details import Details
from isotomon.app.forms.fields import NoteEdit
from isotomon.app.forms.shape_checks import ShapeForm
from isotomon.app.forms.wiring import offer_behind_formula
from isotomon.app.handles.ends import EndGrips
from isotomon.app.handles.reach import ReachGrips
from isotomon.app.handles.stations import GripTools
from isotomon.app.handles.steps import StepGrips
from isotomon.app.shell.commands import BY_ID, COMMANDS, MENUS, STAGES, Command
from isotomon.app.shell.files import Files
from isotomon.app.shell.finder import Action, Finder, HelpSheet
from isotomon.app.shell.start import StartPage
from isotomon.app.state.desk import CHECKS, Desk
from isotomon.app.state.engine import Engine
from isotomon.app.tables.ledger import Ledger
from isotomon.app.tables.numbers import NumberTable
from isotomon.app.tables.stations import StationGrid
from isotomon.app.theme import THEMES, VELLUM, apply_theme, icon
from isotomon.app.tools.datums import DatumTools
from isotomon.app.tools.gauges import GaugeTools
from isotomon.app.tools.guides import GuideTools
from isotomon.app.tools.shape_checks import ShapeChecks
from isotomon.app.tools.shaping import ShapingTools
from isotomon.app.tools.stations import Tools
from isotomon.app.tools.ties import TieTools
from isotomon.app.viewport.view import View
from isotomon.author.session import find_recovered
from isotomon.design import edits, station_edits
from isotomon.design.bodies import body_ids, stations_of_all
from isotomon.design.datums import BASE_SHOWN
from isotomon.design.records import Design
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, Failed
from isotomon.measure.laws import Finding
from isotomon.samples import sample
from isotomon.solids.plan import finished_key

OF_THE_CANVAS = ("Ctrl+C", "Ctrl+V", "Ctrl+A")
"""Keys that mean something else in tables and text fields."""


class Window(QMainWindow):
    """Puts the parts together; holds no design of its own."""

    def __init__(self, engine: Engine, settings: QSettings, recovery: Path | None) -> None:
        super().__init__()
        self.settings, self._recovery = settings, recovery
        self.theme = THEMES.get(str(settings.value("theme", "vellum")), VELLUM)
        self.desk: Desk = Desk(engine)
        self.files: Files = Files(self)
        self.tools: Tools = Tools(self)
        self.datums: DatumTools = DatumTools(self)
        self.grips: GripTools = GripTools(self)
        self.guides: GuideTools = GuideTools(self)
        self.shaping: ShapingTools = ShapingTools(self)
        self.gauges: GaugeTools = GaugeTools(self)
        self.ties: TieTools = TieTools(self)
        self.ends: EndGrips = EndGrips(self)
        self.reach: ReachGrips = ReachGrips(self)
        self.steps: StepGrips = StepGrips(self)
        self.checks: ShapeChecks = ShapeChecks(self)
        self.view: View = View(self.theme)
        self.body_plan: BodyPlan = BodyPlan(self.theme)
        self.board: Board = Board(self.theme)
        self.ledger: Ledger = Ledger(self.theme)
        self.details: Details = Details(self.desk, lambda: ShapeForm(self.checks))
        self.grid: StationGrid = StationGrid(self.desk)
        self.numbers: NumberTable = NumberTable(self.desk)
        self.start_page = StartPage()
        self.stage = "Set out"
        self.canvas: QStackedWidget = QStackedWidget()
        self.side: QStackedWidget = QStackedWidget()
        self.room: DrawingRoom = DrawingRoom(self)
        self.actions_by_id: dict[str, QAction] = {}
        self._tray_buttons: list[tuple[QToolButton, Command]] = []
        self._finding_at = -1
        self._told: Finding | None = None
        self.setAcceptDrops(True)
        self._make_actions()
        self._make_layout()
        self._connect()
        self._restore_geometry()
        self.set_stage(str(settings.value("stage", "Set out")))
        self.refresh_commands()
        self.show_start()

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

    def read_reference(self, path: Path) -> None:
        """A design file whose body is compared with."""
        self.checks.read_reference(path)

    # Making

    def _make_actions(self) -> None:
        for command in COMMANDS:
            action = QAction(command.title, self)
            if command.shortcut:
                action.setShortcut(QKeySequence(command.shortcut))
            # Single keys belong to the View and Board; in text fields they are letters.
            wide = len(command.shortcut) > 1 and command.shortcut not in ("Del", "Ins", *OF_THE_CANVAS)
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut if wide else Qt.ShortcutContext.WidgetShortcut)
            action.setCheckable(command.checked is not None)
            action.setToolTip(command.tip)
            action.triggered.connect(partial(self.run_command, command.id))
            self.addAction(action)
            if not wide:
                places = (self.view, self.board, self.body_plan, self.ledger)
                for widget in (self.room.editor,) if command.drawing else places:
                    widget.addAction(action)
            self.actions_by_id[command.id] = action
        loft = QActionGroup(self)
        for key in ("smooth", "ruled"):
            loft.addAction(self.actions_by_id[key])
        for title, ids in MENUS.items():
            menu = self.menuBar().addMenu(title)
            menu.aboutToShow.connect(self.refresh_commands)
            for key in ids:
                if key:
                    menu.addAction(self.actions_by_id[key])
                else:
                    menu.addSeparator()
            if title == "Design":
                recent = QMenu("Recent designs", self)
                menu.insertMenu(self.actions_by_id["save"], recent)
                recent.aboutToShow.connect(partial(self._fill_recent, recent))

    def _fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        for path in self.files.recent():
            menu.addAction(str(path), partial(self.files.open_path, path))
        if menu.isEmpty():
            menu.addAction("None yet").setEnabled(False)

    def _make_layout(self) -> None:
        shell = QWidget()
        shell.setObjectName("shell")
        column = QVBoxLayout(shell)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._stage_strip())
        self.tray = QStackedWidget()
        self.tray.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self._trays: dict[tuple[str, bool], QWidget] = {}
        column.addWidget(self.tray)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self._work_page())
        column.addWidget(self.pages, 1)
        column.addWidget(self._foot())
        self.setCentralWidget(shell)

    def _stage_strip(self) -> QWidget:
        strip = QWidget()
        strip.setObjectName("stages")
        row = QHBoxLayout(strip)
        row.setContentsMargins(6, 0, 8, 0)
        row.setSpacing(0)
        self.stage_group = QButtonGroup(self)
        self.stage_buttons: dict[str, QPushButton] = {}
        for name in STAGES:
            button = QPushButton(name)
            button.setCheckable(True)
            button.clicked.connect(partial(self.set_stage, name))
            self.stage_group.addButton(button)
            self.stage_buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        for key in ("undo", "redo", "save"):
            row.addWidget(self._tool_button(BY_ID[key], text=False))
        self.find_button = QToolButton()
        self.find_button.setText("Find an action   Ctrl+K")
        self.find_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.find_button.clicked.connect(self.find_action)
        row.addWidget(self.find_button)
        for key in ("theme", "help"):
            row.addWidget(self._tool_button(BY_ID[key], text=False))
        return strip

    def _tool_button(self, command: Command, text: bool = True) -> QToolButton:
        button = QToolButton()
        button.setText(command.title)
        button.setAccessibleName(command.title)
        button.setIconSize(QSize(18, 18))
        style = Qt.ToolButtonStyle.ToolButtonTextBesideIcon if text else Qt.ToolButtonStyle.ToolButtonIconOnly
        button.setToolButtonStyle(style)
        button.setCheckable(command.checked is not None)
        button.clicked.connect(partial(self.run_command, command.id))
        self._tray_buttons.append((button, command))
        return button

    def _family_button(self, title: str, members: list[Command]) -> QToolButton:
        """Tools of one kind behind one button: its menu has them all."""
        button = QToolButton()
        button.setText(f"{title} ▾")
        button.setAccessibleName(title)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(button)
        for command in members:
            menu.addAction(self.actions_by_id[command.id])
        menu.aboutToShow.connect(self.refresh_commands)
        button.setMenu(menu)
        return button

    def _work_page(self) -> QWidget:
        self.middle = QSplitter(Qt.Orientation.Horizontal)
        self.canvas.addWidget(self.view)
        self.canvas.addWidget(self.room.editor)
        self.side.addWidget(self.details)
        self.side.addWidget(self.room.panel)
        self.middle.addWidget(self.canvas)
        self.middle.addWidget(self.body_plan)
        self.middle.setStretchFactor(0, 1)
        self.middle.setSizes([560, 270])
        self.centre = QSplitter(Qt.Orientation.Vertical)
        self.centre.addWidget(self.middle)
        for table in (self.grid, self.numbers):
            self.centre.addWidget(table)
            table.hide()
        self.upper = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.ledger, self.centre, self.side):
            self.upper.addWidget(widget)
        self.upper.setStretchFactor(1, 1)
        self.upper.setSizes([232, 778, 268])
        self.outer = QSplitter(Qt.Orientation.Vertical)
        self.outer.addWidget(self.upper)
        self.outer.addWidget(self.board)
        self.finding_list = QListWidget()
        self.finding_list.setObjectName("findings")
        self.finding_list.setAccessibleName("Findings")
        self.finding_list.setWordWrap(True)
        self.finding_list.setMaximumHeight(96)
        self.finding_list.hide()
        self.outer.addWidget(self.finding_list)
        self.outer.setStretchFactor(0, 1)
        self.outer.setSizes([430, 262, 64])
        for splitter in (self.middle, self.centre, self.upper, self.outer):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)
        return self.outer

    def _foot(self) -> QWidget:
        foot = QWidget()
        foot.setObjectName("foot")
        row = QHBoxLayout(foot)
        row.setContentsMargins(8, 2, 8, 2)
        self.count_button = QToolButton()
        self.count_button.clicked.connect(self.toggle_findings)
        self.message = QLabel()
        self.message.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.solid_label = QLabel()
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        self.progress.setFixedWidth(120)
        self.progress.setTextVisible(False)
        self.cancel_button = QToolButton()
        self.cancel_button.setText("Cancel")
        self.cancel_button.clicked.connect(partial(self.run_command, "cancel"))
        row.addWidget(self.count_button)
        row.addWidget(self.message, 1)
        for widget in (self.solid_label, self.progress, self.cancel_button):
            row.addWidget(widget)
        return foot

    def _connect(self) -> None:
        desk = self.desk
        desk.quick_changed.connect(self._show_quick)
        desk.selection_changed.connect(self._show_selection)
        desk.design_changed.connect(self._show_title)
        desk.design_changed.connect(self.files.tell_unkept)
        desk.design_changed.connect(self.refresh_commands)
        desk.solid_changed.connect(self._show_solid)
        desk.progressed.connect(self._show_solid_line)
        desk.busy_changed.connect(self.refresh_commands)
        desk.said.connect(self.say)
        desk.engine.exported.connect(self.files.exported)
        self.view.picked.connect(lambda key: desk.select((key,)))
        self.view.picked_more.connect(self._pick_more)
        self.view.opened.connect(self._open_station)
        self.body_plan.picked.connect(lambda key: desk.select((key,)))
        self.view.pulled.connect(self.datums.pull)
        self.view.gripped.connect(self._pull_grip)
        self.view.let_go.connect(self.grips.let_go)
        self.view.let_go.connect(self.reach.let_go)
        self.view.let_go.connect(self.steps.let_go)
        self.body_plan.tie_pulled.connect(self.ties.pull_in_plan)
        self.body_plan.let_go.connect(desk.finish_preview)
        self.ledger.chosen.connect(desk.select)
        self.ledger.opened.connect(self._open_station)
        self.ledger.remove_wanted.connect(partial(self.run_command, "remove"))
        self.ledger.menu_wanted.connect(lambda key, at: self._station_menu(key, math.nan, at))
        board = self.board
        board.may_drag = self._may_drag
        board.chosen.connect(self._choose_on_board)
        board.opened.connect(self._open_station)
        board.dragging.connect(lambda key, z: desk.preview(*self._moved(key, z)))
        board.dropped.connect(self._drop_station)
        board.given_up.connect(desk.give_up_preview)
        board.insert_wanted.connect(self.tools.insert_at)
        board.hovered_at.connect(self._show_live)
        board.menu_wanted.connect(self._station_menu)
        self.finding_list.itemClicked.connect(lambda item: self.go_to_finding(self.finding_list.row(item)))
        self.finding_list.itemActivated.connect(lambda item: self.go_to_finding(self.finding_list.row(item)))
        page = self.start_page
        page.demo_wanted.connect(lambda name: self.files.open_design(sample(name), ask=True))
        page.recent_wanted.connect(self.files.open_path)
        page.new_wanted.connect(self.files.new)
        page.empty_wanted.connect(self.files.new_empty)
        page.open_wanted.connect(self.files.ask_open)
        page.table_wanted.connect(self.files.ask_table)
        page.recover_wanted.connect(self.files.recover)

    # Showing

    def _show_quick(self, quick: Quick) -> None:
        for widget in (self.view, self.body_plan, self.board, self.ledger):
            widget.show_quick(quick)
        self.show_grips()
        self.checks.refresh()
        self._show_findings(quick)
        self._show_solid_line()
        self.refresh_commands()

    def _show_selection(self) -> None:
        stations = self.desk.selected_stations()
        self.view.set_selected(self.desk.selection)
        self.show_grips()
        for widget in (self.body_plan, self.board):
            widget.set_selected(stations)
        self.ledger.set_selected(self.desk.selection)
        self.refresh_commands()

    def show_grips(self) -> None:
        """Places in the View that can be dragged, for what is chosen."""
        tools = (self.grips, self.guides, self.ties, self.ends, self.reach, self.steps)
        self.view.set_grips({kind: place for tool in tools for kind, place in tool.grips().items()})

    def _pick_more(self, key: str) -> None:
        """Something more is chosen, or no more, in the View; an edge or face is named."""
        if "/" in key and self.desk.design is not None:  # a part is meant now, no body as a whole
            bodies = body_ids(self.desk.design)
            self.desk.select(tuple(k for k in self.desk.selection if k not in bodies))
        self.desk.select((key,), add=True)
        ground = self.desk.ground()
        if "/" in key and key in self.desk.selection and ground is not None:
            self.say(
                "note",
                f"Chosen: {ground.called(key)}. Now take a tool, such as an axis, a plane, a guide or a measure.",
            )

    def _pull_grip(self, kind: str, start: np.ndarray, now: np.ndarray) -> None:
        word = kind.split()[0]
        if word == "end":
            self.ends.pull(kind, now)
            return
        if word in ("reach", "step"):
            (self.reach if word == "reach" else self.steps).pull(kind, start, now)
            return
        tools = self.guides if word in ("point", "handle") else self.ties if word == "tie" else self.grips
        tools.pull(kind, start, now)

    def _show_live(self, position: float) -> None:
        self.view.set_live(position)
        self.body_plan.set_live(position)

    def _show_findings(self, quick: Quick) -> None:
        words = {"error": "✕", "band": "▲", "note": "·"}
        self.finding_list.clear()
        for finding in quick.findings:
            mends = "  → " + " · ".join(m.title for m in finding.mends) if finding.mends else ""
            item = QListWidgetItem(f"{words[finding.severity]}  {finding.where}: {finding.text}{mends}")
            self.finding_list.addItem(item)
        if not quick.findings:
            self.finding_list.addItem("Nothing is wrong and everything is in its band.")
        errors = sum(f.severity == "error" for f in quick.findings)
        out = sum(f.severity == "band" for f in quick.findings)
        parts = [f"✕ {errors} error{'s' if errors > 1 else ''}"] if errors else []
        parts += [f"▲ {out} out of band"] if out else []
        self.count_button.setText("   ".join(parts) or "✓ All in band")
        self.count_button.setMinimumWidth(self.count_button.sizeHint().width())
        self.count_button.setToolTip("Show or hide the list of findings")
        self._finding_at = min(self._finding_at, len(quick.findings) - 1)
        self._keep_told(quick)

    def _show_title(self) -> None:
        session = self.desk.session
        if session is None:
            self.setWindowTitle("Isotomon")
            return
        name = session.path.name if session.path else session.design.name
        self.setWindowTitle(f"{name}{' •' if session.dirty else ''} – Isotomon")

    def _show_solid(self) -> None:
        self.ledger.show_solid(self.desk.solid_key, self.desk.finished)
        self._show_solid_line()
        quick = self.desk.quick
        if quick is not None and isinstance(self.desk.solid, Built) and self.desk.solid_key == finished_key(quick):
            self.view.show_finished(self.desk.finished)
        tried = self.desk.solid_key and not self.desk.building
        if tried and isinstance(self.desk.solid, Failed) and self.desk.solid.kind != "cancelled":
            self.say("error", f"Solid: {self.desk.solid.text}.")
        self.refresh_commands()

    def _show_solid_line(self) -> None:
        text, good = solid_state(self.desk)
        under_way, share = self.desk.under_way
        self.solid_label.setText(f"{under_way}…" if under_way else text if good else "No solid")
        self.solid_label.setToolTip(text)
        self.progress.setValue(round(100 * share))
        for widget in (self.progress, self.cancel_button):
            widget.setVisible(bool(under_way))

    def say(self, severity: str, text: str) -> None:
        mark = {"error": "✕  ", "band": "▲  "}.get(severity, "") if text else ""
        self.message.setText(mark + text)
        self.message.setToolTip(text)

    def show_start(self) -> None:
        """The start page."""
        recovered = find_recovered(self._recovery) if self._recovery is not None else []
        self.start_page.show_all(self.files.recent(), recovered)
        self.pages.setCurrentIndex(0)
        self._show_title()
        self.say("", "")
        for widget in (self.count_button, self.solid_label, self.progress, self.cancel_button):
            widget.hide()

    def show_work(self) -> None:
        """The design's page."""
        self.pages.setCurrentIndex(1)
        for widget in (self.count_button, self.solid_label):
            widget.show()
        self._show_solid_line()
        self.board.setFocus()

    def set_stage(self, name: str) -> None:
        """Show a stage's tools in the tray; while a drawing is open, Draw shows its tools."""
        name = name if name in STAGES else STAGES[0]
        self.stage = name
        self.stage_buttons[name].setChecked(True)
        self.settings.setValue("stage", name)
        drawing = self.room.editing and name == "Draw"
        if (name, drawing) not in self._trays:
            self._trays[name, drawing] = self._make_tray(name, drawing)
            self.tray.addWidget(self._trays[name, drawing])
        self.tray.setCurrentWidget(self._trays[name, drawing])
        self.refresh_commands()

    def _make_tray(self, name: str, drawing: bool) -> QWidget:
        tray = QWidget()
        tray.setObjectName("tray")
        row = QHBoxLayout(tray)
        row.setContentsMargins(10, 3, 10, 3)
        row.setSpacing(2)
        families: dict[str, list[Command]] = {}
        for command in COMMANDS:
            if command.stage == name and command.drawing == drawing:
                families.setdefault(command.family or command.id, []).append(command)
        for title, members in families.items():
            row.addWidget(self._tool_button(members[0]) if len(members) == 1 else self._family_button(title, members))
        row.addStretch(1)
        return tray

    def refresh_commands(self) -> None:
        """Which commands can be used now, and why others cannot."""
        session = self.desk.session
        named = {"undo": session.undo_title if session else None, "redo": session.redo_title if session else None}
        for command in COMMANDS:
            reason = command.reason(self)
            action = self.actions_by_id[command.id]
            action.setEnabled(not reason)
            if command.id in named:
                action.setText(f"{command.title} {named[command.id] or ''}".strip())
            if command.checked is not None:
                action.setChecked(command.checked(self))
        for button, command in self._tray_buttons:
            if not button.isVisibleTo(self):
                continue
            reason = command.reason(self)
            button.setEnabled(not reason)
            title = self.actions_by_id[command.id].text()
            keys = f"  ({command.shortcut})" if command.shortcut else ""
            button.setToolTip(f"{title}{keys}\n{reason or command.tip}")
            if command.icon:
                button.setIcon(icon(command.icon, self.theme.ink if not reason else self.theme.soft_ink))
            if command.checked is not None:
                button.setChecked(command.checked(self))
        self.find_button.setIcon(icon("search", self.theme.ink))

    # Doing

    def run_command(self, key: str, *_: object) -> None:
        """Do a command by id, if it can be done now; else say why not."""
        self.commit_field()
        command = BY_ID[key]
        reason = command.reason(self)
        if reason:
            self.say("note", f"{command.title}: {reason}.")
        else:
            command.run(self)
        self.refresh_commands()

    def commit_field(self) -> None:
        """Take what has been typed into a field and not yet entered, so that nothing done next leaves it behind."""
        field = QApplication.focusWidget()
        if isinstance(field, NoteEdit):
            field.commit()
        elif isinstance(field, QLineEdit) and field.isModified() and self.details.isAncestorOf(field):
            field.editingFinished.emit()

    def removable(self) -> bool:
        """Whether something that can be removed is chosen."""
        design = self.desk.design
        if design is None:
            return False
        kept = {CHECKS, *BASE_SHOWN, *(() if self.desk.others else (self.desk.hand,))}
        return any(key not in kept for key in self.desk.selection)

    def _actions(self) -> list[Action]:
        return [
            Action(self.actions_by_id[c.id].text(), c.shortcut, c.reason(self), c.tip, partial(self.run_command, c.id))
            for c in COMMANDS
        ]

    def find_action(self) -> None:
        """The list that narrows as one types."""
        corner = self.find_button.mapToGlobal(QPoint(self.find_button.width(), self.find_button.height()))
        self.finder = Finder(self, self._actions(), corner)
        self.finder.show()

    def show_help(self) -> None:
        """Help for the part that has the focus or the pointer."""
        widget: QWidget | None = QApplication.focusWidget() or QApplication.widgetAt(self.cursor().pos())
        topics = ("view", "board", "bodyplan", "ledger", "details", "grid", "drawing", "numbers")
        while widget is not None and widget.objectName() not in topics:
            widget = widget.parentWidget()
        self.help_sheet = HelpSheet(self, widget.objectName() if widget else "board", self._actions())
        self.help_sheet.show()

    def toggle_findings(self) -> None:
        """Show or hide the list."""
        self.finding_list.setVisible(self.finding_list.isHidden())
        self.refresh_commands()

    def findings_shown(self) -> bool:
        """Whether the list is open."""
        return not self.finding_list.isHidden()

    def next_finding(self) -> None:
        """Go to the next finding, and round again."""
        quick = self.desk.quick
        if quick is not None and quick.findings:
            self.go_to_finding((self._finding_at + 1) % len(quick.findings))

    def go_to_finding(self, row: int) -> None:
        """Choose what a finding is about and show its place."""
        quick = self.desk.quick
        if quick is None or not 0 <= row < len(quick.findings):
            return
        self._finding_at = row
        finding = self._told = quick.findings[row]
        self.view.set_finding(finding)
        self.desk.select((self._culprit(quick, finding),))
        self.say(finding.severity, _words_of(finding))

    def _keep_told(self, quick: Quick) -> None:
        """The finding that was gone to is told as it is now, or no more."""
        told = self._told
        if told is None:
            return
        now = next((f for f in quick.findings if (f.about, f.severity) == (told.about, told.severity)), None)
        if self.message.toolTip() == _words_of(told):
            self.say(told.severity, "" if now is None else _words_of(now))
        if now is None:
            self.view.set_finding(None)
        self._told = now

    def _culprit(self, quick: Quick, finding: Finding) -> str:
        rail = next((r for r in quick.body.loft.rails if r.id == finding.about), None)
        if rail is not None:
            return rail.guide
        if finding.position is not None and finding.severity == "band":
            for n in quick.resolved.stations:
                if abs(n.position - finding.position) < 1e-6:
                    return n.station.id
        return finding.about

    def toggle_body_plan(self) -> None:
        """Split the View or give it all the room."""
        self.body_plan.setVisible(self.body_plan.isHidden())

    def toggle_grid(self) -> None:
        """The stations as a grid under the View."""
        self._toggle_table(self.grid)

    def toggle_numbers(self) -> None:
        """The named numbers as a grid under the View."""
        self._toggle_table(self.numbers)

    def _toggle_table(self, table: QTableView) -> None:
        show = table.isHidden()
        self.grid.hide()
        self.numbers.hide()
        table.setVisible(show)
        if show:
            half = self.centre.height() // 2
            self.centre.setSizes([half, half, half])
            table.setFocus()

    def toggle_theme(self) -> None:
        """Vellum or slate."""
        self.theme = THEMES["slate" if self.theme.name == "vellum" else "vellum"]
        self.settings.setValue("theme", self.theme.name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, self.theme)
        self.view.set_theme(self.theme)
        self.ledger.set_theme(self.theme)
        for widget in (self.board, self.body_plan, self.room.editor):
            widget.theme = self.theme
            widget.update()
        self.refresh_commands()

    def _open_station(self, key: str) -> None:
        design = self.desk.design
        if design is not None and any(s.id == key for s in stations_of_all(design)):
            self.desk.select((key,))
            self.room.open_station(key)
        elif design is not None and any(d.id == key for d in design.drawings):
            self.room.open_drawing(key)

    def _choose_on_board(self, key: str, add: bool) -> None:
        """A station; or, at an end the body goes on to, the body."""
        if key.startswith("reach") and self.desk.design is not None:
            key = self.desk.hand
        self.desk.select((key,), add)

    def _may_drag(self, key: str) -> bool:
        """A station driven by a formula is not dragged: the numbers behind it are offered instead."""
        assert self.desk.design is not None
        if key.startswith("reach"):
            return self.shaping.may_reach(key)
        position = edits.find(self.desk.held.stations, key).position
        if not isinstance(position, str):
            return True
        found = self.desk.quick.resolved.get(key) if self.desk.quick else None
        number = found.position if found is not None else 0.0
        QTimer.singleShot(0, partial(self._offer_position, key, position, number))
        return False

    def _offer_position(self, key: str, formula: str, number: float) -> None:
        offer_behind_formula(
            self.desk,
            formula,
            lambda: self._drop_station(key, number),
        )

    def _drop_station(self, key: str, position: float) -> None:
        self.desk.do(*self._moved(key, position))

    def _moved(self, key: str, position: float) -> tuple[str, Callable[[Design], Design]]:
        """(title, edit) for a station, or an end the body goes on to, dragged to a position."""
        if key.startswith("reach"):
            return self.shaping.reached(key, position)
        place = self.desk.own_position(position)
        return "move the station", lambda d: station_edits.change_station(d, key, position=place)

    def _station_menu(self, key: str, position: float, at: QPoint) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if key:
            if key not in self.desk.selection:
                self.desk.select((key,))
            ids = (
                ("look-at", "section", "insert", "duplicate", "remove")
                if self.desk.selected_stations()
                else ("remove",)
            )
            for name in ids:
                menu.addAction(self.actions_by_id[name])
        quick = self.desk.quick
        shape = quick.shape if quick is not None else None
        if shape is not None and shape.field.first < position < shape.field.last:
            menu.addAction("Insert a station here, keeping the shape", partial(self.tools.insert_at, position))
        if not menu.isEmpty():
            menu.popup(at)

    # The window itself

    def recovery_file(self) -> Path | None:
        """Where a new session keeps unsaved work: a name that no other has, whatever ids its process and others have."""
        if self._recovery is None:
            return None
        return self._recovery / f"session-{os.getpid()}-{time.time_ns():x}.isotomon"

    def _restore_geometry(self) -> None:
        self.setMinimumSize(960, 640)
        if not self.restoreGeometry(self.settings.value("geometry") or b""):
            self.resize(1280, 800)
        free = self.screen().availableGeometry().size() if self.screen() is not None else QSize(1280, 800)
        self.setMinimumSize(self.minimumSize().boundedTo(free))
        self.resize(self.size().boundedTo(free))
        for name in ("middle", "upper", "outer"):
            state = self.settings.value(f"splitter/{name}")
            if state is not None:
                getattr(self, name).restoreState(state)
        self.setWindowIcon(QIcon(icon("section", self.theme.accent)))

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
        self.commit_field()
        if not self.files.may_leave():
            event.ignore()
            return
        if self.desk.session is not None:
            self.desk.session.drop_recovery()
        self.settings.setValue("geometry", self.saveGeometry())
        for name in ("middle", "upper", "outer"):
            self.settings.setValue(f"splitter/{name}", getattr(self, name).saveState())
        self.desk.engine.close()
        self.view.close_scene()
        event.accept()


def _words_of(finding: Finding) -> str:
    """A finding in one line."""
    return f"{finding.where}: {finding.text}"
