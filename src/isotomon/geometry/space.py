"""Curves in space made from points and from other curves: through points, from two views, joined, beside, cut back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.geometry.datums import Plane, SpaceCurve, fitted_plane
from isotomon.geometry.planar import cross3
from isotomon.geometry.through import through

SAMPLES = 193
"""Places at which a curve is taken when another is made from it point by point."""


def line(a: Array, b: Array) -> SpaceCurve:
    """The straight line from a to b."""
    return SpaceCurve(
        lambda t: a + np.asarray(t)[:, None] * (b - a), False, (), lambda t: np.broadcast_to(b - a, (len(t), 3)).copy()
    )


def sampled(points: Array, closed: bool = False) -> SpaceCurve:
    """The smooth curve that is known by close places (n, 3), the last the first again where it is closed: at these it has no joints.

    Raises: DesignError, where it shrinks to a point.
    """
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    points = points[np.r_[True, steps > 1e-9 * max(float(np.abs(points).max()), 1.0)]]
    if len(points) < (4 if closed else 2):
        raise DesignError("the curve shrinks to a point; choose another direction, or another curve")
    return replace(through(points[:-1] if closed else points, closed=closed), joints=())


def resampled(curve: SpaceCurve, move: Array) -> SpaceCurve:
    """The smooth curve through the `move`d samples (n, 3) of a curve, as closed as that is."""
    return sampled(move, curve.closed)


def samples_of(curve: SpaceCurve, count: int = SAMPLES) -> tuple[Array, Array]:
    """(parameters, points): places evenly spaced along the curve."""
    t, _, run = curve.table()
    at = np.interp(np.linspace(0.0, run[-1], count), run, t)
    return at, curve.at(at)


def plane_of(curve: SpaceCurve, what: str) -> Plane:
    """The plane a curve lies in.

    Raises: DesignError, for a straight curve or one that is not flat.
    """
    points = samples_of(curve, 97)[1]
    plane, off = fitted_plane(points)
    if off > 1e-6 * float(np.ptp(points, axis=0).max()):
        raise DesignError(f"{what} does not lie in a plane (it leaves it by {off:.4g} mm); pick a flat curve")
    return plane


def two_views(a: SpaceCurve, plane_a: Plane, b: SpaceCurve, plane_b: Plane) -> SpaceCurve:
    """The curve that looks like `a` along the normal of its plane and like `b` along the normal of its own.

    Raises: DesignError, when the planes are parallel, the second curve turns back along their common line, or the two
    have no stretch of that line in common.
    """
    way = np.cross(plane_a.normal, plane_b.normal)
    if np.linalg.norm(way) < 1e-3:
        raise DesignError(
            "both curves are seen along one direction; draw the second on a plane at an angle to the first"
        )
    way = way / np.linalg.norm(way)
    t, p, _ = b.table(801)
    high = p @ way
    if np.any(np.diff(high) <= 0.0):
        t, high = t[::-1], high[::-1]
    if np.any(np.diff(high) <= 0.0):
        raise DesignError("the second curve turns back along the line both views share; draw it so that it does not")
    ta, pa, _ = a.table(801)
    level = pa @ way
    size = float(np.ptp(high))
    inside = (level >= high[0] - 1e-6 * size) & (level <= high[-1] + 1e-6 * size)
    if inside.sum() < 4:
        raise DesignError("the two views have no stretch in common; move or lengthen one of the curves")
    runs = np.flatnonzero(np.diff(np.r_[False, inside, False].astype(int)))
    k = int(np.argmax(runs[1::2] - runs[::2]))
    start, end = ta[runs[2 * k]], ta[runs[2 * k + 1] - 1]
    if runs[2 * k] > 0:
        start = _level_place(a, way, high[[0, -1]], ta[runs[2 * k] - 1], start)
    if runs[2 * k + 1] < len(ta):
        end = _level_place(a, way, high[[0, -1]], ta[runs[2 * k + 1]], end)

    def at(s: Array) -> Array:
        q = a.at(start + np.asarray(s) * (end - start))
        want = np.clip(q @ way, high[0], high[-1])
        u = np.interp(want, high, t)
        for _ in range(4):
            slope = b.rate(u) @ way
            u = np.clip(u - (b.at(u) @ way - want) / np.where(np.abs(slope) > 1e-12, slope, 1e-12), 0.0, 1.0)
        away = b.at(u) - q
        # q + α·(normal of a) lies in the plane through b's point along b's normal: one equation, square to both ways.
        side = np.cross(plane_b.normal, way)
        return q + ((away @ side) / float(plane_a.normal @ side))[:, None] * plane_a.normal

    return SpaceCurve(at)


def _level_place(curve: SpaceCurve, way: Array, ends: Array, out: float, inside: float) -> float:
    """Where, between two parameters, the curve passes one of two levels along `way`."""
    for _ in range(60):
        middle = (out + inside) / 2.0
        level = float(curve.at(np.array([middle]))[0] @ way)
        out, inside = (out, middle) if ends[0] <= level <= ends[1] else (middle, inside)
    return inside


def beside(curve: SpaceCurve, normal: Array, distance: float) -> SpaceCurve:
    """The curve at a distance to the left of another as seen against `normal`.

    Raises: DesignError, where the curve runs along the normal, or turns tighter than the distance.
    """
    t, p = samples_of(curve)
    run = curve.rate(t)
    side = cross3(np.broadcast_to(normal, run.shape), run)
    size = np.linalg.norm(side, axis=1)
    if size.min() < 1e-6 * float(np.linalg.norm(run, axis=1).max()):
        raise DesignError(
            "the curve runs square to the plane somewhere, so that nothing is beside it; pick another plane"
        )
    moved = p + distance * side / size[:, None]
    forward = np.sum(np.diff(moved, axis=0) * np.diff(p, axis=0), axis=1)
    if forward.min() <= 0.0:
        k = int(forward.argmin())
        where = ", ".join(f"{c:.4g}" for c in p[k])
        raise DesignError(f"the curve turns tighter than {abs(distance):g} mm at ({where}); use a smaller distance")
    return resampled(curve, moved)


def mirrored(curve: SpaceCurve, plane: Plane) -> SpaceCurve:
    """The curve's twin on the other side of a plane."""
    flip = np.eye(3) - 2.0 * np.outer(plane.normal, plane.normal)
    shift = 2.0 * float(plane.origin @ plane.normal) * plane.normal
    return SpaceCurve(
        lambda t: curve.at(t) @ flip + shift,
        curve.closed,
        curve.corners,
        lambda t: np.asarray(curve.rate(t) @ flip),
        curve.names,
        curve.joints,
    )


