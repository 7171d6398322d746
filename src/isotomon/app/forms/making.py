"""How a skin is made from curves: its curves and choices, as its kind declares them, and what came of it."""

from __future__ import annotations

from isotomon.app.forms.form import Form
from isotomon.app.forms.inputs import add_input
from isotomon.app.forms.subject import making_subject
from isotomon.app.forms.tables import two_columns
from isotomon.app.state.desk import Desk
from isotomon.operations.base import inputs_of
from isotomon.operations.skins.base import Making
from isotomon.quantity import display, to_unit


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
        return two_columns(lines)
