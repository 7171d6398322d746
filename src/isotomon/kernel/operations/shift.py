"""Faces of a body shifted along their normals, or in a direction."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Mode
from OCP.GeomAbs import GeomAbs_JoinType, GeomAbs_SurfaceType
from OCP.TopAbs import TopAbs_ShapeEnum

from isotomon.arrays import Array
from isotomon.errors import SizeError, SolidError
from isotomon.geometry.affine import affine
from isotomon.kernel.combining import combine, placed
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.faces import chosen_faces, lone_solid, middle_normal, named_faces, sound
from isotomon.kernel.finishing import lump_of, offered
from isotomon.kernel.making import NamedShape, is_valid
from isotomon.kernel.meshing import COARSE, extent_of, parts
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.operations.take_out import taken_out

JOIN = 1e-6
"""mm: places that are nearer are one where faces meet anew."""
SAME_VOLUME = 1e-5
"""Of the body: by so much its volume may be off what a hole or boss that is only moved leaves."""


def apply(given: Given) -> MadeBody:
    """The chosen `faces` (a choice a line) shifted `by` so many mm, outward, or along a `way`, (3,) of length 1, where that is given.

    Raises: SolidError; SizeError, with the length that would do.
    """
    (body,), by = given.bodies, float(given.values["by"])
    chosen = chosen_faces(body, str(given.values["faces"]).split("\n"))
    work = partial(shifted, body, dict.fromkeys(chosen, 1.0))
    if "way" in given.arrays:
        way = np.asarray(given.arrays["way"], dtype=float)
        flat = _along_normals(body, chosen, way)
        if flat is None:
            return MadeBody(_moved(body, chosen, by * way, given.tolerance))
        if not any(flat.values()):
            raise SolidError(
                "these faces lie along the direction, which shifts nothing; choose another direction, or other faces"
            )
        work = partial(shifted, body, flat)
    try:
        return MadeBody(work(by))
    except Exception as error:
        sense = 1.0 if by > 0.0 else -1.0
        fits, offer = offered(lambda less: work(sense * less), abs(by), given.seconds, "length")
        raise SizeError(f"these faces cannot be shifted by {by:.4g} mm; {offer}", sense * fits) from error


def shifted(body: NamedShape, faces: Mapping[int, float], by: float) -> NamedShape:
    """A body with faces, by their numbers, shifted outward by so many times `by` (mm). Raises: SolidError, or what the kernel raises."""
    maker = BRepOffset_MakeOffset()
    mode, join = BRepOffset_Mode.BRepOffset_Skin, GeomAbs_JoinType.GeomAbs_Intersection
    maker.Initialize(lone_solid(body), 0.0, JOIN, mode, False, False, join, False, False)
    own = named_faces(body)
    for number, (_, face) in enumerate(own):
        maker.SetOffsetOnFace(face, by * faces.get(number, 0.0))
    maker.MakeOffsetShape()
    before, outward = volume_of(body.shape), [times * by > 0.0 for times in faces.values() if times]

    def may_be(volume: float) -> bool:
        return any(outward) if volume > before else not all(outward)

    return sound(maker, [(name, maker.Generated(face)) for name, face in own], may_be)


def _along_normals(body: NamedShape, chosen: Sequence[int], way: Array) -> dict[int, float] | None:
    """By how many times its length each face, where all are flat, goes along its normal when it is shifted by a way; None where one is
    not flat: that cannot be shifted by the surfaces alone."""
    found, faces = dict[int, float](), named_faces(body)
    for number in chosen:
        face = faces[number][1]
        if BRepAdaptor_Surface(face).GetType() != GeomAbs_SurfaceType.GeomAbs_Plane:
            return None
        along = float(middle_normal(face) @ way)
        found[number] = along if abs(along) > JOIN else 0.0
    return found


def _moved(body: NamedShape, chosen: Sequence[int], way: Array, tolerance: float) -> NamedShape:
    """A body whose chosen faces, all of a hole or a boss, are moved along faces beside them that run that way (mm).

    Raises: SolidError, where they are no hole or boss, or the faces beside them do not run that way.
    """
    without = taken_out(body, chosen)
    whole, with_it = volume_of(without.shape), volume_of(body.shape)
    fine = COARSE * extent_of(body.shape)
    lumps = lump_of(without, fine), lump_of(body, fine)
    if whole > with_it:
        how, piece = "cut", combine(without, body, "cut", "", tolerance, lumps)
    else:
        how, piece = "add", combine(body, without, "cut", "", tolerance, lumps[::-1])
    there = placed(piece, affine(np.eye(3), way)[None], False, tolerance)
    made = combine(without, there, how, "", tolerance, (lumps[0], lump_of(there, fine)))
    shells = [len(parts(b.shape, TopAbs_ShapeEnum.TopAbs_SHELL)) for b in (body, made)]
    same = sorted(made.names) == sorted(body.names) and shells[0] == shells[1]
    if not same or not is_valid(made) or abs(volume_of(made.shape) - with_it) > SAME_VOLUME * with_it:
        raise SolidError(
            "the faces beside these do not run along the direction, so that they cannot follow, or there is no room; shift less, or "
            "choose another direction"
        )
    return made
