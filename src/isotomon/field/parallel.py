"""A body's skin worked on: moved inward to a parallel, its corners along the body rounded by a rolling ball.

It is cut by planes at levels from one end to the other, and made of sides: the lanes, and the rounds between them. A ball that
rolls along a corner touches both lanes where its centre's parallels come from; the round is the arc between these places, and a
parallel of it the arc of another radius about the same centre. Lanes end where they are touched, or where their parallels meet.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.interpolate import BSpline, CubicSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import Level, Offsets
from isotomon.field.section_field import SectionField
from isotomon.geometry.basis import Basis

SLIVER = 0.01
"""Of a lane: what lies within so little of its ends is taken for them."""
BENT = 1.0 / 3.0
"""Of a lane: farther its corners cannot come to lie from the skin's own for it to be laid out evenly."""
PLAIN = np.radians(2.0)
"""rad: lanes that meet at less are no corner that could be rounded."""
COURSE, ROUGH_COURSE, PAST = 161, 33, 0.08
"""At so many levels (fewer, roughly), to so far past the ends, a ball's course is worked out at once."""
AHEAD, ROUGHLY = 1e-3, 5
"""Of the levels: the step by which it is looked how fast a round rises; steps of Newton's rule on the sampled course."""
EXACTLY, CLOSE = 8, 1e-6
"""Steps after these at most, on the course itself, until a place misses its level by no more than this share of the body's extent."""


@dataclass(frozen=True, eq=False)
class RoundedCorner:
    """The corner along the body at which a lane begins, and the ball's `radii` (n,) mm at even levels, or one for all."""

    lane: int
    radii: Array

    @property
    def constant(self) -> bool:
        """Whether the ball keeps its size."""
        return float(np.ptp(self.radii)) == 0.0

    def radius(self, y: Array) -> Array:
        """(m,) mm at levels y."""
        if len(self.radii) < 2:
            return np.full(len(y), float(self.radii[0]))
        return np.asarray(CubicSpline(np.linspace(0.0, 1.0, len(self.radii)), self.radii)(y))


