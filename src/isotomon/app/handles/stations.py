"""Handles of the chosen station in the View: a profile is moved, turned and tilted in space by hand."""

from __future__ import annotations

import numpy as np

from isotomon.app.api import Api
from isotomon.app.viewport.handles import Handle, Look
from isotomon.arrays import Array
from isotomon.design import station_edits
from isotomon.design.records import Design
from isotomon.design.resolved import StationNumbers
from isotomon.field.carriers import STRAIGHT, Carrier, tilted

HANDLES: dict[str, tuple[str, tuple[str, ...], Look, str]] = {
    "move": ("move", ("offset_x", "offset_y"), "ring", "move the profile in its plane"),
    "turn": ("turn", ("set_angle",), "hub", "turn it"),
    "tilt_x": ("tilt about X", ("tilt_x",), "flat", "tilt it about X"),
    "tilt_y": ("tilt about Y", ("tilt_y",), "tall", "tilt it about Y"),
}
"""What each does, in an edit's title; the fields it changes; its look; and what it does in words."""


def values_of(n: StationNumbers) -> dict[str, float]:
    """The numbers that handles change: mm and rad."""
    return {
        "offset_x": n.offset[0],
        "offset_y": n.offset[1],
        "set_angle": n.set_angle,
        "tilt_x": n.tilt[0],
        "tilt_y": n.tilt[1],
    }


def handle_place(name: str, n: StationNumbers, values: dict[str, float], carrier: Carrier = STRAIGHT) -> Array:
    """(3,) where a handle stands: on the pivot, at the profile's +X side, above it and at its -X side."""
    reach = 0.62 * n.chord
    c, s = np.cos(values["set_angle"]), np.sin(values["set_angle"])
    local = {
        "move": (0.0, 0.0),
        "turn": (1.15 * reach * c, 1.15 * reach * s),
        "tilt_x": (0.0, reach),
        "tilt_y": (-reach, 0.0),
    }[name]
    x, y = local[0] + values["offset_x"], local[1] + values["offset_y"]
    tilt = np.array([[values["tilt_x"], values["tilt_y"]]])
    f = tilted(carrier.frames(np.array([n.position])), np.ones(1), tilt, np.zeros_like(tilt))
    return np.asarray(f.origin[0] + x * f.across[0] + y * f.up[0])


class StationHandles:
    """Turns a pull on a handle into numbers; the View only knows places and pixels."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._begun: tuple[str, dict[str, float], StationNumbers] | None = None

    def _carrier(self) -> Carrier:
        shape = self.w.desk.quick.shape if self.w.desk.quick is not None else None
        return shape.field.carrier if shape is not None else STRAIGHT

    def places(self) -> dict[str, Handle]:
        """Those of a station, while one station is chosen whose profile is there."""
        desk = self.w.desk
        chosen = desk.selected_stations()
        if desk.quick is None or len(chosen) != 1 or len(desk.selection) != 1:
            return {}
        n = next((n for _, n in desk.quick.resolved.own if n.station.id == chosen[0]), None)
        if n is None or np.isnan(n.chord):
            return {}
        carrier, values = self._carrier(), values_of(n)
        return {
            name: Handle(desk.quick.stood(handle_place(name, n, values, carrier)), look, words, "station")
            for name, (_, _, look, words) in HANDLES.items()
            if not (name.startswith("tilt") and n.station.plane)
        }

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A handle dragged from one pixel to another: its fields follow, seen at once."""
        desk, view = self.w.desk, self.w.view
        title, fields, _, _ = HANDLES[name]
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
            self._begun = (chosen[0], values_of(n), n)
        key, values, n = self._begun
        steps = {f: 1e-3 * n.chord if f.startswith("offset") else 1e-3 for f in fields}
        carrier = self._carrier()
        places = [handle_place(name, n, values, carrier)] + [
            handle_place(name, n, {**values, f: values[f] + steps[f]}, carrier) for f in fields
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

    def release(self) -> None:
        """The pull is over."""
        self._begun = None


def _round(value: float, field: str) -> float:
    """Hundredths of a millimetre, or of a degree."""
    if field.startswith("offset"):
        return round(value, 2)
    return float(np.radians(round(float(np.degrees(value)), 2)))
