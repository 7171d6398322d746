"""Which way a section's points move when all of its outline moves outward by 1: along its normals, at corners on the mitre."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.correspond import Correspondence, Lane
from isotomon.geometry.planar import cross

SHARPEST = math.radians(1.0)
"""An edge with less of an angle than this has no mitre to speak of: it lies more than a hundred times as far out as its sides."""
NO_WIDTH = 1e-12
"""mm: a lane no wider than this has come to nothing, and no way of its own."""


def outward(common: Correspondence, shape: Array) -> Array:
    """(n, 2) control points of a field round the section `shape` (n, 2) whose part square to the outline is 1 outward
    everywhere. Lines stay lines; a curved lane moves along its normals, and slides along itself towards the mitres at its ends.

    Raises: FieldError, for an edge so sharp that it has no mitre.
    """
    result = np.zeros_like(shape)
    for loop in range(common.lanes[-1].loop + 1):
        lanes = [
            lane for lane in common.lanes if lane.loop == loop and np.ptp(shape[lane.columns], axis=0).max() > NO_WIDTH
        ]
        if lanes:
            _round(lanes, shape, result, common.open)
    return result


def _round(lanes: Sequence[Lane], shape: Array, result: Array, is_open: bool) -> None:
    """The same round one run, put into `result`."""
    ends = np.stack([lane.basis.matrix(np.array([0.0, 1.0]), 1) @ shape[lane.columns] for lane in lanes])
    ways = ends / np.maximum(np.linalg.norm(ends, axis=2, keepdims=True), 1e-300)
    into, out = np.roll(ways[:, 1], 1, axis=0), ways[:, 0]
    turn = np.arctan2(cross(into, out), np.sum(into * out, axis=1))
    if is_open:
        turn[0] = 0.0
    periodic = lanes[0].basis.periodic
    if not periodic and np.abs(turn).max() > math.pi - SHARPEST:
        place = shape[lanes[int(np.abs(turn).argmax())].columns.start]
        raise FieldError(
            f"the edge of the section at {place[0]:.4g}, {place[1]:.4g} mm is sharper than {math.degrees(SHARPEST):g}°, so that "
            "nothing can lean outward from it; make it blunt, or let the skin go square to the plane"
        )
    # At the corner before lane k: how far each side slides along itself until both meet on the mitre.
    slide = np.tan(turn / 2.0)
    for k, lane in enumerate(lanes):
        start, end = (0.0, 0.0) if periodic else (-float(slide[k]), float(slide[(k + 1) % len(lanes)]))

        def moved(w: Array, lane: Lane = lane, start: float = start, end: float = end) -> Array:
            run = lane.basis.matrix(w, 1) @ shape[lane.columns]
            tangent = run / np.maximum(np.linalg.norm(run, axis=1, keepdims=True), 1e-300)
            normal = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
            return np.asarray(normal + (start + w * (end - start))[:, None] * tangent)

        result[lane.columns] = lane.basis.interpolate(moved)
    if not periodic:
        for k, lane in enumerate(lanes):
            if k or not is_open:
                result[lanes[k - 1].columns.stop - 1] = result[lane.columns.start]
