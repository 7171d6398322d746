"""Rebuilding for the window: quick results on a thread, the newest only; solids in the worker; both told by signals."""

from __future__ import annotations

import logging
import threading
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from isotomon.errors import IsotomonError
from isotomon.model.records import Design
from isotomon.rebuild.deliver import STEP_SECONDS, blocked, export_request, loft_request
from isotomon.rebuild.quick import Quick, rebuild
from isotomon.rebuild.supervisor import Job, Outcome, Supervisor
from isotomon.solid.protocol import Built, Failed

log = logging.getLogger(__name__)


class Engine(QObject):
    """Give it designs; it tells what comes of the newest. Signals arrive on the window's thread."""

    quick_done = Signal(object)
    """Quick"""
    solid_started = Signal(str)
    """the body's key"""
    solid_done = Signal(str, object)
    """the body's key; Built or Failed"""
    exported = Signal(object, str)
    """Path; empty text, or what went wrong"""
    trouble = Signal(str)
    """an unexpected error, in words"""

    def __init__(self, supervisor: Supervisor | None = None, limit: float = STEP_SECONDS) -> None:
        super().__init__()
        self.supervisor = supervisor or Supervisor()
        self.limit = limit
        self._wake = threading.Condition()
        self._next: tuple[Design, bool, bool] | None = None
        self._closing = False
        self._job: Job | None = None
        self._job_key = ""
        self._last: dict[str, Outcome] = {}
        self._thread = threading.Thread(target=self._run, name="quick-rebuild", daemon=True)
        self._thread.start()

    def show(self, design: Design, moving: bool = False, opening: bool = False) -> None:
        """Rebuild a design; an older one that still waits is dropped. The solid follows when nothing is moving.

        When `opening`, a first look comes before all measures and checks are done.
        """
        with self._wake:
            self._next = (design, moving, opening)
            self._wake.notify()

    def _run(self) -> None:
        while True:
            with self._wake:
                while self._next is None and not self._closing:
                    self._wake.wait()
                if self._closing:
                    return
                assert self._next is not None
                (design, moving, opening), self._next = self._next, None
            try:
                if opening:
                    self.quick_done.emit(rebuild(design, moving=True))
                quick = rebuild(design, moving)
                self.quick_done.emit(quick)
                if not moving and self._newest():
                    self._want_solid(quick)
            except IsotomonError as error:
                self.trouble.emit(str(error))
            except Exception as error:  # the window must live on whatever one design does
                log.exception("rebuild failed for %s", design.name)
                self.trouble.emit(f"the rebuild stopped unexpectedly ({type(error).__name__}); undo the last change")

    def _newest(self) -> bool:
        with self._wake:
            return self._next is None

    def _want_solid(self, quick: Quick) -> None:
        shape = quick.shape
        if shape is None or blocked(quick) is not None:
            self.cancel_solid()
            return
        key = shape.key
        if key in self._last and isinstance(self._last[key], Built) and self.supervisor.pid is not None:
            self._finish(key, self._last[key])
            return
        if self._job is not None and self._job_key == key and self._job.outcome is None:
            return
        self.cancel_solid()
        self._job_key = key
        self.solid_started.emit(key)
        try:
            self._job = self.supervisor.submit(
                lambda i: loft_request(shape, quick.design.tolerance, i, self.limit), lambda o: self._finish(key, o)
            )
        except IsotomonError as error:
            self._finish(key, Failed(0, "error", str(error)))

    def _finish(self, key: str, outcome: Outcome) -> None:
        if isinstance(outcome, Built):
            self._last = {key: outcome}
        if not self._closing:
            self.solid_done.emit(key, outcome)

    def cancel_solid(self) -> None:
        """Give up the solid under way, if there is one."""
        if self._job is not None and self._job.outcome is None:
            self.supervisor.cancel(self._job)

    def export(self, quick: Quick, path: Path) -> None:
        """Build the solid if need be and write it; `exported` tells when it is there."""
        reason = blocked(quick)
        shape = quick.shape
        if reason is not None or shape is None:
            self.exported.emit(path, f"Nothing to write: {reason}")
            return

        def written(outcome: Outcome) -> None:
            self.exported.emit(path, outcome.text if isinstance(outcome, Failed) else "")

        def built(outcome: Outcome) -> None:
            if isinstance(outcome, Failed):
                self.exported.emit(path, outcome.text)
            else:
                self.supervisor.submit(lambda i: export_request(quick, path, i), written)

        threading.Thread(
            target=lambda: self.supervisor.submit(
                lambda i: loft_request(shape, quick.design.tolerance, i, self.limit), built
            ),
            daemon=True,
            name="export",
        ).start()

    def close(self) -> None:
        """End the thread and the worker."""
        with self._wake:
            self._closing = True
            self._wake.notify()
        self._thread.join(10.0)
        self.supervisor.close()
