"""Bodies added to, cut from and kept in common with each other, moved, stretched and copied, by the kernel. Worker only."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
from OCP.BOPAlgo import BOPAlgo_Splitter
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_GTransform, BRepBuilderAPI_Transform
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher, List_TopoDS_Shape
from OCP.gp import gp_GTrsf, gp_Mat, gp_Trsf, gp_XYZ
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Shape

from isotomon.arrays import Array
from isotomon.errors import SolidError
from isotomon.kernel.cores import several
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.making import NamedShape, is_valid, names_of
from isotomon.kernel.meshing import is_mesh, is_meshed, mapped_face, parts
from isotomon.kernel.volumes import Lump, doubt, shared


def combine(
    base: NamedShape, tool: NamedShape, how: str, mark: str, tolerance: float, lumps: tuple[Lump, Lump]
) -> NamedShape:
    """Two bodies made one: the tool added (`add`), cut out (`cut`), or only what both hold kept (`common`). Faces keep their
    names, those of the tool with `mark` before them; the pieces of a face that was split are told apart by what they adjoin.

    The result is held against `lumps`, the meshes of both; one that cannot be right is tried again at other tolerances.
    Raises: SolidError, when nothing is left or the kernel cannot do it.
    """
    why = ""
    for times, turned, aside in TRIES:
        if turned and how == "cut":
            continue
        moved = tool if not aside else NamedShape(_mapped(tool.shape, _shifted(aside * tolerance)), tool.names)
        try:
            made = _combined_once(base, moved, how, mark, tolerance * times, turned)
        except Missed as missed:
            why = doubt(*lumps, how, missed.volume)
            if not why:
                raise
            continue
        why = doubt(*lumps, how, volume_of(made.shape))
        if not why:
            return made
    raise SolidError(
        f"the kernel does not combine these bodies rightly: {why}. Move one a little, or make it a little larger or longer"
    )


TRIES = ((1.0, False, 0.0), (1.0, True, 0.0), (10.0, False, 0.0), (0.1, False, 0.0), (1.0, False, 10.0))
"""What is tried, one after another, until a boolean comes to what it should: how much of the tolerance, the bodies in the other order
where that is the same, and the tool moved aside by so many tolerances, so that faces that fall together do so no more."""


def _shifted(by: float) -> Array:
    """(4, 4) a move by so much, along none of the axes."""
    affine = np.eye(4)
    affine[:3, 3] = by * np.array([0.31, 0.77, 0.56])
    return affine


class Missed(SolidError):
    """A boolean that comes to nothing, or leaves the `volume` (mm³) that was there, as the kernel sees it."""

    def __init__(self, text: str, volume: float) -> None:
        super().__init__(text)
        self.volume = volume


def _combined_once(
    base: NamedShape, tool: NamedShape, how: str, mark: str, tolerance: float, turned: bool = False
) -> NamedShape:
    maker = {"add": BRepAlgoAPI_Fuse, "cut": BRepAlgoAPI_Cut, "common": BRepAlgoAPI_Common}[how]()
    marked = NamedShape(tool.shape, tuple(f"{mark}{name}" for name in tool.names))
    made = _combined(maker, [marked], [base], tolerance) if turned else _combined(maker, [base], [marked], tolerance)
    if not parts(made.shape, TopAbs_ShapeEnum.TopAbs_SOLID):
        why = {
            "add": "adding them leaves no solid",
            "cut": "the cut takes away all of it",
            "common": "the bodies have nothing in common",
        }[how]
        raise Missed(f"{why}; move one of them", 0.0)
    if how == "cut" and not any(name.startswith(mark) for name in made.names) and len(made.names) == len(base.names):
        text = "the cut misses: nothing is taken away; move one of the bodies, or make the cut longer"
        raise Missed(text, volume_of(made.shape))
    return made


def _combined(maker: Any, bases: Sequence[NamedShape], others: Sequence[NamedShape], tolerance: float) -> NamedShape:
    """What a boolean operation of the kernel makes of bodies; faces keep their names.

    Raises: SolidError.
    """
    if any(is_mesh(body.shape) for body in (*bases, *others)):
        raise SolidError(
            "a body of so many triangles stays a mesh, which is not combined with others; thin it out, and bring it in again"
        )
    arguments, tools = List_TopoDS_Shape(), List_TopoDS_Shape()
    for group, bodies in ((arguments, bases), (tools, others)):
        for body in bodies:
            group.Append(body.shape)
    maker.SetArguments(arguments)
    maker.SetTools(tools)
    maker.SetFuzzyValue(tolerance)
    maker.SetRunParallel(several())
    maker.Build()
    if not maker.IsDone():
        raise SolidError("the kernel cannot combine these bodies; move one a little, or make it a little larger")
    shape = maker.Shape()
    came: list[tuple[str, TopoDS_Shape]] = []
    for body in (*bases, *others):
        for name, face in zip(body.names, parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True):
            if not maker.IsDeleted(face):
                came += [(name, piece) for piece in _pieces(maker.Modified(face)) or [face]]
    return _told_apart(NamedShape(shape, names_of(shape, came)))


def split_by(
    body: NamedShape, skins: Sequence[NamedShape], tolerance: float
) -> tuple[list[NamedShape], list[tuple[str, TopoDS_Shape]]]:
    """The solids that skins part a body into, and by name the faces that come of the skins. Solids side by side have those in common."""
    maker = BOPAlgo_Splitter()
    maker.AddArgument(body.shape)
    for skin in skins:
        maker.AddTool(skin.shape)
    maker.SetFuzzyValue(tolerance)
    maker.SetUseOBB(True)
    maker.SetRunParallel(several())
    maker.Perform()
    came: list[list[tuple[str, TopoDS_Shape]]] = [[], []]
    for which, one in ((0, body), *((1, skin) for skin in skins)):
        for name, face in zip(one.names, parts(one.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True):
            if not maker.IsDeleted(face):
                came[which] += [(name, piece) for piece in _pieces(maker.Modified(face)) or [face]]
    solids = parts(maker.Shape(), TopAbs_ShapeEnum.TopAbs_SOLID)
    return [NamedShape(solid, names_of(solid, came[0] + came[1])) for solid in solids], came[1]


def _pieces(found: List_TopoDS_Shape) -> list[TopoDS_Shape]:
    """A kernel's list; to go through one of a single entry costs as much as hundreds of other calls."""
    return [found.First()] if found.Size() == 1 else list(found) if found.Size() else []


