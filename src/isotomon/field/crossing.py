"""Where the curves of one family come nearest to those of another, all pairs at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.field.strand import Strand

SAMPLES = 65
STEPS = 12
"""Of the Gauss-Newton rule, at most."""
STILL = 1e-13
"""Of a curve: shares that move no further are found."""


MOST_KNOWN = 2000
"""Pairs of curves of which it is known where they cross."""
_known: dict[tuple[Strand, Strand], tuple[float, float, Array, Array]] = {}


@dataclass(frozen=True, eq=False)
class CurveCrossings:
    """Of every curve of one family (rows) with every one of another (columns): the shares of their lengths (m, n) at which they come nearest
    to each other, and where that is on both (m, n, 3) mm."""

    on_first: Array
    on_second: Array
    first: Array
    second: Array

    @property
    def gaps(self) -> Array:
        """(m, n) mm."""
        return np.asarray(np.linalg.norm(self.second - self.first, axis=2))

    @property
    def places(self) -> Array:
        """(m, n, 3) mm: midway."""
        return (self.first + self.second) / 2.0


def crossings(first: Sequence[Strand], second: Sequence[Strand]) -> CurveCrossings:
    """Where two families of curves come nearest to each other: from the nearest of some samples on, by the Gauss-Newton rule on both shares.
    Of pairs that are known it is not worked out anew: while one curve is dragged, only its own are."""
    pairs = [[_known.get((a, b)) for b in second] for a in first]
    rows = [k for k, row in enumerate(pairs) if None in row]
    columns = [k for k in range(len(second)) if any(row[k] is None for row in pairs)]
    if rows:
        found = _crossings([first[k] for k in rows], [second[k] for k in columns])
        for i, k in enumerate(rows):
            for j, m in enumerate(columns):
                made = (found.on_first[i, j], found.on_second[i, j], found.first[i, j], found.second[i, j])
                pairs[k][m] = _known[first[k], second[m]] = made
        for old in list(_known)[:-MOST_KNOWN]:
            _known.pop(old, None)
    whole = [[pair for pair in row if pair is not None] for row in pairs]
    s, r = (np.array([[pair[part] for pair in row] for row in whole]) for part in (0, 1))
    p, q = (np.array([[pair[part] for pair in row] for row in whole]) for part in (2, 3))
    return CurveCrossings(s, r, p, q)


def _crossings(first: Sequence[Strand], second: Sequence[Strand]) -> CurveCrossings:
    t = np.linspace(0.0, 1.0, SAMPLES)
    a, b = (np.stack([strand.at(t) for strand in family]) for family in (first, second))
    m, n = len(first), len(second)
    near = np.empty((m, n), dtype=np.int64)
    long = (b**2).sum(axis=2)
    for k in range(m):  # row by row: all pairs of samples at once would be large
        far = (a[k] ** 2).sum(axis=1)[:, None] + long[:, None] - 2.0 * np.matmul(a[k], b.transpose(0, 2, 1))
        near[k] = far.reshape(n, -1).argmin(axis=1)
    s, r = t[near // SAMPLES], t[near % SAMPLES]
    for _ in range(STEPS):
        p, dp = (_all(first, s, order) for order in (0, 1))
        q, dq = (_all(second, r.T, order).transpose(1, 0, 2) for order in (0, 1))
        step_s, step_r = _step(q - p, dp, dq)
        new_s, new_r = _held(first, s + step_s), _held(second, (r + step_r).T).T
        moved = max(float(np.abs(new_s - s).max()), float(np.abs(new_r - r).max()))
        s, r = new_s, new_r
        if moved < STILL:
            break
    return CurveCrossings(s, r, _all(first, s, 0), _all(second, r.T, 0).transpose(1, 0, 2))


def _all(family: Sequence[Strand], shares: Array, derivative: int) -> Array:
    """(curves, m, 3) of each curve at its shares (curves, m)."""
    return np.stack([strand.at(own, derivative) for strand, own in zip(family, shares, strict=True)])


def _step(away: Array, dp: Array, dq: Array) -> tuple[Array, Array]:
    """By how much both shares are off, to first order: |p + s dp - q - r dq| least. (m, n) each."""
    pp, qq, pq = (np.einsum("mnk,mnk->mn", x, y) for x, y in ((dp, dp), (dq, dq), (dp, dq)))
    e, f = np.einsum("mnk,mnk->mn", away, dp), np.einsum("mnk,mnk->mn", away, dq)
    # Curves that run side by side there are held back from running off.
    whole = pp * qq * (1.0 + 1e-12) - pq * pq
    return (e * qq - f * pq) / whole, (e * pq - f * pp) / whole


def _held(family: Sequence[Strand], shares: Array) -> Array:
    """Shares brought back onto their curves (curves, m)."""
    closed = np.array([strand.closed for strand in family])[:, None]
    return np.where(closed, np.mod(shares, 1.0), np.clip(shares, 0.0, 1.0))
