"""Commands that do one more thing with the body in hand: one for every operation."""

from __future__ import annotations

from functools import partial

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates
from isotomon.design import bodies
from isotomon.operations import OPERATIONS
from isotomon.operations.base import KINDS, Input, Operation, inputs_of


def offers_of(desk: Desk, asked: Input) -> list[tuple[str, str]]:
    """(value, in words) of all that can be chosen for a field of an operation."""
    if asked.what == "choice":
        return list(asked.words)
    if desk.design is None or asked.what in (*KINDS, "count", "copies", "yes"):
        return []
    if asked.what == "B":
        design, hand = desk.design, desk.hand
        return [(b.id, b.name) for b in desk.others if bodies.may_receive(design, hand, b.id)]
    return [offer for letter in asked.what for offer in candidates(desk.design, letter)]


def _add(w: Api, kind: type[Operation]) -> None:
    """One more step for the body in hand, about the chosen thing where that fits."""
    design, desk = w.desk.design, w.desk
    assert design is not None
    fields = dict(kind.BEGIN)
    for asked in inputs_of(kind):
        refs = [ref for ref, _ in offers_of(desk, asked)]
        chosen = [key for key in desk.selection if key in refs]
        if chosen or (asked.what == "B" and refs):
            fields[asked.name] = (chosen or refs)[0]
    step = kind(**fields)
    if not desk.do(kind.COMMAND.lower(), lambda d: bodies.add_step(d, desk.hand, step)):
        desk.select((desk.hand,))
        w.view.fit()


def _reason(kind: type[Operation], w: Api) -> str:
    alone = any(asked.what == "B" for asked in inputs_of(kind)) and not w.desk.others
    return needs_design(w) or ("There is one body only; make another first" if alone else "")


def _command(kind: str, operation: type[Operation]) -> Command:
    return Command(
        f"after-{kind}",
        operation.COMMAND,
        partial(_add, kind=operation),
        operation.SHORTCUT,
        "Shape",
        operation.ICON,
        operation.HELP,
        partial(_reason, operation),
        None,
        operation.FAMILY,
    )


STEP_COMMANDS: tuple[Command, ...] = tuple(_command(kind, operation) for kind, operation in OPERATIONS.items())
