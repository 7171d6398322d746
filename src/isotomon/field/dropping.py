"""Where points and curves come to on skins: along directions, or along the skins' normals."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.skin import Charted, RoundSkin, Skin, level
from isotomon.geometry.datums import Plane, SpaceCurve
from isotomon.geometry.planar import cross3
from isotomon.geometry.space import resampled, samples_of

STEPS = 12
ON = 1e-3
"""Of the grid's cells: points no farther off lie on the skin."""


def dropped(curve: SpaceCurve, skin: Skin, way: Array | None) -> SpaceCurve:
    """A curve dropped onto a skin along a direction (3,), or along the skin's normals.

    Raises: FieldError, where it misses the skin.
    """
    _, points = samples_of(curve)
    return resampled(curve, met_along(points, skin, None if way is None else np.broadcast_to(way, points.shape)))


def met_along(points: Array, skin: Skin, ways: Array | None) -> Array:
    """(m, 3) where points (m, 3) come to a skin, each along its way (m, 3) of length 1, or along the skin's normals.

    Raises: FieldError, where one misses the skin.
    """
    if not isinstance(skin, Charted):
        off, gradient = level(skin, points)
        if ways is None:
            return points - off[:, None] * gradient
        return np.asarray(points + _reach(points, skin, ways)[:, None] * ways)
    at_u, at_v, cell = _placed(points, skin, ways)
    found = skin.at(at_u, at_v)[0]
    if ways is not None:
        off = found - points
        beside = np.linalg.norm(off - np.sum(off * ways, axis=1, keepdims=True) * ways, axis=1)
        if beside.max() > 1e-3 * cell:
            raise FieldError(_missed(points[int(beside.argmax())]))
    return found


def _placed(points: Array, skin: Charted, ways: Array | None) -> tuple[Array, Array, float]:
    """(m,) u and v where points come to a skin along ways, or along its normals, by Newton's rule from the places of a grid; and how far apart these
    are, mm.

    Raises: FieldError, where one comes by none.
    """
    u, v, grid = skin.grid()
    flat = grid.reshape(-1, 3)
    cell = float(np.median(np.linalg.norm(np.diff(grid, axis=0), axis=2)))
    cell = max(cell, float(np.median(np.linalg.norm(np.diff(grid, axis=1), axis=2))))
    start = np.asarray(cKDTree(flat).query(points)[1]) if ways is None else _first_met(points, flat, ways, cell)
    at_u, at_v = u[start % len(u)], v[start // len(u)]
    for _ in range(STEPS):
        p, pu, pv = skin.at(at_u, at_v)
        miss = points - p
        if ways is None:
            n, nu, nv = _normals(skin, at_u, at_v)
            far = np.einsum("mk,mk->m", miss, n)[:, None]
            a = np.stack([pu + far * nu, pv + far * nv, n], axis=2)
            miss = miss - far * n
        else:
            a = np.stack([pu, pv, -ways], axis=2)
        step = np.linalg.solve(a + 1e-12 * np.abs(a).max() * np.eye(3), miss[..., None])[..., 0]
        at_u, at_v = skin.held(at_u + np.clip(step[:, 0], -0.02, 0.02), at_v + step[:, 1])
    return at_u, at_v, cell


def _first_met(points: Array, places: Array, ways: Array, cell: float) -> Index:
    """(m,) the numbers of the places (n, 3), which are a `cell` (mm) apart, that rays from points (m, 3) along `ways` (m, 3) come by first; those
    behind them only where there is none ahead.

    Raises: FieldError, where one comes by none.
    """
    low, high = places.min(axis=0) - 1.5 * cell, places.max(axis=0) + 1.5 * cell
    with np.errstate(divide="ignore", invalid="ignore"):  # along an axis
        bounds = np.sort((np.stack([low, high])[:, None] - points) / ways, axis=0)
    bounds = np.nan_to_num(bounds, nan=0.0, posinf=1e300, neginf=-1e300)
    begin, end = bounds[0].max(axis=1), bounds[1].min(axis=1)
    lost = begin > end
    if lost.any():
        raise FieldError(_missed(points[int(lost.argmax())]))
    count = int(np.ceil(float((end - begin).max()) / cell)) + 1
    far = begin[:, None] + (end - begin)[:, None] * np.linspace(0.0, 1.0, count)
    rays = (points[:, None] + far[..., None] * ways[:, None]).reshape(-1, 3)
    near, place = (x.reshape(far.shape) for x in cKDTree(places).query(rays, distance_upper_bound=1.5 * cell))
    order = np.where(np.isfinite(near), np.where(far > -cell, far, 1e200 - far), np.inf)
    lost = np.isinf(order.min(axis=1))
    if lost.any():
        raise FieldError(_missed(points[int(lost.argmax())]))
    return np.asarray(place[np.arange(len(points)), order.argmin(axis=1)])


def normals_at(skin: Charted | RoundSkin, points: Array) -> Array:
    """(n, 3) normals, of length 1, of a skin where points are nearest to it, all on the side of those that are off it."""
    if isinstance(skin, RoundSkin):
        return level(skin, points)[1]
    u, v, cell = _placed(points, skin, None)
    normals = _normals(skin, u, v)[0]
    off = np.sum((points - skin.at(u, v)[0]) * normals, axis=1)
    farthest = float(off[np.abs(off).argmax()])
    return -normals if farthest < -ON * cell else normals


def _normals(skin: Charted, u: Array, v: Array) -> tuple[Array, Array, Array]:
    """(m, 3) each: normals of length 1, and their derivatives by u and by v from differences into the skin."""
    low, high = skin.ends
    near, aside = 1e-6 * (high - low), np.full(len(u), 1e-6)
    inward = np.where(v + near > high, -near, near)
    if skin.open:
        aside = np.where(u + aside > 1.0, -aside, aside)
    n = []
    for at in (skin.at(u, v), skin.at(*skin.held(u + aside, v)), skin.at(u, v + inward)):
        square = cross3(at[1], at[2])
        n.append(square / np.maximum(np.linalg.norm(square, axis=1, keepdims=True), 1e-300))
    return n[0], (n[1] - n[0]) / aside[:, None], (n[2] - n[0]) / inward[:, None]


def _reach(points: Array, skin: Plane | RoundSkin, ways: Array) -> Array:
    """How far points (m, 3) are from a plane or cylinder along their ways (m, 3)."""
    if isinstance(skin, Plane):
        lean = ways @ skin.normal
        if np.abs(lean).min() < 1e-6:
            raise FieldError("the direction lies in the plane, so that the curve never reaches it; pick another")
        return np.asarray(-((points - skin.origin) @ skin.normal) / lean)
    axis = skin.thing.axis
    away, flat = (x - (x @ axis.way)[:, None] * axis.way for x in (points - axis.origin, ways))
    a, b, c = (np.sum(x * y, axis=1) for x, y in ((flat, flat), (away, flat), (away, away)))
    inside = b * b - a * (c - skin.thing.radius**2)
    lost = (a < 1e-12) | (inside < 0.0)
    if lost.any():
        raise FieldError(_missed(points[int(lost.argmax())]))
    near, far = (-b - np.sqrt(inside)) / a, (-b + np.sqrt(inside)) / a
    return np.where(near > -1e-9, near, np.where(far > 0.0, far, near))


def _missed(point: Array) -> str:
    where = ", ".join(f"{c:.4g}" for c in point)
    return f"the curve misses the skin at ({where}); pick another direction, or cut the curve back"
