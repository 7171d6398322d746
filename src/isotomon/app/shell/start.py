"""The start page: demos, recent files, work recovered from a crash."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.author.session import Recovered
from isotomon.design.bodies import stations_of_all
from isotomon.samples import SAMPLES, SKINS


class StartPage(QWidget):
    """What to begin with; it only tells what was wanted."""

    demo_wanted = Signal(str)
    recent_wanted = Signal(object)
    new_wanted = Signal()
    empty_wanted = Signal()
    open_wanted = Signal()
    table_wanted = Signal()
    recover_wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("start")
        outer = QHBoxLayout(self)
        outer.addStretch(1)
        middle = QWidget()
        middle.setMaximumWidth(760)
        middle.setMinimumWidth(620)
        self._grid = QVBoxLayout(middle)
        self._grid.setSpacing(10)
        outer.addWidget(middle)
        outer.addStretch(1)
        self.show_all([], [])

    def show_all(self, recent: list[Path], recovered: list[Recovered]) -> None:
        """Lay the page out anew."""
        while (item := self._grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self._grid.addStretch(1)
        self._head("Isotomon", "Blades and vessels from sections: loft them, and see area and twist as you draw.")
        for found in recovered:
            name = found.path.name if found.path else found.design.name
            card = self._card(
                f"Recover unsaved work on {name}",
                f"{len(stations_of_all(found.design))} stations, left by a session that ended unexpectedly",
            )
            card.clicked.connect(lambda _=False, f=found: self.recover_wanted.emit(f))
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        choices = (
            ("Open a design", "A .isotomon file", self.open_wanted),
            ("From a table", "A CSV of stations: position, section, chord, set angle", self.table_wanted),
            ("New, from stations", "Two round stations to begin with", self.new_wanted),
            ("New, by drawing", "Empty; draw a profile on a base plane first", self.empty_wanted),
        )
        for column, (title, text, signal) in enumerate(choices):
            card = self._card(title, text, add=False)
            card.clicked.connect(lambda _=False, s=signal: s.emit())
            grid.addWidget(card, 0, column)
        self._grid.addWidget(row)
        self._demos("Demos", [name for name in SAMPLES if name not in SKINS], 3)
        self._demos("Skins", list(SKINS), 4)
        if recent:
            self._label("Recent", group=True)
            for path in recent[:6]:
                card = self._card(path.name, str(path.parent))
                card.clicked.connect(lambda _=False, p=path: self.recent_wanted.emit(p))
        self._label("A design or a table can also be dropped onto the window.", soft=True)
        self._grid.addStretch(2)

    def _demos(self, title: str, names: list[str], columns: int) -> None:
        """Demos, in so many columns."""
        self._label(title, group=True)
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 0, 0, 0)
        for place, name in enumerate(names):
            card = self._card(name, SAMPLES[name][0], add=False)
            card.clicked.connect(lambda _=False, n=name: self.demo_wanted.emit(n))
            grid.addWidget(card, place // columns, place % columns)
        self._grid.addWidget(row)

    def _head(self, title: str, text: str) -> None:
        label = QLabel(title)
        label.setStyleSheet("font-size: 30px; font-weight: bold;")
        self._grid.addWidget(label)
        self._label(text)

    def _label(self, text: str, **properties: bool) -> None:
        label = QLabel(text)
        for name, value in properties.items():
            label.setProperty(name, value)
        self._grid.addWidget(label)

    def _card(self, title: str, text: str, add: bool = True) -> QPushButton:
        card = QPushButton()
        card.setObjectName("card")
        card.setAccessibleName(title)
        card.setCursor(Qt.CursorShape.PointingHandCursor)
        inner = QVBoxLayout(card)
        inner.setContentsMargins(12, 8, 12, 8)
        inner.setSpacing(2)
        head, body = QLabel(f"<b>{title}</b>"), QLabel(text)
        body.setProperty("soft", True)
        body.setWordWrap(True)
        for label in (head, body):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            inner.addWidget(label)
        card.setMinimumHeight(64 if add else 88)
        if add:
            self._grid.addWidget(card)
        return card
