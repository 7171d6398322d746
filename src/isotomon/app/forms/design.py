"""The forms of the design as a whole, of its named numbers, and of the planes and axes that every design has."""

from __future__ import annotations

from isotomon.app.forms.fields import NoteEdit
from isotomon.app.forms.form import Form, given, plain
from isotomon.app.state.desk import Desk
from isotomon.design import edits
from isotomon.design.datums import BASE_PLANES, BUILT_IN_NAMES
from isotomon.design.records import Number

UNITS = {u: u for u in ("mm", "cm", "m", "in")}
KINDS = {"length": "Length", "angle": "Angle", "ratio": "Ratio"}


class DesignForm(Form):
    """Edits the design's name, unit, tolerance and note through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.text("Design", head=True)
        self.line(
            "Name",
            lambda: self.design.name,
            lambda text: self.do("rename the design", lambda d: edits.replace(d, name=text)),
            "Also the title of the window",
        )
        self.pick(
            "Unit",
            UNITS,
            lambda: self.design.unit,
            lambda unit: self.do(f"show lengths in {unit}", lambda d: edits.replace(d, unit=unit)),
        )
        self.number(
            "tolerance",
            "Tolerance",
            "length",
            lambda: self.design.tolerance,
            lambda v: lambda d: edits.replace(d, tolerance=plain(v)),
            "How far the solid's faces may lie from the shape",
            does="change the tolerance",
        )
        self.text("Note", soft=True)
        self.note = NoteEdit()
        self.note.setAccessibleName("Note")
        self.note.left.connect(lambda text: self.do("change the note", lambda d: edits.replace(d, note=text)))
        self.row(self.note, self._refresh_note)
        self.text("Choose a station, number, law or the body to see and change it here.", soft=True)

    def _refresh_note(self) -> None:
        if not self.note.hasFocus() and self.note.toPlainText() != self.design.note:
            self.note.setPlainText(self.design.note)


class NumberForm(Form):
    """Edits one named number through the desk."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__(desk)
        self.key = key
        self.text("Number", head=True)
        self.name(
            lambda: self._number().name, lambda text: lambda d: edits.change_number(d, key, name=text), "number"
        ).setToolTip("Formulas that use it follow the new name")
        self.pick(
            "Kind",
            KINDS,
            lambda: self._number().kind,
            lambda kind: self.do("change the number's kind", lambda d: edits.change_number(d, key, kind=kind)),
        )
        self.number(
            "value",
            "Value",
            self._number().kind,
            lambda: self._number().value,
            lambda v: lambda d: edits.change_number(d, key, value=given(v)),
            "What the name stands for",
            does=f"change {self._number().name}",
        )
        self.line(
            "Note",
            lambda: self._number().note,
            lambda text: self.do("change the note", lambda d: edits.change_number(d, key, note=text)),
        )
        self.told(self._uses, soft=True)

    def _number(self) -> Number:
        return edits.find(self.design.numbers, self.key)

    def _uses(self) -> str:
        return "Used by: " + (", ".join(edits.number_uses(self.design, self._number().name)) or "nothing yet")


class BaseForm(Form):
    """Says of a plane, axis or the origin that every design has what it is for."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__(desk)
        self.text(BUILT_IN_NAMES[key], head=True)
        if key in BASE_PLANES:
            self.text("Drawings, datums, mirrors and cuts can stand on it. Draw on it with F6.")
        elif key == "origin":
            self.text("The point 0, 0, 0. Datums, copies and measures can refer to it.")
        else:
            self.text("Bodies are revolved and copied about it, and move along it.")
        self.text("It is there in every design and cannot be moved or removed.", soft=True)
