"""Arrays as VTK's data: surfaces, lines, and flat faces made of triangles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkFiltersGeneral import vtkContourTriangulator

from isotomon.arrays import Array, Index
from isotomon.field.mesh import SkinMesh, mesh_runs


def cells_of(index: Index) -> vtkCellArray:
    """Cells by the numbers of their points (m, k)."""
    cells = vtkCellArray()
    count, width = index.shape
    offsets = np.arange(0, count * width + 1, width, dtype=np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(index.ravel().astype(np.int64), deep=True)
    )
    return cells


def grid_quads(rows: Index, pairs: Index, width: int) -> Index:
    """(m, 4) the cells between some rows of a grid of points, `width` to a row, and pairs (q, 2) of places in these."""
    first, last = pairs.T
    low, high = rows[:-1, None] * width, rows[1:, None] * width
    return np.stack([low + first, low + last, high + last, high + first], axis=-1).reshape(-1, 4)


def sparser(count: int) -> Index:
    """Of so many rows those that are drawn while something moves: no fewer than every fourth."""
    step = min(max(count // 50, 1), 4)
    return np.unique(np.append(np.arange(0, count, step), count - 1))


def points_of(xyz: Array) -> vtkPoints:
    """Points (n, 3)."""
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(xyz, dtype=np.float32), deep=True))
    return points


def set_surfaces(data: vtkPolyData, surfaces: Sequence[tuple[Array, Index, Array]]) -> None:
    """Surfaces side by side: points (n, 3), triangles (m, 3) and normals (n, 3) of each."""
    starts = np.cumsum([0, *(len(points) for points, _, _ in surfaces)])
    cells = [triangles + start for (_, triangles, _), start in zip(surfaces, starts, strict=False)]
    set_triangles(data, [points for points, _, _ in surfaces], [normals for _, _, normals in surfaces], cells)


def set_triangles(data: vtkPolyData, points: Sequence[Array], normals: Sequence[Array], cells: Sequence[Index]) -> None:
    """Points (n, 3), normals (n, 3) and triangles (m, 3), each in parts."""
    if not points:
        data.Initialize()
        return
    data.SetPoints(points_of(np.vstack(points)))
    data.GetPointData().SetNormals(numpy_to_vtk(np.vstack(normals).astype(np.float32), deep=True))
    data.SetPolys(cells_of(np.vstack(cells)))
    data.Modified()


def cap(mesh: SkinMesh, row: int) -> tuple[Array, Index]:
    """Points (n, 3) and triangles (m, 3), counter-clockwise, of the flat end at a row of the mesh."""
    ring = mesh.points[row, mesh.sampling.outline]
    if not mesh.sampling.holes:
        one = _cap_triangles(len(ring), fan=int(mesh.sampling.lane.max()) > 1)
        return np.vstack([ring, ring.mean(axis=0)]), one
    return flat_face([ring, *(mesh.points[row, run] for run in mesh.sampling.holes)])


def flat_face(runs: Sequence[Array]) -> tuple[Array, Index]:
    """Points (n, 3) and triangles (m, 3) of what lies inside the first of some closed runs (k, 3) in a plane, and outside the others."""
    data, maker = vtkPolyData(), vtkContourTriangulator()
    set_lines(data, [np.vstack([run, run[:1]]) for run in runs])
    maker.SetInputData(data)
    maker.Update()
    made = maker.GetOutput()
    points = vtk_to_numpy(made.GetPoints().GetData()).astype(float)
    return points, vtk_to_numpy(made.GetPolys().GetConnectivityArray()).reshape(-1, 3).astype(np.int64)


def _cap_triangles(count: int, fan: bool) -> Index:
    """Triangles of a flat end with `count` points round it and its middle after them.

    A fan about the middle suits sections with corners all round (polygons, stars); a strip from side to side suits
    foils and round ones, whose middle need not see all of a thin bent tail.
    """
    i = np.arange(count)
    if fan:
        return np.stack([i, (i + 1) % count, np.full(count, count)], axis=1)
    i = i[: count // 2]
    near, far = np.stack([i, i + 1, count - 1 - i], axis=1), np.stack([i + 1, count - 2 - i, count - 1 - i], axis=1)
    both = np.vstack([near, far])
    return both[(both[:, 0] != both[:, 1]) & (both[:, 1] != both[:, 2]) & (both[:, 0] != both[:, 2])]


def set_lines(data: vtkPolyData, lines: Sequence[Array]) -> None:
    """Lines through points (n, 3) each."""
    cells = vtkCellArray()
    lengths = [len(line) for line in lines]
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True),
        numpy_to_vtkIdTypeArray(np.arange(offsets[-1], dtype=np.int64), deep=True),
    )
    data.SetPoints(points_of(np.vstack(lines) if lines else np.zeros((0, 3))))
    data.SetLines(cells)
    data.Modified()


def set_segments(data: vtkPolyData, segments: Array) -> None:
    """Straight pieces of lines (e, 2, 3)."""
    data.SetPoints(points_of(segments.reshape(-1, 3)))
    data.SetLines(cells_of(np.arange(2 * len(segments)).reshape(-1, 2)))
    data.Modified()


def edge_lines(mesh: SkinMesh) -> list[Array]:
    """(n, 3) each: the crisp edges of a body as it is shaped, its rims, and of a skin its sides."""
    if mesh.cells is not None:
        return list(mesh_runs(mesh))
    lane = mesh.sampling.lane
    starts = np.flatnonzero(np.r_[True, lane[1:] != lane[:-1]])
    starts = starts[mesh.sampling.crisp[lane[starts]]]
    lines = [mesh.points[:, s] for s in starts]
    lines += [
        mesh.points[k, run]
        for k in (() if mesh.ring else (0, -1))
        for run in (mesh.sampling.rim, *(np.append(h, h[0]) for h in mesh.sampling.holes))
    ]
    return [*lines, mesh.points[:, -1]] if mesh.sampling.open else lines
