"""All drawings of a design solved, each once for its record and figures, and what stations take from them."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import msgspec

from isotomon.errors import IsotomonError
from isotomon.model.drawing import Drawing, replace
from isotomon.model.edits import change_drawing, find
from isotomon.model.records import Design, Drawn
from isotomon.model.resolve import Resolved, StationNumbers, resolve_design
from isotomon.profile.drawn import DrawnShape, drawn_shape
from isotomon.profile.loops import places_of, size_of
from isotomon.profile.solver import Solution, solve

Figured = tuple[tuple[str, float], ...]
Places = tuple[tuple[str, tuple[float, float]], ...]


class SolvedSection(msgspec.Struct, frozen=True):
    """What bounds a drawn section: the solved drawing without what does not shape it, and how it is mirrored."""

    drawing: Drawing
    mirror: str


@dataclass(frozen=True, eq=False)
class Drawings:
    """The solved drawings of a design by id. `troubles`: (drawing id, its name, what is wrong)."""

    solutions: Mapping[str, Solution]
    troubles: tuple[tuple[str, str, str], ...] = ()
    outside: Mapping[str, Mapping[str, tuple[float, float]]] = field(default_factory=dict)

    def section(self, section: Drawn) -> SolvedSection:
        """What bounds a station's drawn section."""
        drawing = self.solutions[section.drawing].drawing
        return SolvedSection(replace(drawing, name="", constraints=(), plane=""), section.mirror)


@lru_cache(maxsize=512)
def solved(drawing: Drawing, figures: Figured, outside: Places) -> Solution:
    """A drawing solved; the same one with the same figures is never solved again."""
    return solve(drawing, dict(figures), dict(outside))


@lru_cache(maxsize=128)
def section_shape(section: SolvedSection) -> DrawnShape:
    """The outline of a drawn section. Raises: ProfileError."""
    return drawn_shape(section.drawing, section.mirror)  # type: ignore[arg-type]


def solve_drawings(design: Design, resolved: Resolved) -> tuple[Resolved, Drawings]:
    """The drawings solved, and the stations' numbers with the chords and pivots that come from them.

    A drawing that cannot be solved keeps the coordinates it has, with the trouble said.
    """
    solutions: dict[str, Solution] = {}
    troubles: list[tuple[str, str, str]] = []
    for drawing in design.drawings:
        try:
            solution = solved(drawing, tuple(resolved.figures[drawing.id].items()), ())
        except IsotomonError as error:
            solution = Solution(drawing, 0.0)
            troubles.append((drawing.id, drawing.name, str(error)))
        solutions[drawing.id] = solution
        for clash in solution.conflicts:
            names = ", ".join(said(drawing, c) for c in clash.culprits)
            troubles.append((drawing.id, drawing.name, f"these cannot hold together: {names}; drop one of them"))
    drawings = Drawings(solutions, tuple(troubles))
    stations = tuple(
        replace_numbers(n, drawings) if isinstance(n.station.section, Drawn) else n for n in resolved.stations
    )
    return Resolved(resolved.names, stations, resolved.figures), drawings


def settled(design: Design, key: str) -> Design:
    """The design with one drawing's solved coordinates written into it, as after every edit of the drawing.

    Raises: IsotomonError, when its numbers cannot be worked out or a constraint cannot be written.
    """
    drawing = find(design.drawings, key)
    figures = resolve_design(design).figures[key]
    solution = solved(drawing, tuple(figures.items()), ())
    return change_drawing(design, key, lambda _: solution.drawing)


def replace_numbers(n: StationNumbers, drawings: Drawings) -> StationNumbers:
    """A station's numbers with chord and pivot as drawn where it does not say its own."""
    assert isinstance(n.station.section, Drawn)
    section = drawings.section(n.station.section)
    try:
        shape = section_shape(section)
        width, pivot = shape.width, shape.pivot
    except IsotomonError:
        width, pivot = size_of(section.drawing, places_of(section.drawing)), 0.5
    chord = width if math.isnan(n.chord) else n.chord
    return dataclasses.replace(n, chord=chord, pivot=pivot if math.isnan(n.pivot) else n.pivot)


def said(drawing: Drawing, key: str) -> str:
    """A constraint in words: its kind and what it stands on."""
    c = next(c for c in drawing.constraints if c.id == key)
    return f"{c.kind.replace('_', ' ')} of {' and '.join(c.on)}"
