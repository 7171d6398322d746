"""Edits of bodies: functions from a design to a new one."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from isotomon.design.body import PLAIN, Body, BroughtIn, Ending, Loft, Piece, Taken
from isotomon.design.edits import find, fresh_id, replace
from isotomon.design.records import Design, Imported
from isotomon.design.station import Station
from isotomon.design.walk import map_references, users
from isotomon.errors import DesignError
from isotomon.operations import Step
from isotomon.operations.base import bodies_of
from isotomon.operations.combine import Combine
from isotomon.profile.draw_edits import next_name
from isotomon.profile.section import BodyEnd, Circle
from isotomon.quantity.record import Id, Ref


def body_ids(design: Design) -> tuple[str, ...]:
    """The ids of all bodies in their order."""
    return tuple(b.id for b in design.bodies)


def name_of(design: Design, key: str) -> str:
    """A body's name."""
    return find(design.bodies, key).name


def stations_of_all(design: Design) -> tuple[Station, ...]:
    """The stations of all bodies."""
    return tuple(s for b in design.bodies for s in b.stations)


def things_of(body: Body) -> Iterator[Any]:
    """All that belongs to a body and has an id: itself, its stations, laws, steps, rails and ties."""
    yield body
    for group in (body.stations, body.laws, body.steps, body.loft.rails, body.loft.ties):
        yield from group


def owner_of(design: Design, key: str) -> str:
    """The id of the body that has an id, or to which the station, law, step, rail or tie that has it belongs; else empty."""
    return next((b.id for b in design.bodies if any(thing.id == key for thing in things_of(b))), "")


def body_of(design: Design, key: str) -> Body:
    """The same, as the body.

    Raises: DesignError, when nothing of any body has the id.
    """
    owner = owner_of(design, key)
    if not owner:
        raise DesignError(f"the design has nothing with the id '{key}'")
    return design.body(owner)


def leading(design: Design) -> str:
    """The body to begin with: the one with most stations that is not set aside, the first of those; a skin made from curves counts as one with
    a station."""
    return max(design.bodies, key=lambda b: (not b.aside, len(b.stations) or int(b.making is not None))).id


def edit_bodies(design: Design, change: Callable[[Body], Body]) -> Design:
    """The design with every body passed through `change`."""
    return replace(design, bodies=tuple(change(b) for b in design.bodies))


