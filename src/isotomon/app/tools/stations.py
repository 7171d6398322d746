"""What the tools do: each makes its thing at once from the selection, with good defaults; Details take over."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QFileDialog, QMenu

from isotomon.app.api import Api
from isotomon.app.state.later import read_aside
from isotomon.author.insert import insert_station
from isotomon.design import bodies, edits, loft_edits, station_edits
from isotomon.design.law import Law, Quality
from isotomon.design.records import Design, Number
from isotomon.design.resolve import resolve_body
from isotomon.design.resolved import StationNumbers
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.exchange.space_points import read_points, section_in_space
from isotomon.exchange.table import read_foil
from isotomon.field.carriers import STRAIGHT
from isotomon.field.section_field import SectionField
from isotomon.geometry.datums import Cylinder, Plane
from isotomon.inspect.results import Quick
from isotomon.profile.draw_edits import next_name
from isotomon.profile.section import (
    Apex,
    BodyEnd,
    Circle,
    Drawn,
    Ellipse,
    FromPoints,
    Naca4,
    OnCurve,
    Polygon,
    Rounded,
    Section,
    Star,
    Superellipse,
)
from isotomon.quantity.record import Ref

READY_MADE: tuple[tuple[str, Section], ...] = (
    ("Circle", Circle()),
    ("Point, rounded off", Apex()),
    ("Point, sharp", Apex(False)),
    ("Ellipse", Ellipse(0.5)),
    ("Rounded rectangle", Rounded(0.6, 0.15)),
    ("Superellipse", Superellipse(0.7, 3.0)),
    ("Polygon", Polygon(6)),
    ("Star", Star(5, 0.5)),
    ("Foil, 12 % thick, symmetric", Naca4("0012")),
    ("Foil, 12 % thick, cambered", Naca4("2412")),
    ("Foil, 18 % thick, blunt trailing edge", Naca4("0018", True)),
)


class Tools:
    """The window's tools. They change the design through the desk only."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def _do(self, title: str, edit: object) -> bool:
        return not self.w.desk.do(title, edit)  # type: ignore[arg-type]

    def add_number(self) -> None:
        """A new named number, chosen for naming."""
        design = self.w.desk.design
        assert design is not None
        key = edits.fresh_id(design, "n")
        taken = {n.name for n in design.numbers}
        name = next(n for k in range(1, len(taken) + 2) if (n := f"number_{k}") not in taken)
        if self._do("add a number", lambda d: edits.add_number(d, Number(key, name, 100.0, "length"))):
            self.w.desk.select((key,))

    def add_station(self) -> None:
        """A copy of the last station, one bay further on, or on the datum plane that is chosen."""
        desk = self.w.desk
        quick = desk.quick
        if quick is None:
            return
        plane = next((k for k in desk.selection if isinstance(quick.datums.get(k), Plane | Cylinder)), "")
        if plane and quick.resolved.stations:
            self._add_copy(quick.resolved.stations[-1].station.id, 0.0, "add a station on a plane", plane)
            return
        stations = self._stations_now(quick)
        shape = quick.shape.field if quick.shape is not None else None
        if stations and shape is not None and shape.carrier is not STRAIGHT:
            self._add_where_there_is_room(shape)
            return
        if not stations:
            self._add_copy(None, 0.0, "add a station")
            return
        bay = stations[-1].position - stations[-2].position if len(stations) > 1 else max(stations[-1].chord, 10.0)
        self._add_copy(stations[-1].station.id, round(stations[-1].position + bay, 3), "add a station")

    def _stations_now(self, quick: Quick) -> tuple[StationNumbers, ...]:
        """The stations as they are said now: when a key is pressed twice, the results are of what was before still."""
        design, body = self.w.desk.design, self.w.desk.body
        if design is None or body is None or quick.design is design:
            return quick.resolved.stations
        try:
            return resolve_body(design, body).stations
        except IsotomonError:
            return quick.resolved.stations

    def _add_where_there_is_room(self, field: SectionField) -> None:
        """A station beyond the last on a path or about an axis, or, where that has no room, in the widest bay."""
        nodes, last = field.nodes, float(field.nodes[-1])
        reach = field.carrier.length + (float(nodes[0]) if field.carrier.closed else 0.0)
        assert self.w.desk.quick is not None
        if reach - last < 0.02 * field.carrier.length:
            self.insert_middle()
            return
        step = min(last - float(nodes[-2]), (reach - last) / (2.0 if field.carrier.closed else 1.0))
        key = self.w.desk.quick.resolved.stations[-1].station.id
        self._add_copy(key, round(last + step, 3) if step < reach - last else reach, "add a station")

    def _add_copy(self, key: str | None, position: float, title: str, plane: str = "") -> None:
        desk = self.w.desk
        assert desk.design is not None
        new_id = edits.fresh_id(desk.design, "s")
        taken = {s.name for s in desk.held.stations}
        name = next(n for k in range(1, len(taken) + 2) if (n := f"station {k}") not in taken)

        place = self.w.desk.own_position(position)

        def edit(design: Design) -> Design:
            source = station_edits.find_station(design, key) if key else Station(new_id, name, place, Circle(), 100.0)
            copy = edits.replace(source, id=new_id, name=name, position=place, rank=0, plane=plane)
            return station_edits.add_station(design, desk.hand, copy)

        if self._do(title, edit):
            desk.select((new_id,))

    def exchange(self) -> None:
        """Two stations change places: both chosen ones, or the chosen one and the next."""
        quick, chosen = self.w.desk.quick, self.w.desk.selected_stations()
        if quick is None:
            return
        ids = [n.station.id for _, n in quick.resolved.own]
        if not set(chosen) <= {*ids}:  # what is on show is older than what is chosen
            self.w.desk.said.emit("note", "The station is being worked out still; try again in a moment.")
            return
        if len(chosen) == 1:
            chosen = (chosen[0], ids[(ids.index(chosen[0]) + 1) % len(ids)])
        if len(chosen) != 2 or chosen[0] == chosen[1]:
            self.w.desk.said.emit("note", "Choose two stations to exchange, or one that has a next.")
            return
        self._do("exchange two stations", lambda d: loft_edits.exchange(d, *chosen))

    # Bodies

    def new_body(self) -> None:
        """One more body, taken in hand."""
        if self._do("make a body", bodies.add_body):
            self._choose_body()

    def copy_body(self) -> None:
        """A copy of the body in hand, its stations with ids of their own."""
        if self._do("copy the body", lambda d: bodies.copy_body(d, self.w.desk.hand)):
            self._choose_body()

    def _choose_body(self) -> None:
        if self.w.desk.design is not None:
            self.w.desk.select((self.w.desk.hand,))

    def next_body(self) -> None:
        """Take the next body in hand."""
        design = self.w.desk.design
        if design is not None:
            ids = bodies.body_ids(design)
            self.w.desk.select((ids[(ids.index(self.w.desk.hand) + 1) % len(ids)],))

    def extend_body(self) -> None:
        """A body that goes on from the last end of the one in hand, flush with it, and is added to it."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None:
            return
        field = quick.shape.field
        reach = max(float(field.nodes[-1] - field.nodes[-2]), 1.0)
        position, chord = round(field.last + reach, 3), round(0.8 * float(quick.shape.curves.chord[-1]), 3)
        if self._do("go on from the body", lambda d: bodies.go_on(d, self.w.desk.hand, position, chord)):
            self._choose_body()

    def combine(self, how: str) -> None:
        """What the body in hand makes."""
        self._do("combine bodies", lambda d: bodies.combine(d, self.w.desk.hand, how))

    def duplicate(self) -> None:
        """A copy of the chosen station, half a bay further on."""
        quick = self.w.desk.quick
        if quick is None:
            return
        key = self.w.desk.selected_stations()[0]
        places = [n.position for n in quick.resolved.stations]
        index = quick.resolved.row(key)
        if index is None:  # what is on show is older than what is chosen
            return
        here = places[index]
        after = places[index + 1] if index + 1 < len(places) else here + (here - places[index - 1] if index else 100.0)
        self._add_copy(key, round((here + after) / 2.0, 3), "duplicate the station")

    def insert_middle(self) -> None:
        """A station that keeps the shape, after the chosen one, or in the widest bay."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None:
            return
        nodes = quick.shape.field.nodes
        rows = [quick.resolved.row(key) for key in self.w.desk.selected_stations()]
        chosen = [row for row in rows if row is not None and row < len(nodes) - 1]
        bay = chosen[-1] if chosen else int(np.argmax(np.diff(nodes)))
        self.insert_at(float(nodes[bay] + nodes[bay + 1]) / 2.0)

    def insert_at(self, position: float) -> None:
        """A station at a position that keeps the present shape."""
        desk = self.w.desk
        quick = desk.quick
        if quick is None or quick.shape is None or desk.design is None:
            return
        shape = quick.shape
        before = {s.id for s in desk.held.stations}
        position = round(position, 3)
        if self._do("insert a station", lambda d: insert_station(d, shape, position)) and desk.design is not None:
            desk.select(tuple(s.id for s in desk.held.stations if s.id not in before))

    def remove(self) -> None:
        """Take out what is chosen, as one step."""
        desk = self.w.desk
        stations = desk.selected_stations()
        chosen = set(desk.selection)
        assert desk.design is not None
        numbers = [n.id for n in desk.design.numbers if n.id in chosen]
        laws = [law.id for law in desk.held.laws if law.id in chosen]
        drawings = [d.id for d in desk.design.drawings if d.id in chosen]
        datums = [d.id for d in reversed(desk.design.datums) if d.id in chosen]
        guides = [g.id for g in reversed(desk.design.guides) if g.id in chosen]
        gauges = [g.id for g in desk.design.gauges if g.id in chosen]
        gone = [desk.hand] if desk.hand in chosen and desk.others else []

        def edit(design: Design) -> Design:
            design = station_edits.remove_stations(design, stations) if stations else design
            for key in gauges:
                design = edits.remove_gauge(design, key)
            for key in laws:
                design = station_edits.remove_law(design, key)
            for key in guides:
                design = loft_edits.remove_guide(design, key)
            for key in drawings:
                design = edits.remove_drawing(design, key)
            for key in datums:
                design = edits.remove_datum(design, key)
            for key in numbers:
                design = edits.remove_number(design, key)
            for key in gone:
                design = bodies.remove_body(design, key)
            return design

        parts = [
            f"{len(group)} {name}{'s' if len(group) > 1 else ''}"
            for group, name in (
                (stations, "station"),
                (drawings, "drawing"),
                (datums, "datum"),
                (guides, "guide"),
                (numbers, "number"),
                (laws, "law"),
                (gauges, "measure"),
                (gone, "body"),
            )
            if group
        ]
        self._do(f"remove {' and '.join(parts)}", edit)

    def section_menu(self) -> None:
        """The ready-made sections, at the pointer."""
        menu = QMenu(self.w.widget)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for title, section in READY_MADE:
            menu.addAction(title, partial(self.put_section, section))
        design = self.w.desk.design
        for body in self.w.desk.others:
            for end in (BodyEnd(Ref(body.id), "first"), BodyEnd(Ref(body.id), "last")):
                menu.addAction(f"The {end.which} end of {body.name}", partial(self.put_section, end))
        for guide in design.guides if design is not None else ():
            menu.addAction(f"The flat curve {guide.name}", partial(self.put_section, OnCurve(Ref(guide.id))))
        menu.popup(QCursor.pos())

    def put_section(self, section: Section) -> None:
        """Another section for the chosen stations."""
        keys = self.w.desk.selected_stations()
        self._do(
            "change the section",
            lambda d: station_edits.change_stations(d, keys, lambda s: edits.replace(s, section=section, pivot=None)),
        )

    def ask_foil(self) -> None:
        """Choose a coordinate file for the chosen stations."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget, "Foil coordinates", str(Path.cwd()), "Coordinates (*.dat *.txt *.csv);;All files (*)"
        )
        if name:
            self.put_foil(Path(name))

    def put_foil(self, path: Path) -> None:
        """A foil from a file, for the chosen stations."""
        desk = self.w.desk
        assert desk.design is not None
        keys, key = desk.selected_stations(), edits.fresh_id(desk.design, "o")
        try:
            outline = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_foil(path, key, path.name))
        except IsotomonError as error:
            desk.said.emit("error", f"{error}. Nothing was changed.")
            return

        def edit(design: Design) -> Design:
            same = next((o for o in design.outlines if o.points == outline.points), None)
            design = design if same else edits.add_outline(design, outline)
            return station_edits.change_stations(
                design, keys, lambda s: edits.replace(s, section=FromPoints(Ref(same.id if same else key)), pivot=None)
            )

        self._do(f"foil from {path.name}", edit)

    def ask_space(self) -> None:
        """Choose a file of points in space for a new station."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget, "Points in space", str(Path.cwd()), "Coordinates (*.xyz *.txt *.csv *.dat);;All files (*)"
        )
        if name:
            self.put_space(Path(name))

    def put_space(self, path: Path) -> None:
        """A station with the section through a file's points, in the plane fitted to them."""
        desk = self.w.desk
        assert desk.design is not None
        design = desk.design
        name = next_name((d.name for d in design.drawings), path.stem[:40] or "section")
        try:
            unit = design.unit
            points = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_points(path, unit))
            found = section_in_space(points, name)
        except IsotomonError as error:
            desk.said.emit("error", f"{error}. Nothing was changed.")
            return
        key, drawing = edits.fresh_id(design, "s"), edits.replace(found.drawing, id=edits.fresh_id(design, "g"))
        station = Station(
            key, name, found.position, Drawn(Ref(drawing.id)), None, tilt_x=found.tilt_x, tilt_y=found.tilt_y
        )
        made = self._do(
            f"section from {path.name}",
            lambda d: station_edits.add_station(edits.add_drawing(d, drawing), desk.hand, station),
        )
        if made:
            desk.select((key,))
            desk.said.emit("", f"{path.name}: the points lie within {found.off:.3g} mm of the plane fitted to them.")

    def look_at(self) -> None:
        """Look straight at the chosen station."""
        self.w.view.look_at_station(self.w.desk.selected_stations()[0])

    def set_ruled(self, ruled: bool) -> None:
        """Smooth or straight rulings."""
        self._do(
            "straight rulings" if ruled else "smooth loft",
            lambda d: bodies.change_loft(d, self.w.desk.hand, ruled=ruled),
        )

    def add_law(self, quality: Quality) -> None:
        """A law that intends what the body has now at its stations; the band is the usual one."""
        desk = self.w.desk
        quick = desk.quick
        if quick is None or quick.shape is None or desk.design is None:
            return
        points = quick.law_points(quality)
        if not points:
            desk.said.emit("error", "All sections are round, so there is no set angle to intend.")
            return
        band = {"area": 0.01, "thickness": 0.02, "twist_rate": math.radians(1.0) / 1000.0}.get(
            quality, math.radians(0.5)
        )
        key = edits.fresh_id(desk.design, "law")
        law = Law(
            key, quality.replace("_", " "), quality, band, relative=quality in ("area", "thickness"), points=points
        )
        if self._do(f"add a law for the {law.name}", lambda d: station_edits.add_law(d, desk.hand, law)):
            desk.select((key,))

    def next_look(self) -> None:
        """Shaded, see-through, lines, and round again."""
        looks = ("shaded", "see-through", "lines")
        self.w.view.set_look(looks[(looks.index(self.w.view.look) + 1) % 3])
