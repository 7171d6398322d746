"""A ball that rolls along a corner of a body's skin: where it touches both lanes, and the round it leaves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.offsets import NEAR, NEARLY, Offsets
from isotomon.field.turning import CornerSpan, lane_before, spans

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


Corner = tuple[int, bytes, int | None]
"""The lane that begins at a corner, the radii (n,) mm of the ball, as bytes, and the lane over which it rolls, if it does."""


@dataclass(frozen=True, eq=False)
class Balls:
    """Balls that roll along corners of a body's skin. What is known of them is worked out for all at once, which takes hardly longer than
    for one."""

    offsets: Offsets
    corners: tuple[Corner, ...]
    fineness: Fineness

    @cached_property
    def along(self) -> dict[int, list[Ball]]:
        """By the lane that begins at a corner, one for each part of the body along which there is that corner."""
        return {
            lane: [Ball(self, lane, np.frombuffer(radii), over, span) for span in self._spans(lane, over)]
            for lane, radii, over in self.corners
        }

    def _spans(self, lane: int, over: int | None) -> tuple[CornerSpan, ...]:
        if over is None:
            return spans(self.offsets, lane_before(self.offsets, lane), lane)
        pairs = pairwise((lane_before(self.offsets, over), over, lane))
        found = {span for pair in pairs for span in spans(self.offsets, *pair)}
        if len(found) > 1 or any(span.fades != (False, False) for span in found):
            raise FieldError("a corner beside a narrow face fades out, or turns from outward to inward")
        return tuple(found)

    @cached_property
    def every(self) -> list[Ball]:
        """All of them, in order."""
        return [ball for balls in self.along.values() for ball in balls]

    @cached_property
    def courses(self) -> Courses:
        """By each ball, and the mean of the places along the body where it touches: where that is (4, by `Offsets.corners`), its centre, the
        skin's normals at both places, and the way the centre goes (3 each), at places so near that what lies between is known well enough
        to begin from."""
        low, high = np.array([ball.reach for ball in self.every]).T
        w = np.linspace(low, high, COURSE[self.fineness], axis=1)
        both = [k for k, ball in enumerate(self.every) if ball.over is None]
        known = {k: ball.touched_over(w[k]) for k, ball in enumerate(self.every) if ball.over is not None}
        if both:
            every = [self.every[k] for k in both]
            starts = np.concatenate([ball.roughly(own) for ball, own in zip(every, w[both], strict=True)])
            by = np.concatenate([ball.by(own) for ball, own in zip(every, w[both], strict=True)])
            lanes = np.repeat([(ball.before, ball.lane) for ball in every], w.shape[1], axis=0)
            near = NEARLY if self.fineness == "rough" else NEAR
            found = self.touched((lanes[:, 0], lanes[:, 1]), w[both].ravel(), by, starts, near)
            known |= dict(zip(both, np.split(found, len(both)), strict=True))
        return courses_through(w, np.stack([known[k] for k in range(len(w))]))

    def touched(self, lanes: tuple[Index, Index], w: Array, by: Array, start: Array, near: float = NEAR) -> Array:
        """(m, 13): all of this but the way, of balls `by` mm (m,) inside between lanes (m,) at places w (m,) along."""
        return self.beside(lanes, self.offsets.rolled(lanes, w, by, start, near), by)

    def beside(self, lanes: tuple[Index, Index], x: Array, by: Array) -> Array:
        """(m, 13): the same where it is known where they touch both lanes, x (m, 4)."""
        count, uv = len(x), np.concatenate([x[:, :2], x[:, 2:]])
        places, _, _, normals, _ = self.offsets.moved(np.concatenate(lanes), uv[:, 0], uv[:, 1], np.tile(by, 2))
        return np.concatenate([x, places[:count], normals[:count], normals[count:]], axis=1)

    def arcs(self, cut: Offsets, number: Index, s: Array, y: Array, wall: Array) -> tuple[Array, Array]:
        """Points (m, 3) `wall` (m,) mm within the rounds that balls, by their numbers (m,), leave, at shares s (m,) of the way across and the
        levels y (m,) of `cut`, and (m, 4) where they touch there.

        Raises: FieldError.
        """
        normal, at = cut.plane(y)
        low, high = np.array([ball.within for ball in self.every])[number].T
        w, step = np.clip(y, low, high), np.full(len(y), AHEAD)
        for again in range(ROUGHLY):  # on the courses as they are sampled
            here = self._on(number, s, w, self.courses(number, w), wall)
            if again != 1:  # how fast it rises is hardly another after the first step
                there = self._on(number, s, w + step, self.courses(number, w + step), wall)
                rate = np.sum((there - here) * normal, axis=1) / step
            miss = at - np.sum(here * normal, axis=1)
            w = np.clip(w + np.clip(miss / rate, -0.2, 0.2), low, high)
            if np.abs(miss).max() < SURELY[self.fineness] * cut.extent:
                break
        if self.fineness != "exact":
            found = self.courses(number, w)
            return self._on(number, s, w, found, wall), found[:, :4]
        for _ in range(EXACTLY):
            rough = self.courses(number, w)
            found = np.concatenate([self._exactly(number, w, rough[:, :4]), rough[:, 13:]], axis=1)
            here = self._on(number, s, w, found, wall)
            miss = at - np.sum(here * normal, axis=1)
            if np.abs(miss).max() < CLOSE * cut.extent:
                break
            w = np.clip(w + miss / rate, low, high)
        else:
            raise FieldError("a round cannot be followed to the end of the body; make its radius less")
        # What is left is so little that a straight step along the round is exact.
        there, share = self.courses(number, w + step), (miss / rate / step)[:, None]
        ahead = self._on(number, s, w + step, there, wall) - self._on(number, s, w, rough, wall)
        return here + share * ahead, found[:, :4] + share * (there - rough)[:, :4]

    def _exactly(self, number: Index, w: Array, start: Array) -> Array:
        """(m, 13) at levels w (m,), as `touched`."""
        found, over = np.empty((len(w), 13)), np.array([ball.over is not None for ball in self.every])
        for k in np.flatnonzero(over):
            found[number == k] = self.every[k].touched_over(w[number == k])
        own = ~over[number]
        if own.any():
            lanes = np.array([(ball.before, ball.lane) for ball in self.every])[number[own]]
            found[own] = self.touched((lanes[:, 0], lanes[:, 1]), w[own], self._by(number, w)[own], start[own])
        return found

    def _by(self, number: Index, w: Array) -> Array:
        """(m,) mm by which the centres of balls lie inside the skin at levels w (m,)."""
        if all(len(ball.radii) < 2 for ball in self.every):
            return np.array([ball.way * float(ball.radii[0]) for ball in self.every])[number]
        found = np.empty(len(w))
        for k, ball in enumerate(self.every):
            found[number == k] = ball.by(w[number == k])
        return found

    def _on(self, number: Index, s: Array, w: Array, course: Array, wall: Array) -> Array:
        """(m, 3) places at shares s of the arcs, `wall` (m,) mm within these, of balls at levels w whose courses (m, 16) are known."""
        centre, first, last, way = (course[:, k : k + 3] for k in (4, 7, 10, 13))
        by = (self._by(number, w) - wall)[:, None]
        grows = np.array([len(ball.radii) > 1 for ball in self.every])
        lean: Array | float = 0.0
        if grows.any():
            # Of balls that change their size the envelope touches each along a small circle about the way its centre goes.
            lean = np.sum(first * way, axis=1, keepdims=True) * way * grows[number][:, None]
            first, last = first - lean, last - lean
        over = np.array([ball.over is not None for ball in self.every])
        if not over.any():
            return np.asarray(centre + by * (lean + turned(first, last, s)))
        about, own = turned_about(way, first, last, s), over[number][:, None]
        return np.asarray(centre + by * (lean + np.where(own, about, turned(first, last, s))))


@dataclass(frozen=True, eq=False)
class Courses:
    """Curves through values at even places, from `first` (curves,) on, one a `step` (curves,): their cubics, `powers` (curves, pieces, 4, n),
    highest first."""

    first: Array
    step: Array
    powers: Array

    def __call__(self, number: Index, w: Array) -> Array:
        """(m, n) the values of curves, by their numbers (m,), at places w (m,)."""
        first, step = self.first[number], self.step[number]
        piece = np.clip(((w - first) / step).astype(int), 0, self.powers.shape[1] - 1)
        own, t = self.powers[number, piece], (w - first - piece * step)[:, None]
        return np.asarray(((own[:, 0] * t + own[:, 1]) * t + own[:, 2]) * t + own[:, 3])


def courses_through(w: Array, known: Array) -> Courses:
    """The courses of balls of which it is `known` (balls, m, 13), at even places w (balls, m), all but the way that their centres go."""
    # Even places: the same spline of all, but for how far they are apart.
    even, step = np.arange(w.shape[1], dtype=float), w[:, 1] - w[:, 0]
    way = CubicSpline(even, known[..., 4:7], axis=1)(even, 1)
    way /= np.linalg.norm(way, axis=2, keepdims=True)
    powers = CubicSpline(even, np.concatenate([known, way], axis=2), axis=1).c.transpose(2, 1, 0, 3)
    return Courses(w[:, 0], step, powers / step[:, None, None, None] ** np.arange(3, -1, -1)[:, None])


@dataclass(frozen=True, eq=False)
class Ball:
    """A ball of `radii` (n,) mm at even levels of the skin, or of one radius, along the corner at which a lane begins, or `over` the
    narrow lane before that one, which it touches, too; one of several."""

    balls: Balls
    lane: int
    radii: Array
    over: int | None
    span: CornerSpan

    @property
    def offsets(self) -> Offsets:
        """Of the skin."""
        return self.balls.offsets

    @cached_property
    def number(self) -> int:
        """Among all of them."""
        return self.balls.every.index(self)

    @property
    def reach(self) -> tuple[float, float]:
        """The first and last place along at which it is known: past the body's ends, but not past where its corner fades out."""
        low, high = self.span.fades
        return self.span.low - (0.0 if low else PAST), self.span.high + (0.0 if high else PAST)

    @property
    def within(self) -> tuple[float, float]:
        """The first and last place along at which there can be one."""
        low, high = self.span.fades
        return self.span.low if low else -np.inf, self.span.high if high else np.inf

    @property
    def way(self) -> float:
        """1 for a corner that it rolls along inside the body, -1 for one it rolls along outside."""
        return self.span.way

    @cached_property
    def before(self) -> int:
        """The lane on the other side."""
        return lane_before(self.offsets, self.lane if self.over is None else self.over)

    def by(self, w: Array) -> Array:
        """(m,) mm by which its centre lies inside the skin at levels w."""
        if len(self.radii) < 2:
            return np.full(len(w), self.way * float(self.radii[0]))
        return np.asarray(self.way * CubicSpline(np.linspace(0.0, 1.0, len(self.radii)), self.radii)(w))

    def roughly(self, w: Array) -> Array:
        """(m, 4) where balls at levels w (m,) touch about: what touches goes nearly straight with a radius, if it is one, and what a ball
        near to its size touches is known."""
        if len(self.radii) > 1:
            return self.offsets.sharp(w)
        size = 2.0 ** np.round(np.log2(self.radii[0]))
        sharp, known = _touched_by(self.offsets, (self.before, self.lane), self.way * float(size), self.reach, len(w))
        return np.asarray(sharp + self.radii[0] / size * (known - sharp)) if len(known) else self.offsets.sharp(w)

    def touched_over(self, w: Array) -> Array:
        """(m, 13) of a ball over a lane at levels w (m,), as `Balls.touched`."""
        # Of sides that lie opposite to each other the parallels do not cross: the lane between them says where it is.
        assert self.over is not None
        by = self.by(w)
        x = self.offsets.touching((self.before, self.over, self.lane), w, by)[:, [0, 1, 4, 5]]
        return self.balls.beside(self._lanes(len(w)), x, by)

    def _lanes(self, count: int) -> tuple[Index, Index]:
        return np.full(count, self.before), np.full(count, self.lane)


@lru_cache(maxsize=64)
def _touched_by(
    offsets: Offsets, lanes: tuple[int, int], by: float, reach: tuple[float, float], places: int
) -> tuple[Array, Array]:
    """(places, 4) each, by `Offsets.corners`: the sharp corner at even places along, and where a ball touches; nothing where none does."""
    w = np.linspace(*reach, places)
    sharp, (before, lane) = offsets.sharp(w), (np.full(places, number) for number in lanes)
    try:
        return sharp, offsets.rolled((before, lane), w, np.full(places, by), sharp)
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


@lru_cache(maxsize=32)
def rolling(offsets: Offsets, corners: tuple[Corner, ...], fineness: Fineness) -> Balls:
    """Balls along corners of a skin; the same ones for the same corners, so that their courses are worked out once."""
    return Balls(offsets, corners, fineness)


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
