"""Tensor-product B-spline skins that lie side by side, evaluated at scattered places of any of them, with derivatives, all at once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import BSpline

from isotomon.arrays import Array, Index
from isotomon.geometry.planar import cross3


@dataclass(frozen=True, eq=False)
class TensorSkins:
    """Skins of one v as polynomials in each cell between their knots: `powers` (cells_u, cells_v, p + 1, 3, q + 1), the lowest power
    first, from the cell's first corner. Cells follow each other skin by skin: `first` (skins + 1,) is the number of each skin's first
    one; `begin` (cells_u,) the u at which they begin, and `edges_v` (cells_v + 1,) the v."""

    powers: Array
    first: Index
    begin: Array
    edges_v: Array

    def jet(self, skin: int | Index, u: Array, v: Array) -> Array:
        """(3, 3, m, 3): a skin, or of each place its own (m,), at u and v (m,) differentiated 0, 1 and 2 times by u (first index) and by
        v (second)."""
        i = np.searchsorted(self._begin, np.asarray(skin) + u, side="right") - 1
        i = np.clip(i, self.first[skin], self.first[np.asarray(skin) + 1] - 1)
        j = np.clip(np.searchsorted(self.edges_v, v, side="right") - 1, 0, len(self.edges_v) - 2)
        own = self.powers[i, j]
        count, p, _, q = own.shape
        along = np.matmul(own.reshape(count, 3 * p, q), _powers(v - self.edges_v[j], q))
        by_v = along.reshape(count, p, 9)
        both = np.matmul(_powers(u - self.begin[i], p).transpose(0, 2, 1), by_v)
        return both.reshape(count, 3, 3, 3).transpose(1, 3, 0, 2)

    @cached_property
    def _begin(self) -> Array:
        """(cells_u,) where cells begin, skins laid end to end."""
        return self.begin + np.repeat(np.arange(len(self.first) - 1.0), np.diff(self.first))


def _powers(t: Array, count: int) -> Array:
    """(m, count, 3): the powers of t (m,) from the lowest, and their first two derivatives."""
    made = np.zeros((len(t), count, 3))
    made[:, :, 0] = np.vander(t, count, increasing=True)
    for order in (1, 2):
        made[:, 1:, order] = made[:, :-1, order - 1] * np.arange(1.0, count)
    return made


def tensor_skins(skins: Sequence[tuple[Array, int, Array]], knots_v: Array, degree_v: int) -> TensorSkins:
    """Skins by B-splines: of each its knots and degree round, and its control points (n_u, n_v, 3); all of one kind along."""
    edges_v, by_v = _pieces(knots_v, degree_v)
    most = max(degree for _, degree, _ in skins)
    begin, powers = list[Array](), list[Array]()
    for knots, degree, control in skins:
        edges, by_u = _pieces(knots, degree)
        half = np.einsum("pin,nvk->ipvk", by_u, control, optimize=True)
        found = np.einsum("qjv,ipvk->ijpkq", by_v, half, optimize=True)
        powers.append(np.pad(found, ((0, 0), (0, 0), (0, most - degree), (0, 0), (0, 0))))
        begin.append(edges[:-1])
    first = np.cumsum([0, *(len(edges) for edges in begin)])
    return TensorSkins(np.concatenate(powers), first, np.concatenate(begin), edges_v)


def _pieces(knots: Array, degree: int) -> tuple[Array, Array]:
    """The ends of the pieces on which B-splines are defined, and (degree + 1, pieces, n) the powers, lowest first, that each of the n
    splines has there."""
    count = len(knots) - degree - 1
    edges = np.unique(knots[degree : count + 1])
    each = BSpline(knots, np.eye(count), degree)
    # The derivatives where a piece begins are its powers: Taylor's series.
    powers = np.array([each(edges[:-1], nu=k) / math.factorial(k) for k in range(degree + 1)])
    return edges, powers


def going_on(first: Array, out: Array, seconds: tuple[Array, Array, Array]) -> tuple[Array, Array]:
    """(n, 3) each: of a skin at an edge of it, the direction of length 1, square to the edge, in which it goes on, and its normal curvature
    that way as a vector. `first`, `out`: (n, 3) the derivatives along the edge and out over it; `seconds`: twice along, once each, twice
    out. Where the edge stands still, as at a point, every direction is square to it and the skin has no curvature to tell: nought; where
    the skin stands still both are."""
    shorter = _one_over(np.linalg.norm(first, axis=1))
    along = first * shorter[:, None]
    part = np.einsum("nk,nk->n", out, along)
    square = out - part[:, None] * along
    # The direction as shares of the two derivatives: the second fundamental form gives its curvature.
    b = _one_over(np.linalg.norm(square, axis=1))
    direction = square * b[:, None]
    normal = cross3(along, direction)
    a = -part * b * shorter
    p, q, r = (np.einsum("nk,nk->n", second, normal) for second in seconds)
    bend = p * a * a + 2.0 * q * a * b + r * b * b
    return direction, bend[:, None] * normal


def _one_over(lengths: Array) -> Array:
    """(n,) their reciprocals; nought of nought."""
    return np.where(lengths > 0.0, 1.0 / np.where(lengths > 0.0, lengths, 1.0), 0.0)
