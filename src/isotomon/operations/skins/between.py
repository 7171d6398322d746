"""A skin between two curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.blends import blend
from isotomon.field.spreads import GIVEN, through, tied
from isotomon.field.strand import Strand, headed
from isotomon.operations.base import Ask, Length, Says
from isotomon.operations.grips import Grip
from isotomon.operations.skins.base import FINER, Curve, MadeSheet, Making, strands_of
from isotomon.quantity.record import Pair, Ref, clean_pairs, usual

TOGETHER = 1e-9
"""Of their length: curves that are no further apart lie on each other."""
RUNS = (("nearer", "as it comes nearer"), ("other", "the other way round"))
JOINS = (("free", "free"), ("flush", "flush with its skin (G1)"), ("fair", "fair with its skin (G2)"))
TIES = (
    "Shares of both lengths that belong together, such as 0.3:0.4, 0.7:0.6; none: even shares, and corners on corners"
)
MOST_TIES, ROOM = 40, 5e-3
"""How many there may be, and, of a curve, how far a tie's end keeps from those beside it."""
STRENGTH = "Over what length the skin goes on from the other one; nought: as far as the curves are apart"


class BetweenCurves(Making, frozen=True, tag="between"):
    """From one curve to another, from the same share of the length to the same, and from corner to corner where both have as many: in straight
    rulings where both ends are `free`; where `ties` pair shares of both lengths, these go to each other, and what lies between smoothly; flush (G1) or fair (G2) with the skin that a curve is an edge of, over a length (mm). The second
    curve runs the way that brings it `nearer`, or the `other`."""

    TITLE = "Skin between two curves"
    COMMAND = "Skin between two curves"
    HELP = "From one curve to another: straight, or flush or fair with the skins whose edges they are"
    PLACE = 10
    ICON = "skin-between"
    MOST = 2

    first: Annotated[Curve, Says("From")] = usual("")
    second: Annotated[Curve, Says("To")] = usual("")
    runs: Annotated[Literal["nearer", "other"], Says("Second curve", words=RUNS)] = "nearer"
    ties: Annotated[tuple[Pair, ...], Says("Ties", "pairs", tip=TIES)] = ()
    first_join: Annotated[Literal["free", "flush", "fair"], Says("It leaves", words=JOINS)] = "free"
    first_length: Annotated[Length, Says("Over", tip=STRENGTH)] = 0.0
    last_join: Annotated[Literal["free", "flush", "fair"], Says("It arrives", words=JOINS)] = "free"
    last_length: Annotated[Length, Says("Over", tip=STRENGTH)] = 0.0

    def __post_init__(self) -> None:
        super().__post_init__()
        clean_pairs(self, "ties")

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """The first two."""
        return cls(first=curves[0], second=curves[1])

    def made(self, ask: Ask) -> MadeSheet:
        """A blend from curve to curve."""
        strands = self._strands(ask)
        far = _apart(strands)
        lengths = self._length(ask, "first_length", far), self._length(ask, "last_length", far)
        across = blend([0.0, 1.0], GIVEN[self.first_join], GIVEN[self.last_join])
        if not self.ties:
            return MadeSheet(through(strands, across, FINER * ask.tolerance, lengths))
        if len(self.ties) > MOST_TIES or not all(0.0 <= share <= 1.0 for tie in self.ties for share in tie):
            raise DesignError(f"ties pair shares of the lengths, from 0 to 1, and there are at most {MOST_TIES}")
        own, places = tied(strands, self.ties, FINER * ask.tolerance)
        return MadeSheet(through(strands, across, FINER * ask.tolerance, lengths, own), ties=places)

    def grips(self, ask: Ask) -> dict[str, Grip]:
        """The ends of the ties, which slide along the curves."""
        strands = self._strands(ask) if self.ties else []
        pairs = ((number, end) for number in range(len(self.ties)) for end in (0, 1))
        return {f"tie {number} {end}": self._grip(strands[end], number, end) for number, end in pairs}

    def _grip(self, strand: Strand, number: int, end: int) -> Grip:
        """One end of a tie, as far as the ties beside it."""
        here = self.ties[number][end]
        beside = sorted(tie[end] for k, tie in enumerate(self.ties) if k != number)
        low = max((share for share in beside if share < here), default=0.0) + ROOM
        high = min((share for share in beside if share > here), default=1.0) - ROOM

        def share(t: Array) -> Array:
            return np.interp(t, [0.0, 0.5, 1.0], [min(low, here), here, max(high, here)])

        def changes(t: float) -> dict[str, tuple[Pair, ...]]:
            slid = round(float(share(np.array(t))), 4)
            tie = (slid, self.ties[number][1]) if end == 0 else (self.ties[number][0], slid)
            return {"ties": (*self.ties[:number], tie, *self.ties[number + 1 :])}

        return Grip(
            strand.at(strand.at_share(np.array([here])))[0],
            lambda t: strand.at(strand.at_share(share(t))),
            changes,
            "move the tie",
            "slide the end of the tie along the curve",
        )

    def _strands(self, ask: Ask) -> list[Strand]:
        return headed(strands_of(ask, (self.first, self.second)), (False, self.runs == "other"))

    def _length(self, ask: Ask, name: str, usual: float) -> float:
        length = ask.number(self, name)
        if length < 0.0:
            raise DesignError(f"over {length:.4g} mm: give a length of nought or more")
        return length or usual


def _apart(strands: Sequence[Strand]) -> float:
    """mm: how far two curves are from each other, at even shares of their lengths."""
    t = np.linspace(0.0, 1.0, 33)
    far = float(np.linalg.norm(strands[1].at(t) - strands[0].at(t), axis=1).mean())
    if far < TOGETHER * max(s.length for s in strands):
        raise DesignError(
            "the two curves lie on each other, so that there is nothing between them; move one, or choose others"
        )
    return far
