"""Drawings as the View shows them: on the planes they were drawn on."""

from __future__ import annotations

from isotomon.arrays import Array
from isotomon.design.walk import references
from isotomon.evaluate.datums import BASE
from isotomon.geometry.datums import Frame, Plane
from isotomon.inspect.results import Quick
from isotomon.profile.curves import piece_of, polyline
from isotomon.profile.loops import places_of
from isotomon.quantity.record import Ref


def drawings_lying(quick: Quick) -> dict[str, list[Array]]:
    """Lines (n, 3) mm of the drawings that lie on a plane and that nothing is made of yet: else they would lie over that."""
    planes = {key: _plane(quick, solution.drawing.plane) for key, solution in quick.drawings.solutions.items()}
    if not any(planes.values()):
        return {}
    used, lying = {Ref(field.text).thing for field in references(quick.design)}, dict[str, list[Array]]()
    for key, plane in planes.items():
        if plane is not None and key not in used:
            drawing = quick.drawings.solutions[key].drawing
            places = places_of(drawing)
            flat = [polyline(piece_of(part, places)) for part in drawing.parts]
            lying[key] = [plane.origin + line[:, :1] * plane.across + line[:, 1:] * plane.up for line in flat]
    return {key: lines for key, lines in lying.items() if lines}


def _plane(quick: Quick, key: str) -> Plane | None:
    found = BASE.get(key, quick.datums.get(key))
    if isinstance(found, Frame):
        return Plane(found.origin, found.axes[0], found.axes[2])
    return found if isinstance(found, Plane) else None