@dataclass(frozen=True, eq=False)
class WorkedSkin:
    """The skin `wall` (mm) within that of a body, some of its corners rounded."""

    base: Offsets
    wall: float = 0.0
    rounds: tuple[RoundedCorner, ...] = ()
    rough: bool = False
    """Good enough to be looked at, and sooner there."""

    @cached_property
    def sides(self) -> tuple[int | RoundedCorner, ...]:
        """What goes round a section, in order: the numbers of lanes, each after the round at which it begins."""
        at = {corner.lane: corner for corner in self.rounds if self._is_left(corner)}
        lanes = range(len(self.base.field.common.lanes))
        return tuple(side for k in lanes for side in ((at[k], k) if k in at else (k,)))

    def _is_left(self, corner: RoundedCorner) -> bool:
        """Whether a parallel of a round is a round still, and not a sharp corner."""
        return self._way(corner) < 0.0 or float(corner.radii.min()) > self.wall

    def before(self, lane: int) -> int:
        """The lane that ends where one begins. Raises: FieldError, for one that begins nowhere."""
        found = self.base.field.common.beside(lane)[0]
        if found is None or self.base.field.common.lanes[lane].basis.periodic:
            raise FieldError("there is no corner along the body there")
        return found

    def side_name(self, side: int | RoundedCorner) -> str:
        """What the face of a side is called."""
        names = self.base.field.names.lanes
        if isinstance(side, int):
            return f"lane {names[side]}"
        a, b = sorted((f"lane {names[self.before(side.lane)]}", f"lane {names[side.lane]}"))
        return f"round of ({a}|{b})"

    def basis(self, side: int | RoundedCorner) -> Basis | None:
        """The basis of a lane's own skin; None for a round."""
        return self.base.field.common.lanes[side].basis if isinstance(side, int) else None

    def _way(self, corner: RoundedCorner) -> float:
        return self._ways[corner.lane]

    @cached_property
    def _ways(self) -> dict[int, float]:
        return {corner.lane: self._way_of(corner) for corner in self.rounds}

    def _way_of(self, corner: RoundedCorner) -> float:
        """1 for a corner that the ball rolls along inside the body, -1 for one it rolls along outside.

        Raises: FieldError, where it is neither all along.
        """
        v = np.linspace(self.base.field.first, self.base.field.last, 65)
        one, nought = np.ones_like(v), np.zeros_like(v)
        _, _, along, n, _ = self.base.moved(self.before(corner.lane), one, v, nought)
        m = self.base.moved(corner.lane, nought, v, nought)[3]
        turned = np.arcsin(np.clip(np.sum(np.cross(n, m) * along, axis=1) / np.linalg.norm(along, axis=1), -1.0, 1.0))
        if np.abs(turned).min() < PLAIN or np.ptp(np.sign(turned)) > 0.0:
            raise FieldError("a corner along the body fades out, or turns from outward to inward; leave that edge out")
        return float(np.sign(turned[0]))

    def arc(self, corner: RoundedCorner, s: Array, y: Array) -> tuple[Array, Array]:
        """Points (m, 3) of a round at shares s (m,) of the way across it at levels y (m,), and (m, 4) where the ball touches there, by
        `Offsets.corners`.

        Raises: FieldError.
        """
        course = self._courses[corner.lane]
        normal, at = self.base.plane(y)
        w, step = y.copy(), np.full(len(y), AHEAD)
        for _ in range(ROUGHLY):  # on the course as it is sampled
            here, there = (self._on_ball(corner, s, x, course(x)) for x in (w, w + step))
            rate = np.sum((there - here) * normal, axis=1) / step
            miss = at - np.sum(here * normal, axis=1)
            w = w + np.clip(miss / rate, -0.2, 0.2)
        if self.rough:
            found = course(w)
            return self._on_ball(corner, s, w, found), found[:, :4]
        for _ in range(EXACTLY):
            rough = course(w)
            found = np.concatenate([self._touched(corner, w, rough[:, :4]), rough[:, 13:]], axis=1)
            here = self._on_ball(corner, s, w, found)
            miss = at - np.sum(here * normal, axis=1)
            if np.abs(miss).max() < CLOSE * self.base.extent:
                break
            w = w + miss / rate
        else:
            raise FieldError("a round cannot be followed to the end of the body; make its radius less")
        # What is left is so little that a straight step along the round is exact.
        there, share = course(w + step), (miss / rate / step)[:, None]
        ahead = self._on_ball(corner, s, w + step, there) - self._on_ball(corner, s, w, rough)
        return here + share * ahead, found[:, :4] + share * (there - rough)[:, :4]

    @cached_property
    def _courses(self) -> dict[int, BSpline]:
        """For each rounded corner the ball's course by its centre's level: where it touches (4), its centre, the skin's normals at both
        places, and the way the centre goes (3 each), at places so near that what lies between is known well enough to begin from."""
        found = {}
        for corner in self.rounds:
            w = np.linspace(-PAST, 1.0 + PAST, ROUGH_COURSE if self.rough else COURSE)
            known = self._touched(corner, w, None)
            rough = make_interp_spline(w, known[:, 4:7], k=3)
            way = rough(w, 1)
            way /= np.linalg.norm(way, axis=1, keepdims=True)
            found[corner.lane] = make_interp_spline(w, np.concatenate([known, way], axis=1), k=3)
        return found

    def _touched(self, corner: RoundedCorner, w: Array, start: Array | None) -> Array:
        """(m, 13) where balls whose centres lie at levels w touch both lanes, their centres, and the skin's normals there."""
        by, before = self._way(corner) * corner.radius(w), self.before(corner.lane)
        x = self.base.corners(before, corner.lane, w, by, start)
        centre, _, _, n, _ = self.base.moved(before, x[:, 0], x[:, 1], by)
        m = self.base.moved(corner.lane, x[:, 2], x[:, 3], by)[3]
        return np.concatenate([x, centre, n, m], axis=1)

    def _on_ball(self, corner: RoundedCorner, s: Array, w: Array, course: Array) -> Array:
        """(m, 3) places at shares s of the arcs of balls at levels w, whose `course` (m, 16) is known."""
        centre, n, m, way = (course[:, k : k + 3] for k in (4, 7, 10, 13))
        by = self._way(corner) * corner.radius(w) - self.wall
        if corner.constant:
            return np.asarray(centre + by[:, None] * _turned(n, m, s))
        # Of balls that change their size the envelope touches each along a small circle about the way its centre goes.
        lean = np.sum(n * way, axis=1, keepdims=True) * way
        return np.asarray(centre + by[:, None] * (lean + _turned(n - lean, m - lean, s)))

    def borders(self, y: Array) -> list[tuple[Array, Array]]:
        """For each lane, (m,) the u at which it begins and ends at levels y; kept, since fits ask for the same again."""
        key = y.tobytes()
        if key not in self._borders:
            self._borders[key] = self._found(y)
        return self._borders[key]

    @cached_property
    def _borders(self) -> dict[bytes, list[tuple[Array, Array]]]:
        return {}

    def _found(self, y: Array) -> list[tuple[Array, Array]]:
        common = self.base.field.common
        begin, end = ([np.full(len(y), value) for _ in common.lanes] for value in (0.0, 1.0))
        rounded = {side.lane: side for side in self.sides if not isinstance(side, int)}
        for number, lane in enumerate(common.lanes):
            before = common.beside(number)[0]
            if lane.basis.periodic or before is None:
                continue
            if number in rounded:
                end[before] = self.arc(rounded[number], np.zeros_like(y), y)[1][:, 0]
                begin[number] = self.arc(rounded[number], np.ones_like(y), y)[1][:, 2]
            elif self.wall:
                x = self.base.corners(before, number, y, np.full(len(y), self.wall))
                end[before], begin[number] = x[:, 0], x[:, 2]
        if any((a >= b - SLIVER).any() for a, b in zip(begin, end, strict=True)):
            raise FieldError(
                "a side is too narrow for what is taken of it at its two corners; make the radius or the wall less"
            )
        return list(zip(begin, end, strict=True))

    def points(self, s: Sequence[Array], y: Array) -> list[Array]:
        """For each side, (m, n, 3): its points at shares s (n,) of the way across it, at levels y (m,).

        Raises: FieldError, where the skin folds, or sides do not meet.
        """
        made, borders = [], self.borders(y) if any(len(own) for own in s) else []
        for side, own in zip(self.sides, s, strict=True):
            levels = np.repeat(y, len(own))
            if not len(own):
                found = np.empty((0, 3))
            elif isinstance(side, int):
                u = _across(self._still(side), own, *borders[side]).ravel()
                v = self.base.laid(side, u, levels, self.wall)
                found, _, _, _, left = self.base.moved(side, u, v, np.full(len(u), self.wall))
                if left.min() <= 0.0:
                    raise FieldError(
                        f"the wall ({self.wall:.4g} mm) is thicker than the skin's bends allow; make it thinner"
                    )
            else:
                found = self.arc(side, np.tile(own, len(y)), levels)[0]
            made.append(found.reshape(len(y), len(own), 3))
        return made

    def _still(self, lane: int) -> tuple[float, float]:
        """Up to which share of a lane, and from which, its outer parts are drawn out to its corners: what lies between, with all places
        at which the lane is less smooth, stays where it is."""
        basis = self.base.field.common.lanes[lane].basis
        inner = basis.breaks[(basis.multiplicity > 1) & (basis.breaks > SLIVER) & (basis.breaks < 1.0 - SLIVER)]
        return (float(inner[0]), float(inner[-1])) if len(inner) else (1.0, 0.0)


