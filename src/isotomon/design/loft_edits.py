"""Edits of guides, rails and ties: functions from a design to a new one."""

from __future__ import annotations

import math
from typing import Any

from isotomon.design.edits import add_law, change_loft, find, fresh_id, next_name, replace
from isotomon.design.guides import End, Guide, GuidePoint, Rail, Tie, Turns
from isotomon.design.records import Design, Law, LawPoint, Loft, Station
from isotomon.design.uses import users
from isotomon.errors import DesignError
from isotomon.quantity import Value


def add_guide(design: Design, guide: Guide) -> Design:
    """The design with one more guide."""
    return replace(design, guides=(*design.guides, guide))


def change_guide(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one guide changed."""
    find(design.guides, key)
    return replace(design, guides=tuple(replace(g, **changes) if g.id == key else g for g in design.guides))


def set_guide_value(design: Design, key: str, index: int, value: Value) -> Design:
    """The design with one number of a guide changed."""
    values = list(find(design.guides, key).values)
    values[index] = value
    return change_guide(design, key, values=tuple(values))


def set_guide_choice(design: Design, key: str, index: int, choice: str) -> Design:
    """The design with one choice of a guide made otherwise."""
    choices = list(find(design.guides, key).choices)
    choices[index] = choice
    return change_guide(design, key, choices=tuple(choices))


def set_guide_point(design: Design, key: str, index: int, **changes: Any) -> Design:
    """The design with one point of a guide changed."""
    points = list(find(design.guides, key).points)
    points[index] = replace(points[index], **changes)
    return change_guide(design, key, points=tuple(points))


def remove_guide(design: Design, key: str) -> Design:
    """The design without a guide, and without the rails it was.

    Raises: DesignError, saying what else is made from it.
    """

    def without(loft: Loft) -> Loft:
        return replace(loft, rails=tuple(r for r in loft.rails if r.guide != key))

    freed = replace(
        design,
        loft=without(design.loft),
        rest=tuple(replace(p, loft=without(p.loft)) for p in design.rest),
    )
    found = users(freed, key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} is made from '{find(design.guides, key).name}'; change that first")
    return replace(freed, guides=tuple(g for g in design.guides if g.id != key))


def mirror_guide(design: Design, key: str, plane: str) -> Design:
    """The design with a guide's twin on the other side of a plane; a rail's twin is a rail too."""
    guide = find(design.guides, key)
    twin = Guide(
        fresh_id(design, "u"), next_name((g.name for g in design.guides), guide.name), "mirrored", (key, plane)
    )
    design = add_guide(design, twin)
    return add_rail(design, twin.id) if any(r.guide == key for r in design.loft.rails) else design


# Rails


def add_rail(design: Design, guide: str) -> Design:
    """The loft with one more rail.

    Raises: DesignError, when the guide is a rail already.
    """
    if any(r.guide == guide for r in design.loft.rails):
        raise DesignError("this guide is a rail of the loft already")
    return change_loft(design, rails=(*design.loft.rails, Rail(fresh_id(design, "r"), guide)))


def remove_rail(design: Design, key: str) -> Design:
    """The loft without a rail; the guide stays."""
    return change_loft(design, rails=tuple(r for r in design.loft.rails if r.id != key))


def change_rail(design: Design, key: str, **changes: Any) -> Design:
    """The loft with fields of one rail changed."""
    find(design.loft.rails, key)
    return change_loft(design, rails=tuple(replace(r, **changes) if r.id == key else r for r in design.loft.rails))


def follow(design: Design, key: str, station: str, on: bool = True) -> Design:
    """Let a profile's point follow a rail where that misses it, or hold the rail to it again."""
    rail = find(design.loft.rails, key)
    rest = tuple(s for s in rail.follows if s != station)
    return change_rail(design, key, follows=(*rest, station) if on else rest)


def move_rail_end(design: Design, key: str, end: End) -> Design:
    """A rail meets a profile elsewhere: a guide through a point of that profile is led through there, any other is tied
    to the place."""
    rail = find(design.loft.rails, key)
    guide = next((g for g in design.guides if g.id == rail.guide), None)
    for k, p in enumerate(guide.points if guide is not None and guide.kind == "through" else ()):
        if p.on.split("/")[0] == end.station:
            part = f"c:{end.corner}" if end.corner else f"at:{end.share:.9g}"
            return set_guide_point(design, rail.guide, k, on=f"{end.station}/{part}")
    rest = tuple(e for e in rail.ends if e.station != end.station)
    return change_rail(design, key, ends=(*rest, end))


def lengthen(design: Design, key: str, first: float, last: float, backward: bool) -> Design:
    """A rail's guide lengthened so far that it reaches both ends of the body, with a little to spare; mm."""
    rail = find(design.loft.rails, key)
    low, high = 1.5 * first + (0.5 if first else 0.0), 1.5 * last + (0.5 if last else 0.0)
    values = (high, low) if backward else (low, high)
    name = next_name((g.name for g in design.guides), "longer guide")
    made = Guide(fresh_id(design, "u"), name, "extended", (rail.guide,), values)
    return change_rail(add_guide(design, made), key, guide=made.id)


def pass_point(design: Design, key: str, on: str, place: tuple[float, float, float]) -> Design:
    """A guide through points made to pass a profile's point: its own point at that station moves there, or a new one
    is put in where it belongs along the guide."""
    guide = find(design.guides, key)
    station = on.split("/")[0]
    made = GuidePoint(on=on)
    points = list(guide.points)
    for k, p in enumerate(points):
        if p.on.split("/")[0] == station:
            points[k] = replace(p, on=on, x=0.0, y=0.0, z=0.0)
            return change_guide(design, key, points=tuple(points))
    return change_guide(design, key, points=tuple(_put_in(design, points, made, place[2])))


def _put_in(design: Design, points: list[GuidePoint], made: GuidePoint, height: float) -> list[GuidePoint]:
    """A point among others by position along the body; a free point close by gives way to it."""
    known = {s.id: s.position for s in design.stations}

    def level(p: GuidePoint) -> float:
        base = known.get(p.on.split("/")[0], 0.0)
        return (base if isinstance(base, float) else 0.0) + (p.z if isinstance(p.z, float) else 0.0)

    levels = [level(p) for p in points]
    near = [k for k, p in enumerate(points) if not p.on and abs(levels[k] - height) < 1e-6 * max(abs(height), 1.0)]
    if near:
        return [made if k == near[0] else p for k, p in enumerate(points)]
    rising = len(levels) < 2 or levels[-1] >= levels[0]
    at = sum(z < height if rising else z > height for z in levels)
    return [*points[:at], made, *points[at:]]


def change_ending(design: Design, which: str, **changes: Any) -> Design:
    """The loft with one end (`first` or `last`) ending otherwise."""
    return change_loft(design, **{which: replace(getattr(design.loft, which), **changes)})


# Ties


def set_tie(design: Design, key: str, end: End) -> Design:
    """The design with one end of a tie where it is wanted."""
    tie = find(design.loft.ties, key)
    ends = (*(e for e in tie.ends if e.station != end.station), end)
    return change_loft(design, ties=tuple(replace(t, ends=ends) if t.id == key else t for t in design.loft.ties))


def add_tie(design: Design, ends: tuple[End, ...]) -> Design:
    """The design with one more tie set by hand."""
    return change_loft(design, ties=(*design.loft.ties, Tie(fresh_id(design, "t"), ends)))


def let_go_end(design: Design, key: str, station: str) -> Design:
    """The design with a tie or rail no longer held on a station's profile; a tie that then holds nothing goes."""

    def loose(record: Any) -> Any:
        return (
            replace(record, ends=tuple(e for e in record.ends if e.station != station)) if record.id == key else record
        )

    ties = tuple(t for t in map(loose, design.loft.ties) if t.ends)
    return change_loft(design, ties=ties, rails=tuple(map(loose, design.loft.rails)))


def remove_ties(design: Design, keys: tuple[str, ...] | None = None) -> Design:
    """The design without some ties set by hand, or without any: the automatic ones take over."""
    left = () if keys is None else tuple(t for t in design.loft.ties if t.id not in keys)
    return change_loft(design, ties=left)


def intend_turn(design: Design, points: tuple[LawPoint, ...]) -> Design:
    """A law that asks for the turn the body has at its stations."""
    name = next_name((law.name for law in design.laws), "turn")
    law = Law(fresh_id(design, "law"), name, "turn", math.radians(0.5), points=points)
    return add_law(design, law)


def exchange(design: Design, first: str, second: str) -> Design:
    """Two stations that change places: each takes the other's position, plane and tilts, and keeps its section, size and
    angle."""
    a, b = find(design.stations, first), find(design.stations, second)
    places = ("position", "plane", "tilt_x", "tilt_y", "rank")

    def moved(station: Station, other: Station) -> Station:
        return replace(station, **{name: getattr(other, name) for name in places})

    swap = {first: moved(a, b), second: moved(b, a)}
    return replace(design, stations=tuple(swap.get(s.id, s) for s in design.stations))


def set_turns(design: Design, station: str, turns: int) -> Design:
    """Whole turns between a station and the one before it.

    Raises: DesignError, for more than a hundred.
    """
    if abs(turns) > 100:
        raise DesignError(f"{turns} whole turns between two stations are too many; use at most 100")
    rest = tuple(t for t in design.loft.turns if t.station != station)
    return change_loft(design, turns=(*rest, Turns(station, turns)) if turns else rest)
