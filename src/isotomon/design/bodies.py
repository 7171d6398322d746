"""Several bodies in one design. One is in hand: its loft, stations and laws are the design's own, those of the others rest.

Edits act on the body in hand; `in_hand` takes another one up. Nothing but this order changes by that.
"""

from __future__ import annotations

from collections.abc import Callable

from isotomon.design.edits import find, fresh_id, next_name, replace
from isotomon.design.records import BodyEnd, Circle, Design, Ending, Imported, Loft, Part, Station
from isotomon.design.resolve import resolve_design
from isotomon.design.uses import users
from isotomon.errors import DesignError


def body_ids(design: Design) -> tuple[str, ...]:
    """The ids of all bodies in their order."""
    return tuple(p.loft.id for p in design.parts)


def in_hand(design: Design, key: str) -> Design:
    """The design with another body in hand.

    Raises: DesignError.
    """
    if key == design.loft.id:
        return design
    everything = design.parts
    at = next((k for k, p in enumerate(everything) if p.loft.id == key), None)
    if at is None:
        raise DesignError(f"the design has no body '{key}'")
    taken = everything[at]
    rest = (*everything[:at], *everything[at + 1 :])
    return replace(design, loft=taken.loft, stations=taken.stations, laws=taken.laws, rest=rest, place=at)


def edit_body(design: Design, key: str, edit: Callable[[Design], Design]) -> Design:
    """An edit made on a body, whichever is in hand; the same one is in hand afterwards, if it is still there."""
    now = design.loft.id
    changed = edit(in_hand(design, key))
    return in_hand(changed, now) if now in body_ids(changed) else changed


def body_of(design: Design, key: str) -> str:
    """The id of the body to which a station, law, rail or tie belongs; of the one in hand for anything else."""
    for part in design.rest:
        groups = (part.stations, part.laws, part.loft.rails, part.loft.ties)
        if key == part.loft.id or any(entry.id == key for group in groups for entry in group):
            return part.loft.id
    return design.loft.id


def add_body(design: Design, name: str = "", stations: tuple[Station, ...] | None = None) -> Design:
    """The design with one more body, two round stations where none are given, and that in hand."""
    taken = {p.loft.name for p in design.parts}
    label = name if name and name not in taken else next_name(taken, name or "body")
    key = fresh_id(design, "b")
    everything = design.parts
    made = replace(design, rest=everything, place=len(everything), loft=Loft(key, label), stations=(), laws=())
    if stations is None:
        for place, chord in ((0.0, 60.0), (100.0, 40.0)):
            station = Station(
                fresh_id(made, "s"), f"{label} {'foot' if place == 0.0 else 'head'}", place, Circle(), chord
            )
            made = replace(made, stations=(*made.stations, station))
        return made
    return replace(made, stations=stations)


def copy_body(design: Design) -> Design:
    """The design with a copy of the body in hand, its stations with ids of their own, without its rails, ties and laws; that in hand."""
    made = add_body(design, design.loft.name, ())
    swap: dict[str, str] = {}
    for station in design.stations:
        swap[station.id] = fresh_id(made, "s")
        made = replace(made, stations=(*made.stations, replace(station, id=swap[station.id])))
    loft = replace(design.loft, id=made.loft.id, name=made.loft.name, rails=(), ties=())
    turns = tuple(replace(t, station=swap[t.station]) for t in design.loft.turns if t.station in swap)
    return replace(made, loft=replace(loft, turns=turns))


def bring_in(design: Design, imported: Imported) -> Design:
    """The design with a body that is a file as it was brought in; in hand afterwards."""
    stem = imported.name.rpartition(".")[0] or imported.name
    made = replace(design, imports=(*design.imports, imported))
    if made.stations or made.rest or made.loft.imported:
        made = add_body(made, stem, ())
    return replace(made, loft=replace(made.loft, name=stem, imported=imported.id))


def go_on(design: Design, position: float, chord: float) -> Design:
    """A new body from the last end of the one in hand, flush with it, to a round station, added to what that one is. In
    hand afterwards."""
    before = design.loft
    onto = (before.id,) if before.makes == "own" else before.onto
    made = add_body(design, f"{before.name} on", ())
    first = Station(fresh_id(made, "s"), f"end of {before.name}", position - 1.0, BodyEnd(before.id, "last"), None)
    made = replace(made, stations=(first,))
    last = Station(fresh_id(made, "s"), f"{made.loft.name} head", position, Circle(), chord)
    loft = replace(made.loft, first=Ending("flush"), makes="add", onto=onto)
    return replace(made, stations=(first, last), loft=loft)


def remove_body(design: Design, key: str) -> Design:
    """The design without a body.

    Raises: DesignError, for the last one, and for one that others are made with or on.
    """
    if not design.rest:
        raise DesignError("this is the only body of the design; take its stations out, or begin a new design")
    found = body_users(design, key)
    name = next(p.loft.name for p in design.parts if p.loft.id == key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} is made with '{name}'; change that first")
    if key == design.loft.id:
        design = in_hand(design, next(k for k in body_ids(design) if k != key))
    gone = next(p.loft.imported for p in design.parts if p.loft.id == key)
    if gone and sum(p.loft.imported == gone for p in design.parts) == 1:
        design = replace(design, imports=tuple(i for i in design.imports if i.id != gone))
    where = [p.loft.id for p in design.rest].index(key)
    rest = (*design.rest[:where], *design.rest[where + 1 :])
    return replace(design, rest=rest, place=design.place - 1 if where < design.place else design.place)


