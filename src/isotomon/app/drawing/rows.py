"""What the panel beside the canvas is made of: a column of words, buttons and number fields of what is drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.app.drawing.editor import DrawingEditor
from isotomon.app.forms.fields import NumberField
from isotomon.errors import IsotomonError
from isotomon.quantity import Kind, Value, resolve

Press = Callable[[], object]


class Rows:
    """A column; `fields`: its number fields by what they are of."""

    def __init__(self, editor: DrawingEditor, column: QVBoxLayout, fields: dict[str, NumberField]) -> None:
        self.editor, self.column, self.fields = editor, column, fields

    def within(self, holder: QWidget) -> Rows:
        """Rows in a widget of their own."""
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        return Rows(self.editor, column, self.fields)

    def text(self, text: str, **properties: Any) -> QLabel:
        """Words."""
        label = QLabel(text)
        label.setWordWrap(True)
        for name, value in properties.items():
            label.setProperty(name, value)
        self.column.addWidget(label)
        return label

    def button(self, text: str, press: Press, tip: str = "") -> QPushButton:
        """Something to be done at once."""
        button = _button(text, press, tip)
        self.column.addWidget(button)
        return button

    def buttons(self, wanted: Sequence[tuple[str, Press]]) -> None:
        """(title, what it does), two in a row."""
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for k, (title, press) in enumerate(wanted):
            grid.addWidget(_button(title.split(" (")[0], press, title), k // 2, k % 2)
        self.column.addWidget(holder)

    def number(
        self,
        key: str,
        title: str,
        kind: Kind,
        number: float,
        tip: str,
        take: Callable[[Value], object],
        value: Value | None = None,
    ) -> NumberField:
        """A number field; `take` says what is wrong with what is typed, or nothing."""
        unit = self.editor.design.unit if kind == "length" else "deg" if kind == "angle" else ""
        field = NumberField(title, kind, unit, tip)
        field.set_value(number if value is None else value, number)
        field.entered.connect(lambda v: field.explain(str(take(v) or "")))
        field.scrub_done.connect(lambda v: field.explain(str(take(v) or "")))
        if value is None:  # a figure is named where it is made
            field.named.connect(lambda *_: field.explain("This keeps a plain number; add a named number first"))
        self.column.addWidget(field)
        self.fields[key] = field
        return field

    def plain(
        self, key: str, title: str, kind: Kind, number: float, tip: str, take: Callable[[float], object]
    ) -> NumberField:
        """A number field of what keeps no formula: a value is worked out once."""

        def worked_out(value: Value) -> object:
            quick = self.editor.desk.quick
            try:
                return take(resolve(value, kind, quick.resolved.names if quick is not None else {}))
            except IsotomonError as error:
                return str(error)

        return self.number(key, title, kind, number, tip, worked_out)


def _button(text: str, press: Press, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    button.setStyleSheet("padding: 3px 8px;")
    button.clicked.connect(lambda: press())
    return button
