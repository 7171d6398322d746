"""Faces of a body shifted, their neighbours following."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.faces import Faces, face_choices
from isotomon.quantity import Value
from isotomon.quantity.record import Ref, usual

HOW = (("normal", "along their normals"), ("direction", "along a direction"))


class Shift(Operation, frozen=True, tag="shift"):
    """Faces moved `by` so many mm, and the faces beside them follow: `normal`, outward, or inward where that is less than nought, or
    in a `direction`, `along` an axis, as a hole that is moved sideways."""

    TITLE = "Faces shifted"
    COMMAND = "Shift faces"
    HELP = "Chosen faces moved outward, inward or along an axis; those beside them are made longer or shorter"
    FAMILY = "Faces"
    PLACE = 10
    STAGE = "Finish"
    SIZE = "by"

    faces: Faces = ()
    by: Annotated[Value, Says("By", "length", tip="Less than nought: inward, or against the axis")] = 2.0
    how: Annotated[Literal["normal", "direction"], Says("It is", words=HOW)] = "normal"
    along: Annotated[Ref, Says("Along", "A", tip="Where they are shifted along a direction")] = usual("z")

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        by = ask.number(self, "by")
        if by == 0.0:
            raise DesignError("faces shifted: by nought nothing is shifted; give a length")
        values: dict[str, bool | float | str] = {"faces": face_choices(self.faces, ask.body), "by": by}
        ways: dict[str, Array] = {}
        if self.how == "direction":
            ways["way"] = ask.references.axis(self.along).way
        return Asked("shift", "faces shifted of", (), values, ways)
