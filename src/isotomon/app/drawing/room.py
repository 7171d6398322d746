"""The profile editor in the window: opening and leaving it, its tools as commands, drawings on stations."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QFileDialog, QMenu

from isotomon.app.api import Api
from isotomon.app.drawing.editor import DrawingEditor
from isotomon.app.drawing.panel import DrawingPanel
from isotomon.app.drawing.pens import BY_ID as DRAW_TOOLS
from isotomon.app.drawing.picks import BY_ID as PICK_TOOLS
from isotomon.app.drawing.ties import tie_chosen
from isotomon.app.middle import Middle
from isotomon.app.state.later import read_aside
from isotomon.app.tools.datums import candidates
from isotomon.design import edits, station_edits
from isotomon.design.bodies import stations_of_all
from isotomon.design.datums import BASE_PLANES, BUILT_IN_NAMES
from isotomon.design.records import Design
from isotomon.design.station_edits import find_station
from isotomon.errors import IsotomonError
from isotomon.exchange.drawing_files import read_drawing, write_drawing
from isotomon.profile import draw_edits
from isotomon.profile.drawing import Arc, Drawing, Line, replace
from isotomon.profile.readymade import outline_of
from isotomon.profile.relate import TITLES, groups_for
from isotomon.profile.section import Drawn, Section
from isotomon.profile.shapes import from_outline
from isotomon.quantity.record import Ref


def bring_parts(pen: draw_edits.Pen, source: Drawing, station: str, part: str) -> None:
    """A point, a part or (`*`) all lines, arcs and circles' centres of a station's drawing, each point following its own."""
    keys: dict[str, str] = {}

    def follow(key: str) -> str:
        if key not in keys:
            keys[key] = pen.point(0.0, 0.0, f"{station}/{source.id}.{key}")
        return keys[key]

    if any(p.id == part for p in source.points):
        follow(part)
    for p in source.parts:
        if part not in ("*", p.id):
            continue
        if isinstance(p, Line):
            pen.line(follow(p.a), follow(p.b), "construction")
        elif isinstance(p, Arc):
            pen.arc(follow(p.centre), follow(p.a), follow(p.b), "construction")
        else:
            for key in draw_edits.part_points(p):
                follow(key)


class DrawingRoom:
    """Knows the window; the canvas and the panel know only the desk."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self.editor: DrawingEditor = DrawingEditor(api.desk, api.theme)
        self.panel: DrawingPanel = DrawingPanel(self.editor)
        self.middle = Middle(api, self.editor, self.panel)
        self.editor.closed.connect(self.leave)
        api.desk.session_changed.connect(self.leave)
        self.editor.changed.connect(api.refresh_commands)
        self.editor.hinted.connect(lambda text: api.say("", text))

    @property
    def editing(self) -> bool:
        """Whether the canvas stands in the View's place."""
        return self.middle.shown

    # Opening and leaving

    def open(self, key: str) -> None:
        """The drawing of a station, or one by itself; nothing for what is neither."""
        design = self.w.desk.design
        if design is not None and any(s.id == key for s in stations_of_all(design)):
            self.w.desk.select((key,))
            self.open_station(key)
        elif design is not None and any(d.id == key for d in design.drawings):
            self.open_drawing(key)

    def open_station(self, key: str) -> None:
        """Draw the section of a station: its drawing, or a new one that will take the ready-made section's place."""
        design = self.w.desk.design
        if design is None:
            return
        station = find_station(design, key)
        if isinstance(station.section, Drawn):
            self._show(lambda: self.editor.open(station.section.drawing, key))  # type: ignore[union-attr]
        else:
            name = draw_edits.next_name((d.name for d in design.drawings), f"{station.name} section")
            self._show(lambda: self.editor.begin(Drawing(edits.fresh_id(design, "g"), name), key))

    def open_chosen(self) -> None:
        """Draw at the chosen station, in the chosen drawing, or on the chosen datum plane."""
        desk = self.w.desk
        design = desk.design
        assert design is not None
        key = desk.selection[0] if desk.selection else "xy"
        if any(s.id == key for s in stations_of_all(design)):
            self.open_station(key)
        elif any(d.id == key for d in design.drawings):
            self.open_drawing(key)
        else:
            plane = BUILT_IN_NAMES[key] if key in BASE_PLANES else edits.find(design.datums, key).name
            name = draw_edits.next_name((d.name for d in design.drawings), f"on {plane}")
            self._show(lambda: self.editor.begin(Drawing(edits.fresh_id(design, "g"), name, plane=Ref(key)), ""))

    def open_drawing(self, key: str) -> None:
        """Draw a drawing, seen from the first station it stands at."""
        design = self.w.desk.design
        if design is not None:
            users = edits.drawing_users(design, key)
            self._show(lambda: self.editor.open(key, users[0].id if users else ""))

    def _show(self, begin: Callable[[], None]) -> None:
        self.middle.show()
        begin()
        self.w.set_stage("Draw")

    def leave(self) -> None:
        """Back to the View."""
        if not self.editing:
            return
        w, drawn, station = self.w, self.editor.key, self.editor.station
        self.editor.use(None)
        self.editor.key = ""
        # What was drawn is what the next tool takes.
        design = w.desk.design
        if design is not None and any(d.id == drawn for d in design.drawings):
            w.desk.select((station or drawn,))
        self.middle.leave()
        w.say("", "")
        w.set_stage(w.stage)

    # Tools

    def use(self, key: str) -> None:
        """Take a tool in hand; again: put it down."""
        tool = DRAW_TOOLS.get(key) or PICK_TOOLS[key]
        self.editor.use(None if self.editor.tool is tool else tool)

    def holds(self, key: str) -> bool:
        """Whether a tool is in hand."""
        return self.editor.tool is not None and self.editor.tool.id == key

    def tie_reason(self, kind: str) -> str:
        """Why a constraint cannot be made now; empty: it can."""
        if not self.editing:
            return "Open a drawing first"
        fits = groups_for(self.editor.drawing, kind, self.editor.selection)
        return "" if fits else f"Choose what is to be {TITLES[kind].lower()} first"

    def tie(self, kind: str) -> None:
        """Make a constraint of what is chosen."""
        tie_chosen(self.editor, kind)

    def copy(self) -> None:
        """Keep what is chosen for pasting, also into another drawing."""
        self.editor.clipboard = (self.editor.drawing, self.editor.selection)

    def paste(self) -> None:
        """What was copied, a little aside of where it was; chosen, so that it can be moved on."""
        kept = self.editor.clipboard
        if kept is None:
            return
        source, keys = kept
        aside = 20.0 * self.editor.per_pixel if source.id == self.editor.key else 0.0
        made: list[tuple[str, ...]] = []

        def change(drawing: Drawing) -> Drawing:
            done, ids = draw_edits.copy_into(drawing, source, keys, (aside, -aside))
            made.append(ids)
            return done

        if not self.editor.commit("paste", change) and made:
            self.editor.choose(made[-1])

    def choose_all(self) -> None:
        """Every part and point."""
        d = self.editor.drawing
        self.editor.choose((*(p.id for p in d.parts), *(p.id for p in d.points)))

    def toggle(self, what: str) -> None:
        """Grid or ghosts shown or not."""
        setattr(self.editor, what, not getattr(self.editor, what))
        self.editor.update()

    def bring_menu(self) -> None:
        """What can be brought into the drawing and stays in step: datums, and drawings at other stations."""
        menu = QMenu(self.w.widget)
        design, here = self.editor.design, self.editor.station
        groups: dict[str, list[tuple[str, str]]] = {}
        for letter in "pAP":
            for ref, name in candidates(design, letter):
                groups.setdefault("Datums", []).append((ref, name))
        for s in stations_of_all(design):
            if isinstance(s.section, Drawn) and s.id != here and s.section.drawing != self.editor.key:
                drawing = edits.find(design.drawings, s.section.drawing)
                own = f"{s.id}/{drawing.id}."
                groups[s.name] = [(f"{own}*", "All of its profile")]
                groups[s.name] += [(f"{own}{p.id}", p.id) for p in (*drawing.parts[:25], *drawing.points[:25])]
        for title, entries in groups.items():
            sub = menu.addMenu(title)
            for ref, name in dict.fromkeys(entries):
                sub.addAction(name, lambda r=ref: self.bring_in(r))  # type: ignore[misc]
        menu.popup(QCursor.pos())

    def bring_in(self, ref: str) -> str:
        """Points and lines that follow something elsewhere, as construction geometry; returns what is wrong."""
        design, plane = self.editor.design, self.editor.station or "xy"
        name, part = Ref(ref).thing, Ref(ref).part
        source = next((s for s in stations_of_all(design) if s.id == name), None)

        def change(drawing: Drawing) -> Drawing:
            pen = draw_edits.Pen(replace(drawing, plane=drawing.plane or plane))
            if source is not None and isinstance(source.section, Drawn):
                bring_parts(pen, edits.find(design.drawings, source.section.drawing), name, part.rpartition(".")[2])
            elif any(ref == r for r, _ in candidates(design, "p")):
                pen.point(0.0, 0.0, ref)
            else:
                pen.line(pen.point(0.0, 0.0, f"{ref}:0"), pen.point(1.0, 0.0, f"{ref}:1"), "construction")
            return pen.done()

        return self.editor.commit("bring in a reference", change)

    def toggle_half(self) -> None:
        """Whether a half section is closed by its mirror image."""
        self.editor.commit(
            "close the half section by its mirror image or not", lambda d: replace(d, mirror_half=not d.mirror_half)
        )

    def ready_made_menu(self) -> None:
        """Ready-made sections put on the paper as drawn geometry."""
        from isotomon.app.tools.stations import READY_MADE

        menu = QMenu(self.w.widget)
        for title, section in READY_MADE:
            menu.addAction(title, lambda s=section: self.put_drawn(s))  # type: ignore[misc]
        menu.popup(QCursor.pos())

    def put_drawn(self, section: Section) -> None:
        """A ready-made section as drawn geometry, as wide as the station's chord."""
        quick, width = self.w.desk.quick, 100.0
        if quick is not None:
            here = quick.resolved.get(self.editor.station)
            width = here.chord if here is not None else width
            outlines = {o.id: o for o in quick.design.outlines}
            self.editor.commit(
                "put a ready-made section on the paper", lambda d: from_outline(d, outline_of(section, outlines), width)
            )
            self.editor.fit()

    # Drawings on stations

    def turn_into_drawn(self) -> None:
        """The ready-made section of the chosen station as drawn geometry, opened for drawing."""
        desk = self.w.desk
        key = desk.selected_stations()[0]
        quick = desk.quick
        assert desk.design is not None
        numbers = quick.resolved.get(key) if quick is not None else None
        if quick is None or numbers is None:  # what is on show is older than what is chosen
            desk.said.emit("note", "The station is being worked out still; try again in a moment.")
            return
        section = numbers.station.section
        if not isinstance(section, Drawn):
            outlines = {o.id: o for o in quick.design.outlines}

            def edit(design: Design) -> Design:
                name = draw_edits.next_name((d.name for d in design.drawings), f"{numbers.station.name} section")
                drawing = from_outline(
                    Drawing(edits.fresh_id(design, "g"), name), outline_of(section, outlines), numbers.chord
                )
                design = edits.add_drawing(design, drawing)
                chord = numbers.station.chord if isinstance(numbers.station.chord, str) else None
                return station_edits.change_station(design, key, section=Drawn(Ref(drawing.id)), chord=chord)

            if desk.do("turn the section into a drawing", edit):
                return
        self.open_station(key)

    def own_copy(self) -> None:
        """A copy of the linked drawing for each chosen station."""
        keys = self.w.desk.selected_stations()
        self.w.desk.do("give the station its own drawing", lambda d: station_edits.own_copy(d, keys))

    def link_menu(self, at: QPoint | None = None) -> None:
        """The design's drawings, to put one on all chosen stations."""
        design = self.w.desk.design
        assert design is not None
        menu = QMenu(self.w.widget)
        for drawing in design.drawings:
            menu.addAction(drawing.name, lambda k=drawing.id: self.link(k))  # type: ignore[misc]
        menu.popup(at or QCursor.pos())

    def link(self, key: str) -> None:
        """One drawing on all chosen stations, each with its own size, set angle, place and mirror."""
        keys = self.w.desk.selected_stations()
        self.w.desk.do("put a drawing on stations", lambda d: station_edits.put_section(d, keys, Drawn(Ref(key))))

    def mirror_section(self) -> None:
        """As drawn, mirrored in X, mirrored in Y, and round again."""
        keys = self.w.desk.selected_stations()
        after = {"": "x", "x": "y", "y": ""}

        def change(station):  # type: ignore[no-untyped-def]
            if not isinstance(station.section, Drawn):
                return station
            return edits.replace(station, section=edits.replace(station.section, mirror=after[station.section.mirror]))

        self.w.desk.do("mirror the section", lambda d: station_edits.change_stations(d, keys, change))

    # Files

    def ask_read(self) -> None:
        """Choose a DXF, SVG or coordinate file to put on the paper."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget,
            "Drawing from file",
            str(Path.cwd()),
            "Drawings (*.dxf *.svg *.dat *.txt *.csv);;All files (*)",
        )
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Put a file's lines and curves on the paper."""
        if not self.editing:
            return
        try:
            unit = self.editor.design.unit
            found = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_drawing(path, unit))
        except IsotomonError as error:
            self.w.say("error", f"{error}. Nothing was changed.")
            return
        if not self.editor.commit(
            f"drawing from {path.name}", lambda d: draw_edits.copy_into(d, found.drawing, found.keys)[0]
        ):
            self.editor.fit()
            self.w.say("", f"{path.name}: {found.said}")

    def ask_write(self) -> None:
        """Choose where to write the drawing."""
        name, _ = QFileDialog.getSaveFileName(
            self.w.widget,
            "Write the drawing",
            f"{self.editor.drawing.name}.dxf",
            "DXF (*.dxf);;SVG (*.svg);;Coordinates (*.dat)",
        )
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        """Write the drawing as DXF, SVG or coordinates, by the file's ending."""
        try:
            write_drawing(self.editor.drawing, path)
        except IsotomonError as error:
            self.w.say("error", f"{error}")
            return
        self.w.say("", f"Written: {path}")
