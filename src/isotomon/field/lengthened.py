"""A sheet that goes on over one of its sides: straight, or with the curvature that it has there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import Side, SkinSheet, said_in, union

GoingOn = Literal["straight", "curved"]
MOST_TURN = np.pi
"""rad: a skin that goes on with its curvature turns no further."""


def gone_on(beyond: Callable[[Array], tuple[Array, Array]], how: GoingOn) -> Callable[[Array, Array, Array], Array]:
    """What takes places (n, 3) on an edge at parameters (n,) over it, by each of some lengths (m,): (n, m, 3) mm.

    Raises: FieldError, for a skin that would come round.
    """

    def reach(places: Array, t: Array, lengths: Array) -> Array:
        direction, bend = beyond(t)
        straight = places[:, None] + lengths[None, :, None] * direction[:, None]
        if how == "straight":
            return straight
        strong = np.linalg.norm(bend, axis=1)
        turn = strong[:, None] * lengths
        if turn.max() > MOST_TURN:
            raise FieldError(
                "the skin bends so tightly at that side that it would come round; lengthen it by less, or straight"
            )
        # Along the arc of the circle that the skin has there; sin x / x and (1 - cos x) / x, also where it is flat.
        along, side = np.sinc(turn / np.pi), np.sin(turn / 2.0) * np.sinc(turn / (2.0 * np.pi))
        towards = bend / np.maximum(strong, 1e-300)[:, None]
        arc = along[..., None] * direction[:, None] + side[..., None] * towards[:, None]
        return np.asarray(places[:, None] + lengths[None, :, None] * arc)

    return reach


def lengthened(sheet: SkinSheet, side: Side, by: float, how: GoingOn, tolerance: float) -> SkinSheet:
    """The sheet gone on over a side, by a length (mm) more than nought.

    Raises: FieldError, for a side at which it closes or comes to a point.
    """
    if side in ("start", "end"):
        return _swapped(lengthened(_swapped(sheet), "first" if side == "start" else "last", by, how, tolerance))
    if sheet.closed[1]:
        raise FieldError("the skin closes at that side; choose another")
    edge = sheet.grid(np.linspace(0.0, 1.0, 33), np.array([1.0 if side == "last" else 0.0]))
    if np.ptp(edge, axis=0).max() < tolerance:
        raise FieldError("the skin comes to a point at that side; choose another")
    own = float(
        np.linalg.norm(np.diff(sheet.grid(np.linspace(0.0, 1.0, 9), np.linspace(0.0, 1.0, 33)), axis=1), axis=2)
        .sum(axis=1)
        .mean()
    )
    part = own / (own + by)  # of the new sheet's v that is the old one
    reach, at_end = gone_on(lambda t: sheet.beyond(side, t), how), side == "last"

    def places(u: Array, v: Array) -> Array:
        along = v if at_end else 1.0 - v
        old, new = along <= part, along > part
        found = np.empty((len(u), len(v), 3))
        if old.any():
            share = along[old] / part
            found[:, old] = sheet.grid(u, share if at_end else 1.0 - share)
        if new.any():
            begin = sheet.grid(u, np.array([1.0 if at_end else 0.0]))[:, 0]
            found[:, new] = reach(begin, u, by * (along[new] - part) / (1.0 - part))
        return found

    order = 1 if how == "straight" else 2
    inner = {(p * part if at_end else 1.0 - (1.0 - p) * part): k for p, k in joins_of(sheet.v).items()}
    joins = {**inner, (part if at_end else 1.0 - part): order}
    less = {p: max(k - 1, 0) if k < 4 else k for p, k in joins_of(sheet.u).items()}
    made = fit_sheet(places, less, joins, tolerance, sheet.u.periodic)
    return replace(made, corners=sheet.corners)


def _swapped(sheet: SkinSheet) -> SkinSheet:
    """The same with u and v exchanged, so that its normals point to the other side. What closes smoothly along u does so no more."""
    control = sheet.control
    u = sheet.u
    if u.periodic:
        plain = union([u], u.degree, periodic=False)
        control, u = said_in(plain, u, control), plain
    return SkinSheet(sheet.v, u, control.transpose(1, 0, 2))
