"""Curves that run side by side, made to correspond in one common basis, and the skin through them in order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache, partial
from typing import Any, Literal

import numpy as np
from scipy.interpolate import BSpline, PPoly

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.blends import Blend, Given, blend
from isotomon.field.sheet import SAME, SkinSheet, said_in, union
from isotomon.field.strand import Strand
from isotomon.geometry.basis import Basis, Joins, fit
from isotomon.geometry.hermite import smooth, smooth_each
from isotomon.geometry.roots import crossings as crossings_of

DEGREE = 5
EACH = 6
"""Places from corner to corner at which curves are made to correspond by their length; between they do so nearly."""
NEARLY = 2e-3
"""Curves whose even places differ by no more than that of their parameters correspond as they are."""
FORGOTTEN = 16
"""Places after which a spline has forgotten how it began."""
APART = 1e-3
"""Of a curve: ties nearer to each other are not told apart."""
ShareMap = Callable[[Array], Array]
"""The places (n,) on a curve at common places (n,)."""
Join = Literal["free", "flush", "fair"]
"""How a skin leaves a curve: as it likes; in the direction in which the skin goes on that the curve is an edge of (G1); with its curvature,
too (G2)."""
GIVEN: dict[Join, Given] = {"free": 0, "flush": 1, "fair": 2}
MOST_KEPT = 16
"""Curves made to correspond that are not worked out anew."""


@dataclass(frozen=True, eq=False)
class Spread:
    """Curves that run the same way, in one common basis: `control` (basis.size, curves, 3) mm. `corners`: where all may turn sharply, with
    lasting names."""

    basis: Basis
    control: Array
    corners: tuple[tuple[float, str], ...] = ()
    courses: tuple[ShareMap, ...] = ()
    """Of each curve, where it is at common places."""

    def at(self, u: Array, derivative: int = 0) -> Array:
        """(n, curves, 3)."""
        return np.asarray(self._spline(u, nu=derivative))

    @cached_property
    def _spline(self) -> BSpline:
        return self.basis.spline(self.control)


def spread(strands: Sequence[Strand], tolerance: float) -> Spread:
    """Curves made to correspond by their length, from corner to corner where all have as many; those that are known are so at once.

    Raises: FieldError.
    """
    return _spread(tuple(strands), tolerance)


@lru_cache(maxsize=MOST_KEPT)
def _spread(strands: tuple[Strand, ...], tolerance: float) -> Spread:
    corners = [sorted(c for c in s.corners if 0.0 < c < 1.0) for s in strands]
    alike = len({len(own) for own in corners}) == 1
    lanes = np.array([np.r_[0.0, own if alike else [], 1.0] for own in corners])
    rows = np.stack([_evenly_spread(strand, own) for strand, own in zip(strands, lanes, strict=True)])
    places = rows.mean(axis=0)
    if np.ptp(rows, axis=0).max() < NEARLY and np.ptp(lanes, axis=0).max() < SAME:
        return _fitted(strands, [_itself] * len(strands), {}, tolerance)
    edges = lanes.mean(axis=0)
    courses = [partial(_lane_by_lane, edges, _lane_maps(places, own)) for own in rows]
    return _fitted(strands, courses, {float(p): 2 for p in places}, tolerance)


def _itself(u: Array) -> Array:
    return u


def _evenly_spread(strand: Strand, lane: Array) -> Array:
    """Where a curve comes to even shares of its length, from corner to corner."""
    fine = np.linspace(0.0, 1.0, 513)
    ends = np.interp(lane, strand.at_share(fine), fine)
    share = np.concatenate([np.linspace(a, b, EACH, endpoint=False) for a, b in zip(ends[:-1], ends[1:], strict=True)])
    found = strand.at_share(np.append(share, 1.0))
    found[::EACH] = lane  # corners lie on corners, exactly
    return found


def _lane_maps(places: Array, own: Array) -> list[PPoly]:
    """The maps of common places to a curve's own, from corner to corner."""
    parts = [slice(k, k + EACH + 1) for k in range(0, len(places) - 1, EACH)]
    return [smooth(places[part], own[part, None]).pieces() for part in parts]


def _lane_by_lane(edges: Array, maps: Sequence[PPoly], u: Array) -> Array:
    """The map of common places to a curve's own, smooth from corner to corner."""
    which = np.clip(np.searchsorted(edges, u, side="right") - 1, 0, len(maps) - 1)
    found = np.empty(len(u))
    for k, own in enumerate(maps):
        here = which == k
        if here.any():
            found[here] = own(u[here])[:, 0]
    return found


