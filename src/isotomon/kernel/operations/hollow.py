"""A body hollowed out by another that lies in it and reaches as far as the ends that are left open."""

from __future__ import annotations

from OCP.BRep import BRep_Tool
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepTools import BRepTools
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Face

from isotomon.errors import SolidError
from isotomon.kernel.enclosed import volume_of
from isotomon.kernel.making import sewn
from isotomon.kernel.meshing import parts
from isotomon.kernel.operations.base import Given, MadeBody

CAPS = ("first cap", "last cap")
SAME_VOLUME = 1e-4
"""Of the body: by so much the volume may be off what is left of it."""


def apply(given: Given) -> MadeBody:
    """The first body without the second; `first` and `last` say whether that end is open: there both have a cap in one plane, and the
    rim between them is left.

    Raises: SolidError.
    """
    body, inner = given.bodies
    open_ = {name: bool(given.values[name.split()[0]]) for name in CAPS}
    faces = dict[str, list[TopoDS_Face]]()
    for which, own in ((0, body), (1, inner)):
        for name, face in zip(own.names, parts(own.shape, TopAbs_ShapeEnum.TopAbs_FACE), strict=True):
            # Of a wall outside the skin the hollow is the body as it was.
            within = "inside of " if which and not name.startswith("inside of ") and name not in CAPS else ""
            key = f"{which} {name}" if name in CAPS else f"- {which} {within}{name}"
            faces.setdefault(key, []).append(TopoDS.Face(face))
    made = [(key[4:], face) for key, found in faces.items() if key.startswith("- ") for face in found]
    for name in CAPS:
        (outer,), within = faces.get(f"0 {name}") or [None], faces.get(f"1 {name}", [None])[0]
        if open_[name] and outer is not None and within is not None:
            made.append((name, _rim(outer, within)))
        else:
            made += [(f"inside of {name}" if k else name, f) for k, f in enumerate((outer, within)) if f is not None]
    whole = sewn(made, given.tolerance)
    left = volume_of(body.shape) - volume_of(inner.shape)
    if abs(volume_of(whole.shape) - left) > SAME_VOLUME * volume_of(body.shape):
        raise SolidError("what is left is not the body less its hollow; make the wall thinner, or thicker")
    return MadeBody(whole)


def _rim(outer: TopoDS_Face, inner: TopoDS_Face) -> TopoDS_Face:
    """An end's face with the mouth taken out."""
    made = BRepBuilderAPI_MakeFace(BRep_Tool.Surface_s(outer), BRepTools.OuterWire_s(outer), True)
    made.Add(BRepTools.OuterWire_s(inner))
    if not made.IsDone():
        raise SolidError("the mouth does not lie within the end; make the wall thinner")
    fix = ShapeFix_Face(made.Face())
    fix.FixOrientation()
    return fix.Face()
