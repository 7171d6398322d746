"""A body hollowed out: a wall of one thickness, a floor, a mouth."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.offsets import Level, Offsets
from isotomon.field.parallel import WorkedSkin
from isotomon.operations.base import Ask, Asked, Length, Operation, Says
from isotomon.operations.grips import Grip, growing
from isotomon.quantity import Value


class Hollow(Operation, frozen=True, tag="hollow"):
    """A body hollowed out: what is left is a `wall` (mm) at true distance along the normals of its skin, and at each end that is not
    left open a floor (mm; nought: as thick as the wall)."""

    TITLE = "Hollowed out"
    COMMAND = "Hollow out"
    HELP = "A wall of one thickness is left of the body, with a floor at each end that is not open"
    PLACE = 30
    FAMILY = ""
    STAGE = "Finish"
    ICON = "hollow"
    EARLY = True
    ON_SKIN = True
    SIZE = "wall"

    wall: Length = 2.0
    floor: Annotated[Value, Says("Floor", "length", tip="Nought: as thick as the wall")] = 0.0
    first: Annotated[bool, Says("First end open")] = False
    last: Annotated[bool, Says("Last end open")] = True

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One on the inner skin, at the last end, for the wall."""
        if ask.skin is None or not isinstance(self.wall, float) or not self.wall > 0.0:
            return {}
        base, middle = ask.skin.base, np.array([0.5])
        v = base.laid(0, middle, np.array([1.0]), 0.0)
        place, _, _, normal, _ = base.moved(0, middle, v, np.array([self.wall]))
        return {
            "wall": growing(
                place[0], -normal[0], "wall", self.wall, "change the wall", "make the wall thicker or thinner"
            )
        }

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The hollow is the parallel skin of the body's field; of what is no field any more the kernel makes it. Raises: DesignError."""
        wall, floor = ask.number(self, "wall"), ask.number(self, "floor")
        if not (wall > 0.0 and floor >= 0.0):
            raise DesignError("hollowed out: the wall must be more than nought, the floor nought or more")
        values: dict[str, bool | float | str] = {"wall": wall, "first": self.first, "last": self.last}
        skin = ask.skin
        if skin is None:
            if floor not in (0.0, wall):
                raise DesignError(
                    "hollowed out: a floor of its own needs a smooth solid that rises from one flat end to the other, as it is shaped and "
                    "with its long edges rounded; let this come before other steps, or the floor be nought"
                )
            return Asked("shell", "hollowed out:", values=values)
        base, floor = skin.base, floor or wall
        low, high = (
            Level(level.origin + (0.0 if open_ else way * floor) * level.normal, level.normal)
            for level, open_, way in ((base.low, self.first, 1.0), (base.high, self.last, -1.0))
        )
        hollow = WorkedSkin(Offsets(base.field, low, high, base.tolerance), wall, skin.rounds, outer=base)
        return Asked("hollow", "hollowed out:", values={**values, "floor": floor}, skin=hollow)
