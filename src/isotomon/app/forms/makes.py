"""What the body in hand makes: one of its own, or a change of others; and of which."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from isotomon.app.forms.form import Form
from isotomon.app.state.desk import Desk
from isotomon.design import bodies

MAKES = {
    "own": "A body of its own",
    "add": "Added to others",
    "cut": "Cut out of others",
    "common": "Kept in common with others",
}


class MakesForm(Form):
    """Edits how the body in hand is combined with others, through the desk. Hidden while there is only one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.pick("Makes", MAKES, self._makes, self._combine, shown=lambda: bool(desk.others))
        self.ticks = QWidget()
        self.tick_column = QVBoxLayout(self.ticks)
        self.tick_column.setContentsMargins(0, 0, 0, 0)
        self.tick_column.setSpacing(2)
        self.boxes: dict[str, QCheckBox] = {}
        self.row(self.ticks, self._refresh_ticks, lambda: self._makes() != "own")
        self.refresh()

    def _makes(self) -> str:
        return bodies.makes(self.design, self.desk.hand)

    def _combine(self, makes: str, onto: tuple[str, ...] | None = None) -> None:
        self.do("combine bodies", lambda d: bodies.combine(d, self.desk.hand, makes, onto))
        self.refresh()

    def _tick(self, key: str, on: bool) -> None:
        onto = bodies.receivers(self.design, self.desk.hand)
        wanted = tuple(b.id for b in self.desk.others if (b.id in onto and b.id != key) or (b.id == key and on))
        if wanted:
            self._combine(self._makes(), wanted)
        else:
            self.desk.said.emit("note", "A body is combined with one other at least; make it one of its own instead.")
            self.refresh()

    def _refresh_ticks(self) -> None:
        onto, hand = bodies.receivers(self.design, self.desk.hand), self.desk.hand
        names = {b.id: b.name for b in self.desk.others if b.id in onto or bodies.may_receive(self.design, b.id, hand)}
        if list(names) != list(self.boxes):
            for box in self.boxes.values():
                self.tick_column.removeWidget(box)
                box.hide()
                box.deleteLater()
            self.boxes = {}
            for key in names:
                self.boxes[key] = QCheckBox()
                # Of a partial the toolkit does not see that it takes whether the box is ticked.
                self.boxes[key].clicked.connect(lambda on, key=key: self._tick(key, on))
                self.tick_column.addWidget(self.boxes[key])
        for key, box in self.boxes.items():
            box.setText(f"with {names[key]}")
            box.setChecked(key in onto)
