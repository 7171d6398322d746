"""A worked skin as B-spline patches: a solid's outside, or the hollow inside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.end_round import EndRound
from isotomon.field.parallel import SLIVER, WorkedSkin
from isotomon.field.patches import FitAlong, between, cut, fit_along, parted, times_of
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.patch import APART, Patch

LEVELS = 4
"""Levels in each bay at which it is seen how fine a lane must be across."""
MOST_LEVELS = 41
BAYS_OF_A_FACE = 12
"""Spans along it that one face has at most: other programs integrate over a face by a fixed number of places."""


MANY_ALONG, MANY_ACROSS, LOOSE = 24, 60, 1e-4
"""Above so many spans along or across, a lane is followed to this share of the wall: where corners come and go, the parallel has a
curvature that jumps at places that wander, and to follow those closely would take spans without end."""


def lining(skin: WorkedSkin, tolerance: float, inside: str = "") -> list[Patch]:
    """The patches of a worked skin, within `tolerance` (mm) of it, or, where that would take very many, within a ten-thousandth of
    the wall or radius; its ends lie in the planes at which it ends. `inside`: before the names of its faces.

    Raises: FieldError, where it folds, sides do not meet, or it would need too many patches.
    """
    skin = replace(skin, fineness="fitted")
    if skin.end_rounds:
        if skin.fades:
            raise FieldError("an edge along the body fades out, and an end is rounded away; leave one of them out")
        return _with_end_rounds(skin, tolerance)
    loose = LOOSE * min([float(np.abs(skin.all_walls).min()) or np.inf, *(float(r.radii.min()) for r in skin.rounds)])
    return _sides(skin, tolerance, loose, inside)


def _sides(
    skin: WorkedSkin,
    tolerance: float,
    loose: float,
    inside: str = "",
    part: tuple[float, float] = (0.0, 1.0),
    at: str = "",
) -> list[Patch]:
    """The patches of the sides between two levels, called as what is `at` one end, where that is not all."""
    first, ahead = part[0], part[1] - part[0]
    try:
        bases = [_across(skin, number, tolerance, loose, part) for number in range(len(skin.sides))]
        joins = {(y - first) / ahead: 0 for y in skin.fades}
        along, control = fit(
            lambda x: _nets(skin, bases, first + x * ahead), tolerance, joins=joins, most=300, loose=(MANY_ALONG, loose)
        )
    except KnotError as error:
        raise FieldError(f"the skin cannot be followed smoothly: {error}; make the wall or the radius less") from None
    whole = FitAlong(along.degree, along.breaks, times_of(along), control.reshape(len(control), -1, 3))
    return _patches(skin, bases, whole, inside, at)


def _with_end_rounds(skin: WorkedSkin, tolerance: float) -> list[Patch]:
    """The patches of a skin with rounds in place of ends: its own as far as it stays as it is, and those of its outermost parts, and the
    rounds."""
    field = skin.base.field
    along, far = fit_along(field, skin.base.tolerance), field.last - field.first
    ends, made = [field.first, field.last], list[Patch]()
    for end in skin.end_rounds:
        part, name = ((end.still, 1.0), "last") if end.last else ((0.0, end.still), "first")
        for face in _sides(skin, tolerance, skin.base.tolerance / 2.0, "", part, f"the {name} end"):
            breaks = field.first + far * (part[0] + face.breaks_v * (part[1] - part[0]))
            made.append(replace(face, breaks_v=breaks))
        made += _round(end, tolerance)
        ends[1 if end.last else 0] = field.first + far * end.still
    return cut(field, along, (ends[0], ends[1])) + made


def _round(end: EndRound, tolerance: float) -> list[Patch]:
    """The patches of a round in place of an end."""
    pieces = [(partial(end.on, strip), strip.joins) for strip in end.strips]
    pieces += [(partial(end.closing, number), (end.front(number),)) for number in end.noses]
    name = f"round of ({'last' if end.last else 'first'} cap)"
    made = [face for points, joins in pieces for face in _piece(points, joins, tolerance, name)]
    return [replace(face, name=f"{name} from part {k} of {len(made)}") for k, face in enumerate(made, 1)]


def _piece(points: Callable[[Array, Array], Array], joins: Sequence[float], tolerance: float, name: str) -> list[Patch]:
    """Patches through `points` (n, m, 3) at shares (n,) and (m,) of the way along and up, less smooth along at `joins`."""
    looked = np.linspace(0.0, 1.0, MOST_LEVELS)
    up = fit(lambda s: points(looked, s).transpose(1, 0, 2).reshape(len(s), -1), tolerance)[0]
    at = up.greville()

    def nets(share: Array) -> Array:
        flat = np.linalg.solve(up.matrix(at), points(share, at).transpose(1, 0, 2).reshape(len(at), -1))
        return np.asarray(flat.reshape(up.size, len(share), 3).transpose(1, 0, 2).reshape(len(share), -1))

    along, control = fit(nets, tolerance, joins=dict.fromkeys(joins, 0))
    whole = control.reshape(len(control), up.size, 3)
    return [
        Patch(name, own.degree, up.degree, own.breaks, times_of(own), up.breaks, times_of(up), False, net, APART)
        for own, net in parted(along, whole)
    ]


def _across(skin: WorkedSkin, number: int, tolerance: float, loose: float, part: tuple[float, float]) -> Basis:
    """The basis in which a side is followed across, at all levels from one to another."""
    y = np.linspace(*part, min(LEVELS * len(skin.base.field.nodes) + 1, MOST_LEVELS))
    own = skin.basis(skin.sides[number])

    def sample(s: Array) -> Array:
        wanted = [s if k == number else np.empty(0) for k in range(len(skin.sides))]
        return skin.points(wanted, y)[number].transpose(1, 0, 2).reshape(len(s), -1)

    periodic = own is not None and own.periodic
    joins = _joins(own) if own is not None else {}
    return fit(sample, tolerance, joins=joins, periodic=periodic, loose=(MANY_ACROSS, loose))[0]


def _joins(own: Basis) -> dict[float, int]:
    """Places at which a lane is less smooth than its spline, and how smooth its parallel is there: what has a curvature that jumps
    has a parallel whose slope by the parameter jumps."""
    places = zip(own.breaks[1:-1].tolist(), own.multiplicity[1:-1].tolist(), strict=True)
    return {u: max(own.degree - k - 1, 0) for u, k in places if k > 1 and SLIVER < u < 1.0 - SLIVER}


def _nets(skin: WorkedSkin, bases: list[Basis], y: Array) -> Array:
    """(n_y, all control points × 3): the control points of all sides at levels y."""
    sites = [basis.greville() for basis in bases]
    nets = []
    for basis, at, points in zip(bases, sites, skin.points(sites, y), strict=True):
        flat = np.linalg.solve(basis.matrix(at), points.transpose(1, 0, 2).reshape(len(at), -1))
        nets.append(flat.reshape(basis.size, len(y), 3).transpose(1, 0, 2))
    return np.concatenate(nets, axis=1).reshape(len(y), -1)


def _patches(skin: WorkedSkin, bases: list[Basis], whole: FitAlong, inside: str, at: str) -> list[Patch]:
    starts = np.cumsum([0, *(b.size for b in bases)])
    for number, basis in enumerate(bases):
        if not basis.periodic:  # neighbours have the very same border
            after = (number + 1) % len(bases)
            whole.control[:, starts[after]] = whole.control[:, starts[number + 1] - 1]
    sites = np.lib.stride_tricks.sliding_window_view(whole.knots[1:-1], whole.degree).mean(axis=1).tolist()
    for number, side in enumerate(skin.sides):
        # Where a round fades out, and beyond, it has no width at all.
        gone = [] if isinstance(side, int) else [k for k, y in enumerate(sites) if not skin.is_there(side, y)]
        if gone:
            edge, after = whole.control[gone, starts[number]], starts[(number + 1) % len(bases)]
            whole.control[gone, starts[number] : starts[number + 1]] = edge[:, None]
            whole.control[gone, after] = edge
    spans = len(whole.breaks) - 1
    cuts = whole.breaks[np.linspace(0, spans, -(-spans // BAYS_OF_A_FACE) + 1).round().astype(int)]
    cuts = np.union1d(cuts, whole.breaks[np.isin(whole.breaks, skin.fades)])
    made: dict[str, list[Patch]] = {}
    for start, end in zip(cuts[:-1].tolist(), cuts[1:].tolist(), strict=True):
        for number, basis in enumerate(bases):
            if not skin.is_there(skin.sides[number], (start + end) / 2.0):
                continue
            piece = between(whole, slice(int(starts[number]), int(starts[number + 1])), start, end)
            name = f"{inside}{skin.side_name(skin.sides[number])}{at and f' from {at}'}"
            for own, net in parted(basis, np.ascontiguousarray(piece.control.transpose(1, 0, 2))):
                across, along = (own.breaks, times_of(own)), (piece.breaks, piece.times)
                face = Patch(name, own.degree, piece.degree, *across, *along, own.periodic, net)
                made.setdefault(name, []).append(face)
    return [
        face if len(faces) == 1 else replace(face, name=f"{name} {(at and 'part') or 'from part'} {k} of {len(faces)}")
        for name, faces in made.items()
        for k, face in enumerate(faces, 1)
    ]
