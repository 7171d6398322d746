"""Curves in space as B-splines: what skins are made from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache, partial

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError, KnotError
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.quadrature import gauss_rule

CELLS, FEWEST_CELLS = 64, 8
"""Into so many parts a curve of one run is cut to measure its length; and each run of one that has several, at least."""
MOST_KEPT = 80
"""Curves that are known as splines: more than a large net has. Each may hold on to the body whose rim it is."""
EVENLY = 1e-9
"""Of a run: one that goes so evenly is its own measure."""
PROBES = np.sort(np.mod(np.arange(1, 66) * 0.6180339887498949, 1.0))
"""Places at which two curves are compared: those that agree at all of them are one."""
CORNER, JOINT, FAIR = 0, 1, 2
"""How many derivatives by length go on through a corner, through a joint, and through one at which the curvature goes on, too."""
ASIDE = 1e-4
"""Of a curve: so far beside a joint its derivatives are looked at."""
GOES_ON, EVEN = 1e-3, 2e-2
"""By how much a first derivative may differ at the two sides of a joint, of itself, and a second one, of the first, to be one."""


@dataclass(frozen=True, eq=False)
class Strand:
    """A curve on [0, 1]: `control` (n, 3) mm in a quintic `basis`. `corners`: where it turns sharply; `joins`: where it
    is less smooth than its spline, and how many derivatives go on there. `names` of the corners are lasting."""

    basis: Basis
    control: Array
    length: float
    closed: bool
    corners: tuple[float, ...] = ()
    names: tuple[str, ...] = ()
    joins: tuple[tuple[float, int], ...] = ()
    at_share: Callable[[Array], Array] = np.asarray
    """Where shares (n,) of its length come to."""
    parameter: Callable[[Array], Array] = np.asarray
    """The parameter of the curve that it was made from, at places on it."""
    beyond: Callable[[Array], tuple[Array, Array]] | None = None
    """Of an edge of a skin: how that goes on over it at places on it, as `SpaceCurve.beyond`."""

    @cached_property
    def _spline(self) -> BSpline:
        return self.basis.spline(self.control)

    def at(self, s: Array, derivative: int = 0) -> Array:
        """(n, 3) places at parameters (n,), or derivatives; round and round a closed one."""
        s = np.mod(s, 1.0) if self.closed else np.clip(s, 0.0, 1.0)
        return np.asarray(self._spline(s, nu=derivative))

    def clamped(self) -> tuple[Basis, Array]:
        """The same as a spline with two ends, also where it goes round."""
        if not self.basis.periodic:
            return self.basis, self.control
        basis = Basis(self.basis.degree, self.basis.breaks, self.basis.multiplicity, False)
        return basis, basis.interpolate(self.at)

    def turned(self) -> Strand:
        """The same run through the other way; always the same one."""
        return self._turned

    @cached_property
    def _turned(self) -> Strand:
        beyond, parameter, at_share = self.beyond, self.parameter, self.at_share
        back = None if beyond is None else lambda s: beyond(1.0 - s)
        if self.basis.periodic:
            return _moved(self, 1.0, -1.0)
        times = self.basis.multiplicity[::-1].copy()
        basis = Basis(self.basis.degree, 1.0 - self.basis.breaks[::-1], times, False)
        corners = tuple(1.0 - c for c in self.corners[::-1])
        joins = tuple((1.0 - place, order) for place, order in self.joins[::-1])
        return replace(
            self,
            basis=basis,
            control=self.control[::-1],
            corners=corners,
            names=self.names[::-1],
            joins=joins,
            at_share=lambda s: 1.0 - at_share(1.0 - s),
            parameter=lambda s: parameter(1.0 - s),
            beyond=back,
        )


@dataclass(frozen=True)
class _Known:
    """A curve by what it is at the places where curves are compared."""

    marks: bytes
    tolerance: float
    curve: SpaceCurve

    def __hash__(self) -> int:
        return hash((self.marks, self.tolerance))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Known) and (self.marks, self.tolerance) == (other.marks, other.tolerance)


@lru_cache(maxsize=MOST_KEPT)
def strand_of(curve: SpaceCurve, tolerance: float) -> Strand:
    """A curve as a spline, to within `tolerance` (mm); the same one for the same curve.

    Raises: FieldError, for one without length, or that no spline follows.
    """
    marks = curve.at(PROBES).tobytes() + repr((curve.closed, curve.corners, curve.joints, curve.names)).encode()
    if curve.beyond is None:
        return _strand(_Known(marks, tolerance, curve))
    # Two skins may end in the same curve: how each goes on is its own.
    own = b"".join(part.tobytes() for part in curve.beyond(PROBES[::8]))
    return _edge_strand(_Known(marks + own, tolerance, curve), _strand(_Known(marks, tolerance, curve)))


@lru_cache(maxsize=MOST_KEPT)
def _edge_strand(known: _Known, made: Strand) -> Strand:
    beyond = known.curve.beyond
    assert beyond is not None
    return replace(made, beyond=lambda s: beyond(made.parameter(s)))


def _moved(strand: Strand, start: float, sign: float) -> Strand:
    """A closed strand run through from another place on it on, the same way or (-1) the other."""
    beyond, parameter = strand.beyond, strand.parameter

    def place(s: Array) -> Array:
        return start + sign * np.asarray(s)

    joints = tuple(sorted(float(sign * (joint - start)) % 1.0 for joint, _ in strand.joins))
    found = SpaceCurve(lambda s: strand.at(place(s)), True, joints=joints)
    made = _strand(_Known(found.at(PROBES).tobytes(), 1e-9 * strand.length, found))
    return replace(
        made,
        parameter=lambda s: parameter(np.mod(place(made.parameter(s)), 1.0)),
        beyond=None if beyond is None else lambda s: beyond(np.mod(place(made.parameter(s)), 1.0)),
    )


@lru_cache(maxsize=MOST_KEPT)
def _strand(known: _Known) -> Strand:
    """By its own parameter, where that runs smoothly through its joints, else by its length."""
    curve, tolerance = known.curve, known.tolerance
    ends, lengths, runs, knots = _by_length(curve)
    places = np.r_[0.0, np.cumsum(lengths) / lengths.sum()]
    places[-1] = 1.0
    sharp = {float(c) for c in curve.corners}
    inner = [k for k in range(len(ends) - 1) if k or (curve.closed and 0.0 in curve.joints)]
    orders = _orders(curve, ends, _derivative)
    smooth = all(orders[k] > CORNER or float(ends[k]) in sharp for k in inner)
    by_length = partial(_piecewise, places, ends, runs)
    if not smooth:
        orders = _orders(curve, ends, _by_arc)
    at = ends if smooth else places
    parameter: Callable[[Array], Array] = np.asarray if smooth else by_length
    seeds = (
        []
        if smooth
        else [float(places[k] + x * lengths[k] / lengths.sum()) for k, own in enumerate(knots) for x in own]
    )
    joins = {float(at[k]): CORNER if float(ends[k]) in sharp else int(orders[k]) for k in inner}
    round_ = curve.closed and not curve.corners
    try:
        basis, control = fit(lambda s: curve.at(parameter(s)), tolerance, joins=joins, periodic=round_, seeds=seeds)
    except KnotError as error:
        raise FieldError(f"a curve that a skin is made from is not smooth enough: {error}") from None
    return Strand(
        basis,
        control,
        float(lengths.sum()),
        bool(curve.closed),  # numpy has one of its own, which cannot be sent to the worker
        tuple(float(at[int(np.abs(ends - c).argmin())]) for c in curve.corners),
        curve.names,
        tuple(sorted(joins.items())),
        by_length if smooth else np.asarray,
        parameter,
    )


def _piecewise(places: Array, ends: Array, runs: Sequence[Callable[[Array], Array]], s: Array) -> Array:
    """The parameters (n,) at shares (n,) of a curve's length, of runs between `ends` that lie at `places`."""
    which = np.clip(np.searchsorted(places, s, side="right") - 1, 0, len(runs) - 1)
    t = np.empty(len(s))
    for k, run in enumerate(runs):
        here = which == k
        share = (s[here] - places[k]) / (places[k + 1] - places[k])
        t[here] = np.clip(run(share), ends[k], ends[k + 1])
    return t


