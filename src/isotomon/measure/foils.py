"""What a foil is to who makes blades: thickness and camber and where they are, and the radii of its edges. Arrays in, figures out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.planar import cross

SITES = 801
"""Places along the chord, crowded at its ends, at which both sides are looked at."""
NEAR_EDGE = 0.02
"""Of the chord: so near its leading or trailing point a section's radius is looked for."""
ENDS = 0.01
"""Of the chord, at both ends, where camber is not looked for: both sides are too steep there for their middle to be told."""
CORNER = 0.3
"""rad by which an outline turns between neighbouring places where it has a corner: an edge that is not rounded."""


@dataclass(frozen=True, eq=False)
class Foil:
    """Of a section, lengths in mm and places as shares of its chord from the leading point; NaN for what it has not: the radius of an
    edge that is a corner."""

    thickness: float
    thickest: float
    camber: float
    cambered: float
    leading_radius: float
    trailing_radius: float


def foil(points: Array, slopes: Array, bends: Array, leading: Array, trailing: Array) -> Foil:
    """Of a closed outline in its plane by places (n, 2) on it, close together, with first and second derivatives there by any
    parameter, and its nominal leading and trailing points (2,): thickness and camber square to the chord."""
    along = trailing - leading
    chord = float(np.linalg.norm(along))
    if chord <= 0.0:
        return Foil(*[np.nan] * 6)
    x_way = along / chord
    y_way = np.array([-x_way[1], x_way[0]])
    x, y = (points - leading) @ x_way, (points - leading) @ y_way
    nose = int(np.argmin(x * x + y * y))
    if np.hypot(x[nose], y[nose]) < NEAR_EDGE * chord:  # the outline passes there, between two of the places
        x[nose], y[nose] = 0.0, 0.0
    upper, lower, at = _sides(x, y)
    gap, line = upper - lower, (upper + lower) / 2.0
    thick, thick_at = _peak(at, gap)
    between = slice(*np.searchsorted(at, [ENDS * chord, (1.0 - ENDS) * chord]))
    sign = 1.0 if line[between].max() >= -line[between].min() else -1.0
    bent, bent_at = _peak(at[between], sign * line[between])
    turning = np.abs(cross(slopes, bends)) / np.maximum(np.linalg.norm(slopes, axis=1) ** 3, 1e-300)
    ahead = np.angle((slopes[:, 0] + 1j * slopes[:, 1]) * np.conj(np.roll(slopes[:, 0] + 1j * slopes[:, 1], 1)))
    radii = []
    for end in (leading, trailing):
        near = np.linalg.norm(points - end, axis=1) < NEAR_EDGE * chord
        corner = not near.any() or np.abs(ahead[near]).max() > CORNER
        radii.append(np.nan if corner else 1.0 / float(turning[near].max()))
    flat = abs(bent) < 1e-6 * chord
    return Foil(
        thick, thick_at / chord, 0.0 if flat else sign * bent, np.nan if flat else bent_at / chord, radii[0], radii[1]
    )


def _sides(x: Array, y: Array) -> tuple[Array, Array, Array]:
    """Heights of the upper and the lower side of an outline at places along its chord, and these."""
    left, right = int(np.argmin(x)), int(np.argmax(x))
    count = len(x)
    one = np.arange(left, left + (right - left) % count + 1) % count
    other = np.arange(right, right + (left - right) % count + 1)[::-1] % count
    at = x[left] + (x[right] - x[left]) * (1.0 - np.cos(np.linspace(0.0, np.pi, SITES))) / 2.0
    heights = [np.interp(at, np.maximum.accumulate(x[side]), y[side]) for side in (one, other)]
    upper, lower = sorted(heights, key=lambda h: -float(h.sum()))
    return upper, lower, at


def _peak(at: Array, value: Array) -> tuple[float, float]:
    """The greatest of values, and where: by a parabola through the three about it."""
    best = int(np.clip(np.argmax(value), 1, len(at) - 2))
    x, y = at[best - 1 : best + 2], value[best - 1 : best + 2]
    c, b, a = np.polynomial.polynomial.polyfit(x - x[1], y, 2).tolist()
    if a >= 0.0:
        return float(value.max()), float(at[np.argmax(value)])
    off = float(np.clip(-b / (2.0 * a), x[0] - x[1], x[2] - x[1]))
    return c + b * off + a * off * off, float(x[1]) + off
