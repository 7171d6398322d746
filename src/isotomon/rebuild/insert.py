"""A station between two others that keeps the present shape."""

from __future__ import annotations

from isotomon.errors import DesignError
from isotomon.field.carriers import Turning
from isotomon.model.edits import add_station, fresh_id
from isotomon.model.records import Design, Station
from isotomon.model.resolve import own_position
from isotomon.rebuild.results import Shape
from isotomon.rebuild.shape import keep_section


def insert_station(design: Design, shape: Shape, position: float, name: str | None = None) -> Design:
    """The design with a station at `position` (mm) that holds the section the body has there.

    Its rank is above all others, so that the shape is the same before and after.
    Raises: DesignError, outside the body or on a station.
    """
    field = shape.field
    if not field.first < position < field.last:
        raise DesignError(f"a station that keeps the shape stands between {field.first:g} and {field.last:g} mm")
    if min(abs(float(z) - position) for z in field.nodes) < 1e-3:
        raise DesignError(f"there is a station at {position:g} mm already")
    rank = 1 + max(s.rank for s in design.stations)
    taken = {s.name for s in design.stations}
    label = name or next(n for k in range(1, len(taken) + 2) if (n := f"new {k}") not in taken)
    kept = keep_section(field, shape.form, position)
    radius = field.carrier.radius if isinstance(field.carrier, Turning) else 0.0
    place = own_position(radius, position)
    station = Station(id=fresh_id(design, "s"), name=label, position=place, rank=rank, **kept)  # type: ignore[arg-type]
    return add_station(design, station)
