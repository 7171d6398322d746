"""Faces of a body replaced by a skin: the body goes on as far as that, and ends there."""

from __future__ import annotations

from collections.abc import Callable

from isotomon.operations.base import Ask, Asked, Operation, Other
from isotomon.operations.faces import Faces, face_choices


class ReplaceFaces(Operation, frozen=True, tag="replace-faces"):
    """Faces gone on with, their neighbours following, as far as a skin, another body that reaches out beyond them all round, or cut off
    where the skin passes through the body; faces along the skin take their place."""

    TITLE = "Faces replaced by a skin"
    COMMAND = "Replace faces by a skin"
    HELP = "The body drawn out from chosen faces as far as a skin, or cut off there, and ended along it"
    FAMILY = "Faces"
    PLACE = 25
    STAGE = "Finish"

    skin: Other
    faces: Faces = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        words = f"faces replaced by {called(self.skin)}:"
        values: dict[str, bool | float | str] = {
            "faces": face_choices(self.faces, ask.body),
            "called": f"cut of {self.id}",
        }
        return Asked("replace_faces", words, (self.skin,), values, skins=True)

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """With the skin's name."""
        return f"Faces replaced by {ask_name(self.skin)}"
