"""Which measured points are the body's, how near they lie to each other, and where there are none."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask
from isotomon.measure.onto import Onto
from isotomon.metrology.changes import APART, NearPoints, sided
from isotomon.metrology.target import Target

MOST_PLACES = 20_000
"""Of the surface at which it is seen whether something was measured."""
LEAST_POINTS = 10
"""Fewer measured points tell nothing."""
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


@dataclass(frozen=True, eq=False)
class Weighed:
    """Which points are of something else; `some` (k,) of the others, by which neighbours are judged, as spots; their spacing and noise, mm."""

    far: Mask
    some: Index
    spots: NearPoints
    spacing: float
    spread: float


def weighed(target: Target, found: Onto) -> Weighed:
    """Points that none of their neighbours bear out, or that lie far off, are of something else."""
    far = (np.abs(found.off) > FAR * target.size) | (found.at_rim & (found.aside > np.abs(found.off) * 0.9))
    near = np.flatnonzero(~far)
    if len(near) < LEAST_POINTS:
        return Weighed(far, near, NearPoints(found.foot[near], found.normal[near], found.off[near]), target.size, 0.0)
    some = near[np.linspace(0, len(near) - 1, min(len(near), MOST_WEIGHED)).round().astype(int)]
    spots = NearPoints(found.foot[some], found.normal[some], found.off[some])
    plain = cKDTree(spots.foot).query(spots.foot, k=2, workers=-1)[0][:, 1]
    spacing = max(float(np.median(plain)), 1e-6 * target.size)
    tree = cKDTree(sided(spots, APART * spacing))
    every = NearPoints(found.foot[near], found.normal[near], found.off[near])
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
    return Weighed(far, some[keep], NearPoints(spots.foot[keep], spots.normal[keep], spots.off[keep]), spacing, spread)


def missing(target: Target, spots: NearPoints, spacing: float) -> tuple[tuple[float, Array], ...]:
    """Regions of the surface, largest first, that lie farther from all points than these do from each other: share of the surface, and middle."""
    places, owner = np.asarray(target.surface.spots.data), target.surface.owner
    some = np.flatnonzero(target.measurable[owner])[:: max(len(places) // MOST_PLACES, 1)]
    places, owner, areas = places[some], owner[some], target.shares[some]
    if len(spots.off) < LEAST_POINTS:
        return ((1.0, places.mean(axis=0)),)
    own = NearPoints(places, target.surface.normals[owner].mean(axis=1), areas)
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
