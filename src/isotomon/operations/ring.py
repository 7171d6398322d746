"""Copies of a body round an axis."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np

from isotomon.geometry.affine import turned
from isotomon.operations.base import Angle, Array, Ask, Operation, Says
from isotomon.operations.counting import BY, LEFT_OUT, check_count, kept
from isotomon.quantity.record import Ref

WHOLE_TURN = 1e-9
"""rad: an angle nearer to a whole turn than this is one, so that the last copy does not lie over the first."""


class Ring(Operation, frozen=True, tag="ring"):
    """`count` in all round an axis, over an angle (rad) in all, or from one to the next. `without`: numbers, from nought,
    of those left out. `joined`: all are made one."""

    TITLE = "Copies round an axis"
    COMMAND = "Copies round an axis"
    HELP = "The body several times round the chosen axis"
    PLACE = 4

    about: Annotated[Ref, Says("About", "A")] = "z"
    count: Annotated[int, Says("How many")] = 3
    angle: Angle = math.tau
    by: Annotated[Literal["total", "step"], BY] = "total"
    without: Annotated[tuple[int, ...], LEFT_OUT] = ()
    joined: bool = False

    @property
    def copies(self) -> int:
        """Those that are not left out."""
        return len(kept(self.count, self.without))

    @property
    def joins(self) -> bool:
        """As it says."""
        return self.joined

    def check(self) -> None:
        """Raises: DesignError, for a count that cannot be made."""
        check_count(self.count, self.without)

    def maps(self, ask: Ask) -> Array:
        """A turn for each copy."""
        angle = ask.number(self, "angle")
        if self.by == "total":
            whole = abs(abs(angle) - math.tau) < WHOLE_TURN
            angle /= max(self.count if whole else self.count - 1, 1)
        axis = ask.references.axis(self.about)
        return np.stack([turned(axis, k * angle) for k in kept(self.count, self.without)])
