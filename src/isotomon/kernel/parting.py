"""Skins cut along others, planes and curves that lie on them, and parts of them kept. Worker only."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from OCP.BOPAlgo import BOPAlgo_Splitter
from OCP.BOPTools import BOPTools_AlgoTools3D
from OCP.gp import gp_Pnt, gp_Pnt2d
from OCP.IntTools import IntTools_Context
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.geometry.face_names import piece_name
from isotomon.kernel.faces import named_faces, numbers
from isotomon.kernel.making import NamedShape, is_skin, is_valid, sewn

SideOf = Callable[[TopoDS_Face], str]
"""On which side of what it is cut by a piece lies, as the choice of what is kept says it."""
BOTH = "both"


def parted_skin(
    skin: NamedShape, tool: TopoDS_Shape, side_of: SideOf, keep: str, called: str, tolerance: float
) -> NamedShape:
    """What of a skin lies on the side that is to be kept; or all of it, in pieces named by the side they lie on of the cut that is `called` so.

    Raises: SolidError, where the tool does not part the skin.
    """
    if not is_skin(skin):
        raise SolidError("only a skin is trimmed; of a solid another body is cut away")
    found = [(name, face, side_of(face)) for name, face in _pieces(skin, tool, tolerance)]
    if len({side for _, _, side in found}) == 1:
        raise SolidError(
            "the skin is not cut through: what it is cut by must reach out of it; move that, or make it longer"
        )
    if keep != BOTH:
        return kept_faces([(name, face) for name, face, side in found if side == keep], tolerance)
    named, count = list[tuple[str, TopoDS_Face]](), dict[str, int]()
    for name, face, side in found:
        plain = piece_name(name, side, called)
        count[plain] = count.get(plain, 0) + 1
        named.append((piece_name(name, side, called, count[plain]), face))
    return kept_faces(named, tolerance)


def kept_faces(faces: Sequence[tuple[str, TopoDS_Face]], tolerance: float) -> NamedShape:
    """Named faces as one skin, or as many as do not hang together.

    Raises: SolidError, where that is not sound.
    """
    made = sewn(faces, tolerance, skin=True)
    if not is_valid(made):
        raise SolidError("what is left of the skin is not sound; move what it is cut by a little")
    return made


def _pieces(skin: NamedShape, tool: TopoDS_Shape, tolerance: float) -> list[tuple[str, TopoDS_Face]]:
    """The faces of a skin cut along a tool, each with the name of what it is a piece of."""
    maker = BOPAlgo_Splitter()
    maker.AddArgument(skin.shape)
    maker.AddTool(tool)
    maker.SetFuzzyValue(tolerance)
    maker.Perform()
    if maker.HasErrors():
        raise SolidError("the kernel does not cut the skin there; move what it is cut by a little")
    found = list[tuple[str, TopoDS_Face]]()
    for name, face in named_faces(skin):
        own = [face] if not maker.Modified(face).Size() else list(maker.Modified(face))
        found += [(name, TopoDS.Face(piece)) for piece in own if not maker.IsDeleted(piece)]
    return found


def place_in(face: TopoDS_Face) -> Array:
    """(3,) a place within a face."""
    at, flat = gp_Pnt(), gp_Pnt2d()
    BOPTools_AlgoTools3D.PointInFace_s(face, at, flat, IntTools_Context())
    return numbers(at)
