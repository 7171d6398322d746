"""A C2 interpolant along the body that does not overshoot its data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.interpolate import PPoly
from scipy.linalg import solve_banded
from scipy.sparse import csr_array

from isotomon.arrays import Array, Index, Mask

Settle = Callable[[Array, Array], None]

# Value, first and second derivative at both ends to the powers 0..5 of t in [0, 1].
_QUINTIC = np.array(
    [
        [1, 0, 0, 0, 0, 0],
        [0, 1, 0, 0, 0, 0],
        [0, 0, 0.5, 0, 0, 0],
        [-10, -6, -1.5, 10, -4, 0.5],
        [15, 8, 1.5, -15, 7, -1],
        [-6, -3, -0.5, 6, -3, 0.5],
    ]
)


MANY_SITES = 24
"""Above so many sites it is quicker to leave out the zeros of the weights, of which each place has six others."""
KEPT_SIZE = 512
"""Weights at up to so many places, and curves through up to so many values, are kept: edit after edit asks for the same ones."""


@dataclass(frozen=True, eq=False)
class Hermite:
    """A piecewise quintic: `x` (n,) increasing; `data` (3n, m): values, slopes and second derivatives at the sites."""

    x: Array
    data: Array

    def __call__(self, x: Array, derivative: int = 0) -> Array:
        """Values (len(x), m), or a derivative by x; outside the ends the end value (and slope 0) is kept."""
        if len(self.x) > MANY_SITES:
            return np.asarray(self.sparse_weights(x, derivative) @ self.data)
        return self.weights(x, derivative) @ self.data

    def pieces(self) -> PPoly:
        """The same curve as polynomials, quicker to evaluate for few columns."""
        n = len(self.x)
        if n == 1:
            return PPoly(self.data[None, :1], np.array([self.x[0], self.x[0] + 1.0]))
        h = (self.x[1:] - self.x[:-1])[:, None]
        y, first, second = self.data[:n], self.data[n : 2 * n], self.data[2 * n :]
        ends = np.stack([y[:-1], first[:-1] * h, second[:-1] * h * h, y[1:], first[1:] * h, second[1:] * h * h])
        powers = (_QUINTIC @ ends.reshape(6, -1)).reshape(ends.shape) / h ** np.arange(6)[:, None, None]
        return PPoly.construct_fast(np.ascontiguousarray(powers[::-1]), self.x)

    def weights(self, x: Array, derivative: int = 0) -> Array:
        """(len(x), 3n): what each entry of `data` contributes at each x; not to be written to."""
        x = np.asarray(x, dtype=np.float64)
        if len(x) <= KEPT_SIZE and len(self.x) <= MANY_SITES:
            return _kept_weights(self.x.tobytes(), x.tobytes(), derivative)
        return _weights(self.x, x, derivative)

    def sparse_weights(self, x: Array, derivative: int = 0) -> csr_array:
        """The same without its zeros, for two sites or more."""
        local, columns = _own_weights(self.x, x, derivative)
        rows = np.arange(len(x) + 1) * local.shape[1]
        return csr_array((local.ravel(), columns.ravel(), rows), shape=(len(x), 3 * len(self.x)))


@lru_cache(maxsize=64)
def _kept_weights(sites: bytes, places: bytes, derivative: int) -> Array:
    """`_weights` of few sites and places, no more than 19 MB of them in all."""
    weights = _weights(np.frombuffer(sites), np.frombuffer(places), derivative)
    weights.setflags(write=False)
    return weights


def _weights(sites: Array, x: Array, derivative: int) -> Array:
    """(len(x), 3n): what values, slopes and second derivatives at the sites (n,) contribute at each x."""
    if len(sites) == 1:
        return np.tile([float(derivative == 0), 0.0, 0.0], (len(x), 1))
    local, columns = _own_weights(sites, x, derivative)
    whole = np.zeros((len(x), 3 * len(sites)))
    np.put_along_axis(whole, columns, local, axis=1)
    return whole


def _own_weights(sites: Array, x: Array, derivative: int) -> tuple[Array, Index]:
    """(len(x), 6) each: the weights of the two sites about each x, and which entries of a curve's `data` they belong to."""
    n = len(sites)
    inside = np.clip(x, sites[0], sites[-1])
    bay = np.clip(np.searchsorted(sites, inside, side="right") - 1, 0, n - 2)
    h = (sites[1:] - sites[:-1])[bay]
    t = (inside - sites[bay]) / h
    degrees = np.arange(6)
    factor = np.ones(6)
    for k in range(derivative):
        factor = factor * np.maximum(degrees - k, 0)
    powers = factor * t[:, None] ** np.maximum(degrees - derivative, 0)
    local = (powers @ _QUINTIC) / (h**derivative)[:, None]
    if derivative:
        local[(x < sites[0]) | (x > sites[-1])] = 0.0
    local *= np.stack([np.ones_like(h), h, h * h, np.ones_like(h), h, h * h], axis=1)
    return local, bay[:, None] + np.array([0, n, 2 * n, 1, n + 1, 2 * n + 1])


