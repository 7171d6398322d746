"""The section field of a loft: the point at `u` round the section and `v` along the body.

`v` is the position along the carrier (+Z, a path, a circle about an axis) in mm. Sections are turned back by their set angles with their pivots at the origin,
interpolated there at their true size (so that a thick round root and a wide thin foil blend without a swollen neck),
turned forward, offset, and laid in the carrier's (perhaps tilted) planes. A ring comes round to its first station.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import FieldError
from isotomon.field.carriers import STRAIGHT, Carrier, Frames, tilted
from isotomon.field.correspond import Correspondence
from isotomon.field.ends import End, Ending, Leaning, facing_end, make_end
from isotomon.field.rails import Rails
from isotomon.field.wrapping import Wrap, bent
from isotomon.geometry.hermite import Hermite, Settle, smooth
from isotomon.geometry.planar import cross

Array = NDArray[np.float64]


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


@dataclass(frozen=True, eq=False)
class Layers:
    """A channel along the body: the interpolant of the first stations, and corrections by those inserted later."""

    parts: tuple[Hermite, ...]

    def __call__(self, v: Array, derivative: int = 0) -> Array:
        return sum((part(v, derivative) for part in self.parts[1:]), start=self.parts[0](v, derivative))


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
    round: NDArray[np.bool_]
    """(n_v,) whether the section has no angle of its own."""

    def at(self, rows: NDArray[np.intp]) -> Sections:
        """Some of these sections alone."""
        return Sections(**{f.name: getattr(self, f.name)[rows] for f in fields(self)})

    def first(self) -> Sections:
        """The first of these sections alone."""
        return self.at(np.array([0]))

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
    ends: tuple[End, ...]
    tips: tuple[tuple[float, float, float], ...]
    nodes: Array
    angle: Layers
    body: Layers
    """Columns: control and nominal points turned back (mm), then the offset (2) and the tilt (2)."""
    carrier: Carrier = STRAIGHT
    ring: bool = False

    @property
    def first(self) -> float:
        return float(self.nodes[0])

    @property
    def last(self) -> float:
        return float(self.nodes[0] + self.carrier.length if self.ring else self.nodes[-1])

    @property
    def edges(self) -> Array:
        """(bays + 1,) the ends of all bays: the stations, and for a ring the first one again."""
        return np.append(self.nodes, self.last) if self.ring else self.nodes

    def sections(self, v: Array) -> Sections:
        """The sections at every v (n_v,), with all that is derived from them at once."""
        v = np.asarray(v, dtype=np.float64)
        flat = _ruled_sections(self, v) if self.ruled else _smooth_sections(self, v)
        if self.wrap is None:
            return flat
        control, slopes = bent(self.common, self.wrap, flat.control, flat.slopes)
        return replace(flat, control=control, slopes=slopes)

    def positions(self, v: Array, derivative: int = 0) -> Array:
        """(n_v,) mm along the carrier at v, or how fast that changes."""
        return _positions(self.tips, v, derivative)

    def params(self, position: Array) -> Array:
        """v at positions along the carrier."""
        position = np.asarray(position, dtype=np.float64)
        return _params(self.tips, position)

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
        """The field as it would be without its rails and its ends' conditions."""
        return replace(self, rails=None, ends=())

    def is_round(self, v: Array) -> NDArray[np.bool_]:
        """Whether the section at each v has no angle of its own: between two round stations, or at one."""
        flags = np.array([s.round for s in self.stations])
        if self.ring:
            flags = np.append(flags, flags[0])
        bay, share = _bays(self.edges, v)
        return (flags[bay] & flags[bay + 1]) | (flags[bay] & (share == 0.0)) | (flags[bay + 1] & (share == 1.0))


def _flat_sections(field: SectionField, v: Array) -> tuple[Array, Array, Frames, Array, Array]:
    """Control and nominal points in their planes (n_v, n + 2, 2), their slopes, the planes, the angle and its slope:
    before rails."""
    body, body1 = field.body(v), field.body(v, 1)
    angle, rate = field.angle(v)[:, 0], field.angle(v, 1)[:, 0]
    turned = _turned(body[:, :-4], angle)
    local = turned + body[:, None, -4:-2]
    local1 = _turned(body1[:, :-4], angle) + body1[:, None, -4:-2]
    local1 += rate[:, None, None] * np.stack([-turned[..., 1], turned[..., 0]], axis=-1)
    tilt, tilt1 = body[:, -2:], body1[:, -2:]
    for end in field.ends:
        more, more1 = end.moved(v)
        local, local1 = local + more, local1 + more1
    frames = tilted(field.carrier.frames(field.positions(v)), field.positions(v, 1), tilt, tilt1)
    return local, local1, frames, angle, rate


