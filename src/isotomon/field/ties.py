"""Ties: which point of one outline belongs to which point of another, chosen for least turn and travel.

The choice is over all outlines at once. Ties set by hand and the places of rails are held; between them corners are
matched in their order round the section, and what has no partner falls where the outline is nearest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from isotomon.arrays import Array, Mask
from isotomon.errors import CrossedError, FieldError
from isotomon.geometry.planar import cross
from isotomon.profile.outline import Outline2D

ALONE = 0.09
"""What it costs a corner, or a tie, to have no partner, as the square of a distance between outlines about 1 wide: a corner is
matched with one up to 50° away on a round section."""
MERGE = 0.03
"""Corners closer than this share of the perimeter may meet in one corner on another outline."""
SNAP = 1e-6
"""A held place this near a corner (share of the perimeter) is the corner."""
NO_AREA = 1e-6
"""An outline that encloses less than this share of the squares over its sides encloses nothing but rounding."""
APART = 2e-3
"""Neighbouring ties that are no corners keep this share of the perimeter between them."""


@dataclass(frozen=True)
class Held:
    """A tie set by hand, or a rail's place: `shares` of the arc length by outline index, not all need to be known."""

    name: str
    shares: tuple[float | None, ...]


@dataclass(frozen=True, eq=False)
class Ties:
    """`share`: (outlines, ties + 1), where each tie lies on each outline as a share of its arc length, counted from
    the outline's start and not wrapped, the first tie repeated one turn later. `corner`: (outlines, ties), whether
    the outline has a corner there. `u`: (ties + 1,) from 0 to 1. `names`: of held ties, else empty;
    of open outlines, whose last is their ends, (ties + 1,).
    """

    share: Array
    corner: Mask
    u: Array
    names: tuple[str, ...]


@dataclass(eq=False)
class _TieUnderWay:
    """A tie under way: its places so far by outline, and where it lies (2,) on those, all outlines about as wide as 1."""

    name: str = ""
    share: dict[int, float] = field(default_factory=dict)
    place: dict[int, Array] = field(default_factory=dict)

    def seen_from(self, outline: int) -> Array:
        """Its place on the nearest outline that has it."""
        here = self.place.get(outline)
        return self.place[min(self.place, key=lambda i: abs(i - outline))] if here is None else here


class _TieOutline:
    """An outline with what is asked of it often: samples round it about its centroid, half a unit from it in the mean."""

    def __init__(self, outline: Outline2D) -> None:
        self.outline = outline
        self.corners = outline.corner_lengths() / outline.length
        self.s = np.arange(720) / 720.0
        points = outline.points(self.s * outline.length)
        self.middle = _centroid(points)
        self.size = 2.0 * float(np.sqrt(np.mean(np.sum((points - self.middle) ** 2, axis=1))))
        self.samples = (points - self.middle) / self.size
        seen = np.unwrap(np.arctan2(self.samples[:, 1], self.samples[:, 0]))
        self.seen: Array | None = seen if np.all(np.diff(seen) > 0.0) and seen[-1] - seen[0] < 2 * np.pi else None
        corners = outline.points(self.corners * outline.length)
        self._known = dict(zip(self.corners.tolist(), (corners - self.middle) / self.size, strict=True))

    def at(self, share: float) -> Array:
        known = self._known.get(share)
        if known is None:
            point = self.outline.points(np.array([share * self.outline.length]))[0]
            known = self._known[share] = (point - self.middle) / self.size
        return known

    def snapped(self, share: float) -> float:
        """A share, or the corner's if one is there."""
        if len(self.corners):
            away = np.abs((self.corners - share + 0.5) % 1.0 - 0.5)
            k = int(away.argmin())
            if away[k] < SNAP:
                return float(self.corners[k])
        return share % 1.0

    def is_corner(self, share: float) -> bool:
        return bool(len(self.corners)) and bool(np.abs((self.corners - share + 0.5) % 1.0 - 0.5).min() < 1e-9)

    def facing(self, place: Array, start: float, wide: float) -> float:
        """How far on from `start`, within `wide`, the outline faces a place: in its direction from the middle if the
        middle sees all of the outline, else nearest to it."""
        if self.seen is not None:
            direction = np.arctan2(place[1], place[0])
            wanted = self.seen[0] + np.mod(direction - self.seen[0], 2 * np.pi)
            turn = np.append(self.seen, self.seen[0] + 2 * np.pi)
            on = (float(np.interp(wanted, turn, np.append(self.s, 1.0))) - start) % 1.0
            if on <= wide:
                return on
            return 0.0 if 1.0 - on < on - wide else wide
        ahead = np.mod(self.s - start, 1.0)
        away = np.where(ahead <= wide, np.linalg.norm(self.samples - place, axis=1), np.inf)
        return float(ahead[int(away.argmin())])


