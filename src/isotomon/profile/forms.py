"""Linear forms of a drawing's variables: what constraints are written in. A vector is a pair of forms."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from scipy import sparse

from isotomon.arrays import Array


class LinearForm(NamedTuple):
    """sum of coefficient × variable, plus a constant: `terms` maps variables to coefficients."""

    terms: Mapping[int, float]
    const: float = 0.0

    def plus(self, other: LinearForm, factor: float = 1.0) -> LinearForm:
        """self + factor × other."""
        terms = dict(self.terms)
        for index, value in other.terms.items():
            terms[index] = terms.get(index, 0.0) + factor * value
        return LinearForm(terms, self.const + factor * other.const)

    def times(self, factor: float) -> LinearForm:
        """factor × self."""
        return LinearForm({i: factor * v for i, v in self.terms.items()}, factor * self.const)

    def at(self, x: Array) -> float:
        """The form's value for variables x."""
        return self.const + sum(v * float(x[i]) for i, v in self.terms.items())


class Vec(NamedTuple):
    """A point or a direction in the plane."""

    x: LinearForm
    y: LinearForm

    def minus(self, other: Vec) -> Vec:
        """self - other."""
        return Vec(self.x.plus(other.x, -1.0), self.y.plus(other.y, -1.0))

    def times(self, factor: float) -> Vec:
        """factor × self."""
        return Vec(self.x.times(factor), self.y.times(factor))

    def turned(self) -> Vec:
        """self turned a quarter clockwise, so that dot(u, v.turned()) is the cross product u × v."""
        return Vec(self.y, self.x.times(-1.0))

    def at(self, x: Array) -> Array:
        """(2,) its value for variables x."""
        return np.array([self.x.at(x), self.y.at(x)])


NOUGHT = LinearForm({})
UNIT = Vec(LinearForm({}, 1.0), NOUGHT)


def fixed(x: float, y: float) -> Vec:
    """A point that does not move."""
    return Vec(LinearForm({}, x), LinearForm({}, y))


def combine(weights: Array, vectors: Sequence[Vec]) -> Vec:
    """The weighted sum of vectors."""
    total = Vec(NOUGHT, NOUGHT)
    for w, v in zip(weights.tolist(), vectors, strict=True):
        if w:
            total = Vec(total.x.plus(v.x, w), total.y.plus(v.y, w))
    return total


def stack(forms: Sequence[LinearForm], size: int) -> tuple[sparse.csr_matrix, Array]:
    """(matrix (n, size), constants (n,)) of forms."""
    counts = [len(f.terms) for f in forms]
    columns = np.fromiter((i for f in forms for i in f.terms), dtype=np.intp, count=sum(counts))
    values = np.fromiter((v for f in forms for v in f.terms.values()), dtype=np.float64, count=sum(counts))
    starts = np.r_[0, np.cumsum(counts)]
    matrix = sparse.csr_matrix((values, columns, starts), shape=(len(forms), size))
    return matrix, np.array([f.const for f in forms])
