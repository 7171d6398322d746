"""What references stand for: datums, guides, drawings, parts of stations and bodies, each worked out when it is asked for."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence, Set
from functools import cached_property

import numpy as np

from isotomon.design.body import Body
from isotomon.design.datums import BUILT_IN, BUILT_IN_NAMES, Datum
from isotomon.design.guides import Guide
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError, QuantityError, named_error
from isotomon.evaluate.body_ends import Ended, OnEnds, stand_on_ends
from isotomon.evaluate.body_field import Shaped, shape_body
from isotomon.evaluate.body_parts import part_of
from isotomon.evaluate.carrying import carrier_of, spanned
from isotomon.evaluate.constructions import CONSTRUCT
from isotomon.evaluate.datums import BASE
from isotomon.evaluate.drawn import (
    Drawings,
    EndSection,
    SolvedDrawing,
    Trouble,
    numbers_so_far,
    part_in_space,
)
from isotomon.evaluate.graph import Graph, StandsOnItself
from isotomon.evaluate.guides import drawing_curve, guide_curve
from isotomon.evaluate.kinds import Kinds
from isotomon.evaluate.part_words import reference_words
from isotomon.evaluate.placing import Stood, body_angles, named_point, stood
from isotomon.evaluate.sheets import grown, sheet_of, side_of
from isotomon.evaluate.solving import Ends, Solutions, solve_drawing
from isotomon.evaluate.sources import Thing
from isotomon.evaluate.standing import stand
from isotomon.evaluate.unchanged import CARRIER, KEPT_FOR_A_LOOK, lasting, unchanged
from isotomon.field.carriers import STRAIGHT, Carrier, tilted
from isotomon.field.section_field import SectionField
from isotomon.field.skin import BodySkin, CurveSkin, RoundSkin, Skin
from isotomon.geometry import datums as g
from isotomon.geometry.datums import Cylinder, Plane
from isotomon.operations.skins.base import MadeSheet
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.quantity import Quantity, resolve
from isotomon.quantity.record import Ref


class Ground(Kinds):
    """What references of a design stand for, as one of its bodies sees them, and that body's own numbers and shape."""

    def __init__(self, worked: Worked, body: Body) -> None:
        self.worked = worked
        self.body = body
        """The body that is worked out."""

    @property
    def design(self) -> Design:
        """The design."""
        return self.worked.design

    @property
    def names(self) -> dict[str, Quantity]:
        """The named numbers."""
        return self.worked.names

    def beside(self, body: str) -> Ground:
        """The ground of a body."""
        return self if body == self.body.id else self.worked.ground(body)

    def get(self, ref: str) -> Thing:
        """What a reference stands for.

        Raises: DesignError, for what is gone, goes in a circle, or is not there yet.
        """
        owner = self.worked.owners.get(Ref(ref).thing, self.body.id)
        return self.worked.once("thing", ref, lambda: self.beside(owner)._work_out(ref))

    def is_station(self, ref: str) -> bool:
        """Whether a reference is a station."""
        return self.worked.owners.get(ref, ref) != ref

    # Numbers

    def standing(self) -> tuple[Resolved, list[Trouble]]:
        """The numbers of the stations, those on datum planes among them, and what is wrong with these."""
        return self.worked.once("stand", self.body.id, lambda: stand(self))

    def settled(self) -> Resolved:
        """The same, with what the drawings say, as far as they can be solved."""
        return self.worked.once("settled", self.body.id, lambda: numbers_so_far(self.standing()[0], self.drawings))

    def on_ends(self) -> OnEnds:
        """The same, with the stations that stand on other bodies' ends and on curves."""
        return self.worked.once("on ends", self.body.id, lambda: stand_on_ends(self, self.settled()))

    def end_sections(self) -> Mapping[str, EndSection]:
        """The sections of those; none while they are worked out."""
        if self.worked.is_under_way("on ends", self.body.id):
            self.worked.loosen("on ends", self.body.id)
            return {}
        return self.on_ends().sections

    def ended(self) -> Ended:
        """The same, with the outer sections carried on to the ends of the body."""
        return self.worked.once("ended", self.body.id, self._ended)

    def _ended(self) -> Ended:
        found = self.on_ends()
        try:
            return Ended(spanned(self, found.resolved), found, None)
        except IsotomonError as error:
            return Ended(found.resolved, found, error)

    @property
    def resolved(self) -> Resolved | None:
        """The numbers as far as they are known: those that are being worked out now are not."""
        under_way = [kind for kind in ("ended", "settled", "stand") if self.worked.is_under_way(kind, self.body.id)]
        if under_way:  # the last of them is what whoever asks is asked by
            self.worked.loosen(under_way[-1], self.body.id)
        for kind, known in (
            ("ended", lambda: self.ended().resolved),
            ("settled", self.settled),
            ("stand", lambda: self.standing()[0]),
        ):
            if kind in under_way:
                continue
            try:
                return known()
            except StandsOnItself:
                continue
        return None

    def numbers_of(self, station: str) -> StationNumbers | None:
        """The numbers of a station of whichever body, as far as they are known."""
        owner = self.worked.owners.get(station)
        resolved = self.beside(owner).resolved if owner is not None else None
        return resolved.get(station) if resolved is not None else None

    @cached_property
    def drawings(self) -> Drawings:
        """The drawings, each solved when it is asked for."""
        return Drawings(Solutions(self), ends=Ends(self))

    def solved(self, drawing: str) -> SolvedDrawing | None:
        """A drawing worked out; None for one that is gone, or under way."""
        record = self.drawing(drawing)
        if record is None:
            return None
        if self.worked.is_under_way("solution", drawing):
            self.worked.loosen("solution", drawing)
            return None
        return self.worked.once("solution", drawing, lambda: solve_drawing(self, record))

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
        name, part = Ref(ref).thing, Ref(ref).part
        if name in BUILT_IN_NAMES:
            return BUILT_IN_NAMES[name]
        d = self.design
        names: dict[str, str] = {r.id: r.name for group in (d.datums, d.guides, d.drawings) for r in group}
        for body in d.bodies:
            names |= {body.id: body.name, **{s.id: s.name for s in body.stations}}
        return reference_words(name, part, names)

    def _work_out(self, ref: str) -> Thing:
        if ref in BUILT_IN:
            return BASE[ref]
        if ref.startswith(CARRIER):
            return carrier_of(self)
        name, part = Ref(ref).thing, Ref(ref).part
        record = self.worked.records.get(name)
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

    # The shape

    def shaped(self) -> Shaped:
        """The body's field, with what is wrong with it."""
        return self.worked.once("field", self.body.id, lambda: shape_body(self))

    def _field(self, what: str) -> SectionField:
        """The body's field, for something that stands on it. What the body itself is made with stands on the body without it.

        Raises: DesignError.
        """
        kind = "inner field" if self.worked.is_under_way("field", self.body.id) else "field"
        if not self.worked.is_under_way(kind, self.body.id):
            shaped = self.worked.once(kind, self.body.id, lambda: shape_body(self))
            if shaped.made is not None:
                return shaped.made.field
        else:
            self.worked.loosen(kind, self.body.id)
        raise DesignError(f"{what} comes from the body, which cannot be made, or stands on it; pick something else")

    def field_of(self, body: str) -> SectionField:
        """The field of another body.

        Raises: DesignError, when it cannot be made or stands on this one.
        """
        if body == self.body.id or body not in self.worked.owners:
            raise DesignError(f"the body '{self.called(body)}' is gone; choose another")
        return self.beside(body)._field(f"the end of {self.called(body)}")

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
        owner = self.beside(self.worked.owners.get(station.id, self.body.id))
        return self.worked.once("profile", station.id, lambda: owner._profile(station))

    def _profile(self, station: Station) -> Stood:
        resolved = self.resolved
        if resolved is None:
            raise DesignError(f"the profile at station '{station.name}' is not there yet, or stands on this itself")
        n = resolved.of(station.id)
        if math.isnan(n.chord):
            raise DesignError(f"the drawing at station '{station.name}' is not solved yet, or stands on this itself")
        angles, planes = self.worked.once("angles", self.body.id, self._angles)
        return stood(n, angles[station.id], planes[station.id], self.design, self.drawings, resolved.wrap)

    def _angles(self) -> tuple[dict[str, float], dict[str, Plane]]:
        """Station → the angle by which the body is turned there, and the plane."""
        resolved = self.resolved
        if resolved is None:
            raise DesignError("the stations are not there yet, or stand on this themselves")
        numbers = [m for _, m in resolved.own]
        planes = self._planes_there([m.position for m in numbers], [m.tilt for m in numbers])
        by_station = dict(zip((m.station.id for m in numbers), planes, strict=True))
        return body_angles(resolved, self.design, self.drawings), by_station

    def drawing(self, ref: str) -> Drawing | None:
        """The drawing with this id, if there is one."""
        return next((d for d in self.design.drawings if d.id == ref), None)

    def skin(self, ref: str) -> Skin:
        """A skin: the body's, a plane or a cylinder."""
        name = ref.removesuffix("/skin")
        if self.worked.owners.get(name) == name:
            beside = self.beside(name)
            return (
                CurveSkin(beside.grown()[0].sheet) if beside.body.making else BodySkin(beside._field("the body's skin"))
            )
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
        resolved = self.resolved
        if resolved is None or section.drawing not in self.drawings.solutions:
            raise DesignError(f"the drawing at station '{station.name}' is not solved yet, or stands on this itself")
        n, plane = resolved.of(station.id), self._station_plane(station)
        return part_in_space(self.drawings, section, part, n, plane)

    def sheet(self) -> MadeSheet:
        """The skin from curves that the body is made as. Raises: IsotomonError."""
        return self.worked.once("sheet", self.body.id, lambda: sheet_of(self))

    def grown(self) -> tuple[MadeSheet, int]:
        """The same as its first steps leave it, as long as these work on it as such, and how many they are. Raises: IsotomonError."""
        return self.worked.once("grown", self.body.id, lambda: grown(self, self.sheet()))

    def _body(self, part: str) -> Thing:
        if self.body.making is not None:
            return side_of(self.grown()[0], part, self.called(f"{self.body.id}/{part}"))
        return part_of(self._field(f"body {part}"), part, self.called(f"{self.body.id}/{part}"))

    def _value(self, where: str, value: float | str, kind: str) -> float:
        try:
            return resolve(value, kind, self.names)  # type: ignore[arg-type]
        except QuantityError as error:
            raise QuantityError(f"{where}: {error}") from None

    def _datum(self, datum: Datum) -> Thing:
        try:
            values = [
                self._value(f.title.lower(), v, f.kind) for f, v in zip(datum.recipe.fields, datum.values, strict=True)
            ]
            return CONSTRUCT[datum.kind](self, datum.on, values)
        except IsotomonError as error:
            raise named_error("datum", datum.name, error) from None


