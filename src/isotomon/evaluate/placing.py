"""Stations' profiles as they stand: what each is made of, and its points in space, before any body is made of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import DesignError, ProfileError
from isotomon.evaluate.drawn import Drawings, EndSection, SolvedSection, WorkedSection, section_shape
from isotomon.field.layers import Turned, angle_course
from isotomon.field.wrapping import Wrap
from isotomon.geometry.basis import Basis
from isotomon.geometry.datums import Plane, SpaceCurve
from isotomon.profile import walls
from isotomon.profile.outline import Outline2D, Run, fit_run
from isotomon.profile.readymade import outline_of
from isotomon.profile.section import Apex, Drawn, Elsewhere, FromPoints, Kept, KeptRun, Outline, Section
from isotomon.quantity.record import Ref

Source = Section | Outline | SolvedSection | EndSection | WorkedSection
"""What a profile is made of: its record, the coordinates behind it, the solved drawing, or what it stands on."""
NAMES = ("lead", "trail", "upper", "lower")


def source_of(n: StationNumbers, design: Design, drawings: Drawings) -> Source:
    """What a station's profile is made of.

    Raises: ProfileError, when that is gone.
    """
    bare = _bare_source(n, design, drawings)
    if isinstance(bare, Kept | Apex) or not (n.wall or n.shut):
        return bare
    left, right = (w / n.chord for w in n.wall or (0.0, 0.0))
    return WorkedSection(bare, left, right, n.shut)  # type: ignore[arg-type]


def _bare_source(n: StationNumbers, design: Design, drawings: Drawings) -> Source:
    section = n.station.section
    if isinstance(section, Elsewhere):
        if n.station.id not in drawings.ends:
            raise ProfileError(f"station '{n.station.name}': what it stands on is not there; choose another section")
        return drawings.ends[n.station.id]
    if isinstance(section, Drawn):
        return drawings.section(section)
    if not isinstance(section, FromPoints):
        return section
    for outline in design.outlines:
        if outline.id == section.outline:
            return outline
    raise ProfileError(f"station '{n.station.name}': its foil coordinates are gone; choose another section")


@lru_cache(maxsize=512)
def outline_for(source: Source) -> Outline2D:
    """The outline of what a profile is made of, for a chord of 1.

    Raises: ProfileError.
    """
    if isinstance(source, WorkedSection):
        return _worked(source)[0]
    if isinstance(source, SolvedSection):
        return section_shape(source).outline
    if isinstance(source, EndSection):
        names = (*source.corners, source.corners[0]) if source.corners else ("",) * (len(source.runs) + 1)
        return _of_runs(tuple(_run_by_length(r, k).named(*names[k : k + 2]) for k, r in enumerate(source.runs)), source)
    if isinstance(source, Outline):
        return outline_of(FromPoints(Ref(source.id)), {source.id: source})
    if isinstance(source, Kept):
        runs = [
            (Basis(r.degree, np.array(r.breaks), np.array(r.multiplicity, dtype=np.int64), r.periodic), r.control)
            for r in source.runs
        ]
        if any(b.size != len(c) for b, c in runs):
            raise ProfileError("a kept section does not hold together; replace it by another section")
        fine = np.linspace(0.0, 1.0, 401)
        made = tuple(
            Run(b, np.array(c), float(np.linalg.norm(np.diff(b.matrix(fine) @ np.array(c), axis=0), axis=1).sum()))
            for b, c in runs
        )
        return _of_runs(made, source)
    return outline_of(source, {})


def holes_for(source: Source) -> tuple[Outline2D, ...]:
    """The holes in what a profile is made of, in the frame of its outline."""
    if isinstance(source, WorkedSection):
        return _worked(source)[1]
    return section_shape(source).holes if isinstance(source, SolvedSection) else ()


@lru_cache(maxsize=256)
def _worked(source: WorkedSection) -> tuple[Outline2D, tuple[Outline2D, ...]]:
    """The outline of a profile that is shut or given a wall, and its holes.

    Raises: ProfileError.
    """
    outline, holes = outline_for(source.of), holes_for(source.of)
    if outline.open and source.shut:
        outline = walls.shut(outline)
    if not source.left and not source.right:
        return outline, holes
    if holes:
        raise ProfileError("a profile with holes takes no wall; draw it without, or take the wall off")
    outer, hole = walls.walled(outline, source.left, source.right)
    return outer, () if hole is None else (hole,)


def _of_runs(runs: tuple[Run, ...], source: Kept | EndSection) -> Outline2D:
    """An outline of a section that was kept: open, where the last run does not come back to the first."""
    first, last = runs[0], runs[-1]
    apart = not first.basis.periodic and np.abs(first.control[0] - last.control[-1]).max() > 1e-9
    return Outline2D(runs, np.array(source.anchor), source.round, bool(apart))


def _run_by_length(run: KeptRun, number: int) -> Run:
    """The run of this number with its parameter changed to arc length."""
    basis = Basis(run.degree, np.array(run.breaks), np.array(run.multiplicity, dtype=np.int64), run.periodic)
    control = np.array(run.control)
    if basis.size != len(control):
        raise ProfileError("what the section stands on does not hold together; rebuild it")
    # All breaks are marks: between them the other body's slopes, too, are as smooth as they can be.
    marks = [
        (f"end {number} break {k}", float(b), int(run.degree - m))
        for k, (b, m) in enumerate(zip(run.breaks, run.multiplicity, strict=True))
        if 0.0 < b < 1.0
    ]
    return fit_run(
        lambda t: basis.matrix(np.mod(t, 1.0) if run.periodic else t) @ control, marks=marks, periodic=run.periodic
    )


@dataclass(frozen=True, eq=False)
class Stood:
    """A station's profile where it stands: `plane` of the section, made flat when it is wrapped."""

    n: StationNumbers
    outline: Outline2D
    plane: Plane
    angle: float
    """rad; a round profile, which has none of its own, is turned as the body is there."""
    wrap: Wrap | None

    @cached_property
    def pivot(self) -> Array:
        """(2,) the point of the outline that sits on the carrier."""
        anchor = self.outline.anchor
        return np.asarray(anchor[0] + self.n.pivot * (anchor[1] - anchor[0]))

    @cached_property
    def turned(self) -> Array:
        """(2, 2) what turns the outline, its points in rows."""
        c, s = float(np.cos(self.angle)), float(np.sin(self.angle))
        return np.array([[c, s], [-s, c]])

    def in_plane(self, unit: Array) -> Array:
        """Points (m, 2) of the outline at chord 1 → (m, 2) mm in the station's plane."""
        return np.asarray((unit - self.pivot) @ self.turned * self.n.chord + self.n.offset)

    def to_unit(self, flat: Array) -> Array:
        """What `in_plane` takes back."""
        return np.asarray((flat - self.n.offset) @ self.turned.T / self.n.chord + self.pivot)

    @cached_property
    def _laying(self) -> tuple[Array, Array]:
        """(2, 3) and (3,): what carries points of the outline into space."""
        axes = np.stack([self.plane.across, self.plane.up])
        turned = self.turned * self.n.chord
        return turned @ axes, self.plane.origin + (self.n.offset - self.pivot @ turned) @ axes

    def in_space(self, unit: Array) -> Array:
        """(m, 3) where points of the outline lie."""
        across, base = self._laying
        points = unit @ across + base
        return points if self.wrap is None else self.wrap.laid(points)[0]

    def point(self, part: str) -> Array:
        """(3,) a point of the profile by its name (`named_share`).

        Raises: DesignError.
        """
        try:
            unit = _named_point(self.outline, part)
        except DesignError as error:
            raise DesignError(f"the profile at station '{self.n.station.name}': {error}") from None
        return self.in_space(unit)[0]

    def curve(self) -> SpaceCurve:
        """The profile as a curve; its corners are the parameters where it turns sharply."""
        outline = self.outline
        corners = tuple((outline.corner_lengths() / outline.length).tolist())
        return SpaceCurve(
            lambda t: self.in_space(outline.points(np.asarray(t) * outline.length)),
            not outline.open,
            corners,
            names=outline.corner_names,
        )


