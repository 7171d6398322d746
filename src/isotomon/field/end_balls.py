"""The balls that roll between two sides of a flat end of a body and the end itself, from one of its narrow places to the other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.narrow import UNLIKE, Narrow, breaks_of, narrow_places
from isotomon.field.offsets import Offsets, least
from isotomon.field.rolling import Fineness

NODES: dict[Fineness, int] = {"rough": 17, "fitted": 129, "exact": 129}
"""Balls that are worked out in each stretch along which both sides are smooth."""
SKIPPED = 2
"""Of these, so many next to a sharp edge are taken from the others: there the ball is next to nothing."""
STEPS, NEAR, FARTHEST = 40, 1e-10, 0.2
"""Of Newton's rule at most; the miss, of the body's extent, that is none; how far one step goes at most, of that and of a lane."""
WITHIN = 0.9
"""Of its radius: nothing of the end's outline may come nearer to the middle of a ball."""
LOOKED = 257
"""Places on a side at which it is looked at."""
CLOSE, BESIDE = 1e-9, 0.01
"""Of lanes, and of a side: places nearer to each other, or to a side's ends, are the same."""
PAST = 0.25
"""Of a lane: so far sides go on past a tail."""
CHECKED = 33
"""Balls of which it is seen that nothing reaches into them."""
CHANNELS = {
    "v": slice(0, 1),
    "t": slice(1, 2),
    "beyond": slice(2, 3),
    "r": slice(3, 4),
    "centre": slice(4, 7),
    "one": slice(7, 10),
    "other": slice(10, 13),
    "way": slice(13, 16),
}
"""Of a ball: where it touches the first side (along the body), the second (round it and along it), its radius and middle (mm), the
normals of both sides there, and the way about which its arcs run."""
NO_BALL = "no ball rolls between two sides of this end and the end itself; round its rim by a radius instead"


@dataclass(frozen=True, eq=False)
class SideOfEnd:
    """One of the two long sides of an end, or a nose between them: the places round the skin, lanes and what they have of u, from `low` to `high`."""

    offsets: Offsets
    low: float
    high: float
    past: tuple[float, float] = (0.0, 0.0)
    """How far it goes on past both."""

    def inside(self, t: Array) -> Array:
        """Places brought onto it."""
        return np.clip(t, self.low - self.past[0], self.high + self.past[1])

    def breaks(self) -> Array:
        """Its places at which it is less smooth than its splines."""
        lanes, found = self.offsets.field.common.lanes, list[float]()
        for number in range(int(np.floor(self.low)), int(np.ceil(self.high))):
            basis = lanes[number % len(lanes)].basis
            found += [number + u for u in ([] if basis.periodic else [0.0]) + breaks_of(basis).tolist()]
        return np.array([t for t in found if self.low < t < self.high])

    def moved(self, t: Array, v: Array, by: Array) -> list[Array]:
        """(m, 3) each: places `by` mm (m,) inside of the skin at places t (m,) round it and v (m,) along it, their derivatives by both,
        and the skin's outward normals. Past its ends its last lanes go on."""
        count = len(self.offsets.field.common.lanes)
        lanes = np.clip(np.floor(t), np.floor(self.low + 1e-12), np.ceil(self.high - 1e-12) - 1.0)
        found = [np.empty((len(t), 3)) for _ in range(4)]
        for lane in np.unique(lanes):
            here = lanes == lane
            known = self.offsets.moved(int(lane) % count, t[here] - lane, v[here], by[here])
            for values, own in zip(found, known[:4], strict=True):
                values[here] = own
        return found


@dataclass(frozen=True, eq=False)
class Rolling:
    """The balls by the place at which they touch the first side: smooth between `edges`."""

    edges: Array
    parts: tuple[BSpline, ...]

    def __call__(self, w: Array) -> dict[str, Array]:
        """What is known of balls at places w (m,), by channel: (m, 1) or (m, 3)."""
        which = np.clip(np.searchsorted(self.edges, w, side="right") - 1, 0, len(self.parts) - 1)
        found = np.empty((len(w), 16))
        for k, part in enumerate(self.parts):
            here = which == k
            found[here] = part(w[here])
        return {name: found[:, columns] for name, columns in CHANNELS.items()}


Sides = tuple[SideOfEnd, SideOfEnd]


