"""Stations that stand on another body's end or on a flat curve: where that is, its section, and how the skin goes on
from an end."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from isotomon.arrays import Array
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.drawn import EndSection
from isotomon.evaluate.sources import Sources
from isotomon.field.carriers import STRAIGHT
from isotomon.field.ends import Ending, Facing, Leaning
from isotomon.field.section_field import SectionField
from isotomon.geometry import space
from isotomon.geometry.datums import Plane, tilts_of
from isotomon.geometry.planar import cross, cross3
from isotomon.profile.outline import Run, fit_run
from isotomon.profile.section import BodyEnd, Elsewhere, KeptRun, OnCurve

UNIT = ((0.0, 0.0), (1.0, 0.0))
Standing = tuple[float, tuple[float, float]]
"""A position (mm) and the plane's tilts (rad)."""


@dataclass(frozen=True, eq=False)
class OnEnds:
    """The numbers of stations with those that stand on another body's end or a curve, what the sections of these are, and
    (station, what is wrong)."""

    resolved: Resolved
    sections: Mapping[str, EndSection]
    troubles: tuple[tuple[str, str], ...]


@dataclass(frozen=True, eq=False)
class Ended:
    """The same, with the outer sections carried on to the ends of the body, or why they are not."""

    resolved: Resolved
    on_ends: OnEnds
    error: IsotomonError | None


def stand_on_ends(ground: Sources, resolved: Resolved) -> OnEnds:
    """The stations that stand on other bodies' ends and on curves worked out."""
    sections: dict[str, EndSection] = {}
    troubles: list[tuple[str, str]] = []
    stations = []
    for n in resolved.stations:
        section = n.station.section
        if isinstance(section, Elsewhere):
            try:
                n, sections[n.station.id] = (
                    _taken(ground, n, section) if isinstance(section, BodyEnd) else _traced(ground, n, section)
                )
            except IsotomonError as error:
                troubles.append((n.station.id, str(error)))
        stations.append(n)
    if sections:
        resolved = replace(resolved, stations=tuple(sorted(stations, key=lambda n: n.position)))
    return OnEnds(resolved, sections, tuple(troubles))


def _taken(ground: Sources, n: StationNumbers, said: BodyEnd) -> tuple[StationNumbers, EndSection]:
    if said.body == ground.body.id:
        raise DesignError("a body cannot stand on its own end; choose another body's")
    field = ground.field_of(said.body)
    if field.ring or field.wrap is not None or field.stations[0 if said.which == "first" else -1].tip:
        raise DesignError("that body has no flat end there; choose another")
    s = field.sections(field.nodes[[0 if said.which == "first" else -1]])
    stand, flat = _standing(ground, Plane(s.origin[0], s.across[0], s.normal[0]))

    def in_space(local: Array) -> Array:
        return np.asarray(s.origin[0] + local[:, :1] * s.across[0] + local[:, 1:] * s.up[0])

    anchor = flat(in_space(s.anchor[0]))
    along = anchor[1] - anchor[0]
    chord, angle = float(np.hypot(*along)), float(np.arctan2(along[1], along[0]))
    c, sn = np.cos(angle), np.sin(angle)
    unit = (flat(s.control[0]) - anchor[0]) @ np.array([[c, -sn], [sn, c]]) / chord
    middle = anchor.mean(axis=0)
    outer = [lane for lane in field.common.lanes if not lane.loop]
    runs = tuple(
        KeptRun(
            lane.basis.degree,
            tuple(lane.basis.breaks.tolist()),
            tuple(lane.basis.multiplicity.tolist()),
            tuple((float(x), float(y)) for x, y in unit[lane.columns]),
            lane.basis.periodic,
        )
        for lane in outer
    )
    corners = tuple(names[0] for names in field.names.edges[: len(outer)])
    return _at(n, stand, chord, angle, middle), EndSection(runs, UNIT, bool(s.round[0]), corners)


