"""Meeting a law from its form: what may change, the proposal shown live, accepted as one step or put back."""

from __future__ import annotations

import threading
from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPushButton, QWidget

from isotomon.app.state.desk import Desk
from isotomon.author.meet import KINDS, Freedom, Meeting, freedoms, meet
from isotomon.design.records import Design
from isotomon.errors import IsotomonError

_WORDS = {"sizes": "Sizes", "set angles": "Set angles", "offsets": "Offsets", "rail points": "Rail points"}


class _Teller(QObject):
    """Carries results from the thread that works to the window's."""

    told = Signal(int, float)
    done = Signal(object)
    """Meeting, or text of what went wrong"""


class MeetForm(QWidget):
    """What may change to meet a law, and what came of it."""

    def __init__(self, desk: Desk, law: str) -> None:
        super().__init__()
        self.desk, self.law = desk, law
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 6, 0, 0)
        head = QLabel("Meet the law by changing")
        head.setProperty("group", True)
        grid.addWidget(head, 0, 0, 1, 2)
        self.kinds = {kind: QCheckBox(_WORDS[kind]) for kind in KINDS}
        self.kinds["sizes"].setChecked(True)
        for k, box in enumerate(self.kinds.values()):
            grid.addWidget(box, 1 + k // 2, k % 2)
        self.propose = QPushButton("Propose the least change")
        self.propose.setToolTip("Looks for it and shows it; nothing is changed until you accept it")
        self.accept, self.put_back = QPushButton("Accept"), QPushButton("Put back")
        self.result = QLabel()
        self.result.setWordWrap(True)
        grid.addWidget(self.propose, 3, 0, 1, 2)
        grid.addWidget(self.result, 4, 0, 1, 2)
        grid.addWidget(self.accept, 5, 0)
        grid.addWidget(self.put_back, 5, 1)
        self.propose.clicked.connect(self._propose)
        self.accept.clicked.connect(self._accept)
        self.put_back.clicked.connect(self._put_back)
        self._teller = _Teller()
        self._teller.told.connect(self._told)
        self._teller.done.connect(self._done)
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._base: Design | None = None
        self._show(False)
        desk.design_changed.connect(self._changed)

    def _show(self, offered: bool) -> None:
        for button in (self.accept, self.put_back):
            button.setVisible(offered)

    def _propose(self) -> None:
        if self._thread is not None and self._thread.is_alive():
            self._stop.set()
            return
        quick = self.desk.quick
        if quick is None or self.desk.design is None:
            return
        kinds = [kind for kind, box in self.kinds.items() if box.isChecked()]
        chosen, driven = freedoms(quick, kinds)
        self._base = self.desk.design
        self._stop.clear()
        self.propose.setText("Stop")
        self.result.setText("Looking for it…")
        self._show(False)
        self._thread = threading.Thread(
            target=self._work, args=(self._base, chosen, driven), daemon=True, name="meet-law"
        )
        self._thread.start()

    def _work(self, design: Design, chosen: Sequence[Freedom], driven: Sequence[str]) -> None:
        def told(round_: int, worst: float) -> bool:
            self._teller.told.emit(round_, worst)
            return not self._stop.is_set()

        try:
            self._teller.done.emit(meet(design, self.law, chosen, told, driven))
        except IsotomonError as error:
            self._teller.done.emit(str(error))

    def _told(self, round_: int, worst: float) -> None:
        self.result.setText(f"Round {round_ + 1}: the worst place is at {worst:.0%} of the band…")

    def _done(self, outcome: Meeting | str) -> None:
        self.propose.setText("Propose the least change")
        if isinstance(outcome, str):
            self.result.setText(f"✕ {outcome}")
            return
        self.result.setText(("✓ " if outcome.met else "▲ ") + outcome.text)
        if outcome.changes and self.desk.design is self._base:
            self.desk.preview("meet the law", lambda d: outcome.design)
            self._show(True)
        layout = self.layout()
        assert layout is not None
        self.setMinimumHeight(layout.heightForWidth(max(self.width(), 200)))

    def _accept(self) -> None:
        self._show(False)
        self.desk.finish_preview()

    def _put_back(self) -> None:
        self._show(False)
        self.result.setText("")
        self.desk.give_up_preview()

    def _changed(self) -> None:
        """Another design than the one the proposal was made for."""
        self._show(False)
