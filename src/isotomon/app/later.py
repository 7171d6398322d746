"""Work that is too long for a frame, done on a thread of its own; only what was asked last is answered."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from isotomon.errors import IsotomonError

Work = Callable[[], object]


class Later(QObject):
    """`answered`: what the work asked for last gave, or the text of what went wrong."""

    answered = Signal(object)
    _finished = Signal(object, object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self._running = False
        self._next: Work | None = None
        self._finished.connect(self._took)

    def ask(self, work: Work) -> None:
        """Do this as soon as what is under way is done; what was asked in between is dropped."""
        self._next = work
        self._begin()

    def _begin(self) -> None:
        if self._running or self._next is None:
            return
        work, self._next, self._running = self._next, None, True
        threading.Thread(target=self._do, args=(work,), daemon=True, name=self.objectName()).start()

    def _do(self, work: Work) -> None:
        try:
            answer = work()
        except IsotomonError as error:
            answer = str(error)
        self._finished.emit(work, answer)

    def _took(self, work: Work, answer: object) -> None:
        self._running = False
        if self._next is None:
            self.answered.emit(answer)
        self._begin()
