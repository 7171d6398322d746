"""What a design says: frozen records, as they stand in the file. Lengths mm, angles rad, or a formula's text."""

from __future__ import annotations

from typing import Literal

from isotomon.design.after import After
from isotomon.design.base import Id, Pair, Record, clean_pairs
from isotomon.design.datums import Datum
from isotomon.design.drawing import Drawing
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide, Rail, Tie, Turns
from isotomon.quantity import Kind, Value

FORMAT = "isotomon-design"
VERSION = 2


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

    outline: Id


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

    drawing: Id
    mirror: Literal["", "x", "y"] = ""


class Apex(Record, frozen=True, tag="apex", tag_field="kind"):
    """A single point, at which the body ends: rounded off, or sharp as a cone's tip. It has no size."""

    rounded: bool = True


class BodyEnd(Record, frozen=True, tag="end", tag_field="kind"):
    """The face at the first or last end of another body, where it stands: its place, size and angle come from there."""

    body: Id
    which: Literal["first", "last"] = "last"


class OnCurve(Record, frozen=True, tag="curve", tag_field="kind"):
    """What a flat curve in space bounds, where it stands: a guide, or a run of edges. Its place and size come from there."""

    curve: str


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


class Number(Record, frozen=True):
    """A named number."""

    id: Id
    name: str
    value: Value
    kind: Kind
    note: str = ""


class Outline(Record, frozen=True):
    """Foil coordinates brought in from a file, as they stood there."""

    id: Id
    name: str
    points: tuple[Pair, ...]

    def __post_init__(self) -> None:
        super().__post_init__()
        clean_pairs(self, "points")


class Station(Record, frozen=True):
    """A profile on a datum plane: the plane stands at `position` along +Z (or what else carries the loft), tilted about X,
    then about Y.

    `chord` is the size, `set_angle` turns X towards Y, `pivot` is the fraction of the chord (from the leading point)
    that sits on the carrier (None: 0.25 for foils, a drawing's own origin, 0.5 otherwise), a `chord` of None leaves a
    drawing as large as it is drawn, the offset moves the section in the plane after
    turning. Stations of a higher `rank` were inserted later: what they hold is added to the body that the lower
    ranks make, so that inserting one does not move the shape.
    """

    id: Id
    name: str
    position: Value
    section: Section
    chord: Value | None
    set_angle: Value = 0.0
    pivot: Value | None = None
    offset_x: Value = 0.0
    offset_y: Value = 0.0
    tilt_x: Value = 0.0
    tilt_y: Value = 0.0
    rank: int = 0
    plane: str = ""
    """A datum plane it stands on, which then says its position and tilts."""


Quality = Literal["area", "set_angle", "turn", "twist_rate", "thickness"]


class LawPoint(Record, frozen=True):
    """An intended value at a station, or at a position (mm). `band` replaces the law's own band here."""

    value: Value
    station: Id | None = None
    position: Value | None = None
    band: Value | None = None


class Law(Record, frozen=True):
    """An intended value along the body: by points, or by a formula in `position` and `fraction`.

    Values: area mm², angles rad, twist rate rad/mm, thickness mm. `band` is a fraction of the target when `relative`, else it is
    in the same unit. `judged` at the stations (points) or along the whole body.
    """

    id: Id
    name: str
    quality: Quality
    band: Value
    relative: bool = False
    judged: Literal["stations", "along"] = "stations"
    points: tuple[LawPoint, ...] = ()
    formula: str | None = None


class Ending(Record, frozen=True):
    """How the skin leaves an end of the body: free, square to the end's plane, leaning outward by an angle from square, or,
    where the section there is another body's end, flush with that one's skin (G1) or fair with it (G2).

    `strength`: over what length (mm) that is brought about, nought for the whole bay beside it.
    """

    how: Literal["free", "square", "leaning", "flush", "fair"] = "free"
    strength: Value = 0.0
    angle: Value = 0.0


class Carrying(Record, frozen=True):
    """What the stations stand along: straight along +Z; square to a `plane` (`on`), from it; a `path` (a guide or edge,
    `on`) by its length; an `axis` (`on`), turned about it, their origins `radius` from it; or `back` the other way.
    Along an axis a station's position is an angle.

    `hold`: sections stay square to a path and turn no more than they must (`least`), keep the attitude they have at its
    start (`fixed`), keep their Y towards the direction `toward` (`up`), their X towards the curve `toward` (`curve`),
    their Y along the normals of the skin `toward` (`skin`), or stand in planes through the axis `toward`, X outward
    (`axis`). With `drawn_on`, a plane, sections begin as they lie on it and are carried on from there.
    """

    how: Literal["straight", "plane", "path", "axis"] = "straight"
    on: str = ""
    radius: Value = 100.0
    hold: Literal["least", "fixed", "up", "curve", "skin", "axis"] = "least"
    toward: str = "y"
    drawn_on: str = ""
    back: bool = False
    corners: Literal["refused", "rounded", "mitred"] = "refused"
    """Of a path: rounded off by `bend` (mm), or mitred between its straight runs."""
    bend: Value = 10.0
    rim: str = ""
    """A closed curve about the axis that the profile's outer end follows."""
    sized: Literal["across", "whole"] = "across"
    """By a rim the profile is sized away from the axis only, or as a whole."""


