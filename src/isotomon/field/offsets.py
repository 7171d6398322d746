"""Places at a distance from a body's skin, and at a level across the body: on one lane's parallel, and where two lanes' meet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import field as dataclass_field
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.patches import fit_along
from isotomon.field.section_field import SectionField
from isotomon.geometry.planar import cross3
from isotomon.geometry.tensor import TensorSkins, tensor_skins

JET = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
"""Orders by u and v of the derivatives that a parallel and its own derivatives need."""
STEPS = 30
"""Of Newton's rule at most; six do, where it does at all."""
NEAR = 1e-10
"""Of the body's extent: a place that misses by no more is taken after one more step, which squares the miss."""
NEARLY = 1e-5
"""The same where it is only to be looked at."""
FARTHEST = 0.2
"""Of a lane, and of the body's extent: one step goes no farther."""
SOLVED = 1e-6
"""A determinant, of columns of length 1, above which all that a system determines is well determined."""
FLAT = 1e-9
"""The share of the larger singular values below which two lanes run on so smoothly into each other that a corner between them
is nowhere in particular, and stays where it is."""
LOST = "the skins beside a corner do not meet at that distance; make it less, or use profiles that change less along the body"


@dataclass(frozen=True)
class Keyed:
    """A body's field, by the key of its shape: fields that are worked out again are the same by it."""

    key: str
    field: SectionField = dataclass_field(compare=False)


@lru_cache(maxsize=8)
def between_ends(body: Keyed, tolerance: float) -> Offsets:
    """The parallels of a body's skin between its two flat ends."""
    return Offsets(body.field, tolerance)


def fitted(field: SectionField, tolerance: float) -> TensorSkins:
    """The skins of all lanes, as they are fitted for the solid. Raises: FieldError, where they cannot be."""
    found = _fitted(field, tolerance)
    if isinstance(found, FieldError):
        raise found
    return found


@lru_cache(maxsize=8)
def _fitted(field: SectionField, tolerance: float) -> TensorSkins | FieldError:
    """The same, or why there are none, which takes as long to find out and is kept, too."""
    try:
        along = fit_along(field, tolerance)
    except FieldError as error:
        return error
    made = []
    for lane in field.common.lanes:
        basis, control = lane.basis, along.control[:, lane.columns].transpose(1, 0, 2)
        if basis.periodic:
            control = np.concatenate([control, control[: basis.degree]])
        made.append((basis.knots, basis.degree, control))
    return tensor_skins(made, along.knots, along.degree)


@lru_cache(maxsize=64)
def _planes_at(field: SectionField, places: bytes) -> tuple[Array, Array]:
    """(m, 3) each: origins and normals of sections; kept, since searches ask for the same again."""
    at = field.sections(np.frombuffer(places))
    return at.origin, at.normal


