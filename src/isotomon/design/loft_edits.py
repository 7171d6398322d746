"""Edits of guides, rails and ties: functions from a design to a new one."""

from __future__ import annotations

import math
from typing import Any

from isotomon.design.bodies import body_of, change_body, change_loft, edit_bodies, stations_of_all
from isotomon.design.body import Body, Span
from isotomon.design.edits import changed, find, fresh_id, replace
from isotomon.design.guides import End, Guide, GuidePoint, Rail, Tie, Turns
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.design.station_edits import add_law
from isotomon.design.walk import users
from isotomon.errors import DesignError
from isotomon.profile.draw_edits import next_name
from isotomon.quantity.record import Ref, refs


def add_guide(design: Design, guide: Guide) -> Design:
    """The design with one more guide."""
    return replace(design, guides=(*design.guides, guide))


def change_guide(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one guide changed."""
    return replace(design, guides=changed(design.guides, key, **changes))


def set_guide_point(design: Design, key: str, index: int, **changes: Any) -> Design:
    """The design with one point of a guide changed."""
    points = list(find(design.guides, key).points)
    points[index] = replace(points[index], **changes)
    return change_guide(design, key, points=tuple(points))


def remove_guide(design: Design, key: str) -> Design:
    """The design without a guide, and without the rails it was.

    Raises: DesignError, saying what else is made from it.
    """

    def without(body: Body) -> Body:
        rails = tuple(r for r in body.loft.rails if r.guide != key)
        return replace(body, shaped=replace(body.loft, rails=rails)) if len(rails) < len(body.loft.rails) else body

    freed = edit_bodies(design, without)
    found = users(freed, key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} is made from '{find(design.guides, key).name}'; change that first")
    return replace(freed, guides=tuple(g for g in design.guides if g.id != key))


def mirror_guide(design: Design, key: str, plane: str) -> Design:
    """The design with a guide's twin on the other side of a plane; a rail's twin is a rail too."""
    guide = find(design.guides, key)
    twin = Guide(
        fresh_id(design, "u"), next_name((g.name for g in design.guides), guide.name), "mirrored", refs(key, plane)
    )
    design = add_guide(design, twin)
    for body in design.bodies:
        if any(r.guide == key for r in body.loft.rails):
            design = add_rail(design, body.id, twin.id)
    return design


# Rails


def add_rail(design: Design, body: str, guide: str) -> Design:
    """A body with one more rail.

    Raises: DesignError, when the guide is a rail of it already.
    """
    rails = design.body(body).loft.rails
    if any(r.guide == guide for r in rails):
        raise DesignError("this guide is a rail of the loft already")
    return change_loft(design, body, rails=(*rails, Rail(fresh_id(design, "r"), Ref(guide))))


def remove_rail(design: Design, key: str) -> Design:
    """The design without a rail; the guide stays."""
    body = body_of(design, key)
    return change_loft(design, body.id, rails=tuple(r for r in body.loft.rails if r.id != key))


def change_rail(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one rail changed."""
    body = body_of(design, key)
    return change_loft(design, body.id, rails=changed(body.loft.rails, key, **changes))


def follow(design: Design, key: str, station: str, on: bool = True) -> Design:
    """Let a profile's point follow a rail where that misses it, or hold the rail to it again."""
    rail = find(body_of(design, key).loft.rails, key)
    rest = tuple(s for s in rail.follows if s != station)
    return change_rail(design, key, follows=(*rest, station) if on else rest)


def move_rail_end(design: Design, key: str, end: End) -> Design:
    """A rail meets a profile elsewhere: a guide through a point of that profile is led through there, any other is tied
    to the place."""
    rail = find(body_of(design, key).loft.rails, key)
    guide = next((g for g in design.guides if g.id == rail.guide), None)
    for k, p in enumerate(guide.points if guide is not None and guide.kind == "through" else ()):
        if p.on.thing == end.station:
            part = f"c:{end.corner}" if end.corner else f"at:{end.share:.9g}"
            return set_guide_point(design, rail.guide, k, on=f"{end.station}/{part}")
    rest = tuple(e for e in rail.ends if e.station != end.station)
    return change_rail(design, key, ends=(*rest, end))


def lengthen(design: Design, key: str, first: float, last: float, backward: bool) -> Design:
    """A rail's guide lengthened so far that it reaches both ends of the body, with a little to spare; mm."""
    rail = find(body_of(design, key).loft.rails, key)
    low, high = 1.5 * first + (0.5 if first else 0.0), 1.5 * last + (0.5 if last else 0.0)
    values = (high, low) if backward else (low, high)
    name = next_name((g.name for g in design.guides), "longer guide")
    made = Guide(fresh_id(design, "u"), name, "extended", (rail.guide,), values)
    return change_rail(add_guide(design, made), key, guide=made.id)


def pass_point(design: Design, key: str, on: str, place: tuple[float, float, float]) -> Design:
    """A guide through points made to pass a profile's point: its own point at that station moves there, or a new one
    is put in where it belongs along the guide."""
    guide = find(design.guides, key)
    made = GuidePoint(on=Ref(on))
    points = list(guide.points)
    for k, p in enumerate(points):
        if p.on.thing == made.on.thing:
            points[k] = replace(p, on=on, x=0.0, y=0.0, z=0.0)
            return change_guide(design, key, points=tuple(points))
    return change_guide(design, key, points=tuple(_put_in(design, points, made, place[2])))


def _put_in(design: Design, points: list[GuidePoint], made: GuidePoint, height: float) -> list[GuidePoint]:
    """A point among others by position along the body; a free point close by gives way to it."""
    known = {s.id: s.position for s in stations_of_all(design)}

    def level(p: GuidePoint) -> float:
        base = known.get(p.on.thing, 0.0)
        return (base if isinstance(base, float) else 0.0) + (p.z if isinstance(p.z, float) else 0.0)

    levels = [level(p) for p in points]
    near = [k for k, p in enumerate(points) if not p.on and abs(levels[k] - height) < 1e-6 * max(abs(height), 1.0)]
    if near:
        return [made if k == near[0] else p for k, p in enumerate(points)]
    rising = len(levels) < 2 or levels[-1] >= levels[0]
    at = sum(z < height if rising else z > height for z in levels)
    return [*points[:at], made, *points[at:]]


# Ties


def set_tie(design: Design, key: str, end: End) -> Design:
    """The design with one end of a tie where it is wanted."""
    body = body_of(design, key)
    ends = (*(e for e in find(body.loft.ties, key).ends if e.station != end.station), end)
    return change_loft(design, body.id, ties=changed(body.loft.ties, key, ends=ends))


def add_tie(design: Design, body: str, ends: tuple[End, ...]) -> Design:
    """A body with one more tie set by hand."""
    return change_loft(design, body, ties=(*design.body(body).loft.ties, Tie(fresh_id(design, "t"), ends)))


def let_go_end(design: Design, key: str, station: str) -> Design:
    """The design with a tie or rail no longer held on a station's profile; a tie that then holds nothing goes."""

    def loose(record: Any) -> Any:
        return (
            replace(record, ends=tuple(e for e in record.ends if e.station != station)) if record.id == key else record
        )

    body = body_of(design, key)
    ties = tuple(t for t in map(loose, body.loft.ties) if t.ends)
    return change_loft(design, body.id, ties=ties, rails=tuple(map(loose, body.loft.rails)))


def remove_ties(design: Design, body: str, keys: tuple[str, ...] | None = None) -> Design:
    """A body without some ties set by hand, or without any: the automatic ones take over."""
    left = () if keys is None else tuple(t for t in design.body(body).loft.ties if t.id not in keys)
    return change_loft(design, body, ties=left)


def intend_turn(design: Design, body: str, points: tuple[LawPoint, ...]) -> Design:
    """A law that asks for the turn a body has at its stations."""
    name = next_name((law.name for law in design.body(body).laws), "turn")
    law = Law(fresh_id(design, "law"), name, "turn", math.radians(0.5), points=points)
    return add_law(design, body, law)


def exchange(design: Design, first: str, second: str) -> Design:
    """Two stations of a body that change places: each takes the other's position, plane and tilts, and keeps its section,
    size and angle."""
    body = body_of(design, first)
    a, b = find(body.stations, first), find(body.stations, second)
    places = ("position", "plane", "tilt_x", "tilt_y", "rank")

    def moved(station: Station, other: Station) -> Station:
        return replace(station, **{name: getattr(other, name) for name in places})

    swap = {first: moved(a, b), second: moved(b, a)}
    return change_body(design, body.id, stations=tuple(swap.get(s.id, s) for s in body.stations))


def set_turns(design: Design, station: str, turns: int) -> Design:
    """Whole turns between a station and the one before it.

    Raises: DesignError, for more than a hundred.
    """
    if abs(turns) > 100:
        raise DesignError(f"{turns} whole turns between two stations are too many; use at most 100")
    body = body_of(design, station)
    rest = tuple(t for t in body.loft.turns if t.station != station)
    return change_loft(design, body.id, turns=(*rest, Turns(Ref(station), turns)) if turns else rest)


def change_span(design: Design, key: str, **changes: Any) -> Design:
    """A body reaching otherwise; a reach of nothing on a loft of stations is none."""
    body = design.body(key)
    span: Span = replace(body.loft.span or Span(), **changes)
    nothing = span == Span() and len(body.stations) > 1
    return change_loft(design, key, span=None if nothing else span)


def change_side(design: Design, key: str, side: str) -> Design:
    """The wall of a body on another side of its profiles."""
    wall = design.body(key).loft.wall
    return design if wall is None else change_loft(design, key, wall=replace(wall, side=side))


def change_along(design: Design, key: str, **changes: Any) -> Design:
    """A body with something else changing along it."""
    return change_loft(design, key, along=replace(design.body(key).loft.along, **changes))
