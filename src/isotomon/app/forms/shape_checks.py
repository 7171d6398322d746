"""Details of the checks of shape: what is looked at, and the figures that came of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QPushButton, QWidget

from isotomon.app.board.overlay import table_of
from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.tools.datums import candidates
from isotomon.app.tools.shape_checks import COLOURS
from isotomon.measure.joins import Joint
from isotomon.quantity import display

if TYPE_CHECKING:
    from isotomon.app.tools.shape_checks import ShapeChecks

_PLAIN = {"x": "X", "-x": "−X", "y": "Y", "-y": "−Y", "z": "Z", "-z": "−Z"}
MOST_JOINS = 12


class ShapeForm(QWidget):
    """Chooses what is looked at; follows the checks."""

    def __init__(self, checks: ShapeChecks) -> None:
        super().__init__()
        self.checks = checks
        self.rows: dict[str, QWidget] = {}
        self.column = column_of(self)
        self.colour = self._choice("Colour by", COLOURS, "colour")
        self.pull = self._choice("Pull along", {**_PLAIN, **self._axes()}, "pull")
        self.reference = self._label()
        self.take = QPushButton("Take this shape as reference")
        self.take.clicked.connect(checks.take_reference)
        self.column.addWidget(self.take)
        self.figures = self._label()
        self.side_by_side = self._label()
        self.lamps = self._choice(
            "Light stripes", {"": "None", "z": "Along Z", "x": "Along X", "y": "Along Y"}, "lamps"
        )
        self.count = self._number(
            "Stripes", "ratio", "How many pairs of dark and light all round", lambda v: {"count": round(v)}
        )
        along = {"": "None", "y": "Square to Y", "x": "Square to X", "z": "Square to Z", **self._axes()}
        self.along = self._choice("Section curves", along, "along")
        self.spacing = self._number(
            "Spacing", "length", "Between the planes; nought: about twenty curves", lambda v: {"spacing": v}
        )
        self.joins = self._check("Joins of the faces", "joins")
        self.join_list = self._label()
        self.fair = self._check("Fairness of area and turn", "fair")
        self.fair_text = self._label()
        self.trouble = self._label()
        self.refresh()

    def _axes(self) -> dict[str, str]:
        design = self.checks.w.desk.design
        own = candidates(design, "A") if design is not None else []
        return {ref: f"Along {name}" for ref, name in own if ref not in ("x", "y", "z")}

    def _label(self) -> QLabel:
        label = QLabel()
        label.setWordWrap(True)
        self.column.addWidget(label)
        return label

    def _choice(self, title: str, items: Mapping[str, str], name: str) -> QComboBox:
        box = choice(title, items)
        box.activated.connect(lambda index: self.checks.set(**{name: box.itemData(index)}))
        self.rows[name] = titled(title, box, 92)
        self.column.addWidget(self.rows[name])
        return box

    def _number(self, title: str, kind: str, tip: str, change: Callable[[float], dict[str, object]]) -> NumberField:
        design = self.checks.w.desk.design
        unit = design.unit if design is not None and kind == "length" else ""
        field = NumberField(title, kind, unit, tip)  # type: ignore[arg-type]

        def entered(value: object) -> None:
            wrong = "a plain number is wanted here" if not isinstance(value, float) or value < 0.0 else ""
            field.explain(wrong)
            if not wrong:
                self.checks.set(**change(value))  # type: ignore[arg-type]

        field.entered.connect(entered)
        field.scrubbed.connect(lambda number: entered(max(float(number), 0.0)))
        self.column.addWidget(field)
        return field

    def _check(self, title: str, name: str) -> QCheckBox:
        box = QCheckBox(title)
        box.clicked.connect(lambda on: self.checks.set(**{name: on}))
        self.column.addWidget(box)
        return box

    def refresh(self) -> None:
        """What is wanted now, and the newest figures."""
        wanted, seen = self.checks.wanted, self.checks.seen
        for box, key in ((self.colour, "colour"), (self.pull, "pull"), (self.lamps, "lamps"), (self.along, "along")):
            box.setCurrentIndex(max(box.findData(getattr(wanted, key)), 0))
        self.rows["pull"].setVisible(wanted.colour == "slope")
        self.take.setVisible(wanted.colour == "deviation")
        name = self.checks.reference_name
        _say(self.reference, f"From {name}" if name and wanted.colour == "deviation" else "")
        self.count.setVisible(bool(wanted.lamps))
        self.count.set_value(float(wanted.count), float(wanted.count))
        self.spacing.setVisible(bool(wanted.along))
        self.spacing.set_value(wanted.spacing, wanted.spacing)
        self.joins.setChecked(wanted.joins)
        self.fair.setChecked(wanted.fair)
        body = self.checks.w.desk.body
        names = {s.id: s.name for s in body.stations} if body is not None else {}
        colouring = seen.colouring if seen is not None else None
        lines = []
        if colouring is not None:
            for word, (value, place) in (("Greatest", colouring.greatest), ("Least", colouring.least)):
                lines.append(f"{word} {display(value, 4)} {colouring.unit} at {_place(place)}")
        if seen is not None and seen.lines:
            total = sum(float(np.linalg.norm(np.diff(p, axis=0), axis=1).sum()) for _, p in seen.lines)
            lines.append(f"{len(seen.lines)} section curves, {display(total, 1)} mm in all")
        _say(self.figures, "\n".join(lines))
        _say(self.side_by_side, table_of(list(seen.rows)) if seen is not None and seen.rows else "")
        _say(self.join_list, _join_words(seen.joins, names) if seen is not None and wanted.joins else "")
        _say(self.fair_text, _fair_words(seen.fair) if seen is not None and seen.fair is not None else "")
        _say(self.trouble, f"✕ {seen.trouble}" if seen is not None and seen.trouble else "")
        height = self.column.heightForWidth(max(self.width(), 220))
        if height > 0:
            self.setMinimumHeight(height)


def _say(label: QLabel, text: str) -> None:
    label.setText(text)
    label.setVisible(bool(text))


def _place(place: tuple[float, float, float]) -> str:
    return ", ".join(display(c, 1) for c in place)


def _join_words(joins: tuple[Joint, ...], names: Mapping[str, str]) -> str:
    if not joins:
        return "The skin is one face: it meets nothing."
    lines = []
    for j in joins[:MOST_JOINS]:
        low, high = math.degrees(j.least), math.degrees(j.angle)
        how = (
            f"edge of {low:.3g}° to {high:.3g}°"
            if j.step is None
            else f"smooth, kink {_small(high)}°, curvature step {_small(j.step * 1e3)} 1/m"
        )
        lines.append(f"{_faces(j, names)}: {how}, gap {_small(j.gap)} mm")
    if len(joins) > MOST_JOINS:
        lines.append(f"and {len(joins) - MOST_JOINS} more")
    return "\n".join(lines)


def _small(value: float) -> str:
    """A measured figure; what is only rounding is nought."""
    return "0" if value < 1e-8 else f"{value:.2g}"


def _faces(joint: Joint, names: Mapping[str, str]) -> str:
    """The two faces by their ties and the station they begin at."""
    first, second = (_face(name, names) for name in (joint.first, joint.second))
    if first[1] == second[1]:
        return f"{first[0]} and {second[0]}, from {first[1]}"
    return (
        f"{first[0]} at {second[1]}"
        if first[0] == second[0]
        else f"{first[0]} from {first[1]} and {second[0]} from {second[1]}"
    )


def _face(name: str, names: Mapping[str, str]) -> tuple[str, str]:
    lane, _, rest = name.removeprefix("lane ").partition(" from ")
    station, _, side = rest.partition(" ")
    return f"Face {lane} {side}".strip(), names.get(station, station)


def _fair_words(fair: Mapping[str, np.ndarray]) -> str:
    lines = []
    for name, places in fair.items():
        if not len(places):
            lines.append(f"{name.capitalize()} bends one way all along: fair.")
        else:
            where = ", ".join(display(float(z), 0) for z in places[:8])
            lines.append(
                f"{name.capitalize()} changes its bend {len(places)} time{'s' if len(places) > 1 else ''}, at {where} mm."
            )
    return "\n".join(lines)
