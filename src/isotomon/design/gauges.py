"""Measures kept on a design as live figures: distances, angles, lengths, radii, sections by planes, capacities."""

from __future__ import annotations

from typing import Literal

from isotomon.design.recipe import Field, Recipe
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref

GaugeKind = Literal["distance", "angle", "length", "radius", "thickness", "section", "capacity", "body", "area"]
MOST_GAUGES = 200


GAUGES: dict[str, Recipe] = {
    "distance": Recipe("Distance", "**"),
    "angle": Recipe("Angle", "DD"),
    "length": Recipe("Length of a curve", "c"),
    "radius": Recipe("Radius of a curve", "c"),
    "thickness": Recipe("Thickness at a point", "Bp"),
    "area": Recipe("Area of a face or profile", "G"),
    "body": Recipe("Volume, mass and inertia", "B"),
    "section": Recipe("Section by a plane", "BP", (Field("Offset", "length", 0.0),)),
    "capacity": Recipe(
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
    def recipe(self) -> Recipe:
        """What its kind is taken of, and asks for."""
        return GAUGES[self.kind]
