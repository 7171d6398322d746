"""A skin given a thickness."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, FieldError
from isotomon.field.thick import Thick, whole_normals
from isotomon.operations.base import WALLS, Ask, Asked, Operation, Says, varying
from isotomon.operations.grips import Grip, growing
from isotomon.quantity import Value
from isotomon.quantity.record import Id

SIDES = (
    ("before", "before the skin, where its normals point"),
    ("behind", "behind the skin"),
    ("about", "about the skin"),
)
SHARES = {"before": (1.0, 0.0), "behind": (0.0, 1.0), "about": (0.5, 0.5)}
"""Of the thickness, before the skin and behind it."""
PLACES = 17
"""Places along the skin at which a thickness that changes is worked out."""


class Thicken(Operation, frozen=True, tag="thicken"):
    """A skin made a solid: a `thickness` (mm) at true distance along its normals, `before` it, `behind` or `about` it. In a formula `fraction`
    runs from the skin's first curve to its last."""

    TITLE = "Given a thickness"
    COMMAND = "Give the skin a thickness"
    HELP = "A solid made of a skin: as thick as is said, at true distance along its normals, its edges square to it"
    FAMILY = ""
    PLACE = 35
    STAGE = "Finish"
    ICON = "thicken"
    SIZE = "thickness"

    thickness: Annotated[
        Value, Says("Thickness", "length", tip="May be a formula in `fraction`, which runs along the skin")
    ] = 2.0
    side: Annotated[Literal["before", "behind", "about"], Says("It lies", words=SIDES)] = "before"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """On a skin made from curves this is ours; any other is thickened by the kernel. Raises: DesignError."""
        thick = varying(ask, self.thickness, "Thickness", PLACES)
        if not thick.min() > 0.0:
            raise DesignError(f"given a thickness: it comes to {thick.min():.4g} mm; it must be more than nought")
        before, behind = SHARES[self.side]
        if ask.sheet is not None and not (len(ask.sheet.u.creases) or len(ask.sheet.v.creases)):
            walls = Thick(ask.sheet, before * thick, -behind * thick, ask.tolerance / 10.0)
            return Asked(WALLS, "given a thickness:", skins=True, walls=walls)
        if len(thick) > 1:
            raise DesignError(
                "given a thickness: one that changes along the skin is for a smooth skin made from curves; give one number"
            )
        values: dict[str, bool | float | str] = {"before": before * float(thick[0]), "behind": behind * float(thick[0])}
        return Asked("thicken", "given a thickness:", (), values, skins=True)

    def keeps_skin(self, body: Id) -> bool:
        """None is left."""
        return False

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One in the middle of the skin, for the thickness."""
        if not isinstance(self.thickness, float) or not self.thickness > 0.0 or ask.sheet is None:
            return {}
        half, scale = np.array([0.5]), max(SHARES[self.side])
        try:
            normal = whole_normals(ask.sheet, half, half)[0, 0] * (-1.0 if self.side == "behind" else 1.0)
        except FieldError:
            return {}
        place = ask.sheet.grid(half, half)[0, 0] + scale * self.thickness * normal
        words = "make the skin thicker or thinner"
        return {
            "thickness": growing(
                place, normal, "thickness", self.thickness, "change the thickness", words, scale=1.0 / scale
            )
        }