def spread_at(strands: Sequence[Strand], shares: Array, places: Array, tolerance: float) -> Spread:
    """Curves made to correspond so that each comes to its own places, `shares` (curves, places), at the common `places`; closed ones go
    on to where they began.

    Raises: FieldError.
    """
    ring = places[-1] < 1.0
    joins, x, y = {float(p): 2 for p in places}, places, shares
    if ring:  # far enough on both sides for the spline to have forgotten its ends
        rounds = -(-FORGOTTEN // len(places))
        turns = np.arange(-rounds, rounds + 1.0)
        x, y = np.concatenate([x + k for k in turns]), np.concatenate([y + k for k in turns], axis=1)
    even = np.abs(y - x).max(axis=1) < SAME
    courses = [_itself if same else _flat(one.pieces()) for same, one in zip(even, smooth_each(x, y.T), strict=True)]
    straight = all(np.abs(own - places).max() < SAME for own in shares)
    return _fitted(strands, courses, {} if straight else joins, tolerance)


def tied(
    strands: Sequence[Strand], ties: Sequence[tuple[float, float]], tolerance: float
) -> tuple[Spread, tuple[float, ...]]:
    """Two curves made to correspond where ties say so, by shares of the lengths of both, smoothly between; of open ones the ends, too. And the common
    places of the ties.

    Raises: FieldError, for ties that cross each other.
    """
    ring = all(s.closed for s in strands)
    pairs = np.array([*ties, *(() if ring else ((0.0, 0.0), (1.0, 1.0)))])
    own = np.stack([strand.at_share(np.mod(p, 1.0) if ring else p) for strand, p in zip(strands, pairs.T, strict=True)])
    if ring:  # the nearer way round, and begun where the common places begin
        own[1] += np.round(own[0] - own[1])
        own -= np.floor(own.mean(axis=0))
    places = tuple(own.mean(axis=0)[: len(ties)].tolist())
    own = own[:, np.argsort(own.mean(axis=0))]
    steps = np.diff(np.column_stack([own, own[:, :1] + 1.0]) if ring else own, axis=1)
    if steps.min() < APART:
        raise FieldError("two ties cross each other, or lie on one another or on an end; move one, or even them out")
    return spread_at(strands, own, own.mean(axis=0), tolerance), places


def _flat(course: Callable[[Array], Any]) -> ShareMap:
    return lambda u: np.asarray(course(u)).reshape(-1)


def _fitted(
    strands: Sequence[Strand], courses: Sequence[ShareMap], joins: dict[float, int], tolerance: float
) -> Spread:
    """Raises: FieldError."""
    names = dict[float, str]()
    for strand, course in zip(strands, courses, strict=True):
        called = dict(zip(strand.corners, strand.names, strict=False))
        own = strand.joins if strand.length else ()
        commons = _commons(course, np.array([place for place, _ in own]), list(joins)) if own else []
        for u, (place, order) in zip(commons, own, strict=True):
            joins[u] = min(order, joins.get(u, order))
            if place in called:
                names.setdefault(u, called[place])
    ring = all(s.closed or not s.length for s in strands) and not any(order < 2 for order in joins.values())
    joins = {u: order for u, order in joins.items() if 0.0 < u < 1.0}

    def sample(u: Array) -> Array:
        return np.concatenate([s.at(course(u)) for s, course in zip(strands, courses, strict=True)], axis=1)

    try:
        basis, control = fit(sample, tolerance, joins=joins, periodic=ring)
    except KnotError as error:
        raise FieldError(f"the curves that the skin is made from are not smooth enough: {error}") from None
    return Spread(basis, control.reshape(basis.size, len(strands), 3), tuple(sorted(names.items())), tuple(courses))


def _commons(course: ShareMap, places: Array, known: Sequence[float]) -> list[float]:
    """The common places at which a curve comes to places of its own, round and round a closed one; those that are `known` already as they are."""
    if course is _itself:
        return [round(float(p), 12) for p in places]
    begin = float(course(np.zeros(1))[0])
    wanted = places + np.ceil(begin - places - SAME)
    sites = np.array(known)
    at = course(sites) if len(sites) else sites
    near = np.abs(at[None] - wanted[:, None]) if len(sites) else np.ones((len(wanted), 1))
    found = np.where(near.min(axis=1) < SAME, sites[near.argmin(axis=1)] if len(sites) else 0.0, np.nan)
    rest = np.isnan(found)
    if rest.any():
        found[rest] = crossings_of(lambda u: course(u) - wanted[rest], np.zeros(rest.sum()), np.ones(rest.sum()))
    return [round(float(u), 12) for u in found]


def through(
    strands: Sequence[Strand],
    across: Blend,
    tolerance: float,
    lengths: tuple[float, float] = (0.0, 0.0),
    own: Spread | None = None,
) -> SkinSheet:
    """The skin that passes curves in order, as a blend carries one into the next; where that says that slopes are given at an end, it goes on from
    the skin that the curve there is an edge of, over a length (mm). `own`: the curves as they correspond, where not by their lengths.

    Raises: FieldError, for such a curve that is no edge of a skin.
    """
    own = own or spread(strands, tolerance)
    every = [own]
    for end, given in ((0, across.first), (-1, across.last)):
        if given:
            every.append(_going_on(strands[end], own, end, given, lengths[end], tolerance))
    basis = union([s.basis for s in every], DEGREE)
    control = np.concatenate([said_in(basis, s.basis, s.control) for s in every], axis=1)
    return SkinSheet(basis, across.basis, np.einsum("uck,vc->uvk", control, across.weights), own.corners)


def _going_on(strand: Strand, own: Spread, end: int, given: Given, length: float, tolerance: float) -> Spread:
    """The slope across, and the bend where that is given, with which a skin leaves the one that an outer curve is an edge of."""
    beyond, course = strand.beyond, own.courses[end]
    if beyond is None:
        raise FieldError(
            "a skin goes on flush from an edge of another skin alone; choose a side or rim of one, or let it be free"
        )
    sign = -1.0 if end else 1.0

    def sample(u: Array) -> Array:
        direction, bend = beyond(course(u))
        return np.concatenate([sign * length * direction, length**2 * bend][:given], axis=1)

    basis, control = vectors_along(sample, joins_beside(own.basis), own.basis.periodic, tolerance)
    return Spread(basis, control.reshape(basis.size, given, 3))


def drawn_out(strand: Strand, way: Callable[[Array], Array], tolerance: float) -> SkinSheet:
    """The skin in straight rulings from a curve, each as long as, and along, its `way` (n, 3) mm at shares (n,) of the curve's length.

    Raises: FieldError.
    """
    own = spread([strand], tolerance)
    course = own.courses[0]
    ways, rows = vectors_along(lambda u: way(course(u)), joins_beside(own.basis), own.basis.periodic, tolerance)
    basis, across = union([own.basis, ways], DEGREE), blend([0.0, 1.0])
    begin, rows = said_in(basis, own.basis, own.control), said_in(basis, ways, rows)[:, None]
    control = np.concatenate([begin, begin + rows], axis=1)
    return SkinSheet(basis, across.basis, np.einsum("uck,vc->uvk", control, across.weights), own.corners)


def joins_beside(own: Basis) -> dict[float, int]:
    """Where vectors along curves that are in a basis are less smooth than a quintic: they have one derivative less than the curves."""
    order = DEGREE - own.multiplicity - 1
    return {float(u): max(int(k), 0) for u, k in zip(own.breaks[1:-1], order[1:-1], strict=True) if k < DEGREE - 2}


def vectors_along(
    sample: Callable[[Array], Array], joins: Joins, periodic: bool, tolerance: float
) -> tuple[Basis, Array]:
    """Vectors (n, m) along curves, as a spline.

    Raises: FieldError.
    """
    try:
        return fit(sample, tolerance, joins=joins, periodic=periodic)
    except KnotError as error:
        raise FieldError(f"the skin that is to be gone on from is not smooth enough at its edge: {error}") from None


def even_levels(strands: Sequence[Strand], ring: bool = False) -> Array:
    """(curves,) from 0 to 1 by the mean distances from one curve to the next; of a ring less than 1.

    Raises: FieldError, for curves that lie on each other.
    """
    t = np.linspace(0.0, 1.0, 33)
    places = np.stack([s.at(t) for s in strands])
    if ring:
        places = np.concatenate([places, places[:1]])
    steps = np.linalg.norm(np.diff(places, axis=0), axis=2).mean(axis=1)
    run = np.r_[0.0, np.cumsum(steps)]
    if not run[-1] > 0.0:
        raise FieldError("the curves lie on each other; choose others")
    return (run / run[-1])[: len(strands)]
