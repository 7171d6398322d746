"""Edges and faces of bodies in the View: where they run, and which is under the pointer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from isotomon.app.viewport.camera import Camera
from isotomon.app.viewport.copies import placed_mesh
from isotomon.arrays import Array, Index, Mask
from isotomon.evaluate.sheets import SheetShape
from isotomon.field.mesh import SkinMesh, mesh_runs
from isotomon.field.sheet import SIDES
from isotomon.geometry.planar import cross, inside
from isotomon.inspect.results import Quick, Shape
from isotomon.quantity.record import Id, Ref

EDGE, HIDDEN = 7.0, 25.0
"""Pixels from an edge within which it is under the pointer, and by how many it may lie behind the skin that is seen there."""


def is_edge(ref: Ref) -> bool:
    """Whether a reference is one to an edge of a body."""
    return ref.part.startswith(("edge:", "along:", "side:")) or ref.part.endswith("-rim")


def edge_lines(skins: Sequence[Quick]) -> dict[str, Array]:
    """Reference → (n, 3) line of every edge that runs along bodies, and of their rims, where their first copies stand."""
    found = dict[str, Array]()
    for q in skins:
        if q.mesh is not None:
            found |= {ref: q.stood(line) for ref, line in _edges(q.shape or q.sheet, q.body.id, q.mesh).items()}
    return found


def _edges(shape: Shape | SheetShape | None, body: Id, mesh: SkinMesh) -> dict[str, Array]:
    """The same of a body by its mesh, wherever that stands."""
    if not isinstance(shape, Shape):
        if mesh.cells is not None:
            assert shape is not None
            return {f"{body}/side:{name}": mesh.points[0, run] for name, run in shape.borders.items()}
        lines = mesh.points[0], mesh.points[-1], mesh.points[:, 0], mesh.points[:, -1]
        return {f"{body}/side:{side}": line for side, line in zip(SIDES, lines, strict=True)}
    found, common = dict[str, Array](), shape.field.common
    starts = np.searchsorted(mesh.sampling.lane, np.arange(len(common.lanes)))
    columns = [int(starts[k]) for k, lane in enumerate(common.lanes) if not lane.basis.periodic]
    columns += [mesh.points.shape[1] - 1] if common.open else []
    for names, column in zip(shape.field.names.edges, columns, strict=True):
        if names:
            found[f"{body}/along:{names[0]}"] = mesh.points[:, column]
    for row, end in () if common.open or mesh.ring else ((0, "first"), (-1, "last")):
        found[f"{body}/{end}-rim"] = mesh.points[row][mesh.sampling.rim]
    return found


def face_lines(quick: Quick, ref: str) -> list[Array]:
    """What bounds a face or an end, (n, 3) each; nothing when it is gone."""
    one, part = quick.of(Ref(ref).thing), Ref(ref).part.removeprefix("face:")
    if one is None or one.mesh is None:
        return []
    mesh = one.mesh
    if part in ("first", "last"):
        return [one.stood(mesh.points[0 if part == "first" else -1][mesh.sampling.rim])]
    names = _faces(one.shape or one.sheet)
    if part not in names:
        return []
    if mesh.cells is not None:
        return [one.stood(line) for line in mesh_runs(mesh)]
    own = mesh.points[:, mesh.sampling.lane == names.index(part)]
    return [one.stood(line) for line in (own[:, 0], own[:, -1], own[0], own[-1])]


def _faces(shape: Shape | SheetShape | None) -> tuple[str, ...]:
    """The names of a body's faces, in the order of its mesh's lanes."""
    return shape.field.names.lanes if isinstance(shape, Shape) else shape.faces if shape is not None else ()


@dataclass(frozen=True, eq=False)
class OnPicture:
    """A body's skin where its first copy stands, as a camera sees it: the mesh's places in pixels (n_v, n_u, 2) and how deep they lie
    (n_v, n_u), the least and greatest pixel (2,) of all; and its edges by reference, in pixels and depths."""

    pixels: Array
    depths: Array
    low: Array
    high: Array
    edges: Mapping[str, tuple[Array, Array]]


@dataclass(frozen=True)
class _Standing:
    """A skin where it stands: the same for the same shape in the same place."""

    shape: Shape | SheetShape
    body: Id
    place: bytes


@lru_cache(maxsize=32)
def _on_picture(standing: _Standing, camera: Camera, size: tuple[int, int]) -> OnPicture:
    """Worked out once for a camera: the pointer moves on under it."""
    mesh = placed_mesh(standing.shape.mesh, np.frombuffer(standing.place).reshape(4, 4))

    def seen(places: Array) -> tuple[Array, Array]:
        return camera.project(places, *size)[:, :2], places @ camera.axes()[2]

    pixels, depths = seen(mesh.points.reshape(-1, 3))
    edges = {ref: seen(line) for ref, line in _edges(standing.shape, standing.body, mesh).items()}
    grid = mesh.points.shape[:2]
    return OnPicture(pixels.reshape(*grid, 2), depths.reshape(grid), pixels.min(axis=0), pixels.max(axis=0), edges)


def _pictured(q: Quick, camera: Camera, size: tuple[int, int], at: Array) -> OnPicture | None:
    """A body's skin as it is seen, if it is near a pixel."""
    shape = q.shape or q.sheet
    if shape is None:
        return None
    seen = _on_picture(_Standing(shape, q.body.id, q.placed[0].tobytes()), camera, size)
    return seen if (seen.low - EDGE <= at).all() and (at <= seen.high + EDGE).all() else None


