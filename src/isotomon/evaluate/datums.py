"""Datums worked out: each when it is asked for, after what it stands on."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from isotomon.design.body import Body
from isotomon.design.datums import BUILT_IN, BUILT_IN_NAMES, Datum, construction
from isotomon.design.guides import Guide
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError, QuantityError
from isotomon.evaluate.carrying import carrier_of
from isotomon.evaluate.constructions import CONSTRUCT
from isotomon.evaluate.drawn import Drawings, numbers_so_far, to_plane
from isotomon.evaluate.guides import drawing_curve, guide_curve
from isotomon.evaluate.placing import Stood, body_angles, named_point, stood
from isotomon.evaluate.sources import Thing
from isotomon.evaluate.standing import stand
from isotomon.field.carriers import STRAIGHT, Carrier, tilted
from isotomon.field.correspond import Lane
from isotomon.field.section_field import SectionField
from isotomon.field.skin import BodySkin, RoundSkin, Skin
from isotomon.geometry import datums as g
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve
from isotomon.geometry.space import line
from isotomon.profile.curves import piece_of
from isotomon.profile.drawing import Drawing
from isotomon.profile.loops import places_of
from isotomon.profile.outline import corner_words, edge_words
from isotomon.profile.section import Drawn
from isotomon.quantity import Quantity, resolve

Array = NDArray[np.float64]
CARRIER = "what carries"
"""Before a body's name: under which what carries its stations is worked out, so that circles through it are found."""


