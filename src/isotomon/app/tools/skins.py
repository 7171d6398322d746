"""Commands that make a skin from the chosen curves: one for every way of making one."""

from __future__ import annotations

from functools import partial
from typing import Any

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.state.later import read_aside
from isotomon.app.tools.steps import chosen_curves, chosen_points
from isotomon.author.skins import make_skin
from isotomon.author.unroll import said_of, unroll
from isotomon.design.bodies import body_ids
from isotomon.design.edits import add_drawing
from isotomon.errors import IsotomonError
from isotomon.operations.skins import MAKINGS
from isotomon.operations.skins.base import Making

KINDS = {
    "curves": "guides, drawings, stations, rims, sides of skins",
    "points": "datum points",
    "skins": "a body as it is shaped, or a skin",
}


def _taken(w: Api, making: type[Making]) -> list[str]:
    """The chosen curves or points; where they are too few, those made last, of any number as many as there are."""
    chosen, design = _chosen(w, making), w.desk.design
    if making.OF == "points":
        made = [d.id for d in design.datums if d.recipe.makes == "point"] if design is not None else []
        return (chosen if len(chosen) >= making.FEWEST else made)[-making.MOST :]
    if making.OF == "skins":
        own = design is not None and w.desk.held.has_skin
        return (chosen or ([w.desk.hand] if own else []))[:1]
    if len(chosen) >= making.FEWEST or design is None:
        return chosen
    lone = [r.id for group in (design.drawings, design.guides) for r in group]
    return lone[-making.FEWEST :] if making.MOST == making.FEWEST else lone


def _chosen(w: Api, making: type[Making]) -> list[str]:
    if making.OF == "skins":
        design = w.desk.design
        return [key for key in w.desk.selection if design is not None and key in body_ids(design)]
    return chosen_points(w.desk) if making.OF == "points" else chosen_curves(w.desk)


def _make(w: Api, kind: str) -> None:
    desk, making = w.desk, MAKINGS[kind]
    curves, chosen = _taken(w, making), _chosen(w, making)
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
    count = f"{making.FEWEST} {making.OF}" if making.FEWEST > 1 else f"a {making.OF.removesuffix('s')}"
    return f"Choose {count}{' or more' if making.MOST > making.FEWEST else ''}: {KINDS[making.OF]}" if few else ""


def _unroll(w: Any) -> None:
    desk, key = w.desk, w.desk.hand
    design = desk.design
    assert design is not None
    try:
        made, flat = read_aside(w.widget, "Laying the skin flat", lambda: unroll(design, key))
    except IsotomonError as error:
        w.say("error", f"{error}.")
        return
    pattern = made.drawings[-1]
    if not desk.do("lay the skin flat", lambda d: add_drawing(d, pattern)):
        w.say("note", f"{pattern.name}: {said_of(flat)}.")
        w.room.open(pattern.id)


def _unroll_reason(w: Api) -> str:
    if needs_design(w):
        return needs_design(w)
    return "" if w.desk.held.has_skin else "Take a skin or a body in hand that is shaped here"


UNROLL = Command(
    "unroll",
    "Lay the skin flat",
    _unroll,
    stage="Deliver",
    icon="skin-flat",
    tip="The skin of the body in hand unrolled to a drawing that sheet is cut by, with its folds and its strain",
    reason=_unroll_reason,
)
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