class Worked(Graph):
    """A design's graph, with what its bodies see of it."""

    def __init__(self, design: Design) -> None:
        self._grounds: dict[str, Ground] = {}
        self.same: frozenset[str] = frozenset()  # of what is as it was before the edit after which this is, the ids
        called = {"thing": self._called_ref, "field": self._called_shape, "inner field": self._called_shape}
        called |= {"sheet": self._called_shape, "grown": self._called_shape}
        super().__init__(design, called)

    def _called_ref(self, ref: str) -> str:
        return self.ground(self.design.bodies[0].id).called(ref)

    def _called_shape(self, body: str) -> str:
        return f"the shape of {self.design.body(body).name}"

    @cached_property
    def owners(self) -> dict[str, str]:
        """Body or station → the body it belongs to."""
        return {key: b.id for b in self.design.bodies for key in (b.id, *(s.id for s in b.stations))}

    @cached_property
    def records(self) -> dict[str, Station | Guide | Drawing | Datum]:
        """Stations, guides, drawings and datums by their ids."""
        d = self.design
        stations = tuple(s for b in d.bodies for s in b.stations)
        return {r.id: r for group in (stations, d.guides, d.drawings, d.datums) for r in group}

    @cached_property
    def things(self) -> Set[str]:
        """The ids of all that can be referred to."""
        return self.owners.keys() | self.records.keys()

    def ground(self, body: str) -> Ground:
        """What a body sees. Raises: DesignError, for one that is gone."""
        if body not in self._grounds:
            self._grounds[body] = Ground(self, self.design.body(body))
        return self._grounds[body]

    def after(self, design: Design) -> Worked:
        """The graph of what an edit has made of the design: it knows of whatever that does not touch what this one knows."""
        made = Worked(design)
        made.same = unchanged(self.design, design)
        made.take_over(self, lasting(self.design, design, made.same))
        return made

    def branch(self, design: Design | None = None) -> Worked:
        """A graph of its own that knows what this one knows, for another thread; or, of another `design`, as much of it as does
        for a look: stations, drawings and bodies as they were."""
        made = Worked(design or self.design)
        made.take_over(self, lambda key, _: design is None or key[0] in KEPT_FOR_A_LOOK)
        return made
