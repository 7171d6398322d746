"""A skin from curves, smoothed."""

from __future__ import annotations

from typing import Annotated

from isotomon.errors import DesignError
from isotomon.field.reshaped import smoothed
from isotomon.field.sheet import SkinSheet
from isotomon.operations.base import Ask, Length, Says, SheetStep


class SmoothSkin(SheetStep, frozen=True, tag="smooth-skin"):
    """A skin made from curves that is as calm as it can be without leaving what it was by more than a length (mm): its creases and steps
    of curvature are gone."""

    TITLE = "Smoothed"
    COMMAND = "Smooth the skin"
    HELP = "The skin as calm as it can be within a distance of what it was: creases and steps of curvature go"
    PLACE = 31

    within: Annotated[Length, Says("Within", tip="So far it may leave the skin that it was")] = 0.5

    def on_sheet(self, ask: Ask, sheet: SkinSheet) -> SkinSheet:
        """In as few spans as will do."""
        within = ask.number(self, "within")
        if not within > 0.0:
            raise DesignError(f"within {within:.4g} mm: give a length of more than nought")
        return smoothed(sheet, within)
