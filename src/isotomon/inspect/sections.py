"""Finished bodies by their sections: along the body's own way, or by planes square to an axis, a direction or a guide."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.evaluate.guides import direction
from isotomon.field.carriers import Carrier, Relative, Straight, Turning
from isotomon.field.section_field import Sections
from isotomon.geometry.datums import Axis, Plane, SpaceCurve, plane_at
from isotomon.geometry.planar import cross3
from isotomon.inspect.looks import WAYS, ground_of
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, unpack
from isotomon.measure.apart import PlaneSection
from isotomon.measure.curved_mesh import CurvedMesh, curved_mesh
from isotomon.measure.cutting import Cuts, Planes, cut
from isotomon.operations.base import Asked
from isotomon.quantity import to_unit
from isotomon.quantity.record import Ref

PLACES = 201
INSIDE = 1e-6
"""Of the length: so far within a body its first and last section are taken, where an end's face lies in the plane itself."""
BESIDE = 0.25
"""Of a section's size: what reaches no nearer to it than this is another part of a body that runs along a path."""
ON_A_PIECE = 3
"""Places on each piece of a section that are taken for its outline."""
FLAT = 1e-6
"""mm, and as a cosine: a section nearer than this to a half-plane through the axis stands in it."""
NO_WAY = Ref("")


@dataclass(frozen=True, eq=False)
class FinishedSections:
    """A finished body's sections. `way`: empty for the body's own, else what the planes are square to; `called`: that in words;
    `position` (n,) mm along it; `unit`, `one`: in what a position is said, and how much of it a mm is."""

    body: str
    way: Ref
    called: str
    position: Array
    planes: Planes
    cuts: Cuts
    unit: str
    one: float

    def outlines(self, row: int) -> list[Array]:
        """The closed runs (n, 2) that bound one section, mm in its plane."""
        return self.cuts.lines.of(np.flatnonzero(self.cuts.lines.plane == row)).runs(ON_A_PIECE)

    def lines(self, row: int) -> list[Array]:
        """The same in space, (n, 3), each ending where it begins."""
        origin, across, up = (a[row] for a in (self.planes.origin, self.planes.across, self.planes.up))
        runs = [np.vstack([run, run[:1]]) for run in self.outlines(row)]
        return [origin + run[:, :1] * across + run[:, 1:] * up for run in runs]


def changes_sections(quick: Quick) -> bool:
    """Whether a body's steps, or its being finished from the first, make its sections others than those it is shaped by."""
    return quick.body.ready or any(isinstance(stage, Asked) for stage in quick.stages)


@lru_cache(maxsize=4)
def mesh_of_finished(built: Built) -> CurvedMesh:
    """The mesh of a finished body that bulges as its surfaces do. Raises: DesignError, for one that is not closed."""
    arrays = (unpack(a) for a in (built.vertices, built.triangles, built.normals, built.same))
    vertices, triangles, normals, same = arrays
    try:
        return curved_mesh(vertices.astype(np.float64), triangles, normals.astype(np.float64), same)
    except ValueError:
        raise DesignError("the body is not closed, so that its sections bound nothing; close it first") from None


def check_way(quick: Quick, way: Ref) -> None:
    """Raises: DesignError, for what planes cannot be square to."""
    if way and way not in WAYS and not isinstance(ground_of(quick).get(way), SpaceCurve | Axis):
        direction(ground_of(quick), way)


def finished_sections(quick: Quick, built: Built, way: Ref = NO_WAY, position: Array | None = None) -> FinishedSections:
    """Sections of the body that `quick` is of, finished: at positions (n,) mm along, or at even ones, and along its own way at its
    stations, too.

    Raises: DesignError, where it has no such way.
    """
    mesh = mesh_of_finished(built)
    if not way:
        where, planes = _own(quick, position)
        unit, one = quick.along_unit
        return FinishedSections(quick.body.id, way, "its own way", where, planes, cut(mesh, planes), unit, one)
    ground = ground_of(quick)
    unit, one = quick.design.unit, to_unit(1.0, quick.design.unit)
    thing = None if way in WAYS else ground.get(way)
    called = way.upper() if way in WAYS else ground.called(way)
    if isinstance(thing, SpaceCurve):
        where, planes = _along_curve(thing, position)
    else:
        line = thing.way if isinstance(thing, Axis) else WAYS[way] if way in WAYS else direction(ground, way)
        origin = thing.origin if isinstance(thing, Axis) else np.zeros(3)
        where, planes = _along_line(mesh, origin, line, position)
    return FinishedSections(quick.body.id, way, called, where, planes, cut(mesh, planes), unit, one)


