"""Sheets made other ones: smoothed, or moved in part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import Side, SkinSheet
from isotomon.geometry.basis import Basis, make_basis

SPANS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32)
"""Into so many, each way, a smoothed skin goes: as few as do."""
SEEN = 8
"""Places in each span of the skin, and at least so many times the spans it is to have, at which it is followed."""
ENDS = 100.0
"""So much more its ends count than what lies between."""


def smoothed(sheet: SkinSheet, within: float) -> SkinSheet:
    """The sheet in as few even spans as leave it by no more than a length (mm), smooth throughout.

    Raises: FieldError, where that takes too many.
    """
    round_u, round_v = sheet.closed
    u, v = (_looked(basis) for basis in (sheet.u, sheet.v))
    grid = sheet.grid(u, v)
    first, along = _followed(u, grid.reshape(len(u), -1), round_u, within / 2.0)
    rows = along.reshape(first.size, len(v), 3).transpose(1, 0, 2).reshape(len(v), -1)
    second, control = _followed(v, rows, False, within / 2.0)
    made = control.reshape(second.size, first.size, 3).transpose(1, 0, 2)
    if round_v:
        made[:, [0, -1]] = (made[:, :1] + made[:, -1:]) / 2.0
    return SkinSheet(first, second, made)


def _looked(basis: Basis) -> Array:
    """Places at which a sheet is followed along one of its directions."""
    inner = np.interp(np.arange((len(basis.breaks) - 1) * SEEN + 1) / SEEN, np.arange(len(basis.breaks)), basis.breaks)
    return np.union1d(inner, np.linspace(0.0, 1.0, SEEN // 2 * SPANS[-1] + 1))


def _followed(t: Array, values: Array, closed: bool, within: float) -> tuple[Basis, Array]:
    """The coarsest even basis in which values (n, k) at places (n,) are followed within a length, and the control points (m, k)."""
    weight = np.gradient(t) ** 0.5
    weight[[0, -1]] *= ENDS
    for count in SPANS:
        basis = make_basis(5, np.linspace(0.0, 1.0, count + 1), periodic=closed and count >= 6)
        if closed and not basis.periodic:
            continue
        rows = basis.matrix(t)
        control = np.linalg.lstsq(weight[:, None] * rows, weight[:, None] * values, rcond=None)[0]
        off = (rows @ control - values).reshape(len(t), -1, 3)
        if np.linalg.norm(off, axis=2).max() <= within:
            return basis, control
    raise FieldError(f"the skin cannot be smoothed within {2.0 * within:.4g} mm; let it leave what it is by more")


def side_moved(sheet: SkinSheet, side: Side, by: Array, reach: float, tolerance: float) -> SkinSheet:
    """The sheet with a side moved `by` (3,) mm; what is nearer to it than `reach` (mm) follows, ever less, and goes on smoothly.

    Raises: FieldError, where it closes at that side.
    """
    part, along_v = reach_share(sheet, side, reach), side in ("first", "last")
    at_end = side in ("last", "end")

    def share(u: Array, v: Array) -> Array:
        t = v if along_v else u
        fading = _fading((1.0 - t if at_end else t) / part)
        return np.broadcast_to(fading[None, :] if along_v else fading[:, None], (len(u), len(v)))

    join = {1.0 - part if at_end else part: 2} if part < 1.0 else {}
    return _moved(sheet, share, by, ({} if along_v else join, join if along_v else {}), tolerance)


def reach_share(sheet: SkinSheet, side: Side, reach: float) -> float:
    """How much of the way across from a side, of 1, lies within a reach of it (mm; nought: all).

    Raises: FieldError, where the sheet closes at that side.
    """
    across = 1 if side in ("first", "last") else 0
    if sheet.closed[across]:
        raise FieldError("the skin closes at that side; choose another")
    t = np.linspace(0.0, 1.0, 33)
    lengths = np.linalg.norm(np.diff(sheet.grid(t, t), axis=across), axis=2).sum(axis=across)
    return float(min(reach / lengths.mean(), 1.0)) if reach else 1.0


def place_moved(sheet: SkinSheet, place: tuple[float, float], by: Array, reach: float, tolerance: float) -> SkinSheet:
    """The sheet with its place at (u, v) moved `by` (3,) mm; what is nearer to it than `reach` (mm) follows, ever less; its sides stay.

    Raises: FieldError, for a place at a side.
    """
    near = min((min(p, 1.0 - p) for p, round_ in zip(place, sheet.closed, strict=True) if not round_), default=1.0)
    if not near > 1e-6:
        raise FieldError("the place lies at a side, which stays; move the side, or a place within")
    middle = sheet.grid(np.array([place[0]]), np.array([place[1]]))[0, 0]

    def share(u: Array, v: Array) -> Array:
        far = np.linalg.norm(sheet.grid(u, v) - middle, axis=2)
        inner = np.ones((len(u), len(v)))
        for t, at, round_, shape in ((u, place[0], sheet.closed[0], (-1, 1)), (v, place[1], sheet.closed[1], (1, -1))):
            if not round_:
                aside = np.where(t < at, (at - t) / at, (t - at) / (1.0 - at))
                inner = inner * _fading(aside).reshape(shape)
        return inner * _fading(far / reach)

    return _moved(sheet, share, by, ({place[0]: 2}, {place[1]: 2}), tolerance)


def _fading(far: Array) -> Array:
    """From 1 at nought to 0 at one and beyond, with neither slope nor bend at either."""
    t = np.clip(far, 0.0, 1.0)
    return np.asarray(1.0 - t**3 * (10.0 - 15.0 * t + 6.0 * t * t))


def _moved(
    sheet: SkinSheet,
    share: Callable[[Array, Array], Array],
    by: Array,
    joins: tuple[dict[float, int], dict[float, int]],
    tolerance: float,
) -> SkinSheet:
    """The sheet moved by a share of a way, from place to place."""
    own_u, own_v = ({**more, **joins_of(basis)} for basis, more in zip((sheet.u, sheet.v), joins, strict=True))
    made = fit_sheet(
        lambda u, v: sheet.grid(u, v) + share(u, v)[..., None] * by, own_u, own_v, tolerance, sheet.u.periodic
    )
    return replace(made, corners=sheet.corners)
