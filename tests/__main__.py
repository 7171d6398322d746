"""Runs every test, in a few processes with several files each, and ends with the plain line of what ran.

Beyond failures, the run fails on unexpected warnings, on logged errors, and on threads or processes left alive.
`python -m tests test_field.py …` runs the files of these patterns in this process alone. With ISOTOMON_LONG=1 random tests make
as many trials as they ever do.
"""

from __future__ import annotations

import faulthandler
import logging
import os
import re
import subprocess
import sys
import threading
import time
import unittest
import warnings
from concurrent.futures import ThreadPoolExecutor
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
        """Remember."""
        self.seen.append(record.getMessage())


def children() -> list[int]:
    """Process ids of this process's living children."""
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = stat.read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        if int(fields[1]) == os.getpid() and fields[0] != "Z":
            found.append(int(stat.parent.name))
    return found


PROCESSES = 6
"""So many share the files: what starts slowly, as the worker, starts once in each."""


def groups() -> list[list[str]]:
    """The files, those that take long spread evenly."""

    # Windows and random designs take longest for their size.
    def weight(file: Path) -> float:
        text = file.read_text()
        return file.stat().st_size * (
            3.0 if "WithWindow" in text or "WithWorker" in text or "random" in file.name else 1.0
        )

    found: list[tuple[float, list[str]]] = [(0.0, []) for _ in range(PROCESSES)]
    for file in sorted(Path("tests").glob("test_*.py"), key=weight, reverse=True):
        least = min(range(PROCESSES), key=lambda k: found[k][0])
        found[least] = (found[least][0] + weight(file), [*found[least][1], file.name])
    return [names for _, names in found]


def every_file() -> int:
    """Run the files in processes, as many at once as there are cores, print what each said as it ends, and sum up."""
    totals = [0, 0, 0]
    printing = threading.Lock()

    def run(files: list[str]) -> None:
        command = [sys.executable, *(f"-W{w}" for w in sys.warnoptions), "-m", "tests", *files]
        ended = subprocess.run(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False)
        summed = re.search(r"(\d+) passed, (\d+) failed, (\d+) skipped\s*$", ended.stdout)
        counts = [int(count) for count in summed.groups()] if summed else [0, 0, 0]
        with printing:
            print(ended.stdout)
            if ended.returncode and not counts[1]:
                print(f"{' '.join(files)} ended with {ended.returncode}")
                counts[1] = 1
            sys.stdout.flush()
            totals[:] = [total + count for total, count in zip(totals, counts, strict=True)]

    with ThreadPoolExecutor(os.cpu_count()) as pool:
        list(pool.map(run, groups()))
    print("{} passed, {} failed, {} skipped".format(*totals))
    return 1 if totals[1] or not totals[0] else 0


def these_files(patterns: list[str]) -> int:
    """Run, report, and say what was left behind."""
    from tests.helpers import close_shared  # after the settings above, which its libraries read

    faulthandler.enable()
    faulthandler.dump_traceback_later(LONGEST, exit=True)
    logged = _Logged()
    logging.getLogger().addHandler(logged)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        loader = unittest.defaultTestLoader
        suite = unittest.TestSuite(loader.discover("tests", pattern=p, top_level_dir=".") for p in patterns)
        result = unittest.TextTestRunner(verbosity=2, warnings="error").run(suite)
    close_shared()
    # A test with several failing subtests is one failed test.
    wrong = {str(getattr(test, "test_case", test)) for test, _ in (*result.failures, *result.errors)}
    failed = len(wrong) + len(result.unexpectedSuccesses)
    end = time.monotonic() + 5.0
    while (children() or threading.active_count() > 1) and time.monotonic() < end:
        time.sleep(0.05)
    left = [f"process {pid}" for pid in children()]
    left += [f"thread {t.name}" for t in threading.enumerate() if t is not threading.main_thread() and not t.daemon]
    for what, found in (("left alive", left), ("logged errors", logged.seen)):
        if found:
            print(f"{what}: {', '.join(found)}")
            failed += 1
    print(f"{result.testsRun - len(wrong)} passed, {failed} failed, {len(result.skipped)} skipped")
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.stdout.flush()
    code = these_files(sys.argv[1:]) if len(sys.argv) > 1 else every_file()
    sys.stdout.flush()
    # Qt and VTK end in an order of their own; everything has been reported.
    os._exit(code)
