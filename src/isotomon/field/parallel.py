"""The skin that lies at one distance inside a body's own, between two planes across the body: where the body is hollow.

At each level between the planes the inner skin is cut by a plane of the pencil through both, so that its ends lie in them. In each
lane it is the outer skin moved along its normals; lanes that meet at a corner end where their parallels meet, which is found by
Newton's rule on the places in both lanes from which the corner's points come.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import NdBSpline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.patches import fit_along
from isotomon.field.section_field import SectionField
from isotomon.geometry.planar import cross3

JET = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
"""Orders by u and v of the derivatives that the parallel and its own derivatives need."""
STEPS = 30
"""Of Newton's rule at most; six do, where it does at all."""
NEAR = 1e-7
"""Of the wall: a point that misses its level, or its corner, by no more is taken after one more step, which squares the miss."""
FLAT = 1e-9
"""The share of the larger singular values below which two lanes run on so smoothly into each other that a corner between them
is nowhere in particular, and stays where it is."""
SLIVER = 0.01
"""Of a lane: what lies within so little of its ends is taken for them."""
BENT = 1.0 / 3.0
"""Of a lane: farther the corners of the inner skin cannot lie from the outer ones' for it to be laid out evenly."""


@dataclass(frozen=True, eq=False)
class Level:
    """A plane across the body: `origin` (3,), and the `normal` (3,) toward the last end."""

    origin: Array
    normal: Array


@dataclass(frozen=True, eq=False)
class Parallel:
    """The skin `wall` (mm) within that of a body, from the plane `low` to the plane `high`."""

    field: SectionField
    wall: float
    low: Level
    high: Level
    tolerance: float

    @cached_property
    def _skins(self) -> list[NdBSpline]:
        """The outer skin of each lane, as it is fitted for the solid."""
        along = fit_along(self.field, self.tolerance)
        made = []
        for lane in self.field.common.lanes:
            basis, control = lane.basis, along.control[:, lane.columns].transpose(1, 0, 2)
            if basis.periodic:
                control = np.concatenate([control, control[: basis.degree]])
            knots = (basis.knots, along.knots)
            made.append(NdBSpline(knots, np.ascontiguousarray(control), (basis.degree, along.degree)))
        return made

    def _jet(self, lane: int, u: Array, v: Array) -> list[Array]:
        """(m, 3) each: a lane's own skin and its derivatives by u, v, uu, uv, vv. Past its ends it goes on by its value and first two
        derivatives there: its last pieces are short, and soon lead away."""
        skin, periodic = self._skins[lane], self.field.common.lanes[lane].basis.periodic
        u = np.mod(u, 1.0) if periodic else u
        cu, cv = np.clip(u, 0.0, 1.0), np.clip(v, self.field.first, self.field.last)
        at = np.stack([cu, cv], axis=-1)
        jet = [skin(at, nu=order) for order in JET]
        out = np.flatnonzero((cu != u) | (cv != v))
        if len(out):
            known = {(a, b): skin(at[out], nu=(a, b)) for a in range(3) for b in range(3)}
            du, dv = ([np.ones(len(out)), d, d * d / 2.0] for d in ((u - cu)[out], (v - cv)[out]))
            for k, (i, j) in enumerate(JET):
                terms = ((du[a - i] * dv[b - j])[:, None] * known[a, b] for a in range(i, 3) for b in range(j, 3))
                jet[k][out] = sum(terms)
        return jet

    @cached_property
    def _size(self) -> float:
        return float(np.ptp(self.field.sections(self.field.nodes).control.reshape(-1, 3), axis=0).max())

    def moved(self, lane: int, u: Array, v: Array) -> tuple[Array, Array, Array, Array]:
        """(m, 3) each: places on the parallel of a lane where its own skin has u and v (m,), their derivatives by both, and (m,) by
        how much an area there is smaller than the skin's; negative where it is folded."""
        p, pu, pv, puu, puv, pvv = self._jet(lane, u, v)
        square = cross3(pu, pv)
        size = np.linalg.norm(square, axis=-1, keepdims=True)
        size = np.where(size > 0.0, size, 1.0)
        normal = square / size
        parts = []
        for along, by in ((pu, cross3(puu, pv) + cross3(pu, puv)), (pv, cross3(puv, pv) + cross3(pu, pvv))):
            turned = (by - normal * np.sum(normal * by, axis=-1, keepdims=True)) / size
            parts.append(along - self.wall * turned)
        left = np.sum(cross3(*parts) * normal, axis=-1) / size[..., 0]
        return p - self.wall * normal, *parts, left

    def _plane(self, y: Array) -> tuple[Array, Array]:
        """(m, 3) and (m,): the planes at levels y (m,), 0 to 1: normals, and what a point of them comes to along these."""
        low, high = self.low, self.high
        normal = (1.0 - y)[:, None] * low.normal + y[:, None] * high.normal
        return normal, (1.0 - y) * float(low.origin @ low.normal) + y * float(high.origin @ high.normal)

    def _start(self, y: Array) -> Array:
        """(m,) places along the body to begin the search for levels y at."""
        return self.field.first + y * (self.field.last - self.field.first)

    def laid(self, lane: int, u: Array, y: Array) -> Array:
        """(m,) the place along the body from which the point of a lane's parallel at u comes that lies at level y.

        Raises: FieldError, when none does.
        """
        v, (normal, at) = self._start(y), self._plane(y)
        left = np.arange(len(y))
        for _ in range(STEPS):
            p, _, pv, _ = self.moved(lane, u[left], v[left])
            miss = at[left] - np.sum(p * normal[left], axis=1)
            farthest = 0.2 * self._size
            v[left] += np.clip(miss / np.sum(pv * normal[left], axis=1), -farthest, farthest)
            left = left[np.abs(miss) >= NEAR * self.wall]
            if not len(left):
                return v
        raise FieldError(_LOST)

    def corners(self, lane: int, after: int, y: Array) -> tuple[Array, Array]:
        """(m, 2) each: u and v in a lane and in the one after it from which the corner between their parallels comes at levels y.

        Raises: FieldError, when they do not meet.
        """
        v, (normal, at) = self._start(y), self._plane(y)
        x = np.stack([np.ones_like(y), v, np.zeros_like(y), v], axis=1)
        for _ in range(STEPS):
            p, pu, pv, _ = self.moved(lane, x[:, 0], x[:, 1])
            q, qu, qv, _ = self.moved(after, x[:, 2], x[:, 3])
            matrix = np.zeros((len(y), 4, 4))
            matrix[:, :3] = np.stack([pu, pv, -qu, -qv], axis=2)
            matrix[:, 3, :2] = np.stack([np.sum(pu * normal, axis=1), np.sum(pv * normal, axis=1)], axis=1)
            miss = np.concatenate([q - p, (at - np.sum(p * normal, axis=1))[:, None]], axis=1)
            farthest = np.array([0.2, 0.2 * self._size] * 2)
            x = x + np.clip(_least(matrix, miss), -farthest, farthest)
            if np.abs(miss).max() < NEAR * self.wall:
                return x[:, :2], x[:, 2:]
        raise FieldError(_LOST)

    def borders(self, y: Array) -> list[tuple[Array, Array]]:
        """For each lane, (m,) the u at which its parallel begins and ends at levels y; kept, since fits ask for the same again."""
        key = y.tobytes()
        if key not in self._borders:
            self._borders[key] = self._found(y)
        return self._borders[key]

    @cached_property
    def _borders(self) -> dict[bytes, list[tuple[Array, Array]]]:
        return {}

    def _found(self, y: Array) -> list[tuple[Array, Array]]:
        common = self.field.common
        found = [(np.zeros_like(y), np.ones_like(y)) for _ in common.lanes]
        for number, lane in enumerate(common.lanes):
            after = common.beside(number)[1]
            if lane.basis.periodic or after is None:
                continue
            here, there = self.corners(number, after, y)
            found[number] = (found[number][0], here[:, 0])
            found[after] = (there[:, 0], found[after][1])
        return found

    def points(self, s: Sequence[Array], y: Array) -> list[Array]:
        """For each lane, (m, n, 3): its parallel at shares s (n,) of the way across it, at levels y (m,).

        Raises: FieldError, where it folds, or the lanes do not meet.
        """
        made = []
        for number, (own, (begin, end)) in enumerate(zip(s, self.borders(y), strict=True)):
            if not len(own):
                made.append(np.empty((len(y), 0, 3)))
                continue
            u = _across(self._map(number), own, begin, end)
            flat, levels = u.ravel(), np.repeat(y, len(own))
            v = self.laid(number, flat, levels)
            p, _, _, left = self.moved(number, flat, v)
            if left.min() <= 0.0:
                raise FieldError(
                    f"the wall ({self.wall:.4g} mm) is thicker than the skin's bends allow; make it thinner"
                )
            made.append(p.reshape(len(y), len(own), 3))
        return made

    def _map(self, lane: int) -> tuple[float, float]:
        """Up to which share of a lane, and from which, its outer parts are drawn out to the corners: what lies between, with all places
        at which the lane is less smooth, stays where it is."""
        basis = self.field.common.lanes[lane].basis
        inner = basis.breaks[(basis.multiplicity > 1) & (basis.breaks > SLIVER) & (basis.breaks < 1.0 - SLIVER)]
        return (float(inner[0]), float(inner[-1])) if len(inner) else (1.0, 0.0)


