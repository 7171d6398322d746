"""What a vessel holds: the volume inside its skin, less a wall, to any level; the level for a volume; the wetted area."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.mesh import applied
from isotomon.field.section_field import SectionField
from isotomon.geometry.curvature import curvature_from
from isotomon.geometry.planar import cross3
from isotomon.geometry.quadrature import gauss_rule

GAUSS, STRETCHES = 8, 128
"""Sites in each of so many stretches along the body."""


@dataclass(frozen=True, eq=False)
class Inside:
    """The inside of a vessel: heights (n,) mm of places on its inner skin, ascending, and there the area elements, whole and
    as seen from above (positive where the skin faces up). `floor`, `brim`: heights between which it holds anything;
    `base`: mm² of the inner skin's lower end.
    """

    height: Array
    area: Array
    flat: Array
    floor: float
    brim: float
    base: float

    def taken(self, size: float, lift: float) -> Inside:
        """The same of the vessel made larger by a ratio, and then lifted by some mm."""
        low, high = self.floor * size + lift, self.brim * size + lift
        area = size * size
        return Inside(self.height * size + lift, self.area * area, self.flat * area, low, high, self.base * area)

    @cached_property
    def _sums(self) -> tuple[Array, Array]:
        start = np.zeros(1)
        return (
            np.concatenate([start, np.cumsum(self.flat)]),
            np.concatenate([start, np.cumsum(np.clip(self.height, self.floor, None) * self.flat)]),
        )

    def volumes(self, levels: Array) -> Array:
        """(n,) mm³ up to levels (n,) mm, by the divergence theorem for a field that only rises below the level.

        Raises: FieldError, for a level above the brim.
        """
        levels = np.asarray(levels, dtype=float)
        if levels.max() > self.brim * (1.0 + 1e-12) + 1e-9:
            raise FieldError(
                f"the level, {levels.max():.5g} mm, lies above the brim at {self.brim:.5g} mm; use a lower one"
            )
        flat, moment = self._sums
        upto = np.searchsorted(self.height, levels)
        return np.where(
            levels > self.floor, moment[upto] - levels * flat[upto] + (levels - self.floor) * self.base, 0.0
        )

    def wetted(self, levels: Array) -> Array:
        """(n,) mm² of the inner skin and the floor that are wet up to levels (n,) mm."""
        flat, _ = self._sums
        floor = self.base - flat[np.searchsorted(self.height, self.floor)]
        heights, first = np.unique(np.round(self.height, 9), return_index=True)
        rows = np.add.reduceat(self.area, first)
        below = np.cumsum(rows) - rows / 2.0
        # Half a site's area lies below the first of them.
        start = heights[0] - (heights[1] - heights[0]) * rows[0] / (rows[0] + rows[1])
        heights, below = np.append(start, heights), np.append(0.0, below)
        wet = np.interp(levels, heights, below) - np.interp(self.floor, heights, below)
        return np.where(np.asarray(levels) > self.floor, wet + floor, 0.0)

    def level(self, volume: float) -> float:
        """mm: the level at which it holds a volume (mm³).

        Raises: FieldError, when it holds no so much.
        """
        most = float(self.volumes(np.array([self.brim]))[0])
        if not 0.0 <= volume <= most:
            raise FieldError(
                f"it holds {most / 1e6:.5g} litres to the brim, not {volume / 1e6:.5g}; use a smaller volume"
            )
        low, high = self.floor, self.brim
        for _ in range(60):
            middle = (low + high) / 2.0
            low, high = (middle, high) if float(self.volumes(np.array([middle]))[0]) < volume else (low, middle)
        return (low + high) / 2.0


def inside(field: SectionField, up: Array, wall: float = 0.0) -> Inside:
    """The inside of a body whose first end is its floor: `wall` (mm) within its skin and above its floor; `up` (3,).

    The inner skin is the parallel surface, whose area is (1 - 2Ht + Kt²) of the skin's (do Carmo, section 3.5).
    Raises: FieldError, for a body that holds nothing.
    """
    if field.ring or field.common.open or field.wrap is not None:
        raise FieldError("only a solid body between two flat ends holds anything; choose another")
    if any(lane.loop for lane in field.common.lanes):
        raise FieldError("a body with holes through it holds nothing between its skin and them; take the holes out")
    ends = field.sections(field.nodes[[0, -1]])
    if float((ends.origin[1] - ends.origin[0]) @ up) <= 0.0:
        raise FieldError("the first end of a vessel is its floor, and here it lies above the last; turn the body over")
    if not field.stations[0].tip and float(ends.normal[0] @ up) < 1.0 - 1e-9:
        raise FieldError("the floor leans, so that it cannot be said what stands on it; make the first end level")
    height, area, flat, base = _laid(field, up, wall)
    rims = _offset(field, field.nodes[[0, -1]], wall, _sites(field)[0])[0]
    tip = bool(field.stations[0].tip)
    floor = float((rims[0] @ up).min()) if tip else float(ends.origin[0] @ up) + wall
    whole = field.common.matrix(_sites(field)[0]) @ ends.control[1]
    brim = min(float((rims[1] @ up).min()), float((whole @ up).min()))
    if brim - floor < 1e-9:
        raise FieldError("the wall leaves no room inside; make it thinner")
    order = np.argsort(height, kind="stable")
    return Inside(height[order], area[order], flat[order], floor, brim, base)


def _sites(field: SectionField) -> tuple[list[Array], Array]:
    found = [lane.basis.gauss() for lane in field.common.lanes]
    return [u for u, _ in found], np.concatenate([w for _, w in found])


def _offset(field: SectionField, v: Array, wall: float, u: list[Array]) -> tuple[Array, Array]:
    """(n_v, n_u, 3) places `wall` within the skin, and the area vectors there, outward, by u and v."""
    common = field.common
    sections = field.sections(v)
    value, slope, bend = (common.matrix(u, k) for k in range(3))
    p, pu, pv = (
        applied(value, sections.control),
        applied(slope, sections.control),
        applied(value, sections.slopes),
    )
    square = cross3(pu, pv)
    if wall == 0.0:
        return p, square
    step = 1e-5 * (field.last - field.first)
    low, high = np.maximum(v - step, field.first), np.minimum(v + step, field.last)
    pvv = applied(value, (field.sections(high).slopes - field.sections(low).slopes) / (high - low)[:, None, None])
    bent = curvature_from(pu, pv, applied(bend, sections.control), applied(slope, sections.slopes), pvv)
    size = np.linalg.norm(square, axis=2, keepdims=True)
    normal = square / np.maximum(size, 1e-300)
    mean, gauss = np.nan_to_num(bent.mean), np.nan_to_num(bent.gauss)
    share = 1.0 - 2.0 * mean * wall + gauss * wall * wall
    if share.min() <= 0.0:
        raise FieldError(f"the wall ({wall:.4g} mm) is thicker than the skin's bends allow; make it thinner")
    return p - wall * normal, square * share[..., None]


def _laid(field: SectionField, up: Array, wall: float) -> tuple[Array, Array, Array, float]:
    """Heights, areas and areas seen from above of all sites on the inner skin, and of its lower end."""
    x, w = gauss_rule(GAUSS)
    edges = np.unique(np.concatenate([np.linspace(field.first, field.last, STRETCHES + 1), field.edges]))
    width = np.diff(edges)[:, None]
    v, weight = (edges[:-1, None] + width * (x + 1.0) / 2.0).ravel(), (width * w / 2.0).ravel()
    u, round_ = _sites(field)
    places, square = _offset(field, v, wall, u)
    square = square * (weight[:, None] * round_)[..., None]
    flat = (square @ up).ravel()
    # The inner skin ends in a rim whose area, seen from above, closes it.
    fine = [np.linspace(0.0, 1.0, 2001)[:-1]] * len(u)
    rim = _offset(field, field.nodes[:1], wall, fine)[0][0]
    once, twice = (0.5 * float(np.sum(cross3(r, np.roll(r, -1, axis=0)) @ up)) for r in (rim, rim[::2]))
    base = once + (once - twice) / 3.0
    return (places @ up).ravel(), np.linalg.norm(square, axis=2).ravel(), flat, max(base, 0.0)
