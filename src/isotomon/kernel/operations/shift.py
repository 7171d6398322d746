"""Faces of a body shifted along their normals."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Mode
from OCP.GeomAbs import GeomAbs_JoinType

from isotomon.errors import SizeError
from isotomon.kernel.faces import chosen_faces, lone_solid, named_faces, sound
from isotomon.kernel.finishing import offered, volume_of
from isotomon.kernel.making import NamedShape
from isotomon.kernel.operations.base import Given, MadeBody

JOIN = 1e-6
"""mm: places that are nearer are one where faces meet anew."""


def apply(given: Given) -> MadeBody:
    """The chosen `faces` (a choice a line) shifted outward by so many mm.

    Raises: SolidError; SizeError, with the length that would do.
    """
    (body,), by = given.bodies, float(given.values["by"])
    chosen = chosen_faces(body, str(given.values["faces"]).split("\n"))
    work = partial(shifted, body, chosen)
    try:
        return MadeBody(work(by))
    except Exception as error:
        way = 1.0 if by > 0.0 else -1.0
        fits, offer = offered(lambda less: work(way * less), abs(by), given.seconds, "length")
        raise SizeError(f"these faces cannot be shifted by {by:.4g} mm; {offer}", way * fits) from error


def shifted(body: NamedShape, chosen: Sequence[int], by: float) -> NamedShape:
    """A body with faces, by their numbers, shifted outward by so many mm. Raises: SolidError, or what the kernel raises."""
    maker = BRepOffset_MakeOffset()
    mode, join = BRepOffset_Mode.BRepOffset_Skin, GeomAbs_JoinType.GeomAbs_Intersection
    maker.Initialize(lone_solid(body), 0.0, JOIN, mode, False, False, join, False, False)
    faces = named_faces(body)
    for number, (_, face) in enumerate(faces):
        maker.SetOffsetOnFace(face, by if number in chosen else 0.0)
    maker.MakeOffsetShape()
    before = volume_of(body.shape)
    return sound(maker, [(name, maker.Generated(face)) for name, face in faces], lambda v: (v - before) * by > 0.0)