@dataclass(eq=False)
class Ground:
    """What datums are worked out on. The body's parts are there only once it has been shaped."""

    design: Design
    names: dict[str, Quantity]
    body: Body
    """The body that is worked out."""
    resolved: Resolved | None = None
    shape: SectionField | None = None
    drawings: Drawings | None = None
    shaper: Callable[[Ground], SectionField | None] | None = None
    """Makes the field of another body, when something is made from it."""
    others: dict[str, Ground] = field(default_factory=dict)
    """Of the other bodies, by their ids, as far as they have been asked for."""
    _made: dict[str, Thing] = field(default_factory=dict)
    _stood: dict[str, Stood] = field(default_factory=dict)
    _stood_for: Resolved | None = None
    _angles: dict[str, float] = field(default_factory=dict)
    _planes: dict[str, Plane] = field(default_factory=dict)
    _under_way: list[str] = field(default_factory=list)

    def get(self, ref: str) -> Thing:
        """What a reference stands for.

        Raises: DesignError, for what is gone, goes in a circle, or is not there yet.
        """
        if ref in self._made:
            return self._made[ref]
        elsewhere = self._elsewhere.get(ref.partition("/")[0])
        if elsewhere is not None:
            return self.beside(elsewhere).get(ref)
        if ref in self._under_way:
            trail = [*self._under_way[self._under_way.index(ref) :], ref]
            names = " → ".join(self.called(r) for r in trail)
            raise DesignError(f"these stand on each other in a circle: {names}; pick something else for one of them")
        self._under_way.append(ref)
        try:
            self._made[ref] = self._work_out(ref)
        finally:
            self._under_way.pop()
        return self._made[ref]

    def carrier(self) -> Carrier:
        """What carries the stations.

        Raises: DesignError, FieldError.
        """
        straight = self.body.loft.carrier.how == "straight"
        return STRAIGHT if straight else self.get(f"{CARRIER} {self.body.id}")  # type: ignore[return-value]

    def called(self, ref: str) -> str:
        """A reference in words."""
        if ref.startswith(CARRIER):
            return f"{CARRIER} {self.called(ref.removeprefix(CARRIER).strip())}"
        name, _, part = ref.partition("/")
        if name in BUILT_IN_NAMES:
            return BUILT_IN_NAMES[name]
        d = self.design
        names: dict[str, str] = {r.id: r.name for group in (d.datums, d.guides, d.drawings) for r in group}
        for body in d.bodies:
            names |= {body.id: body.name, **{s.id: s.name for s in body.stations}}
        first, _, rest = part.partition(":")
        if first == "along":
            rest = edge_words(rest, names)
        if first == "face":
            rest = " and ".join(edge_words(edge, names) for edge in rest.split("~"))
        rest = corner_words(rest) if first == "c" else rest
        return " ".join(word for word in (names.get(name, name), _PARTS.get(first, first), rest) if word)

    def _work_out(self, ref: str) -> Thing:
        if ref in BUILT_IN:
            return BASE[ref]
        if ref.startswith(CARRIER):
            return carrier_of(self)
        name, _, part = ref.partition("/")
        record = self._records.get(name)
        if isinstance(record, Station):
            return self._station_part(record, part) if part else self._station_plane(record)
        if isinstance(record, Guide) and not part:
            return guide_curve(self, record)
        if isinstance(record, Drawing) and not part:
            return drawing_curve(self, ref)
        if isinstance(record, Datum) and not part:
            return self._datum(record)
        if name == self.body.id and part:
            return self._body(part)
        raise DesignError(f"'{self.called(ref)}' is gone; pick something else")

    @cached_property
    def _elsewhere(self) -> dict[str, str]:
        """Station or body → the body it belongs to, of all others."""
        others = (b for b in self.design.bodies if b.id != self.body.id)
        return {key: b.id for b in others for key in (b.id, *(s.id for s in b.stations))}

    def beside(self, key: str) -> Ground:
        """The ground of another body.

        Raises: IsotomonError, when its numbers cannot be worked out.
        """
        if key not in self.others:
            made = Ground(
                self.design,
                self.names,
                self.design.body(key),
                drawings=self.drawings,
                shaper=self.shaper,
                others=self.others,
            )
            made._under_way = self._under_way
            self.others[self.body.id] = self
            self.others[key] = made
            made.resolved = stand(made)[0]
        ground = self.others[key]
        if ground.resolved is not None and self.drawings is not None:
            ground.drawings = self.drawings
            ground.resolved = numbers_so_far(ground.resolved, self.drawings)
        return ground

    def field_of(self, body: str) -> SectionField:
        """The field of another body.

        Raises: DesignError, when it cannot be made or stands on this one.
        """
        if body not in self._elsewhere:
            raise DesignError(f"the body '{self.called(body)}' is gone; choose another")
        return self.beside(body)._shaped(f"the end of {self.called(body)}")[0]

    @cached_property
    def _records(self) -> dict[str, Station | Guide | Drawing | Datum]:
        d = self.design
        return {r.id: r for group in (self.body.stations, d.guides, d.drawings, d.datums) for r in group}

    # What stations and the body give

    def _station_plane(self, station: Station) -> Plane:
        thing = self.get(station.plane) if station.plane else None
        if isinstance(thing, Cylinder):  # the plane that touches it where it crosses the body's axis
            position, a, b = float(thing.axis.origin[2]) + thing.radius, 0.0, 0.0
        elif station.plane:
            position, a, b = g.tilts_of(self.plane(station.plane))
        else:
            turning = self.body.loft.carrier.how == "axis"
            position, a, b = (
                self._value(station.name, getattr(station, f), k)
                for f, k in (("position", "angle" if turning else "length"), ("tilt_x", "angle"), ("tilt_y", "angle"))
            )
            if turning:
                position *= self._value("the radius about the axis", self.body.loft.carrier.radius, "length")
        return self.plane_there(position, (a, b))

    def plane_there(self, position: float, tilt: tuple[float, float]) -> Plane:
        """The plane a station has at a position (mm), tilted (rad)."""
        return self._planes_there([position], [tilt])[0]

    def _planes_there(self, positions: Sequence[float], tilts: Sequence[tuple[float, float]]) -> list[Plane]:
        lean = np.array(tilts)
        f = tilted(self.carrier().frames(np.array(positions)), np.ones(len(lean)), lean, np.zeros_like(lean))
        return [Plane(*rows) for rows in zip(f.origin, f.across, f.normal, strict=True)]

    def _station_part(self, station: Station, part: str) -> Thing:
        if part != "outline" and not named_point(part):
            return self._drawn_part(station, part)
        stand = self.profile(station)
        return stand.curve() if part == "outline" else stand.point(part)

    def profile(self, station: Station) -> Stood:
        """A station's profile where it stands.

        Raises: DesignError, while the stations are not worked out.
        """
        if station.id in self._elsewhere:
            return self.beside(self._elsewhere[station.id]).profile(station)
        if self.resolved is None or self.drawings is None:
            raise DesignError(f"the profile at station '{station.name}' is not there yet, or stands on this itself")
        if self._stood_for is not self.resolved:
            self._stood_for, self._stood, self._angles = self.resolved, {}, {}
        if station.id in self._stood:
            return self._stood[station.id]
        n = self.resolved.of(station.id)
        if math.isnan(n.chord):
            raise DesignError(f"the drawing at station '{station.name}' is not solved yet, or stands on this itself")
        if not self._angles:
            numbers = [m for _, m in self.resolved.own]
            planes = self._planes_there([m.position for m in numbers], [m.tilt for m in numbers])
            self._planes = dict(zip((m.station.id for m in numbers), planes, strict=True))
            self._angles = body_angles(self.resolved, self.design, self.drawings)
        angle, plane = self._angles[station.id], self._planes[station.id]
        self._stood[station.id] = stood(n, angle, plane, self.design, self.drawings, self.resolved.wrap)
        return self._stood[station.id]

    def drawing(self, ref: str) -> Drawing | None:
        """The drawing with this id, if there is one."""
        return next((d for d in self.design.drawings if d.id == ref), None)

    def skin(self, ref: str) -> Skin:
        """A skin: the body's, a plane or a cylinder."""
        name = ref.removesuffix("/skin")
        if name == self.body.id:
            return BodySkin(self._shaped("the body's skin")[0])
        if self._elsewhere.get(name) == name:
            return self.beside(name).skin(name)
        thing = self.get(ref)
        if isinstance(thing, Cylinder):
            return RoundSkin(thing)
        return self.plane(ref)

    def _drawn_part(self, station: Station, part: str) -> Thing:
        """A point or part of a station's drawing, where it lies in space."""
        section = station.section
        named, _, part = part.partition(".")
        if not isinstance(section, Drawn) or section.drawing != named:
            raise DesignError(f"station '{station.name}' does not have the drawing any more; pick something else")
        if self.resolved is None or self.drawings is None or section.drawing not in self.drawings.solutions:
            raise DesignError(f"the drawing at station '{station.name}' is not solved yet, or stands on this itself")
        n = self.resolved.of(station.id)
        drawing = self.drawings.solutions[section.drawing].drawing
        solved = self.drawings.section(section)
        places = places_of(drawing)
        plane = self._station_plane(station)

        def in_space(points: Array) -> Array:
            flat = to_plane(points, n, solved)
            return plane.origin + flat[:, :1] * plane.across + flat[:, 1:] * plane.up

        if part in places:
            return in_space(places[part][None])[0]
        found = next((p for p in drawing.parts if p.id == part), None)
        if found is None:
            raise DesignError(f"'{part}' is gone from the drawing at station '{station.name}'; pick something else")
        piece = piece_of(found, places)
        if piece.kind == "line":
            a, b = in_space(piece.at(np.array([0.0, 1.0])))
            return SpaceCurve(lambda t: a + np.asarray(t)[:, None] * (b - a))
        return SpaceCurve(lambda t: in_space(piece.at(t)), piece.kind in ("circle",))

    def _body(self, part: str) -> Thing:
        field_, _ = self._shaped(f"body {part}")
        if part in ("first", "last"):
            sections = field_.sections(field_.nodes[[0 if part == "first" else -1]])
            return Plane(sections.origin[0], sections.across[0], sections.normal[0])
        if part == "skin":
            ends = field_.sections(field_.nodes)
            rings = [g.round_through(c) for c in (_ring(field_, ends.control[k]) for k in range(len(field_.nodes)))]
            way = rings[-1].axis.origin - rings[0].axis.origin
            return Cylinder(Axis(rings[0].axis.origin, g.unit(way, "the body has no axis")), rings[0].radius)
        if part in ("first-rim", "last-rim"):
            return _rim(field_, field_.first if part == "first-rim" else field_.last)
        if part.startswith("face:"):
            lane = field_.common.lanes[field_.names.lane(part.removeprefix("face:"))]
            return _flat_face(field_, lane, self.called(f"{self.body.id}/{part}"))
        if not part.startswith("along:"):
            raise DesignError(f"the body has no {part} any more; pick something else")
        column = field_.names.column(part.removeprefix("along:"))
        return SpaceCurve(
            lambda t: field_.sections(field_.first + np.asarray(t) * (field_.last - field_.first)).control[:, column]
        )

    def _shaped(self, what: str) -> tuple[SectionField, Resolved]:
        name = f"the shape of {self.body.name}"
        if self.shape is None and self.shaper is not None and name not in self._under_way:
            self._under_way.append(name)
            try:
                self.shape = self.shaper(self)
            finally:
                self._under_way.pop()
        if self.shape is None or self.resolved is None:
            raise DesignError(f"{what} comes from the body, which cannot be made, or stands on it; pick something else")
        return self.shape, self.resolved

    def _value(self, where: str, value: float | str, kind: str) -> float:
        try:
            return resolve(value, kind, self.names)  # type: ignore[arg-type]
        except QuantityError as error:
            raise QuantityError(f"{where}: {error}") from None

    # As what is wanted

    def plane(self, ref: str) -> Plane:
        """A plane, or a frame's XY plane."""
        thing = self.get(ref)
        if isinstance(thing, Frame):
            return Plane(thing.origin, thing.axes[0], thing.axes[2])
        return self._as(ref, thing, Plane, "a plane")

    def axis(self, ref: str) -> Axis:
        """An axis, a cylinder's, or along a straight curve."""
        thing = self.get(ref)
        if isinstance(thing, Cylinder):
            return thing.axis
        if isinstance(thing, SpaceCurve):
            _, p, run = thing.table(65)
            way = g.unit(p[-1] - p[0], f"{self.called(ref)} is closed; a straight edge or line is needed")
            off = np.linalg.norm((p - p[0]) - ((p - p[0]) @ way)[:, None] * way, axis=1).max()
            if off > 1e-6 * run[-1]:
                raise DesignError(f"{self.called(ref)} is not straight; pick a straight edge or line")
            return Axis(p[0], way, float(run[-1]))
        return self._as(ref, thing, Axis, "an axis")

    def point(self, ref: str) -> Array:
        """A point, or a frame's origin."""
        thing = self.get(ref)
        return thing.origin if isinstance(thing, Frame) else self._as(ref, thing, np.ndarray, "a point")

    def frame(self, ref: str) -> Frame:
        """A frame, or a plane's own."""
        thing = self.get(ref)
        if isinstance(thing, Plane):
            return Frame(thing.origin, np.array([thing.across, thing.up, thing.normal]))
        return self._as(ref, thing, Frame, "a frame")

    def curve(self, ref: str) -> SpaceCurve:
        """A curve, or an axis as long as the edge it came from; a station stands for its profile."""
        thing = self.get(ref)
        if isinstance(thing, Axis) and thing.length:
            return line(thing.origin, thing.origin + thing.length * thing.way)
        if isinstance(thing, Plane) and any(s.id == ref for s in self.body.stations):
            thing = self.get(f"{ref}/outline")
        return self._as(ref, thing, SpaceCurve, "a curve")

    def round(self, ref: str) -> Cylinder:
        """A cylinder, or the circle that a curve or profile is."""
        thing = self.get(ref)
        if isinstance(thing, Cylinder):
            return thing
        return g.round_through(self.curve(ref).table(97)[1])

    def _as(self, ref: str, thing: Thing, kind: type, word: str):  # type: ignore[no-untyped-def]
        if not isinstance(thing, kind):
            raise DesignError(f"{self.called(ref)} is not {word}; pick something else")
        return thing

    def _datum(self, datum: Datum) -> Thing:
        try:
            values = [
                self._value(f.title.lower(), v, f.kind)
                for f, v in zip(construction(datum).fields, datum.values, strict=True)
            ]
            return CONSTRUCT[datum.kind](self, datum.on, values)
        except IsotomonError as error:
            text = str(error)
            raise DesignError(text if text.startswith("datum '") else f"datum '{datum.name}': {text}") from None


