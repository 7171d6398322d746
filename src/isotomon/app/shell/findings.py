"""The list of findings: each can be gone to, which chooses what it is about and shows its place."""

from __future__ import annotations

from PySide6.QtWidgets import QListWidget, QListWidgetItem

from isotomon.app.forms.mends import MARKS
from isotomon.app.shell.foot import Foot
from isotomon.app.state.desk import Desk
from isotomon.app.viewport.view import View
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Finding

SAME_PLACE = 1e-6
"""mm: a finding nearer to a station than this is at the station."""


class Findings(QListWidget):
    """Rows are the findings of the newest result."""

    def __init__(self, desk: Desk, view: View, foot: Foot) -> None:
        super().__init__()
        self.setObjectName("findings")
        self.setAccessibleName("Findings")
        self.setWordWrap(True)
        self.setMaximumHeight(96)
        self.hide()
        self.desk, self.view, self.foot = desk, view, foot
        self._at = -1
        self._told: Finding | None = None
        """The finding that was gone to last."""
        self.itemClicked.connect(lambda item: self.go_to(self.row(item)))
        self.itemActivated.connect(lambda item: self.go_to(self.row(item)))

    def show_quick(self, quick: Quick) -> None:
        """New results."""
        self.clear()
        for finding in quick.findings:
            mends = "  → " + " · ".join(m.title for m in finding.mends) if finding.mends else ""
            self.addItem(QListWidgetItem(f"{MARKS[finding.severity]}  {_words_of(finding)}{mends}"))
        if not quick.findings:
            self.addItem("Nothing is wrong and everything is in its band.")
        self._at = min(self._at, len(quick.findings) - 1)
        self._keep_told(quick)

    def go_to_next(self) -> None:
        """The next finding, and round again."""
        quick = self.desk.quick
        if quick is not None and quick.findings:
            self.go_to((self._at + 1) % len(quick.findings))

    def go_to(self, row: int) -> None:
        """Choose what a finding is about and show its place."""
        quick = self.desk.quick
        if quick is None or not 0 <= row < len(quick.findings):
            return
        self._at = row
        finding = self._told = quick.findings[row]
        self.view.set_finding(finding)
        self.desk.select((_culprit(quick, finding),))
        self.foot.say(finding.severity, _words_of(finding))

    def _keep_told(self, quick: Quick) -> None:
        """The finding that was gone to is told as it is now, or no more."""
        told = self._told
        if told is None:
            return
        now = next((f for f in quick.findings if (f.about, f.severity) == (told.about, told.severity)), None)
        if self.foot.message.toolTip() == _words_of(told):
            self.foot.say(told.severity, "" if now is None else _words_of(now))
        if now is None:
            self.view.set_finding(None)
        self._told = now


def _culprit(quick: Quick, finding: Finding) -> str:
    """The id of what is to be changed: of a rail the guide, of what is out of band the station there."""
    rail = next((r for r in quick.body.loft.rails if r.id == finding.about), None)
    if rail is not None:
        return rail.guide
    if finding.position is not None and finding.severity == "band":
        for n in quick.resolved.stations:
            if abs(n.position - finding.position) < SAME_PLACE:
                return n.station.id
    return finding.about


def _words_of(finding: Finding) -> str:
    """A finding in one line."""
    return f"{finding.where}: {finding.text}"
