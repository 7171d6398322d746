"""Carriers: what moves a section along. Each gives a frame for every position: the plane's origin, X and Y axis."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, Protocol

import numpy as np
from scipy.interpolate import BSpline, CubicSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import CornerError, FieldError
from isotomon.geometry.datums import Axis, Plane, SpaceCurve, plane_at
from isotomon.geometry.planar import cross3
from isotomon.geometry.quadrature import gauss_rule

Hold = Literal["least", "fixed", "up", "axis"]
Toward = Axis | Callable[[Array, Array], Array]
"""An axis, or the directions (n, 3) at shares (n,) of a path's length and the points (n, 3) there."""
CELLS = 1500
"""A path's length is summed in so many pieces; frames are laid at as many places along it."""


@dataclass(frozen=True, eq=False)
class Frames:
    """Section planes along the body and their derivatives by the parameter: (n_v, 3) each."""

    origin: Array
    across: Array
    up: Array
    origin1: Array
    across1: Array
    up1: Array

    @cached_property
    def normal(self) -> Array:
        """(n, 3) square to the plane, ahead."""
        return cross3(self.across, self.up)

    @cached_property
    def normal1(self) -> Array:
        """(n, 3) its derivative along the body, per mm."""
        return cross3(self.across1, self.up) + cross3(self.across, self.up1)


class Carrier(Protocol):
    """`length`: mm from its start to its end, infinite where it has none. `closed`: it comes round to its start. `bending`:
    rad by which its way turns in all."""

    @property
    def length(self) -> float:
        """mm, of what it goes along; infinite for a straight line."""

    @property
    def closed(self) -> bool:
        """Whether it comes back to where it begins."""

    @property
    def bending(self) -> float:
        """rad: how far its direction turns in all."""

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm along it."""
        ...

    def marks(self) -> bytes:
        """What tells it from other carriers."""
        ...


@dataclass(frozen=True)
class Straight:
    """Along +Z, the axes those of the design."""

    length: float = np.inf
    closed: bool = False
    bending: float = 0.0

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm."""
        zero, one = np.zeros_like(s), np.ones_like(s)
        none = np.zeros((len(s), 3))
        x, y = np.stack([one, zero, zero], axis=1), np.stack([zero, one, zero], axis=1)
        return Frames(np.stack([zero, zero, s], axis=1), x, y, np.stack([zero, zero, one], axis=1), none, none)

    def marks(self) -> bytes:
        """Nothing: all straight carriers are one."""
        return b""


STRAIGHT = Straight()


