"""Nets that go on flush or fair from the skins whose edges their outer curves are."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import BPoly

from isotomon.arrays import Array
from isotomon.field.blends import Blend, Given, blend
from isotomon.field.sheet import Side, SkinSheet, said_in, union
from isotomon.field.spreads import DEGREE, joins_beside, vectors_along
from isotomon.geometry.basis import Basis, Joins
from isotomon.geometry.planar import cross3

SETTLED = 0.02
"""Of the way to the next curve: so far from a corner two neighbours that want different twists there are met halfway."""
ASIDE = 1e-5
"""So far beside a place the turn of a neighbour's direction is looked at."""
Beyond = Callable[[Array], tuple[Array, Array]]
Pair = tuple["NetSide | None", "NetSide | None"]


@dataclass(frozen=True, eq=False)
class NetSide:
    """What a net is to go on from at a side: how the other skin goes on over it (`beyond`: direction and curvature (n, 3) each, at
    places (n,) along the side), and how many derivatives across are `given`."""

    beyond: Beyond
    given: Given


def gone_on(
    sheet: SkinSheet, sides: Mapping[Side, NetSide], places: tuple[Array, Array], tolerance: float
) -> SkinSheet:
    """A net's sheet, turned at its sides into the tangent planes of other skins (G1), and bent there as they are (G2). The net's curves, at
    `places` along u and along v, stay on it: where one leaves its neighbour at an angle of its own, so does the net.

    Raises: FieldError, where a neighbour is not smooth enough.
    """
    pairs: tuple[Pair, Pair] = (sides.get("first"), sides.get("last")), (sides.get("start"), sides.get("end"))
    across = _courses(places[1], pairs[0]), _courses(places[0], pairs[1])
    joins = _joins(sheet.u, across[1]), _joins(sheet.v, across[0])
    along = tuple(blend(p, ring=bool(p[-1] < 1.0)) for p in places)
    if any(pairs[0]):
        sheet = _ends_turned(sheet, pairs[0], along[0], across[0], joins[0], (0, 0), tolerance)
    if any(pairs[1]):
        done = across[0].first, across[0].last
        made = _ends_turned(_swapped(sheet), pairs[1], along[1], across[1], joins[1], done, tolerance)
        sheet = replace(_swapped(made), corners=sheet.corners)
    return sheet


def _courses(places: Array, pair: Pair) -> Blend:
    """The functions by which what is added at a side fades out, nought where the net's curves lie."""
    first, last = (side.given if side else 0 for side in pair)
    return blend(places, first, last, ring=bool(places[-1] < 1.0))


def _joins(own: Basis, other: Blend) -> dict[float, int]:
    """Where what is added along a side is less smooth: where the curves are, and where what is added at the sides beside it is."""
    inner = other.basis.breaks[1:-1]
    return {**dict.fromkeys(inner.tolist(), 2), **joins_beside(own)}


def _swapped(sheet: SkinSheet) -> SkinSheet:
    return SkinSheet(sheet.v, sheet.u, sheet.control.transpose(1, 0, 2))


def _ends_turned(
    sheet: SkinSheet, pair: Pair, along: Blend, across: Blend, joins: Joins, done: tuple[Given, Given], tolerance: float
) -> SkinSheet:
    """The sheet, turned, and then bent, at its first and last side; the derivatives that are `done` at the sides beside these stay."""
    for order in (1, 2):
        added = list[tuple[Basis, Array, Array]]()
        for end, side in enumerate(pair):
            if side is not None and side.given >= order:
                course = across.weights[:, len(across.levels) + end * across.first + order - 1]
                near = tolerance / float(np.abs(course).max())
                added.append((*_missing(sheet, float(end), side, order, along, joins, done, near), course))
        sheet = _with(sheet, across.basis, added) if added else sheet
    return sheet


def _missing(
    sheet: SkinSheet,
    at: float,
    side: NetSide,
    order: int,
    along: Blend,
    joins: Joins,
    done: tuple[Given, Given],
    tolerance: float,
) -> tuple[Basis, Array]:
    """What a derivative across lacks, square to the neighbour, all along a side: its basis and control points (n, 3). It is nought where the curves
    of the net arrive, and so are as many of its derivatives at its ends as are `done` there."""

    def sample(u: Array) -> Array:
        return _slope(sheet, at, side, u) if order == 1 else _bend(sheet, at, side, u)

    basis, control = vectors_along(sample, joins, sheet.u.periodic, tolerance)
    there = basis.matrix(along.levels) @ control
    parts = [(basis, control), (along.basis, -along.weights @ there)]
    for end, orders in enumerate(done):
        for derivative in range(1, orders + 1):
            rate = sum(b.matrix(np.array([float(end)]), derivative) @ c for b, c in parts[:2])
            ending, course = _ending(float(np.diff(along.levels)[-end]), end, derivative)
            parts.append((ending, -course[:, None] * rate))
    both = union([basis for basis, _ in parts], DEGREE)
    return both, np.sum([said_in(both, *part) for part in parts], axis=0)


