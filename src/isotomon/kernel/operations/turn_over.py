"""A skin turned over."""

from __future__ import annotations

from OCP.TopAbs import TopAbs_ShapeEnum

from isotomon.errors import SolidError
from isotomon.kernel.making import NamedShape
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The skin with the other side before it.

    Raises: SolidError, for a solid, which has an inside.
    """
    (body,) = given.bodies
    if parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID):
        raise SolidError("only a skin is turned over; a solid has its normals outside")
    return MadeBody(NamedShape(body.shape.Reversed(), body.names))
