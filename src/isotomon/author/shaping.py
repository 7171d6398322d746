"""Shaping tools as edits: a profile extruded, swept along a path or revolved about an axis makes one more body."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.design import bodies
from isotomon.design.bodies import stations_of_all
from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.edits import fresh_id, replace
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.evaluate.ground import Ground, Worked
from isotomon.evaluate.placing import outline_for, source_of
from isotomon.evaluate.settle import settle
from isotomon.field.rim import Rim
from isotomon.geometry.datums import Axis, Plane, SpaceCurve
from isotomon.geometry.planar import cross
from isotomon.profile.section import Circle, Drawn
from isotomon.quantity import Value
from isotomon.quantity.record import Ref

AXES = ("z", "y", "x")


@dataclass(frozen=True, eq=False)
class Profile:
    """A profile to be shaped: its station (as the new body will have it), the plane it lies on (a reference, and as it
    lies in space), points of its outline there (n, 2) mm, and its name."""

    station: Station
    on: str
    plane: Plane
    outline: Array
    open: bool
    name: str

    @property
    def size(self) -> float:
        """mm: its largest extent, on a round figure."""
        return float(f"{max(float(np.ptp(self.outline, axis=0).max()), 1e-3):.2g}")


def profile_of(design: Design, key: str) -> Profile:
    """The profile that a station or a drawing is, or a circle on the XY plane where neither is named.

    Raises: IsotomonError, when it is not there to be shaped.
    """
    ground = _ground(design, design.bodies[0])
    drawing = next((d for d in design.drawings if d.id == key), None)
    if drawing is not None:
        on = drawing.plane or _station_with(design, key) or "xy"
        at = ground.plane(on)
        station = Station("", drawing.name, 0.0, Drawn(Ref(key)), None)
        own = next((s for s in stations_of_all(design) if s.id == on), None)
        if own is not None and isinstance(own.section, Drawn) and own.section.drawing == key:
            return profile_of(design, on)
    else:
        found = next((s for s in stations_of_all(design) if s.id == key), None)
        if found is None and key:
            raise DesignError("choose a station or a drawing to be shaped")
        station = found or Station("", "circle", 0.0, Circle(), 40.0)
        on = key or "xy"
        at = ground.plane(on)
    station = replace(station, position=0.0, plane="", tilt_x=0.0, tilt_y=0.0, rank=0)
    alone = Body("probe", "probe", stations=(replace(station, id="probe-station"),))
    probe = replace(design, bodies=(alone,))
    resolved, drawings = settle(probe, alone)
    n = resolved.stations[0]
    if math.isnan(n.chord):
        raise DesignError(f"the profile '{station.name}' is not there yet; draw it first")
    outline = outline_for(source_of(n, probe, drawings))
    flat = outline.points(np.linspace(0.0, outline.length, 257))
    pivot = outline.anchor[0] + n.pivot * (outline.anchor[1] - outline.anchor[0])
    c, s = math.cos(n.set_angle), math.sin(n.set_angle)
    points = (flat - pivot) @ np.array([[c, s], [-s, c]]) * n.chord + np.array(n.offset)
    return Profile(station, on, at, points, outline.open, station.name)


def _station_with(design: Design, drawing: str) -> str:
    """A station that has a drawing as its section, or nothing."""
    return next(
        (s.id for s in stations_of_all(design) if isinstance(s.section, Drawn) and s.section.drawing == drawing), ""
    )


def _ground(design: Design, body: Body) -> Ground:
    return Worked(design).ground(body.id)


def extrude(design: Design, key: str, distance: float = 0.0) -> Design:
    """One more body: a profile moved square to its plane, as far as it is wide where no `distance` (mm) is said.

    Raises: IsotomonError.
    """
    profile = profile_of(design, key)
    return _made(design, profile, Carrying("plane", Ref(profile.on)), Span(on=distance or profile.size), "extrusion")


def sweep(design: Design, key: str, path: str, hold: str = "least", toward: str = "z") -> Design:
    """One more body: a profile carried along all of a path, brought to its start.

    Raises: IsotomonError.
    """
    if not path:
        raise DesignError("choose a guide or a drawing as the path too, or make one first")
    carrier = Carrying("path", path, hold=hold, toward=toward)  # type: ignore[arg-type]
    return _made(design, profile_of(design, key), carrier, Span(whole=True), "sweep")


def revolve(design: Design, key: str, axis: str = "") -> Design:
    """One more body: a profile turned once about an axis in its plane, or about the first of the design's own that will do.

    Raises: IsotomonError, when the axis does not lie in the profile's plane.
    """
    profile, ground = profile_of(design, key), _ground(design, design.bodies[0])
    if not axis:
        axis = next((a for a in AXES if _turns(profile, ground.axis(a))), "")
        if not axis:
            raise DesignError(
                "none of the X, Y and Z axes lies in the profile's plane without crossing the profile; "
                "make an axis there and choose it too"
            )
    radius, back = _radius(profile, ground.axis(axis))
    carrier = Carrying("axis", Ref(axis), round(radius, 6), drawn_on=Ref(profile.on), back=back)
    made = _made(design, profile, carrier, Span(whole=True), "revolution")
    ends = _away(profile, ground.axis(axis))[[0, -1]]
    if profile.open and float(np.abs(ends).max()) < 1e-6 * profile.size:  # a half profile, that the axis itself shuts
        made = bodies.change_loft(made, bodies.made_by(design, made), shut=True)
    return made


def _turns(profile: Profile, axis: Axis) -> bool:
    plane = profile.plane
    if abs(float(axis.way @ plane.normal)) > 1e-9 or abs(float((axis.origin - plane.origin) @ plane.normal)) > 1e-6:
        return False
    away = _away(profile, axis)
    slack = 1e-6 * max(float(np.ptp(away)), 1e-9)
    return bool(away.min() >= -slack or away.max() <= slack)


def _away(profile: Profile, axis: Axis) -> Array:
    """(n,) signed distances of the outline from an axis in its plane: the side is that of normal × way."""
    plane = profile.plane
    side = np.cross(axis.way, plane.normal)
    points = plane.origin + profile.outline[:, :1] * plane.across + profile.outline[:, 1:] * plane.up
    return np.asarray((points - axis.origin) @ side)


def _radius(profile: Profile, axis: Axis) -> tuple[float, bool]:
    """How far from the axis the middle of a profile lies, mm, and whether the body turns the other way about it."""
    away = _away(profile, axis)
    middle = float(away.mean())
    if not profile.open:  # of its area
        x, y = profile.outline.T
        swirl = x[:-1] * y[1:] - x[1:] * y[:-1]
        middle = float((away[:-1] + away[1:]) @ swirl / (3.0 * swirl.sum()))
    return max(abs(middle), 1e-3), middle < 0.0


def _made(design: Design, profile: Profile, carrier: Carrying, span: Span, name: str) -> Design:
    station = replace(profile.station, id=fresh_id(design, "s"))
    made = bodies.begin_body(design, name, shaped=Loft(carrier=carrier, span=span), stations=(station,))
    _ground(made, bodies.body_of(made, station.id)).carrier()  # says what is not there to carry it
    return made


def along_the_rim(design: Design, key: str, rim: Rim) -> Design:
    """One more body: the profile of one that is turned about an axis by a rim, swept along that rim instead, square to it with
    its outer end on the rim.

    Raises: IsotomonError.
    """
    body = design.body(key)
    said, ground = body.loft.carrier, _ground(design, body)
    assert ground.resolved is not None
    n = ground.resolved.stations[0]
    # Held with Y along the axis, X looks inward where the path goes round the axis as a right hand does, else outward.
    up = -rim.up if said.back else rim.up
    inward = _right_handed(ground.curve(said.rim), ground.axis(said.on))
    back = inward == (float(cross(rim.out, up)) > 0.0)
    x = -rim.out if inward != back else rim.out
    turn = -math.atan2(float(x[1]), float(x[0]))
    offset = np.stack([x, up]) @ (np.array(n.offset) - rim.end)
    station = replace(
        body.stations[0],
        position=0.0,
        set_angle=n.set_angle + turn,
        offset_x=float(offset[0]),
        offset_y=float(offset[1]),
    )
    carrier = Carrying("path", said.rim, hold="up", toward=said.on, back=back)
    shaped = Loft(carrier=carrier, span=Span(whole=True), wall=body.loft.wall, shut=body.loft.shut)
    own = replace(station, id=fresh_id(design, "s"))
    return bodies.add_body(design, f"{body.name} along its rim", (own,), shaped)


def _right_handed(curve: SpaceCurve, axis: Axis) -> bool:
    """Whether a closed curve goes round an axis as the fingers of a right hand round its thumb."""
    away = curve.at(np.linspace(0.0, 1.0, 241)) - axis.origin
    return float(np.sum(np.cross(away[:-1], away[1:]) @ axis.way)) > 0.0


def other_way(design: Design, key: str) -> Design:
    """A body with what goes on going back, and the other way round."""
    span = design.body(key).loft.span or Span()
    turned = Span(False, span.on, span.back, span.on_to, span.back_to)
    return bodies.change_loft(design, key, span=turned)


def both_ways(design: Design, key: str) -> Design:
    """A body going as far back as on, as far in all as now.

    Raises: DesignError, for a body that goes up to something.
    """
    span = design.body(key).loft.span or Span()
    if span.on_to or span.back_to:
        raise DesignError("the body goes up to something, so that it cannot go both ways alike; give it a distance")
    half: Value = (
        (span.on + span.back) / 2.0
        if not isinstance(span.on, str) and not isinstance(span.back, str)
        else f"(({span.on}) + ({span.back})) / 2"
        if isinstance(span.on, str) and isinstance(span.back, str)
        else f"({span.on if isinstance(span.on, str) else span.back}) / 2"
    )
    return bodies.change_loft(design, key, span=Span(False, half, half))
