"""What a way of making a skin is: a frozen record with typed fields, that says which curves it is made from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, ClassVar

from isotomon.errors import DesignError
from isotomon.field.blends import Given
from isotomon.field.sheet import SkinSheet
from isotomon.field.spreads import GIVEN, Join
from isotomon.field.strand import Strand, strand_of
from isotomon.field.trims import Trim
from isotomon.operations.base import Ask, Says
from isotomon.operations.grips import Grip
from isotomon.quantity.record import Record, Ref

Curve = Annotated[Ref, "c"]
"""A guide, a drawing, an edge or rim of a body, the side of a skin."""
Curves = Annotated[tuple[Ref, ...], Says("Curves", "curves")]
"""Several of them."""
FINER = 0.1
"""Of the design's tolerance: so near a skin's curves are followed."""
MOST_CURVES = 60
EDGES = (
    ("free", "free"),
    ("flush", "flush with the skins at its edges (G1)"),
    ("fair", "fair with the skins at its edges (G2)"),
)
"""How a skin's edges may be, in words."""


@dataclass(frozen=True, eq=False)
class MadeSheet:
    """A skin that is made; and what is to be said of it: (words, length in mm) each."""

    sheet: SkinSheet
    told: tuple[tuple[str, float], ...] = ()
    trim: Trim | None = None
    """What of the sheet there is; None for all of it."""
    ties: tuple[float, ...] = ()
    """u where its curves were made to correspond by hand."""


class Making(Record, frozen=True, kw_only=True, tag_field="kind"):
    """The common base of all ways of making a skin from curves."""

    TITLE: ClassVar[str] = ""
    """In Details: what it is."""
    COMMAND: ClassVar[str] = ""
    """In the tray and the finder: what is to be done."""
    HELP: ClassVar[str] = ""
    NAME: ClassVar[str] = "skin"
    """What a new one is called."""
    FEWEST: ClassVar[int] = 2
    MOST: ClassVar[int] = MOST_CURVES
    """Curves that it is made from: without fewer it is nothing."""
    OF: ClassVar[str] = "curves"
    """What it is made from: `curves`, `points`, or `skins`."""
    APART: ClassVar[tuple[str, ...]] = ()
    """Of its fields, those whose curves it may be made from without lying on them."""
    PLACE: ClassVar[int] = 50
    ICON: ClassVar[str] = ""
    SHORTCUT: ClassVar[str] = ""

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """One made from curves as they were chosen. Raises: IsotomonError."""
        raise NotImplementedError

    def made(self, ask: Ask) -> MadeSheet:
        """The skin.

        Raises: IsotomonError.
        """
        raise NotImplementedError

    def grips(self, ask: Ask) -> dict[str, Grip]:
        """Handles for what can be dragged, by name.

        Raises: IsotomonError.
        """
        return {}


def strands_of(ask: Ask, curves: Sequence[Ref]) -> list[Strand]:
    """Curves by their length, near enough for the design.

    Raises: IsotomonError, naming a curve that is gone, or that no skin can be made from.
    """
    if len(curves) > MOST_CURVES:
        raise DesignError(f"the skin is made from {len(curves)} curves; at most {MOST_CURVES} can be used")
    twice = next((c for k, c in enumerate(curves) if c in curves[:k]), None)
    if twice is not None:
        raise DesignError(f"{ask.references.called(twice)} is chosen twice; take one out")
    found = list[Strand]()
    for ref in curves:
        if not ref:
            raise DesignError("a curve is missing; choose one")
        try:
            found.append(strand_of(ask.references.curve(ref), FINER * ask.tolerance))
        except ValueError as error:
            raise DesignError(f"{ask.references.called(ref)}: {error}") from None
    return found


def names_of(ask: Ask, curves: Sequence[Ref]) -> list[str]:
    """Curves in words."""
    return [ask.references.called(ref) for ref in curves]


def given_at(join: Join, free: Sequence[Ref], ref: Ref, strand: Strand) -> Given:
    """How many derivatives across are given at one of a skin's curves: none where it is no edge of another, or is left `free`."""
    return GIVEN[join] if strand.beyond is not None and ref not in free else 0
