"""Worked skins as they are looked at: at even places, roughly while something moves."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.offsets import Offsets
from isotomon.field.parallel import WorkedSkin


@dataclass(frozen=True, eq=False)
class WorkedGrids:
    """A worked body to be looked at: the sides (n_y, n_s, 3) of its skin and of the hollow in it, in order, whether the hollow
    reaches through its ends, and the rounds in place of its ends."""

    outer: tuple[Array, ...]
    inner: tuple[Array, ...] = ()
    open: tuple[bool, bool] = (False, False)
    away: tuple[bool, bool] = (False, False)
    rounds: tuple[Array, ...] = ()


SEEN_ACROSS, SEEN_ROUND, SEEN_ALONG = 65, 9, 49
"""Places at which a worked skin is looked at: across a lane, across a round, and along the body."""


@dataclass(frozen=True)
class _Look:
    """A skin to be looked at: the same one for all that say the same of the same body."""

    base: Offsets
    outer: Offsets | None
    said: tuple[object, ...]
    moving: bool
    skin: WorkedSkin = field(compare=False)


def seen(skin: WorkedSkin, moving: bool) -> tuple[Array, ...]:
    """The sides of a skin at even places; fewer, and roughly, while something is `moving`. The same arrays for the same skin: of a hollow
    whose wall is scrubbed the outside stays.

    Raises: FieldError, where it folds or its sides do not meet.
    """
    return _seen(_Look(skin.base, skin.outer, tuple(skin.said()), moving, skin))


@lru_cache(maxsize=8)
def _seen(look: _Look) -> tuple[Array, ...]:
    skin = replace(look.skin, fineness="rough" if look.moving else "fitted")
    every = 2 if look.moving else 1
    counts = [
        SEEN_ACROSS // len(skin.base.field.common.lanes) + 8 if isinstance(side, int) else SEEN_ROUND
        for side in skin.sides
    ]
    shares = [np.linspace(0.0, 1.0, count // every + 1) for count in counts]
    return tuple(skin.points(shares, np.linspace(0.0, 1.0, SEEN_ALONG // every + 1)))


def seen_rounds(skin: WorkedSkin, moving: bool) -> tuple[Array, ...]:
    """The rounds in place of a skin's ends as they are looked at, as its sides are.

    Raises: FieldError, where there are none.
    """
    every = 2 if moving else 1
    up, along = np.linspace(0.0, 1.0, SEEN_ROUND // every + 1), np.linspace(0.0, 1.0, SEEN_ALONG // every + 1)
    made = list[Array]()
    for end in replace(skin, fineness="rough" if moving else "fitted").end_rounds:
        grids = [end.on(strip, along, up)[:: -1 if strip.half else 1] for strip in end.strips]
        grids += [end.closing(number, up, up) for number in end.noses]
        made += [grid.transpose(1, 0, 2)[:: 1 if end.last else -1] for grid in grids]
    return tuple(made)


TRIES, SURELY = 9, 0.98
"""Halvings in which the largest size that works is looked for, and the share of it that is offered: what is looked at is rough."""


def can_be_seen(skin: WorkedSkin) -> bool:
    """Whether a skin neither folds nor comes apart, looked at roughly."""
    try:
        seen(skin, True)
    except FieldError:
        return False
    return True


def largest_share(skin: WorkedSkin) -> float:
    """The share of its wall, or without a wall of its radii, with which a skin that cannot be worked on so could be; nought for none."""
    low, high = 0.0, 1.0
    for _ in range(TRIES):
        middle = (low + high) / 2.0
        low, high = (middle, high) if can_be_seen(skin.resized(middle)) else (low, middle)
    return SURELY * low
