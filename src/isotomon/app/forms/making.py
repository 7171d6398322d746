"""How a skin is made from curves: its curves and choices, as its kind declares them, and what came of it."""

from __future__ import annotations

import math

from isotomon.app.forms.form import Form
from isotomon.app.forms.inputs import add_input
from isotomon.app.forms.subject import making_subject
from isotomon.app.forms.tables import two_columns
from isotomon.app.state.desk import Desk
from isotomon.inspect.skin_figures import SkinFigures
from isotomon.operations.base import inputs_of
from isotomon.operations.skins.base import Making
from isotomon.quantity import display, to_unit

DEVELOPABLE = 1e-6
"""rad: what bends both ways by no more is called developable."""


class MakingForm(Form):
    """Edits how the body in hand is made from curves, through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._kind: type[Making] | None = None
        self.refresh()

    def refresh(self) -> None:
        """The fields of its kind."""
        making = self.desk.held.making
        if making is not None and type(making) is not self._kind:
            self._kind = type(making)
            self.text(making.TITLE, group=True)
            for asked in inputs_of(self._kind):
                add_input(self, f"made {asked.name}", making_subject(self.desk, self._kind), asked)
            self.told(self._figures)
        super().refresh()

    def _figures(self) -> str:
        quick = self.desk.quick
        if quick is None or quick.sheet is None or quick.body.id != self.desk.hand:
            return ""
        sheet, unit, scale = quick.sheet, quick.design.unit, to_unit(1.0, quick.design.unit)
        lines = [("Skin", f"{sheet.area * scale**2:,.1f} {unit}²")]
        lines += [
            (f"{words[0].upper()}{words[1:]}", f"{display(value * scale, 6)} {unit}")
            for words, value in sheet.made.told
        ]
        return two_columns([*lines, *_further(quick.figures, unit, scale)])


def _further(figures: SkinFigures | None, unit: str, scale: float) -> list[tuple[str, str]]:
    """What is told of a skin at rest."""
    if figures is None:
        return []
    lines = list[tuple[str, str]]()
    if figures.off is not None:
        lines.append((f"Off {figures.off[0]}, most of all its curves", f"{display(figures.off[1] * scale, 6)} {unit}"))
    if figures.moved is not None:
        lines.append(("Moved at most where it was matched", f"{display(figures.moved * scale, 4)} {unit}"))
    for called, join in figures.joins:
        turn = f"{display(math.degrees(join.angle), 4)}°"
        bend = f"curvature {join.bend / scale:.3g} 1/{unit}"
        lines.append(
            (f"Gap, kink and step of curvature at {called}", f"{display(join.gap * scale, 6)} {unit}, {turn}, {bend}")
        )
    if figures.bent is not None:
        developable = figures.bent < DEVELOPABLE
        lines.append(
            ("Bends both ways", "no: developable" if developable else f"by {math.degrees(figures.bent):.3g}° in all")
        )
    return lines