def _told_apart(body: NamedShape) -> NamedShape:
    """The body with the pieces of a face that was split named by the faces that only some of them adjoin. Pieces that adjoin
    the same ones keep one name: it is ambiguous."""
    split = {name for name, count in Counter(body.names).items() if count > 1}
    if not split:
        return body
    known, sides = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher(), []
    for face in parts(body.shape, TopAbs_ShapeEnum.TopAbs_FACE):
        sides.append({known.Add(edge) for edge in parts(face, TopAbs_ShapeEnum.TopAbs_EDGE)})
    meeting: dict[int, set[str]] = {}
    for name, edges in zip(body.names, sides, strict=True):
        for edge in edges:
            meeting.setdefault(edge, set()).add(name)
    beside = [set().union(*(meeting[e] for e in edges)) - {name} for name, edges in zip(body.names, sides, strict=True)]
    names = list(body.names)
    for name in split:
        pieces = [k for k, other in enumerate(body.names) if other == name]
        common = set.intersection(*(beside[k] for k in pieces))
        for k in pieces:
            own = sorted(beside[k] - common)
            names[k] = f"{name} by {' and '.join(own)}" if own else name
    return NamedShape(body.shape, tuple(names))


def cut_by_block(base: NamedShape, block: NamedShape, called: str, tolerance: float) -> NamedShape:
    """A body less a block, which leaves one flat face, that is `called` so.

    Raises: SolidError, when nothing is left, or the kernel cannot do it.
    """
    count = len(parts(block.shape, TopAbs_ShapeEnum.TopAbs_FACE))
    for times, _, aside in TRIES:
        shape = _mapped(block.shape, _shifted(aside * tolerance)) if aside else block.shape
        made = _combined(BRepAlgoAPI_Cut(), [base], [NamedShape(shape, (called,) * count)], tolerance * times)
        left = bool(parts(made.shape, TopAbs_ShapeEnum.TopAbs_SOLID)) and any(n.startswith(called) for n in made.names)
        if left and is_meshed(made.shape):
            return made
    raise SolidError("the kernel does not cut it there rightly; move the plane a little")


