"""A rim: a curve round an axis that the outer end of a profile follows as it is turned about the axis."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.carriers import Frames
from isotomon.geometry.datums import Axis, SpaceCurve

PLACES = 1440
"""Angles at which a rim is taken all round."""


@dataclass(frozen=True, eq=False)
class Rim:
    """`course`: by the parameter along the body, mm, how the profile is sized across and along the axis, and how far (mm) its
    outer end is moved along the axis. In the section's plane `out` (2,) points away from the axis, which is at `middle` (mm)
    along it, and `up` along the axis; `reach` and `foot`: the outer end's distance from the axis, and the height that stays.
    """

    course: BSpline
    out: Array
    up: Array
    middle: float
    reach: float
    foot: float
    end: Array
    """(2,) mm: the profile's outer end in its plane at the start; the middle of an outer edge along the axis."""

    def carried(self, v: Array, local: Array, local1: Array) -> tuple[Array, Array]:
        """Points (n_v, n, 2) in the sections' planes, and their derivatives, sized and moved to the rim."""
        now, change = self.course(v)[:, None, :], self.course(v, 1)[:, None, :]
        far, far1 = local @ self.out - self.middle, local1 @ self.out
        high, high1 = local @ self.up - self.foot, local1 @ self.up
        across = (now[..., 0] - 1.0) * far
        along = (now[..., 1] - 1.0) * high + now[..., 2] * far / self.reach
        across1 = (now[..., 0] - 1.0) * far1 + change[..., 0] * far
        along1 = (
            (now[..., 1] - 1.0) * high1
            + change[..., 1] * high
            + (now[..., 2] * far1 + change[..., 2] * far) / self.reach
        )
        return (
            local + across[..., None] * self.out + along[..., None] * self.up,
            local1 + across1[..., None] * self.out + along1[..., None] * self.up,
        )

    def marks(self) -> bytes:
        """What tells it from other rims."""
        numbers = np.array([*self.out, *self.up, self.middle, self.reach, self.foot])
        return self.course.t.tobytes() + self.course.c.tobytes() + numbers.tobytes()


def make_rim(
    curve: SpaceCurve, axis: Axis, radius: float, start: tuple[Frames, Frames], points: Array, whole: bool
) -> Rim:
    """The rim for a profile of `points` (n, 2) in its plane at the start of the body. `start`: the frame there, of the section
    and of the carrier, whose X points away from the axis. `whole`: the profile is sized along the axis as it is across.

    Raises: FieldError, for a curve that does not go round the axis, or back on itself.
    """
    own, turning = start
    way = axis.way
    # Away from the axis in the profile's own plane, on the side on which the profile lies; and the way it is turned there.
    out3 = np.cross(way, own.normal[0])
    out3 = out3 / max(float(np.linalg.norm(out3)), 1e-300)
    places = own.origin[0] + points @ np.stack([own.across[0], own.up[0]]) - axis.origin
    out3 = out3 if float((places @ out3).sum()) > 0.0 else -out3
    on = np.cross(way, out3) * np.sign(float(np.cross(way, turning.across[0]) @ turning.normal[0]))
    out = np.array([own.across[0] @ out3, own.up[0] @ out3])
    up = np.array([own.across[0] @ way, own.up[0] @ way])
    middle = -float((own.origin[0] - axis.origin) @ out3)
    base = float((own.origin[0] - axis.origin) @ way)
    far, high = points @ out - middle, points @ up + base
    reach = float(far.max())
    if reach < 1e-6 * max(float(np.ptp(points, axis=0).max()), 1e-9):
        raise FieldError("the profile lies on the axis alone; draw it away from it")
    outer = far > reach - 1e-6 * max(float(np.ptp(points, axis=0).max()), 1e-9)
    rest = float(high[outer].min() + high[outer].max()) / 2.0
    end = (reach + middle) * out + (rest - base) * up
    foot = float(high[int(far.argmin())])
    inner = high[far < 1e-6 * reach]
    if whole and len(inner) and float(np.ptp(inner)) > 1e-6 * reach:
        raise FieldError(
            "sized as a whole, a profile that lies along the axis would not close there; let the rim size it across only"
        )
    turn, wide, tall = _round(curve, axis, out3, on)
    size = wide / reach
    columns = np.stack([size, size if whole else np.ones_like(size), tall - rest], axis=1)
    if whole:  # what sizing along the axis does to the outer end's height is no move
        columns[:, 2] -= (size - 1.0) * (rest - foot)
    course = make_interp_spline(turn * radius, columns, k=5, bc_type="periodic")
    course = BSpline(course.t, course.c, course.k, extrapolate="periodic")
    return Rim(course, out, up, middle, reach, foot - base, end)


def _round(curve: SpaceCurve, axis: Axis, out: Array, on: Array) -> tuple[Array, Array, Array]:
    """Angles (n,) once round, the last a whole turn on, and there the curve's distance from the axis and its height."""
    t = np.linspace(0.0, 1.0, 4 * PLACES + 1)
    away = curve.at(t) - axis.origin
    x, y = away @ out, away @ on
    turn = np.unwrap(np.arctan2(y, x))
    if turn[-1] < turn[0]:
        t, turn = t[::-1], turn[::-1]
    if not curve.closed or abs(turn[-1] - turn[0] - 2.0 * np.pi) > 1e-6:
        raise FieldError("the rim does not go once round the axis; choose a closed curve about it")
    if np.diff(turn).min() <= 0.0:
        raise FieldError("the rim turns back on its way round the axis; choose one that is seen whole from it")
    wanted = np.linspace(0.0, 2.0 * np.pi, PLACES + 1)
    shifted = turn[0] + np.mod(wanted - turn[0], 2.0 * np.pi)
    s = np.interp(shifted, turn, t)
    for _ in range(4):  # Newton, on the angle
        p, d = curve.at(np.mod(s, 1.0)) - axis.origin, curve.rate(np.mod(s, 1.0))
        a, b, da, db = p @ out, p @ on, d @ out, d @ on
        off = np.mod(np.arctan2(b, a) - shifted + np.pi, 2.0 * np.pi) - np.pi
        s = s - off * (a * a + b * b) / np.where(np.abs(a * db - b * da) > 1e-12, a * db - b * da, 1.0)
    p = curve.at(np.mod(s, 1.0)) - axis.origin
    wide, tall = np.hypot(p @ out, p @ on), p @ axis.way
    wide[-1], tall[-1] = wide[0], tall[0]
    return wanted, wide, tall
