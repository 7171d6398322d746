"""A field as B-spline patches: one a lane, exact on the stations, elsewhere within the design's tolerance."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline
from scipy.sparse import csr_array, vstack
from scipy.sparse.linalg import splu

from isotomon.arrays import Array, Index, Mask
from isotomon.errors import FieldError
from isotomon.field.correspond import Correspondence
from isotomon.field.section_field import SectionField, pinched
from isotomon.geometry.basis import Basis
from isotomon.geometry.edge_forms import part_of
from isotomon.geometry.patch import Patch

MOST_SPANS = 1200
MOST_SPANS_OF_ONE_FACE = 40
SLIVER = 0.002
"""A part of a lane narrower than this share of it is no face of its own."""
MOST_SPANS_ALONG, OF_A_LONG_BODY, LONG = 40, 8, 400
"""Other programs integrate over a face by a fixed number of places: so many spans they follow to a ten-thousandth."""


Span = tuple[float, float]


@dataclass(frozen=True, eq=False)
class FitAlong:
    """A fit along the body: clamped splines of `degree`, `breaks` (b,) with `times`, control points (n_v, n_u, 3)."""

    degree: int
    breaks: Array
    times: Index
    control: Array

    @property
    def knots(self) -> Array:
        """(n,) the breaks, each as often as it counts."""
        return np.repeat(self.breaks, self.times)


def patches(field: SectionField, tolerance: float) -> list[Patch]:
    """The lanes of the body as patches whose borders share control points exactly.

    Raises: FieldError, when `tolerance` (mm) cannot be met with a reasonable number of knots.
    """
    if not field.ruled:
        return cut(field, fit_along(field, tolerance))
    edges, two = field.edges, np.array([2, 2])
    control = field.sections(edges).control
    if field.ring:
        control[-1] = control[0]
    return [
        patch
        for bay in range(len(edges) - 1)
        for patch in cut(field, FitAlong(1, edges[bay : bay + 2], two, control[bay : bay + 2]))
    ]


def fit_along(field: SectionField, tolerance: float) -> FitAlong:
    """Quintics along the body, C2 at the stations and C4 between, through the field's sections at all stations and at
    places between, with its slopes at both ends. Spans are halved until the field is followed everywhere.
    """
    edges = field.edges
    breaks = edges
    ends = field.sections(breaks[[0, -1]]).slopes
    while True:
        times = np.where(np.isin(breaks, edges), 3, 1)
        times[[0, -1]] = 6
        knots = np.repeat(breaks, times)
        sites = _sites(breaks, edges)
        matrix = BSpline.design_matrix(sites, knots, 5)
        known = field.sections(sites).control
        right = np.concatenate([ends[:1], known, ends[1:]]).reshape(len(sites) + 2, -1)
        # A clamped quintic's slope at its ends is that between its outer two control points.
        steep, count = 5.0 / np.diff(breaks)[[0, -1]], matrix.shape[1]
        low = csr_array(([-steep[0], steep[0]], ([0, 0], [0, 1])), shape=(1, count))
        high = csr_array(([-steep[1], steep[1]], ([0, 0], [count - 2, count - 1])), shape=(1, count))
        control = splu(vstack([low, matrix, high]).tocsc()).solve(right)
        width = np.diff(breaks)
        probes = (breaks[:-1, None] + width[:, None] * np.array([0.12, 0.37, 0.63, 0.88])).ravel()
        fitted = BSpline.design_matrix(probes, knots, 5) @ control
        miss = np.linalg.norm(
            (fitted - field.sections(probes).control.reshape(fitted.shape)).reshape(len(probes), -1, 3), axis=2
        )
        bad = miss.max(axis=1).reshape(len(width), -1).max(axis=1) > 0.7 * tolerance
        if not bad.any():
            return FitAlong(5, breaks, times, control.reshape(len(control), -1, 3))
        if len(breaks) + bad.sum() > MOST_SPANS:
            raise FieldError(
                f"the skin needs more than {MOST_SPANS} spans to lie within {tolerance:g} mm; allow a larger tolerance"
            )
        breaks = np.sort(np.concatenate([breaks, breaks[:-1][bad] + width[bad] / 2.0]))


def _sites(breaks: Array, nodes: Array) -> Array:
    """Sites that make quintic interpolation well posed: the stations, and in a bay of s spans s + 1 places between."""
    edges = np.searchsorted(breaks, nodes)
    between = []
    for a, b in zip(edges[:-1], edges[1:], strict=True):
        share = (1.0 - np.cos(np.pi * np.arange(1, b - a + 2) / (b - a + 2))) / 2.0
        if b - a > 1:
            share = (np.arange(b - a + 1) + 0.5) / (b - a + 1)
        between.append(np.interp(share * (b - a), np.arange(b - a + 1), breaks[a : b + 1]))
    return np.sort(np.concatenate([nodes, *between]))


def cut(field: SectionField, along: FitAlong, within: Span | None = None) -> list[Patch]:
    """Patches of all lanes; a lane is cut where it is pinched to nothing, where a new stretch begins, and where a bay has many spans.
    `within`: only what lies between two places along it."""
    whole = (float(along.breaks[0]), float(along.breaks[-1]))
    low, high = within or whole
    places, bay, gone, fresh = _cuts(field, along.breaks)
    lanes = field.common.lanes
    spans = [_spans(places, gone[:, k] | fresh, gone[:, k], whole) for k in range(len(lanes))]
    pieces = {
        (number, span): between(along, lane.columns, *span)
        for number, lane in enumerate(lanes)
        for a, b in spans[number]
        if (span := (max(a, low), min(b, high)))[0] < span[1]
    }
    _share_borders(pieces, field.common)
    if field.ring and not field.ruled:
        for number in range(len(spans)):
            mine = [piece for (k, _), piece in pieces.items() if k == number]
            mine[-1].control[-1] = mine[0].control[0]
    # The section that a body begins with is its station's, wherever it is carried on to.
    keys = {s.position: s.key if s.position != field.first else s.key.partition("/")[0] for s in field.stations}
    begins = {place: keys.get(field.edges[k], "") for place, k in zip(places.tolist(), bay.tolist(), strict=True)}
    begins.setdefault(low, begins[max(place for place in begins if place <= low)])
    return _faces(field, pieces, begins)


def _faces(field: SectionField, pieces: dict[tuple[int, Span], FitAlong], begins: dict[float, str]) -> list[Patch]:
    """The patches of pieces of lanes, each named by its lane and the station in `begins` it begins at or after; several of one
    name are told apart by their number, and by how many there are, so that it means nothing when that changes."""
    faces: dict[str, list[Patch]] = {}
    for (number, span), piece in pieces.items():
        lane = field.common.lanes[number]
        if _still(piece.control):  # it lies on the axis that the body is turned about
            continue
        name = f"lane {field.names.lanes[number]} from {begins[span[0]]}"
        for basis, net in parted(lane.basis, np.ascontiguousarray(piece.control.transpose(1, 0, 2))):
            u, v = (basis.breaks, times_of(basis)), (piece.breaks, piece.times)
            face = Patch(name, basis.degree, piece.degree, *u, *v, basis.periodic, net, lane.loop)
            faces.setdefault(name, []).append(face)
    return [
        face if len(parts) == 1 else replace(face, name=f"{name} part {k} of {len(parts)}")
        for name, parts in faces.items()
        for k, face in enumerate(parts, 1)
    ]


def _cuts(field: SectionField, breaks: Array) -> tuple[Array, Index, Mask, Mask]:
    """(n,) the places along the body at which lanes may be cut and the bay that begins at each; (n, lanes) whether a lane is
    pinched to nothing there; (n,) whether all are cut there."""
    pinched_at, fresh_at = pinched(field), _with_short_stretches(_stretches(field), field.nodes, breaks)
    if field.ring:
        # Cut in its middle too, so that no face closes on itself along the body.
        pinched_at, fresh_at = np.vstack([pinched_at, pinched_at[:1]]), np.append(fresh_at, False)
        fresh_at[len(field.nodes) // 2] = True
    places, bay = _places(field.edges, breaks)
    station = np.isin(places, field.edges)
    gone, fresh = np.zeros((len(places), pinched_at.shape[1]), dtype=bool), ~station
    gone[station], fresh[station] = pinched_at, fresh_at
    return places, bay, gone, fresh


def _places(edges: Array, breaks: Array) -> tuple[Array, Index]:
    """(n,) the stations, and where a bay of many spans is parted between them; (n,) the number of the bay that begins there or
    before."""
    most = _most_along(breaks)
    found = np.searchsorted(breaks, edges)
    places, bays = [], []
    for bay, (a, b) in enumerate(zip(found[:-1].tolist(), found[1:].tolist(), strict=True)):
        parts = max(-(-(b - a) // most), 1)
        places += [edges[bay], *breaks[a + (b - a) * np.arange(1, parts) // parts].tolist()]
        bays += [bay] * parts
    return np.array([*places, edges[-1]]), np.array([*bays, len(edges) - 1])


def _still(control: Array) -> bool:
    """Whether control points (n_v, n_u, 3) stay where they are along the body."""
    return float(np.ptp(control, axis=0).max()) < 1e-7 * max(float(np.ptp(control, axis=1).max()), 1e-300)


def _share_borders(pieces: dict[tuple[int, Span], FitAlong], common: Correspondence) -> None:
    """Neighbouring lanes over one span get the very same control points on their border, to the last bit."""
    for (number, span), piece in pieces.items():
        if common.lanes[number].basis.periodic:
            continue
        beside = common.beside(number)[1]
        after = pieces.get((beside, span)) if beside is not None else None
        if after is not None:
            after.control[:, 0] = piece.control[:, -1]


def times_of(basis: Basis) -> Index:
    """How often each break of a basis counts, where it is a knot of a face."""
    times = basis.multiplicity.copy()
    if not basis.periodic:
        times[[0, -1]] = basis.degree + 1
    return times


def parted(basis: Basis, control: Array) -> list[tuple[Basis, Array]]:
    """A lane's faces: parted where it is less smooth than its spline (the nose of a foil, an arc's end), and where it would have more
    than `MOST_SPANS_OF_ONE_FACE`.

    The joins are as smooth as the lane. One face over all of it is valid, but programs that integrate over it by a fixed
    number of places get its volume wrong by parts in a thousand.
    """
    count = len(basis.breaks) - 1
    stops = [0, *(k for k in range(1, count) if basis.multiplicity[k] > 1), count]
    at = [0]
    for a, b in zip(stops[:-1], stops[1:], strict=True):
        parts = -(-(b - a) // MOST_SPANS_OF_ONE_FACE)
        at += [a + (b - a) * k // parts for k in range(1, parts + 1)]
    at = _wide_enough(basis, control, at)
    if len(at) == 2:
        return [(basis, control)]
    faces = [part_of(basis, control, a, b) for a, b in zip(at[:-1], at[1:], strict=True)]
    for (_, before), (_, after) in zip(faces[:-1], faces[1:], strict=True):
        after[0] = before[-1]
    first, last = faces[0][1], faces[-1][1]
    if basis.periodic:
        last[-1] = first[0]
    else:
        first[0], last[-1] = control[0], control[-1]
    return faces


def _wide_enough(basis: Basis, control: Array, at: list[int]) -> list[int]:
    """The numbers of those breaks, the outer ones among them, between which every part of a lane has a width all along, and not
    only a sliver's."""
    points = np.tensordot(basis.matrix(basis.breaks[at]), control, 1)
    wide = np.linalg.norm(np.diff(points, axis=0), axis=2)
    whole = wide.sum(axis=0)
    there = whole > SLIVER * whole.max()
    share = np.cumsum(wide[:, there] / whole[there], axis=0)
    kept, done = [0], np.zeros(int(there.sum()))
    for stop, so_far in zip(at[1:-1], share[:-1], strict=True):
        if (so_far - done).min() > SLIVER and (1.0 - so_far).min() > SLIVER:
            kept.append(stop)
            done = so_far
    return [*kept, at[-1]]


