"""How the skin leaves the ends of a body: square to the end's plane, leaning outward from square, or going on as the skin of
another body does that ends there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.field.carriers import Frames
from isotomon.field.correspond import Correspondence
from isotomon.field.end_change import EndChange
from isotomon.field.outward import outward
from isotomon.field.section_field import SectionField


@dataclass(frozen=True)
class Leaning:
    """Over `strength` mm (nought: the whole bay) to `angle` rad outward from square."""

    strength: float
    angle: float


@dataclass(frozen=True, eq=False)
class Facing:
    """Over `strength` mm to go on as another body's skin comes to its end at `v`: flush with it, or `fair` as well."""

    strength: float
    field: SectionField
    v: float
    fair: bool

    def course(self, points: Array, normal: Array) -> tuple[Array, Array]:
        """(m, 3) each: by how much that skin moves on at points (m, 3) of its end, for each mm along `normal`, and how that
        changes by the mm. From the end back into the body, by differences of second order."""
        field = self.field
        rim = field.sections(np.array([self.v])).control[0]
        u = _nearest(field.common, rim, points)
        rows = field.common.rows(u)
        step = 1e-4 * (field.last - field.first) * (-1.0 if self.v > field.first else 1.0)
        slopes = np.einsum("mn,knc->kmc", rows, field.sections(self.v + step * np.arange(3.0)).slopes)
        along = slopes @ normal
        course = slopes / along[..., None]
        change = (-3.0 * course[0] + 4.0 * course[1] - course[2]) / (2.0 * step)
        return course[0], change / along[0][:, None]


Ending = Leaning | Facing


def _nearest(common: Correspondence, control: Array, points: Array) -> Array:
    """u at which a section (n, 3) comes nearest to points (m, 3) that lie on it."""
    fine = np.linspace(0.0, 1.0, 2000, endpoint=False)
    away = np.linalg.norm(points[:, None] - (common.rows(fine) @ control)[None], axis=2)
    u = fine[away.argmin(axis=1)]
    for _ in range(6):
        off, run = points - common.rows(u) @ control, common.rows(u, 1) @ control
        size = np.maximum(np.einsum("mk,mk->m", run, run), 1e-300)
        u = common.on(u + np.clip(np.einsum("mk,mk->m", off, run) / size, -1e-3, 1e-3))
    return np.asarray(u)


def make_end(
    common: Correspondence,
    frames: Frames,
    local: Array,
    local1: Array,
    v: float,
    length: float,
    way: float,
    angle: float,
) -> EndChange:
    """The end at v, at which the section is `local` (n + 2, 2) with the slope `local1`, leaning outward by `angle` (rad).

    `frames`: of the one plane at v.
    Raises: FieldError, for an edge so sharp that nothing can lean outward from it.
    """
    wanted = np.zeros_like(local)
    if angle:  # nominal points move as the middle does: not at all
        wanted[:-2] = way * np.tan(angle) * outward(common, local[:-2])
    along, drift = _moving(frames, local)
    return EndChange(v, length, way, wanted * along[:, None] - drift - local1)


def _moving(frames: Frames, local: Array) -> tuple[Array, Array]:
    """(m,) along the normal and (m, 2) in its own axes: how the plane itself moves on at points (m, 2) of it."""
    on = frames.origin1[0] + local @ np.stack([frames.across1[0], frames.up1[0]])
    normal = np.cross(frames.across[0], frames.up[0])
    return on @ normal, np.stack([on @ frames.across[0], on @ frames.up[0]], axis=1)


def facing_end(
    common: Correspondence,
    frames: Frames,
    local: Array,
    local1: Array,
    bends: Array,
    place: tuple[float, float, float],
    facing: Facing,
) -> EndChange:
    """The end at which a body goes on as another one comes to its own. `frames`, `local`, `local1` as for `make_end`;
    `bends` (n, 3): second derivatives of the body's control points there as it is; `place`: v, length and way."""
    axes = np.stack([frames.across[0], frames.up[0]])
    normal = np.cross(axes[0], axes[1])
    change, bend = np.zeros_like(local), np.zeros_like(local)
    for lane in common.lanes:
        sites = lane.basis.greville()
        rows = lane.basis.matrix(sites)
        flat = rows @ local[lane.columns]
        course, turn = facing.course(frames.origin[0] + flat @ axes, normal)
        along, drift = _moving(frames, flat)
        slopes = (course * along[:, None]) @ axes.T - drift
        own = rows @ bends[lane.columns]
        wanted = (turn * along[:, None] ** 2 + course * (own @ normal)[:, None] - own) @ axes.T
        # In the lane's own basis, at the sites at which it is interpolated.
        change[lane.columns] = np.linalg.solve(rows, slopes) - local1[lane.columns]
        bend[lane.columns] = np.linalg.solve(rows, wanted)
    v, length, way = place
    return EndChange(v, length, way, change, bend if facing.fair else None)
