"""Curves along the body as a chart on paper, with laws and their bands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.paper.frame import Box, rectangle, segment
from isotomon.paper.page import Item, Role, Stroke, Text


@dataclass(frozen=True, eq=False)
class Band:
    """What is intended: positions, targets and half bands, each (n,)."""

    position: Array
    target: Array
    half: Array


def chart(
    box: Box, title: str, unit: str, position: Array, value: Array, along: str, bands: Sequence[Band] = ()
) -> tuple[Item, ...]:
    """A curve over positions along the body (both in the units said), its axes, and what is intended of it behind it."""
    plot = Box(box.left + 18.0, box.bottom + 10.0, box.width - 22.0, box.height - 20.0)
    there = np.isfinite(value)
    items: list[Item] = [Text(box.left + 18.0, box.bottom + box.height - 6.0, f"{title}, {unit}", 3.2, bold=True)]
    if not there.any():
        return (*items, Text(float(plot.middle[0]), float(plot.middle[1]), "there is none", 2.6, "middle"))
    reach = [value[there], *(band.target + sign * band.half for band in bands for sign in (-1.0, 1.0))]
    low, high = (float(f([f(r[np.isfinite(r)]) for r in reach if np.isfinite(r).any()])) for f in (np.min, np.max))
    pad = 0.06 * (high - low) if high - low > 1e-9 * max(abs(high), 1.0) else max(0.05 * abs(high), 1.0)
    low, high = low - pad, high + pad
    first, last = float(position[0]), float(position[-1])

    def placed(x: Array, y: Array) -> Array:
        share = np.stack([(x - first) / max(last - first, 1e-12), (y - low) / (high - low)], axis=1)
        return np.array([plot.left, plot.bottom]) + share * np.array([plot.width, plot.height])

    for band in bands:
        within = np.clip(band.position, first, last)
        edge = np.vstack([placed(within, band.target + band.half), placed(within, band.target - band.half)[::-1]])
        items.append(Stroke(edge, "band", closed=True, filled=True))
    for mark in ticks(low, high):
        y = float(placed(np.array([first]), np.array([mark]))[0, 1])
        items += [segment(plot.left, y, plot.left + plot.width, y, "hair")]
        items.append(Text(plot.left - 1.5, y - 0.8, number(mark, high - low), 2.2, "right"))
    for mark in ticks(first, last):
        x0 = float(placed(np.array([mark]), np.array([low]))[0, 0])
        items += [segment(x0, plot.bottom, x0, plot.bottom - 1.2, "size")]
        items.append(Text(x0, plot.bottom - 4.2, number(mark, last - first), 2.2, "middle"))
    items.append(Text(plot.left + plot.width, plot.bottom - 8.0, along, 2.2, "right"))
    items.append(rectangle(plot, "frame"))
    lines: list[tuple[Array, Array, Role]] = [(band.position, band.target, "law") for band in bands]
    for x, values, role in (*lines, (position, value, "curve")):
        fine = np.isfinite(values)
        for part in np.split(np.arange(len(values)), np.flatnonzero(np.diff(fine)) + 1):
            if fine[part[0]] and len(part) > 1:
                items.append(Stroke(placed(np.clip(x[part], first, last), values[part]), role))
    return tuple(items)


TICKS = 6
"""Marks on an axis, about."""


def ticks(low: float, high: float) -> list[float]:
    """Round numbers between two, some `TICKS` of them."""
    rough = (high - low) / TICKS
    if not rough > 0.0:
        return [low]
    power = 10.0 ** np.floor(np.log10(rough))
    step = float(next(m for m in (1.0, 2.0, 2.5, 5.0, 10.0) if m * power >= rough * (1.0 - 1e-9)) * power)
    return [
        float(step * k) + 0.0 for k in range(int(np.ceil(low / step - 1e-9)), int(np.floor(high / step + 1e-9)) + 1)
    ]


def number(value: float, span: float) -> str:
    """A mark's number with as many decimals as tell its neighbours apart."""
    decimals = int(np.clip(np.ceil(-np.log10(max(span / TICKS / 10.0, 1e-12))), 0, 6))
    text = f"{value:,.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text
