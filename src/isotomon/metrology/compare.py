"""A body as made against the body as designed: fit, deviations, sections, what is other, what is missing."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask
from isotomon.errors import DesignError
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import unpack
from isotomon.measure.laws import Finding
from isotomon.measure.onto import Onto, onto
from isotomon.metrology.changes import APART, Change, Spots, dents, section_changes, sided, undone
from isotomon.metrology.fit import FREEDOMS, Fit, Freedom, fitted, other_unit
from isotomon.metrology.sections import SectionMade, sections_made
from isotomon.metrology.target import Target, target_of
from isotomon.pace import stage

MOST_POINTS = 5_000_000
LEAST_POINTS = 10
MOST_WEIGHED = 150_000
"""Points by which neighbours are judged; of more, evenly chosen ones."""
NEIGHBOURS, BROAD = 9, 40
FAR = 0.03
"""Of the body's size: points farther off are of something else."""
JUMP = 8.0
"""Times the points' spread a point lies off its neighbours that is none of them."""
ALONE = 0.25
"""Neighbours that lie off by less than this share of it do not bear a point out."""
GAP = 3.0
"""Times the points' spacing is a place from the nearest of them that was not measured."""
ACROSS = 0.7
"""Of that distance: by so much places lie apart for each unit by which they face another way, so that those across a thin body are beyond it."""
LEAST_GAP = 0.01
"""Of the surface: smaller places that were not measured are not told one by one."""
MOST_GAPS = 4
COLOURED = 5
"""Measured points by whose mean a place of the skin is coloured."""


@dataclass(frozen=True, eq=False)
class AsMade:
    """`points` (n, 3) where they lie on the design; `off` (n,) mm outward of it, `foot` and `normal` (n, 3) where; `far` (n,): points that are of
    something else, and count for nothing. `missing`: shares of the surface and places (3,) that were not measured."""

    target: Target
    freedom: Freedom
    fit: Fit
    points: Array
    off: Array
    foot: Array
    normal: Array
    far: Mask
    spacing: float
    spread: float
    sections: tuple[SectionMade, ...]
    changes: tuple[Change, ...]
    missing: tuple[tuple[float, Array], ...]
    findings: tuple[Finding, ...]

    @property
    def quick(self) -> Quick:
        """The design's results that it is held against."""
        return self.target.quick

    @cached_property
    def kept(self) -> Array:
        """The deviations that count, mm."""
        return self.off[~self.far]

    def figures(self) -> tuple[tuple[str, float, str], ...]:
        """(what, value, unit) of the deviations in all."""
        kept = self.kept
        least, greatest = (float(kept.min()), float(kept.max())) if len(kept) else (math.nan, math.nan)
        low, high = np.percentile(kept, [5.0, 95.0]).tolist() if len(kept) else (math.nan, math.nan)
        return (
            ("points", float(len(self.off)), ""),
            ("of them far off", float(self.far.sum()), ""),
            ("mean deviation", float(kept.mean()) if len(kept) else math.nan, "mm"),
            ("root of the mean square", float(np.sqrt((kept * kept).mean())) if len(kept) else math.nan, "mm"),
            ("least deviation", least, "mm"),
            ("greatest deviation", greatest, "mm"),
            ("5 % lie lower than", low, "mm"),
            ("5 % lie higher than", high, "mm"),
            ("noise of the points", self.spread, "mm"),
            ("size of the fit", self.fit.size, ""),
        )


