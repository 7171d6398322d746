"""The panel beside a sheet: what it is, how it is to be made, its pages, and what has been written."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QListWidget, QPushButton, QScrollArea, QWidget

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.paper.written import Written
from isotomon.paper.delivery import DELIVERIES, Requested
from isotomon.paper.frame import PAPERS

ANGLES = {"first": "First angle", "third": "Third angle"}
KINDS = {"section": "The section itself", "outside": "Board round its outside", "inside": "What fits inside"}
ASKED = ("paper", "angle", "kind", "finished", "stations", "axis")
"""Choices that not everything has."""
STATES = {"": "As shaped", "finished": "As finished"}


class PaperPanel(QScrollArea):
    """`changed`: something else is wanted; `turned`: so many pages on; the others are what buttons are pressed for."""

    changed = Signal()
    turned = Signal(int)
    write_wanted = Signal()
    again_wanted = Signal()
    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("Delivery")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._make_choices()
        inner = QWidget()
        column = column_of(inner, 6)
        column.setContentsMargins(14, 12, 14, 12)
        self.help = QLabel()
        self.help.setWordWrap(True)
        self.help.setProperty("soft", True)
        self.write = self._button("Write…", self.write_wanted.emit)
        self.again = self._button("Write all again", self.again_wanted.emit)
        self.list = QListWidget()
        self.list.setAccessibleName("Written files")
        self.list.setMinimumHeight(72)
        self.list.setMaximumHeight(92)
        head, title = QLabel("Deliver"), QLabel("Written")
        head.setProperty("head", True)
        title.setProperty("group", True)
        for widget in (head, self.rows["what"], self.help, *(self.rows[key] for key in ASKED), self.shaded):
            column.addWidget(widget)
        back = self._button("Back to the View", self.closed.emit)
        for widget in (self._pages(), self.write, title, self.list, self.again, back):
            column.addWidget(widget)
        column.addStretch(1)
        self.setWidget(inner)

    def _make_choices(self) -> None:
        self.what = choice("What is delivered", {key: one.title for key, one in DELIVERIES.items()})
        self.paper = choice("Paper", dict(zip(PAPERS, PAPERS, strict=True)))
        self.paper.setCurrentText("A3")
        self.angle = choice("Projection", ANGLES)
        self.kind = choice("Template", KINDS)
        self.state = choice("State", STATES)
        self.axis = choice("Turns about")
        self.stations = QLineEdit()
        self.stations.setPlaceholderText("all")
        self.stations.setAccessibleName("Stations")
        self.stations.setToolTip(
            "Names of stations, or lengths along the body, with commas between them; empty for all stations"
        )
        self.shaded = QCheckBox("Pictures of the View")
        self.shaded.setChecked(True)
        self.shaded.setToolTip("Shaded, from four sides, and the Board; else line drawings")
        self.rows = {
            "what": titled("What", self.what),
            "paper": titled("Paper", self.paper),
            "angle": titled("Projection", self.angle),
            "kind": titled("Template", self.kind),
            "finished": titled("State", self.state),
            "stations": titled("Stations", self.stations),
            "axis": titled("Turns about", self.axis),
        }
        for box in (self.what, self.paper, self.angle, self.kind, self.state, self.axis):
            box.activated.connect(lambda _: self._changed())
        self.stations.editingFinished.connect(self._changed)
        self.shaded.toggled.connect(lambda _: self._changed())

    def _button(self, text: str, press: Callable[[], object]) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(lambda *_: press())
        return button

    def _pages(self) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        self.before, self.after = QPushButton("‹"), QPushButton("›")
        self.before.setAccessibleName("Page before")
        self.after.setAccessibleName("Next page")
        self.page = QLabel()
        self.page.setAlignment(Qt.AlignmentFlag.AlignCenter)
        for button, step in ((self.before, -1), (self.after, 1)):
            button.setMaximumWidth(40)
            button.clicked.connect(lambda *_, s=step: self.turned.emit(s))
        line.addWidget(self.before)
        line.addWidget(self.page, 1)
        line.addWidget(self.after)
        return row

    def _changed(self) -> None:
        self.show_asked()
        self.changed.emit()

    def show_asked(self) -> None:
        """Only the choices that what is delivered has."""
        one = DELIVERIES[self.what.currentData()]
        self.help.setText(one.help)
        for key in ASKED:
            self.rows[key].setVisible(key in one.asks)
        self.shaded.setVisible(self.what.currentData() == "report")

    def show_axes(self, axes: Mapping[str, str]) -> None:
        """What a blade may turn about."""
        kept = self.axis.currentData()
        self.axis.clear()
        self.axis.addItem("Its ring's axis, else Y", "")
        for key, name in axes.items():
            self.axis.addItem(name, key)
        self.axis.setCurrentIndex(max(self.axis.findData(kept), 0))

    def take(self, what: str) -> None:
        """Something else is to be delivered."""
        self.what.setCurrentIndex(self.what.findData(what))
        self.show_asked()

    def wanted(self) -> Requested:
        """What is chosen."""
        names = tuple(name.strip() for name in self.stations.text().split(",") if name.strip())
        return Requested(
            self.what.currentData(),
            self.paper.currentData(),
            self.angle.currentData(),
            self.kind.currentData(),
            bool(self.state.currentData()),
            names,
            self.axis.currentData() or "",
        )

    def show_page(self, number: int, count: int) -> None:
        """Which page is shown, of how many; nought of none."""
        self.page.setText(f"page {number} of {count}" if count else "no page")
        self.before.setEnabled(number > 1)
        self.after.setEnabled(number < count)
        self.write.setEnabled(count > 0)

    def show_written(self, written: tuple[Written, ...], state: str) -> None:
        """The files written of the design, and which of them show it as it is now."""
        self.list.clear()
        for one in written:
            mark = "✓" if one.there and one.state == state else "older:" if one.there else "gone:"
            self.list.addItem(f"{mark} {one.name}")
            self.list.item(self.list.count() - 1).setToolTip(one.path)
        if not written:
            self.list.addItem("nothing yet")
        self.again.setEnabled(bool(written))
