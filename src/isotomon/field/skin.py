"""Places on skins: a body's own, a plane, a cylinder. Curves are dropped onto them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array
from isotomon.field.section_field import SectionField
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.datums import Cylinder, Plane, SpaceCurve, plane_at
from isotomon.geometry.space import sampled
from isotomon.geometry.through import through

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
