"""A skin from a net of curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from isotomon.errors import DesignError
from isotomon.field.nets import net, two_families
from isotomon.operations.base import Ask, Length, Says
from isotomon.operations.skins.base import EDGES, MadeSheet, Making, given_at, names_of, strands_of
from isotomon.quantity.record import Ref


class NetSkin(Making, frozen=True, tag="net"):
    """The skin that passes all curves of two families that cross each other, however they are put in order and whichever way they run. Curves
    that miss each other by no more than `within` (mm) are drawn together midway. A family may come together in a point at an end, or
    be closed. Along its outermost curves that are edges of skins, but for those left `free`, it is flush or fair with these; its curves stay on it."""

    TITLE = "Skin from a net of curves"
    COMMAND = "Skin from a net of curves"
    HELP = "Curves that run one way and others across them: the skin passes all of them. Four curves round a field are a net, too"
    PLACE = 30
    ICON = "skin-net"
    SHORTCUT = "Ctrl+Shift+K"
    FEWEST = 3

    along: Annotated[tuple[Ref, ...], Says("One way", "curves")] = ()
    across: Annotated[tuple[Ref, ...], Says("Across", "curves")] = ()
    join: Annotated[Literal["free", "flush", "fair"], Says("Its sides are", words=EDGES)] = "free"
    free: Annotated[tuple[Ref, ...], Says("Left free", "curves", tip="Of the curves that are edges of skins")] = ()
    within: Annotated[
        Length,
        Says(
            "Gaps closed up to",
            tip="Where curves that should cross miss each other by no more, they are drawn together",
        ),
    ] = 0.01

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """Parted in two families by which of them cross."""
        families = two_families(strands_of(ask, curves), names_of(ask, curves))
        along, across = (tuple(curves[k] for k in family) for family in families)
        return cls(along=along, across=across)

    def made(self, ask: Ask) -> MadeSheet:
        """Gordon's skin."""
        within = ask.number(self, "within")
        if not within >= 0.0:
            raise DesignError(f"gaps closed up to {within:.4g} mm; give a length of nought or more")
        called = tuple(names_of(ask, self.along)), tuple(names_of(ask, self.across))
        along, across = (tuple(strands_of(ask, family)) for family in (self.along, self.across))
        curves = zip((*along, *across), (*self.along, *self.across), strict=True)
        given = tuple(
            (strand, given_at(self.join, self.free, ref, strand)) for strand, ref in curves if strand.beyond is not None
        )
        found = net(along, across, within, ask.tolerance / 10.0, called, given)
        return MadeSheet(found.sheet, (("widest gap that was closed", float(found.gaps.max())),))
