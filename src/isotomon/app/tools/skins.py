"""Commands that make a skin from the chosen curves: one for every way of making one."""

from __future__ import annotations

from functools import partial

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.tools.steps import chosen_curves
from isotomon.author.skins import make_skin
from isotomon.operations.skins import MAKINGS
from isotomon.operations.skins.base import Making


def _taken(w: Api, making: type[Making]) -> list[str]:
    """The chosen curves; where they are too few, the guides and drawings made last, of any number as many as there are."""
    chosen, design = chosen_curves(w.desk), w.desk.design
    if len(chosen) >= making.FEWEST or design is None:
        return chosen
    lone = [r.id for group in (design.drawings, design.guides) for r in group]
    return lone[-making.FEWEST :] if making.MOST == making.FEWEST else lone


def _make(w: Api, kind: str) -> None:
    desk, making = w.desk, MAKINGS[kind]
    curves, chosen = _taken(w, making), chosen_curves(desk)
    if not desk.do(making.COMMAND.lower(), lambda d: make_skin(d, kind, curves)):
        desk.select((desk.hand,))
        w.view.fit()
        ground = desk.ground()
        if len(chosen) < making.FEWEST and ground is not None:
            names = ", ".join(ground.called(key) for key in curves)
            desk.said.emit("note", f"Too few curves were chosen: those made last were taken, {names}.")


def _reason(making: type[Making], w: Api) -> str:
    if needs_design(w):
        return needs_design(w)
    few = len(_taken(w, making)) < making.FEWEST
    return f"Choose {making.FEWEST} curves or more: guides, drawings, stations, rims, sides of skins" if few else ""


SKIN_COMMANDS: tuple[Command, ...] = tuple(
    Command(
        f"skin-{kind}",
        making.COMMAND,
        partial(_make, kind=kind),
        making.SHORTCUT,
        "Shape",
        making.ICON,
        making.HELP,
        partial(_reason, making),
        None,
        "Skins",
    )
    for kind, making in MAKINGS.items()
)
