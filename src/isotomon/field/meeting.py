"""The curve where two skins meet: found as a level line on the one, then brought onto both."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from contourpy import contour_generator
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask
from isotomon.errors import FieldError
from isotomon.field.skin import Charted, RoundSkin, Skin, joined_round, level
from isotomon.geometry.datums import Plane, SpaceCurve
from isotomon.geometry.planar import cross3
from isotomon.geometry.space import sampled

PLACES = 129
"""The curve is laid through so many points of both skins."""
TOUCHING = 1e-8
"""Two bodies' skins that are still so far apart, as a share of the curve's length, do not meet there."""


def meeting(a: Skin, b: Skin, branch: int) -> SpaceCurve:
    """A branch (counted from 1, the longest first) of the curve where two skins meet.

    Where it runs out over an end of the longer of two bodies it may stop short of it by a 120th of the shorter one.

    Raises: FieldError, when they do not meet, or have fewer branches.
    """
    if isinstance(a, Plane) or (isinstance(a, RoundSkin) and isinstance(b, Charted)):
        a, b = b, a
    if isinstance(a, Plane):
        raise FieldError("two planes meet in a straight line; make a datum axis of them")
    if isinstance(a, Charted) and isinstance(b, Charted) and _reach(b) < _reach(a):
        a, b = b, a
    u, v, grid = a.grid()
    points = grid.reshape(-1, 3)
    fine = _grid_of(b) if isinstance(b, Charted) else None
    high = level(b, points)[0] if fine is None else fine.high(points, _widest(grid))  # type: ignore[arg-type]
    lines = contour_generator(u, v, np.ma.masked_invalid(high.reshape(len(v), len(u)))).lines(0.0)
    pieces = [np.asarray(line) for line in lines]
    if not (isinstance(a, Charted) and a.open):
        pieces = joined_round(pieces)
    if not pieces:
        raise FieldError("the two skins meet nowhere; move one of them")
    runs = []
    for line in pieces:
        p = a.at(*a.held(line[:, 0], line[:, 1]))[0]
        runs.append((float(np.linalg.norm(np.diff(p, axis=0), axis=1).sum()), line, p))
    runs.sort(key=lambda run: -run[0])
    if not 1 <= branch <= len(runs):
        raise FieldError(f"the two skins meet in {len(runs)} curves; ask for one of those")
    length, line, p = runs[branch - 1]
    closed = bool(np.linalg.norm(p[0] - p[-1]) < 1e-3 * length)
    run = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))]
    want = np.linspace(0.0, run[-1], PLACES)
    places = np.stack([np.interp(want, run, line[:, k]) for k in (0, 1)], axis=1)
    found = _on_level(a, b, places) if fine is None else _on_both(a, fine, places, length)  # type: ignore[arg-type]
    return sampled(found, closed)


def _widest(grid: Array) -> float:
    """mm: the longest diagonal of the cells of a grid (r, c, 3)."""
    diagonals = (grid[1:, 1:] - grid[:-1, :-1], grid[1:, :-1] - grid[:-1, 1:])
    return float(max(np.linalg.norm(one, axis=2).max() for one in diagonals))


def _reach(skin: Charted) -> float:
    """mm: how far it is along."""
    return float(np.linalg.norm(np.diff(skin.grid(9, 33)[2], axis=0), axis=2).sum(axis=0).mean())


def _on_level(a: Charted | RoundSkin, b: Plane | RoundSkin, places: Array) -> Array:
    """(m, 3) points of skin a, from places (m, 2) near them, that lie on b."""
    free = _free(a, places)
    for _ in range(6):
        q, qu, qv = a.at(*a.held(places[:, 0], places[:, 1]))
        off, gradient = level(b, q)
        du, dv = np.sum(gradient * qu, axis=1) * free[:, 0], np.sum(gradient * qv, axis=1) * free[:, 1]
        # Step in the direction that moves the point least in space.
        e, g = np.sum(qu * qu, axis=1), np.sum(qv * qv, axis=1)
        size = du * du / e + dv * dv / g
        places = places - np.stack([off * du / e, off * dv / g], axis=1) / np.maximum(size, 1e-12)[:, None]
    return a.at(*a.held(places[:, 0], places[:, 1]))[0]


@dataclass(frozen=True, eq=False)
class _Grid:
    """A fine grid on a skin: (m, 3) points, square to them, and rates around and along; `u` and `v` of its columns and rows."""

    skin: Charted
    u: Array
    v: Array
    points: Array
    square: Array
    around: Array
    along: Array

    @cached_property
    def tree(self) -> cKDTree:
        return cKDTree(self.points)

    def high(self, points: Array, reach: float) -> Array:
        """(m,) the first of what `beside` says, NaN of points that lie farther off than `reach` (mm) and a cell of its own."""
        within = self.tree.query(points, distance_upper_bound=reach + _widest(self.points.reshape(len(self.v), -1, 3)))[
            1
        ]
        near = within < len(self.points)
        found = np.full(len(points), np.nan)
        found[near] = self._off(points[near], within[near])
        return found

    def beside(self, points: Array) -> tuple[Array, Array]:
        """(m,) how far points lie outside the planes that touch the skin nearest to them, NaN beyond its ends; and (m, 2)
        the places on it nearest to them. Both as good as the grid is."""
        near = self.tree.query(points)[1]
        return self._off(points, near), np.stack([self.u[near % len(self.u)], self.v[near // len(self.u)]], axis=1)

    def _off(self, points: Array, near: Index) -> Array:
        away = points - self.points[near]
        with np.errstate(invalid="ignore", divide="ignore"):  # at a point that the body ends in
            off = np.sum(away * self.square[near], axis=1) / np.linalg.norm(self.square[near], axis=1)
        column, row = near % len(self.u), near // len(self.u)
        for bounded, number, last, rate in (
            (not self.skin.ring, row, len(self.v) - 1, self.along),
            (self.skin.open, column, len(self.u) - 1, self.around),
        ):
            if bounded:
                ahead = np.sum(away * rate[near], axis=1)
                off[((number == 0) & (ahead < 0.0)) | ((number == last) & (ahead > 0.0))] = np.nan
        return np.asarray(off)


def _grid_of(skin: Charted) -> _Grid:
    u, v, points = skin.grid(241, 161)
    around, along = (rates.reshape(-1, 3) for rates in skin.rates(u, v))
    return _Grid(skin, u, v, points.reshape(-1, 3), cross3(around, along), around, along)


def _on_both(a: Charted | RoundSkin, fine: _Grid, places: Array, length: float) -> Array:
    """(m, 3) points on both skins near places (m, 2) of a, by Newton steps that move them least in space.

    Raises: FieldError, where they do not come together.
    """
    b, there = fine.skin, fine.beside(a.at(*a.held(places[:, 0], places[:, 1]))[0])[1]
    free, bounded = _free(a, places), [*_bounded(a), *_bounded(b)]
    for _ in range(14):
        q, qu, qv = a.at(*a.held(places[:, 0], places[:, 1]))
        r, rs, rt = b.at(*b.held(there[:, 0], there[:, 1]))
        apart = np.linalg.norm(r - q, axis=1)
        if apart.max() < 1e-12 * length:
            break
        rates = np.stack([qu * free[:, :1], qv * free[:, 1:], -rs, -rt], axis=2)
        here = np.concatenate([places, there], axis=1)
        step = _least(rates, r - q)
        out = (np.abs(_held(a, b, here + step) - (here + step)) > 0.0) & bounded
        if out.any():  # at an end of a skin the others go on without it
            rates *= ~out[:, None]
            step = _least(rates, r - q)
        here = _held(a, b, here + step)
        places, there = here[:, :2], here[:, 2:]
    if apart.max() > TOUCHING * length:
        x, y, z = q[int(apart.argmax())].tolist()
        raise FieldError(f"the skins only touch, or end, at ({x:.4g}, {y:.4g}, {z:.4g}); move one of the bodies")
    return (q + r) / 2.0


def _free(skin: Charted | RoundSkin, places: Array) -> Mask:
    """(m, 2) which of u and v may change at places (m, 2): where the curve runs out over an end of the skin, it stays there."""
    free = np.ones(places.shape, dtype=bool)
    if isinstance(skin, Charted):
        for k, (bounded, ends) in enumerate(zip(_bounded(skin), ((0.0, 1.0), skin.ends), strict=True)):
            free[:, k] = ~(bounded & np.isclose(places[:, k, None], ends, atol=1e-9).any(axis=1))
    return free


def _bounded(skin: Charted | RoundSkin) -> tuple[bool, bool]:
    """Whether it ends along u, and along v."""
    return (skin.open, not skin.ring) if isinstance(skin, Charted) else (False, False)


def _held(a: Charted | RoundSkin, b: Charted, here: Array) -> Array:
    """Places (m, 4) on both skins brought back onto them."""
    return np.stack([*a.held(here[:, 0], here[:, 1]), *b.held(here[:, 2], here[:, 3])], axis=1)


def _least(rates: Array, miss: Array) -> Array:
    """(m, 4) the steps of least movement in space that make up for (m, 3) what is missing, by rates (m, 3, 4)."""
    sizes = np.maximum(np.linalg.norm(rates, axis=1, keepdims=True), 1e-300)
    ways = rates / sizes
    square = np.matmul(ways, ways.transpose(0, 2, 1)) + 1e-12 * np.eye(3)
    return np.asarray(
        np.matmul(ways.transpose(0, 2, 1), np.linalg.solve(square, miss[..., None]))[..., 0] / sizes[:, 0]
    )
