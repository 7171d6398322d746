"""The stations as an editable grid: copy from and paste to a spreadsheet, fill down, formulas."""

from __future__ import annotations

import csv
import io
import math
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from isotomon.app.forms.fields import NAMING
from isotomon.app.state.desk import Desk
from isotomon.author.session import Edit
from isotomon.design import edits, station_edits
from isotomon.design.body import Body
from isotomon.design.records import Design, Number
from isotomon.design.resolved import STATION_KINDS, StationNumbers, own_position, station_kind
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Outline
from isotomon.profile.section_text import parse_section, section_text
from isotomon.quantity import display, read, scale_of, show

Index = QModelIndex | QPersistentModelIndex
COLUMNS = ("name", "position", "section", "chord", "set_angle", "pivot", "offset_x", "offset_y", "area", "turn")
_TITLES = {"name": "Station", "set_angle": "Set angle", "offset_x": "Offset X", "offset_y": "Offset Y"}
_FIGURES = ("area", "turn")


class StationModel(QAbstractTableModel):
    """Rows are stations in order of position; the last columns are figures."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.rows: tuple[StationNumbers, ...] = ()
        self.places: tuple[int, ...] = ()
        """Where the rows stand among all sections of the body."""
        desk.quick_changed.connect(lambda _: self.refresh())

    def refresh(self) -> None:
        """New results."""
        own = self.desk.quick.resolved.own if self.desk.quick is not None else ()
        rows, self.places = tuple(n for _, n in own), tuple(k for k, _ in own)
        if [n.station.id for n in rows] != [n.station.id for n in self.rows]:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        else:
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Stations."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        """Fields and figures."""
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Column titles with units."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return str(section + 1)
        name = COLUMNS[section]
        unit = self.desk.design.unit if self.desk.design else "mm"
        kind = station_kind(self.desk.body, name) if self.desk.body and name in STATION_KINDS else ""
        mark = {"length": f" {unit}", "angle": " °", "ratio": ""}.get(kind, "")
        extra = {"area": f" {unit}²", "turn": " °"}.get(name, mark)
        return _TITLES.get(name, name.capitalize()) + extra

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Figures cannot be edited."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags if COLUMNS[index.column()] in _FIGURES else flags | Qt.ItemFlag.ItemIsEditable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """What a cell shows; when edited, its formula."""
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        name = COLUMNS[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if name in ("name", "section") else Qt.AlignmentFlag.AlignRight
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ToolTipRole:
            value = getattr(self.rows[index.row()].station, name, None)
            return f"Formula: {value}" if isinstance(value, str) and name in STATION_KINDS else None
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return None
        return self.text(index.row(), name, editing=role == Qt.ItemDataRole.EditRole)

    def text(self, row: int, name: str, editing: bool = False) -> str:
        """The text of a cell."""
        n = self.rows[row]
        if name in _FIGURES:
            return self._figure(row, name)
        if name == "name":
            return n.station.name
        if name == "section":
            return section_text(n.station.section, *self._held())
        value = getattr(n.station, name)
        if editing and isinstance(value, str):
            return value
        if editing and value is None:
            return ""
        radius = self.desk.quick.resolved.radius if self.desk.quick else 0.0
        numbers = {"offset_x": n.offset[0], "offset_y": n.offset[1], "position": own_position(radius, n.position)}
        number = numbers.get(name, getattr(n, name, 0.0))
        kind = station_kind(self.desk.body, name) if self.desk.body else STATION_KINDS[name]
        unit = self.desk.design.unit if self.desk.design else "mm"
        return show(float(number), kind, unit if kind == "length" else "deg")

    def _held(self) -> tuple[tuple[Outline, ...], tuple[Drawing, ...]]:
        design = self.desk.design
        return (design.outlines, design.drawings) if design else ((), ())

    def _figure(self, row: int, name: str) -> str:
        quick = self.desk.quick
        if quick is None or quick.shape is None or self.places[row] >= len(quick.shape.at_stations):
            return "–"
        at = quick.shape.at_stations[self.places[row]]
        if name == "turn":
            return display(math.degrees(float(quick.shape.curves.turn[at])), 3)
        return display(float(quick.shape.curves.area[at]) / scale_of(f"{quick.design.unit}2"), 3)

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """One cell, one step."""
        if role != Qt.ItemDataRole.EditRole:
            return False
        station = self.rows[index.row()].station
        if str(value) == self.text(index.row(), COLUMNS[index.column()], editing=True):
            return False
        return not self.desk.do(
            "edit the table", cell_edit(self.desk.held, [(station.id, COLUMNS[index.column()], str(value))])
        )


def cell_edit(body: Body, cells: list[tuple[str, str, str]]) -> Edit:
    """An edit that sets cells of a body's stations (station id, column, text), all or none."""

    def edit(design: Design) -> Design:
        unit = design.unit
        changes: dict[str, dict[str, Any]] = {}
        for key, name, text in cells:
            naming = NAMING.match(text) if name in STATION_KINDS else None
            value = _value(design, body, name, (naming[2] if naming else text).strip(), unit)
            if naming:
                number = Number(edits.fresh_id(design, "n"), naming[1], value, station_kind(body, name))
                design, value = edits.add_number(design, number), naming[1]
            changes.setdefault(key, {})[name] = value

        def change(station: Station) -> Station:
            return edits.replace(station, **changes[station.id])

        return station_edits.change_stations(design, tuple(changes), change)

    return edit