@dataclass(frozen=True, eq=False)
class Offsets:
    """The parallels of a body's skin, fitted within `tolerance` (mm). Levels, from 0 to 1, are the planes of its sections from its first
    end to its last, those at the ends shifted along their normals by `shifts` (mm), those between them by a share of both."""

    field: SectionField
    tolerance: float
    shifts: tuple[float, float] = (0.0, 0.0)

    @cached_property
    def extent(self) -> float:
        """mm: the largest of the body's sizes along the axes."""
        return float(np.ptp(self.field.sections(self.field.nodes).control.reshape(-1, 3), axis=0).max())

    @cached_property
    def _whole(self) -> bool:
        """Whether its one lane runs all round."""
        return self.field.common.lanes[0].basis.periodic

    def jet(self, lane: int | Index, u: Array, v: Array) -> list[Array]:
        """(m, 3) each: the own skin of a lane, or of each place's own (m,), and its derivatives by u, v, uu, uv, vv. Past its ends it goes on
        by its value and first two derivatives there: its last pieces are short, and soon lead away."""
        u = np.mod(u, 1.0) if self._whole else u
        cu, cv = np.clip(u, 0.0, 1.0), np.clip(v, self.field.first, self.field.last)
        known = fitted(self.field, self.tolerance).jet(lane, cu, cv)
        jet = [known[order] for order in JET]
        out = np.flatnonzero((cu != u) | (cv != v))
        if len(out):
            du, dv = ([np.ones(len(out)), d, d * d / 2.0] for d in ((u - cu)[out], (v - cv)[out]))
            past = known[:, :, out]
            for k, (i, j) in enumerate(JET):
                terms = ((du[a - i] * dv[b - j])[:, None] * past[a, b] for a in range(i, 3) for b in range(j, 3))
                jet[k][out] = sum(terms)
        return jet

    def moved(self, lane: int | Index, u: Array, v: Array, by: Array) -> tuple[Array, Array, Array, Array, Array]:
        """(m, 3) each: places `by` mm (m,) inside of a lane's skin, or each one's own (m,), where that has u and v (m,), their derivatives by both, the skin's
        outward normals there, and (m,) how much of an area is left there; negative where it is folded."""
        p, pu, pv, puu, puv, pvv = self.jet(lane, u, v)
        square = cross3(pu, pv)
        size = np.linalg.norm(square, axis=-1, keepdims=True)
        size = np.where(size > 0.0, size, 1.0)
        normal, away = square / size, by[:, None]
        parts = []
        for along, turn in ((pu, cross3(puu, pv) + cross3(pu, puv)), (pv, cross3(puv, pv) + cross3(pu, pvv))):
            turned = (turn - normal * np.sum(normal * turn, axis=-1, keepdims=True)) / size
            parts.append(along - away * turned)
        left = np.sum(cross3(*parts) * normal, axis=-1) / size[..., 0]
        return p - away * normal, *parts, normal, left

    def plane(self, y: Array) -> tuple[Array, Array]:
        """(m, 3) and (m,): the planes at levels y (m,): normals, and what a point of them comes to along these. Past its ends the body
        goes straight on."""
        found, back = np.unique(y, return_inverse=True)
        origin, normal = self._planes(found.tobytes())
        return normal[back], np.sum(origin * normal, axis=1)[back]

    @cached_property
    def ends(self) -> tuple[Array, Array]:
        """(2, 3) each: the planes at the two ends, by their origins and normals."""
        return self._planes(np.array([0.0, 1.0]).tobytes())

    def _planes(self, levels: bytes) -> tuple[Array, Array]:
        """(m, 3) each: origins and normals."""
        y = np.frombuffer(levels)
        inside = np.clip(y, 0.0, 1.0)
        origin, normal = _planes_at(self.field, self.start(inside).tobytes())
        past = (y - inside) * (self.field.last - self.field.first)
        past += self.shifts[0] * (1.0 - inside) + self.shifts[1] * inside
        return origin + past[:, None] * normal, normal

    def start(self, y: Array) -> Array:
        """(m,) places along the body to begin the search for levels y at."""
        return self.field.first + y * (self.field.last - self.field.first)

    def laid(self, lane: int | Index, u: Array, y: Array, by: Array, near: float = NEAR) -> Array:
        """(m,) the place along the body from which the point of a lane's parallel, or each one's own (m,), `by` mm (m,) inside, at u comes
        that lies at level y.

        Raises: FieldError, when none does.
        """
        return self.laid_points(lane, u, y, by, near)[0]

    def laid_points(
        self, lane: int | Index, u: Array, y: Array, by: Array, near: float = NEAR
    ) -> tuple[Array, Array, Array]:
        """(m,) the same, (m, 3) these points, and (m,) how much of an area is left there, as `moved` has it.

        Raises: FieldError, when there are none.
        """
        v, (normal, at) = self.start(y), self.plane(y)
        left, farthest = np.arange(len(y)), FARTHEST * self.extent
        points, areas = np.empty((len(y), 3)), np.empty(len(y))
        for _ in range(STEPS):
            own = lane if isinstance(lane, int) else lane[left]
            p, _, pv, _, area = self.moved(own, u[left], v[left], by[left])
            miss = at[left] - np.sum(p * normal[left], axis=1)
            step = np.clip(miss / np.sum(pv * normal[left], axis=1), -farthest, farthest)
            v[left] += step
            # Of what has missed by so little the last step is so short that it is straight.
            points[left], areas[left] = p + step[:, None] * pv, area
            left = left[np.abs(miss) >= near * self.extent]
            if not len(left):
                return v, points, areas
        raise FieldError(LOST)

    def sharp(self, y: Array) -> Array:
        """(m, 4) where to begin the search for corners at levels y (m,)."""
        v = self.start(y)
        return np.stack([np.ones_like(y), v, np.zeros_like(y), v], axis=1)

    def corners(
        self,
        lane: int | Index,
        after: int | Index,
        y: Array,
        by: tuple[Array, Array],
    ) -> Array:
        """(m, 4): u and v in a lane, and in the one after it, or of each corner its own lanes (m,), from which the corner between their
        parallels, `by` mm (m,) each inside, comes at levels y (m,).

        Raises: FieldError, when they do not meet.
        """
        normal, at = self.plane(y)

        def closing(_: Array, p: Array, pu: Array, pv: Array) -> tuple[Array, Array]:
            rows = np.stack([np.sum(pu * normal, axis=1), np.sum(pv * normal, axis=1), *np.zeros((2, len(y)))], axis=1)
            return rows, at - np.sum(p * normal, axis=1)

        return self._meeting((lane, after), by, self.sharp(y), NEAR, closing)

    def rolled(self, lanes: tuple[Index, Index], w: Array, by: Array, start: Array, near: float = NEAR) -> Array:
        """(m, 4): the same of corners, each between its own lanes (m,), from which two places come whose mean share of the way along the body
        is w (m,); the search begins at `start` (m, 4).

        Raises: FieldError, when they do not meet.
        """
        v, row = self.start(w), np.array([0.0, 0.5, 0.0, 0.5])

        def closing(x: Array, *_: Array) -> tuple[Array, Array]:
            return np.broadcast_to(row, x.shape), v - x @ row

        return self._meeting(lanes, (by, by), start, near, closing)

    def _meeting(
        self,
        lanes: tuple[int | Index, int | Index],
        by: tuple[Array, Array],
        start: Array,
        near: float,
        closing: Callable[..., tuple[Array, Array]],
    ) -> Array:
        """(m, 4): where parallels of lanes meet. `closing`: which of these places is meant, by a fourth equation: its derivatives (m, 4), and
        how much it misses (m,), where x (m, 4), the place (m, 3) and its derivatives by u and v are known."""
        count = len(start)
        both = np.concatenate([np.broadcast_to(lane, count) for lane in lanes])
        x, farthest = start, FARTHEST * np.array([1.0, self.extent] * 2)
        for _ in range(STEPS):
            uv = np.concatenate([x[:, :2], x[:, 2:]])
            found = self.moved(both, uv[:, 0], uv[:, 1], np.concatenate(by))
            (p, pu, pv), (q, qu, qv) = ([values[k] for values in found[:3]] for k in (slice(count), slice(count, None)))
            matrix, miss = np.zeros((count, 4, 4)), np.zeros((count, 4))
            matrix[:, :3], miss[:, :3] = np.stack([pu, pv, -qu, -qv], axis=2), q - p
            matrix[:, 3], miss[:, 3] = closing(x, p, pu, pv)
            x = x + np.clip(least(matrix, miss), -farthest, farthest)
            if np.abs(miss).max() < near * self.extent:
                return x
        raise FieldError(LOST)

    def touching(self, lanes: tuple[int, int, int], y: Array, radius: Array) -> Array:
        """(m, 7): u and v at which balls inside touch each of three lanes, which follow one another, and their radii (mm), where their
        centres lie at levels y (m,); the search begins at those of `radius` (m,).

        Raises: FieldError, where there are none.
        """
        v, (normal, at) = self.start(y), self.plane(y)
        x = np.stack([c for u in (1.0, 0.5, 0.0) for c in (np.full_like(v, u), v)] + [radius], axis=1)
        farthest = FARTHEST * np.array([1.0, self.extent] * 3 + [self.extent])
        for _ in range(STEPS):
            found = [self.moved(lane, x[:, 2 * k], x[:, 2 * k + 1], x[:, 6])[:4] for k, lane in enumerate(lanes)]
            matrix, miss = np.zeros((len(y), 7, 7)), np.zeros((len(y), 7))
            for k, ((p, pu, pv, n), (q, qu, qv, m)) in enumerate(pairwise(found)):
                rows, first = slice(3 * k, 3 * k + 3), 2 * k
                matrix[:, rows, first : first + 4] = np.stack([pu, pv, -qu, -qv], axis=2)
                matrix[:, rows, 6] = m - n
                miss[:, rows] = q - p
            p, pu, pv, n = found[0]
            matrix[:, 6, [0, 1, 6]] = np.stack([np.sum(d * normal, axis=1) for d in (pu, pv, -n)], axis=1)
            miss[:, 6] = at - np.sum(p * normal, axis=1)
            x = x + np.clip(least(matrix, miss), -farthest, farthest)
            if np.abs(miss).max() < NEAR * self.extent:
                if x[:, 6].min() > 0.0:
                    return np.asarray(x)
                break
        raise FieldError("no ball touches that face and those at both its sides; round its edges by a radius instead")


def least(matrix: Array, right: Array) -> Array:
    """(m, k) the least steps that solve (m, k, k) systems as far as these determine them."""
    size = np.linalg.norm(matrix, axis=1).clip(1e-300)
    even = matrix / size[:, None]
    # Of k columns of length 1 no singular value is less than the determinant over the others' largest, k^((k - 1) / 2).
    plain, step = np.abs(np.linalg.det(even)) > SOLVED, np.empty_like(right)
    step[plain] = np.linalg.solve(even[plain], right[plain, :, None])[..., 0]
    if not plain.all():
        u, s, vt = np.linalg.svd(even[~plain])
        kept = s > FLAT * s[:, :1]
        inverse = np.where(kept, 1.0 / np.where(kept, s, 1.0), 0.0)
        step[~plain] = np.einsum("mji,mj->mi", vt, inverse * np.einsum("mij,mi->mj", u, right[~plain]))
    return np.asarray(step / size)
