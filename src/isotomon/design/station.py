"""A profile where it stands along a body."""

from __future__ import annotations

from isotomon.profile.section import Section
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Record, Ref, usual


class Station(Record, frozen=True):
    """A profile on a datum plane: the plane stands at `position` along +Z (or what else carries the loft), tilted about X,
    then about Y.

    `chord` is the size, `set_angle` turns X towards Y, `pivot` is the fraction of the chord (from the leading point)
    that sits on the carrier (None: 0.25 for foils, a drawing's own origin, 0.5 otherwise), a `chord` of None leaves a
    drawing as large as it is drawn, the offset moves the section in the plane after
    turning. Stations of a higher `rank` were inserted later: what they hold is added to the body that the lower
    ranks make, so that inserting one does not move the shape.
    """

    id: Id
    name: str
    position: Value
    section: Section
    chord: Value | None
    set_angle: Value = 0.0
    pivot: Value | None = None
    offset_x: Value = 0.0
    offset_y: Value = 0.0
    tilt_x: Value = 0.0
    tilt_y: Value = 0.0
    rank: int = 0
    plane: Ref = usual("")
    """A datum plane it stands on, which then says its position and tilts."""
