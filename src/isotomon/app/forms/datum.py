"""The form of a datum: what it stands on, picked again when it is gone, its numbers, and what stands on it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton, QWidget

from isotomon.app.forms.choices import choice, column_of
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates
from isotomon.design import edits
from isotomon.design.datums import Datum, construction
from isotomon.design.records import Design
from isotomon.design.walk import users
from isotomon.errors import IsotomonError
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane
from isotomon.profile.draw_edits import next_name
from isotomon.quantity import Value, display, read, resolve, to_unit

_SLOTS = {"P": "Plane", "A": "Axis or line", "p": "Point", "c": "Curve", "R": "Round thing", "F": "Frame"}


class DatumForm(QWidget):
    """Edits one datum through the desk."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__()
        self.desk, self.key = desk, key
        self.fields: dict[str, NumberField] = {}
        column = column_of(self)
        datum, made = self._datum(), construction(self._datum())
        head = QLabel(made.title)
        head.setProperty("head", True)
        head.setWordWrap(True)
        self.name = QLineEdit(datum.name)
        self.name.setAccessibleName("Name")
        self.name.editingFinished.connect(self._rename)
        for widget in (head, self.name):
            column.addWidget(widget)
        self.slots: list[QComboBox] = []
        for number, letter in enumerate(made.on):
            column.addWidget(QLabel(_SLOTS[letter]))
            box = choice(f"{_SLOTS[letter]} {number + 1}")
            box.activated.connect(partial(self._pick, number))
            self.slots.append(box)
            column.addWidget(box)
        assert desk.design is not None
        for index, given in enumerate(made.fields):
            unit = desk.design.unit if given.kind == "length" else "deg" if given.kind == "angle" else ""
            field = NumberField(given.title, given.kind, unit, given.title)
            wire(desk, field, f"change {datum.name}", lambda v, k=index: self._edit(k, v))  # type: ignore[misc]
            self.fields[str(index)] = field
            column.addWidget(field)
        self.several = QLineEdit()
        if datum.kind == "parallel":
            self.several.setPlaceholderText("More at distances: 100, 150, 200")
            self.several.setToolTip("Planes parallel to the same plane, one for each distance")
            self.several.returnPressed.connect(self._add_several)
            column.addWidget(self.several)
            chain = QPushButton("Another, as far on from this one")
            chain.clicked.connect(self._chain)
            column.addWidget(chain)
        self.wrong, self.figures, self.users = QLabel(), QLabel(), QLabel()
        for label in (self.wrong, self.figures, self.users):
            label.setWordWrap(True)
            column.addWidget(label)
        self.users.setProperty("soft", True)
        self.refresh()

    def _datum(self) -> Datum:
        assert self.desk.design is not None
        return edits.find(self.desk.design.datums, self.key)

    def _edit(self, index: int, value: Value | None) -> Callable[[Design], Design]:
        return lambda d: edits.set_datum_value(d, self.key, index, value if value is not None else 0.0)

    def _rename(self) -> None:
        text = self.name.text().strip()
        if text and text != self._datum().name:
            self.desk.do("rename the datum", lambda d: edits.change_datum(d, self.key, name=text))

    def _pick(self, slot: int, row: int) -> None:
        ref = self.slots[slot].itemData(row)
        on = list(self._datum().on)
        on[slot] = ref
        self.desk.do("pick again", lambda d: edits.change_datum(d, self.key, on=tuple(on)))

    def _add_several(self) -> None:
        """One plane for each distance typed."""
        datum, texts = self._datum(), [t for t in self.several.text().replace(";", ",").split(",") if t.strip()]

        def edit(design: Design) -> Design:
            for text in texts:
                value = read(text, "length", design.unit)
                name = next_name((d.name for d in design.datums), datum.name)
                design = edits.add_datum(
                    design, edits.replace(datum, id=edits.fresh_id(design, "d"), name=name, values=(value,))
                )
            return design

        if texts and not self.desk.do(f"add {len(texts)} planes", edit):
            self.several.clear()

    def _chain(self) -> None:
        """A plane parallel to this one, as far from it as this is from its own."""
        datum = self._datum()

        def edit(design: Design) -> Design:
            name = next_name((d.name for d in design.datums), datum.name)
            return edits.add_datum(
                design, edits.replace(datum, id=edits.fresh_id(design, "d"), name=name, on=(datum.id,))
            )

        self.desk.do("add a plane further on", edit)

    def refresh(self) -> None:
        """The datum as it is now."""
        design, quick = self.desk.design, self.desk.quick
        if design is None or all(d.id != self.key for d in design.datums):
            return
        datum, made = self._datum(), construction(self._datum())
        if not self.name.isModified():
            self.name.setText(datum.name)
        for box, letter, ref in zip(self.slots, made.on, datum.on, strict=True):
            wanted = [c for c in candidates(design, letter, self.desk.body, quick) if c[0] != self.key]
            if ref not in [r for r, _ in wanted]:
                wanted.insert(0, (ref, f"✕ {ref or 'nothing'}: pick again"))
            if [(box.itemData(k), box.itemText(k)) for k in range(box.count())] != wanted:
                box.clear()
                for r, text in wanted:
                    box.addItem(text, r)
            box.setCurrentIndex(box.findData(ref))
        if quick is None:
            return
        for field, given, value in zip(self.fields.values(), made.fields, datum.values, strict=True):
            try:
                field.set_value(value, resolve(value, given.kind, quick.resolved.names))
            except IsotomonError:
                continue
        trouble = next((f.text for f in quick.findings if f.about == self.key), "")
        self.wrong.setText(f"✕ {trouble}" if trouble else "")
        self.wrong.setVisible(bool(trouble))
        self.figures.setText(_said(quick.datums.get(self.key), design.unit))
        used = users(design, self.key)
        self.users.setText("Carries " + ", ".join(used) if used else "Nothing stands on it yet.")
        # Wrapped labels in a nested layout do not ask for room when their text grows.
        layout = self.layout()
        assert layout is not None
        self.setMinimumHeight(layout.heightForWidth(max(self.width(), 200)))


def _said(thing: object, unit: str) -> str:
    """Where a datum lies, in words."""

    def place(p: np.ndarray) -> str:
        return ", ".join(display(to_unit(float(c), unit), 3) for c in p) + f" {unit}"

    def way(v: np.ndarray) -> str:
        k = int(np.abs(v).argmax())
        if abs(v[k]) > 1.0 - 1e-12:
            return f"{'+' if v[k] > 0 else '−'}{'XYZ'[k]}"
        return ", ".join(f"{float(c) + 0.0:.4f}" for c in v)

    match thing:
        case Plane():
            return f"Through {place(thing.origin)}\nfacing {way(thing.normal)}"
        case Axis():
            return f"Through {place(thing.origin)}\nalong {way(thing.way)}"
        case Cylinder(axis, radius):
            return f"Radius {display(to_unit(radius, unit), 3)} {unit} about an axis through {place(axis.origin)}"
        case Frame():
            return f"At {place(thing.origin)}\nX along {way(thing.axes[0])}"
        case np.ndarray():
            return f"At {place(thing)}"
        case _:
            return ""
