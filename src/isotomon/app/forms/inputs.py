"""The rows of a step, or of how a skin is made: one for each kind of input that an operation declares."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QLineEdit

from isotomon.app.forms.choices import titled
from isotomon.app.forms.edges import LISTED, EdgesRow
from isotomon.app.forms.form import Form, given
from isotomon.app.forms.subject import Subject
from isotomon.app.tools.steps import offers_of
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.exchange.lists import numbers, pairs, said_numbers, said_pairs
from isotomon.operations.base import KINDS, Input
from isotomon.quantity import Value


def add_input(form: Form, key: str, subject: Subject, asked: Input) -> None:
    """A row of a form for one field of a subject; a number's field is found by `key`."""

    def value() -> Any:
        return subject.said(asked.name, asked.usual)

    def put(value: Any) -> str:
        return form.do(f"change {asked.title.lower()}", subject.change(**{asked.name: value}))

    def edit(value: Value | None) -> Callable[[Design], Design]:
        of = _whole if asked.what == "count" else given
        return lambda d: subject.change(**{asked.name: of(value)})(d)

    if asked.what == "count":
        form.number(key, asked.title, "ratio", lambda: float(value()), edit, asked.tip)
    elif asked.what in KINDS:
        form.number(key, asked.title, asked.what, value, edit, asked.tip)  # type: ignore[arg-type]
    elif asked.what == "lengths":
        pass  # they stand beside the items that they belong to
    elif asked.what == "yes":
        form.tick(asked.title, value, put, tip=asked.tip)
    elif asked.what in WRITTEN:
        _written(form, asked, value, put)
    elif asked.what in LISTED:
        row = EdgesRow(form, key, subject, asked)
        form.row(row, row.refresh)
    else:
        form.pick(
            asked.title,
            lambda: offers_of(form.desk, asked),
            value,
            put,
            tip=asked.tip,
            lost=lambda ref: f"{ref} (gone)",
        )


def _written(form: Form, asked: Input, value: Callable[[], Any], put: Callable[[Any], str]) -> None:
    """What is written as a list: numbers of copies, or pairs of shares."""
    said, read_back = WRITTEN[asked.what]
    edit = QLineEdit()
    edit.setAccessibleName(asked.title)
    edit.setPlaceholderText("none")
    edit.setToolTip(asked.tip)

    def done() -> None:
        if edit.isModified():
            edit.setModified(False)
            try:
                put(read_back(edit.text()))
            except DesignError as error:
                form.desk.said.emit("error", f"{error}. Nothing was changed.")

    edit.editingFinished.connect(done)
    form.row(titled(asked.title, edit), lambda: edit.setText(said(value())))


def _whole(value: Value | None) -> int:
    if value is None or isinstance(value, str) or value != round(value):
        raise DesignError(f"how many is a whole number; found {value}")
    return round(value)


WRITTEN: dict[str, tuple[Callable[[Any], str], Callable[[str], Any]]] = {
    "copies": (said_numbers, numbers),
    "pairs": (said_pairs, pairs),
}
"""What a list is as text, and the list that a text says."""
