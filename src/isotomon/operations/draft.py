"""Faces of a body drafted: leaned, so that it comes out of a mould."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.faces import Faces, face_choices
from isotomon.quantity import Value
from isotomon.quantity.record import Ref, usual

MOST = math.radians(60.0)


class Draft(Operation, frozen=True, tag="draft"):
    """Flat and round faces leaned inward by an `angle` (rad) as they rise from a plane, in which they stay where they are."""

    TITLE = "Faces drafted"
    COMMAND = "Draft faces"
    HELP = "Flat and round faces leaned inward as they rise from a plane, so that the body comes out of its mould"
    FAMILY = "Faces"
    PLACE = 30
    STAGE = "Finish"

    faces: Faces = ()
    plane: Annotated[Ref, Says("From", "P")] = usual("xy")
    angle: Annotated[Value, Says("Angle", "angle", tip="Less than nought: outward")] = math.radians(3.0)

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        angle = ask.number(self, "angle")
        if angle == 0.0 or abs(angle) > MOST:
            raise DesignError(f"faces drafted: the angle is {math.degrees(angle):.4g}°; use up to 60°, and not 0")
        plane = ask.references.plane(self.plane)
        values: dict[str, bool | float | str] = {"faces": face_choices(self.faces, ask.body), "angle": angle}
        return Asked("draft", "faces drafted of", (), values, {"plane": np.stack([plane.origin, plane.normal])})