def _value(design: Design, body: Body, name: str, text: str, unit: str) -> Any:
    if name == "name":
        if not text:
            raise DesignError("a station needs a name")
        return text
    if name == "section":
        return parse_section(text, design.outlines, design.drawings)
    if name in ("pivot", "chord") and not text:
        return None
    kind = station_kind(body, name)
    try:
        return read(text or "0", kind, unit if kind == "length" else "deg")
    except IsotomonError as error:
        raise DesignError(f"{_TITLES.get(name, name)} '{text}': {error}") from None


class StationGrid(QTableView):
    """The grid itself: keys for copy, paste, fill down and delete."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("grid")
        self.setAccessibleName("Stations as a table")
        self.desk = desk
        self.stations = StationModel(desk)
        self.setModel(self.stations)
        self.setAlternatingRowColors(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.horizontalHeader().setDefaultSectionSize(74)
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        self.horizontalHeader().setMinimumHeight(38)
        self.verticalHeader().setDefaultSectionSize(26)
        for column, width in ((0, 78), (2, 96), (5, 52), (9, 64)):
            self.setColumnWidth(column, width)
        self.setToolTip(
            "Ctrl+C and Ctrl+V exchange cells with a spreadsheet; Ctrl+D fills down; formulas are taken too"
        )
        self.selectionModel().selectionChanged.connect(self._tell)

    def _tell(self) -> None:
        rows = sorted({i.row() for i in self.selectedIndexes()})
        if rows and self.hasFocus():
            self.desk.select(tuple(self.stations.rows[r].station.id for r in rows if r < len(self.stations.rows)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Spreadsheet habits."""
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.key() == Qt.Key.Key_D and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.fill_down()
        else:
            super().keyPressEvent(event)

    def _block(self) -> tuple[list[int], list[int]]:
        cells = self.selectedIndexes()
        return sorted({i.row() for i in cells}), sorted({i.column() for i in cells})

    def copy(self) -> None:
        """The chosen block as text with tabs, full precision formulas as formulas."""
        rows, columns = self._block()
        out = io.StringIO()
        writer = csv.writer(out, delimiter="\t", lineterminator="\n")
        for row in rows:
            writer.writerow([self.stations.text(row, COLUMNS[c], editing=True) for c in columns])
        QGuiApplication.clipboard().setText(out.getvalue())

    def paste(self) -> None:
        """Cells from the clipboard, from the current cell on; one step, all or none."""
        start = self.currentIndex()
        text = QGuiApplication.clipboard().text()
        if not start.isValid() or not text.strip():
            return
        block = list(csv.reader(io.StringIO(text), delimiter="\t"))
        cells = []
        for down, line in enumerate(block):
            for right, cell in enumerate(line):
                row, column = start.row() + down, start.column() + right
                if column >= len(COLUMNS) or COLUMNS[column] in _FIGURES:
                    continue
                if row >= len(self.stations.rows):
                    self.desk.said.emit(
                        "error", f"Paste: {len(block)} rows do not fit; add stations first. Nothing was changed."
                    )
                    return
                cells.append((self.stations.rows[row].station.id, COLUMNS[column], cell))
        if cells:
            self.desk.do(f"paste {len(cells)} cells", cell_edit(self.desk.held, cells))

    def fill_down(self) -> None:
        """The first chosen row's cells into the rows below it."""
        rows, columns = self._block()
        usable = [c for c in columns if COLUMNS[c] not in (*_FIGURES, "name", "position")]
        if len(rows) < 2 or not usable:
            self.desk.said.emit(
                "note", "Fill down: choose a block of two rows or more; names and positions are not filled."
            )
            return
        cells = [
            (self.stations.rows[row].station.id, COLUMNS[c], self.stations.text(rows[0], COLUMNS[c], editing=True))
            for row in rows[1:]
            for c in usable
        ]
        self.desk.do("fill down", cell_edit(self.desk.held, cells))
