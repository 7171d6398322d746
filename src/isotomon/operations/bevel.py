"""Edges bevelled: cut off by a flat face."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Literal

from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.edges import Edges, Without, edge_choices
from isotomon.quantity import Value

HOW = (("width", "as wide on both faces"), ("widths", "two widths"), ("angle", "a width and an angle"))


class Bevel(Operation, frozen=True, tag="bevel"):
    """Edges cut off: by one `width` (mm) along both faces, by a second one along the other face, or by the angle (rad) to the
    first."""

    TITLE = "Edges bevelled"
    COMMAND = "Bevel edges"
    HELP = "Edges cut off flat: by one width on both faces, by two, or by a width and an angle"
    FAMILY = ""
    STAGE = "Finish"
    PLACE = 20
    ICON = "bevel-edge"
    SIZE = "width"

    edges: Edges = ()
    how: Annotated[Literal["width", "widths", "angle"], Says("It is", words=HOW)] = "width"
    width: Annotated[Value, Says("Width", "length")] = 1.0
    other: Annotated[Value, Says("Other width", "length", tip="On the other face, where there are two")] = 1.0
    angle: Annotated[Value, Says("Angle", "angle", tip="To the first face, where it is given by an angle")] = (
        math.pi / 4.0
    )
    without: Without = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError, for widths and angles that cannot be."""
        width = ask.number(self, "width")
        other = {"width": width, "widths": ask.number(self, "other"), "angle": 0.0}[self.how]
        angle = ask.number(self, "angle")
        if self.how == "angle":
            if not math.radians(1.0) <= angle <= math.radians(89.0):
                raise DesignError(f"edges bevelled: the angle is {math.degrees(angle):.4g}°; use 1° to 89°")
            other = width * math.tan(angle)
        if not min(width, other) > 0.0:
            raise DesignError("edges bevelled: a width must be more than nought")
        values: dict[str, bool | float | str] = {"width": width, "ratio": other / width}
        values["edges"] = edge_choices(self.edges, ask.body, self.without)
        return Asked("bevel", "edges bevelled of", (), values)
