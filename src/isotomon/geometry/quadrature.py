"""Gauss's rule, worked out once for each number of places."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from isotomon.arrays import Array


@lru_cache(maxsize=32)
def gauss_rule(count: int) -> tuple[Array, Array]:
    """Sites and weights (count,) of the Gauss-Legendre rule on [-1, 1]; exact to degree 2 count - 1."""
    sites, weights = np.polynomial.legendre.leggauss(count)
    for array in (sites, weights):
        array.setflags(write=False)
    return sites, weights
