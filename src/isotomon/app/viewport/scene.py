"""The 3D scene, drawn by VTK off screen into an image. The only room that knows VTK."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import vtkmodules.vtkRenderingOpenGL2 as _gl
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkLookupTable, vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkFiltersGeneral import vtkContourTriangulator
from vtkmodules.vtkRenderingCore import vtkActor, vtkLight, vtkPolyDataMapper, vtkRenderer

from isotomon.arrays import Array, Index
from isotomon.field.mesh import SkinMesh

Colour = tuple[float, float, float]


def _window() -> _gl.vtkOpenGLRenderWindow:
    """An off-screen window: EGL where it works, else the software one."""
    for name in ("vtkEGLRenderWindow", "vtkOSOpenGLRenderWindow"):
        made = getattr(_gl, name, None)
        if made is not None:
            window = made()
            window.SetOffScreenRendering(True)
            return window
    raise RuntimeError("VTK has no off-screen window; install its standard wheel")


def _cells(index: Index) -> vtkCellArray:
    cells = vtkCellArray()
    count, width = index.shape
    offsets = np.arange(0, count * width + 1, width, dtype=np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True), numpy_to_vtkIdTypeArray(index.ravel().astype(np.int64), deep=True)
    )
    return cells


def _points(xyz: Array) -> vtkPoints:
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(xyz, dtype=np.float32), deep=True))
    return points


WITHOUT = (0.72, 0.7, 0.66)
"""The colour of places that have no value."""


class Scene:
    """Bodies and curves to look at. Everything is drawn on the calling thread."""

    def __init__(self) -> None:
        self.window = _window()
        self.renderer = vtkRenderer()
        self.window.AddRenderer(self.renderer)
        self.window.SetMultiSamples(0)
        self._skin, self._skin_data = self._add_actor()
        self._caps, self._caps_data = self._add_actor()
        self._edges, self._edges_data = self._add_actor()
        self._others, self._others_data = self._add_actor()
        self._clear, self._clear_data = self._add_actor()
        for actor in (self._others, self._clear, self._caps):
            actor.GetMapper().SetColorModeToDirectScalars()
        self._solids, self._solids_data = self._add_actor()
        self._worked, self._worked_data = self._add_actor()
        self._rims, self._rims_data = self._add_actor()
        self._thin = self._add_lines(1.8)
        self._strong = self._add_lines(3.6)
        self._mesh: SkinMesh | None = None
        self._shown: list[tuple[Array, Index, Array]] = []
        self._grid: tuple[int, int] = (0, 0)
        self._lights()
        self.smooth_frames = True
        self._see_through = False

    def _add_actor(self) -> tuple[vtkActor, vtkPolyData]:
        data, mapper, actor = vtkPolyData(), vtkPolyDataMapper(), vtkActor()
        mapper.SetInputData(data)
        mapper.ScalarVisibilityOff()
        # Lines on the skin win against it without floating in front of it.
        mapper.SetResolveCoincidentTopologyToPolygonOffset()
        actor.SetMapper(mapper)
        self.renderer.AddActor(actor)
        return actor, data

    def _add_lines(self, width: float) -> tuple[vtkActor, vtkPolyData]:
        """Curves coloured one by one, that win against the skin they lie on."""
        actor, data = self._add_actor()
        mapper = actor.GetMapper()
        mapper.ScalarVisibilityOn()
        mapper.SetScalarModeToUseCellData()
        mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0.0, -4.0)
        actor.GetProperty().SetLineWidth(width)
        actor.GetProperty().LightingOff()
        return actor, data

    def _lights(self) -> None:
        self.renderer.RemoveAllLights()
        for x, y, z, strength in ((-0.5, 0.9, 0.9, 0.78), (0.9, 0.1, 0.6, 0.30), (-0.3, -0.9, 0.2, 0.18)):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(x, y, z)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self.renderer.AddLight(light)
        self.renderer.SetTwoSidedLighting(True)
        self.renderer.AutomaticLightCreationOff()

    def set_colours(self, background: Colour, body: Colour, ink: Colour) -> None:
        """Colours of the ground, the body and its crisp edges."""
        self.renderer.SetBackground(*background)
        for actor in (self._skin, self._caps, self._others, self._clear, self._solids, self._worked):
            p = actor.GetProperty()
            p.SetColor(*body)
            p.SetAmbient(0.3)
            p.SetDiffuse(0.8)
            p.SetSpecular(0.22)
            p.SetSpecularPower(28.0)
        for actor in (self._edges, self._rims):
            actor.GetProperty().SetColor(*ink)
            actor.GetProperty().SetLineWidth(1.3)
            actor.GetProperty().LightingOff()

    def set_look(self, look: str) -> None:
        """'shaded', 'see-through' or 'lines'."""
        self._see_through = look == "see-through"
        for actor in (self._skin, self._caps, self._others, self._clear, self._solids, self._worked):
            p = actor.GetProperty()
            p.SetOpacity(0.35 if look == "see-through" or actor is self._clear else 1.0)
            if look == "lines":
                p.SetRepresentationToWireframe()
            else:
                p.SetRepresentationToSurface()
        self._caps.SetVisibility(look != "lines")

    def show_body(self, visible: bool) -> None:
        """Show or hide the bodies with their edges."""
        own = (self._skin, self._caps, self._edges, self._worked, self._rims)
        for actor in (*own, self._others, self._clear, self._solids):
            actor.SetVisibility(visible)

    def set_own(self, colour: Colour, clear: bool, visible: bool) -> None:
        """The colour of the body in hand, and whether it is seen through, or at all."""
        for actor in (self._skin, self._caps, self._worked):
            actor.GetProperty().SetColor(*colour)
            actor.GetProperty().SetOpacity(0.35 if clear or self._see_through else 1.0)
        for actor in (self._skin, self._caps, self._edges):
            actor.SetVisibility(visible)

    def set_others(self, meshes: Sequence[tuple[SkinMesh, Colour, bool]]) -> None:
        """The skins and flat ends of the bodies that are not in hand, each with its colour and whether it is seen through."""
        for clear, actor, data in ((False, self._others, self._others_data), (True, self._clear, self._clear_data)):
            self._set_skins(actor, data, [(mesh, colour) for mesh, colour, through in meshes if through == clear])

    def _set_skins(self, actor: vtkActor, data: vtkPolyData, meshes: Sequence[tuple[SkinMesh, Colour]]) -> None:
        points, normals, cells, base, colours = [], [], [], 0, []
        for mesh, colour in meshes:
            before = base
            n_v, n_u = mesh.points.shape[:2]
            pairs, rows = mesh.sampling.quads, (np.arange(n_v - 1) * n_u)[:, None]
            a, b = rows + pairs[:, 0], rows + pairs[:, 1]
            quads = np.stack([a, b, b + n_u, a + n_u], axis=-1).reshape(-1, 4)
            points.append(mesh.points.reshape(-1, 3))
            normals.append(mesh.normals.reshape(-1, 3))
            cells.append(np.vstack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]) + base)
            base += n_v * n_u
            for row, way in () if mesh.ring or mesh.sampling.open else ((0, -1), (-1, 1)):
                own, one = _cap(mesh, row)
                ring = mesh.points[row, mesh.sampling.outline]
                square = np.cross(ring - ring.mean(axis=0), np.roll(ring, -1, axis=0) - ring.mean(axis=0)).sum(axis=0)
                square = way * square / max(float(np.linalg.norm(square)), 1e-300)
                points.append(own)
                normals.append(np.tile(square, (len(own), 1)))
                cells.append(one + base)
                base += len(own)
            colours.append(np.tile(np.array([[round(255 * c) for c in colour]], dtype=np.uint8), (base - before, 1)))
        _set_triangles(data, points, normals, cells)
        actor.GetMapper().SetScalarVisibility(bool(colours))
        if colours:
            data.GetPointData().SetScalars(numpy_to_vtk(np.vstack(colours), deep=True))

    def set_solids(self, solids: Sequence[tuple[Array, Index, Array]]) -> None:
        """Finished bodies, besides the skins: vertices (n, 3), triangles (m, 3) and normals (n, 3) of each; nothing to be done where they
        are those that are there."""
        if len(solids) != len(self._shown) or any(a is not b for a, b in zip(solids, self._shown, strict=True)):
            self._shown = list(solids)
            _set_surfaces(self._solids_data, solids)

    def set_worked(self, surfaces: Sequence[tuple[Array, Index, Array]], faces: Sequence[Sequence[Array]]) -> None:
        """The body in hand as its skin is worked on, in place of the skin: surfaces, and flat faces by the runs that bound them; none to
        see the skin again."""
        flats = []
        for runs in faces:
            points, triangles = flat_face(runs)
            a, b, c = (points[triangles[0, k]] for k in range(3))
            normal = np.cross(b - a, c - a)
            flats.append((points, triangles, np.tile(normal / max(np.linalg.norm(normal), 1e-300), (len(points), 1))))
        every = [*surfaces, *flats]
        _set_surfaces(self._worked_data, every)
        _set_lines(self._rims_data, [np.vstack([run, run[:1]]) for runs in faces for run in runs])
        for actor in (self._worked, self._rims):
            actor.SetVisibility(self._edges.GetVisibility() and bool(every))
        for actor in (self._skin, self._caps, self._edges):
            actor.SetVisibility(actor.GetVisibility() and not every)

    def set_mesh(self, mesh: SkinMesh | None) -> None:
        """The body's skin, flat ends and crisp edges; nothing to be done where it is the one that is there."""
        if mesh is self._mesh:
            return
        self._mesh = mesh
        if mesh is None:
            for data in (self._skin_data, self._caps_data, self._edges_data):
                data.Initialize()
            self._grid = (0, 0)
            return
        n_v, n_u = mesh.points.shape[:2]
        points = _points(mesh.points.reshape(-1, 3))
        normals = numpy_to_vtk(np.ascontiguousarray(mesh.normals.reshape(-1, 3), dtype=np.float32), deep=True)
        self._skin_data.SetPoints(points)
        self._skin_data.GetPointData().SetNormals(normals)
        if self._grid != (n_v, n_u):
            pairs = mesh.sampling.quads
            rows = (np.arange(n_v - 1) * n_u)[:, None]
            a, b = rows + pairs[:, 0], rows + pairs[:, 1]
            self._skin_data.SetPolys(_cells(np.stack([a, b, b + n_u, a + n_u], axis=-1).reshape(-1, 4)))
            self._grid = (n_v, n_u)
        self._skin_data.Modified()
        self._set_caps(mesh)
        self._set_edges(mesh)

    def set_scalars(self, values: Array | None, table: NDArray[np.uint8], low: float, high: float) -> None:
        """Colour the skin, or the finished bodies, by a value at each of their points, from `low` to `high` over a table (k, 3); without
        values it has the body's own colour."""
        for actor, shown in ((self._skin, self._skin_data), (self._solids, self._solids_data)):
            mapper, data = actor.GetMapper(), shown.GetPointData()
            if values is not None and values.size == shown.GetNumberOfPoints():
                break
            mapper.ScalarVisibilityOff()
            data.SetScalars(None)
        else:
            return
        data.SetScalars(numpy_to_vtk(np.ascontiguousarray(values.ravel(), dtype=np.float32), deep=True))
        lookup = vtkLookupTable()
        lookup.SetNumberOfTableValues(len(table))
        for k, (r, g, b) in enumerate(table.tolist()):
            lookup.SetTableValue(k, r / 255.0, g / 255.0, b / 255.0, 1.0)
        lookup.SetTableRange(low, high)
        lookup.SetNanColor(*WITHOUT, 1.0)
        mapper.SetLookupTable(lookup)
        mapper.SetScalarRange(low, high)
        mapper.SetInterpolateScalarsBeforeMapping(True)
        mapper.ScalarVisibilityOn()
        shown.Modified()

    def _set_caps(self, mesh: SkinMesh) -> None:
        if mesh.ring or mesh.sampling.open:
            self._caps_data.Initialize()
            return
        points, cells, base = [], [], 0
        for row, way in ((0, -1), (-1, 1)):
            own, one = _cap(mesh, row)
            points.append(own)
            cells.append((one if way > 0 else one[:, ::-1]) + base)
            base += len(own)
        self._caps_data.SetPoints(_points(np.vstack(points)))
        self._caps_data.SetPolys(_cells(np.vstack(cells)))
        self._caps_data.Modified()

    def _set_edges(self, mesh: SkinMesh) -> None:
        lane = mesh.sampling.lane
        starts = np.flatnonzero(np.r_[True, lane[1:] != lane[:-1]])
        starts = starts[mesh.sampling.crisp[lane[starts]]]
        lines = [mesh.points[:, s] for s in starts]
        lines += [
            mesh.points[k, run]
            for k in (() if mesh.ring else (0, -1))
            for run in (mesh.sampling.rim, *(np.append(h, h[0]) for h in mesh.sampling.holes))
        ]
        if mesh.sampling.open:
            lines.append(mesh.points[:, -1])
        _set_lines(self._edges_data, lines)

    def set_curves(self, curves: Sequence[tuple[Array, Colour, bool]]) -> None:
        """Free curves over the body: points (n, 3), colour, and whether it is drawn strong."""
        for strong, (actor, data) in ((False, self._thin), (True, self._strong)):
            chosen = [(points, colour) for points, colour, is_strong in curves if is_strong == strong]
            actor.SetVisibility(bool(chosen))
            _set_lines(data, [points for points, _ in chosen])
            colours = np.array([[round(255 * c) for c in colour] for _, colour in chosen], dtype=np.uint8).reshape(
                -1, 3
            )
            data.GetCellData().SetScalars(numpy_to_vtk(colours, deep=True))

    def set_camera(self, eye: Array, target: Array, up: Array, height: float) -> None:
        """Parallel projection: `height` of the picture in mm."""
        camera = self.renderer.GetActiveCamera()
        camera.ParallelProjectionOn()
        camera.SetPosition(*eye)
        camera.SetFocalPoint(*target)
        camera.SetViewUp(*up)
        camera.SetParallelScale(height / 2.0)
        self.renderer.ResetCameraClippingRange()

    def draw(self, width: int, height: int, smooth: bool) -> NDArray[np.uint8]:
        """The picture: (height, width, 3). `smooth` draws it with antialiasing."""
        self.window.SetMultiSamples(4 if smooth and self.smooth_frames else 0)
        if self.window.GetSize() != (width, height):
            self.window.SetSize(width, height)
        self.window.Render()
        pixels = vtkUnsignedCharArray()
        self.window.GetPixelData(0, 0, width - 1, height - 1, 0, pixels, 0)
        picture = vtk_to_numpy(pixels).reshape(height, width, 3)[::-1]
        self.window.ReleaseCurrent()
        return np.ascontiguousarray(picture)

    def close(self) -> None:
        """Free the window's memory."""
        self.window.Finalize()


