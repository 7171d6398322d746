"""A number field: takes a number with a unit or a formula, shows both, and can be scrubbed by dragging its label."""

from __future__ import annotations

import math
import re

from PySide6.QtCore import QEvent, QObject, QPointF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QLineEdit, QMenu, QPlainTextEdit, QWidget

from isotomon.errors import QuantityError
from isotomon.quantity import Kind, Value, read, scale_of, show


class NoteEdit(QPlainTextEdit):
    """Several lines of text; `left` with them when the focus goes elsewhere and they have changed."""

    left = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setMaximumHeight(110)
        self.setTabChangesFocus(True)

    def commit(self) -> None:
        """Tell the text now, if it has changed."""
        if self.document().isModified():
            self.document().setModified(False)
            self.left.emit(self.toPlainText())

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The text is taken."""
        super().focusOutEvent(event)
        self.commit()


class ScrubLabel(QLabel):
    """A label that is dragged sideways to change its field."""

    began = Signal()
    moved = Signal(float, bool, bool)
    """pixels since the press; Shift (finer); Ctrl (coarser)"""
    ended = Signal()
    given_up = Signal()

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setProperty("scrub", True)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self._from: QPointF | None = None
        self._moving = False

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Remember where."""
        if event.button() == Qt.MouseButton.LeftButton and self.isEnabled():
            self._from = event.globalPosition()
            self._moving = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Change by the way gone."""
        if self._from is None:
            return
        way = event.globalPosition().x() - self._from.x()
        if not self._moving and abs(way) > 2:
            self._moving = True
            self.setFocus()
            self.began.emit()
        if self._moving and self._from is not None:
            keys = event.modifiers()
            self.moved.emit(
                way, bool(keys & Qt.KeyboardModifier.ShiftModifier), bool(keys & Qt.KeyboardModifier.ControlModifier)
            )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """One scrub, one change."""
        moving, self._from, self._moving = self._moving, None, False
        if moving:
            self.ended.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc gives up."""
        if event.key() == Qt.Key.Key_Escape and self._moving:
            self.stop()
            self.given_up.emit()
        else:
            super().keyPressEvent(event)

    def stop(self) -> None:
        """End a scrub without a change."""
        self._from, self._moving = None, False


NAMING = re.compile(r"\s*([A-Za-z_]\w*)\s*=\s*(.+)\Z")


