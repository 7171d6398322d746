"""What a command is: an entry of the one table that tray, menus, finder, shortcuts and help are made from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from isotomon.app.api import Api

Reason = Callable[[Any], str]
"""Given the window, whatever of it a command is about."""


@dataclass(frozen=True)
class Command:
    """`reason` says why it cannot be used now (empty: it can). `stage` puts it in that stage's tray."""

    id: str
    title: str
    run: Callable[[Any], object]
    shortcut: str = ""
    stage: str = ""
    icon: str = ""
    tip: str = ""
    reason: Reason = lambda w: ""
    checked: Callable[[Any], bool] | None = None
    family: str = ""
    """Tools of one family share a button in the tray."""
    drawing: bool = False
    """In the tray while a drawing is open."""


def needs_design(w: Api) -> str:
    """The reason that most commands have: there is no design yet."""
    return "" if w.desk.design is not None else "Open or begin a design first"
