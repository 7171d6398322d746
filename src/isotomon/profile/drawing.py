"""What a drawing says: points, the parts drawn on them, constraints and dimensions. Coordinates in mm.

The coordinates are the last solution: what a constraint leaves free stays where it is.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import permutations
from typing import Literal

import msgspec

from isotomon.errors import DesignError
from isotomon.quantity import Kind, Value
from isotomon.quantity.record import Id, Pair, Record, Ref, usual

Role = Literal["shape", "construction", "centre"]
"""`shape` bounds the profile; `construction` only helps; a `centre` line is also the axis of a half section."""

MOST_POINTS = 20000
MOST_CONSTRAINTS = 5000


class Point(Record, frozen=True):
    """A point of the drawing. `source` names what it follows elsewhere in the design (empty: nothing)."""

    id: Id
    x: float
    y: float
    source: Ref = usual("")


class Line(Record, frozen=True, tag="line", tag_field="kind"):
    """The straight line from point `a` to point `b`."""

    id: Id
    a: Id
    b: Id
    role: Role = "shape"


class Arc(Record, frozen=True, tag="arc", tag_field="kind"):
    """The arc about `centre` from `a` counter-clockwise to `b`."""

    id: Id
    centre: Id
    a: Id
    b: Id
    role: Role = "shape"


class CirclePart(Record, frozen=True, tag="circle", tag_field="kind"):
    """The whole circle about `centre`."""

    id: Id
    centre: Id
    radius: float
    role: Role = "shape"


class Oval(Record, frozen=True, tag="ellipse", tag_field="kind"):
    """The ellipse about `centre`: point `major` is the end of one half axis, `minor` the length of the other.

    With `a` and `b` only the part from `a` counter-clockwise to `b` is drawn.
    """

    id: Id
    centre: Id
    major: Id
    minor: float
    a: Id | None = None
    b: Id | None = None
    role: Role = "shape"


class TangentHandle(Record, frozen=True):
    """A tangent held at a point of a curve: the derivative by the curve's parameter, mm. `back` scales it before the point."""

    x: float
    y: float
    back: float = 1.0


class Curve(Record, frozen=True, tag="curve", tag_field="kind"):
    """A smooth cubic through its points, at the `params` (from 0 to 1; for a closed curve one more than the points).

    Where no handle is held the curve is C2; its free ends are straight.
    """

    id: Id
    points: tuple[Id, ...]
    params: tuple[float, ...]
    handles: tuple[TangentHandle | None, ...]
    closed: bool = False
    role: Role = "shape"


class Spline(Record, frozen=True, tag="spline", tag_field="kind"):
    """A smooth B-spline by its control points, with evenly spaced knots; clamped, or closed."""

    id: Id
    points: tuple[Id, ...]
    degree: int = 3
    closed: bool = False
    role: Role = "shape"


Part = Line | Arc | CirclePart | Oval | Curve | Spline

ConstraintKind = Literal[
    "coincident",
    "on",
    "horizontal",
    "vertical",
    "parallel",
    "square",
    "tangent",
    "smooth",
    "in_line",
    "concentric",
    "equal",
    "symmetric",
    "middle",
    "fixed",
    "distance",
    "across",
    "up",
    "radius",
    "diameter",
    "angle",
    "width",
]
DIMENSIONS: dict[str, Kind] = {
    "distance": "length",
    "across": "length",
    "up": "length",
    "radius": "length",
    "diameter": "length",
    "angle": "angle",
    "width": "length",
}
"""Kinds that carry a figure. `across` and `up` are distances along X and Y; `width` is twice the distance from a line."""


class Constraint(Record, frozen=True):
    """A relation between points, parts and handles (`e4@2`: the handle at point 2 of curve e4).

    A dimension has a `value`; when it is not `driving` it only reports. `assumed`: taken for granted while drawing.
    `sector`: which of the four angles between two lines (bit 0 reverses the first, bit 1 the second).
    `place`: where its label stands, from the middle of what it measures.
    """

    id: Id
    kind: ConstraintKind
    on: tuple[str, ...]
    value: Value | None = None
    driving: bool = True
    assumed: bool = False
    sector: int = 0
    place: Pair | None = None


