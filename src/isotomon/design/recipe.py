"""What a kind of datum, guide or measure is made of and asks for: declared once, for its check, its form and its tools."""

from __future__ import annotations

from typing import Literal, NamedTuple, Protocol

from isotomon.errors import DesignError
from isotomon.quantity import Kind, Value

Makes = Literal["plane", "axis", "point", "frame", "cylinder", ""]


class Field(NamedTuple):
    """A number that is asked for."""

    title: str
    kind: Kind
    default: float


class Recipe(NamedTuple):
    """What it is made of, letter by letter (`on`), its numbers, and its choices: title → what can be chosen, the first one
    usual. A datum also says what it `makes`.

    P plane, A axis or line, p point, c curve, R round thing, F frame, D drawing (of a measure: anything with a
    direction), S skin, V a direction or nothing, B body, G what has an area, * anything; c* any number of curves.
    """

    title: str
    on: str = ""
    fields: tuple[Field, ...] = ()
    choices: tuple[tuple[str, tuple[str, ...]], ...] = ()
    makes: Makes = ""


class Made(Protocol):
    """A record of such a kind."""

    @property
    def id(self) -> str:
        """Its own id."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def on(self) -> tuple[str, ...]:
        """What it is made of."""

    @property
    def values(self) -> tuple[Value, ...]:
        """Its numbers."""

    @property
    def choices(self) -> tuple[str, ...]:
        """Its choices."""

    @property
    def recipe(self) -> Recipe:
        """What its kind asks for."""


def check_made(what: str, made: Made) -> None:
    """Whether a record has what its kind asks for, and is not made of itself; `what`: datum, guide or measure.

    Raises: DesignError.
    """
    recipe, where = made.recipe, f"{what} '{made.name}' ({made.recipe.title.lower()})"
    several = recipe.on.endswith("*") and len(recipe.on) == 2
    wanted = (len(made.on) if several else len(recipe.on), len(recipe.fields), len(recipe.choices))
    found = (len(made.on), len(made.values), len(made.choices))
    if several and not made.on:
        raise DesignError(f"{where} joins nothing; choose the curves and edges to be joined")
    if wanted != found:
        raise DesignError(
            f"{where} stands on {wanted[0]} things and has {wanted[1]} numbers and {wanted[2]} choices; "
            f"found {found[0]}, {found[1]} and {found[2]}"
        )
    for (title, allowed), choice in zip(recipe.choices, made.choices, strict=True):
        if choice not in allowed:
            raise DesignError(f"{where}: {title.lower()} can be {', '.join(allowed)}; found '{choice}'")
    if made.id in made.on:
        raise DesignError(f"{what} '{made.name}' is made of itself; pick something else")
