"""All drawings of a design solved, each once for its record and figures, and what stations take from them."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

import msgspec
import numpy as np

from isotomon.arrays import Array
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import DesignError, IsotomonError, ProfileError
from isotomon.geometry.datums import Plane, SpaceCurve
from isotomon.profile.curves import piece_of
from isotomon.profile.drawing import Drawing, replace
from isotomon.profile.drawn import DrawnShape, drawn_shape
from isotomon.profile.loops import places_of, size_of
from isotomon.profile.section import Drawn, KeptRun, Outline, Section
from isotomon.profile.solver import Solution, solve
from isotomon.quantity.record import Pair

Figured = tuple[tuple[str, float], ...]
Places = tuple[tuple[str, tuple[float, float]], ...]


class SolvedSection(msgspec.Struct, frozen=True):
    """What bounds a drawn section: the solved drawing without what does not shape it, and how it is mirrored."""

    drawing: Drawing
    mirror: str


class EndSection(msgspec.Struct, frozen=True):
    """The section at an end of another body or on a curve, for a chord of 1: its runs, nominal points, and whether it is round."""

    runs: tuple[KeptRun, ...]
    anchor: tuple[Pair, Pair]
    round: bool
    corners: tuple[str, ...]
    """The lasting name of what each run begins with, where they have any."""


class WorkedSection(msgspec.Struct, frozen=True):
    """A profile shut by a line, or given a wall `left` and `right` of it, in chords of 1."""

    of: Section | Outline | SolvedSection | EndSection
    left: float
    right: float
    shut: bool


class Trouble(NamedTuple):
    """What is wrong with a thing: its id, what it is with its name, what is wrong, and what comes of it."""

    about: str
    thing: str
    text: str
    outcome: str = ""


@dataclass(frozen=True, eq=False)
class Drawings:
    """The solved drawings of a design by id. `troubles`: what is wrong with them and with stations."""

    solutions: Mapping[str, Solution]
    troubles: tuple[Trouble, ...] = ()
    outside: Mapping[str, Mapping[str, tuple[float, float]]] = field(default_factory=dict)
    ends: Mapping[str, EndSection] = field(default_factory=dict)
    """Other bodies' ends and curves by the stations that stand on them."""

    def section(self, section: Drawn) -> SolvedSection:
        """What bounds a station's drawn section. Raises: ProfileError, while its drawing is not solved."""
        if section.drawing not in self.solutions:
            raise ProfileError(f"the drawing '{section.drawing}' is not solved yet, or stands on this itself")
        drawing = self.solutions[section.drawing].drawing
        return SolvedSection(replace(drawing, name="", constraints=(), plane="", spent=()), section.mirror)


@dataclass(frozen=True, eq=False)
class SolvedDrawing:
    """A drawing's solution, where what it follows lies in its plane (source → place), and (id, what it is with its name, what is
    wrong) of all that is wrong with it."""

    solution: Solution
    places: Mapping[str, tuple[float, float]]
    troubles: tuple[Trouble, ...]


@lru_cache(maxsize=512)
def solved(drawing: Drawing, figures: Figured, outside: Places) -> Solution:
    """A drawing solved; the same one with the same figures is never solved again."""
    return solve(drawing, dict(figures), dict(outside))


@lru_cache(maxsize=128)
def section_shape(section: SolvedSection) -> DrawnShape:
    """The outline of a drawn section. Raises: ProfileError."""
    return drawn_shape(section.drawing, section.mirror)  # type: ignore[arg-type]


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


def to_plane(points: Array, n: StationNumbers, section: SolvedSection) -> Array:
    """Points (n, 2) of a drawing, mm, in the plane of a station at which it stands: mirrored, sized, turned, offset."""
    start, width, mirror = _frame_of(section)
    flat = (points * mirror - np.array([start + n.pivot * width, 0.0])) * (n.chord / width)
    c, s = np.cos(n.set_angle), np.sin(n.set_angle)
    return np.asarray(flat @ np.array([[c, s], [-s, c]]) + np.array(n.offset))


def part_in_space(drawings: Drawings, section: Drawn, part: str, n: StationNumbers, plane: Plane) -> Array | SpaceCurve:
    """A point or part of a solved drawing where it lies in space, on the plane of a station.

    Raises: DesignError, for one that is gone.
    """
    drawing, solved = drawings.solutions[section.drawing].drawing, drawings.section(section)

    def in_space(points: Array) -> Array:
        flat = to_plane(points, n, solved)
        return plane.origin + flat[:, :1] * plane.across + flat[:, 1:] * plane.up

    places = places_of(drawing)
    if part in places:
        return in_space(places[part][None])[0]
    found = next((p for p in drawing.parts if p.id == part), None)
    if found is None:
        raise DesignError(f"'{part}' is gone from the drawing at station '{n.station.name}'; pick something else")
    piece = piece_of(found, places)
    if piece.kind == "line":
        a, b = in_space(piece.at(np.array([0.0, 1.0])))
        return SpaceCurve(lambda t: a + np.asarray(t)[:, None] * (b - a))
    return SpaceCurve(lambda t: in_space(piece.at(t)), piece.kind == "circle")


def to_drawing(points: Array, n: StationNumbers, section: SolvedSection | None) -> Array:
    """What `to_plane` takes back; without a section only turn and offset are, as for a drawing not yet solved."""
    c, s = np.cos(n.set_angle), np.sin(n.set_angle)
    flat = (points - np.array(n.offset)) @ np.array([[c, -s], [s, c]])
    if section is None:
        return np.asarray(flat)
    start, width, mirror = _frame_of(section)
    return np.asarray((flat * (width / n.chord) + np.array([start + n.pivot * width, 0.0])) * mirror)


def _frame_of(section: SolvedSection) -> tuple[float, float, Array]:
    """(X of the leading point, chord as drawn, signs of the mirror)."""
    mirror = np.array({"": (1.0, 1.0), "x": (1.0, -1.0), "y": (-1.0, 1.0)}[section.mirror])
    try:
        shape = section_shape(section)
    except IsotomonError:
        return 0.0, size_of(section.drawing, places_of(section.drawing)), mirror
    return float(shape.outline.anchor[0, 0] * shape.width), shape.width, mirror


def said(drawing: Drawing, key: str) -> str:
    """A constraint in words: its kind and what it stands on."""
    c = next(c for c in drawing.constraints if c.id == key)
    return f"{c.kind.replace('_', ' ')} of {' and '.join(c.on)}"


def numbers_so_far(resolved: Resolved, drawings: Drawings) -> Resolved:
    """The numbers of the stations, with what the drawings that are solved so far say."""
    stations = tuple(
        replace_numbers(n, drawings)
        if isinstance(n.station.section, Drawn) and n.station.section.drawing in drawings.solutions
        else n
        for n in resolved.stations
    )
    return dataclasses.replace(resolved, stations=stations)