def _centroid(points: Array) -> Array:
    """(2,) of the area inside a polygon. Raises: FieldError, for one that encloses none."""
    after = np.roll(points, -1, axis=0)
    swirl = cross(points, after)
    if not abs(swirl.sum()) > NO_AREA * float(np.sum((after - points) ** 2)):
        raise FieldError("one of its profiles encloses no area; mend its drawing, or give the station another section")
    return np.asarray(((points + after) * swirl[:, None]).sum(axis=0) / (3.0 * swirl.sum()))


def automatic_ties(outlines: Sequence[Outline2D], held: Sequence[Held] = ()) -> Ties | None:
    """Ties at every corner of every outline, and the held ones; None when there is neither a corner nor anything held.

    Outlines are taken already turned back, so that equal directions from the middle mean no turn.
    Raises: CrossedError, when held ties do not go round all outlines in one order.
    """
    shapes = [_TieOutline(o) for o in outlines]
    ties = _held_ties(shapes, held)
    order = sorted(range(len(shapes)), key=lambda i: (-len(shapes[i].corners), i))
    if not ties and not len(shapes[order[0]].corners):
        return None
    for i in order:
        if len(shapes[i].corners):
            ties = _with_corners(i, shapes[i], ties)
    for i, shape in enumerate(shapes):
        _fill(i, shape, ties)
    return _placed(shapes, ties)


def _held_ties(shapes: list[_TieOutline], held: Sequence[Held]) -> list[_TieUnderWay]:
    """Held ties in their order round the section."""
    ties = []
    for h in held:
        tie = _TieUnderWay(h.name)
        for i, share in enumerate(h.shares):
            if share is not None:
                tie.share[i] = shapes[i].snapped(share)
                tie.place[i] = shapes[i].at(tie.share[i])
        if tie.share:
            ties.append(tie)
    if len(ties) < 2:
        return ties
    ties = _by_direction(ties)
    for i in range(len(shapes)):
        here = np.array([t.share[i] for t in ties if i in t.share])
        steps = np.mod(np.diff(np.append(here, here[:1])) + 1e-9, 1.0) - 1e-9
        if len(here) > 1 and abs(np.maximum(steps, 0.0).sum() - 1.0) > 1e-6:
            raise CrossedError([t.name for t in ties if i in t.share])
    return ties


def _by_direction(ties: list[_TieUnderWay]) -> list[_TieUnderWay]:
    """In their order on the outline that has most of them; the others fall in by their direction from the middle."""
    count = {i: sum(i in t.share for t in ties) for t in ties for i in t.share}
    base = max(count, key=lambda i: (count[i], -i))
    known = sorted((t for t in ties if base in t.share), key=lambda t: t.share[base])
    for tie in (t for t in ties if base not in t.share):
        angle = np.arctan2(*tie.seen_from(base)[::-1])
        others = np.array([np.arctan2(*t.seen_from(base)[::-1]) for t in known])
        behind = np.mod(angle - others, 2 * np.pi)
        known.insert(int(behind.argmin()) + 1, tie)
    return known


def _with_corners(i: int, shape: _TieOutline, ties: list[_TieUnderWay]) -> list[_TieUnderWay]:
    """The ties with every corner of outline i on one of them; corners without a partner become ties of their own."""
    free = [float(c) for c in shape.corners if all(abs(t.share.get(i, -1.0) - c) > 1e-12 for t in ties)]
    anchors = [k for k, t in enumerate(ties) if i in t.share]
    if not ties:
        return [_new(i, shape, c) for c in free]
    if not anchors:
        return _matched_round(i, shape, free, ties)
    result: list[_TieUnderWay] = []
    for a, b in zip(anchors, [*anchors[1:], anchors[0] + len(ties)], strict=True):
        start = ties[a].share[i]
        wide = (ties[b % len(ties)].share[i] - start) % 1.0 or 1.0
        inside = sorted((c for c in free if 0.0 < (c - start) % 1.0 < wide), key=lambda c: (c - start) % 1.0)
        between = [ties[k % len(ties)] for k in range(a + 1, b)]
        result += [ties[a], *_aligned(i, shape, inside, between)[1]]
    return result


