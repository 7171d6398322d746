"""Rebuilds one after another, as the window makes them while something is dragged."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from isotomon.design.records import Design
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick


def frame_by_frame(start: Design, designs: Iterator[Design], hand: str = "") -> Callable[[], Quick]:
    """What rebuilds the next of some designs each time it is called: each is an edit of the one at the `start`, and takes over what that does
    not touch."""
    last = [rebuild(start, hand)]

    def frame() -> Quick:
        last[0] = rebuild(next(designs), hand, moving=True, before=last[0])
        return last[0]

    return frame
