"""Lines that stand for a datum in the View, as large as what is near it."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.evaluate.sources import Thing
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane


def datum_lines(thing: Thing, low: Array, high: Array) -> list[Array]:
    """Polylines (n, 3); the first is what a pointer picks. `low`, `high`: the corners of the box round the body."""
    middle, size = (low + high) / 2.0, np.maximum(high - low, 1e-3 * float((high - low).max()) + 1e-6)
    match thing:
        case Plane():
            return [_rectangle(thing, low, high)]
        case Axis(origin, way):
            reach = 0.65 * float(np.abs(size @ way)) + 0.1 * float(size.max())
            foot = origin + way * float((middle - origin) @ way)
            return [np.array([foot - reach * way, foot + reach * way])]
        case Cylinder(axis, radius):
            reach = 0.6 * float(np.abs(size @ axis.way))
            foot = axis.origin + axis.way * float((middle - axis.origin) @ axis.way)
            across = np.cross(axis.way, [0.0, 0.0, 1.0] if abs(axis.way[2]) < 0.9 else [1.0, 0.0, 0.0])
            across = across / np.linalg.norm(across)
            turn = np.linspace(0.0, 2 * np.pi, 65)[:, None]
            ring = foot + radius * (np.cos(turn) * across + np.sin(turn) * np.cross(axis.way, across))
            ends = [ring + s * reach * axis.way for s in (-1.0, 1.0)]
            return [ends[1], ends[0], *(np.array([ends[0][k], ends[1][k]]) for k in (0, 16, 32, 48))]
        case Frame(origin, axes):
            arm = 0.12 * float(size.max())
            return [np.array([origin, origin + arm * a]) for a in axes]
        case np.ndarray():
            arm = 0.02 * float(size.max())
            return [np.array([thing - arm * e, thing + arm * e]) for e in np.eye(3)]
        case _:
            return []


def base_lines(thing: Thing, reach: float) -> list[Array]:
    """The same of a base plane, axis or the origin, which are always there: small, at the origin, `reach` mm far."""
    match thing:
        case Plane(origin, across, normal):
            a, b = 0.6 * reach * across, 0.6 * reach * np.cross(normal, across)
            return [np.array([origin + a, origin + a + b, origin + b])]
        case Axis(origin, way):
            return [np.array([origin, origin + reach * way])]
        case np.ndarray():
            arm = 0.05 * reach
            return [np.array([thing - arm * e, thing + arm * e]) for e in np.eye(3)]
        case _:
            return []


def _rectangle(plane: Plane, low: Array, high: Array) -> Array:
    """The part of a plane that covers the body's box where it passes it, with some room."""
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    if abs(plane.normal[2]) > 0.5:  # across the body: as wide as the body is, wherever along it the plane stands
        flat = corners - np.outer((corners - plane.origin) @ plane.normal / plane.normal[2], [0.0, 0.0, 1.0])
    else:
        flat = corners - np.outer((corners - plane.origin) @ plane.normal, plane.normal)
    u, v = (flat - plane.origin) @ plane.across, (flat - plane.origin) @ plane.up
    room = 0.12 * max(float(np.ptp(u)), float(np.ptp(v)))
    rows = (
        (u.min() - room, v.min() - room),
        (u.max() + room, v.min() - room),
        (u.max() + room, v.max() + room),
        (u.min() - room, v.max() + room),
    )
    ring = np.array([plane.origin + a * plane.across + b * plane.up for a, b in rows])
    return np.vstack([ring, ring[:1]])
