"""Moved, turned, scaled, mirrored, repeated and offset parts of a drawing."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.profile.change import beside, parts_of
from isotomon.profile.curves import CurvePiece
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import (
    DIMENSIONS,
    Arc,
    CirclePart,
    Curve,
    Drawing,
    Line,
    Oval,
    Part,
    Spline,
    TangentHandle,
    find_part,
    part_points,
    replace,
)
from isotomon.profile.loops import TOUCH, find_runs, places_of, size_of
from isotomon.profile.meet import meets
from isotomon.quantity.record import Id


def similarity(turn: float = 0.0, scale: float = 1.0) -> Array:
    """(2, 2): a turn (rad) with a scale."""
    c, s = np.cos(turn), np.sin(turn)
    return scale * np.array([[c, -s], [s, c]])


def _scale_of(matrix: Array) -> float:
    return float(np.sqrt(abs(np.linalg.det(matrix))))


def transform(drawing: Drawing, keys: Iterable[Id], matrix: Array, shift: Array) -> Drawing:
    """Points and parts moved by p → matrix p + shift (a similarity). Lengths typed among them scale with them."""
    chosen = set(keys)
    parts = [p for p in drawing.parts if p.id in chosen]
    moving = (chosen | {point for p in parts for point in part_points(p)}) & {p.id for p in drawing.points}
    scale = _scale_of(matrix)

    def placed(x: float, y: float) -> dict[str, float]:
        at = matrix @ np.array([x, y]) + shift
        return {"x": float(at[0]), "y": float(at[1])}

    points = tuple(replace(p, **placed(p.x, p.y)) if p.id in moving else p for p in drawing.points)
    # A part all of whose points move takes its radius and handles along.
    whole = {p.id for p in drawing.parts if moving.issuperset(part_points(p))}
    changed = tuple(_scaled(p, matrix, scale) if p.id in whole else p for p in drawing.parts)
    inside = whole | moving
    constraints = tuple(
        replace(c, value=c.value * scale)
        if isinstance(c.value, float)
        and DIMENSIONS.get(c.kind) == "length"
        and inside.issuperset(r.split("@")[0] for r in c.on)
        else c
        for c in drawing.constraints
    )
    return replace(drawing, points=points, parts=changed, constraints=constraints)


def _scaled(part: Part, matrix: Array, scale: float) -> Part:
    if isinstance(part, CirclePart):
        return replace(part, radius=part.radius * scale)
    if isinstance(part, Oval):
        return replace(part, minor=part.minor * scale)
    if isinstance(part, Curve):
        return replace(part, handles=tuple(None if h is None else _turned(h, matrix) for h in part.handles))
    return part


def _turned(handle: TangentHandle, matrix: Array) -> TangentHandle:
    x, y = matrix @ np.array([handle.x, handle.y])
    return TangentHandle(float(x), float(y), handle.back)


def _image(
    pen: Pen, drawing: Drawing, parts: list[Part], matrix: Array, shift: Array, shared: Mapping[Id, Id]
) -> dict[str, Id]:
    """Copies of parts under a similarity; `shared` points are not copied. Returns old id → new id."""
    at = {p.id: np.array([p.x, p.y]) for p in drawing.points}
    flips = np.linalg.det(matrix) < 0.0
    swap: dict[str, Id] = dict(shared)
    for key in dict.fromkeys(point for p in parts for point in part_points(p)):
        if key not in swap:
            swap[key] = pen.point(*(matrix @ at[key] + shift).tolist())
    for part in parts:
        key = pen.fresh("e")
        new = _scaled(part, matrix, _scale_of(matrix))
        match new:
            case Line():
                new = replace(new, id=key, a=swap[new.a], b=swap[new.b])
            case Arc():
                a, b = swap[new.a], swap[new.b]
                new = replace(new, id=key, centre=swap[new.centre], a=b if flips else a, b=a if flips else b)
            case CirclePart():
                new = replace(new, id=key, centre=swap[new.centre])
            case Oval():
                ends = [swap[k] for k in (new.a, new.b) if k is not None]
                ends = ends[::-1] if flips else ends
                new = replace(new, id=key, centre=swap[new.centre], major=swap[new.major])
                new = replace(new, a=ends[0], b=ends[1]) if ends else new
            case Curve() | Spline():
                new = replace(new, id=key, points=tuple(swap[p] for p in new.points))
        pen.put(new)
        swap[part.id] = key
    return swap


def mirror(drawing: Drawing, keys: Iterable[Id], axis: Id, tied: bool) -> Drawing:
    """Parts mirrored in a line. Tied, both sides stay mirror images; points on the line are shared.

    Raises: ProfileError.
    """
    line = find_part(drawing, axis)
    if not isinstance(line, Line):
        raise ProfileError("a mirror needs a straight line; choose one as the axis")
    parts = [p for p in parts_of(drawing, keys) if p.id != axis]
    places = places_of(drawing)
    a, way = places[line.a], places[line.b] - places[line.a]
    along = way / max(float(np.hypot(*way)), 1e-300)
    matrix = 2.0 * np.outer(along, along) - np.eye(2)
    shift = a - matrix @ a
    size = size_of(drawing, places)
    points = dict.fromkeys(point for p in parts for point in part_points(p))
    on = {p: p for p in points if np.hypot(*(matrix @ places[p] + shift - places[p])) < 10 * TOUCH * size}
    pen = Pen(drawing)
    swap = _image(pen, drawing, parts, matrix, shift, on)
    if tied:
        for key in points:
            if key in on:
                if key not in (line.a, line.b):
                    pen.tie("on", key, axis)
            else:
                pen.tie("symmetric", key, swap[key], axis)
        for part in parts:
            if isinstance(part, CirclePart | Oval):
                pen.tie("equal", part.id, swap[part.id])
    return pen.done()


def row(drawing: Drawing, keys: Iterable[Id], step: Array, count: int) -> Drawing:
    """`count` of some parts in a row, the first where they are, each `step` further."""
    return _repeated(drawing, keys, count, lambda k: (np.eye(2), k * step))


def ring(drawing: Drawing, keys: Iterable[Id], centre: Array, count: int, whole: float = 2 * np.pi) -> Drawing:
    """`count` of some parts round a centre, spread over a whole angle (rad): evenly round for a full turn."""
    share = whole / count if abs(whole - 2 * np.pi) < 1e-12 else whole / max(count - 1, 1)

    def place(k: int) -> tuple[Array, Array]:
        matrix = similarity(k * share)
        return matrix, centre - matrix @ centre

    return _repeated(drawing, keys, count, place)


def _repeated(drawing: Drawing, keys: Iterable[Id], count: int, place: Callable[[int], tuple[Array, Array]]) -> Drawing:
    if not 2 <= count <= 200:
        raise ProfileError(f"{count} copies were asked for; use 2 to 200")
    parts = parts_of(drawing, keys)
    pen = Pen(drawing)
    first = pen.done()
    for k in range(1, count):
        matrix, shift = place(k)
        _image(pen, first, parts, matrix, shift, {})
    return pen.done()


def offset(drawing: Drawing, keys: Iterable[Id], distance: float) -> Drawing:
    """Runs of parts drawn again at a distance: to the left of their direction, outwards for closed ones.

    Lines and arcs stay lines and arcs, corners stay sharp; curves are followed within 1e-5 of their length.
    Raises: ProfileError, when an arc or a corner closes up.
    """
    chosen = {p.id for p in parts_of(drawing, keys)}
    own = replace(
        drawing, parts=tuple(replace(p, role="shape") for p in drawing.parts if p.id in chosen), mirror_half=False
    )
    runs = find_runs(own)
    pen = Pen(drawing)
    for chain in (*runs.closed, *runs.open):
        way = -distance if chain.closed else distance
        _offset_run(pen, drawing, chain.pieces, chain.closed, way)
    return pen.done()


def _offset_run(pen: Pen, drawing: Drawing, pieces: tuple[CurvePiece, ...], closed: bool, way: float) -> None:
    size = size_of(drawing, places_of(drawing))
    moved = [beside(p, way) for p in pieces]
    parts = {p.id: p for p in drawing.parts}
    count = len(pieces)
    ends: list[Array] = [moved[0].start]
    for k in range(count if closed else count - 1):
        here, after = moved[k], moved[(k + 1) % count]
        gap = float(np.hypot(*(here.end - after.start)))
        if gap < 1e-7 * size:
            ends.append(here.end)
            continue
        hits = meets(_lengthened(here, size), _lengthened(after, size), size)
        if not len(hits):
            raise ProfileError(f"a corner closes up at {abs(way):g} mm; use a smaller distance")
        near = here.end
        options = _lengthened(here, size).at(hits[:, 0])
        ends.append(options[int(np.argmin(np.linalg.norm(options - near, axis=1)))])
    if closed:
        ends[0] = ends[-1]
    else:
        ends.append(moved[-1].end)
    points = [pen.point(*p.tolist()) for p in (ends[:-1] if closed and count > 1 else ends)]
    for k, piece in enumerate(pieces):
        part = parts[piece.part]
        a, b = points[k % len(points)], points[(k + 1) % len(points)]
        _offset_part(pen, part, piece, moved[k], a, b, way)


def _offset_part(pen: Pen, part: Part, piece: CurvePiece, moved: CurvePiece, a: Id, b: Id, way: float) -> None:
    if isinstance(part, Line):
        pen.line(a, b, part.role)
        return
    if isinstance(part, Arc | CirclePart):
        centre = np.array([pen.points[part.centre].x, pen.points[part.centre].y])
        radius = float(np.hypot(*(moved.start - centre)))
        turn = piece.slope(np.array([0.5]))[0]
        spoke = piece.at(np.array([0.5]))[0] - centre
        left = spoke[0] * turn[1] - spoke[1] * turn[0] > 0.0  # counter-clockwise: left is inwards
        if radius < 1e-9 or (left and way >= float(np.hypot(*spoke))) or (not left and -way >= float(np.hypot(*spoke))):
            raise ProfileError(f"an arc closes up at {abs(way):g} mm; use a smaller distance")
        if isinstance(part, CirclePart):
            for key in {a, b}:
                pen.points.pop(key, None)
            pen.ring(part.centre, radius, part.role)
        else:
            pen.arc(part.centre, *((a, b) if left else (b, a)), part.role)
        return
    t = np.linspace(0.0, 1.0, 25)
    inner = moved.at(t[1:-1])
    closed = a == b
    keys = [a, *(pen.point(*p.tolist()) for p in inner), *(() if closed else (b,))]
    pen.curve(keys, t.tolist(), closed, role=part.role)


def _lengthened(piece: CurvePiece, size: float) -> CurvePiece:
    """A piece carried on straight by the drawing's size at both ends."""
    start, end = piece.start, piece.end
    first, last = piece.slope(np.array([0.0, 1.0]))
    first, last = first / np.hypot(*first) * size, last / np.hypot(*last) * size
    if piece.kind == "line":
        span = end + last - (start - first)
        return CurvePiece(
            piece.part, "line", lambda t: start - first + t[:, None] * span, lambda t: np.tile(span, (len(t), 1))
        )

    def at(t: Array) -> Array:
        u = 3.0 * t - 1.0
        inner = piece.at(np.clip(u, 0.0, 1.0))
        return inner + np.minimum(u, 0.0)[:, None] * first + np.maximum(u - 1.0, 0.0)[:, None] * last

    def slope(t: Array) -> Array:
        u = 3.0 * t - 1.0
        inside = ((u >= 0.0) & (u <= 1.0))[:, None]
        return 3.0 * np.where(inside, piece.slope(np.clip(u, 0.0, 1.0)), np.where((u < 0.0)[:, None], first, last))

    return CurvePiece(piece.part, "curve", at, slope)
