"""The drawing tools: what each asks for, step by step, and what it makes of the spots it is given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from isotomon.errors import ProfileError
from isotomon.profile import shapes
from isotomon.profile.change import leaving
from isotomon.profile.copies import similarity, transform
from isotomon.profile.curves import oval_axes
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing, Role, replace
from isotomon.profile.shapes import Spot


@dataclass
class Settings:
    """What the tools ask beside spots; kept from one use to the next."""

    role: Role = "shape"
    sides: float = 6.0
    points: float = 5.0
    ratio: float = 0.5
    radius: float = 5.0
    length: float = 3.0
    offset: float = 5.0
    count: float = 4.0
    clockwise: bool = False
    chosen: tuple[str, ...] = ()
    """what the tools that move things work on"""


Build = Callable[[Drawing, tuple[Spot, ...], Settings], Drawing]


@dataclass(frozen=True)
class DrawTool:
    """`prompts`: what each click means. An `open_end` tool takes as many spots as are given, until it is finished.

    `asks`: the settings it uses. `levels`: whether level and upright lines from the last spot are caught.
    """

    id: str
    title: str
    prompts: tuple[str, ...]
    build: Build
    open_end: bool = False
    asks: tuple[str, ...] = field(default=())
    levels: bool = True


def _line(drawing: Drawing, spots: tuple[Spot, ...], s: Settings) -> Drawing:
    return shapes.line(drawing, spots[0], spots[1], s.role)


def _ellipse_part(drawing: Drawing, spots: tuple[Spot, ...], s: Settings) -> Drawing:
    """An ellipse by centre, half axis and width, then the ends of the part of it that is drawn."""
    made = shapes.ellipse(drawing, spots[0], spots[1], spots[2], s.role)
    oval = made.parts[-1]
    pen = Pen(made)
    centre, major, minor = oval_axes(oval, {p.id: np.array([p.x, p.y]) for p in made.points})  # type: ignore[arg-type]
    ends = []
    for spot in spots[3:5]:
        away = spot.at - centre
        angle = np.arctan2(away @ minor / (minor @ minor), away @ major / (major @ major))
        place = centre + np.cos(angle) * major + np.sin(angle) * minor
        ends.append(spot.point if spot.point and np.allclose(place, spot.at) else pen.point(*place.tolist()))
    if len(ends) == 2:
        pen.put(replace(oval, a=ends[0], b=ends[1]))
    return pen.done()


def _arc_on(drawing: Drawing, spots: tuple[Spot, ...], s: Settings) -> Drawing:
    """An arc that goes on from the end of what is drawn, tangent to it."""
    start = spots[0]
    before, direction = leaving(drawing, start.point)
    return shapes.arc_tangent(drawing, start, direction, spots[1], before, s.role)


def _point(drawing: Drawing, spots: tuple[Spot, ...], s: Settings) -> Drawing:
    pen = Pen(drawing)
    shapes.put(pen, spots[0])
    return pen.done()


def _moved(drawing: Drawing, spots: tuple[Spot, ...], s: Settings) -> Drawing:
    return transform(drawing, s.chosen, np.eye(2), spots[1].at - spots[0].at)


def _about(drawing: Drawing, spots: tuple[Spot, ...], s: Settings, turn: bool) -> Drawing:
    """What is chosen turned or scaled about the first spot, from the second to the third."""
    pivot = spots[0].at
    a, b = spots[1].at - pivot, spots[2].at - pivot
    if not a.any() or not b.any():
        raise ProfileError("give two places away from the point it turns or grows about")
    angle = float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))
    matrix = similarity(angle) if turn else similarity(0.0, float(np.hypot(*b) / np.hypot(*a)))
    return transform(drawing, s.chosen, matrix, pivot - matrix @ pivot)


# fmt: off
DRAW_TOOLS: tuple[DrawTool, ...] = (
    DrawTool("draw-line", "Line", ("where it begins", "where it ends"), _line),
    DrawTool("draw-run", "Run of lines and arcs", ("where it begins", "the next corner (A: an arc, Enter: done)"), _line, open_end=True),
    DrawTool("draw-axis", "Centre line", ("where it begins", "where it ends"),
             lambda d, p, s: shapes.line(d, p[0], p[1], "centre")),
    DrawTool("arc-three", "Arc through three points", ("one end", "the other end", "a point it runs through"),
             lambda d, p, s: shapes.arc_through(d, p[0], p[1], p[2], s.role), levels=False),
    DrawTool("arc-centre", "Arc about a centre", ("its centre", "where it begins", "where it ends, counter-clockwise"),
             lambda d, p, s: shapes.arc_about(d, p[0], p[1], p[2], s.clockwise, s.role)),
    DrawTool("arc-tangent", "Arc that goes on", ("the end it goes on from", "where it ends"), _arc_on, levels=False),
    DrawTool("circle-centre", "Circle about a centre", ("its centre", "a point on it"),
             lambda d, p, s: shapes.circle(d, p[0], p[1], s.role), levels=False),
    DrawTool("circle-two", "Circle on a diameter", ("one end of a diameter", "the other end"),
             lambda d, p, s: shapes.circle_through(d, p, s.role)),
    DrawTool("circle-three", "Circle through three points", ("a point on it", "another", "a third"),
             lambda d, p, s: shapes.circle_through(d, p, s.role), levels=False),
    DrawTool("ellipse", "Ellipse", ("its centre", "the end of a half axis", "how wide it is"),
             lambda d, p, s: shapes.ellipse(d, p[0], p[1], p[2], s.role)),
    DrawTool("ellipse-part", "Part of an ellipse", ("its centre", "the end of a half axis", "how wide it is", "where it begins", "where it ends, counter-clockwise"),
             _ellipse_part),
    DrawTool("rectangle", "Rectangle by corners", ("one corner", "the opposite corner"),
             lambda d, p, s: shapes.rectangle_corners(d, p[0], p[1], s.role), levels=False),
    DrawTool("rectangle-centre", "Rectangle about its middle", ("its middle", "a corner"),
             lambda d, p, s: shapes.rectangle_about(d, p[0], p[1], s.role), levels=False),
    DrawTool("rectangle-three", "Rectangle on a side", ("one end of a side", "its other end", "how high it is"),
             lambda d, p, s: shapes.rectangle_three(d, p[0], p[1], p[2], s.role)),
    DrawTool("polygon", "Regular polygon", ("its centre", "a corner"),
             lambda d, p, s: shapes.polygon(d, p[0], p[1], round(s.sides), s.role), asks=("sides",)),
    DrawTool("star", "Star", ("its centre", "a tip"),
             lambda d, p, s: shapes.star(d, p[0], p[1], round(s.points), s.ratio, s.role), asks=("points", "ratio")),
    DrawTool("slot", "Straight slot", ("the middle of one end", "the middle of the other", "how wide it is"),
             lambda d, p, s: shapes.slot(d, p[0], p[1], p[2], s.role)),
    DrawTool("slot-curved", "Curved slot", ("the centre it bends about", "the middle of one end", "the other end, counter-clockwise", "how wide it is"),
             lambda d, p, s: shapes.slot_curved(d, p[0], p[1], p[2], p[3], s.role), levels=False),
    DrawTool("curve", "Smooth curve through points", ("where it begins", "the next point (Enter: done)"),
             lambda d, p, s: shapes.curve(d, p[:-1] if _closes(p) else p, _closes(p), s.role), open_end=True, levels=False),
    DrawTool("spline", "Smooth curve by control points", ("where it begins", "the next control point (Enter: done)"),
             lambda d, p, s: shapes.spline(d, p[:-1] if _closes(p) else p, _closes(p), s.role), open_end=True, levels=False),
    DrawTool("draw-point", "Point", ("where it stands",), _point),
    DrawTool("move", "Move what is chosen", ("from where", "to where"), _moved),
    DrawTool("turn", "Turn what is chosen", ("the point it turns about", "from which direction", "to which direction"),
             lambda d, p, s: _about(d, p, s, True), levels=False),
    DrawTool("scale", "Scale what is chosen", ("the point it grows about", "from which distance", "to which distance"),
             lambda d, p, s: _about(d, p, s, False), levels=False),
)
# fmt: on
BY_ID = {tool.id: tool for tool in DRAW_TOOLS}


def _closes(spots: tuple[Spot, ...]) -> bool:
    """Whether the last spot is the first again."""
    return len(spots) > 3 and bool(np.hypot(*(spots[-1].at - spots[0].at)) < 1e-9)
