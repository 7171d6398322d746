"""Places on a sheet nearest to points, and how it goes on from other skins along a curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.planar import cross3

GRID = 65
"""Places each way from which the search begins."""
STEPS = 12
ONE = 1e-14
"""Square of the sine of the angle between two vectors that are one."""


def nearest(sheet: SkinSheet, points: Array) -> tuple[Array, Array]:
    """(n,) u and v of a sheet's places nearest to points (n, 3), by Gauss-Newton steps from the nearest of a grid."""
    u = np.linspace(0.0, 1.0, GRID)
    grid = sheet.grid(u, u).reshape(-1, 3)
    start = np.asarray(cKDTree(grid).query(points)[1])
    place = np.stack([u[start // GRID], u[start % GRID]], axis=1)
    open_ = ~np.array(sheet.closed)  # what closes has no rim
    for _ in range(STEPS):
        at_u, at_v = place.T
        miss = points - sheet.at(at_u, at_v)
        rates = np.stack([sheet.at(at_u, at_v, 1, 0), sheet.at(at_u, at_v, 0, 1)], axis=2)
        step = shares(rates, miss)
        onto = np.clip(place + step, 0.0, 1.0)
        out = (onto != place + step) & open_
        if out.any():  # what would lead over the rim goes to it, and the other parameter goes as is best then
            to_rim = np.where(out, onto - place, 0.0)
            rest = miss - np.matmul(rates, to_rim[..., None])[..., 0]
            step = to_rim + shares(rates * ~out[:, None], rest)
        place = np.where(open_, np.clip(place + step, 0.0, 1.0), np.mod(place + step, 1.0))
    return place[:, 0], place[:, 1]


def shares(rates: Array, way: Array) -> Array:
    """(n, 2) of two vectors each (n, 3, 2) that come nearest to a way (n, 3); of two that are one, or of which one is nought, only the longer."""
    a, b = rates[..., 0], rates[..., 1]
    aa, ab, bb, aw, bw = (np.einsum("nk,nk->n", p, q) for p, q in ((a, a), (a, b), (b, b), (a, way), (b, way)))
    square = aa * bb - ab * ab
    whole = square > ONE * aa * bb
    square = np.where(whole, square, 1.0)
    longer = np.where(aa >= bb, aa, bb)
    longer = np.where(longer > 0.0, longer, 1.0)
    first = np.where(whole, (bb * aw - ab * bw) / square, np.where(aa >= bb, aw / longer, 0.0))
    second = np.where(whole, (aa * bw - ab * aw) / square, np.where(aa >= bb, 0.0, bw / longer))
    return np.stack([first, second], axis=1)


@dataclass(frozen=True, eq=False)
class GoesOn:
    """How a skin goes on from another one along an edge of that: the greatest `gap` (mm), `angle` (rad) between their tangent planes,
    and difference of their curvatures across the edge, `bend` (1/mm)."""

    gap: float
    angle: float
    bend: float


def goes_on(
    sheet: SkinSheet, places: tuple[Array, Array], points: Array, along: Array, beyond: tuple[Array, Array]
) -> GoesOn:
    """How a sheet goes on at its `places`, (n,) u and v, nearest to points (n, 3) of another's edge, which runs `along` (n, 3) there: `beyond`, (n, 3)
    each, is in which direction the other would go on, and its normal curvature that way."""
    (u, v), (direction, bend) = places, beyond
    gap = float(np.linalg.norm(sheet.at(u, v) - points, axis=1).max())
    pu, pv = sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1)
    own, other = cross3(pu, pv), cross3(along, direction)
    with np.errstate(invalid="ignore", divide="ignore"):  # where a skin comes to a point
        own = own / np.linalg.norm(own, axis=1, keepdims=True)
        other = other / np.linalg.norm(other, axis=1, keepdims=True)
    angle = np.arcsin(np.clip(np.linalg.norm(cross3(own, other), axis=1), 0.0, 1.0))
    share = shares(np.stack([pu, pv], axis=2), direction)
    a, b = share[:, :1], share[:, 1:]
    second = a * a * sheet.at(u, v, 2, 0) + 2.0 * a * b * sheet.at(u, v, 1, 1) + b * b * sheet.at(u, v, 0, 2)
    curved = np.sum(second * own, axis=1)[:, None] * own
    apart = np.linalg.norm(curved - bend, axis=1)
    return GoesOn(gap, float(np.nanmax(angle, initial=0.0)), float(np.nanmax(apart, initial=0.0)))
