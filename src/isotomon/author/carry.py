"""A loft put on another carrier: its stations keep their places along it as far as they can."""

from __future__ import annotations

import math

from isotomon.design.bodies import change_loft
from isotomon.design.body import Carrying
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.design.station_edits import change_station
from isotomon.errors import DesignError
from isotomon.evaluate.ground import Worked
from isotomon.evaluate.settle import settle
from isotomon.quantity import Value


def carry(design: Design, key: str, to: Carrying) -> Design:
    """A body along another carrier. Onto a path all stations are brought within its length; about an axis they are spread
    by the angles that their positions make at its radius (a quarter turn in all where none is said).

    Raises: DesignError, where there is nothing to be carried along.
    """
    if to.how != "straight" and not to.on:
        what = {"path": "a guide, an edge or a drawn curve", "axis": "an axis", "plane": "a plane"}[to.how]
        raise DesignError(f"choose {what} to carry the loft along first")
    body = design.body(key)
    resolved, _ = settle(design, body)
    places = [n.position for n in resolved.stations]
    first, last = (places[0], places[-1]) if places else (0.0, 1.0)
    if to.how == "axis" and to.radius == 0.0:
        to = replace(to, radius=round(max(last - first, 1.0) / (math.pi / 2.0), 3))
    moved = change_loft(design, key, carrier=to, ring=body.loft.ring and to.how != "straight")
    if to.how in ("straight", "plane"):
        return _positions(moved, {n.station.id: n.position for n in resolved.stations})
    ground = Worked(moved).ground(key)
    length = ground.carrier().length
    if to.how == "axis":
        radius = length / (2.0 * math.pi)
        share = min(1.0, 0.95 * length / max(last - first, 1e-9))
        return _positions(moved, {n.station.id: (n.position - first) * share / radius for n in resolved.stations})
    if first >= 0.0 and last <= length and body.loft.carrier.how != "axis":
        return moved
    reach = length * (len(places) - 1) / max(len(places), 2) if moved.body(key).loft.ring else length
    share = reach / max(last - first, 1e-9)
    return _positions(moved, {n.station.id: (n.position - first) * share for n in resolved.stations})


def _positions(design: Design, values: dict[str, float]) -> Design:
    for key, value in values.items():
        placed: Value = round(value, 6)
        design = change_station(design, key, position=placed, plane="")
    return design