class Span(Record, frozen=True):
    """How far the body goes on past its outer stations, with the sections they have: `back` before the first and `on` past
    the last (mm; rad about an axis), or up to the plane or point `back_to`, `on_to`; or the `whole` path, or whole turn.
    """

    whole: bool = False
    back: Value = 0.0
    on: Value = 0.0
    back_to: str = ""
    on_to: str = ""
    ends: Literal["flat", "round"] = "flat"
    """Round ends are added beyond those, half as far as the sections there are wide."""


class Along(Record, frozen=True):
    """What happens to the sections along the body, about their pivots. A plain value is reached at the last end, evenly; a
    formula in `fraction` or `position` is the course itself.

    `turn` rad, in all or over every `turn_over` mm; `width` and `height` ratios, from 1; offsets mm; `draft` rad, by which
    the skin leans outward. `keep_area`: sections are sized so that their area stays what it is at the first end.
    """

    turn: Value = 0.0
    turn_over: Value = 0.0
    width: Value = 1.0
    height: Value = 1.0
    offset_x: Value = 0.0
    offset_y: Value = 0.0
    draft: Value = 0.0
    keep_area: bool = False


ALIKE = Along()


class Wall(Record, frozen=True):
    """The body is a wall along its profiles, of a thickness (mm) on one side of them or about them. The inside of an open
    profile is to the left of its way, from -X to +X."""

    thickness: Value
    side: Literal["inside", "middle", "outside"] = "inside"


class Loft(Record, frozen=True):
    """The body carried through the stations, in order of position."""

    id: Id
    name: str
    ruled: bool = False
    density: float | None = None
    """kg/m³, when the mass is wanted."""
    material: str = ""
    """What it is made of, in words; the density counts."""
    rails: tuple[Rail, ...] = ()
    stretch: bool = False
    """Rails only stretch the section towards themselves, where they leave it free, instead of scaling it evenly."""
    first: Ending = Ending()
    last: Ending = Ending()
    ties: tuple[Tie, ...] = ()
    turns: tuple[Turns, ...] = ()
    carrier: Carrying = Carrying()
    ring: bool = False
    """It comes round to its first station again."""
    span: Span | None = None
    """Of a body that goes on past its stations; a body of one station has one."""
    along: Along = ALIKE
    wall: Wall | None = None
    shut: bool = False
    """Open profiles are closed by a straight line from their end to their start."""
    after: tuple[After, ...] = ()
    """What is done with the body once it is shaped, in order, before it is combined with others."""
    imported: Id = ""
    """The file (`Design.imports`) that it is, as it was brought in; it then has no stations."""
    aside: bool = False
    """Set aside: neither built nor combined, and not seen."""
    seen: Literal["shown", "see-through", "hidden"] = "shown"
    colour: str = ""
    """`#RRGGBB`, or the usual one."""
    makes: Literal["own", "add", "cut", "common"] = "own"
    """A body of its own, or what is added to, cut from or kept in common with the bodies in `onto`."""
    onto: tuple[Id, ...] = ()


class Imported(Record, frozen=True):
    """A body's file as it was brought in: compressed, in base 64."""

    id: Id
    name: str
    form: Literal["step", "iges", "stl"]
    data: str


class Part(Record, frozen=True):
    """A body that is not in hand: its loft, stations and laws."""

    loft: Loft
    stations: tuple[Station, ...] = ()
    laws: tuple[Law, ...] = ()


class Design(Record, frozen=True):
    """One whole design: an immutable value."""

    name: str
    unit: Literal["mm", "cm", "m", "in"] = "mm"
    tolerance: float = 1e-4
    """mm: how far a solid's faces may lie from the section field."""
    numbers: tuple[Number, ...] = ()
    outlines: tuple[Outline, ...] = ()
    datums: tuple[Datum, ...] = ()
    drawings: tuple[Drawing, ...] = ()
    guides: tuple[Guide, ...] = ()
    stations: tuple[Station, ...] = ()
    loft: Loft = Loft(id="body", name="body")
    laws: tuple[Law, ...] = ()
    gauges: tuple[Gauge, ...] = ()
    imports: tuple[Imported, ...] = ()
    rest: tuple[Part, ...] = ()
    """The other bodies, in order; the one in hand, whose loft, stations and laws stand above, is the `place`-th of all, from nought."""
    place: int = 0
    note: str = ""
    format: Literal["isotomon-design"] = "isotomon-design"
    version: int = VERSION

    @property
    def parts(self) -> tuple[Part, ...]:
        """All bodies in their order, the one in hand among them."""
        own = Part(self.loft, self.stations, self.laws)
        return (*self.rest[: self.place], own, *self.rest[self.place :])
