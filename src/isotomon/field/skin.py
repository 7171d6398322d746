"""Places on skins: a body's own, a plane, a cylinder. Curves are dropped onto them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.section_field import SectionField
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.datums import Cylinder, Plane, SpaceCurve, plane_at
from isotomon.geometry.planar import cross3
from isotomon.geometry.space import resampled, sampled, samples_of, through

REACH = 10.0
"""A cylinder is looked at for so many radii along its axis."""


@dataclass(frozen=True, eq=False)
class BodySkin:
    """The skin of a body between its ends: `u` the share of the way round (lane by lane), `v` the position, mm."""

    field: SectionField

    @property
    def ends(self) -> tuple[float, float]:
        """Between which its v lies."""
        return self.field.first, self.field.last

    @property
    def open(self) -> bool:
        """Whether it does not come round along u."""
        return self.field.common.open

    @property
    def ring(self) -> bool:
        """Whether it comes round along v."""
        return self.field.ring

    def levels(self, along: Array) -> Array:
        """(m,) its v where it is so far along, mm."""
        return along

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """(m, 3) each: points, and their derivatives by u and by v."""
        sections = self.field.sections(v)
        value, slope = self.field.common.rows(u), self.field.common.rows(u, 1)
        return (
            np.einsum("mn,mnk->mk", value, sections.control),
            np.einsum("mn,mnk->mk", slope, sections.control),
            np.einsum("mn,mnk->mk", value, sections.slopes),
        )

    def grid(self, n_u: int = 161, n_v: int = 121) -> tuple[Array, Array, Array]:
        """u (n_u,), v (n_v,), points (n_v, n_u, 3); the last u is the first again, unless the body is open."""
        u = np.linspace(0.0, 1.0, n_u)
        v = np.union1d(np.linspace(self.field.first, self.field.last, n_v), self.field.edges)
        return u, v, np.matmul(self.field.common.rows(u), self.field.sections(v).control)

    def rates(self, u: Array, v: Array) -> tuple[Array, Array]:
        """(n_v, n_u, 3) each: the derivatives by u and by v at every u and v."""
        sections = self.field.sections(v)
        around = np.matmul(self.field.common.rows(u, 1), sections.control)
        return around, np.matmul(self.field.common.rows(u), sections.slopes)

    def held(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Parameters brought back onto the skin."""
        return self.field.common.on(u), np.clip(v, self.field.first, self.field.last)