def as_made(
    quick: Quick,
    points: Array,
    freedom: Freedom = "turn",
    named: Mapping[str, Array] | None = None,
    finished: bool = True,
) -> AsMade:
    """Points (n, 3) mm that were measured, held against the body in hand. `freedom`: what the fit may do with them; `named`: measured places by names
    of the design's; `finished`: against the finished solid where it is known.

    Raises: DesignError, for too few points or no body.
    """
    if len(points) < LEAST_POINTS:
        raise DesignError(f"{len(points)} points were measured; {LEAST_POINTS} at least are needed")
    if len(points) > MOST_POINTS:
        raise DesignError(f"there are {len(points):,} points; at most {MOST_POINTS:,} can be used: thin them out")
    if freedom not in FREEDOMS:
        raise DesignError(f"'{freedom}' is no freedom of a fit; use {', '.join(FREEDOMS)}")
    target = target_of(quick, finished)
    with stage("Fitting"):
        fit = fitted(target, points, freedom, named)
    placed = fit.placed(points)
    with stage("Deviations"):
        found = onto(target.surface, placed)
    rest = _judged(target, found)
    inside = placed[~rest.far]
    with stage("Sections"):
        sections = sections_made(quick, inside)
    turned = freedom in ("turn", "size") and not named
    changes = [*section_changes(sections, turned, freedom == "size")]
    kept = rest.spots
    if len(kept.off) >= LEAST_POINTS:
        with stage("What is other"):
            again = onto(target.surface, undone(quick, sections, placed[rest.some]))
        changes += dents(Spots(again.foot, again.normal, again.off), rest.spacing, rest.spread)
    missing = _missing(target, kept, rest.spacing)
    findings = tuple(_findings(target, fit, points, rest.far, sections, missing, freedom, changes))
    return AsMade(
        target, freedom, fit, placed, found.off, found.foot, found.normal, rest.far, rest.spacing, rest.spread,
        sections, tuple(changes), missing, findings,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Weighed:
    """Which points are of something else; `some` (k,) of the others, by which neighbours are judged, as spots; their spacing and noise, mm."""

    far: Mask
    some: Index
    spots: Spots
    spacing: float
    spread: float


def _judged(target: Target, found: Onto) -> _Weighed:
    """Points that none of their neighbours bear out, or that lie far off, are of something else."""
    far = (np.abs(found.off) > FAR * target.size) | (found.at_rim & (found.aside > np.abs(found.off) * 0.9))
    near = np.flatnonzero(~far)
    if len(near) < LEAST_POINTS:
        return _Weighed(far, near, Spots(found.foot[near], found.normal[near], found.off[near]), target.size, 0.0)
    some = near[np.linspace(0, len(near) - 1, min(len(near), MOST_WEIGHED)).round().astype(int)]
    spots = Spots(found.foot[some], found.normal[some], found.off[some])
    plain = cKDTree(spots.foot).query(spots.foot, k=2, workers=-1)[0][:, 1]
    spacing = max(float(np.median(plain)), 1e-6 * target.size)
    tree = cKDTree(sided(spots, APART * spacing))
    every = Spots(found.foot[near], found.normal[near], found.off[near])
    count = min(NEIGHBOURS, len(some))
    beside = np.asarray(tree.query(sided(every, APART * spacing), k=count, workers=-1)[1])
    own = spots.off[beside[:, 1:]]
    jump = every.off - np.median(own, axis=1)
    spread = max(1.4826 * float(np.median(np.abs(jump))), 1e-9 * target.size)
    odd = np.flatnonzero(np.abs(jump) > JUMP * spread)
    if len(odd):
        wide = np.asarray(tree.query(sided(every, APART * spacing)[odd], k=min(BROAD, len(some)))[1])
        broad = np.median(spots.off[wide], axis=1)
        out = every.off[odd] - broad
        borne = ((own[odd] - broad[:, None]) * np.sign(out)[:, None] > ALONE * np.abs(out)[:, None]).sum(axis=1)
        far[near[odd[borne < 2]]] = True
    keep = ~far[some]
    return _Weighed(far, some[keep], Spots(spots.foot[keep], spots.normal[keep], spots.off[keep]), spacing, spread)


def _missing(target: Target, spots: Spots, spacing: float) -> tuple[tuple[float, Array], ...]:
    """Regions of the surface, largest first, that lie farther from all points than these do from each other: share of the surface, and middle."""
    places, owner = np.asarray(target.surface.spots.data), target.surface.owner
    some = np.flatnonzero(target.measurable[owner])[:: max(len(places) // MOST_PLACES, 1)]
    places, owner, areas = places[some], owner[some], target.shares[some]
    if len(spots.off) < LEAST_POINTS:
        return ((1.0, places.mean(axis=0)),)
    own = Spots(places, target.surface.normals[owner].mean(axis=1), areas)
    reach = GAP * max(spacing, math.sqrt(target.surface.area / len(spots.off)))
    away = cKDTree(sided(spots, ACROSS * reach)).query(sided(own, ACROSS * reach), workers=-1)[0]
    bare = np.flatnonzero(away > reach)
    pairs = cKDTree(places[bare]).query_pairs(reach, output_type="ndarray") if len(bare) else np.zeros((0, 2), int)
    ones = np.ones(len(pairs))
    count, group = connected_components(
        coo_array((ones, (pairs[:, 0], pairs[:, 1])), shape=(len(bare),) * 2), directed=False
    )
    regions = [bare[group == k] for k in range(count)]
    found = [(float(areas[region].sum() / areas.sum()), places[region].mean(axis=0)) for region in regions]
    return tuple(sorted((one for one in found if one[0] >= LEAST_GAP), key=lambda one: -one[0])[:MOST_GAPS])


MOST_PLACES = 20_000
"""Of the surface at which it is seen whether something was measured."""


def _findings(
    target: Target,
    fit: Fit,
    points: Array,
    far: Mask,
    sections: tuple[SectionMade, ...],
    missing: tuple[tuple[float, Array], ...],
    freedom: Freedom,
    changes: list[Change],
) -> Iterable[Finding]:
    quick = target.quick
    name, key = quick.body.name, quick.body.id
    unit = other_unit(target, points)
    if unit:
        text = f"the points are {unit}; read them again with the unit that they are in"
        yield Finding("error", name, text, about=key)
    elif fit.mirrored:
        text = "the points fit far better mirrored: the part was made, or measured, the wrong hand"
        yield Finding("error", name, text, about=key)
    elif fit.middle > 10.0 * ROUGHLY * target.size:
        free = "" if freedom in ("turn", "size") else "; let them be shifted and turned, or name some of them"
        text = f"half of the points lie farther than {fit.middle:.3g} mm off the body{free}"
        yield Finding("error", name, text, about=key)
    count = int(far.sum())
    if count:
        verb = "lies" if count == 1 else "lie"
        text = f"{count:,} of {len(points):,} points {verb} far off, or alone, and {'does' if count == 1 else 'do'} not count"
        yield Finding("note", name, text, about=key)
    for share, middle in missing:
        x, y, z = middle.tolist()
        text = f"about ({x:.0f}, {y:.0f}, {z:.0f}) mm nothing was measured on {share * 100.0:.0f} % of the surface"
        yield Finding("note", name, text, place=(x, y, z), about=key)
    for one in sections:
        if one.fit is None:
            text = f"too few points ({one.count}) were measured near it to tell its section"
            yield Finding("note", one.name, text, one.position, about=one.station)
        elif one.covered < COVERED:
            text = f"only {one.covered * 100.0:.0f} % of its outline was measured; what is told of its section rests on that"
            yield Finding("note", one.name, text, one.position, about=one.station)
    yield from law_findings_made(quick, sections)
    for change in changes:
        yield Finding("note", name, change.words, change.position, change.place, change.about or key)


ROUGHLY = 1e-3
COVERED = 0.7
"""Of an outline: with less of it measured, that is told."""


def law_findings_made(quick: Quick, sections: tuple[SectionMade, ...]) -> Iterable[Finding]:
    """Stations at which what was made keeps no law's band: the worst of each law."""
    for law in laws_made(quick, sections):
        if law.out:
            yield Finding("band", law.where, law.words, law.position, about=law.key)


@dataclass(frozen=True)
class LawMade:
    """A law at its worst station as made."""

    key: str
    name: str
    where: str
    position: float
    value: float
    target: float
    band: float
    words: str
    out: bool


def laws_made(quick: Quick, sections: tuple[SectionMade, ...]) -> list[LawMade]:
    """The laws that are judged of the design, against the sections as made, in their own bands; of each the worst station."""
    found = []
    for judged in quick.judged:
        if judged.quality == "twist_rate" or not len(judged.position):
            continue
        factor, unit = {"area": (1.0, "mm²"), "thickness": (1.0, "mm")}.get(judged.quality, (math.degrees(1.0), "°"))
        rows = list[LawMade]()
        for one in sections:
            value, at = getattr(one.made, judged.quality), int(np.argmin(np.abs(judged.position - one.position)))
            if math.isnan(value) or abs(judged.position[at] - one.position) > 1e-6:
                continue
            aim, half = float(judged.target[at]), float(judged.band[at])
            over = abs(value - aim) > half * (1.0 + 1e-9)
            words = f"{judged.name}: {value * factor:.6g} {unit} was made where {aim * factor:.6g} ± {half * factor:.3g} {unit} is intended"
            rows.append(
                LawMade(
                    judged.key,
                    judged.name,
                    one.name,
                    one.position,
                    value * factor,
                    aim * factor,
                    half * factor,
                    words,
                    over,
                )
            )
        if rows:
            found.append(max(rows, key=lambda row: abs(row.value - row.target) / max(row.band, 1e-300)))
    return found


def coloured(made: AsMade) -> Colouring:
    """The deviations on the skin, or on the finished bodies: at each place the mean of the points about it; no value where none was measured.

    Raises: DesignError, where nothing is left to colour by.
    """
    quick = made.quick
    keep = ~made.far
    if not keep.any():
        raise DesignError("all points lie far off, so that nothing can be coloured by them")
    some = np.flatnonzero(keep)
    some = some[np.linspace(0, len(some) - 1, min(len(some), MOST_WEIGHED)).round().astype(int)]
    spots = Spots(made.foot[some], made.normal[some], made.off[some])
    spacing = max(made.spacing, math.sqrt(made.target.surface.area / len(some)))
    if made.target.finished:
        built = list(quick.finished.values())
        places = np.vstack([unpack(one.vertices) for one in built])
        facing = np.vstack([unpack(one.normals) for one in built])
    else:
        mesh = quick.stood_mesh
        places, facing = mesh.points.reshape(-1, 3), mesh.normals.reshape(-1, 3)
    own = Spots(places, facing, np.zeros(len(places)))
    count, reach = min(COLOURED, len(some)), GAP * spacing
    away, near = cKDTree(sided(spots, ACROSS * reach)).query(sided(own, ACROSS * reach), k=count, workers=-1)
    away, near = np.atleast_2d(away.T).T, np.atleast_2d(near.T).T
    weight = 1.0 / (away + 0.05 * spacing) ** 2
    value = (weight * spots.off[near]).sum(axis=1) / weight.sum(axis=1)
    value = np.where(away[:, 0] < reach, value, np.nan)
    ends = []
    for row in (int(np.argmin(spots.off)), int(np.argmax(spots.off))):
        x, y, z = spots.foot[row].tolist()
        ends.append((float(spots.off[row]), (x, y, z)))
    shape = quick.mesh.points.shape[:2] if not made.target.finished and quick.mesh is not None else value.shape
    return Colouring(value.reshape(shape), "mm", True, ends[0], ends[1], made.target.finished)
