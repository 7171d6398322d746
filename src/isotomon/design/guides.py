"""Guides as the design says them: curves in space, each by what it is made from, and their use as rails.

What a guide is made from is named as for datums (`isotomon.design.datums`), and besides: another guide's id, a drawing's
id (its outline, on the plane it was drawn on), `s4/upper` `s4/lower` (a profile's highest and lowest point), `s4/c:tail`
(a corner of it, by its lasting name), `s4/at:0.25` (a share of its arc length), `body/first-rim` and `body/last-rim` (the closed edges of the body's ends).
"""

from __future__ import annotations

import math
from typing import Literal

import msgspec

from isotomon.design.recipe import Field, Recipe, check_made
from isotomon.errors import DesignError
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref, usual

GuideKind = Literal[
    "through",
    "drawn",
    "two-views",
    "dropped",
    "on-skin",
    "meets",
    "joined",
    "helix",
    "offset",
    "mirrored",
    "extended",
]
MOST_POINTS = 400


GUIDES: dict[str, Recipe] = {
    "through": Recipe("Curve through points", "", (), (("Ends", ("open", "closed")),)),
    "drawn": Recipe("Drawn profile as a guide", "D"),
    "two-views": Recipe("Curve from two views", "cc"),
    "dropped": Recipe("Curve dropped onto a skin", "cSV"),
    "on-skin": Recipe("Curve drawn on the skin", "S", (), (("Ends", ("open", "closed")),)),
    "meets": Recipe("Curve where two skins meet", "SS", (Field("Which branch", "ratio", 1.0),)),
    "joined": Recipe("Curves and edges joined", "c*", (), (("Kinks and gaps", ("kept", "smoothed")),)),
    "helix": Recipe(
        "Helix",
        "R",
        (
            Field("Radius", "length", 0.0),
            Field("Pitch", "length", 60.0),
            Field("Turns", "ratio", 2.0),
            Field("Height", "length", 120.0),
            Field("Start angle", "angle", 0.0),
            Field("Start along the axis", "length", 0.0),
            Field("End radius", "length", 0.0),
            Field("Taper", "angle", 0.0),
            Field("Lead-in", "length", 0.0),
            Field("Lead-out", "length", 0.0),
            Field("Fade by", "length", 10.0),
        ),
        (
            ("Worked out", ("height", "turns", "pitch")),
            ("Hand", ("right", "left")),
            ("Radius along it", ("constant", "to the end radius", "by the taper")),
            ("Leads", ("straight", "fading")),
        ),
    ),
    "offset": Recipe("Curve beside another", "cP", (Field("Distance", "length", 10.0),)),
    "mirrored": Recipe("Curve mirrored in a plane", "cP"),
    "extended": Recipe(
        "Curve extended or cut back", "c", (Field("At the start", "length", 20.0), Field("At the end", "length", 20.0))
    ),
}


class GuidePoint(Record, frozen=True):
    """A place a guide passes: the point `on` and as far from it as x, y and z say, or these alone as coordinates.

    On the skin, x is the share of the way round the section and z the position along the body. The curve's direction
    there is free, or `toward` an axis or edge, or a plane (square to it), or the `handle`; its `pull` is the handle's
    length (mm), nought for the usual one.
    """

    on: Ref = usual("")
    x: Value = 0.0
    y: Value = 0.0
    z: Value = 0.0
    toward: Ref = usual("")
    handle: tuple[float, float, float] | None = None
    pull: Value = 0.0

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.handle is not None:
            clean = tuple(float(c) + 0.0 for c in self.handle)
            if not all(math.isfinite(c) for c in clean):
                raise DesignError("a handle must have finite numbers")
            msgspec.structs.force_setattr(self, "handle", clean)


class Guide(Record, frozen=True):
    """A curve in space: what it is made from (`on`), its numbers and choices in the order of its kind."""

    id: Id
    name: str
    kind: GuideKind
    on: tuple[Ref, ...] = ()
    values: tuple[Value, ...] = ()
    choices: tuple[str, ...] = ()
    points: tuple[GuidePoint, ...] = ()

    @property
    def recipe(self) -> Recipe:
        """What its kind is made of, and asks for."""
        return GUIDES[self.kind]


class End(Record, frozen=True):
    """Where a tie or rail lies on a station's profile: at a `corner` by its lasting name, else at a `share` of its arc
    length from its start."""

    station: Ref
    share: float = 0.0
    corner: str = ""


class Rail(Record, frozen=True):
    """A guide that the loft follows. It meets each profile where it comes nearest to it, except at `ends`.

    At the stations in `follows` the profile's point follows the guide; elsewhere a gap is a finding.
    """

    id: Id
    guide: Ref
    ends: tuple[End, ...] = ()
    follows: tuple[Ref, ...] = ()


class Tie(Record, frozen=True):
    """Points of profiles that belong together, set by hand. Stations without an end take the place in between."""

    id: Id
    ends: tuple[End, ...]


class Turns(Record, frozen=True):
    """Whole turns added between a station and the one before it."""

    station: Ref
    turns: int


def check_guide(guide: Guide) -> Guide:
    """The guide itself, if it has what its kind asks for.

    Raises: DesignError.
    """
    check_made("guide", guide)
    if len(guide.points) > MOST_POINTS:
        raise DesignError(f"guide '{guide.name}' has {len(guide.points)} points; at most {MOST_POINTS} can be used")
    if any(guide.id in (p.on, p.toward) for p in guide.points):
        raise DesignError(f"guide '{guide.name}' is made of itself; pick something else")
    return guide
