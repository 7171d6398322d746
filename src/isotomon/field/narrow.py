"""The two narrow places of a flat end between which its two long sides run: noses, sharp edges and tails."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import Offsets
from isotomon.geometry.basis import Basis

CRISP = np.radians(12.0)
"""rad: where the outline turns by more at once, two sides meet at an edge."""
LOOKED, ASIDE = 193, 1e-7
"""Places on a lane at which its outline is looked at, and how far beside a border it is seen how that runs."""
TAIL, OBLONG = 0.5, 0.9
"""Of the side between two edges: one no longer than this share of the longest is a tail; of four, the two tails are so much shorter."""
APART = 0.25
"""Of the way round: two noses lie no nearer to each other."""
WITHIN = 0.02
"""Of a side: no nose lies nearer to its ends."""
REACH, FINELY, ROUNDS, PARTS = 1.5, 1001, 5, 256
"""Of a lane: how far from its place a nose's ends are looked for, at how many places, and rounds that part what lies between two of
them, each into so many."""
NEARLY, SURELY = 0.99, 0.9
"""Of the most that the outline bends at a nose: where it bends less it goes on as a side; less for a while may be what fitting has left."""
HALF, ARC, MORE = 0.5, 0.05, 1e-6
"""Where it bends less than half so much within this share of its width from there, the nose is an arc; it is taken so much wider, where
a ball touches one place of each side."""
UNLIKE = "this end has no two long sides that lie opposite to each other; round its rim by a radius instead"


@dataclass(frozen=True)
class Narrow:
    """Where two long sides end: lane number and u as one number, from `low` to `high`, which are the same at an edge."""

    kind: Literal["nose", "edge", "tail"]
    low: float
    high: float

    def closed(self) -> Narrow:
        """A nose as one place, in its middle."""
        middle = (self.low + self.high) / 2.0
        return Narrow("nose", middle, middle) if self.kind == "nose" else self


def narrow_places(offsets: Offsets, v: float) -> tuple[Narrow, Narrow]:
    """Both of an end, which lies at v along the body, in order round it; noses roughly.

    Raises: FieldError, where there are no such two.
    """
    count, seen = len(offsets.field.common.lanes), _looked_at(offsets, v)
    corners = np.array(_corners(offsets, v))
    runs = _runs(seen, corners, count)

    def nose(low: float, high: float) -> Narrow:
        """Round where the outline bends most from one place on to another."""
        places = np.concatenate([seen.at, seen.at + count])
        inside = (places > low + (high - low) * WITHIN) & (places < high - (high - low) * WITHIN)
        return _nose(offsets, v, float(places[inside][np.tile(seen.bends, 2)[inside].argmax()]))

    both, shortest = runs[::2].sum(), int(runs.argmin()) if len(runs) else 0
    short = len(runs) > 1 and runs[shortest] <= TAIL * np.sort(runs)[len(runs) // 2]
    if len(corners) == 0:
        found = [_nose(offsets, v, place) for place in _sharpest(seen)]
    elif len(corners) == 1:
        found = [_edge(corners, 0), nose(corners[0], corners[0] + count)]
    elif len(corners) == 2 and short:
        tail = _tail(corners, shortest, count)
        found = [tail, nose(tail.high, tail.low + count)]
    elif len(corners) == 2:
        found = [_edge(corners, 0), _edge(corners, 1)]
    elif len(corners) == 3 and short:
        found = [_tail(corners, shortest, count), _edge(corners, shortest + 2)]
    elif len(corners) == 4 and min(both, runs.sum() - both) <= OBLONG * max(both, runs.sum() - both):
        k = int(both > runs.sum() - both)
        found = [_tail(corners, k, count), _tail(corners, k + 2, count)]
    else:
        raise FieldError(UNLIKE)
    first, second = sorted(
        (replace(n, low=n.low % count, high=n.low % count + n.high - n.low) for n in found), key=lambda n: n.low
    )
    return first, second


@dataclass(frozen=True, eq=False)
class _Bent:
    """The outline of an end at places all round it: these (n,), how far they are along it (n,), mm, and how much it bends there (n,), 1/mm."""

    at: Array
    gone: Array
    bends: Array


def _looked_at(offsets: Offsets, v: float) -> _Bent:
    u = np.linspace(0.0, 1.0, LOOKED)
    seen = [_bends(offsets, k, u, v) for k in range(len(offsets.field.common.lanes))]
    points = np.concatenate([points for points, _ in seen])
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    return _Bent(np.concatenate([k + u for k in range(len(seen))]), gone, np.concatenate([bends for _, bends in seen]))


def _runs(seen: _Bent, corners: Array, count: int) -> Array:
    """(k,) mm from each corner to the next one."""
    if not len(corners):
        return corners
    places, gone = np.append(seen.at, seen.at + count), np.append(seen.gone, seen.gone + seen.gone[-1])
    return np.asarray(np.diff(np.interp(np.append(corners, corners[0] + count), places, gone)))


def _sharpest(seen: _Bent) -> tuple[float, float]:
    """Where an outline without corners bends most, and where it does far from there."""
    whole, one = seen.gone[-1], int(seen.bends.argmax())
    apart = np.abs(np.mod(seen.gone - seen.gone[one] + whole / 2.0, whole) - whole / 2.0)
    far = apart > APART * whole
    return float(seen.at[one]), float(seen.at[far][seen.bends[far].argmax()])


def _edge(corners: Array, k: int) -> Narrow:
    at = float(corners[k % len(corners)])
    return Narrow("edge", at, at)


def _tail(corners: Array, k: int, count: int) -> Narrow:
    """The side from a corner to the next. Raises: FieldError, where it is not one face."""
    low, high = float(corners[k % len(corners)]), float(corners[(k + 1) % len(corners)])
    high += count if high <= low else 0
    if not (low.is_integer() and high - low == 1.0):
        raise FieldError("a narrow side of this end is no single face; round its rim by a radius instead")
    return Narrow("tail", low, high)


def _bends(offsets: Offsets, lane: int, u: Array, v: float) -> tuple[Array, Array]:
    """Where an end lies (n, 3) at u of a lane, and how much it bends there (n,), 1/mm."""
    jet = offsets.jet(lane, u, np.full(len(u), v))
    size = np.linalg.norm(jet[1], axis=1)
    return jet[0], np.linalg.norm(np.cross(jet[1], jet[3]), axis=1) / np.maximum(size, 1e-9 * size.max()) ** 3


def _nose(offsets: Offsets, v: float, at: float) -> Narrow:
    """The stretch round a place where the outline bends almost as much as there: one ball touches it all.

    Raises: FieldError, where there is none, or it runs all round.
    """
    count = len(offsets.field.common.lanes)
    t = at + REACH * np.linspace(-1.0, 1.0, FINELY) ** 3

    def bending(places: Array) -> Array:
        found = np.empty(len(places))
        for lane in np.unique(np.floor(places)):
            here = np.floor(places) == lane
            found[here] = _bends(offsets, int(lane) % count, places[here] - lane, v)[1]
        return found

    bends = bending(t)
    middle = FINELY // 2
    most = float(bends[middle])

    def border(share: float, way: int) -> float:
        """Where it bends a share of the most, seen from outside, one way or the other."""
        ahead = bends[middle::way] / most
        out = np.flatnonzero(ahead < min(share, SURELY))
        if not len(out):
            raise FieldError(UNLIKE)
        last = int(np.flatnonzero(ahead[: out[0]] >= share)[-1])
        within, beyond = (float(t[middle + way * (last + k)]) for k in (0, 1))
        for _ in range(ROUNDS):
            between = np.linspace(within, beyond, PARTS + 1)
            first = int((bending(between)[1:] < share * most).argmax()) + 1
            within, beyond = float(between[first - 1]), float(between[first])
        return beyond

    low, high = border(NEARLY, -1), border(NEARLY, 1)
    if max(low - border(HALF, -1), border(HALF, 1) - high) < ARC * (high - low):
        low, high = border(HALF, -1), border(HALF, 1)
        more = MORE * (high - low)
        return Narrow("nose", low - more, high + more)
    return Narrow("nose", low, high)


def _corners(offsets: Offsets, v: float) -> list[float]:
    """The places round an end at which two sides meet at an edge, in order."""
    lanes = offsets.field.common.lanes
    places = []
    for k, lane in enumerate(lanes):
        if not lane.basis.periodic:
            places.append((k, 0.0))
        places += [(k, float(u)) for u in breaks_of(lane.basis)]
    found = []
    for k, u in places:
        before = (k, u - ASIDE) if u > 0.0 else (k - 1, 1.0 - ASIDE)
        a, b = (
            offsets.jet(lane % len(lanes), np.array([at]), np.array([v]))[1][0] for lane, at in (before, (k, u + ASIDE))
        )
        if np.arctan2(np.linalg.norm(np.cross(a, b)), a @ b) > CRISP:
            found.append(k + u)
    return found


def breaks_of(basis: Basis) -> Array:
    """The u between a lane's ends at which it is less smooth than its spline."""
    return np.asarray(basis.breaks[1:-1][basis.multiplicity[1:-1] > 1])
