"""Meshes of bodies by the kernel. Where faces meet, vertices are known to be one by the edge they lie on, not by being near."""

from __future__ import annotations

import io
import re
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BinTools import BinTools
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepLib import BRepLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher
from OCP.IMeshTools import IMeshTools_MeshAlgoType, IMeshTools_Parameters
from OCP.RWStl import RWStl
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Face, TopoDS_Shape

from isotomon.arrays import Array, Index
from isotomon.errors import SolidError
from isotomon.kernel.cores import several

SMOOTH = 1e-3
"""rad: faces whose normals differ by less at an edge have one normal there."""


@dataclass(frozen=True, eq=False)
class Mesh:
    """Vertices (n, 3) of every face for itself, outward triangles (m, 3), the face of each (m,), (n,) a number that vertices have in
    common which are one on the body, and the faces' outward normals (n, 3) there: nought where a face has no surface."""

    points: Array
    triangles: Index
    owner: Index
    same: Index
    normals: Array


def parts(shape: TopoDS_Shape, kind: TopAbs_ShapeEnum) -> list[TopoDS_Shape]:
    """The faces, edges and so on of a shape, in the kernel's order."""
    explorer, found = TopExp_Explorer(shape, kind), []
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


ANGLE = 0.35
"""rad by which a mesh turns at an edge of it at most, where nothing else is wanted."""


def mesh_of(shape: TopoDS_Shape, deflection: float, angle: float = ANGLE, swiftly: bool = True) -> Mesh:
    """The mesh of a body, no farther from it than `deflection` (mm), and turned by no more than `angle` (rad) from triangle to triangle.
    `swiftly`: in a time that grows with its triangles, and not with their square, if that leaves no face out.

    Raises: SolidError.
    """
    BRepTools.Clean_s(shape)
    fine = IMeshTools_Parameters()
    fine.Deflection, fine.Angle, fine.InParallel = deflection, angle, several()
    # Else the kernel takes what it finds at a face's edges for enough, and long triangles lie ten times as far off within.
    fine.ForceFaceDeflection = True
    if swiftly:
        fine.MeshAlgo = IMeshTools_MeshAlgoType.IMeshTools_MeshAlgoType_Delabella
    BRepMesh_IncrementalMesh(shape, fine)
    faces = [TopoDS.Face(face) for face in parts(shape, TopAbs_ShapeEnum.TopAbs_FACE)]
    if swiftly and any(BRep_Tool.Triangulation_s(face, TopLoc_Location()) is None for face in faces):
        return mesh_of(shape, deflection, angle, swiftly=False)
    BRepLib.EnsureNormalConsistency_s(shape, SMOOTH, True)
    edges, corners = (IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher() for _ in range(2))
    TopExp.MapShapes_s(shape, TopAbs_ShapeEnum.TopAbs_EDGE, edges)
    TopExp.MapShapes_s(shape, TopAbs_ShapeEnum.TopAbs_VERTEX, corners)
    points, triangles, owner, normals, base = [], [], [], list[Array](), 0
    one: dict[tuple[str, int, int], int] = {}
    links: list[tuple[int, int]] = []
    for number, (face, (nodes, index, square)) in enumerate(zip(faces, _placed(faces), strict=True)):
        points.append(nodes)
        normals.append(_outward(square, nodes, index))
        triangles.append(index + base)
        owner.append(np.full(len(index), number))
        for key, node in _on_edges(face, edges, corners):
            links.append((one.setdefault(key, base + node), base + node))
        base += len(nodes)
    return Mesh(
        np.vstack(points),
        np.vstack(triangles).astype(np.int64),
        np.concatenate(owner).astype(np.int64),
        _numbered(base, links),
        np.vstack(normals),
    )


COARSE = 0.02
"""Of a body's size: so far a mesh may lie from it that is made only to see whether there is one."""


