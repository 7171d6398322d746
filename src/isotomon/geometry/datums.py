"""Planes, axes, points, frames and cylinders in space, and the constructions between them. mm and rad."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import PPoly

from isotomon.arrays import Array
from isotomon.errors import DesignError


@dataclass(frozen=True, eq=False)
class Plane:
    """`origin` (3,); `across` (3,) and `normal` (3,) of length 1 and square to each other."""

    origin: Array
    across: Array
    normal: Array

    @cached_property
    def up(self) -> Array:
        """(3,) square to both."""
        (a, b, c), (x, y, z) = self.normal.tolist(), self.across.tolist()
        return np.array([b * z - c * y, c * x - a * z, a * y - b * x])


@dataclass(frozen=True, eq=False)
class Axis:
    """A line through `origin` along `way` (length 1). `length`: of the edge it came from, or nought."""

    origin: Array
    way: Array
    length: float = 0.0


@dataclass(frozen=True, eq=False)
class Frame:
    """`axes` (3, 3): X, Y and Z axis in its rows."""

    origin: Array
    axes: Array


@dataclass(frozen=True, eq=False)
class Cylinder:
    """A round thing: an axis with a radius; a circle lies square to it at its origin."""

    axis: Axis
    radius: float


@dataclass(frozen=True, eq=False)
class SpaceCurve:
    """A curve on [0, 1]: `at` gives (n, 3), `slope` its derivative where that is known. `corners`: parameters where it
    turns sharply."""

    at: Callable[[Array], Array]
    closed: bool = False
    corners: tuple[float, ...] = ()
    slope: Callable[[Array], Array] | None = None
    names: tuple[str, ...] = ()
    """Lasting names of the corners, where they are known."""
    joints: tuple[float, ...] = ()
    """Parameters at which one formula ends and another begins, whether it turns sharply there or not."""
    beyond: Callable[[Array], tuple[Array, Array]] | None = None
    """Of an edge of a skin: at parameters (n,), the direction (n, 3) of length 1, square to the edge, in which the skin would go on, and its
    normal curvature that way as a vector (n, 3), 1/mm."""
    spline: PPoly | None = None
    """What the curve is evaluated by, where it is made of quintics: several such curves are evaluated at once (`side_by_side`)."""

    def rate(self, t: Array) -> Array:
        """(n, 3) derivative by the parameter; by differences, good to about 1e-9, where no formula is known."""
        if self.slope is not None:
            return self.slope(t)
        low, high = np.maximum(t - 1e-5, 0.0), np.minimum(t + 1e-5, 1.0)
        return np.asarray((self.at(high) - self.at(low)) / (high - low)[:, None])

    @cached_property
    def length(self) -> float:
        """mm: chords and chords twice as long, extrapolated; to about 1e-9 where the curve is smooth."""
        p = self.at(np.linspace(0.0, 1.0, 2001))
        fine, coarse = (float(np.linalg.norm(np.diff(q, axis=0), axis=1).sum()) for q in (p, p[::2]))
        return fine + (fine - coarse) / 3.0

    def table(self, count: int = 2001) -> tuple[Array, Array, Array]:
        """(parameters, points, arc length up to them)."""
        t = np.linspace(0.0, 1.0, count)
        p = self.at(t)
        return t, p, np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))]

    def along(self, share: float, more: float) -> float:
        """The parameter at a share of the length and some length more.

        Raises: DesignError, beyond its ends.
        """
        t, _, run = self.table()
        want = share * run[-1] + more
        if self.closed:
            want %= run[-1]
        elif not -1e-9 * run[-1] <= want <= run[-1] * (1.0 + 1e-9):
            raise DesignError(f"{want:.4g} mm is not on the curve, which is {run[-1]:.4g} mm long; use less")
        return float(np.interp(want, run, t))

    def tangent(self, t: float) -> Array:
        """(3,) direction of length 1."""
        return unit(self.rate(np.array([t]))[0], "the curve has no direction there; take another place on it")


def flat_normal(points: Array) -> Array | None:
    """(3,) the normal of the plane that points (n, 3) lie in, to a millionth of their extent; None where they do not."""
    away = points - points.mean(axis=0)
    normal = np.asarray(np.linalg.eigh(away.T @ away)[1][:, 0])
    return normal if np.abs(away @ normal).max() < 1e-6 * float(np.ptp(points, axis=0).max()) else None


def unit(v: Array, why: str) -> Array:
    """v with length 1. Raises: DesignError, saying `why`, for a vector without direction."""
    size = float(np.linalg.norm(v))
    if not size > 1e-9:
        raise DesignError(why)
    return v / size


def plane_at(origin: Array, normal: Array) -> Plane:
    """The plane through a point square to a direction; its X stays as near as it can to the design's X (or Y)."""
    normal = unit(normal, "the plane has no direction; pick other things to make it from")
    for way in (np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])):
        across = way - normal * float(normal @ way)
        if np.linalg.norm(across) > 0.2:
            break
    return Plane(origin, across / np.linalg.norm(across), normal)


def turned_about(v: Array, axis: Array, angle: float) -> Array:
    """v turned about an axis of length 1 (source: Rodrigues' formula)."""
    c, s = np.cos(angle), np.sin(angle)
    return v * c + np.cross(axis, v) * s + axis * float(axis @ v) * (1.0 - c)