def _by_length(curve: SpaceCurve) -> tuple[Array, Array, list[Callable[[Array], Array]], list[Array]]:
    """The parameters at which the smooth runs of a curve begin and end, their lengths, of each the parameter by the share of its length, and the
    shares at which that is a little less smooth."""
    ends = np.unique([0.0, 1.0, *(c for c in (*curve.corners, *curve.joints) if 0.0 < c < 1.0)])
    x, w = gauss_rule(5)
    cells = max(CELLS // (len(ends) - 1), FEWEST_CELLS)
    even = np.linspace(0.0, 1.0, cells + 1)
    t = ends[:-1, None] + np.diff(ends)[:, None] * even  # (runs, cells + 1)
    steps = np.diff(t, axis=1)
    inner = t[:, :-1, None] + (x + 1.0) / 2.0 * steps[..., None]
    speed = np.linalg.norm(curve.rate(inner.ravel()), axis=1).reshape(inner.shape)
    run = np.pad(np.cumsum(speed @ w * steps / 2.0, axis=1), ((0, 0), (1, 0)))
    if not (np.all(run[:, -1] > 0.0) and np.all(np.diff(run, axis=1) > 0.0)):
        raise FieldError("a curve that a skin is made from has no length, or stands still on its way")
    share = run / run[:, -1:]
    runs, knots = list[Callable[[Array], Array]](), list[Array]()
    for low, high, own, at in zip(ends[:-1].tolist(), ends[1:].tolist(), share, t, strict=True):
        if np.abs(own - even).max() < EVENLY:
            runs.append(partial(_evenly, low, high))
            knots.append(np.zeros(0))
        else:
            spline = make_interp_spline(own, at, k=5)
            runs.append(spline)
            knots.append(np.unique(spline.t[6:-6]))
    return ends, run[:, -1], runs, knots


def _evenly(low: float, high: float, share: Array) -> Array:
    return low + (high - low) * share


Derivatives = Callable[[SpaceCurve, Array], tuple[Array, Array]]
"""(n, 3) each: the first and second derivative of a curve at parameters, by differences to both sides."""


def _orders(curve: SpaceCurve, ends: Array, derivatives: Derivatives) -> Index:
    """(ends,) how many derivatives go on through each place."""
    sides = [
        np.mod(ends + k * ASIDE, 1.0) if curve.closed else np.clip(ends + k * ASIDE, 0.0, 1.0) for k in (-2, -1, 1, 2)
    ]
    firsts, seconds = zip(*(derivatives(curve, side) for side in sides), strict=True)
    # What each side comes to at the place itself.
    first, second = ((2.0 * d[1] - d[0], 2.0 * d[2] - d[3]) for d in (firsts, seconds))
    size = np.maximum(np.linalg.norm(first[0], axis=1), 1e-300)
    turns = np.linalg.norm(first[1] - first[0], axis=1) > GOES_ON * size
    bends = np.linalg.norm(second[1] - second[0], axis=1) > EVEN * size * (
        1.0 if derivatives is _derivative else 1.0 / curve.length
    )
    return np.where(turns, CORNER, np.where(bends, JOINT, FAIR))


def _derivative(curve: SpaceCurve, t: Array) -> tuple[Array, Array]:
    """By its own parameter."""
    p, q, r = _about(curve, t)
    h = ASIDE / 2.0
    return (r - p) / (2.0 * h), (r - 2.0 * q + p) / h**2


def _by_arc(curve: SpaceCurve, t: Array) -> tuple[Array, Array]:
    """By its length."""
    p, q, r = _about(curve, t)
    before, after = q - p, r - q
    a, b = (np.maximum(np.linalg.norm(x, axis=1, keepdims=True), 1e-300) for x in (before, after))
    return (r - p) / np.linalg.norm(r - p, axis=1, keepdims=True), 2.0 * (after / b - before / a) / (a + b)


def _about(curve: SpaceCurve, t: Array) -> list[Array]:
    """(n, 3) each: places half as far before and after, and at, parameters."""
    return [
        curve.at(np.mod(t + k, 1.0) if curve.closed else np.clip(t + k, 0.0, 1.0))
        for k in (-ASIDE / 2.0, 0.0, ASIDE / 2.0)
    ]


def headed(strands: Sequence[Strand], turned: Sequence[bool] = ()) -> list[Strand]:
    """Strands that run the same way as the first: each turned round where that brings it nearer to the one before, and once more where
    `turned` says so. Closed ones begin where they come nearest to the beginning of the one before."""
    made = [strands[0].turned() if turned and turned[0] else strands[0]]
    for k, strand in enumerate(strands[1:], 1):
        options = [strand, strand.turned()]
        if strand.closed and made[-1].closed and not strand.corners:
            options = [_begun_near(option, made[-1]) for option in options]
        s = np.linspace(0.0, 1.0, 33)
        before = made[-1].at(s)
        far = [float(np.linalg.norm(option.at(s) - before, axis=1).sum()) for option in options]
        nearer = int(far[1] < far[0])
        made.append(options[1 - nearer if k < len(turned) and turned[k] else nearer])
    return made


def _begun_near(strand: Strand, before: Strand) -> Strand:
    """A closed strand that begins where it comes nearest to the beginning of another, to a 256th of its length."""
    s = np.linspace(0.0, 1.0, 257)[:-1]
    start = float(s[np.linalg.norm(strand.at(s) - before.at(np.zeros(1)), axis=1).argmin()])
    if start == 0.0:
        return strand
    return _moved(strand, start, 1.0)
