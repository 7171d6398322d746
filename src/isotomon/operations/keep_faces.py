"""Faces of a body kept as a skin, or left out of one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Literal

from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.faces import Faces, face_choices
from isotomon.quantity.record import Id, Ref

KEEP_FACES = "keep_faces"
"""The kernel's work."""
KEPT = (("others", "all but these"), ("these", "these alone"))


class KeepFaces(Operation, frozen=True, tag="keep-faces"):
    """The chosen faces left out, so that a skin of the `others` is left; or `these` alone kept. Of what is cut in pieces, each of them is a face."""

    TITLE = "Faces left out"
    COMMAND = "Leave faces out"
    HELP = "The chosen faces, or pieces of a skin that has been cut, are gone, and a skin of the others is left; or they alone are kept"
    FAMILY = "Skins"
    PLACE = 61
    STAGE = "Finish"
    OPENS = True

    faces: Faces = ()
    keep: Annotated[Literal["others", "these"], Says("Keep", words=KEPT)] = "others"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        return faces_kept("faces of", self.faces, ask.body, self.keep)

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """What it comes to."""
        return "Faces kept" if self.keep == "these" else self.TITLE


def faces_kept(words: str, faces: Sequence[Ref], own: Id, keep: str) -> Asked:
    """What is asked of the kernel for faces of the body `own` that are to be kept, or left out.

    Raises: DesignError.
    """
    return Asked(KEEP_FACES, words, (), {"faces": face_choices(faces, own), "keep": keep}, skins=True)