def part_at(skins: Sequence[Quick], camera: Camera, at: Array, size: tuple[int, int]) -> str:
    """The reference of the edge that is seen at a pixel, else of the face, else the body's id, else nothing."""
    scale = camera.height / max(size[1], 1)
    depth, body, face = seen_at(skins, camera, at, size)
    best, found = EDGE, face or body
    for q in skins:
        seen = _pictured(q, camera, size, at)
        for ref, (pixels, depths) in seen.edges.items() if seen is not None else ():
            away = np.linalg.norm(pixels - at, axis=1)
            k = int(away.argmin())
            # An edge behind what is seen there is hidden by it.
            if away[k] < best and float(depths[k]) < depth + HIDDEN * scale:
                best, found = float(away[k]), ref
    return found


def seen_at(skins: Sequence[Quick], camera: Camera, at: Array, size: tuple[int, int]) -> tuple[float, str, str]:
    """How deep (mm) the skin lies that is seen at a pixel, of which body it is, and the reference of its face or end; endlessly
    deep where there is none."""
    found = (np.inf, "", "")
    for q in skins:
        seen = _pictured(q, camera, size, at)
        if seen is None or q.mesh is None:
            continue
        body, mesh = q.body.id, q.mesh
        hit = _skin_hit(mesh, seen.pixels, seen.depths, at)
        if hit is not None and hit[0] < found[0]:
            name = _faces(q.shape or q.sheet)[hit[1]]
            found = (hit[0], body, "" if "&" in name else f"{body}/face:{name}")
        for row, end in () if mesh.bare else ((0, "first"), (-1, "last")):
            rim = mesh.sampling.outline
            depth = float(seen.depths[row, rim].mean())
            if depth < found[0] and inside(at[None], seen.pixels[row, rim])[0]:
                found = (depth, body, f"{body}/{end}")
    return found


def _skin_hit(mesh: SkinMesh, pixels: Array, depths: Array, at: Array) -> tuple[float, int] | None:
    """The depth (mm) and the lane of the nearest piece of skin that covers a pixel."""
    if mesh.cells is not None:
        flat = pixels.reshape(-1, 2)[mesh.cells]
        found = nearest_cover(flat, depths.ravel()[mesh.cells], at)
        return None if found is None else (found[0], 0)
    a, b = mesh.sampling.quads.T
    right, below = pixels[..., 0] > at[0], pixels[..., 1] > at[1]
    # Only quads whose corners lie on both sides of the pixel, either way, can cover it.
    rows, columns = np.nonzero(_parted(right, a, b) & _parted(below, a, b))
    a, b = a[columns], b[columns]
    corners = [(rows, a), (rows, b), (rows + 1, b), (rows + 1, a)]
    best: tuple[float, int] | None = None
    for three in ((0, 1, 2), (0, 2, 3)):
        triangles, deep = (np.stack([values[corners[k]] for k in three], axis=1) for values in (pixels, depths))
        hit = nearest_cover(triangles, deep, at)
        if hit is not None and (best is None or hit[0] < best[0]):
            best = (hit[0], int(mesh.sampling.lane[a[hit[1]]]))
    return best


def nearest_cover(triangles: Array, depths: Array, at: Array) -> tuple[float, int] | None:
    """The depth (mm) and the number of the nearest of triangles (m, 3, 2), in pixels, that cover a pixel, where their corners lie `depths`
    (m, 3) mm deep; None where none does."""
    p, q, r = triangles.transpose(1, 0, 2)
    u, v, w = q - p, r - p, at - p
    area = cross(u, v)
    area = np.where(area == 0.0, np.inf, area)
    s, t = cross(w, v) / area, cross(u, w) / area
    hit = np.flatnonzero((s >= 0.0) & (t >= 0.0) & (s + t <= 1.0) & np.isfinite(area))
    if not len(hit):
        return None
    d = depths[hit].T
    deep = d[0] + s[hit] * (d[1] - d[0]) + t[hit] * (d[2] - d[0])
    k = int(deep.argmin())
    return float(deep[k]), int(hit[k])


def _parted(side: Mask, a: Index, b: Index) -> Mask:
    """(n_v - 1, quads) whether the corners of each quad lie on different sides."""
    row = side[:, a] != side[:, b]
    return (side[:-1, a] != side[1:, a]) | row[:-1] | row[1:]
