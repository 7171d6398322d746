"""The row of a form for a choice of edges or faces: each in words, with a way to take it out, and what can be added."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from isotomon.app.forms.choices import TITLE_WIDTH, column_of, small_button
from isotomon.app.forms.form import Form
from isotomon.app.tools.steps import offers_of
from isotomon.inspect.looks import ground_of
from isotomon.operations.base import Input
from isotomon.quantity.record import Ref


class EdgesRow(QWidget):
    """What is chosen of a step's edges or faces, in words that can be taken out; a menu adds what is chosen in the View, or a rule."""

    def __init__(self, form: Form, asked: Input, get: Callable[[], Any], put: Callable[[Any], object]) -> None:
        super().__init__()
        self.desk, self.asked, self._get, self._put = form.desk, asked, get, put
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        title = QLabel(asked.title)
        title.setMinimumWidth(TITLE_WIDTH)
        title.setToolTip(asked.tip)
        rows = QWidget()
        self._rows: QVBoxLayout = column_of(rows, 0)
        line.addWidget(title)
        line.addWidget(rows, 1)
        self._shown: tuple[str, ...] | None = None

    def refresh(self) -> None:
        """The choice as it is now."""
        now = tuple(self._get())
        words = self._words(now)
        if words == self._shown:
            return
        self._shown = words
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for k, text in enumerate(words):
            self._add_row(text, "x", f"Take out: {text}", partial(self._take_out, k))
        self._add_row("" if words else "none", "insert", f"Add to: {self.asked.title}", self.offer)

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

    def _take_out(self, k: int) -> None:
        now = tuple(self._get())
        self._put((*now[:k], *now[k + 1 :]))

    def offer(self) -> None:
        """The menu of what can be added."""
        now = set(self._get())
        menu = QMenu(self)
        for ref, text in offers_of(self.desk, self.asked):
            if ref not in now:
                menu.addAction(text, partial(self._put, (*self._get(), Ref(ref))))
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))