def named_point(part: str) -> bool:
    """Whether a station's part is a point of its profile by name."""
    return part in NAMES or part.startswith(("at:", "c:"))


@lru_cache(maxsize=4096)
def named_share(outline: Outline2D, part: str) -> float:
    """The share of the arc length at a named point: `lead`, `trail` (where the outline comes nearest to them), `upper`,
    `lower` (its highest and lowest), `c:tail` (a corner by its lasting name), `at:0.25` (the share itself).

    Raises: DesignError.
    """
    if part.startswith("at:"):
        try:
            return outline.on(float(part[3:]))
        except ValueError:
            raise DesignError(f"'{part}' is not a share of its length, such as at:0.25") from None
    if part.startswith("c:"):
        try:
            return outline.share_of(part[2:])
        except ProfileError as error:
            raise DesignError(str(error)) from None
    if part in ("upper", "lower"):
        return _extreme_share(outline, 1.0 if part == "upper" else -1.0)
    x, y = np.round(outline.anchor[0 if part == "lead" else 1], 9).tolist()
    return nearest_share(outline, x, y)


@lru_cache(maxsize=4096)
def _named_point(outline: Outline2D, part: str) -> Array:
    """(1, 2) the named point at chord 1."""
    return outline.points(np.array([named_share(outline, part) * outline.length]))