def body_users(design: Design, key: str) -> list[str]:
    """What is made with a body or on its stations, in words."""
    gone = next(p for p in design.parts if p.loft.id == key)
    return users(design, key, *(s.id for s in gone.stations), *(law.id for law in gone.laws))


def combine(design: Design, makes: str, onto: tuple[str, ...] | None = None) -> Design:
    """What the body in hand makes: one of its `own`, or it is added (`add`) to others (`onto`; without any said, the first
    one), `cut` from them, or only what it has in `common` with them is kept.

    Raises: DesignError, for bodies that cannot be.
    """
    others = [p.loft.id for p in design.rest]
    if makes != "own" and not others:
        raise DesignError("there is no other body to combine this one with; make another first")
    wanted = tuple(onto if onto is not None else design.loft.onto or others[:1])
    loft = replace(design.loft, makes=makes, onto=() if makes == "own" else wanted)
    made = replace(design, loft=loft)
    results(made)
    return made


def results(design: Design) -> dict[str, list[tuple[str, str]]]:
    """Body of its own → (how, body) of all that is combined with it, in order.

    Raises: DesignError, where a body is combined with one that is gone, or that is itself no body of its own.
    """
    parts = [p for p in design.parts if not p.loft.aside]
    own: dict[str, list[tuple[str, str]]] = {p.loft.id: [] for p in parts if p.loft.makes == "own"}
    names = {p.loft.id: p.loft.name for p in design.parts}
    away = {p.loft.id for p in design.parts if p.loft.aside}
    for part in parts:
        if part.loft.makes == "own":
            continue
        if not part.loft.onto:
            raise DesignError(f"body '{part.loft.name}' is combined with nothing; choose a body for it")
        for target in part.loft.onto:
            if target in away:
                continue
            if target not in names:
                raise DesignError(f"body '{part.loft.name}' is combined with a body that is gone; choose another")
            if target not in own:
                raise DesignError(
                    f"body '{part.loft.name}' is combined with '{names[target]}', which is no body of its own; choose another"
                )
            own[target].append((part.loft.makes, part.loft.id))
    return own


def set_aside(design: Design, keys: tuple[str, ...], aside: bool) -> Design:
    """Some bodies set aside, or taken up again.

    Raises: DesignError, when none would be left.
    """

    def put(part: Part) -> Part:
        return replace(part, loft=replace(part.loft, aside=aside)) if part.loft.id in keys else part

    rest = tuple(put(p) for p in design.rest)
    loft = replace(design.loft, aside=aside) if design.loft.id in keys else design.loft
    made = replace(design, loft=loft, rest=rest)
    if all(p.loft.aside for p in made.parts):
        raise DesignError("all bodies would be set aside; leave one at least")
    return made


def up_to(design: Design, key: str) -> Design:
    """Only the bodies up to one of them, in their order: those after it are set aside, those before it taken up again.

    Raises: DesignError.
    """
    ids = body_ids(design)
    at = ids.index(key)
    return (
        set_aside(set_aside(design, ids[: at + 1], False), ids[at + 1 :], True)
        if at + 1 < len(ids)
        else set_aside(design, ids, False)
    )


def move_body(design: Design, key: str, by: int) -> Design:
    """A body earlier (-1) or later (1) in the order in which bodies are made and combined.

    Raises: DesignError, when it stands at that end already.
    """
    everything, now = list(design.parts), design.loft.id
    at = [p.loft.id for p in everything].index(key)
    if not 0 <= at + by < len(everything):
        raise DesignError("the body stands at that end of the order already")
    everything.insert(at + by, everything.pop(at))
    place = next(k for k, p in enumerate(everything) if p.loft.id == now)
    return replace(design, rest=(*everything[:place], *everything[place + 1 :]), place=place)


def stations_of_all(design: Design) -> tuple[Station, ...]:
    """The stations of all bodies."""
    return tuple(s for p in design.parts for s in p.stations)


def name_of(design: Design, key: str) -> str:
    """A body's name."""
    return find(tuple(p.loft for p in design.parts), key).name  # type: ignore[type-var]


MOST_BODIES = 100


def check_bodies(design: Design) -> None:
    """Whether the bodies of a design go together.

    Raises: DesignError.
    """
    if len(design.parts) > MOST_BODIES:
        raise DesignError(f"the design has {len(design.parts)} bodies; at most {MOST_BODIES} can be used")
    if not 0 <= design.place <= len(design.rest):
        raise DesignError(
            f"the body in hand is said to be number {design.place + 1} of {len(design.parts)}; give it a place among them"
        )
    ids = [e.id for p in design.parts for e in (p.loft, *p.stations, *p.laws)]  # type: ignore[attr-defined]
    twice = next((i for i in ids if ids.count(i) > 1), None) if len(set(ids)) != len(ids) else None
    if twice is not None:
        raise DesignError(f"two things of the bodies have the same id '{twice}'; give each its own")
    results(design)


def resolve_bodies(design: Design) -> None:
    """Whether the numbers of every body can be worked out.

    Raises: IsotomonError, naming what cannot.
    """
    check_bodies(design)
    for key in body_ids(design):
        resolve_design(in_hand(design, key))
