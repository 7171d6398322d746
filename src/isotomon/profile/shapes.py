"""Shapes put on a drawing at once: their points, parts and the constraints that keep them what they are."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.profile.curves import spread
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing, Line, Role
from isotomon.profile.outline import Outline2D, Run
from isotomon.quantity.record import Id


class Spot(NamedTuple):
    """A place, and the point of the drawing that stands there, if one was caught."""

    x: float
    y: float
    point: Id = ""

    @property
    def at(self) -> Array:
        """(2,) mm."""
        return np.array([self.x, self.y])


def put(pen: Pen, spot: Spot) -> Id:
    """The point at a spot: the one caught there, or a new one."""
    return spot.point or pen.point(spot.x, spot.y)


def line(drawing: Drawing, a: Spot, b: Spot, role: Role = "shape") -> Drawing:
    """A line between two spots."""
    pen = Pen(drawing)
    pen.line(put(pen, a), put(pen, b), role)
    return pen.done()


def circumcentre(a: Array, b: Array, c: Array) -> Array:
    """(2,) the middle of the circle through three points. Raises: ProfileError, when they lie on a line."""
    system = 2.0 * np.array([b - a, c - a])
    if abs(np.linalg.det(system)) < 1e-12 * max(float(np.abs(system).max()) ** 2, 1e-300):
        raise ProfileError("the three points lie on one line; move one of them off it")
    return np.asarray(np.linalg.solve(system, [b @ b - a @ a, c @ c - a @ a]))


def arc_through(drawing: Drawing, a: Spot, b: Spot, through: Spot, role: Role = "shape") -> Drawing:
    """The arc from a to b through a third spot."""
    pen = Pen(drawing)
    centre = circumcentre(a.at, through.at, b.at)
    left = _left_of(a.at, b.at, through.at)
    start, end = put(pen, a), put(pen, b)
    middle = pen.point(float(centre[0]), float(centre[1]))
    pen.arc(middle, *((end, start) if left else (start, end)), role)
    return pen.done()


def _left_of(a: Array, b: Array, p: Array) -> bool:
    u, v = b - a, p - a
    return bool(u[0] * v[1] - u[1] * v[0] > 0.0)


def arc_about(
    drawing: Drawing, centre: Spot, a: Spot, b: Spot, clockwise: bool = False, role: Role = "shape"
) -> Drawing:
    """The arc about a centre from a towards b, where it ends."""
    pen = Pen(drawing)
    radius = float(np.hypot(*(a.at - centre.at)))
    way = b.at - centre.at
    if radius == 0.0 or not way.any():
        raise ProfileError("an arc's ends must stand away from its centre")
    at = centre.at + radius * way / np.hypot(*way)
    on = abs(float(np.hypot(*way)) - radius) < 1e-9 * radius
    end = b if b.point and on else Spot(float(at[0]), float(at[1]))
    middle, first, last = put(pen, centre), put(pen, a), put(pen, end)
    pen.arc(middle, *((last, first) if clockwise else (first, last)), role)
    return pen.done()


def arc_tangent(
    drawing: Drawing, start: Spot, direction: Array, end: Spot, before: Id = "", role: Role = "shape"
) -> Drawing:
    """The arc from `start`, leaving along `direction`, to `end`; tied tangent to part `before`."""
    chord = end.at - start.at
    normal = np.array([-direction[1], direction[0]])
    beside = 2.0 * float(chord @ normal)
    if abs(beside) <= 1e-9 * float(np.hypot(*chord)):
        raise ProfileError("the end lies straight ahead; draw a line, or move the end aside")
    centre = start.at + normal * float(chord @ chord) / beside
    pen = Pen(drawing)
    first, last, middle = put(pen, start), put(pen, end), pen.point(float(centre[0]), float(centre[1]))
    key = pen.arc(middle, *((first, last) if beside > 0.0 else (last, first)), role)
    if before:
        pen.tie("tangent", before, key)
    return pen.done()


def circle(drawing: Drawing, centre: Spot, rim: Spot, role: Role = "shape") -> Drawing:
    """The circle about a centre through a spot; a point caught there stays on it."""
    pen = Pen(drawing)
    key = pen.ring(put(pen, centre), _apart(centre, rim), role)
    if rim.point:
        pen.tie("on", rim.point, key)
    return pen.done()


def circle_through(drawing: Drawing, spots: tuple[Spot, ...], role: Role = "shape") -> Drawing:
    """The circle through three spots, or on two as its diameter; points caught stay on it."""
    if len(spots) == 2:
        middle = (spots[0].at + spots[1].at) / 2.0
    else:
        middle = circumcentre(*(s.at for s in spots))
    pen = Pen(drawing)
    centre = Spot(float(middle[0]), float(middle[1]))
    key = pen.ring(put(pen, centre), _apart(centre, spots[0]), role)
    for spot in spots:
        if spot.point:
            pen.tie("on", spot.point, key)
    return pen.done()


def _apart(a: Spot, b: Spot) -> float:
    radius = float(np.hypot(*(a.at - b.at)))
    if radius == 0.0:
        raise ProfileError("two different places are needed; a circle of radius nought cannot be drawn")
    return radius


def ellipse(drawing: Drawing, centre: Spot, major: Spot, beside: Spot, role: Role = "shape") -> Drawing:
    """The ellipse about a centre with one half axis to `major` and the other as long as `beside` is off it."""
    pen = Pen(drawing)
    axis = major.at - centre.at
    size = _apart(centre, major)
    away = beside.at - centre.at
    minor = abs(float(axis[0] * away[1] - axis[1] * away[0])) / size
    pen.oval(put(pen, centre), put(pen, major), max(minor, 1e-3 * size), role=role)
    return pen.done()


def rectangle(drawing: Drawing, corners: tuple[Spot, Spot, Spot, Spot], level: bool, role: Role = "shape") -> Drawing:
    """Four lines round four corners, kept level, or square to one another."""
    pen = Pen(drawing, assumed=True)
    if min(_apart(a, b) for a, b in zip(corners, corners[1:], strict=False)) == 0.0:
        raise ProfileError("a rectangle needs some width and height")
    points = [put(pen, c) for c in corners]
    lines = [pen.line(points[k], points[(k + 1) % 4], role) for k in range(4)]
    if level:
        for k, kind in enumerate(("horizontal", "vertical", "horizontal", "vertical")):
            pen.tie(kind, lines[k])  # type: ignore[arg-type]
    else:
        for k in range(3):
            pen.tie("square", lines[k], lines[k + 1])
    return pen.done()


def rectangle_corners(drawing: Drawing, a: Spot, c: Spot, role: Role = "shape") -> Drawing:
    """The level rectangle between two opposite corners."""
    return rectangle(drawing, (a, Spot(c.x, a.y), c, Spot(a.x, c.y)), True, role)


def rectangle_about(drawing: Drawing, centre: Spot, corner: Spot, role: Role = "shape") -> Drawing:
    """The level rectangle about a centre, which stays the middle of its diagonal."""
    opposite = Spot(2 * centre.x - corner.x, 2 * centre.y - corner.y)
    made = rectangle_corners(drawing, opposite, corner, role)
    pen = Pen(made, assumed=True)
    sides = made.parts[-4:]
    assert isinstance(sides[0], Line) and isinstance(sides[1], Line)
    pen.tie("middle", put(pen, centre), sides[0].a, sides[1].b)
    return pen.done()


def rectangle_three(drawing: Drawing, a: Spot, b: Spot, beside: Spot, role: Role = "shape") -> Drawing:
    """The rectangle on side a–b, as high as `beside` is off it."""
    along = b.at - a.at
    normal = np.array([-along[1], along[0]]) / _apart(a, b)
    up = normal * float((beside.at - a.at) @ normal)
    c, d = b.at + up, a.at + up
    return rectangle(drawing, (a, b, Spot(*c.tolist()), Spot(*d.tolist())), False, role)


def polygon(drawing: Drawing, centre: Spot, corner: Spot, sides: int, role: Role = "shape") -> Drawing:
    """A regular polygon about a centre: its corners on a circle, its sides equal."""
    return _on_rings(drawing, centre, corner, sides, None, role)


def star(drawing: Drawing, centre: Spot, tip: Spot, points: int, ratio: float, role: Role = "shape") -> Drawing:
    """A star about a centre: its tips on one circle, the corners between on another, its sides equal."""
    return _on_rings(drawing, centre, tip, points, ratio, role)


def _on_rings(drawing: Drawing, centre: Spot, first: Spot, count: int, ratio: float | None, role: Role) -> Drawing:
    if not 3 <= count <= 60:
        raise ProfileError(f"{count} corners were asked for; use 3 to 60")
    pen = Pen(drawing, assumed=True)
    radius, away = _apart(centre, first), first.at - centre.at
    start = float(np.arctan2(away[1], away[0]))
    middle = put(pen, centre)
    radii = [radius] if ratio is None else [radius, radius * ratio]
    rings = [pen.ring(middle, r, "construction") for r in radii]
    total = count * len(radii)
    keys = []
    for k in range(total):
        angle = start + 2 * np.pi * k / total
        at = centre.at + radii[k % len(radii)] * np.array([np.cos(angle), np.sin(angle)])
        keys.append(put(pen, first if k == 0 else Spot(*at.tolist())))
        pen.tie("on", keys[-1], rings[k % len(radii)])
    sides = [pen.line(keys[k], keys[(k + 1) % total], role) for k in range(total)]
    for side in sides[1:]:
        pen.tie("equal", sides[0], side)
    return pen.done()


def slot(drawing: Drawing, a: Spot, b: Spot, rim: Spot, role: Role = "shape") -> Drawing:
    """A straight slot: two half circles about a and b, joined by tangents; as wide as `rim` is off the middle line."""
    along = (b.at - a.at) / _apart(a, b)
    normal = np.array([-along[1], along[0]])
    r = abs(float((rim.at - a.at) @ normal))
    if r == 0.0:
        raise ProfileError("a slot needs some width; place its third point off the middle line")
    pen = Pen(drawing, assumed=True)
    ca, cb = put(pen, a), put(pen, b)
    low_a, low_b, up_b, up_a = (
        pen.point(*p.tolist()) for p in (a.at - r * normal, b.at - r * normal, b.at + r * normal, a.at + r * normal)
    )
    parts = [
        pen.line(low_a, low_b, role),
        pen.arc(cb, low_b, up_b, role),
        pen.line(up_b, up_a, role),
        pen.arc(ca, up_a, low_a, role),
    ]
    for k in range(4):
        pen.tie("tangent", parts[k], parts[(k + 1) % 4])
    pen.tie("equal", parts[1], parts[3])
    return pen.done()


def slot_curved(drawing: Drawing, centre: Spot, a: Spot, b: Spot, rim: Spot, role: Role = "shape") -> Drawing:
    """A slot bent about a centre from a counter-clockwise to b; as wide as `rim` is off the middle arc."""
    mid = _apart(centre, a)
    r = abs(float(np.hypot(*(rim.at - centre.at))) - mid)
    if not 0.0 < r < mid:
        raise ProfileError("the slot's half width must be greater than nought and less than its radius")
    ua, ub = (a.at - centre.at) / mid, (b.at - centre.at) / _apart(centre, b)
    end = centre.at + mid * ub
    pen = Pen(drawing, assumed=True)
    c, ca = put(pen, centre), put(pen, a)
    cb = put(pen, b if b.point and np.allclose(b.at, end) else Spot(*end.tolist()))
    at = [centre.at + (mid + s * r) * u for u in (ua, ub) for s in (1.0, -1.0)]
    oa, ia, ob, ib = (pen.point(*p.tolist()) for p in at)
    parts = [pen.arc(c, oa, ob, role), pen.arc(cb, ob, ib, role), pen.arc(c, ia, ib, role), pen.arc(ca, ia, oa, role)]
    for k in range(4):
        pen.tie("tangent", parts[k], parts[(k + 1) % 4])
    return pen.done()


def curve(drawing: Drawing, spots: tuple[Spot, ...], closed: bool = False, role: Role = "shape") -> Drawing:
    """A smooth curve through spots."""
    if len(spots) < (3 if closed else 2):
        raise ProfileError(f"a smooth curve needs {3 if closed else 2} points or more")
    pen = Pen(drawing)
    params = spread(np.array([s.at for s in spots]), closed)
    pen.curve([put(pen, s) for s in spots], params, closed, role=role)
    return pen.done()


def spline(drawing: Drawing, spots: tuple[Spot, ...], closed: bool = False, role: Role = "shape") -> Drawing:
    """A smooth curve by control points: of degree 3, or less when there are few."""
    degree = min(3, len(spots) - 1)
    if degree < 1 or (closed and len(spots) < 3):
        raise ProfileError("a curve by control points needs two of them, closed three")
    pen = Pen(drawing)
    pen.spline([put(pen, s) for s in spots], degree, closed, role)
    return pen.done()


def from_outline(drawing: Drawing, outline: Outline2D, width: float, tolerance: float = 1e-5) -> Drawing:
    """An outline of chord 1 as drawn geometry `width` mm wide: lines stay lines, the rest become smooth curves that
    follow it within `tolerance` of the chord.
    """
    pen = Pen(drawing)
    if outline.smooth:
        points, params = _through(outline.runs[0], tolerance)
        keys = [pen.point(*(width * p).tolist()) for p in points[:-1]]
        pen.curve(keys, params, closed=True)
        return pen.done()
    corners = [pen.point(*(width * run.control[0]).tolist()) for run in outline.runs]
    if len(corners) == 1:  # one corner, as at a sharp trailing edge: the run begins and ends on it
        points, params = _through(outline.runs[0], tolerance)
        end = pen.point(*(width * points[-1]).tolist())
        inner = [pen.point(*(width * p).tolist()) for p in points[1:-1]]
        pen.curve([corners[0], *inner, end], params)
        pen.tie("coincident", corners[0], end)
        return pen.done()
    for k, run in enumerate(outline.runs):
        a, b = corners[k], corners[(k + 1) % len(corners)]
        if run.basis.degree == 1:
            pen.line(a, b)
        else:
            points, params = _through(run, tolerance)
            pen.curve([a, *(pen.point(*(width * p).tolist()) for p in points[1:-1]), b], params)
    return pen.done()


def _through(run: Run, tolerance: float) -> tuple[Array, tuple[float, ...]]:
    """Points (n, 2) of a run and their parameters (shares of its length) such that the cubic through them follows it."""
    probe = np.linspace(0.0, 1.0, 1501)
    want = run.points(probe)
    ends = "periodic" if run.basis.periodic else "natural"
    count = 12
    while True:
        share = np.linspace(0.0, 1.0, count + 1)
        points = run.points(share)
        if run.basis.periodic:
            points[-1] = points[0]
        error = float(np.abs(CubicSpline(share, points, bc_type=ends)(probe) - want).max())
        if error < tolerance or count >= 160:
            share[-1] = 1.0
            return points, tuple(share.tolist())
        count = int(count * 1.4) + 1
