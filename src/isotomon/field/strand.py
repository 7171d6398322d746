"""Curves in space as B-splines by their arc length: what skins are made from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError, KnotError
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.quadrature import gauss_rule

CELLS = 64
"""Into so many parts a smooth run of a curve is cut to measure its length."""
PROBES = np.sort(np.mod(np.arange(1, 66) * 0.6180339887498949, 1.0))
"""Places at which two curves are compared: those that agree at all of them are one."""
CORNER, JOINT, FAIR = 0, 1, 2
"""How many derivatives by length go on through a corner, through a joint, and through one at which the curvature goes on, too."""
ASIDE, EVEN = 1e-4, 2e-2
"""Of a curve: so far beside a joint its curvature is looked at; and times its length, by how much that may differ at the two sides."""


@dataclass(frozen=True, eq=False)
class Strand:
    """A curve on [0, 1] by its arc length: `control` (n, 3) mm in a quintic `basis`. `corners`: where it turns sharply; `joins`: where it
    is less smooth than its spline, and how many derivatives go on there. `names` of the corners are lasting."""

    basis: Basis
    control: Array
    length: float
    closed: bool
    corners: tuple[float, ...] = ()
    names: tuple[str, ...] = ()
    joins: tuple[tuple[float, int], ...] = ()
    parameter: Callable[[Array], Array] = np.asarray
    """The parameter of the curve that it was made from, at shares of the length."""
    beyond: Callable[[Array], tuple[Array, Array]] | None = None
    """Of an edge of a skin: how that goes on over it at shares of the length, as `SpaceCurve.beyond`."""

    @cached_property
    def _spline(self) -> BSpline:
        whole = np.vstack([self.control, self.control[: self.basis.degree]]) if self.basis.periodic else self.control
        return BSpline(self.basis.knots, whole, self.basis.degree)

    def at(self, s: Array, derivative: int = 0) -> Array:
        """(n, 3) places at shares (n,) of the length, or derivatives by it; round and round a closed one."""
        s = np.mod(s, 1.0) if self.closed else np.clip(s, 0.0, 1.0)
        return np.asarray(self._spline(s, nu=derivative))

    def clamped(self) -> tuple[Basis, Array]:
        """The same as a spline with two ends, also where it goes round."""
        if not self.basis.periodic:
            return self.basis, self.control
        basis = Basis(self.basis.degree, self.basis.breaks, self.basis.multiplicity, False)
        return basis, basis.interpolate(self.at)

    def turned(self) -> Strand:
        """The same run through the other way."""
        beyond, parameter = self.beyond, self.parameter
        back = None if beyond is None else lambda s: beyond(1.0 - s)
        if self.basis.periodic:
            return _moved(self, lambda s: 1.0 - np.asarray(s))
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


def strand_of(curve: SpaceCurve, tolerance: float) -> Strand:
    """A curve by its arc length, to within `tolerance` (mm); the same one for the same curve.

    Raises: FieldError, for one without length, or that no spline follows.
    """
    marks = curve.at(PROBES).tobytes() + repr((curve.closed, curve.corners, curve.joints, curve.names)).encode()
    made, beyond = _strand(_Known(marks, tolerance, curve)), curve.beyond
    # Two skins may end in the same curve: how each goes on is its own.
    return made if beyond is None else replace(made, beyond=lambda s: beyond(made.parameter(s)))


def _moved(strand: Strand, place: Callable[[Array], Array]) -> Strand:
    """A closed strand run through otherwise: at `place` of its own share of the length."""
    found, beyond, parameter = SpaceCurve(lambda s: strand.at(place(s)), True), strand.beyond, strand.parameter
    made = _strand(_Known(found.at(PROBES).tobytes(), 1e-9 * strand.length, found))
    return replace(
        made,
        parameter=lambda s: parameter(np.mod(place(s), 1.0)),
        beyond=None if beyond is None else lambda s: beyond(np.mod(place(s), 1.0)),
    )


@lru_cache(maxsize=256)
def _strand(known: _Known) -> Strand:
    curve = known.curve
    ends, lengths, runs = _by_length(curve)
    whole = float(lengths.sum())
    places = np.r_[0.0, np.cumsum(lengths) / whole]
    places[-1] = 1.0

    def parameter(s: Array) -> Array:
        which = np.clip(np.searchsorted(places, s, side="right") - 1, 0, len(runs) - 1)
        t = np.empty(len(s))
        for k, run in enumerate(runs):
            here = which == k
            share = (s[here] - places[k]) / (places[k + 1] - places[k])
            t[here] = np.clip(run(share), ends[k], ends[k + 1])
        return t

    sharp = {c: CORNER for c in curve.corners if 0.0 < c < 1.0}
    inner = range(0 if curve.closed and 0.0 in curve.joints else 1, len(ends) - 1)
    orders = _orders(curve, ends)
    breaks = {float(places[k]): sharp.get(float(ends[k]), int(orders[k])) for k in inner}
    smooth = curve.closed and not curve.corners
    try:
        basis, control = fit(lambda s: curve.at(parameter(s)), known.tolerance, joins=breaks, periodic=smooth)
    except KnotError as error:
        raise FieldError(f"a curve that a skin is made from is not smooth enough: {error}") from None
    at = dict(zip(ends.tolist(), places.tolist(), strict=True))
    corners = tuple(at[float(np.clip(c, 0.0, 1.0))] for c in curve.corners)
    return Strand(basis, control, whole, curve.closed, corners, curve.names, tuple(sorted(breaks.items())), parameter)


def _by_length(curve: SpaceCurve) -> tuple[Array, Array, list[Callable[[Array], Array]]]:
    """The parameters at which the smooth runs of a curve begin and end, their lengths, and of each the parameter by the share of its length."""
    ends = np.unique([0.0, 1.0, *(c for c in (*curve.corners, *curve.joints) if 0.0 < c < 1.0)])
    x, w = gauss_rule(5)
    lengths, runs = list[float](), list[Callable[[Array], Array]]()
    for low, high in zip(ends[:-1].tolist(), ends[1:].tolist(), strict=True):
        t = np.linspace(low, high, CELLS + 1)
        inner = (t[:-1, None] + (x + 1.0) / 2.0 * np.diff(t)[:, None]).ravel()
        speed = np.linalg.norm(curve.rate(inner), axis=1).reshape(CELLS, -1)
        run = np.r_[0.0, np.cumsum(speed @ w * np.diff(t) / 2.0)]
        if not (run[-1] > 0.0 and np.all(np.diff(run) > 0.0)):
            raise FieldError("a curve that a skin is made from has no length, or stands still on its way")
        lengths.append(float(run[-1]))
        runs.append(make_interp_spline(run / run[-1], t, k=5))
    return ends, np.array(lengths), runs


def _orders(curve: SpaceCurve, ends: Array) -> Index:
    """(ends,) how many derivatives go on through each place, if the curve does not turn sharply there."""
    low = np.mod(ends - ASIDE, 1.0) if curve.closed else np.clip(ends - ASIDE, 0.0, 1.0)
    high = np.mod(ends + ASIDE, 1.0) if curve.closed else np.clip(ends + ASIDE, 0.0, 1.0)
    step = np.linalg.norm(_bend(curve, high) - _bend(curve, low), axis=1) * curve.length
    return np.where(step < EVEN, FAIR, JOINT)


def _bend(curve: SpaceCurve, t: Array) -> Array:
    """(n, 3) curvature vectors, 1/mm, by differences over half as far to either side as joints lie."""
    p, q, r = (curve.at(np.clip(t + k * ASIDE / 2.0, 0.0, 1.0)) for k in (-1, 0, 1))
    before, after = q - p, r - q
    a, b = (np.maximum(np.linalg.norm(x, axis=1, keepdims=True), 1e-300) for x in (before, after))
    return np.asarray(2.0 * (after / b - before / a) / (a + b))


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
    return _moved(strand, lambda s: np.asarray(s) + start)