def natural_slopes(x: Array, y: Array) -> tuple[Array, Array]:
    """First and second derivatives (n, m) at the sites of the natural cubic spline through `y` (n, m)."""
    n = len(x)
    h = x[1:] - x[:-1]
    rise = (y[1:] - y[:-1]) / h[:, None]
    second = np.zeros_like(y)
    if n > 2:
        second[1:-1] = _through_neighbours(h, 6.0 * (rise[1:] - rise[:-1]))
    first = np.empty_like(y)
    first[:-1] = rise - h[:, None] * (2.0 * second[:-1] + second[1:]) / 6.0
    first[-1] = rise[-1] + h[-1] * (second[-2] + 2.0 * second[-1]) / 6.0
    return first, second


def _through_neighbours(h: Array, right: Array) -> Array:
    """(n, m) the second derivatives of a spline at its inner sites, from bays `h` (n + 1,)."""
    n = len(right)
    if n < MANY_SITES:  # the general solver is quicker for so few
        matrix = np.zeros((n, n))
        matrix.flat[:: n + 1] = 2.0 * (h[:-1] + h[1:])
        matrix.flat[1 :: n + 1] = matrix.flat[n :: n + 1] = h[1:-1]
        return np.asarray(np.linalg.solve(matrix, right), dtype=np.float64)
    band = np.zeros((3, n))
    band[0, 1:] = h[1:-1]
    band[1] = 2.0 * (h[:-1] + h[1:])
    band[2, :-1] = h[1:-1]
    return np.asarray(solve_banded((1, 1), band, right))


EVEN = 0.002
"""A coordinate may leave the range of its values at a bay's ends by this share of the sections' extent in it, so that area,
chord and thickness stay within theirs to a hundredth."""
SLACK = 0.12
"""Of several points each may turn back by this share of what the point that moves most in the bay moves."""


def smooth(x: Array, y: Array, settle: Settle | None = None, dimension: int = 0) -> Hermite:
    """The C2 interpolant of `y` (n, m) at `x` (n,) that does not turn back on itself inside a bay.

    Where the natural cubic spline moves from each site to the next without turning back, it is the result. Elsewhere
    the slopes and second derivatives at a bay's ends are drawn towards safe ones by the least share that makes the
    bay's Bernstein coefficients advance in the direction from site to site. For m > 1 the data are points of m
    coordinates, or of `dimension` coordinates each, and "advance" is measured along the line between them, so the
    result turns with its data.
    Source: the sufficient condition of Dougherty, Edelman, Hyman, "Nonnegativity-, monotonicity-, or
    convexity-preserving cubic and quintic Hermite interpolation", Math. Comp. 52 (1989), in Bernstein form.
    `settle` may change slopes and second derivatives (n, m) in place before the bays are made.
    """
    y = np.asarray(y, dtype=np.float64)
    if y.size <= KEPT_SIZE and settle is None:
        return _kept_smooth(np.asarray(x, dtype=np.float64).tobytes(), y.tobytes(), y.shape[1], dimension)
    return _smooth(x, y, settle, dimension)


@lru_cache(maxsize=256)
def _kept_smooth(sites: bytes, values: bytes, columns: int, dimension: int) -> Hermite:
    """`smooth` of few values, no more than 4 MB of such curves in all."""
    curve = _smooth(np.frombuffer(sites), np.frombuffer(values).reshape(-1, columns), None, dimension)
    curve.data.setflags(write=False)
    return curve


