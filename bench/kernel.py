"""The kernel's own way beside ours: skinning, cutting, and the time of a solid step."""

from __future__ import annotations

import time

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Section
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.collections import Array1_gp_Pnt, List_TopoDS_Shape
from OCP.Geom import Geom_BSplineCurve, Geom_BSplineSurface
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from bench.__main__ import line, timed
from isotomon.evaluate.shape import make_shape
from isotomon.field.mesh import skin_mesh
from isotomon.field.patches import patches
from isotomon.geometry.edge import Edge
from isotomon.inspect.quick import rebuild
from isotomon.kernel import arrays as kernel_arrays
from isotomon.kernel import combining, making
from isotomon.kernel.exact import moved
from isotomon.kernel.meshing import is_closed, mesh_of, parts, welded
from isotomon.kernel.volumes import Lump
from isotomon.measure.sections import curves
from isotomon.samples import sample


def main() -> None:
    """Print the rows."""
    quick = rebuild(sample("reach-blade"))
    shape = quick.shape
    assert shape is not None
    field, lane = shape.field, shape.form.common.lanes[0]
    at_stations = field.sections(field.nodes)

    def kernel_loft() -> object:
        maker = BRepOffsetAPI_ThruSections(True, False, 1e-4)
        times = lane.basis.multiplicity.copy()
        times[[0, -1]] = lane.basis.degree + 1
        for row in at_stations.control:
            poles = Array1_gp_Pnt(1, len(row))
            for k, (x, y, z) in enumerate(row.tolist(), 1):
                poles.SetValue(k, gp_Pnt(x, y, z))
            curve = Geom_BSplineCurve(
                poles, kernel_arrays.doubles(lane.basis.breaks), kernel_arrays.ints(times), lane.basis.degree
            )
            maker.AddWire(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(curve).Edge()).Wire())
        maker.Build()
        body = maker.Shape()
        BRepMesh_IncrementalMesh(body, 0.13, False, 0.35, False)
        return body

    def ours() -> None:
        f, _, _ = make_shape(quick.design, quick.resolved, quick.drawings)
        skin_mesh(f.sections(np.linspace(f.first, f.last, 201)), shape.form.samples)

    theirs = float(np.median(timed(kernel_loft, 3)))
    mine = float(np.median(timed(ours, 9)))
    line(
        "skin and display mesh against the kernel's own loft and mesh",
        f"{theirs / mine:.0f} × faster",
        "≥ 20 ×",
        theirs / mine >= 20,
    )

    v = np.linspace(field.first, field.last, 202)[1:-1]
    first = field.sections(field.nodes[:1])
    areas = timed(lambda: curves(field.sections(v), first, shape.form.rule), 9)
    body = making.loft(
        patches(field, 1e-4),
        [(at_stations.origin[k].tolist(), at_stations.normal[k].tolist()) for k in (0, -1)],
        None,
        1e-4,
    )
    start = time.perf_counter()
    found = [_cut_area(body, float(z)) for z in v[::40]]
    each = (time.perf_counter() - start) / len(found)
    ratio = each * len(v) / float(np.median(areas))
    line(
        "200 section areas and turns against 200 plane cuts by the kernel",
        f"{ratio:,.0f} × faster",
        "≥ 1,000 ×",
        ratio >= 1000,
    )
    exact = curves(field.sections(v), first, shape.form.rule).area
    refined = np.zeros(len(v))
    sections = field.sections(v)
    for one in shape.form.common.lanes:
        u, w = one.basis.gauss(10)
        p = np.matmul(one.basis.matrix(u), sections.local[:, one.columns])
        d = np.matmul(one.basis.matrix(u, 1), sections.local[:, one.columns])
        refined += 0.5 * (p[..., 0] * d[..., 1] - p[..., 1] * d[..., 0]) @ w
    off = float(np.max(np.abs(exact / refined - 1)))
    line("those areas against a refined independent integration", f"{off:.1e}", "≤ 1e-9", off <= 1e-9)

    def solid_step() -> None:
        made = making.loft(
            patches(field, 1e-4),
            [(at_stations.origin[k].tolist(), at_stations.normal[k].tolist()) for k in (0, -1)],
            None,
            1e-4,
        )
        making.report(made, is_closed(welded(mesh_of(made.shape, 0.13))[1]))

    line(
        "the kernel's own time for the demo's solid, mesh and figures",
        f"{float(np.median(timed(solid_step, 3))):.2f} s",
        "",
    )
    _boolean()
    poles = sum(p.control.shape[0] * p.control.shape[1] for p in patches(field, 1e-4))
    theirs_too = _poles_of(kernel_loft())
    figure = f"{poles:,} against {theirs_too:,}"
    line("control points of the demo's skin against the kernel's loft of the sections", figure, "no more than needed")


