"""How a sheet goes on from another skin along its first or last side: what it lacks of that, and how it is added."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from scipy.interpolate import BPoly

from isotomon.arrays import Array
from isotomon.field.sheet import SkinSheet, said_in, union
from isotomon.field.spreads import DEGREE, ShareMap
from isotomon.geometry.basis import Basis
from isotomon.geometry.planar import cross3

ASIDE = 1e-5
"""So far beside a place the turn of a neighbour's direction is looked at."""
Beyond = Callable[[Array], tuple[Array, Array]]
"""How a skin goes on over an edge of it at places (n,) along that: its direction, and its curvature that way, (n, 3) each."""


def beyond_at(beyond: Beyond, course: ShareMap, u: Array) -> tuple[Array, Array]:
    """How a skin goes on over its edge at places u (n,) of another curve, which its `course` brings to places along the edge."""
    return beyond(course(u))


def swapped(sheet: SkinSheet) -> SkinSheet:
    """The same with u and v exchanged, so that its normals point to the other side; its corners have no names then, and what closes smoothly along u
    does so no more."""
    u, control = sheet.u, sheet.control
    if u.periodic:
        plain = union([u], u.degree, periodic=False)
        control, u = said_in(plain, u, control), plain
    return SkinSheet(sheet.v, u, control.transpose(1, 0, 2))


def lacking(sheet: SkinSheet, at: float, beyond: Beyond, order: int, u: Array) -> Array:
    """(n, 3) what the first or second derivative across a side (v 0 or 1) lacks, square to the other skin, to lie in its tangent plane, or, of a
    sheet that is flush with it, to have its curvature."""
    return (_slope if order == 1 else _bend)(sheet, at, beyond, u)


def ending(width: float, end: int, derivative: int) -> tuple[Basis, Array]:
    """A function that is 1 at an end (0 or 1), or of which the first or second `derivative` is, the other two being 0, and which fades out within a
    `width`, of 1: its basis and control points."""
    at = [0.0] * 3
    at[derivative] = -1.0 if derivative == 1 and end else 1.0
    piece = BPoly.from_derivatives([0.0, width], [at, [0.0] * 3])
    inner = [1.0 - width if end else width] if width < 1.0 else []
    breaks = np.array([0.0, *inner, 1.0])
    basis = Basis(DEGREE, breaks, np.array([1, *(3 for _ in inner), 1]), False)

    def sample(u: Array) -> Array:
        far = np.abs(u - end)
        return np.where(far < width, piece(np.minimum(far, width)), 0.0)[:, None]

    return basis, basis.interpolate(sample)[:, 0]


def _normal(sheet: SkinSheet, at: float, beyond: Beyond, u: Array) -> Array:
    """(n, 3) of length 1: square to the neighbour along a side."""
    along = sheet.grid(u, np.array([at]), 1, 0)[:, 0]
    normal = cross3(along, beyond(u)[0])
    return np.asarray(normal / np.linalg.norm(normal, axis=1, keepdims=True))


def _slope(sheet: SkinSheet, at: float, beyond: Beyond, u: Array) -> Array:
    """(n, 3) what takes the slope across into the neighbour's tangent plane."""
    normal = _normal(sheet, at, beyond, u)
    out = sheet.grid(u, np.array([at]), 0, 1)[:, 0]
    return np.asarray(-np.sum(out * normal, axis=1, keepdims=True) * normal)


def _bend(sheet: SkinSheet, at: float, beyond: Beyond, u: Array) -> Array:
    """(n, 3) what the second derivative across lacks of the neighbour's normal curvature, of a sheet that is flush with that.

    Two skins with one tangent plane along a curve have one curvature there if they have it in one direction across: the second fundamental
    form of the neighbour is known along the curve, across it, and, by how its direction turns, of both.
    """
    normal, (direction, curved) = _normal(sheet, at, beyond, u), beyond(u)
    level = np.array([at])
    first, out, second, twice = (sheet.grid(u, level, *orders)[:, 0] for orders in ((1, 0), (0, 1), (2, 0), (0, 2)))
    turning = _turning(beyond, u)
    b = np.sum(out * direction, axis=1)
    a = np.sum(out * first, axis=1) / np.sum(first * first, axis=1)
    wanted = a * a * np.sum(second * normal, axis=1) + 2.0 * a * b * np.sum(turning * normal, axis=1)
    wanted += b * b * np.sum(curved * normal, axis=1)
    return np.asarray((wanted - np.sum(twice * normal, axis=1))[:, None] * normal)


def _turning(beyond: Beyond, u: Array) -> Array:
    """(n, 3) the derivative of the direction in which the neighbour goes on, by a parabola through three places."""
    middle = np.clip(u, ASIDE, 1.0 - ASIDE)
    p, q, r = (beyond(middle + k * ASIDE)[0] for k in (-1.0, 0.0, 1.0))
    return np.asarray((r - p) / (2.0 * ASIDE) + ((u - middle) / ASIDE**2)[:, None] * (r - 2.0 * q + p))


def with_vectors(sheet: SkinSheet, across: Basis, added: Sequence[tuple[Basis, Array, Array]]) -> SkinSheet:
    """The sheet and what is added to it: vectors along u, by basis and control points (n, 3), each by its course (across.size,) across."""
    u = union([sheet.u, *(basis for basis, _, _ in added)], DEGREE)
    v = union([sheet.v, across], DEGREE)
    control = said_in(u, sheet.u, sheet.control)
    control = said_in(v, sheet.v, control.transpose(1, 0, 2)).transpose(1, 0, 2)
    for basis, rows, course in added:
        control = control + np.einsum("uk,v->uvk", said_in(u, basis, rows), said_in(v, across, course[:, None])[:, 0])
    return replace(sheet, u=u, v=v, control=control)
