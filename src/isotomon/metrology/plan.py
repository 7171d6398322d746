"""Which places of a body a measuring machine is to touch: rows round its stations, and between them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.mesh import sampling, skin_mesh
from isotomon.inspect.results import Quick, Shape

MOST_TOUCHES = 100_000
FINE = 600
INSET, MOST_INSET = 0.02, 2.0
"""Of the bay, and mm, that the first and the last row lie within the body's ends."""


@dataclass(frozen=True, eq=False)
class ProbePlan:
    """`places` (n, 3) mm on the design, and the outward `normals` there; the probe comes against these."""

    places: Array
    normals: Array

    def __len__(self) -> int:
        return len(self.places)


ON_ENDS = (0.35, 0.7)
"""Of the way from the middle of a flat end to its outline, where it is touched."""
EACH_END = 9
"""Places in each of these rings."""


def _flat_ends(shape: Shape) -> Iterable[tuple[Array, Array]]:
    """Places (n, 3) on each flat end of a body that has no holes, with their outward normals."""
    common, field = shape.form.common, shape.field
    if field.ring or common.open or any(lane.loop for lane in common.lanes):
        return
    for row, way in ((0, -1.0), (-1, 1.0)):
        ring = shape.mesh.points[row, shape.mesh.sampling.outline]
        if np.ptp(ring, axis=0).max() < 1e-9:
            continue
        middle = ring.mean(axis=0)
        some = ring[np.linspace(0, len(ring), EACH_END, endpoint=False).astype(int)]
        normal = way * shape.sections.normal[row]
        for share in ON_ENDS:
            yield middle + share * (some - middle), np.tile(normal, (EACH_END, 1))


def probe_plan(quick: Quick, around: int = 60, between: int = 2) -> ProbePlan:
    """Places round the body's first copy: at each station, and at `between` rows in each bay; in each row `around` of them, evenly by length; and some
    on its flat ends, which tell where along itself it lies.

    Raises: DesignError, for a body without stations, or counts out of range.
    """
    shape = quick.shape
    if shape is None:
        raise DesignError(f"{quick.body.name} has no stations at which it could be touched")
    if not 4 <= around <= 2000 or not 0 <= between <= 200:
        raise DesignError("4 to 2,000 places round a section, and 0 to 200 rows in a bay, can be touched")
    field = shape.field
    edges = field.positions(field.edges)
    share = np.arange(between + 1) / (between + 1)
    rows = np.append((edges[:-1, None] + share * np.diff(edges)[:, None]).ravel(), edges[-1])
    if not field.ring:  # a probe at the very edge of a flat end may go past it
        rows[0] += min(INSET * (edges[1] - edges[0]), MOST_INSET)
        rows[-1] -= min(INSET * (edges[-1] - edges[-2]), MOST_INSET)
    if len(rows) * around > MOST_TOUCHES:
        raise DesignError(f"{len(rows) * around:,} places are more than {MOST_TOUCHES:,}; touch fewer")
    mesh = skin_mesh(field.sections(field.params(rows)), sampling(shape.form.common, FINE), field.ring)
    sized = [k for k in range(len(rows)) if np.ptp(mesh.points[k], axis=0).max() > 1e-9]
    ring = mesh.sampling.rim
    places, normals = list[Array](), list[Array]()
    for k in sized:
        line = mesh.points[k, ring]
        run = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))]
        # Half a step in, so that none is at a corner, where no way is square to the skin.
        at = np.interp((np.arange(around) + 0.5) / around * run[-1], run, np.arange(len(run)))
        low = np.minimum(at.astype(int), len(run) - 2)
        part = (at - low)[:, None]
        facing = mesh.normals[k, ring]
        normal = facing[low] + part * (facing[low + 1] - facing[low])
        places.append(line[low] + part * (line[low + 1] - line[low]))
        normals.append(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300))
    for place, normal in _flat_ends(shape):
        places.append(place)
        normals.append(normal)
    matrix = quick.placed[0]
    whole = np.vstack(normals) @ np.linalg.inv(matrix[:3, :3])
    size = np.linalg.norm(whole, axis=1, keepdims=True)
    there = (
        size[:, 0] > 0.5
    )  # at a crease both sides may face away from each other, and there is no way to come against
    return ProbePlan(quick.stood(np.vstack(places))[there], whole[there] / size[there])