class Drawing(Record, frozen=True):
    """A profile drawn in its own plane. A half section is closed by its mirror image in the centre line it ends on.

    `plane`: the station or datum plane that references are brought in from (empty: none).
    """

    id: Id
    name: str
    points: tuple[Point, ...] = ()
    parts: tuple[Part, ...] = ()
    constraints: tuple[Constraint, ...] = ()
    mirror_half: bool = True
    plane: Ref = usual("")
    spent: tuple[int, ...] = ()
    """The highest numbers that points, parts and constraints have had; none is given to another one."""


# What each kind may stand on: p point, l line, c circle or arc, o ellipse, s curve or spline, h handle, * any part.
SIGNATURES: dict[str, tuple[str, ...]] = {
    "coincident": ("pp",),
    "on": ("p*",),
    "horizontal": ("l", "pp", "h"),
    "vertical": ("l", "pp", "h"),
    "parallel": ("ll", "lh", "hh"),
    "square": ("ll", "lh", "hh"),
    "tangent": ("**",),
    "smooth": ("**",),
    "in_line": ("ll", "lp"),
    "concentric": ("cc", "co", "oo", "cp", "op"),
    "equal": ("ll", "cc", "oo", "hh"),
    "symmetric": ("ppl",),
    "middle": ("pl", "pc", "ppp"),
    "fixed": ("p", "*"),
    "distance": ("pp", "pl", "ll", "pc", "lc", "cc", "l"),
    "across": ("pp", "l"),
    "up": ("pp", "l"),
    "radius": ("c",),
    "diameter": ("c",),
    "angle": ("ll", "lh", "hh"),
    "width": ("pl", "cl"),
}
_LETTERS = {Line: "l", Arc: "c", CirclePart: "c", Oval: "o", Curve: "s", Spline: "s"}


def part_points(part: Part) -> tuple[Id, ...]:
    """Ids of the points a part stands on."""
    match part:
        case Line(_, a, b):
            return (a, b)
        case Arc(_, centre, a, b):
            return (centre, a, b)
        case CirclePart(_, centre):
            return (centre,)
        case Oval(_, centre, major, _, a, b):
            return (centre, major, *(p for p in (a, b) if p is not None))
        case _:
            return part.points


def part_ends(part: Part) -> tuple[Id, Id] | None:
    """Ids of a part's first and last point; None when it is closed in itself."""
    match part:
        case Line(_, a, b) | Arc(_, _, a, b):
            return (a, b)
        case Oval(_, _, _, _, a, b):
            return (a, b) if a is not None and b is not None else None
        case Curve() | Spline():
            return None if part.closed else (part.points[0], part.points[-1])
        case _:
            return None


def letter_of(drawing_parts: dict[str, Part], points: set[str] | dict[str, Point], ref: str) -> str:
    """p, l, c, o, s or h: what a reference stands for; empty when it is not in the drawing."""
    if ref in points:
        return "p"
    name, _, index = ref.partition("@")
    part = drawing_parts.get(name)
    if part is None:
        return ""
    if index:
        held = isinstance(part, Curve) and index.isdecimal() and int(index) < len(part.points)
        return "h" if held else ""
    return _LETTERS[type(part)]


def signature_fits(kind: str, letters: str) -> bool:
    """Whether a constraint of this kind may stand on references with these letters, in this order."""
    return any(
        len(s) == len(letters)
        and all(want == have or (want == "*" and have in "lcos") for want, have in zip(s, letters, strict=True))
        for s in SIGNATURES[kind]
    )


def arrange(kind: str, refs: tuple[str, ...], letters: str) -> tuple[str, ...] | None:
    """The references in an order that the kind takes, or None. Only for few references: every order is tried."""
    for order in permutations(range(len(refs))):
        if signature_fits(kind, "".join(letters[i] for i in order)):
            return tuple(refs[i] for i in order)
    return None