def _ring(field_: SectionField, control: Array) -> Array:
    """Points round a section from its control points."""
    u = [np.linspace(0.0, 1.0, 33)[:-1]] * len(field_.common.lanes)
    return field_.common.matrix(u) @ control


def _rim(field_: SectionField, v: float) -> SpaceCurve:
    """The closed edge of an end of the body; lane borders are its corners."""
    control = field_.sections(np.array([v])).control[0]
    outer = [k for k, lane in enumerate(field_.common.lanes) if not lane.loop and not lane.basis.periodic]
    corners = tuple(float(field_.common.u[k]) for k in outer)
    names = tuple(field_.names.edges[k][0] for k in outer)
    return SpaceCurve(lambda t: field_.common.rows(np.asarray(t, dtype=float)) @ control, True, corners, names=names)


def _flat_face(field_: SectionField, lane: Lane, what: str) -> Plane:
    """The plane in which a lane's face lies, outward; its X runs on round the section.

    Raises: DesignError, when it is not flat.
    """
    control = field_.sections(np.linspace(field_.first, field_.last, 25)).control
    points = control[:, lane.columns].reshape(-1, 3)
    normal = g.flat_normal(points)
    if normal is None:
        raise DesignError(f"{what} is not flat; pick a flat face or a plane")
    run = control[0, lane.columns.stop - 1] - control[0, lane.columns.start]
    on = control[-1, lane.columns.start] - control[0, lane.columns.start]
    outward = normal if float(np.cross(run, on) @ normal) > 0.0 else -normal
    return Plane(points.mean(axis=0), g.unit(run, f"{what} has no width"), outward)


_PARTS = {
    "first": "first end",
    "last": "last end",
    "face": "face between",
    "c": "",
    "at": "at",
    "along": "edge through",
}
_O, _X, _Y, _Z = np.zeros(3), *np.eye(3)
BASE: dict[str, Thing] = {
    "xy": Plane(_O, _X, _Z),
    "yz": Plane(_O, _Y, _X),
    "zx": Plane(_O, _Z, _Y),
    "x": Axis(_O, _X),
    "y": Axis(_O, _Y),
    "z": Axis(_O, _Z),
    "origin": _O,
    "world": Frame(_O, np.eye(3)),
}
"""What is there in every design: its planes, axes, origin and frame."""


def work_out(ground: Ground) -> tuple[dict[str, Thing], list[tuple[str, str, str]]]:
    """(datums by id, troubles as (id, name, what is wrong)): all that can be worked out, and why the rest cannot."""
    things: dict[str, Thing] = {}
    troubles: list[tuple[str, str, str]] = []
    for datum in ground.design.datums:
        try:
            things[datum.id] = ground.get(datum.id)
        except IsotomonError as error:
            troubles.append((datum.id, datum.name, str(error).removeprefix(f"datum '{datum.name}': ")))
    return things, troubles
