"""Shapes the kernel would accept and no one can make: folded, inside out, crossing themselves. Found on the field."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import csr_array

from isotomon.arrays import Array, Index
from isotomon.field.carriers import STRAIGHT, Relative, Turning
from isotomon.field.clearance import meets_itself
from isotomon.field.mesh import applied
from isotomon.field.section_field import SectionField, Sections
from isotomon.field.wrapping import Wrap
from isotomon.geometry.datums import Axis
from isotomon.geometry.planar import crossing, inside, plainly_simple, signed_area
from isotomon.pace import checkpoint

SLIVER = 2e-3
"""A profile nearer than this to the axis, as a share of the body's size, and not on it, leaves a sliver."""
ON_AXIS = 1e-6
"""What is nearer than this to the axis a body is turned about, as a share of the body's size, lies on it."""
A_SPAN, LEAST_ROUND, MOST_ROUND = 4, 40, 2400
"""Places in each span of a lane's knots, on each lane, and in all, at which a section is tried for crossing itself."""
A_BAY = 8
"""A bay is looked at in so many stretches for folding, and each that may fold in as many again."""
MAY_FOLD = 0.3
"""A stretch may fold where the skin moves on by less than this share of the most it does."""
CHUNK = 400_000
"""So many places of the skin are worked out at a time."""
SWOLLEN = 20.0
"""A section so many times as wide as the widest station's is none that anyone means."""
PINCH = 0.05
"""A section this much narrower than those of both stations beside it is a pinch."""


@dataclass(frozen=True)
class Flaw:
    """`kind` of flaw, `position` (mm along the body), `place` in space, and what to say."""

    kind: str
    position: float
    place: tuple[float, float, float]
    text: str


def find_flaws(field: SectionField, places: int = 61) -> list[Flaw]:
    """The worst flaw of each kind, none for a sound body.

    Folded: neighbouring sections pass through each other (S_v·n ≤ 0, n the plane's normal). Inside out: the section
    runs clockwise. Crossing: the section's outline crosses itself.
    """
    # A flat body that is sound stays so when it is wrapped or bent.
    wrap, field = field.wrap, replace(field, wrap=None, bendings=())
    flaws = _foldings(field, wrap)
    v = np.unique(np.concatenate([np.linspace(field.first, field.last, places), field.edges]))
    v = v[(1 if field.stations[0].tip else 0) : (-1 if field.stations[-1].tip else None)]
    round_ = _round_places(field)
    loop = np.repeat([lane.loop for lane in field.common.lanes], [len(x) for x in round_])
    matrix = field.common.matrix(round_)
    sections = field.sections(v)
    local, flat = applied(matrix, sections.local), applied(matrix, sections.control)
    space = flat if wrap is None else wrap.laid(flat)[0]
    v = sections.position
    if not flaws and not field.common.open:
        flaws += _touching(field, v, space, loop)
    flaws += _pinched(field, v, local, space) + _swollen(field, v, local, space)
    if not flaws and _axis(field) is None and field.carrier.bending > np.pi and not field.common.open:
        flaws += _met(field)
    area = signed_area(local[:, loop == 0])
    if not field.common.open and area.min() <= 0.0:
        row = int(area.argmin())
        flaws.append(
            _flaw(
                "inside out", v[row], space[row].mean(axis=0), "the section is inside out; check its size and profile"
            )
        )
    along = sections.anchor[:, 1] - sections.anchor[:, 0]
    for row in range(0 if field.common.open else len(v)):
        checkpoint(row / len(v))
        if not loop.any() and plainly_simple(local[row], along[row]):
            continue
        found = _crossed(local[row], loop)
        if found is not None:
            index, text = found
            flaws.append(_flaw("crossing", v[row], space[row, index], text))
            break
    return flaws


def _round_places(field: SectionField) -> list[Array]:
    """Places round each lane, so many in each span of its knots, which crowd where an outline bends, within `MOST_ROUND` in all."""
    spans = np.array([len(lane.basis.breaks) - 1 for lane in field.common.lanes])
    wanted = np.minimum(spans * A_SPAN, MOST_ROUND * spans / spans.sum()).astype(int)
    return [
        np.interp(np.linspace(0.0, n, max(count, LEAST_ROUND), endpoint=False), np.arange(n + 1), lane.basis.breaks)
        for lane, n, count in zip(field.common.lanes, spans.tolist(), wanted.tolist(), strict=True)
    ]


