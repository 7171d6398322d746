"""What is done with a body once it is shaped: moved, resized, mirrored, copied round an axis or along a line or path."""

from __future__ import annotations

from typing import Literal

from isotomon.design.base import Record
from isotomon.errors import DesignError
from isotomon.quantity import Value

MOST_COPIES = 400


class Move(Record, frozen=True, tag="move", tag_field="kind"):
    """Moved by x, y and z (mm), after a turn (rad) about an axis."""

    x: Value = 0.0
    y: Value = 0.0
    z: Value = 0.0
    turn: Value = 0.0
    about: str = "z"


class Resize(Record, frozen=True, tag="resize", tag_field="kind"):
    """Resized about a point, each direction by its own ratio."""

    x: Value = 1.0
    y: Value = 1.0
    z: Value = 1.0
    about: str = "origin"


class Mirror(Record, frozen=True, tag="mirror", tag_field="kind"):
    """Mirrored in a plane; `keep`: the body itself stays, too, `joined` with its image or apart."""

    plane: str = "yz"
    keep: bool = True
    joined: bool = False


class Ring(Record, frozen=True, tag="ring", tag_field="kind"):
    """`count` in all round an axis, over an angle (rad) in all, or from one to the next. `without`: numbers, from nought,
    of those left out. `joined`: all are made one."""

    about: str = "z"
    count: int = 3
    angle: Value = 6.283185307179586
    by: Literal["total", "step"] = "total"
    without: tuple[int, ...] = ()
    joined: bool = False


class Row(Record, frozen=True, tag="row", tag_field="kind"):
    """`count` in all along an axis, over a distance (mm) in all, or from one to the next; or along a path (a guide), over
    its length where the distance is nought, `turning` with it or not."""

    along: str = "x"
    count: int = 3
    distance: Value = 100.0
    by: Literal["total", "step"] = "step"
    turning: bool = False
    without: tuple[int, ...] = ()
    joined: bool = False


After = Move | Resize | Mirror | Ring | Row
TITLES: dict[type, str] = {
    Move: "Moved",
    Resize: "Resized",
    Mirror: "Mirrored",
    Ring: "Copies round an axis",
    Row: "Copies in a row",
}


def check_after(steps: tuple[After, ...]) -> None:
    """Whether the counts of copies are such as can be made.

    Raises: DesignError.
    """
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


def is_joined(steps: tuple[After, ...]) -> bool:
    """Whether the copies that are made are made one."""
    return any(getattr(step, "joined", False) for step in steps)


VALUES: dict[type, tuple[str, ...]] = {
    Move: ("x", "y", "z", "turn"),
    Resize: ("x", "y", "z"),
    Mirror: (),
    Ring: ("angle",),
    Row: ("distance",),
}
"""The fields of each kind of step that may be formulas."""


def references(step: After) -> tuple[str, ...]:
    """What a step refers to."""
    match step:
        case Move(about=ref) | Resize(about=ref) | Ring(about=ref):
            return (ref,)
        case Mirror(plane=ref):
            return (ref,)
        case Row(along=ref):
            return (ref,)
