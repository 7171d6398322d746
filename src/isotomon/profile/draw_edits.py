"""Edits of a drawing: pure functions, and a pen that puts several things on a copy of it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from isotomon.errors import DesignError
from isotomon.profile.drawing import (
    DIMENSIONS,
    Arc,
    CirclePart,
    Constraint,
    ConstraintKind,
    Curve,
    Drawing,
    Line,
    Oval,
    Part,
    Point,
    Role,
    Spline,
    TangentHandle,
    find_part,
    letter_of,
    part_points,
    replace,
)
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Ref


class Pen:
    """Puts points, parts and constraints on a drawing; `done` gives the new drawing. The old one stays as it is."""

    def __init__(self, drawing: Drawing, assumed: bool = False) -> None:
        self._drawing = drawing
        self.points: dict[Id, Point] = {p.id: p for p in drawing.points}
        self.parts: dict[Id, Part] = {p.id: p for p in drawing.parts}
        self.constraints: dict[Id, Constraint] = {c.id: c for c in drawing.constraints}
        self._next = dict(zip("pec", spent(drawing), strict=True))
        self.assumed = assumed

    def fresh(self, stem: str) -> Id:
        """An id that nothing on the drawing has: p, e or c with a number."""
        self._next[stem] += 1
        return f"{stem}{self._next[stem]}"

    def point(self, x: float, y: float, source: str = "") -> Id:
        """A new point."""
        key = self.fresh("p")
        self.points[key] = Point(key, x, y, Ref(source))
        return key

    def _part(self, part: Part) -> Id:
        self.parts[part.id] = part
        return part.id

    def line(self, a: Id, b: Id, role: Role = "shape") -> Id:
        """A new line."""
        return self._part(Line(self.fresh("e"), a, b, role))

    def arc(self, centre: Id, a: Id, b: Id, role: Role = "shape") -> Id:
        """A new arc, counter-clockwise from a to b."""
        return self._part(Arc(self.fresh("e"), centre, a, b, role))

    def ring(self, centre: Id, radius: float, role: Role = "shape") -> Id:
        """A new circle."""
        return self._part(CirclePart(self.fresh("e"), centre, radius, role))

    def oval(
        self, centre: Id, major: Id, minor: float, a: Id | None = None, b: Id | None = None, role: Role = "shape"
    ) -> Id:
        """A new ellipse, or the part of it from a counter-clockwise to b."""
        return self._part(Oval(self.fresh("e"), centre, major, minor, a, b, role))

    def curve(
        self,
        points: Iterable[Id],
        params: Iterable[float],
        closed: bool = False,
        handles: Iterable[TangentHandle | None] | None = None,
        role: Role = "shape",
    ) -> Id:
        """A new smooth curve through points."""
        points = tuple(points)
        held = tuple(handles) if handles is not None else (None,) * len(points)
        return self._part(Curve(self.fresh("e"), points, tuple(params), held, closed, role))

    def spline(self, points: Iterable[Id], degree: int = 3, closed: bool = False, role: Role = "shape") -> Id:
        """A new smooth curve by control points."""
        return self._part(Spline(self.fresh("e"), tuple(points), degree, closed, role))

    def tie(self, kind: ConstraintKind, *on: str, value: Value | None = None, driving: bool = True) -> Id:
        """A new constraint or dimension."""
        key = self.fresh("c")
        self.constraints[key] = Constraint(key, kind, on, value, driving, self.assumed and kind not in DIMENSIONS)
        return key

    def put(self, part: Part) -> None:
        """A part in place of the one with its id."""
        self.parts[part.id] = part

    def done(self) -> Drawing:
        """The drawing with all that was put on it."""
        return replace(
            self._drawing,
            points=tuple(self.points.values()),
            parts=tuple(self.parts.values()),
            constraints=tuple(self.constraints.values()),
            spent=(self._next["p"], self._next["e"], self._next["c"]),
        )


def spent(drawing: Drawing) -> tuple[int, int, int]:
    """The highest numbers that points, parts and constraints of a drawing have had: none is given twice, so that nothing
    made from one that is gone comes to stand on another."""
    here = (_highest(x.id for x in group) for group in (drawing.points, drawing.parts, drawing.constraints))
    most = [max(a, b) for a, b in zip(here, drawing.spent or (0, 0, 0), strict=True)]
    return most[0], most[1], most[2]


def _highest(keys: Iterable[str]) -> int:
    return max((int(k[1:]) for k in keys if k[1:].isdecimal()), default=0)


def remove(drawing: Drawing, keys: Iterable[str]) -> Drawing:
    """The drawing without points, parts and constraints, and without what cannot stand without them.

    Points that only removed parts stood on go too.
    """
    gone = set(keys)
    parts = [p for p in drawing.parts if p.id not in gone and not gone & set(part_points(p))]
    lost = [p for p in drawing.parts if p not in parts]
    used = {point for p in parts for point in part_points(p)}
    loose = {point for p in lost for point in part_points(p)} - used
    points = tuple(p for p in drawing.points if p.id not in gone and p.id not in loose)
    left = {p.id for p in points} | {p.id for p in parts}
    constraints = tuple(
        c for c in drawing.constraints if c.id not in gone and all(ref.partition("@")[0] in left for ref in c.on)
    )
    return replace(drawing, points=points, parts=tuple(parts), constraints=constraints, spent=spent(drawing))


def join(drawing: Drawing, keep: Id, gone: Id) -> Drawing:
    """Two points made one: everything that stood on `gone` stands on `keep`. Parts that shrink to nothing go.

    Raises: DesignError, when one of them is not there or both are one.
    """
    return join_all(drawing, {gone: keep})


def join_all(drawing: Drawing, swap: Mapping[Id, Id]) -> Drawing:
    """Each point that is a key of `swap` made one with its value, which stays; else as `join`.

    Raises: DesignError, when one of them is not there, or is to stay and to go.
    """
    ids = {p.id for p in drawing.points}
    if not swap.keys() <= ids or not set(swap.values()) <= ids - swap.keys():
        raise DesignError("two different points are needed to join them")
    parts = tuple(p for p in (_on_other_points(p, swap) for p in drawing.parts) if not _vanished(p))
    constraints = tuple(replace(c, on=tuple(swap.get(ref, ref) for ref in c.on)) for c in drawing.constraints)
    left = {p.id for p in parts} | (ids - swap.keys())
    constraints = tuple(
        c for c in constraints if len(set(c.on)) == len(c.on) and all(ref.partition("@")[0] in left for ref in c.on)
    )
    return replace(
        drawing, points=tuple(p for p in drawing.points if p.id not in swap), parts=parts, constraints=constraints
    )


def _vanished(part: Part) -> bool:
    points = part_points(part)
    return len(set(points)) < len(points)


def _on_other_points(part: Part, swap: Mapping[Id, Id]) -> Part:
    def new(key: Id) -> Id:
        return swap.get(key, key)

    match part:
        case Line():
            return replace(part, a=new(part.a), b=new(part.b))
        case Arc():
            return replace(part, centre=new(part.centre), a=new(part.a), b=new(part.b))
        case CirclePart():
            return replace(part, centre=new(part.centre))
        case Oval():
            ends = {"a": new(part.a), "b": new(part.b)} if part.a is not None and part.b is not None else {}
            return replace(part, centre=new(part.centre), major=new(part.major), **ends)
        case _:
            return replace(part, points=tuple(new(p) for p in part.points))


def part_from(drawing: Drawing, key: Id, point: Id) -> Drawing:
    """A part taken off a point it shares with others: it gets a point of its own there.

    Raises: DesignError, when it has no such point.
    """
    part, pen = find_part(drawing, key), Pen(drawing)
    if point not in part_points(part):
        raise DesignError(f"the part {key} has no point {point} in drawing '{drawing.name}'")
    old = pen.points[point]
    pen.put(_on_other_points(part, {point: pen.point(old.x, old.y)}))
    return pen.done()


def set_role(drawing: Drawing, keys: Iterable[str], role: Role) -> Drawing:
    """Parts made shape, construction or centre lines (only lines can be centre lines)."""
    chosen = set(keys)
    return replace(
        drawing,
        parts=tuple(
            replace(p, role=role) if p.id in chosen and (role != "centre" or isinstance(p, Line)) else p
            for p in drawing.parts
        ),
    )


def change_constraint(drawing: Drawing, key: Id, **changes: object) -> Drawing:
    """The drawing with a constraint changed. Raises: DesignError."""
    if all(c.id != key for c in drawing.constraints):
        raise DesignError(f"drawing '{drawing.name}' has no constraint {key}")
    return replace(drawing, constraints=tuple(replace(c, **changes) if c.id == key else c for c in drawing.constraints))


def free_handle(drawing: Drawing, ref: str) -> Drawing:
    """A held tangent (`e4@2`) left to the curve again, with the constraints on it gone."""
    key, _, index = ref.partition("@")
    curve = find_part(drawing, key)
    if not isinstance(curve, Curve) or not index.isdecimal() or int(index) >= len(curve.handles):
        raise DesignError(f"drawing '{drawing.name}' has no tangent {ref}")
    handles = tuple(None if i == int(index) else h for i, h in enumerate(curve.handles))
    return replace(
        drawing,
        parts=tuple(replace(curve, handles=handles) if p.id == key else p for p in drawing.parts),
        constraints=tuple(c for c in drawing.constraints if ref not in c.on),
    )


def drop_assumed(drawing: Drawing) -> Drawing:
    """The drawing without all constraints that were taken for granted while drawing."""
    return replace(drawing, constraints=tuple(c for c in drawing.constraints if not c.assumed))


def copy_into(
    drawing: Drawing, source: Drawing, keys: Iterable[str], shift: tuple[float, float] = (0.0, 0.0)
) -> tuple[Drawing, tuple[Id, ...]]:
    """Parts and points of a drawing copied into another (or the same) one, with the constraints among them.

    Returns the drawing and the ids of the copied parts and points.
    """
    chosen = set(keys)
    parts = [p for p in source.parts if p.id in chosen]
    wanted = chosen | {point for p in parts for point in part_points(p)}
    pen = Pen(drawing)
    swap: dict[str, str] = {}
    for p in source.points:
        if p.id in wanted:
            swap[p.id] = pen.point(p.x + shift[0], p.y + shift[1])
    for part in parts:
        key = pen.fresh("e")
        pen.put(replace(_on_other_points(part, swap), id=key))
        swap[part.id] = key
    for c in source.constraints:
        names = [ref.partition("@") for ref in c.on]
        if all(name in swap for name, _, _ in names) and c.kind != "fixed":
            on = tuple(swap[name] + at + index for name, at, index in names)
            key = pen.fresh("c")
            pen.constraints[key] = replace(c, id=key, on=on)
    made = tuple(swap[k] for k in swap if k in chosen)
    return pen.done(), made


def letters(drawing: Drawing, refs: Iterable[str]) -> str:
    """What references stand for, one letter each (see `SIGNATURES`)."""
    parts, points = {p.id: p for p in drawing.parts}, {p.id: p for p in drawing.points}
    return "".join(letter_of(parts, points, ref) or "?" for ref in refs)


def next_name(taken: Iterable[str], stem: str) -> str:
    """`stem`, or with a number after it, so that nothing in `taken` is called so."""
    names = set(taken)
    stem = re.sub(r" \d+$", "", stem)
    return stem if stem not in names else next(n for k in range(2, len(names) + 3) if (n := f"{stem} {k}") not in names)
