"""The panel beside a study: which numbers vary, how, what is looked for, and how far it has come."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.design.records import Design
from isotomon.errors import FileError
from isotomon.quantity import display, to_unit

HOWS = {"sample": "Fill the ranges", "all": "All combinations", "search": "Search the best"}
ENDS = {"least": "as small as can be", "greatest": "as great as can be"}
SPREAD = 0.1
"""Of a number: by how much it varies to both sides, as long as nothing is said."""
CURVES = {"area": "area along it", "set_angle": "angle along it"}


class StudyPanel(QScrollArea):
    """`run_wanted` and so on: what buttons are pressed for; `plot_changed`: other axes are wanted."""

    run_wanted = Signal()
    stop_wanted = Signal()
    take_wanted = Signal()
    file_wanted = Signal()
    closed = Signal()
    plot_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("Study")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.varies: dict[str, tuple[QCheckBox, QLineEdit]] = {}
        self._make_choices()
        inner = QWidget()
        column = column_of(inner, 6)
        column.setContentsMargins(14, 12, 14, 12)
        head, title = QLabel("Variants"), QLabel("Numbers that vary")
        head.setProperty("head", True)
        title.setProperty("group", True)
        title.setToolTip("A range as 80 .. 110, with 80 .. 110 / 7 in seven steps, or a list as 80, 90, 110")
        numbers = QWidget()
        self.numbers = QVBoxLayout(numbers)
        self.numbers.setContentsMargins(0, 0, 0, 0)
        self.numbers.setSpacing(4)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.progress = QProgressBar()
        self.run = self._button("Run", self.run_wanted)
        self.stop = self._button("Stop", self.stop_wanted)
        self.take = self._button("Take this variant", self.take_wanted)
        for widget in (head, title, numbers, *self.rows, self.run, self.stop, self.progress, self.said):
            column.addWidget(widget)
        for widget in (*self.axes, self.take):
            column.addWidget(widget)
        beside = QHBoxLayout()
        beside.addWidget(self._button("From a file…", self.file_wanted))
        beside.addWidget(self._button("Back to the View", self.closed))
        column.addLayout(beside)
        column.addStretch(1)
        self.setWidget(inner)
        self.show_asked()
        self.show_running(0, 0, False)

    def _make_choices(self) -> None:
        self.how = choice("How", HOWS)
        self.count = QLineEdit("100")
        self.count.setAccessibleName("How many")
        self.aim = choice("What is looked for")
        self.end = choice("How it is to be", ENDS)
        self.limits = QLineEdit()
        self.limits.setAccessibleName("Limits")
        self.limits.setPlaceholderText("volume_mm3 >= 1e6; findings <= 0")
        self.across, self.up = choice("Across"), choice("Up")
        self.by_key = {
            "how": titled("How", self.how),
            "count": titled("How many", self.count),
            "aim": titled("Aim", self.aim),
            "end": titled("", self.end),
            "limits": titled("Limits", self.limits),
        }
        self.rows = tuple(self.by_key.values())
        self.axes = (titled("Across", self.across), titled("Up", self.up))
        self.how.activated.connect(lambda _: self.show_asked())
        for box in (self.across, self.up):
            box.activated.connect(lambda _: self.plot_changed.emit())

    def _button(self, text: str, pressed: Any) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(lambda *_: pressed.emit())
        return button

    def show_asked(self) -> None:
        """Only what the way that is chosen asks for."""
        how = self.how.currentData()
        self.by_key["count"].setVisible(how != "all")
        for key in ("aim", "end", "limits"):
            self.by_key[key].setVisible(how == "search")

    def show_numbers(self, design: Design) -> None:
        """The design's numbers that are no formulas, with a tenth to both sides; what has been typed stays."""
        known = {n.name: n for n in design.numbers if not isinstance(n.value, str)}
        if list(known) == list(self.varies):
            return
        kept = {name: (box.isChecked(), edit.text()) for name, (box, edit) in self.varies.items()}
        while (item := self.numbers.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.varies = {}
        for name, n in known.items():
            unit = {"length": design.unit, "angle": "deg", "ratio": ""}[n.kind]
            value = to_unit(float(n.value), unit) if unit else float(n.value)
            low, high = sorted((value * (1.0 - SPREAD), value * (1.0 + SPREAD)))
            checked, text = kept.get(name, (False, f"{display(low)} .. {display(high)}"))
            box, edit = QCheckBox(name), QLineEdit(text)
            box.setChecked(checked)
            edit.setAccessibleName(f"Values of {name}")
            edit.setToolTip(f"In {unit}, where nothing else is said" if unit else "")
            edit.textEdited.connect(lambda _, own=box: own.setChecked(True))
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(box, 1)
            line.addWidget(edit, 1)
            self.numbers.addWidget(row)
            self.varies[name] = (box, edit)

    def show_figures(self, figures: Sequence[str], titles: Sequence[str]) -> None:
        """What can be looked for, and plotted."""
        kept = self.aim.currentText()
        self.aim.clear()
        self.aim.addItems(list(figures))
        self.aim.setCurrentIndex(max(self.aim.findText(kept), 0))
        for box, usual in ((self.across, 1), (self.up, 2)):
            before = box.currentData()
            box.clear()
            for key, title in CURVES.items() if box is self.up else ():
                box.addItem(title, key)
            for title in titles:
                box.addItem(title, title)
            found = box.findData(before)
            usual = min(usual + (len(CURVES) if box is self.up else 0), box.count() - 1)
            box.setCurrentIndex(found if found >= 0 else usual)

    def show_running(self, done: int, count: int, running: bool) -> None:
        """How far it has come."""
        self.run.setVisible(not running)
        self.stop.setVisible(running)
        self.progress.setVisible(running)
        self.progress.setRange(0, max(count, 1))
        self.progress.setValue(done)

    def told(self) -> dict[str, Any]:
        """The study that is asked for, as its file would say it. Raises: FileError, for what cannot be read."""
        numbers = {name: _values(edit.text(), name) for name, (box, edit) in self.varies.items() if box.isChecked()}
        found: dict[str, Any] = {"numbers": numbers, "run": {"how": self.how.currentData()}}
        if self.how.currentData() != "all":
            if not self.count.text().strip().isdecimal():
                raise FileError(f"'{self.count.text()}' is no number of variants; write a whole number")
            found["run"]["count"] = int(self.count.text())
        if self.how.currentData() == "search":
            search = {"aim": self.aim.currentText(), "greatest": self.end.currentData() == "greatest"}
            found["search"] = search | {"limits": _limits(self.limits.text())}
        return found


def _values(text: str, name: str) -> Any:
    """A range or a list, as a study's file says it."""
    low, dots, high = text.partition("..")
    if not dots:
        return [part.strip() for part in text.split(",") if part.strip()]
    high, slash, steps = high.partition("/")
    found: dict[str, Any] = {"from": low.strip(), "to": high.strip()}
    if slash:
        if not steps.strip().isdecimal():
            raise FileError(f"{name}: '{steps.strip()}' is no number of steps; write it as 80 .. 110 / 7")
        found["steps"] = int(steps)
    return found


def _limits(text: str) -> dict[str, dict[str, float]]:
    """Limits as `figure >= 1; figure <= 2`."""
    found = dict[str, dict[str, float]]()
    for part in filter(None, map(str.strip, text.split(";"))):
        told = re.fullmatch(r"(.+?)\s*(>=|<=)\s*([-+.\deE]+)", part)
        try:
            value = float(told[3]) if told is not None else None
        except ValueError:
            value = None
        if told is None or value is None:
            raise FileError(f"'{part}' is no limit; write it as volume_mm3 >= 1e6")
        found.setdefault(told[1], {})["least" if told[2] == ">=" else "most"] = value
    return found
