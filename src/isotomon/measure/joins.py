"""How the faces of a body meet: gap, angle and step in curvature along every border, measured on the faces themselves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import BSpline

from isotomon.arrays import Array
from isotomon.geometry.basis import Basis
from isotomon.geometry.patch import Patch
from isotomon.geometry.planar import cross3

PLACES = 41
SMOOTH = np.radians(0.05)
"""Faces that meet at a smaller angle than this are one smooth skin, of which a step in curvature can be told."""


@dataclass(frozen=True)
class Joint:
    """Where two faces meet: the most they are apart (mm), the least and greatest angle between their normals (rad), the
    greatest step in curvature across the border (1/mm; None at a crisp edge), and the place of the greatest angle."""

    first: str
    second: str
    gap: float
    least: float
    angle: float
    step: float | None
    place: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class _Side:
    """A patch along one of its borders: points, normals, and second fundamental form with first derivatives (n, ...)."""

    name: str
    place: Array
    pu: Array
    pv: Array
    puu: Array
    puv: Array
    pvv: Array

    @property
    def normal(self) -> Array:
        n = cross3(self.pu, self.pv)
        return np.asarray(n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-300))

    def bent_across(self, way: Array) -> Array:
        """(n,) curvature of the skin in the directions `way` (n, 3), 1/mm."""
        normal = self.normal
        e, f, g = (np.einsum("nk,nk->n", a, b) for a, b in ((self.pu, self.pu), (self.pu, self.pv), (self.pv, self.pv)))
        x, y = np.einsum("nk,nk->n", self.pu, way), np.einsum("nk,nk->n", self.pv, way)
        square = np.maximum(e * g - f * f, 1e-300)
        a, b = (x * g - y * f) / square, (y * e - x * f) / square
        ll, mm, nn = (np.einsum("nk,nk->n", p, normal) for p in (self.puu, self.puv, self.pvv))
        return np.asarray(-(a * a * ll + 2.0 * a * b * mm + b * b * nn))


def joins(patches: Sequence[Patch]) -> list[Joint]:
    """Every border that two patches share, or that a closed patch shares with itself."""
    borders = [(k, side, _net(p, side)) for k, p in enumerate(patches) for side in ("start", "end", "low", "high")]
    size = max((float(np.ptp(p.control.reshape(-1, 3), axis=0).max()) for p in patches), default=1.0)
    found = []
    for a, side, net in borders:
        if side in ("start", "low") or np.ptp(net, axis=0).max() < 1e-6 * size:
            continue
        other = "start" if side == "end" else "low"
        for b, way, facing in borders:
            if way == other and net.shape == facing.shape and np.abs(net - facing).max() < 1e-3 * size:
                found.append(_joint(_side(patches[a], side), _side(patches[b], way)))
    return found


def _net(patch: Patch, side: str) -> Array:
    """(n, 3) control points of a border: `start` and `end` in u, `low` and `high` in v."""
    if patch.periodic_u and side in ("start", "end"):
        return np.zeros((1, 3))
    return {
        "start": patch.control[0],
        "end": patch.control[-1],
        "low": patch.control[:, 0],
        "high": patch.control[:, -1],
    }[side]


def _side(patch: Patch, side: str) -> _Side:
    share = np.linspace(0.02, 0.98, PLACES)
    u = np.full(PLACES, 0.0 if side == "start" else 1.0) if side in ("start", "end") else share
    v = share if side in ("start", "end") else np.full(PLACES, 0.0 if side == "low" else 1.0)
    low, high = float(patch.breaks_v[0]), float(patch.breaks_v[-1])
    along = low + v * (high - low)
    if side == "high":
        along = np.full(PLACES, high)
    across = patch.breaks_u[0] + u * (patch.breaks_u[-1] - patch.breaks_u[0])
    times = patch.times_u.copy()
    times[[0, -1]] = 1
    basis = Basis(patch.degree_u, patch.breaks_u, times, patch.periodic_u)
    knots = np.repeat(patch.breaks_v, patch.times_v)

    def at(order_u: int, order_v: int) -> Array:
        rows = np.tensordot(basis.matrix(across, order_u), patch.control, 1)
        spline = BSpline(knots, np.eye(patch.control.shape[1]), patch.degree_v)
        weights = spline(along, order_v) if order_v <= patch.degree_v else np.zeros((PLACES, patch.control.shape[1]))
        return np.asarray(np.einsum("nv,nvk->nk", weights, rows))

    return _Side(patch.name, at(0, 0), at(1, 0), at(0, 1), at(2, 0), at(1, 1), at(0, 2))


def _joint(a: _Side, b: _Side) -> Joint:
    na, nb = a.normal, b.normal
    angle = np.arctan2(np.linalg.norm(cross3(na, nb), axis=1), np.einsum("nk,nk->n", na, nb))
    run = np.gradient(a.place, axis=0)
    across = cross3(na, run)
    across = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-300)
    worst = int(angle.argmax())
    step = None
    if angle.max() < SMOOTH:
        step = float(np.abs(a.bent_across(across) - b.bent_across(across)).max())
    x, y, z = a.place[worst].tolist()
    gap = float(np.linalg.norm(a.place - b.place, axis=1).max())
    return Joint(a.name, b.name, gap, float(angle.min()), float(angle.max()), step, (x, y, z))
