"""A body hollowed out: a wall of one thickness, a floor, a mouth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.parallel import WorkedSkin
from isotomon.operations.base import Ask, Asked, Operation, Says, varying
from isotomon.operations.edges import ENDS
from isotomon.operations.grips import Grip, growing
from isotomon.quantity import Value
from isotomon.quantity.record import Ref

SIDES = (("inward", "within the skin"), ("outward", "outside the skin"), ("about", "about the skin"))
SHARES = {"inward": (0.0, 1.0), "outward": (1.0, 0.0), "about": (0.5, 0.5)}
"""Of the wall, outside the skin and within it."""
PLACES = 17
"""Places along the body at which a wall that changes is worked out."""


class Hollow(Operation, frozen=True, tag="hollow"):
    """A body hollowed out: what is left is a `wall` (mm) at true distance along the normals of its skin, within it, outside or about it, the
    `other` one (mm) at some faces along the body, and at each end that is not left open a floor (mm; nought: as thick as the wall
    there). In a formula for a wall `fraction` runs along the hollow."""

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
    side: Annotated[Literal["inward", "outward", "about"], Says("It lies", words=SIDES)] = "inward"
    floor: Annotated[Value, Says("Floor", "length", tip="Nought: as thick as the wall")] = 0.0
    first: Annotated[bool, Says("First end open")] = False
    last: Annotated[bool, Says("Last end open")] = True
    others: Annotated[
        tuple[Ref, ...], Says("Other faces", "faces", tip="Along the body, with a wall of their own")
    ] = ()
    other: Annotated[Value, Says("Their wall", "length")] = 2.0

    @classmethod
    def begun(cls, faces: Sequence[Ref]) -> dict[str, Any]:
        """Ends that are chosen are left open, and the other is not."""
        chosen = {ref.part for ref in faces} & set(ENDS)
        return {end: end in chosen for end in ENDS} if chosen else {}

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One on the inner skin, at the last end, for the wall."""
        if ask.between_ends is None or not isinstance(self.wall, float) or not self.wall > 0.0:
            return {}
        base, middle = ask.between_ends.base, np.array([0.5])
        outside, within = SHARES[self.side]
        inward = within or -outside
        v = base.laid(0, middle, np.array([1.0]), np.zeros(1))
        place, _, _, normal, _ = base.moved(0, middle, v, np.array([inward * self.wall]))
        words = "make the wall thicker or thinner"
        toward = -np.sign(inward) * normal[0]
        return {"wall": growing(place[0], toward, "wall", self.wall, "change the wall", words, scale=1.0 / abs(inward))}

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The hollow is the parallel skin of the body's field; of what is no field any more the kernel makes it. Raises: DesignError."""
        walls, floor = varying(ask, self.wall, "Wall", PLACES), ask.number(self, "floor")
        if not (walls.min() > 0.0 and floor >= 0.0):
            raise DesignError("hollowed out: the wall must be more than nought, the floor nought or more")
        values: dict[str, bool | float | str] = {"first": self.first, "last": self.last}
        if ask.between_ends is None:
            wall = float(walls[0])
            if floor not in (0.0, wall) or len(walls) > 1 or self.side != "inward" or self.others:
                raise DesignError(
                    "hollowed out: a floor of its own, a wall that changes, one not within the skin, or another at some faces need a smooth "
                    "solid that runs from one flat end to the other, as it is shaped and with its long edges rounded; let this come before "
                    "other steps, or use one wall within"
                )
            return Asked("shell", "hollowed out:", values=values | {"wall": wall})
        floors = (floor or float(walls[0]), floor or float(walls[-1]))
        whole = replace(ask.between_ends, walls=walls, others=self._other_walls(ask), outer=ask.between_ends.base)
        outside, within = SHARES[self.side]
        return Asked(
            "hollow",
            "hollowed out:",
            values=values,
            outer=self._parallel(whole, floors, -outside) if outside else None,
            inner=self._parallel(whole, floors, within) if within else None,
        )

    def _parallel(self, whole: WorkedSkin, floors: tuple[float, float], share: float) -> WorkedSkin:
        """The skin that lies so much of the walls within the body, and of the floors at ends that are not open."""
        shifts = (0.0 if self.first else share * floors[0], 0.0 if self.last else -share * floors[1])
        return replace(whole, base=replace(whole.base, shifts=shifts)).resized(share)

    def _other_walls(self, ask: Ask) -> dict[int, Array]:
        """By their numbers, the walls (n,) of the lanes that have the other one. Raises: DesignError."""
        assert ask.between_ends is not None
        if not self.others:
            return {}
        walls, names = varying(ask, self.other, "Their wall", PLACES), ask.between_ends.base.field.names.lanes
        if not walls.min() > 0.0:
            raise DesignError("hollowed out: the other faces' wall must be more than nought")
        own = {f"{ask.body}/face:{name}": number for number, name in enumerate(names)}
        for ref in self.others:
            if ref not in own:
                raise DesignError(
                    f"hollowed out: {ask.references.called(ref)} is no face along the body; choose others"
                )
        return {own[ref]: walls for ref in self.others}
