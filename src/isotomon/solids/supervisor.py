"""The window's side of the solid worker: starts it, sends requests, and turns every ending into a typed outcome.

Two threads serve it, so that nobody else ever waits for the worker or its pipes. The *writer* takes messages from a queue,
starts a worker where none lives, and is the only one that writes. A *reader* for each worker takes its replies, and notices
when it has died or says nothing any more. The one lock guards the table of jobs; nothing is sent or waited for under it.
"""

from __future__ import annotations

import itertools
import logging
import os
import queue
import select
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from isotomon.errors import SolidError
from isotomon.kernel.protocol import (
    Alive,
    Built,
    Cancel,
    Exported,
    Failed,
    Ready,
    Reply,
    Started,
    Work,
    frames,
    send,
)
from isotomon.solids.arrived import check_built

log = logging.getLogger(__name__)
Outcome = Built | Exported | Failed
START_SECONDS = 120.0
"""How long a worker may take to load the kernel."""
SILENT_SECONDS = 10.0
"""How long a worker with work may say nothing; it tells every second that it lives."""
READ_BYTES = 1 << 20


@dataclass(eq=False)
class Job:
    """A request under way. `then` is called once with its outcome, on a thread of the supervisor, or on that of whoever
    cancels it."""

    id: int
    then: Callable[[Outcome], None] | None
    worker: subprocess.Popen[bytes] | None = None
    """The process that has it; None while it waits to be sent."""
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
        """Set the outcome. Only whoever took the job from the table may call it, so that it is called once."""
        self.outcome = outcome
        self._done.set()
        if self.then is None:
            return
        try:
            self.then(outcome)
        except Exception:
            # What one listener does with an answer must not keep the next answers from being read.
            log.exception("what followed job %d failed", self.id)


