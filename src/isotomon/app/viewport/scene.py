"""The 3D scene, drawn by VTK off screen into an image."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import vtkmodules.vtkRenderingOpenGL2 as _gl
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkLookupTable, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkLight, vtkPolyDataMapper, vtkRenderer

from isotomon.app.viewport.polydata import (
    cap,
    cells_of,
    edge_lines,
    flat_face,
    grid_quads,
    points_of,
    set_lines,
    set_segments,
    set_surfaces,
    set_triangles,
    sparser,
)
from isotomon.app.viewport.solids import Shown
from isotomon.arrays import Array, Index
from isotomon.field.mesh import Sampling, SkinMesh

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


FEW_POINTS = 3000
"""A skin of no more points is drawn whole while something moves."""
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
        self._seen_through, self._seen_through_data = self._add_actor()
        self._seen_through.GetProperty().SetOpacity(0.35)
        self._worked, self._worked_data = self._add_actor()
        self._rims, self._rims_data = self._add_actor()
        self._borders, self._borders_data = self._add_actor()
        self._beside, self._beside_data = self._add_actor()
        self._gaps, self._gaps_data = self._add_actor()
        self._thin = self._add_lines(1.8)
        self._strong = self._add_lines(3.6)
        self._mesh: SkinMesh | None = None
        self._shown: list[Shown] = []
        self._grid: tuple[int, Sampling | None] = (0, None)
        """Rows, and where they are sampled, that its cells are of."""
        self._fine = self._coarse = vtkCellArray()
        """The cells of the skin at rest, and while something moves."""
        self._lights()
        self.smooth_frames = True
        self._see_through = False

    @property
    def _bodies(self) -> tuple[vtkActor, ...]:
        own = self._skin, self._caps, self._worked
        return (*own, self._others, self._clear, self._solids, self._seen_through)

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

    def set_colours(self, background: Colour, body: Colour, ink: Colour, gap: Colour) -> None:
        """Colours of the ground, the body, its crisp edges, and of those that are open and were not to be."""
        self.renderer.SetBackground(*background)
        for actor in self._bodies:
            p = actor.GetProperty()
            p.SetColor(*body)
            p.SetAmbient(0.3)
            p.SetDiffuse(0.8)
            p.SetSpecular(0.22)
            p.SetSpecularPower(28.0)
        if any(colour is not None for _, colour, _ in self._shown):  # those beside them have the usual one
            for clear in (False, True):
                self._colour_solids(clear)
        for actor in (self._edges, self._rims, self._borders, self._beside, self._gaps):
            actor.GetProperty().SetColor(*(gap if actor is self._gaps else ink))
            actor.GetProperty().SetLineWidth(3.0 if actor is self._gaps else 1.3)
            actor.GetProperty().LightingOff()

    def set_look(self, look: str) -> None:
        """'shaded', 'see-through' or 'lines'."""
        self._see_through = look == "see-through"
        for actor in self._bodies:
            p = actor.GetProperty()
            p.SetOpacity(0.35 if look == "see-through" or actor in (self._clear, self._seen_through) else 1.0)
            if look == "lines":
                p.SetRepresentationToWireframe()
            else:
                p.SetRepresentationToSurface()
        self._caps.SetVisibility(look != "lines")

    def show_body(self, visible: bool) -> None:
        """Show or hide the bodies with their edges."""
        lines = self._edges, self._rims, self._borders, self._beside, self._gaps
        for actor in (*self._bodies, *lines):
            actor.SetVisibility(visible)

    def set_own(self, colour: Colour, clear: bool, visible: bool) -> None:
        """The colour of the body in hand, and whether it is seen through, or at all."""
        for actor in (self._skin, self._caps, self._worked):
            actor.GetProperty().SetColor(*colour)
            actor.GetProperty().SetOpacity(0.35 if clear or self._see_through else 1.0)
        for actor in (self._skin, self._caps, self._edges):
            actor.SetVisibility(visible)

    def set_others(self, meshes: Sequence[tuple[SkinMesh, Colour, bool]]) -> None:
        """The skins, flat ends and edges of the bodies that are not in hand, each with its colour and whether it is seen through."""
        for clear, actor, data in ((False, self._others, self._others_data), (True, self._clear, self._clear_data)):
            self._set_skins(actor, data, [(mesh, colour) for mesh, colour, through in meshes if through == clear])
        set_lines(self._beside_data, [line for mesh, _, _ in meshes for line in edge_lines(mesh)])

    def _set_skins(self, actor: vtkActor, data: vtkPolyData, meshes: Sequence[tuple[SkinMesh, Colour]]) -> None:
        points, normals, cells, base, colours = [], [], [], 0, []
        for mesh, colour in meshes:
            before = base
            points.append(mesh.points.reshape(-1, 3))
            normals.append(mesh.normals.reshape(-1, 3))
            cells.append(mesh.triangles + base)
            base += len(points[-1])
            for row, way in () if mesh.bare else ((0, -1), (-1, 1)):
                own, one = cap(mesh, row)
                ring = mesh.points[row, mesh.sampling.outline]
                square = np.cross(ring - ring.mean(axis=0), np.roll(ring, -1, axis=0) - ring.mean(axis=0)).sum(axis=0)
                square = way * square / max(float(np.linalg.norm(square)), 1e-300)
                points.append(own)
                normals.append(np.tile(square, (len(own), 1)))
                cells.append(one + base)
                base += len(own)
            colours.append(np.tile(np.array([[round(255 * c) for c in colour]], dtype=np.uint8), (base - before, 1)))
        set_triangles(data, points, normals, cells)
        actor.GetMapper().SetScalarVisibility(bool(colours))
        if colours:
            data.GetPointData().SetScalars(numpy_to_vtk(np.vstack(colours), deep=True))

    def set_solids(self, solids: Sequence[Shown], edges: Array, gaps: Array) -> None:
        """Finished bodies, besides the skins: vertices (n, 3), triangles (m, 3) and normals (n, 3) of each, its colour, where it has one of its
        own, and whether it is seen through; their `edges` (e, 2, 3), and those that are open and were not to be. Nothing to be done
        where they are those that are there."""
        if [(id(mesh), *look) for mesh, *look in solids] == [(id(mesh), *look) for mesh, *look in self._shown]:
            return
        self._shown = list(solids)
        set_segments(self._borders_data, edges)
        set_segments(self._gaps_data, gaps)
        for clear, data in ((False, self._solids_data), (True, self._seen_through_data)):
            set_surfaces(data, [mesh for mesh, _, through in solids if through == clear])
            self._colour_solids(clear)

    def _colour_solids(self, clear: bool) -> None:
        """The finished bodies, or those that are seen through, in their own colours."""
        actor, data = (self._seen_through, self._seen_through_data) if clear else (self._solids, self._solids_data)
        own = [(len(mesh[0]), colour) for mesh, colour, through in self._shown if through == clear]
        coloured = any(colour is not None for _, colour in own)
        actor.GetMapper().SetScalarVisibility(coloured)
        usual = actor.GetProperty().GetColor()
        each = [np.tile(np.round(np.array(colour or usual) * 255.0), (count, 1)) for count, colour in own]
        scalars = numpy_to_vtk(np.vstack(each).astype(np.uint8), deep=True) if coloured else None
        data.GetPointData().SetScalars(scalars)
        actor.GetMapper().SetColorModeToDirectScalars()
        data.Modified()

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
        set_surfaces(self._worked_data, every)
        set_lines(self._rims_data, [np.vstack([run, run[:1]]) for runs in faces for run in runs])
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
            self._grid = (0, None)
            return
        n_v, n_u = mesh.points.shape[:2]
        points = points_of(mesh.points.reshape(-1, 3))
        normals = numpy_to_vtk(np.ascontiguousarray(mesh.normals.reshape(-1, 3), dtype=np.float32), deep=True)
        self._skin_data.SetPoints(points)
        self._skin_data.GetPointData().SetNormals(normals)
        if mesh.cells is not None:
            self._fine = self._coarse = cells_of(mesh.cells)
            self._grid = (0, None)
        elif self._grid[0] != n_v or self._grid[1] is not mesh.sampling:
            rough = mesh.sampling.every_other
            self._fine = cells_of(grid_quads(np.arange(n_v), mesh.sampling.quads, n_u))
            self._coarse = cells_of(grid_quads(sparser(n_v), rough, n_u)) if n_v * n_u > FEW_POINTS else self._fine
            self._grid = (n_v, mesh.sampling)
        self._skin_data.SetPolys(self._coarse)
        self._skin_data.Modified()
        self._set_caps(mesh)
        set_lines(self._edges_data, edge_lines(mesh))

    def set_scalars(self, values: Array | None, table: NDArray[np.uint8], low: float, high: float) -> None:
        """Colour the skin, or the finished bodies, by a value at each of their points, from `low` to `high` over a table (k, 3); without
        values it has the body's own colour."""
        for actor, shown in ((self._skin, self._skin_data), (self._solids, self._solids_data)):
            mapper, data = actor.GetMapper(), shown.GetPointData()
            if values is not None and values.size == shown.GetNumberOfPoints():
                break
            mapper.ScalarVisibilityOff()
            data.SetScalars(None)
            if actor is self._solids:
                self._colour_solids(clear=False)
        else:
            return
        mapper.SetColorModeToMapScalars()
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
        if mesh.bare:
            self._caps_data.Initialize()
            return
        points, cells, base = [], [], 0
        for row, way in ((0, -1), (-1, 1)):
            own, one = cap(mesh, row)
            points.append(own)
            cells.append((one if way > 0 else one[:, ::-1]) + base)
            base += len(own)
        self._caps_data.SetPoints(points_of(np.vstack(points)))
        self._caps_data.SetPolys(cells_of(np.vstack(cells)))
        self._caps_data.Modified()

    def set_curves(self, curves: Sequence[tuple[Array, Colour, bool]]) -> None:
        """Free curves over the body: points (n, 3), colour, and whether it is drawn strong."""
        for strong, (actor, data) in ((False, self._thin), (True, self._strong)):
            chosen = [(points, colour) for points, colour, is_strong in curves if is_strong == strong]
            actor.SetVisibility(bool(chosen))
            set_lines(data, [points for points, _ in chosen])
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
        """The picture: (height, width, 3). `smooth` draws it with antialiasing, and of the skin all that there is: while something moves, part of
        it is enough for the eye, since its normals are the skin's own."""
        self.window.SetMultiSamples(4 if smooth and self.smooth_frames else 0)
        self._skin_data.SetPolys(self._fine if smooth else self._coarse)
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
