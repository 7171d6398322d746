"""A body cut by a plane: a part of it kept, or all in two pieces."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from msgspec import structs

from isotomon.operations.base import Array, Ask, Asked, Operation, Says
from isotomon.operations.grips import Grip, along
from isotomon.quantity import Value
from isotomon.quantity.record import Ref, usual

CUT, SIDES, BOTH = "cut_off", ("behind", "before"), "both"
"""The kernel's work, and what it may keep."""
BESIDE = 1e-3
"""Of the body along a plane's normal: a plane no farther within it only touches an end."""
KEPT = (
    ("behind", "what lies behind the plane"),
    ("before", "what lies before the plane"),
    ("both", "both, in pieces"),
)


class CutOff(Operation, frozen=True, tag="cut-off"):
    """Cut by a plane, an `offset` (mm) along its normal: what lies `behind` it is kept, or `before` it, towards which it faces, or both,
    as pieces."""

    TITLE = "Cut by a plane"
    COMMAND = "Cut by a plane"
    HELP = "A part of the body or skin cut off flat, or cut in two; half of it is kept, to be mirrored again"
    FAMILY = "Bodies"
    PLACE = 60
    STAGE = "Finish"

    plane: Annotated[Ref, Says("Plane", "P")] = usual("xy")
    offset: Annotated[Value, Says("Offset", "length", tip="Along the plane's normal")] = 0.0
    keep: Annotated[Literal["behind", "before", "both"], Says("Keep", words=KEPT)] = "behind"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The flat face is called by this step."""
        plane, offset = ask.references.plane(self.plane), ask.number(self, "offset")
        place = np.stack([plane.origin + offset * plane.normal, plane.normal])
        values: dict[str, bool | float | str] = {"keep": self.keep, "called": f"cut of {self.id}"}
        return Asked(CUT, "cut by a plane:", (), values, {"plane": place}, skins=True)

    def settled(self, ask: Ask, body: Array) -> CutOff:
        """Through the middle of the body, where its plane passes beside it."""
        plane = ask.references.plane(self.plane)
        along = (body - plane.origin) @ plane.normal
        offset, low, high = ask.number(self, "offset"), float(along.min()), float(along.max())
        room = BESIDE * (high - low)
        passes = low + room < offset < high - room
        return self if passes else structs.replace(self, offset=float(f"{(low + high) / 2.0:.3g}"))

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One in the plane, beside the body, for the offset."""
        if not isinstance(self.offset, float):
            return {}
        plane = ask.references.plane(self.plane)
        middle = (body.min(axis=0) + body.max(axis=0)) / 2.0
        place = middle + (self.offset - float((middle - plane.origin) @ plane.normal)) * plane.normal
        reach = 2.0 * float(np.ptp(body, axis=0).max())
        return {"offset": along(place, plane.normal, reach, "offset", self.offset, "move the cut", "move the plane")}