def _smooth(x: Array, y: Array, settle: Settle | None, dimension: int) -> Hermite:
    if len(x) == 1:  # the same everywhere
        return Hermite(x, np.vstack([y, np.zeros((2, y.shape[1]))]))
    if not y.any():
        return Hermite(x, np.zeros((3 * len(x), y.shape[1])))
    first, second = natural_slopes(x, y)
    h = np.diff(x)
    if len(x) > 2:
        d = dimension or y.shape[1]
        rise = np.diff(y, axis=0).reshape(len(h), -1, d) / h[:, None, None]
        safe = _safe_slopes(rise)
        # Beside a site at which all points are one, none may turn back: there they have no room.
        bare = np.asarray(~y.any(axis=1))
        tight = bare[1:] | bare[:-1]
        shaped, bent = first.reshape(safe.shape), second.reshape(safe.shape)
        share = np.zeros(len(x))
        if d == 2:
            safe = _within_each(rise, safe)
            share = _share_in_range(h, y.reshape(len(x), -1, d), rise, shaped, bent, safe)
        share = _least_share(h[:, None], rise, shaped, bent, safe, tight, share[:, None])
        first = (1.0 - share) * first + share * safe.reshape(y.shape)
        second = (1.0 - share) * second
    if settle is not None:
        settle(first, second)
    return Hermite(x, np.vstack([y, first, second]))


def smooth_each(x: Array, y: Array) -> list[Hermite]:
    """The same for every column of `y` (n, m) by itself: m curves through m sets of values at the same sites."""
    if len(x) < 3:
        return [smooth(x, column[:, None]) for column in y.T]
    first, second = natural_slopes(x, y)
    h = np.diff(x)
    rise = (np.diff(y, axis=0) / h[:, None])[..., None]
    safe = _safe_slopes(rise)
    none = np.zeros(len(h), dtype=bool)
    share = _least_share(
        h[:, None], rise, first[..., None], second[..., None], safe, none, np.zeros(y.shape), each=True
    )
    first = (1.0 - share) * first + share * safe[..., 0]
    second = (1.0 - share) * second
    return [Hermite(x, np.concatenate(parts)[:, None]) for parts in zip(y.T, first.T, second.T, strict=True)]


def _safe_slopes(rise: Array) -> Array:
    """Slopes (n, points, d) that with zero second derivative never overshoot: short, and zero where a point turns back."""
    ahead, behind = np.concatenate([rise, rise[-1:]]), np.concatenate([rise[:1], rise])
    length2 = _dots(rise, rise)
    a2, b2 = np.concatenate([length2, length2[-1:]]), np.concatenate([length2[:1], length2])
    together = _dots(ahead, behind)
    # The harmonic mean's length, 2ab/(a+b), never exceeds twice the shorter; 5/8 of it stays below 5/4 of each.
    a, b = np.sqrt(a2), np.sqrt(b2)
    total = np.where(a + b > 0.0, a + b, 1.0)
    mean = (b[..., None] * ahead + a[..., None] * behind) / total[..., None]
    agree = np.clip(together / np.where(a * b > 0.0, a * b, 1.0), 0.0, 1.0)
    return np.asarray(0.625 * agree[..., None] * mean)


def _within_each(rise: Array, safe: Array) -> Array:
    """Safe slopes (n, points, d) that are safe in each coordinate, too: none against the rise of a bay beside it, nor
    steeper than 5/4 of it."""
    ahead, behind = np.concatenate([rise, rise[-1:]]), np.concatenate([rise[:1], rise])
    room = np.where(ahead * behind > 0.0, 1.25 * np.minimum(np.abs(ahead), np.abs(behind)), 0.0)
    way = np.sign(ahead)
    return np.asarray(way * np.clip(way * safe, 0.0, room))


