"""Skins sewn together, to a solid where they close; where they do not it is said how far they are apart."""

from __future__ import annotations

from OCP.TopAbs import TopAbs_ShapeEnum

from isotomon.errors import SolidError
from isotomon.kernel.faces import named_faces
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.sewing import sewn_together


def apply(given: Given) -> MadeBody:
    """All faces of some skins sewn where edges are no further apart than `within` (mm); `marks`: before the names of the others' faces.

    Raises: SolidError, for a solid.
    """
    if any(parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID) for body in given.bodies):
        raise SolidError("solids are combined and not sewn; choose skins")
    marks = ["", *str(given.values["marks"]).splitlines()]
    pairs = zip(given.bodies, marks, strict=True)
    faces = [(f"{mark}{name}", face) for body, mark in pairs for name, face in named_faces(body)]
    made, told = sewn_together(faces, max(float(given.values["within"]), given.tolerance))
    return MadeBody(made, told=told)
