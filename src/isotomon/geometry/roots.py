"""Where functions of one number pass nought, many at once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from isotomon.arrays import Array

MOST, NEAR = 60, 1e-14
"""Steps at most, and the miss, of the numbers' size, that is none."""


def crossings(of: Callable[[Array], Array], low: Array, high: Array) -> Array:
    """(m,) where functions (m,) of numbers (m,) pass nought between two at which they have opposite signs. Source: the Illinois variant of
    regula falsi, M. Dowell and P. Jarratt, 1971."""
    a, b, f, g = low, high, of(low), of(high)
    for _ in range(MOST):
        c = b - g * (b - a) / np.where(g == f, np.inf, g - f)
        h = of(c)
        passed = h * g < 0.0
        # The end that stays counts for half, so that it does not stay for ever.
        a, f = np.where(passed, b, a), np.where(passed, g, f / 2.0)
        b, g = c, h
        if np.all((np.abs(b - a) < NEAR * np.abs(b).clip(1.0)) | (g == 0.0)):
            break
        if np.abs(h).max() < NEAR:
            break
    return b


def secant(of: Callable[[Array], Array], start: Array, step: float, times: int) -> Array:
    """(m,) where functions (m,) of numbers (m,) that are nearly straight are nought, from a start, by so many steps of the secant rule.
    `of` may be asked for several numbers of each function at once, one row of them after the other."""
    a, b = start, start + step
    f, g = np.split(of(np.concatenate([a, b])), 2)
    for left in reversed(range(times)):
        a, b, f = b, b - g * (b - a) / np.where(g == f, np.inf, g - f), g
        if left:
            g = of(b)
    return b
