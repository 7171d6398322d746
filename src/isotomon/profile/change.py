"""Edits that need geometry: trim, extend, break, round and bevel corners. What they keep stays constrained as it was."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.profile.curves import CurvePiece, Places, frame_of, piece_of, sources
from isotomon.profile.draw_edits import Pen, letters, remove, spent
from isotomon.profile.drawing import (
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
    part_ends,
    part_points,
    replace,
    signature_fits,
)
from isotomon.profile.loops import places_of, size_of
from isotomon.profile.meet import meets, nearest
from isotomon.quantity.record import Id

_OF_LENGTH = ("distance", "across", "up", "equal", "middle")
"""Kinds that speak of a line's whole length; they end with it."""


def cuts_of(drawing: Drawing, key: Id) -> list[tuple[float, Id]]:
    """(parameter, the part met) of every place where other parts meet this one, in order along it."""
    places = places_of(drawing)
    own = piece_of(find_part(drawing, key), places)
    size = size_of(drawing, places)
    found: list[tuple[float, Id]] = []
    for other in drawing.parts:
        if other.id != key:
            found += [(float(t), other.id) for t in meets(own, piece_of(other, places), size)[:, 0]]
    return sorted(found)


def trim(drawing: Drawing, key: Id, at: Array) -> Drawing:
    """The drawing without the stretch of a part, between the places where others meet it, that is nearest to `at`."""
    places = places_of(drawing)
    part = find_part(drawing, key)
    t, _ = nearest(piece_of(part, places), at)
    cuts = cuts_of(drawing, key)
    if part_ends(part) is None:
        if len(cuts) < 2:
            return remove(drawing, (key,))
        after = next((c for c in cuts if c[0] > t), cuts[0])
        before = next((c for c in reversed(cuts) if c[0] < t), cuts[-1])
        return _keep(drawing, part, [(after, before)])
    inner = [c for c in cuts if 1e-7 < c[0] < 1.0 - 1e-7]
    before = next((c for c in reversed(inner) if c[0] < t), (0.0, ""))
    after = next((c for c in inner if c[0] > t), (1.0, ""))
    kept = [s for s in (((0.0, ""), before), (after, (1.0, ""))) if s[1][0] - s[0][0] > 1e-9]
    if not kept:
        return remove(drawing, (key,))
    return _keep(drawing, part, kept)


def break_at(drawing: Drawing, key: Id, at: Array) -> Drawing:
    """A part broken in two at the place nearest to `at`; one closed in itself begins and ends there."""
    part = find_part(drawing, key)
    t, _ = nearest(piece_of(part, places_of(drawing)), at)
    if part_ends(part) is None:
        opposite = (t + 0.5) % 1.0
        first, second = min(t, opposite), max(t, opposite)
        return _keep(drawing, part, [((first, ""), (second, "")), ((second, ""), (first, ""))])
    if not 1e-6 < t < 1.0 - 1e-6:
        raise ProfileError("break a part between its ends, not at one")
    return _keep(drawing, part, [((0.0, ""), (t, "")), ((t, ""), (1.0, ""))])


Cut = tuple[float, Id]


def _keep(drawing: Drawing, part: Part, stretches: list[tuple[Cut, Cut]]) -> Drawing:
    """The drawing with only these stretches of a part. The first keeps its id, and so its constraints."""
    places = places_of(drawing)
    piece = piece_of(part, places)
    ends = part_ends(part)
    pen = Pen(drawing, assumed=True)
    at_cut: dict[float, Id] = {}
    ties: list[tuple[Id, Id]] = []

    def point_at(cut: Cut) -> Id:
        t, other = cut
        if ends is not None and t in (0.0, 1.0):
            return ends[int(t)]
        if t not in at_cut:
            place = piece.at(np.array([t]))[0]
            here = _end_at(drawing, other, place, places) if other else ""
            at_cut[t] = here or pen.point(float(place[0]), float(place[1]))
            if other and not here:
                ties.append((at_cut[t], other))
        return at_cut[t]

    del pen.parts[part.id]
    made = []
    for number, (start, end) in enumerate(stretches):
        key = part.id if number == 0 else pen.fresh("e")
        pen.put(stretch_of(part, places, start[0], end[0], point_at(start), point_at(end), key))
        made.append(key)
    for point, other in ties:
        pen.tie("on", point, other)
    if len(made) == 2 and isinstance(part, Line):
        pen.tie("in_line", made[0], made[1])
    return _without_misfits(pen.done(), part)


