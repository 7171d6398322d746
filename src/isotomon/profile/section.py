"""What a station's section is: ready-made, drawn, kept as a body had it, or found elsewhere in the design."""

from __future__ import annotations

from typing import Literal

from isotomon.quantity.record import Id, Pair, Record, Ref, clean_pairs


class Naca4(Record, frozen=True, tag="naca", tag_field="kind"):
    """A foil by the four-digit equations; `blunt` keeps the trailing edge open (last coefficient -0.1015)."""

    digits: str
    blunt: bool = False


class Circle(Record, frozen=True, tag="circle", tag_field="kind"):
    """A circle; its chord is its diameter."""


class Ellipse(Record, frozen=True, tag="ellipse", tag_field="kind"):
    """An ellipse; `ratio` is height over width."""

    ratio: float


class Rounded(Record, frozen=True, tag="rounded", tag_field="kind"):
    """A rounded rectangle; `ratio` is height over width, `radius` a fraction of the width."""

    ratio: float
    radius: float


class Superellipse(Record, frozen=True, tag="superellipse", tag_field="kind"):
    """|2x|^n + |2y/ratio|^n = 1."""

    ratio: float
    exponent: float


class Polygon(Record, frozen=True, tag="polygon", tag_field="kind"):
    """A regular polygon with a corner towards +X; its chord is the circumscribed diameter."""

    sides: int


class Star(Record, frozen=True, tag="star", tag_field="kind"):
    """A star with a point towards +X; `ratio` is the inner radius over the outer."""

    points: int
    ratio: float


class FromPoints(Record, frozen=True, tag="points", tag_field="kind"):
    """A foil through coordinates kept in the design (`Design.outlines`)."""

    outline: Ref


class KeptRun(Record, frozen=True):
    """One run of a kept section: a B-spline of `degree` on [0, 1] in the section's own unit frame."""

    degree: int
    breaks: tuple[float, ...]
    multiplicity: tuple[int, ...]
    control: tuple[Pair, ...]
    periodic: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        clean_pairs(self, "control")


class Kept(Record, frozen=True, tag="kept", tag_field="kind"):
    """The section the body had at a place: its runs, in the order and correspondence of the body's lanes.

    `anchor` holds the nominal leading and trailing points. `basis` names the correspondence the runs belong to.
    """

    runs: tuple[KeptRun, ...]
    anchor: tuple[Pair, Pair]
    basis: str
    round: bool = False


class Drawn(Record, frozen=True, tag="drawn", tag_field="kind"):
    """A profile drawn by hand (`Design.drawings`), as it is or `mirror`ed in its own X or Y axis."""

    drawing: Ref
    mirror: Literal["", "x", "y"] = ""


class Apex(Record, frozen=True, tag="apex", tag_field="kind"):
    """A single point, at which the body ends: rounded off, or sharp as a cone's tip. It has no size."""

    rounded: bool = True


class BodyEnd(Record, frozen=True, tag="end", tag_field="kind"):
    """The face at the first or last end of another body, where it stands: its place, size and angle come from there."""

    body: Ref
    which: Literal["first", "last"] = "last"


class OnCurve(Record, frozen=True, tag="curve", tag_field="kind"):
    """What a flat curve in space bounds, where it stands: a guide, or a run of edges. Its place and size come from there."""

    curve: Ref


Elsewhere = BodyEnd | OnCurve
"""Sections whose place, size and angle are those of something else in the design."""
Section = (
    Apex
    | BodyEnd
    | OnCurve
    | Naca4
    | Circle
    | Ellipse
    | Rounded
    | Superellipse
    | Polygon
    | Star
    | FromPoints
    | Kept
    | Drawn
)


class Outline(Record, frozen=True):
    """Foil coordinates brought in from a file, as they stood there."""

    id: Id
    name: str
    points: tuple[Pair, ...]

    def __post_init__(self) -> None:
        super().__post_init__()
        clean_pairs(self, "points")
