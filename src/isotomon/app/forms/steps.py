"""The list of what is done with a body once it is shaped: each step with its numbers, in the order in which it is done."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QMouseEvent, QPalette
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.forms.choices import column_of
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.inputs import input_of, offers_of
from isotomon.app.state.desk import Desk
from isotomon.app.theme import icon
from isotomon.design import bodies
from isotomon.operations import OPERATIONS, Step
from isotomon.operations.base import Operation, inputs_of


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
        self._shown: tuple[tuple[str, type[Operation]], ...] = ()
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

    def _make(self, k: int, kind: type[Operation]) -> None:
        self.heads.append(self._head(k))
        self.column.addWidget(self.heads[-1])
        for given in inputs_of(kind):
            made = input_of(self.desk, self._shown[k][0], given)
            self.column.addWidget(made.widget)
            self._refreshers.append(made.refresh)
            if made.field is not None:
                self.fields[f"{k} {given.name}"] = made.field

    def _head(self, k: int) -> QWidget:
        row, title = QWidget(), self._shown[k][1].TITLE
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
        names = {b.id: b.name for b in self.desk.others}
        return step.titled(lambda key: names.get(key, "what is gone"))

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


def _add(w: Api, kind: type[Operation]) -> None:
    """One more step for the body in hand, about the chosen thing where that fits."""
    design, desk = w.desk.design, w.desk
    assert design is not None
    fields = dict(kind.BEGIN)
    for given in inputs_of(kind):
        refs = [ref for ref, _ in offers_of(desk, given)]
        chosen = [key for key in desk.selection if key in refs]
        if chosen or (given.what == "B" and refs):
            fields[given.name] = (chosen or refs)[0]
    step = kind(**fields)
    if not desk.do(kind.COMMAND.lower(), lambda d: bodies.add_step(d, desk.hand, step)):
        desk.select((desk.hand,))
        w.view.fit()


def _reason(kind: type[Operation], w: Api) -> str:
    alone = any(given.what == "B" for given in inputs_of(kind)) and not w.desk.others
    return needs_design(w) or ("There is one body only; make another first" if alone else "")


def _command(kind: str, operation: type[Operation]) -> Command:
    return Command(
        f"after-{kind}",
        operation.COMMAND,
        partial(_add, kind=operation),
        operation.SHORTCUT,
        "Shape",
        operation.ICON,
        operation.HELP,
        partial(_reason, operation),
        None,
        operation.FAMILY,
    )


STEP_COMMANDS: tuple[Command, ...] = tuple(_command(kind, operation) for kind, operation in OPERATIONS.items())
