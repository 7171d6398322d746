"""What all kinds of handles are to the window: places in the View, a pull from pixel to pixel, and its end."""

from __future__ import annotations

from typing import Protocol

from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array


class Handles(Protocol):
    """One kind of handles."""

    def places(self) -> dict[str, Handle]:
        """Those that there are for what is chosen, by names that no other kind gives."""

    def pull(self, name: str, start: Array, now: Array) -> None:
        """One was dragged from one pixel (2,) to another: what it changes follows, seen at once."""

    def release(self) -> None:
        """The pull is over."""