@dataclass(frozen=True, eq=False)
class Square:
    """Square to a plane, from it along its normal."""

    plane: Plane
    length: float = np.inf
    closed: bool = False
    bending: float = 0.0

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm."""
        p, shape = self.plane, (len(s), 3)
        x, y, way = (np.broadcast_to(axis, shape) for axis in (p.across, p.up, p.normal))
        none = np.zeros(shape)
        return Frames(p.origin + s[:, None] * p.normal, x, y, way, none, none)

    def marks(self) -> bytes:
        """The plane."""
        return self.plane.origin.tobytes() + self.plane.across.tobytes() + self.plane.normal.tobytes()


@dataclass(frozen=True, eq=False)
class Relative:
    """Another carrier, with sections that begin on a plane of their own and keep their place in that one's frames."""

    base: Carrier
    plane: Plane

    @property
    def length(self) -> float:
        """mm, as that of what it is relative to."""
        return self.base.length

    @property
    def closed(self) -> bool:
        """As what it is relative to."""
        return self.base.closed

    @property
    def bending(self) -> float:
        """As what it is relative to."""
        return self.base.bending

    @cached_property
    def _place(self) -> Array:
        """(3, 3) origin, X axis and Y axis in the first frame of the base; rows."""
        f = self.base.frames(np.zeros(1))
        axes = np.stack([f.across[0], f.up[0], f.normal[0]], axis=1)
        return np.stack([self.plane.origin - f.origin[0], self.plane.across, self.plane.up]) @ axes

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm."""
        f = self.base.frames(s)
        axes = np.stack([f.across, f.up, f.normal], axis=1)
        axes1 = np.stack([f.across1, f.up1, f.normal1], axis=1)
        at, at1 = self._place @ axes, self._place @ axes1
        return Frames(f.origin + at[:, 0], at[:, 1], at[:, 2], f.origin1 + at1[:, 0], at1[:, 1], at1[:, 2])

    def marks(self) -> bytes:
        """The base and the plane."""
        return self.base.marks() + Square(self.plane).marks()


@dataclass(frozen=True, eq=False)
class Turning:
    """About an axis: sections stand in planes through it, X outward and Y along the axis, their origins `radius` from it.

    It begins on the side of the axis that the axis's own plane has as X, and turns from there towards X × the axis, so that
    a body turned about Y sets off along +Z as a straight one does.
    """

    axis: Axis
    radius: float
    bending: float = 2.0 * np.pi

    @property
    def length(self) -> float:
        """mm of a whole turn at its radius."""
        return 2.0 * np.pi * self.radius

    @property
    def closed(self) -> bool:
        """It always is."""
        return True

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm along the circle of its radius."""
        base = plane_at(self.axis.origin, self.axis.way)
        side = np.cross(base.across, self.axis.way)
        turn = (s / self.radius)[:, None]
        out = np.cos(turn) * base.across + np.sin(turn) * side
        on = np.cos(turn) * side - np.sin(turn) * base.across
        up = np.broadcast_to(self.axis.way, out.shape)
        return Frames(self.axis.origin + self.radius * out, out, up, on, on / self.radius, np.zeros_like(out))

    def marks(self) -> bytes:
        """Axis and radius."""
        return self.axis.origin.tobytes() + self.axis.way.tobytes() + np.float64(self.radius).tobytes()


