"""Profiles of other stations as seen from the plane of one, in the coordinates of its drawing."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor

from isotomon.app.theme import Theme, station_colour
from isotomon.errors import IsotomonError
from isotomon.model.records import Drawn
from isotomon.model.resolve import StationNumbers
from isotomon.rebuild.drawn import Drawings, section_shape
from isotomon.rebuild.quick import Quick

Array = NDArray[np.float64]


def ghosts_of(quick: Quick, station: str, drawing: str, theme: Theme) -> list[tuple[str, Array, QColor]]:
    """(name, points (n, 2), colour) of the neighbouring stations' profiles; of the station's own while it is ready-made."""
    if quick.shape is None or not station:
        return []
    numbers = quick.resolved.stations
    index = next((i for i, n in enumerate(numbers) if n.station.id == station), None)
    if index is None:
        return []
    shape, samples = quick.shape, quick.shape.form.samples
    found = []
    own = numbers[index].station.section
    for k in (index - 1, index, index + 1):
        here = k == index
        if not 0 <= k < len(numbers) or (here and isinstance(own, Drawn)):
            continue
        local = samples.value @ shape.sections.local[shape.at_stations[k]]
        points = _to_drawing(local[samples.outline], numbers[index], quick.drawings)
        found.append((numbers[k].station.name, points, station_colour(theme, k / max(len(numbers) - 1, 1))))
    return found


def _to_drawing(points: Array, n: StationNumbers, drawings: Drawings) -> Array:
    """Points in a station's plane → its drawing's own coordinates: offset, turn, size and mirror taken back."""
    c, s = np.cos(n.set_angle), np.sin(n.set_angle)
    flat = (points - np.array(n.offset)) @ np.array([[c, -s], [s, c]])
    section = n.station.section
    if not isinstance(section, Drawn):
        return flat
    try:
        shape = section_shape(drawings.section(section))
    except IsotomonError:
        return flat
    anchor = shape.outline.anchor[:, 0] * shape.width
    flat = flat * (shape.width / n.chord) + np.array([anchor[0] + n.pivot * (anchor[1] - anchor[0]), 0.0])
    return flat * {"": (1.0, 1.0), "x": (1.0, -1.0), "y": (-1.0, 1.0)}[section.mirror]
