"""What an operation is: a frozen record with typed fields, that says what it does with a body."""

from __future__ import annotations

import typing
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Protocol

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, IsotomonError
from isotomon.field.parallel import WorkedSkin
from isotomon.field.section_field import SectionField
from isotomon.field.sheet import SkinSheet
from isotomon.field.skin import Skin
from isotomon.field.thick import Thick
from isotomon.geometry.datums import Axis, Plane, SpaceCurve
from isotomon.operations.grips import Grip
from isotomon.quantity import Kind, Quantity, Value, names_in, resolve
from isotomon.quantity.record import Id, Record, Ref

KINDS = ("length", "angle", "ratio")


@dataclass(frozen=True)
class Says:
    """What a field of an operation is to those who use it: its title; `what` it takes, where its type does not say so: a kind
    of number, or letters of what can be referred to (A an axis, P a plane, p a point, c a curve, B another body, S another body's skin); its choices
    in words; what it does, in a sentence; and the field beside whose items its own stand."""

    title: str
    what: str = ""
    words: tuple[tuple[str, str], ...] = ()
    tip: str = ""
    beside: str = ""


@dataclass(frozen=True)
class Input:
    """A field of an operation: its name, what it says, the type it has besides formulas and references, and its usual value.

    `what`: a kind of number, letters of what can be referred to, `edges`, `faces`, `curves`, `points`, `bodies`, `lengths` (one `beside` each item of another field,
    nought for none), `count`, `copies` (numbers of copies), `yes`, or `choice`."""

    name: str
    title: str
    what: str
    words: tuple[tuple[str, str], ...]
    tip: str
    usual: Any
    beside: str = ""


class References(Protocol):
    """What an operation may ask of the design. Every method raises an IsotomonError, in words, for what is not there."""

    def get(self, ref: str) -> Any:
        """What a reference stands for."""

    def called(self, ref: str) -> str:
        """A reference in words."""

    def axis(self, ref: str) -> Axis:
        """An axis, a cylinder's, or along a straight curve."""

    def plane(self, ref: str) -> Plane:
        """A plane, or a frame's XY plane."""

    def point(self, ref: str) -> Array:
        """(3,) mm: a point, or a frame's origin."""

    def curve(self, ref: str) -> SpaceCurve:
        """A curve, or a straight edge."""

    def skin(self, ref: str) -> Skin:
        """The skin of a body, a plane or a cylinder."""


@dataclass(frozen=True)
class Ask:
    """What an operation works from: the design's references, and its named numbers."""

    references: References
    names: dict[str, Quantity]
    body: Id
    """The body whose step it is."""
    tolerance: float
    """mm: the design's."""
    skin: WorkedSkin | None = None
    """The body's skin, as long as nothing else has been done with the body than to work on it."""
    sheet: SkinSheet | None = None
    """The skin that the body is made as from curves, as long as nothing has been done with it."""

    @property
    def between_ends(self) -> WorkedSkin | None:
        """The skin, as long as it runs from one flat end to the other."""
        return self.skin if self.skin is not None and not any(self.skin.away) else None

    def number(self, step: Record, name: str) -> float:
        """A field that may be a formula, in mm, rad, or as a plain ratio.

        Raises: DesignError, naming the field.
        """
        given = next(i for i in inputs_of(type(step)) if i.name == name)
        return self.worth(getattr(step, name), typing.cast(Kind, given.what), given.title)

    def worth(self, value: Value, kind: Kind, title: str) -> float:
        """A value that may be a formula, in mm, rad, or as a plain ratio.

        Raises: DesignError, with the title.
        """
        try:
            return resolve(value, kind, self.names)
        except IsotomonError as error:
            raise DesignError(f"{title.lower()}: {error}") from None