@dataclass(frozen=True, eq=False)
class Path:
    """Along a curve by its length: `place` and `across` (not yet square to it) as quintics of the length, or `fixed` axes
    (2, 3), X and Y. With `upright` (3,) sections stand along that instead of square to the curve, as their Y."""

    length: float
    closed: bool
    place: BSpline
    across: BSpline
    fixed: Array | None
    upright: Array | None = None
    bending: float = 0.0

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm along the curve."""
        here = np.mod(s, self.length) if self.closed else np.clip(s, 0.0, self.length)
        c, c1, c2 = self.place(here), self.place(here, 1), self.place(here, 2)
        if not self.closed and (beyond := s != here).any():  # straight on past its ends, where round ends are added
            inner = self.frames(here)
            still = np.where(beyond, 0.0, 1.0)[:, None]
            c = c + (s - here)[:, None] * c1
            return Frames(c, inner.across, inner.up, c1, still * inner.across1, still * inner.up1)
        if self.fixed is not None:
            x, y = (np.broadcast_to(axis, c.shape) for axis in self.fixed)
            return Frames(c, x, y, c1, np.zeros_like(c), np.zeros_like(c))
        if self.upright is None:
            speed = np.linalg.norm(c1, axis=1, keepdims=True)
            t = c1 / speed
            t1 = (c2 - _dot(c2, t) * t) / speed
        a, a1 = self.across(here), self.across(here, 1)
        if self.upright is not None:  # the section's normal is X × Y, so that here Y plays the part of the curve's way
            t, t1 = np.broadcast_to(self.upright, c.shape), np.zeros_like(c)
        flat1 = a1 - (_dot(a1, t) + _dot(a, t1)) * t - _dot(a, t) * t1
        flat = a - _dot(a, t) * t
        size = np.linalg.norm(flat, axis=1, keepdims=True)
        x = flat / size
        x1 = (flat1 - _dot(flat1, x) * x) / size
        if self.upright is not None:
            return Frames(c, x, t, c1, x1, t1)
        return Frames(c, x, cross3(t, x), c1, x1, cross3(t1, x) + cross3(t, x1))

    def marks(self) -> bytes:
        """The curve and the axes along it."""
        kept = b"".join(a.tobytes() for a in (self.fixed, self.upright) if a is not None)
        return self.place.c.tobytes() + self.across.c.tobytes() + kept


def _dot(a: Array, b: Array) -> Array:
    return np.einsum("nk,nk->n", a, b)[:, None]


def path(curve: SpaceCurve, hold: Hold = "least", toward: Toward | None = None) -> Path:
    """A carrier along a curve: `least`, square to it and turned no more than it must be; `fixed`, as at its start; `up`,
    square to it with Y towards what `toward` gives at shares of the curve's length and the points there; `axis`, in
    planes through the axis `toward`, X outward.

    Raises: FieldError, for a curve with a corner, or one that runs along its up or through the axis.
    """
    if curve.corners and not (curve.closed and curve.corners == (0.0,)):
        x, y, z = curve.at(np.array(curve.corners[:1]))[0].tolist()
        raise CornerError(
            f"the path has a corner at ({x:.4g}, {y:.4g}, {z:.4g}); round it off, or join its curves smoothed",
            (x, y, z),
        )
    s, points = _by_length(curve)
    rest = {"k": 5, "bc_type": "periodic"} if curve.closed else {"k": 5}
    if curve.closed:
        points[-1] = points[0]
    place = make_interp_spline(s, points, **rest)
    along = place(s, 1)
    tangents = along / np.linalg.norm(along, axis=1, keepdims=True)
    start, upright = plane_at(points[0], tangents[0]), None
    bending = float(2.0 * np.arcsin(np.clip(np.linalg.norm(np.diff(tangents, axis=0), axis=1) / 2.0, 0.0, 1.0)).sum())
    if isinstance(toward, Axis):
        across, upright = _outward(points, tangents, toward)
    elif toward is not None:
        across = _towards(tangents, toward(s / s[-1], points))
    else:
        across = _turned_least(points, tangents, start.across, s if curve.closed else None)
    if curve.closed:
        if np.linalg.norm(across[-1] - across[0]) > 1e-2:
            raise FieldError(
                "held so, the sections do not come back as they set out round the closed path; turn them least, or lean them on "
                "something that goes round with it"
            )
        across[-1] = across[0]
    fixed = np.stack([start.across, start.up]) if hold == "fixed" else None
    return Path(float(s[-1]), curve.closed, place, make_interp_spline(s, across, **rest), fixed, upright, bending)


def _outward(points: Array, tangents: Array, axis: Axis) -> tuple[Array, Array]:
    """(n, 3) directions from an axis, and the axis's own, the way round for which sections face along the curve."""
    away = points - axis.origin
    away = away - (away @ axis.way)[:, None] * axis.way
    far = np.linalg.norm(away, axis=1, keepdims=True)
    if far.min() < 1e-3 * far.max():
        raise FieldError(
            "the path comes to the axis its sections are to stand along; choose another axis, or way to hold"
        )
    across = away / far
    ahead = np.einsum("nk,nk->n", np.cross(across, axis.way), tangents)
    if ahead.min() * ahead.max() <= 0.0:
        raise FieldError(
            "the path does not go round the axis all along, so that sections cannot stand along it; hold them otherwise"
        )
    return across, axis.way if ahead.min() > 0.0 else -axis.way


def _by_length(curve: SpaceCurve) -> tuple[Array, Array]:
    """(CELLS + 1,) evenly spaced lengths along a curve, and the points (CELLS + 1, 3) there.

    The speed is summed by Gauss's rule; the curve's parameter at a length is found by Newton's.
    """
    edges = np.linspace(0.0, 1.0, CELLS + 1)
    x, w = gauss_rule(3)
    inner = (edges[:-1, None] + (x + 1.0) / (2.0 * CELLS)).ravel()
    speed = np.linalg.norm(curve.rate(inner), axis=1).reshape(CELLS, 3)
    run = np.r_[0.0, np.cumsum(speed @ w / (2.0 * CELLS))]
    if not run[-1] > 1e-9:
        raise FieldError("the path has no length; pick another curve")
    if speed.min() < 1e-6 * run[-1]:
        raise FieldError("the path stands still somewhere; pick another curve")
    s = np.linspace(0.0, float(run[-1]), CELLS + 1)
    course = CubicSpline(edges, run)
    t = np.interp(s, run, edges)
    for _ in range(3):
        t = np.clip(t - (course(t) - s) / course(t, 1), 0.0, 1.0)
    return s, curve.at(t)