def _traced(ground: Sources, n: StationNumbers, said: OnCurve) -> tuple[StationNumbers, EndSection]:
    """A station on a flat curve: its chord is the curve's width across the plane, the corners are the curve's."""
    curve, what = ground.curve(said.curve), ground.called(said.curve)
    stand, flat = _standing(ground, space.plane_of(curve, what))
    p = flat(curve.table()[1])
    low, high = p.min(axis=0), p.max(axis=0)
    width, origin = float(high[0] - low[0]), np.array([low[0], (low[1] + high[1]) / 2.0])
    if width < 1e-6:
        raise DesignError(f"{what} has no width across the plane; turn the plane or choose another curve")
    backwards = curve.closed and float(cross(p[:-1], p[1:]).sum()) < 0.0

    def unit(share: Array) -> Array:
        return (flat(curve.at(np.mod(1.0 - share, 1.0) if backwards else share)) - origin) / width

    names = curve.names or ("",) * len(curve.corners)
    around = sorted(((1.0 - c) % 1.0 if backwards else c, name) for c, name in zip(curve.corners, names, strict=True))
    runs, corners = _runs(unit, curve.closed, around)
    centre = (low + high) / 2.0
    radii = np.linalg.norm(p - centre, axis=1)
    is_round = curve.closed and len(runs) == 1 and float(np.ptp(radii)) < 1e-7 * width
    return _at(n, stand, width, 0.0, centre), EndSection(runs, UNIT, is_round, corners)


def _runs(
    unit: Callable[[Array], Array], closed: bool, corners: Sequence[tuple[float, str]]
) -> tuple[tuple[KeptRun, ...], tuple[str, ...]]:
    """A curve's runs between its corners (share, name), and what each begins with; one that comes round to no corner is a
    single periodic run."""
    inner = [c for c, _ in corners if 1e-9 < c < 1.0 - 1e-9]
    names = [name for c, name in corners if 1e-9 < c < 1.0 - 1e-9]
    if closed and not corners:
        return (_kept(fit_run(unit, periodic=True)),), ()
    starts = inner
    if not closed or len(inner) < len(corners):
        starts, names = [0.0, *inner], [next((name for c, name in corners if c not in inner), ""), *names]
    ends = [*starts[1:], starts[0] + 1.0 if closed else 1.0]

    def between(a: float, b: float) -> KeptRun:
        # A run that goes over the curve's own start ends on it from below, so that it never jumps a whole turn.
        return _kept(fit_run(lambda s: unit(np.where(a + s * (b - a) > 1.0, a + s * (b - a) - 1.0, a + s * (b - a)))))

    return tuple(between(a, b) for a, b in zip(starts, ends, strict=True)), tuple(names)


def _kept(run: Run) -> KeptRun:
    basis = run.basis
    control = tuple((float(x), float(y)) for x, y in run.control)
    return KeptRun(
        basis.degree, tuple(basis.breaks.tolist()), tuple(basis.multiplicity.tolist()), control, basis.periodic
    )


def _standing(ground: Sources, plane: Plane) -> tuple[Standing, Callable[[Array], Array]]:
    """Where a station is to stand to lie in a plane, and what takes points in space to its X and Y.

    Raises: DesignError, for a plane along the body, or a body that is not carried straight.
    """
    if ground.carrier() is not STRAIGHT:
        raise DesignError("only a loft carried straight can stand on another body's end or on a curve")
    position, a, b = tilts_of(plane)
    there = ground.plane_there(position, (a, b))
    axes = np.stack([there.across, there.up], axis=1)
    return (position, (a, b)), lambda points: np.asarray((points - there.origin) @ axes)


def _at(n: StationNumbers, stand: Standing, chord: float, angle: float, middle: Array) -> StationNumbers:
    """A station's numbers, its pivot in the middle of the chord."""
    offset = (float(middle[0]), float(middle[1]))
    return replace(n, position=stand[0], tilt=stand[1], chord=chord, set_angle=angle, pivot=0.5, offset=offset)


def endings(ground: Sources, resolved: Resolved) -> tuple[Ending | None, Ending | None]:
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
