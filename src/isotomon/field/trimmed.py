"""Sheets of which a part is there: its area, and its edges as curves from which others go on."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.field.sheet import SkinSheet
from isotomon.field.trims import Trim, TrimEdge
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.planar import cross, cross3
from isotomon.geometry.tensor import going_on

ASIDE = 1e-4
"""Of the rectangle: so far beside an edge it is looked which side is within."""
FINE = 0.012
"""Of the rectangle: the side of the triangles by which an area is found."""
THREE = np.array([[4.0, 1.0, 1.0], [1.0, 4.0, 1.0], [1.0, 1.0, 4.0]]) / 6.0
"""Where a triangle is looked at, by its corners: exact to the second degree."""


def trimmed_area(sheet: SkinSheet, trim: Trim) -> float:
    """mm² of what lies within, by triangles in each of which the skin is taken at three places."""
    places, cells, _ = trim.triangles(FINE)
    corners = places[cells]
    u, v = np.einsum("pk,mkj->jpm", THREE, corners).reshape(2, -1)
    grown = np.linalg.norm(cross3(sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1)), axis=1)
    area = np.abs(cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])) / 2.0
    return float((grown.reshape(3, -1) * area).sum() / 3.0)


def border(sheet: SkinSheet, trim: Trim, edge: TrimEdge) -> SpaceCurve:
    """An edge of a trimmed sheet as a curve, with how the sheet would go on over it."""
    closed = any(len(loop) == 1 and loop[0] is edge for loop in trim.loops)

    def at(t: Array) -> Array:
        u, v = edge.at(np.clip(np.asarray(t, dtype=float), 0.0, 1.0)).T
        return sheet.at(u, v)

    creases = tuple(edge.basis.creases.tolist())
    joints = tuple(edge.basis.breaks[1:-1][edge.basis.multiplicity[1:-1] > edge.basis.degree - 3].tolist())
    names = tuple(f"{c:.6g}" for c in creases)
    return SpaceCurve(at, closed, creases, names=names, joints=joints, beyond=lambda t: _beyond(sheet, trim, edge, t))


def _beyond(sheet: SkinSheet, trim: Trim, edge: TrimEdge, t: Array) -> tuple[Array, Array]:
    """How the sheet would go on over an edge, at parameters (n,)."""
    places, along = edge.at(t), edge.at(t, 1)
    square = np.stack([along[:, 1], -along[:, 0]], axis=1)
    square = square / np.linalg.norm(square, axis=1, keepdims=True)
    out = np.where(trim.holds(places + ASIDE * square)[:, None], -square, square)
    u, v = places.T
    slopes = sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1)
    bends = sheet.at(u, v, 2, 0), sheet.at(u, v, 1, 1), sheet.at(u, v, 0, 2)

    def by(a: Array, b: Array) -> Array:
        """The second derivative by two directions of the rectangle."""
        both = a[:, :1] * b[:, 1:] + a[:, 1:] * b[:, :1]
        return np.asarray(a[:, :1] * b[:, :1] * bends[0] + both * bends[1] + a[:, 1:] * b[:, 1:] * bends[2])

    first, across = (w[:, :1] * slopes[0] + w[:, 1:] * slopes[1] for w in (along, out))
    return going_on(first, across, (by(along, along), by(along, out), by(out, out)))