def pieces_side_by_side(bodies: Sequence[NamedShape]) -> NamedShape:
    """Several bodies as one in pieces; their faces keep their names."""
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for body in bodies:
        builder.Add(whole, body.shape)
    return NamedShape(whole, tuple(name for body in bodies for name in body.names))


def placed(base: NamedShape, maps: Array, joined: bool, tolerance: float) -> NamedShape:
    """A body where each of the affine maps (k, 4, 4) takes it: itself moved, or all its copies, side by side or `joined`. Faces
    of the second copy and on have `copy 2: ` before their names.

    Raises: SolidError, when the kernel cannot do it.
    """
    copies = [
        NamedShape(
            base.shape if np.array_equal(affine, np.eye(4)) else _mapped(base.shape, affine),
            tuple(name if k == 0 else f"copy {k + 1}: {name}" for name in base.names),
        )
        for k, affine in enumerate(maps)
    ]
    if len(copies) == 1:
        return copies[0]
    if joined:
        return _all_joined(copies, tolerance)
    return pieces_side_by_side(copies)


def _all_joined(copies: Sequence[NamedShape], tolerance: float) -> NamedShape:
    """Copies made one: all at once, or, where the kernel makes nothing sound of that (copies that touch in whole faces), one after another."""
    at_once = _combined(BRepAlgoAPI_Fuse(), copies[:1], copies[1:], tolerance)
    if is_valid(at_once):
        return at_once
    made = copies[0]
    for copy in copies[1:]:
        made = _combined(BRepAlgoAPI_Fuse(), [made], [copy], tolerance)
    return made if is_valid(made) else at_once


NEAR_UNITED = 1e-4
"""Of a volume that is told: how nearly it is worked out at the least."""


def united(base: NamedShape, lump: Lump, maps: Array, tolerance: float) -> float | None:
    """mm³ of copies (k, 4, 4) together, what lies in several of them once; None where none overlaps another.

    Raises: SolidError, when they overlap and the kernel cannot unite them.
    """
    copies = [Lump(lump.points @ m[:3, :3].T + m[:3, 3], lump.triangles, lump.volume) for m in maps]
    if any(shared(one, other)[0] > 0.0 for k, one in enumerate(copies) for other in copies[k + 1 :]):
        found = GProp_GProps()
        BRepGProp.VolumeProperties_s(placed(base, maps, True, tolerance).shape, found, NEAR_UNITED, True, False)
        return float(found.Mass())
    return None


def _mapped(shape: TopoDS_Shape, affine: Array) -> TopoDS_Shape:
    if is_mesh(shape):
        return mapped_face(TopoDS.Face(shape), affine)
    linear = affine[:3, :3]
    scale = abs(float(np.linalg.det(linear))) ** (1.0 / 3.0)
    if np.abs(linear @ linear.T - scale**2 * np.eye(3)).max() < 1e-12 * scale**2:
        move = gp_Trsf()
        move.SetValues(*affine[:3].ravel().tolist())
        maker: Any = BRepBuilderAPI_Transform(shape, move, True)
    else:
        stretch = gp_GTrsf(gp_Mat(*linear.ravel().tolist()), gp_XYZ(*affine[:3, 3].tolist()))
        maker = BRepBuilderAPI_GTransform(shape, stretch, True)
    if not maker.IsDone():
        raise SolidError("the kernel cannot move or resize this body so")
    made = maker.Shape()
    if made.ShapeType() == TopAbs_ShapeEnum.TopAbs_SOLID:
        BRepLib.OrientClosedSolid_s(TopoDS.Solid(made))
    return made
