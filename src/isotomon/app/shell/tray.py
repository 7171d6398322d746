"""The strip of stages, and under it the tray with the tools of the stage that is chosen."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QWidget,
)

from isotomon.app.command import Command
from isotomon.app.shell.commands import BY_ID, COMMANDS, STAGES
from isotomon.app.theme import icon


class ToolButtons:
    """Buttons of commands: all are brought up to date together. `w`: the window, which commands are asked of."""

    def __init__(self, w: Any, actions: Mapping[str, QAction]) -> None:
        self.w, self.actions = w, actions
        self._made: list[tuple[QToolButton, Command]] = []

    def tool(self, command: Command, text: bool = True) -> QToolButton:
        """One button for a command."""
        button = QToolButton()
        button.setText(command.title)
        button.setAccessibleName(command.title)
        button.setIconSize(QSize(18, 18))
        style = Qt.ToolButtonStyle.ToolButtonTextBesideIcon if text else Qt.ToolButtonStyle.ToolButtonIconOnly
        button.setToolButtonStyle(style)
        button.setCheckable(command.checked is not None)
        button.clicked.connect(partial(self.w.run_command, command.id))
        self._made.append((button, command))
        return button

    def family(self, title: str, members: list[Command]) -> QToolButton:
        """Tools of one kind behind one button: its menu has them all."""
        button = QToolButton()
        button.setText(f"{title} ▾")
        button.setAccessibleName(title)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(button)
        for command in members:
            menu.addAction(self.actions[command.id])
        menu.aboutToShow.connect(self.w.refresh_commands)
        button.setMenu(menu)
        return button

    def refresh(self) -> None:
        """Which can be pressed now, and why others cannot."""
        for button, command in self._made:
            if not button.isVisibleTo(self.w):
                continue
            reason = command.reason(self.w)
            button.setEnabled(not reason)
            keys = f"  ({command.shortcut})" if command.shortcut else ""
            button.setToolTip(f"{self.actions[command.id].text()}{keys}\n{reason or command.tip}")
            if command.icon:
                button.setIcon(icon(command.icon, self.w.theme.ink if not reason else self.w.theme.soft_ink))
            if command.checked is not None:
                button.setChecked(command.checked(self.w))


class StageStrip(QWidget):
    """The stages, and what is wanted in all of them."""

    def __init__(self, buttons: ToolButtons, choose: Callable[[str], None], find: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("stages")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 8, 0)
        row.setSpacing(0)
        self.group = QButtonGroup(self)
        self.stages: dict[str, QPushButton] = {}
        for name in STAGES:
            button = QPushButton(name)
            button.setCheckable(True)
            button.clicked.connect(partial(choose, name))
            self.group.addButton(button)
            self.stages[name] = button
            row.addWidget(button)
        row.addStretch(1)
        for key in ("undo", "redo", "save"):
            row.addWidget(buttons.tool(BY_ID[key], text=False))
        self.find_button = QToolButton()
        self.find_button.setText("Find an action   Ctrl+K")
        self.find_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.find_button.clicked.connect(lambda *_: find())
        row.addWidget(self.find_button)
        for key in ("theme", "help"):
            row.addWidget(buttons.tool(BY_ID[key], text=False))


class Tray(QStackedWidget):
    """The tools of a stage; each stage's are made when it is first shown."""

    def __init__(self, buttons: ToolButtons) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.buttons = buttons
        self._trays: dict[tuple[str, bool], QWidget] = {}

    def show_stage(self, name: str, drawing: bool) -> None:
        """A stage's tools; `drawing`: those for a drawing that is open."""
        if (name, drawing) not in self._trays:
            self._trays[name, drawing] = self._made(name, drawing)
            self.addWidget(self._trays[name, drawing])
        self.setCurrentWidget(self._trays[name, drawing])

    def _made(self, name: str, drawing: bool) -> QWidget:
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
            alone = len(members) == 1
            row.addWidget(self.buttons.tool(members[0]) if alone else self.buttons.family(title, members))
        row.addStretch(1)
        return tray
