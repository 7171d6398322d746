"""Copies of a body round an axis."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np

from isotomon.geometry.affine import turned
from isotomon.operations.base import Angle, Array, Ask, Operation, Says
from isotomon.operations.counting import BY, LEFT_OUT, check_count, handled, kept
from isotomon.operations.grips import Grip, about
from isotomon.quantity.record import Ref, usual

WHOLE_TURN = 1e-9
"""rad: an angle nearer to a whole turn than this is one, so that the last copy does not lie over the first."""


class Ring(Operation, frozen=True, tag="ring"):
    """`count` in all round an axis, over an angle (rad) in all, or from one to the next. `without`: numbers, from nought,
    of those left out. `joined`: all are made one."""

    TITLE = "Copies round an axis"
    COMMAND = "Copies round an axis"
    HELP = "The body several times round the chosen axis"
    PLACE = 4

    about: Annotated[Ref, Says("About", "A")] = usual("z")
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
            angle /= max(self.count if self._whole(angle) else self.count - 1, 1)
        axis = ask.references.axis(self.about)
        return np.stack([turned(axis, k * angle) for k in kept(self.count, self.without)])

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One on the copy that the angle puts there; none for a whole turn."""
        far, steps = handled(self.count, self.without, self.by)
        if far == 0 or not isinstance(self.angle, float) or (self.by == "total" and self._whole(self.angle)):
            return {}
        axis = ask.references.axis(self.about)
        place = turned(axis, far * self.angle / steps) @ np.append(body.mean(axis=0), 1.0)
        words = "spread the copies round their axis"
        return {
            "angle": about(axis, place[:3], 0.0, "angle", self.angle, "spread the copies", words, scale=steps / far)
        }

    def _whole(self, angle: float) -> bool:
        return abs(abs(angle) - math.tau) < WHOLE_TURN
