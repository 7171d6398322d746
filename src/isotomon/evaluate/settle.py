"""A design's numbers, datums and drawings worked out in the order in which they stand on one another."""

from __future__ import annotations

from isotomon.design.bodies import check_bodies
from isotomon.design.body import Body
from isotomon.design.edits import change_drawing, find
from isotomon.design.records import Design
from isotomon.design.resolve import check_numbers, drawing_figures, resolve_body
from isotomon.design.resolved import Resolved
from isotomon.design.station_edits import stand_on
from isotomon.errors import DesignError
from isotomon.evaluate.drawn import Drawings, solved
from isotomon.evaluate.ground import Ground, Worked


def settle(design: Design, body: Body) -> tuple[Resolved, Drawings]:
    """The numbers of all stations of a body, those on datum planes among them, and all drawings solved.

    What cannot be worked out keeps what it has, with the trouble said in the drawings' `troubles`.
    Raises: IsotomonError, for numbers that cannot be worked out.
    """
    ground = Worked(design).ground(body.id)
    return ground.settled(), all_drawings(ground)


def all_drawings(ground: Ground) -> Drawings:
    """All drawings solved, with what is wrong with them, with the planes on which a body's stations stand, and the sections of
    those that stand elsewhere."""
    found = {d.id: one for d in ground.design.drawings if (one := ground.solved(d.id)) is not None}
    troubles = (*ground.standing()[1], *(trouble for one in found.values() for trouble in one.troubles))
    outside = {key: one.places for key, one in found.items()}
    return Drawings({key: one.solution for key, one in found.items()}, troubles, outside, ground.end_sections())


def stand_and_check(design: Design, keys: tuple[str, ...], plane: str) -> Design:
    """Stations put on a datum plane or cylinder (empty: back on their own), if they can stand there.

    Raises: IsotomonError, saying why not.
    """
    made = stand_on(design, keys, plane)
    for body in made.bodies:
        if any(s.id in keys for s in body.stations):
            for trouble in settle(made, body)[1].troubles:
                if trouble.about in keys and plane:
                    raise DesignError(trouble.text)
    return made


def check_design(design: Design) -> None:
    """Whether a design's numbers can be worked out, stations on datum planes among them.

    Raises: IsotomonError, when they cannot.
    """
    check_bodies(design)
    check_numbers(design)  # before anything is worked out of them
    for body in design.bodies:
        if any(s.plane for s in body.stations):
            settle(design, body)
        else:
            resolve_body(design, body)


def settled(design: Design, key: str) -> Design:
    """The design with one drawing's solved coordinates written into it, as after every edit of the drawing.

    While constraints clash the coordinates stay as they are, so that what is fixed still knows where.

    Raises: IsotomonError, when its numbers cannot be worked out or a constraint cannot be written.
    """
    drawing = find(design.drawings, key)
    figures = drawing_figures(drawing, check_numbers(design))
    found = Worked(design).ground(design.bodies[0].id).solved(key)
    assert found is not None
    solution = solved(drawing, tuple(figures.items()), tuple(found.places.items()))
    return design if not solution.ok else change_drawing(design, key, lambda _: solution.drawing)
