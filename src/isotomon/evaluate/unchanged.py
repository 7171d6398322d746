"""What an edit does not touch: the things of a design that stand on nothing that has changed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Set
from operator import is_

from isotomon.design.body import Body, Loft
from isotomon.design.datums import Datum
from isotomon.design.guides import Guide
from isotomon.design.records import Design
from isotomon.design.walk import mentions
from isotomon.evaluate.graph import Key, NoValue
from isotomon.operations.combine import Combine
from isotomon.profile.drawing import Drawing
from isotomon.quantity.record import Ref

STANDING = frozenset({"stand", "settled", "on ends", "ended"})
"""What is known of a body's stations: with its laws, too."""
KEPT_FOR_A_LOOK = STANDING | {"solution", "field"}
LASTING = frozenset({"solution", "field", "thing", "sheet", "grown"})
"""What does not stand on the laws of a body."""
CARRIER = "what carries"
"""Before a body's name: under which what carries its stations is worked out, so that circles through it are found."""
Thing = Body | Guide | Datum | Drawing


def _things(design: Design) -> Iterator[Thing]:
    yield from design.bodies
    yield from design.guides
    yield from design.datums
    yield from design.drawings


def _parts(thing: Thing) -> tuple[object, ...]:
    """What others see of a thing. Of a body that is lofted that is its shape: they stand on it before its steps."""
    if isinstance(thing, Body) and isinstance(thing.shaped, Loft):
        return thing.name, thing.shaped, thing.stations
    return (thing,)


def _stands_on_more(thing: Thing) -> bool:
    """Whether a thing may stand on more than it names: a body whose ends lie beyond all others, or one that comes of another's steps."""
    if not isinstance(thing, Body) or thing.making is not None:
        return False
    loft = thing.shaped
    if not isinstance(loft, Loft):
        return True
    return loft.span is not None and loft.span.whole and loft.carrier.how in ("straight", "plane")


def unchanged(before: Design, now: Design) -> frozenset[str]:
    """The ids of bodies, their stations, guides, datums and drawings that are worked out to the same in both designs, since neither they nor
    what they stand on is another. Records that are not the very same count as changed."""
    if before is now:
        return frozenset(key for thing in _things(now) for key in _ids(thing))
    everywhere = ("unit", "tolerance", "numbers", "outlines", "imports")
    if any(getattr(before, name) is not getattr(now, name) for name in everywhere):
        return frozenset()
    was = {thing.id: _parts(thing) for thing in _things(before)}
    things = {thing.id: thing for thing in _things(now)}
    # What names a station that is gone stood on its body as it was.
    owner = {key: thing.id for design in (before, now) for thing in _things(design) for key in _ids(thing)}
    changed = [
        key
        for key, thing in things.items()
        if key not in was or not all(map(is_, was[key], _parts(thing))) or _stands_on_more(thing)
    ]
    changed += was.keys() - things.keys()
    users = dict[str, list[str]]()
    for key, thing in things.items():
        for named in mentions(_parts(thing)):
            users.setdefault(owner.get(named, named), []).append(key)
    touched = set(changed)
    while changed:
        fresh = [user for user in users.get(changed.pop(), ()) if user not in touched]
        touched.update(fresh)
        changed += fresh
    return frozenset(key for thing in things.values() if thing.id not in touched for key in _ids(thing))


def _ids(thing: Thing) -> tuple[str, ...]:
    return (thing.id, *(s.id for s in thing.stations)) if isinstance(thing, Body) else (thing.id,)


def stands_as_before(body: Body, same: Set[str], things: Set[str]) -> bool:
    """Whether a body and all that it names of the `things` that there are or were, in its steps too, is among what is the `same` as before.
    What it is combined with is the kernel's affair."""
    if _stands_on_more(body):
        return False
    steps = (step for step in body.steps if not isinstance(step, Combine))
    return {body.id} | (mentions((body.shaped, body.stations, body.laws, *steps)) & things) <= same


def lasting(before: Design, now: Design, same: Set[str]) -> Callable[[Key, object], bool]:
    """Which nodes of a design's graph are those of the design that an edit has made of it: of things that are the `same`. Why something has no
    value is said in the words of who asked first, and said anew."""
    very = {body.id for body in now.bodies if any(body is was for was in before.bodies)}

    def lasts(key: Key, value: object) -> bool:
        kind, thing = key[0], Ref(key[1].removeprefix(f"{CARRIER} ")).thing
        return (
            thing in same
            and (kind in LASTING or (kind in STANDING and thing in very))
            and not isinstance(value, NoValue)
        )

    return lasts