_LOST = (
    "the inner skins of two sides do not meet; make the wall thinner, or use profiles that change less along the body"
)


def _least(matrix: Array, right: Array) -> Array:
    """(m, k) the least steps that solve (m, k, k) systems as far as these determine them."""
    u, s, vt = np.linalg.svd(matrix / np.linalg.norm(matrix, axis=1, keepdims=True).clip(1e-300))
    kept = s > FLAT * s[:, :1]
    inverse = np.where(kept, 1.0 / np.where(kept, s, 1.0), 0.0)
    step = np.einsum("mji,mj->mi", vt, inverse * np.einsum("mij,mi->mj", u, right))
    return np.asarray(step / np.linalg.norm(matrix, axis=1).clip(1e-300))


def _across(outer: tuple[float, float], s: Array, begin: Array, end: Array) -> Array:
    """(m, n) the u of a lane's parallel at shares s (n,), where it begins and ends at u (m,). The map is C2.

    Raises: FieldError, when the corners lie too far from those of the outer skin.
    """
    low, high = outer
    if low >= 1.0:
        return begin[:, None] + s * (end - begin)[:, None]
    if np.abs(begin).max() > BENT * low or np.abs(1.0 - end).max() > BENT * (1.0 - high):
        raise FieldError(_LOST)
    first, last = np.clip(1.0 - s / low, 0.0, 1.0) ** 3, np.clip((s - high) / (1.0 - high), 0.0, 1.0) ** 3
    return np.asarray(s + begin[:, None] * first + (end - 1.0)[:, None] * last)


Sample = Callable[[Array], Array]
