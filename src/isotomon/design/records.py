"""What a design says: frozen records, as they stand in the file. Lengths mm, angles rad, or a formula's text."""

from __future__ import annotations

from typing import Literal

from msgspec import field

from isotomon.design.body import Body
from isotomon.design.datums import Datum
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide
from isotomon.errors import DesignError
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Outline
from isotomon.quantity import Kind, Value
from isotomon.quantity.record import Id, Record

FORMAT = "isotomon-design"
VERSION = 3


class Number(Record, frozen=True):
    """A named number."""

    id: Id
    name: str
    value: Value
    kind: Kind
    note: str = ""


class Imported(Record, frozen=True):
    """A body's file as it was brought in: compressed, in base 64."""

    id: Id
    name: str
    form: Literal["step", "iges", "stl"]
    data: str


class Design(Record, frozen=True):
    """One whole design: an immutable value."""

    name: str
    unit: Literal["mm", "cm", "m", "in"] = "mm"
    tolerance: float = 1e-4
    """mm: how far a solid's faces may lie from the section field."""
    numbers: tuple[Number, ...] = ()
    outlines: tuple[Outline, ...] = ()
    datums: tuple[Datum, ...] = ()
    drawings: tuple[Drawing, ...] = ()
    guides: tuple[Guide, ...] = ()
    bodies: tuple[Body, ...] = field(default_factory=lambda: (Body("body", "body"),))
    gauges: tuple[Gauge, ...] = ()
    imports: tuple[Imported, ...] = ()
    note: str = ""
    format: Literal["isotomon-design"] = "isotomon-design"
    version: int = VERSION

    def body(self, key: str) -> Body:
        """The body with this id. Raises: DesignError."""
        found = next((b for b in self.bodies if b.id == key), None)
        if found is None:
            raise DesignError(f"the design has no body '{key}'")
        return found
