"""Skins through nets: two families of curves that cross.

Source: W. J. Gordon, Spline-blended surface interpolation through curve networks (1969): the Boolean sum of two blends, here in one
common B-spline basis, so that all curves lie on the skin as exactly as they are splines.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.blends import Blend, Given, blend
from isotomon.field.crossing import CurveCrossings, crossings
from isotomon.field.net_joins import NetSide, gone_on
from isotomon.field.sheet import Side, SkinSheet, said_in, union
from isotomon.field.side_joins import beyond_at
from isotomon.field.spreads import DEGREE, ShareMap, Spread, spread_at
from isotomon.field.strand import Strand
from isotomon.geometry.basis import Basis

ONWARD = 1e-6
"""Of a curve's length: so far on the next crossing lies, at least."""
POLE = 1e-4
"""Of the whole: curves that end nearer to each other than that come together in a point."""
MOST_KEPT = 16
"""Nets that are not worked out anew as long as their curves are the same."""
FEWEST_ROUND = 3
"""Curves across others that are closed."""
Called = tuple[tuple[str, ...], tuple[str, ...]]
"""The names of both families' curves."""


@dataclass(frozen=True, eq=False)
class Net:
    """The skin of a net; how far apart its curves were where they cross (m, n) mm, and where that is (m, n, 3)."""

    sheet: SkinSheet
    gaps: Array
    places: Array


@dataclass(frozen=True, eq=False)
class _Family:
    """Curves that run one way, in order; at what `shares` of their lengths (curves, others) they meet the others, in order, and the
    others' common places (others,) along them. On a ring the places end before 1."""

    strands: list[Strand]
    shares: Array
    places: Array


@lru_cache(maxsize=MOST_KEPT)
def net(
    along: tuple[Strand, ...],
    across: tuple[Strand, ...],
    within: float,
    tolerance: float,
    called: Called,
    given: tuple[tuple[Strand, Given], ...] = (),
) -> Net:
    """The skin through the curves of two families that cross, in whatever order and direction they are given. Curves that miss each other
    by no more than `within` (mm) are drawn together midway; what of one sticks out beyond the outermost others is left out; all curves
    of a family may begin or end in one point. `given`: the curves that are edges of skins which it is to go on from, where they are the outermost.

    Raises: FieldError, with the place, where the curves do not make a net.
    """
    if not (along and across):
        raise FieldError("a net needs curves that run one way, and others across them; choose both")
    found = crossings(along, across)
    _check_met(found, within, called)
    poles = _poles(along, within), _poles(across, within)
    if poles[0] and poles[1]:
        raise FieldError("the curves of both families come together in points; leave one of them open")
    on_first, on_second, places = _with_poles(found, poles)
    rows, columns = _order(on_second), _order(on_first)
    first = _family([*along, *(_pole(p) for p, _ in poles[1])], on_first, rows, columns, called[0])
    second = _family([*across, *(_pole(p) for p, _ in poles[0])], on_second, columns, rows, called[1])
    sheet, courses = _boolean_sum(first, second, places[np.ix_(rows, columns)], tolerance)
    sides = {
        **_sides(first, courses[0], given, ("first", "last")),
        **_sides(second, courses[1], given, ("start", "end")),
    }
    if sides:
        sheet = gone_on(sheet, sides, (first.places, second.places), tolerance)
    return Net(sheet, found.gaps, found.places)


def _sides(
    family: _Family, courses: Sequence[ShareMap], given: Sequence[tuple[Strand, Given]], ends: tuple[Side, Side]
) -> dict[Side, NetSide]:
    """What a net goes on from along the first and the last curve of a family."""
    found = dict[Side, NetSide]()
    for side, strand, course in zip(
        ends, (family.strands[0], family.strands[-1]), (courses[0], courses[-1]), strict=True
    ):
        wanted: Given = next((g for own, g in given if strand in (own, own.turned())), 0)
        beyond = strand.beyond
        if wanted and beyond is not None:
            found[side] = NetSide(partial(beyond_at, beyond, course), wanted)
    return found


