"""Sections wrapped on cylinders about an axis, as screw and fan blades are set out.

The body is made flat, its sections in parallel planes; each is then laid on the cylinder about the axis whose radius is the
distance of its plane. Along the axis and round the cylinder lengths stay as they were drawn, so sections keep their areas.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.correspond import Correspondence
from isotomon.geometry.basis import Basis

FINER = 3
"""A bent section needs a finer basis than a flat one: each span is cut in so many."""


@dataclass(frozen=True)
class Wrap:
    """The axis: it crosses Z at `height` (mm) along `way`, (x, y) of length 1."""

    way: tuple[float, float]
    height: float

    def laid(self, flat: Array, slopes: Array | None = None) -> tuple[Array, Array]:
        """Points (..., 3) of the flat body laid on their cylinders, and vectors there carried along."""
        way = np.array(self.way)
        side = np.array([way[1], -way[0]])
        along, round_, r = flat[..., :2] @ way, flat[..., :2] @ side, flat[..., 2] - self.height
        turn = round_ / r
        c, s = np.cos(turn), np.sin(turn)
        points = np.concatenate(
            [along[..., None] * way + (r * s)[..., None] * side, (self.height + r * c)[..., None]], axis=-1
        )
        if slopes is None:
            return points, points
        da, db, dr = slopes[..., :2] @ way, slopes[..., :2] @ side, slopes[..., 2]
        dt = (db - turn * dr) / r
        plane = da[..., None] * way + (dr * s + r * c * dt)[..., None] * side
        return points, np.concatenate([plane, (dr * c - r * s * dt)[..., None]], axis=-1)

    def flattened(self, points: Array) -> Array:
        """What `laid` does taken back: points (..., 3) of space in the flat body's."""
        way = np.array(self.way)
        side = np.array([way[1], -way[0]])
        along, across, up = points[..., :2] @ way, points[..., :2] @ side, points[..., 2] - self.height
        r, turn = np.hypot(across, up), np.arctan2(across, up)
        flat = along[..., None] * way + (r * turn)[..., None] * side
        return np.asarray(np.concatenate([flat, (self.height + r)[..., None]], axis=-1))

    def check(self, flat: Array) -> None:
        """Raises: FieldError, for a body that reaches its axis, or further round it than once."""
        r = flat[..., 2] - self.height
        if not r.min() > 0.0:
            raise FieldError("wrapped stations must stand on cylinders of some radius, all on one side of the axis")
        way = np.array(self.way)
        if np.abs(flat[..., :2] @ np.array([way[1], -way[0]]) / r).max() > 0.95 * np.pi:
            raise FieldError("a wrapped profile reaches round its whole cylinder; make it smaller or the radius larger")


def finer(common: Correspondence) -> Correspondence:
    """The same sections in a basis fine enough to be bent."""
    lanes, blocks, column = [], [], 0
    for lane in common.lanes:
        basis = _finer_basis(lane.basis)
        lanes.append(replace(lane, basis=basis, columns=slice(column, column + basis.size)))
        old = common.control[:, lane.columns]
        sites = basis.greville()
        values = np.einsum("sc,ocx->osx", lane.basis.matrix(sites), old)
        blocks.append(np.linalg.solve(basis.matrix(sites)[None], values))
        column += basis.size
    if not lanes[0].basis.periodic:
        for here, after in zip(blocks, [*blocks[1:], blocks[0]], strict=True):
            after[:, 0] = here[:, -1]
    return replace(common, lanes=tuple(lanes), control=np.concatenate(blocks, axis=1))


def _finer_basis(basis: Basis) -> Basis:
    share = np.arange(FINER) / FINER
    inner = (basis.breaks[:-1, None] + np.diff(basis.breaks)[:, None] * share).ravel()
    times = np.ones(len(inner) + 1, dtype=np.int64)
    times[::FINER] = basis.multiplicity
    return Basis(basis.degree, np.r_[inner, 1.0], times, basis.periodic)


@lru_cache(maxsize=16)
def _bender(common: Correspondence) -> tuple[Array, Array]:
    """(sites, control) matrix that samples all lanes at their Greville sites, and its inverse."""
    size = common.size
    forth, back = np.zeros((size, size)), np.zeros((size, size))
    for lane in common.lanes:
        matrix = lane.basis.matrix(lane.basis.greville())
        forth[lane.columns, lane.columns] = matrix
        back[lane.columns, lane.columns] = np.linalg.inv(matrix)
    return forth, back


def bent(common: Correspondence, wrap: Wrap, control: Array, slopes: Array) -> tuple[Array, Array]:
    """Control points and slopes (n_v, n, 3) of flat sections → those of the sections on their cylinders."""
    forth, back = _bender(common)
    flat = np.matmul(forth, control)
    wrap.check(flat)
    points, vectors = wrap.laid(flat, np.matmul(forth, slopes))
    return np.matmul(back, points), np.matmul(back, vectors)
