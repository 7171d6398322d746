"""A ball that rolls along a corner of a body's skin: where it touches both lanes, and the round it leaves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np
from scipy.interpolate import BSpline, CubicSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import NEAR, NEARLY, Offsets

PLAIN = np.radians(2.0)
"""rad: lanes that meet at less are no corner that could be rounded."""
Fineness = Literal["rough", "fitted", "exact"]
"""Good enough to be looked at; as good as the solid needs it, a tenth of a usual tolerance; or to rounding."""
COURSE: dict[Fineness, int] = {"rough": 33, "fitted": 1281, "exact": 161}
PAST = 0.08
"""At so many levels, to so far past the ends, a ball's course is worked out at once. For what is exact it only says where to begin."""
AHEAD, ROUGHLY = 1e-3, 5
"""Of the levels: the step by which it is looked how fast a round rises; steps of Newton's rule on the sampled course."""
SURELY: dict[Fineness, float] = {"rough": 1e-4, "fitted": 1e-7, "exact": 1e-4}
"""Of the body's extent: what missed a level by no more has done so after one more step, which squares it, no longer."""
EXACTLY, CLOSE = 8, 1e-6
"""Steps after these at most, on the course itself, until a place misses its level by no more than this share of the body's extent."""


def lane_before(offsets: Offsets, lane: int) -> int:
    """The lane that ends where one begins. Raises: FieldError, for one that begins nowhere."""
    common = offsets.field.common
    found = common.beside(lane)[0]
    if found is None or common.lanes[lane].basis.periodic:
        raise FieldError("there is no corner along the body there")
    return found


@lru_cache(maxsize=64)
def turns_at(offsets: Offsets, before: int, lane: int) -> Array:
    """(65,) rad at even places along the body: how much the skin turns where a lane ends and the next begins; outward more than nought."""
    v = np.linspace(offsets.field.first, offsets.field.last, 65)
    one, nought = np.ones_like(v), np.zeros_like(v)
    _, _, along, n, _ = offsets.moved(before, one, v, nought)
    m = offsets.moved(lane, nought, v, nought)[3]
    return np.arcsin(np.clip(np.sum(np.cross(n, m) * along, axis=1) / np.linalg.norm(along, axis=1), -1.0, 1.0))


@dataclass(frozen=True, eq=False)
class Ball:
    """A ball of `radii` (n,) mm at even levels of the skin, or of one radius, along the corner at which a lane begins, or `over` the
    narrow lane before that one, which it touches, too."""

    offsets: Offsets
    lane: int
    radii: Array
    fineness: Fineness
    over: int | None = None

    @cached_property
    def before(self) -> int:
        """The lane on the other side."""
        return lane_before(self.offsets, self.lane if self.over is None else self.over)

    def _by(self, w: Array) -> Array:
        """(m,) mm by which its centre lies inside the skin at levels w."""
        if len(self.radii) < 2:
            return np.full(len(w), self.way * float(self.radii[0]))
        return np.asarray(self.way * CubicSpline(np.linspace(0.0, 1.0, len(self.radii)), self.radii)(w))

    @cached_property
    def way(self) -> float:
        """1 for a corner that it rolls along inside the body, -1 for one it rolls along outside.

        Raises: FieldError, where it is neither all along.
        """
        corners = [self.before, self.lane] if self.over is None else [self.before, self.over, self.lane]
        bends = np.concatenate([turns_at(self.offsets, *pair) for pair in pairwise(corners)])
        if np.abs(bends).min() < PLAIN or np.ptp(np.sign(bends)) > 0.0:
            raise FieldError("a corner along the body fades out, or turns from outward to inward; leave that edge out")
        return float(np.sign(bends[0]))

    @cached_property
    def course(self) -> BSpline:
        """By its centre's level where it touches (4, by `Offsets.corners`), its centre, the skin's normals at both places, and the way
        the centre goes (3 each), at places so near that what lies between is known well enough to begin from."""
        w = np.linspace(-PAST, 1.0 + PAST, COURSE[self.fineness])
        known = self._touched(w, self._roughly(w))
        way = make_interp_spline(w, known[:, 4:7], k=3)(w, 1)
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        return make_interp_spline(w, np.concatenate([known, way], axis=1), k=3)

    def _roughly(self, w: Array) -> Array | None:
        """Where balls at levels w touch about, if their radius is one: what touches goes nearly straight with it, and what a ball near to
        its size touches is known."""
        if len(self.radii) > 1 or self.over is not None:
            return None
        size = 2.0 ** np.round(np.log2(self.radii[0]))
        sharp, known = _touched_by(self.offsets, self.before, self.lane, self.way * float(size), len(w))
        return np.asarray(sharp + self.radii[0] / size * (known - sharp)) if len(known) else None

    def _touched(self, w: Array, start: Array | None) -> Array:
        """(m, 13) the same exactly, but for the way."""
        by = self._by(w)
        if self.over is None:
            near = NEARLY if self.fineness == "rough" else NEAR
            x = self.offsets.corners(self.before, self.lane, w, (by, by), start, near)
        else:  # of sides that lie opposite to each other the parallels do not cross: the lane between them says where it is
            x = self.offsets.touching((self.before, self.over, self.lane), w, by)[:, [0, 1, 4, 5]]
        centre, _, _, n, _ = self.offsets.moved(self.before, x[:, 0], x[:, 1], by)
        m = self.offsets.moved(self.lane, x[:, 2], x[:, 3], by)[3]
        return np.concatenate([x, centre, n, m], axis=1)

    def _on(self, s: Array, w: Array, course: Array, wall: Array) -> Array:
        """(m, 3) places at shares s of the arcs, `wall` (m,) mm within these, of balls at levels w whose `course` (m, 16) is known."""
        centre, n, m, way = (course[:, k : k + 3] for k in (4, 7, 10, 13))
        by = (self._by(w) - wall)[:, None]
        # Of balls that change their size the envelope touches each along a small circle about the way its centre goes.
        lean = np.sum(n * way, axis=1, keepdims=True) * way if len(self.radii) > 1 else np.zeros_like(n)
        first, last = n - lean, m - lean
        round_ = turned(first, last, s) if self.over is None else turned_about(way, first, last, s)
        return np.asarray(centre + by * (lean + round_))

    def arc(self, cut: Offsets, s: Array, y: Array, wall: Array) -> tuple[Array, Array]:
        """Points (m, 3) `wall` (m,) mm within the round, at shares s (m,) of the way across it and the levels y (m,) of `cut`, and (m, 4) where
        the ball touches there.

        Raises: FieldError.
        """
        course, (normal, at) = self.course, cut.plane(y)
        w, step = y.copy(), np.full(len(y), AHEAD)
        for _ in range(ROUGHLY):  # on the course as it is sampled
            here, there = (self._on(s, x, course(x), wall) for x in (w, w + step))
            rate = np.sum((there - here) * normal, axis=1) / step
            miss = at - np.sum(here * normal, axis=1)
            w = w + np.clip(miss / rate, -0.2, 0.2)
            if np.abs(miss).max() < SURELY[self.fineness] * cut.extent:
                break
        if self.fineness != "exact":
            found = course(w)
            return self._on(s, w, found, wall), found[:, :4]
        for _ in range(EXACTLY):
            rough = course(w)
            found = np.concatenate([self._touched(w, rough[:, :4]), rough[:, 13:]], axis=1)
            here = self._on(s, w, found, wall)
            miss = at - np.sum(here * normal, axis=1)
            if np.abs(miss).max() < CLOSE * cut.extent:
                break
            w = w + miss / rate
        else:
            raise FieldError("a round cannot be followed to the end of the body; make its radius less")
        # What is left is so little that a straight step along the round is exact.
        there, share = course(w + step), (miss / rate / step)[:, None]
        ahead = self._on(s, w + step, there, wall) - self._on(s, w, rough, wall)
        return here + share * ahead, found[:, :4] + share * (there - rough)[:, :4]