def _foldings(field: SectionField, wrap: Wrap | None) -> list[Flaw]:
    """Where the skin goes back on itself most, looked for in each bay and there once more, more closely, where it may."""
    share = [np.linspace(0.0, 1.0, LEAST_ROUND, endpoint=False) for _ in field.common.lanes]
    matrix = field.common.matrix(share)
    bays = list(zip(field.edges[:-1].tolist(), field.edges[1:].tolist(), strict=True))
    v = np.unique(np.concatenate([np.linspace(a, b, A_BAY + 1) for a, b in bays]))
    # At a tip nothing moves on.
    v = v[(1 if field.stations[0].tip else 0) : (-1 if field.stations[-1].tip else None)]
    least, most = _least_advances(field, matrix, v)
    rough = np.flatnonzero(np.minimum(least[:-1], least[1:]) < MAY_FOLD * most)
    if len(rough) and least.min() > 0.0:
        v = np.unique(np.concatenate([np.linspace(v[k], v[k + 1], A_BAY + 1) for k in rough.tolist()]))
        least, _ = _least_advances(field, matrix, v)
    # What lies on the axis that a body is turned about stands still.
    if least.min() > (-ON_AXIS * most if _axis(field) is not None else 0.0):
        return []
    row = int(least.argmin())
    sections = field.sections(v[[row]])
    advance = np.einsum("vui,vi->vu", applied(matrix, sections.slopes), sections.normal)[0]
    flat = applied(matrix, sections.control)[0]
    space = flat if wrap is None else wrap.laid(flat[None])[0][0]
    text = _folded(field, sections, 0, advance, space)
    return [_flaw("folded", sections.position[0], space[int(advance.argmin())], text)]