def extended(curve: SpaceCurve, start: float, end: float) -> SpaceCurve:
    """The curve longer (straight on along its direction) or, where a length is negative, shorter at its ends; mm.

    Raises: DesignError, for closed curves, and when nothing would be left.
    """
    if curve.closed:
        raise DesignError("a closed curve has no ends to extend; pick an open one")
    length = curve.length
    if min(start, 0.0) + min(end, 0.0) <= -length:
        raise DesignError(f"the curve is {length:.4g} mm long; cut back less than that")
    a, b = curve.along(0.0, max(-start, 0.0)), curve.along(1.0, -max(-end, 0.0))
    before, after = max(start, 0.0), max(end, 0.0)
    whole = length + start + end
    s0, s1 = before / whole, 1.0 - after / whole
    ends, ways = curve.at(np.array([a, b])), [curve.tangent(a), curve.tangent(b)]

    def at(s: Array) -> Array:
        s = np.asarray(s, dtype=float)
        inner = curve.at(np.interp(s, [s0, s1], [a, b]))
        low, high = s < s0, s > s1
        inner[low] = ends[0] - ((s0 - s[low]) * whole)[:, None] * ways[0]
        inner[high] = ends[1] + ((s[high] - s1) * whole)[:, None] * ways[1]
        return inner

    def moved(places: Sequence[float]) -> tuple[float, ...]:
        return tuple(s0 + (c - a) / (b - a) * (s1 - s0) for c in places if a < c < b)

    kept = [k for k, c in enumerate(curve.corners) if a < c < b]
    names = tuple(curve.names[k] for k in kept) if curve.names else ()
    joints = (*(s for s in (s0, s1) if 0.0 < s < 1.0), *moved(curve.joints))
    return SpaceCurve(at, False, moved(curve.corners), names=names, joints=joints)


@dataclass(frozen=True)
class Join:
    """Where two curves of a run meet: the place, how far they are apart (mm), the kink (rad) and the step in
    curvature (1/mm)."""

    place: tuple[float, float, float]
    gap: float
    kink: float
    step: float


