"""What is other than designed, in few words: chords and angles that change from a station on, and dents and bumps with their size and place."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.optimize import least_squares
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.geometry.hermite import smooth
from isotomon.inspect.results import Quick
from isotomon.metrology.sections import SectionMade, places_along

SURE = 4.0
"""Standard errors beyond which a difference is one."""
LEAST_SHARE, LEAST_ANGLE = 1e-3, math.radians(0.04)
"""Less of a chord, or of an angle, is none that is told."""
LEAST_LEVEL = 5e-4, math.radians(0.02)
"""Between neighbouring stations, of chords and angles: by less than this they differ by chance."""
BROAD = 60
"""Neighbours by whose middle a point is judged."""
CLUSTER = 3
"""Points that make a dent, at least."""
SPOT = 6.0
"""Times the points' spread a dent is deep at least."""
APART = 4.0
"""Times the points' spacing that neighbours lie apart for each unit by which they face another way."""
NEAR = 1.5
"""Times as far as one is wide, what is found beside it is the same."""
GRAIN = 5e-6
"""Of the body's size: so near its surface is known here."""
KNOWN = 0.1
"""To so much of it what a section was moved is known between the stations."""
BORNE = 0.8
"""Of what a point must lie off, a dent must be deep."""
BROADEST = 0.6
"""Of the mean distance of stations: what is wider may be theirs, between them."""
MOST_SPOTS = 8
FITTED = 2.5
"""Times as far from its middle as a dent's points lie are those by which its shape is found."""

ChangeKind = Literal["chord", "angle", "dent", "bump"]


@dataclass(frozen=True, eq=False)
class Change:
    """One thing that is other than designed. `size`: a share of the chord, rad, or mm; `stations`: the first and last that it concerns, by name, for
    chord and angle; `place` (3,), `wide` mm, for dents and bumps; `about`: the station's id where it begins."""

    kind: ChangeKind
    size: float
    words: str
    stations: tuple[str, str] = ("", "")
    position: float = math.nan
    place: tuple[float, float, float] | None = None
    wide: float = math.nan
    about: str = ""


def section_changes(sections: Sequence[SectionMade], turned: bool, sized: bool) -> list[Change]:
    """Chords and set angles that are other than designed. `turned`: the fit may have turned the body, so that angles tell only against each other;
    `sized`: chords, likewise."""
    told = [s for s in sections if s.fit is not None]
    found = list[Change]()
    for kind, free, least, level in (
        ("chord", sized, LEAST_SHARE, LEAST_LEVEL[0]),
        ("angle", turned, LEAST_ANGLE, LEAST_LEVEL[1]),
    ):
        values, doubts = zip(*(_value(s, kind) for s in told), strict=True) if told else ((), ())
        there = [k for k, value in enumerate(values) if not math.isnan(value)]
        if not there:
            continue
        value, doubt = np.array(values)[there], np.hypot(np.array(doubts)[there], level)
        runs = levels(value, doubt)
        base = runs[0][2] if free else 0.0
        for first, last, mean, error in runs:
            size = mean - base
            if abs(size) < max(least, SURE * error):
                continue
            ends = told[there[first]], told[there[last]]
            found.append(_section_change(kind, size, ends, first == 0, last == len(there) - 1, free))
    return found


def _value(section: SectionMade, kind: str) -> tuple[float, float]:
    """How much more it is than designed, and the standard error of that."""
    if kind == "chord":
        whole = max(section.designed.chord, 1e-300)
        return section.made.chord / whole - 1.0, section.doubt[0] / whole
    return section.made.set_angle - section.designed.set_angle, section.doubt[1]


