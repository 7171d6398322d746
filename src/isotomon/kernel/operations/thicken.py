"""A skin given a thickness by the kernel: one of which no field or sheet is known."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRepLib import BRepLib
from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Mode
from OCP.GeomAbs import GeomAbs_JoinType
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.errors import SizeError, SolidError
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.finishing import offered
from isotomon.kernel.making import UNNAMED, NamedShape, is_valid, names_of
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody

JOIN = 1e-4
"""mm: places that are nearer are one where walls meet."""
OTHER, RIM = "other side of ", "rim of skin"


def apply(given: Given) -> MadeBody:
    """The solid between the skins at both sides, each so far from the skin as `before` and `behind` say (mm).

    Raises: SolidError, for a solid; SizeError, with the thickness that would do.
    """
    (body,) = given.bodies
    if parts(body.shape, TopAbs_ShapeEnum.TopAbs_SOLID):
        raise SolidError("only a skin is given a thickness; a solid is hollowed out")
    before, behind = float(given.values["before"]), float(given.values["behind"])
    whole = before + behind

    def work(thick: float) -> NamedShape:
        return _thick(body, before * thick / whole, behind * thick / whole)

    try:
        return MadeBody(work(whole))
    except Exception as error:
        fits, offer = offered(work, whole, given.seconds, "thickness")
        raise SizeError(f"the kernel makes this skin no {whole:.4g} mm thick; {offer}", fits) from error


def _thick(body: NamedShape, before: float, behind: float) -> NamedShape:
    """Raises: SolidError."""
    skin = list(zip(body.names, parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True))
    shape: TopoDS_Shape = body.shape
    if behind:
        moved = _offset(shape, -behind, solid=False)
        shape, skin = moved.Shape(), [(name, piece) for name, face in skin for piece in moved.Generated(face)]
    maker = _offset(shape, before + behind, solid=True)
    solids = parts(maker.Shape(), TopAbs_ShapeEnum.TopAbs_SOLID)
    if len(solids) != 1:
        raise SolidError("what comes of it is not one solid")
    made, far, near = TopoDS.Solid(solids[0]), ("" if behind else OTHER), (OTHER if behind else "")
    BRepLib.OrientClosedSolid_s(made)
    came: list[tuple[str, TopoDS_Shape]] = [(f"{near}{name}", face) for name, face in skin]
    came += [(f"{far}{name}", piece) for name, face in skin for piece in maker.Generated(face)]
    named = NamedShape(made, _with_rims(made, came))
    if not is_valid(named) or not volume_of(made) > 0.0:
        raise SolidError("what comes of it is not sound")
    return named


def _offset(shape: TopoDS_Shape, away: float, solid: bool) -> BRepOffset_MakeOffset:
    """Raises: SolidError."""
    maker, mode, join = BRepOffset_MakeOffset(), BRepOffset_Mode.BRepOffset_Skin, GeomAbs_JoinType.GeomAbs_Intersection
    maker.Initialize(shape, away, JOIN, mode, False, False, join, solid, False)
    maker.MakeOffsetShape()
    if not maker.IsDone():
        raise SolidError("the kernel cannot do it")
    return maker


def _with_rims(made: TopoDS_Shape, came: Sequence[tuple[str, TopoDS_Shape]]) -> tuple[str, ...]:
    """Names of all faces: those that came of none of the skin's are its rims."""
    return tuple(RIM if name == UNNAMED else name for name in names_of(made, came))
