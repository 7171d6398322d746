"""The section field of a loft: the point at `u` round the section and `v` along the body.

`v` is the position along the carrier (+Z, a path, a circle about an axis) in mm. Sections are turned back by their set angles with their pivots at the origin,
interpolated there at their true size (so that a thick round root and a wide thin foil blend without a swollen neck),
turned forward, offset, and laid in the carrier's (perhaps tilted) planes. A ring comes round to its first station.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from functools import cached_property

import numpy as np

from isotomon.arrays import Array, Index, Mask
from isotomon.field.bending import Bending
from isotomon.field.carriers import STRAIGHT, Carrier, Frames, tilted
from isotomon.field.correspond import Correspondence
from isotomon.field.course import Course
from isotomon.field.end_change import EndChange
from isotomon.field.layers import Layers
from isotomon.field.naming import Names, names_of
from isotomon.field.rails import Rails
from isotomon.field.rim import Rim
from isotomon.field.wrapping import Wrap, bent
from isotomon.geometry.planar import as_complex, as_points, cross


@dataclass(frozen=True, eq=False)
class Placed:
    """A station worked out: numbers in mm and rad, `shape` (n, 2) and `anchor` (2, 2) for chord 1, pivot at the origin.

    `key`: the station's id.
    """

    key: str
    position: float
    chord: float
    set_angle: float
    offset: tuple[float, float]
    tilt: tuple[float, float]
    shape: Array
    anchor: Array
    round: bool
    rank: int
    tip: str = ""
    """`sharp` or `rounded` for a point at an end of the body, at which the shape has no size."""
    outline: int = -1
    """Which of the outlines in the common form it has; -1 for none of them."""


@dataclass(frozen=True, eq=False)
class Sections:
    """Sections at `v` (n_v,) mm, as control points. Lengths in mm, angles in rad.

    `position`: along the body, the same as v but towards a rounded tip.
    """

    v: Array
    position: Array
    advance: Array
    """(n_v,) how fast the position changes with v: 1 but towards a rounded tip."""
    local: Array
    """(n_v, n, 2) in the section's own plane."""
    anchor: Array
    """(n_v, 2, 2) nominal leading and trailing points in the plane."""
    origin: Array
    across: Array
    up: Array
    """(n_v, 3) each: the plane's origin, X axis and Y axis."""
    control: Array
    """(n_v, n, 3) in space."""
    slopes: Array
    """(n_v, n, 3): derivatives of `control` by v."""
    angle: Array
    """(n_v,) angle of the nominal chord in the plane, continuous along the body."""
    twist_rate: Array
    """(n_v,) its derivative by v; rad/mm."""
    round: Mask
    """(n_v,) whether the section has no angle of its own."""

    def at(self, rows: Index) -> Sections:
        """Some of these sections alone."""
        return Sections(**{f.name: getattr(self, f.name)[rows] for f in fields(self)})

    @property
    def normal(self) -> Array:
        """(n_v, 3) normals of the section planes, toward the last station."""
        return np.cross(self.across, self.up)


