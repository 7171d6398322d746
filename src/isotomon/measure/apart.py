"""How far things in space lie from each other, and sections of closed meshes by planes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.field.skin import BodySkin
from isotomon.geometry.datums import Axis, Plane, SpaceCurve
from isotomon.measure.rays import meet

SEARCH_STEPS = 60
"""A search for the least distance takes a dozen steps; where it has not come to rest after so many, the nearest pair found counts."""
LEVEL = 1e-12
"""mm: what lies this near to a plane counts as above it."""


@dataclass(frozen=True, eq=False)
class Spots:
    """The places of a thing: `at` gives (3,) for parameters between `low` and `high`; `some` (n, k) of them, at `places`."""

    at: Callable[[Array], Array]
    low: Array
    high: Array
    some: Array
    places: Array


def spots_of(thing: Array | Axis | Plane | SpaceCurve | BodySkin, near: Array) -> Spots:
    """A thing's places; of an endless one those round `near` (n, 3)."""
    if isinstance(thing, np.ndarray):
        return Spots(lambda _: thing, np.zeros(0), np.zeros(0), np.zeros((1, 0)), thing[None])
    reach = 2.0 * float(np.ptp(near, axis=0).max()) + 100.0
    if isinstance(thing, Axis):
        way = thing.way
        t = (near - thing.origin) @ way
        line = np.linspace(t.min() - reach, t.max() + reach, 401)[:, None]
        free = np.full(1, np.inf)
        return Spots(lambda p: thing.origin + p[0] * way, -free, free, line, thing.origin + line * way)
    if isinstance(thing, Plane):
        flat = np.stack([(near - thing.origin) @ thing.across, (near - thing.origin) @ thing.up], axis=1)
        axes = np.stack([thing.across, thing.up])
        free = np.full(2, np.inf)
        return Spots(lambda p: thing.origin + p @ axes, -free, free, flat, thing.origin + flat @ axes)
    if isinstance(thing, SpaceCurve):
        t = np.linspace(0.0, 1.0, 801)
        return Spots(lambda p: thing.at(p)[0], np.zeros(1), np.ones(1), t[:, None], thing.at(t))
    u, v, grid = thing.grid(241, 161)
    both = np.stack(np.broadcast_arrays(u[None], v[:, None]), axis=-1).reshape(-1, 2)

    def on_skin(p: Array) -> Array:
        return np.asarray(thing.at(*thing.held(p[:1], p[1:]))[0][0])

    low, high = np.array([-0.1, thing.field.first]), np.array([1.1, thing.field.last])
    return Spots(on_skin, low, high, both, grid.reshape(-1, 3))


def apart(a: Spots, b: Spots) -> tuple[float, Array]:
    """The least distance between two things, mm, and (2, 3) where they come so near."""
    far, pick = cKDTree(b.places).query(a.places)
    i = int(far.argmin())
    start = np.concatenate([a.some[i], b.some[pick[i]]])
    k = len(a.low)
    low, high = np.concatenate([a.low, b.low]), np.concatenate([a.high, b.high])
    if len(start):
        inside = np.clip(start, low + 1e-12, high - 1e-12)
        found = least_squares(
            lambda p: a.at(p[:k]) - b.at(p[k:]),
            inside,
            bounds=(low, high),
            xtol=1e-14,
            ftol=1e-14,
            max_nfev=SEARCH_STEPS,
        )
        ends = np.stack([a.at(found.x[:k]), b.at(found.x[k:])])
        rough = np.stack([a.places[i], b.places[pick[i]]])
        start_far, end_far = (float(np.linalg.norm(e[1] - e[0])) for e in (rough, ends))
        return (end_far, ends) if end_far <= start_far else (start_far, rough)
    ends = np.stack([a.places[0], b.places[0]])
    return float(np.linalg.norm(ends[1] - ends[0])), ends


