"""Sections as made at the stations of a body, by points that were measured near them, against the sections as designed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.field.section_field import Sections
from isotomon.geometry.nearby import nearest
from isotomon.geometry.planar import signed_area, thickness
from isotomon.inspect.results import Quick, Shape
from isotomon.measure.foils import Foil, foil
from isotomon.metrology.flat_fit import LEAST_POINTS, FlatFit, flat_fit
from isotomon.pace import checkpoint

FINE = 2400
"""Places round a section at which its outline is laid out."""
REACH = 0.03
"""Of the body's length: points no farther from a station's plane tell of its section."""
SLABS = (0.001, 0.0025, 0.005, 0.01, 0.02, 1.0)
"""Of that length: the points of the thinnest slab that has enough of them, all round, are taken."""
ENOUGH, ROUND_PARTS, ALL_ROUND = 60, 24, 0.8
MOST = 4000
"""Points that tell of one section; of more, those nearest to its plane."""
ROWS = 17
"""Sections within the reach, by which points are carried into the plane."""
ROOM = 0.06
"""Of the section's size: points farther off it are of something else."""
NOSE = 0.01
"""Of the chord: so near to its ends what is left of the fit is theirs."""


@dataclass(frozen=True)
class SectionSize:
    """What is told of a section, as designed or as made: mm², mm, rad; NaN where it has none."""

    area: float
    chord: float
    set_angle: float
    turn: float
    thickness: float
    leading_radius: float
    trailing_radius: float


@dataclass(frozen=True, eq=False)
class SectionMade:
    """A station's section as made. `count`: points that tell of it; `covered`: the share of its outline that they lie along; `leading`,
    `trailing`: by how much its ends stand out farther than designed, mm along the chord; `shift` (2,) mm of its middle along the plane's axes;
    `doubt`: standard errors of chord (mm) and set angle (rad). `fit`: None where there are too few points, and nothing is told."""

    station: str
    name: str
    position: float
    count: int
    covered: float
    designed: SectionSize
    made: SectionSize
    leading: float
    trailing: float
    shift: tuple[float, float]
    doubt: tuple[float, float]
    outline: Array
    """(m, 2) as designed."""
    as_made: Array
    """(m, 2)."""
    fit: FlatFit | None


@dataclass(frozen=True, eq=False)
class Outlines:
    """Outlines of sections in their planes, closely: `points`, `slopes`, `bends`, outward `normals`, (stations, m, 2)."""

    points: Array
    slopes: Array
    bends: Array
    normals: Array


def sections_made(quick: Quick, points: Array) -> tuple[SectionMade, ...]:
    """The sections of the body's first copy as made, of points (n, 3) that lie on the design; none for a body without closed sections."""
    shape = quick.shape
    if shape is None or shape.open:
        return ()
    back = np.linalg.inv(quick.placed[0])
    own = points @ back[:3, :3].T + back[:3, 3]
    found = []
    stations = quick.resolved.stations
    lines = outlines_of(shape, shape.sections.at(shape.at_stations))
    for row in range(len(stations)):
        checkpoint(row / len(stations))
        if station_is_point(shape, row):
            continue
        flat = flattened(shape, row, own)
        found.append(_section_made(quick, row, lines, flat))
    return tuple(found)


@dataclass(frozen=True, eq=False)
class PlacesAlong:
    """Of points (n, 3): `position` (n,) along the body, mm; `flat` (n, 2) in the plane of the section there, of which `axes` (n, 2, 3) are the
    axes; `middle` (n, 2) of its chord in that: of the body as it is shaped."""

    position: Array
    flat: Array
    axes: Array
    middle: Array


def places_along(quick: Quick, points: Array) -> PlacesAlong:
    """Where along the first copy of a body with stations points (n, 3) lie: by the nearest place of its skin, and from there on as the carrier goes."""
    shape = quick.shape
    assert shape is not None
    back = np.linalg.inv(quick.placed[0])
    own, at = points @ back[:3, :3].T + back[:3, 3], shape.sections
    row = nearest(shape.mesh.tree, own)[:, 0] // shape.mesh.points.shape[1]
    near = np.searchsorted(at.v, shape.mesh.v)[row]
    axes = np.stack([at.across[near], at.up[near]], axis=1)
    away = own - at.origin[near]
    climb = np.einsum("nk,nk->n", away, at.normal[near])
    flat = np.einsum("nkc,nc->nk", axes, away)
    return PlacesAlong(at.position[near] + climb, flat, axes, at.anchor.mean(axis=1)[near])


def station_is_point(shape: Shape, row: int) -> bool:
    """Whether the body comes to a point at a station."""
    return bool(np.ptp(shape.sections.local[shape.at_stations[row]], axis=0).max() < 1e-9)


