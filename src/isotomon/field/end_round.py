"""An end of a body rounded away from side to side.

A ball rolls between the two long sides of a flat end and the end itself, from one of its narrow places to the other. It leaves two
arcs: from where it touches one side up to where it touches the end, and down to the other side. At a nose, where both sides run into
each other, the last ball closes the gap between its two arcs; at a sharp edge the ball shrinks to nothing; at a tail, a narrow side
between two edges, the arcs are cut off by that side.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.end_balls import BESIDE, CLOSE, LOOKED, NEAR, NO_BALL, STEPS, EndBalls, SideOfEnd
from isotomon.field.offsets import Offsets, least
from isotomon.field.rolling import Fineness, turned, turned_about

ROOM = 4.0
"""So many times as deep as the round is, the rows of the skin below it give way to it."""
AHEAD, ROUGHLY = 1e-4, 6
"""Of the course: the step by which it is looked how a thing changes along it; steps that find a place."""

FRONT = 0.2
"""Of a nose: nearer to its ends what closes it is not parted."""


@dataclass(frozen=True, eq=False)
class Strip:
    """A part of the round: the arcs up from the first side (`half` 0) or the second (1) of balls from one place to another; those of a
    tail begin, or end, where it cuts them off. `joins`: shares of the way at which it is less smooth."""

    half: int
    low: float
    high: float
    joins: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class EndRound:
    """The round in place of a flat end of a body: its last, or its first."""

    offsets: Offsets
    last: bool
    fineness: Fineness

    @cached_property
    def balls(self) -> EndBalls:
        """What rounds it."""
        return EndBalls(self.offsets, self.last, self.fineness)

    @cached_property
    def depth(self) -> float:
        """mm along the body: how far the round reaches. Raises: FieldError, where the body is too short for it."""
        w = np.linspace(self.balls.course.edges[0], self.balls.course.edges[-1], LOOKED)
        deep = float(max(np.abs(self.balls.course(w)[name] - self.balls.end).max() for name in ("v", "beyond")))
        if ROOM * deep > self.offsets.field.last - self.offsets.field.first:
            raise FieldError("the body is too short for its end to be rounded away")
        return deep

    def gives_way(self, y: Array) -> Array:
        """(m,) from nought to one: how far the rows of the skin at levels y go along with where the round begins."""
        below = (1.0 - y if self.last else y) * (self.offsets.field.last - self.offsets.field.first)
        return np.asarray(np.clip(1.0 - below / (ROOM * self.depth), 0.0, 1.0) ** 3)

    @property
    def still(self) -> float:
        """The level from which rows go along."""
        share = ROOM * self.depth / (self.offsets.field.last - self.offsets.field.first)
        return 1.0 - share if self.last else share

    def edge(self, lane: int, u: Array) -> tuple[Array, Array]:
        """(m,) the u and v of a lane at which the round begins that stands where the end had u."""
        for number, narrow in enumerate(self.balls.narrow):
            if narrow.kind == "tail" and int(narrow.low) % len(self.offsets.field.common.lanes) == lane:
                return self._tail_edge(number, u)
        count = len(self.offsets.field.common.lanes)
        v = np.empty(len(u))
        for number, side in enumerate(self.balls.sides):
            t = lane + u + count * np.ceil((side.low - CLOSE - lane - u) / count)
            here = t <= side.high + CLOSE
            v[here] = self._touched(number, np.clip(t[here], side.low, side.high))
        for number in self.noses:
            narrow = self.balls.narrow[number]
            t = lane + u + count * np.ceil((narrow.low - lane - u) / count)
            here = t < narrow.high
            v[here] = self.balls.nearest(number, t[here])
        return u, v

    def _touched(self, number: int, t: Array) -> Array:
        """(m,) where along the body balls touch a side at places t (m,) round it."""
        if number == 0:
            return self.balls.course(t)["v"][:, 0]
        w = self._w_of(t)
        return self.balls.course(w)["beyond"][:, 0]

    def _w_of(self, t: Array) -> Array:
        """(m,) the places on the first side of balls that touch the second at t."""
        low, high = self.balls.course.edges[[0, -1]]
        known = np.linspace(low, high, LOOKED)
        order = np.argsort(self.balls.course(known)["t"][:, 0])
        w = np.interp(t, self.balls.course(known)["t"][order, 0], known[order])
        for _ in range(ROUGHLY):
            ahead = np.where(w + AHEAD > high, -AHEAD, AHEAD) * (high - low)
            here, there = (self.balls.course(x)["t"][:, 0] for x in (w, w + ahead))
            w = np.clip(w + (t - here) / (there - here) * ahead, low, high)
        return w

    def arcs(self, half: int, w: Array, s: Array) -> Array:
        """(m, 3): places at shares s (m,) of the way up to the end, on the arcs of balls w (m,) from the first side, or the second."""
        balls, out = self.balls.course(w), self.balls.plane[0]
        way = balls["way"] / np.linalg.norm(balls["way"], axis=1, keepdims=True)
        side = balls["other" if half else "one"]
        lean = np.sum((side + out) / 2.0 * way, axis=1, keepdims=True) * way
        ends = (out - lean, side - lean, 1.0 - s) if half else (side - lean, out - lean, s)
        found = balls["centre"] + balls["r"] * (lean + turned_about(way, *ends))
        # They begin on the skin itself, and not where a ball was found to touch it between places at which one was worked out.
        place = (balls["t"], balls["beyond"]) if half else (w[:, None], balls["v"])
        begin = self.balls.sides[half].moved(place[0][:, 0], place[1][:, 0], np.zeros(len(w)))[0]
        gap = begin - balls["centre"] - balls["r"] * side
        return np.asarray(found + gap * (1.0 - s[:, None]) ** 3)

    def _cut(self, number: int, half: int, s: Array) -> tuple[Array, Array, Array]:
        """(m,) each: the balls whose arcs a tail cuts at shares s (m,) of the way up, and the u and v of its lane where it does."""
        lane = SideOfEnd(self.offsets, self.balls.narrow[number].low, self.balls.narrow[number].high)
        w = np.full(len(s), self.balls.course.edges[-1 if number else 0])
        first = half == (0 if number else 1)
        u = lane.low + (s / 2.0 if first else 1.0 - s / 2.0)
        p = self.arcs(half, w, s)
        v = self.balls.end + np.sum(
            (p - lane.moved(u, np.full(len(s), self.balls.end), np.zeros(len(s)))[0]) * self.balls.plane[0], axis=1
        ) * (1.0 if self.last else -1.0)
        step = AHEAD * (self.balls.course.edges[-1] - self.balls.course.edges[0])
        for _ in range(STEPS):
            p, (q, qu, qv, _) = self.arcs(half, w, s), lane.moved(u, v, np.zeros(len(s)))
            by_w = (self.arcs(half, w + step, s) - self.arcs(half, w - step, s)) / (2.0 * step)
            move = least(np.stack([by_w, -qu, -qv], axis=2), q - p)
            w, u, v = w + move[:, 0], u + move[:, 1], v + move[:, 2]
            if np.abs(q - p).max() < NEAR * self.offsets.extent:
                return w, u - lane.low, v
        raise FieldError(NO_BALL)

    def _tail_edge(self, number: int, u: Array) -> tuple[Array, Array]:
        """(m,) the u and v of a tail's lane along the edge that the round leaves of it, at shares u of the way."""
        made = np.empty((2, len(u)))
        for half in (0, 1):
            here = (u <= 0.5) == (half == (0 if number else 1))
            shares = 2.0 * np.minimum(u[here], 1.0 - u[here])
            made[:, here] = self._cut(number, half, shares)[1:]
        return made[0], made[1]

    @cached_property
    def strips(self) -> tuple[Strip, ...]:
        """What the round is made of, besides what closes it at noses."""
        made = []
        for half, own in enumerate(self.balls.borders):
            room = BESIDE * float(own[-1] - own[0])
            for low, high in zip(own[:-1].tolist(), own[1:].tolist(), strict=True):
                within = [x for x in self.balls.course.edges.tolist() if low + room < x < high - room]
                made.append(Strip(half, low, high, tuple((x - low) / (high - low) for x in within)))
        return tuple(made)

    def on(self, strip: Strip, share: Array, s: Array) -> Array:
        """(n, m, 3): places of a strip at shares (n,) of the way along it and s (m,) of the way up."""
        ends = []
        for number, at, end in (
            (0, strip.low, self.balls.course.edges[0]),
            (1, strip.high, self.balls.course.edges[-1]),
        ):
            cut = at == end and self.balls.narrow[number].kind == "tail"
            ends.append(self._cut(number, strip.half, s)[0] if cut else np.full(len(s), at))
        w = ends[0] + share[:, None] * (ends[1] - ends[0])
        return self.arcs(strip.half, w.ravel(), np.tile(s, len(share))).reshape(len(share), len(s), 3)

    @property
    def noses(self) -> list[int]:
        """The numbers of the narrow places at which the last ball closes the round."""
        return [k for k, narrow in enumerate(self.balls.narrow) if narrow.kind == "nose"]

    def front(self, number: int) -> float:
        """The share of the way across a nose at which what closes it there is parted: where the skin's faces are, else in the middle."""
        narrow = self.balls.narrow[number]
        at = (SideOfEnd(self.offsets, narrow.low, narrow.high).breaks() - narrow.low) / (narrow.high - narrow.low)
        return float(
            min((share for share in at if FRONT < share < 1.0 - FRONT), key=lambda share: abs(share - 0.5), default=0.5)
        )

    def closing(self, number: int, share: Array, s: Array) -> Array:
        """(n, m, 3): places of the last ball at a nose, from one of its two arcs to the other round the skin, at shares s (m,) of the way
        up. Below it begins on the skin, which is no ball to the last."""
        narrow, front, up = self.balls.narrow[number], self.front(number), np.append(s, 0.0)
        w = np.full(len(up), self.balls.course.edges[-1 if number else 0])
        ball = self.balls.course(w[:1])
        one, other = (self.arcs(half, w, up) - ball["centre"] for half in ((0, 1) if number else (1, 0)))
        t = narrow.low + (narrow.high - narrow.low) * np.append(share, front)
        nose = SideOfEnd(self.offsets, narrow.low, narrow.high)
        skin = nose.moved(t, self.balls.nearest(number, t), np.zeros(len(t)))[0] - ball["centre"]
        ahead = np.tile(ball["r"] * skin[-1:] / np.linalg.norm(skin[-1]), (len(up), 1))
        between = turned(ahead, np.tile(ball["r"] * self.balls.plane[0], (len(up), 1)), up)
        b = np.where(share < front, share / front, 1.0 + (share - front) / (1.0 - front))
        early, late = (
            turned(np.tile(p, (len(b), 1)), np.tile(q, (len(b), 1)), np.repeat(part, len(up)))
            for p, q, part in ((one, between, b), (between, other, b - 1.0))
        )
        found = np.where(np.repeat(b <= 1.0, len(up))[:, None], early, late).reshape(len(b), len(up), 3)
        gap = skin[:-1, None] - found[:, -1:]
        return np.asarray(ball["centre"] + found[:, :-1] + gap * (1.0 - s[:, None]) ** 3)


@lru_cache(maxsize=16)
def end_round(offsets: Offsets, last: bool, fineness: Fineness) -> EndRound:
    """The round in place of an end; the same one for the same end, so that it is worked out once."""
    return EndRound(offsets, last, fineness)
