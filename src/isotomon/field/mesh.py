"""The display mesh of a field, straight from arrays."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.sparse import csr_array
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index, Mask
from isotomon.field.correspond import Correspondence
from isotomon.field.section_field import Sections
from isotomon.geometry.planar import cross3

LEAST, STRAIGHT = 6, 12
"""Stretches in which a lane is sampled at least, and at most when it is straight on all outlines: rails may bend it."""


@dataclass(frozen=True, eq=False)
class Sampling:
    """Where sections are sampled for display, as sparse matrices on their control points; made once a correspondence.

    `lane`: (samples,) the lane of each sample; corners are sampled once for either lane, so that they stay crisp.
    `quads`: (q, 2) pairs of neighbouring samples. `outline`: samples in order once round, for flat caps.
    """

    value: csr_array
    slope: csr_array
    bend: csr_array
    """The second derivative by each lane's own parameter."""
    lane: Index
    quads: Index
    outline: Index
    open: bool
    """The outline has two ends: the skin bounds nothing."""
    holes: tuple[Index, ...]
    """The same round each hole."""
    crisp: Mask
    """(lanes,) whether a lane begins at an edge; a smooth closed one does not."""

    @cached_property
    def every_other(self) -> Index:
        """(q, 2) pairs of samples, every other one of each lane alone, besides its ends."""
        first = np.flatnonzero(np.r_[True, self.lane[1:] != self.lane[:-1]])
        runs = zip(first, np.append(first[1:], len(self.lane)) - 1, strict=True)
        kept = [np.append(np.arange(a, b, 2), b) for a, b in runs]
        return np.vstack([np.stack([run[:-1], run[1:]], axis=1) for run in kept])

    @property
    def rim(self) -> Index:
        """The outline, and its first sample again where it is closed."""
        return self.outline if self.open else np.append(self.outline, self.outline[0])


def sampling(common: Correspondence, total: int = 128) -> Sampling:
    """About `total` samples round the section, crowded where the lanes' knots crowd; few on lanes that are straight."""
    spans = np.array([len(lane.basis.breaks) - 1 for lane in common.lanes])
    wanted = np.maximum((total * spans / spans.sum()).astype(int), LEAST)
    wanted = np.array([min(n, STRAIGHT) if _straight(common, k) else n for k, n in enumerate(wanted)])
    u = [
        np.interp(
            np.linspace(0, len(lane.basis.breaks) - 1, n + 1), np.arange(len(lane.basis.breaks)), lane.basis.breaks
        )
        for lane, n in zip(common.lanes, wanted, strict=True)
    ]
    starts = np.concatenate([[0], np.cumsum([len(x) for x in u])])
    pairs = [
        np.stack([np.arange(a, b - 1), np.arange(a + 1, b)], axis=1)
        for a, b in zip(starts[:-1], starts[1:], strict=True)
    ]
    loops = [lane.loop for lane in common.lanes]
    return Sampling(
        value=common.matrix(u),
        slope=common.matrix(u, 1),
        bend=common.matrix(u, 2),
        lane=np.repeat(np.arange(len(u)), [len(x) for x in u]),
        quads=np.vstack(pairs),
        outline=np.concatenate(
            [p[:, 0] for p, loop in zip(pairs, loops, strict=True) if loop == 0] + [pairs[-1][-1:, 1]] * common.open
        ),
        open=common.open,
        holes=tuple(
            np.concatenate([p[:, 0] for p, loop in zip(pairs, loops, strict=True) if loop == k])
            for k in range(1, loops[-1] + 1)
        ),
        crisp=np.array([not lane.basis.periodic for lane in common.lanes]),
    )


def _straight(common: Correspondence, number: int) -> bool:
    """Whether a lane runs straight and evenly from corner to corner on every outline."""
    lane = common.lanes[number]
    if lane.basis.periodic:
        return False
    control = common.control[:, lane.columns]
    share = lane.basis.greville()[:, None]
    even = control[:, :1] + share * (control[:, -1:] - control[:, :1])
    return bool(np.abs(control - even).max() < 1e-6)


