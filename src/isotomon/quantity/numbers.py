"""Values as a design keeps them: a float (mm, rad, ratio), or the text of a formula; and how text becomes one."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from isotomon.errors import QuantityError
from isotomon.quantity.formula import Quantity, as_kind, evaluate, names_in
from isotomon.quantity.units import ANGLES, LENGTHS, Kind, display, to_unit

Value = float | str
"""A float in mm, rad or as a ratio; or a formula's text."""

MAX_LENGTH = 1e7
"""10 km in mm: beyond it double precision no longer holds a blade's tolerance."""


def resolve(value: Value, kind: Kind, names: Mapping[str, Quantity]) -> float:
    """The number a value stands for, in mm, rad or as a ratio.

    Raises: QuantityError.
    """
    number = as_kind(evaluate(value, names), kind, value) if isinstance(value, str) else float(value)
    if not math.isfinite(number):
        raise QuantityError("a number must be finite; found NaN or infinity")
    if abs(number) > MAX_LENGTH:
        raise QuantityError(f"{number:g} is too large; numbers up to {MAX_LENGTH:g} can be used")
    return number


def read(text: str, kind: Kind, unit: str) -> Value:
    """What the user typed, as a value: bare numbers are in `unit`; a formula without names is worked out at once.

    Raises: QuantityError.
    """
    text = text.strip()
    if not text:
        raise QuantityError("nothing is typed; give a number or a formula")
    if names_in(text):
        return text
    quantity = evaluate(text, {})
    if (quantity.length, quantity.angle) == (0, 0) and kind != "ratio":
        return resolve(quantity.value * (LENGTHS | ANGLES)[unit], kind, {})
    return resolve(as_kind(quantity, kind, text), kind, {})


def show(number: float, kind: Kind, unit: str, digits: int = 4) -> str:
    """A number as the user reads it in `unit`, without the unit's name."""
    return display(to_unit(number, unit) if kind != "ratio" else number, digits)


def number_kind(quantity: Quantity) -> Kind:
    """The kind a named number with this value has.

    Raises: QuantityError, for areas and other compound units.
    """
    kinds: dict[tuple[int, int], Kind] = {(1, 0): "length", (0, 1): "angle", (0, 0): "ratio"}
    kind = kinds.get((quantity.length, quantity.angle))
    if kind is None:
        raise QuantityError(f"a named number is a length, an angle or a plain number, not {quantity.describe()}")
    return kind


class _NumberError(QuantityError):
    """One that names the number it is about."""


def resolve_numbers(numbers: Sequence[tuple[str, Value, Kind]]) -> dict[str, Quantity]:
    """All named numbers, each worked out after those it uses.

    Raises: QuantityError, naming the number, for unknown names, wrong units and circles (with the circle).
    """
    table = {name: (value, kind) for name, value, kind in numbers}
    done: dict[str, Quantity] = {}

    def work_out(name: str, trail: tuple[str, ...]) -> None:
        if name in done:
            return
        if name in trail:
            circle = [*trail[trail.index(name) :], name]
            raise _NumberError(f"the numbers go in a circle: {' → '.join(circle)}; give one of them a plain value")
        value, kind = table[name]
        try:
            for used in sorted(names_in(value)) if isinstance(value, str) else ():
                if used in table:
                    work_out(used, (*trail, name))
            number = resolve(value, kind, done)
        except _NumberError:
            raise
        except QuantityError as error:
            raise _NumberError(f"number '{name}': {error}") from None
        length, angle = {"length": (1, 0), "angle": (0, 1), "ratio": (0, 0)}[kind]
        done[name] = Quantity(number, length, angle)

    for name in table:
        work_out(name, ())
    return done
