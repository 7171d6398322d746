"""A skin beside another."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.beside import beside_body
from isotomon.field.skin import BodySkin, CurveSkin
from isotomon.field.thick import parallel_sheet
from isotomon.operations.base import Ask, Length, Other, Says
from isotomon.operations.skins.base import FINER, MadeSheet, Making
from isotomon.quantity.record import Ref, usual


class BesideSkin(Making, frozen=True, tag="beside"):
    """The skin at a `distance` (mm) from another body's, along its normals: before a skin, or outside a solid; behind or within it where the
    distance is less than nought, on it where it is nought."""

    TITLE = "Skin beside another"
    COMMAND = "Skin beside another"
    HELP = "The parallel skin at a distance from another skin or body; at nought: that skin itself, as it is shaped"
    PLACE = 60
    ICON = "skin-beside"
    FEWEST = 1
    MOST = 1
    OF = "skins"

    of: Annotated[Other, Says("Beside")] = usual("")
    distance: Annotated[Length, Says("At", tip="Less than nought: behind the skin, or within the body")] = 10.0

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """The first body."""
        return cls(of=curves[0])

    def made(self, ask: Ask) -> MadeSheet:
        """Fitted to true distances."""
        if not self.of:
            raise DesignError("no skin is chosen that this one is to be beside; choose one")
        skin, away, near = ask.references.skin(self.of), ask.number(self, "distance"), FINER * ask.tolerance
        if isinstance(skin, CurveSkin):
            return MadeSheet(parallel_sheet(skin.sheet, np.array([away]), near))
        if isinstance(skin, BodySkin):
            return MadeSheet(beside_body(skin.field, away, near))
        raise DesignError(f"{ask.references.called(self.of)} is no body with a skin; choose one")
