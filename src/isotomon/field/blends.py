"""What is given at levels across a skin (curves, and at the outer ones slopes and bends), blended from one to the next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.geometry.basis import Basis

Given = Literal[0, 1, 2]
"""How many derivatives across are given at an end, besides what lies there."""
ENOUGH = 4
"""Levels of which the ends need no condition of their own."""
NEAREST = 1e-6
"""Of the whole: levels nearer to each other are one."""


@dataclass(frozen=True, eq=False)
class Blend:
    """Functions across a skin, in columns of `weights` (basis.size, levels + derivatives given): one of each level, which is 1 there and 0
    at all others, then the slope and bend at the first level and those at the last, as far as they are given."""

    basis: Basis
    weights: Array
    levels: Array
    first: Given = 0
    last: Given = 0

    def at(self, v: Array, derivative: int = 0) -> Array:
        """(n, columns) the functions at places (n,)."""
        return self.basis.matrix(v, derivative) @ self.weights


def blend(
    levels: Sequence[float] | Array, first: Given = 0, last: Given = 0, straight: bool = False, ring: bool = False
) -> Blend:
    """The cubic spline's functions of some levels, the first 0 and the last 1 (of a ring, where 1 is 0 again, less), with slopes or
    bends `given` at the ends; or `straight` from one to the next.

    Source: de Boor, A Practical Guide to Splines, IV (natural, complete and not-a-knot cubic splines).
    Raises: FieldError, for levels that do not rise.
    """
    v = np.asarray(levels, dtype=float)
    if len(v) < 2 or np.diff(np.append(v, 1.0) if ring else v).min() <= NEAREST:
        raise FieldError("two of the curves across lie on each other; leave one out")
    if straight:
        return _straight(v, ring)
    if ring:
        basis = Basis(3, np.append(v, 1.0), np.ones(len(v) + 1, dtype=np.int64), True)
        return Blend(basis, np.asarray(np.linalg.inv(basis.matrix(v))), v)
    many = len(v) >= ENOUGH
    # Of many levels the one next to an end of which nothing is said is no knot; of few the second derivative there is nought. A bend that
    # is given needs one more knot, a third into the bay.
    inner = v[1 + (many and not first) : len(v) - 1 - (many and not last)]
    more = [v[a] + (v[b] - v[a]) / 3.0 for a, b, given in ((0, 1, first), (-1, -2, last)) if given == 2]
    breaks = np.unique(np.r_[0.0, inner, more, 1.0])
    basis = Basis(3, breaks, np.ones(len(breaks), dtype=np.int64), False)
    rows, right = [basis.matrix(v)], [np.eye(len(v), len(v) + first + last)]
    column = len(v)
    for end, given in ((0.0, first), (1.0, last)):
        for order in (1, 2)[:given]:
            rows.append(basis.matrix(np.array([end]), order))
            right.append(np.eye(1, len(v) + first + last, column))
            column += 1
        if not (given or many):
            rows.append(basis.matrix(np.array([end]), 2))
            right.append(np.zeros((1, len(v) + first + last)))
    return Blend(basis, np.asarray(np.linalg.solve(np.vstack(rows), np.vstack(right))), v, first, last)


def _straight(v: Array, ring: bool) -> Blend:
    """Straight from one level to the next; creased at each."""
    breaks = np.append(v, 1.0) if ring else v
    basis = Basis(1, breaks, np.ones(len(breaks), dtype=np.int64), False)
    return Blend(basis, np.vstack([np.eye(len(v)), np.eye(1, len(v))]) if ring else np.eye(len(v)), v)
