"""The form of a datum: what it stands on, picked again when it is gone, its numbers, and what stands on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QLineEdit

from isotomon.app.forms.declared import DeclaredForm
from isotomon.app.forms.form import Offer
from isotomon.app.tools.datums import candidates
from isotomon.design import edits
from isotomon.design.datums import Datum
from isotomon.design.records import Design
from isotomon.design.walk import users
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane
from isotomon.profile.draw_edits import next_name
from isotomon.quantity import display, read, to_unit


class DatumForm(DeclaredForm):
    """Edits one datum through the desk."""

    WHAT = "datum"
    SLOTS = {"P": "Plane", "A": "Axis or line", "p": "Point", "c": "Curve", "R": "Round thing", "F": "Frame"}

    def records(self) -> tuple[Datum, ...]:
        """The design's datums."""
        return self.design.datums

    def edit(self, design: Design, **changes: object) -> Design:
        """The design with the datum changed."""
        return edits.change_datum(design, self.key, **changes)

    def offers(self, letter: str) -> list[Offer]:
        """What a datum can stand on."""
        return candidates(self.design, letter, self.desk.body, self.desk.quick)

    def finish(self) -> None:
        """More planes like it; what is wrong; where it lies; what stands on it."""
        if self._datum().kind == "parallel":
            self.several = QLineEdit()
            self.several.setPlaceholderText("More at distances: 100, 150, 200")
            self.several.setToolTip("Planes parallel to the same plane, one for each distance")
            self.several.returnPressed.connect(self._add_several)
            self.row(self.several)
            self.button("Another, as far on from this one", self._chain)
        self.told(self._trouble)
        self.told(lambda: _said(self.desk.quick.datums.get(self.key), self.unit) if self.desk.quick else "")
        self.told(lambda: _used("Carries", "Nothing stands on it yet.", users(self.design, self.key)), soft=True)

    def _datum(self) -> Datum:
        return edits.find(self.records(), self.key)

    def _trouble(self) -> str:
        findings = self.desk.quick.findings if self.desk.quick is not None else ()
        return next((f"✕ {f.text}" for f in findings if f.about == self.key), "")

    def _add_several(self) -> None:
        """One plane for each distance typed."""
        texts = [t for t in self.several.text().replace(";", ",").split(",") if t.strip()]

        def edit(design: Design) -> Design:
            for text in texts:
                design = self._another(design, values=(read(text, "length", design.unit),))
            return design

        if texts and not self.do(f"add {len(texts)} planes", edit):
            self.several.clear()

    def _chain(self) -> None:
        """A plane parallel to this one, as far from it as this is from its own."""
        self.do("add a plane further on", lambda d: self._another(d, on=(self.key,)))

    def _another(self, design: Design, **changes: object) -> Design:
        """The design with one more datum, like this one but for the changes."""
        datum = edits.find(design.datums, self.key)
        name = next_name((d.name for d in design.datums), datum.name)
        more = edits.replace(datum, id=edits.fresh_id(design, "d"), name=name, **changes)
        return edits.add_datum(design, more)


def _used(by: str, nothing: str, names: list[str]) -> str:
    return f"{by} {', '.join(names)}" if names else nothing


def _said(thing: object, unit: str) -> str:
    """Where a datum lies, in words."""

    def place(p: np.ndarray) -> str:
        return ", ".join(display(to_unit(float(c), unit), 3) for c in p) + f" {unit}"

    def direction(v: np.ndarray) -> str:
        k = int(np.abs(v).argmax())
        if abs(v[k]) > 1.0 - 1e-12:
            return f"{'+' if v[k] > 0 else '−'}{'XYZ'[k]}"
        return ", ".join(f"{float(c) + 0.0:.4f}" for c in v)

    match thing:
        case Plane():
            return f"Through {place(thing.origin)}\nfacing {direction(thing.normal)}"
        case Axis():
            return f"Through {place(thing.origin)}\nalong {direction(thing.way)}"
        case Cylinder(axis, radius):
            return f"Radius {display(to_unit(radius, unit), 3)} {unit} about an axis through {place(axis.origin)}"
        case Frame():
            return f"At {place(thing.origin)}\nX along {direction(thing.axes[0])}"
        case np.ndarray():
            return f"At {place(thing)}"
        case _:
            return ""
