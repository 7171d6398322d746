"""Bodies of flat triangles: an STL file's bytes to a mesh, and a mesh to a solid whose faces are sewn by numbers, not by the
kernel, which looks for neighbours among all faces; one of very many triangles stays a mesh. Runs only in the worker process."""

from __future__ import annotations

import io

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeVertex
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape, TopoDS_Shell, TopoDS_Solid, TopoDS_Wire

from isotomon.arrays import Array, Index
from isotomon.errors import SolidError
from isotomon.kernel.meshing import Mesh, meshed_face

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
MOST_READ, MOST_SEWN = 1_000_000, 60_000
"""Triangles that are read at most, and of which a solid with a face for each is made, which then takes some twenty seconds.
More of them stay a mesh: one face that is nothing but its triangles."""


def read_stl(data: bytes) -> Array:
    """(m, 3, 3) the corners of an STL file's triangles, of either form, as they stand in it.

    Raises: SolidError, for anything else.
    """
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    if len(data) == 84 + count * _RECORD.itemsize:
        corners = np.frombuffer(data, _RECORD, count, 84)["corners"].astype(np.float64)
    elif data.lstrip()[:5].lower() == b"solid":
        corners = _read_text(data)
    else:
        raise SolidError("this is no STL file that can be read: its length is not that of the triangles it counts")
    if not 0 < len(corners) <= MOST_READ:
        raise SolidError(f"the file holds {len(corners):,} triangles; 1 to {MOST_READ:,} can be read")
    if not np.isfinite(corners).all() or np.abs(corners).max() > 1e9:
        raise SolidError("the file holds a coordinate that is no number, or beyond any body")
    return corners


def _read_text(data: bytes) -> Array:
    rows = [line.split()[1:] for line in io.BytesIO(data) if line.lstrip()[:6].lower() == b"vertex"]
    try:
        points = np.array(rows, dtype=np.float64)
    except ValueError:
        raise SolidError("this is no STL file that can be read: a vertex in it is not three numbers") from None
    if points.ndim != 2 or points.shape[1] != 3 or len(points) % 3:
        raise SolidError("this is no STL file that can be read: its vertices are not whole triangles")
    return points.reshape(-1, 3, 3)


