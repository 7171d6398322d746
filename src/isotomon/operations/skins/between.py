"""A skin between two curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from isotomon.field.blends import blend
from isotomon.field.spreads import through
from isotomon.field.strand import headed
from isotomon.operations.base import Ask, Says
from isotomon.operations.skins.base import Curve, Made, Making, strands_of
from isotomon.quantity.record import Ref, usual

RUNS = (("nearer", "as it comes nearer"), ("other", "the other way round"))


class Between(Making, frozen=True, tag="between"):
    """Straight rulings from one curve to another, from the same share of the length to the same, and from corner to corner where both have
    as many. The second curve runs the way that brings it `nearer`, or the `other`."""

    TITLE = "Skin between two curves"
    COMMAND = "Skin between two curves"
    HELP = "Straight rulings from one curve to another: edge to edge of two skins, from rim to rim, from guide to guide"
    PLACE = 10
    ICON = "skin-between"
    MOST = 2

    first: Annotated[Curve, Says("From")] = usual("")
    second: Annotated[Curve, Says("To")] = usual("")
    runs: Annotated[Literal["nearer", "other"], Says("Second curve", words=RUNS)] = "nearer"

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """The first two."""
        return cls(first=curves[0], second=curves[1])

    def made(self, ask: Ask) -> Made:
        """Ruled from curve to curve."""
        strands = headed(strands_of(ask, (self.first, self.second)), (False, self.runs == "other"))
        return Made(through(strands, blend([0.0, 1.0]), ask.tolerance / 10.0))
