"""What the body in hand makes: one of its own, or a change of others; and of which."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from isotomon.app.choices import choice, titled
from isotomon.app.desk import Desk
from isotomon.design import bodies

MAKES = {
    "own": "A body of its own",
    "add": "Added to others",
    "cut": "Cut out of others",
    "common": "Kept in common with others",
}


class MakesForm(QWidget):
    """Edits how the body in hand is combined with others, through the desk. Hidden while there is only one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(2)
        self.makes = choice("Makes", MAKES)
        self.makes.activated.connect(lambda k: self._combine(self.makes.itemData(k)))
        self.row = titled("Makes", self.makes)
        self.column.addWidget(self.row)
        self.boxes: dict[str, QCheckBox] = {}
        self.refresh()

    def _combine(self, makes: str, onto: tuple[str, ...] | None = None) -> None:
        self.desk.do("combine bodies", lambda d: bodies.combine(d, makes, onto))
        self.refresh()

    def _tick(self, key: str, on: bool) -> None:
        design = self.desk.design
        if design is None:
            return
        order = [p.loft.id for p in design.rest]
        wanted = tuple(k for k in order if (k in design.loft.onto and k != key) or (k == key and on))
        if wanted:
            self._combine(design.loft.makes, wanted)
        else:
            self.desk.said.emit("note", "A body is combined with one other at least; make it one of its own instead.")
            self.refresh()

    def refresh(self) -> None:
        """As it is now."""
        design = self.desk.design
        if design is None:
            return
        self.row.setVisible(bool(design.rest))
        self.makes.setCurrentIndex(self.makes.findData(design.loft.makes))
        own = {p.loft.id: p.loft.name for p in design.rest if p.loft.makes == "own"}
        if list(own) != list(self.boxes):
            for box in self.boxes.values():
                self.column.removeWidget(box)
                box.hide()
                box.deleteLater()
            self.boxes = {}
            for key in own:
                self.boxes[key] = QCheckBox()
                self.boxes[key].clicked.connect(partial(self._tick, key))
                self.column.addWidget(self.boxes[key])
        for key, box in self.boxes.items():
            box.setText(f"with {own[key]}")
            box.setChecked(key in design.loft.onto)
            box.setVisible(design.loft.makes != "own")
