"""The form of one station, or of several at once: what is drawn there, how it stands, and the figures of its section."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from isotomon.app.forms.form import Form, Offer, given
from isotomon.app.forms.tables import two_columns
from isotomon.app.forms.wiring import MakeEdit
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates
from isotomon.design import edits, station_edits
from isotomon.design.resolved import StationNumbers, own_position, station_kind
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.evaluate.settle import stand_and_check
from isotomon.field.section_field import SectionField
from isotomon.inspect.results import Quick
from isotomon.measure.skin import plane_area
from isotomon.profile.section import Apex, Elsewhere
from isotomon.profile.section_text import GRAMMAR, parse_section, section_text
from isotomon.quantity import Kind, display, to_unit

VALUES: tuple[tuple[str, str, Kind, str, str], ...] = (
    ("position", "Position", "length", "Where the station's plane stands along the body", ""),
    ("chord", "Chord", "length", "The size: a foil's chord, a circle's diameter, an ellipse's width", "as drawn"),
    ("set_angle", "Set angle", "angle", "Turns the section's X towards Y", ""),
    ("pivot", "Pivot", "ratio", "The fraction of the chord, from the leading point, that sits on the carrier", "usual"),
    ("offset_x", "Offset X", "length", "Moves the section in its plane after turning", ""),
    ("offset_y", "Offset Y", "length", "Moves the section in its plane after turning", ""),
    ("tilt_x", "Tilt X", "angle", "Tilts the plane about X", ""),
    ("tilt_y", "Tilt Y", "angle", "Then tilts it about Y", ""),
)
OWN_PLANES = 3
"""The base planes; where there are no others, a station is seldom to stand on one."""


class StationForm(Form):
    """Edits one station or several through the desk."""

    def __init__(self, desk: Desk, keys: tuple[str, ...]) -> None:
        super().__init__(desk)
        self.keys = keys
        one = len(keys) == 1
        self.text("Station" if one else f"{len(keys)} stations", head=True)
        if one:
            self.name(
                lambda: self._station().name,
                lambda text: lambda d: station_edits.change_station(d, keys[0], name=text),
                "station",
            )
        self.line("Section", self._section_text, self._put_section, f"What is drawn here: {GRAMMAR}")
        self._stands_on()
        if isinstance(self._station().section, Elsewhere):
            self.text("Place, size and angle are those of what it stands on.", soft=True)
        else:
            for name, title, kind, tip, blank in VALUES if one else VALUES[1:]:
                self._value(name, title, kind, tip, blank)
        if one:
            self.text("Figures", group=True)
            self.told(self._figures)
        self.findings(lambda: set(keys))

    def _station(self) -> Station:
        return edits.find(self.desk.held.stations, self.keys[0])

    # What is drawn, and where

    def _section_text(self) -> str:
        return section_text(self._station().section, self.design.outlines, self.design.drawings)

    def _put_section(self, text: str) -> str:
        try:
            section = parse_section(text, self.design.outlines, self.design.drawings)
        except IsotomonError as error:
            return str(error)
        return self.do("change the section", lambda d: station_edits.put_section(d, self.keys, section))

    def _stands_on(self) -> None:
        if len(self._planes()) <= OWN_PLANES + 1 and not self._station().plane:
            return
        self.pick(
            "Stands on",
            self._planes,
            lambda: self._station().plane,
            lambda plane: self.do("stand on a plane", lambda d: stand_and_check(d, self.keys, plane)),
        )

    def _planes(self) -> list[Offer]:
        planes = [("", "Its own position"), *candidates(self.design, "P")]
        planes += [(d.id, f"{d.name} (wrapped)") for d in self.design.datums if d.recipe.makes == "cylinder"]
        points = candidates(self.design, "p") if isinstance(self._station().section, Apex) else []
        return planes + points

    # Its numbers

    def _value(self, name: str, title: str, kind: Kind, tip: str, blank: str) -> None:
        field = self.number(
            name,
            title,
            station_kind(self.desk.held, name),
            lambda: getattr(self._station(), name),
            self._edit(name),
            tip,
            blank=blank,
            worth=lambda: self._worth(name),
        )

        def differ() -> None:
            """Several stations with different values show that they differ."""
            values = {getattr(s, name) for s in self.desk.held.stations if s.id in self.keys}
            if len(values) > 1:
                field.set_value(field.value, field.number, several=True)

        self._refreshers.append(differ)

    def _edit(self, name: str) -> MakeEdit:
        blank = name in ("pivot", "chord")
        return lambda v: (
            lambda d: station_edits.change_stations(
                d, self.keys, lambda s: edits.replace(s, **{name: v if blank else given(v)})
            )
        )

    def _worth(self, name: str) -> float:
        resolved = self.desk.quick.resolved if self.desk.quick is not None else None
        numbers = resolved.get(self.keys[0]) if resolved is not None else None
        if resolved is None or numbers is None:
            return 0.0
        number = _number(numbers, name)
        return own_position(resolved.radius, number) if name == "position" else number

    # Its figures

    def _figures(self) -> str:
        quick = self.desk.quick
        if quick is None or quick.shape is None:
            return "No figures while the body cannot be made."
        row = quick.resolved.row(self.keys[0])
        return two_columns(_figures(quick, row)) if row is not None else ""


def _number(station: StationNumbers, name: str) -> float:
    pair, _, axis = name.partition("_")
    if pair in ("offset", "tilt"):
        return float(getattr(station, pair)["xy".index(axis)])
    return float(getattr(station, name))


def _figures(quick: Quick, index: int) -> list[tuple[str, str]]:
    """(title, figure) of the section at a station; its index among all."""
    assert quick.shape is not None
    row, c, unit = quick.shape.at_stations[index], quick.shape.curves, quick.design.unit
    scale = to_unit(1.0, unit)
    angle, turn = math.degrees(c.set_angle[row]), math.degrees(c.turn[row])
    lines = [
        ("Area", "– (open)" if quick.shape.open else f"{display(float(c.area[row]) * scale**2, 3)} {unit}²"),
        ("Set angle", "– (round)" if math.isnan(angle) else f"{display(angle, 4)}°"),
        ("Turn", "– (point)" if math.isnan(turn) else f"{display(turn, 4)}°"),
        ("Twist rate", f"{display(math.degrees(float(c.twist_rate[row])) * 1000, 3)} °/m"),
    ]
    if quick.shape.field.wrap is not None and quick.full is not None:
        flat = _area_in_plane(quick.shape.field, float(quick.shape.field.nodes[index]))
        text = "– (it does not cut right through)" if flat is None else f"{display(flat * scale**2, 3)} {unit}²"
        lines.append(("Area in its plane", text))
    if quick.unintended is not None:
        here = math.degrees(float(quick.unintended[index]))
        step = here - math.degrees(float(quick.unintended[max(index - 1, 0)]))
        lines.append(("Turn by ties", f"{display(here, 3)}° ({step:+.3g}° from the last)"))
    return lines + (_full_figures(quick, index) if quick.full is not None else [])


def _full_figures(quick: Quick, index: int) -> list[tuple[str, str]]:
    """(title, figure) of what is measured at rest only."""
    assert quick.shape is not None and quick.full is not None
    m, e, row = quick.full.moments, quick.full.extents, quick.shape.at_stations[index]
    unit, scale = quick.design.unit, to_unit(1.0, quick.design.unit)
    second = () if quick.shape.open else (("I max", m.i_max), ("I min", m.i_min))
    return [
        ("Perimeter", f"{display(float(m.perimeter[row]) * scale, 3)} {unit}"),
        ("Thickness", f"{display(float(e.thickness[index]) * scale, 3)} {unit}"),
        ("Widest", f"{display(float(e.caliper[index]) * scale, 3)} {unit}"),
        *((name, f"{float(values[row]) * scale**4:.5g} {unit}⁴") for name, values in second),
        ("Centroid", ", ".join(display(float(x) * scale, 2) for x in m.centroid[row])),
    ]


@lru_cache(maxsize=16)
def _area_in_plane(field: SectionField, position: float) -> float | None:
    return plane_area(field, np.array([0.0, 0.0, 1.0]), position)
