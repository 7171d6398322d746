"""The datums of a design worked out, and what is there in every design."""

from __future__ import annotations

import numpy as np

from isotomon.errors import IsotomonError, text_beside
from isotomon.evaluate.sources import Sources, Thing
from isotomon.geometry.datums import Axis, Frame, Plane

_O, _X, _Y, _Z = np.zeros(3), *np.eye(3)
BASE: dict[str, Thing] = {
    "xy": Plane(_O, _X, _Z),
    "yz": Plane(_O, _Y, _X),
    "zx": Plane(_O, _Z, _Y),
    "x": Axis(_O, _X),
    "y": Axis(_O, _Y),
    "z": Axis(_O, _Z),
    "origin": _O,
    "world": Frame(_O, np.eye(3)),
}
"""What is there in every design: its planes, axes, origin and frame."""


def work_out(ground: Sources) -> tuple[dict[str, Thing], list[tuple[str, str, str]]]:
    """(datums by id, troubles as (id, name, what is wrong)): all that can be worked out, and why the rest cannot."""
    things: dict[str, Thing] = {}
    troubles: list[tuple[str, str, str]] = []
    for datum in ground.design.datums:
        try:
            things[datum.id] = ground.get(datum.id)
        except IsotomonError as error:
            troubles.append((datum.id, datum.name, text_beside("datum", datum.name, error)))
    return things, troubles