@dataclass(frozen=True, eq=False)
class CurveSkin:
    """A skin that is made from curves: `u` and `v` its own parameters, 0 to 1."""

    sheet: SkinSheet

    @property
    def ends(self) -> tuple[float, float]:
        """Between which its v lies."""
        return 0.0, 1.0

    @cached_property
    def _closed(self) -> tuple[bool, bool]:
        return self.sheet.closed

    @property
    def open(self) -> bool:
        """Whether it does not come round along u."""
        return not self._closed[0]

    @property
    def ring(self) -> bool:
        """Whether it comes round along v."""
        return self._closed[1]

    def levels(self, along: Array) -> Array:
        """(m,) its v where it is so far along, mm: by how long it is in the mean."""
        return along / self.length

    @cached_property
    def length(self) -> float:
        """mm: how far it is from the first curve to the last, in the mean."""
        return float(np.linalg.norm(np.diff(self.grid(9, 65)[2], axis=0), axis=2).sum(axis=0).mean())

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """(m, 3) each: points, and their derivatives by u and by v."""
        return self.sheet.at(u, v), self.sheet.at(u, v, 1, 0), self.sheet.at(u, v, 0, 1)

    def grid(self, n_u: int = 161, n_v: int = 121) -> tuple[Array, Array, Array]:
        """u (n_u,), v (n_v,), points (n_v, n_u, 3)."""
        u, v = np.linspace(0.0, 1.0, n_u), np.linspace(0.0, 1.0, n_v)
        return u, v, self.sheet.grid(u, v).transpose(1, 0, 2)

    def rates(self, u: Array, v: Array) -> tuple[Array, Array]:
        """(n_v, n_u, 3) each: the derivatives by u and by v at every u and v."""
        return self.sheet.grid(u, v, 1, 0).transpose(1, 0, 2), self.sheet.grid(u, v, 0, 1).transpose(1, 0, 2)

    def held(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Parameters brought back onto the skin."""
        held = (np.clip(t, 0.0, 1.0) if end else np.mod(t, 1.0) for t, end in ((u, self.open), (v, not self.ring)))
        around, along = held
        return around, along


Charted = BodySkin | CurveSkin
"""Skins whose places are known by parameters only."""


@dataclass(frozen=True, eq=False)
class RoundSkin:
    """A cylinder: `u` the share of the way round, `v` along the axis, mm."""

    thing: Cylinder

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """(m, 3) each: points, and their derivatives by u and by v."""
        base, r = plane_at(self.thing.axis.origin, self.thing.axis.way), self.thing.radius
        c, s = np.cos(2 * np.pi * u)[:, None], np.sin(2 * np.pi * u)[:, None]
        way = np.broadcast_to(base.normal, (len(u), 3))
        points = base.origin + r * (c * base.across + s * base.up) + v[:, None] * base.normal
        return points, 2 * np.pi * r * (c * base.up - s * base.across), way

    def grid(self, n_u: int = 161, n_v: int = 121) -> tuple[Array, Array, Array]:
        """u (n_u,), v (n_v,), points (n_v, n_u, 3)."""
        reach = REACH * self.thing.radius
        u, v = np.linspace(0.0, 1.0, n_u), np.linspace(-reach, reach, n_v)
        flat = np.meshgrid(u, v)
        return u, v, self.at(flat[0].ravel(), flat[1].ravel())[0].reshape(n_v, n_u, 3)

    def held(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Parameters brought back onto the skin."""
        return np.mod(u, 1.0), v


Skin = BodySkin | CurveSkin | RoundSkin | Plane


def level(skin: Plane | RoundSkin, points: Array) -> tuple[Array, Array]:
    """Signed distance (m,) of points from a plane or cylinder, and its gradient (m, 3)."""
    if isinstance(skin, Plane):
        return (points - skin.origin) @ skin.normal, np.broadcast_to(skin.normal, points.shape)
    axis = skin.thing.axis
    away = points - axis.origin
    away = away - (away @ axis.way)[:, None] * axis.way
    far = np.linalg.norm(away, axis=1)
    return far - skin.thing.radius, away / np.maximum(far, 1e-300)[:, None]


def dropped(curve: SpaceCurve, skin: Skin, way: Array | None) -> SpaceCurve:
    """A curve dropped onto a skin along a direction (3,), or along the skin's normals.

    Raises: FieldError, where it misses the skin.
    """
    _, points = samples_of(curve)
    return resampled(curve, _dropped_points(points, skin, way))


def _dropped_points(points: Array, skin: Skin, way: Array | None) -> Array:
    if not isinstance(skin, Charted):
        off, gradient = level(skin, points)
        if way is None:
            return points - off[:, None] * gradient
        return points + _reach(points, skin, way)[:, None] * way
    u, v, grid = skin.grid()
    flat = grid.reshape(-1, 3)
    cell = float(np.median(np.linalg.norm(np.diff(grid, axis=0), axis=2)))
    cell = max(cell, float(np.median(np.linalg.norm(np.diff(grid, axis=1), axis=2))))
    start = np.asarray(cKDTree(flat).query(points)[1]) if way is None else _first_met(points, flat, way, cell)
    at_u, at_v = u[start % len(u)], v[start // len(u)]
    for _ in range(12):
        p, pu, pv = skin.at(at_u, at_v)
        miss = points - p
        if way is None:
            n, nu, nv = _normals(skin, at_u, at_v)
            far = np.einsum("mk,mk->m", miss, n)[:, None]
            a = np.stack([pu + far * nu, pv + far * nv, n], axis=2)
            miss = miss - far * n
        else:
            a = np.stack([pu, pv, np.broadcast_to(-way, pu.shape)], axis=2)
        step = np.linalg.solve(a + 1e-12 * np.abs(a).max() * np.eye(3), miss[..., None])[..., 0]
        at_u, at_v = skin.held(at_u + np.clip(step[:, 0], -0.02, 0.02), at_v + step[:, 1])
    found = skin.at(at_u, at_v)[0]
    if way is not None:
        off = found - points
        beside = np.linalg.norm(off - (off @ way)[:, None] * way, axis=1)
        if beside.max() > 1e-3 * cell:
            raise FieldError(_missed(points[int(beside.argmax())]))
    return found


def _first_met(points: Array, places: Array, way: Array, cell: float) -> Index:
    """(m,) the numbers of the places (n, 3), which are a `cell` (mm) apart, that points (m, 3) meet first going along a direction (3,); those behind
    them only where there is none ahead.

    Raises: FieldError, where one meets none.
    """
    flat = np.linalg.svd(way[None])[2][1:].T  # (3, 2): square to the direction
    near = cKDTree(points @ flat).sparse_distance_matrix(cKDTree(places @ flat), 1.5 * cell, output_type="ndarray")
    point, place = near["i"], near["j"]
    along = (places[place] - points[point]) @ way
    order = np.lexsort((np.where(along > -cell, along, 1e9 - along), point))
    found, first = np.unique(point[order], return_index=True)
    if len(found) < len(points):
        raise FieldError(_missed(points[int(np.setdiff1d(np.arange(len(points)), found)[0])]))
    return np.asarray(place[order][first])


def normals_at(skin: Charted | RoundSkin, points: Array) -> Array:
    """(n, 3) normals, of length 1, of a skin where points are nearest to it, all on the side of the first."""
    if isinstance(skin, RoundSkin):
        return level(skin, points)[1]
    feet = points - _dropped_points(points, skin, None)
    far = np.linalg.norm(feet, axis=1, keepdims=True)
    u, v, grid = skin.grid()
    flat = grid.reshape(-1, 3)
    start = np.asarray(cKDTree(flat).query(points - feet)[1])
    rough = _normals(skin, u[start % len(u)], v[start // len(u)])[0]
    return np.where(far > 1e-6 * far.max(), feet / np.maximum(far, 1e-300), rough)


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


def _reach(points: Array, skin: Plane | RoundSkin, way: Array) -> Array:
    """How far along a direction points reach a plane or cylinder first."""
    if isinstance(skin, Plane):
        lean = float(way @ skin.normal)
        if abs(lean) < 1e-6:
            raise FieldError("the direction lies in the plane, so that the curve never reaches it; pick another")
        return np.asarray(-((points - skin.origin) @ skin.normal) / lean)
    axis = skin.thing.axis
    away, flat = points - axis.origin, way - axis.way * float(way @ axis.way)
    away = away - (away @ axis.way)[:, None] * axis.way
    a, b, c = float(flat @ flat), away @ flat, np.sum(away * away, axis=1) - skin.thing.radius**2
    inside = b * b - a * c
    if a < 1e-12 or inside.min() < 0.0:
        raise FieldError(_missed(points[int(inside.argmin())]))
    near, far = (-b - np.sqrt(inside)) / a, (-b + np.sqrt(inside)) / a
    return np.where(near > -1e-9, near, np.where(far > 0.0, far, near))


def _missed(point: Array) -> str:
    where = ", ".join(f"{c:.4g}" for c in point)
    return f"the curve misses the skin at ({where}); pick another direction, or cut the curve back"


def on_skin(skin: Charted, u: Array, v: Array, closed: bool) -> SpaceCurve:
    """The curve drawn on a skin through places on it: smooth in u and v, laid on the skin.

    `u` is not wrapped: 0.9 to 1.1 goes on round past the start.
    """
    plan = through(np.column_stack([u * 1000.0, v, np.zeros(len(u))]), closed=closed)
    t = np.linspace(0.0, 1.0, 193)
    flat = plan.at(t)
    points = skin.at(*skin.held(flat[:, 0] / 1000.0, flat[:, 1]))[0]
    return sampled(points, closed)


def joined_round(lines: list[Array]) -> list[Array]:
    """Contours that end at u = 1 go on from u = 0: such pieces are made one, with u counted on."""
    rest, done = [line for line in lines if len(line) > 1], []
    while rest:
        line = rest.pop()
        for _ in range(len(rest)):
            tail = line[-1]
            match = next(
                (
                    (k, way)
                    for k, other in enumerate(rest)
                    for way in (1, -1)
                    if abs(abs(other[::way][0, 0] % 1.0 - tail[0] % 1.0) % 1.0) < 1e-9
                    and abs(other[::way][0, 1] - tail[1]) < 1e-6
                ),
                None,
            )
            if match is None:
                break
            other = rest.pop(match[0])[:: match[1]]
            line = np.vstack([line, other[1:] + np.array([round(tail[0] - other[0, 0]), 0.0])])
        done.append(line)
    return done