def _turned(a: Array, b: Array, s: Array) -> Array:
    """(m, 3) what lies at shares s (m,) of the turn from a to b (m, 3), which are of one length."""
    size = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1)
    angle = np.arccos(np.clip(np.sum(a * b, axis=1) / size, -1.0, 1.0))
    sine = np.where(angle > 0.0, np.sin(angle), 1.0)
    first = np.where(angle > 0.0, np.sin((1.0 - s) * angle) / sine, 1.0 - s)
    second = np.where(angle > 0.0, np.sin(s * angle) / sine, s)
    return np.asarray(first[:, None] * a + second[:, None] * b)


def _across(still: tuple[float, float], s: Array, begin: Array, end: Array) -> Array:
    """(m, n) the u of a lane at shares s (n,), where it begins and ends at u (m,). The map is C2.

    Raises: FieldError, when the corners lie too far from those of the skin.
    """
    low, high = still
    if low >= 1.0:
        return begin[:, None] + s * (end - begin)[:, None]
    if np.abs(begin).max() > BENT * low or np.abs(1.0 - end).max() > BENT * (1.0 - high):
        raise FieldError(
            "a corner comes to lie where the side beside it bends at once; make the radius or the wall less"
        )
    first, last = np.clip(1.0 - s / low, 0.0, 1.0) ** 3, np.clip((s - high) / (1.0 - high), 0.0, 1.0) ** 3
    return np.asarray(s + begin[:, None] * first + (end - 1.0)[:, None] * last)


def skin_of(field: SectionField, tolerance: float) -> WorkedSkin | None:
    """A body's skin, not worked on yet; None of one that does not lie between two flat ends, or has holes through it."""
    if field.ring or field.common.open or field.wrap is not None or any(lane.loop for lane in field.common.lanes):
        return None
    ends = field.sections(field.nodes[[0, -1]])
    low, high = (Level(ends.origin[k], ends.normal[k]) for k in (0, 1))
    return WorkedSkin(Offsets(field, low, high, tolerance))


@dataclass(frozen=True, eq=False)
class WorkedGrids:
    """A worked body to be looked at: the sides (n_y, n_s, 3) of its skin and of the hollow in it, in order, and whether the hollow
    reaches through its ends."""

    outer: tuple[Array, ...]
    inner: tuple[Array, ...] = ()
    open: tuple[bool, bool] = (False, False)


SEEN_ACROSS, SEEN_ROUND, SEEN_ALONG = 65, 9, 49
"""Places at which a worked skin is looked at: across a lane, across a round, and along the body."""


def seen(skin: WorkedSkin, moving: bool) -> tuple[Array, ...]:
    """The sides of a skin at even places; fewer, and roughly, while something is `moving`.

    Raises: FieldError, where it folds or its sides do not meet.
    """
    skin = replace(skin, rough=moving)
    every = 2 if moving else 1
    counts = [
        SEEN_ACROSS // len(skin.base.field.common.lanes) + 8 if isinstance(side, int) else SEEN_ROUND
        for side in skin.sides
    ]
    shares = [np.linspace(0.0, 1.0, count // every + 1) for count in counts]
    return tuple(skin.points(shares, np.linspace(0.0, 1.0, SEEN_ALONG // every + 1)))