@dataclass(frozen=True, eq=False)
class SectionField:
    """One body. `nodes`: (stations,) places along v in mm, in order. The layers are the channels along v.

    v is the position along the carrier, except in a bay that ends in a rounded tip: there the position is a quartic of v that
    stands still at the tip, so that sections of sizes smooth in v close to a smooth cap. `tips`: (v, way, length of the
    bay) of such.
    """

    common: Correspondence
    stations: tuple[Placed, ...]
    ruled: bool
    wrap: Wrap | None
    rails: Rails | None
    ends: tuple[EndChange, ...]
    tips: tuple[tuple[float, float, float], ...]
    nodes: Array
    angle: Layers
    body: Layers
    """Columns: control and nominal points turned back (mm), then the offset (2) and the tilt (2)."""
    carrier: Carrier = STRAIGHT
    ring: bool = False
    course: Course | None = None
    rim: Rim | None = None
    bendings: tuple[Bending, ...] = ()
    """What the whole body is bent by, once it is shaped."""

    @cached_property
    def names(self) -> Names:
        """The lasting names of the body's edges and faces. What goes on past the outer stations counts as theirs."""
        own = {s.key.partition("/")[0]: s.outline for s in self.stations if s.outline >= 0}
        return names_of(self.common, list(own.items()))

    @property
    def first(self) -> float:
        """Where along the carrier the body begins, mm."""
        return float(self.nodes[0])

    @property
    def last(self) -> float:
        """Where along the carrier the body ends, mm."""
        return float(self.nodes[0] + self.carrier.length if self.ring else self.nodes[-1])

    @property
    def edges(self) -> Array:
        """(bays + 1,) the ends of all bays: the stations, and for a ring the first one again."""
        return np.append(self.nodes, self.last) if self.ring else self.nodes

    def sections(self, v: Array) -> Sections:
        """The sections at every v (n_v,), with all that is derived from them at once."""
        v = np.asarray(v, dtype=np.float64)
        flat = _ruled_sections(self, v) if self.ruled else _smooth_sections(self, v)
        if self.wrap is not None:
            control, slopes = bent(self.common, self.wrap, flat.control, flat.slopes)
            flat = replace(flat, control=control, slopes=slopes)
        for bending in self.bendings:
            flat = _bent(flat, bending)
        return flat

    def counted_from(self, sections: Sections) -> Sections:
        """The one of `sections` that turn is counted from: at the first station that is not a point."""
        at = next((v for v, s in zip(self.nodes.tolist(), self.stations, strict=True) if not s.tip), self.first)
        return sections.at(np.array([int(np.abs(sections.v - at).argmin())]))

    def positions(self, v: Array, derivative: int = 0) -> Array:
        """(n_v,) mm along the carrier at v, or how fast that changes."""
        return _positions(self.tips, v, derivative)

    def params(self, position: Array) -> Array:
        """v at positions along the carrier."""
        position = np.asarray(position, dtype=np.float64)
        return params_of(self.tips, position)

    def place(self, position: float) -> tuple[Array, Array]:
        """Offset (2,) and tilt (2,) of the plane at a position, as a station there would have them."""
        if not self.ruled:
            row = self.body(np.array([position]))[0]
            return row[-4:-2], row[-2:]
        bay, share = _bays(self.nodes, np.array([position]))
        pairs = np.array([[*s.offset, *s.tilt] for s in self.stations])
        row = pairs[bay[0]] + share[0] * (pairs[bay[0] + 1] - pairs[bay[0]])
        return row[:2], row[2:]

    def unbent(self) -> SectionField:
        """The field as it would be without its rails, its ends' conditions, what changes along it, and its rim."""
        return replace(self, rails=None, ends=(), course=None, rim=None)

    def is_round(self, v: Array) -> Mask:
        """Whether the section at each v has no angle of its own: between two round stations, or at one."""
        flags = np.array([s.round for s in self.stations])
        if self.ring:
            flags = np.append(flags, flags[0])
        bay, share = _bays(self.edges, v)
        return (flags[bay] & flags[bay + 1]) | (flags[bay] & (share == 0.0)) | (flags[bay + 1] & (share == 1.0))


def _bent(flat: Sections, bending: Bending) -> Sections:
    along = flat.advance * np.sign(flat.normal @ np.array(bending.way))
    plane = (flat.origin, flat.across, flat.up)
    origin, across, up, control, slopes = bending.bent(plane, along, flat.control, flat.slopes)
    return replace(flat, origin=origin, across=across, up=up, control=control, slopes=slopes)


