"""A skin turned over: what was before it lies behind it."""

from __future__ import annotations

from collections.abc import Callable

from isotomon.operations.base import Ask, Asked, Operation


class TurnOver(Operation, frozen=True, tag="turn-over"):
    """A skin whose normals point to the other side: what is cut by it or replaced by it keeps the other part."""

    TITLE = "Turned over"
    COMMAND = "Turn the skin over"
    HELP = "The skin with its normals pointing to the other side, so that a cut by it keeps the other part"
    FAMILY = "Faces"
    PLACE = 40
    STAGE = "Finish"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's."""
        return Asked("turn_over", "turned over:", skins=True)
