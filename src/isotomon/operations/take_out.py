"""Faces of a body taken out, their neighbours grown together."""

from __future__ import annotations

from collections.abc import Callable

from isotomon.operations.base import Ask, Asked, Operation
from isotomon.operations.faces import Faces, face_choices


class TakeOut(Operation, frozen=True, tag="take-out"):
    """Faces taken out: those beside them are drawn out until they meet, so that a hole is filled, a boss or a round is gone."""

    TITLE = "Faces taken out"
    COMMAND = "Take faces out"
    HELP = "The faces of a hole, a boss or a round are gone, and those beside them grow together"
    FAMILY = "Faces"
    PLACE = 20
    STAGE = "Finish"

    faces: Faces = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        return Asked("take_out", "faces taken out of", (), {"faces": face_choices(self.faces, ask.body)})
