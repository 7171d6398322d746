"""Datums as the design says them: planes, axes, points, frames and cylinders, each by its construction.

What a datum stands on is named: `xy` `yz` `zx` (planes), `x` `y` `z` (axes), `origin`, another datum's id, a station's id
(its plane), `s4/outline` (its profile in space), `s4/lead` `s4/trail` (where it comes nearest to its nominal points), `s4/g1.e2`
`s4/g1.p3` (a part or point of its drawing g1), `body/along:s4.g1.p3` (the edge that runs along the body through that corner), `body/face:A~B` (the face between two edges), `body/skin`, `body/first` `body/last`
(its ends).
"""

from __future__ import annotations

from typing import Literal, NamedTuple

from isotomon.errors import DesignError
from isotomon.quantity import Kind, Value
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
Makes = Literal["plane", "axis", "point", "frame", "cylinder"]


class Field(NamedTuple):
    """A number a construction asks for. `nth` fields are whole numbers."""

    title: str
    kind: Kind
    default: float


class Construction(NamedTuple):
    """What a kind of datum makes, and from what: letters P plane, A axis or line, p point, c curve, R round thing, F frame."""

    title: str
    makes: Makes
    on: str
    fields: tuple[Field, ...] = ()


_SHARE = (Field("Share of the length", "ratio", 0.5), Field("Length more", "length", 0.0))
_PLACE = tuple(Field(f"Along {axis}", "length", 0.0) for axis in "XYZ")
_TURN = tuple(Field(f"Turn about {axis}", "angle", 0.0) for axis in "XYZ")
CONSTRUCTIONS: dict[str, Construction] = {
    "parallel": Construction("Plane parallel at a distance", "plane", "P", (Field("Distance", "length", 50.0),)),
    "parallel-through": Construction("Plane parallel through a point", "plane", "Pp"),
    "square-to-curve": Construction("Plane square to a curve", "plane", "c", _SHARE),
    "turned": Construction(
        "Plane through an axis at an angle", "plane", "AP", (Field("Angle", "angle", 0.5235987755982988),)
    ),
    "three-points": Construction("Plane through three points", "plane", "ppp"),
    "line-and-point": Construction("Plane through a line and a point", "plane", "Ap"),
    "line-square": Construction("Plane through a line, square to a plane", "plane", "AP"),
    "midway": Construction("Plane midway between two", "plane", "PP"),
    "tangent": Construction("Plane tangent to a round face", "plane", "R", (Field("Round by", "angle", 0.0),)),
    "placed": Construction("Plane at an angle and offset", "plane", "F", (*_PLACE, *_TURN)),
    "two-points": Construction("Axis through two points", "axis", "pp"),
    "planes-meet": Construction("Axis where two planes meet", "axis", "PP"),
    "square-through": Construction("Axis square to a plane through a point", "axis", "Pp"),
    "along": Construction("Axis along a straight edge or line", "axis", "A"),
    "axis-of": Construction("Axis of a round thing", "axis", "R"),
    "coordinates": Construction("Point by coordinates", "point", "F", _PLACE),
    "on-curve": Construction("Point on a curve", "point", "c", _SHARE),
    "end": Construction("End or middle of a curve", "point", "c", (Field("0 start, 1 middle, 2 end", "ratio", 0.0),)),
    "centre": Construction("Centre of a round thing or profile", "point", "R"),
    "corner": Construction("Corner of a profile", "point", "c", (Field("Which corner", "ratio", 1.0),)),
    "curve-meets": Construction(
        "Point where a curve meets a plane", "point", "cP", (Field("Which meeting", "ratio", 1.0),)
    ),
    "curves-nearest": Construction("Point where two curves come nearest", "point", "cc"),
    "frame": Construction("Frame at a point", "frame", "pPA"),
    "cylinder": Construction("Cylinder about an axis", "cylinder", "A", (Field("Radius", "length", 100.0),)),
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


def construction(datum: Datum) -> Construction:
    """What the datum's kind makes and asks for."""
    return CONSTRUCTIONS[datum.kind]


def check_datum(datum: Datum) -> Datum:
    """The datum itself, if it has as many references and numbers as its kind asks for.

    Raises: DesignError.
    """
    made = construction(datum)
    if len(datum.on) != len(made.on) or len(datum.values) != len(made.fields):
        raise DesignError(
            f"datum '{datum.name}' ({made.title.lower()}) stands on {len(made.on)} things and has {len(made.fields)} "
            f"numbers; found {len(datum.on)} and {len(datum.values)}"
        )
    if datum.id in datum.on:
        raise DesignError(f"datum '{datum.name}' stands on itself; pick something else")
    return datum