def _new(i: int, shape: _TieOutline, corner: float) -> _TieUnderWay:
    return _TieUnderWay("", {i: corner}, {i: shape.at(corner)})


def _matched_round(i: int, shape: _TieOutline, corners: list[float], ties: list[_TieUnderWay]) -> list[_TieUnderWay]:
    """The cheapest alignment over all places to begin at on the outline."""
    apart = _apart(i, shape, corners, ties)
    begins = (np.arange(len(corners))[:, None] + np.arange(len(corners))) % len(corners)
    k = int(_costs(apart[begins], ALONE)[:, -1, -1].argmin())
    return _aligned(i, shape, corners[k:] + corners[:k], ties)[1]


def _apart(i: int, shape: _TieOutline, corners: list[float], ties: list[_TieUnderWay]) -> Array:
    """(corners, ties) squares of the distances between corners of outline i and ties as seen from it."""
    places = np.array([shape.at(c) for c in corners])
    goals = np.array([t.seen_from(i) for t in ties])
    return np.asarray(np.sum((places[:, None] - goals) ** 2, axis=2))


def in_order(apart: Array, alone: float) -> tuple[float, list[tuple[int, int]]]:
    """The least cost in all, and the pairs of rows and columns of `apart` (m, n) it is for, in one order; `alone` is what it
    costs to have no partner. By dynamic programming (Needleman and Wunsch, 1970)."""
    a, b = apart.shape
    cost = _costs(apart[None], alone)[0]
    best, pairs = float(cost[a, b]), []
    while a and b:
        ways = (cost[a - 1, b - 1] + apart[a - 1, b - 1], cost[a - 1, b] + alone, cost[a, b - 1] + alone)
        # What is as cheap but for rounding goes together.
        way = next(k for k, c in enumerate(ways) if c <= min(ways) + 1e-12)
        if way == 0:
            pairs.append((a - 1, b - 1))
        a, b = a - (way < 2), b - (way != 1)
    return best, pairs[::-1]


def _costs(apart: Array, alone: float) -> Array:
    """(k, m + 1, n + 1) the least cost of every beginning of k tables `apart` (k, m, n), a row at a time."""
    tables, m, n = apart.shape
    alone_so_far = alone * np.arange(n + 1)
    cost = np.empty((tables, m + 1, n + 1))
    cost[:, 0] = alone_so_far
    for a in range(m):
        row = np.empty((tables, n + 1))
        row[:, 0] = alone * (a + 1)
        row[:, 1:] = np.minimum(cost[:, a, :-1] + apart[:, a], cost[:, a, 1:] + alone)
        # A column left alone costs the same wherever it stands in the row.
        cost[:, a + 1] = np.minimum.accumulate(row - alone_so_far, axis=1) + alone_so_far
    return cost


def _aligned(
    i: int, shape: _TieOutline, corners: list[float], ties: list[_TieUnderWay]
) -> tuple[float, list[_TieUnderWay]]:
    """Ties with the corners of outline i on them, in order."""
    apart = _apart(i, shape, corners, ties) if corners and ties else np.zeros((len(corners), len(ties)))
    cost, pairs = in_order(apart, ALONE)
    result: list[_TieUnderWay] = []
    a = b = 0
    for corner, tie in [*pairs, (len(corners), len(ties))]:
        result += _merged_in([_new(i, shape, c) for c in corners[a:corner]], ties[b:tie], i)
        if tie < len(ties):
            ties[tie].share[i] = corners[corner]
            ties[tie].place[i] = shape.at(corners[corner])
            result.append(ties[tie])
        a, b = corner + 1, tie + 1
    return cost, result


