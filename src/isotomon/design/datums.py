"""Datums as the design says them: planes, axes, points, frames and cylinders, each by its construction.

What a datum stands on is named: `xy` `yz` `zx` (planes), `x` `y` `z` (axes), `origin`, another datum's id, a station's id
(its plane), `s4/outline` (its profile in space), `s4/lead` `s4/trail` (where it comes nearest to its nominal points), `s4/g1.e2`
`s4/g1.p3` (a part or point of its drawing g1), `body/along:s4.g1.p3` (the edge that runs along the body through that corner), `body/face:A~B` (the face between two edges), `body/skin`, `body/first` `body/last`
(its ends).
"""

from __future__ import annotations

from typing import Literal

from isotomon.design.recipe import Field, Recipe
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref

DatumKind = Literal[
    "parallel",
    "parallel-through",
    "square-to-curve",
    "turned",
    "three-points",
    "line-and-point",
    "line-square",
    "midway",
    "tangent",
    "placed",
    "two-points",
    "planes-meet",
    "square-through",
    "along",
    "axis-of",
    "coordinates",
    "on-curve",
    "end",
    "centre",
    "corner",
    "curve-meets",
    "curves-nearest",
    "frame",
    "cylinder",
]


_SHARE = (Field("Share of the length", "ratio", 0.5), Field("Length more", "length", 0.0))
_PLACE = tuple(Field(f"Along {axis}", "length", 0.0) for axis in "XYZ")
_TURN = tuple(Field(f"Turn about {axis}", "angle", 0.0) for axis in "XYZ")
CONSTRUCTIONS: dict[str, Recipe] = {
    "parallel": Recipe("Plane parallel at a distance", "P", (Field("Distance", "length", 50.0),), makes="plane"),
    "parallel-through": Recipe("Plane parallel through a point", "Pp", makes="plane"),
    "square-to-curve": Recipe("Plane square to a curve", "c", _SHARE, makes="plane"),
    "turned": Recipe(
        "Plane through an axis at an angle", "AP", (Field("Angle", "angle", 0.5235987755982988),), makes="plane"
    ),
    "three-points": Recipe("Plane through three points", "ppp", makes="plane"),
    "line-and-point": Recipe("Plane through a line and a point", "Ap", makes="plane"),
    "line-square": Recipe("Plane through a line, square to a plane", "AP", makes="plane"),
    "midway": Recipe("Plane midway between two", "PP", makes="plane"),
    "tangent": Recipe("Plane tangent to a round face", "R", (Field("Round by", "angle", 0.0),), makes="plane"),
    "placed": Recipe("Plane at an angle and offset", "F", (*_PLACE, *_TURN), makes="plane"),
    "two-points": Recipe("Axis through two points", "pp", makes="axis"),
    "planes-meet": Recipe("Axis where two planes meet", "PP", makes="axis"),
    "square-through": Recipe("Axis square to a plane through a point", "Pp", makes="axis"),
    "along": Recipe("Axis along a straight edge or line", "A", makes="axis"),
    "axis-of": Recipe("Axis of a round thing", "R", makes="axis"),
    "coordinates": Recipe("Point by coordinates", "F", _PLACE, makes="point"),
    "on-curve": Recipe("Point on a curve", "c", _SHARE, makes="point"),
    "end": Recipe("End or middle of a curve", "c", (Field("0 start, 1 middle, 2 end", "ratio", 0.0),), makes="point"),
    "centre": Recipe("Centre of a round thing or profile", "R", makes="point"),
    "corner": Recipe("Corner of a profile", "c", (Field("Which corner", "ratio", 1.0),), makes="point"),
    "curve-meets": Recipe(
        "Point where a curve meets a plane", "cP", (Field("Which meeting", "ratio", 1.0),), makes="point"
    ),
    "curves-nearest": Recipe("Point where two curves come nearest", "cc", makes="point"),
    "frame": Recipe("Frame at a point", "pPA", makes="frame"),
    "cylinder": Recipe("Cylinder about an axis", "A", (Field("Radius", "length", 100.0),), makes="cylinder"),
}
BUILT_IN: dict[str, str] = {"xy": "P", "yz": "P", "zx": "P", "x": "A", "y": "A", "z": "A", "origin": "p", "world": "F"}
BUILT_IN_NAMES = {
    "xy": "XY plane",
    "yz": "YZ plane",
    "zx": "ZX plane",
    "x": "X axis",
    "y": "Y axis",
    "z": "Z axis",
    "origin": "Origin",
    "world": "Design's own frame",
}


BASE_PLANES = ("xy", "yz", "zx")
BASE_SHOWN = ("xy", "yz", "zx", "x", "y", "z", "origin")
"""Those that every design shows."""


class Datum(Record, frozen=True):
    """A plane, axis, point, frame or cylinder: what it is made from (`on`), and its numbers in the order of its kind."""

    id: Id
    name: str
    kind: DatumKind
    on: tuple[Ref, ...]
    values: tuple[Value, ...] = ()

    @property
    def recipe(self) -> Recipe:
        """What its kind makes, and asks for."""
        return CONSTRUCTIONS[self.kind]

    @property
    def choices(self) -> tuple[str, ...]:
        """None: no datum has any."""
        return ()
