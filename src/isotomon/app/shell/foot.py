"""The foot of the window: how many findings there are, what was said last, the state of the solid, progress and cancel."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from isotomon.app.forms.body import solid_state
from isotomon.app.state.desk import Desk
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Failed

MARKS = {"error": "✕  ", "band": "▲  "}


class Foot(QWidget):
    """Tells; its two buttons open the list of findings, and stop what is worked out."""

    def __init__(self, toggle_findings: Callable[[], object], cancel: Callable[[], object]) -> None:
        super().__init__()
        self.setObjectName("foot")
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        self.count_button = QToolButton()
        self.count_button.clicked.connect(lambda *_: toggle_findings())
        self.message = QLabel()
        self.message.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._of_solid = ""
        """What was said last of a solid that could not be made."""
        self.solid_label = QLabel()
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        self.progress.setFixedWidth(120)
        self.progress.setTextVisible(False)
        self.cancel_button = QToolButton()
        self.cancel_button.setText("Cancel")
        self.cancel_button.clicked.connect(lambda *_: cancel())
        row.addWidget(self.count_button)
        row.addWidget(self.message, 1)
        for widget in (self.solid_label, self.progress, self.cancel_button):
            row.addWidget(widget)

    def say(self, severity: str, text: str) -> None:
        """A sentence; severity is empty, note, band or error."""
        self.message.setText((MARKS.get(severity, "") if text else "") + text)
        self.message.setToolTip(text)

    def show_counts(self, quick: Quick) -> None:
        """How many findings there are."""
        errors = sum(f.severity == "error" for f in quick.findings)
        out = sum(f.severity == "band" for f in quick.findings)
        parts = [f"✕ {errors} error{'s' if errors > 1 else ''}"] if errors else []
        parts += [f"▲ {out} out of band"] if out else []
        self.count_button.setText("   ".join(parts) or "✓ All in band")
        self.count_button.setMinimumWidth(self.count_button.sizeHint().width())
        self.count_button.setToolTip("Show or hide the list of findings")

    def show_solid(self, desk: Desk) -> None:
        """The state of the solid, and how far what is worked out has come."""
        text, good = solid_state(desk)
        under_way, share = desk.under_way
        self.solid_label.setText(f"{under_way}…" if under_way else text if good else "No solid")
        self.solid_label.setToolTip(text)
        self.progress.setValue(round(100 * share))
        for widget in (self.progress, self.cancel_button):
            widget.setVisible(bool(under_way))
        if desk.building or not desk.solid_key:
            return
        if isinstance(desk.solid, Failed) and desk.solid.kind != "cancelled":
            self._of_solid = f"Solid: {desk.solid.text}."
            self.say("error", self._of_solid)
        elif self._of_solid and self.message.toolTip() == self._of_solid:  # it is so no more
            self.say("", "")

    def show_design(self, shown: bool) -> None:
        """Whether there is a design to tell of."""
        for widget in (self.count_button, self.solid_label):
            widget.setVisible(shown)
        if not shown:
            self.say("", "")
            self.progress.hide()
            self.cancel_button.hide()