def _boolean() -> None:
    """A star-shaped cutter of 200 faces taken out of a block, through the worker's own code and by the kernel alone."""
    turn = np.arange(200) * 2.0 * np.pi / 200
    rim = np.where(np.arange(200) % 2, 30.0, 40.0)[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    corners = np.column_stack([rim, np.full(200, -10.0)])
    edges = [Edge(f"lane {k}", "line", corners[[k, (k + 1) % 200]]) for k in range(200)]
    tool = moved(edges, (0.0, 0.0, 120.0), None, 0.0, False)
    box = np.array([[-60.0, -60.0], [60.0, -60.0], [60.0, 60.0], [-60.0, 60.0]])
    block = np.column_stack([box, np.zeros(4)])
    sides = [Edge(f"lane {k}", "line", block[[k, (k + 1) % 4]]) for k in range(4)]
    base = moved(sides, (0.0, 0.0, 100.0), None, 0.0, False)

    def alone() -> None:
        maker = BRepAlgoAPI_Cut()
        for body, put in ((base, maker.SetArguments), (tool, maker.SetTools)):
            group = List_TopoDS_Shape()
            group.Append(body.shape)
            put(group)
        maker.SetFuzzyValue(1e-4)
        maker.Build()

    def lump(body: making.NamedShape) -> Lump:
        points, triangles = welded(mesh_of(body.shape, 0.1))
        return Lump(points, triangles, making.report(body, True).volume)

    lumps = (lump(base), lump(tool))

    def ours() -> None:
        combining.combine(base, tool, "cut", "t: ", 1e-4, lumps)

    theirs, mine = (float(np.median(timed(work, 5))) for work in (alone, ours))
    line(
        "a boolean of 200 faces, with lasting names, against the kernel alone",
        f"{mine / theirs:.2f} ×",
        "≤ 1.2 ×",
        mine <= 1.2 * theirs,
    )


def _poles_of(shape: object) -> int:
    """Control points of all faces that are no planes."""
    count = 0
    for face in parts(shape, TopAbs_ShapeEnum.TopAbs_FACE):  # type: ignore[arg-type]
        surface = BRep_Tool.Surface_s(TopoDS.Face(face))
        if isinstance(surface, Geom_BSplineSurface):
            count += surface.NbUPoles() * surface.NbVPoles()
    return count


def _cut_area(body: making.NamedShape, position: float) -> float:
    cut = BRepAlgoAPI_Section(body.shape, gp_Pln(gp_Pnt(0, 0, position), gp_Dir(0, 0, 1)), False)
    cut.Build()
    edges = parts(cut.Shape(), TopAbs_ShapeEnum.TopAbs_EDGE)
    wire = BRepBuilderAPI_MakeWire()
    for edge in edges:
        wire.Add(TopoDS.Edge(edge))
    face = BRepBuilderAPI_MakeFace(wire.Wire(), True)
    figures = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face.Face(), figures)
    return figures.Mass()


if __name__ == "__main__":
    main()
