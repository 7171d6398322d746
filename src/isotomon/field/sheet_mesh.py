"""The display mesh of a sheet, straight from arrays."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array

from isotomon.arrays import Array, Index
from isotomon.field.mesh import Sampling, SkinMesh
from isotomon.field.sheet import SkinSheet
from isotomon.field.trims import Trim
from isotomon.geometry.basis import Basis
from isotomon.geometry.planar import cross3

MOST, LEAST = 97, 13
"""Places at which a smooth run is looked at."""
EACH = 4
"""Places a span, if that is between these."""
STEP = 0.03
"""Of a trimmed sheet's rectangle: so far apart are the places at which it is looked at."""
INSIDE = 1e-9
"""So far inside a run its ends are looked at, so that the skin beyond a crease has no part in its normals."""


def sheet_mesh(sheet: SkinSheet, moving: bool = False, finer: int = 1) -> SkinMesh:
    """A sheet at places crowded where its knots crowd; at fewer while something is `moving`, at `finer` times as many each way to be measured. Creases
    are looked at from both sides."""
    (u, lane), (v, _) = _places(sheet.u, moving, finer), _places(sheet.v, moving, finer)
    points = sheet.grid(u, v).transpose(1, 0, 2)
    normals = _whole(sheet.normals(u, v)).transpose(1, 0, 2)
    pairs = np.stack([np.arange(len(u) - 1), np.arange(1, len(u))], axis=1)
    empty = csr_array((len(u), sheet.u.size))
    samples = Sampling(
        value=sheet.u.sparse(u),
        slope=sheet.u.sparse(u, 1),
        bend=sheet.u.sparse(u, 2) if sheet.u.degree > 1 else empty,
        lane=lane,
        quads=pairs[lane[:-1] == lane[1:]],
        outline=np.arange(len(u)),
        open=True,
        holes=(),
        crisp=np.ones(int(lane[-1]) + 1, dtype=bool),
    )
    return SkinMesh(v, points, normals, samples)


def step_of(moving: bool) -> float:
    """How far apart the places are at which a trimmed sheet is looked at, of its rectangle."""
    return 2.0 * STEP if moving else STEP


def trimmed_mesh(sheet: SkinSheet, trim: Trim, moving: bool = False, finer: int = 1) -> SkinMesh:
    """What of a sheet lies within a run, as triangles; fewer while something is `moving`, `finer` times smaller ones to be measured."""
    places, cells, runs = trim.triangles(step_of(moving) / finer)
    u, v = places.T
    across = cross3(sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1))
    normals = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-300)
    nothing, empty = np.zeros(len(u), dtype=np.int64), csr_array((len(u), 1))
    samples = Sampling(
        value=empty,
        slope=empty,
        bend=empty,
        lane=nothing,
        quads=np.zeros((0, 2), dtype=np.int64),
        outline=runs[0],
        open=False,
        holes=tuple(runs[1:]),
        crisp=np.ones(1, dtype=bool),
    )
    return SkinMesh(np.zeros(1), sheet.at(u, v)[None], normals[None], samples, cells=cells)


def looked_at(basis: Basis, moving: bool) -> Array:
    """(n,) where a direction is looked at."""
    return _places(basis, moving)[0]


def _places(basis: Basis, moving: bool, finer: int = 1) -> tuple[Array, Index]:
    """Where a direction is looked at (n,), and the number of the smooth run that each place belongs to."""
    every = 2 if moving else 1
    places, lane = list[Array](), list[int]()
    for k, (low, high) in enumerate(basis.runs):
        count = min(max(EACH * (high - low), LEAST), MOST) * finer // every + 1
        if basis.degree == 1:
            count = 2
        share = np.interp(np.linspace(0.0, high - low, count), np.arange(high - low + 1), basis.breaks[low : high + 1])
        share[[0, -1]] += np.array([INSIDE, -INSIDE])
        places.append(share)
        lane += [k] * count
    return np.concatenate(places), np.array(lane)


def _whole(normals: Array) -> Array:
    """Normals (n_u, n_v, 3); where the skin comes to a point, that of the next place with one."""
    for axis in (0, 1):
        rows = np.moveaxis(normals, axis, 0)
        for row, beside in ((0, 1), (-1, -2)):
            bare = ~rows[row].any(axis=1)
            rows[row][bare] = rows[beside][bare]
    return normals
