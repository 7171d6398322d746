"""A design's numbers, datums and drawings worked out in the order in which they stand on one another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from isotomon.design.bodies import check_bodies, stations_of_all
from isotomon.design.body import Body
from isotomon.design.edits import change_drawing, find
from isotomon.design.records import Design
from isotomon.design.resolve import resolve_body
from isotomon.design.resolved import Resolved
from isotomon.design.station_edits import stand_on
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.datums import Ground
from isotomon.evaluate.drawn import Drawings, numbers_so_far, replace_numbers, said, solved, to_drawing
from isotomon.evaluate.standing import Trouble, stand
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, meets_plane, planes_meet
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.profile.solver import Solution
from isotomon.quantity import resolve_numbers


def settle(design: Design, body: Body) -> tuple[Resolved, Drawings]:
    """The numbers of all stations of a body, those on datum planes among them, and all drawings solved.

    What cannot be worked out keeps what it has, with the trouble said in the drawings' `troubles`.
    Raises: IsotomonError, for numbers that cannot be worked out.
    """
    names = resolve_numbers([(n.name, n.value, n.kind) for n in design.numbers])
    ground = Ground(design, names, body)
    resolved, troubles = stand(ground)
    ground.resolved = resolved
    drawings = _solve_all(design, ground, resolved, troubles)
    stations = tuple(
        replace_numbers(n, drawings) if isinstance(n.station.section, Drawn) else n for n in resolved.stations
    )
    return replace(resolved, stations=stations), drawings


def stand_and_check(design: Design, keys: tuple[str, ...], plane: str) -> Design:
    """Stations put on a datum plane or cylinder (empty: back on their own), if they can stand there.

    Raises: IsotomonError, saying why not.
    """
    made = stand_on(design, keys, plane)
    for body in made.bodies:
        if any(s.id in keys for s in body.stations):
            for key, _, text in settle(made, body)[1].troubles:
                if key in keys and plane:
                    raise DesignError(text.split("; it stands")[0])
    return made


def check_design(design: Design) -> None:
    """Whether a design's numbers can be worked out, stations on datum planes among them.

    Raises: IsotomonError, when they cannot.
    """
    check_bodies(design)
    for body in design.bodies:
        if any(s.plane for s in body.stations):
            settle(design, body)
        else:
            resolve_body(design, body)


def _solve_all(design: Design, ground: Ground, resolved: Resolved, troubles: list[Trouble]) -> Drawings:
    solutions: dict[str, Solution] = {}
    outside: dict[str, Mapping[str, tuple[float, float]]] = {}
    drawings = Drawings(solutions, (), outside)
    ground.drawings = drawings
    by_id = {d.id: d for d in design.drawings}
    under_way: list[str] = []

    def solve_one(drawing: Drawing) -> None:
        if drawing.id in solutions:
            return
        under_way.append(drawing.id)
        for used in _drawings_behind(design, drawing):
            if used in by_id and used not in under_way:
                solve_one(by_id[used])
        under_way.pop()
        ground.resolved = numbers_so_far(resolved, drawings)
        places, lost = followed(drawing, ground)
        outside[drawing.id] = places
        troubles.extend((drawing.id, f"drawing {drawing.name}", text) for text in lost)
        try:
            solution = solved(drawing, tuple(resolved.figures[drawing.id].items()), tuple(places.items()))
        except IsotomonError as error:
            solution = Solution(drawing, 0.0)
            troubles.append((drawing.id, f"drawing {drawing.name}", str(error)))
        solutions[drawing.id] = solution
        for clash in solution.conflicts:
            words = ", ".join(said(drawing, c) for c in clash.culprits)
            troubles.append(
                (drawing.id, f"drawing {drawing.name}", f"these cannot hold together: {words}; drop one of them")
            )

    for drawing in design.drawings:
        solve_one(drawing)
    return Drawings(solutions, tuple(troubles), outside)


def _drawings_behind(design: Design, drawing: Drawing) -> set[str]:
    """Drawings whose solution a drawing's references may need."""
    stations = {p.source.split("/")[0] for p in drawing.points if "/" in p.source}
    return {s.section.drawing for s in stations_of_all(design) if s.id in stations and isinstance(s.section, Drawn)}


def followed(drawing: Drawing, ground: Ground) -> tuple[dict[str, tuple[float, float]], list[str]]:
    """(source → place in the drawing's plane, what is lost in words) of all that a drawing follows."""
    places: dict[str, tuple[float, float]] = {}
    lost: list[str] = []
    for source in dict.fromkeys(p.source for p in drawing.points if p.source):
        try:
            places[source] = _in_plane(drawing, source, ground)
        except IsotomonError as error:
            lost.append(f"a reference is lost, and stays where it was: {error}; delete it or pick again")
    return places, lost


def _in_plane(drawing: Drawing, source: str, ground: Ground) -> tuple[float, float]:
    """A followed point in the drawing's own coordinates. `d3:0` and `d3:1` are two points on a line's or plane's trace."""
    ref, which = (source[:-2], source[-1]) if source.endswith((":0", ":1")) else (source, "")
    plane = ground.plane(drawing.plane or "xy")
    thing = ground.get(ref)
    if isinstance(thing, Plane):
        thing = planes_meet(thing, plane)
    if isinstance(thing, Cylinder):
        thing = thing.axis
    if isinstance(thing, Axis):
        # The foot of the plane's origin on it, and a place 100 mm on: both ends of the reference line.
        foot = thing.origin + thing.way * float((plane.origin - thing.origin) @ thing.way)
        point = foot + thing.way * (100.0 if which == "1" else -100.0)
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
    resolved = ground.resolved
    n = next((n for n in resolved.stations if n.station.id == drawing.plane), None) if resolved is not None else None
    if n is not None:
        flat = to_drawing(flat, n, None)
    return float(flat[0, 0]), float(flat[0, 1])


def standing_body(design: Design, drawing: Drawing) -> Body:
    """The body on a station of which a drawing stands, else the first one."""
    return next((b for b in design.bodies if any(s.id == drawing.plane for s in b.stations)), design.bodies[0])


def settled(design: Design, key: str) -> Design:
    """The design with one drawing's solved coordinates written into it, as after every edit of the drawing.

    While constraints clash the coordinates stay as they are, so that what is fixed still knows where.

    Raises: IsotomonError, when its numbers cannot be worked out or a constraint cannot be written.
    """
    drawing = find(design.drawings, key)
    resolved, drawings = settle(design, standing_body(design, drawing))
    places = drawings.outside.get(key, {})
    solution = solved(drawing, tuple(resolved.figures[key].items()), tuple(places.items()))
    return design if not solution.ok else change_drawing(design, key, lambda _: solution.drawing)
