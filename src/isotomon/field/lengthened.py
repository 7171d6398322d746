"""A sheet that goes on over one of its sides: straight, or with the curvature that it has there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import Side, SkinSheet
from isotomon.field.side_joins import swapped
from isotomon.geometry.planar import cross3

GoingOn = Literal["straight", "curved"]
LEAST_SLANT = 0.2
"""What arrives at the side at a lesser sine is lengthened as if it did so at that."""
STRAIGHT = 1e-7
"""Of the first derivative: lines whose second one is no more are straight."""
MOST_TURN = np.pi
"""rad: a skin that goes on with its curvature turns no further."""


@dataclass(frozen=True, eq=False)
class _Over:
    """How a sheet goes on over its first or last side at places u (n,): `direction` (n, 3) of length 1 in which its other lines arrive, `bend`
    (n, 3) 1/mm its normal curvature that way, `speed` (n,) mm by v, and `slant` (n,) the sine at which it is to the side."""

    direction: Array
    bend: Array
    speed: Array
    slant: Array


def _over(sheet: SkinSheet, u: Array, level: float) -> _Over:
    at, sign = np.full(len(u), level), 1.0 if level else -1.0
    along, out = sheet.at(u, at, 1, 0), sign * sheet.at(u, at, 0, 1)
    square = cross3(along, out)
    length, speed = (np.maximum(np.linalg.norm(way, axis=1), 1e-300) for way in (along, out))
    size = np.maximum(np.linalg.norm(square, axis=1), 1e-300)
    normal = square / size[:, None]
    bend = np.sum(sheet.at(u, at, 0, 2) * normal, axis=1) / speed**2
    return _Over(out / speed[:, None], bend[:, None] * normal, speed, size / (length * speed))


def _gone_on(over: _Over, lengths: Array, how: GoingOn) -> Array:
    """(n, m, 3) mm by which places on the side have moved on after lengths (n, m).

    Raises: FieldError, for a skin that would come round.
    """
    if how == "straight":
        return np.asarray(lengths[..., None] * over.direction[:, None])
    strong = np.linalg.norm(over.bend, axis=1)
    turn = strong[:, None] * lengths
    if turn.max() > MOST_TURN:
        raise FieldError(
            "the skin bends so tightly at that side that it would come round; lengthen it by less, or straight"
        )
    # Along the arc of the circle that the skin has there; sin x / x and (1 - cos x) / x, also where it is flat.
    along, side = lengths * np.sinc(turn / np.pi), lengths * np.sin(turn / 2.0) * np.sinc(turn / (2.0 * np.pi))
    towards = over.bend / np.maximum(strong, 1e-300)[:, None]
    return np.asarray(along[..., None] * over.direction[:, None] + side[..., None] * towards[:, None])


Lengths = Callable[[Array, Array], Array]
"""How far (n,) mm straight lines go on from points (n, 3) in directions (n, 3) of length 1."""


def lengthened(sheet: SkinSheet, side: Side, by: float | Lengths, how: GoingOn, tolerance: float) -> SkinSheet:
    """The sheet gone on over a side, by a length (mm) more than nought, square to that, or as far as each of its lines goes; the sides beside it go on
    as they arrive.

    Raises: FieldError, for a side at which it closes or comes to a point, or from which it does not go on to where it should.
    """
    if side in ("start", "end"):
        return swapped(lengthened(swapped(sheet), "first" if side == "start" else "last", by, how, tolerance))
    at_end = side == "last"
    level = np.array([1.0 if at_end else 0.0])
    _check_side(sheet, level, tolerance)

    def whole(u: Array, over: _Over) -> Array:
        if callable(by):
            return by(sheet.grid(u, level)[:, 0], over.direction)
        return np.asarray(by / np.maximum(over.slant, LEAST_SLANT))

    looked = np.linspace(0.0, 1.0, 65)
    arrives = _over(sheet, looked, float(level[0]))
    ahead = whole(looked, arrives) / arrives.speed
    if ahead.min() <= 0.0:
        raise FieldError(
            "what it is to come up to lies behind the side, or on it; choose another side, or trim the skin"
        )
    # Of the new sheet's v that is the old one: no line goes on more slowly than it arrives.
    part = 1.0 / (1.0 + float(ahead.min()))

    def places(u: Array, v: Array) -> Array:
        along = v if at_end else 1.0 - v
        old, new = along <= part, along > part
        found = np.empty((len(u), len(v), 3))
        if old.any():
            share = along[old] / part
            found[:, old] = sheet.grid(u, share if at_end else 1.0 - share)
        if new.any():
            over, share = _over(sheet, u, float(level[0])), (along[new] - part) / (1.0 - part)
            lines = whole(u, over)
            # It sets out as fast as it arrives, and keeps to that for a while: straight lines run on as if they were longer.
            begin = over.speed * (1.0 - part) / part
            lengths = begin[:, None] * share + (lines - begin)[:, None] * share**4
            found[:, new] = sheet.grid(u, level) + _gone_on(over, lengths, how)
        return found

    inner = {(p * part if at_end else 1.0 - (1.0 - p) * part): k for p, k in joins_of(sheet.v).items()}
    joins = {**inner, (part if at_end else 1.0 - part): 3 if how == "straight" and _is_straight(sheet, side) else 1}
    less = {p: max(k - 1, 0) if k < 4 else k for p, k in joins_of(sheet.u).items()}
    made = fit_sheet(places, less, joins, tolerance, sheet.u.periodic)
    return replace(made, corners=sheet.corners)


def _check_side(sheet: SkinSheet, level: Array, tolerance: float) -> None:
    """Raises: FieldError, for a side at which the sheet closes or comes to a point."""
    if sheet.closed[1]:
        raise FieldError("the skin closes at that side; choose another")
    if np.ptp(sheet.grid(np.linspace(0.0, 1.0, 33), level), axis=0).max() < tolerance:
        raise FieldError("the skin comes to a point at that side; choose another")


def _is_straight(sheet: SkinSheet, side: Side) -> bool:
    """Whether the lines that arrive at the first or last side are straight there."""
    u, level = np.linspace(0.0, 1.0, 33), np.full(33, 1.0 if side == "last" else 0.0)
    speed, bends = (np.linalg.norm(sheet.at(u, level, 0, order), axis=1) for order in (1, 2))
    return bool(np.all(bends < STRAIGHT * speed))
