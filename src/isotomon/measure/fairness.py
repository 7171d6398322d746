"""Whether a curve along the body is fair: how often its bend changes sign by more than can be overlooked."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array

LEAST = 0.03
"""A turn of the curve's slope less than this share of the mean slope between its extremes is not seen."""


def wiggles(x: Array, y: Array, least: float = 0.0) -> Array:
    """Positions at which a curve's bend changes sign, once the changes too slight to be seen are passed over.

    A fair curve has as few as its course needs: none for a bow, one for an S. x (n,) increasing; y (n,), NaN where it is
    not defined. A curve that rises and falls by less than `least` in all is level.
    """
    good = np.isfinite(y)
    x, y = x[good], y[good]
    if len(x) < 8 or not np.ptp(y) > max(least, 1e-9 * float(np.abs(y).max())):
        return np.zeros(0)
    curve = CubicSpline(x, y)
    fine = np.linspace(x[0], x[-1], 1201)
    slope, bend = curve(fine, 1), curve(fine, 2)
    turns = np.flatnonzero(bend[:-1] * bend[1:] < 0.0)
    edges = np.r_[0, turns + 1, len(fine) - 1]
    turned = np.diff(slope[edges])  # how far the slope turns in each stretch of one sign
    slight = LEAST * float(np.abs(turned).sum() + np.ptp(y) / (x[-1] - x[0]))
    stretches = [[float(amount), k] for k, amount in enumerate(turned)]
    while len(stretches) > 1 and min(abs(a) for a, _ in stretches) < slight:
        k = min(range(len(stretches)), key=lambda i: abs(stretches[i][0]))
        # The slight stretch goes with its neighbours, which now bend one way through it.
        if 0 < k < len(stretches) - 1:
            stretches[k - 1][0] += stretches[k][0] + stretches[k + 1][0]
            del stretches[k : k + 2]
        else:
            near = 1 if k == 0 else k - 1
            stretches[near][0] += stretches[k][0]
            stretches[near][1] = min(stretches[near][1], stretches[k][1])
            del stretches[k]
    starts = [int(edges[int(k)]) for _, k in stretches[1:]]
    return np.asarray(fine[starts])
