"""A skin over several curves, in order."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from isotomon.errors import DesignError
from isotomon.field.blends import blend
from isotomon.field.nets import FEWEST_ROUND
from isotomon.field.spreads import even_levels, through
from isotomon.field.strand import headed
from isotomon.operations.base import Ask, Says
from isotomon.operations.skins.base import Curves, MadeSheet, Making, strands_of
from isotomon.quantity.record import Ref


class SeveralCurves(Making, frozen=True, tag="several"):
    """From each curve smoothly, or straight, into the next, and round to the first again where it is a ring. All run the way that brings them
    nearer to the one before; those in `turned`, by their numbers from 0, the other way."""

    TITLE = "Skin over several curves"
    COMMAND = "Skin over several curves"
    HELP = "From each curve into the next, in the order in which they are chosen, smoothly or straight; round to the first again if wanted"
    PLACE = 20
    ICON = "skin-several"

    curves: Curves = ()
    across: Annotated[
        Literal["smooth", "straight"],
        Says("From curve to curve", words=(("smooth", "smoothly"), ("straight", "straight"))),
    ] = "smooth"
    ring: Annotated[bool, Says("Round to the first again")] = False
    turned: Annotated[
        tuple[int, ...], Says("Run the other way", tip="Curves by their numbers in the list above, which begins with 1")
    ] = ()

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """All of them, in the order in which they were chosen."""
        return cls(curves=tuple(curves))

    def made(self, ask: Ask) -> MadeSheet:
        """One blend through all."""
        strands = strands_of(ask, self.curves)
        fewest = FEWEST_ROUND if self.ring else 2
        if len(strands) < fewest:
            raise DesignError(f"the skin goes through {len(strands)} curves; it needs {fewest} or more")
        strands = headed(strands, [k in self.turned for k in range(len(strands))])
        across = blend(even_levels(strands, self.ring), straight=self.across == "straight", ring=self.ring)
        return MadeSheet(through(strands, across, ask.tolerance / 10.0))