def _smooth_sections(field: SectionField, v: Array) -> Sections:
    local, local1, planes, angle, rate = _flat_sections(field, v)
    origin, across, up = planes.origin, planes.across, planes.up
    if field.rails is not None:
        local, local1 = field.rails.carried(planes, local, local1)
    if field.rails is not None or field.ends:
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
    nodes, tilt = field.nodes, np.array([s.tilt for s in field.stations])
    flat = np.stack([_outline(s) for s in field.stations])
    placed = _turned(flat, field.angle(nodes)[:, 0]) + np.array([s.offset for s in field.stations])[:, None, :]
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
    origin1, across1, up1 = frames.origin1, frames.across1, frames.up1
    axes, axes1 = np.stack([across, up], axis=2), np.stack([across1, up1], axis=2)
    away = control - origin[:, None, :]
    local = np.matmul(away, axes)
    local1 = np.matmul(slopes - origin1[:, None, :], axes) + np.matmul(away, axes1)
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


def _params(tips: Sequence[tuple[float, float, float]], position: Array) -> Array:
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


class Turned(NamedTuple):
    """A station as far as its turn goes: mm and rad."""

    position: float
    rank: int
    set_angle: float
    round: bool


Ranked = Placed | Turned
Channel = Callable[[Any], Array]


def angle_course(stations: Sequence[Ranked], round_: float = 0.0, closing: float = 0.0) -> Layers:
    """The angle along the body, (n_v, 1) rad, through the stations that are not round. A ring of `round_` mm comes back
    turned by `closing` rad."""
    back = [np.array([closing])]
    return _layers(stations, [lambda s: np.array([s.set_angle])], without=lambda s: s.round, round_=round_, back=back)


def _bays(nodes: Array, v: Array) -> tuple[NDArray[np.intp], Array]:
    inside = np.clip(v, nodes[0], nodes[-1])
    bay = np.clip(np.searchsorted(nodes, inside, side="right") - 1, 0, len(nodes) - 2)
    return bay, (inside - nodes[bay]) / np.diff(nodes)[bay]


def _turned(flat: Array, angle: Array) -> Array:
    """Points (n_v, 2n) as (n_v, n, 2), turned by `angle`."""
    c, s = np.cos(angle), np.sin(angle)
    turn = np.stack([np.stack([c, s], axis=-1), np.stack([-s, c], axis=-1)], axis=1)
    return np.matmul(flat.reshape(len(flat), -1, 2), turn)


def _in_space(local: Array, origin: Array, across: Array, up: Array) -> Array:
    return origin[:, None, :] + np.matmul(local, np.stack([across, up], axis=1))


def _outline(station: Placed) -> Array:
    """Control and nominal points at true size, turned back: (2n + 4,)."""
    return station.chord * np.concatenate([station.shape.ravel(), station.anchor.ravel()])


@dataclass(frozen=True)
class Manner:
    """How stations are made one body: with straight rulings, as a ring, wrapped on cylinders, along what, and how the skin
    leaves the first and last end, None where it is free."""

    ruled: bool = False
    ring: bool = False
    wrap: Wrap | None = None
    carrier: Carrier = STRAIGHT
    endings: tuple[Ending | None, Ending | None] = (None, None)


PLAIN = Manner()


def make_field(
    common: Correspondence, stations: Sequence[Placed], manner: Manner = PLAIN, rails: Rails | None = None
) -> SectionField:
    """The field through `stations`, whose shapes are in the common form; with `rails`, carried to them.

    Raises: FieldError, for stations or a manner that do not go together.
    """
    ordered = tuple(sorted(stations, key=lambda s: s.position))
    _check(ordered, manner, rails)
    positions = np.array([s.position for s in ordered])
    ranks = sorted({s.rank for s in ordered})
    if sum(s.rank == ranks[0] for s in ordered) < 2:
        ordered = tuple(replace(s, rank=0) for s in ordered)
    least = min(s.rank for s in ordered)
    first = np.array([s.position for s in ordered if s.rank == least])
    tips = tuple(
        (float(first[row]), way, float(abs(first[beside] - first[row])))
        for row, beside, way in ((0, 1, 1.0), (-1, -2, -1.0))
        if ordered[row].tip == "rounded" and not (len(first) == 2 and row == -1 and ordered[0].tip == "rounded")
    )
    nodes = _params(tips, positions) if tips else positions
    ordered = tuple(replace(s, position=float(v)) for s, v in zip(ordered, nodes, strict=True)) if tips else ordered
    lowest = np.stack([_outline(s).reshape(-1, 2) for s in ordered if s.rank == least])
    round_, closing = 0.0, 0.0
    if manner.ring:
        round_, lowest = manner.carrier.length, np.concatenate([lowest] * 3)
        first = np.concatenate([first - round_, first, first + round_])
        turns = (ordered[-1].set_angle - ordered[0].set_angle) / (2.0 * np.pi)
        closing = 2.0 * np.pi * round(turns)  # it comes back as it began, by the nearest whole turns
    body = _layers(
        ordered,
        [_outline, lambda s: np.array(s.offset), lambda s: np.array(s.tilt)],
        settle=_settle(common, first, lowest),
        dimension=2,
        round_=round_,
    )
    angle = angle_course(ordered, round_, closing)
    field = SectionField(
        common, ordered, manner.ruled, manner.wrap, rails, (), tips, nodes, angle, body, manner.carrier, manner.ring
    )
    if manner.ruled or manner.endings == (None, None):
        return field
    return replace(field, ends=_ends(field, manner.endings))