def _check_met(found: CurveCrossings, within: float, called: Called) -> None:
    """Raises: FieldError, naming the two curves that miss each other by most, if that is more than `within` (mm)."""
    worst = np.unravel_index(int(found.gaps.argmax()), found.gaps.shape)
    if found.gaps[worst] <= within:
        return
    x, y, z = found.places[worst].tolist()
    names = f"{called[0][int(worst[0])]} and {called[1][int(worst[1])]}"
    error = FieldError(
        f"{names} miss each other by {found.gaps[worst]:.4g} mm; move one of them, or let gaps of {found.gaps[worst] * 1.01:.2g} mm be closed"
    )
    error.place = (x, y, z)
    raise error


def _poles(strands: Sequence[Strand], within: float) -> list[tuple[Array, Array]]:
    """The points in which all of some curves begin or end, and at which end of each (curves,) 0 or 1."""
    if len(strands) < 2 or any(s.closed for s in strands):
        return []
    ends = np.stack([s.at(np.array([0.0, 1.0])) for s in strands])
    near = min(max(within, 1e-9), POLE * float(np.ptp(ends.reshape(-1, 3), axis=0).max()))
    made = list[tuple[Array, Array]]()
    for point in ends[0]:
        far = np.linalg.norm(ends - point, axis=2)
        if far.min(axis=1).max() <= near:
            made.append(
                (ends[np.arange(len(strands)), far.argmin(axis=1)].mean(axis=0), far.argmin(axis=1).astype(float))
            )
    return made


def _pole(point: Array) -> Strand:
    """A curve that is a point."""
    return Strand(
        Basis(DEGREE, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False),
        np.tile(point, (DEGREE + 1, 1)),
        0.0,
        False,
    )


def _with_poles(
    found: CurveCrossings, poles: tuple[Sequence[tuple[Array, Array]], Sequence[tuple[Array, Array]]]
) -> tuple[Array, Array, Array]:
    """The shares at which the first family meets the second (m, n), the second the first (n, m), and where (m, n, 3), with poles among them:
    those of one family stand among the curves of the other, and have no shares of their own (NaN)."""
    first, second, places = found.on_first, found.on_second.T, found.places
    for point, ends in poles[0]:
        first = np.column_stack([first, ends])
        second = np.vstack([second, np.full(second.shape[1], np.nan)])
        places = np.concatenate([places, np.broadcast_to(point, (len(places), 1, 3))], axis=1)
    for point, ends in poles[1]:
        second = np.column_stack([second, ends])
        first = np.vstack([first, np.full(first.shape[1], np.nan)])
        places = np.concatenate([places, np.broadcast_to(point, (1, places.shape[1], 3))], axis=0)
    return first, second, places


def _order(shares: Array) -> list[int]:
    """The order in which the others lie along the first of some curves, which meets them at `shares` (curves, others)."""
    return [int(k) for k in np.argsort(shares[0])]


def _family(
    strands: list[Strand], shares: Array, rows: Sequence[int], columns: Sequence[int], called: Sequence[str]
) -> _Family:
    """One family in order, all curves turned to run the same way.

    Raises: FieldError, naming a curve that meets the others in another order than the first does.
    """
    made, met = list[Strand](), list[Array]()
    ring = all(s.closed for s in strands if s.length)
    if any(s.closed for s in strands) and not ring:
        raise FieldError("some of the curves that run one way are closed, and some are open; choose one kind")
    if len(columns) < (FEWEST_ROUND if ring else 2):
        count = "three curves or more" if ring else "two curves or more"
        raise FieldError(f"a net needs {count} across {'closed ones' if ring else 'others'}; it has {len(columns)}")
    for k in rows:
        strand, own = strands[k], shares[k, columns]
        if strand.length:
            strand, own = _running_on(strand, own, ring, called[k])
        made.append(strand)
        met.append(own)
    every = np.array(met)
    away = every - every[:, :1]
    places = np.nanmean(away if ring else away / away[:, -1:], axis=0)
    return _Family(made, np.where(np.isnan(every), places, every), places)


