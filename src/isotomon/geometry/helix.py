"""The helix about an axis: constant or changing pitch and radius, with leads that run on past its ends."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.datums import Axis, SpaceCurve, plane_at

Along = Callable[[Array], Array]


@dataclass(frozen=True, eq=False)
class Helix:
    """`radius` and `height` (mm) as functions of the share of its turns, 0 at its start and 1 at its end.

    `turns` about `axis`, right- or left-handed, from `start` (rad, from the X of the plane square to the axis).
    `leads`: lengths (mm) before the start and after the end: straight on along the tangent, or, `fading`, round on
    while the radius grows by `fade` mm.
    """

    axis: Axis
    radius: Along
    height: Along
    turns: float
    left: bool = False
    start: float = 0.0
    leads: tuple[float, float] = (0.0, 0.0)
    fading: bool = False
    fade: float = 0.0

    def curve(self) -> SpaceCurve:
        """The helix with its leads, as a curve on [0, 1] that runs about evenly along all of it."""
        base = plane_at(self.axis.origin, self.axis.way)
        sign = -1.0 if self.left else 1.0

        def spot(s: Array, more: Array | float = 0.0) -> Array:
            phi = self.start + sign * 2.0 * np.pi * self.turns * s
            r = self.radius(np.clip(s, 0.0, 1.0)) + more
            side = np.cos(phi)[:, None] * base.across + np.sin(phi)[:, None] * base.up
            return np.asarray(base.origin + r[:, None] * side + self._height(s)[:, None] * base.normal)

        # Only how evenly the parameter runs over helix and leads hangs on this length.
        inner = spot(np.linspace(0.0, 1.0, max(401, int(24 * abs(self.turns)) + 1)))
        length = float(np.linalg.norm(np.diff(inner, axis=0), axis=1).sum())
        before, after = self.leads
        whole = length + before + after
        s0, s1 = before / whole, 1.0 - after / whole
        eps = 1e-6
        ends = spot(np.array([0.0, 1.0]))
        runs = [
            (spot(np.array([eps])) - spot(np.array([0.0])))[0] / eps,
            (spot(np.array([1.0])) - spot(np.array([1.0 - eps])))[0] / eps,
        ]

        def at(t: Array) -> Array:
            t = np.asarray(t, dtype=float)
            s = (t - s0) / (s1 - s0)
            if self.fading:
                share = np.maximum(np.where(s < 0.0, (s0 - t) / max(s0, 1e-300), (t - s1) / max(1.0 - s1, 1e-300)), 0.0)
                soft = share**3 * (10.0 - 15.0 * share + 6.0 * share**2)
                return spot(s, self.fade * soft)
            points = spot(np.clip(s, 0.0, 1.0))
            low, high = t < s0, t > s1
            for here, end, run, away in ((low, ends[0], runs[0], t - s0), (high, ends[1], runs[1], t - s1)):
                points[here] = end + (away[here] * whole)[:, None] * run / np.linalg.norm(run)
            return points

        return SpaceCurve(at, joints=tuple(s for s in (s0, s1) if 0.0 < s < 1.0))

    def _height(self, s: Array) -> Array:
        """Height along the axis; before and after the helix itself at the pitch of its ends."""
        if s.min() >= 0.0 and s.max() <= 1.0:
            return self.height(s)
        eps = 1e-6
        inside = np.clip(s, 0.0, 1.0)
        ends = self.height(np.array([0.0, eps, 1.0 - eps, 1.0]))
        before, after = (ends[1] - ends[0]) / eps, (ends[3] - ends[2]) / eps
        return self.height(inside) + np.where(s < 0.0, s * before, 0.0) + np.where(s > 1.0, (s - 1.0) * after, 0.0)
