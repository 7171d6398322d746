"""The list of what is done with a body once it is shaped: each step with its numbers, in the order in which it is done."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QMouseEvent, QPalette
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from isotomon.app.choices import choice, column_of, titled
from isotomon.app.command import Command, needs_design
from isotomon.app.datums import candidates
from isotomon.app.desk import Desk
from isotomon.app.fields import NumberField
from isotomon.app.theme import icon
from isotomon.app.wiring import wire
from isotomon.design import bodies
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.design.steps import TITLES, Combine, Mirror, Move, Placing, Resize, Ring, Row, Step
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
    Combine: (Entry("body", "Body", "B"), Entry("how", "It is", "how")),
}
BY = {"total": "in all", "step": "from one to the next"}
HOW = {"add": "added to it", "cut": "cut from it", "common": "kept in common with it"}


class Handle(QLabel):
    """Where a step is taken hold of to be dragged to another place in the order."""

    dragged = Signal(int)
    """by so many pixels, so far"""
    dropped = Signal(int)

    def __init__(self, title: str) -> None:
        super().__init__("⠿")
        self.setToolTip("Drag to another place in the order")
        self.setAccessibleName(f"Drag: {title}")
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self._from: int | None = None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._from = round(event.globalPosition().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self.dragged.emit(round(event.globalPosition().y()) - self._from)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            by, self._from = round(event.globalPosition().y()) - self._from, None
            self.dropped.emit(by)


class StepsForm(QWidget):
    """Edits what is done with the body in hand, through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of(self)
        self.fields: dict[str, NumberField] = {}
        self.heads: list[QWidget] = []
        self._line = QFrame(self)
        """Where a dragged step would come to."""
        self._line.setFrameShape(QFrame.Shape.HLine)
        self._line.setProperty("drop", True)
        self._line.setFixedHeight(3)
        self._line.hide()
        self._shown: tuple[tuple[str, type], ...] = ()
        self._refreshers: list[Callable[[], None]] = []
        self.refresh()

    def _steps(self) -> tuple[Step, ...]:
        return self.desk.body.steps if self.desk.body is not None else ()

    def refresh(self) -> None:
        """The steps as they are now."""
        steps = tuple((step.id, type(step)) for step in self._steps())
        if steps != self._shown:
            self._shown, self._refreshers, self.fields, self.heads = steps, [], {}, []
            while (item := self.column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            for k, (_, kind) in enumerate(steps):
                self._make(k, kind)
        for refresher in self._refreshers:
            refresher()

    def _make(self, k: int, kind: type) -> None:
        self.heads.append(self._head(k))
        self.column.addWidget(self.heads[-1])
        for entry in ENTRIES[kind]:
            makers = {
                "yes": self._yes,
                "numbers": self._numbers,
                "by": self._by,
                "how": self._how,
                "count": self._number,
            }
            maker = makers.get(entry.what)
            if maker is None:
                maker = self._number if entry.what in ("length", "angle", "ratio") else self._reference
            maker(k, entry)

    def _head(self, k: int) -> QWidget:
        row, title = QWidget(), TITLES[self._shown[k][1]]
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 6, 0, 0)
        line.setSpacing(0)
        handle, taken = Handle(title), QCheckBox()
        handle.dragged.connect(lambda by: self._show_drop(k, by))
        handle.dropped.connect(lambda by: self._drop(k, by))
        taken.setProperty("group", True)
        taken.setToolTip("Without the tick the step is set aside: it keeps its numbers and is not done")
        taken.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        taken.clicked.connect(lambda on: self._set_aside(k, not on))
        line.addWidget(handle)
        line.addWidget(taken, 1)
        self._button(line, "earlier", f"Earlier: {title}", partial(self._move, k, k - 1)).setEnabled(k > 0)
        up_to = self._button(line, "up-to", f"Rebuild up to here: {title}", lambda: self._up_to(k))
        self._button(line, "x", f"Take out: {title}", lambda: self._take_out(k))
        up_to.setCheckable(True)

        def refresh() -> None:
            body, step = self.desk.held, self._steps()[k]
            taken.setChecked(not step.aside)
            up_to.setChecked(body.up_to == step.id)
            words = " (not done)" if step not in body.done and not step.aside else ""
            taken.setText(f"{self._title(step)}{words}")

        self._refreshers.append(refresh)
        return row

    def _button(self, line: QHBoxLayout, picture: str, name: str, press: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setIcon(icon(picture, self.palette().color(QPalette.ColorRole.WindowText).name()))
        button.setProperty("small", True)
        button.setToolTip(name.partition(":")[0])
        button.setAccessibleName(name)
        button.clicked.connect(lambda *_: press())
        line.addWidget(button)
        return button

    def _title(self, step: Step) -> str:
        if not isinstance(step, Combine):
            return TITLES[type(step)]
        name = next((b.name for b in self.desk.others if b.id == step.body), "what is gone")
        return {"add": "With {}", "cut": "Cut by {}", "common": "In common with {}"}[step.how].format(name)

    # The order

    def _place_for(self, k: int, by: int) -> int:
        """The place in the order to which step k comes when its head is dragged by so many pixels."""
        here = self.heads[k].y() + by
        others = [head.y() for n, head in enumerate(self.heads) if n != k]
        return sum(y < here for y in others)

    def _show_drop(self, k: int, by: int) -> None:
        place = self._place_for(k, by)
        others = [head for n, head in enumerate(self.heads) if n != k]
        y = others[place].y() if place < len(others) else self.height() - self._line.height()
        self._line.setGeometry(0, y, self.width(), self._line.height())
        self._line.show()
        self._line.raise_()

    def _drop(self, k: int, by: int) -> None:
        self._line.hide()
        place = self._place_for(k, by)
        if place != k:
            self._move(k, place)

    def _move(self, k: int, to: int) -> None:
        key = self._steps()[k].id
        self.desk.do("do a step earlier" if to < k else "do a step later", lambda d: bodies.move_step(d, key, to))

    def _take_out(self, k: int) -> None:
        key = self._steps()[k].id
        self.desk.do("take a step out", lambda d: bodies.remove_step(d, key))

    def _set_aside(self, k: int, aside: bool) -> None:
        key = self._steps()[k].id
        title = "set a step aside" if aside else "take a step up again"
        self.desk.do(title, lambda d: bodies.change_step(d, key, aside=aside))
        self.refresh()

    def _up_to(self, k: int) -> None:
        key, hand = self._steps()[k].id, self.desk.hand
        wanted = None if self.desk.held.up_to == key else key
        title = "rebuild with all steps" if wanted is None else "rebuild up to a step"
        self.desk.do(title, lambda d: bodies.rebuild_up_to(d, hand, wanted))
        self.refresh()

    # The numbers

    def _value(self, k: int, entry: Entry) -> Any:
        return getattr(self._steps()[k], entry.field)

    def _put(self, k: int, entry: Entry, value: Any) -> str:
        key = self._steps()[k].id
        return self.desk.do(
            f"change {entry.title.lower()}", lambda d: bodies.change_step(d, key, **{entry.field: value})
        )

    def _number(self, k: int, entry: Entry) -> None:
        key = self._steps()[k].id
        unit = self.desk.design.unit if self.desk.design is not None else "mm"
        kind = "ratio" if entry.what == "count" else entry.what
        field = NumberField(entry.title, kind, {"length": unit, "angle": "deg"}.get(kind, ""), "")  # type: ignore[arg-type]

        def edit(value: Value | None) -> Callable[[Design], Design]:
            given: Value = 0.0 if value is None else value
            return lambda d: bodies.change_step(
                d, key, **{entry.field: _whole(given) if entry.what == "count" else given}
            )

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

    def _how(self, k: int, entry: Entry) -> None:
        self._box(k, entry, lambda: list(HOW.items()))

    def _reference(self, k: int, entry: Entry) -> None:
        def offers() -> list[tuple[str, str]]:
            if self.desk.design is None:
                return []
            if entry.what == "B":
                hand = self.desk.hand
                return [(b.id, b.name) for b in self.desk.others if bodies.may_receive(self.desk.design, hand, b.id)]
            return [o for letter in entry.what for o in candidates(self.desk.design, letter)]

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


def _add(w: Any, step: Placing) -> None:
    """One more step for the body in hand, about the chosen axis or plane where that fits."""
    design, desk = w.desk.design, w.desk
    letters = next((e.what for e in ENTRIES[type(step)] if e.what in ("A", "P", "p", "Ac")), "")
    known = [ref for letter in letters for ref, _ in candidates(design, letter)]
    entry = next(e for e in ENTRIES[type(step)] if e.what == letters)
    chosen = next((k for k in desk.selection if k in known), None)
    made = step if chosen is None else replace(step, **{entry.field: chosen})
    if not desk.do(f"{TITLES[type(step)].lower()}", lambda d: bodies.add_step(d, desk.hand, made)):
        desk.select((desk.hand,))
        w.view.fit()


# fmt: off
STEP_COMMANDS: tuple[Command, ...] = (
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
