"""A skin that is known place by place, as a B-spline."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.basis import Basis, fit

Places = Callable[[Array, Array], Array]
"""(n_u, n_v, 3) mm at every u (n_u,) and v (n_v,)."""
LINES, TRIES = 9, 3
"""Lines across of which the basis along v is found, at first; how often more are taken where these did not say enough."""
PROBES = 3
"""Places in each span at which the skin is looked at afterwards."""


def joins_of(basis: Basis) -> dict[float, int]:
    """Where a basis is less smooth than one of degree 5 with simple breaks is, and how many derivatives go on there."""
    order = basis.degree - basis.multiplicity
    return {float(u): int(k) for u, k in zip(basis.breaks[1:-1], order[1:-1], strict=True) if k < 4}


def fit_sheet(
    places: Places, joins_u: Mapping[float, int], joins_v: Mapping[float, int], tolerance: float, closed_u: bool = False
) -> SkinSheet:
    """The quintic skin within `tolerance` (mm) of the places, less smooth only at the joins; smooth all round where `closed_u`.

    Raises: FieldError, where that takes too many spans.
    """
    lines = LINES
    for _ in range(TRIES):
        made = _fitted(places, joins_u, joins_v, tolerance / 4.0, closed_u, lines)
        if _miss(made, places) <= tolerance:
            return made
        lines = 3 * lines
    raise FieldError("the skin is not smooth enough to be followed; let its curves be smoother")


def _fitted(
    places: Places,
    joins_u: Mapping[float, int],
    joins_v: Mapping[float, int],
    tolerance: float,
    closed_u: bool,
    lines: int,
) -> SkinSheet:
    """Along v first, of some lines; then along u, of all lines through the sites along v."""
    some = np.union1d(np.linspace(0.0, 1.0, lines), list(joins_u))
    try:
        v, _ = fit(lambda t: places(some, t).transpose(1, 0, 2).reshape(len(t), -1), tolerance, joins=joins_v)
        sites = v.greville()
        u, rows = fit(lambda t: places(t, sites).reshape(len(t), -1), tolerance, joins=joins_u, periodic=closed_u)
    except KnotError as error:
        raise FieldError(f"the skin cannot be followed: {error}") from None
    columns = rows.reshape(u.size, len(sites), 3).transpose(1, 0, 2).reshape(len(sites), -1)
    control = v.through(v.sparse(sites), columns)
    return SkinSheet(u, v, control.reshape(v.size, u.size, 3).transpose(1, 0, 2))


def _miss(sheet: SkinSheet, places: Places) -> float:
    """mm: the largest distance at places between those that were used."""
    share = (np.arange(PROBES) + 0.5) / PROBES
    u, v = ((b.breaks[:-1, None] + np.diff(b.breaks)[:, None] * share).ravel() for b in (sheet.u, sheet.v))
    return float(np.abs(sheet.grid(u, v) - places(u, v)).max())
