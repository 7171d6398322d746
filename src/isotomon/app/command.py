"""What a command is: an entry of the one table that tray, menus, finder, shortcuts and help are made from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from isotomon.app.window import Window

Reason = Callable[["Window"], str]


@dataclass(frozen=True)
class Command:
    """`reason` says why it cannot be used now (empty: it can). `stage` puts it in that stage's tray."""

    id: str
    title: str
    run: Callable[[Window], object]
    shortcut: str = ""
    stage: str = ""
    icon: str = ""
    tip: str = ""
    reason: Reason = lambda w: ""
    checked: Callable[[Window], bool] | None = None
    family: str = ""
    """Tools of one family share a button in the tray."""
    drawing: bool = False
    """In the tray while a drawing is open."""


def needs_design(w: Window) -> str:
    """The reason that most commands have: there is no design yet."""
    return "" if w.desk.design is not None else "Open or begin a design first"
