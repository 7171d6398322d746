"""A body moved."""

from __future__ import annotations

from typing import Annotated

from isotomon.geometry.affine import turned
from isotomon.operations.base import Angle, Array, Ask, Length, Operation, Says
from isotomon.quantity.record import Ref


class Move(Operation, frozen=True, tag="move"):
    """Moved by x, y and z (mm), after a turn (rad) about an axis."""

    TITLE = "Moved"
    COMMAND = "Move the body"
    HELP = "The body moved and turned by figures, as it is at this place in the list"
    PLACE = 1
    BEGIN = {"x": 20.0}

    x: Length = 0.0
    y: Length = 0.0
    z: Length = 0.0
    turn: Angle = 0.0
    about: Annotated[Ref, Says("About", "A")] = "z"

    def maps(self, ask: Ask) -> Array:
        """One map: the turn, and then the way."""
        made = turned(ask.references.axis(self.about), ask.number(self, "turn"))
        made[:3, 3] += [ask.number(self, name) for name in "xyz"]
        return made[None]
