"""Polynomial B-spline bases, clamped or periodic, as matrices: one row a parameter, one column a control point."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.interpolate import BSpline
from scipy.linalg import solve_banded
from scipy.sparse import csr_array, diags_array
from scipy.sparse.linalg import splu

from isotomon.arrays import Array, Index, Mask
from isotomon.errors import KnotError
from isotomon.geometry.knots import Knots
from isotomon.geometry.quadrature import gauss_rule

MANY = 60
"""So many control points of a periodic spline are found quicker with their zeros left out."""


class Basis(Knots):
    """A B-spline basis that is evaluated."""

    def sparse(self, u: Array, derivative: int = 0) -> csr_array:
        """The same as `matrix` with its zeros left out: for many control points.

        Source: de Boor, A Practical Guide to Splines, X(15), for derivatives.
        """
        knots, p = self.knots, self.degree
        u = np.mod(u, 1.0) if self.periodic else np.clip(u, 0.0, 1.0)
        count = len(knots) - p - 1
        if derivative > p or not len(u):
            return csr_array((len(u), self.size))
        inner = knots[derivative : len(knots) - derivative]
        full = BSpline.design_matrix(u, inner, p - derivative)
        for k in range(derivative, 0, -1):
            q, n = p - k + 1, count - k + 1
            width = knots[k - 1 + q + 1 : k - 1 + q + n] - knots[k : k - 1 + n]
            rate = np.where(width > 0.0, q / np.where(width > 0.0, width, 1.0), 0.0)
            full = full @ diags_array([-rate, rate], offsets=[0, 1], shape=(n - 1, n), format="csr")
        if not self.periodic:
            return csr_array(full)
        return csr_array((full.data, full.indices % self.size, full.indptr), shape=(len(u), self.size))

    def matrix(self, u: Array, derivative: int = 0) -> Array:
        """Values, or a derivative, of every basis function at `u`: (len(u), size)."""
        return np.asarray(self.sparse(u, derivative).toarray())

    def spline(self, control: Array) -> BSpline:
        """The spline of control points (size, ...), to be evaluated within [0, 1]: quicker than by `matrix`, where it is all the points."""
        whole = np.concatenate([control, control[: self.degree]]) if self.periodic else control
        return BSpline(self.knots, whole, self.degree)

    def says(self, other: Basis) -> bool:
        """Whether it is the same as another."""
        return (
            (self.degree, self.periodic) == (other.degree, other.periodic)
            and np.array_equal(self.breaks, other.breaks)
            and np.array_equal(self.multiplicity, other.multiplicity)
        )

    def greville(self) -> Array:
        """Sites at which interpolation is well posed: the Greville abscissae."""
        p = self.degree
        means = np.lib.stride_tricks.sliding_window_view(self.knots[1:-1], p).mean(axis=1)
        return np.mod(means[: self.size], 1.0) if self.periodic else means

    def interpolate(self, sample: Callable[[Array], Array]) -> Array:
        """Control points (size, m) of the spline through `sample` (u → (n, m)) at the Greville sites.

        Raises: KnotError, when its breaks are so close together that the sites determine nothing.
        """
        sites = self.greville()
        return self.through(self.sparse(sites), sample(sites))

    def through(self, rows: csr_array, values: Array) -> Array:
        """Control points (size, m) of the spline that has some values (size, m) at the sites that `rows` are of.

        Raises: KnotError, when its breaks are so close together that the sites determine nothing.
        """
        try:
            if self.periodic and self.size < MANY:
                return np.linalg.solve(rows.toarray(), values).astype(np.float64, copy=False)
            if self.periodic:
                return np.asarray(splu(rows.tocsc()).solve(values))
            wide = self.degree  # a site lies within as many columns of its own on either side
            row, column = np.repeat(np.arange(self.size), np.diff(rows.indptr)), rows.indices
            band = np.zeros((2 * wide + 1, self.size))
            band[wide + row - column, column] = rows.data
            return np.asarray(solve_banded((wide, wide), band, values, overwrite_ab=True))
        except (np.linalg.LinAlgError, RuntimeError):  # the sparse one is of another kind
            raise KnotError("two places where the curve turns or joins fall together") from None

    def gauss(self, per_span: int = 5) -> tuple[Array, Array]:
        """Gauss-Legendre sites and weights, `per_span` in each span.

        Five are exact to degree 9, and so for the area inside quintics.
        """
        x, w = gauss_rule(per_span)
        start, width = self.breaks[:-1, None], np.diff(self.breaks)[:, None]
        return (start + width * (x + 1.0) / 2.0).ravel(), (width * w / 2.0).ravel()


NEAR_JOIN = 0.02
"""So near to a join no other break is needed from the first."""
ONE_PLACE = 1e-9
"""Joins nearer to each other than this share of a curve are one."""
Joins = Mapping[float, int]
"""Places where a curve is less smooth than its spline: parameter → derivatives that are continuous (1 or 2)."""


def make_basis(degree: int, breaks: Array, periodic: bool = False, joins: Joins | None = None) -> Basis:
    """A basis with simple inner breaks, except at `joins`."""
    breaks = np.asarray(breaks, dtype=np.float64)
    multiplicity = np.ones(len(breaks), dtype=np.int64)
    for place, continuity in (joins or {}).items():
        multiplicity[np.abs(breaks - place) < 1e-12] = max(degree - continuity, 1)
    return Basis(degree, breaks, multiplicity, periodic)


PROBES = np.array([0.11, 0.29, 0.5, 0.71, 0.89])
"""Places in each span at which a fit is looked at."""
MOST_KEPT, MOST_BREAKS_KEPT = 200, 60
"""Bases that are kept with their weights, which edits of what is fitted do not change; none of so many breaks that it would be large."""


@dataclass(frozen=True, eq=False)
class _Trial:
    """A basis in which something may be fitted: the places `u` at which that is asked for, the sites before the probes, and the `rows` of weights
    there, those of the sites by themselves, too."""

    basis: Basis
    u: Array
    rows: csr_array
    at_sites: csr_array


@lru_cache(maxsize=MOST_KEPT)
def _trial(degree: int, breaks: bytes, times: bytes, periodic: bool) -> _Trial:
    basis = Basis(degree, np.frombuffer(breaks), np.frombuffer(times, dtype=np.int64), periodic)
    begin, width = basis.breaks[:-1, None], np.diff(basis.breaks)[:, None]
    # Sites and probes at once: what they cost is mostly the calls.
    u = np.concatenate([basis.greville(), (begin + width * PROBES).ravel()])
    rows = basis.sparse(u)
    return _Trial(basis, u, rows, rows[: basis.size])


def fit(
    sample: Callable[[Array], Array],
    tolerance: float,
    *,
    degree: int = 5,
    joins: Joins | None = None,
    periodic: bool = False,
    most: int = 600,
    loose: tuple[int, float] | None = None,
    seeds: Sequence[float] = (),
) -> tuple[Basis, Array]:
    """The coarsest basis found by halving spans in which the interpolant of `sample` misses by more than `tolerance`.

    `sample`: u (n,) in [0, 1] → (n, m). The largest difference of any of the m columns counts. Neighbouring spans
    are kept within a factor of four, so that interpolation stays well conditioned.
    `loose`: above so many spans another tolerance does. `seeds`: breaks from the first, where `sample` is a little less smooth.
    Returns the basis and its control points (size, m).
    Raises: KnotError, if `most` spans do not do.
    """
    begin = 0.0 if periodic else 1e-9  # a closed curve may be less smooth where it begins, too
    joins = {place: order for place, order in _apart(joins or {}).items() if begin <= place < 1.0 - 1e-9}
    usual = np.linspace(0.0, 1.0, 2 * degree + 3)[1:-1].tolist() if periodic and len(seeds) <= degree else []
    some = [
        x for x in (*usual, *seeds) if all(abs(x - j) > NEAR_JOIN for j in joins) and NEAR_JOIN < x < 1.0 - NEAR_JOIN
    ]
    breaks = np.array(sorted({0.0, 1.0, *joins, *some}))
    while True:
        made = make_basis(degree, breaks, periodic, joins)
        known = (degree, breaks.tobytes(), made.multiplicity.tobytes(), periodic)
        trial = _trial(*known) if len(breaks) <= MOST_BREAKS_KEPT else _trial.__wrapped__(*known)
        basis, width, values = trial.basis, np.diff(breaks), sample(trial.u)
        control = basis.through(trial.at_sites, values[: basis.size])
        error = np.abs(trial.rows @ control - values)[basis.size :].max(axis=1).reshape(len(width), -1).max(axis=1)
        parts = _parted(error, tolerance, width, degree)
        if loose is not None and parts.sum() > loose[0]:
            tolerance = max(tolerance, loose[1])
            parts = _parted(error, tolerance, width, degree)
        if parts.max() == 1:
            return basis, control
        if parts.sum() > most:
            parts = np.minimum(parts, 2)
        if parts.sum() > most:
            raise KnotError(f"a curve needs more than {most} spans to be met within {tolerance:g}")
        at = np.arange(parts.sum()) - np.repeat(np.cumsum(parts) - parts, parts)
        breaks = np.append(np.repeat(breaks[:-1], parts) + np.repeat(width / parts, parts) * at, 1.0)


def _apart(joins: Joins) -> Joins:
    """Places that are one but for rounding, as of curves that mirror each other, as one: as smooth as the least smooth of them."""
    found: dict[float, int] = {}
    last = -math.inf
    for place, continuity in sorted(joins.items()):
        if place - last < ONE_PLACE:
            found[last] = min(found[last], continuity)
        else:
            found[place] = continuity
            last = place
    return found


def _parted(error: Array, tolerance: float, width: Array, degree: int) -> Index:
    """Into how many parts each span goes: 1 where it misses by no more than the tolerance."""
    bad = _with_wide_neighbours(error > tolerance, width)
    # Halving a smooth span makes its miss smaller by 2 to the degree + 1 at best: so much may be done at once.
    halvings = np.log2(np.maximum(error / tolerance, 1.0)) // (degree + 1)
    return np.where(bad, 2 ** np.clip(halvings, 1, 3), 1).astype(np.int64)


def _with_wide_neighbours(bad: Mask, width: Array) -> Mask:
    """Also halve a span that would be left more than four times as wide as a neighbour."""
    while bad.any():
        after = np.where(bad, width / 2.0, width)
        neighbour = np.minimum(np.r_[np.inf, after[:-1]], np.r_[after[1:], np.inf])
        grown = bad | (after > 4.0 * neighbour)
        if np.array_equal(grown, bad):
            break
        bad = grown
    return bad
