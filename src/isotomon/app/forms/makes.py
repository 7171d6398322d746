"""What the body in hand makes: one of its own, or a change of others; and of which."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from isotomon.app.forms.choices import choice, titled
from isotomon.app.state.desk import Desk
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
        self.desk.do("combine bodies", lambda d: bodies.combine(d, self.desk.hand, makes, onto))
        self.refresh()

    def _tick(self, key: str, on: bool) -> None:
        design = self.desk.design
        if design is None:
            return
        onto = bodies.receivers(design, self.desk.hand)
        wanted = tuple(b.id for b in self.desk.others if (b.id in onto and b.id != key) or (b.id == key and on))
        if wanted:
            self._combine(bodies.makes(design, self.desk.hand), wanted)
        else:
            self.desk.said.emit("note", "A body is combined with one other at least; make it one of its own instead.")
            self.refresh()

    def refresh(self) -> None:
        """As it is now."""
        design = self.desk.design
        if design is None:
            return
        makes, onto = bodies.makes(design, self.desk.hand), bodies.receivers(design, self.desk.hand)
        self.row.setVisible(bool(self.desk.others))
        self.makes.setCurrentIndex(self.makes.findData(makes))
        names = {
            b.id: b.name for b in self.desk.others if b.id in onto or bodies.may_receive(design, b.id, self.desk.hand)
        }
        if list(names) != list(self.boxes):
            for box in self.boxes.values():
                self.column.removeWidget(box)
                box.hide()
                box.deleteLater()
            self.boxes = {}
            for key in names:
                self.boxes[key] = QCheckBox()
                self.boxes[key].clicked.connect(partial(self._tick, key))
                self.column.addWidget(self.boxes[key])
        for key, box in self.boxes.items():
            box.setText(f"with {names[key]}")
            box.setChecked(key in onto)
            box.setVisible(makes != "own")