def _without_misfits(drawing: Drawing, part: Part) -> Drawing:
    """The drawing without constraints that lost their meaning when a part was cut, and points nothing stands on."""
    ids = {p.id for p in drawing.parts} | {p.id for p in drawing.points}
    kept = []
    for c in drawing.constraints:
        there = all(ref.partition("@")[0] in ids for ref in c.on)
        of_length = c.kind in _OF_LENGTH and part.id in c.on and isinstance(part, Line) and c.on != (part.id,) * 2
        whole = of_length and (len(c.on) == 1 or c.kind in ("equal", "middle"))
        if there and not whole and signature_fits(c.kind, letters(drawing, c.on)):
            kept.append(c)
    drawing = replace(drawing, constraints=tuple(kept))
    used = {p for e in drawing.parts for p in part_points(e)} | {ref for c in kept for ref in c.on}
    points = tuple(p for p in drawing.points if p.id in used or p.id not in part_points(part))
    return replace(drawing, points=points, spent=spent(drawing))


def _end_at(drawing: Drawing, key: Id, place: Array, places: Places) -> Id:
    """The end of a part that lies at a place, if one does."""
    ends = part_ends(find_part(drawing, key)) or ()
    size = size_of(drawing, places)
    return next((e for e in ends if float(np.hypot(*(places[e] - place))) < 1e-7 * size), "")


def stretch_of(part: Part, places: Places, t0: float, t1: float, a: Id, b: Id, key: Id) -> Part:
    """The part that runs from parameter t0 to t1 (through its seam when t1 <= t0), between points a and b."""
    match part:
        case Line():
            return Line(key, a, b, part.role)
        case Arc() | CirclePart():
            return Arc(key, part.centre, a, b, part.role)
        case Oval():
            return replace(part, id=key, a=a, b=b)
        case _:
            return _curve_stretch(part, places, t0, t1, a, b, key)


def _curve_stretch(part: Curve | Spline, places: Places, t0: float, t1: float, a: Id, b: Id, key: Id) -> Curve:
    """A stretch of a cubic as a curve with all its tangents held, which keeps its shape exactly."""
    if isinstance(part, Spline) and part.degree > 3:
        raise ProfileError("a curve by control points of degree over 3 cannot be cut; draw it through points")
    frame = frame_of(part)
    wide = frame.end - frame.start
    start, end = frame.start + wide * t0, frame.start + wide * t1
    if end <= start:
        end += wide
    knots = np.r_[frame.breaks, frame.breaks[1:] + wide]
    inner = knots[(knots > start + 1e-9 * wide) & (knots < end - 1e-9 * wide)]
    u = np.r_[start, inner, end]
    folded = frame.start + np.mod(u - frame.start, wide)
    folded[-1] = end if end <= frame.end else end - wide
    slopes = frame.row(folded, 1) @ sources(part, places) * (end - start)
    backs = np.ones(len(u))
    named: dict[float, Id] = {}
    if isinstance(part, Curve):
        named = dict(zip(part.params, part.points, strict=False))
        for t, h in zip(part.params, part.handles, strict=False):
            if h is not None:
                backs[np.abs(folded - t) < 1e-9] = h.back
    if not all(min((abs(t - n) for n in named), default=1.0) < 1e-9 for t in folded[1:-1].tolist()):
        raise ProfileError("cut a curve by control points by turning it into one through points first")
    inner_ids = [named[min(named, key=lambda n, t=t: abs(n - t))] for t in folded[1:-1].tolist()]  # type: ignore[misc]
    params = ((u - start) / (end - start)).tolist()
    handles = tuple(TangentHandle(float(x), float(y), float(k)) for (x, y), k in zip(slopes, backs, strict=True))
    return Curve(key, (a, *inner_ids, b), (0.0, *params[1:-1], 1.0), handles, False, part.role)