class Operation(Record, frozen=True, kw_only=True, tag_field="kind"):
    """The common base. What an operation can do with a body it says by one of `maps`, `on_field` and `asks`."""

    TITLE: ClassVar[str] = ""
    """In the list of steps: what has been done."""
    COMMAND: ClassVar[str] = ""
    """In the tray and the finder: what is to be done."""
    HELP: ClassVar[str] = ""
    FAMILY: ClassVar[str] = "Copies"
    PLACE: ClassVar[int] = 50
    """Among its family."""
    ICON: ClassVar[str] = ""
    SHORTCUT: ClassVar[str] = ""
    STAGE: ClassVar[str] = "Shape"
    EARLY: ClassVar[bool] = False
    """It works on the body's skin: a new one comes before all steps that leave none."""
    ON_SKIN: ClassVar[bool] = False
    """It may work on the body's skin, which is made ready for it."""
    OPENS: ClassVar[bool] = False
    """It leaves a skin, also of a solid."""
    SIZE: ClassVar[str] = ""
    """The field that is too large where the kernel says which size would do."""
    BEGIN: ClassVar[dict[str, Any]] = {}
    """What a new one has instead of the usual values, so that something is seen at once."""

    aside: bool = False
    """Set aside: it is not done."""
    id: Id = ""

    @classmethod
    def begun(cls, faces: Sequence[Ref]) -> dict[str, Any]:
        """What a new one has instead of the usual values where some faces are chosen."""
        return dict(cls.BEGIN)

    def settled(self, ask: Ask, body: Array) -> Operation:
        """A new one, so that it does something where points (n, 3) are the body as it is.

        Raises: IsotomonError.
        """
        return self

    @property
    def copies(self) -> int:
        """How many of a body it makes."""
        return 1

    @property
    def joins(self) -> bool:
        """Whether it makes all copies one."""
        return False

    def check(self) -> None:
        """Raises: DesignError, for what can never be done."""

    def maps(self, ask: Ask) -> Array | None:
        """(copies, 4, 4) affine maps, mm, of one that puts a body elsewhere; None of any other.

        Raises: IsotomonError.
        """
        return None

    def on_field(self, ask: Ask, field: SectionField) -> SectionField | None:
        """What one makes of a body that is a field still; None of any that makes nothing of fields.

        Raises: IsotomonError.
        """
        return None

    def on_sheet(self, ask: Ask, sheet: SkinSheet) -> SkinSheet | None:
        """What one makes of a body that is a skin from curves still; None of any that makes nothing of these.

        Raises: IsotomonError.
        """
        return None

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked | None:
        """What one asks of the kernel that neither puts a body elsewhere nor is done on its field; `called` gives bodies' names.

        Raises: IsotomonError.
        """
        return None

    def keeps_skin(self, body: Id) -> bool:
        """Whether what it makes of a `body` as it is shaped has a skin that can be worked on still."""
        return False

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """Handles for its numbers, by name, where points (n, 3) are the body as it is before; formulas have none.

        Raises: IsotomonError.
        """
        return {}

    def sized(self, fits: float) -> dict[str, Any]:
        """The fields that are other ones where `fits` (mm) is to be its largest size."""
        return {self.SIZE: fits}

    def titled(self, ask_name: Callable[[str], str]) -> str:
        """In the list of steps: what has been done; `ask_name` calls a body by its name."""
        return self.TITLE


class SheetStep(Operation, frozen=True):
    """What is done with a skin made from curves, as arrays, and with nothing else: the common base of such operations."""

    FAMILY = "Skins"
    STAGE = "Finish"
    EARLY = True

    def keeps_skin(self, body: Id) -> bool:
        """One made from curves."""
        return True

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked | None:
        """Nothing. Raises: DesignError."""
        raise DesignError(
            f"{self.TITLE.lower()}: this is done with a skin made from curves that is not trimmed; let it come before all else"
        )


