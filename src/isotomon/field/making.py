"""From placed stations to the section field of a body: what goes together, the interpolants, the ends."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.carriers import STRAIGHT, Carrier, Square, Straight
from isotomon.field.correspond import Correspondence
from isotomon.field.course import Course
from isotomon.field.end_change import EndChange
from isotomon.field.ends import Ending, Leaning, facing_end, make_end
from isotomon.field.layers import Layers, angle_course, layers, rounds
from isotomon.field.mitred import Mitred
from isotomon.field.rails import Rails
from isotomon.field.rim import Rim
from isotomon.field.section_field import Placed, SectionField, flat_sections, outline_of, params_of
from isotomon.field.wrapping import Wrap
from isotomon.geometry.hermite import Settle


@dataclass(frozen=True)
class Manner:
    """How stations are made one body: with straight rulings, as a ring, wrapped on cylinders, along what, and how the skin
    leaves the first and last end, None where it is free."""

    ruled: bool = False
    ring: bool = False
    wrap: Wrap | None = None
    carrier: Carrier = STRAIGHT
    endings: tuple[Ending | None, Ending | None] = (None, None)
    course: Course | None = None
    rim: Rim | None = None


PLAIN = Manner()
ROOM = 1e-6
"""Of a path's length: stations may stand beyond its ends by so much, which is rounding."""


def make_field(
    common: Correspondence, stations: Sequence[Placed], manner: Manner = PLAIN, rails: Rails | None = None
) -> SectionField:
    """The field through `stations`, whose shapes are in the common form; with `rails`, carried to them.

    Raises: FieldError, for stations or a manner that do not go together.
    """
    ordered = tuple(sorted(stations, key=lambda s: s.position))
    _check(common, ordered, manner, rails)
    nodes = np.array([s.position for s in ordered])
    ordered = _from_the_first(ordered)
    least = min(s.rank for s in ordered)
    first = np.array([s.position for s in ordered if s.rank == least])
    tips = _tips(ordered, first)
    nodes = params_of(tips, nodes) if tips else nodes
    ordered = tuple(replace(s, position=float(v)) for s, v in zip(ordered, nodes, strict=True)) if tips else ordered
    lowest = np.stack([outline_of(s).reshape(-1, 2) for s in ordered if s.rank == least])
    round_ = manner.carrier.length if manner.ring else 0.0
    if manner.ring:
        turns_of = rounds(len(first))
        lowest = np.concatenate([lowest] * len(turns_of))
        first = np.concatenate([first + k * round_ for k in turns_of])
    body = layers(
        ordered,
        [outline_of, lambda s: np.array(s.offset), lambda s: np.array(s.tilt)],
        settle=_settle(common, first, lowest),
        dimension=2,
        round_=round_,
    )
    field = SectionField(
        common,
        ordered,
        manner.ruled,
        manner.wrap,
        rails,
        (),
        tips,
        nodes,
        _angle(ordered, round_),
        body,
        manner.carrier,
        manner.ring,
        manner.course,
        manner.rim,
    )
    if manner.ruled or manner.endings == (None, None):
        return field
    return replace(field, ends=_ends(field, manner.endings))


def _from_the_first(ordered: tuple[Placed, ...]) -> tuple[Placed, ...]:
    """Stations, all of one rank if those of the least alone make no body, or one at a rounded end came later."""
    least = min(s.rank for s in ordered)
    beyond = any(end.tip == "rounded" and end.rank != least for end in (ordered[0], ordered[-1]))
    alone = sum(s.rank == least for s in ordered) < 2
    return tuple(replace(s, rank=0) for s in ordered) if beyond or alone else ordered


def _angle(ordered: Sequence[Placed], round_: float) -> Layers:
    """The course of the set angles. A ring, `round_` mm long, comes back as it began, by the nearest whole turns."""
    turns = (ordered[-1].set_angle - ordered[0].set_angle) / (2.0 * np.pi) if round_ else 0.0
    return angle_course(ordered, round_, 2.0 * np.pi * round(turns))


def _tips(ordered: Sequence[Placed], first: Array) -> tuple[tuple[float, float, float], ...]:
    """(position, direction into the body, length of the bay there) of each end that closes in a rounded point; one of them
    only, where there is but one bay. `first`: positions (mm) of the stations of the least rank."""
    return tuple(
        (float(first[row]), inward, float(abs(first[beside] - first[row])))
        for row, beside, inward in ((0, 1, 1.0), (-1, -2, -1.0))
        if ordered[row].tip == "rounded" and not (len(first) == 2 and row == -1 and ordered[0].tip == "rounded")
    )


