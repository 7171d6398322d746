"""How much a body's skin turns at a corner along it, and where there is such a corner: it may fade out, or turn inward."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import Offsets

PLAIN = np.radians(2.0)
"""rad: lanes that meet at less all along are no corner that could be rounded."""
SMOOTH = 1e-7
"""rad: less is none; what is round at a station is so to rounding."""
LOOKED, HALVINGS = 129, 50
"""Even places at which it is looked how a corner turns; and how often the way to where it fades out is halved."""


@dataclass(frozen=True)
class Span:
    """Shares of the way along the body between which there is a corner; whether it `fades` out at the first, and at the last, or the body
    ends there; and its `way`: 1 outward, -1 inward."""

    low: float
    high: float
    fades: tuple[bool, bool]
    way: float


def lane_before(offsets: Offsets, lane: int) -> int:
    """The lane that ends where one begins. Raises: FieldError, for one that begins nowhere."""
    common = offsets.field.common
    found = common.beside(lane)[0]
    if found is None or common.lanes[lane].basis.periodic:
        raise FieldError("there is no corner along the body there")
    return found


def turns(offsets: Offsets, before: int, lane: int, share: Array) -> Array:
    """(m,) rad at shares (m,) of the way along: how much the skin turns where a lane ends and the next begins; outward more than nought."""
    v = offsets.field.first + share * (offsets.field.last - offsets.field.first)
    one, nought = np.ones_like(v), np.zeros_like(v)
    _, _, along, n, _ = offsets.moved(before, one, v, nought)
    m = offsets.moved(lane, nought, v, nought)[3]
    return np.arcsin(np.clip(np.sum(np.cross(n, m) * along, axis=1) / np.linalg.norm(along, axis=1), -1.0, 1.0))


@lru_cache(maxsize=64)
def spans(offsets: Offsets, before: int, lane: int) -> tuple[Span, ...]:
    """Where along the body there is a corner between two lanes.

    Raises: FieldError, where there is none that could be rounded.
    """
    field = offsets.field
    nodes = (field.nodes - field.first) / (field.last - field.first)
    share = np.union1d(np.linspace(0.0, 1.0, LOOKED), np.clip(nodes, 0.0, 1.0))
    turn = turns(offsets, before, lane, share)
    sign = np.where(np.abs(turn) < SMOOTH, 0.0, np.sign(turn))
    starts = np.flatnonzero(np.r_[True, sign[1:] != sign[:-1]])
    found = []
    for start, stop in zip(starts.tolist(), [*starts[1:].tolist(), len(sign)], strict=True):
        if sign[start] == 0.0 or np.abs(turn[start:stop]).max() < PLAIN:
            continue
        low, high = start > 0, stop < len(sign)
        ends = [
            _faded(offsets, (before, lane), share[[inner, outer]]) if faded else float(share[inner])
            for faded, inner, outer in ((low, start, start - 1), (high, stop - 1, min(stop, len(sign) - 1)))
        ]
        found.append(Span(ends[0], ends[1], (low, high), float(sign[start])))
    if not found:
        raise FieldError("there is hardly a corner along the body there; leave that edge out")
    return tuple(found)


def _faded(offsets: Offsets, lanes: tuple[int, int], between: Array) -> float:
    """The share between two at which a corner that is there at the first one is so no more."""
    inner, outer = between.tolist()
    begun = float(turns(offsets, *lanes, between[:1])[0])
    if abs(float(turns(offsets, *lanes, between[1:])[0])) < SMOOTH:
        return float(outer)
    for _ in range(HALVINGS):
        middle = (inner + outer) / 2.0
        same = float(turns(offsets, *lanes, np.array([middle]))[0]) * begun > 0.0
        inner, outer = (middle, outer) if same else (inner, middle)
    return float(outer)
