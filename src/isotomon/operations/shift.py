"""Faces of a body shifted, their neighbours following."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.faces import Faces, face_choices
from isotomon.quantity import Value


class Shift(Operation, frozen=True, tag="shift"):
    """Faces moved along their normals, outward, or inward where `by` (mm) is less than nought; the faces beside them follow."""

    TITLE = "Faces shifted"
    COMMAND = "Shift faces"
    HELP = "Chosen faces moved outward along their normals, or inward; those beside them are made longer or shorter"
    FAMILY = "Faces"
    PLACE = 10
    STAGE = "Finish"
    SIZE = "by"

    faces: Faces = ()
    by: Annotated[Value, Says("By", "length", tip="Less than nought: inward")] = 2.0

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError."""
        by = ask.number(self, "by")
        if by == 0.0:
            raise DesignError("faces shifted: by nought nothing is shifted; give a length")
        return Asked("shift", "faces shifted of", (), {"faces": face_choices(self.faces, ask.body), "by": by})
