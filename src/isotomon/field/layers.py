"""Channels along the body: interpolants of what the stations hold, by rank, and round a ring."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from isotomon.arrays import Array, Mask
from isotomon.geometry.hermite import Hermite, Settle, smooth


@dataclass(frozen=True, eq=False)
class Layers:
    """A channel along the body: the interpolant of the first stations, and corrections by those inserted later."""

    parts: tuple[Hermite, ...]

    def __call__(self, v: Array, derivative: int = 0) -> Array:
        return sum((part(v, derivative) for part in self.parts[1:]), start=self.parts[0](v, derivative))


class Turned(NamedTuple):
    """A station as far as its turn goes: mm and rad."""

    position: float
    rank: int
    set_angle: float
    round: bool


Channel = Callable[[Any], Array]


def angle_course(stations: Sequence[Any], round_: float = 0.0, closing: float = 0.0) -> Layers:
    """The angle along the body, (n_v, 1) rad, through the stations that are not round. A ring of `round_` mm comes back
    turned by `closing` rad."""
    back = [np.array([closing])]
    return layers(stations, [lambda s: np.array([s.set_angle])], without=lambda s: s.round, round_=round_, back=back)


def layers(
    stations: Sequence[Any],
    channels: Sequence[Channel],
    without: Callable[[Any], bool] = lambda s: False,
    settle: Settle | None = None,
    dimension: int = 0,
    round_: float = 0.0,
    back: Sequence[Array] = (),
) -> Layers:
    """The interpolant by rank, channels side by side. A station `without` a value takes its neighbour's at the ends
    of the body and is passed over between. `settle` and `dimension` belong to the first channel. In a ring of `round_` mm
    the stations come again before the first and after the last (`rounds`); `back`: what each channel has changed by then.
    """
    parts: list[Hermite] = []
    for rank in sorted({s.rank for s in stations}):
        known = [s for s in stations if s.rank <= rank]
        x = np.array([s.position for s in known])
        values = [np.stack([channel(s) for s in known]) for channel in channels]
        has = np.array([not without(s) for s in known])
        if parts:
            new = np.array([s.rank == rank and not without(s) for s in known])
            so_far = Layers(tuple(parts))(x)
            columns = np.cumsum([0, *(v.shape[1] for v in values)])
            values = [
                np.where(new[:, None], v - so_far[:, a:b], 0.0)
                for v, a, b in zip(values, columns[:-1], columns[1:], strict=True)
            ]
            if max(float(np.abs(v).max()) for v in values) < 1e-12:
                continue
            settle = None
        low, high = float(x[0]) - round_, float(x[-1]) + round_
        if round_:
            turns = rounds(len(x))
            steps = list(back) if back and not parts else [np.zeros(1)] * len(values)
            has, x = np.tile(has, len(turns)), np.concatenate([x + k * round_ for k in turns])
            values = [np.vstack([v + k * b for k in turns]) for v, b in zip(values, steps, strict=True)]
        if not parts:
            x, values = _with_borrowed(x, values, has)
        curves = [smooth(x, v, settle, dimension) if k == 0 else smooth(x, v) for k, v in enumerate(values)]
        whole = Hermite(x, np.hstack([curve.data for curve in curves]))
        parts.append(_between(whole, low, high) if round_ else whole)
    return Layers(tuple(parts))


def rounds(count: int) -> range:
    """How often `count` stations of a ring come again, before and after: as often as it takes for a spline through all of them
    to have forgotten its ends, whose influence falls to 0.27 from site to site."""
    more = max(1, -(-28 // count))
    return range(-more, more + 1)


def _between(curve: Hermite, low: float, high: float) -> Hermite:
    """Of a curve, the sites from one place to another."""
    keep = np.tile((curve.x >= low - 1e-9) & (curve.x <= high + 1e-9), 3)
    return Hermite(curve.x[keep[: len(curve.x)]], curve.data[keep])


def _with_borrowed(x: Array, values: list[Array], has: Mask) -> tuple[Array, list[Array]]:
    if not has.any():
        return x, [np.zeros_like(v) for v in values]
    own = np.flatnonzero(has)
    nearest = np.clip(np.arange(len(x)), own[0], own[-1])
    keep = has | (nearest != np.arange(len(x)))
    return x[keep], [v[nearest][keep] for v in values]