@dataclass(frozen=True, eq=False)
class Asked:
    """What the kernel is to do with a finished body: a kind of work (`isotomon.kernel.operations`), with which other bodies and
    values; `words`: what is done, for those who wait for it."""

    work: str
    words: str
    bodies: tuple[Id, ...] = ()
    values: Mapping[str, bool | float | str] = field(default_factory=dict)
    arrays: Mapping[str, Array] = field(default_factory=dict)
    skins: bool = False
    """Whether it may be done with skins, too."""
    outer: WorkedSkin | None = None
    """A skin of which a body is made anew, instead of the body so far."""
    inner: WorkedSkin | None = None
    """Of what is hollowed out, the skin of the hollow; where only the other is given, that is the body so far."""
    walls: Thick | None = None
    """The sheet with a thickness that a body is made anew as."""
    step: Id = ""
    """Whose work it is."""

    @property
    def worked(self) -> tuple[WorkedSkin, ...]:
        """The skins that it works on."""
        return tuple(skin for skin in (self.outer, self.inner) if skin is not None)


SKIN, WALLS = "skin", "walls"
"""The work of making a body anew from its worked skin, or as a sheet with a thickness; the kernel is asked for no more."""
Length = Annotated[Value, "length"]
Angle = Annotated[Value, "angle"]
Ratio = Annotated[Value, "ratio"]
Other = Annotated[Ref, "B"]
"""Another body."""
UpTo = Annotated[
    Ref, Says("Up to", "SP", tip="Another skin or body as it is shaped, or a plane; nothing: by the length")
]
"""What something runs up to."""
Others = Annotated[tuple[Ref, ...], Says("Other skins", "bodies")]
"""Several of them."""


@lru_cache(maxsize=64)
def inputs_of(kind: type[Record]) -> tuple[Input, ...]:
    """The fields of an operation, or of another record that says what its fields are, that its users fill in, in order."""
    hints = typing.get_type_hints(kind, include_extras=True)
    usual = {f: getattr(kind_default, "value", kind_default) for f, kind_default in _defaults(kind).items()}
    return tuple(
        _input(name, hints[name], usual.get(name)) for name in kind.__struct_fields__ if name not in ("aside", "id")
    )


def _defaults(kind: type[Record]) -> dict[str, Any]:
    fields, defaults = kind.__struct_fields__, kind.__struct_defaults__
    return dict(zip(fields[len(fields) - len(defaults) :], defaults, strict=True))


def _input(name: str, hint: Any, usual: Any) -> Input:
    marks = [m for m in getattr(hint, "__metadata__", ()) if isinstance(m, str | Says)]
    plain = hint.__origin__ if marks else hint
    says = next((m for m in marks if isinstance(m, Says)), Says(name.replace("_", " ").capitalize()))
    what = says.what or next((m for m in marks if isinstance(m, str) and m != "reference"), "")
    if not what:
        what = {bool: "yes", int: "count", tuple[int, ...]: "copies"}.get(plain, "choice")
    words = says.words
    if what == "choice" and not words:
        words = tuple((choice, choice) for choice in typing.get_args(plain))
    return Input(name, says.title, what, words, says.tip, usual, says.beside)


def varying(ask: Ask, value: Value, title: str, places: int) -> Array:
    """A length that may be a formula in `fraction`: (places,) mm at even places from 0 to 1, or (1,) where it is one all along.

    Raises: DesignError, with the title.
    """
    if not (isinstance(value, str) and "fraction" in names_in(value)):
        return np.array([ask.worth(value, "length", title)])
    each = [replace(ask, names={**ask.names, "fraction": Quantity(f)}) for f in np.linspace(0.0, 1.0, places).tolist()]
    return np.array([at.worth(value, "length", title) for at in each])


def bodies_of(step: Operation) -> tuple[Id, ...]:
    """The other bodies that an operation works with."""
    found = list[Id]()
    for given in inputs_of(type(step)):
        if given.what == "B":
            found.append(getattr(step, given.name))
        elif given.what == "bodies":
            found += getattr(step, given.name)
    return tuple(found)