def extend(drawing: Drawing, key: Id, at: Array) -> Drawing:
    """A line's or arc's end nearest to `at` carried on to the next part it meets."""
    places = places_of(drawing)
    part = find_part(drawing, key)
    size = size_of(drawing, places)
    if not isinstance(part, Line | Arc):
        raise ProfileError("only lines and arcs can be carried on; draw the rest")
    end = int(np.argmin([np.hypot(*(places[p] - at)) for p in (part.a, part.b)]))
    onward = _onward(part, places, end, size)
    best: tuple[float, Id] | None = None
    for other in drawing.parts:
        if other.id != key:
            ahead = [float(t) for t in meets(onward, piece_of(other, places), size)[:, 0] if t > 1e-7]
            if ahead and (best is None or min(ahead) < best[0]):
                best = (min(ahead), other.id)
    if best is None:
        raise ProfileError("nothing lies ahead of this end; draw something to carry it on to")
    place = onward.at(np.array([best[0]]))[0]
    pen = Pen(drawing, assumed=True)
    here = _end_at(drawing, best[1], place, places) or pen.point(float(place[0]), float(place[1]))
    old = (part.a, part.b)[end]
    pen.put(replace(part, a=here) if end == 0 else replace(part, b=here))
    if here in pen.points and here not in places:
        pen.tie("on", here, best[1])
    made = pen.done()
    others = {p for e in made.parts for p in part_points(e)} | {r for c in made.constraints for r in c.on}
    made = replace(made, points=tuple(p for p in made.points if p.id != old or old in others), spent=spent(made))
    return _without_misfits(made, part) if isinstance(part, Line) else made


def _onward(part: Line | Arc, places: Places, end: int, size: float) -> CurvePiece:
    """What a line or arc would be beyond its end, from there."""
    a, b = places[part.a], places[part.b]
    if isinstance(part, Line):
        start, way = (b, b - a) if end else (a, a - b)
        far = {"from": start, "to": start + way / max(float(np.hypot(*way)), 1e-300) * 20.0 * size}
        return piece_of(Line("", "from", "to"), far)
    rest = piece_of(Arc("", "c", "a", "b"), {"c": places[part.centre], "a": b, "b": a})
    return rest if end else rest.reversed()


def _corner(drawing: Drawing, point: Id) -> tuple[Part, int, Part, int]:
    """The two parts that end at a point, and which of their ends."""
    here = [(p, e.index(point)) for p in drawing.parts if (e := part_ends(p)) is not None and point in e]
    if len(here) != 2:
        raise ProfileError(f"{len(here)} parts end at this point; a corner has two")
    return (*here[0], *here[1])


def _into(part: Part, places: Places, end: int) -> CurvePiece:
    """A part as a curve that runs away from its end."""
    piece = piece_of(part, places)
    return piece.reversed() if end else piece


def leaving(drawing: Drawing, point: Id) -> tuple[Id, Array]:
    """(the part that ends at a point, (2,) the direction in which it leaves there).

    Raises: ProfileError, when no part ends there, or several do.
    """
    here = [(p, e.index(point)) for p in drawing.parts if (e := part_ends(p)) is not None and point in e]
    if len(here) != 1:
        raise ProfileError("begin at the loose end of a line, arc or curve, so that there is something to go on from")
    part, end = here[0]
    slope = -_into(part, places_of(drawing), end).slope(np.zeros(1))[0]
    return part.id, slope / max(float(np.hypot(*slope)), 1e-300)


def round_corner(drawing: Drawing, point: Id, radius: float) -> Drawing:
    """A corner rounded: both parts cut back to where an arc of this radius touches them.

    Raises: ProfileError, when the arc does not fit.
    """
    a, end_a, b, end_b = _corner(drawing, point)
    places = places_of(drawing)
    first, second = _into(a, places, end_a), _into(b, places, end_b)
    size = size_of(drawing, places)
    best: tuple[float, float, float] | None = None
    for side_a in (1.0, -1.0):
        for side_b in (1.0, -1.0):
            one, two = beside(first, side_a * radius), beside(second, side_b * radius)
            for s, t in meets(one, two, size):
                apart = float(np.hypot(*(first.at(np.array([s]))[0] - second.at(np.array([t]))[0])))
                inside = 1e-9 < s < 1.0 - 1e-9 and 1e-9 < t < 1.0 - 1e-9 and apart > 1e-7 * size
                if inside and (best is None or s + t < best[0] + best[1]):
                    best = (float(s), float(t), side_a)
    if best is None:
        raise ProfileError(f"an arc of radius {radius:g} mm does not fit into this corner; use a smaller one")
    s, t, side = best
    centre = beside(first, side * radius).at(np.array([s]))[0]
    pen, p, q = _cut_back(drawing, point, (a, end_a, first, s), (b, end_b, second, t))
    middle = pen.point(float(centre[0]), float(centre[1]))
    u, v = places_at(pen, p) - centre, places_at(pen, q) - centre
    left = u[0] * v[1] - u[1] * v[0] > 0.0
    arc = pen.arc(middle, *((p, q) if left else (q, p)), a.role)
    for part in (a, b):
        if not isinstance(part, Oval):
            pen.tie("tangent", part.id, arc)
    pen.tie("radius", arc, value=radius)
    return pen.done()


