"""A skin from curves that goes on over one of its sides."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.dropping import met_along
from isotomon.field.lengthened import lengthened
from isotomon.field.sheet import SkinSheet
from isotomon.operations.base import Ask, Length, Says, SheetStep, UpTo
from isotomon.quantity.record import usual

SIDES = (
    ("first", "along its first curve"),
    ("last", "along its last curve"),
    ("start", "where its curves begin"),
    ("end", "where its curves end"),
)
HOW = (("straight", "straight on"), ("curved", "with the curvature that it has there"))


class Lengthen(SheetStep, frozen=True, tag="lengthen"):
    """A skin made from curves that goes on over a side, `by` so many mm: straight in its own direction, or along circles of the curvature that
    it has there; or straight `until` it comes to another skin or a plane."""

    TITLE = "Lengthened"
    COMMAND = "Lengthen the skin"
    HELP = "The skin goes on over one of its sides: past a body that it is to cut, or that it is to stand in"
    PLACE = 33

    side: Annotated[Literal["first", "last", "start", "end"], Says("At the side", words=SIDES)] = "last"
    by: Annotated[Length, Says("By")] = 10.0
    how: Annotated[Literal["straight", "curved"], Says("It goes on", words=HOW)] = "straight"
    until: UpTo = usual("")

    def on_sheet(self, ask: Ask, sheet: SkinSheet) -> SkinSheet:
        """Fitted to what goes on."""
        by = ask.number(self, "by")
        if not by > 0.0:
            raise DesignError(f"by {by:.4g} mm: give a length of more than nought; trim the skin to make it shorter")
        near = ask.tolerance / 10.0
        if not self.until:
            return lengthened(sheet, self.side, by, self.how, near)
        if self.how != "straight":
            raise DesignError("a skin comes up to another one straight on; let it go on so, or by a length")
        skin = ask.references.skin(self.until)

        def reaching(points: Array, ways: Array) -> Array:
            return np.asarray(np.sum((met_along(points, skin, ways) - points) * ways, axis=1))

        return lengthened(sheet, self.side, reaching, self.how, near)