def _turned_least(points: Array, tangents: Array, start: Array, closing: Array | None) -> Array:
    """(n, 3) the X axis carried along with least rotation by double reflection; on a closed curve (`closing`: the lengths)
    the angle by which it comes back turned is spread along the way.

    Source: Wang, Jüttler, Zheng, Liu, "Computation of rotation minimizing frames", ACM Trans. Graph. 27 (2008).
    """
    step = np.diff(points, axis=0)
    first = _reflection(step)
    second = _reflection(tangents[1:] - np.einsum("nij,nj->ni", first, tangents[:-1]))
    turn = np.concatenate([np.eye(3)[None], second @ first])
    reach = 1
    while reach < len(turn):  # products of all rotations so far, twice as many each round
        turn[reach:] = turn[reach:] @ turn[:-reach]
        reach *= 2
    across = turn @ start
    if closing is None:
        return np.asarray(across)
    up = np.cross(tangents[0], start)
    back = float(np.arctan2(across[-1] @ up, across[-1] @ start))
    share = -back * closing / closing[-1]
    side = cross3(tangents, across)
    across = np.cos(share)[:, None] * across + np.sin(share)[:, None] * side
    across[-1] = across[0]
    return np.asarray(across)


def _reflection(way: Array) -> Array:
    """(n, 3, 3) reflections in planes square to directions (n, 3)."""
    size = np.einsum("nk,nk->n", way, way)
    return np.asarray(np.eye(3) - 2.0 * way[:, :, None] * way[:, None, :] / np.maximum(size, 1e-300)[:, None, None])


def _towards(tangents: Array, up: Array) -> Array:
    """(n, 3) X axes for which Y is as near to `up` (n, 3), of length 1, as a plane square to the curve allows."""
    across = np.cross(up, tangents)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    if size.min() < 0.02:
        raise FieldError("the path runs along the direction that is to stay up; choose another, or turn it least")
    return np.asarray(across / size)


def tilted(base: Frames, rate: Array, tilt: Array, tilt1: Array) -> Frames:
    """Frames tilted about their own X, then Y (n, 2 rad, with derivatives), at parameters that run `rate` (n,) as fast as
    the positions."""
    by = rate[:, None]
    if not tilt.any() and not tilt1.any():
        return Frames(base.origin, base.across, base.up, base.origin1 * by, base.across1 * by, base.up1 * by)
    axes = np.stack([base.across, base.up, base.normal], axis=1)
    axes1 = np.stack([base.across1, base.up1, base.normal1], axis=1) * by[..., None]
    zero, (a, b), (da, db) = np.zeros(len(tilt)), tilt.T, tilt1.T
    ca, sa, cb, sb = np.cos(a), np.sin(a), np.cos(b), np.sin(b)
    x, x1 = np.stack([cb, zero, -sb], axis=1), np.stack([-sb * db, zero, -cb * db], axis=1)
    y = np.stack([sb * sa, ca, cb * sa], axis=1)
    y1 = np.stack([cb * db * sa + sb * ca * da, -sa * da, -sb * db * sa + cb * ca * da], axis=1)

    def laid(parts: Array, on: Array) -> Array:
        return np.asarray(np.einsum("na,nak->nk", parts, on))

    return Frames(
        base.origin,
        laid(x, axes),
        laid(y, axes),
        base.origin1 * by,
        laid(x1, axes) + laid(x, axes1),
        laid(y1, axes) + laid(y, axes1),
    )
