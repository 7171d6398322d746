"""What a law asks for, worked out."""

from __future__ import annotations

from dataclasses import dataclass

from isotomon.design.law import Law
from isotomon.design.resolved import Resolved, names_at
from isotomon.errors import DesignError, QuantityError
from isotomon.quantity import Quantity, Value, evaluate, resolve


@dataclass(frozen=True)
class LawTarget:
    """An intended value at a position (mm), with its half band in the same unit (mm², rad, rad/mm)."""

    position: float
    value: float
    band: float
    where: str


_POWERS: dict[str, tuple[int, int]] = {
    "area": (2, 0),
    "set_angle": (0, 1),
    "turn": (0, 1),
    "twist_rate": (-1, 1),
    "thickness": (1, 0),
}


def law_value(value: Value, law: Law, names: dict[str, Quantity]) -> float:
    """A law's value in mm², rad or rad/mm.

    Raises: QuantityError, naming the law.
    """
    if not isinstance(value, str):
        return value
    try:
        quantity = evaluate(value, names)
    except QuantityError as error:
        raise QuantityError(f"law '{law.name}': {error}") from None
    if (quantity.length, quantity.angle) != _POWERS[law.quality]:
        wanted = {
            "area": "an area, such as 300 mm * 2 mm",
            "twist_rate": "an angle over a length, such as 2 deg / 1 m",
            "thickness": "a length, such as 12 mm",
        }
        raise QuantityError(
            f"law '{law.name}': '{value}' is {quantity.describe()}; "
            f"{law.quality.replace('_', ' ')} needs {wanted.get(law.quality, 'an angle, such as 5 deg')}"
        )
    return quantity.value


def law_band(law: Law, names: dict[str, Quantity], band: Value | None = None) -> float:
    """The half width of a law's band: a fraction of the target when relative, else in the law's own unit.

    Raises: QuantityError, DesignError.
    """
    value = law.band if band is None else band
    number = resolve(value, "ratio", names) if law.relative else law_value(value, law, names)
    if not number > 0.0:
        raise DesignError(f"law '{law.name}': the band is {number:g}; it must be greater than zero")
    return number


def law_targets(law: Law, resolved: Resolved) -> list[LawTarget]:
    """The law's points worked out, in order of position; a formula gives one at each station.

    Raises: QuantityError, DesignError.
    """
    at = {n.station.id: n for n in resolved.stations if not n.carried}
    targets = []
    places: list[tuple[float, str, Value, Value | None]] = []
    if law.formula is not None:
        places = [(n.position, f"station {n.station.name}", law.formula, None) for n in resolved.stations]
    else:
        for p in law.points:
            if p.station is not None and p.station not in at:
                raise DesignError(f"law '{law.name}' has a point at a station that is gone; remove the point")
            position = (
                at[p.station].position
                if p.station is not None
                else resolve(p.position or 0.0, "length", resolved.names)
            )
            where = f"station {at[p.station].station.name}" if p.station is not None else f"{position:g} mm"
            places.append((position, where, p.value, p.band))
    for position, where, value, band in sorted(places, key=lambda place: place[0]):
        number = law_value(value, law, names_at(resolved, position))
        half = law_band(law, resolved.names, band)
        targets.append(LawTarget(position, number, half * abs(number) if law.relative else half, where))
    return targets
