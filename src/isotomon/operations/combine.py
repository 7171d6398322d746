"""A body combined with another one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from isotomon.operations.base import Ask, Asked, Operation, Other, Says

DONE = (("add", "added to"), ("cut", "cut from"), ("common", "kept in common with"))
HOW = (("add", "added to it"), ("cut", "cut from it"), ("common", "kept in common with it"))


class Combine(Operation, frozen=True, tag="combine"):
    """Another body, as its own steps leave it, is added to this one, cut from it, or only what both have in common is kept."""

    TITLE = "Combined with another body"
    COMMAND = "Combine with another body"
    HELP = (
        "Another body added to this one, cut from it, or kept in common with it, as both are at this place in the list"
    )
    FAMILY = "Bodies"

    body: Other
    how: Annotated[Literal["add", "cut", "common"], Says("It is", words=HOW)] = "add"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The other body's faces keep its id before their names, so that they are told apart."""
        words = f"{called(self.body)}, {dict(DONE)[self.how]}"
        return Asked("combine", words, (self.body,), {"how": self.how, "mark": f"{self.body}: "})

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """With what, and how."""
        words = {"add": "With {}", "cut": "Cut by {}", "common": "In common with {}"}
        return words[self.how].format(ask_name(self.body))
