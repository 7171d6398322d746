"""A skin over three or four corners."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.basis import make_basis
from isotomon.operations.base import Ask, Says
from isotomon.operations.skins.base import MadeSheet, Making
from isotomon.quantity.record import Ref

ON_EACH_OTHER = 1e-9
"""mm: corners no further apart are one."""


class OverCorners(Making, frozen=True, tag="corners"):
    """Straight edges from corner to corner, in their order, and straight rulings between: a flat triangle of three, of four what two pairs
    of opposite edges rule."""

    TITLE = "Skin over corners"
    COMMAND = "Skin over three or four corners"
    HELP = "Three or four points, in their order round: a flat triangle, or straight rulings between four edges"
    PLACE = 45
    ICON = "skin-corners"
    FEWEST = 3
    MOST = 4
    OF = "points"

    corners: Annotated[tuple[Ref, ...], Says("Corners", "points")] = ()

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """All of them."""
        return cls(corners=tuple(curves))

    def made(self, ask: Ask) -> MadeSheet:
        """Bilinear; a triangle comes to a point."""
        if not 3 <= len(self.corners) <= 4:
            raise DesignError(f"the skin has {len(self.corners)} corners; it needs three or four")
        points = [ask.references.point(ref) for ref in self.corners]
        a, b, c, d = (*points, points[-1])[:4]
        for k, p in enumerate(points):
            if float(np.linalg.norm(p - points[k - 1])) <= ON_EACH_OTHER:
                raise DesignError("two corners lie on each other; choose others")
        straight = make_basis(1, np.array([0.0, 1.0]))
        return MadeSheet(SkinSheet(straight, straight, np.array([[a, d], [b, c]])))