def _check(common: Correspondence, ordered: Sequence[Placed], manner: Manner, rails: Rails | None) -> None:
    """Raises: FieldError, saying what does not go together."""
    if len(ordered) < 2:
        count = len(ordered)
        raise FieldError(f"a loft needs two stations or more, and there {'is' if count == 1 else 'are'} {count}")
    if manner.ruled:
        _check_ruled(ordered, manner, rails)
    if manner.wrap is not None:
        _check_wrapped(common, ordered, manner)
    if manner.ring:
        _check_ring(ordered, manner)
    _check_places(ordered, manner.carrier)


def _check_ruled(ordered: Sequence[Placed], manner: Manner, rails: Rails | None) -> None:
    """What straight rulings do without."""
    straight = isinstance(manner.carrier, Straight | Square | Mitred)
    whats = {
        "past the rails": rails is not None,
        "not round cylinders": manner.wrap is not None,
        "not along a path or an axis": not straight,
    }
    what = next((words for words, so in whats.items() if so), "")
    if what:
        raise FieldError(f"straight rulings run straight from station to station, {what}; make the loft smooth")
    if manner.course is not None:
        raise FieldError(
            "straight rulings run straight from section to section, so that nothing can change between them by a law; "
            "make the loft smooth, or take turn, sizes and draft along it off"
        )
    if any(s.tip == "rounded" for s in ordered):
        raise FieldError("straight rulings end in a sharp point; make the point sharp, or the loft smooth")


def _check_wrapped(common: Correspondence, ordered: Sequence[Placed], manner: Manner) -> None:
    """What stations on cylinders do without."""
    if any(s.tilt != (0.0, 0.0) for s in ordered):
        raise FieldError("a wrapped station cannot be tilted; take the tilt off, or let it stand on its own")
    if manner.carrier is not STRAIGHT:
        raise FieldError("wrapped stations stand along Z only; let them stand on their own, or carry the loft straight")
    if common.open:
        raise FieldError(
            "open profiles are not wrapped on cylinders; close them, or let the stations stand on their own"
        )


def _check_ring(ordered: Sequence[Placed], manner: Manner) -> None:
    """What a body that comes round to its start needs."""
    if not manner.carrier.closed:
        raise FieldError("a ring needs a closed path or an axis to go round; choose one, or leave the loft open")
    if any(s.tip for s in ordered) or manner.endings != (None, None):
        raise FieldError("a ring has no ends: no points and no end conditions; make both ends free")
    if ordered[-1].position - ordered[0].position > manner.carrier.length * (1.0 - ROOM):
        raise FieldError("the last station of a ring stands where the first one does; take it out")


def _check_places(ordered: Sequence[Placed], carrier: Carrier) -> None:
    """Whether the stations stand apart, on the path, and points only at the ends."""
    inner = [s for s in ordered[1:-1] if s.tip]
    if inner:
        raise FieldError(
            f"a point can only be at an end of the body; there is one at {inner[0].position:g} mm inside it"
        )
    nodes = np.array([s.position for s in ordered])
    if np.any(np.diff(nodes) <= 0.0):
        at = float(nodes[int(np.argmin(np.diff(nodes)))])
        raise FieldError(f"two stations stand at one position ({at:g} mm); move one of them")
    room = carrier.length * (1.0 + ROOM)
    held = np.array([s.position for s in ordered if not s.tip])  # round ends reach beyond
    if held[-1] - held[0] > room or (not carrier.closed and (held[0] < carrier.length - room or held[-1] > room)):
        far = held[0] if held[0] < 0.0 else held[-1]
        raise FieldError(
            f"a station stands at {far:g} mm, beyond the ends of the path, which is {carrier.length:.6g} mm long; "
            "move it back, or lengthen the path"
        )


def _ends(field: SectionField, endings: Sequence[Ending | None]) -> tuple[EndChange, ...]:
    """The conditions at the ends, each no longer than the bay beside it."""
    plain = replace(field, rails=None)
    made = []
    for row, way, ending in ((0, 1.0, endings[0]), (-1, -1.0, endings[1])):
        if ending is None or field.stations[row].tip:
            continue
        v = float(field.nodes[row])
        bay = float(abs(field.nodes[row] - field.nodes[1 if row == 0 else -2]))
        length = min(ending.strength, bay) or bay
        local, local1, frames = flat_sections(plain, field.nodes[[row]])[:3]
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
                before, after = (None if k is None else common.lanes[k] for k in common.beside(number))
                if before is not None:
                    slopes[row, before.columns] += before.basis.greville()[:, None] * (middle - here[0])
                if after is not None:
                    slopes[row, after.columns] += (1.0 - after.basis.greville())[:, None] * (middle - here[-1])
                slopes[row, lane.columns] = middle

    return settle
