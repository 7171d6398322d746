"""Checks of shape in the window: what the skin is coloured by, reflected light, section curves, joins and fairness."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QFileDialog, QMenu

from isotomon.app.api import Api
from isotomon.app.board.overlay import Overlay, overlay, side_by_side
from isotomon.app.command import Command
from isotomon.app.state.desk import CHECKS
from isotomon.app.state.later import Later
from isotomon.arrays import Array
from isotomon.author.shaping import along_the_rim
from isotomon.design.file import load
from isotomon.errors import DesignError, IsotomonError
from isotomon.inspect import looks
from isotomon.inspect.looks import Colouring
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import wall_colouring
from isotomon.measure.joins import Joint

COLOURS = {
    "": "Nothing",
    "turn rate": "Turn rate",
    "mean": "Mean curvature",
    "largest": "Largest curvature",
    "gauss": "Gaussian curvature",
    "slope": "Slope to a pull direction",
    "deviation": "Off the reference",
    "wall": "Wall thickness",
}


@dataclass(frozen=True)
class ChecksWanted:
    """What is to be looked at. `along` of section curves and `lamps` of reflected light are directions, empty for none."""

    colour: str = ""
    pull: str = "y"
    lamps: str = ""
    count: int = 12
    along: str = ""
    spacing: float = 0.0
    joins: bool = False
    fair: bool = False


@dataclass(frozen=True, eq=False)
class Seen:
    """What came of it, for one Quick."""

    quick: Quick
    wanted: ChecksWanted
    colouring: Colouring | None = None
    lines: tuple[tuple[float, Array], ...] = ()
    joins: tuple[Joint, ...] = ()
    fair: dict[str, Array] | None = None
    rows: tuple[tuple[str, str, str], ...] = ()
    """Of the body in hand and the reference, side by side."""
    over: Overlay | None = None
    trouble: str = ""


def look(quick: Quick, wanted: ChecksWanted, reference: Quick | None) -> Seen:
    """Work out what is wanted; what cannot be is said."""
    parts: dict[str, Any] = {}
    troubles = []

    def part(name: str, asked: bool, work: Any) -> None:
        if asked and quick.shape is not None:
            try:
                parts[name] = work()
            except IsotomonError as error:
                troubles.append(str(error))

    mesh = reference.stood_mesh if reference is not None and reference.mesh is not None else None
    part("colouring", wanted.colour == "wall", lambda: wall_colouring(quick))
    plain = wanted.colour not in ("", "wall")
    part("colouring", plain, lambda: looks.colouring(quick, wanted.colour, wanted.pull, mesh))  # type: ignore[arg-type]
    if reference is not None:
        part("rows", wanted.colour == "deviation", lambda: tuple(side_by_side(quick, reference)))
        part("over", wanted.colour == "deviation", lambda: overlay(quick, reference))
    part(
        "lines",
        bool(wanted.along),
        lambda: tuple(looks.section_lines(quick, wanted.along, wanted.spacing or _usual(quick))),
    )
    part("joins", wanted.joins, lambda: tuple(looks.skin_joins(quick)))
    part("fair", wanted.fair, lambda: looks.fairness(quick))
    return Seen(quick, wanted, trouble="; ".join(troubles), **parts)


def _usual(quick: Quick) -> float:
    """A round spacing that gives about twenty section curves."""
    if quick.mesh is None:
        raise DesignError("there is no body yet to look at")
    size = float(np.ptp(quick.mesh.points.reshape(-1, 3), axis=0).max())
    power = 10.0 ** np.floor(np.log10(size / 20.0))
    return float(power * next(k for k in (1, 2, 5, 10) if power * k >= size / 20.0))


class ShapeChecks:
    """The window's checks of shape; they look on at the design and never change it."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self.wanted = ChecksWanted()
        self.seen: Seen | None = None
        self._laid = False
        """Whether anything of them lies over View and Board."""
        self.reference: Quick | None = None
        self.reference_body = ""
        """Another body of the design that is the reference, as it is at any time."""
        self.reference_name = ""
        self.later = Later("shape-checks", api.widget)
        self.later.answered.connect(self._show)

    def set(self, **changes: Any) -> None:
        """Look at something else."""
        self.wanted = replace(self.wanted, **changes)
        self.w.view.set_lamps(
            looks.WAYS[self.wanted.lamps] if self.wanted.lamps else None, max(1, min(self.wanted.count, 60))
        )
        self.refresh()
        self.w.refresh_forms()
        self.w.refresh_commands()

    def refresh(self) -> None:
        """Look again, at the newest results at rest."""
        quick, wanted, reference = self.w.desk.quick, self.wanted, self.reference
        if self.reference_body and quick is not None:
            reference = quick.of(self.reference_body) if self.reference_body != quick.body.id else None
        if quick is None or quick.moving:
            return
        if wanted == ChecksWanted(lamps=wanted.lamps, count=wanted.count, pull=wanted.pull, spacing=wanted.spacing):
            if self._laid:
                self._show(Seen(quick, wanted))
                self._laid = False  # what others lay over View and Board stays
        else:
            self.later.ask(lambda: look(quick, wanted, reference))

    def _show(self, seen: object) -> None:
        if not isinstance(seen, Seen) or seen.quick is not self.w.desk.quick or seen.wanted != self.wanted:
            return
        self.seen, self._laid = seen, True
        self.w.view.set_colouring(seen.colouring, COLOURS[seen.wanted.colour])
        self.w.view.set_section_lines([points for _, points in seen.lines])
        self.w.board.set_bends(seen.fair or {})
        self.w.board.set_over(seen.over)
        self.w.body_plan.set_over(seen.over.outlines if seen.over is not None else ())
        self.w.view.set_over(seen.over.lines if seen.over is not None else (), self.reference_body)
        self.w.refresh_forms()

    # Commands

    def open(self) -> None:
        """Show the checks in Details."""
        self.w.desk.select((CHECKS,))

    def colour(self, kind: str) -> None:
        """Colour the skin by something, or by nothing again."""
        self.open()
        self.set(colour="" if self.wanted.colour == kind else kind)

    def turn(self, name: str, usual: object, none: object) -> None:
        """Turn one of the others on or off."""
        self.open()
        self.set(**{name: none if getattr(self.wanted, name) else usual})

    def take_reference(self) -> None:
        """The shape as it is now is the reference from here on."""
        quick = self.w.desk.quick
        if quick is not None and quick.shape is not None:
            self._take(quick, "the shape as it was when taken")

    def _take(self, quick: Quick | None, name: str, body: str = "") -> None:
        self.open()
        self.reference, self.reference_name, self.reference_body = quick, name, body
        self.set(colour="deviation")

    def compare_menu(self) -> None:
        """The other bodies, at the pointer: one of them is the reference from here on."""
        menu = QMenu(self.w.widget)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for body in self.w.desk.others:
            menu.addAction(body.name, partial(self.compare_with, body.id, body.name))
        menu.popup(QCursor.pos())

    def compare_with(self, body: str, name: str) -> None:
        """Another body of the design is the reference, as it is at any time."""
        self._take(None, name, body)

    def compare_rim(self) -> None:
        """The same profile swept along the rim is made beside the body in hand, and both are compared."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None or quick.shape.field.rim is None:
            return
        rim, own = quick.shape.field.rim, quick.body.id
        if not self.w.desk.do("sweep along the rim", lambda d: along_the_rim(d, own, rim)):
            made = self.w.desk.held
            self.w.desk.take_up(own)
            self.compare_with(made.id, made.name)

    def ask_reference(self) -> None:
        """A design's body as the reference."""
        path, _ = QFileDialog.getOpenFileName(self.w.widget, "Reference design", "", "Isotomon designs (*.isotomon)")
        if path:
            self.read_reference(Path(path))

    def read_reference(self, path: Path) -> None:
        """The body of a design file as the reference."""
        try:
            read = rebuild(load(path))
        except IsotomonError as error:
            self.w.desk.said.emit("error", f"{error}. The reference stays as it was.")
            return
        if read.shape is None:
            self.w.desk.said.emit("error", f"{path.name} holds no body to compare with. The reference stays as it was.")
            return
        self._take(read, path.name)


