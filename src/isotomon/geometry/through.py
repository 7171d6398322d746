"""Curves through points in space, C2, and several of them evaluated at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from scipy.interpolate import PPoly

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.hermite import Hermite, natural_slopes


def through(points: Array, slopes: Sequence[Array | None] | None = None, closed: bool = False) -> SpaceCurve:
    """The C2 curve through points (n, 3), each with its `slope` by length along the chords, or None where it is free.

    Between free points it is the cubic spline (natural at open ends); the slopes and mean second derivatives of that
    spline make the quintics that are drawn, so that curvature is continuous also where a slope is given.
    Raises: DesignError, for fewer than two points, or two neighbours at one place.
    """
    given = tuple(None if s is None else tuple(s.tolist()) for s in slopes) if slopes is not None else None
    return _through(np.ascontiguousarray(points, dtype=float).tobytes(), given, closed)


@lru_cache(maxsize=256)
def _through(places: bytes, given: tuple[tuple[float, float, float] | None, ...] | None, closed: bool) -> SpaceCurve:
    """The same curve for the same points: what is made of it need not be made again."""
    points = np.frombuffer(places).reshape(-1, 3)
    slopes = None if given is None else [None if s is None else np.array(s) for s in given]
    if len(points) < (3 if closed else 2):
        raise DesignError(f"the curve has {len(points)} points; it needs {'three' if closed else 'two'} or more")
    if closed:
        points = np.vstack([points, points[:1]])
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    if steps.min() < 1e-9 * max(float(np.abs(points).max()), 1.0):
        raise DesignError(f"points {int(steps.argmin()) + 1} and the next lie at one place; move or remove one")
    held = list(slopes) if slopes is not None else [None] * (len(points) - closed)
    x = np.r_[0.0, np.cumsum(steps)]
    free = not closed and all(slope is None for slope in held)
    first, second = natural_slopes(x, points) if free else _spline_slopes(points, steps, held, closed)
    spline = Hermite(x / x[-1], np.vstack([points, first * x[-1], second * x[-1] ** 2])).pieces()
    slope = PPoly.construct_fast(_slopes_of(spline.c), spline.x)
    return SpaceCurve(
        lambda t: spline(np.clip(t, 0.0, 1.0)),
        closed,
        (),
        lambda t: slope(np.clip(t, 0.0, 1.0)),
        joints=tuple(spline.x[0 if closed else 1 : -1].tolist()),
        spline=spline,
    )


def _slopes_of(quintics: Array) -> Array:
    """(5, m, k) the derivatives of polynomials (6, m, k), highest power first."""
    return quintics[:-1] * np.arange(5.0, 0.0, -1.0)[:, None, None]


def side_by_side(curves: Sequence[SpaceCurve]) -> Callable[[Array], tuple[Array, Array]]:
    """What gives the points and derivatives (curves, n, 3) of several curves at parameters (curves, n)."""
    if all(curve.spline is not None for curve in curves):
        return _quintics_at([curve.spline for curve in curves])

    def at(t: Array) -> tuple[Array, Array]:
        pairs = list(zip(curves, t, strict=True))
        return np.stack([c.at(own) for c, own in pairs]), np.stack([c.rate(own) for c, own in pairs])

    return at


def _quintics_at(splines: Sequence[PPoly]) -> Callable[[Array], tuple[Array, Array]]:
    """The same of quintics: as quick for all of them as for one."""
    quintics = np.concatenate([spline.c for spline in splines], axis=1).transpose(1, 0, 2)
    start = np.concatenate([spline.x[:-1] for spline in splines])
    first = np.cumsum([0, *(len(spline.x) - 1 for spline in splines[:-1])])

    def at(t: Array) -> tuple[Array, Array]:
        inside = np.minimum(np.maximum(t, 0.0), 1.0)
        piece = first[:, None] + [s.x[1:-1].searchsorted(own, "right") for s, own in zip(splines, inside, strict=True)]
        found = np.matmul(_powers(inside - start[piece]), quintics[piece])
        return found[..., 0, :], found[..., 1, :]

    return at


def _powers(w: Array) -> Array:
    """(..., 2, 6): the powers of w (...) from the fifth down, and their derivatives."""
    powers = np.empty((*w.shape, 2, 6))
    powers[..., 0, 5], powers[..., 1, 5] = 1.0, 0.0
    for k in range(4, -1, -1):
        powers[..., 0, k] = powers[..., 0, k + 1] * w
        powers[..., 1, k] = (5.0 - k) * powers[..., 0, k + 1]
    return powers


def _spline_slopes(p: Array, h: Array, held: Sequence[Array | None], closed: bool) -> tuple[Array, Array]:
    n = len(h)
    rise, inv = np.diff(p, axis=0) / h[:, None], 1.0 / h
    size = n if closed else n + 1
    matrix, right = np.zeros((size, size)), np.zeros((size, 3))
    i = np.arange(size) if closed else np.arange(1, n)
    before = (i - 1) % n
    matrix[i, (i - 1) % size] += inv[before]
    matrix[i, i] += 2.0 * (inv[before] + inv[i])
    matrix[i, (i + 1) % size] += inv[i]
    right[i] = 3.0 * (rise[before] * inv[before, None] + rise[i] * inv[i, None])
    if not closed:
        matrix[[0, n], [0, n]], matrix[[0, n], [1, n - 1]] = 2.0, 1.0
        right[[0, n]] = 3.0 * rise[[0, -1]]
    fixed = [k for k, slope in enumerate(held) if slope is not None]
    if fixed:
        matrix[fixed] = 0.0
        matrix[fixed, fixed] = 1.0
        right[fixed] = np.array([held[k] for k in fixed])
    first = np.linalg.solve(matrix, right)
    if closed:
        first = np.vstack([first, first[:1]])
    out = (6.0 * rise - 4.0 * first[:-1] - 2.0 * first[1:]) / h[:, None]
    into = (-6.0 * rise + 2.0 * first[:-1] + 4.0 * first[1:]) / h[:, None]
    second = np.vstack([out[:1], (out[1:] + into[:-1]) / 2.0, into[-1:]])
    if closed:
        second[[0, -1]] = (out[0] + into[-1]) / 2.0
    return np.asarray(first), np.asarray(second)
