"""What comes of a change of a drawing: what was taken for granted is tied, and a section takes its place."""

from __future__ import annotations

from isotomon.app.drawing.snap import NEW, Catch
from isotomon.design import edits, station_edits
from isotomon.design.bodies import stations_of_all
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.profile import draw_edits
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing, Line, replace
from isotomon.profile.loops import find_runs
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import freedoms, solve
from isotomon.quantity.record import Ref


def placed(design: Design, key: str, station: str) -> Design:
    """A drawing that bounds a section takes the place of the ready-made section it was begun to replace."""
    found = next((s for s in stations_of_all(design) if s.id == station), None)
    if found is None or isinstance(found.section, Drawn):
        return design
    if find_runs(edits.find(design.drawings, key)).outer is None:
        return design
    return put(design, key, station)


def put(design: Design, key: str, station: str) -> Design:
    """A drawing on a station, as large as drawn."""
    return station_edits.change_station(design, station, section=Drawn(Ref(key)), chord=None, pivot=None)


def with_assumed(before: Drawing, after: Drawing, ties: list[tuple[Spot, Catch]]) -> Drawing:
    """What the catches took for granted, tied to the points and lines that were made; nothing twice."""
    pen = Pen(after, assumed=True)
    old_points, old_parts = {p.id for p in before.points}, {p.id for p in before.parts}
    new_points = [p for p in after.points if p.id not in old_points]
    new_lines = [p for p in after.parts if p.id not in old_parts and isinstance(p, Line)]
    for spot, catch in ties:
        made = next((p.id for p in new_points if abs(p.x - spot.x) + abs(p.y - spot.y) < 1e-9), spot.point)
        for kind, on in catch.ties:
            if made and made not in on:
                pen.tie(kind, *(made if ref == NEW else ref for ref in on))
        level = {"level": "horizontal", "upright": "vertical"}.get(catch.name.split(", ")[-1])
        if level and len(new_lines) == 1:
            pen.tie(level, new_lines[0].id)  # type: ignore[arg-type]
    return _without_repeats(after, pen.done())


def _without_repeats(before: Drawing, after: Drawing) -> Drawing:
    """Assumed constraints that say nothing new are not made."""
    if len(after.constraints) == len(before.constraints):
        return after
    known = {c.id for c in before.constraints}
    try:
        _, repeats = freedoms(after)
    except IsotomonError:
        return before
    extra = {r.extra for r in repeats} - known
    return replace(after, constraints=tuple(c for c in after.constraints if c.id not in extra))


def point_at(
    drawing: Drawing,
    ref: str,
    axis: str,
    number: float,
    figures: dict[str, float],
    followed: dict[str, tuple[float, float]],
) -> Drawing:
    """The drawing with a point at a coordinate (mm), and what it is tied to following.

    `figures`: those of its driving dimensions; `followed`: where what it follows elsewhere stands.

    Raises: DesignError, where its constraints do not let it.
    """
    points = tuple(replace(p, **{axis: number}) if p.id == ref else p for p in drawing.points)
    pen = Pen(replace(drawing, points=points))
    pin = pen.tie("fixed", ref)
    pinned = solve(pen.done(), figures, followed)
    if not pinned.ok:
        raise DesignError("its constraints do not let the point stand there; change or drop one of them")
    return draw_edits.remove(pinned.drawing, (pin,))
