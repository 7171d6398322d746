"""Nets that go on flush or fair from the skins whose edges their outer curves are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from isotomon.arrays import Array
from isotomon.field.blends import Blend, Given, blend
from isotomon.field.sheet import Side, SkinSheet, said_in, union
from isotomon.field.side_joins import Beyond, ending, lacking, swapped, with_vectors
from isotomon.field.spreads import DEGREE, joins_beside, vectors_along
from isotomon.geometry.basis import Basis, Joins

SETTLED = 0.02
"""Of the way to the next curve: so far from a corner two neighbours that want different twists there are met halfway."""
Pair = tuple["NetSide | None", "NetSide | None"]


@dataclass(frozen=True, eq=False)
class NetSide:
    """What a net is to go on from at a side: how the other skin goes on over it (`beyond`: direction and curvature (n, 3) each, at
    places (n,) along the side), and how many derivatives across are `given`."""

    beyond: Beyond
    given: Given


@dataclass(frozen=True, eq=False)
class _WayAlong:
    """What is known of the way along a pair of sides: the functions of the `curves` that arrive there, where what is added is less smooth, and how
    many derivatives are `done` already at the sides at its two ends, and stay."""

    curves: Blend
    joins: Joins
    done: tuple[Given, Given]


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
        sheet = _ends_turned(sheet, pairs[0], across[0], _WayAlong(along[0], joins[0], (0, 0)), tolerance)
    if any(pairs[1]):
        done = across[0].first, across[0].last
        made = _ends_turned(swapped(sheet), pairs[1], across[1], _WayAlong(along[1], joins[1], done), tolerance)
        sheet = replace(swapped(made), corners=sheet.corners)
    return sheet


def _courses(places: Array, pair: Pair) -> Blend:
    """The functions by which what is added at a side fades out, nought where the net's curves lie."""
    first, last = (side.given if side else 0 for side in pair)
    return blend(places, first, last, ring=bool(places[-1] < 1.0))


def _joins(own: Basis, other: Blend) -> dict[float, int]:
    """Where what is added along a side is less smooth: where the curves are, and where what is added at the sides beside it is."""
    inner = other.basis.breaks[1:-1]
    return {**dict.fromkeys(inner.tolist(), 2), **joins_beside(own)}


def _ends_turned(sheet: SkinSheet, pair: Pair, across: Blend, along: _WayAlong, tolerance: float) -> SkinSheet:
    """The sheet, turned, and then bent, at its first and last side."""
    for order in (1, 2):
        added = list[tuple[Basis, Array, Array]]()
        for end, side in enumerate(pair):
            if side is not None and side.given >= order:
                course = across.weights[:, len(across.levels) + end * across.first + order - 1]
                near = tolerance / float(np.abs(course).max())
                added.append((*_missing(sheet, float(end), side, order, along, near), course))
        sheet = with_vectors(sheet, across.basis, added) if added else sheet
    return sheet


def _missing(
    sheet: SkinSheet, at: float, side: NetSide, order: int, along: _WayAlong, tolerance: float
) -> tuple[Basis, Array]:
    """What a derivative across lacks, square to the neighbour, all along a side: its basis and control points (n, 3). It is nought where the curves
    of the net arrive, and so are as many of its derivatives at its ends as are done there."""
    lacks = partial(lacking, sheet, at, side.beyond, order)
    basis, control = vectors_along(lacks, along.joins, sheet.u.periodic, tolerance)
    curves, levels = along.curves, along.curves.levels
    parts = [(basis, control), (curves.basis, -curves.weights @ (basis.matrix(levels) @ control))]
    for end, orders in enumerate(along.done):
        for derivative in range(1, orders + 1):
            rate = sum(b.matrix(np.array([float(end)]), derivative) @ c for b, c in parts[:2])
            ending_at, course = ending(SETTLED * float(np.diff(levels)[-end]), end, derivative)
            parts.append((ending_at, -course[:, None] * rate))
    both = union([basis for basis, _ in parts], DEGREE)
    return both, np.sum([said_in(both, *part) for part in parts], axis=0)
