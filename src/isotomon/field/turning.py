"""How much a body's skin turns at a corner along it, and where there is such a corner: it may fade out, or turn inward."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import Offsets
from isotomon.geometry.roots import crossings

PLAIN = np.radians(2.0)
"""rad: lanes that meet at less all along are no corner that could be rounded."""
SMOOTH = 1e-7
"""rad: less is none; what is round at a station is so to rounding."""
LOOKED = 129
"""Even places at which it is looked how a corner turns."""


@dataclass(frozen=True)
class CornerSpan:
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


def is_corner(offsets: Offsets, lane: int) -> bool:
    """Whether there is a corner anywhere along the body where a lane begins."""
    try:
        return bool(spans(offsets, lane_before(offsets, lane), lane))
    except FieldError:
        return False


@lru_cache(maxsize=64)
def spans(offsets: Offsets, before: int, lane: int) -> tuple[CornerSpan, ...]:
    """Where along the body there is a corner between two lanes.

    Raises: FieldError, where there is none that could be rounded.
    """
    field = offsets.field
    nodes = (field.nodes - field.first) / (field.last - field.first)
    share = np.union1d(np.linspace(0.0, 1.0, LOOKED), np.clip(nodes, 0.0, 1.0))
    turn = turns(offsets, before, lane, share)
    sign = np.where(np.abs(turn) < SMOOTH, 0.0, np.sign(turn))
    begins = np.flatnonzero(np.r_[True, sign[1:] != sign[:-1]])
    ends = np.r_[begins[1:], len(sign)] - 1
    there = [sign[a] != 0.0 and np.abs(turn[a : b + 1]).max() >= PLAIN for a, b in zip(begins, ends, strict=True)]
    begins, ends = begins[there], ends[there]
    if not len(begins):
        raise FieldError("there is hardly a corner along the body there; leave that edge out")
    fades = np.stack([begins > 0, ends < len(sign) - 1])
    inner, outer = np.stack([begins, ends]), np.stack([np.maximum(begins - 1, 0), np.minimum(ends + 1, len(sign) - 1)])
    at = np.where(fades, share[outer], share[inner])
    search = fades & (sign[outer] != 0.0)  # else it is round at a station
    if search.any():
        at[search] = crossings(lambda x: turns(offsets, before, lane, x), share[inner[search]], share[outer[search]])
    return tuple(
        CornerSpan(low, high, (first, last), way)
        for low, high, first, last, way in zip(*at.tolist(), *fades.tolist(), sign[begins].tolist(), strict=True)
    )
