"""Runs every test, in as many processes as there are cores, and ends with the plain line of what ran.

Beyond failures, the run fails on unexpected warnings, on logged errors, and on threads or processes left alive.
`python -m tests test_field.py …` runs the files of these patterns in this process alone. With ISOTOMON_LONG=1 random tests make
as many trials as they ever do.
"""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import os
import queue
import subprocess
import sys
import threading
import time
import traceback
import unittest
import warnings
from collections.abc import Iterable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# Our matrices are small: threads of the linear algebra only get in each other's way, as in the application.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# A run must not read or write the user's own settings, nor find a display.
for name in ("DISPLAY", "WAYLAND_DISPLAY"):
    os.environ.pop(name, None)
LONGEST = 1500
"""Seconds after which a file of tests that still runs is ended, and says where it was."""


class _Logged(logging.Handler):
    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.seen: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        """Remember, and say at once what was thrown."""
        self.seen.append(record.getMessage())
        if record.exc_info is not None:
            print("".join(traceback.format_exception(*record.exc_info)), flush=True)


def children() -> list[int]:
    """Process ids of this process's living children; what watches over the processes of Python's own pools lives as long as the program."""
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = stat.read_text().rsplit(")", 1)[1].split()
            command = stat.with_name("cmdline").read_bytes()
        except OSError:
            continue
        if int(fields[1]) == os.getpid() and fields[0] != "Z" and b"resource_tracker" not in command:
            found.append(int(stat.parent.name))
    return found


DONE = "@ done"
"""With this a process says that a file of tests is done, and its counts."""


def files() -> list[str]:
    """All files of tests, those that take longest first."""

    # Windows, kernels and random designs take longest for their size.
    def weight(file: Path) -> float:
        text = file.read_text()
        slow = "WithWindow" in text or "WithWorker" in text or "random" in file.name or "Supervisor(" in text
        outside = "subprocess" in text  # a process starts in seconds, and in few lines
        return file.stat().st_size * (10.0 if outside else 3.0 if slow else 1.0)

    return [file.name for file in sorted(Path("tests").glob("test_*.py"), key=weight, reverse=True)]


class _Runner:
    """A process that runs one file of tests after another: what starts slowly, as the worker, starts once in it."""

    def __init__(self) -> None:
        command = [sys.executable, *(f"-W{w}" for w in sys.warnoptions), "-m", "tests", "-"]
        self.process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )

    def run(self, file: str) -> tuple[str, list[int]]:
        """What it printed, and how many passed, failed and were skipped; an end without counts is one failure."""
        try:
            print(file, file=self.process.stdin, flush=True)
            return self._said(file)
        except BrokenPipeError:
            return f"{file}: its process had ended", [0, 1, 0]

    def end(self) -> tuple[str, list[int]]:
        """The same of what was left behind by all of them."""
        assert self.process.stdin is not None
        with contextlib.suppress(BrokenPipeError):
            self.process.stdin.close()
        said = self._said("the end")
        self.process.wait()
        if self.process.stdout is not None:
            self.process.stdout.close()
        return said

    def _said(self, what: str) -> tuple[str, list[int]]:
        lines = []
        for line in self.process.stdout or ():
            if line.startswith(DONE):
                return "".join(lines), [int(count) for count in line.removeprefix(DONE).split()]
            lines.append(line)
        return f"{''.join(lines)}{what}: ended with {self.process.wait()}\n", [0, 1, 0]


def every_file() -> list[int]:
    """Run the files in as many processes as there are cores, print what each said as it ends, and sum up."""
    left: queue.SimpleQueue[str] = queue.SimpleQueue()
    for file in files():
        left.put(file)
    totals, printing = [0, 0, 0], threading.Lock()

    def tell(text: str, counts: list[int]) -> None:
        with printing:
            print(text)
            sys.stdout.flush()
            totals[:] = [total + count for total, count in zip(totals, counts, strict=True)]

    def work() -> None:
        runner = _Runner()
        with contextlib.suppress(queue.Empty):
            while True:
                tell(*runner.run(left.get_nowait()))
                if runner.process.poll() is not None:
                    runner = _Runner()
        tell(*runner.end())

    threads = [threading.Thread(target=work) for _ in range(os.cpu_count() or 1)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return totals


def these_files(patterns: Iterable[str]) -> list[int]:
    """Run each, say how it went, and last what was left behind. Returns how many passed, failed and were skipped."""
    from tests.helpers import close_shared  # after the settings above, which its libraries read

    faulthandler.enable()
    logged = _Logged()
    logging.getLogger().addHandler(logged)
    totals = [0, 0, 0]

    def done(*counts: int) -> None:
        totals[:] = [total + count for total, count in zip(totals, counts, strict=True)]
        print(DONE, *counts, flush=True)

    for pattern in patterns:
        faulthandler.dump_traceback_later(LONGEST, exit=True)
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            suite = unittest.defaultTestLoader.discover("tests", pattern=pattern.strip(), top_level_dir=".")
            result = unittest.TextTestRunner(verbosity=2, warnings="error").run(suite)
        # A test with several failing subtests is one failed test.
        wrong = {str(getattr(test, "test_case", test)) for test, _ in (*result.failures, *result.errors)}
        bad = len(wrong) + len(result.unexpectedSuccesses) + (not result.testsRun)
        done(result.testsRun - len(wrong), bad, len(result.skipped))
    close_shared()
    found = _left_behind(logged)
    print("\n".join(found))
    done(0, len(found), 0)
    return totals


def _left_behind(logged: _Logged) -> list[str]:
    """Processes and threads left alive, and errors that were logged."""
    end = time.monotonic() + 5.0
    while (children() or threading.active_count() > 1) and time.monotonic() < end:
        time.sleep(0.05)
    alive = [f"process {pid}" for pid in children()]
    alive += [f"thread {t.name}" for t in threading.enumerate() if t is not threading.main_thread() and not t.daemon]
    return [
        f"{what}: {', '.join(found)}"
        for what, found in (("left alive", alive), ("logged errors", logged.seen))
        if found
    ]


if __name__ == "__main__":
    sys.stdout.flush()
    if len(sys.argv) > 1:
        counts = these_files(sys.stdin if sys.argv[1:] == ["-"] else sys.argv[1:])
    else:
        counts = every_file()
    print("{} passed, {} failed, {} skipped".format(*counts))
    sys.stdout.flush()
    # Qt and VTK end in an order of their own; everything has been reported.
    os._exit(1 if counts[1] or not counts[0] else 0)