@lru_cache(maxsize=64)
def check_drawing(drawing: Drawing) -> Drawing:
    """The drawing itself, if it holds together.

    Raises: DesignError, naming the drawing and what is wrong.
    """
    where = f"drawing '{drawing.name}'"
    points = {p.id: p for p in drawing.points}
    parts = {p.id: p for p in drawing.parts}
    if len(drawing.points) > MOST_POINTS or len(drawing.constraints) > MOST_CONSTRAINTS:
        raise DesignError(f"{where} has more than {MOST_POINTS} points or {MOST_CONSTRAINTS} constraints; split it")
    counts = len(points) + len(parts) + len({c.id for c in drawing.constraints})
    if counts != len(drawing.points) + len(drawing.parts) + len(drawing.constraints) or points.keys() & parts.keys():
        raise DesignError(f"{where} uses an id twice; give each point, part and constraint its own")
    if max((max(abs(p.x), abs(p.y)) for p in drawing.points), default=0.0) > 1e7:
        raise DesignError(f"{where} reaches further than 10 km; check its units")
    for part in drawing.parts:
        _check_part(part, points, where)
    for c in drawing.constraints:
        letters = "".join(letter_of(parts, points, ref) or "?" for ref in c.on)
        if "?" in letters:
            raise DesignError(f"{where}: {c.kind} {c.id} stands on something that is not there; remove it")
        if not signature_fits(c.kind, letters):
            raise DesignError(f"{where}: {c.kind.replace('_', ' ')} cannot stand on {', '.join(c.on)}; remove it")
        if (c.value is None) == (c.kind in DIMENSIONS) and c.driving:
            raise DesignError(f"{where}: {c.kind} {c.id} {'needs a figure' if c.value is None else 'has no figure'}")
    return drawing


def _check_part(part: Part, points: dict[str, Point], where: str) -> None:
    missing = [p for p in part_points(part) if p not in points]
    if missing:
        raise DesignError(f"{where}: {part.id} stands on point {missing[0]}, which is not there")
    if isinstance(part, CirclePart) and not 0.0 < part.radius < 1e7:
        raise DesignError(f"{where}: circle {part.id} has radius {part.radius:g}; it must be greater than zero")
    if isinstance(part, Oval) and (not 0.0 < part.minor < 1e7 or (part.a is None) != (part.b is None)):
        raise DesignError(f"{where}: ellipse {part.id} needs a half axis greater than zero, and both ends or none")
    if isinstance(part, Curve):
        count = len(part.points) + (1 if part.closed else 0)
        rising = all(a < b for a, b in zip(part.params[:-1], part.params[1:], strict=True))
        sound = len(part.points) >= (3 if part.closed else 2) and len(part.handles) == len(part.points)
        if not sound or len(part.params) != count or part.params[0] != 0.0 or part.params[-1] != 1.0 or not rising:
            raise DesignError(
                f"{where}: curve {part.id} does not hold together (points, params, handles); draw it anew"
            )
    if isinstance(part, Spline) and not 1 <= part.degree <= 7:
        raise DesignError(f"{where}: spline {part.id} has degree {part.degree}; use 1 to 7")
    if isinstance(part, Spline) and len(part.points) < part.degree + (1 if not part.closed else 0):
        raise DesignError(f"{where}: spline {part.id} of degree {part.degree} has only {len(part.points)} points")


def find_point(drawing: Drawing, key: Id) -> Point:
    """The point with this id. Raises: DesignError."""
    for point in drawing.points:
        if point.id == key:
            return point
    raise DesignError(f"drawing '{drawing.name}' has no point {key}")


def find_part(drawing: Drawing, key: Id) -> Part:
    """The part with this id. Raises: DesignError."""
    for part in drawing.parts:
        if part.id == key:
            return part
    raise DesignError(f"drawing '{drawing.name}' has no part {key}")


replace = msgspec.structs.replace