def extent_of(shape: TopoDS_Shape) -> float:
    """mm: the diagonal of the box that a body lies in."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box)
    return float(box.CornerMin().Distance(box.CornerMax()))


def is_meshed(shape: TopoDS_Shape) -> bool:
    """Whether all faces of a body can be meshed: else one of them is no face, whatever the kernel says of it."""
    try:
        mesh = mesh_of(shape, COARSE * extent_of(shape))
    except SolidError:
        return False
    return is_closed(welded(mesh)[1])


def _placed(faces: Sequence[TopoDS_Face]) -> list[tuple[Array, Index, Array]]:
    """Of faces, points (n, 3) and outward triangles (m, 3) of their meshes, and the outward normals (n, 3) of their surfaces, nought
    where they have none.

    Raises: SolidError, where one has no mesh.
    """
    known, whole, builder = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher(), TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    numbers, places = list[int](), list[TopLoc_Location]()
    for face in faces:
        place = TopLoc_Location()
        made = BRep_Tool.Triangulation_s(face, place)
        if made is None:
            raise SolidError("the kernel cannot mesh a face of the body")
        numbers.append(known.Add(face.Located(TopLoc_Location())) - 1)
        places.append(place)
        if numbers[-1] == known.Extent() - 1:
            alone = TopoDS_Face()
            builder.MakeFace(alone, made)
            builder.Add(whole, alone)
    stored, found = _stored(whole), []
    for face, number, place in zip(faces, numbers, places, strict=True):
        nodes, index, normals = stored[number]
        move = place.Transformation()
        matrix = np.array([[move.Value(i, j) for j in (1, 2, 3, 4)] for i in (1, 2, 3)])
        if face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED:
            index = index[:, ::-1]
        found.append((nodes @ matrix[:, :3].T + matrix[:, 3], index, normals @ matrix[:, :3].T))
    return found


def _stored(whole: TopoDS_Compound) -> list[tuple[Array, Index, Array]]:
    """Of each face of one that is nothing but meshes: nodes (n, 3), triangles (m, 3), and normals (n, 3), nought where there are none.

    From the kernel's binary form, version 4: counts of nodes and of triangles, whether it has parameters and normals, how far off it is;
    nodes, parameters, triangles and normals. To ask for each node on its own takes fifty times as long.
    """
    stream = io.BytesIO()
    BinTools.Write_s(whole, stream)
    data, found = stream.getvalue(), list[tuple[Array, Index, Array]]()
    start = re.search(rb"\nTriangulations (\d+)\n", data)
    assert start is not None
    at = start.end()

    def taken(kind: str, count: int) -> NDArray[Any]:
        nonlocal at
        at += np.dtype(kind).itemsize * count
        return np.frombuffer(data, kind, count, at - np.dtype(kind).itemsize * count)

    for _ in range(int(start[1])):
        count, triangles = taken("<i4", 2).tolist()
        has_parameters, has_normals = taken("u1", 2).tolist()
        taken("<f8", 1)
        nodes = taken("<f8", 3 * count).reshape(-1, 3)
        taken("<f8", 2 * count * has_parameters)
        index = taken("<i4", 3 * triangles).reshape(-1, 3).astype(np.int64) - 1
        normals = taken("<f4", 3 * count).reshape(-1, 3).astype(float) if has_normals else np.zeros((count, 3))
        found.append((nodes, index, normals))
    return found


def _outward(normals: Array, nodes: Array, index: Index) -> Array:
    """(n, 3) normals, nought where they do not point to where triangles (m, 3) of nodes (n, 3) do: at a pole, in which an edge has no
    length, the kernel's may point anywhere, inward too."""
    a, b, c = nodes[index].transpose(1, 0, 2)
    across = np.zeros_like(nodes)
    np.add.at(across, index, np.cross(b - a, c - a)[:, None])
    return np.where(np.sum(normals * across, axis=1, keepdims=True) < 0.0, 0.0, normals)