def flat_sections(field: SectionField, v: Array) -> tuple[Array, Array, Frames, Array, Array]:
    """Control and nominal points in their planes (n_v, n + 2, 2), their slopes, the planes, the angle and its slope:
    before rails."""
    body, body1 = field.body(v), field.body(v, 1)
    angle, rate = field.angle(v)[:, 0], field.angle(v, 1)[:, 0]
    shape, shape1, offset, offset1 = body[:, :-4], body1[:, :-4], body[:, -4:-2], body1[:, -4:-2]
    if field.course is not None:
        shape, shape1 = field.course.shaped(v, shape, shape1)
        angle, rate = field.course.turned(v, angle, rate)
        more, more1 = field.course.moved(v)
        offset, offset1 = offset + more, offset1 + more1
    # As complex numbers, x + iy, the points of a section are turned by one product each.
    turn = np.exp(1j * angle)[:, None]
    turned = turn * as_complex(shape)
    local = as_points(turned + as_complex(offset))
    local1 = as_points(turn * as_complex(shape1) + as_complex(offset1) + 1j * rate[:, None] * turned)
    tilt, tilt1 = body[:, -2:], body1[:, -2:]
    if field.rim is not None:
        local, local1 = field.rim.carried(v, local, local1)
    for end in field.ends:
        more, more1 = end.moved(v)
        local, local1 = local + more, local1 + more1
    frames = tilted(field.carrier.frames(field.positions(v)), field.positions(v, 1), tilt, tilt1)
    return local, local1, frames, angle, rate


def _smooth_sections(field: SectionField, v: Array) -> Sections:
    local, local1, planes, angle, rate = flat_sections(field, v)
    origin, across, up = planes.origin, planes.across, planes.up
    if field.rails is not None:
        local, local1 = field.rails.carried(planes, local, local1)
    if field.rails is not None or field.ends or field.rim is not None:
        angle, rate = _angle_of(local, local1, angle)
    slopes = _in_space(local1, planes.origin1, across, up)
    if planes.across1.any() or planes.up1.any():
        slopes += _in_space(local, np.zeros_like(origin), planes.across1, planes.up1)
    return Sections(
        v=v,
        position=field.positions(v),
        advance=field.positions(v, 1),
        local=local[:, :-2],
        anchor=local[:, -2:],
        origin=origin,
        across=across,
        up=up,
        control=_in_space(local[:, :-2], origin, across, up),
        slopes=slopes[:, :-2],
        angle=angle,
        twist_rate=rate,
        round=field.is_round(v),
    )


def _angle_of(local: Array, local1: Array, near: Array) -> tuple[Array, Array]:
    """Angle of the nominal chord, the one within half a turn of `near`, and its derivative."""
    along, along1 = local[:, -1] - local[:, -2], local1[:, -1] - local1[:, -2]
    size2 = np.sum(along * along, axis=1)
    angle = near + np.mod(np.arctan2(along[:, 1], along[:, 0]) - near + np.pi, 2 * np.pi) - np.pi
    return np.where(size2 > 0.0, angle, near), cross(along, along1) / np.maximum(size2, 1e-300)


def _ruled_sections(field: SectionField, v: Array) -> Sections:
    """Straight lines between the stations as they stand; planes in between are interpolated."""
    stations = (*field.stations, field.stations[0]) if field.ring else field.stations
    nodes, tilt = field.edges, np.array([s.tilt for s in stations])
    flat = np.stack([outline_of(s) for s in stations])
    placed = _turned(flat, field.angle(nodes)[:, 0]) + np.array([s.offset for s in stations])[:, None, :]
    still = np.zeros_like(tilt)
    ends = tilted(field.carrier.frames(nodes), np.ones_like(nodes), tilt, still)
    space = _in_space(placed, ends.origin, ends.across, ends.up)
    bay, share = _bays(nodes, v)
    slopes = ((space[1:] - space[:-1]) / np.diff(nodes)[:, None, None])[bay]
    control = space[bay] + (v - nodes[bay])[:, None, None] * slopes
    rate = ((tilt[1:] - tilt[:-1]) / np.diff(nodes)[:, None])[bay]
    here = tilt[bay] + share[:, None] * (tilt[bay + 1] - tilt[bay])
    frames = tilted(field.carrier.frames(v), np.ones_like(v), here, rate)
    origin, across, up = frames.origin, frames.across, frames.up
    axes, axes1 = np.stack([across, up], axis=1), np.stack([frames.across1, frames.up1], axis=1)
    away = control - origin[:, None, :]
    # Axes of a mitred run are neither square to each other nor of length 1: what they share is taken apart.
    across_axes, across_axes1 = axes.transpose(0, 2, 1), axes1.transpose(0, 2, 1)
    apart = np.linalg.inv(np.matmul(axes, across_axes))
    mixed = np.matmul(axes1, across_axes) + np.matmul(axes, across_axes1)
    local = np.matmul(np.matmul(away, across_axes), apart)
    moved = np.matmul(slopes - frames.origin1[:, None, :], across_axes) + np.matmul(away, across_axes1)
    local1 = np.matmul(moved - np.matmul(local, mixed), apart)
    angle, rate_of = _angle_of(local, local1, field.angle(v)[:, 0])
    return Sections(
        v=v,
        position=v,
        advance=np.ones_like(v),
        local=local[:, :-2],
        anchor=local[:, -2:],
        origin=origin,
        across=across,
        up=up,
        control=control[:, :-2],
        slopes=slopes[:, :-2],
        angle=angle,
        twist_rate=rate_of,
        round=field.is_round(v),
    )


