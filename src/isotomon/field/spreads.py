"""Curves that run side by side, made to correspond in one common basis, and the skin through them in order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.blends import Blend
from isotomon.field.sheet import SAME, Sheet, said_in, union
from isotomon.field.strand import Strand
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.hermite import smooth
from isotomon.geometry.roots import crossings as crossings_of

DEGREE = 5


@dataclass(frozen=True, eq=False)
class Spread:
    """Curves that run the same way, in one common basis: `control` (basis.size, curves, 3) mm. `corners`: where all may turn sharply, with
    lasting names."""

    basis: Basis
    control: Array
    corners: tuple[tuple[float, str], ...] = ()

    def at(self, u: Array, derivative: int = 0) -> Array:
        """(n, curves, 3)."""
        return np.asarray(np.tensordot(self.basis.sparse(u, derivative).toarray(), self.control, 1))


Course = Callable[[Array], Array]
"""The share of a curve's length (n,) at common places (n,)."""


def spread(strands: Sequence[Strand], tolerance: float) -> Spread:
    """Curves made to correspond by their length, from corner to corner where all have as many.

    Raises: FieldError.
    """
    corners = [[c for c in s.corners if 0.0 < c < 1.0] for s in strands]
    alike = len({len(own) for own in corners}) == 1
    if not (alike and corners[0]):
        return _fitted(strands, [lambda u: u] * len(strands), {}, tolerance)
    places = np.r_[0.0, np.mean(corners, axis=0), 1.0]
    shares = [np.r_[0.0, own, 1.0] for own in corners]
    return _fitted(strands, [_flat(partial(np.interp, xp=places, fp=own)) for own in shares], {}, tolerance)


def spread_at(strands: Sequence[Strand], shares: Array, places: Array, tolerance: float) -> Spread:
    """Curves made to correspond so that each comes to its `shares` (curves, places) of its length at the common `places`; closed ones go
    on to where they began.

    Raises: FieldError.
    """
    ring = places[-1] < 1.0
    courses, joins = list[Course](), {float(p): 2 for p in places}
    for own in shares:
        x, y = places, own
        if ring:  # far enough on both sides for the spline to have forgotten its ends
            x, y = (np.concatenate([a + k for k in (-1.0, 0.0, 1.0)]) for a in (places, own))
        if np.abs(y - x).max() < SAME:
            courses.append(lambda u: u)
        else:
            courses.append(smooth(x, y[:, None]).pieces())
    straight = all(np.abs(own - places).max() < SAME for own in shares)
    return _fitted(strands, [_flat(c) for c in courses], {} if straight else joins, tolerance)


def _flat(course: Callable[[Array], Any]) -> Course:
    return lambda u: np.asarray(course(u)).reshape(-1)


def _fitted(strands: Sequence[Strand], courses: Sequence[Course], joins: dict[float, int], tolerance: float) -> Spread:
    """Raises: FieldError."""
    names = dict[float, str]()
    for strand, course in zip(strands, courses, strict=True):
        called = dict(zip(strand.corners, strand.names, strict=False))
        for place, order in strand.joins if strand.length else ():
            u = _common(course, place)
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
    return Spread(basis, control.reshape(basis.size, len(strands), 3), tuple(sorted(names.items())))


def _common(course: Course, share: float) -> float:
    """The common place at which a curve comes to a share of its length, round and round a closed one."""
    share += np.ceil(course(np.zeros(1))[0] - share - SAME)
    found = crossings_of(lambda u: course(u) - share, np.zeros(1), np.ones(1))
    return round(float(found[0]), 12)


def through(strands: Sequence[Strand], across: Blend, tolerance: float, slopes: Sequence[Spread] = ()) -> Sheet:
    """The skin through curves in order, as a blend carries one into the next; with `slopes` and bends at the outer ones, as the blend says
    they are given.

    Raises: FieldError.
    """
    own = spread(strands, tolerance)
    every = [own, *slopes]
    basis = union([s.basis for s in every], DEGREE)
    control = np.concatenate([said_in(basis, s.basis, s.control) for s in every], axis=1)
    return Sheet(basis, across.basis, np.einsum("uck,vc->uvk", control, across.weights), own.corners)


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
