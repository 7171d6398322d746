"""A worked skin as B-spline patches: a solid's outside, or the hollow inside it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.parallel import SLIVER, WorkedSkin
from isotomon.field.patches import FitAlong, between, parted, times_of
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.patch import Patch

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
    loose = LOOSE * min([float(np.abs(skin.all_walls).min()) or np.inf, *(float(r.radii.min()) for r in skin.rounds)])
    try:
        bases = [_across(skin, number, tolerance, loose) for number in range(len(skin.sides))]
        along, control = fit(lambda y: _nets(skin, bases, y), tolerance, most=300, loose=(MANY_ALONG, loose))
    except KnotError as error:
        raise FieldError(f"the skin cannot be followed smoothly: {error}; make the wall or the radius less") from None
    return _patches(
        skin, bases, FitAlong(along.degree, along.breaks, times_of(along), control.reshape(len(control), -1, 3)), inside
    )


def _across(skin: WorkedSkin, number: int, tolerance: float, loose: float) -> Basis:
    """The basis in which a side is followed across, at all levels."""
    y = np.linspace(0.0, 1.0, min(LEVELS * len(skin.base.field.nodes) + 1, MOST_LEVELS))
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


def _patches(skin: WorkedSkin, bases: list[Basis], whole: FitAlong, inside: str) -> list[Patch]:
    starts = np.cumsum([0, *(b.size for b in bases)])
    for number, basis in enumerate(bases):
        if not basis.periodic:  # neighbours have the very same border
            after = (number + 1) % len(bases)
            whole.control[:, starts[after]] = whole.control[:, starts[number + 1] - 1]
    spans = len(whole.breaks) - 1
    cuts = whole.breaks[np.linspace(0, spans, -(-spans // BAYS_OF_A_FACE) + 1).round().astype(int)]
    made: dict[str, list[Patch]] = {}
    for start, end in zip(cuts[:-1].tolist(), cuts[1:].tolist(), strict=True):
        for number, basis in enumerate(bases):
            piece = between(whole, slice(int(starts[number]), int(starts[number + 1])), start, end)
            name = f"{inside}{skin.side_name(skin.sides[number])}"
            for own, net in parted(basis, np.ascontiguousarray(piece.control.transpose(1, 0, 2))):
                across, along = (own.breaks, times_of(own)), (piece.breaks, piece.times)
                face = Patch(name, own.degree, piece.degree, *across, *along, own.periodic, net)
                made.setdefault(name, []).append(face)
    return [
        face if len(faces) == 1 else replace(face, name=f"{name} from part {k} of {len(faces)}")
        for name, faces in made.items()
        for k, face in enumerate(faces, 1)
    ]
