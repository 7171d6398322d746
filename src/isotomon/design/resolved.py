"""A body's numbers, once every formula is worked out: mm and rad."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from isotomon.design.body import Body
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.quantity import Kind, Quantity

STATION_KINDS: dict[str, Kind] = {
    "position": "length",
    "chord": "length",
    "set_angle": "angle",
    "pivot": "ratio",
    "offset_x": "length",
    "offset_y": "length",
    "tilt_x": "angle",
    "tilt_y": "angle",
}


def station_kind(body: Body, field: str) -> Kind:
    """What a field of a body's stations is: a position about an axis is an angle."""
    return "angle" if field == "position" and body.loft.carrier.how == "axis" else STATION_KINDS[field]


@dataclass(frozen=True)
class StationNumbers:
    """A station in mm and rad; `fraction` is 0 at the first station and 1 at the last.

    `chord` and `pivot` are NaN where the drawing itself says them: they are known once it is solved.
    """

    station: Station
    position: float
    fraction: float
    chord: float
    set_angle: float
    pivot: float
    offset: tuple[float, float]
    tilt: tuple[float, float]
    wall: tuple[float, float] | None = None
    """mm by which a wall reaches to the left and to the right of the profile."""
    shut: bool = False
    """An open profile is closed by a straight line."""
    carried: bool = False
    """It is no station of its own: the section of the one beside it, carried on to the end of the body."""


@dataclass(frozen=True)
class SpanNumbers:
    """How far a body goes on past its outer stations, mm, or the whole way."""

    whole: bool
    back: float
    on: float


@dataclass(frozen=True)
class EndNumbers:
    """How the skin leaves an end: over `strength` mm (nought: the whole bay), leaning outward by `angle` rad, or `flush` or
    `fair` with the body that ends there."""

    strength: float
    angle: float
    how: str = "leaning"


@dataclass(frozen=True)
class Resolved:
    """The numbers of a body: stations in order of position. `figures`: drawing id → dimension id → mm or rad."""

    body: Body
    names: dict[str, Quantity]
    stations: tuple[StationNumbers, ...]
    figures: dict[str, dict[str, float]]
    ends: tuple[EndNumbers | None, EndNumbers | None] = (None, None)
    radius: float = 0.0
    """mm from the axis at which stations stand that are turned about one; their positions are angles times it."""
    span: SpanNumbers | None = None
    ring: bool = False
    """The body comes round to its start."""
    wrap: tuple[float, float, float] | None = None
    """When stations stand on cylinders: the axis's direction (x, y) of length 1, and where it crosses Z, mm."""

    @property
    def own(self) -> tuple[tuple[int, StationNumbers], ...]:
        """(place among all, station) of those that are stations of their own."""
        return tuple((k, n) for k, n in enumerate(self.stations) if not n.carried)

    def row(self, key: str) -> int | None:
        """The place among all stations of one of its own; None for one that is not there."""
        return next((k for k, n in self.own if n.station.id == key), None)

    def get(self, key: str) -> StationNumbers | None:
        """The numbers of a station of its own; None for one that is not there."""
        return next((n for n in self.stations if n.station.id == key and not n.carried), None)

    def of(self, key: str) -> StationNumbers:
        """The numbers of a station. Raises: DesignError, for one that is not there."""
        found = self.get(key)
        if found is None:
            raise DesignError(f"station '{key}' is not there any more; pick another")
        return found


def own_position(radius: float, position: float) -> float:
    """The value that a station says for a position (mm): itself, or the angle (rad) about an axis `radius` mm away."""
    return position / radius if radius else position


Placed = Mapping[str, tuple[float, float, float]]
"""Station id → position (mm) and tilts about X and Y (rad) that a datum plane gives it."""


def names_at(resolved: Resolved, position: float) -> dict[str, Quantity]:
    """The names a formula may use at a position along the body."""
    stations = resolved.stations
    first, last = (stations[0].position, stations[-1].position) if stations else (0.0, 1.0)
    fraction = (position - first) / (last - first) if last > first else 0.0
    return {**resolved.names, "position": Quantity(position, 1, 0), "fraction": Quantity(fraction)}
