"""A body hollowed out: a wall of one thickness, a floor, a mouth."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.offsets import Level, Offsets
from isotomon.field.parallel import WorkedSkin
from isotomon.operations.base import Ask, Asked, Operation, Says, varying
from isotomon.operations.grips import Grip, growing
from isotomon.quantity import Value

SIDES = (("inward", "within the skin"), ("outward", "outside the skin"))
PLACES = 17
"""Places along the body at which a wall that changes is worked out."""


class Hollow(Operation, frozen=True, tag="hollow"):
    """A body hollowed out: what is left is a `wall` (mm) at true distance along the normals of its skin, within or outside it, and at each
    end that is not left open a floor (mm; nought: as thick as the wall there). In a formula for the wall `fraction` runs along the hollow."""

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

    wall: Annotated[
        Value,
        Says(
            "Wall",
            "length",
            tip="May be a formula in `fraction`, which runs along the hollow, from one end of it to the other",
        ),
    ] = 2.0
    side: Annotated[Literal["inward", "outward"], Says("It lies", words=SIDES)] = "inward"
    floor: Annotated[Value, Says("Floor", "length", tip="Nought: as thick as the wall")] = 0.0
    first: Annotated[bool, Says("First end open")] = False
    last: Annotated[bool, Says("Last end open")] = True

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One on the inner skin, at the last end, for the wall."""
        if ask.skin is None or not isinstance(self.wall, float) or not self.wall > 0.0:
            return {}
        base, middle = ask.skin.base, np.array([0.5])
        way = 1.0 if self.side == "inward" else -1.0
        v = base.laid(0, middle, np.array([1.0]), np.zeros(1))
        place, _, _, normal, _ = base.moved(0, middle, v, np.array([way * self.wall]))
        return {
            "wall": growing(
                place[0], -way * normal[0], "wall", self.wall, "change the wall", "make the wall thicker or thinner"
            )
        }

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The hollow is the parallel skin of the body's field; of what is no field any more the kernel makes it. Raises: DesignError."""
        walls, floor = varying(ask, self, "wall", PLACES), ask.number(self, "floor")
        if not (walls.min() > 0.0 and floor >= 0.0):
            raise DesignError("hollowed out: the wall must be more than nought, the floor nought or more")
        wall, outward = float(walls[0]), self.side == "outward"
        values: dict[str, bool | float | str] = {"wall": wall, "first": self.first, "last": self.last}
        skin = ask.skin
        if skin is None:
            if floor not in (0.0, wall) or len(walls) > 1 or outward:
                raise DesignError(
                    "hollowed out: a floor of its own, a wall that changes or one outside need a smooth solid that rises from one flat end to "
                    "the other, as it is shaped and with its long edges rounded; let this come before other steps, or use one wall within"
                )
            return Asked("shell", "hollowed out:", values=values)
        base, way = skin.base, -1.0 if outward else 1.0
        floors = (floor or float(walls[0]), floor or float(walls[-1]))
        low, high = (
            Level(level.origin + (0.0 if open_ else side * way * thick) * level.normal, level.normal)
            for level, open_, side, thick in (
                (base.low, self.first, 1.0, floors[0]),
                (base.high, self.last, -1.0, floors[1]),
            )
        )
        hollow = WorkedSkin(Offsets(base.field, low, high, base.tolerance), way * walls, skin.rounds, outer=base)
        values |= {"floor": floor or wall} | ({"outward": True} if outward else {})
        return Asked("hollow", "hollowed out:", values=values, skin=hollow)
