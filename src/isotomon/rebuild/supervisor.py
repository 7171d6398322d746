"""The window's side of the solid worker: starts it, sends requests, and turns every ending into a typed outcome."""

from __future__ import annotations

import itertools
import logging
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass, field

from isotomon.errors import SolidError
from isotomon.solid.protocol import (
    Built,
    Cancel,
    Exported,
    Failed,
    Ready,
    Reply,
    Started,
    Work,
    receive_reply,
    send,
)

log = logging.getLogger(__name__)
Outcome = Built | Exported | Failed


@dataclass(eq=False)
class Job:
    """A request under way. `then` is called once with its outcome, on the reader's thread."""

    id: int
    then: Callable[[Outcome], None] | None
    outcome: Outcome | None = None
    _done: threading.Event = field(default_factory=threading.Event)

    def wait(self, seconds: float | None = None) -> Outcome:
        """The outcome, when it comes.

        Raises: SolidError, after `seconds`.
        """
        if not self._done.wait(seconds):
            raise SolidError(f"the solid worker gave no answer in {seconds:g} s")
        assert self.outcome is not None
        return self.outcome

    def finish(self, outcome: Outcome) -> None:
        """Set the outcome; later ones are ignored."""
        if self._done.is_set():
            return
        self.outcome = outcome
        self._done.set()
        if self.then is not None:
            self.then(outcome)


class Supervisor:
    """Keeps one worker process. Safe to call from any thread; a dead worker is started anew at the next request."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._ids = itertools.count(1)
        self._jobs: dict[int, Job] = {}
        self._process: subprocess.Popen[bytes] | None = None
        self._reader: threading.Thread | None = None
        self._closed = False
        self.ready = threading.Event()

    @property
    def pid(self) -> int | None:
        """The worker's process id, while it lives."""
        process = self._process
        return process.pid if process is not None and process.poll() is None else None

    def start(self) -> None:
        """Start the worker if there is none; it loads the kernel meanwhile."""
        with self._lock:
            if self._closed:
                raise SolidError("the solid worker has been closed")
            if self.pid is not None:
                return
            self.ready.clear()
            environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
            self._process = subprocess.Popen(
                [sys.executable, "-m", "isotomon.solid.worker"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=None if log.isEnabledFor(logging.DEBUG) else subprocess.DEVNULL,
                env=environment,
            )
            self._reader = threading.Thread(target=self._read, args=(self._process,), name="solid-replies", daemon=True)
            self._reader.start()

    def submit(self, make: Callable[[int], Work], then: Callable[[Outcome], None] | None = None) -> Job:
        """Ask for a body or a file; `make` gets the request's id."""
        job = Job(next(self._ids), then)
        request = make(job.id)
        with self._lock:
            self.start()
            self._jobs[job.id] = job
            self._send(request)
        return job

    def cancel(self, job: Job) -> None:
        """Give a job up; its outcome is 'cancelled' unless it is done already."""
        with self._lock:
            if job.id in self._jobs:
                self._send(Cancel(job.id))

    def _send(self, message: Work | Cancel) -> None:
        process = self._process
        assert process is not None and process.stdin is not None
        try:
            send(process.stdin, message)  # type: ignore[arg-type]
        except (BrokenPipeError, OSError):
            # The reader sees the same end and fails the jobs.
            log.warning("the solid worker is gone while sending")

    def _read(self, process: subprocess.Popen[bytes]) -> None:
        assert process.stdout is not None
        text = "the solid worker stopped; it starts again with the next rebuild"
        try:
            while (reply := receive_reply(process.stdout)) is not None:  # type: ignore[arg-type]
                self._take(reply)
        except SolidError as error:
            text = str(error)
        except (OSError, ValueError):
            pass
        process.kill()
        process.wait()
        process.stdout.close()
        with self._lock:
            lost, self._jobs = (list(self._jobs.values()), {}) if self._process is process else ([], self._jobs)
            if process.stdin is not None:
                try:
                    process.stdin.close()
                except OSError:
                    pass
        for job in lost:
            job.finish(Failed(job.id, "crash", text))

    def _take(self, reply: Reply) -> None:
        if isinstance(reply, Ready):
            self.ready.set()
            return
        if isinstance(reply, Started):
            return
        with self._lock:
            job = self._jobs.pop(reply.id, None)
        if job is not None:
            job.finish(reply)

    def close(self) -> None:
        """End the worker; jobs under way fail."""
        with self._lock:
            self._closed = True
            process, reader = self._process, self._reader
        if process is not None:
            process.kill()
        if reader is not None and reader is not threading.current_thread():
            reader.join(5.0)