def _needs_another(w: Api) -> str:
    return _needs_body(w) or ("" if w.desk.others else "There is no other body to compare with")


def _needs_rim(w: Api) -> str:
    carrier = w.desk.body.loft.carrier if w.desk.body is not None else None
    return _needs_body(w) or (
        "" if carrier is not None and carrier.rim else "The body in hand is not turned about an axis by a rim"
    )


def _needs_body(w: Api) -> str:
    return "" if w.desk.quick is not None and w.desk.quick.mesh is not None else "There is no body yet to look at"


def _colour_command(kind: str) -> Command:
    tips = {
        "turn rate": "How fast the section turns along the body, °/m",
        "mean": "Mean of the two principal curvatures, 1/m; positive where the skin bulges",
        "largest": "The principal curvature of greater size, 1/m",
        "gauss": "Product of the two, 1/m²: nought where it could be rolled from sheet",
        "slope": "How the skin faces a pull direction: nought on a wall along it",
        "wall": "How thick the finished body is below its skin, along the normals, mm",
        "deviation": "How far the skin lies from a reference: this shape as it was, or another design",
    }
    return Command(
        f"colour-{kind.replace(' ', '-')}",
        COLOURS[kind],
        lambda w: w.checks.colour(kind),
        "",
        "Check",
        "",
        tips[kind],
        _needs_body,
        lambda w: w.checks.wanted.colour == kind,
        "Colour the skin",
    )