def _positions(tips: Sequence[tuple[float, float, float]], v: Array, derivative: int = 0) -> Array:
    z = v.copy() if derivative == 0 else np.ones_like(v)
    for at, way, length in tips:
        t = way * (v - at) / length
        here = t < 1.0
        t = np.maximum(t[here], 0.0)
        # 1 with slope 1 and no second derivative where the bay begins, 0 with slope 0 at the tip.
        z[here] = (
            at + way * length * t * t * (3.0 - 3.0 * t + t * t)
            if derivative == 0
            else t * (6.0 - 9.0 * t + 4.0 * t * t)
        )
    return z


def params_of(tips: Sequence[tuple[float, float, float]], position: Array) -> Array:
    """Parameters (n,) of positions (n,) mm. In the bay of a rounded tip (position, direction into the body, length) position
    goes as the square of the parameter, so that the skin meets the tip squarely; found by Newton's method, a bounded number
    of steps."""
    v = position.copy()
    for at, way, length in tips:
        share = np.clip(way * (position - at) / length, 0.0, 1.0)
        t = np.sqrt(share / 3.0)
        for _ in range(30):
            slope = t * (6.0 - 9.0 * t + 4.0 * t * t)
            t = np.where(
                share > 0.0,
                np.clip(t - (t * t * (3.0 - 3.0 * t + t * t) - share) / np.maximum(slope, 1e-12), 0.0, 1.0),
                0.0,
            )
        v = np.where(way * (position - at) < length, at + way * length * t, v)
    return v


def _bays(nodes: Array, v: Array) -> tuple[Index, Array]:
    inside = np.clip(v, nodes[0], nodes[-1])
    bay = np.clip(np.searchsorted(nodes, inside, side="right") - 1, 0, len(nodes) - 2)
    return bay, (inside - nodes[bay]) / np.diff(nodes)[bay]


def _turned(flat: Array, angle: Array) -> Array:
    """Points (n_v, 2n) as (n_v, n, 2), turned by `angle`."""
    c, s = np.cos(angle), np.sin(angle)
    turn = np.stack([np.stack([c, s], axis=-1), np.stack([-s, c], axis=-1)], axis=1)
    return np.matmul(flat.reshape(len(flat), -1, 2), turn)


def _in_space(local: Array, origin: Array, across: Array, up: Array) -> Array:
    space = np.matmul(local, np.stack([across, up], axis=1))
    for k in range(3):  # one coordinate after another: numpy is slow at runs of three numbers
        space[..., k] += origin[:, k, None]
    return space


def outline_of(station: Placed) -> Array:
    """Control and nominal points at true size, turned back: (2n + 4,)."""
    return station.chord * np.concatenate([station.shape.ravel(), station.anchor.ravel()])


def pinched(field: SectionField) -> Mask:
    """(stations, lanes): where a lane has no width (two ties share one corner)."""
    return np.stack(
        [
            np.ptp(np.stack([s.shape for s in field.stations])[:, lane.columns], axis=1).max(axis=1) < 1e-9
            for lane in field.common.lanes
        ],
        axis=1,
    )
