"""The panel of As made: where points come from, how they are fitted, a machine to touch with, and what is told of the part."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.made.histogram import Histogram
from isotomon.app.theme import Theme
from isotomon.errors import QuantityError
from isotomon.inspect.looks import Colouring
from isotomon.measure.laws import Finding
from isotomon.metrology.compare import AsMade
from isotomon.metrology.fit import FREEDOMS
from isotomon.quantity import LENGTHS, read, to_unit
from isotomon.quantity.numbers import Kind

AGAINST = {"": "As shaped", "finished": "As finished"}
MACHINE = {
    "port": ("Port", "", "Where a machine answers on this computer; empty for the simulated one"),
    "around": ("Round each", "60", "Places that are touched round each section"),
    "between": ("Between", "2", "Rows between neighbouring stations"),
    "accuracy": ("Accuracy", "0.01 mm", "Standard deviation of a touch"),
    "bias": ("Bias", "0 mm", "What all touches are too far out"),
    "drift": ("Drift", "0 mm", "How far the machine drifts in a thousand touches"),
    "missing": ("Missing", "0", "Share of the part that cannot be touched, as 0.05"),
    "chord": ("Chord more", "0", "Share by which the simulated part's chords are larger than designed, as 0.01"),
    "twist": ("Turn more", "0 deg", "By which the simulated part is turned more than designed"),
}
SIMULATED = ("accuracy", "bias", "drift", "missing", "chord", "twist", "from")
COLUMNS = ("At", "Chord", "Angle", "Area", "Thick")
ROW = 22
"""Pixels of a row of the stations."""
TIPS = (
    "",
    "Chord as made, more than designed, mm",
    "Set angle as made, more than designed, °",
    "Section area as made, more than designed, %",
    "Thickness as made, more than designed, mm",
)


class MadePanel(QScrollArea):
    """`changed`: points are to be fitted otherwise; `chosen`: a row of the findings, or -1 - row of the stations; the others are what buttons are
    pressed for."""

    file_wanted = Signal()
    changed = Signal()
    touch_wanted = Signal()
    stop_wanted = Signal()
    write_wanted = Signal()
    report_wanted = Signal()
    closed = Signal()
    chosen = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("As made")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        column = column_of(inner, 6)
        column.setContentsMargins(14, 12, 14, 12)
        head = QLabel("As made")
        head.setProperty("head", True)
        self.source = QLabel("Read the points that were measured, or have a machine touch the part.")
        self.source.setWordWrap(True)
        self._make_choices()
        self._make_machine()
        self._make_told(theme)
        self.again = self._button("Compare again", self.changed)
        self.write = self._button("Write the points…", self.write_wanted)
        self.report = self._button("Report", self.report_wanted)
        shown: tuple[QWidget, ...] = (
            *(head, self._button("Read points…", self.file_wanted), self.source, self.again),
            *(self.findings, self.histogram, self.figures, self.table, self.report, self.write),
            *self.fit_rows,
            *(self.with_machine, *self.machine_rows.values(), self.touch, self.stop, self.progress, self.said),
        )
        for widget in shown:
            column.addWidget(widget)
        column.addWidget(self._button("Back to Details", self.closed))
        column.addStretch(1)
        self.setWidget(inner)
        self.show_made(None, None, False)
        self.show_machine()

    def _button(self, text: str, pressed: Any) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(lambda *_: pressed.emit())
        return button

    def _make_choices(self) -> None:
        self.unit = choice("Unit of the points", {unit: unit for unit in LENGTHS})
        self.fit = choice("What the fit may do", {key: words[0].upper() + words[1:] for key, words in FREEDOMS.items()})
        self.fit.setCurrentIndex(self.fit.findData("turn"))
        self.against = choice("Held against", AGAINST)
        for box in (self.unit, self.fit, self.against):
            box.activated.connect(lambda _: self.changed.emit())
        self.fit_rows = (titled("Unit", self.unit), titled("Fit", self.fit), titled("Against", self.against))

    def _make_machine(self) -> None:
        self.with_machine = QCheckBox("From a measuring machine")
        self.with_machine.toggled.connect(lambda _: self.show_machine())
        self.edits: dict[str, QLineEdit] = {}
        self.machine_rows: dict[str, QWidget] = {}
        for key, (title, usual, tip) in MACHINE.items():
            edit = QLineEdit(usual)
            edit.setAccessibleName(title)
            edit.setToolTip(tip)
            self.edits[key], self.machine_rows[key] = edit, titled(title, edit)
        self.edits["port"].setPlaceholderText("simulated")
        self.edits["port"].textChanged.connect(lambda _: self.show_machine())
        self.turned_from: QComboBox = choice("From which station on")
        self.machine_rows["from"] = titled("From", self.turned_from)
        self.touch, self.stop = self._button("Touch", self.touch_wanted), self._button("Stop", self.stop_wanted)
        self.progress = QProgressBar()
        self.said = QLabel()
        self.said.setWordWrap(True)

    def _make_told(self, theme: Theme) -> None:
        self.histogram = Histogram(theme)
        self.figures = QLabel()
        self.figures.setWordWrap(True)
        self.findings = QListWidget()
        self.findings.setAccessibleName("What is told of the part")
        self.findings.setWordWrap(True)
        self.findings.setMaximumHeight(110)
        self.findings.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.findings.itemActivated.connect(self._finding_chosen)
        self.findings.itemClicked.connect(self._finding_chosen)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName("Stations as made")
        self.table.setHorizontalHeaderLabels(COLUMNS)
        for k, tip in enumerate(TIPS):
            item = self.table.horizontalHeaderItem(k)
            if item is not None:
                item.setToolTip(tip)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setMinimumSectionSize(20)
        self.table.verticalHeader().setDefaultSectionSize(ROW)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.setShowGrid(False)
        self.table.cellClicked.connect(lambda row, _: self.chosen.emit(self._stations[row]))
        self._stations: list[str] = []

    def _finding_chosen(self, item: QListWidgetItem) -> None:
        self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))

    # What is asked for

    def show_machine(self) -> None:
        """Only what the machine that is meant asks for."""
        wanted, simulated = self.with_machine.isChecked(), not self.edits["port"].text().strip()
        for key, row in self.machine_rows.items():
            row.setVisible(wanted and (simulated or key not in SIMULATED))
        running = self.stop.property("running") is True
        self.touch.setVisible(wanted and not running)
        for widget in (self.stop, self.progress):
            widget.setVisible(running)

    def show_stations(self, names: Mapping[str, str]) -> None:
        """From which a simulated part may be turned more."""
        if [self.turned_from.itemData(k) for k in range(self.turned_from.count())] != list(names):
            self.turned_from.clear()
            for key, name in names.items():
                self.turned_from.addItem(name, key)

    def number(self, key: str, kind: Kind) -> float:
        """What is written of a machine, in mm and rad. Raises: QuantityError."""
        title, text = MACHINE[key][0], self.edits[key].text().strip()
        value = read(text or "0", kind, {"length": "mm", "angle": "deg", "ratio": ""}[kind])
        if isinstance(value, str):
            raise QuantityError(f"{title}: '{text}' is a formula; write a number")
        return float(value)

    def count(self, key: str) -> int:
        """A whole number that is written. Raises: QuantityError."""
        text = self.edits[key].text().strip()
        if not text.isdecimal():
            raise QuantityError(f"{MACHINE[key][0]}: '{text}' is no whole number")
        return int(text)

    def show_running(self, done: int, count: int, running: bool) -> None:
        """How far a machine has come."""
        self.stop.setProperty("running", running)
        self.progress.setRange(0, max(count, 1))
        self.progress.setValue(done)
        self.show_machine()

    # What is told

    def show_made(self, made: AsMade | None, colouring: Colouring | None, stale: bool) -> None:
        """What has come of it; `stale`: the design is another by now."""
        there = made is not None
        for widget in (*self.fit_rows, self.figures, self.findings, self.table, self.report, self.write):
            widget.setVisible(there)
        self.again.setVisible(stale)
        self.histogram.show_values(made.kept if made is not None else self.histogram.values[:0], colouring)
        self.findings.clear()
        self.table.setRowCount(0)
        if made is None:
            return
        figures = {what: value for what, value, _ in made.figures()}
        unit = made.quick.design.unit
        keys = ("mean deviation", "root of the mean square", "least deviation", "greatest deviation")
        mean, root, least, most = (f"{to_unit(figures[key], unit):.4g}" for key in keys)
        self.figures.setText(f"Mean {mean}, root of the mean square {root}, from {least} to {most} {unit}")
        for finding in made.findings or (Finding("note", "", "Nothing is other than designed."),):
            item = QListWidgetItem(f"{finding.where}: {finding.text}" if finding.where else finding.text)
            item.setData(Qt.ItemDataRole.UserRole, finding)
            item.setToolTip(item.text())
            self.findings.addItem(item)
        self._show_sections(made)

    def _show_sections(self, made: AsMade) -> None:
        self._stations = [one.station for one in made.sections]
        self.table.setVisible(bool(made.sections))
        self.table.setRowCount(len(made.sections))
        for row, one in enumerate(made.sections):
            was, now = one.designed, one.made
            share = 100.0 * (now.area / was.area - 1.0) if was.area else math.nan
            more = (
                now.chord - was.chord,
                math.degrees(now.set_angle - was.set_angle),
                share,
                now.thickness - was.thickness,
            )
            cells = [one.name, *("–" if math.isnan(x) else f"{x + 0.0 if abs(x) >= 0.005 else 0.0:+.2f}" for x in more)]
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
        self.table.setFixedHeight(min(ROW * (len(made.sections) + 2), 15 * ROW))
