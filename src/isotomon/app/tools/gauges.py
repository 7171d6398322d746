"""Measures in the window: taken of what is chosen, kept as live figures, a vessel's table written."""

from __future__ import annotations

import math

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.tools.datums import candidates, faces
from isotomon.design import edits
from isotomon.design.bodies import stations_of_all
from isotomon.design.body import Body
from isotomon.design.gauges import GAUGES, Gauge
from isotomon.design.records import Design
from isotomon.inspect.results import Quick, Reading
from isotomon.profile.draw_edits import next_name
from isotomon.quantity import Value, display, to_unit
from isotomon.quantity.record import refs


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


class GaugeTools:
    """The window's measuring tools."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def make(self, kind: str) -> None:
        """A new measure of a kind, of what is chosen; chosen itself, so that its Details take over."""
        desk = self.w.desk
        design = desk.design
        assert design is not None
        recipe = GAUGES[kind]
        values: list[Value] = [f.default for f in recipe.fields]
        if kind == "capacity" and desk.quick is not None and desk.quick.shape is not None:
            field = desk.quick.shape.field
            values[0] = float(f"{field.first + 0.75 * (field.last - field.first):.3g}")
        gauge = Gauge(
            edits.fresh_id(design, "m"),
            next_name((g.name for g in design.gauges), kind),
            kind,  # type: ignore[arg-type]
            refs(*self._filled(design, recipe.on)),
            tuple(values),
            tuple(allowed[0] for _, allowed in recipe.choices),
        )
        if not desk.do(f"measure {recipe.title.lower()}", lambda d: edits.add_gauge(d, gauge)):
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