def section_by(mesh: CurvedMesh, plane: Plane) -> PlaneSection | None:
    """The section of a finished body by one plane; None where that misses it."""
    cuts = cut(mesh, Planes(plane.origin[None], plane.across[None], plane.up[None]))
    if np.isnan(cuts.area[0]):
        return None
    x, y = cuts.centroid[0].tolist()
    runs = [plane.origin + run[:, :1] * plane.across + run[:, 1:] * plane.up for run in cuts.lines.runs(ON_A_PIECE)]
    lines = np.concatenate([np.stack([run, np.roll(run, -1, axis=0)], axis=1) for run in runs])
    moments = (float(cuts.i_max[0]), float(cuts.i_min[0]), float(cuts.angle[0]))
    centre = plane.origin + x * plane.across + y * plane.up
    return PlaneSection(float(cuts.area[0]), float(cuts.perimeter[0]), centre, *moments, lines)


def _own(quick: Quick, position: Array | None) -> tuple[Array, Planes]:
    """Positions along the body's own way, and its sections' planes there, where its first copy stands."""
    shape = quick.shape
    if shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and no way of its own; cut it square to an axis")
    field = shape.field
    if field.wrap is not None:
        raise DesignError("its sections lie on cylinders; cut it square to an axis")
    where = shape.curves.v if position is None else position
    gap = 0.0 if field.ring else INSIDE * (field.last - field.first)
    sections = field.sections(field.params(np.clip(where, field.first + gap, field.last - gap)))
    to = quick.placed[0]
    half = _half_planes(field.carrier, sections)
    near = None
    if half is not None:
        origin, across, up = half
    else:
        origin, across, up = sections.origin, sections.across, sections.up
        if not isinstance(field.carrier, Straight):
            near = _about(sections)
    linear = to[:3, :3]
    across, up = across @ linear.T, up @ linear.T
    size = np.linalg.norm(across, axis=1)[:, None]
    across, normal = across / size, cross3(across, up)
    up = cross3(normal / np.linalg.norm(normal, axis=1, keepdims=True), across)
    if near is not None:
        near = near * size[:, :, None]
    return where, Planes(origin @ linear.T + to[:3, 3], across, up, half is not None, near)


def _half_planes(carrier: Carrier, sections: Sections) -> tuple[Array, Array, Array] | None:
    """Origin, X and Y (n, 3) of half-planes from the axis outward in which sections stand that are carried about it; None for others."""
    base = carrier.base if isinstance(carrier, Relative) else carrier
    if not isinstance(base, Turning):
        return None
    axis, normal = base.axis, sections.normal
    off = np.abs(np.einsum("nk,nk->n", sections.origin - axis.origin, normal))
    if np.abs(normal @ axis.way).max() > FLAT or off.max() > FLAT * max(base.radius, 1.0):
        return None
    out = np.cross(axis.way, normal)
    middle = sections.control.mean(axis=1) - axis.origin
    out *= np.sign(np.einsum("nk,nk->n", middle, out))[:, None]
    return np.broadcast_to(axis.origin, out.shape), out, np.broadcast_to(axis.way, out.shape)


def _about(sections: Sections) -> Array:
    """(n, 2, 2) lowest and highest X and Y about sections, with some room."""
    low, high = sections.local.min(axis=1), sections.local.max(axis=1)
    room = BESIDE * (high - low).max(axis=1, keepdims=True)
    return np.stack([low - room, high + room], axis=1)


def _along_line(mesh: CurvedMesh, origin: Array, line: Array, position: Array | None) -> tuple[Array, Planes]:
    along = (mesh.points - origin) @ line
    low, high = float(along.min()), float(along.max())
    where = np.linspace(low, high, PLACES) if position is None else position
    gap = INSIDE * (high - low)
    flat = plane_at(origin, line)
    places = origin + np.clip(where, low + gap, high - gap)[:, None] * line
    return where, Planes(places, np.broadcast_to(flat.across, places.shape), np.broadcast_to(flat.up, places.shape))


def _along_curve(curve: SpaceCurve, position: Array | None) -> tuple[Array, Planes]:
    t, _, run = curve.table()
    where = np.linspace(0.0, run[-1], PLACES) if position is None else position
    at = np.interp(where, run, t)
    planes = [plane_at(o, d) for o, d in zip(curve.at(at), curve.rate(at), strict=True)]
    origin, across, up = (np.stack([getattr(p, name) for p in planes]) for name in ("origin", "across", "up"))
    return where, Planes(origin, across, up)
