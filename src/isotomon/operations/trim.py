"""A skin trimmed by another body."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from isotomon.operations.base import Ask, Asked, Operation, Other, Says

KEPT = (
    ("behind", "what lies behind the other skin, or within the other body"),
    ("before", "what lies before the other skin, or outside of the other body"),
    ("both", "both, in pieces"),
)


class TrimSkin(Operation, frozen=True, tag="trim"):
    """A skin cut along another skin or body, of which what lies `behind` it, or within it, is kept, what lies `before` it, or outside, or both, as
    pieces."""

    TITLE = "Trimmed"
    COMMAND = "Trim the skin"
    HELP = "The skin cut along another skin or body, and a part of it kept, or all in pieces"
    FAMILY = "Skins"
    PLACE = 58
    STAGE = "Finish"

    by: Other
    keep: Annotated[Literal["behind", "before", "both"], Says("Keep", words=KEPT)] = "behind"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's."""
        return Asked(
            "trim", f"trimmed by {called(self.by)}:", (self.by,), {"keep": self.keep, "called": self.id}, skins=True
        )

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """By which."""
        return f"Trimmed by {ask_name(self.by)}"
