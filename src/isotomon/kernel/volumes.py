"""What a boolean operation has come to, held against the meshes of what went in: the kernel's own word is not enough, since it
leaves bodies as they were, or drops parts, and calls the result valid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array, Index, Mask

SPOTS = 300
"""Places tried; the volume in common is then known to about a twentieth of the room that both bodies reach."""
SAME = 1e-7
"""Volumes nearer than this share of the body are one."""
DOUBT = 0.25
"""A volume that is farther off than this share of the room both bodies reach is not believed: five times what the trial may
miss by."""
CHUNK = 4_000_000


@dataclass(frozen=True, eq=False)
class Lump:
    """A body as a closed mesh: `points` (n, 3) mm, `triangles` (m, 3), and its volume, mm³."""

    points: Array
    triangles: Index
    volume: float

    @property
    def box(self) -> tuple[Array, Array]:
        """Its lowest and highest corner."""
        return self.points.min(axis=0), self.points.max(axis=0)


def contains(lump: Lump, places: Array) -> Mask:
    """(k,) whether places (k, 3) lie in a body, by how often a ray along X passes its skin."""
    corners = lump.points[lump.triangles]
    # A ray through an edge would count it twice or not at all: none of these runs through one.
    low, high = corners[..., 1:].min(axis=1), corners[..., 1:].max(axis=1)
    reached = (low <= places[:, 1:].max(axis=0)).all(axis=1) & (high >= places[:, 1:].min(axis=0)).all(axis=1)
    corners, low, high = corners[reached], low[reached], high[reached]
    result = np.zeros(len(places), dtype=bool)
    step = max(CHUNK // max(len(corners), 1), 1)
    for start in range(0, len(places), step):
        p = places[start : start + step]
        near = ((low[None] <= p[:, None, 1:]) & (high[None] >= p[:, None, 1:])).all(axis=2)
        at, number = np.nonzero(near)
        a, b, c = (corners[number, k] for k in range(3))
        q = p[at]

        def side(e: Array, f: Array, q: Array = q) -> Array:
            return np.asarray((f[:, 1] - e[:, 1]) * (q[:, 2] - e[:, 2]) - (f[:, 2] - e[:, 2]) * (q[:, 1] - e[:, 1]))

        u, v, w = side(b, c), side(c, a), side(a, b)
        whole = u + v + w
        within = ((u > 0) & (v > 0) & (w > 0)) | ((u < 0) & (v < 0) & (w < 0))
        x = (u * a[:, 0] + v * b[:, 0] + w * c[:, 0]) / np.where(whole == 0.0, 1.0, whole)
        hits = within & (x > q[:, 0])
        result[start : start + step] = np.bincount(at[hits], minlength=len(p)) % 2 == 1
    return result


def shared(one: Lump, other: Lump) -> tuple[float, float]:
    """(mm³ that two bodies have in common, by trial; mm³ of the room that both reach). Nought in common where no trial place
    and no place on either skin lies in both."""
    low = np.maximum(one.box[0], other.box[0])
    high = np.minimum(one.box[1], other.box[1])
    if (high <= low).any():
        return 0.0, 0.0
    room = float(np.prod(high - low))
    places = low + (high - low) * np.random.default_rng(1).random((SPOTS, 3))
    both = contains(one, places) & contains(other, places)
    return room * float(both.mean()), room


def doubt(one: Lump, other: Lump, how: str, volume: float) -> str:
    """Why the volume that came of a boolean of two bodies cannot be right, in words; empty where it may be."""
    common, room = shared(one, other)
    wanted = {"add": one.volume + other.volume - common, "cut": one.volume - common, "common": common}[how]
    least = {"add": max(one.volume, other.volume), "cut": one.volume - other.volume, "common": 0.0}[how]
    most = {"add": one.volume + other.volume, "cut": one.volume, "common": min(one.volume, other.volume)}[how]
    near = 1e-3 * max(one.volume, other.volume)
    untouched = {"add": most, "cut": most, "common": 0.0}[how]
    if common > SAME * one.volume and abs(volume - untouched) < SAME * one.volume:
        return f"the bodies overlap by about {common:.3g} mm³, and nothing came of it"
    if not least - near < volume < most + near or abs(volume - wanted) > DOUBT * room + near:
        return f"it comes to {volume:,.1f} mm³ where about {wanted:,.1f} are right"
    return ""
