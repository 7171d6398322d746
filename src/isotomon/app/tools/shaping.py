"""Shaping tools: what is chosen is extruded, swept or revolved at once; the body's Details take over."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.state.later import read_aside
from isotomon.app.tools.datums import candidates
from isotomon.author import shaping
from isotomon.design import bodies
from isotomon.design.edits import fresh_id
from isotomon.design.imports import read_import
from isotomon.design.loft_edits import change_span
from isotomon.design.records import Design
from isotomon.design.walk import users
from isotomon.errors import IsotomonError


def _needs_path(w: Api) -> str:
    if w.desk.design is None:
        return needs_design(w)
    design = w.desk.design
    return "" if design.guides or len(design.drawings) > 1 else "Make a guide first, to be the path"


def _needs_others(w: Api) -> str:
    return needs_design(w) or ("" if w.desk.others else "There is one body only; make another first")


class ShapingTools:
    """The window's tools for bodies of one profile."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._taken = ""
        """What is to be said of the profile that a tool took by itself."""

    def _profile(self) -> str:
        """The chosen station or drawing; else the drawing made last, which is said; nothing: a circle is begun with."""
        design = self.w.desk.design
        assert design is not None
        known = {s.id for s in bodies.stations_of_all(design)} | {d.id for d in design.drawings}
        chosen = next((k for k in self.w.desk.selection if k in known), "")
        drawn = [d for d in design.drawings if d.parts and not users(design, d.id)]
        if chosen or not drawn:
            return chosen
        self._taken = f"Nothing that can be shaped was chosen: the drawing made last, {drawn[-1].name}, was taken."
        return drawn[-1].id

    def _make(self, title: str, edit: Callable[[Design], Design]) -> None:
        desk = self.w.desk
        if not desk.do(title, edit) and desk.design is not None:
            desk.select((desk.hand,))
            self.w.view.fit()
            if self._taken:
                desk.said.emit("note", self._taken)
        self._taken = ""

    def extrude(self) -> None:
        """The chosen profile moved square to its plane."""
        key = self._profile()
        self._make("extrude", lambda d: shaping.extrude(d, key))

    def sweep(self) -> None:
        """The chosen profile carried along the chosen path, or the first there is."""
        design, key, chosen = self.w.desk.design, self._profile(), self.w.desk.selection
        assert design is not None
        paths = [g.id for g in design.guides] + [d.id for d in design.drawings if d.id != key]
        path = next((k for k in chosen if k in paths), paths[0] if paths else "")
        helix = next((g for g in design.guides if g.id == path and g.kind == "helix"), None)
        hold, toward = ("axis", helix.on[0]) if helix is not None and self._axis(helix.on[0]) else ("least", "z")
        self._make("sweep", lambda d: shaping.sweep(d, key, path, hold, toward))

    def revolve(self) -> None:
        """The chosen profile turned about the chosen axis, or the first of X, Y and Z that will do."""
        key = self._profile()
        axis = next((k for k in self.w.desk.selection if self._axis(k)), "")
        self._make("revolve", lambda d: shaping.revolve(d, key, axis))

    def _axis(self, ref: str) -> bool:
        design = self.w.desk.design
        return design is not None and ref in dict(candidates(design, "A"))

    def may_reach(self, key: str) -> bool:
        """Whether the end the body goes on to can be dragged: it goes by a plain number."""
        body = self.w.desk.body
        span = body.loft.span if body is not None else None
        which = key.split()[1]
        if span is None or span.whole or getattr(span, f"{which}_to"):
            self.w.desk.said.emit(
                "note", "The body goes all the way, or up to something; let it go by a distance first."
            )
            return False
        value = getattr(span, which)
        if isinstance(value, str):
            self.w.desk.said.emit("note", f"The formula {value} drives how far the body goes; change it in Details.")
        return not isinstance(value, str)

    def reached(self, key: str, position: float) -> tuple[str, Callable[[Design], Design]]:
        """(title, edit) for an end of the body dragged to a position (mm)."""
        quick, which = self.w.desk.quick, key.split()[1]
        assert quick is not None
        own = [n.position for _, n in quick.resolved.own]
        far = position - own[-1] if which == "on" else own[0] - position
        value = self.w.desk.own_position(max(far, 0.0))
        return "change how far the body goes", lambda d: change_span(d, self.w.desk.hand, **{which: value})

    def set_aside(self) -> None:
        """The body in hand set aside, or taken up again."""
        key, aside = self.w.desk.hand, not self.w.desk.held.aside
        title = "set the body aside" if aside else "take the body up again"
        self.w.desk.do(title, lambda d: bodies.set_aside(d, (key,), aside))

    def up_to(self) -> None:
        """Bodies after the one in hand set aside, those before it taken up."""
        self.w.desk.do("rebuild up to the body", lambda d: bodies.bodies_up_to(d, self.w.desk.hand))

    def everything(self) -> None:
        """No body set aside."""
        self.w.desk.do("take all bodies up", lambda d: bodies.set_aside(d, bodies.body_ids(d), False))

    def move(self, by: int) -> None:
        """The body in hand earlier or later in the order."""
        self.w.desk.do(
            "do it earlier" if by < 0 else "do it later", lambda d: bodies.move_body(d, self.w.desk.hand, by)
        )

    def ask_body(self) -> None:
        """Choose a file, and bring its body in."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget, "Bring in a body", str(Path.cwd()), "Bodies (*.step *.stp *.iges *.igs *.stl)"
        )
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """A body from a file, as it is."""
        design = self.w.desk.design
        assert design is not None
        try:
            key = fresh_id(design, "f")
            imported = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_import(path, key))
        except IsotomonError as error:
            self.w.desk.said.emit("error", f"{error}. Nothing was changed.")
            return
        self._make(f"bring in {path.name}", lambda d: bodies.bring_in(d, imported))

    def flip(self) -> None:
        """The body goes the other way: what goes on goes back."""
        self.w.desk.do("go the other way", lambda d: shaping.other_way(d, self.w.desk.hand))

    def both_ways(self) -> None:
        """As far back as on, as far in all as now."""
        self.w.desk.do("go both ways", lambda d: shaping.both_ways(d, self.w.desk.hand))


def _spans(w: Api) -> str:
    if w.desk.body is None:
        return needs_design(w)
    span = w.desk.body.loft.span
    return "" if span is not None and not span.whole else "The body in hand does not go on by a distance or an angle"


# fmt: off
SHAPING_COMMANDS: tuple[Command, ...] = (
    Command("extrude", "Extrude", lambda w: w.shaping.extrude(), "Ctrl+Shift+X", "Shape", "extrude",
            "The chosen station's profile or drawing, moved square to its plane", needs_design),
    Command("sweep", "Sweep", lambda w: w.shaping.sweep(), "Ctrl+Shift+W", "Shape", "sweep",
            "The chosen profile carried along the chosen guide or drawing", _needs_path),
    Command("revolve", "Revolve", lambda w: w.shaping.revolve(), "Ctrl+Shift+V", "Shape", "revolve",
            "The chosen profile turned about the chosen axis, or the first that lies in its plane", needs_design),
    Command("other-way", "Go the other way", lambda w: w.shaping.flip(), "", "Shape", "",
            "What goes on from the profile goes back, and the other way round", _spans, None, "Reach"),
    Command("both-ways", "Go both ways", lambda w: w.shaping.both_ways(), "", "Shape", "",
            "As far on as back, and as far in all as now", _spans, None, "Reach"),
    Command("body-in", "Bring in a body…", lambda w: w.shaping.ask_body(), "", "Shape", "",
            "A STEP, IGES or STL body as it is; it can be moved, copied and combined", needs_design, None, "Bodies"),
    Command("aside", "Set the body aside", lambda w: w.shaping.set_aside(), "", "Shape", "",
            "It is neither built nor combined, and keeps all it has", _needs_others,
            lambda w: w.desk.body is not None and w.desk.body.aside, "Bodies"),
    Command("up-to", "Rebuild up to this body", lambda w: w.shaping.up_to(), "", "Shape", "",
            "Bodies after it are set aside, those before it taken up", _needs_others, None, "Bodies"),
    Command("take-up", "Take all bodies up", lambda w: w.shaping.everything(), "", "Shape", "",
            "No body is set aside any more", _needs_others, None, "Bodies"),
    Command("earlier", "Earlier in the order", lambda w: w.shaping.move(-1), "", "Shape", "",
            "Bodies are made and combined in their order", _needs_others, None, "Bodies"),
    Command("later", "Later in the order", lambda w: w.shaping.move(1), "", "Shape", "",
            "Bodies are made and combined in their order", _needs_others, None, "Bodies"),
)
# fmt: on
