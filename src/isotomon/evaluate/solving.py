"""Drawings solved, each when it is wanted, and what they follow."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from isotomon.design.resolve import drawing_figures
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.drawn import EndSection, SolvedDrawing, Trouble, said, solved, to_drawing
from isotomon.evaluate.sources import Sources
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, meets_plane, planes_meet
from isotomon.profile.drawing import Drawing
from isotomon.profile.solver import Solution

ALONG = 100.0
"""mm from the foot of a drawing's origin on an axis at which the ends of the line stand that follows it."""


def solve_drawing(ground: Sources, drawing: Drawing) -> SolvedDrawing:
    """A drawing worked out; one that cannot be stays as it is, with the trouble said."""
    places, lost = followed(drawing, ground)
    what = f"drawing {drawing.name}"
    troubles = [Trouble(drawing.id, what, text) for text in lost]
    try:
        figures = drawing_figures(drawing, ground.names)
        solution = solved(drawing, tuple(figures.items()), tuple(places.items()))
    except IsotomonError as error:
        solution = Solution(drawing, 0.0)
        troubles.append(Trouble(drawing.id, what, str(error)))
    for clash in solution.conflicts:
        words = ", ".join(said(drawing, c) for c in clash.culprits)
        troubles.append(Trouble(drawing.id, what, f"these cannot hold together: {words}; drop one of them"))
    return SolvedDrawing(solution, places, tuple(troubles))


def followed(drawing: Drawing, ground: Sources) -> tuple[dict[str, tuple[float, float]], list[str]]:
    """(source → place in the drawing's plane, what is lost in words) of all that a drawing follows."""
    places: dict[str, tuple[float, float]] = {}
    lost: list[str] = []
    for source in dict.fromkeys(p.source for p in drawing.points if p.source):
        try:
            places[source] = _in_plane(drawing, source, ground)
        except IsotomonError as error:
            lost.append(f"a reference is lost, and stays where it was: {error}; delete it or pick again")
    return places, lost


def _in_plane(drawing: Drawing, source: str, ground: Sources) -> tuple[float, float]:
    """A followed point in the drawing's own coordinates. `d3:0` and `d3:1` are two points on a line's or plane's trace."""
    ref, which = (source[:-2], source[-1]) if source.endswith((":0", ":1")) else (source, "")
    plane = ground.plane(drawing.plane or "xy")
    thing = ground.get(ref)
    if isinstance(thing, Plane):
        thing = planes_meet(thing, plane)
    if isinstance(thing, Cylinder):
        thing = thing.axis
    if isinstance(thing, Axis):
        foot = thing.origin + thing.way * float((plane.origin - thing.origin) @ thing.way)
        point = foot + thing.way * (ALONG if which == "1" else -ALONG)
    elif isinstance(thing, Frame):
        point = thing.origin
    elif isinstance(thing, np.ndarray):
        point = thing
    elif not isinstance(thing, SpaceCurve):
        raise DesignError(f"{ground.called(ref)} is nothing that a drawing can follow")
    elif not which:  # a guide: where it passes the plane
        point = meets_plane(thing, plane, 1)
    else:
        point = thing.at(np.array([1.0 if which == "1" else 0.0]))[0]
    away = point - plane.origin
    flat = np.array([[float(away @ plane.across), float(away @ plane.up)]])
    numbers = ground.numbers_of(drawing.plane)
    if numbers is not None:
        flat = to_drawing(flat, numbers, None)
    return float(flat[0, 0]), float(flat[0, 1])


class Solutions(Mapping[str, Solution]):
    """All drawings' solutions by id, each worked out when it is asked for; one that is under way is not there."""

    def __init__(self, ground: Sources) -> None:
        self._ground = ground

    def __getitem__(self, key: str) -> Solution:
        found = self._ground.solved(key)
        if found is None:
            raise KeyError(key)
        return found.solution

    def __iter__(self) -> Iterator[str]:
        return (d.id for d in self._ground.design.drawings)

    def __len__(self) -> int:
        return len(self._ground.design.drawings)


class Ends(Mapping[str, EndSection]):
    """The sections of a body's stations that stand on other bodies' ends and on curves, worked out when they are asked for."""

    def __init__(self, ground: Sources) -> None:
        self._ground = ground

    def __getitem__(self, key: str) -> EndSection:
        return self._ground.end_sections()[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._ground.end_sections())

    def __len__(self) -> int:
        return len(self._ground.end_sections())