def _check(ordered: Sequence[Placed], manner: Manner, rails: Rails | None) -> None:
    """Raises: FieldError, saying what does not go together."""
    carrier = manner.carrier
    if manner.ruled and (rails is not None or manner.wrap is not None or carrier is not STRAIGHT):
        what = (
            "past the rails"
            if rails is not None
            else "not round cylinders"
            if manner.wrap
            else "not along a path or an axis"
        )
        raise FieldError(f"straight rulings run straight from station to station, {what}; make the loft smooth")
    if manner.wrap is not None and any(s.tilt != (0.0, 0.0) for s in ordered):
        raise FieldError("a wrapped station cannot be tilted; take the tilt off, or let it stand on its own")
    if manner.wrap is not None and carrier is not STRAIGHT:
        raise FieldError("wrapped stations stand along Z only; let them stand on their own, or carry the loft straight")
    if len(ordered) < 2:
        count = len(ordered)
        raise FieldError(f"a loft needs two stations or more, and there {'is' if count == 1 else 'are'} {count}")
    if manner.ring and not carrier.closed:
        raise FieldError("a ring needs a closed path or an axis to go round; choose one, or leave the loft open")
    if manner.ring and len(ordered) < 3:
        raise FieldError("a ring needs three stations or more; add one, or leave the loft open")
    if manner.ring and (any(s.tip for s in ordered) or manner.endings != (None, None)):
        raise FieldError("a ring has no ends: no points and no end conditions; make both ends free")
    inner = [s for s in ordered[1:-1] if s.tip]
    if inner:
        raise FieldError(
            f"a point can only be at an end of the body; there is one at {inner[0].position:g} mm inside it"
        )
    nodes = np.array([s.position for s in ordered])
    if np.any(np.diff(nodes) <= 0.0):
        at = float(nodes[int(np.argmin(np.diff(nodes)))])
        raise FieldError(f"two stations stand at one position ({at:g} mm); move one of them")
    if manner.ruled and any(s.tip == "rounded" for s in ordered):
        raise FieldError("straight rulings end in a sharp point; make the point sharp, or the loft smooth")
    room = carrier.length * (1.0 + 1e-6)
    if nodes[-1] - nodes[0] > room or (not carrier.closed and (nodes[0] < carrier.length - room or nodes[-1] > room)):
        far = nodes[0] if nodes[0] < 0.0 else nodes[-1]
        raise FieldError(
            f"a station stands at {far:g} mm, beyond the ends of the path, which is {carrier.length:.6g} mm long; "
            "move it back, or lengthen the path"
        )
    if manner.ring and nodes[-1] - nodes[0] > carrier.length * (1.0 - 1e-6):
        raise FieldError("the last station of a ring stands where the first one does; take it out")


def _ends(field: SectionField, endings: Sequence[Ending | None]) -> tuple[End, ...]:
    """The conditions at the ends, each no longer than the bay beside it."""
    plain = field.unbent()
    made = []
    for row, way, ending in ((0, 1.0, endings[0]), (-1, -1.0, endings[1])):
        if ending is None or field.stations[row].tip:
            continue
        v = float(field.nodes[row])
        bay = float(abs(field.nodes[row] - field.nodes[1 if row == 0 else -2]))
        length = min(ending.strength, bay) or bay
        local, local1, frames = _flat_sections(plain, field.nodes[[row]])[:3]
        if isinstance(ending, Leaning):
            made.append(make_end(field.common, frames, local[0], local1[0], v, length, way, ending.angle))
            continue
        # As much of the second derivative as the first condition leaves: a step is taken once the slopes are right.
        step = 1e-4 * bay * way
        for fair in (False, True) if ending.fair else (False,):
            so_far = replace(plain, ends=tuple(made[-1:]) if fair else ())
            slopes = so_far.sections(v + step * np.arange(3.0)).slopes
            bends = (-3.0 * slopes[0] + 4.0 * slopes[1] - slopes[2]) / (2.0 * step)
            done = facing_end(
                field.common, frames, local[0], local1[0], bends, (v, length, way), replace(ending, fair=fair)
            )
            made = [*made[:-1], done] if fair else [*made, done]
    return tuple(made)


