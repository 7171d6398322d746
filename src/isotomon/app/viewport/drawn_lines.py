"""Drawings as the View shows them: on the planes they were drawn on."""

from __future__ import annotations

from isotomon.arrays import Array
from isotomon.design.walk import users
from isotomon.evaluate.datums import BASE
from isotomon.geometry.datums import Frame, Plane
from isotomon.inspect.results import Quick
from isotomon.profile.curves import piece_of, polyline
from isotomon.profile.loops import places_of


def drawings_lying(quick: Quick) -> dict[str, list[Array]]:
    """Lines (n, 3) mm of the drawings that lie on a plane and that nothing is made of yet: else they would lie over that."""
    lying: dict[str, list[Array]] = {}
    for key, solution in quick.drawings.solutions.items():
        drawing, plane = solution.drawing, BASE.get(solution.drawing.plane, quick.datums.get(solution.drawing.plane))
        if isinstance(plane, Frame):
            plane = Plane(plane.origin, plane.axes[0], plane.axes[2])
        if isinstance(plane, Plane) and drawing.parts and not users(quick.design, key):
            places = places_of(drawing)
            flat = [polyline(piece_of(part, places)) for part in drawing.parts]
            lying[key] = [plane.origin + line[:, :1] * plane.across + line[:, 1:] * plane.up for line in flat]
    return lying
