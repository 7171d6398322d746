"""How a loft is carried: its rails and how they act, the ties set by hand, and the turn these cause."""

from __future__ import annotations

import math
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.app.desk import Desk
from isotomon.model import edits, loft_edits
from isotomon.quantity import display


class LoftForm(QWidget):
    """Edits the loft's rails and ties through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.rails = QWidget()
        self.rail_column = QVBoxLayout(self.rails)
        self.rail_column.setContentsMargins(0, 0, 0, 0)
        self.rail_column.setSpacing(2)
        self.add = QComboBox()
        self.add.setAccessibleName("Follow another guide")
        self.add.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.add.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
        self.add.activated.connect(self._add_rail)
        self.act = QComboBox()
        self.act.setAccessibleName("Rails act")
        self.act.addItem("Scale and turn evenly", False)
        self.act.addItem("Stretch towards them", True)
        self.act.activated.connect(
            lambda row: desk.do("change how rails act", lambda d: edits.change_loft(d, stretch=self.act.itemData(row)))
        )
        self.ties = QLabel()
        self.ties.setWordWrap(True)
        self.even = QPushButton("Even out: all ties automatic")
        self.even.clicked.connect(lambda: desk.do("even the ties out", loft_edits.remove_ties))
        for widget in (self.rails, self.add, self.act, self.ties, self.even):
            column.addWidget(widget)
        self._shown: list[tuple[str, str]] | None = None
        self.refresh()

    def _add_rail(self, row: int) -> None:
        key = self.add.itemData(row)
        if key:
            self.desk.do("use as a rail", lambda d: loft_edits.add_rail(d, key))

    def _remove(self, key: str, *_: object) -> None:
        self.desk.do("take the rail out", lambda d: loft_edits.remove_rail(d, key))

    def refresh(self) -> None:
        """The loft as it is now."""
        design, quick = self.desk.design, self.desk.quick
        if design is None:
            return
        loft = design.loft
        names = {g.id: g.name for g in design.guides}
        wanted = [(r.id, names.get(r.guide, r.guide)) for r in loft.rails]
        if wanted != self._shown:
            self._shown = wanted
            while (item := self.rail_column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            for key, name in wanted:
                self.rail_column.addWidget(self._rail_row(key, name))
        free = [(g.id, g.name) for g in design.guides if all(r.guide != g.id for r in loft.rails)]
        self.add.clear()
        self.add.addItem("Follow a guide…" if not wanted else "Follow another guide…", "")
        for key, name in free:
            self.add.addItem(name, key)
        self.add.setVisible(bool(free))
        self.act.setVisible(bool(wanted))
        self.act.setCurrentIndex(int(loft.stretch))
        lines = []
        if loft.ties:
            lines.append(f"{len(loft.ties)} tie{'s' if len(loft.ties) > 1 else ''} set by hand")
        if loft.turns:
            lines.append(f"{sum(t.turns for t in loft.turns)} whole turns added")
        if quick is not None and quick.unintended is not None and quick.shape is not None:
            worst = max((abs(float(u)) for u in quick.unintended), default=0.0)
            lines.append(f"Turn by ties up to {display(math.degrees(worst), 2)}°")
        self.ties.setText("\n".join(lines))
        self.ties.setVisible(bool(lines))
        self.even.setVisible(bool(loft.ties))

    def _rail_row(self, key: str, name: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        out = QPushButton("Take out")
        out.setAccessibleName(f"Take rail {name} out")
        out.clicked.connect(partial(self._remove, key))
        line.addWidget(QLabel(f"Rail: {name}"), 1)
        line.addWidget(out)
        return row