def change_body(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one body changed."""
    find(design.bodies, key)
    return edit_bodies(design, lambda b: replace(b, **changes) if b.id == key else b)


def change_loft(design: Design, key: str, **changes: Any) -> Design:
    """The design with a body carried through its stations otherwise.

    Raises: DesignError, for a body that is not carried through stations.
    """
    body = design.body(key)
    if not isinstance(body.shaped, Loft):
        raise DesignError(f"{body.name} is not carried through stations, and has none")
    return change_body(design, key, shaped=replace(body.shaped, **changes))


def change_ending(design: Design, key: str, which: str, **changes: Any) -> Design:
    """The design with one end (`first` or `last`) of a body ending otherwise."""
    return change_loft(design, key, **{which: replace(getattr(design.body(key).loft, which), **changes)})


# Making bodies


def is_begun(body: Body) -> bool:
    """Whether there is anything of a body yet."""
    return bool(body.stations or not isinstance(body.shaped, Loft))


def made_by(before: Design, after: Design) -> str:
    """The body that an edit has made or begun, the last where it made several; empty where none."""
    begun = {b.id for b in before.bodies if is_begun(b)}
    known = {b.id for b in before.bodies}
    return next((b.id for b in after.bodies[::-1] if b.id not in known or (is_begun(b) and b.id not in begun)), "")


def add_body(
    design: Design, name: str = "", stations: tuple[Station, ...] | None = None, shaped: Loft = PLAIN
) -> Design:
    """The design with one more body at the end, two round stations where none are given."""
    taken = {b.name for b in design.bodies}
    label = name if name and name not in taken else next_name(taken, name or "body")
    made = Body(fresh_id(design, "b"), label, shaped)
    bare = replace(design, bodies=(*design.bodies, made))
    if stations is None:
        foot = Station(fresh_id(bare, "s"), f"{label} foot", 0.0, Circle(), 60.0)
        bare = change_body(bare, made.id, stations=(foot,))
        stations = (foot, Station(fresh_id(bare, "s"), f"{label} head", 100.0, Circle(), 40.0))
    return change_body(bare, made.id, stations=stations)


def begin_body(design: Design, label: str, /, **fields: Any) -> Design:
    """The design with a body of which there was nothing yet begun so, or one more at the end."""
    begun = next((b.id for b in design.bodies if not is_begun(b)), "")
    if begun:
        return change_body(design, begun, **fields)
    made = add_body(design, label, ())
    return change_body(made, made.bodies[-1].id, **fields)


def copy_body(design: Design, key: str) -> Design:
    """The design with a copy of a body at the end, its stations and steps with ids of their own, without its rails, ties and
    laws."""
    body = design.body(key)
    made = add_body(design, body.name, ())
    copy = made.bodies[-1]
    swap: dict[str, str] = {}
    for station in body.stations:
        swap[station.id] = fresh_id(made, "s")
        copy = replace(copy, stations=(*copy.stations, replace(station, id=swap[station.id])))
        made = replace(made, bodies=(*made.bodies[:-1], copy))
    turns = tuple(replace(t, station=swap[t.station]) for t in body.loft.turns if t.station in swap)
    shaped = replace(body.shaped, rails=(), ties=(), turns=turns) if isinstance(body.shaped, Loft) else body.shaped
    copy = replace(
        body, id=copy.id, name=copy.name, shaped=shaped, stations=copy.stations, laws=(), steps=(), up_to=None
    )
    made = replace(made, bodies=(*made.bodies[:-1], copy))
    own = {**swap, body.id: copy.id}
    known = re.compile(rf"(?<![\w.])(?:{'|'.join(map(re.escape, own))})(?!\w)")
    for step in body.steps:  # what they say of the body's own edges and stations is said of the copy's
        own_step = map_references(step, lambda ref: known.sub(lambda found: own[found[0]], ref))
        made = add_step(made, copy.id, own_step)
        swap[step.id] = made.bodies[-1].steps[-1].id
    return made if body.up_to is None else change_body(made, copy.id, up_to=swap.get(body.up_to, ""))


def bring_in(design: Design, imported: Imported) -> Design:
    """The design with a body at the end that is a file as it was brought in."""
    stem = imported.name.rpartition(".")[0] or imported.name
    made = replace(design, imports=(*design.imports, imported))
    taken = {b.name for b in design.bodies if is_begun(b)}
    name = stem if stem not in taken else next_name(taken, stem)
    return begin_body(made, stem, name=name, shaped=BroughtIn(Ref(imported.id)))


def go_on(design: Design, key: str, position: float, chord: float) -> Design:
    """A new body at the end, from the last end of another one, flush with it, to a round station; added to what that one is
    part of."""
    before = design.body(key)
    made = add_body(design, f"{before.name} on", (), Loft(first=Ending("flush")))
    body = made.bodies[-1]
    first = Station(fresh_id(made, "s"), f"end of {before.name}", position - 1.0, BodyEnd(Ref(before.id), "last"), None)
    made = change_body(made, body.id, stations=(first,))
    last = Station(fresh_id(made, "s"), f"{body.name} head", position, Circle(), chord)
    made = change_body(made, body.id, stations=(first, last))
    for receiver in receivers(design, key) or (key,):
        made = add_step(made, receiver, Combine(Ref(body.id)))
    return made


def remove_body(design: Design, key: str) -> Design:
    """The design without a body, and without the steps that combine others with it.

    Raises: DesignError, for the last one, and for one that others are made with or on.
    """
    body = design.body(key)
    for step in [s for b in design.bodies for s in b.steps if key in bodies_of(s)]:
        design = remove_step(design, step.id)
    if len(design.bodies) == 1:
        raise DesignError("this is the only body of the design; take its stations out, or begin a new design")
    found = body_users(design, key)
    if found:
        raise DesignError(f"{', '.join(found[:6])} is made with '{body.name}'; change that first")
    if body.file and sum(b.file == body.file for b in design.bodies) == 1:
        design = replace(design, imports=tuple(i for i in design.imports if i.id != body.file))
    return replace(design, bodies=tuple(b for b in design.bodies if b.id != key))


def body_users(design: Design, key: str) -> list[str]:
    """What is made with a body or on its stations, in words."""
    return users(design, *(thing.id for thing in things_of(design.body(key))))


def set_aside(design: Design, keys: tuple[str, ...], aside: bool) -> Design:
    """Some bodies set aside, or taken up again.

    Raises: DesignError, when none would be left.
    """
    made = edit_bodies(design, lambda b: replace(b, aside=aside) if b.id in keys else b)
    if all(b.aside for b in made.bodies):
        raise DesignError("all bodies would be set aside; leave one at least")
    return made


def bodies_up_to(design: Design, key: str) -> Design:
    """Only the bodies up to one of them, in their order: those after it are set aside, those before it taken up again."""
    ids = body_ids(design)
    at = ids.index(key)
    made = set_aside(design, ids[: at + 1], False)
    return set_aside(made, ids[at + 1 :], True) if at + 1 < len(ids) else made


def move_body(design: Design, key: str, by: int) -> Design:
    """A body earlier (-1) or later (1) in the order of bodies.

    Raises: DesignError, when it stands at that end already.
    """
    everything = list(design.bodies)
    at = body_ids(design).index(key)
    if not 0 <= at + by < len(everything):
        raise DesignError("the body stands at that end of the order already")
    everything.insert(at + by, everything.pop(at))
    return replace(design, bodies=tuple(everything))


def names_by_id(design: Design) -> dict[str, str]:
    """Id → name of all bodies and stations."""
    stations = {s.id: s.name for b in design.bodies for s in b.stations}
    return {b.id: b.name for b in design.bodies} | stations


# Steps


def add_step(design: Design, body: str, step: Step) -> Design:
    """The design with one more step at the end of a body's, with an id of its own."""
    steps = (*design.body(body).steps, replace(step, id=fresh_id(design, "k")))
    return change_body(design, body, steps=steps)


def change_step(design: Design, key: str, **changes: Any) -> Design:
    """The design with fields of one step changed."""
    body = body_of(design, key)
    find(body.steps, key)
    return change_body(design, body.id, steps=tuple(replace(s, **changes) if s.id == key else s for s in body.steps))


def move_step(design: Design, key: str, to: int) -> Design:
    """The design with a step elsewhere, from nought, in the order of its body's."""
    body = body_of(design, key)
    steps = [s for s in body.steps if s.id != key]
    steps.insert(max(to, 0), find(body.steps, key))
    return change_body(design, body.id, steps=tuple(steps))


def remove_step(design: Design, key: str) -> Design:
    """The design without a step."""
    body = body_of(design, key)
    ids = [s.id for s in body.steps]
    up_to = body.up_to
    if up_to == key:  # it is rebuilt up to the one before, then
        up_to = ids[ids.index(key) - 1] if ids.index(key) else ""
    return change_body(design, body.id, steps=tuple(s for s in body.steps if s.id != key), up_to=up_to)


def rebuild_up_to(design: Design, body: str, step: str | None) -> Design:
    """A body rebuilt up to one of its steps (empty: only shaped; None: with all of them)."""
    return change_body(design, body, up_to=step)


def combine(design: Design, key: str, how: str, onto: tuple[str, ...] | None = None) -> Design:
    """What a body makes: one of its `own`; or it is added (`add`) to others (`onto`; without any said, those that it is
    combined with already, or the first one), `cut` from them, or only what they have in `common` with it is kept. Steps of
    theirs that say so already keep their place.

    Raises: DesignError, for bodies that cannot be.
    """
    body, others = design.body(key), [b.id for b in design.bodies if b.id != key]
    if how != "own" and not others:
        raise DesignError("there is no other body to combine this one with; make another first")
    wanted = (
        ()
        if how == "own"
        else onto
        if onto is not None
        else receivers(design, key) or tuple(k for k in others if may_receive(design, k, key))[:1]
    )
    if how != "own" and not wanted:
        raise DesignError(f"body '{body.name}' is combined with nothing; choose a body for it")

    def edit(receiver: Body) -> Body:
        def kept(step: Step) -> Step | None:
            if not isinstance(step, Combine) or step.body != key:
                return step
            return replace(step, how=how) if receiver.id in wanted else None

        return replace(receiver, steps=tuple(s for step in receiver.steps if (s := kept(step)) is not None))

    made = edit_bodies(design, edit)
    for receiver in wanted:
        if all(not isinstance(s, Combine) or s.body != key for s in made.body(receiver).steps):
            made = add_step(made, receiver, Combine(key, how))  # type: ignore[arg-type]
    check_combinations(made)
    return made


def receivers(design: Design, key: str) -> tuple[str, ...]:
    """The bodies with whose steps a body is combined, whether these are done or not."""
    return tuple(b.id for b in design.bodies if any(key in bodies_of(step) for step in b.steps))


def makes(design: Design, key: str) -> str:
    """What a body makes: `own`, or how it is combined with others (`add`, `cut`, `common`)."""
    steps = (step for b in design.bodies for step in (*b.done, *b.steps))
    return next((s.how for s in steps if isinstance(s, Combine) and s.body == key), "own")


def made_of(body: Body) -> list[Id]:
    """The bodies with which a body is combined, that it is a piece of, or whose faces it is."""
    tools = [key for step in body.steps for key in bodies_of(step)]
    return [*tools, body.shaped.owner] if isinstance(body.shaped, Piece | Taken) else tools


def made_with(design: Design, key: str) -> set[str]:
    """The bodies with which a body is made, and those with which these are."""
    found = {key}
    while True:
        more = {key for b in design.bodies if b.id in found for key in made_of(b)} - found
        if not more:
            return found - {key}
        found |= more


def may_receive(design: Design, receiver: str, tool: str) -> bool:
    """Whether a body can be combined with another one: that is not itself made with it."""
    return receiver != tool and receiver not in made_with(design, tool)


def tools_of(design: Design, key: str) -> tuple[tuple[str, str], ...]:
    """(how, body) of all that is combined with a body, in order: of steps that are done, with bodies that are not set aside."""
    away = {b.id for b in design.bodies if b.aside}
    done = (step for step in design.body(key).done if isinstance(step, Combine))
    return tuple((step.how, step.body) for step in done if step.body not in away)


def results(design: Design) -> tuple[str, ...]:
    """The bodies that the design makes: those not set aside that no other one is made with."""
    there = [b for b in design.bodies if not b.aside]
    used = {key for b in there for step in b.done for key in bodies_of(step)}
    return tuple(b.id for b in there if b.id not in used)


MOST_BODIES = 100


def check_bodies(design: Design) -> None:
    """Whether the bodies of a design go together.

    Raises: DesignError.
    """
    if not 1 <= len(design.bodies) <= MOST_BODIES:
        raise DesignError(f"the design has {len(design.bodies)} bodies; it can have 1 to {MOST_BODIES}")
    ids = [key for b in design.bodies for key in (b.id, *(e.id for g in (b.stations, b.laws, b.steps) for e in g))]
    twice = next((i for i in ids if ids.count(i) > 1), None) if len(set(ids)) != len(ids) else None
    if twice is not None:
        raise DesignError(f"two things of the bodies have the same id '{twice}'; give each its own")
    check_combinations(design)


def check_combinations(design: Design) -> None:
    """Whether every body is combined with bodies that are there, and none with what is made with itself.

    Raises: DesignError.
    """
    made_with = {b.id: made_of(b) for b in design.bodies}
    for body in design.bodies:
        if any(tool not in made_with for tool in made_with[body.id]):
            raise DesignError(f"body '{body.name}' is made with a body that is gone; choose another")
    done: set[str] = set()
    while len(done) < len(made_with):
        ready = [key for key, tools in made_with.items() if key not in done and done.issuperset(tools)]
        if not ready:
            names = ", ".join(f"'{name_of(design, key)}'" for key in made_with if key not in done)
            raise DesignError(f"{names} are combined with each other in a circle; take one of these steps out")
        done.update(ready)
