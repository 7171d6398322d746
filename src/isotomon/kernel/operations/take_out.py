"""Faces of a body taken out, those beside them grown together."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRepAlgoAPI import BRepAlgoAPI_Defeaturing

from isotomon.errors import SolidError
from isotomon.kernel.faces import chosen_faces, named_faces, sound
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The body without the chosen `faces` (a choice a line).

    Raises: SolidError, where those beside them do not meet.
    """
    (body,) = given.bodies
    return MadeBody(taken_out(body, chosen_faces(body, str(given.values["faces"]).split("\n"))))


def taken_out(body: NamedShape, chosen: Sequence[int]) -> NamedShape:
    """A body without faces, by their numbers.

    Raises: SolidError, where those beside them do not meet.
    """
    faces, maker = named_faces(body), BRepAlgoAPI_Defeaturing()
    maker.SetShape(body.shape)
    for number in chosen:
        maker.AddFaceToRemove(faces[number][1])
    maker.Build()
    left = [(name, face) for k, (name, face) in enumerate(faces) if k not in chosen]
    if not maker.IsDone() or any(not maker.IsDeleted(faces[k][1]) for k in chosen):
        raise SolidError(
            "the faces beside these do not meet when they are drawn out; choose all of a hole, a boss or a round"
        )
    return sound(maker, [(name, list(maker.Modified(face)) or [face]) for name, face in left], lambda v: v > 0.0)