def _set_surfaces(data: vtkPolyData, surfaces: Sequence[tuple[Array, Index, Array]]) -> None:
    """Surfaces side by side: points (n, 3), triangles (m, 3) and normals (n, 3) of each."""
    starts = np.cumsum([0, *(len(points) for points, _, _ in surfaces)])
    cells = [triangles + start for (_, triangles, _), start in zip(surfaces, starts, strict=False)]
    _set_triangles(data, [points for points, _, _ in surfaces], [normals for _, _, normals in surfaces], cells)


def _set_triangles(
    data: vtkPolyData, points: Sequence[Array], normals: Sequence[Array], cells: Sequence[Index]
) -> None:
    if not points:
        data.Initialize()
        return
    data.SetPoints(_points(np.vstack(points)))
    data.GetPointData().SetNormals(numpy_to_vtk(np.vstack(normals).astype(np.float32), deep=True))
    data.SetPolys(_cells(np.vstack(cells)))
    data.Modified()


def _cap(mesh: SkinMesh, row: int) -> tuple[Array, Index]:
    """Points (n, 3) and triangles (m, 3), counter-clockwise, of the flat end at a row of the mesh."""
    ring = mesh.points[row, mesh.sampling.outline]
    if not mesh.sampling.holes:
        one = _cap_triangles(len(ring), fan=int(mesh.sampling.lane.max()) > 1)
        return np.vstack([ring, ring.mean(axis=0)]), one
    return flat_face([ring, *(mesh.points[row, run] for run in mesh.sampling.holes)])


def flat_face(runs: Sequence[Array]) -> tuple[Array, Index]:
    """Points (n, 3) and triangles (m, 3) of what lies inside the first of some closed runs (k, 3) in a plane, and outside the others."""
    data, maker = vtkPolyData(), vtkContourTriangulator()
    _set_lines(data, [np.vstack([run, run[:1]]) for run in runs])
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


def _set_lines(data: vtkPolyData, lines: Sequence[Array]) -> None:
    cells = vtkCellArray()
    lengths = [len(line) for line in lines]
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True),
        numpy_to_vtkIdTypeArray(np.arange(offsets[-1], dtype=np.int64), deep=True),
    )
    data.SetPoints(_points(np.vstack(lines) if lines else np.zeros((0, 3))))
    data.SetLines(cells)
    data.Modified()
