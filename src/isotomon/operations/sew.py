"""Skins sewn together, to a solid where they close."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Length, Operation, Others, Says


class Sew(Operation, frozen=True, tag="sew"):
    """Sewn with other skins along the edges at which they meet, edges that are no further apart than `within` (mm) as one: a solid where all
    close, else one skin of several faces."""

    TITLE = "Sewn with other skins"
    COMMAND = "Sew skins together"
    HELP = "Skins made one along the edges at which they meet: a solid where they close; else it is said where they are open"
    FAMILY = "Skins"
    PLACE = 60
    STAGE = "Finish"

    others: Others = ()
    within: Annotated[Length, Says("Gaps closed up to", tip="Edges that are no further apart are sewn")] = 0.01

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        within = ask.number(self, "within")
        if not within >= 0.0:
            raise DesignError(f"sewn: gaps closed up to {within:.4g} mm; give a length of nought or more")
        if not self.others:
            raise DesignError("sewn: no other skin is chosen; choose some")
        marks = "\n".join(f"{key}: " for key in self.others)
        return Asked("sew", "skins sewn:", tuple(self.others), {"within": within, "marks": marks}, skins=True)

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """With which."""
        return f"Sewn with {', '.join(ask_name(key) for key in self.others) or 'nothing yet'}"
