"""A body cut by a skin: a part of it kept, or all in pieces."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from isotomon.operations.base import Ask, Asked, Operation, Other, Says
from isotomon.operations.cut_off import BOTH, SIDES

CUT_BY_SKIN = "cut_by_skin"
"""The kernel's work."""
KEPT = (
    (SIDES[0], "what lies behind the skin"),
    (SIDES[1], "what lies before the skin"),
    (BOTH, "all, in pieces"),
)


class CutBySkin(Operation, frozen=True, tag="cut-by-skin"):
    """Cut by a skin, another body that reaches out of this one all round: what lies `behind` it is kept, or `before` it, towards which
    its normals point, or both, as pieces."""

    TITLE = "Cut by a skin"
    COMMAND = "Cut by a skin"
    HELP = "The body cut in two along a skin that passes through it; one part is kept, or both, in pieces"
    FAMILY = "Bodies"
    PLACE = 65
    STAGE = "Finish"

    skin: Other
    keep: Annotated[Literal["behind", "before", "both"], Says("Keep", words=KEPT)] = "behind"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The faces along the skin are called by this step."""
        words = f"cut by {called(self.skin)}:"
        values: dict[str, bool | float | str] = {"keep": self.keep, "called": f"cut of {self.id}"}
        return Asked(CUT_BY_SKIN, words, (self.skin,), values, skins=True)

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """With the skin's name."""
        return f"Cut by {ask_name(self.skin)}"
