"""A body: how it is shaped, what stands along it, and what is then done with it, in order."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import field

from isotomon.design.guides import Rail, Tie, Turns
from isotomon.design.law import Law
from isotomon.design.station import Station
from isotomon.operations import Step
from isotomon.operations.skins import MadeSkin
from isotomon.operations.skins.base import Making
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref, usual


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
    on: Ref = usual("")
    radius: Value = 100.0
    hold: Literal["least", "fixed", "up", "curve", "skin", "axis"] = "least"
    toward: Ref = usual("y")
    drawn_on: Ref = usual("")
    back: bool = False
    corners: Literal["refused", "rounded", "mitred"] = "refused"
    """Of a path: rounded off by `bend` (mm), or mitred between its straight runs."""
    bend: Value = 10.0
    rim: Ref = usual("")
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
    back_to: Ref = usual("")
    on_to: Ref = usual("")
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


class Loft(Record, frozen=True, tag="loft", tag_field="kind"):
    """A body carried through its stations, in order of position."""

    ruled: bool = False
    rails: tuple[Rail, ...] = ()
    stretch: bool = False
    """Rails only stretch the section towards themselves, where they leave it free, instead of scaling it evenly."""
    first: Ending = Ending()
    last: Ending = Ending()
    ties: tuple[Tie, ...] = ()
    turns: tuple[Turns, ...] = ()
    carrier: Carrying = field(default_factory=Carrying)
    ring: bool = False
    """It comes round to its first station again."""
    span: Span | None = None
    """Of a body that goes on past its stations; a body of one station has one."""
    along: Along = ALIKE
    wall: Wall | None = None
    shut: bool = False
    """Open profiles are closed by a straight line from their end to their start."""


class BroughtIn(Record, frozen=True, tag="brought", tag_field="kind"):
    """A body that is a file's (`Design.imports`), as it was brought in; it has no stations."""

    file: Ref


class Piece(Record, frozen=True, tag="piece", tag_field="kind"):
    """A body that is the other piece of one that a step has cut: what that step leaves away, wherever it comes to. `cut`:
    `BODY/cut:STEP`. It has no stations."""

    cut: Ref

    @property
    def step(self) -> Id:
        """The step that cuts."""
        return self.cut.part.removeprefix("cut:")

    @property
    def owner(self) -> Id:
        """The body that is cut."""
        return self.cut.thing


class Taken(Record, frozen=True, tag="taken", tag_field="kind"):
    """A skin that is some `faces` of a finished body, by their lasting names, wherever they come to. It has no stations."""

    of: Annotated[Ref, "B"]
    faces: tuple[Ref, ...]

    @property
    def owner(self) -> Id:
        """The body whose faces they are."""
        return self.of.thing


PLAIN = Loft()
"""What a body says that is not carried through stations."""


class Body(Record, frozen=True):
    """A body: how it is `shaped`, the stations and laws along it, and the steps that are then done with it, in order."""

    id: Id
    name: str
    shaped: Loft | BroughtIn | Piece | Taken | MadeSkin = field(default_factory=Loft)
    stations: tuple[Station, ...] = ()
    laws: tuple[Law, ...] = ()
    steps: tuple[Step, ...] = ()
    up_to: Id | None = None
    """The step up to which it is rebuilt: those after it are not done. Empty: only shaped; None: all of them."""
    density: float | None = None
    """kg/m³, when the mass is wanted."""
    material: str = ""
    """What it is made of, in words; the density counts."""
    aside: bool = False
    """Set aside: neither built nor combined, and not seen."""
    seen: Literal["shown", "see-through", "hidden"] = "shown"
    colour: str = ""
    """`#RRGGBB`, or the usual one."""

    @property
    def loft(self) -> Loft:
        """How it is carried through its stations; a plain one where it is shaped otherwise."""
        return self.shaped if isinstance(self.shaped, Loft) else PLAIN

    @property
    def file(self) -> Id:
        """The file that it is, as it was brought in; empty for any other body."""
        return self.shaped.file if isinstance(self.shaped, BroughtIn) else ""

    @property
    def ready(self) -> bool:
        """Whether it is a finished body from the first, which has no stations and no field."""
        return isinstance(self.shaped, BroughtIn | Piece | Taken)

    @property
    def making(self) -> Making | None:
        """How it is made as a skin from curves; None for any other body."""
        return self.shaped if isinstance(self.shaped, Making) else None

    @property
    def has_skin(self) -> bool:
        """Whether it is shaped here, carried or from curves, so that it has a skin that things can stand on."""
        return self.making is not None or isinstance(self.shaped, Loft)

    @property
    def done(self) -> tuple[Step, ...]:
        """The steps that are done: none set aside, nor after the one up to which it is rebuilt."""
        ids = [step.id for step in self.steps]
        last = len(ids) if self.up_to is None else ids.index(self.up_to) + 1 if self.up_to in ids else 0
        return tuple(step for step in self.steps[:last] if not step.aside)
