"""Units of length and angle. Inside, lengths are mm and angles radians; units exist only at the surface."""

from __future__ import annotations

import math
from typing import Literal

Kind = Literal["length", "angle", "ratio"]

LENGTHS: dict[str, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
ANGLES: dict[str, float] = {"deg": math.pi / 180.0, "rad": 1.0, "turn": 2.0 * math.pi}
AREAS: dict[str, float] = {f"{name}2": scale * scale for name, scale in LENGTHS.items()}


def to_unit(value: float, unit: str) -> float:
    """The number shown for `value` (mm, mm² or rad) in `unit`.

    Degrees go through `math.degrees`, so that 12 deg comes back as 12.
    """
    if unit == "deg":
        return math.degrees(value)
    return value / scale_of(unit)


def scale_of(unit: str) -> float:
    """How many mm, mm² or rad one `unit` is."""
    for table in (LENGTHS, ANGLES, AREAS):
        if unit in table:
            return table[unit]
    raise KeyError(unit)


def display(value: float, digits: int = 4) -> str:
    """A number for reading: at most `digits` decimals, no trailing zeros, no minus zero; an undefined one is a dash."""
    if math.isnan(value):
        return "–"
    text = f"{value:.{digits}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
