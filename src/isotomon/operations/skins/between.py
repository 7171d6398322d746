"""A skin between two curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.blends import blend
from isotomon.field.spreads import GIVEN, through
from isotomon.field.strand import Strand, headed
from isotomon.operations.base import Ask, Length, Says
from isotomon.operations.skins.base import FINER, Curve, MadeSheet, Making, strands_of
from isotomon.quantity.record import Ref, usual

TOGETHER = 1e-9
"""Of their length: curves that are no further apart lie on each other."""
RUNS = (("nearer", "as it comes nearer"), ("other", "the other way round"))
JOINS = (("free", "free"), ("flush", "flush with its skin (G1)"), ("fair", "fair with its skin (G2)"))
STRENGTH = "Over what length the skin goes on from the other one; nought: as far as the curves are apart"


class BetweenCurves(Making, frozen=True, tag="between"):
    """From one curve to another, from the same share of the length to the same, and from corner to corner where both have as many: in straight
    rulings where both ends are `free`; flush (G1) or fair (G2) with the skin that a curve is an edge of, over a length (mm). The second
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
    first_join: Annotated[Literal["free", "flush", "fair"], Says("It leaves", words=JOINS)] = "free"
    first_length: Annotated[Length, Says("Over", tip=STRENGTH)] = 0.0
    last_join: Annotated[Literal["free", "flush", "fair"], Says("It arrives", words=JOINS)] = "free"
    last_length: Annotated[Length, Says("Over", tip=STRENGTH)] = 0.0

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """The first two."""
        return cls(first=curves[0], second=curves[1])

    def made(self, ask: Ask) -> MadeSheet:
        """A blend from curve to curve."""
        strands = headed(strands_of(ask, (self.first, self.second)), (False, self.runs == "other"))
        far = _apart(strands)
        lengths = self._length(ask, "first_length", far), self._length(ask, "last_length", far)
        across = blend([0.0, 1.0], GIVEN[self.first_join], GIVEN[self.last_join])
        return MadeSheet(through(strands, across, FINER * ask.tolerance, lengths))

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
