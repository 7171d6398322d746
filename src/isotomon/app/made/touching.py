"""A measuring machine at work beside the window: a real one at a port, or the simulated one."""

from __future__ import annotations

import logging
import threading
from contextlib import nullcontext

from PySide6.QtCore import QObject, QTimer, Signal
from shiboken6 import isValid

from isotomon.arrays import Array
from isotomon.errors import IsotomonError
from isotomon.inspect.results import Quick
from isotomon.metrology.line import Server, probed
from isotomon.metrology.machine import Faults, Habits, machine
from isotomon.metrology.plan import ProbePlan

log = logging.getLogger(__name__)
OFTEN = 120
"""ms between words of what has been touched."""


class Touching(QObject):
    """`came`: more places have been touched; `ended`: why, empty where all is done or it was stopped. On the window's thread."""

    came = Signal()
    ended = Signal(str)
    _done = Signal(str)

    def __init__(self, shown_in: QObject) -> None:
        super().__init__()
        self.places: list[Array] = []
        self.tried, self.planned = 0, 0
        self._asked: object = None
        self._stop: threading.Event | None = None
        self._timer = QTimer(shown_in)  # it ends with the window
        self._timer.setInterval(OFTEN)
        self._timer.timeout.connect(self.came)
        self._done.connect(self._took_end)

    @property
    def running(self) -> bool:
        """Whether a machine is at work."""
        return self._stop is not None

    def begin(self, quick: Quick, plan: ProbePlan, port: int, habits: Habits, faults: Faults) -> None:
        """Have the machine at a port of this computer touch all places of a plan; nought: a simulated one, with such habits and faults. What was ended
        early, with the same of all these, is gone on with."""
        asked = (quick.design, len(plan), port, habits, faults)
        if self._asked != asked or not self.tried < self.planned:
            self.places, self.tried = [], 0
        self._asked, self.planned, first = asked, len(plan), self.tried
        self._stop = stop = threading.Event()

        def work() -> None:
            problem = ""
            try:
                with nullcontext() if port else Server(machine(quick, habits, faults)) as own:
                    for touched in probed(plan, port if own is None else own.port, stop=stop, first=first):
                        if touched.place is not None:
                            self.places.append(touched.place)
                        self.tried = touched.number + 1
            except IsotomonError as error:
                problem = str(error)
            except Exception as error:  # told where the user looks, not only logged
                log.exception("touching failed")
                problem = f"the machine's work stopped unexpectedly ({type(error).__name__})"
            self._done.emit(problem)

        self._timer.start()
        threading.Thread(target=work, daemon=True, name="touching").start()

    def stop(self) -> None:
        """End it; what has been touched stays."""
        if self._stop is not None:
            self._stop.set()

    def _took_end(self, problem: str) -> None:
        self._stop = None
        if not isValid(self._timer):  # the window has gone meanwhile
            return
        self._timer.stop()
        self.ended.emit(problem)
