"""A body cut by a skin that passes through it."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS_Shape

from isotomon.errors import SolidError
from isotomon.kernel.combining import pieces_side_by_side, split_by
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.faces import middle_normal
from isotomon.kernel.making import NamedShape, is_skin, is_valid
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody

SAME_VOLUME = 1e-4
"""Of the body: by so much the pieces together may be off it."""


def apply(given: Given) -> MadeBody:
    """What of the first body lies `behind` the second, a skin, `before` it, or both in pieces; the faces along it are `called` so.

    Raises: SolidError, where that is no skin, or does not part the body.
    """
    (body, skin), keep = given.bodies, str(given.values["keep"])
    behind, before = parted(body, skin, str(given.values["called"]), given.tolerance)
    kept = {"behind": behind, "before": before}.get(keep, behind + before)
    result = kept[0] if len(kept) == 1 else pieces_side_by_side(kept)
    if not is_valid(result):
        raise SolidError("what is left is not sound; move the skin a little")
    return MadeBody(result)


def parted(
    body: NamedShape, skin: NamedShape, called: str, tolerance: float
) -> tuple[list[NamedShape], list[NamedShape]]:
    """The pieces of a body that lie behind a skin, and before it; their faces along it are `called` so.

    Raises: SolidError, where that is no skin, or does not part the body.
    """
    if not is_skin(skin):
        raise SolidError("what it is to be cut by is a solid; combine the two, or choose a skin")
    if is_skin(body):
        raise SolidError("a skin is no body that could be cut so; choose a solid")
    named = NamedShape(skin.shape, (called,) * len(parts(skin.shape, TopAbs_ShapeEnum.TopAbs_FACE)))
    solids, came = split_by(body, [named], tolerance)
    along, behind, before = [face for _, face in came], list[NamedShape](), list[NamedShape]()
    for made in solids:
        (behind if _faces_with(made, called, along) else before).append(made)
    whole = sum(volume_of(piece.shape) for piece in (*behind, *before))
    if not (behind and before) or abs(whole - volume_of(body.shape)) > SAME_VOLUME * whole:
        raise SolidError("the skin does not part the body; let it reach out of the body all round, or move it")
    # Pieces that are side by side have no face in common.
    return tuple([NamedShape(BRepBuilderAPI_Copy(p.shape).Shape(), p.names) for p in side] for side in (behind, before))  # type: ignore[return-value]


def _faces_with(piece: NamedShape, called: str, along: Sequence[TopoDS_Shape]) -> bool:
    """Whether a piece's face along the skin faces as the skin does: it lies behind it, then."""
    own = parts(piece.shape, TopAbs_ShapeEnum.TopAbs_FACE)
    face = next((face for name, face in zip(piece.names, own, strict=True) if name == called), None)
    if face is None:
        raise SolidError("the skin does not part the body; let it reach out of the body all round, or move it")
    of_skin = next(other for other in along if other.IsSame(face))
    return float(middle_normal(face) @ middle_normal(of_skin)) > 0.0