def outlines_of(shape: Shape, sections: Sections) -> Outlines:
    """Outer outlines of sections, counter-clockwise as seen in their planes."""
    common = shape.form.common
    outer = [lane for lane in common.lanes if lane.loop == 0]
    share = (np.arange(FINE // len(outer)) + 0.5) / (FINE // len(outer))
    each = [share if lane.loop == 0 else share[:0] for lane in common.lanes]
    points, slopes, bends = (np.stack([common.matrix(each, d) @ local for local in sections.local]) for d in (0, 1, 2))
    size = np.maximum(np.linalg.norm(slopes, axis=2, keepdims=True), 1e-300)
    turned = np.stack([slopes[..., 1], -slopes[..., 0]], axis=-1) / size
    return Outlines(points, slopes, bends, turned)


def flattened(shape: Shape, row: int, points: Array) -> Array:
    """(k, 2) in a station's plane: of points (n, 3) near it, each carried there as the designed skin runs."""
    field, at = shape.field, shape.at_stations[row]
    here = shape.sections.at(np.array([at]))
    origin, normal = here.origin[0], here.normal[0]
    reach = REACH * (field.last - field.first)
    height = (points - origin) @ normal
    size = float(np.ptp(here.local[0], axis=0).max())
    middle = origin + here.local[0].mean(axis=0) @ np.stack([here.across[0], here.up[0]])
    inside = np.flatnonzero((np.abs(height) < reach) & (np.linalg.norm(points - middle, axis=1) < size + reach))
    if len(inside) < LEAST_POINTS:
        return np.zeros((0, 2))
    own = outlines_of(shape, here).points[0]
    for share in SLABS:
        chosen = inside[np.abs(height[inside]) <= share * (field.last - field.first)]
        if len(chosen) >= ENOUGH and _all_round(own, here, points[chosen]):
            break
    chosen = chosen[np.argsort(np.abs(height[chosen]), kind="stable")[:MOST]]
    flat = _carried(shape, float(shape.v[at]), float(np.abs(height[chosen]).max(initial=0.0)), here, points[chosen])
    near = cKDTree(own).query(flat)[0] < ROOM * size
    return np.asarray(flat[near])


def _in_plane(here: Sections, points: Array) -> Array:
    away = points - here.origin[0]
    return np.stack([away @ here.across[0], away @ here.up[0]], axis=1)


def _all_round(outline: Array, here: Sections, points: Array) -> bool:
    """Whether points lie along most of an outline (m, 2)."""
    near = np.asarray(cKDTree(outline).query(_in_plane(here, points))[1])
    return len(np.unique(near * ROUND_PARTS // len(outline))) >= ALL_ROUND * ROUND_PARTS


def _carried(shape: Shape, v: float, far: float, here: Sections, points: Array) -> Array:
    """Points near the plane of a section at v, no farther than `far` mm, in it: each goes as the nearest place of the designed skin does."""
    field = shape.field
    position = float(field.positions(np.array([v]))[0])
    lean = 2.0 * far + 1e-6 * (field.last - field.first)  # a leaning plane's points lie farther along
    low, high = max(position - lean, field.first), min(position + lean, field.last)
    rows = np.union1d(field.params(np.linspace(low, high, ROWS)), [v])
    sections = field.sections(rows)
    common = shape.form.common
    outer = [lane for lane in common.lanes if lane.loop == 0]
    share = np.linspace(0.0, 1.0, max(FINE // 2 // len(outer), 2))
    matrix = common.matrix([share if lane.loop == 0 else share[:0] for lane in common.lanes])
    grid = np.stack([matrix @ control for control in sections.control])
    slopes = np.stack([matrix @ slope for slope in sections.slopes])
    count = grid.shape[1]
    near = np.asarray(cKDTree(grid.reshape(-1, 3)).query(points)[1])
    row, column = near // count, near % count
    home = int(np.argmin(np.abs(rows - v)))
    carried = points - grid[row, column] + grid[home, column]
    normal, way = here.normal[0], slopes[row, column]
    climb = way @ normal
    there = np.abs(climb) > 1e-3 * np.maximum(np.linalg.norm(way, axis=1), 1e-300)
    rest = np.where(there, ((carried - here.origin[0]) @ normal) / np.where(there, climb, 1.0), 0.0)
    return _in_plane(here, carried - rest[:, None] * way)


def _section_made(quick: Quick, row: int, lines: Outlines, flat: Array) -> SectionMade:
    shape = quick.shape
    assert shape is not None
    at, station = int(shape.at_stations[row]), quick.resolved.stations[row]
    anchor, round_ = shape.sections.anchor[at], bool(shape.sections.round[at])
    outline, normals = lines.points[row], lines.normals[row]
    way = np.array([1.0, 0.0]) if round_ else _unit(anchor[1] - anchor[0])
    own = foil(outline, lines.slopes[row], lines.bends[row], *anchor)
    curves = shape.curves
    designed = SectionSize(
        float(curves.area[at]),
        float(curves.chord[at]),
        float(curves.set_angle[at]),
        float(curves.turn[at]),
        own.thickness if not round_ else _thickness(outline, way),
        *((math.nan, math.nan) if round_ else (own.leading_radius, own.trailing_radius)),
    )
    fit = flat_fit(outline, normals, way, flat)
    if fit is None:
        nothing = SectionSize(*[math.nan] * 7)
        return SectionMade(
            station.station.id, station.station.name, station.position, len(flat), 0.0, designed, nothing,
            math.nan, math.nan, (math.nan, math.nan), (math.nan, math.nan), outline, outline[:0], None,
        )  # fmt: skip
    made, ends = _size_made(fit, designed, own, (outline, normals, anchor, way), round_)
    moved = fit.map[:, :2] @ outline.mean(axis=0) + fit.map[:, 2] - outline.mean(axis=0)
    chord_doubt = fit.doubt[0] * designed.chord
    angle_doubt = math.nan if round_ else fit.doubt[1]
    return SectionMade(
        station.station.id, station.station.name, station.position, len(flat), fit.covered, designed, made,
        *ends, (float(moved[0]), float(moved[1])), (chord_doubt, angle_doubt), outline, fit.made(outline, normals), fit,
    )  # fmt: skip


def _size_made(
    fit: FlatFit, designed: SectionSize, own: Foil, of: tuple[Array, Array, Array, Array], round_: bool
) -> tuple[SectionSize, tuple[float, float]]:
    """The sizes as made, and by how much the ends stand out."""
    outline, normals, anchor, way = of
    made = fit.made(outline, normals)
    linear = fit.map[:, :2]
    ends = anchor @ linear.T + fit.map[:, 2]
    along = _unit(ends[1] - ends[0]) if not round_ else way
    out = [_left_at(fit, outline, normals, end, sign * way) for end, sign in zip(anchor, (-1.0, 1.0), strict=True)]
    chord = (
        float(np.linalg.norm(ends[1] - ends[0])) + sum(out)
        if not round_
        else designed.chord * math.sqrt(abs(float(np.linalg.det(linear)))) + 2.0 * float(fit.left.mean())
    )
    angle = designed.set_angle + _between(way, along)
    radii = (own.leading_radius, own.trailing_radius)
    if not round_:  # an offset of an arc is an arc
        grown = [_grown(linear, sign * way) for sign in (-1.0, 1.0)]
        radii = (radii[0] * grown[0] + out[0], radii[1] * grown[1] + out[1])
    size = SectionSize(
        designed.area + abs(float(signed_area(made))) - abs(float(signed_area(outline))),
        chord,
        math.nan if round_ else angle,
        math.nan if round_ else designed.turn + _turned(outline, outline @ linear.T + fit.map[:, 2]),
        designed.thickness + _thickness(made, along) - _thickness(outline, way),
        *((math.nan, math.nan) if round_ else radii),
    )
    stand = [
        float((end - was) @ (sign * way)) + left
        for end, was, sign, left in zip(ends, anchor, (-1.0, 1.0), out, strict=True)
    ]
    return size, (stand[0], stand[1])


def _unit(a: Array) -> Array:
    return np.asarray(a / max(float(np.linalg.norm(a)), 1e-300))


def _between(a: Array, b: Array) -> float:
    return math.atan2(float(a[0] * b[1] - a[1] * b[0]), float(a @ b))


def _grown(linear: Array, way: Array) -> float:
    """By how much a nose that points along `way` is larger in radius after a linear map: as the square of its width over its depth."""
    across = np.array([-way[1], way[0]])
    return float(np.linalg.norm(linear @ across)) ** 2 / max(float(np.linalg.norm(linear @ way)), 1e-300)


def _thickness(points: Array, way: Array) -> float:
    """mm of an outline (m, 2) square to a way."""
    turned = np.stack([points @ way, way[0] * points[:, 1] - way[1] * points[:, 0]], axis=1)
    return float(thickness(turned[None])[0])


SURE = 3.0
"""Times the points' spread what is left is more than chance."""


def _left_at(fit: FlatFit, outline: Array, normals: Array, end: Array, way: Array) -> float:
    """What is left of the fit at one end of the chord, where the outline faces along it; nought where it may be chance."""
    size = float(np.ptp(outline, axis=0).max())
    near = (np.linalg.norm(outline - end, axis=1) < NOSE * size) & (normals @ way > 0.7) & fit.seen
    left = float(fit.left[near].mean()) if near.any() else 0.0
    return left if abs(left) > SURE * fit.spread else 0.0


def _turned(outline: Array, mapped: Array) -> float:
    """rad of the rotation that comes nearest to what became of an outline, each stretch counting by its length."""
    weight = np.linalg.norm(np.roll(outline, -1, axis=0) - np.roll(outline, 1, axis=0), axis=1)[:, None]
    a, b = (p - (weight * p).sum(axis=0) / weight.sum() for p in (outline, mapped))
    return math.atan2(
        float((weight[:, 0] * (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])).sum()), float((weight * a * b).sum())
    )
