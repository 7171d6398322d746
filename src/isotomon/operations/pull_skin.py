"""A skin from curves of which a side or a place is moved."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.reshaped import place_moved, side_moved
from isotomon.field.sheet import SkinSheet
from isotomon.operations.base import Ask, Length, Ratio, Says, SheetStep
from isotomon.operations.grips import FAR, Grip, along
from isotomon.operations.lengthen import SIDES

WHAT = (("place", "a place within it"), *SIDES)
LEAST = 1e-3
"""mm: a place does not move alone."""


class PullSkin(SheetStep, frozen=True, tag="pull-skin"):
    """A skin made from curves of which a side, or a place within it at `across` and `along` (0 to 1), is moved by x, y and z (mm). What is nearer than the
    `reach` (mm; nought: all of it) follows, ever less; the other sides stay, and the skin goes on from them as it did."""

    TITLE = "Moved in part"
    COMMAND = "Move a part of the skin"
    HELP = "A side of the skin, or a place within it, moved; what is near follows smoothly, and all else stays"
    PLACE = 32
    BEGIN = {"z": 5.0}

    what: Annotated[Literal["place", "first", "last", "start", "end"], Says("What is moved", words=WHAT)] = "place"
    across: Annotated[Ratio, Says("Across", tip="Of a place: from the beginning of its curves, 0, to their end, 1")] = (
        0.5
    )
    along: Annotated[Ratio, Says("Along", tip="Of a place: from its first curve, 0, to its last, 1")] = 0.5
    x: Length = 0.0
    y: Length = 0.0
    z: Length = 0.0
    reach: Annotated[Length, Says("Reach", tip="What is nearer follows; nought: all of the skin")] = 0.0

    def on_sheet(self, ask: Ask, sheet: SkinSheet) -> SkinSheet:
        """Fitted to what is moved."""
        by, reach = np.array([ask.number(self, name) for name in "xyz"]), ask.number(self, "reach")
        if reach < 0.0:
            raise DesignError(f"a reach of {reach:.4g} mm: give a length of nought or more")
        if not by.any():
            return sheet
        if self.what != "place":
            return side_moved(sheet, self.what, by, reach, ask.tolerance / 10.0)
        place = ask.number(self, "across"), ask.number(self, "along")
        if not all(0.0 <= p <= 1.0 for p in place):
            raise DesignError("the place lies beyond the skin; give shares from 0 to 1")
        size = float(np.ptp(sheet.control.reshape(-1, 3), axis=0).max())
        return place_moved(sheet, place, by, max(reach, LEAST) if reach else 2.0 * size, ask.tolerance / 10.0)

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One for each direction, where the part is."""
        if ask.sheet is None:
            return {}
        middle = {"first": (0.5, 0.0), "last": (0.5, 1.0), "start": (0.0, 0.5), "end": (1.0, 0.5)}
        u, v = middle.get(self.what) or (ask.number(self, "across"), ask.number(self, "along"))
        place = ask.sheet.grid(np.array([u]), np.array([v]))[0, 0]
        size, words, found = float(np.ptp(body, axis=0).max()), "move the part of the skin along {}", dict[str, Grip]()
        for axis, direction in zip("xyz", np.eye(3), strict=True):
            value = getattr(self, axis)
            if isinstance(value, float):
                found[axis] = along(
                    place + 0.12 * size * direction,
                    direction,
                    FAR * size,
                    axis,
                    value,
                    "move a part of the skin",
                    words.format(axis.upper()),
                    letter=axis.upper(),
                )
        return found
