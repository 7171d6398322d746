"""A body as made against the body as designed: fit, deviations, sections, what is other, what is missing."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Mask
from isotomon.errors import DesignError
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import unpack
from isotomon.measure.laws import Finding
from isotomon.measure.onto import Onto, onto
from isotomon.metrology.changes import Change, NearPoints, dents, section_changes, sided, undone, widest_dent
from isotomon.metrology.findings import findings_made
from isotomon.metrology.fit import FREEDOMS, Fit, Freedom, fitted
from isotomon.metrology.sections import SectionMade, sections_made
from isotomon.metrology.target import Target, target_of
from isotomon.metrology.weighed import ACROSS, GAP, JUMP, LEAST_POINTS, MOST_WEIGHED, missing, weighed
from isotomon.pace import stage

MOST_POINTS = 5_000_000
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


def held_against(
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
    rest = weighed(target, found)
    inside = placed[~rest.far & target.measurable[found.triangle] & _outside(target, found, placed, rest.spread)]
    with stage("Sections"):
        sections = sections_made(quick, inside)
    turned = freedom in ("turn", "size") and not named
    changes = [*section_changes(sections, turned, freedom == "size")]
    kept = rest.spots
    if len(kept.off) >= LEAST_POINTS:
        with stage("What is other"):
            here = placed[rest.some]
            back = undone(quick, sections, here)
            again = onto(target.surface, back)
        moved, widest = np.linalg.norm(back - here, axis=1), widest_dent(sections, target.size)
        changes += dents(NearPoints(again.foot, again.normal, again.off), rest.spacing, rest.spread, moved, widest)
    bare = missing(target, kept, rest.spacing)
    findings = tuple(findings_made(target, fit, points, rest.far, sections, bare, freedom, changes))
    return AsMade(
        target, freedom, fit, placed, found.off, found.foot, found.normal, rest.far, rest.spacing, rest.spread,
        sections, tuple(changes), bare, findings,
    )  # fmt: skip


def _outside(target: Target, found: Onto, placed: Array, spread: float) -> Mask:
    """(n,) of points on a finished body: whether they are on its skin as it is shaped, of which its sections are told, not on a wall within it or a face
    that was made later."""
    if not target.finished or target.quick.shape is None:
        return np.ones(len(placed), dtype=bool)
    skin = target_of(target.quick, finished=False)
    shaped = onto(skin.surface, placed)
    same = np.abs(shaped.off - found.off) < SAME + JUMP * spread
    return np.asarray(
        same & skin.measurable[shaped.triangle] & (np.einsum("nk,nk->n", shaped.normal, found.normal) > FACING)
    )


SAME, FACING = 0.02, 0.9
"""mm to which points lie as far off a finished body as off its skin as it is shaped, and the cosine of the angle to which both face alike, where they
are the same there."""


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
    spots = NearPoints(made.foot[some], made.normal[some], made.off[some])
    spacing = max(made.spacing, math.sqrt(made.target.surface.area / len(some)))
    if made.target.finished:
        built = list(quick.finished.values())
        places = np.vstack([unpack(one.vertices) for one in built])
        facing = np.vstack([unpack(one.normals) for one in built])
    else:
        mesh = quick.stood_mesh
        places, facing = mesh.points.reshape(-1, 3), mesh.normals.reshape(-1, 3)
    own = NearPoints(places, facing, np.zeros(len(places)))
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
    return Colouring(value.reshape(shape), "mm", True, ends[0], ends[1], made.target.finished, True)