CHECK_COMMANDS: tuple[Command, ...] = (
    *(_colour_command(kind) for kind in COLOURS if kind),
    Command(
        "stripes",
        "Reflected light",
        lambda w: w.checks.turn("lamps", "z", ""),
        "Ctrl+Shift+R",
        "Check",
        "stripes",
        "Stripes of light as a polished skin reflects them; a kink breaks them, a bump bends them",
        _needs_body,
        lambda w: bool(w.checks.wanted.lamps),
        "Look closely",
    ),
    Command(
        "section-curves",
        "Section curves",
        lambda w: w.checks.turn("along", "y", ""),
        "",
        "Check",
        "",
        "Where evenly spaced planes cut the skin: waterlines, buttocks, cross-sections",
        _needs_body,
        lambda w: bool(w.checks.wanted.along),
        "Look closely",
    ),
    Command(
        "joins",
        "Joins of the faces",
        lambda w: w.checks.turn("joins", True, False),
        "",
        "Check",
        "",
        "Gap, angle and step in curvature wherever two faces meet, measured on them",
        _needs_body,
        lambda w: w.checks.wanted.joins,
        "Look closely",
    ),
    Command(
        "fairness",
        "Fairness of the curves",
        lambda w: w.checks.turn("fair", True, False),
        "",
        "Check",
        "",
        "Marks on the Board where area and turn change the way they bend",
        _needs_body,
        lambda w: w.checks.wanted.fair,
        "Look closely",
    ),
    Command(
        "take-reference",
        "Take this shape as reference",
        lambda w: w.checks.take_reference(),
        "",
        "Check",
        "",
        "From here on the skin is coloured by its distance from the shape as it is now",
        _needs_body,
        None,
        "Compare",
    ),
    Command(
        "compare-body",
        "Compare with another body…",
        lambda w: w.checks.compare_menu(),
        "",
        "Check",
        "",
        "Figures side by side, its sections over this one's, and the skin coloured by how far it lies from it",
        _needs_another,
        None,
        "Compare",
    ),
    Command(
        "compare-rim",
        "Compare with a sweep along the rim",
        lambda w: w.checks.compare_rim(),
        "",
        "Check",
        "",
        "The same profile swept along the rim it is turned by, and the walls of both all round",
        _needs_rim,
        None,
        "Compare",
    ),
    Command(
        "read-reference",
        "Reference from a design…",
        lambda w: w.checks.ask_reference(),
        "",
        "Check",
        "",
        "Colour the skin by its distance from another design's body",
        _needs_body,
        None,
        "Compare",
    ),
)
