"""A parallel skin as B-spline patches, for the hollow inside a solid."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.parallel import SLIVER, Parallel
from isotomon.field.patches import FitAlong, between, parted
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


def lining(skin: Parallel, tolerance: float) -> list[Patch]:
    """The patches of a parallel skin, within `tolerance` (mm) of it, or, where that would take very many, within a ten-thousandth of
    the wall; its ends lie in the planes at which it ends.

    Raises: FieldError, where it folds, lanes do not meet, or it would need too many patches.
    """
    try:
        bases = [_across(skin, number, tolerance) for number in range(len(skin.field.common.lanes))]
        loose = (MANY_ALONG, LOOSE * skin.wall)
        along, control = fit(lambda y: _nets(skin, bases, y), tolerance, most=300, loose=loose)
    except KnotError as error:
        raise FieldError(f"the inner skin cannot be followed smoothly: {error}; make the wall thinner") from None
    net = control.reshape(len(control), -1, 3)
    times = along.multiplicity.copy()
    times[[0, -1]] = along.degree + 1
    whole = FitAlong(along.degree, along.breaks, times, net)
    return _patches(skin, bases, whole)


def _across(skin: Parallel, number: int, tolerance: float) -> Basis:
    """The basis in which a lane of the parallel is followed across, at all levels."""
    lanes = skin.field.common.lanes
    basis = lanes[number].basis
    y = np.linspace(0.0, 1.0, min(LEVELS * len(skin.field.nodes) + 1, MOST_LEVELS))
    # What has a curvature that jumps has a parallel whose slope by the parameter jumps.
    joins = {
        float(place): max(basis.degree - int(times) - 1, 0)
        for place, times in zip(basis.breaks[1:-1], basis.multiplicity[1:-1], strict=True)
        if times > 1 and SLIVER < place < 1.0 - SLIVER
    }

    def sample(s: Array) -> Array:
        own = [s if k == number else np.empty(0) for k in range(len(lanes))]
        return skin.points(own, y)[number].transpose(1, 0, 2).reshape(len(s), -1)

    loose = (MANY_ACROSS, LOOSE * skin.wall)
    return fit(sample, tolerance, joins=joins, periodic=basis.periodic, loose=loose)[0]


def _nets(skin: Parallel, bases: list[Basis], y: Array) -> Array:
    """(n_y, all control points × 3): the control points of all lanes at levels y."""
    sites = [basis.greville() for basis in bases]
    nets = []
    for basis, at, points in zip(bases, sites, skin.points(sites, y), strict=True):
        flat = np.linalg.solve(basis.matrix(at), points.transpose(1, 0, 2).reshape(len(at), -1))
        nets.append(flat.reshape(basis.size, len(y), 3).transpose(1, 0, 2))
    return np.concatenate(nets, axis=1).reshape(len(y), -1)


def _patches(skin: Parallel, bases: list[Basis], whole: FitAlong) -> list[Patch]:
    common, names, starts = skin.field.common, skin.field.names.lanes, np.cumsum([0, *(b.size for b in bases)])
    for number, basis in enumerate(bases):
        after = common.beside(number)[1]
        if not basis.periodic and after is not None:
            whole.control[:, starts[after]] = whole.control[:, starts[number + 1] - 1]
    spans = len(whole.breaks) - 1
    cuts = whole.breaks[np.linspace(0, spans, -(-spans // BAYS_OF_A_FACE) + 1).round().astype(int)]
    made: dict[str, list[Patch]] = {}
    for start, end in zip(cuts[:-1].tolist(), cuts[1:].tolist(), strict=True):
        for number, basis in enumerate(bases):
            piece = between(whole, slice(int(starts[number]), int(starts[number + 1])), start, end)
            name = f"inside of lane {names[number]}"
            for own, net in parted(basis, np.ascontiguousarray(piece.control.transpose(1, 0, 2))):
                times = own.multiplicity.copy()
                if not own.periodic:
                    times[[0, -1]] = own.degree + 1
                face = Patch(name, own.degree, 5, own.breaks, times, piece.breaks, piece.times, own.periodic, net)
                made.setdefault(name, []).append(face)
    return [
        face if len(faces) == 1 else replace(face, name=f"{name} from part {k} of {len(faces)}")
        for name, faces in made.items()
        for k, face in enumerate(faces, 1)
    ]
