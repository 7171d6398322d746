"""Tools that work on what is drawn already, by clicks on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from isotomon.app.drawing.editing import Editing
from isotomon.profile.change import bevel_corner, break_at, extend, round_corner, trim
from isotomon.profile.copies import mirror
from isotomon.profile.drawing import Constraint, Drawing
from isotomon.profile.marks import middle_of
from isotomon.profile.relate import add_dimension, dimension_kind

Picked = tuple[str, ...]
Pick = Callable[[Editing, str, np.ndarray, Picked], Picked]


@dataclass(frozen=True)
class PickTool:
    """`pick` is given what was clicked (empty: nothing), where, and what was picked before; it returns what stays picked."""

    id: str
    title: str
    prompt: str
    pick: Pick
    asks: tuple[str, ...] = ()


def _on_part(title: str, change: Callable[[Drawing, str, np.ndarray], Drawing]) -> Pick:
    def pick(editor: Editing, thing: str, at: np.ndarray, picked: Picked) -> Picked:
        if thing in editor.catcher.places and title == "carry on":
            thing = next(
                (p.id for p in editor.drawing.parts if thing in (getattr(p, "a", ""), getattr(p, "b", ""))), ""
            )
        if thing in editor.catcher.parts:
            editor.commit(title, lambda d: change(d, thing, at))
        return ()

    return pick


def _at_corner(title: str, change: Callable[[Drawing, str, float], Drawing], setting: str) -> Pick:
    def pick(editor: Editing, thing: str, at: np.ndarray, picked: Picked) -> Picked:
        if thing in editor.catcher.places:
            editor.commit(title, lambda d: change(d, thing, float(getattr(editor.settings, setting))))
        return ()

    return pick


def _dimension(editor: Editing, thing: str, at: np.ndarray, picked: Picked) -> Picked:
    """One or two things, then the label's place; its field opens at once."""
    if thing and thing not in picked and len(picked) < 2:
        return (*picked, thing)
    if not picked:
        return ()
    meant = dimension_kind(editor.drawing, picked, at)
    if meant is None:
        editor.hint("✕  These two cannot be measured between; pick points, lines or circles")
        return ()
    kind, on, sector = meant
    middle = middle_of(editor.catcher, Constraint("", kind, on))
    place = (float(at[0] - middle[0]), float(at[1] - middle[1]))
    before = {c.id for c in editor.drawing.constraints}
    if not editor.commit("add a figure", lambda d: add_dimension(d, kind, on, sector, place)):
        made = [c for c in editor.drawing.constraints if c.id not in before]
        if made and made[0].driving:
            editor.ask_figure(made[0].id)
    return ()


def _mirror(tied: bool) -> Pick:
    def pick(editor: Editing, thing: str, at: np.ndarray, picked: Picked) -> Picked:
        chosen = tuple(k for k in editor.selection if k in editor.catcher.parts and k != thing)
        if thing in editor.catcher.parts and chosen:
            editor.commit("mirror", lambda d: mirror(d, chosen, thing, tied))
        return ()

    return pick


# fmt: off
PICK_TOOLS: tuple[PickTool, ...] = (
    PickTool("dimension", "Figure", "click one or two things, then where the figure stands", _dimension),
    PickTool("trim", "Trim", "click a stretch between crossings to take it out", _on_part("trim", trim)),
    PickTool("extend", "Carry on", "click near the end of a line or arc to carry it to the next thing", _on_part("carry on", extend)),
    PickTool("break", "Break", "click where a part is to be broken in two", _on_part("break", break_at)),
    PickTool("round", "Round a corner", "click corners", _at_corner("round a corner", round_corner, "radius"), ("radius",)),
    PickTool("bevel", "Bevel a corner", "click corners", _at_corner("bevel a corner", bevel_corner, "length"), ("length",)),
    PickTool("mirror", "Mirror, staying tied", "with parts chosen, click the line to mirror in", _mirror(True)),
    PickTool("mirror-free", "Mirror a free copy", "with parts chosen, click the line to mirror in", _mirror(False)),
)
# fmt: on
BY_ID = {tool.id: tool for tool in PICK_TOOLS}
