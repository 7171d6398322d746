"""Where stations stand: on their own positions, on datum planes, or wrapped on cylinders."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from isotomon.design.resolve import resolve_body
from isotomon.design.resolved import Resolved
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.drawn import Trouble
from isotomon.evaluate.sources import Sources
from isotomon.geometry.datums import Cylinder, Frame, tilts_of
from isotomon.profile.section import Apex

STAYS = "; it stands where it stood"


def stand(ground: Sources) -> tuple[Resolved, list[Trouble]]:
    """The numbers of the stations of the body in hand, and what is wrong with the planes they stand on.

    Raises: IsotomonError, for numbers that cannot be worked out.
    """
    body = ground.body
    troubles: list[Trouble] = []
    placed: dict[str, tuple[float, float, float]] = {}
    aside: dict[str, tuple[float, float]] = {}
    wrap: tuple[float, float, float] | None = None
    for station in body.stations:
        if station.plane:
            try:
                if body.loft.carrier.how != "straight":
                    raise DesignError("only a loft carried straight has stations on datum planes")
                thing = ground.get(station.plane)
                if isinstance(thing, Cylinder):
                    axis = wrap_axis(thing)
                    if wrap is not None and not np.allclose(axis, wrap, atol=1e-6):
                        raise DesignError("its cylinder has another axis than those of the other stations")
                    wrap, placed[station.id] = axis, (axis[2] + thing.radius, 0.0, 0.0)
                elif isinstance(station.section, Apex) and isinstance(thing, np.ndarray | Frame):
                    x, y, z = ground.point(station.plane).tolist()
                    placed[station.id], aside[station.id] = (z, 0.0, 0.0), (x, y)
                else:
                    placed[station.id] = tilts_of(ground.plane(station.plane))
            except IsotomonError as error:
                troubles.append(Trouble(station.id, f"station {station.name}", f"its plane: {error}", STAYS))
    try:
        resolved = replace(resolve_body(ground.design, body, placed), wrap=wrap)
    except DesignError as error:
        if not placed:
            raise
        troubles += [
            Trouble(s.id, f"station {s.name}", f"its plane: {error}", STAYS) for s in body.stations if s.id in placed
        ]
        resolved, aside = resolve_body(ground.design, body), {}
    if aside:
        moved = tuple(replace(n, offset=aside.get(n.station.id, n.offset)) for n in resolved.stations)
        resolved = replace(resolved, stations=moved)
    return resolved, troubles


def wrap_axis(cylinder: Cylinder) -> tuple[float, float, float]:
    """The direction (x, y) of a cylinder's axis, and where it crosses Z, for stations that lie on it.

    Raises: DesignError, when the axis does not cross the body's own squarely.
    """
    way, origin = cylinder.axis.way, cylinder.axis.origin
    square = abs(float(way[2])) < 1e-9
    away = abs(float(origin[0] * way[1] - origin[1] * way[0]))
    if not square or away > 1e-6 * max(cylinder.radius, 1.0):
        raise DesignError("the axis of its cylinder must cross the body's axis (Z) squarely, as a shaft does")
    x, y = (float(way[0]), float(way[1])) if (way[0], way[1]) > (0.0, 0.0) else (-float(way[0]), -float(way[1]))
    return x + 0.0, y + 0.0, float(origin[2])
