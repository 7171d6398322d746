"""Grips of the chosen station in the View: a profile is moved, turned and tilted in space by hand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isotomon.app.api import Api
from isotomon.design import station_edits
from isotomon.design.records import Design
from isotomon.design.resolved import StationNumbers
from isotomon.field.carriers import STRAIGHT, Carrier, tilted

Array = NDArray[np.float64]
GRIPS: dict[str, tuple[str, tuple[str, ...]]] = {
    "move": ("move", ("offset_x", "offset_y")),
    "turn": ("turn", ("set_angle",)),
    "tilt_x": ("tilt about X", ("tilt_x",)),
    "tilt_y": ("tilt about Y", ("tilt_y",)),
}
"""Grip → what it does, in words, and the fields it changes."""


def values_of(n: StationNumbers) -> dict[str, float]:
    """The numbers that grips change: mm and rad."""
    return {
        "offset_x": n.offset[0],
        "offset_y": n.offset[1],
        "set_angle": n.set_angle,
        "tilt_x": n.tilt[0],
        "tilt_y": n.tilt[1],
    }


def grip_place(kind: str, n: StationNumbers, values: dict[str, float], carrier: Carrier = STRAIGHT) -> Array:
    """(3,) where a grip stands: on the pivot, at the profile's +X side, above it and at its -X side."""
    reach = 0.62 * n.chord
    c, s = np.cos(values["set_angle"]), np.sin(values["set_angle"])
    local = {
        "move": (0.0, 0.0),
        "turn": (1.15 * reach * c, 1.15 * reach * s),
        "tilt_x": (0.0, reach),
        "tilt_y": (-reach, 0.0),
    }[kind]
    x, y = local[0] + values["offset_x"], local[1] + values["offset_y"]
    tilt = np.array([[values["tilt_x"], values["tilt_y"]]])
    f = tilted(carrier.frames(np.array([n.position])), np.ones(1), tilt, np.zeros_like(tilt))
    return np.asarray(f.origin[0] + x * f.across[0] + y * f.up[0])


class GripTools:
    """Turns a pull on a grip into numbers; the View only knows places and pixels."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._begun: tuple[str, str, dict[str, float], StationNumbers] | None = None

    def _carrier(self) -> Carrier:
        shape = self.w.desk.quick.shape if self.w.desk.quick is not None else None
        return shape.field.carrier if shape is not None else STRAIGHT

    def grips(self) -> dict[str, Array]:
        """Places of the grips, while one station is chosen."""
        desk = self.w.desk
        chosen = desk.selected_stations()
        if desk.quick is None or len(chosen) != 1 or len(desk.selection) != 1:
            return {}
        n = next((n for _, n in desk.quick.resolved.own if n.station.id == chosen[0]), None)
        if n is None:
            return {}
        return {
            kind: desk.quick.stood(grip_place(kind, n, values_of(n), self._carrier()))
            for kind in GRIPS
            if not (kind.startswith("tilt") and n.station.plane)
        }

    def pull(self, kind: str, start: Array, now: Array) -> None:
        """A grip dragged from one pixel to another: its fields follow, seen at once."""
        desk, view = self.w.desk, self.w.view
        title, fields = GRIPS[kind]
        chosen = desk.selected_stations()
        if desk.quick is None or len(chosen) != 1:
            return
        if self._begun is None:
            n = desk.quick.resolved.get(chosen[0])
            if n is None:  # what is on show is older than what is chosen
                return
            driven = [f for f in fields if isinstance(getattr(n.station, f), str)]
            if driven:
                desk.said.emit("note", f"A formula drives {driven[0].replace('_', ' ')}; change the number behind it.")
                return
            self._begun = (kind, chosen[0], values_of(n), n)
        _, key, values, n = self._begun
        steps = {f: 1e-3 * n.chord if f.startswith("offset") else 1e-3 for f in fields}
        carrier = self._carrier()
        places = [grip_place(kind, n, values, carrier)] + [
            grip_place(kind, n, {**values, f: values[f] + steps[f]}, carrier) for f in fields
        ]
        seen = view.camera.project(desk.quick.stood(np.array(places)), view.width(), view.height())[:, :2]
        slopes = np.array([(p - seen[0]) / steps[f] for p, f in zip(seen[1:], fields, strict=True)]).T
        change = np.linalg.lstsq(slopes, now - start, rcond=1e-3)[0]
        fine = {f: _round(values[f] + float(d), f) for f, d in zip(fields, change, strict=True)}
        limit = np.radians(80.0)
        fine = {f: float(np.clip(v, -limit, limit)) if f.startswith("tilt") else v for f, v in fine.items()}

        def edit(design: Design) -> Design:
            return station_edits.change_station(design, key, **fine)

        desk.preview(f"{title} the station", edit)

    def let_go(self) -> None:
        """The pull is over: it becomes one step."""
        self._begun = None
        self.w.desk.finish_preview()


def _round(value: float, field: str) -> float:
    """Hundredths of a millimetre, or of a degree."""
    if field.startswith("offset"):
        return round(value, 2)
    return float(np.radians(round(float(np.degrees(value)), 2)))
