"""A skin from curves of which a side is brought to another curve."""

from __future__ import annotations

from typing import Annotated, Literal

from isotomon.errors import DesignError
from isotomon.field.matched import matched
from isotomon.field.sheet import SkinSheet
from isotomon.field.spreads import GIVEN
from isotomon.field.strand import strand_of
from isotomon.operations.base import Ask, Length, Says, SheetStep
from isotomon.operations.lengthen import SIDES
from isotomon.quantity.record import Ref, usual

JOINS = (("free", "in position"), ("flush", "flush with its skin (G1)"), ("fair", "fair with its skin (G2)"))


class MatchSkin(SheetStep, frozen=True, tag="match-skin"):
    """A skin made from curves of which a side is brought to a curve `to`, from end to end: in position, or `flush` (G1) or `fair` (G2) with the skin
    whose edge that is. What is nearer to the side than the `reach` (mm; nought: all of it) follows, ever less."""

    TITLE = "Matched"
    COMMAND = "Match a side"
    HELP = "A side of the skin brought to another curve or edge; flush or fair with the skin whose edge that is; what is near follows"
    PLACE = 34

    side: Annotated[Literal["first", "last", "start", "end"], Says("Its side", words=SIDES)] = "last"
    to: Annotated[Ref, Says("To", "c")] = usual("")
    join: Annotated[Literal["free", "flush", "fair"], Says("It comes", words=JOINS)] = "flush"
    reach: Annotated[Length, Says("Reach", tip="What is nearer follows; nought: all of the skin")] = 0.0

    def on_sheet(self, ask: Ask, sheet: SkinSheet) -> SkinSheet:
        """What is added is fitted."""
        reach, near = ask.number(self, "reach"), ask.tolerance / 10.0
        if not self.to:
            raise DesignError("there is no curve that the side is to be matched with; choose one")
        if reach < 0.0:
            raise DesignError(f"a reach of {reach:.4g} mm: give a length of nought or more")
        try:
            curve = strand_of(ask.references.curve(self.to), near)
        except ValueError as error:
            raise DesignError(f"{ask.references.called(self.to)}: {error}") from None
        return matched(sheet, self.side, curve, GIVEN[self.join], reach, near)