@lru_cache(maxsize=64)
def _touched_by(offsets: Offsets, before: int, lane: int, by: float, places: int) -> tuple[Array, Array]:
    """(places, 4) each, by `Offsets.corners`: the sharp corner at even levels, and where a ball touches; nothing where none does."""
    w = np.linspace(-PAST, 1.0 + PAST, places)
    try:
        sharp = offsets.corners(before, lane, w, (np.zeros(places), np.zeros(places)))
        return sharp, offsets.corners(before, lane, w, (np.full(places, by), np.full(places, by)), sharp)
    except FieldError:
        return np.empty((0, 4)), np.empty((0, 4))


def turned(a: Array, b: Array, s: Array) -> Array:
    """(m, 3) what lies at shares s (m,) of the turn from a to b (m, 3), which are of one length."""
    size = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1)
    angle = np.arccos(np.clip(np.sum(a * b, axis=1) / size, -1.0, 1.0))
    sine = np.where(angle > 0.0, np.sin(angle), 1.0)
    first = np.where(angle > 0.0, np.sin((1.0 - s) * angle) / sine, 1.0 - s)
    second = np.where(angle > 0.0, np.sin(s * angle) / sine, s)
    return np.asarray(first[:, None] * a + second[:, None] * b)


def turned_about(way: Array, a: Array, b: Array, s: Array) -> Array:
    """The same, turned about a way (m, 3) that is square to both, the way a section runs round, by more than half a turn, too."""
    side = np.cross(way, a)
    angle = np.mod(np.arctan2(np.sum(side * b, axis=1), np.sum(a * b, axis=1)), 2.0 * np.pi)

    def at(t: Array) -> Array:
        return np.asarray(np.cos(t)[:, None] * a + np.sin(t)[:, None] * side)

    # The way is known a little less well than the ends, which are met exactly.
    return at(s * angle) + s[:, None] * (b - at(angle))


def rolling(offsets: Offsets, lane: int, radii: Array, fineness: Fineness, over: int | None = None) -> Ball:
    """A ball along a corner of a skin; the same one for the same corner, so that its course is worked out once."""
    return _rolling(offsets, lane, radii.tobytes(), fineness, over)


@lru_cache(maxsize=64)
def _rolling(offsets: Offsets, lane: int, radii: bytes, fineness: Fineness, over: int | None) -> Ball:
    return Ball(offsets, lane, np.frombuffer(radii), fineness, over)


def radii_over(offsets: Offsets, over: int, places: int) -> Array:
    """(places,) mm at even levels: the radii of the balls that touch a lane and those at both its sides.

    Raises: FieldError, where there are none.
    """
    before, after = lane_before(offsets, over), offsets.field.common.beside(over)[1]
    y, half = np.linspace(0.0, 1.0, places), np.full(places, 0.5)
    assert after is not None
    v = offsets.laid(over, half, y, np.zeros(places))
    ends = [offsets.moved(over, np.full(places, u), v, np.zeros(places))[0] for u in (0.0, 1.0)]
    radius = np.linalg.norm(ends[1] - ends[0], axis=1) / 2.0
    return np.asarray(offsets.touching((before, over, after), y, radius)[:, 6])