def joined(
    curves: Sequence[SpaceCurve], smoothed: bool = False, called: Sequence[str] = ()
) -> tuple[SpaceCurve, list[Join]]:
    """A run of curves as one, each turned round where that brings it nearer, and how well they meet. `called`: lasting names of
    the curves, by which the corners of the run are named.

    Gaps are closed by moving both ends halfway, fading out along each curve. `smoothed` rounds kinks off by a curve
    through samples of the run.
    """
    ordered = _headed(curves)
    pairs = list(zip(ordered[:-1], ordered[1:], strict=True))
    closed = len(ordered) > 1 and np.linalg.norm(ordered[-1].at(_ONE)[0] - ordered[0].at(_NULL)[0]) < 1e-3 * sum(
        float(c.table(65)[2][-1]) for c in ordered
    )
    if closed:
        pairs.append((ordered[-1], ordered[0]))
    joins = [_join(a, b) for a, b in pairs]
    lengths = np.array([c.length for c in ordered])
    edges = np.r_[0.0, np.cumsum(lengths) / lengths.sum()]
    shifts = [np.zeros((2, 3)) for _ in ordered]
    for k, (a, b) in enumerate(pairs):
        half = (b.at(_NULL)[0] - a.at(_ONE)[0]) / 2.0
        shifts[k][1] += half
        shifts[(k + 1) % len(ordered)][0] -= half

    def at(s: Array) -> Array:
        s = np.asarray(s, dtype=float)
        which = np.clip(np.searchsorted(edges, s, side="right") - 1, 0, len(ordered) - 1)
        points = np.empty((len(s), 3))
        for k, curve in enumerate(ordered):
            here = which == k
            if here.any():
                w = np.clip((s[here] - edges[k]) / (edges[k + 1] - edges[k]), 0.0, 1.0)
                fade = w * w * w * (10.0 - 15.0 * w + 6.0 * w * w)
                points[here] = curve.at(w) + (1.0 - fade)[:, None] * shifts[k][0] + fade[:, None] * shifts[k][1]
        return points

    sharp = _corners_of_run(ordered, edges, joins, list(called) or [str(k + 1) for k in range(len(ordered))])
    own = [float(edges[k] + j * (edges[k + 1] - edges[k])) for k, curve in enumerate(ordered) for j in curve.joints]
    joints = tuple(sorted({*edges[1:-1].tolist(), *own}))
    run = SpaceCurve(
        at, bool(closed), tuple(place for place, _ in sharp), names=tuple(name for _, name in sharp), joints=joints
    )
    if not smoothed:
        return run, joins
    count = min(12 * len(ordered) + 1, 97)
    points = run.at(np.linspace(0.0, 1.0, count))
    return sampled(points, bool(closed)), joins


def _corners_of_run(
    ordered: Sequence[SpaceCurve], edges: Array, joins: Sequence[Join], called: Sequence[str]
) -> list[tuple[float, str]]:
    """(share of the run, lasting name) of each corner, in order: where curves meet at a kink, and the curves' own corners.

    `edges`: (curves + 1,) the shares at which the curves begin and end.
    """
    heads = [f"{a}+{b}" for a, b in zip(called, [*called[1:], called[0]], strict=True)]
    sharp = [
        (float(e), name) for e, j, name in zip(np.r_[edges[1:-1], 0.0], joins, heads, strict=False) if j.kink > KINK
    ]
    for k, curve in enumerate(ordered):
        names = curve.names or tuple(str(i + 1) for i in range(len(curve.corners)))
        sharp += [
            (float(edges[k] + c * (edges[k + 1] - edges[k])), f"{called[k]}:{name}")
            for c, name in zip(curve.corners, names, strict=True)
            if 0.0 < c < 1.0
        ]
    return sorted(sharp)


KINK = 1e-3
"""rad: curves that meet at a greater angle make a corner."""
_NULL, _ONE = np.array([0.0]), np.array([1.0])


def _headed(curves: Sequence[SpaceCurve]) -> list[SpaceCurve]:
    """The curves head to tail in the order given: each turned round when that brings it nearer to the one before."""
    ends = [c.at(np.array([0.0, 1.0])) for c in curves]
    first = curves[0]
    if len(curves) > 1:
        apart = np.linalg.norm(ends[0][:, None] - ends[1][None], axis=2).min(axis=1)
        first = turned_round(first) if apart[0] < apart[1] else first
    result = [first]
    for curve, end in zip(curves[1:], ends[1:], strict=True):
        tail = result[-1].at(_ONE)[0]
        away = np.linalg.norm(end - tail, axis=1)
        result.append(turned_round(curve) if away[1] < away[0] else curve)
    return result


def turned_round(curve: SpaceCurve) -> SpaceCurve:
    """The curve run through the other way."""
    corners, joints = (tuple(1.0 - c for c in places) for places in (curve.corners, curve.joints))
    return SpaceCurve(lambda t: curve.at(1.0 - np.asarray(t)), curve.closed, corners, names=curve.names, joints=joints)


def _join(a: SpaceCurve, b: SpaceCurve) -> Join:
    p, q = a.at(_ONE)[0], b.at(_NULL)[0]
    ta, tb = a.tangent(1.0), b.tangent(0.0)
    kink = float(np.arctan2(np.linalg.norm(np.cross(ta, tb)), float(ta @ tb)))
    ka, kb = curvature(a, np.array([1.0 - 1e-3]))[0], curvature(b, np.array([1e-3]))[0]
    x, y, z = ((p + q) / 2.0).tolist()
    return Join((x, y, z), float(np.linalg.norm(q - p)), kink, float(np.linalg.norm(kb - ka)))


def curvature(curve: SpaceCurve, t: Array) -> Array:
    """(n, 3) curvature vectors, 1/mm, by differences of directions over a thousandth of the curve."""
    low, high = np.maximum(t - 5e-4, 0.0), np.minimum(t + 5e-4, 1.0)
    p, q, r = curve.at(low), curve.at((low + high) / 2.0), curve.at(high)
    a, b = q - p, r - q
    la, lb = np.linalg.norm(a, axis=1, keepdims=True), np.linalg.norm(b, axis=1, keepdims=True)
    return np.asarray(2.0 * (b / lb - a / la) / (la + lb))
