"""How a number field changes the design: typed, scrubbed, named, or through the number behind its formula."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QApplication, QMenu

from isotomon.app.forms.fields import NumberField
from isotomon.app.state.desk import Desk
from isotomon.design import edits
from isotomon.design.records import Design, Number
from isotomon.quantity import Value, names_in

MakeEdit = Callable[[Value | None], Callable[[Design], Design]]


def wire(desk: Desk, field: NumberField, title: str, edit: MakeEdit) -> None:
    """Let a field make `edit(value)` through the desk; one scrub is one step."""

    def changed(value: Value | None) -> Callable[[Design], Design]:
        # What the field belongs to may be gone by now; the desk says so then.
        return lambda design: edit(value)(design)

    field.entered.connect(lambda value: field.explain(desk.do(title, changed(value))))
    field.named.connect(lambda name, value: field.explain(desk.do(f"name {name}", named(field, name, value, edit))))

    def begin() -> None:
        if isinstance(field.value, str):
            field.label.stop()
            offer_behind_formula(desk, field.value, lambda: desk.do(title, changed(field.number)))

    field.scrub_began.connect(begin)
    field.scrubbed.connect(lambda number: field.explain(desk.preview(title, changed(number))))
    field.scrub_done.connect(lambda number: field.explain(desk.finish_preview()))
    field.scrub_given_up.connect(desk.give_up_preview)


def offer_behind_formula(desk: Desk, formula: str, replace: Callable[[], object]) -> None:
    """A menu for a value that a formula drives: go to a number behind it, or replace the formula by its value."""
    menu = QMenu(QApplication.activeWindow())
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    head = menu.addAction(f"Driven by the formula {formula}")
    head.setEnabled(False)
    assert desk.design is not None
    for number in desk.design.numbers:
        if number.name in names_in(formula):
            menu.addAction(f"Change the number '{number.name}'…", lambda key=number.id: desk.select((key,)))  # type: ignore[misc]
    menu.addAction("Replace the formula by its value", replace)
    menu.popup(QCursor.pos())


def named(field: NumberField, name: str, value: Value, edit: MakeEdit) -> Callable[[Design], Design]:
    """An edit that makes a named number of a field's value, and lets the field use it."""

    def both(design: Design) -> Design:
        number = Number(edits.fresh_id(design, "n"), name, value, field.kind)
        return edit(name)(edits.add_number(design, number))

    return both
