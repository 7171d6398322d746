"""A body moved."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from isotomon.geometry.affine import turned
from isotomon.operations.base import Angle, Array, Ask, Length, Operation, Says
from isotomon.operations.grips import FAR, Grip, about, along
from isotomon.quantity.record import Ref, usual

BESIDE, ROUND = 0.35, 0.45
"""Of its size: so far from a body's middle its handles are."""


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
    about: Annotated[Ref, Says("About", "A")] = usual("z")

    def maps(self, ask: Ask) -> Array:
        """One map: the turn, and then the way."""
        made = turned(ask.references.axis(self.about), ask.number(self, "turn"))
        made[:3, 3] += [ask.number(self, name) for name in "xyz"]
        return made[None]

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One beside the body for each direction, and one for the turn."""
        size, own = float(np.ptp(body, axis=0).max()), self.maps(ask)[0]
        middle = own[:3, :3] @ body.mean(axis=0) + own[:3, 3]
        found = {}
        for axis, direction in zip("xyz", np.eye(3), strict=True):
            value, place, words = (
                getattr(self, axis),
                middle + BESIDE * size * direction,
                f"move the body along {axis.upper()}",
            )
            if isinstance(value, float):
                found[axis] = along(
                    place, direction, FAR * size, axis, value, "move the body", words, letter=axis.upper()
                )
        if isinstance(self.turn, float):
            axis_of = ask.references.axis(self.about)
            words = "turn the body about its axis"
            found["turn"] = about(axis_of, middle, ROUND * size, "turn", self.turn, "turn the body", words)
        return found
