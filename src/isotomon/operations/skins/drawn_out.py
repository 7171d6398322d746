"""A skin drawn out from an edge."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.spreads import drawn_out
from isotomon.geometry.planar import cross3
from isotomon.operations.base import Angle, Ask, Length, Says
from isotomon.operations.skins.base import FINER, Curve, MadeSheet, Making, strands_of
from isotomon.quantity.record import Ref, usual

HOW = (("direction", "along a direction"), ("leaning", "from the skin whose edge it is, leaning"))


class DrawnOut(Making, frozen=True, tag="drawn-out"):
    """A curve drawn out by a `length` (mm): along a direction, or, of an edge of a skin, away from that, `leaning` by an angle (rad) from how it
    would go on: 0° goes on, 90° stands square to it, before it."""

    TITLE = "Skin drawn out from a curve"
    COMMAND = "Skin drawn out from a curve"
    HELP = "A curve moved along a direction; or an edge of a skin drawn out from it: going on, square to it, or leaning"
    PLACE = 15
    ICON = "skin-drawn-out"
    FEWEST = 1
    MOST = 1

    curve: Annotated[Curve, Says("From")] = usual("")
    how: Annotated[Literal["direction", "leaning"], Says("It goes", words=HOW)] = "direction"
    along: Annotated[Ref, Says("Along", "A", tip="Where it goes along a direction")] = usual("z")
    angle: Annotated[
        Angle, Says("Leaning by", tip="0°: as the skin goes on; 90°: square to it; less than nought: to its other side")
    ] = 0.0
    length: Annotated[Length, Says("Length", tip="Less than nought: the other way")] = 20.0

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """Of an edge of a skin from that on, of any other curve along Z."""
        edge = ask.references.curve(curves[0]).beyond is not None
        return cls(curve=curves[0], how="leaning" if edge else "direction")

    def made(self, ask: Ask) -> MadeSheet:
        """Straight rulings from the curve."""
        (strand,) = strands_of(ask, (self.curve,))
        length, angle = ask.number(self, "length"), ask.number(self, "angle")
        if length == 0.0:
            raise DesignError("drawn out by nought there is no skin; give a length")
        beyond = strand.beyond
        if self.how == "direction":
            way = length * ask.references.axis(self.along).way
            return MadeSheet(drawn_out(strand, lambda s: np.tile(way, (len(s), 1)), FINER * ask.tolerance))
        if beyond is None:
            raise DesignError(
                "this curve is no edge of a skin that it could lean from; choose a side or rim, or a direction"
            )

        def leaning(s: Array) -> Array:
            direction, along = beyond(s)[0], strand.at(s, 1)
            normal = cross3(along / np.linalg.norm(along, axis=1, keepdims=True), direction)
            return np.asarray(length * (math.cos(angle) * direction + math.sin(angle) * normal))

        return MadeSheet(drawn_out(strand, leaning, FINER * ask.tolerance))
