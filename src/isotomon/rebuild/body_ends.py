"""Bodies that begin or end on another body's end: where that stands, its section, and how the skin goes on from it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import DesignError, IsotomonError
from isotomon.field.carriers import STRAIGHT
from isotomon.field.ends import Ending, Facing, Leaning
from isotomon.field.section_field import SectionField
from isotomon.geometry.datums import Plane, tilts_of
from isotomon.geometry.planar import cross3
from isotomon.model.records import BodyEnd, KeptRun
from isotomon.model.resolve import Resolved, StationNumbers
from isotomon.rebuild.datums import Ground
from isotomon.rebuild.drawn import EndSection

Array = NDArray[np.float64]


def stand_on_ends(ground: Ground, resolved: Resolved) -> tuple[Resolved, dict[str, EndSection], list[tuple[str, str]]]:
    """The numbers of stations that stand on another body's end, what their sections are, and (station, what is wrong)."""
    sections: dict[str, EndSection] = {}
    troubles: list[tuple[str, str]] = []
    stations = []
    for n in resolved.stations:
        if isinstance(n.station.section, BodyEnd):
            try:
                n, sections[n.station.id] = _taken(ground, n, n.station.section)
            except IsotomonError as error:
                troubles.append((n.station.id, str(error)))
        stations.append(n)
    if not sections:
        return resolved, sections, troubles
    return replace(resolved, stations=tuple(sorted(stations, key=lambda n: n.position))), sections, troubles


def _taken(ground: Ground, n: StationNumbers, said: BodyEnd) -> tuple[StationNumbers, EndSection]:
    if said.body == ground.design.loft.id:
        raise DesignError("a body cannot stand on its own end; choose another body's")
    if ground.carrier() is not STRAIGHT:
        raise DesignError("only a loft carried straight can stand on another body's end")
    field = ground.field_of(said.body)
    if field.ring or field.wrap is not None or field.stations[0 if said.which == "first" else -1].tip:
        raise DesignError("that body has no flat end there; choose another")
    s = field.sections(field.nodes[[0 if said.which == "first" else -1]])
    position, a, b = tilts_of(Plane(s.origin[0], s.across[0], s.normal[0]))
    plane = ground.plane_there(position, (a, b))

    def flat(points: Array) -> Array:
        away = points - plane.origin
        return np.stack([away @ plane.across, away @ plane.up], axis=1)

    def in_space(local: Array) -> Array:
        return np.asarray(s.origin[0] + local[:, :1] * s.across[0] + local[:, 1:] * s.up[0])

    anchor = flat(in_space(s.anchor[0]))
    along = anchor[1] - anchor[0]
    chord, angle = float(np.hypot(*along)), float(np.arctan2(along[1], along[0]))
    c, sn = np.cos(angle), np.sin(angle)
    unit = (flat(s.control[0]) - anchor[0]) @ np.array([[c, -sn], [sn, c]]) / chord
    middle = anchor.mean(axis=0)
    runs = tuple(
        KeptRun(
            lane.basis.degree,
            tuple(lane.basis.breaks.tolist()),
            tuple(lane.basis.multiplicity.tolist()),
            tuple((float(x), float(y)) for x, y in unit[lane.columns]),
            lane.basis.periodic,
        )
        for lane in field.common.lanes
    )
    numbers = replace(
        n,
        position=position,
        tilt=(a, b),
        chord=chord,
        set_angle=angle,
        pivot=0.5,
        offset=(float(middle[0]), float(middle[1])),
    )
    return numbers, EndSection(runs, ((0.0, 0.0), (1.0, 0.0)), bool(s.round[0]))


def endings(ground: Ground, resolved: Resolved) -> tuple[Ending | None, Ending | None]:
    """How the skin leaves both ends.

    Raises: DesignError, for an end that is to be flush with nothing.
    """
    made: list[Ending | None] = []
    for row, word in ((0, "first"), (-1, "last")):
        numbers = resolved.ends[row]
        if numbers is None or numbers.how == "leaning":
            made.append(None if numbers is None else Leaning(numbers.strength, numbers.angle))
            continue
        section = resolved.stations[row].station.section if resolved.stations else None
        if not isinstance(section, BodyEnd):
            raise DesignError(
                f"the {word} end is to be {numbers.how} with another body, but its station stands on no body's end; "
                "choose a body's end as its section, or make the end free"
            )
        field = ground.field_of(section.body)
        v = float(field.nodes[0 if section.which == "first" else -1])
        made.append(Facing(numbers.strength, field, v, numbers.how == "fair"))
    return made[0], made[1]


@dataclass(frozen=True)
class Reached:
    """How well a body goes on from another one's end: the greatest kink (rad), and the greatest step in curvature across
    the end, as a share of the greatest curvature there."""

    kink: float
    step: float


def reached(field: SectionField, ends: tuple[Ending | None, Ending | None]) -> tuple[Reached | None, ...]:
    """What the ends that face another body have come to, measured on both skins."""
    found: list[Reached | None] = []
    for row, way, ending in ((0, 1.0, ends[0]), (-1, -1.0, ends[1])):
        found.append(_reached(field, row, way, ending) if isinstance(ending, Facing) else None)
    return tuple(found)


def _reached(field: SectionField, row: int, way: float, facing: Facing) -> Reached:
    u = np.linspace(0.0, 1.0, 240, endpoint=False) + 1e-3
    here = field.sections(field.nodes[[row]])
    own = Facing(0.0, field, float(field.nodes[row]), True)
    points, run = field.common.rows(u) @ here.control[0], field.common.rows(u, 1) @ here.control[0]
    normal = here.normal[0]
    theirs, mine = facing.course(points, normal), own.course(points, normal)
    square = [cross3(run, course) for course, _ in (theirs, mine)]
    a, b = (s / np.maximum(np.linalg.norm(s, axis=1, keepdims=True), 1e-300) for s in square)
    kink = np.arctan2(np.linalg.norm(cross3(a, b), axis=1), np.einsum("mk,mk->m", a, b))
    bent = [np.einsum("mk,mk->m", turn, a) / np.einsum("mk,mk->m", c, c) for c, turn in (theirs, mine)]
    round_ = np.einsum("mk,mk->m", field.common.rows(u, 2) @ here.control[0], a) / np.einsum("mk,mk->m", run, run)
    most = max(float(np.abs(bent[0]).max()), float(np.abs(round_).max()), 1e-300)
    return Reached(float(kink.max()), float(np.abs(bent[0] - bent[1]).max()) / most)