def through_axis(axis: Axis, plane: Plane, angle: float) -> Plane:
    """The plane through an axis at an angle to another plane.

    Raises: DesignError, when the axis stands square on that plane.
    """
    flat = plane.normal - axis.way * float(plane.normal @ axis.way)
    flat = unit(flat, "the axis stands square on the plane, which then says nothing of the angle; pick another plane")
    return plane_at(axis.origin, turned_about(flat, axis.way, angle))


def planes_meet(a: Plane, b: Plane) -> Axis:
    """Raises: DesignError, for parallel planes."""
    way = unit(np.cross(a.normal, b.normal), "the planes are parallel and meet nowhere; tilt one of them")
    rows = np.array([a.normal, b.normal, way])
    middle = (a.origin + b.origin) / 2.0
    return Axis(np.linalg.solve(rows, [a.normal @ a.origin, b.normal @ b.origin, way @ middle]), way)


def midway(a: Plane, b: Plane) -> Plane:
    """Between parallel planes half way; else halving their angle."""
    facing = a.normal if float(a.normal @ b.normal) >= 0.0 else -a.normal
    if np.linalg.norm(np.cross(a.normal, b.normal)) < 1e-9:
        return plane_at((a.origin + b.normal * float((b.origin - a.origin) @ b.normal) / 2.0), b.normal)
    return plane_at(planes_meet(a, b).origin, facing + b.normal)


def meets_plane(curve: SpaceCurve, plane: Plane, nth: int) -> Array:
    """(3,) the nth place (from 1) at which a curve passes a plane, sharpened by the secant rule.

    Raises: DesignError.
    """
    t, p, _ = curve.table()
    height = (p - plane.origin) @ plane.normal
    hits = np.flatnonzero((height[:-1] <= 0.0) != (height[1:] <= 0.0))
    if not 1 <= nth <= len(hits):
        raise DesignError(f"the curve passes the plane {len(hits)} times; ask for one of those, not the {nth}th")
    k = int(hits[nth - 1])
    low, high = float(t[k]), float(t[k + 1])
    below = height[k] <= 0.0
    for _ in range(50):
        middle = 0.5 * (low + high)
        side = float((curve.at(np.array([middle]))[0] - plane.origin) @ plane.normal) <= 0.0
        low, high = (middle, high) if side == below else (low, middle)
    return curve.at(np.array([0.5 * (low + high)]))[0]


def nearest_between(a: SpaceCurve, b: SpaceCurve) -> Array:
    """(3,) the middle of the shortest way between two curves, to about 1e-9 of their size."""
    lows, highs = np.zeros(2), np.ones(2)
    for _ in range(14):
        s, t = (np.linspace(lows[k], highs[k], 61) for k in (0, 1))
        p, q = a.at(s), b.at(t)
        gap = np.linalg.norm(p[:, None] - q[None], axis=2)
        i, j = np.unravel_index(int(np.argmin(gap)), gap.shape)
        best = (p[i] + q[j]) / 2.0
        lows = np.array([s[max(int(i) - 2, 0)], t[max(int(j) - 2, 0)]])
        highs = np.array([s[min(int(i) + 2, 60)], t[min(int(j) + 2, 60)]])
    return np.asarray(best)


def round_through(points: Array) -> Cylinder:
    """The circle through points (n, 3) that lie on one.

    Raises: DesignError, when they do not.
    """
    plane = fitted_plane(points)[0]
    flat = np.stack([(points - plane.origin) @ plane.across, (points - plane.origin) @ plane.up], axis=1)
    system = np.column_stack([2.0 * flat, np.ones(len(flat))])
    x, y, c = np.linalg.lstsq(system, (flat**2).sum(axis=1), rcond=None)[0]
    radius = float(np.sqrt(max(c + x * x + y * y, 0.0)))
    off = np.abs(np.hypot(flat[:, 0] - x, flat[:, 1] - y) - radius).max()
    if not off < 1e-5 * radius:
        raise DesignError("this is not round; pick a circle, an arc or a cylinder")
    return Cylinder(Axis(plane.origin + x * plane.across + y * plane.up, plane.normal), radius)


def fitted_plane(points: Array) -> tuple[Plane, float]:
    """(plane, largest distance off it): the plane nearest to points (n, 3) in the sense of least squares, facing +Z.

    Raises: DesignError, when they lie on one line.
    """
    middle = points.mean(axis=0)
    _, sizes, ways = np.linalg.svd(points - middle, full_matrices=False)
    if len(points) < 3 or not sizes[1] > 1e-9 * max(float(sizes[0]), 1e-300):
        raise DesignError("the points lie on one line; a plane needs three that do not")
    normal = ways[2] if ways[2][2] >= 0.0 else -ways[2]
    return plane_at(middle, normal), float(np.abs((points - middle) @ normal).max())


def tilts_of(plane: Plane) -> tuple[float, float, float]:
    """(position along Z, tilt about X, tilt about Y) of the plane as a station says it.

    Raises: DesignError, for planes that stand along Z.
    """
    normal = plane.normal if plane.normal[2] >= 0.0 else -plane.normal
    if normal[2] < np.cos(np.radians(89.0)):
        raise DesignError("the plane stands along the body's axis; a station needs one tilted by less than 89°")
    position = float(plane.origin @ normal / normal[2])
    return position, float(-np.arcsin(np.clip(normal[1], -1.0, 1.0))), float(np.arctan2(normal[0], normal[2]))