@dataclass(frozen=True, eq=False)
class PlaneSection:
    """What a plane cuts from a solid: mm², mm, mm⁴; `centroid` (3,) and `lines` (n, 2, 3) in space. `angle`: rad from the
    plane's X to the axis of least second moment."""

    area: float
    perimeter: float
    centroid: Array
    i_max: float
    i_min: float
    angle: float
    lines: Array


def plane_section(vertices: Array, triangles: Index, plane: Plane) -> PlaneSection | None:
    """The section of a closed mesh (outward triangles) by a plane, or None where it misses. By Green's theorem over the
    pieces of line in which the triangles are cut; as near as the mesh is to the body."""
    height = (vertices - plane.origin) @ plane.normal
    height = np.where(np.abs(height) < LEVEL, LEVEL, height)
    h = height[triangles]
    cut = (h > 0.0).any(axis=1) & (h < 0.0).any(axis=1)
    if not cut.any():
        return None
    h, corners = h[cut], vertices[triangles[cut]]
    # The corner that is alone on its side comes first; both edges from it are cut.
    alone = np.where((h > 0.0).sum(axis=1) == 1, (h > 0.0).argmax(axis=1), (h < 0.0).argmax(axis=1))
    order = (alone[:, None] + np.arange(3)) % 3
    rows = np.arange(len(h))[:, None]
    h, corners = h[rows, order], corners[rows, order]
    share = h[:, :1] / (h[:, :1] - h[:, 1:])
    ends = corners[:, :1] + share[..., None] * (corners[:, 1:] - corners[:, :1])
    facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    ahead = np.einsum("nk,nk->n", ends[:, 1] - ends[:, 0], np.cross(plane.normal, facing)) > 0.0
    ends = np.where(ahead[:, None, None], ends, ends[:, ::-1])
    flat = np.stack([(ends - plane.origin) @ plane.across, (ends - plane.origin) @ plane.up], axis=-1)
    (ax, ay), (bx, by) = flat[:, 0].T, flat[:, 1].T
    swirl = ax * by - bx * ay
    area = float(swirl.sum()) / 2.0
    if abs(area) < 1e-12:
        return None
    cx, cy = float((swirl * (ax + bx)).sum()) / (6.0 * area), float((swirl * (ay + by)).sum()) / (6.0 * area)
    ixx = float((swirl * (ay * ay + ay * by + by * by)).sum()) / 12.0 - area * cy * cy
    iyy = float((swirl * (ax * ax + ax * bx + bx * bx)).sum()) / 12.0 - area * cx * cx
    ixy = float((swirl * (ax * by + 2.0 * ax * ay + 2.0 * bx * by + bx * ay)).sum()) / 24.0 - area * cx * cy
    middle, reach = (ixx + iyy) / 2.0, float(np.hypot((ixx - iyy) / 2.0, ixy))
    return PlaneSection(
        area,
        float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum()),
        plane.origin + cx * plane.across + cy * plane.up,
        middle + reach,
        middle - reach,
        0.5 * float(np.arctan2(2.0 * ixy, iyy - ixx)),
        ends,
    )


def through(corners: Array, start: Array, way: Array) -> float:
    """mm between the first two places at which a ray, begun a little outside, passes through triangles (m, 3, 3); NaN where it
    does not."""
    back = 1e-3 * float(np.ptp(corners[:, 0], axis=0).max())
    hit = _hits(corners, start - back * way, way)
    return float(hit[1] - hit[0]) if len(hit) > 1 and hit[0] < 2.0 * back else float("nan")


def first_hit(corners: Array, start: Array, way: Array) -> float:
    """mm from a place to where a ray along `way` first meets triangles (m, 3, 3); infinite where it does not."""
    hit = _hits(corners, start, way)
    return float(hit[0]) if len(hit) else float("inf")


def _hits(corners: Array, origin: Array, way: Array) -> Array:
    """(n,) mm along a ray at which it passes triangles (m, 3, 3), ascending."""
    far, _, passed = meet(corners, origin, np.broadcast_to(way, (len(corners), 3)))
    hit = np.sort(far[passed])
    return hit[np.r_[True, np.diff(hit) > 1e-6]] if len(hit) else hit
