"""The constructions of datums: each from what it stands on and its numbers."""

from __future__ import annotations

import math

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.evaluate.sources import Sources
from isotomon.geometry import datums as g
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane


def _placed(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    frame = ground.frame(on[0])
    axes = frame.axes
    for k in range(3):
        axes = np.array([g.turned_about(a, axes[k], v[3 + k]) for a in axes])
    return Plane(frame.origin + np.array(v[:3]) @ frame.axes, axes[0], axes[2])


def _square_to_curve(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    curve = ground.curve(on[0])
    t = curve.along(v[0], v[1])
    return g.plane_at(curve.at(np.array([t]))[0], curve.tangent(t))


def _three(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    a, b, c = (ground.point(r) for r in on)
    normal = np.cross(b - a, c - a)
    return g.plane_at(a, g.unit(normal, "the three points lie on one line; pick another point"))


def _line_and_point(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    axis, p = ground.axis(on[0]), ground.point(on[1])
    return g.plane_at(
        axis.origin, g.unit(np.cross(axis.way, p - axis.origin), "the point lies on the line; pick another")
    )


def _line_square(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    axis, plane = ground.axis(on[0]), ground.plane(on[1])
    why = "the line stands square on the plane already; any plane through it would do, so pick another"
    return g.plane_at(axis.origin, g.unit(np.cross(axis.way, plane.normal), why))


def _tangent(ground: Sources, on: tuple[str, ...], v: list[float]) -> Plane:
    ring = ground.round(on[0])
    base = g.plane_at(ring.axis.origin, ring.axis.way)
    out = math.cos(v[0]) * base.across + math.sin(v[0]) * base.up
    return g.plane_at(ring.axis.origin + ring.radius * out, out)


def _end(ground: Sources, on: tuple[str, ...], v: list[float]) -> Array:
    curve = ground.curve(on[0])
    t = curve.along(0.5, 0.0) if round(v[0]) == 1 else 0.0 if v[0] < 0.5 else 1.0
    return curve.at(np.array([t]))[0]


def _corner(ground: Sources, on: tuple[str, ...], v: list[float]) -> Array:
    curve = ground.curve(on[0])
    if not 1 <= round(v[0]) <= len(curve.corners):
        raise DesignError(f"the profile has {len(curve.corners)} corners; ask for one of those")
    return curve.at(np.array([curve.corners[round(v[0]) - 1]]))[0]


def _centre(ground: Sources, on: tuple[str, ...], v: list[float]) -> Array:
    try:
        return ground.round(on[0]).axis.origin
    except DesignError:
        _, p, run = ground.curve(on[0]).table()
        wide = np.diff(run)
        return np.asarray(((p[1:] + p[:-1]) / 2.0 * wide[:, None]).sum(axis=0) / run[-1])


def _frame(ground: Sources, on: tuple[str, ...], v: list[float]) -> Frame:
    origin, plane, axis = ground.point(on[0]), ground.plane(on[1]), ground.axis(on[2])
    across = axis.way - plane.normal * float(plane.normal @ axis.way)
    across = g.unit(across, "the axis stands square on the plane; pick one that lies more along it")
    return Frame(origin, np.array([across, np.cross(plane.normal, across), plane.normal]))


def _on(ground: Sources, on: tuple[str, ...], v: list[float]) -> Array:
    curve = ground.curve(on[0])
    return curve.at(np.array([curve.along(v[0], v[1])]))[0]


def _cylinder(ground: Sources, on: tuple[str, ...], v: list[float]) -> Cylinder:
    if not v[0] > 0.0:
        raise DesignError(f"its radius is {v[0]:g} mm; it must be greater than zero")
    return Cylinder(ground.axis(on[0]), v[0])


def _two_points(ground: Sources, on: tuple[str, ...], v: list[float]) -> Axis:
    a, b = (ground.point(r) for r in on)
    return Axis(a, g.unit(b - a, "both points lie at one place; pick another"), float(np.linalg.norm(b - a)))


def _moved(plane: Plane, way: Array) -> Plane:
    return Plane(plane.origin + way, plane.across, plane.normal)


CONSTRUCT = {
    "parallel": lambda s, on, v: _moved(p := s.plane(on[0]), v[0] * p.normal),
    "parallel-through": lambda s, on, v: _moved(p := s.plane(on[0]), s.point(on[1]) - p.origin),
    "square-to-curve": _square_to_curve,
    "turned": lambda s, on, v: g.through_axis(s.axis(on[0]), s.plane(on[1]), v[0]),
    "three-points": _three,
    "line-and-point": _line_and_point,
    "line-square": _line_square,
    "midway": lambda s, on, v: g.midway(s.plane(on[0]), s.plane(on[1])),
    "tangent": _tangent,
    "placed": _placed,
    "two-points": _two_points,
    "planes-meet": lambda s, on, v: g.planes_meet(s.plane(on[0]), s.plane(on[1])),
    "square-through": lambda s, on, v: Axis(s.point(on[1]), s.plane(on[0]).normal),
    "along": lambda s, on, v: s.axis(on[0]),
    "axis-of": lambda s, on, v: s.round(on[0]).axis,
    "coordinates": lambda s, on, v: (f := s.frame(on[0])).origin + np.array(v) @ f.axes,
    "on-curve": _on,
    "end": _end,
    "centre": _centre,
    "corner": _corner,
    "curve-meets": lambda s, on, v: g.meets_plane(s.curve(on[0]), s.plane(on[1]), round(v[0])),
    "curves-nearest": lambda s, on, v: g.nearest_between(s.curve(on[0]), s.curve(on[1])),
    "frame": _frame,
    "cylinder": _cylinder,
}
