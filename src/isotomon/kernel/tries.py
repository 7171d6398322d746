"""Kernel work that may fail, hang or take the process down, tried in a process of its own. Worker only."""

from __future__ import annotations

import ctypes
import os
import signal
import tempfile
import time
from collections.abc import Callable

STEPS = 10
"""Halvings of the range in which the largest value that works is looked for: it is then known to a thousandth."""
PAUSE = 0.002
"""s between two looks whether a try has ended."""


_PR_SET_PDEATHSIG = 1


def die_with_parent() -> None:
    """Have the system end this process when its parent ends."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


def forked() -> int:
    """A copy of this process that ends with it: nought in that, its number here."""
    parent = os.getpid()
    pid = os.fork()
    if pid == 0:
        die_with_parent()
        if os.getppid() != parent:  # it had ended before this was said
            os._exit(1)
    return pid


def made_apart(work: Callable[[], bytes], seconds: float) -> bytes | None:
    """What a piece of work makes, done in a process of its own; None where it fails, takes longer, or takes that process down."""
    with tempfile.TemporaryFile() as made:

        def keep() -> None:
            made.write(work())
            made.flush()

        if not works(keep, seconds):
            return None
        made.seek(0)
        return made.read()


def begun_apart(work: Callable[[], bytes]) -> Callable[[], bytes | None]:
    """Begin a piece of work in a process of its own, and go on. What is returned waits for it, and gives what it made; None where it failed."""
    read_end, write_end = os.pipe()
    pid = forked()
    if pid == 0:
        status = 1
        try:
            with os.fdopen(write_end, "wb") as stream:
                stream.write(work())
            status = 0
        except BaseException:  # noqa: BLE001 - as below
            pass
        os._exit(status)
    os.close(write_end)

    def wait() -> bytes | None:
        with os.fdopen(read_end, "rb") as stream:
            made = stream.read()
        _, status = os.waitpid(pid, 0)
        return made if os.waitstatus_to_exitcode(status) == 0 else None

    return wait


def works(work: Callable[[], object], seconds: float) -> bool:
    """Whether a piece of work ends without an error within so many seconds. What it makes is lost."""
    pid = forked()
    if pid == 0:
        status = 1
        try:
            work()
            status = 0
        except BaseException:  # noqa: BLE001 - the kernel's bindings raise whatever they like; the answer is no
            pass
        os._exit(status)
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        done, status = os.waitpid(pid, os.WNOHANG)
        if done:
            return os.waitstatus_to_exitcode(status) == 0
        time.sleep(PAUSE)
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    return False


def largest(work: Callable[[float], object], wanted: float, seconds: float) -> float:
    """The largest value below `wanted` with which a piece of work succeeds, by halving, as far as the time allows; nought where
    none was found."""
    end = time.monotonic() + seconds
    low, high = 0.0, wanted
    for number in range(STEPS):
        left = end - time.monotonic()
        if left <= 0.0:
            break
        middle = (low + high) / 2.0
        if works(lambda middle=middle: work(middle), left / (STEPS - number) * 2.0):  # type: ignore[misc]
            low = middle
        else:
            high = middle
    return low