@dataclass(frozen=True, eq=False)
class SkinMesh:
    """`points`, `normals`: (n_v, samples, 3), normals of length 1, outward. `v`: (n_v,)."""

    v: Array
    points: Array
    normals: Array
    sampling: Sampling
    ring: bool = False
    """The last row is the first again."""
    cells: Index | None = None
    """Of one that is no grid: its triangles (m, 3), of points (1, n, 3) in no order; `sampling.rim` and its holes are what bounds it."""

    @property
    def bare(self) -> bool:
        """Whether it bounds nothing: it has no flat ends."""
        return self.ring or self.sampling.open or self.cells is not None

    @cached_property
    def tree(self) -> cKDTree:
        """Its points laid end to end, row by row, as they are looked for."""
        return cKDTree(self.points.reshape(-1, 3))

    @cached_property
    def triangles(self) -> Index:
        """(m, 3) of its points laid end to end, row by row."""
        if self.cells is not None:
            return self.cells
        n_v, n_u = self.points.shape[:2]
        rows = (np.arange(n_v - 1) * n_u)[:, None]
        a, b = rows + self.sampling.quads[:, 0], rows + self.sampling.quads[:, 1]
        quads = np.stack([a, b, b + n_u, a + n_u], axis=-1).reshape(-1, 4)
        return np.vstack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


def applied(matrix: csr_array, control: Array) -> Array:
    """(n_v, samples, k): a sampling matrix on the control points (n_v, n, k) of many sections."""
    n_v, n, k = control.shape
    columns = control.transpose(1, 0, 2).reshape(n, n_v * k)
    return (matrix @ columns).reshape(-1, n_v, k).transpose(1, 0, 2)


def skin_mesh(sections: Sections, samples: Sampling, ring: bool = False) -> SkinMesh:
    """The skin through `sections`: points and normals."""
    normals = cross3(applied(samples.slope, sections.control), applied(samples.value, sections.slopes))
    size = np.sqrt(np.einsum("vuk,vuk->vu", normals, normals))[..., None]
    for row, beside in ((0, 1), (-1, -2)):
        # At a point the skin has no normal of its own: it takes the mean of those round it.
        if np.ptp(sections.local[row], axis=0).max() == 0.0:
            around = normals[beside] / np.maximum(size[beside], 1e-300)
            normals[row], size[row] = around.mean(axis=0), np.linalg.norm(around.mean(axis=0))
    return SkinMesh(
        sections.v, applied(samples.value, sections.control), normals / np.maximum(size, 1e-300), samples, ring
    )


def taken(mesh: SkinMesh, affine: Array) -> SkinMesh:
    """A skin where an affine map (4, 4) takes it, its normals outward."""
    linear = affine[:3, :3]
    normals = mesh.normals @ np.linalg.inv(linear)
    size = np.maximum(np.linalg.norm(normals, axis=2, keepdims=True), 1e-300)
    return replace(mesh, points=mesh.points @ linear.T + affine[:3, 3], normals=normals / size)


def open_triangles(mesh: SkinMesh) -> tuple[Array, Index]:
    """The skin alone, from sample to sample, as triangles: vertices (n, 3) and triangles (m, 3)."""
    return mesh.points.reshape(-1, 3), mesh.triangles


def triangles(mesh: SkinMesh) -> tuple[Array, Index]:
    """Skin and flat caps as one closed triangle mesh: vertices (n, 3) and triangles (m, 3), outward.

    Corners and seams are shared here, so that the mesh is watertight. Caps are fans about their middle.
    """
    ring = mesh.sampling.outline
    points = mesh.points[:, ring]
    n_v, n_u = points.shape[:2]
    base = np.arange(n_v - 1)[:, None] * n_u + np.arange(n_u)
    after = np.arange(n_v - 1)[:, None] * n_u + (np.arange(n_u) + 1) % n_u
    skin = np.stack(
        [np.stack([base, after, after + n_u], axis=-1), np.stack([base, after + n_u, base + n_u], axis=-1)], axis=2
    ).reshape(-1, 3)
    if mesh.ring:
        return points[:-1].reshape(-1, 3), np.where(skin >= (n_v - 1) * n_u, skin - (n_v - 1) * n_u, skin)
    vertices = np.vstack([points.reshape(-1, 3), points[0].mean(axis=0), points[-1].mean(axis=0)])
    rim, step = np.arange(n_u), (np.arange(n_u) + 1) % n_u
    low, high = n_v * n_u, n_v * n_u + 1
    top = (n_v - 1) * n_u
    caps = np.vstack(
        [
            np.stack([np.full(n_u, low), step, rim], axis=1),
            np.stack([np.full(n_u, high), top + rim, top + step], axis=1),
        ]
    )
    return vertices, np.vstack([skin, caps])


def mesh_runs(mesh: SkinMesh) -> list[Array]:
    """(n, 3) each: the closed runs that bound a mesh that is no grid."""
    loops = (mesh.sampling.outline, *mesh.sampling.holes)
    return [mesh.points[0, np.append(loop, loop[0])] for loop in loops]