def places_at(pen: Pen, key: Id) -> Array:
    """(2,) where a point of a pen's drawing stands."""
    return np.array([pen.points[key].x, pen.points[key].y])


def bevel_corner(drawing: Drawing, point: Id, length: float) -> Drawing:
    """A corner cut off by a line, `length` along both parts from it."""
    a, end_a, b, end_b = _corner(drawing, point)
    places = places_of(drawing)
    first, second = _into(a, places, end_a), _into(b, places, end_b)
    cut = [_along(piece, length) for piece in (first, second)]
    pen, p, q = _cut_back(drawing, point, (a, end_a, first, cut[0]), (b, end_b, second, cut[1]))
    pen.line(p, q, a.role)
    return pen.done()


def _along(piece: CurvePiece, length: float) -> float:
    """The parameter at a length from the start of a piece."""
    t = np.linspace(0.0, 1.0, 2001)
    run = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(piece.at(t), axis=0), axis=1))]
    if not 0.0 < length < run[-1]:
        raise ProfileError(f"{length:g} mm is not within this part, which is {run[-1]:.4g} mm long; use less")
    return float(np.interp(length, run, t))


def _cut_back(
    drawing: Drawing, point: Id, first: tuple[Part, int, CurvePiece, float], second: tuple[Part, int, CurvePiece, float]
) -> tuple[Pen, Id, Id]:
    """Two parts shortened at the corner they share; the corner stays as a construction point while something needs it."""
    places = places_of(drawing)
    pen = Pen(drawing, assumed=True)
    ends = []
    for part, end, piece, t in (first, second):
        place = piece.at(np.array([t]))[0]
        new = pen.point(float(place[0]), float(place[1]))
        other = part_ends(part)
        assert other is not None
        if end == 0:
            cut = stretch_of(part, places, t, 1.0, new, other[1], part.id)
        else:
            cut = stretch_of(part, places, 0.0, 1.0 - t, other[0], new, part.id)
        pen.put(cut)
        ends.append(new)
    needed = [c for c in drawing.constraints if point in c.on]
    parts = (first[0], second[0])
    if needed and all(isinstance(p, Line) for p in parts):
        for part in parts:
            pen.tie("on", point, part.id)
    else:
        del pen.points[point]
        for c in needed:
            del pen.constraints[c.id]
    lengths = [
        c
        for c in pen.constraints.values()
        if c.kind in _OF_LENGTH and len(c.on) == 1 and c.on[0] in {p.id for p in parts}
    ]
    for c in lengths:  # a side's length becomes the distance between the ends it had
        part = next(p for p in parts if p.id == c.on[0])
        old = part_ends(part)
        if old is not None and point in pen.points and isinstance(part, Line):
            pen.constraints[c.id] = replace(c, on=old)
        else:
            del pen.constraints[c.id]
    return pen, ends[0], ends[1]


def beside(piece: CurvePiece, distance: float) -> CurvePiece:
    """The curve at a distance to the left of a piece (negative: to the right)."""

    def at(t: Array) -> Array:
        slope = piece.slope(t)
        speed = np.maximum(np.hypot(slope[:, 0], slope[:, 1]), 1e-300)
        return piece.at(t) + distance / speed[:, None] * np.stack([-slope[:, 1], slope[:, 0]], axis=1)

    def slope(t: Array) -> Array:
        low, high = np.clip(t - 1e-6, 0.0, 1.0), np.clip(t + 1e-6, 0.0, 1.0)
        return (at(high) - at(low)) / (high - low)[:, None]

    return CurvePiece(piece.part, "line" if piece.kind == "line" else "curve", at, slope)


def parts_of(drawing: Drawing, keys: Iterable[Id]) -> list[Part]:
    """The parts among some ids. Raises: ProfileError, when there is none."""
    chosen = set(keys)
    found = [p for p in drawing.parts if p.id in chosen]
    if not found:
        raise ProfileError("choose lines, arcs or curves first")
    return found
