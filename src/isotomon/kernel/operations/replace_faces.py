"""Faces of a body replaced by a skin."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.errors import SolidError
from isotomon.kernel.faces import chosen_faces
from isotomon.kernel.making import is_valid
from isotomon.kernel.meshing import COARSE, extent_of, mesh_of
from isotomon.kernel.operations.base import Given, MadeBody
from isotomon.kernel.operations.cut_by_skin import parted
from isotomon.kernel.operations.shift import shifted
from isotomon.kernel.volumes import Lump

BEYOND = 0.05
"""Of the body's size: so far past the skin the faces are shifted."""
MOST = 100
"""Of a face's places, from which it is seen how far away the skin is."""


def apply(given: Given) -> MadeBody:
    """The first body with the chosen `faces` (a choice a line) gone on with as far as the second, a skin; what lies along that is `called`
    so.

    Raises: SolidError, where that is no skin, the faces cannot be gone on with so far, or it does not part them from the body.
    """
    body, skin = given.bodies
    chosen = chosen_faces(body, str(given.values["faces"]).split("\n"))
    gone = {body.names[number] for number in chosen}
    drawn_out = body
    mesh = mesh_of(body.shape, COARSE * extent_of(body.shape))
    reach = _reach(Lump(mesh.points, mesh.triangles, 0.0), mesh.owner, given.lump(1), chosen)
    if reach > 0.0:
        try:
            drawn_out = shifted(body, dict.fromkeys(chosen, 1.0), reach)
        except Exception as error:
            raise SolidError(
                f"these faces cannot be gone on with by {reach:.4g} mm, as far as the skin; move it nearer"
            ) from error
    behind, before = parted(drawn_out, skin, str(given.values["called"]), given.tolerance)
    kept = [piece for piece in (*behind, *before) if not gone.intersection(piece.names)]
    if len(kept) != 1 or len(kept) == len(behind) + len(before):
        raise SolidError("the skin does not part these faces from the body; let it reach out beyond them all round")
    if not is_valid(kept[0]):
        raise SolidError("what is left is not sound; move the skin a little")
    return MadeBody(kept[0])


def _reach(body: Lump, owner: Index, skin: Lump, chosen: Sequence[int]) -> float:
    """mm by which faces are shifted to lie beyond the skin everywhere; nought where they do."""
    away = list[Array]()
    for number in chosen:
        own = body.points[body.triangles[owner == number]]
        square = np.cross(own[:, 1] - own[:, 0], own[:, 2] - own[:, 0]).sum(axis=0)
        places = own.reshape(-1, 3)
        places = places[:: max(len(places) // MOST, 1)]
        away.append(_ahead(places, square / np.linalg.norm(square), skin))
    found = np.concatenate(away)
    if not len(found):
        raise SolidError("the skin lies neither before these faces nor behind them; move it, or make it larger")
    size = float(np.linalg.norm(np.ptp(body.points, axis=0)))
    return float(found.max()) + BEYOND * size if found.max() > 0.0 else 0.0


def _ahead(places: Array, way: Array, skin: Lump) -> Array:
    """(k,) mm, of each line from places (m, 3) along a way (3,) that passes the skin: how far ahead that is; less than nought behind."""
    a, b, c = (skin.points[skin.triangles[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    steep = square @ way
    with np.errstate(divide="ignore", invalid="ignore"):
        far = np.einsum("mtk,tk->mt", a - places[:, None], square) / steep
        at = places[:, None] + far[..., None] * way
        inside = [np.einsum("mtk,tk->mt", np.cross(q - p, at - p), square) >= 0.0 for p, q in ((a, b), (b, c), (c, a))]
    return np.asarray(far[inside[0] & inside[1] & inside[2] & (steep != 0.0)])
