"""How far long work has come, and whether it is still wanted: whoever has it done watches, and the work tells at checkpoints.

The watcher belongs to the thread's context, so that functions in between need not pass it on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

Watch = Callable[[str, float], None]
"""Takes what is done and the share of it that is done (0..1); raises `GivenUp` when it is not wanted any more."""

_watch: ContextVar[Watch | None] = ContextVar("watch", default=None)
_title: ContextVar[str] = ContextVar("title", default="")


class GivenUp(Exception):
    """Work that is not wanted any more. It is no `IsotomonError`: nobody on the way takes it for a trouble of the design, to be told of or
    remembered."""


@contextmanager
def watched(watch: Watch) -> Iterator[None]:
    """Have `watch` told of all checkpoints inside."""
    before = _watch.set(watch)
    try:
        yield
    finally:
        _watch.reset(before)


@contextmanager
def stage(title: str) -> Iterator[None]:
    """Call what is done inside `title`."""
    before = _title.set(title)
    try:
        checkpoint(0.0)
        yield
    finally:
        _title.reset(before)


def checkpoint(share: float) -> None:
    """Tell the watcher, if there is one, how much of the stage is done.

    Raises: GivenUp, when the work is not wanted any more.
    """
    watch = _watch.get()
    if watch is not None:
        watch(_title.get(), share)
