"""Measures kept on a design as live figures: distances, angles, lengths, radii, sections by planes, capacities."""

from __future__ import annotations

from typing import Literal, NamedTuple

from isotomon.design.datums import Field
from isotomon.errors import DesignError
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref

GaugeKind = Literal["distance", "angle", "length", "radius", "thickness", "section", "capacity", "body", "area"]
MOST_GAUGES = 200


class Gauging(NamedTuple):
    """How a kind of measure is taken. `on`: letters as for datums and guides, besides * anything, D anything with a
    direction, B a body, G what has an area. `choices`: title → what can be chosen, the first one usual."""

    title: str
    on: str
    fields: tuple[Field, ...] = ()
    choices: tuple[tuple[str, tuple[str, ...]], ...] = ()


GAUGES: dict[str, Gauging] = {
    "distance": Gauging("Distance", "**"),
    "angle": Gauging("Angle", "DD"),
    "length": Gauging("Length of a curve", "c"),
    "radius": Gauging("Radius of a curve", "c"),
    "thickness": Gauging("Thickness at a point", "Bp"),
    "area": Gauging("Area of a face or profile", "G"),
    "body": Gauging("Volume, mass and inertia", "B"),
    "section": Gauging("Section by a plane", "BP", (Field("Offset", "length", 0.0),)),
    "capacity": Gauging(
        "Capacity",
        "BA",
        (Field("Level", "length", 100.0), Field("Wall", "length", 0.0), Field("Litres", "ratio", 1.0)),
        (("Worked out", ("volume", "level")),),
    ),
}


class Gauge(Record, frozen=True):
    """A measure: what it is taken of (`on`), its numbers and choices in the order of its kind."""

    id: Id
    name: str
    kind: GaugeKind
    on: tuple[Ref, ...]
    values: tuple[Value, ...] = ()
    choices: tuple[str, ...] = ()

    @property
    def way(self) -> Gauging:
        return GAUGES[self.kind]


def check_gauge(gauge: Gauge) -> None:
    """Whether a measure has what its kind asks for.

    Raises: DesignError.
    """
    way = gauge.way
    wanted = (len(way.on), len(way.fields), len(way.choices))
    found = (len(gauge.on), len(gauge.values), len(gauge.choices))
    if wanted != found:
        raise DesignError(
            f"measure '{gauge.name}' ({way.title.lower()}) has {found[0]} references, {found[1]} numbers and {found[2]} "
            f"choices; expected {wanted[0]}, {wanted[1]} and {wanted[2]}"
        )
    for (title, allowed), chosen in zip(way.choices, gauge.choices, strict=True):
        if chosen not in allowed:
            raise DesignError(f"measure '{gauge.name}': {title.lower()} can be {', '.join(allowed)}; found '{chosen}'")
