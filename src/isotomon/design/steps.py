"""What is done with a body once it is shaped, in order: moved, resized, mirrored, copied, combined with other bodies."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from isotomon.design.base import Id, Record, Ref
from isotomon.errors import DesignError
from isotomon.quantity import Value

MOST_COPIES = 400
MOST_STEPS = 200


class Move(Record, frozen=True, tag="move", tag_field="kind"):
    """Moved by x, y and z (mm), after a turn (rad) about an axis."""

    x: Value = 0.0
    y: Value = 0.0
    z: Value = 0.0
    turn: Value = 0.0
    about: Ref = "z"
    aside: bool = False
    id: Id = ""


class Resize(Record, frozen=True, tag="resize", tag_field="kind"):
    """Resized about a point, each direction by its own ratio."""

    x: Value = 1.0
    y: Value = 1.0
    z: Value = 1.0
    about: Ref = "origin"
    aside: bool = False
    id: Id = ""


class Mirror(Record, frozen=True, tag="mirror", tag_field="kind"):
    """Mirrored in a plane; `keep`: the body itself stays, too, `joined` with its image or apart."""

    plane: Ref = "yz"
    keep: bool = True
    joined: bool = False
    aside: bool = False
    id: Id = ""


class Ring(Record, frozen=True, tag="ring", tag_field="kind"):
    """`count` in all round an axis, over an angle (rad) in all, or from one to the next. `without`: numbers, from nought,
    of those left out. `joined`: all are made one."""

    about: Ref = "z"
    count: int = 3
    angle: Value = 6.283185307179586
    by: Literal["total", "step"] = "total"
    without: tuple[int, ...] = ()
    joined: bool = False
    aside: bool = False
    id: Id = ""


class Row(Record, frozen=True, tag="row", tag_field="kind"):
    """`count` in all along an axis, over a distance (mm) in all, or from one to the next; or along a path (a guide), over
    its length where the distance is nought, `turning` with it or not."""

    along: Ref = "x"
    count: int = 3
    distance: Value = 100.0
    by: Literal["total", "step"] = "step"
    turning: bool = False
    without: tuple[int, ...] = ()
    joined: bool = False
    aside: bool = False
    id: Id = ""


class Combine(Record, frozen=True, tag="combine", tag_field="kind"):
    """Another body, as its own steps leave it, is added to this one, cut from it, or only what both have in common is kept."""

    body: Ref
    how: Literal["add", "cut", "common"] = "add"
    aside: bool = False
    id: Id = ""


Placing = Move | Resize | Mirror | Ring | Row
"""Steps that put a body elsewhere, once or several times, by affine maps."""
Step = Placing | Combine
TITLES: dict[type, str] = {
    Move: "Moved",
    Resize: "Resized",
    Mirror: "Mirrored",
    Ring: "Copies round an axis",
    Row: "Copies in a row",
    Combine: "Combined with another body",
}


def check_steps(steps: tuple[Step, ...]) -> None:
    """Whether the steps and the counts of copies are such as can be made.

    Raises: DesignError.
    """
    if len(steps) > MOST_STEPS:
        raise DesignError(f"{len(steps)} steps are done with one body; at most {MOST_STEPS} can be")
    total = 1
    for step in steps:
        if isinstance(step, Ring | Row):
            if not 1 <= step.count <= MOST_COPIES:
                raise DesignError(f"{step.count} copies are asked for; use 1 to {MOST_COPIES}")
            left = set(range(step.count)) - set(step.without)
            if not left:
                raise DesignError("all copies are left out; keep one at least")
            total *= len(left)
        total *= 2 if isinstance(step, Mirror) and step.keep else 1
    if total > MOST_COPIES:
        raise DesignError(f"these make {total} bodies of one; at most {MOST_COPIES} can be made")


def is_joined(steps: Iterable[Step]) -> bool:
    """Whether the copies that are made are made one."""
    return any(getattr(step, "joined", False) for step in steps)
