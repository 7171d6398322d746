"""What tools that work on a drawing may use of its editor."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from isotomon.app.drawing.pens import Settings
from isotomon.app.drawing.snap import Catcher
from isotomon.profile.drawing import Drawing


class Editing(Protocol):
    """The editor, to its tools."""

    settings: Settings
    selection: tuple[str, ...]

    @property
    def catcher(self) -> Catcher:
        """What is under the pointer."""

    @property
    def drawing(self) -> Drawing:
        """The drawing as it stands, solved."""

    def commit(self, title: str, change: Callable[[Drawing], Drawing]) -> str:
        """Make a change one step of the history; returns what is wrong, or nothing."""

    def ask_figure(self, key: str) -> None:
        """Open the field of a dimension."""

    def hint(self, text: str) -> None:
        """Say what is to be done next."""
