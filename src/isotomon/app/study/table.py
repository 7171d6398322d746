"""A study's variants as a table that is sorted by any figure."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QSortFilterProxyModel, Qt
from PySide6.QtWidgets import QAbstractItemView, QTableView

from isotomon.quantity.table import said
from isotomon.studies.figures import VariantRow
from isotomon.studies.study import Study

Index = QModelIndex | QPersistentModelIndex
UNITS = {"length": "_mm", "angle": "_deg", "ratio": ""}


class VariantModel(QAbstractTableModel):
    """Rows as they come: the number of the variant, its values, its figures, and why it failed."""

    def __init__(self) -> None:
        super().__init__()
        self.study: Study | None = None
        self.rows: list[VariantRow] = []
        self.figures: list[str] = []

    def begin(self, study: Study | None) -> None:
        """Another study, of which there is nothing yet."""
        self.beginResetModel()
        self.study, self.rows, self.figures = study, [], []
        self.endResetModel()

    def add(self, rows: list[VariantRow]) -> None:
        """Some more rows."""
        fresh = [name for row in rows for name in row.figures if name not in self.figures]
        if fresh:
            self.beginResetModel()
            self.figures += list(dict.fromkeys(fresh))
            self.rows += rows
            self.endResetModel()
            return
        self.beginInsertRows(QModelIndex(), len(self.rows), len(self.rows) + len(rows) - 1)
        self.rows += rows
        self.endInsertRows()

    @property
    def titles(self) -> list[str]:
        """Of the columns."""
        varied = self.study.varied if self.study is not None else ()
        return ["variant", *(f"{one.name}{UNITS[one.kind]}" for one in varied), *self.figures, "problem"]

    def value(self, row: VariantRow, column: int) -> float | str:
        """What a cell holds; NaN where it is undefined."""
        if column == 0:
            return float(row.number + 1)
        if column == len(self.titles) - 1:
            return row.problem
        varied = self.study.varied if self.study is not None else ()
        if column <= len(varied):
            value = row.values[column - 1]
            return math.degrees(value) if varied[column - 1].kind == "angle" else value
        return row.figures.get(self.figures[column - 1 - len(varied)], math.nan)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Variants that are there."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        """Numbers and figures."""
        return len(self.titles) if self.study is not None else 0

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Column titles."""
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        return self.titles[section]

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """A cell for reading, or for sorting."""
        if not index.isValid():
            return None
        cell = self.value(self.rows[index.row()], index.column())
        if role == Qt.ItemDataRole.UserRole:
            return math.inf if isinstance(cell, float) and math.isnan(cell) else cell
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if isinstance(cell, str) else Qt.AlignmentFlag.AlignRight
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return said(cell) if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole) else None


class VariantTable(QTableView):
    """The model, sorted as one likes."""

    def __init__(self, model: VariantModel) -> None:
        super().__init__()
        self.setAccessibleName("Variants")
        self.sorted = QSortFilterProxyModel()
        self.sorted.setSortRole(Qt.ItemDataRole.UserRole)
        self.sorted.setSourceModel(model)
        self.setModel(self.sorted)
        self.setSortingEnabled(True)
        self.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(24)

    def chosen(self) -> int | None:
        """The place of the chosen variant among the model's rows; None of none."""
        index = self.currentIndex()
        return self.sorted.mapToSource(index).row() if index.isValid() else None

    def choose(self, row: int) -> None:
        """Choose the variant at a place among the model's rows."""
        model = self.sorted.sourceModel()
        self.setCurrentIndex(self.sorted.mapFromSource(model.index(row, 0)))
