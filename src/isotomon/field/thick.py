"""A sheet given a thickness: the parallel skins at its sides, at true distance along the normals, and the rims between."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache, partial

import numpy as np
from scipy.interpolate import PchipInterpolator

from isotomon.arrays import Array
from isotomon.errors import FieldError, FoldError
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import SkinSheet, said_in, union
from isotomon.field.sheet_mesh import looked_at
from isotomon.geometry.basis import Basis
from isotomon.geometry.curvature import Curvature, curvature_from
from isotomon.geometry.patch import Patch

SEEN_U, SEEN_V = 61, 41
"""Places at which it is looked for folds."""
SURELY = 0.98
"""The share of the greatest thickness that does not fold that is offered."""
FLAT_POLE = 1e-6
"""rad: normals round a point at which a skin comes together differ by no more, else it has no side there."""


@dataclass(frozen=True, eq=False)
class Thick:
    """A `sheet` between two parallel skins: `before` and `behind` it, mm at even places along v (n,) or everywhere (1,), in the direction
    of its normals both (so that what lies behind has negative ones)."""

    sheet: SkinSheet
    before: Array
    behind: Array
    tolerance: float

    @cached_property
    def sides(self) -> tuple[SkinSheet, SkinSheet]:
        """The skin that is before the sheet, and that behind it, in common bases.

        Raises: FieldError, where one folds.
        """
        made = [parallel_sheet(self.sheet, away, self.tolerance) for away in (self.before, self.behind)]
        u = union([s.u for s in made], 5)
        v = union([s.v for s in made], 5)
        said = [said_in(u, s.u, s.control) for s in made]
        controls = [said_in(v, s.v, c.transpose(1, 0, 2)).transpose(1, 0, 2) for s, c in zip(made, said, strict=True)]
        first, second = (SkinSheet(u, v, control, self.sheet.corners) for control in controls)
        return first, second

    def patches(self, name: str) -> list[Patch]:
        """The faces that bound it: the skins at both sides, and the rims where the sheet ends."""
        first, second = self.sides
        made = [*first.patches(name), *second.patches(f"other side of {name}")]
        round_u, round_v = self.sheet.closed
        if not round_v:
            made += self._rim(first.u, first.control[:, 0], second.control[:, 0], f"rim of {name} first")
            made += self._rim(first.u, first.control[:, -1], second.control[:, -1], f"rim of {name} last")
        if not round_u:
            made += self._rim(first.v, first.control[0], second.control[0], f"rim of {name} start")
            made += self._rim(first.v, first.control[-1], second.control[-1], f"rim of {name} end")
        return made

    def _rim(self, basis: Basis, one: Array, other: Array, name: str) -> list[Patch]:
        """Straight from skin to skin along a side; none where the skin comes to a point."""
        control = np.stack([one, other], axis=1)
        if np.ptp(control, axis=0).max() < self.tolerance:
            return []
        straight = Basis(1, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False)
        return [
            replace(p, name=name if k == 0 else f"{name} {k + 1}")
            for k, p in enumerate(SkinSheet(basis, straight, control).patches(name))
        ]

    def grids(self, moving: bool) -> tuple[Array, ...]:
        """Its faces as they are looked at, outside out; the parallel skins place by place, without being fitted."""
        u, v = looked_at(self.sheet.u, moving), looked_at(self.sheet.v, moving)
        for away in (self.before, self.behind):
            check_folds(self.sheet, away)
        first, second = (_moved(self.sheet, away, u, v) for away in (self.before, self.behind))
        made = [first[::-1], second]
        round_u, round_v = self.sheet.closed
        if not round_v:
            made += [np.stack([first[:, 0], second[:, 0]], axis=1), np.stack([second[:, -1], first[:, -1]], axis=1)]
        if not round_u:
            made += [np.stack([second[0], first[0]], axis=1), np.stack([first[-1], second[-1]], axis=1)]
        return tuple(made)

    def said(self) -> tuple[object, ...]:
        """What it is of its sheet."""
        return ("thick", self.before.tobytes(), self.behind.tobytes())


def parallel_sheet(sheet: SkinSheet, away: Array, tolerance: float) -> SkinSheet:
    """The parallel skin, `away` mm before it: at even places along v (n,), or everywhere (1,).

    Raises: FieldError, where it folds.
    """
    if not away.any():
        return sheet
    check_folds(sheet, away)
    u, v = joins_of(sheet.u), joins_of(sheet.v)
    # Normals have one derivative less than the skin.
    less_u, less_v = ({place: max(order - 1, 0) for place, order in joins.items()} for joins in (u, v))
    return fit_sheet(partial(_moved, sheet, away), less_u, less_v, tolerance, sheet.u.periodic)


def _moved(sheet: SkinSheet, away: Array, u: Array, v: Array) -> Array:
    return np.asarray(sheet.grid(u, v) + distance(away, v)[None, :, None] * whole_normals(sheet, u, v))


def distance(away: Array, v: Array) -> Array:
    """(n,) mm at places along v, of what is given at even ones or everywhere."""
    if len(away) == 1:
        return np.full(len(v), away[0])
    return np.asarray(PchipInterpolator(np.linspace(0.0, 1.0, len(away)), away)(v))


def whole_normals(sheet: SkinSheet, u: Array, v: Array) -> Array:
    """(n_u, n_v, 3) of length 1, also where the skin comes to a point, from beside it.

    Raises: FieldError, for a point in which the normals round it do not agree.
    """
    normals = sheet.normals(u, v)
    bare = np.asarray(~normals.any(axis=2))
    if not bare.any():
        return normals
    inner = 1e-6
    near = sheet.normals(np.clip(u, inner, 1.0 - inner), np.clip(v, inner, 1.0 - inner))
    for axis in (0, 1):
        for row in np.flatnonzero(np.all(bare, axis=1 - axis)):
            around = np.take(near, row, axis=axis)
            if np.ptp(around, axis=0).max() > FLAT_POLE:
                raise FieldError("the skin comes to a point in which it has no one direction; let it end before that")
    return np.where(bare[..., None], near, normals)


def curvature_of(sheet: SkinSheet, u: Array, v: Array) -> Curvature:
    """(n_u, n_v) each, of a sheet at every u and v."""
    orders = ((1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
    return curvature_from(*(sheet.grid(u, v, *order) for order in orders))


@lru_cache(maxsize=8)
def _seen_curvature(sheet: SkinSheet) -> Curvature:
    """Where it is looked for folds; known for all thicknesses of a sheet."""
    return curvature_of(sheet, np.linspace(0.0, 1.0, SEEN_U), np.linspace(0.0, 1.0, SEEN_V))


def check_folds(sheet: SkinSheet, away: Array) -> None:
    """Raises: FoldError, with the place and the share of the distance that fits, where a parallel skin turns back on itself: its distance exceeds
    the radius to which the skin bends on that side."""
    u, v = np.linspace(0.0, 1.0, SEEN_U), np.linspace(0.0, 1.0, SEEN_V)
    bends = _seen_curvature(sheet)
    root = np.sqrt(np.maximum(bends.mean**2 - bends.gauss, 0.0))
    far = distance(away, v)[None]
    # A bulge counts as positive: what lies before the skin folds where that is hollow.
    bent = np.nan_to_num(np.where(far > 0.0, root - bends.mean, root + bends.mean)) * np.abs(far)
    worst = np.unravel_index(int(bent.argmax()), bent.shape)
    if bent[worst] < 1.0:
        return
    place = sheet.grid(u[worst[0] : worst[0] + 1], v[worst[1] : worst[1] + 1])[0, 0]
    share = SURELY / float(bent[worst])
    error = FoldError("the skin bends more tightly than it is to be thick, so that its other side folds", share)
    error.place = (float(place[0]), float(place[1]), float(place[2]))
    raise error