@lru_cache(maxsize=512)
def _extreme_share(outline: Outline2D, way: float) -> float:
    """Where an outline is highest (way 1) or lowest (-1)."""
    return _least(outline, lambda p: -way * p[:, 1])


@lru_cache(maxsize=4096)
def nearest_share(outline: Outline2D, x: float, y: float) -> float:
    """The share of an outline's arc length nearest to a point (chord 1); a corner's own share at a corner."""
    point = np.array([x, y])
    return _least(outline, lambda p: np.sum((p - point) ** 2, axis=1))


def _least(outline: Outline2D, cost: Callable[[Array], Array]) -> float:
    """The share at which a smooth cost of the outline's points is least, to about 1e-9."""
    corners = outline.corner_lengths() / outline.length
    low, step, count = 0.0, 1.0 / 720, 721
    for _ in range(4):
        s = low + step * np.arange(count, dtype=np.float64)
        away = cost(outline.points(s * outline.length))
        k = int(away.argmin())
        low, step, count = float(s[k]) - step, step / 10.0, 21
    best = float(s[k])
    # The last three places about the least lie on a parabola.
    if 0 < k < len(s) - 1:
        a, b, c = away[k - 1 : k + 2]
        bend = a - 2.0 * b + c
        best += float(0.5 * (a - c) / bend if bend > 0.0 else 0.0) * float(s[1] - s[0])
    if len(corners):
        off = np.abs((corners - best + 0.5) % 1.0 - 0.5)
        if off.min() < 1e-5 and not outline.open:
            return float(corners[int(off.argmin())])
    return outline.on(round(best, 9))


def body_angles(resolved: Resolved, design: Design, drawings: Drawings) -> dict[str, float]:
    """Station id → rad by which the body is turned there: its set angle and whole turns; a round profile takes what the
    body has between its neighbours."""
    turns = {t.station.thing: t.turns for t in resolved.body.loft.turns}
    marked, whole = [], 0
    for n in resolved.stations:
        whole += turns.get(n.station.id, 0)
        try:
            is_round = isinstance(n.station.section, Apex) or outline_for(source_of(n, design, drawings)).round
        except ProfileError:
            is_round = False
        marked.append(Turned(n.position, n.station.rank, n.set_angle + 2.0 * np.pi * whole, is_round))
    angles = zip(resolved.stations, _angles_of(tuple(marked)), strict=True)
    return {n.station.id: a for n, a in angles if not n.carried}


@lru_cache(maxsize=16)
def _angles_of(marked: tuple[Turned, ...]) -> list[float]:
    positions = [m.position for m in marked]
    # Those on planes that are not worked out yet may lie together until they are.
    apart = all(b > a for a, b in zip(positions[:-1], positions[1:], strict=True))
    if len(marked) < 2 or not any(m.round for m in marked) or not apart:
        return [m.set_angle for m in marked]
    return angle_course(marked)(np.array(positions))[:, 0].tolist()


def stood(
    n: StationNumbers,
    angle: float,
    plane: Plane,
    design: Design,
    drawings: Drawings,
    wrap: tuple[float, float, float] | None,
) -> Stood:
    """A station's profile where it stands: on its plane, turned by `angle`.

    Raises: ProfileError.
    """
    outline = outline_for(source_of(n, design, drawings))
    return Stood(n, outline, plane, angle, Wrap(wrap[:2], wrap[2]) if wrap is not None else None)
