"""A body hollowed out: a wall of one thickness, a floor, a mouth."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from isotomon.errors import DesignError
from isotomon.field.parallel import Level, Parallel
from isotomon.operations.base import Ask, Asked, Length, Operation, Says
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
    SIZE = "wall"

    wall: Length = 2.0
    floor: Annotated[Value, Says("Floor", "length", tip="Nought: as thick as the wall")] = 0.0
    first: Annotated[bool, Says("First end open")] = False
    last: Annotated[bool, Says("Last end open")] = True

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The hollow is the parallel skin of the body's field. Raises: DesignError."""
        wall, floor = ask.number(self, "wall"), ask.number(self, "floor")
        if not (wall > 0.0 and floor >= 0.0):
            raise DesignError("hollowed out: the wall must be more than nought, the floor nought or more")
        field = ask.field
        if field is None:
            raise DesignError(
                "hollowed out: this is done with a body as it is shaped; let it come before moves, copies, combinations and edges"
            )
        if field.ring or field.common.open or field.wrap is not None or any(s.loop for s in field.common.lanes):
            raise DesignError(
                "hollowed out: only a solid between two flat ends, without holes through it, is hollowed out"
            )
        ends, floor = field.sections(field.nodes[[0, -1]]), floor or wall
        low, high = (
            Level(ends.origin[k] + (0.0 if open_ else way * floor) * ends.normal[k], ends.normal[k])
            for k, open_, way in ((0, self.first, 1.0), (1, self.last, -1.0))
        )
        values = {"wall": wall, "floor": floor, "first": self.first, "last": self.last}
        return Asked("hollow", "hollowed out:", values=values, inside=Parallel(field, wall, low, high, ask.tolerance))
