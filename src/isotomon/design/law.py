"""What is intended along a body."""

from __future__ import annotations

from typing import Literal

from isotomon.quantity import Value
from isotomon.quantity.record import Formula, Id, Record, Ref

Quality = Literal["area", "set_angle", "turn", "twist_rate", "thickness"]


class LawPoint(Record, frozen=True):
    """An intended value at a station, or at a position (mm). `band` replaces the law's own band here."""

    value: Value
    station: Ref | None = None
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
    of: Literal["shaped", "finished"] = "shaped"
    """Whether of the body as it is shaped, or, for areas, as its steps leave it."""
    points: tuple[LawPoint, ...] = ()
    formula: Formula | None = None
