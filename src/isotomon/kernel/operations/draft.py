"""Flat and round faces of a body leaned about a plane."""

from __future__ import annotations

import numpy as np
from OCP.BRepOffsetAPI import BRepOffsetAPI_DraftAngle
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

from isotomon.errors import SolidError
from isotomon.kernel.faces import chosen_faces, named_faces, sound
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The chosen `faces` leaned by `angle` (rad) inward as they rise from the `plane` (origin and normal, mm).

    Raises: SolidError, naming a face that is neither flat nor round, or where they do not meet any more.
    """
    (body,), (origin, normal) = given.bodies, np.asarray(given.arrays["plane"], dtype=float)
    faces, maker = named_faces(body), BRepOffsetAPI_DraftAngle(body.shape)
    rise, plane = gp_Dir(*normal.tolist()), gp_Pln(gp_Pnt(*origin.tolist()), gp_Dir(*normal.tolist()))
    for number in chosen_faces(body, str(given.values["faces"]).split("\n")):
        name, face = faces[number]
        maker.Add(face, rise, float(given.values["angle"]), plane)
        if not maker.AddDone():
            raise SolidError(
                f"the face {name} is neither flat nor round about the plane's normal, and cannot be drafted; leave it out"
            )
    maker.Build()
    came = [(name, [*maker.Modified(face), *maker.Generated(face)] or [face]) for name, face in faces]
    return MadeBody(sound(maker, came, lambda volume: volume > 0.0))
