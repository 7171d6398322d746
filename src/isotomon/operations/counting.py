"""What operations that make copies share."""

from __future__ import annotations

from collections.abc import Sequence

from isotomon.errors import DesignError
from isotomon.operations.base import Operation, Says

MOST_COPIES = 400
MOST_STEPS = 200
BY = Says("It is", words=(("total", "in all"), ("step", "from one to the next")))
LEFT_OUT = Says("Left out", tip="Numbers of copies to leave out, from 1, such as 2, 5")


def kept(count: int, without: tuple[int, ...]) -> list[int]:
    """The numbers, from nought, of the copies that are made."""
    return [k for k in range(min(count, MOST_COPIES)) if k not in without]


def handled(count: int, without: tuple[int, ...], by: str) -> tuple[int, float]:
    """The number of the copy that has a handle, and for how many steps the operation's figure is: the next one, of those from
    one to the next, else the last; nought where only the body itself is left."""
    made = [k for k in kept(count, without) if k > 0]
    if not made:
        return 0, 1.0
    return (made[0], 1.0) if by == "step" else (made[-1], float(max(count - 1, 1)))


def check_count(count: int, without: tuple[int, ...]) -> None:
    """Raises: DesignError, for a count that cannot be made."""
    if not 1 <= count <= MOST_COPIES:
        raise DesignError(f"{count} copies are asked for; use 1 to {MOST_COPIES}")
    if not kept(count, without):
        raise DesignError("all copies are left out; keep one at least")


def check_steps(steps: Sequence[Operation]) -> None:
    """Whether the steps and the counts of copies are such as can be made.

    Raises: DesignError.
    """
    if len(steps) > MOST_STEPS:
        raise DesignError(f"{len(steps)} steps are done with one body; at most {MOST_STEPS} can be")
    total = 1
    for step in steps:
        step.check()
        total *= step.copies
        if total > MOST_COPIES:
            raise DesignError(f"these make {total} bodies of one; at most {MOST_COPIES} can be made")
