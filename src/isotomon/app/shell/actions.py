"""The commands as the window's actions: shortcuts and menus, and what can be found and helped with."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from isotomon.app.shell.commands import COMMANDS, MENUS
from isotomon.app.shell.finder import Action, Finder, HelpSheet

NARROW = ("Del", "Ins", "Ctrl+C", "Ctrl+V", "Ctrl+A")
"""Keys that mean something else in tables and text fields, besides single letters."""
TOPICS = ("view", "board", "bodyplan", "ledger", "details", "grid", "drawing", "numbers")
"""Parts of the window that have help of their own."""


def make_actions(w: Any) -> dict[str, QAction]:
    """An action for every command, by id. `w`: the window, which commands are asked of and work on."""
    actions = {}
    for command in COMMANDS:
        action = QAction(command.title, w)
        if command.shortcut:
            action.setShortcut(QKeySequence(command.shortcut))
        # Single keys belong to the View and Board; in text fields they are letters.
        wide = len(command.shortcut) > 1 and command.shortcut not in NARROW
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut if wide else Qt.ShortcutContext.WidgetShortcut)
        action.setCheckable(command.checked is not None)
        action.setToolTip(command.tip)
        action.triggered.connect(partial(w.run_command, command.id))
        w.addAction(action)
        if not wide:
            places = (w.view, w.board, w.body_plan, w.ledger)
            for widget in (w.room.editor,) if command.drawing else places:
                widget.addAction(action)
        actions[command.id] = action
    loft = QActionGroup(w)
    for key in ("smooth", "ruled"):
        loft.addAction(actions[key])
    return actions


def make_menus(w: Any, actions: Mapping[str, QAction]) -> None:
    """The menu bar."""
    for title, ids in MENUS.items():
        menu = w.menuBar().addMenu(title)
        menu.aboutToShow.connect(w.refresh_commands)
        for key in ids:
            if key:
                menu.addAction(actions[key])
            else:
                menu.addSeparator()
        if title == "Design":
            recent = QMenu("Recent designs", w)
            menu.insertMenu(actions["save"], recent)
            recent.aboutToShow.connect(partial(_fill_recent, w, recent))


def _fill_recent(w: Any, menu: QMenu) -> None:
    menu.clear()
    for path in w.files.recent():
        menu.addAction(str(path), partial(w.files.open_path, path))
    if menu.isEmpty():
        menu.addAction("None yet").setEnabled(False)


def _findable(w: Any) -> list[Action]:
    return [
        Action(w.actions_by_id[c.id].text(), c.shortcut, c.reason(w), c.tip, partial(w.run_command, c.id))
        for c in COMMANDS
    ]


def find_action(w: Any) -> Finder:
    """The list that narrows as one types, shown under the button that is for it."""
    button = w.strip.find_button
    finder = Finder(w, _findable(w), button.mapToGlobal(button.rect().bottomRight()))
    finder.show()
    return finder


def show_help(w: Any) -> HelpSheet:
    """Help for the part that has the focus or the pointer, shown."""
    widget: QWidget | None = QApplication.focusWidget() or QApplication.widgetAt(w.cursor().pos())
    while widget is not None and widget.objectName() not in TOPICS:
        widget = widget.parentWidget()
    sheet = HelpSheet(w, widget.objectName() if widget else "board", _findable(w))
    sheet.show()
    return sheet
