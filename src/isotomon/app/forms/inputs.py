"""What a step's fields are filled in with: a widget for each kind of input that an operation declares."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from PySide6.QtWidgets import QCheckBox, QLineEdit, QWidget

from isotomon.app.forms.choices import choice, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates
from isotomon.design import bodies
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.operations.base import KINDS, Input
from isotomon.quantity import Value, resolve


class Made(NamedTuple):
    """A row of a step's form, what brings it up to date, and its number field, where it has one."""

    widget: QWidget
    refresh: Callable[[], None]
    field: NumberField | None = None


def input_of(desk: Desk, step: str, given: Input) -> Made:
    """The row for one field of a step."""
    if given.what in (*KINDS, "count"):
        return _number(desk, step, given)
    if given.what == "yes":
        return _yes(desk, step, given)
    if given.what == "copies":
        return _copies(desk, step, given)
    return _box(desk, step, given)


def offers_of(desk: Desk, given: Input) -> list[tuple[str, str]]:
    """(value, in words) of all that can be chosen for a field."""
    if given.what == "choice":
        return list(given.words)
    if desk.design is None or given.what in (*KINDS, "count", "copies", "yes"):
        return []
    if given.what == "B":
        design, hand = desk.design, desk.hand
        return [(b.id, b.name) for b in desk.others if bodies.may_receive(design, hand, b.id)]
    return [offer for letter in given.what for offer in candidates(desk.design, letter)]


def _value(desk: Desk, step: str, given: Input) -> Any:
    found = next((s for s in desk.held.steps if s.id == step), None)
    return given.usual if found is None else getattr(found, given.name)


def _put(desk: Desk, step: str, given: Input, value: Any) -> str:
    title = f"change {given.title.lower()}"
    return desk.do(title, lambda d: bodies.change_step(d, step, **{given.name: value}))


def _number(desk: Desk, step: str, given: Input) -> Made:
    counted = given.what == "count"
    kind = "ratio" if counted else given.what
    unit = desk.design.unit if desk.design is not None else "mm"
    field = NumberField(given.title, kind, {"length": unit, "angle": "deg"}.get(kind, ""), given.tip)  # type: ignore[arg-type]

    def edit(value: Value | None) -> Callable[[Design], Design]:
        number: Value = 0.0 if value is None else value
        return lambda d: bodies.change_step(d, step, **{given.name: _whole(number) if counted else number})

    def refresh() -> None:
        quick, value = desk.quick, _value(desk, step, given)
        names = quick.resolved.names if quick is not None else {}
        try:
            number = resolve(value, field.kind, names)
        except ValueError:
            number = float("nan")
        field.set_value(float(value) if isinstance(value, int) else value, number)

    wire(desk, field, f"change {given.title.lower()}", edit)
    return Made(field, refresh, field)


def _yes(desk: Desk, step: str, given: Input) -> Made:
    box = QCheckBox(given.title)
    box.setToolTip(given.tip)
    box.clicked.connect(lambda on: _put(desk, step, given, on))
    return Made(box, lambda: box.setChecked(_value(desk, step, given)))


def _box(desk: Desk, step: str, given: Input) -> Made:
    box = choice(given.title)
    box.setToolTip(given.tip)
    box.activated.connect(lambda row: _put(desk, step, given, box.itemData(row)))

    def refresh() -> None:
        now = _value(desk, step, given)
        box.clear()
        for key, text in offers_of(desk, given):
            box.addItem(text, key)
        if box.findData(now) < 0:
            box.addItem(f"{now} (gone)", now)
        box.setCurrentIndex(box.findData(now))

    return Made(titled(given.title, box), refresh)


def _copies(desk: Desk, step: str, given: Input) -> Made:
    """Numbers of copies, from 1 as users count."""
    edit = QLineEdit()
    edit.setAccessibleName(given.title)
    edit.setPlaceholderText("none")
    edit.setToolTip(given.tip)

    def done() -> None:
        if edit.isModified():
            edit.setModified(False)
            try:
                _put(desk, step, given, _numbers(edit.text()))
            except DesignError as error:
                desk.said.emit("error", f"{error}. Nothing was changed.")

    edit.editingFinished.connect(done)
    return Made(
        titled(given.title, edit),
        lambda: edit.setText(", ".join(str(n + 1) for n in _value(desk, step, given))),
    )


def _whole(value: Value) -> int:
    if isinstance(value, str) or value != round(value):
        raise DesignError(f"how many is a whole number; found {value}")
    return round(value)


def _numbers(text: str) -> tuple[int, ...]:
    words = text.replace(",", " ").split()
    if not all(w.isdecimal() and 0 < int(w) <= 1000 for w in words):
        raise DesignError(f"'{text}' is no list of numbers of copies; write such as 2, 5")
    return tuple(sorted({int(w) - 1 for w in words}))
