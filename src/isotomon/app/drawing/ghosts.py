"""Profiles of other stations as seen from the plane of one, in the coordinates of its drawing."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor

from isotomon.app.theme import Theme, station_colour
from isotomon.model.records import Drawn
from isotomon.rebuild.drawn import to_drawing
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
        section = quick.drawings.section(own) if isinstance(own, Drawn) else None
        points = to_drawing(local[samples.outline], numbers[index], section)
        found.append((numbers[k].station.name, points, station_colour(theme, k / max(len(numbers) - 1, 1))))
    return found
