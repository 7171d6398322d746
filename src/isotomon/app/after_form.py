"""What is done with a body once it is shaped: moves, sizes, mirrors and copies, each with its numbers, in order."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from isotomon.app.choices import choice, column_of, titled
from isotomon.app.command import Command, needs_design
from isotomon.app.datums import candidates
from isotomon.app.desk import Desk
from isotomon.app.fields import NumberField
from isotomon.app.wiring import wire
from isotomon.design.bodies import change_loft
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.design.steps import TITLES, After, Mirror, Move, Resize, Ring, Row
from isotomon.errors import DesignError
from isotomon.quantity import Value, resolve


class Entry(NamedTuple):
    """One value of a step: its field, title, and `what`: a kind of number, `count`, letters of what can be chosen, `by`,
    `yes`, or `numbers`."""

    field: str
    title: str
    what: str


ENTRIES: dict[type, tuple[Entry, ...]] = {
    Move: (
        Entry("x", "X", "length"),
        Entry("y", "Y", "length"),
        Entry("z", "Z", "length"),
        Entry("turn", "Turn", "angle"),
        Entry("about", "About", "A"),
    ),
    Resize: (
        Entry("x", "X", "ratio"),
        Entry("y", "Y", "ratio"),
        Entry("z", "Z", "ratio"),
        Entry("about", "About", "p"),
    ),
    Mirror: (
        Entry("plane", "Plane", "P"),
        Entry("keep", "Keep the body itself, too", "yes"),
        Entry("joined", "Joined", "yes"),
    ),
    Ring: (
        Entry("about", "About", "A"),
        Entry("count", "How many", "count"),
        Entry("angle", "Angle", "angle"),
        Entry("by", "It is", "by"),
        Entry("without", "Left out", "numbers"),
        Entry("joined", "Joined", "yes"),
    ),
    Row: (
        Entry("along", "Along", "Ac"),
        Entry("count", "How many", "count"),
        Entry("distance", "Distance", "length"),
        Entry("by", "It is", "by"),
        Entry("turning", "Turning with the path", "yes"),
        Entry("without", "Left out", "numbers"),
        Entry("joined", "Joined", "yes"),
    ),
}
BY = {"total": "in all", "step": "from one to the next"}


def add_step(design: Design, step: After) -> Design:
    """The body in hand with one more step at the end."""
    return change_loft(design, after=(*design.loft.after, step))


def change_step(design: Design, k: int, **changes: Any) -> Design:
    """The body in hand with another value in its step k."""
    steps = list(design.loft.after)
    steps[k] = replace(steps[k], **changes)
    return change_loft(design, after=tuple(steps))


def move_step(design: Design, k: int, to: int | None) -> Design:
    """The body in hand with step k elsewhere in the order, or without it."""
    steps = list(design.loft.after)
    step = steps.pop(k)
    if to is not None:
        steps.insert(to, step)
    return change_loft(design, after=tuple(steps))


class AfterForm(QWidget):
    """Edits what is done with the body in hand, through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of(self)
        self.fields: dict[str, NumberField] = {}
        self._shown: tuple[type, ...] = ()
        self._refreshers: list[Callable[[], None]] = []
        self.refresh()

    def _step(self) -> tuple[After, ...]:
        return self.desk.design.loft.after if self.desk.design is not None else ()

    def refresh(self) -> None:
        """The steps as they are now."""
        kinds = tuple(type(step) for step in self._step())
        if kinds != self._shown:
            self._shown, self._refreshers, self.fields = kinds, [], {}
            while (item := self.column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            for k, kind in enumerate(kinds):
                self._make(k, kind)
        for refresher in self._refreshers:
            refresher()

    def _make(self, k: int, kind: type) -> None:
        self.column.addWidget(self._head(k, TITLES[kind]))
        for entry in ENTRIES[kind]:
            maker = {"yes": self._yes, "numbers": self._numbers, "by": self._by, "count": self._number}.get(entry.what)
            if maker is None:
                maker = self._number if entry.what in ("length", "angle", "ratio") else self._reference
            maker(k, entry)

    def _head(self, k: int, title: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 6, 0, 0)
        label = QLabel(title)
        label.setProperty("group", True)
        line.addWidget(label, 1)
        for text, tip, to in (("↑", "Earlier", k - 1), ("✕", "Take out", None)):
            button = QPushButton(text)
            button.setFixedWidth(30)
            button.setToolTip(tip)
            button.setAccessibleName(f"{tip}: {title}")
            button.setEnabled(to is None or to >= 0)
            button.clicked.connect(partial(self._rearrange, k, to))
            line.addWidget(button)
        return row

    def _rearrange(self, k: int, to: int | None, *_: object) -> None:
        title = "take a step out" if to is None else "do a step earlier"
        self.desk.do(title, lambda d: move_step(d, k, to))

    def _value(self, k: int, entry: Entry) -> Any:
        return getattr(self._step()[k], entry.field)

    def _put(self, k: int, entry: Entry, value: Any) -> str:
        return self.desk.do(f"change {entry.title.lower()}", lambda d: change_step(d, k, **{entry.field: value}))

    def _number(self, k: int, entry: Entry) -> None:
        unit = self.desk.design.unit if self.desk.design is not None else "mm"
        kind = "ratio" if entry.what == "count" else entry.what
        field = NumberField(entry.title, kind, {"length": unit, "angle": "deg"}.get(kind, ""), "")  # type: ignore[arg-type]

        def edit(value: Value | None) -> Callable[[Design], Design]:
            given: Value = 0.0 if value is None else value
            return lambda d: change_step(d, k, **{entry.field: _whole(given) if entry.what == "count" else given})

        wire(self.desk, field, f"change {entry.title.lower()}", edit)
        self.fields[f"{k} {entry.field}"] = field
        self.column.addWidget(field)
        self._refreshers.append(partial(self._show, field, k, entry))

    def _show(self, field: NumberField, k: int, entry: Entry) -> None:
        quick, value = self.desk.quick, self._value(k, entry)
        names = quick.resolved.names if quick is not None else {}
        try:
            number = resolve(value, field.kind, names)
        except ValueError:
            number = float("nan")
        field.set_value(float(value) if isinstance(value, int) else value, number)

    def _box(self, k: int, entry: Entry, offers: Callable[[], list[tuple[str, str]]]) -> None:
        box: QComboBox = choice(entry.title)
        box.activated.connect(lambda row: self._put(k, entry, box.itemData(row)))
        self.column.addWidget(titled(entry.title, box))

        def refresh() -> None:
            now = self._value(k, entry)
            box.clear()
            for key, text in offers():
                box.addItem(text, key)
            if box.findData(now) < 0:
                box.addItem(f"{now} (gone)", now)
            box.setCurrentIndex(box.findData(now))

        self._refreshers.append(refresh)

    def _by(self, k: int, entry: Entry) -> None:
        self._box(k, entry, lambda: list(BY.items()))

    def _reference(self, k: int, entry: Entry) -> None:
        def offers() -> list[tuple[str, str]]:
            if self.desk.design is None:
                return []
            return [o for letter in entry.what for o in candidates(self.desk.design, letter, stations=False)]

        self._box(k, entry, offers)

    def _yes(self, k: int, entry: Entry) -> None:
        box = QCheckBox(entry.title)
        box.clicked.connect(lambda on: self._put(k, entry, on))
        self.column.addWidget(box)
        self._refreshers.append(lambda: box.setChecked(self._value(k, entry)))

    def _numbers(self, k: int, entry: Entry) -> None:
        edit = QLineEdit()
        edit.setAccessibleName(entry.title)
        edit.setPlaceholderText("none")
        edit.setToolTip("Numbers of copies to leave out, from 1, such as 2, 5")

        def done() -> None:
            if edit.isModified():
                edit.setModified(False)
                try:
                    self._put(k, entry, _places(edit.text()))
                except DesignError as error:
                    self.desk.said.emit("error", f"{error}. Nothing was changed.")

        edit.editingFinished.connect(done)
        self.column.addWidget(titled(entry.title, edit))
        self._refreshers.append(lambda: edit.setText(", ".join(str(n + 1) for n in self._value(k, entry))))


def _whole(value: Value) -> int:
    if isinstance(value, str) or value != round(value):
        raise DesignError(f"how many is a whole number; found {value}")
    return round(value)


def _places(text: str) -> tuple[int, ...]:
    words = text.replace(",", " ").split()
    if not all(w.isdecimal() and 0 < int(w) <= 1000 for w in words):
        raise DesignError(f"'{text}' is no list of numbers of copies; write such as 2, 5")
    return tuple(sorted({int(w) - 1 for w in words}))


def _add(w: Any, step: After) -> None:
    """One more step for the body in hand, about the chosen axis or plane where that fits."""
    design, desk = w.desk.design, w.desk
    letters = next((e.what for e in ENTRIES[type(step)] if e.what in ("A", "P", "p", "Ac")), "")
    known = [ref for letter in letters for ref, _ in candidates(design, letter, stations=False)]
    entry = next(e for e in ENTRIES[type(step)] if e.what == letters)
    chosen = next((k for k in desk.selection if k in known), None)
    made = step if chosen is None else replace(step, **{entry.field: chosen})
    if not desk.do(f"{TITLES[type(step)].lower()}", lambda d: add_step(d, made)):
        desk.select((design.loft.id,))
        w.view.fit()


# fmt: off
AFTER_COMMANDS: tuple[Command, ...] = (
    Command("after-move", "Move the body", lambda w: _add(w, Move(x=20.0)), "", "Shape", "",
            "The body in hand moved and turned by figures, once it is shaped", needs_design, None, "Copies"),
    Command("after-resize", "Resize the body", lambda w: _add(w, Resize(2.0, 2.0, 2.0)), "", "Shape", "",
            "Each direction by its own ratio, about a point", needs_design, None, "Copies"),
    Command("after-mirror", "Mirror the body", lambda w: _add(w, Mirror()), "", "Shape", "",
            "Its mirror image in the chosen plane, with it or instead of it", needs_design, None, "Copies"),
    Command("after-ring", "Copies round an axis", lambda w: _add(w, Ring()), "", "Shape", "",
            "The body in hand several times round the chosen axis", needs_design, None, "Copies"),
    Command("after-row", "Copies in a row", lambda w: _add(w, Row()), "", "Shape", "",
            "The body in hand several times along the chosen axis or guide", needs_design, None, "Copies"),
)
# fmt: on