def _stretches(field: SectionField) -> Mask:
    """(stations,) where the body goes over from round sections (a shank) to a blend, or from a blend to others."""
    flags = np.array([s.round for s in field.stations])
    kind = flags[:-1].astype(int) + flags[1:]
    return np.concatenate([[False], kind[1:] != kind[:-1], [False]])


def _with_short_stretches(fresh: Mask, nodes: Array, breaks: Array) -> Mask:
    """(stations,) where faces begin, so that none has more than `MOST_SPANS_ALONG` along the body, but within one bay; far fewer
    along one of so many spans that they are integrated over by a fixed number of places here, too."""
    result, begun, most = fresh.copy(), breaks[0], _most_along(breaks)
    for k, node in enumerate(nodes[1:-1].tolist(), 1):
        if not result[k]:
            ahead = nodes[k + 1]
            result[k] = ((breaks > begun) & (breaks <= ahead)).sum() > most
        begun = node if result[k] else begun
    return result


def _most_along(breaks: Array) -> int:
    return MOST_SPANS_ALONG if len(breaks) < LONG else OF_A_LONG_BODY


def _spans(nodes: Array, cut: Mask, gone: Mask, whole: tuple[float, float]) -> list[tuple[float, float]]:
    """Where a lane has width: runs of bays of which at least one end is wider than nothing, parted at the cuts."""
    spans: list[tuple[float, float]] = []
    for i in range(len(nodes) - 1):
        if nodes[i] < whole[0] or nodes[i + 1] > whole[1] or (gone[i] and gone[i + 1]):
            continue
        if spans and spans[-1][1] == nodes[i] and not cut[i]:
            spans[-1] = (spans[-1][0], float(nodes[i + 1]))
        else:
            spans.append((float(nodes[i]), float(nodes[i + 1])))
    return spans


def between(along: FitAlong, columns: slice, start: float, end: float) -> FitAlong:
    """The part of the splines of some columns from one place along the body to another, by interpolation at its own Greville sites.

    A piece of a spline is a spline on the knots inside, so that this returns the piece itself.
    """
    control = along.control[:, columns]
    if start <= along.breaks[0] and end >= along.breaks[-1]:
        return FitAlong(along.degree, along.breaks, along.times, control.copy())
    inside = (along.breaks > start) & (along.breaks < end)
    breaks = np.concatenate([[start], along.breaks[inside], [end]])
    times = np.concatenate([[along.degree + 1], along.times[inside], [along.degree + 1]])
    knots = np.repeat(breaks, times)
    means = np.lib.stride_tricks.sliding_window_view(knots[1:-1], along.degree).mean(axis=1)
    sites = np.clip(means, breaks[0], breaks[-1])
    values = BSpline(along.knots, control, along.degree)(sites)
    return FitAlong(along.degree, breaks, times, make_interp_spline(sites, values, k=along.degree, t=knots).c)
