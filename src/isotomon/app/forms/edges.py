"""The row of a form for a choice of edges, faces or curves: each in words, with a way to take it out, and what can be added."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from isotomon.app.forms.choices import column_of, small_button
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.form import Form
from isotomon.app.forms.subject import Subject
from isotomon.app.forms.wiring import wire
from isotomon.app.tools.steps import offers_of
from isotomon.design.records import Design
from isotomon.inspect.looks import ground_of
from isotomon.operations.base import Input, inputs_of
from isotomon.quantity import Value
from isotomon.quantity.record import Ref

LISTED = ("edges", "faces", "curves", "points", "bodies")
"""What is chosen by several references in a list."""


class EdgesRow(QWidget):
    """What is chosen of a subject's edges, faces or curves, in words that can be taken out, each with the length that belongs to it, if such are
    asked for; a menu adds what is chosen in the View, or a rule."""

    def __init__(self, form: Form, key: str, subject: Subject, asked: Input) -> None:
        super().__init__()
        self.form, self.desk, self.key, self.subject, self.asked = form, form.desk, key, subject, asked
        self.beside = next((i for i in inputs_of(subject.kind) if i.beside == asked.name), None)
        self._fields: list[NumberField] = []
        title = QLabel(asked.title)
        title.setToolTip(asked.tip)
        column = column_of(self, 2)
        column.addWidget(title)
        rows = QWidget()
        self._rows: QVBoxLayout = column_of(rows, 2)
        self._rows.setContentsMargins(12, 0, 0, 0)
        column.addWidget(rows)
        self._shown: tuple[str, ...] | None = None

    @property
    def _lengths(self) -> tuple[Value, ...]:
        """One for each of the choice, nought for none."""
        lengths = self.subject.said(self.beside.name, ()) if self.beside is not None else ()
        choice = self.subject.said(self.asked.name, ())
        return (*lengths, *(0.0 for _ in choice))[: len(choice)]

    def refresh(self) -> None:
        """The choice as it is now."""
        now = tuple(self.subject.said(self.asked.name, ()))
        words = self._words(now)
        if words != self._shown:
            self._shown = words
            self._lay_out(words)
        for field, value in zip(self._fields, self._lengths, strict=False):
            usual = self.subject.said(getattr(self.subject.kind, "SIZE", ""), 0.0)
            field.set_value(value or None, self.form.worth(value or usual, "length"))

    def _lay_out(self, words: tuple[str, ...]) -> None:
        self._fields.clear()
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for k, text in enumerate(words):
            self._add_row(text, "x", f"Take out: {text}", partial(self._take_out, k))
            if self.beside is not None and len(words) > 1:
                self._rows.addWidget(self._length(k, self.beside))
        self._add_row("" if words else "none", "insert", f"Add to: {self.asked.title}", self.offer)

    def _length(self, k: int, beside: Input) -> NumberField:
        """The field of the length that belongs to an item of the choice."""

        def edit(value: Value | None) -> Callable[[Design], Design]:
            lengths = list(self._lengths)
            lengths[k] = 0.0 if value is None else value
            return self.subject.change(**{beside.name: tuple(lengths)})

        field = NumberField(beside.title, "length", self.form.unit, beside.tip, "as the others")
        wire(self.desk, field, f"change {beside.title.lower()}", edit)
        self._fields.append(field)
        self.form.fields[f"{self.key} {k}"] = field
        return field

    def _words(self, now: tuple[Ref, ...]) -> tuple[str, ...]:
        if self.desk.quick is None:
            return now
        ground = ground_of(self.desk.quick)
        return tuple(ground.called(ref) for ref in now)

    def _add_row(self, text: str, picture: str, name: str, press: Callable[[], object]) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        label = QLabel(text)
        label.setWordWrap(True)
        line.addWidget(label, 1)
        line.addWidget(small_button(picture, name, press))
        self._rows.addWidget(row)

    def _put(self, title: str, choice: tuple[Ref, ...], lengths: tuple[Value, ...]) -> None:
        """The choice made another one, with the lengths that belong to it."""
        changes: dict[str, Any] = {self.asked.name: choice}
        if self.beside is not None:
            changes[self.beside.name] = lengths if any(lengths) else ()
        self.form.do(title, self.subject.change(**changes))

    def _take_out(self, k: int) -> None:
        now, lengths = self.subject.said(self.asked.name, ()), self._lengths
        title = f"change {self.asked.title.lower()}"
        self._put(title, (*now[:k], *now[k + 1 :]), (*lengths[:k], *lengths[k + 1 :]))

    def _take_in(self, ref: Ref) -> None:
        title = f"change {self.asked.title.lower()}"
        self._put(title, (*self.subject.said(self.asked.name, ()), ref), (*self._lengths, 0.0))

    def offer(self) -> None:
        """The menu of what can be added."""
        now = set(self.subject.said(self.asked.name, ()))
        menu = QMenu(self)
        for ref, text in offers_of(self.desk, self.asked):
            if ref not in now:
                menu.addAction(text, partial(self._take_in, Ref(ref)))
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))