class Supervisor:
    """Keeps one worker process. No call waits for it; a dead or silent worker is replaced at the next request."""

    def __init__(self, silent: float = SILENT_SECONDS) -> None:
        self.silent = silent
        self._lock = threading.Lock()
        self._ids = itertools.count(1)
        self._jobs: dict[int, Job] = {}
        self._outbox: queue.SimpleQueue[Work | Cancel | None] = queue.SimpleQueue()
        self._process: subprocess.Popen[bytes] | None = None
        self._sending: subprocess.Popen[bytes] | None = None
        """The worker to which a message is being written; one that does not read it is silent, too."""
        self._threads: list[threading.Thread] = []
        self._closed = False
        self.ready = threading.Event()

    @property
    def pid(self) -> int | None:
        """The worker's process id, while it lives."""
        process = self._process
        return process.pid if process is not None and process.poll() is None else None

    def start(self) -> None:
        """Have a worker started if there is none; it loads the kernel meanwhile.

        Raises: SolidError, when closed.
        """
        with self._lock:
            self._begin_writing()
        self._outbox.put(None)

    def _begin_writing(self) -> None:
        if self._closed:
            raise SolidError("the solid worker has been closed")
        if not self._threads:
            self._begin(self._write, "solid-requests")

    def _begin(self, work: Callable[[], None], name: str) -> None:
        self._threads = [t for t in self._threads if t.is_alive()]
        thread = threading.Thread(target=work, name=name, daemon=True)
        self._threads.append(thread)
        thread.start()

    def submit(self, make: Callable[[int], Work], then: Callable[[Outcome], None] | None = None) -> Job:
        """Ask for a body or a file; `make` gets the request's id.

        Raises: SolidError, when closed; what `make` raises.
        """
        job = Job(next(self._ids), then)
        request = make(job.id)
        with self._lock:
            self._begin_writing()
            self._jobs[job.id] = job
        self._outbox.put(request)
        return job

    def cancel(self, job: Job) -> None:
        """Give a job up: its outcome is 'cancelled' at once, unless it is done already."""
        with self._lock:
            known = self._jobs.pop(job.id, None)
        if known is None:
            return
        if known.worker is not None:
            self._outbox.put(Cancel(job.id))
        known.finish(Failed(job.id, "cancelled", "cancelled"))

    # The writer

    def _write(self) -> None:
        _live_through_ends()
        while True:
            message = self._outbox.get()
            process = self._living()
            if process is None:
                return
            if message is None or not self._claim(message, process):
                continue
            assert process.stdin is not None
            self._sending = process
            try:
                send(process.stdin, message)  # type: ignore[arg-type]
            except (OSError, ValueError):
                # The reader sees the same end and fails the jobs.
                log.info("the solid worker is gone while sending")
                process.kill()
            self._sending = None

    def _claim(self, message: Work | Cancel, process: subprocess.Popen[bytes]) -> bool:
        """Whether a message is still to be sent; a job's request is this worker's from now on."""
        if isinstance(message, Cancel):
            return True
        with self._lock:
            job = self._jobs.get(message.id)
            if job is not None:
                job.worker = process
            return job is not None

    def _living(self) -> subprocess.Popen[bytes] | None:
        """The worker, started anew if need be; None when closed."""
        if self._is_closed():
            return None
        if self._process is not None and self._process.poll() is None:
            return self._process
        environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        process = subprocess.Popen(
            [sys.executable, "-m", "isotomon.kernel.worker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=None if log.isEnabledFor(logging.DEBUG) else subprocess.DEVNULL,
            env=environment,
        )
        with self._lock:
            if not self._is_closed():
                self.ready.clear()
                self._process = process
                self._begin(lambda: self._read(process), "solid-replies")
                return process
        _end(process)
        return None

    def _is_closed(self) -> bool:
        return self._closed

    # The readers

    def _read(self, process: subprocess.Popen[bytes]) -> None:
        _live_through_ends()
        text = "the solid worker stopped"
        try:
            for reply in self._replies(process):
                self._take(reply, process)
        except SolidError as error:
            text = str(error)
        except (OSError, ValueError):
            pass
        _end(process)
        with self._lock:
            lost = [job for job in self._jobs.values() if job.worker is process]
            self._jobs = {key: job for key, job in self._jobs.items() if job.worker is not process}
        for job in lost:
            job.finish(Failed(job.id, "lost", text))

    def _replies(self, process: subprocess.Popen[bytes]) -> Iterator[Reply]:
        """A worker's replies until it ends.

        Raises: SolidError, for a reply that cannot be read, or when it has work and says nothing.
        """
        assert process.stdout is not None
        received, heard = bytearray(), time.monotonic()
        while True:
            if not select.select([process.stdout], [], [], min(0.5, self.silent / 4.0))[0]:
                if process.poll() is not None:  # a step of its own may hold the pipe open a little longer
                    return
                limit = self.silent if self.ready.is_set() else max(START_SECONDS, self.silent)
                if not self._has_work(process):
                    heard = time.monotonic()
                elif time.monotonic() - heard > limit:
                    raise SolidError("the solid worker no longer answered")
                continue
            data = os.read(process.stdout.fileno(), READ_BYTES)
            if not data:
                return
            heard = time.monotonic()
            received += data
            yield from frames(received)

    def _has_work(self, process: subprocess.Popen[bytes]) -> bool:
        with self._lock:
            return self._sending is process or any(job.worker is process for job in self._jobs.values())

    def _take(self, reply: Reply, process: subprocess.Popen[bytes]) -> None:
        if isinstance(reply, Ready):
            if process is self._process:
                self.ready.set()
            return
        if isinstance(reply, Started | Alive):
            return
        with self._lock:
            job = self._jobs.pop(reply.id, None)
        if job is not None:
            job.finish(_believed(reply))

    def close(self) -> None:
        """End the worker; jobs under way fail. Killing it ends its reader and, at the latest, the writer's waiting."""
        with self._lock:
            self._closed = True
            process, threads = self._process, list(self._threads)
            lost, self._jobs = self._jobs, {}
        if process is not None:
            process.kill()
        self._outbox.put(None)
        for job in lost.values():
            job.finish(Failed(job.id, "lost", "the solid worker has been closed"))
        for thread in threads:
            if thread is not threading.current_thread():
                thread.join(5.0)


def _live_through_ends() -> None:
    """In this thread writing to a dead worker is an error, not the end of the process, which a library may have made it again."""
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGPIPE})


def _believed(reply: Built | Exported | Failed) -> Outcome:
    """The reply, or a failure when it holds what cannot be used."""
    if isinstance(reply, Built):
        try:
            check_built(reply)
        except SolidError as error:
            return Failed(reply.id, "error", str(error))
    return reply


def _end(process: subprocess.Popen[bytes]) -> None:
    process.kill()
    process.wait()
    for stream in (process.stdin, process.stdout):
        if stream is not None:
            try:
                stream.close()
            except OSError:
                pass
