"""A skin of profiles carried along two rails."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from isotomon.errors import DesignError
from isotomon.field.nets import two_families
from isotomon.field.strand import headed
from isotomon.field.two_rails import along_rails
from isotomon.operations.base import Ask, Says
from isotomon.operations.skins.base import FINER, Curve, MadeSheet, Making, names_of, strands_of
from isotomon.quantity.record import Ref, usual

HOLDS = (("across", "across the rails"), ("upright", "with their height along a direction"))
SIZES = (("even", "as a whole"), ("width", "in width only"))


class AlongRails(Making, frozen=True, tag="rails"):
    """Profiles carried along two rails, each scaled and turned so that it reaches both: `even`, as a whole, or in `width` only. They stand across
    the rails, or `upright`, their height kept to a direction. Profiles that touch both rails stand where they do, others evenly from
    the rails' first ends to their last."""

    TITLE = "Skin along two rails"
    COMMAND = "Skin along two rails"
    HELP = "One or more profiles carried along two curves, each turned and scaled to reach both"
    PLACE = 35
    ICON = "skin-rails"
    FEWEST = 3
    APART = ("profiles",)

    first: Annotated[Curve, Says("First rail")] = usual("")
    second: Annotated[Curve, Says("Second rail")] = usual("")
    profiles: Annotated[tuple[Ref, ...], Says("Profiles", "curves")] = ()
    hold: Annotated[Literal["across", "upright"], Says("They stand", words=HOLDS)] = "across"
    up: Annotated[Ref, Says("Height along", "A", tip="Where they are kept upright")] = usual("z")
    sized: Annotated[Literal["even", "width"], Says("Scaled", words=SIZES)] = "even"

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """Of two families that cross the one with two curves are the rails, the longer ones where both have two; else the first two are."""
        if len(curves) == 3:
            return cls(first=curves[0], second=curves[1], profiles=tuple(curves[2:]))
        strands = strands_of(ask, curves)
        families = sorted(
            two_families(strands, names_of(ask, curves)), key=lambda f: -sum(strands[k].length for k in f)
        )
        pair = next((family for family in families if len(family) == 2), None)
        if pair is None:
            raise DesignError("two of the curves are the rails, and the others cross both; choose such curves")
        profiles = tuple(ref for k, ref in enumerate(curves) if k not in pair)
        return cls(first=curves[pair[0]], second=curves[pair[1]], profiles=profiles)

    def made(self, ask: Ask) -> MadeSheet:
        """Fitted to what the profiles are at every place along the rails."""
        if not self.profiles:
            raise DesignError("there is no profile to be carried along the rails; choose one")
        rails = headed(strands_of(ask, (self.first, self.second)))
        profiles, pair = tuple(strands_of(ask, self.profiles)), (rails[0], rails[1])
        x, y, z = ask.references.axis(self.up).way.tolist() if self.hold == "upright" else (0.0, 0.0, 0.0)
        upright = (x, y, z) if self.hold == "upright" else None
        return MadeSheet(along_rails(pair, profiles, upright, self.sized == "even", FINER * ask.tolerance)[0])
