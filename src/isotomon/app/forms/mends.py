"""Findings with the ways to mend them: a line each, and a button for every mend."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.app.state.desk import Desk
from isotomon.measure.laws import Finding, Mend

MARKS = {"error": "✕", "band": "▲", "note": "·"}


class MendList(QWidget):
    """Shows some findings; rebuilt only when they change."""

    def __init__(self, desk: Desk, most: int = 4) -> None:
        super().__init__()
        self.desk, self.most = desk, most
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 4, 0, 4)
        self.column.setSpacing(3)
        self._shown: list[tuple[str, ...]] = []
        self.buttons: list[QPushButton] = []

    def show_findings(self, findings: Sequence[Finding]) -> None:
        """These findings, the first few of them."""
        findings = findings[: self.most]
        texts = [(f.severity, f.where, f.text, *(m.title for m in f.mends)) for f in findings]
        self.setVisible(bool(findings))
        if texts == self._shown:
            for button, mend in zip(self.buttons, [m for f in findings for m in f.mends], strict=True):
                button.setProperty("mend", mend)
            return
        self._shown, self.buttons = texts, []
        while (item := self.column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for finding in findings:
            label = QLabel(f"{MARKS[finding.severity]} {finding.where}: {finding.text}")
            label.setWordWrap(True)
            self.column.addWidget(label)
            for mend in finding.mends:
                button = QPushButton(mend.title)
                button.setProperty("mend", mend)
                button.clicked.connect(partial(self._mend, button))
                self.buttons.append(button)
                self.column.addWidget(button)

    def _mend(self, button: QPushButton, *_: object) -> None:
        mend = button.property("mend")
        assert isinstance(mend, Mend)
        self.desk.do(mend.title[:1].lower() + mend.title[1:], mend.edit)
