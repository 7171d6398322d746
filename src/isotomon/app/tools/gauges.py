"""Measures in the window: taken of what is chosen, kept as live figures, a vessel's table written."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QComboBox, QFileDialog, QLabel, QLineEdit, QPushButton, QWidget

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates, faces
from isotomon.design import edits
from isotomon.design.bodies import stations_of_all
from isotomon.design.body import Body
from isotomon.design.disk import write_atomically
from isotomon.design.gauges import GAUGES, Gauge
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.inspect.gauges import capacity_table
from isotomon.inspect.results import Quick, Reading
from isotomon.profile.draw_edits import next_name
from isotomon.quantity import Value, display, resolve, to_unit

_SLOTS = {"p": "Near", "*": "Of", "D": "Of", "c": "Curve", "B": "Body", "P": "Plane", "A": "Up along", "G": "Of"}


def gauge_candidates(design: Design, letter: str, body: Body, quick: Quick | None = None) -> list[tuple[str, str]]:
    """(reference, name) of all that a measure can be taken of."""
    bodies = [(b.id, b.name) for b in design.bodies]
    if letter == "B":
        return bodies
    if letter == "*":
        return bodies + [o for one in "pAcPR" for o in candidates(design, one, body, quick)]
    if letter == "G":
        stations = [(s.id, f"Section at {s.name}") for s in stations_of_all(design)]
        curves = [(g.id, g.name) for g in design.guides] + [(d.id, d.name) for d in design.drawings]
        return bodies + faces(quick, flat=False) + faces(quick, others=True, flat=False) + stations + curves
    if letter == "D":
        return [o for one in "PA" for o in candidates(design, one, body, quick)]
    return candidates(design, letter, body, quick)


def reading_lines(reading: Reading | None, unit: str) -> list[tuple[str, str]]:
    """(title, figure with its unit) of a reading."""
    if reading is None:
        return []
    scale = to_unit(1.0, unit)
    shown = {
        "length": lambda v: f"{display(v * scale, 4)} {unit}",
        "area": lambda v: f"{display(v * scale**2, 3)} {unit}²",
        "second": lambda v: f"{v * scale**4:.6g} {unit}⁴",
        "volume": lambda v: f"{display(v * scale**3, 1)} {unit}³",
        "mass": lambda v: f"{v:.6g} kg",
        "inertia": lambda v: f"{v:.6g} kg·mm²" if abs(v) < 1e5 else f"{v * 1e-6:.6g} kg·m²",
        "litres": lambda v: f"{display(v / 1e6, 4)} l",
        "angle": lambda v: f"{display(math.degrees(v), 4)}°",
    }
    return [(title, shown[what](value)) for title, value, what in reading.figures]


class GaugeForm(QWidget):
    """Edits one measure through the desk, and shows what it reads."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__()
        self.desk, self.key = desk, key
        self.fields: dict[str, NumberField] = {}
        column = column_of(self)
        gauge = self._gauge()
        head = QLabel(gauge.way.title)
        head.setProperty("head", True)
        self.name = QLineEdit(gauge.name)
        self.name.setAccessibleName("Name")
        self.name.editingFinished.connect(self._rename)
        column.addWidget(head)
        column.addWidget(titled("Name", self.name))
        self.slots: list[QComboBox] = []
        for k, letter in enumerate(gauge.way.on):
            box = choice(f"{_SLOTS[letter]} {k + 1}")
            box.activated.connect(partial(self._pick, k))
            self.slots.append(box)
            column.addWidget(titled(_SLOTS[letter] if k == 0 or letter not in "*D" else "and", box))
        self.choices: list[QComboBox] = []
        for k, (title, allowed) in enumerate(gauge.way.choices):
            box = choice(title, {word: word.capitalize() for word in allowed})
            box.activated.connect(partial(self._choose, k))
            self.choices.append(box)
            column.addWidget(titled(title, box))
        for k, given in enumerate(gauge.way.fields):
            unit = desk.design.unit if desk.design is not None else "mm"
            field = NumberField(given.title, given.kind, unit if given.kind == "length" else "", given.title)
            if given.title == "Litres":
                field.unit_label.setText("l")
            wire(desk, field, f"change {gauge.name}", partial(self._edit, k))
            self.fields[given.title] = field
            column.addWidget(field)
        self.figures, self.wrong = QLabel(), QLabel()
        for label in (self.figures, self.wrong):
            label.setWordWrap(True)
            column.addWidget(label)
        if gauge.kind == "capacity":
            table = QPushButton("Table of levels…")
            table.setToolTip("Level, volume and wetted area from the floor to the brim, as CSV")
            table.clicked.connect(self.ask_table)
            column.addWidget(table)
        self.refresh()

    def _gauge(self) -> Gauge:
        assert self.desk.design is not None
        return edits.find(self.desk.design.gauges, self.key)

    def _do(self, title: str, **changes: Any) -> None:
        self.desk.do(title, lambda d: edits.change_gauge(d, self.key, **changes))

    def _rename(self) -> None:
        text = self.name.text().strip()
        if text and text != self._gauge().name:
            self._do("rename the measure", name=text)

    def _pick(self, slot: int, row: int) -> None:
        on = list(self._gauge().on)
        on[slot] = self.slots[slot].itemData(row)
        self._do("measure something else", on=tuple(on))

    def _choose(self, k: int, row: int) -> None:
        chosen = list(self._gauge().choices)
        chosen[k] = self.choices[k].itemData(row)
        self._do("measure otherwise", choices=tuple(chosen))

    def _edit(self, k: int, value: Value | None) -> Callable[[Design], Design]:
        values = list(self._gauge().values)
        values[k] = 0.0 if value is None else value
        return lambda d: edits.change_gauge(d, self.key, values=tuple(values))

    def refresh(self) -> None:
        """The measure as it is now, and what it reads."""
        design, quick = self.desk.design, self.desk.quick
        if design is None or all(g.id != self.key for g in design.gauges):
            return
        gauge = self._gauge()
        if not self.name.hasFocus():
            self.name.setText(gauge.name)
        for letter, ref, box in zip(gauge.way.on, gauge.on, self.slots, strict=True):
            box.clear()
            for key, text in gauge_candidates(design, letter, self.desk.held, quick):
                box.addItem(text, key)
            if box.findData(ref) < 0:
                box.addItem(f"{ref} (gone)" if ref else "choose…", ref)
            box.setCurrentIndex(box.findData(ref))
        for word, box in zip(gauge.choices, self.choices, strict=True):
            box.setCurrentIndex(box.findData(word))
        names = quick.resolved.names if quick is not None else {}
        for given, value in zip(gauge.way.fields, gauge.values, strict=True):
            field = self.fields[given.title]
            try:
                field.set_value(value, resolve(value, given.kind, names))
            except ValueError:
                field.set_value(value, float("nan"))
            if gauge.kind == "capacity" and given.title in ("Level", "Litres"):
                field.setVisible((given.title == "Litres") == (gauge.choices[0] == "level"))
        reading = quick.readings.get(self.key) if quick is not None else None
        rows = "".join(
            f"<tr><td style='padding-right:10px'>{a}</td><td align='right'>{b}</td></tr>"
            for a, b in reading_lines(reading, design.unit)
        )
        waits = "" if reading is not None and not reading.waits else "Once the solid is finished…"
        told = "<p>Of the mesh: close, not exact.</p>" if reading is not None and reading.near and rows else ""
        self.figures.setText(f"<table width='100%'>{rows}</table>{told}" if rows else waits)
        self.wrong.setText(f"▲ {reading.wrong}" if reading is not None and reading.wrong else "")
        self.wrong.setVisible(bool(self.wrong.text()))

    def ask_table(self) -> None:
        """Ask where the table of levels goes, and write it."""
        name, _ = QFileDialog.getSaveFileName(self, "Table of levels", f"{self._gauge().name}.csv", "CSV (*.csv)")
        if name:
            self.write_table(Path(name))

    def write_table(self, path: Path) -> None:
        """Write level, volume and wetted area from the floor to the brim."""
        assert self.desk.quick is not None
        try:
            write_atomically(path, capacity_table(self.desk.quick, self._gauge()).encode())
        except IsotomonError as error:
            self.desk.said.emit("error", f"{error}. Nothing was written.")
            return
        self.desk.said.emit("", f"Written: {path}")