def pinched(field: SectionField) -> NDArray[np.bool_]:
    """(stations, lanes): where a lane has no width (two ties share one corner)."""
    return np.stack(
        [
            np.ptp(np.stack([s.shape for s in field.stations])[:, lane.columns], axis=1).max(axis=1) < 1e-9
            for lane in field.common.lanes
        ],
        axis=1,
    )


def _settle(common: Correspondence, nodes: Array, shapes: Array) -> Settle | None:
    """Makes a lane that is pinched at a station come to nothing gently, so that its width never changes sign.

    `shapes`: (stations, n + 2, 2). There all of the lane moves as its middle does; the neighbouring lanes take up the
    difference evenly along their way. At a point, `nodes` (stations,) apart, the body opens in the shape of the section
    next to it.
    """
    bare = [row for row in (0, -1) if not shapes[row].any()]
    gone = [
        (row, number)
        for number, lane in enumerate(common.lanes)
        for row in np.flatnonzero(np.ptp(shapes[:, lane.columns], axis=1).max(axis=1) < 1e-9)
        if np.ptp(shapes[row], axis=0).max() > 0.0  # at a point all lanes end, each in its own direction
    ]
    if not gone and not bare:
        return None

    def settle(first: Array, second: Array) -> None:
        for end in bare:
            near = shapes[1 if end == 0 else -2].ravel()
            bay = nodes[1] - nodes[0] if end == 0 else nodes[-2] - nodes[-1]
            # As steeply as the spline would in the mean, within what leaves the section room.
            steep = float(np.clip(bay * (first[end] @ near) / max(float(near @ near), 1e-300), 0.7, 2.0))
            first[end], second[end] = steep * near / bay, 0.0
        for slopes in (first.reshape(shapes.shape), second.reshape(shapes.shape)):
            for row, number in gone:
                lane = common.lanes[number]
                here = slopes[row, lane.columns]
                middle = (here[0] + here[-1]) / 2.0
                before, after = (common.lanes[k] for k in common.beside(number))
                slopes[row, before.columns] += before.basis.greville()[:, None] * (middle - here[0])
                slopes[row, after.columns] += (1.0 - after.basis.greville())[:, None] * (middle - here[-1])
                slopes[row, lane.columns] = middle

    return settle


def _layers(
    stations: Sequence[Ranked],
    channels: Sequence[Channel],
    without: Callable[[Any], bool] = lambda s: False,
    settle: Settle | None = None,
    dimension: int = 0,
    round_: float = 0.0,
    back: Sequence[Array] = (),
) -> Layers:
    """The interpolant by rank, channels side by side. A station `without` a value takes its neighbour's at the ends
    of the body and is passed over between. `settle` and `dimension` belong to the first channel. In a ring of `round_` mm
    the stations come again before the first and after the last; `back`: what each channel has changed by then.
    """
    parts: list[Hermite] = []
    for rank in sorted({s.rank for s in stations}):
        known = [s for s in stations if s.rank <= rank]
        x = np.array([s.position for s in known])
        values = [np.stack([channel(s) for s in known]) for channel in channels]
        if round_:
            known, x = known * 3, np.concatenate([x - round_, x, x + round_])
            steps = list(back) if back and not parts else [np.zeros(1)] * len(values)
            values = [np.vstack([v - b, v, v + b]) for v, b in zip(values, steps, strict=True)]
        if not parts:
            x, values = _with_borrowed(x, values, np.array([not without(s) for s in known]))
        else:
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
        curves = [smooth(x, v, settle, dimension) if k == 0 else smooth(x, v) for k, v in enumerate(values)]
        parts.append(Hermite(x, np.hstack([curve.data for curve in curves])))
    return Layers(tuple(parts))


def _with_borrowed(x: Array, values: list[Array], has: NDArray[np.bool_]) -> tuple[Array, list[Array]]:
    if not has.any():
        return x, [np.zeros_like(v) for v in values]
    own = np.flatnonzero(has)
    nearest = np.clip(np.arange(len(x)), own[0], own[-1])
    keep = has | (nearest != np.arange(len(x)))
    return x[keep], [v[nearest][keep] for v in values]