def _section_change(
    kind: str, size: float, ends: tuple[SectionMade, SectionMade], from_first: bool, to_last: bool, free: bool
) -> Change:
    first, last = ends
    more = "more" if size > 0.0 else "less"
    what = (
        f"the chord is {abs(size) * 100.0:.2f} % {'greater' if size > 0.0 else 'less'}"
        if kind == "chord"
        else f"the set angle is {math.degrees(abs(size)):.2f}° {more}"
    )
    if from_first and to_last:
        where = "all along"
    elif to_last:
        where = f"from {first.name} on"
    elif from_first:
        where = f"up to {last.name}"
    else:
        where = f"at {first.name}" if first is last else f"from {first.name} to {last.name}"
    against = "than designed" if not free else "than before it" if to_last else "than at the first station"
    return Change(
        kind,  # type: ignore[arg-type]
        size,
        f"{what} {against} {where}",
        (first.name, last.name),
        first.position,
        about=first.station,
    )


def levels(value: Array, doubt: Array) -> list[tuple[int, int, float, float]]:
    """Runs of neighbours (first, last, mean, standard error) in which values (n,) with standard errors are alike, as few as explain them: the
    partition of the least squares with a price on each run (the Bayes information criterion), by dynamic programming."""
    n = len(value)
    weight = 1.0 / doubt**2
    w, wx, wxx = (np.r_[0.0, np.cumsum(a)] for a in (weight, weight * value, weight * value * value))
    price = SURE * SURE + 2.0 * math.log(n)
    best, back = np.r_[-price, np.full(n, np.inf)], np.zeros(n + 1, dtype=int)
    for end in range(1, n + 1):
        begin = np.arange(end)
        cost = wxx[end] - wxx[begin] - (wx[end] - wx[begin]) ** 2 / (w[end] - w[begin])
        whole = best[begin] + cost + price
        back[end] = int(np.argmin(whole))
        best[end] = whole[back[end]]
    runs, end = list[tuple[int, int, float, float]](), n
    while end:
        start = int(back[end])
        mean = float((wx[end] - wx[start]) / (w[end] - w[start]))
        runs.insert(0, (start, end - 1, mean, float((w[end] - w[start]) ** -0.5)))
        end = start
    return runs


# Dents and bumps


def widest_dent(sections: Sequence[SectionMade], size: float) -> float:
    """mm: what is wider is no dent, of a body of this size with these sections."""
    places = [s.position for s in sections]
    return BROADEST * (max(places) - min(places)) / (len(places) - 1) if len(places) > 1 else 0.2 * size


@dataclass(frozen=True, eq=False)
class NearPoints:
    """Points by a surface: `foot` and `normal` (n, 3), and how far out, `off` (n,) mm."""

    foot: Array
    normal: Array
    off: Array


def undone(quick: Quick, sections: Sequence[SectionMade], points: Array) -> Array:
    """(n, 3) points as they would lie, were the sections not moved, turned and sized as they are at the stations; between these they are as the body
    itself goes from one to the next."""
    told = [s for s in sections if s.fit is not None]
    if quick.shape is None or not told:
        return points
    at = places_along(quick, points)
    maps = np.stack([s.fit.map.ravel() for s in told if s.fit is not None])
    along = smooth(np.array([s.position for s in told]), maps)(at.position).reshape(-1, 2, 3)
    was = np.linalg.solve(along[:, :, :2], (at.flat - along[:, :, 2])[..., None])[..., 0]
    step = np.einsum("nk,nkc->nc", was - at.flat, at.axes)
    return np.asarray(points + step @ quick.placed[0][:3, :3].T)


def sided(spots: NearPoints, apart: float) -> Array:
    """(n, 6): places and ways they face, so that those on both sides of something thin are far from each other: `apart` mm for each unit by which
    they face another way."""
    return np.hstack([spots.foot, spots.normal * apart])


