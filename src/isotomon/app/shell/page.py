"""The design's page: Ledger, View with body plan or drawing, tables, Details, Board, findings, each as large as wanted."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QSplitter, QTableView, QWidget

SPLITTERS = ("middle", "upper", "outer")
"""Those whose places are remembered."""


class WorkPage:
    """Splitters within splitters, and the tables that come and go under the View."""

    def __init__(
        self,
        middle: Sequence[QWidget],
        tables: Sequence[QTableView],
        sides: tuple[QWidget, QWidget],
        lower: Sequence[QWidget],
    ) -> None:
        self.middle = _splitter(Qt.Orientation.Horizontal, middle, 0, [560, 270])
        self.tables = tables
        self.centre = _splitter(Qt.Orientation.Vertical, [self.middle, *tables])
        self.upper = _splitter(Qt.Orientation.Horizontal, [sides[0], self.centre, sides[1]], 1, [256, 754, 268])
        self.outer = _splitter(Qt.Orientation.Vertical, [self.upper, *lower], 0, [430, 262, 64])
        for table in tables:
            table.hide()

    def toggle_table(self, table: QTableView) -> None:
        """Show or hide a table; one at a time."""
        show = table.isHidden()
        for other in self.tables:
            other.hide()
        table.setVisible(show)
        if show:
            half = self.centre.height() // 2
            self.centre.setSizes([half] * (1 + len(self.tables)))
            table.setFocus()

    def restore(self, settings: QSettings) -> None:
        """Sizes as they were left."""
        for name in SPLITTERS:
            state = settings.value(f"splitter/{name}")
            if state is not None:
                getattr(self, name).restoreState(state)

    def save(self, settings: QSettings) -> None:
        """Sizes for the next time."""
        for name in SPLITTERS:
            settings.setValue(f"splitter/{name}", getattr(self, name).saveState())


def _splitter(
    way: Qt.Orientation, widgets: Sequence[QWidget], grows: int | None = None, sizes: Sequence[int] = ()
) -> QSplitter:
    splitter = QSplitter(way)
    for widget in widgets:
        splitter.addWidget(widget)
    if grows is not None:
        splitter.setStretchFactor(grows, 1)
    if sizes:
        splitter.setSizes(list(sizes))
    splitter.setHandleWidth(1)
    splitter.setChildrenCollapsible(False)
    return splitter
