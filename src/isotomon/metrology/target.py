"""The surface that measured points are held against: a body as it is shaped, or as it is finished."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from weakref import WeakKeyDictionary

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask
from isotomon.errors import DesignError
from isotomon.evaluate.sheets import SheetShape
from isotomon.field.mesh import SkinMesh, sampling, skin_mesh, taken, triangles
from isotomon.field.section_field import Sections
from isotomon.field.sheet_mesh import sheet_mesh, trimmed_mesh
from isotomon.inspect.results import Quick, Shape
from isotomon.kernel.protocol import unpack
from isotomon.measure.onto import Surface, surface

ROUND, ALONG = 480, 241
"""Places round and along the skin of a body that is shaped: the surface between them is right to a thousandth of a mm for its size of a metre."""
COARSE = 4000
FINER = 4
"""Times as many places each way as are shown of a skin made from curves are looked at to be measured."""


@dataclass(frozen=True, eq=False)
class Target:
    """A body's surface. `finished`: with holes and walls. `named`: places of it that have a name, (3,) each; `measurable` (triangles,): not its flat
    ends, which lie on what holds it."""

    quick: Quick
    surface: Surface
    finished: bool
    named: dict[str, Array]
    measurable: Mask

    @cached_property
    def shares(self) -> Array:
        """(spots,) mm² of the surface that each of its spots stands for."""
        owner = self.surface.owner
        return np.asarray(self.surface.areas[owner] / np.bincount(owner, minlength=len(self.surface.areas))[owner])

    @cached_property
    def coarse(self) -> tuple[cKDTree, Array, Array]:
        """Some of the spots, with their places and normals (n, 3): for what is to be known roughly, of points far off, too, from which very many places
        are equally far."""
        spots = np.asarray(self.surface.spots.data)
        some = slice(None, None, max(len(spots) // COARSE, 1))
        normal = self.surface.normals[self.surface.owner[some]].mean(axis=1)
        return (
            cKDTree(spots[some]),
            spots[some],
            normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300),
        )

    @cached_property
    def size(self) -> float:
        """mm: the greatest length of a box about it."""
        return float(np.ptp(self.surface.corners.reshape(-1, 3), axis=0).max())


def target_of(quick: Quick, finished: bool = True) -> Target:
    """What points measured on the body in hand are held against: its finished solid where that is known and wanted, else its skin with flat
    ends, where all its copies stand.

    Raises: DesignError, where there is no body.
    """
    built = quick.finished.get(quick.result) if finished else None
    if built is not None:
        vertices, index, normals = (np.asarray(unpack(a)) for a in (built.vertices, built.triangles, built.normals))
        whole = surface(vertices, index.astype(np.int64), normals)
        ends = np.array([name.startswith(("first cap", "last cap")) for name in built.names])
        return Target(quick, whole, True, named_places(quick), ~ends[unpack(built.owner)[whole.kept]])
    if quick.mesh is None:
        raise DesignError(f"{quick.body.name} is not there yet, so that nothing can be held against it")
    whole, skin = _shaped(quick)
    return Target(quick, whole, False, named_places(quick), skin)


_KNOWN: WeakKeyDictionary[object, tuple[Array, Surface, Mask]] = WeakKeyDictionary()
"""Surfaces of shapes that are still there, with where their copies stand: they are held against points again and again."""


def _shaped(quick: Quick) -> tuple[Surface, Mask]:
    """The skin with its flat ends, and which triangles are not of these."""
    shape = quick.shape or quick.sheet or quick.mesh
    known = _KNOWN.get(shape)
    if known is not None and np.array_equal(known[0], quick.placed):
        return known[1:]
    if quick.shape is not None:
        fine = fine_mesh(quick.shape)[1]
    else:
        assert quick.mesh is not None
        fine = _fine_sheet(quick.sheet) if quick.sheet is not None else quick.mesh
    made = surface_of(fine, quick.placed)
    _KNOWN[shape] = (quick.placed, *made)
    return made


def _fine_sheet(shape: SheetShape) -> SkinMesh:
    trim = shape.made.trim
    return sheet_mesh(shape.sheet, finer=FINER) if trim is None else trimmed_mesh(shape.sheet, trim, finer=FINER)


def fine_mesh(shape: Shape) -> tuple[Sections, SkinMesh]:
    """Sections closely along a body, its stations among them, and the skin through them."""
    field = shape.field
    v = np.union1d(np.linspace(field.first, field.last, ALONG), field.edges)
    sections = field.sections(field.params(v))
    return sections, skin_mesh(sections, sampling(shape.form.common, ROUND), field.ring)


def surface_of(skin: SkinMesh, placed: Array) -> tuple[Surface, Mask]:
    """A skin with its flat ends where its copies stand, by maps (k, 4, 4); and which of the triangles are not of the ends."""
    parts = [_closed(taken(skin, affine)) for affine in placed]
    whole = surface(*_joined(parts))
    return whole, whole.kept % len(parts[0][1]) < len(skin.triangles)


def _closed(mesh: SkinMesh) -> tuple[Array, Index, Array]:
    """Vertices, triangles and normals of a skin with its flat ends."""
    points, normals = mesh.points.reshape(-1, 3), mesh.normals.reshape(-1, 3)
    if mesh.bare:
        return points, mesh.triangles, normals
    whole, index = triangles(mesh)
    count = len(mesh.sampling.outline)
    caps = index[-2 * count :]
    # A flat end has corners of its own, since its normal is another than the skin's; nought says so.
    return (
        np.vstack([points, whole]),
        np.vstack([mesh.triangles, caps + len(points)]),
        np.vstack([normals, np.zeros_like(whole)]),
    )


def _joined(parts: list[tuple[Array, Index, Array]]) -> tuple[Array, Index, Array]:
    starts = np.cumsum([0, *(len(points) for points, _, _ in parts)])
    points, index, normals = zip(*parts, strict=True)
    return np.vstack(points), np.vstack([i + s for i, s in zip(index, starts, strict=False)]), np.vstack(normals)


def named_places(quick: Quick) -> dict[str, Array]:
    """Places that a measured point may be named after: datum points by their names, and of each station `NAME leading` and `NAME trailing`."""
    found = {"origin": np.zeros(3)}
    for datum in quick.design.datums:
        thing = quick.datums.get(datum.id)
        if isinstance(thing, np.ndarray) and thing.shape == (3,):
            found[datum.name] = thing
    if quick.shape is not None:
        sections = quick.shape.sections.at(quick.shape.at_stations)
        axes = np.stack([sections.across, sections.up], axis=1)
        ends = quick.stood((sections.origin[:, None] + sections.anchor @ axes).reshape(-1, 3)).reshape(-1, 2, 3)
        for station, (leading, trailing), flat in zip(quick.resolved.stations, ends, sections.round, strict=True):
            if not flat:
                found[f"{station.station.name} leading"] = leading
                found[f"{station.station.name} trailing"] = trailing
    return found
