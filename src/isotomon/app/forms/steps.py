"""The list of what is done with a body once it is shaped: each step with its numbers, in the order in which it is done."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from isotomon.app.forms.choices import small_button
from isotomon.app.forms.form import Form
from isotomon.app.forms.inputs import add_input
from isotomon.app.forms.subject import step_subject
from isotomon.app.state.desk import Desk
from isotomon.design import bodies
from isotomon.operations import Step
from isotomon.operations.base import Operation, inputs_of


class DragHandle(QLabel):
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
        """Take hold."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._from = round(event.globalPosition().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Tell how far it is dragged."""
        if self._from is not None:
            self.dragged.emit(round(event.globalPosition().y()) - self._from)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Tell how far it was dragged."""
        if self._from is not None:
            by, self._from = round(event.globalPosition().y()) - self._from, None
            self.dropped.emit(by)


class StepsForm(Form):
    """Edits what is done with the body in hand, through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.heads: list[QWidget] = []
        self._line = QFrame(self)
        """Where a dragged step would come to."""
        self._line.setFrameShape(QFrame.Shape.HLine)
        self._line.setProperty("drop", True)
        self._line.setFixedHeight(3)
        self._line.hide()
        self._shown: tuple[tuple[str, type[Operation]], ...] = ()
        self.refresh()

    def _steps(self) -> tuple[Step, ...]:
        return self.desk.body.steps if self.desk.body is not None else ()

    def refresh(self) -> None:
        """The steps as they are now."""
        steps = tuple((step.id, type(step)) for step in self._steps())
        if steps != self._shown:
            fresh = [k for k, step in enumerate(steps) if step not in self._shown] if self.isVisible() else []
            self._shown, self.heads = steps, []
            self._refreshers.clear()
            self.fields.clear()
            while (item := self.column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            for k, (step, kind) in enumerate(steps):
                self.heads.append(self._head(k))
                self.row(self.heads[-1])
                for asked in inputs_of(kind):
                    add_input(self, f"{k} {asked.name}", step_subject(self.desk, step, kind), asked)
            if len(fresh) == 1:
                QTimer.singleShot(0, self, partial(self._show_step, fresh[0]))
        super().refresh()

    def _show_step(self, k: int) -> None:
        """The step that has just been made is seen, with its fields."""
        place: QWidget | None = self
        while place is not None and not isinstance(place, QScrollArea):
            place = place.parentWidget()
        inside = place.widget() if place is not None else None
        if place is not None and inside is not None and k < len(self.heads):
            place.verticalScrollBar().setValue(self.heads[k].mapTo(inside, QPoint(0, 0)).y() - 8)

    def _head(self, k: int) -> QWidget:
        row, title = QWidget(), self._shown[k][1].TITLE
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 6, 0, 0)
        line.setSpacing(0)
        handle, taken = DragHandle(title), QCheckBox()
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
        button = small_button(picture, name, press)
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
