"""What tools may use of the window: a narrow protocol, so that no tool knows the window, nor the window's files, tables and forms."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QStackedWidget, QWidget

from isotomon.app.board.board import Board
from isotomon.app.board.bodyplan import BodyPlan
from isotomon.app.state.desk import Desk
from isotomon.app.theme import Theme
from isotomon.app.viewport.view import View


class Checks(Protocol):
    """The checks of shape, to those who do not know them."""

    def refresh(self) -> None:
        """Look again."""

    def read_reference(self, path: Path) -> None:
        """A design file whose body is compared with."""


class Api(Protocol):
    """The window, to its tools."""

    desk: Desk
    view: View
    board: Board
    body_plan: BodyPlan
    canvas: QStackedWidget
    """What fills the middle: the View, a drawing, or a sheet."""
    side: QStackedWidget
    """What stands at the right: Details, or the panel of a drawing or a sheet."""
    theme: Theme
    stage: str
    settings: QSettings

    @property
    def widget(self) -> QWidget:
        """The window itself, over which menus and file dialogs stand."""

    @property
    def forms(self) -> QWidget:
        """Details, where what is chosen is changed."""

    def say(self, severity: str, text: str) -> None:
        """A sentence in the foot; severity is empty, note, band or error."""

    def show_work(self) -> None:
        """The design, instead of the start page."""

    def show_view(self) -> None:
        """The View in the middle again, whatever stands in its place."""

    def set_stage(self, name: str) -> None:
        """Another stage, with its tools in the tray."""

    def refresh_commands(self) -> None:
        """Which commands can be used has changed."""

    def refresh_forms(self) -> None:
        """What Details shows has changed."""

    def show_handles(self) -> None:
        """Which handles the View shows has changed."""

    def recovery_file(self) -> Path | None:
        """Where unsaved work is kept for the case of a crash; None for nowhere."""

    def run_command(self, key: str) -> None:
        """Do a command by its id, if it can be done now."""

    @property
    def checks(self) -> Checks:
        """What the skin is looked at by."""