def dents(spots: NearPoints, spacing: float, spread: float, moved: Array, widest: float) -> list[Change]:
    """Where neighbouring points lie off, deepest first. `spacing`: of the points; `spread`: of their noise, mm; `moved` (n,): how far their sections
    were moved back, which is known to a share of that only; `widest`: mm, of what is told."""
    rest = spots.off
    tree = cKDTree(sided(spots, APART * spacing))
    broad = min(BROAD, len(rest))
    near = np.asarray(tree.query(tree.data, k=broad, workers=-1)[1])
    even = rest - np.median(rest[near], axis=1)
    spread = max(spread, GRAIN * float(np.ptp(spots.foot, axis=0).max()))
    least = SPOT * spread + KNOWN * moved
    strong = np.flatnonzero(np.abs(even) > least)
    if not len(strong):
        return []
    pairs = cKDTree(tree.data[strong]).query_pairs(2.5 * spacing, output_type="ndarray")
    pairs = pairs[np.sign(even[strong[pairs[:, 0]]]) == np.sign(even[strong[pairs[:, 1]]])]
    ones = np.ones(len(pairs))
    count, group = connected_components(
        coo_array((ones, (pairs[:, 0], pairs[:, 1])), shape=(len(strong),) * 2), directed=False
    )
    found = []
    for k in range(count):
        members = strong[group == k]
        if len(members) >= CLUSTER:
            one = _dent(spots, members, tree.data, spacing, spread)
            found += [one] if abs(one.size) > BORNE * float(least[members].min()) else []
    told = list[Change]()
    for one in sorted(found, key=lambda one: -abs(one.size)):
        beside = [math.dist(one.place or (), other.place or ()) < NEAR * max(one.wide, other.wide) for other in told]
        if one.wide < widest and not any(beside):
            told.append(one)
    return told[:MOST_SPOTS]


def _dent(spots: NearPoints, members: Index, sides: Array, spacing: float, spread: float) -> Change:
    """A dent or bump by the bell that comes nearest to the points about it."""
    rest = spots.off
    peak = members[int(np.argmax(np.abs(rest[members])))]
    middle, normal = spots.foot[peak], spots.normal[peak]
    reach = max(float(np.linalg.norm(spots.foot[members] - middle, axis=1).max()), 2.0 * spacing)
    about = np.flatnonzero(
        (np.linalg.norm(spots.foot - middle, axis=1) < FITTED * reach)
        & (np.linalg.norm(sides[:, 3:] - sides[peak, 3:], axis=1) < APART * spacing)
    )
    across = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    axes = np.stack([across / np.linalg.norm(across), np.cross(normal, across / np.linalg.norm(across))])
    flat, value = (spots.foot[about] - middle) @ axes.T, rest[about]
    base = float(np.median(value))

    def miss(p: Array) -> Array:
        away = flat - p[:2]
        return np.asarray(p[4] + p[2] * np.exp(-np.einsum("nk,nk->n", away, away) / (p[3] * p[3])) - value)

    start = np.array([0.0, 0.0, float(rest[peak]) - base, reach * 0.7, base])
    near, far = 0.3 * spacing, 3.0 * reach
    low, high = [-reach, -reach, -np.inf, near, -np.inf], [reach, reach, np.inf, far, np.inf]
    start[3] = float(np.clip(start[3], 1.01 * near, 0.99 * far))
    fit = least_squares(miss, start, bounds=(low, high), loss="soft_l1", f_scale=max(3.0 * spread, 1e-9))
    deep, wide = float(fit.x[2]), float(fit.x[3])
    if abs(deep) > 2.0 * float(np.abs(rest[about] - base).max()):  # what no point bears out is not told
        deep = float(rest[peak]) - base
    x, y, z = (middle + fit.x[:2] @ axes).tolist()
    kind: ChangeKind = "dent" if deep < 0.0 else "bump"
    # A bell is half as high at 0.83 of its scale from its middle.
    across_it = 1.665 * wide
    where = f"at ({x:.1f}, {y:.1f}, {z:.1f}) mm"
    high_deep = "deep" if kind == "dent" else "high"
    return Change(
        kind,
        deep,
        f"a {kind} {abs(deep):.3g} mm {high_deep}, {across_it:.2g} mm wide at half of that, {where}",
        place=(x, y, z),
        wide=across_it,
    )