class NumberField(QWidget):
    """One value. `entered` carries a new value; `scrubbed` previews; `scrub_done` makes it one step.

    `named`: `name = value` was typed: the value is to become a named number that this field uses.
    """

    entered = Signal(object)
    named = Signal(str, object)
    scrub_began = Signal()
    scrubbed = Signal(float)
    scrub_done = Signal(float)
    scrub_given_up = Signal()

    def __init__(self, title: str, kind: Kind, unit: str, tip: str, blank: str = "") -> None:
        super().__init__()
        self.kind, self.unit, self.blank = kind, unit, blank
        self.value: Value | None = None
        self.number = 0.0
        self._start = 0.0
        self._now = 0.0
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(1)
        self.label = ScrubLabel(title)
        self.label.setToolTip(f"{tip}\nDrag sideways to change it (Shift finer, Ctrl coarser)")
        self.label.setMinimumWidth(78)
        self.edit = QLineEdit()
        self.edit.setToolTip(
            f"{tip}\nA number with a unit, or a formula on named numbers; “name = 5 mm” gives it a name"
        )
        self.edit.setAccessibleName(title)
        self.edit.installEventFilter(self)
        self.unit_label = QLabel("" if kind == "ratio" else "°" if unit == "deg" else unit)
        self.unit_label.setProperty("soft", True)
        self.unit_label.setMinimumWidth(22)
        self.result = QLabel()
        self.result.setProperty("soft", True)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        for widget, row, column, span in ((self.label, 0, 0, 1), (self.edit, 0, 1, 1), (self.unit_label, 0, 2, 1)):
            grid.addWidget(widget, row, column, 1, span)
        grid.addWidget(self.result, 1, 1, 1, 2)
        grid.addWidget(self.wrong, 2, 0, 1, 3)
        grid.setColumnStretch(1, 1)
        self.result.hide()
        self.wrong.hide()
        self.edit.editingFinished.connect(self._enter)
        self.label.began.connect(self._begin)
        self.label.moved.connect(self._move)
        self.label.ended.connect(lambda: self.scrub_done.emit(self._now))
        self.label.given_up.connect(self.scrub_given_up)

    def set_value(self, value: Value | None, number: float, several: bool = False) -> None:
        """Show a value and the number it stands for; None shows what holds when nothing is given."""
        changed = value != self.value
        self.value, self.number = value, number
        if not self.edit.hasFocus() or not self.edit.isModified():
            plain = show(number, self.kind, self.unit)
            text = "" if value is None or several else value if isinstance(value, str) else plain
            if self.edit.text() != text:
                self.edit.setText(text)
            self.edit.setModified(False)
            self.edit.setPlaceholderText("differ" if several else f"{plain} ({self.blank})" if value is None else "")
            if changed:  # what was wrong with what was typed stands until something else is so
                self.explain("")
        formula = isinstance(value, str) and not several
        self.result.setText(f"= {show(number, self.kind, self.unit)}" if formula else "")
        self.result.setVisible(formula)

    def explain(self, text: str) -> None:
        """Say beside the field what is wrong; empty clears it."""
        self.wrong.setText(f"✕ {text}" if text else "")
        self.wrong.setVisible(bool(text))
        self.edit.setProperty("wrong", bool(text))
        self.edit.style().unpolish(self.edit)
        self.edit.style().polish(self.edit)

    def _enter(self) -> None:
        if not self.edit.isModified():
            return
        text = self.edit.text().strip()
        if not text and self.blank:
            self.edit.setModified(False)
            self.entered.emit(None)
            return
        naming = NAMING.match(text)
        try:
            value = read(naming[2] if naming else text, self.kind, self.unit or "mm")
        except QuantityError as error:
            self.explain(f"{error}. Nothing was changed.")
            return
        self.edit.setModified(False)
        self.explain("")
        if naming:
            self.named.emit(naming[1], value)
        else:
            self.entered.emit(value)

    def begin_naming(self) -> None:
        """Write `name = value` into the field with the name chosen, to be typed over."""
        shown = self.edit.text() or self.edit.placeholderText().split(" ")[0]
        self.edit.setText(f"name = {shown}")
        self.edit.setModified(True)
        self.edit.setFocus()
        self.edit.setSelection(0, 4)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """On the label: give the value a name."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Give this value a name…", self.begin_naming)
        menu.popup(event.globalPos())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up and Down step, Esc brings the value back; the wheel steps only with the focus."""
        if watched is self.edit:
            if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
                if event.key() == Qt.Key.Key_Escape:
                    self.edit.setModified(False)
                    self.set_value(self.value, self.number)
                    return True
                if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                    self._step(1 if event.key() == Qt.Key.Key_Up else -1)
                    return True
            if isinstance(event, QWheelEvent):
                if self.edit.hasFocus():
                    self._step(1 if event.angleDelta().y() > 0 else -1)
                    return True
                event.ignore()
                return True
        return super().eventFilter(watched, event)

    def step_size(self) -> float:
        """One step, in mm, rad or as a ratio: round, and small beside the value."""
        if self.kind == "angle":
            return math.radians(0.1)
        if self.kind == "ratio":
            return 0.005
        scale = scale_of(self.unit)
        shown = max(abs(self.number) / scale, 1e-3)
        return 10.0 ** (math.floor(math.log10(shown)) - 2) * scale

    def _step(self, way: int) -> None:
        if isinstance(self.value, str):
            self.explain("A formula drives this value; type a number to replace it, or change the number behind it.")
            return
        self.entered.emit(self._rounded(self.number + way * self.step_size()))

    def _rounded(self, number: float) -> float:
        step = self.step_size()
        return round(number / step) * step

    def _begin(self) -> None:
        self._start = self._now = self.number
        self._step_at_start = self.step_size()
        self.scrub_began.emit()

    def _move(self, way: float, fine: bool, coarse: bool) -> None:
        step = self._step_at_start * (0.1 if fine else 10.0 if coarse else 1.0)
        self._now = round((self._start + round(way / 2.0) * step) / step) * step
        self.scrubbed.emit(self._now)
