"""Rebuilding for the window: quick results on a thread, the newest only; solids in the worker; both told by signals."""

from __future__ import annotations

import logging
import threading
import time
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from isotomon.app.state.solids import SolidBuilder, Told
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.pace import GivenUp, watched
from isotomon.solids.deliver import STEP_SECONDS, USUAL, Fineness, export
from isotomon.solids.supervisor import Supervisor

log = logging.getLogger(__name__)
SHOWN_AFTER = 0.4
"""s after which a quick rebuild tells how far it has come; what is ready sooner needs no word."""
BETWEEN_WORDS = 0.1
"""s from one word on progress to the next."""
MOVING_SECONDS = 1.0
"""s after which a rebuild while something moves gives way to a newer one: before, it is shown, so that something moves."""


class Engine(QObject):
    """Give it designs; it tells what comes of the newest. Signals arrive on the window's thread, which never waits."""

    quick_done = Signal(object)
    """Quick"""
    solid_started = Signal(str)
    """the body's key"""
    solid_done = Signal(str, object)
    """the body's key; Built or Failed"""
    progress = Signal(str, float)
    """what is under way, empty when nothing is; the share that is done"""
    exported = Signal(object, str, object)
    """Path; empty text, or what went wrong; the design that was written, and how far off its mesh may lie, mm"""
    trouble = Signal(str)
    """an unexpected error, in words"""

    def __init__(self, supervisor: Supervisor | None = None, limit: float = STEP_SECONDS) -> None:
        super().__init__()
        self._own = supervisor is None
        """Whether the worker is this engine's own, and ends with it."""
        self.supervisor = supervisor or Supervisor()
        self._wake = threading.Condition()
        self._next: tuple[Design, str, bool, bool] | None = None
        self._closing = False
        self._unwanted = False
        """Whether the user has given up the rebuild under way."""
        self._told_of_progress = False
        self._last: Quick | None = None
        """Of which what the next edit does not touch is taken over."""
        told = Told(self._solid_started, self._solid_progress, self._solid_done, self._lost, self._measured)
        self.solids = SolidBuilder(self.supervisor, limit, told)
        self._thread = threading.Thread(target=self._run, name="quick-rebuild", daemon=True)
        self._thread.start()

    @property
    def finished(self) -> dict[str, Built]:
        """Finished bodies by the ids of the design's bodies of their own, as last built."""
        return self.solids.finished

    def show(self, design: Design, hand: str, moving: bool = False, opening: bool = False) -> None:
        """Rebuild a design for the body in `hand`; an older one that still waits is dropped. The solid follows when nothing is moving.

        When `opening`, a first look comes before all measures and checks are done.
        """
        with self._wake:
            self._next, self._unwanted = (design, hand, moving, opening), False
            self._wake.notify()

    def _run(self) -> None:
        while True:
            with self._wake:
                while self._next is None and not self._closing:
                    self._wake.wait()
                if self._closing:
                    return
                assert self._next is not None
                (design, hand, moving, opening), self._next = self._next, None
            self._rebuild(design, hand, moving, opening)

    def _rebuild(self, design: Design, hand: str, moving: bool, opening: bool) -> None:
        try:
            with watched(self._watch(moving)):
                if opening:
                    self._show(rebuild(design, hand, moving=True))
                self._last = quick = rebuild(design, hand, moving, self._last)
            self._show(quick)
            if not moving and self._newest():
                self.solids.want(quick)
        except GivenUp as error:
            if self._unwanted:
                self.trouble.emit(str(error))
        except IsotomonError as error:
            self.trouble.emit(str(error))
        except Exception as error:  # the window must live on whatever one design does
            if self._closing:
                return
            log.exception("rebuild failed for %s", design.name)
            self.trouble.emit(f"the rebuild stopped unexpectedly ({type(error).__name__}); undo the last change")
        finally:
            if self._told_of_progress and not self._closing:
                self._told_of_progress = False
                self.progress.emit("", 0.0)

    def _show(self, quick: Quick) -> None:
        if not self._closing:
            self.quick_done.emit(quick)

    def _watch(self, moving: bool):  # type: ignore[no-untyped-def]
        """What a rebuild tells its progress to, and by which it is given up when something newer is there."""
        begun = told = time.monotonic()

        def watch(title: str, share: float) -> None:
            nonlocal told
            now = time.monotonic()
            taken = now - begun
            if self._closing or (not self._newest() and (not moving or taken > MOVING_SECONDS)):
                raise GivenUp("given up for something newer")
            if self._unwanted:
                raise GivenUp("The rebuild was cancelled; the design is as it was. F5 begins it anew")
            if taken > SHOWN_AFTER and now - told > BETWEEN_WORDS:
                told, self._told_of_progress = now, True
                self.progress.emit(title or "Working out the body", share)

        return watch

    def _newest(self) -> bool:
        return self._next is None

    def _solid_started(self, key: str) -> None:
        if not self._closing:
            self.solid_started.emit(key)

    def _solid_progress(self, done: int, count: int, title: str) -> None:
        if not self._closing:
            self.progress.emit(title, done / count)

    def _solid_done(self, key: str, outcome: object) -> None:
        if not self._closing:
            self.progress.emit("", 0.0)
            self.solid_done.emit(key, outcome)

    def _lost(self, text: str) -> None:
        if not self._closing:
            self.trouble.emit(f"{text}; it is asked again")

    def _measured(self, quick: Quick) -> None:
        if not self._closing and self._newest():
            self.quick_done.emit(quick)

    def cancel(self) -> None:
        """Give up what is under way, the quick rebuild as well as solids."""
        self._unwanted = True
        self.solids.give_up()

    def export(self, quick: Quick, path: Path, fine: Fineness = USUAL) -> None:
        """Build the solid if need be and write it; `exported` tells when it is there."""

        def work() -> None:
            try:
                export(quick, self.supervisor, path, fine)
            except IsotomonError as error:
                problem = str(error)
            except Exception as error:  # told where the user looks, not only logged
                log.exception("export failed")
                problem = f"{path.name} was not written ({type(error).__name__})"
            else:
                problem = ""
            if not self._closing:
                self.exported.emit(path, problem, (quick.design, fine.distance))

        threading.Thread(target=work, daemon=True, name="export").start()

    def close(self) -> None:
        """End the threads and the worker. What they are at is given up at its next checkpoint."""
        with self._wake:
            self._closing = True
            self._wake.notify()
        self.solids.close()
        if self._own:
            self.supervisor.close()
        self._thread.join(2.0)
