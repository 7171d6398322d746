"""How the skin leaves the ends of a body: square to the end's plane, or leaning outward from square.

Over an absolute length the sections are moved by a function that changes their slope at the end and nothing else, so that
all stations are still met and the skin stays C2.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.field.carriers import Frames
from isotomon.field.correspond import Correspondence
from isotomon.geometry.planar import cross

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class End:
    """At `v` (mm), over `length` mm towards the other end (`way` is 1 or -1), slopes change by `change` (n + 2, 2)."""

    v: float
    length: float
    way: float
    change: Array

    def moved(self, v: Array) -> tuple[Array, Array]:
        """(n_v, n + 2, 2) each: what is added to the sections at v, and its derivative."""
        t = np.clip(self.way * (v - self.v) / self.length, 0.0, 1.0)
        # Nought at both ends with first and second derivative, but for a slope of 1 at the start.
        rise = (1.0 - t) ** 3 * (t + 3.0 * t * t)
        slope = (1.0 - t) ** 2 * ((1.0 - t) * (1.0 + 6.0 * t) - 3.0 * (t + 3.0 * t * t))
        size = self.length * self.way
        return size * rise[:, None, None] * self.change, slope[:, None, None] * self.change


def make_end(
    common: Correspondence,
    frames: Frames,
    local: Array,
    local1: Array,
    v: float,
    length: float,
    way: float,
    angle: float,
) -> End:
    """The end at v, at which the section is `local` (n + 2, 2) with the slope `local1`, leaning outward by `angle` (rad).

    `frames`: of the one plane at v.
    """
    wanted = way * np.tan(angle) * _outward(common, local)
    # In the plane's own axes the plane itself moves on as well.
    on = frames.origin1[0] + local @ np.stack([frames.across1[0], frames.up1[0]])
    along = on @ np.cross(frames.across[0], frames.up[0])
    drift = np.stack([on @ frames.across[0], on @ frames.up[0]], axis=1)
    return End(v, length, way, wanted * along[:, None] - drift - local1)


def _outward(common: Correspondence, local: Array) -> Array:
    """(n + 2, 2) control points of a field round the section whose part square to the outline is 1 outward everywhere;
    at corners it runs along the mitre. Nominal points move as the middle does: not at all."""
    result = np.zeros_like(local)
    lanes = common.lanes
    ends = np.array([[lane.basis.matrix(np.array([0.0, 1.0]), 1) @ local[lane.columns]] for lane in lanes])[:, 0]
    ways = ends / np.maximum(np.linalg.norm(ends, axis=2, keepdims=True), 1e-300)
    into, out = np.roll(ways[:, 1], 1, axis=0), ways[:, 0]
    # At the corner before lane k: the tangential part along each side that makes both sides agree on the mitre.
    half = np.tan(np.clip(np.arctan2(cross(into, out), np.sum(into * out, axis=1)) / 2.0, -1.3, 1.3))
    periodic = lanes[0].basis.periodic
    for k, lane in enumerate(lanes):
        start, end = (0.0, 0.0) if periodic else (-float(half[k]), float(half[(k + 1) % len(lanes)]))

        def normal(w: Array, lane=lane, start=start, end=end) -> Array:  # type: ignore[no-untyped-def]
            tangent = lane.basis.matrix(w, 1) @ local[lane.columns]
            tangent = tangent / np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-300)
            side = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
            return np.asarray(side + (start + w * (end - start))[:, None] * tangent)

        result[lane.columns] = lane.basis.interpolate(normal)
    if not periodic:
        for k, lane in enumerate(lanes):
            result[lanes[k - 1].columns.stop - 1] = result[lane.columns.start]
    return result
