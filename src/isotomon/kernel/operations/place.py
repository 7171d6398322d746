"""A body put where affine maps take it, once or several times."""

from __future__ import annotations

from OCP.TopAbs import TopAbs_ShapeEnum

from isotomon.kernel import combining
from isotomon.kernel.faces import named_faces
from isotomon.kernel.meshing import is_mesh, parts
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.sewing import sewn_together


def apply(given: Given) -> MadeBody:
    """All copies, one for each of the `maps` (k, 4, 4), side by side or `joined`: skins sewn, where they meet. Raises: SolidError."""
    (base,), maps = given.bodies, given.arrays["maps"]
    joined = bool(given.values["joined"])
    if joined and not parts(base.shape, TopAbs_ShapeEnum.TopAbs_SOLID) and not is_mesh(base.shape):
        side_by_side = combining.placed(base, maps, False, given.tolerance)
        body, told = sewn_together(named_faces(side_by_side), given.tolerance)
        return MadeBody(body, told=told)
    made = combining.placed(base, maps, joined, given.tolerance)
    if len(maps) == 1 or joined or given.values["skin"]:
        return MadeBody(made)
    return MadeBody(made, combining.united(base, given.lump(0), maps, given.tolerance))
