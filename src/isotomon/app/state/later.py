"""Work that is too long for a frame, done on a thread of its own; only what was asked last is answered."""

from __future__ import annotations

import contextlib
import queue
import threading
import time
from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import QEventLoop, QObject, Qt, Signal
from PySide6.QtWidgets import QApplication, QProgressDialog, QWidget
from shiboken6 import isValid

from isotomon.errors import IsotomonError
from isotomon.pace import GivenUp, watched

Result = TypeVar("Result")

Work = Callable[[], object]


class Later(QObject):
    """`answered`: what the work asked for last gave, or the text of what went wrong. Once `shown_in` is gone, nothing is said."""

    answered = Signal(object)
    _finished = Signal(object, object)

    def __init__(self, name: str, shown_in: QObject) -> None:
        super().__init__()
        self.setObjectName(name)
        shown_in.destroyed.connect(self._drop)  # a method: it is let go of by itself when this goes first
        self._running = False
        self._next: Work | None = None
        self._finished.connect(self._took)

    def ask(self, work: Work) -> None:
        """Do this as soon as what is under way is done; what was asked in between is dropped."""
        self._next = work
        self._begin()

    def _drop(self) -> None:
        self.blockSignals(True)

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
        if isValid(self):  # the application may have ended meanwhile
            self._finished.emit(work, answer)

    def _took(self, work: Work, answer: object) -> None:
        self._running = False
        if self._next is None:
            self.answered.emit(answer)
        self._begin()


SHOWN_AFTER = 1.5
"""s; what is read sooner needs no word. The window paints meanwhile, and takes what is typed and clicked afterwards."""


def read_aside(parent: QWidget, title: str, work: Callable[[], Result]) -> Result:
    """What reading gives, done on a thread of its own while the window goes on painting, with progress and cancel. What is
    cancelled inside a library ends there by itself, and is dropped.

    Raises: IsotomonError, when it is cancelled, too.
    """
    outcome: queue.SimpleQueue[tuple[Result | None, IsotomonError | None]] = queue.SimpleQueue()
    told: list[float] = [0.0]
    unwanted = threading.Event()

    def watch(_: str, share: float) -> None:
        told[0] = share
        if unwanted.is_set():
            raise GivenUp(f"{title} was cancelled")

    def run() -> None:
        found, problem = None, IsotomonError(f"{title} stopped unexpectedly")
        try:
            with contextlib.suppress(GivenUp), watched(watch):  # nobody waits for what is given up
                found, problem = work(), None  # type: ignore[assignment]
        except IsotomonError as error:
            problem = error
        finally:  # whatever else came up is told where threads' ends are
            outcome.put((found, problem))

    threading.Thread(target=run, daemon=True, name="reading").start()
    begun = time.monotonic()
    while time.monotonic() - begun < SHOWN_AFTER:
        with contextlib.suppress(queue.Empty):
            return _given(outcome.get(timeout=0.02))
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    focus = QApplication.focusWidget()
    dialog = QProgressDialog(f"{title}…", "Cancel", 0, 100, parent)
    dialog.setWindowModality(Qt.WindowModality.ApplicationModal)
    dialog.setMinimumDuration(0)
    try:
        while True:
            dialog.setValue(min(round(100 * told[0]), 99))
            QApplication.processEvents()
            if dialog.wasCanceled():
                unwanted.set()
                raise IsotomonError(f"{title} was cancelled; nothing was changed")
            with contextlib.suppress(queue.Empty):
                return _given(outcome.get(timeout=0.02))
    finally:
        dialog.close()
        dialog.deleteLater()
        parent.window().activateWindow()  # what had the keyboard has it again
        if focus is not None:
            focus.setFocus()


def _given(outcome: tuple[Result | None, IsotomonError | None]) -> Result:
    found, error = outcome
    if error is not None:
        raise error
    return found  # type: ignore[return-value]
