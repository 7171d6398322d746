"""Details: the fields, figures and findings of what is chosen."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.forms.along import AlongForm
from isotomon.app.forms.carrier import CarrierForm
from isotomon.app.forms.choices import choice, titled
from isotomon.app.forms.datum import DatumForm
from isotomon.app.forms.fields import NoteEdit, NumberField
from isotomon.app.forms.guide import GuideForm
from isotomon.app.forms.law import LawForm
from isotomon.app.forms.loft import LoftForm
from isotomon.app.forms.makes import MakesForm
from isotomon.app.forms.mends import MendList
from isotomon.app.forms.shape_checks import ShapeForm
from isotomon.app.forms.steps import StepsForm
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import CHECKS, Desk
from isotomon.app.tools.datums import candidates
from isotomon.app.tools.gauges import GaugeForm
from isotomon.design import bodies, edits, station_edits
from isotomon.design.bodies import tools_of
from isotomon.design.datums import BASE_PLANES, BASE_SHOWN, BUILT_IN_NAMES, construction
from isotomon.design.materials import MATERIALS
from isotomon.design.records import Design, Number
from isotomon.design.resolved import StationNumbers, own_position, station_kind
from isotomon.design.station import Station
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.settle import stand_and_check
from isotomon.field.section_field import SectionField
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.measure.skin import plane_area
from isotomon.profile.section import Apex, Elsewhere
from isotomon.profile.section_text import GRAMMAR, parse_section, section_text
from isotomon.quantity import Kind, Value, display, to_unit
from isotomon.solids.plan import finished_key

_STATION_FIELDS: tuple[tuple[str, str, Kind, str, str], ...] = (
    ("position", "Position", "length", "Where the station's plane stands along the body", ""),
    ("chord", "Chord", "length", "The size: a foil's chord, a circle's diameter, an ellipse's width", "as drawn"),
    ("set_angle", "Set angle", "angle", "Turns the section's X towards Y", ""),
    ("pivot", "Pivot", "ratio", "The fraction of the chord, from the leading point, that sits on the carrier", "usual"),
    ("offset_x", "Offset X", "length", "Moves the section in its plane after turning", ""),
    ("offset_y", "Offset Y", "length", "Moves the section in its plane after turning", ""),
    ("tilt_x", "Tilt X", "angle", "Tilts the plane about X", ""),
    ("tilt_y", "Tilt Y", "angle", "Then tilts it about Y", ""),
)


def _number(station: StationNumbers, field: str) -> float:
    pairs = {
        "offset_x": station.offset[0],
        "offset_y": station.offset[1],
        "tilt_x": station.tilt[0],
        "tilt_y": station.tilt[1],
    }
    return pairs[field] if field in pairs else float(getattr(station, field))


class Details(QScrollArea):
    """Rebuilds its form when other things are chosen; refreshes its values otherwise."""

    def __init__(self, desk: Desk, shape_form: Callable[[], ShapeForm]) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("Details")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.desk, self._shape_form = desk, shape_form
        self._shown: object = None
        self._filling = self._again = False
        self._refreshers: list[Callable[[], None]] = []
        self.fields: dict[str, NumberField] = {}
        desk.selection_changed.connect(self.rebuild)
        desk.design_changed.connect(self.rebuild)
        desk.quick_changed.connect(lambda _: self.refresh())
        desk.solid_changed.connect(self.refresh)
        self.rebuild()

    def rebuild(self) -> None:
        """A new form when what is chosen is of another kind or other things; else only new values."""
        design, body = self.desk.design, self.desk.body
        chosen = self.desk.selection
        shown = (
            design is not None,
            chosen,
            design.unit if design else "",
            tuple(n.kind for n in design.numbers if n.id in chosen) if design else (),
            tuple(len(g.on) for g in design.guides if g.id in chosen) if design else (),
            (body.id, body.loft.carrier.how, len(body.stations) > 1) if body else "",
            tuple(s.id for s in body.stations if s.id in chosen and isinstance(s.section, Elsewhere)) if body else (),
        )
        if shown == self._shown:
            self.refresh()
            return
        if self._filling:  # what changes while a form is being made is taken up once it stands
            self._again = True
            return
        self._filling = True
        try:
            self._show_form(shown, design, chosen)
        finally:
            self._filling = False
        if self._again:
            self._again = False
            self.rebuild()

    def _show_form(self, shown: tuple[object, ...], design: Design | None, chosen: tuple[str, ...]) -> None:
        self._shown, self._refreshers, self.fields = shown, [], {}
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(4)
        if design is not None:
            self._fill(column, design, chosen)
        column.addStretch(1)
        # The change may come from a field of the old page, which must outlive its own signal.
        old = self.takeWidget()
        if old is not None:
            # What it stood for may be gone: leaving its fields must not enter what is typed in them any more.
            for widget in old.findChildren(QWidget):
                widget.blockSignals(True)
            old.hide()
            old.deleteLater()
        self.setWidget(page)
        self.refresh()

    def refresh(self) -> None:
        """New values in the form that stands."""
        if self.desk.design is None:
            return
        for refresher in self._refreshers:
            try:
                refresher()
            except IsotomonError:
                continue

    def _fill(self, column: QVBoxLayout, design: Design, chosen: tuple[str, ...]) -> None:
        stations, body = self.desk.selected_stations(), self.desk.held
        if stations:
            self._station_form(column, stations)
        elif any(n.id in chosen for n in design.numbers):
            self._number_form(column, next(n.id for n in design.numbers if n.id in chosen))
        elif any(law.id in chosen for law in body.laws):
            key = next(law.id for law in body.laws if law.id in chosen)
            form = LawForm(self.desk, key)
            column.addWidget(form)
            self._refreshers.append(form.refresh)
        elif any(d.id in chosen for d in design.datums):
            datum_form = DatumForm(self.desk, next(d.id for d in design.datums if d.id in chosen))
            self.fields = datum_form.fields
            column.addWidget(datum_form)
            self._refreshers.append(datum_form.refresh)
        elif any(g.id in chosen for g in design.guides):
            guide_form = GuideForm(self.desk, next(g.id for g in design.guides if g.id in chosen))
            self.fields = guide_form.fields
            column.addWidget(guide_form)
            self._refreshers.append(guide_form.refresh)
        elif any(g.id in chosen for g in design.gauges):
            gauge_form = GaugeForm(self.desk, next(g.id for g in design.gauges if g.id in chosen))
            self.fields = gauge_form.fields
            column.addWidget(gauge_form)
            self._refreshers.append(gauge_form.refresh)
        elif body.id in chosen:
            self._body_form(column)
        elif any(key in BASE_SHOWN for key in chosen):
            self._base_form(column, next(key for key in chosen if key in BASE_SHOWN))
        elif CHECKS in chosen:
            self._text(column, "Checks of shape", head=True)
            shape_form = self._shape_form()
            column.addWidget(shape_form)
            self._refreshers.append(shape_form.refresh)
        else:
            self._design_form(column)

    # Pieces

    def _text(self, column: QVBoxLayout, text: str = "", **properties: Any) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        for name, value in properties.items():
            label.setProperty(name, value)
        column.addWidget(label)
        return label

    def _line(
        self, column: QVBoxLayout, title: str, get: Callable[[], str], put: Callable[[str], str], tip: str
    ) -> QLineEdit:
        """A text field; `put` returns what is wrong, or nothing."""
        edit, wrong = QLineEdit(), QLabel()
        edit.setToolTip(tip)
        edit.setAccessibleName(title)
        wrong.setWordWrap(True)
        wrong.hide()
        column.addWidget(titled(title, edit))
        column.addWidget(wrong)

        def now() -> str:
            """What it says now; of a thing that is gone, whose form goes next, what stands in the field."""
            try:
                return get()
            except DesignError:
                return edit.text()

        def done() -> None:
            if edit.isModified() and edit.text() != now():
                problem = put(edit.text())
                wrong.setText(f"✕ {problem}. Nothing was changed." if problem else "")
                wrong.setVisible(bool(problem))
                if problem:
                    return
            edit.setModified(False)

        def refresh() -> None:
            if not edit.isModified() and edit.text() != now():
                edit.setText(now())
                wrong.hide()

        edit.editingFinished.connect(done)
        self._refreshers.append(refresh)
        refresh()
        return edit

    def _choice(
        self,
        column: QVBoxLayout,
        title: str,
        items: dict[str, str],
        get: Callable[[], str],
        put: Callable[[str], object],
    ) -> QComboBox:
        box = choice(title, items)
        box.activated.connect(lambda index: put(box.itemData(index)))
        column.addWidget(titled(title, box))
        self._refreshers.append(lambda: box.setCurrentIndex(box.findData(get())))
        return box

    def _field(
        self,
        column: QVBoxLayout,
        key: str,
        field: NumberField,
        title: str,
        edit: Callable[[Value | None], Callable[[Design], Design]],
    ) -> None:
        """A number field wired to the desk; `edit` makes the edit for a value."""
        self.fields[key] = field
        column.addWidget(field)
        wire(self.desk, field, title, edit)

    def _findings(self, column: QVBoxLayout, about: Callable[[], set[str]]) -> None:
        listed = MendList(self.desk)
        column.addWidget(listed)

        def refresh() -> None:
            quick, keys = self.desk.quick, about()
            listed.show_findings([f for f in quick.findings if f.about in keys] if quick is not None else [])

        self._refreshers.append(refresh)

    # Forms

    def _base_form(self, column: QVBoxLayout, key: str) -> None:
        """A plane, axis or the origin that every design has."""
        self._text(column, BUILT_IN_NAMES[key], head=True)
        if key in BASE_PLANES:
            self._text(column, "Drawings, datums, mirrors and cuts can stand on it. Draw on it with F6.")
        elif key == "origin":
            self._text(column, "The point 0, 0, 0. Datums, copies and measures can refer to it.")
        else:
            self._text(column, "Bodies are revolved and copied about it, and move along it.")
        self._text(column, "It is there in every design and cannot be moved or removed.", soft=True)

    def _design_form(self, column: QVBoxLayout) -> None:
        self._text(column, "Design", head=True)
        desk = self.desk
        self._line(
            column,
            "Name",
            lambda: desk.design.name if desk.design else "",
            lambda text: desk.do("rename the design", lambda d: edits.replace(d, name=text)),
            "Also the title of the window",
        )
        self._choice(
            column,
            "Unit",
            {u: u for u in ("mm", "cm", "m", "in")},
            lambda: desk.design.unit if desk.design else "mm",
            lambda unit: desk.do(f"show lengths in {unit}", lambda d: edits.replace(d, unit=unit)),
        )
        field = NumberField(
            "Tolerance",
            "length",
            desk.design.unit if desk.design else "mm",
            "How far the solid's faces may lie from the shape",
        )
        self._refreshers.append(
            lambda: field.set_value(desk.design.tolerance, desk.design.tolerance) if desk.design else None
        )
        self._field(
            column,
            "tolerance",
            field,
            "change the tolerance",
            lambda v: lambda d: edits.replace(d, tolerance=_plain(v)),
        )
        self._text(column, "Note", soft=True)
        note = NoteEdit()
        note.setAccessibleName("Note")
        column.addWidget(note)
        note.left.connect(lambda text: desk.do("change the note", lambda d: edits.replace(d, note=text)))
        self._refreshers.append(
            lambda: (
                note.setPlainText(desk.design.note)
                if desk.design and not note.hasFocus() and note.toPlainText() != desk.design.note
                else None
            )
        )
        self._text(column, "Choose a station, number, law or the body to see and change it here.", soft=True)

    def _station_form(self, column: QVBoxLayout, keys: tuple[str, ...]) -> None:
        desk = self.desk
        one = len(keys) == 1

        def station() -> Station:
            assert desk.design is not None
            return edits.find(desk.held.stations, keys[0])

        self._text(column, "Station" if one else f"{len(keys)} stations", head=True)
        if one:
            self._line(
                column,
                "Name",
                lambda: station().name,
                lambda text: desk.do(
                    "rename the station",
                    lambda d: station_edits.change_station(d, keys[0], name=text.strip() or "station"),
                ),
                "",
            )
        self._line(
            column,
            "Section",
            lambda: section_text(station().section, desk.design.outlines, desk.design.drawings) if desk.design else "",
            lambda text: self._put_section(keys, text),
            f"What is drawn here: {GRAMMAR}",
        )
        assert desk.design is not None
        planes = candidates(desk.design, "P")
        planes += [(d.id, f"{d.name} (wrapped)") for d in desk.design.datums if construction(d).makes == "cylinder"]
        if isinstance(station().section, Apex):
            planes += candidates(desk.design, "p")
        if len(planes) > 3 or station().plane:
            self._choice(
                column,
                "Stands on",
                {"": "Its own position"} | dict(planes),
                lambda: station().plane,
                lambda plane: desk.do("stand on a plane", lambda d: stand_and_check(d, keys, plane)),
            )
        if isinstance(station().section, Elsewhere):
            self._text(column, "Place, size and angle are those of what it stands on.", soft=True)
        for name, title, kind, tip, blank in _STATION_FIELDS:
            if (name == "position" and not one) or isinstance(station().section, Elsewhere):
                continue
            kind = station_kind(desk.held, name)
            unit = desk.design.unit if kind == "length" else "deg" if kind == "angle" else ""
            field = NumberField(title, kind, unit, tip, blank)
            self._refreshers.append(lambda f=field, n=name: self._show_station_value(f, n, keys))  # type: ignore[misc]
            self._field(column, name, field, f"change {title.lower()}", lambda v, n=name: _station_edit(keys, n, v))  # type: ignore[misc]
        if one:
            self._text(column, "Figures", group=True)
            figures = self._text(column)
            self._refreshers.append(lambda: figures.setText(self._station_figures(keys[0])))
        self._findings(column, lambda: set(keys))

    def _put_section(self, keys: tuple[str, ...], text: str) -> str:
        desk = self.desk
        assert desk.design is not None
        try:
            section = parse_section(text, desk.design.outlines, desk.design.drawings)
        except IsotomonError as error:
            return str(error)
        return desk.do(
            "change the section",
            lambda d: station_edits.put_section(d, keys, section),
        )

    def _show_station_value(self, field: NumberField, name: str, keys: tuple[str, ...]) -> None:
        if self.desk.quick is None:
            return
        by_id = {n.station.id: n for n in self.desk.quick.resolved.stations}
        here = [by_id[k] for k in keys if k in by_id]
        if not here:
            return
        values = {getattr(n.station, name) for n in here}
        several = len(values) > 1
        number = _number(here[0], name)
        if name == "position":
            number = own_position(self.desk.quick.resolved.radius, number)
        field.set_value(getattr(here[0].station, name), number, several)

    def _station_figures(self, key: str) -> str:
        quick = self.desk.quick
        if quick is None or quick.shape is None:
            return "No figures while the body cannot be made."
        ids = [n.station.id for n in quick.resolved.stations]
        if key not in ids:
            return ""
        index, unit = ids.index(key), quick.design.unit
        row, c, scale = quick.shape.at_stations[index], quick.shape.curves, to_unit(1.0, unit)
        angle, turn = float(c.set_angle[row]), float(c.turn[row])
        lines = [
            f"Area\t{'– (open)' if quick.shape.open else display(float(c.area[row]) * scale**2, 3) + f' {unit}²'}",
            f"Set angle\t{'– (round)' if math.isnan(angle) else display(math.degrees(angle), 4) + '°'}",
            f"Turn\t{'– (point)' if math.isnan(turn) else display(math.degrees(turn), 4) + '°'}",
            f"Twist rate\t{display(math.degrees(float(c.twist_rate[row])) * 1000, 3)} °/m",
        ]
        if quick.shape.field.wrap is not None and quick.full is not None:
            flat = _area_in_plane(quick.shape.field, float(quick.shape.field.nodes[index]))
            text = "– (it does not cut right through)" if flat is None else f"{display(flat * scale**2, 3)} {unit}²"
            lines.append(f"Area in its plane\t{text}")
        if quick.unintended is not None:
            here = math.degrees(float(quick.unintended[index]))
            step = here - math.degrees(float(quick.unintended[max(index - 1, 0)]))
            lines.append(f"Turn by ties\t{display(here, 3)}° ({step:+.3g}° from the last)")
        if quick.full is not None:
            m, e = quick.full.moments, quick.full.extents
            lines += [
                f"Perimeter\t{display(float(m.perimeter[row]) * scale, 3)} {unit}",
                f"Thickness\t{display(float(e.thickness[index]) * scale, 3)} {unit}",
                f"Widest\t{display(float(e.caliper[index]) * scale, 3)} {unit}",
                *(
                    f"I {name}\t{float(values[row]) * scale**4:.5g} {unit}⁴"
                    for name, values in (("max", m.i_max), ("min", m.i_min))
                    if not quick.shape.open
                ),
                "Centroid\t" + ", ".join(display(float(x) * scale, 2) for x in m.centroid[row]),
            ]
        return _table(lines)

    def _number_form(self, column: QVBoxLayout, key: str) -> None:
        desk = self.desk

        def number() -> Number:
            assert desk.design is not None
            return edits.find(desk.design.numbers, key)

        self._text(column, "Number", head=True)
        self._line(
            column,
            "Name",
            lambda: number().name,
            lambda text: desk.do("rename the number", lambda d: edits.change_number(d, key, name=text.strip())),
            "Formulas that use it follow the new name",
        )
        self._choice(
            column,
            "Kind",
            {"length": "Length", "angle": "Angle", "ratio": "Ratio"},
            lambda: number().kind,
            lambda kind: desk.do("change the number's kind", lambda d: edits.change_number(d, key, kind=kind)),
        )
        assert desk.design is not None
        kind = number().kind
        field = NumberField(
            "Value",
            kind,
            desk.design.unit if kind == "length" else "deg" if kind == "angle" else "",
            "What the name stands for",
        )
        self._refreshers.append(
            lambda: (
                field.set_value(number().value, desk.quick.resolved.names[number().name].value)
                if desk.quick and number().name in desk.quick.resolved.names
                else None
            )
        )
        self._field(
            column,
            "value",
            field,
            f"change {number().name}",
            lambda v: lambda d: edits.change_number(d, key, value=_given(v)),
        )
        self._line(
            column,
            "Note",
            lambda: number().note,
            lambda text: desk.do("change the note", lambda d: edits.change_number(d, key, note=text)),
            "",
        )
        uses = self._text(column, soft=True)
        self._refreshers.append(
            lambda: uses.setText(
                "Used by: " + (", ".join(edits.number_uses(desk.design, number().name)) or "nothing yet")
                if desk.design
                else ""
            )
        )

    def _body_form(self, column: QVBoxLayout) -> None:
        desk = self.desk
        self._text(column, "Body", head=True)
        self._line(
            column,
            "Name",
            lambda: desk.body.name if desk.body is not None else "",
            lambda text: desk.do(
                "rename the body", lambda d: bodies.change_body(d, desk.hand, name=text.strip() or "body")
            ),
            "The name in the STEP file",
        )
        self._choice(
            column,
            "Seen",
            {"shown": "Shown", "see-through": "See-through", "hidden": "Hidden"},
            lambda: desk.body.seen if desk.body is not None else "shown",
            lambda how: desk.do(f"{how} body", lambda d: bodies.change_body(d, desk.hand, seen=how)),
        )
        self._choice(
            column,
            "Colour",
            COLOURS,
            lambda: desk.body.colour if desk.body is not None else "",
            lambda colour: desk.do("colour the body", lambda d: bodies.change_body(d, desk.hand, colour=colour)),
        )
        makes = MakesForm(desk)
        column.addWidget(makes)
        self._refreshers.append(makes.refresh)
        if len(desk.held.stations) > 1:
            self._choice(
                column,
                "Between",
                {"smooth": "Smooth", "ruled": "Straight rulings"},
                lambda: "ruled" if desk.body is not None and desk.body.loft.ruled else "smooth",
                lambda how: desk.do(
                    "smooth or ruled", lambda d: bodies.change_loft(d, desk.hand, ruled=how == "ruled")
                ),
            )
        if not desk.held.file:
            self._shape_forms(column)
        steps_form = StepsForm(desk)
        column.addWidget(steps_form)
        self._refreshers.append(steps_form.refresh)
        self._choice(
            column,
            "Material",
            {"": "not said", **{name: name for name in MATERIALS}},
            lambda: desk.body.material if desk.body is not None else "",
            lambda name: desk.do(
                "choose the material",
                lambda d: bodies.change_body(d, desk.hand, material=name, density=MATERIALS.get(name)),
            ),
        )
        field = NumberField("Density", "ratio", "", "kg/m³; leave blank when the mass is not wanted", "none")
        field.unit_label.setText("kg/m³")
        self._refreshers.append(
            lambda: field.set_value(desk.body.density, desk.body.density or 0.0) if desk.body else None
        )
        self._field(
            column,
            "density",
            field,
            "change the density",
            lambda v: lambda d: bodies.change_body(d, desk.hand, density=None if v is None else _plain(v), material=""),
        )
        self._text(column, "Figures", group=True)
        figures, solid = self._text(column), self._text(column)
        again = QPushButton("Build the solid again")
        again.clicked.connect(desk.rebuild_solid)
        column.addWidget(again)

        def refresh() -> None:
            figures.setText(self._body_figures())
            text, good = solid_state(desk)
            solid.setText(f"{'✓' if good else '…' if desk.building else '▲'} {text}")
            again.setVisible(not good and not desk.building)

        self._refreshers.append(refresh)
        self._findings(column, lambda: {desk.body.id, *(r.id for r in desk.body.loft.rails)} if desk.body else set())

    def _shape_forms(self, column: QVBoxLayout) -> None:
        """How the body in hand is shaped; one that was brought in is as it is."""
        carrier_form, along_form, loft_form = CarrierForm(self.desk), AlongForm(self.desk), LoftForm(self.desk)
        for form in (carrier_form, along_form, loft_form):
            column.addWidget(form)
            self._refreshers.append(form.refresh)
        self.fields |= {"radius": carrier_form.radius, **along_form.fields, **loft_form.fields}

    def _body_figures(self) -> str:
        quick = self.desk.quick
        if quick is not None and quick.body.file:
            file = next((i.name for i in quick.design.imports if i.id == quick.body.file), "gone")
            return f"Brought in from {file}: it has no stations and no laws."
        if quick is None or quick.full is None or quick.shape is None:
            return "…"
        body, unit = quick.full.body, quick.design.unit
        scale = to_unit(1.0, unit)
        lines = [
            *self._finished_figures(quick, scale),
            "Volume\t– (a skin)" if quick.shape.open else f"Volume\t{body.volume * scale**3:,.1f} {unit}³",
            *(
                [f"Of {len(quick.placed)} copies\t{quick.volume * scale**3:,.1f} {unit}³"]
                if len(quick.placed) > 1
                else []
            ),
            f"Surface\t{body.area * scale**2:,.1f} {unit}²",
            "Centre\t" + ", ".join(display(float(x) * scale, 2) for x in body.centre),
            f"Length\t{display((quick.shape.field.last - quick.shape.field.first) * scale, 3)} {unit}",
            f"Turn in all\t{display(math.degrees(quick.shape.curves.turn_in_all), 3)}°",
        ]
        if quick.body.density is not None and not quick.shape.open:
            principal = np.linalg.eigvalsh(body.inertia(quick.body.density))
            lines.append(f"Mass\t{body.mass(quick.body.density):.5g} kg")
            lines.append("Inertia\t" + ", ".join(f"{i * 1e-6:.4g}" for i in principal) + " kg·m²")
        return _table(lines)

    def _finished_figures(self, quick: Quick, scale: float) -> list[str]:
        """Of a body that others are combined with: what it has come to, before what it is shaped as."""
        body, unit = quick.body, quick.design.unit
        built = self.desk.finished.get(body.id) if self.desk.solid_key == finished_key(quick) else None
        if built is None or not tools_of(quick.design, body.id):
            return []
        lines = [f"Finished\t{built.volume * scale**3:,.1f} {unit}³"]
        if body.density is not None:
            lines.append(f"Finished mass\t{built.volume * body.density * 1e-9:.5g} kg")
        return [*lines, "As shaped:\t"]


COLOURS = {
    "": "As usual",
    "#E6DFD3": "Porcelain",
    "#B08D57": "Bronze",
    "#8FA3A8": "Slate",
    "#1F7A6D": "Verdigris",
    "#B9770E": "Ochre",
    "#6B4E71": "Plum",
}


def solid_state(desk: Desk) -> tuple[str, bool]:
    """The state of the solid in words, and whether it is good."""
    quick = desk.quick
    if quick is None or (quick.shape is None and not quick.body.file):
        return "No solid: there is no body yet.", False
    if desk.building:
        return "The solid is being built…", False
    if desk.solid is None or desk.solid_key != finished_key(quick):
        errors = [f for f in quick.findings if f.severity == "error"]
        return (f"No solid: {errors[0].text}" if errors else "The solid is not built."), False
    if isinstance(desk.solid, Built):
        if not desk.solid.pieces:
            words = "valid" if desk.solid.valid else "not valid"
            return f"Skin: {words}, {len(desk.solid.names)} faces, {desk.solid.area:,.1f} mm².", desk.solid.valid
        told = f" Brought in: {'; '.join(desk.solid.told)}." if desk.solid.told else ""
        sound = desk.solid.valid and desk.solid.watertight
        words = "valid, watertight" if sound else "not valid" if not desk.solid.valid else "not watertight"
        pieces = f" in {desk.solid.pieces} pieces" if desk.solid.pieces > 1 else ""
        return f"Solid: {words}{pieces}, {len(desk.solid.names)} faces, {desk.solid.volume:,.1f} mm³.{told}", sound
    return f"No solid: {desk.solid.text}.", False


@lru_cache(maxsize=16)
def _area_in_plane(field: SectionField, position: float) -> float | None:
    return plane_area(field, np.array([0.0, 0.0, 1.0]), position)


def _table(lines: list[str]) -> str:
    cells = "".join(
        f"<tr><td style='padding-right:10px'>{name}</td><td align='right'>{value}</td></tr>"
        for name, value in (line.split("\t") for line in lines)
    )
    return f"<table width='100%'>{cells}</table>"


def _given(value: Value | None) -> Value:
    return 0.0 if value is None else value


def _plain(value: Value | None) -> float:
    if not isinstance(value, float | int):
        raise DesignError("this takes a plain number, not a formula")
    return float(value)


def _station_edit(keys: tuple[str, ...], name: str, value: Value | None) -> Callable[[Design], Design]:
    given = value if name in ("pivot", "chord") else _given(value)
    return lambda d: station_edits.change_stations(d, keys, lambda s: edits.replace(s, **{name: given}))