@dataclass(frozen=True, eq=False)
class EndBalls:
    """Those of a body's last end, or its first."""

    offsets: Offsets
    last: bool
    fineness: Fineness

    @cached_property
    def plane(self) -> tuple[Array, float]:
        """The end's outward normal (3,), and what a place in it comes to along this (mm)."""
        origin, normal = (values[1 if self.last else 0] for values in self.offsets.ends)
        out = normal if self.last else -normal
        return out, float(origin @ out)

    @property
    def end(self) -> float:
        """Where it lies along the body."""
        return self.offsets.field.last if self.last else self.offsets.field.first

    @cached_property
    def narrow(self) -> tuple[Narrow, Narrow]:
        """Between which narrow places the ball rolls. Raises: FieldError."""
        first, second = narrow_places(self.offsets, self.end)
        # As if both sides of a nose met in its middle: where its ball touches the second one is not known yet.
        sides = self._between((first.closed(), second.closed()))
        return self._refined(first, sides, 0), self._refined(second, sides, 1)

    def _between(self, narrow: tuple[Narrow, Narrow]) -> Sides:
        """The sides between narrow places; at tails they go on."""
        first, second = narrow
        count, past = len(self.offsets.field.common.lanes), [PAST if n.kind == "tail" else 0.0 for n in narrow]
        return (
            SideOfEnd(self.offsets, first.high, second.low, (past[0], past[1])),
            SideOfEnd(self.offsets, second.high, first.low + count, (past[1], past[0])),
        )

    @cached_property
    def sides(self) -> Sides:
        """Both long sides, in the order in which they follow each other round the skin."""
        return self._between(self.narrow)

    def _refined(self, narrow: Narrow, sides: Sides, number: int) -> Narrow:
        """A nose between the two places at which one ball touches both sides."""
        if narrow.kind != "nose":
            return narrow
        count = 0 if number else len(self.offsets.field.common.lanes)
        here, there = (narrow.low, narrow.high) if number else (narrow.high, narrow.low)
        found = float(self._balls(sides, 0, np.array([here]), there + count)[0, 1]) - count
        return Narrow("nose", min(here, found), max(here, found))

    def _balls(self, sides: Sides, side: int, t: Array, beside: float | None = None) -> Array:
        """(m, 4): of the balls that touch a side at places t (m,): where that is along the body, the places on the other side round and
        along it, and the radii, mm; `beside`: where it is known to touch the other side roughly. Raises: FieldError."""
        one, other = sides[side], sides[1 - side]
        out, at = self.plane
        x, extent = self._roughly(one, other, t, beside), self.offsets.extent
        farthest = FARTHEST * np.array([extent, FARTHEST, extent, extent])
        for _ in range(STEPS):
            here, _, along, n = one.moved(t, x[:, 0], x[:, 3])
            there, round_, beyond, m = other.moved(x[:, 1], x[:, 2], x[:, 3])
            matrix = np.zeros((len(t), 4, 4))
            matrix[:, :3] = np.stack([along, -round_, -beyond, m - n], axis=2)
            matrix[:, 3, 0], matrix[:, 3, 3] = along @ out, 1.0 - n @ out
            miss = np.concatenate([there - here, (at - x[:, 3] - here @ out)[:, None]], axis=1)
            x = x + np.clip(least(matrix, miss), -farthest, farthest)
            x[:, 1] = other.inside(x[:, 1])
            if np.abs(miss).max() < NEAR * extent:
                return np.asarray(x)
        raise FieldError(NO_BALL)

    def _roughly(self, one: SideOfEnd, other: SideOfEnd, t: Array, beside: float | None) -> Array:
        """The same for the outline of the end alone: circles within it that touch it at places t of one side, and the other."""
        p, _, _, n = one.moved(t, np.full(len(t), self.end), np.zeros(len(t)))
        s = other.low + (other.high - other.low) * _graded(LOOKED, True, True)
        s = s if beside is None else np.array([beside])
        q = other.moved(s, np.full(len(s), self.end), np.zeros(len(s)))[0]
        out = self.plane[0]
        inward = (n @ out)[:, None] * out - n
        inward /= np.linalg.norm(inward, axis=1, keepdims=True)
        away = q - p[:, None]
        deep = 2.0 * np.einsum("ijk,ik->ij", away, inward)
        whole = np.where(deep > 0.0, np.sum(away * away, axis=2), np.inf)
        radii = whole / np.where(deep > 0.0, deep, 1.0)
        best = radii.argmin(axis=1)
        radius = radii[np.arange(len(t)), best]
        if not np.isfinite(radius).all():
            raise FieldError(NO_BALL)
        level = self.end - radius * (1.0 if self.last else -1.0)
        return np.stack([level, s[best], level, radius], axis=1)

    def _known(self, w: Array) -> Array:
        """(m, 16): all `CHANNELS` of balls that touch the first side at places w (m,)."""
        one, other = self.sides
        x = self._balls(self.sides, 0, w)
        middle, _, _, n = one.moved(w, x[:, 0], x[:, 3])
        m = other.moved(x[:, 1], x[:, 2], x[:, 3])[3]
        return np.concatenate([x, middle, n, m, self._way(n, m)], axis=1)

    def _way(self, n: Array, m: Array) -> Array:
        """(m, 3): about what arcs run where balls touch both sides with these normals: on circles through these places and the end's."""
        way = np.cross(m - self.plane[0], n - self.plane[0])
        return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True))

    @cached_property
    def borders(self) -> tuple[Array, Array]:
        """For each side, the places along the first one between which it is smooth."""
        own, others = (_within(side) for side in self.sides)
        beside = self._balls(self.sides, 1, others)[:, 1] if len(others) else others
        low, high = self.sides[0].low, self.sides[0].high
        return np.array(sorted({low, high, *own})), np.array(sorted({low, high, *beside}))

    @cached_property
    def course(self) -> Rolling:
        """The balls all along. Raises: FieldError."""
        own, others = self.borders
        room = BESIDE * (own[-1] - own[0])  # what both sides have at nearly the same place is taken for one
        others = others[np.abs(others[:, None] - own).min(axis=1) > room]
        edges = np.unique(np.concatenate([own, others]))
        parts, final = list[BSpline](), len(edges) - 2
        for k, (low, high) in enumerate(pairwise(edges.tolist())):
            w = low + (high - low) * self._spread(k == 0, k == final)
            for number, at in ((0, 0), (1, final)):
                w = self._reaching(number, w) if at == k else w
            parts.append(make_interp_spline(w, self._known(w), k=5))
        course = Rolling(edges, tuple(parts))
        self._check(course)
        return course

    def _spread(self, first: bool, last: bool) -> Array:
        """Shares of a stretch at which balls are worked out: more and more of them toward a nose or an edge at its first end, or its last."""
        closer = [end and narrow.kind != "tail" for end, narrow in zip((first, last), self.narrow, strict=True)]
        return _graded(NODES[self.fineness], *closer)

    def nearest(self, number: int, t: Array) -> Array:
        """(m,) where along the body the last ball at a nose comes nearest to the skin at places t (m,) round that."""
        nose, v = SideOfEnd(self.offsets, self.narrow[number].low, self.narrow[number].high), np.full(len(t), self.end)
        centre = self.course(self.course.edges[[-1 if number else 0]])["centre"]
        for _ in range(STEPS):
            p, _, along, _ = nose.moved(t, v, np.zeros(len(t)))
            step = np.sum((centre - p) * along, axis=1) / np.sum(along * along, axis=1)
            v = v + step
            if np.abs(step).max(initial=0.0) < NEAR * self.offsets.extent:
                return v
        raise FieldError(NO_BALL)

    def _reaching(self, number: int, w: Array) -> Array:
        """Places w (m,) without those next to a sharp edge, or to beyond the edge of a tail, which cuts the arcs off there."""
        ahead = w if number else w[::-1]
        if self.narrow[number].kind == "edge":
            ahead = ahead[:-SKIPPED]
        elif self.narrow[number].kind == "tail":
            step = ahead[-1] - ahead[-2]
            radius = self._balls(self.sides, 0, ahead[-1:])[:, 3]
            along = self.sides[0].moved(ahead[-1:], np.array([self.end]), np.zeros(1))[1]
            more = int(np.ceil(float(radius[0] / np.linalg.norm(along)) / abs(step))) + 1
            ahead = np.concatenate([ahead, ahead[-1] + step * np.arange(1, min(more, len(w)) + 1)])
        return ahead if number else ahead[::-1]

    def _check(self, course: Rolling) -> None:
        """Raises: FieldError, where other parts of the outline reach into a ball, or the ball does not roll."""
        w = np.linspace(course.edges[0], course.edges[-1], CHECKED)[1:-1]
        balls = course(w)
        outline = []
        for side in self.sides:
            t = np.tile(np.linspace(side.low, side.high, 2 * CHECKED), len(w))
            outline.append(
                side.moved(t, np.repeat(balls["v"], 2 * CHECKED), np.zeros(len(t)))[0].reshape(len(w), -1, 3)
            )
        away = np.concatenate(outline, axis=1) - balls["centre"][:, None]
        rolls = (
            np.ptp(balls["centre"], axis=0).max() > balls["r"].max()
            and np.ptp(np.sign(np.diff(balls["t"][:, 0]))) == 0.0
        )
        if not rolls or (np.linalg.norm(away, axis=2).min(axis=1) < WITHIN * balls["r"][:, 0]).any():
            raise FieldError(UNLIKE)


def _graded(count: int, first: bool, last: bool) -> Array:
    """(count,) shares of a stretch from nought to one, closer and closer to its first end, or its last."""
    t = np.linspace(0.0, 1.0, count)
    if first and last:
        return np.asarray(t * t * (3.0 - 2.0 * t))
    return np.asarray(t * t if first else 1.0 - (1.0 - t) ** 2 if last else t)


def _within(side: SideOfEnd) -> Array:
    """The places at which a side is less smooth, none of them next to its ends."""
    places, room = side.breaks(), BESIDE * (side.high - side.low)
    return np.asarray(places[(places > side.low + room) & (places < side.high - room)])
