"""Profiles of other stations as seen from the plane of one, in the coordinates of its drawing."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor

from isotomon.app.theme import Theme, station_colour
from isotomon.arrays import Array
from isotomon.evaluate.drawn import to_drawing
from isotomon.inspect.results import Quick
from isotomon.profile.section import Drawn


def ghosts_of(quick: Quick, station: str, theme: Theme, body: bool) -> list[tuple[str, Array, QColor]]:
    """(name, points (n, 2), colour) of the neighbouring stations' profiles; of the station's own while it is ready-made;
    with `body`, nameless sections all along the body as well.
    """
    if quick.shape is None or not station:
        return []
    numbers = quick.resolved.stations
    index = quick.resolved.row(station)
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
    if body:
        section = quick.drawings.section(own) if isinstance(own, Drawn) else None
        for row in np.unique(np.linspace(0, len(shape.v) - 1, 25).astype(int)).tolist():
            local = samples.value @ shape.sections.local[row]
            faint = QColor(theme.hairline)
            found.append(("", to_drawing(local[samples.outline], numbers[index], section), faint))
    return found
