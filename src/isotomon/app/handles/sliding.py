"""The place on a station's profile that is seen nearest to the pointer."""

from __future__ import annotations

import numpy as np

from isotomon.app.api import Api
from isotomon.arrays import Array
from isotomon.design import edits

SNAP_PIXELS = 9.0
"""A corner this near is meant."""


def slide(api: Api, station: str, now: Array) -> tuple[float, str] | None:
    """(share of the arc length, the corner if one is near) of a station's profile nearest to a pixel."""
    view, ground, quick = api.view, api.desk.ground(), api.desk.quick
    if ground is None or quick is None:
        return None
    stand = ground.profile(edits.find(quick.body.stations, station))
    share = np.arange(1441) / 1440.0
    points = stand.in_space(stand.outline.points(share * stand.outline.length))
    seen = view.camera.project(points, view.width(), view.height())
    best = float(share[int(np.linalg.norm(seen - now, axis=1).argmin())])
    corners = stand.outline.corner_lengths()
    if len(corners):
        places = view.camera.project(stand.in_space(stand.outline.points(corners)), view.width(), view.height())
        away = np.linalg.norm(places - now, axis=1)
        if away.min() < SNAP_PIXELS:
            k = int(away.argmin())
            return float(corners[k] / stand.outline.length), stand.outline.corner_names[k]
    return best % 1.0, ""