def stl_bytes(corners: Array) -> bytes:
    """A binary STL file of triangles (m, 3, 3)."""
    facets = np.zeros(len(corners), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    facets["normal"] = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    facets["corners"] = corners
    return b"Isotomon mesh, millimetres".ljust(80) + np.uint32(len(facets)).tobytes() + facets.tobytes()


def meshed_face(points: Array, index: Index) -> TopoDS_Face:
    """One face without a surface, which is nothing but its triangles. They go through a file: to hand them to the kernel one by
    one takes ten times as long.

    Raises: SolidError, for points that single precision does not tell apart.
    """
    with tempfile.NamedTemporaryFile(suffix=".stl") as file:
        file.write(stl_bytes(points[index]))
        file.flush()
        mesh = RWStl.ReadFile_s(file.name)
    if mesh is None or (mesh.NbNodes(), mesh.NbTriangles()) != (len(np.unique(index)), len(index)):
        raise SolidError(
            "points of the mesh lie too close together to be told apart; thin it out, or move it nearer to 0"
        )
    face = TopoDS_Face()
    BRep_Builder().MakeFace(face, mesh)
    return face


def is_mesh(shape: TopoDS_Shape) -> bool:
    """Whether a body is nothing but triangles."""
    faces = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    return faces.More() and BRep_Tool.Surface_s(TopoDS.Face(faces.Current())) is None


def mapped_face(face: TopoDS_Face, affine: Array) -> TopoDS_Face:
    """A face that is nothing but its triangles where an affine map (4, 4) takes it."""
    ((points, index, _),) = _placed([face])
    turned = index[:, ::-1] if np.linalg.det(affine[:3, :3]) < 0.0 else index
    return meshed_face(points @ affine[:3, :3].T + affine[:3, 3], turned)


def _on_edges(
    face: TopoDS_Face,
    edges: IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher,
    corners: IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher,
) -> list[tuple[tuple[str, int, int], int]]:
    """(edge or corner and place on it, node) of the nodes of a face on its edges."""
    place = TopLoc_Location()
    made = BRep_Tool.Triangulation_s(face, place)
    found: list[tuple[tuple[str, int, int], int]] = []
    for part in parts(face, TopAbs_ShapeEnum.TopAbs_EDGE):
        edge = TopoDS.Edge(part)  # the orientation tells the two sides of a seam apart
        along = BRep_Tool.PolygonOnTriangulation_s(edge, made, place)
        if along is None:
            continue
        nodes = [along.Node(i) - 1 for i in range(1, along.NbNodes() + 1)]
        ends = [corners.FindIndex(v(edge)) for v in (TopExp.FirstVertex_s, TopExp.LastVertex_s)]
        if BRep_Tool.Degenerated_s(edge):
            found += [(("corner", ends[0], 0), node) for node in nodes]
            continue
        key = edges.FindIndex(edge)
        found += [(("edge", key, k), node) for k, node in enumerate(nodes)]
        found += [(("corner", ends[0], 0), nodes[0]), (("corner", ends[1], 0), nodes[-1])]
    return found


def _numbered(count: int, links: list[tuple[int, int]]) -> Index:
    """(count,) the same number for all that are linked."""
    name = np.arange(count)
    if not links:
        return name
    a, b = np.array(links).T
    while True:
        least = np.minimum(name[a], name[b])
        before = name.copy()
        np.minimum.at(name, a, least)
        np.minimum.at(name, b, least)
        name = name[name]
        if np.array_equal(name, before):
            return name


def welded(mesh: Mesh) -> tuple[Array, Index]:
    """The mesh with vertices that are one on the body made one, and without the triangles that come to nothing."""
    kept, place = np.unique(mesh.same, return_inverse=True)
    merged = place.ravel()[mesh.triangles]
    distinct = (merged[:, 0] != merged[:, 1]) & (merged[:, 1] != merged[:, 2]) & (merged[:, 2] != merged[:, 0])
    return mesh.points[kept], merged[distinct]


def is_closed(triangles: Index) -> bool:
    """Whether every edge of a welded mesh is shared by two triangles that run along it in opposite directions."""
    count = np.int64(triangles.max() + 1)
    here, there = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    ahead, back = np.sort(here * count + there), np.sort(there * count + here)
    return bool(np.all(ahead[1:] != ahead[:-1]) and np.array_equal(ahead, back))