def _running_on(strand: Strand, shares: Array, ring: bool, called: str) -> tuple[Strand, Array]:
    """A curve, turned round where it runs the other way, and the shares (others,) at which it meets the others, rising.

    Raises: FieldError.
    """
    for turned in (False, True):
        own = 1.0 - shares if turned else shares
        if ring:
            own = own[0] % 1.0 + np.mod(own - own[0], 1.0)
        if np.diff(own).min() > ONWARD:
            return (strand.turned() if turned else strand), own
    raise FieldError(
        f"{called} meets the others in another order than the rest do; choose curves that cross each other once"
    )


def _boolean_sum(
    first: _Family, second: _Family, places: Array, tolerance: float
) -> tuple[SkinSheet, tuple[tuple[ShareMap, ...], tuple[ShareMap, ...]]]:
    """The two blends of both families added, less the blend of what they have in common: where they cross, `places` (m, n, 3). And where each curve
    is at common places."""
    along, across = (spread_at(f.strands, f.shares, f.places, tolerance) for f in (first, second))
    by_u, by_v = (blend(f.places, ring=f.places[-1] < 1.0) for f in (first, second))
    u, v = (union([s.basis, b.basis], DEGREE, k == 0) for k, (s, b) in enumerate(((along, by_u), (across, by_v))))
    of_u, of_v = said_in(u, by_u.basis, by_u.weights), said_in(v, by_v.basis, by_v.weights)
    rows = said_in(u, along.basis, along.control) + _corrections(along, by_u, of_u, places)
    columns = said_in(v, across.basis, across.control) + _corrections(across, by_v, of_v, places.transpose(1, 0, 2))
    control = np.einsum("umk,vm->uvk", rows, of_v) + np.einsum("vnk,un->uvk", columns, of_u)
    control = control - np.einsum("un,vm,mnk->uvk", of_u, of_v, places, optimize=True)
    return SkinSheet(u, v, control, along.corners), (along.courses, across.courses)


def _corrections(curves: Spread, across: Blend, weights: Array, places: Array) -> Array:
    """(size, curves, 3) what is added to curves so that they pass the `places` (curves, others, 3) where they cross the others."""
    off = places - curves.at(across.levels).transpose(1, 0, 2)
    return np.einsum("un,mnk->umk", weights, off)


def two_families(strands: Sequence[Strand], called: Sequence[str]) -> tuple[list[int], list[int]]:
    """Curves parted in two families, so that those of one cross those of the other: from the pairs that come nearest to each other on.
    Ends in which three curves or more come together say nothing.

    Raises: FieldError.
    """
    count = len(strands)
    if count < 3:
        raise FieldError(f"a net has curves that run one way, and others across; {count} are too few")
    found = crossings(strands, strands)
    size = max(float(np.ptp(found.first.reshape(-1, 3), axis=0).max()), 1e-300)
    pairs = [(float(found.gaps[i, j]), i, j) for i in range(count) for j in range(i) if not _at_pole(found, i, j, size)]
    side, group = [0] * count, list(range(count))  # which family, of the group of curves that are known of each other
    for _, i, j in sorted(pairs):
        if group[i] != group[j]:
            flip, old = side[i] == side[j], group[j]
            side = [1 - s if g == old and flip else s for s, g in zip(side, group, strict=True)]
            group = [group[i] if g == old else g for g in group]
    families = [k for k in range(count) if side[k] == side[0]], [k for k in range(count) if side[k] != side[0]]
    if not families[1] or len(set(group)) > 1:
        raise FieldError(f"{called[0]} and the others do not make a net; choose curves that cross")
    return families


def _at_pole(found: CurveCrossings, i: int, j: int, size: float) -> bool:
    """Whether two curves meet at ends of both at which others end, too."""
    at = found.places[i, j]
    ends = (found.on_first[i, j], found.on_second[i, j])
    if not all(share in (0.0, 1.0) for share in ends):
        return False
    near = np.linalg.norm(found.places[i] - at, axis=1) < POLE * size
    near[i] = False
    return bool(near.sum() >= 2)
