"""Faces of a body kept as a skin."""

from __future__ import annotations

from isotomon.errors import SolidError
from isotomon.kernel.faces import chosen_faces, named_faces
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.parting import kept_faces


def apply(given: Given) -> MadeBody:
    """The chosen `faces` (a choice a line) of a body as a skin, or, to `keep` the `others`, what they leave.

    Raises: SolidError, where that is nothing.
    """
    (body,) = given.bodies
    chosen = set(chosen_faces(body, str(given.values["faces"]).split("\n")))
    these = given.values["keep"] == "these"
    kept = [one for k, one in enumerate(named_faces(body)) if (k in chosen) == these]
    if not kept:
        raise SolidError("that leaves nothing of the body; choose fewer faces")
    return MadeBody(kept_faces(kept, given.tolerance))