def _least_advances(field: SectionField, matrix: csr_array, v: Array) -> tuple[Array, float]:
    """(n_v,) the least that the skin moves on at each v, by the mm of v and along the section's normal; and the most anywhere."""
    least, most = [], 0.0
    step = max(CHUNK // matrix.shape[0], 1)
    for start in range(0, len(v), step):
        checkpoint(start / len(v))
        sections = field.sections(v[start : start + step])
        advance = np.einsum("vui,vi->vu", applied(matrix, sections.slopes), sections.normal)
        least.append(advance.min(axis=1))
        most = max(most, float(np.abs(advance).max()))
    return np.concatenate(least), most


def _swollen(field: SectionField, v: Array, local: Array, space: Array) -> list[Flaw]:
    """Where rails carry the section far beyond the size of those at all stations."""
    wide = np.linalg.norm(np.ptp(local, axis=1), axis=1)
    most = max((s.chord for s in field.stations if not s.tip), default=0.0)
    row = int(wide.argmax())
    if field.rails is None or wide[row] < SWOLLEN * most:
        return []
    text = (
        f"its rails carry the section to {wide[row]:.4g} mm, far beyond that of any station: they come together or change "
        "sides there; keep them apart, or take one out"
    )
    return [_flaw("swollen", v[row], space[row].mean(axis=0), text)]


def _touching(field: SectionField, v: Array, space: Array, loop: Index) -> list[Flaw]:
    """Where the profile of a body that is turned about an axis meets the axis in a point alone, or leaves a sliver beside it."""
    axis = _axis(field)
    if axis is None:
        return []
    points = space[0, loop == 0]
    away = points - axis.origin
    far = np.linalg.norm(away - (away @ axis.way)[:, None] * axis.way, axis=1)
    size = float(far.max())
    near = far < SLIVER * size
    if not near.any() or near.all():
        return []
    # Runs of places near the axis, round the profile; what lies along it has many.
    starts = np.flatnonzero(near & ~np.roll(near, 1))
    lengths = [int(np.argmin(np.roll(near, -s))) for s in starts.tolist()]
    for start, length in zip(starts.tolist(), lengths, strict=True):
        run = far[np.arange(start, start + length) % len(far)]
        k = start + int(run.argmin())
        at, place = float(far[k % len(far)]), points[k % len(far)]
        if at > ON_AXIS * size:
            text = (
                f"the profile leaves a sliver of {at:.3g} mm beside the axis; bring it onto the axis, or further off it"
            )
            return [_flaw("sliver", v[0], place, text)]
        if int((run < 3.0 * ON_AXIS * size).sum()) <= 2:
            text = "the profile touches the axis in a point alone; move it off the axis, or let it lie along it"
            return [_flaw("touching", v[0], place, text)]
    return []


def _met(field: SectionField) -> list[Flaw]:
    """Where a body that goes round meets itself."""
    share = (field.last - field.first) / field.carrier.length
    places = min(max(60, int(field.carrier.bending * share / (2.0 * np.pi) * 36)), 1200)
    found = meets_itself(field, places)
    if found is None:
        return []
    text = (
        f"the body meets itself here and at {found.other:.4g} mm along: its turns lie too near each other; at most "
        f"{100.0 * found.fits:.3g} % of the section's size leaves them room, or a greater pitch"
    )
    return [Flaw("meets itself", found.position, found.place, text)]


def _axis(field: SectionField) -> Axis | None:
    """The axis a body is turned about, if it is."""
    base = field.carrier.base if isinstance(field.carrier, Relative) else field.carrier
    return base.axis if isinstance(base, Turning) else None


def _folded(field: SectionField, sections: Sections, row: int, advance: Array, points: Array) -> str:
    """What to say of a section (its points' `advance` along the body) that passes through those beside it."""
    axis = _axis(field)
    if axis is not None:
        away = points - axis.origin
        far = np.linalg.norm(away - (away @ axis.way)[:, None] * axis.way, axis=1)
        over = float(far[advance < 0.0].max())
        return f"the profile crosses the axis it is turned about, by up to {over:.4g} mm; move it off the axis, or the axis"
    origin = float(np.einsum("k,k->", _origin_slope(field, sections, row), sections.normal[row]))
    least = float(advance.min())
    if field.carrier is not STRAIGHT and 0.0 < origin > least:
        fits = origin / (origin - least)
        return (
            f"the path bends tighter than the section is wide, so that the body folds over itself: at most {100.0 * fits:.3g} % "
            f"of the section's size goes round here, or a bend of {1.0 / fits:.4g} times the radius"
        )
    return (
        "the body folds over itself: neighbouring sections pass through "
        "each other; tilt the planes less, make the section smaller or move the stations apart"
    )


def _origin_slope(field: SectionField, sections: Sections, row: int) -> Array:
    """(3,) how the place a section is carried by moves."""
    return np.asarray(field.carrier.frames(sections.position[[row]]).origin1[0])


def _crossed(points: Array, loop: Index) -> tuple[int, str] | None:
    """(point, what is wrong) where a run of a section (n, 2) crosses itself, or a hole leaves the run round it."""
    outer = np.flatnonzero(loop == 0)
    for number in range(int(loop.max()) + 1):
        own = np.flatnonzero(loop == number)
        found = crossing(points[own], slack=1e-9 * float(np.ptp(points)))
        if found is not None:
            text = "the section crosses itself; use profiles that are more alike on the stations around it, or add a station between them"
            return int(own[found[0]]), text
        if number:
            out = ~inside(points[own], points[outer])
            if out.any():
                return int(own[int(out.argmax())]), "a hole leaves the section; make it smaller, or move it inward"
    return None


def _pinched(field: SectionField, v: Array, local: Array, space: Array) -> list[Flaw]:
    """Where the section nearly comes to a point between stations that have some size, as ties across it make it do."""
    wide = np.linalg.norm(np.ptp(local, axis=1), axis=1)
    at = wide[np.argmin(np.abs(v[:, None] - field.positions(field.nodes)), axis=0)]
    least = np.minimum(at[:-1], at[1:])
    bay = np.clip(np.searchsorted(field.nodes, v, side="right") - 1, 0, len(least) - 1)
    share = wide / np.where(least[bay] > 1e-9 * wide.max(), least[bay], np.inf)
    row = int(np.argmin(np.where(share > 0.0, share, np.inf)))
    if not 0.0 < share[row] < PINCH:
        return []
    text = (
        "the body is pinched: its section nearly comes to a point between two stations; even the ties out, or put a "
        "station there"
    )
    return [_flaw("pinched", v[row], space[row].mean(axis=0), text)]


def _flaw(kind: str, v: float, place: Array, text: str) -> Flaw:
    return Flaw(kind, float(v), (float(place[0]), float(place[1]), float(place[2])), text)
