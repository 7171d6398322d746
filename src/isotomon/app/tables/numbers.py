"""The named numbers as an editable grid; the last row, left empty, takes a new one."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from isotomon.app.state.desk import Desk
from isotomon.design import edits
from isotomon.design.records import Design, Number
from isotomon.errors import IsotomonError
from isotomon.quantity import Kind, evaluate, names_in, number_kind, read, show

Index = QModelIndex | QPersistentModelIndex
COLUMNS = ("Name", "Value or formula", "Is", "Kind", "Note", "Used by")


class NumberModel(QAbstractTableModel):
    """Rows are the design's numbers, and one more to type a new one into."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.rows: tuple[Number, ...] = ()
        desk.design_changed.connect(self.refresh)
        desk.quick_changed.connect(lambda _: self._told())

    def refresh(self) -> None:
        """The design's numbers as they are now."""
        rows = self.desk.design.numbers if self.desk.design is not None else ()
        if len(rows) != len(self.rows):
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        self.rows = rows
        self._told()

    def _told(self) -> None:
        self.dataChanged.emit(self.index(0, 0), self.index(len(self.rows), len(COLUMNS) - 1))

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Numbers and the empty row."""
        return 0 if parent.isValid() else len(self.rows) + 1

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        """Fields."""
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Column titles."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        return COLUMNS[section] if orientation == Qt.Orientation.Horizontal else str(section + 1)

    def flags(self, index: Index) -> Qt.ItemFlag:
        """What a number is and where it is used are not typed; in the empty row only a name and a value are."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        typed = index.column() in ((0, 1) if index.row() == len(self.rows) else (0, 1, 3, 4))
        return flags | Qt.ItemFlag.ItemIsEditable if typed else flags

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """What a cell shows."""
        if not index.isValid() or index.row() > len(self.rows):
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if index.column() == 2 else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.ToolTipRole):
            return None
        if index.row() == len(self.rows):
            return "new…" if index.column() == 0 and role == Qt.ItemDataRole.DisplayRole else ""
        return self.text(self.rows[index.row()], index.column())

    def _unit(self, kind: Kind) -> str:
        return {"length": self.desk.design.unit if self.desk.design else "mm", "angle": "deg", "ratio": ""}[kind]

    def text(self, n: Number, column: int) -> str:
        """The text of a cell."""
        unit = self._unit(n.kind)
        if column == 1:
            return n.value if isinstance(n.value, str) else f"{show(n.value, n.kind, unit, 9)} {unit}".strip()
        if column == 2:
            names = self.desk.quick.resolved.names if self.desk.quick is not None else {}
            return f"{show(names[n.name].value, n.kind, unit)} {unit}".strip() if n.name in names else "–"
        if column == 5:
            assert self.desk.design is not None
            return ", ".join(edits.number_uses(self.desk.design, n.name)) or "nowhere yet"
        return {0: n.name, 3: n.kind, 4: n.note}[column]

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """One cell, one step; wrong input is explained at the foot and changes nothing."""
        text, row, column = str(value).strip(), index.row(), index.column()
        if role != Qt.ItemDataRole.EditRole or not text:
            return False
        if row == len(self.rows):
            return self._new(text if column == 0 else "", text if column == 1 else "")
        number = self.rows[row]
        if text == self.text(number, column):
            return False
        return not self.desk.do(f"change {number.name}", lambda d: _changed(d, number, column, text))

    def _new(self, name: str, text: str) -> bool:
        """A new number by its name, or by its value under a name to be changed."""
        taken = {n.name for n in self.rows}
        name = name or next(n for k in range(1, len(taken) + 2) if (n := f"number_{k}") not in taken)

        def edit(design: Design) -> Design:
            kind: Kind = "length" if not text or names_in(text) else number_kind(evaluate(text, {}))
            kind = "length" if kind == "ratio" and text.replace(".", "", 1).isdigit() else kind
            given = read(text, kind, design.unit if kind == "length" else "deg") if text else 100.0
            return edits.add_number(design, Number(edits.fresh_id(design, "n"), name, given, kind))

        return not self.desk.do("add a number", edit)


def _changed(design: Design, number: Number, column: int, text: str) -> Design:
    if column == 0:
        return edits.change_number(design, number.id, name=text)
    if column == 3:
        if text not in ("length", "angle", "ratio"):
            raise IsotomonError(f"'{text}' is no kind; use length, angle or ratio")
        return edits.change_number(design, number.id, kind=text)
    if column == 4:
        return edits.change_number(design, number.id, note=text)
    unit = {"length": design.unit, "angle": "deg", "ratio": "mm"}[number.kind]
    return edits.change_number(design, number.id, value=read(text, number.kind, unit))


class NumberTable(QTableView):
    """The grid itself."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("numbers")
        self.setAccessibleName("Named numbers as a table")
        self.desk = desk
        self.numbers = NumberModel(desk)
        self.setModel(self.numbers)
        self.setAlternatingRowColors(True)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.verticalHeader().setDefaultSectionSize(26)
        for column, width in enumerate((130, 170, 100, 64, 150)):
            self.setColumnWidth(column, width)
        self.horizontalHeader().setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
        self.setToolTip(
            "Type into the last row for a new number; a new name is taken over by every formula; Del removes"
        )
        self.selectionModel().selectionChanged.connect(self._tell)

    def _chosen(self) -> tuple[str, ...]:
        rows = sorted({i.row() for i in self.selectedIndexes()})
        return tuple(self.numbers.rows[r].id for r in rows if r < len(self.numbers.rows))

    def _tell(self) -> None:
        if self.hasFocus() and self._chosen():
            self.desk.select(self._chosen())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Del removes numbers; one in use says where."""
        if event.key() == Qt.Key.Key_Delete and self._chosen():
            keys = self._chosen()

            def edit(design: Design) -> Design:
                for key in keys:
                    design = edits.remove_number(design, key)
                return design

            self.desk.do("remove numbers", edit)
        else:
            super().keyPressEvent(event)
