"""A station between two others that keeps the present shape."""

from __future__ import annotations

import numpy as np

from isotomon.design.bodies import body_of, change_loft
from isotomon.design.body import Body
from isotomon.design.edits import find, fresh_id, replace
from isotomon.design.records import Design
from isotomon.design.resolved import own_position
from isotomon.design.station import Station
from isotomon.design.station_edits import add_station
from isotomon.errors import DesignError
from isotomon.evaluate.shape import SAME_POINT, keep_section
from isotomon.field.carriers import Relative, Turning
from isotomon.field.section_field import SectionField
from isotomon.inspect.results import Shape
from isotomon.profile.draw_edits import next_name
from isotomon.profile.section import Apex, Elsewhere, Kept, Section

LONGEST_NAME = 24
"""A station that would be called by more letters after those beside it has a name of its own."""


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
    body = body_of(design, field.stations[0].key.partition("/")[0])
    rank = 1 + max(s.rank for s in body.stations)
    taken = {s.name for s in body.stations}
    before, after = _beside(body, field, position)
    alone = f"within {before.name.removeprefix('within ')}"
    between = alone if before.name == after.name else f"{before.name} to {after.name}"
    label = name or next_name(taken, between if len(between) <= LONGEST_NAME else "station")
    kept = keep_section(field, shape.form, position)
    if before.section == after.section and not isinstance(before.section, Kept | Apex | Elsewhere):
        kept = as_neighbours(kept, before.section, shape, before.id)
    base = field.carrier.base if isinstance(field.carrier, Relative) else field.carrier
    radius = base.radius if isinstance(base, Turning) else 0.0
    place = own_position(radius, position)
    station = Station(id=fresh_id(design, "s"), name=label, position=place, rank=rank, **kept)  # type: ignore[arg-type]
    return add_station(_ending_where_it_did(design, body, field, position, radius), body.id, station)


def _ending_where_it_did(design: Design, body: Body, field: SectionField, position: float, radius: float) -> Design:
    """The design with the body going on by as much less as a new station beyond its outer ones is nearer to its end."""
    span, own = body.loft.span, [s.position for s in field.stations if "/" not in s.key]
    if span is None or not own:
        return design
    past = max(position - max(own), min(own) - position, 0.0)
    end, limit = ("on", span.on_to) if position > max(own) else ("back", span.back_to)
    if past == 0.0 or limit or span.whole:
        return design
    less, said = own_position(radius, past), getattr(span, end)
    left = f"({said}) - {less:.12g} {'rad' if radius else 'mm'}" if isinstance(said, str) else said - less
    return change_loft(design, body.id, span=replace(span, **{end: left}))


def _beside(body: Body, field: SectionField, position: float) -> tuple[Station, Station]:
    """The stations before and after a place along the body; what goes on past the outer ones counts as theirs."""
    keys = [s.key.partition("/")[0] for s in field.stations]
    k = int(np.clip(np.searchsorted(field.positions(field.nodes), position) - 1, 0, len(keys) - 1))
    return find(body.stations, keys[k]), find(body.stations, keys[(k + 1) % len(keys)])


def as_neighbours(kept: dict[str, object], section: Section, shape: Shape, station: str) -> dict[str, object]:
    """The fields of an inserted station with the section that both its neighbours have, where the body has that there, too:
    between two circles it is a circle."""
    held = kept["section"]
    own = next((s for s in shape.field.stations if s.key.partition("/")[0] == station and s.outline >= 0), None)
    if own is None or not isinstance(held, Kept):
        return kept
    control, outline = shape.form.common.control[own.outline], shape.form.outlines[own.outline]
    pivot = outline.anchor[0] + float(kept["pivot"]) * (outline.anchor[1] - outline.anchor[0])  # type: ignore[arg-type]
    points = np.array([p for run in held.runs for p in run.control])
    if points.shape != control.shape or np.abs(points - (control - pivot)).max() > SAME_POINT:
        return kept
    angle = 0.0 if outline.round else kept["set_angle"]
    return {**kept, "section": section, "set_angle": angle}