class GaugeTools:
    """The window's measuring tools."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def make(self, kind: str) -> None:
        """A new measure of a kind, of what is chosen; chosen itself, so that its Details take over."""
        desk = self.w.desk
        design = desk.design
        assert design is not None
        way = GAUGES[kind]
        values: list[Value] = [f.default for f in way.fields]
        if kind == "capacity" and desk.quick is not None and desk.quick.shape is not None:
            field = desk.quick.shape.field
            values[0] = float(f"{field.first + 0.75 * (field.last - field.first):.3g}")
        gauge = Gauge(
            edits.fresh_id(design, "m"),
            next_name((g.name for g in design.gauges), kind),
            kind,  # type: ignore[arg-type]
            self._filled(design, way.on),
            tuple(values),
            tuple(allowed[0] for _, allowed in way.choices),
        )
        if not desk.do(f"measure {way.title.lower()}", lambda d: edits.add_gauge(d, gauge)):
            desk.select((gauge.id,))

    def _filled(self, design: Design, letters: str) -> tuple[str, ...]:
        used: list[str] = []
        for letter in letters:
            refs = [ref for ref, _ in gauge_candidates(design, letter, self.w.desk.held, self.w.desk.quick)]
            usual = {"B": self.w.desk.hand, "A": "z", "P": "xy"}.get(letter, "")
            chosen = [k for k in self.w.desk.selection if k in refs and k not in used]
            rest = [r for r in (usual, *refs) if r in refs and r not in used]
            used.append((chosen or rest or [""])[0])
        return tuple(used)


_TIPS = {
    "distance": "How far two things lie apart: bodies, curves, points, planes, axes; where they come nearest is shown",
    "angle": "Between planes, axes and straight edges",
    "length": "Of a guide, profile or edge",
    "radius": "Of a circle, or the least radius of any curve",
    "thickness": "Through a body, square to its skin, where that is nearest to a point",
    "area": "Of a face or end of a body, its whole surface, a section, or a flat closed curve",
    "body": "Volume, surface, mass, centre and inertia of a body as it is finished",
    "section": "Area, centroid and second moments where a plane cuts a body",
    "capacity": "What a vessel holds to a level, or the level for a volume; wetted area",
}


def _command(kind: str) -> Command:
    title = f"Measure: {GAUGES[kind].title.lower()}"
    return Command(
        f"measure-{kind}",
        title,
        lambda w: w.gauges.make(kind),
        "",
        "Check",
        "",
        _TIPS[kind],
        needs_design,
        None,
        "Measure",
    )


GAUGE_COMMANDS: tuple[Command, ...] = tuple(_command(kind) for kind in GAUGES)
