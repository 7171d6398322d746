"""What rows of declared fields edit: a step of the body in hand, or how it is made as a skin from curves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from isotomon.app.state.desk import Desk
from isotomon.design import bodies
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.quantity.record import Id, Record


@dataclass(frozen=True, eq=False)
class Subject:
    """A record of a `kind`: `read` as it is now, or None where it is gone; `change` is the edit that makes fields of it others."""

    kind: type[Record]
    read: Callable[[], Record | None]
    change: Callable[..., Callable[[Design], Design]]

    def said(self, name: str, gone: Any) -> Any:
        """What it says in a field; what is `gone` instead where it is not there any more."""
        found = self.read()
        return gone if found is None else getattr(found, name)


def step_subject(desk: Desk, step: Id, kind: type[Record]) -> Subject:
    """The step with this id."""
    return Subject(
        kind,
        lambda: next((s for s in desk.held.steps if s.id == step), None),
        lambda **changes: lambda d: bodies.change_step(d, step, **changes),
    )


def making_subject(desk: Desk, kind: type[Record]) -> Subject:
    """How the body in hand is made as a skin."""

    def change(**changes: Any) -> Callable[[Design], Design]:
        key = desk.hand
        return lambda d: bodies.change_body(d, key, shaped=replace(d.body(key).shaped, **changes))

    def read() -> Record | None:
        making = desk.held.making
        return making if isinstance(making, kind) else None

    return Subject(kind, read, change)