def faceted(corners: Array, tolerance: float, told: list[str]) -> tuple[TopoDS_Shape, Mesh]:
    """The solid, or the skin where they do not close, that triangles (m, 3, 3) bound, and its mesh; a triangle a face, or all of
    them one where they are more than a solid is made of. Corners nearer than `tolerance` (mm) are one. `told` gets what is
    to be said of it.

    Raises: SolidError, for triangles that bound nothing.
    """
    points, index = _welded(corners, tolerance)
    if len(index) < 4:
        raise SolidError("fewer than 4 triangles of the file have a size; a body needs 4")
    ahead = np.concatenate([index[:, [0, 1]], index[:, [1, 2]], index[:, [2, 0]]])
    keys, which, times = np.unique(_key(np.sort(ahead, axis=1), len(points)), return_inverse=True, return_counts=True)
    pairs = np.stack([keys // len(points), keys % len(points)], axis=1)
    sides = which.reshape(3, -1).T
    open_edges = int((times != 2).sum())
    in_order = np.sort(_key(ahead, len(points)))
    if (in_order[1:] == in_order[:-1]).any():
        raise SolidError("triangles of the file that lie side by side face opposite ways; have them turned alike first")
    pieces = _pieces(sides, len(pairs))
    for part in pieces if not open_edges else ():
        a, b, c = (points[index[part, k]] for k in range(3))
        if float(np.einsum("ij,ij->", a, np.cross(b, c))) < 0.0:  # written inside out
            index[part], sides[part] = index[part][:, ::-1], sides[part][:, [1, 0, 2]]
    if open_edges:
        told.append(f"its triangles do not close ({open_edges:,} open edges), so that it is a skin")
    if len(index) > MOST_SEWN:
        told.append(
            f"its {len(index):,} triangles stay a mesh: shown, measured, moved and written as STL, not combined"
        )
        return meshed_face(points, index), Mesh(
            points, index, np.zeros(len(index), np.int64), np.arange(len(points)), np.zeros_like(points)
        )
    shells = [_shell(points, index[part], pairs, sides[part]) for part in pieces]
    order = np.concatenate(pieces)
    mesh = Mesh(points, index[order], np.arange(len(order)), np.arange(len(points)), np.zeros_like(points))
    if open_edges:
        return _together(shells), mesh
    told.append("its triangles were sewn into a solid")
    return _together([_solid(shell) for shell in shells]), mesh


def _welded(corners: Array, tolerance: float) -> tuple[Array, Index]:
    """Points (n, 3) and triangles (m, 3) that have three different ones."""
    flat = corners.reshape(-1, 3)
    place = np.zeros(len(flat), np.int64)
    for column in np.round(flat / max(tolerance, 1e-9)).T:
        # By ranks, which fit one number together; much quicker than whole rows.
        rank = np.unique(column, return_inverse=True)[1]
        place = np.unique(_key(np.stack([place, rank], axis=1), len(flat)), return_inverse=True)[1]
    first = np.empty(int(place.max()) + 1, np.int64)
    first[place[::-1]] = np.arange(len(flat))[::-1]
    index = place.reshape(-1, 3)
    whole = (index[:, 0] != index[:, 1]) & (index[:, 1] != index[:, 2]) & (index[:, 2] != index[:, 0])
    points, index = flat[first], index[whole]
    a, b, c = (points[index[:, k]] for k in range(3))
    flat_ones = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 0.0
    return points, index[flat_ones]


def _key(pairs: Index, count: int) -> Index:
    """(n,) one number for each pair (n, 2) of numbers below `count`."""
    return np.asarray(pairs[:, 0] * np.int64(count) + pairs[:, 1])


def _pieces(sides: Index, count: int) -> list[Index]:
    """Triangles that hang together by their edges, in groups."""
    # Loaded here: a worker needs it for brought-in meshes alone, and without it starts a fifth sooner.
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import connected_components

    rows = np.repeat(np.arange(len(sides)), 3)
    uses = csr_array((np.ones(len(rows)), (rows, sides.ravel())), shape=(len(sides), count))
    number, group = connected_components(uses @ uses.T, directed=False)
    return np.split(np.argsort(group, kind="stable"), np.cumsum(np.bincount(group, minlength=number))[:-1])


def _shell(points: Array, index: Index, pairs: Index, sides: Index) -> TopoDS_Shell:
    """Triangles as one shell whose faces share their edges, and these their ends."""
    builder, shell = BRep_Builder(), TopoDS_Shell()
    builder.MakeShell(shell)
    used, own = np.unique(index), np.unique(sides)
    ends = {
        k: BRepBuilderAPI_MakeVertex(gp_Pnt(*p)).Vertex()
        for k, p in zip(used.tolist(), points[used].tolist(), strict=True)
    }
    edges = {
        k: BRepBuilderAPI_MakeEdge(ends[a], ends[b]).Edge()
        for k, (a, b) in zip(own.tolist(), pairs[own].tolist(), strict=True)
    }
    a, b, c = (points[index[:, k]] for k in range(3))
    normals = np.cross(b - a, c - a)
    normals = normals / np.linalg.norm(normals, axis=1, keepdims=True)
    for corners, borders, at, normal in zip(index.tolist(), sides.tolist(), a.tolist(), normals.tolist(), strict=True):
        wire = TopoDS_Wire()
        builder.MakeWire(wire)
        for start, border in zip(corners, borders, strict=True):
            edge = edges[border]
            builder.Add(wire, edge if pairs[border][0] == start else edge.Reversed())
        wire.Closed(True)
        builder.Add(shell, BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(*at), gp_Dir(*normal)), wire, True).Face())
    shell.Closed(True)
    return shell


def _solid(shell: TopoDS_Shell) -> TopoDS_Solid:
    builder, solid = BRep_Builder(), TopoDS_Solid()
    builder.MakeSolid(solid)
    builder.Add(solid, shell)
    return solid


def _together(shapes: list[TopoDS_Shape]) -> TopoDS_Shape:
    if len(shapes) == 1:
        return shapes[0]
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for shape in shapes:
        builder.Add(whole, shape)
    return whole
