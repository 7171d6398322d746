"""A tensor-product B-spline skin evaluated at scattered places, with its derivatives, all at once."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import BSpline

from isotomon.arrays import Array, Index


@dataclass(frozen=True, eq=False)
class TensorSkin:
    """The skin as a polynomial in each cell between its knots: `powers` (cells_u, cells_v, p + 1, 3, q + 1), the lowest power first, from
    the cell's first corner; `edges_u`, `edges_v`: where cells begin and end."""

    powers: Array
    edges_u: Array
    edges_v: Array

    def jet(self, u: Array, v: Array) -> Array:
        """(3, 3, m, 3): the skin at u and v (m,) differentiated 0, 1 and 2 times by u (first index) and by v (second)."""
        i, j = _cell(self.edges_u, u), _cell(self.edges_v, v)
        own = self.powers[i, j]
        count, p, _, q = own.shape
        along = np.matmul(own.reshape(count, 3 * p, q), _powers(v - self.edges_v[j], q))
        by_v = along.reshape(count, p, 9)
        both = np.matmul(_powers(u - self.edges_u[i], p).transpose(0, 2, 1), by_v)
        return both.reshape(count, 3, 3, 3).transpose(1, 3, 0, 2)


def _cell(edges: Array, at: Array) -> Index:
    return np.clip(np.searchsorted(edges, at, side="right") - 1, 0, len(edges) - 2)


def _powers(t: Array, count: int) -> Array:
    """(m, count, 3): the powers of t (m,) from the lowest, and their first two derivatives."""
    made = np.zeros((len(t), count, 3))
    made[:, :, 0] = np.vander(t, count, increasing=True)
    for order in (1, 2):
        made[:, 1:, order] = made[:, :-1, order - 1] * np.arange(1.0, count)
    return made


def tensor_skin(knots_u: Array, knots_v: Array, degrees: tuple[int, int], control: Array) -> TensorSkin:
    """The skin of B-splines with these knots and control points (n_u, n_v, 3)."""
    (edges_u, by_u), (edges_v, by_v) = (_pieces(k, d) for k, d in zip((knots_u, knots_v), degrees, strict=True))
    half = np.einsum("pin,nvk->ipvk", by_u, control, optimize=True)
    return TensorSkin(np.ascontiguousarray(np.einsum("qjv,ipvk->ijpkq", by_v, half, optimize=True)), edges_u, edges_v)


def _pieces(knots: Array, degree: int) -> tuple[Array, Array]:
    """The ends of the pieces on which B-splines are defined, and (degree + 1, pieces, n) the powers, lowest first, that each of the n
    splines has there."""
    count = len(knots) - degree - 1
    edges = np.unique(knots[degree : count + 1])
    each = BSpline(knots, np.eye(count), degree)
    # The derivatives where a piece begins are its powers: Taylor's series.
    powers = np.array([each(edges[:-1], nu=k) / math.factorial(k) for k in range(degree + 1)])
    return edges, powers