def _merged_in(new: list[_TieUnderWay], old: list[_TieUnderWay], i: int) -> list[_TieUnderWay]:
    """Two runs of ties in one, each in its order, by where they lie round the middle."""
    result = list(old)
    at = 0
    for tie in new:
        angle = np.arctan2(*tie.place[i][::-1])
        while at < len(result) and np.sin(np.arctan2(*result[at].seen_from(i)[::-1]) - angle) < 0.0:
            at += 1
        result.insert(at, tie)
        at += 1
    return result


def _fill(i: int, shape: _TieOutline, ties: list[_TieUnderWay]) -> None:
    """Places on outline i for the ties that are not on it yet, in order between those that are."""
    anchors = [k for k, t in enumerate(ties) if i in t.share]
    if not anchors:
        k = max(range(len(ties)), key=lambda j: float(np.linalg.norm(ties[j].seen_from(i))))
        ties[k].share[i] = shape.facing(ties[k].seen_from(i), 0.0, 1.0) % 1.0
        anchors = [k]
    for a, b in zip(anchors, [*anchors[1:], anchors[0] + len(ties)], strict=True):
        between = [ties[k % len(ties)] for k in range(a + 1, b)]
        if not between:
            continue
        low, high = ties[a], ties[b % len(ties)]
        start = low.share[i]
        wide = (high.share[i] - start) % 1.0 or 1.0
        ahead = np.array([shape.facing(t.seen_from(i), start, wide) for t in between])
        ahead = _kept_apart(np.maximum.accumulate(ahead), wide)
        ahead = _merged(i, low, between, high, ahead, wide)
        for tie, on in zip(between, ahead.tolist(), strict=True):
            tie.share[i] = (start + on) % 1.0


def _kept_apart(ahead: Array, wide: float) -> Array:
    """Places in order with some room between them and to both ends, moved no more than that takes."""
    room = min(APART, wide / (2.0 * (len(ahead) + 1)))
    ramp = room * np.arange(1, len(ahead) + 1)
    low = np.maximum.accumulate(np.maximum(ahead - ramp, 0.0)) + ramp
    top = wide - room * np.arange(len(ahead), 0, -1)
    return np.minimum(low, top)


def _merged(
    i: int, low: _TieUnderWay, between: list[_TieUnderWay], high: _TieUnderWay, ahead: Array, wide: float
) -> Array:
    """A tie next to a corner of outline i shares it when elsewhere the two lie close (a trailing edge that closes)."""
    ahead = ahead.copy()
    for k, tie in enumerate(between):
        for beside, at in ((low, 0.0), (high, wide)):
            if tie.name or (beside is high and k != len(between) - 1) or (beside is low and k != 0):
                continue
            gaps = [
                abs((tie.share[m] - beside.share[m] + 0.5) % 1.0 - 0.5) for m in tie.place.keys() & beside.place.keys()
            ]
            if gaps and max(gaps) < MERGE and i in beside.place:
                ahead[k] = at
    return ahead


def _placed(shapes: list[_TieOutline], ties: list[_TieUnderWay]) -> Ties:
    count = len(ties)
    share = np.zeros((len(shapes), count + 1))
    corner = np.zeros((len(shapes), count), dtype=bool)
    for i, shape in enumerate(shapes):
        here = np.array([t.share[i] for t in ties])
        steps = np.maximum(np.mod(np.diff(np.append(here, here[0])) + 1e-9, 1.0) - 1e-9, 0.0)
        if steps.sum() < 0.5:
            # All ties share one corner: the lane that is widest elsewhere takes the whole way round.
            steps[int(np.argmax(_widths(ties)))] += 1.0
        share[i] = here[0] + np.r_[0.0, np.cumsum(steps)]
        share[i, -1] = here[0] + 1.0
        corner[i] = [shape.is_corner(s) for s in here]
    u = (share - share[:, :1]).mean(axis=0)
    if np.any(np.diff(u) <= 0.0):
        raise FieldError("two corners fall together on every section; use sections that are more alike")
    return Ties(share, corner, u, tuple(t.name for t in ties))


def _widths(ties: list[_TieUnderWay]) -> Array:
    """How far each tie is from the next, on the outline where that is most."""
    return np.array(
        [
            max((((b.share[i] - a.share[i]) % 1.0) for i in a.share.keys() & b.share.keys()), default=0.0)
            for a, b in zip(ties, [*ties[1:], ties[0]], strict=True)
        ]
    )