def _share_in_range(h: Array, y: Array, rise: Array, first: Array, second: Array, safe: Array) -> Array:
    """For each site, the share (0..1) of the safe slopes that keeps every coordinate between its values at the two ends of
    each bay, but for `EVEN` of the sections' extent, and where it turns round `SLACK` of what it does in the bay.

    A quintic stays within its Bernstein coefficients, of which the first three hang on one end's slopes, the others on the
    other's. `y` (sites, points, 2); `rise` (bays, points, 2); the others (sites, points, 2).
    """
    extent = np.ptp(y, axis=1)
    least, most = np.minimum(extent[:-1], extent[1:]), np.maximum(extent[:-1], extent[1:])
    room = EVEN * np.where(least > 0.0, least, most)[:, None] / h[:, None, None]
    before, after = np.concatenate([rise[:1], rise[:-1]]), np.concatenate([rise[1:], rise[-1:]])
    turns = (rise * before < 0.0) | (rise * after < 0.0)
    room = room + np.where(turns, SLACK, 0.0) * np.abs(rise)
    low, high = np.minimum(rise, 0.0) - room, np.maximum(rise, 0.0) + room
    share = np.zeros(len(y))
    wide = h[:, None, None]
    for end, way in ((slice(None, -1), 1.0), (slice(1, None), -1.0)):
        base = 0.0 if way > 0.0 else rise
        for times, bends in ((0.2, 0.0), (0.4, 0.05)):
            at = base + way * times * first[end] + bends * wide * second[end]
            calm = base + way * times * safe[end]
            over = np.maximum(at - high, low - at)
            need = np.where(over > 0.0, over / np.maximum(np.abs(at - calm), 1e-300), 0.0)
            share[end] = np.maximum(share[end], np.clip(need.max(axis=(1, 2)), 0.0, 1.0))
    return share


def _worst(each: bool, need: Array) -> Array:
    """(…, 1) the most that any point needs; or (…, points) what each does."""
    return need if each else np.asarray(need.max(axis=-1, keepdims=True))


def _least_share(
    h: Array,
    rise: Array,
    first: Array,
    second: Array,
    safe: Array,
    tight: Mask,
    share: Array,
    each: bool = False,
) -> Array:
    """For each site, the share (0..1) of the safe slopes needed in the bays beside it, no less than `share` (sites, 1).
    `rise`: (bays, points, d); the others (sites, points, d). In `tight` bays (bays,) nothing may turn back at all.
    `each`: every point has a share of its own (sites, points), and turns back nowhere."""
    length2 = _dots(rise, rise)
    most = np.sqrt(_worst(each, length2))
    allowed = np.where(tight[:, None], 0.0, (0.0 if each or rise.shape[1] == 1 else SLACK) * most)
    greatest = length2.max(axis=0 if each else None)
    still = length2 <= 1e-24 * greatest
    left, right, share = slice(None, -1), slice(1, None), share.copy()
    f0, f1 = _dots(rise, first[left]) / 5.0, _dots(rise, first[right]) / 5.0
    c0, c1 = _dots(rise, second[left]) * (h / 20.0), _dots(rise, second[right]) * (h / 20.0)
    g0, g1 = _dots(rise, safe[left]) / 5.0, _dots(rise, safe[right]) / 5.0
    if still.any():  # a point that stays where it is from site to site may not wander off between them
        speed = np.sqrt(_dots(first, first)) / 5.0
        room = allowed + 1e-12 * np.sqrt(greatest)
        for end in (left, right):
            need = 1.0 - allowed / np.maximum(speed[end], 1e-300)
            share[end] = np.maximum(share[end], _worst(each, np.where(still & (speed[end] > room), need, 0.0)))
    slack = -allowed * np.sqrt(length2) - 1e-12 * length2
    # The steps from one Bernstein coefficient to the next if both ends were wholly safe: never negative, so a share of them mends any deficit.
    calm = np.stack([g0, g0, length2 - 2.0 * (g0 + g1), g1, g1])
    steps = np.empty_like(calm)
    for _ in range(4):
        s0, s1 = share[left], share[right]
        steps[0], steps[4] = (1 - s0) * f0 + s0 * g0, (1 - s1) * f1 + s1 * g1
        e0, e1 = (1 - s0) * c0, (1 - s1) * c1
        steps[1], steps[3] = steps[0] + e0, steps[4] - e1
        steps[2] = length2 - 2.0 * (steps[0] + steps[4]) + (e1 - e0)
        short = slack - steps
        if not (short > 0.0).any():
            break
        with np.errstate(over="ignore"):  # what is beyond all bounds is clipped to 1
            deficit = np.where(short > 0.0, short / np.maximum(calm - steps, 1e-300), 0.0)
        need0, need1 = (np.clip(_worst(each, part.max(axis=0)), 0, 1) for part in (deficit[:3], deficit[2:]))
        share[left] = np.maximum(share[left], 1.0 - (1.0 - s0) * (1.0 - need0))
        share[right] = np.maximum(share[right], 1.0 - (1.0 - s1) * (1.0 - need1))
    return share


def _dots(a: Array, b: Array) -> Array:
    """(sites, points) the products of vectors (sites, points, d)."""
    return np.asarray(np.einsum("spd,spd->sp", a, b))