def _ending(bay: float, end: int, derivative: int) -> tuple[Basis, Array]:
    """A function of which one derivative is 1 at an end, and the others are 0, as itself, and which is gone a little farther on: its basis and
    control points."""
    width = SETTLED * bay
    at = [0.0] * 6
    at[derivative] = 1.0 if derivative == 2 or not end else -1.0
    piece = BPoly.from_derivatives([0.0, width], [at[:3], [0.0] * 3])
    breaks = np.array([0.0, 1.0 - width if end else width, 1.0])
    basis = Basis(DEGREE, breaks, np.array([1, 3, 1]), False)

    def sample(u: Array) -> Array:
        far = np.abs(u - end)
        return np.where(far < width, piece(np.minimum(far, width)), 0.0)[:, None]

    return basis, basis.interpolate(sample)[:, 0]


def _normal(sheet: SkinSheet, at: float, side: NetSide, u: Array) -> Array:
    """(n, 3) of length 1: square to the neighbour along a side."""
    along = sheet.grid(u, np.array([at]), 1, 0)[:, 0]
    normal = cross3(along, side.beyond(u)[0])
    return np.asarray(normal / np.linalg.norm(normal, axis=1, keepdims=True))


def _slope(sheet: SkinSheet, at: float, side: NetSide, u: Array) -> Array:
    """(n, 3) what takes the slope across into the neighbour's tangent plane."""
    normal = _normal(sheet, at, side, u)
    out = sheet.grid(u, np.array([at]), 0, 1)[:, 0]
    return np.asarray(-np.sum(out * normal, axis=1, keepdims=True) * normal)


def _bend(sheet: SkinSheet, at: float, side: NetSide, u: Array) -> Array:
    """(n, 3) what the second derivative across lacks of the neighbour's normal curvature, of a sheet that is flush with that.

    Two skins with one tangent plane along a curve have one curvature there if they have it in one direction across: the second fundamental
    form of the neighbour is known along the curve, across it, and, by how its direction turns, of both.
    """
    normal, (direction, curved) = _normal(sheet, at, side, u), side.beyond(u)
    level = np.array([at])
    first, out, second, twice = (sheet.grid(u, level, *orders)[:, 0] for orders in ((1, 0), (0, 1), (2, 0), (0, 2)))
    turning = _turning(side, u)
    b = np.sum(out * direction, axis=1)
    a = np.sum(out * first, axis=1) / np.sum(first * first, axis=1)
    wanted = a * a * np.sum(second * normal, axis=1) + 2.0 * a * b * np.sum(turning * normal, axis=1)
    wanted += b * b * np.sum(curved * normal, axis=1)
    return np.asarray((wanted - np.sum(twice * normal, axis=1))[:, None] * normal)


def _turning(side: NetSide, u: Array) -> Array:
    """(n, 3) the derivative of the direction in which the neighbour goes on, by a parabola through three places."""
    middle = np.clip(u, ASIDE, 1.0 - ASIDE)
    p, q, r = (side.beyond(middle + k * ASIDE)[0] for k in (-1.0, 0.0, 1.0))
    return np.asarray((r - p) / (2.0 * ASIDE) + ((u - middle) / ASIDE**2)[:, None] * (r - 2.0 * q + p))


def _with(sheet: SkinSheet, across: Basis, added: list[tuple[Basis, Array, Array]]) -> SkinSheet:
    """The sheet and vectors along it, each by its course across."""
    u = union([sheet.u, *(basis for basis, _, _ in added)], DEGREE)
    v = union([sheet.v, across], DEGREE)
    control = said_in(u, sheet.u, sheet.control)
    control = said_in(v, sheet.v, control.transpose(1, 0, 2)).transpose(1, 0, 2)
    for basis, rows, course in added:
        control = control + np.einsum("uk,v->uvk", said_in(u, basis, rows), said_in(v, across, course[:, None])[:, 0])
    return replace(sheet, u=u, v=v, control=control)
