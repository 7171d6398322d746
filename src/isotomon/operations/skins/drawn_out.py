"""A skin drawn out from an edge."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.dropping import met_along
from isotomon.field.spreads import drawn_out
from isotomon.field.strand import Strand
from isotomon.geometry.planar import cross3
from isotomon.operations.base import Angle, Ask, Length, Says, UpTo
from isotomon.operations.skins.base import FINER, Curve, MadeSheet, Making, strands_of
from isotomon.quantity.record import Ref, usual

HOW = (("direction", "along a direction"), ("leaning", "from the skin whose edge it is, leaning"))


class DrawnOut(Making, frozen=True, tag="drawn-out"):
    """A curve drawn out by a `length` (mm), or `until` it comes to another skin or a plane: along a direction, or, of an edge of a skin, away from
    that, `leaning` by an angle (rad) from how it would go on: 0° goes on, 90° stands square to it, before it."""

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
    until: UpTo = usual("")

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """Of an edge of a skin from that on, of any other curve along Z."""
        edge = ask.references.curve(curves[0]).beyond is not None
        return cls(curve=curves[0], how="leaning" if edge else "direction")

    def made(self, ask: Ask) -> MadeSheet:
        """Straight rulings from the curve."""
        (strand,) = strands_of(ask, (self.curve,))
        length = ask.number(self, "length")
        if length == 0.0:
            raise DesignError("drawn out by nought there is no skin; give a length")
        way = partial(self._ways(ask, strand), 1.0 if length > 0.0 else -1.0)
        if not self.until:
            return MadeSheet(drawn_out(strand, lambda s: abs(length) * way(s), FINER * ask.tolerance))
        skin = ask.references.skin(self.until)

        def reaching(s: Array) -> Array:
            points = strand.at(s)
            return np.asarray(met_along(points, skin, way(s)) - points)

        return MadeSheet(drawn_out(strand, reaching, FINER * ask.tolerance))

    def _ways(self, ask: Ask, strand: Strand) -> Callable[[float, Array], Array]:
        """(n, 3) of length 1 the directions at shares (n,) of the curve, with a sign.

        Raises: DesignError.
        """
        if self.how == "direction":
            along = ask.references.axis(self.along).way
            return lambda sign, s: np.tile(sign * along, (len(s), 1))
        beyond, angle = strand.beyond, ask.number(self, "angle")
        if beyond is None:
            raise DesignError(
                "this curve is no edge of a skin that it could lean from; choose a side or rim, or a direction"
            )

        def leaning(sign: float, s: Array) -> Array:
            direction, along = beyond(s)[0], strand.at(s, 1)
            normal = cross3(along / np.linalg.norm(along, axis=1, keepdims=True), direction)
            return np.asarray(sign * (math.cos(angle) * direction + math.sin(angle) * normal))

        return leaning
