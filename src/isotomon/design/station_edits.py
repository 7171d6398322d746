"""Edits of the stations and laws along bodies: functions from a design to a new one. What is named by its id is found in
whichever body it stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from isotomon.design.bodies import body_of, change_body, edit_bodies
from isotomon.design.body import Body
from isotomon.design.edits import add_drawing, changed, find, fresh_id, replace
from isotomon.design.law import Law
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.profile.draw_edits import next_name
from isotomon.profile.section import Drawn, Kept, Section


def find_station(design: Design, key: str) -> Station:
    """A station, of whichever body.

    Raises: DesignError.
    """
    return find(body_of(design, key).stations, key)


def change_station(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one station changed."""
    body = body_of(design, key)
    return change_body(design, body.id, stations=changed(body.stations, key, **changes))


def change_stations(design: Design, keys: tuple[str, ...], change: Callable[[Station], Station]) -> Design:
    """The design with several stations changed by one function."""

    def edit(body: Body) -> Body:
        return replace(body, stations=tuple(change(s) if s.id in keys else s for s in body.stations))

    return edit_bodies(design, edit)


def add_station(design: Design, body: str, station: Station) -> Design:
    """The design with one more station along a body. Its place in the list does not matter; its position does."""
    return change_body(design, body, stations=(*design.body(body).stations, station))


def remove_stations(design: Design, keys: tuple[str, ...]) -> Design:
    """The design without some stations, and without the law points, tie ends and points of curves that stood on them."""
    guides = []
    for guide in design.guides:
        points = tuple(p for p in guide.points if p.on.thing not in keys)
        guides.append(replace(guide, points=points) if len(points) > 1 else guide)
    return replace(edit_bodies(design, lambda body: _without(body, keys)), guides=tuple(guides))


def _without(body: Body, keys: tuple[str, ...]) -> Body:
    """A body without some stations, and without what is held on them."""
    if all(s.id not in keys for s in body.stations):
        return body
    laws = tuple(
        replace(law, points=tuple(p for p in law.points if p.station not in keys)) if law.points else law
        for law in body.laws
    )
    loft = body.loft
    rails = tuple(
        replace(
            r,
            ends=tuple(e for e in r.ends if e.station not in keys),
            follows=tuple(k for k in r.follows if k not in keys),
        )
        for r in loft.rails
    )
    ties = tuple(replace(t, ends=tuple(e for e in t.ends if e.station not in keys)) for t in loft.ties)
    turns = tuple(t for t in loft.turns if t.station not in keys)
    return replace(
        body,
        stations=tuple(s for s in body.stations if s.id not in keys),
        laws=tuple(law for law in laws if law.points or law.formula is not None),
        shaped=replace(loft, rails=rails, ties=tuple(t for t in ties if len(t.ends) > 1), turns=turns),
    )


def stand_on(design: Design, keys: tuple[str, ...], plane: str) -> Design:
    """Stations put on a datum plane (empty: back on their own position and tilts)."""
    return change_stations(design, keys, lambda s: replace(s, plane=plane))


def put_section(design: Design, keys: tuple[str, ...], section: Section) -> Design:
    """Another section at some stations. A drawing comes as large as drawn where the station has no size of its own."""

    def put(station: Station) -> Station:
        drawn = isinstance(section, Drawn)
        # A pivot typed for one kind of section stays; one that came with a kept section, or a drawing's, does not.
        pivot = station.pivot if not (isinstance(station.section, Kept) or drawn) else None
        chord = station.chord if station.chord is not None or drawn else 100.0
        return replace(station, section=section, pivot=pivot, chord=chord)

    return change_stations(design, keys, put)


def own_copy(design: Design, keys: tuple[str, ...]) -> Design:
    """Stations on a linked drawing given a copy of it each, to be changed on its own."""
    for key in keys:
        station = find_station(design, key)
        if not isinstance(station.section, Drawn):
            raise DesignError(f"station '{station.name}' has no drawing; draw its section first")
        old = find(design.drawings, station.section.drawing)
        name = next_name((d.name for d in design.drawings), station.name)
        copy = replace(old, id=fresh_id(design, "g"), name=name)
        design = add_drawing(design, copy)
        design = change_station(design, key, section=replace(station.section, drawing=copy.id))
    return design


def add_law(design: Design, body: str, law: Law) -> Design:
    """The design with one more law along a body."""
    return change_body(design, body, laws=(*design.body(body).laws, law))


def change_law(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one law changed."""
    body = body_of(design, key)
    return change_body(design, body.id, laws=changed(body.laws, key, **changes))


def remove_law(design: Design, key: str) -> Design:
    """The design without one law."""
    body = body_of(design, key)
    return change_body(design, body.id, laws=tuple(law for law in body.laws if law.id != key))
