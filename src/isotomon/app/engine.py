"""Rebuilding for the window: quick results on a thread, the newest only; solids in the worker; both told by signals."""

from __future__ import annotations

import logging
import threading
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from isotomon.errors import IsotomonError
from isotomon.model.records import Design
from isotomon.rebuild.deliver import STEP_SECONDS, Plan, export, plan, shown_body
from isotomon.rebuild.gauges import with_finished
from isotomon.rebuild.quick import rebuild
from isotomon.rebuild.results import Quick
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
        self._jobs: list[Job] = []
        self._wanted: set[str] = set()
        self._latest: tuple[Quick, Plan] | None = None
        self._guard = threading.RLock()
        """Of what is known about solids, which two threads change."""
        self._last: dict[str, Built | Failed] = {}
        self.finished: dict[str, Built] = {}
        """Finished bodies by the ids of the design's bodies of their own, as last built."""
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
        """Ask for all bodies that are not built yet, in the order in which they need each other."""
        try:
            wanted = plan(quick, self.limit)
        except IsotomonError:
            self.cancel_solid()
            return
        with self._guard:
            self._ask(quick, wanted)

    def _ask(self, quick: Quick, wanted: Plan) -> None:
        if self.supervisor.pid is None:
            self._last.clear()
        keys = {step.key for step in wanted.steps}
        self._last = {key: outcome for key, outcome in self._last.items() if key in keys and isinstance(outcome, Built)}
        self._latest = (quick, wanted)
        if keys <= self._last.keys():
            self._all_settled(quick, wanted)
            return
        if self._wanted == keys and any(job.outcome is None for job in self._jobs):
            return  # what is under way will be told of for the newest results
        self.cancel_solid()
        self._wanted = keys
        shown = wanted.finished.get(shown_body(quick), "")
        self.solid_started.emit(shown)
        try:
            self._jobs = [
                self.supervisor.submit(step.ask, partial(self._took, step.key, keys))
                for step in wanted.steps
                if step.key not in self._last
            ]
        except IsotomonError as error:
            self._finish(shown, Failed(0, "error", str(error)))

    def _took(self, key: str, keys: set[str], outcome: Outcome) -> None:
        """A step has come to something. On the reader's thread."""
        with self._guard:
            assert isinstance(outcome, Built | Failed) and self._latest is not None
            if self._wanted is not keys:  # an older request, though it may have asked for the same
                if isinstance(outcome, Built):
                    self._last[key] = outcome
                return
            self._last[key] = outcome
            quick, wanted = self._latest
            if isinstance(outcome, Failed) and outcome.kind == "cancelled":
                self._wanted = set()
                self._finish(wanted.finished.get(shown_body(quick), ""), outcome)
            elif keys <= self._last.keys():
                self._wanted = set()
                self._all_settled(quick, wanted)

    def _all_settled(self, quick: Quick, wanted: Plan) -> None:
        """Every step has come to something: what is finished is taken, whatever became of the others."""
        failed: dict[str, Failed] = {body: Failed(0, "error", text) for body, text in wanted.refused.items()}
        finished: dict[str, Built] = {}
        for body, key in wanted.finished.items():
            outcomes = [self._last[k] for k in wanted.by[body]]
            last = self._last[key]
            trouble = next((o for o in outcomes if isinstance(o, Failed)), None)
            if trouble is not None:
                failed[body] = trouble
            elif isinstance(last, Built):
                finished[body] = last
        self.finished = finished
        measured = with_finished(quick, finished)
        if measured is not quick and self._newest() and not self._closing:
            self.quick_done.emit(measured)
        shown = shown_body(quick)
        self._finish(wanted.finished.get(shown, ""), finished.get(shown) or failed[shown])

    def _finish(self, key: str, outcome: Outcome) -> None:
        if not self._closing:
            self.solid_done.emit(key, outcome)

    def cancel_solid(self) -> None:
        """Give up the solids under way, if there are any."""
        for job in reversed(self._jobs):
            if job.outcome is None:
                self.supervisor.cancel(job)

    def export(self, quick: Quick, path: Path) -> None:
        """Build the solid if need be and write it; `exported` tells when it is there."""

        def work() -> None:
            try:
                export(quick, self.supervisor, path)
            except IsotomonError as error:
                self.exported.emit(path, str(error))
            else:
                self.exported.emit(path, "")

        threading.Thread(target=work, daemon=True, name="export").start()

    def close(self) -> None:
        """End the thread and the worker."""
        with self._wake:
            self._closing = True
            self._wake.notify()
        self._thread.join(10.0)
        self.supervisor.close()
