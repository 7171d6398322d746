"""Finished bodies written as files: solids with names, colours and layers, meshes with names and colours. Each is written whole or
not at all."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from OCP.APIHeaderSection import APIHeaderSection_MakeHeader
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.IGESCAFControl import IGESCAFControl_Writer
from OCP.IGESControl import IGESControl_Controller
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_StepModelType
from OCP.TCollection import TCollection_ExtendedString, TCollection_HAsciiString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.XCAFDoc import XCAFDoc_ColorType, XCAFDoc_DocumentTool

from isotomon.errors import SolidError
from isotomon.geometry.edge import Edge
from isotomon.kernel.exact import kernel_edges
from isotomon.kernel.making import NamedShape, is_skin, wire_of
from isotomon.kernel.meshing import Mesh, extent_of, is_mesh, mesh_of, stl_bytes, welded
from isotomon.kernel.protocol import Form

USUAL_COLOUR = "#E3DDCF"
"""Of bodies that have none of their own."""


@dataclass(frozen=True, eq=False)
class Leaving:
    """A body that is written, with its name, its colour (#RRGGBB, or empty for the usual one) and its volume, mm³."""

    name: str
    colour: str
    body: NamedShape
    volume: float

    @property
    def rgb(self) -> tuple[int, int, int]:
        """Its colour, 0 to 255."""
        text = self.colour or USUAL_COLOUR
        return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


@dataclass(frozen=True)
class Near:
    """How near a mesh lies to its body: no farther than `deflection` (mm), neighbouring triangles turned by no more than `angle` (rad), its
    volume off by no more than a `share` of it unless that is nought."""

    deflection: float
    angle: float
    share: float


def write(bodies: Sequence[Leaving], name: str, form: Form, near: Near, path: Path) -> None:
    """Write bodies as a file of a form; of meshes, as `near` as is said. Raises: SolidError."""
    if form in _SOLID_FILES:
        _SOLID_FILES[form](bodies, name, path)
    else:
        _MESH_FILES[form](bodies, near, path)


# Solids


def write_step(bodies: Sequence[Leaving], name: str, path: Path) -> None:
    """A STEP file (AP214, millimetres): every body with its name and colour, on the layer of solids or of skins.

    Raises: SolidError.
    """
    _put_step(_document([_entry(leaving, "STEP") for leaving in bodies]), name, path)


def _put_step(document: TDocStd_Document, name: str, path: Path) -> None:
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    Interface_Static.SetCVal_s("write.step.product.name", _plain(name))
    writer = STEPCAFControl_Writer()
    if not writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs):
        raise SolidError("the kernel cannot turn the body into STEP")
    header = APIHeaderSection_MakeHeader(writer.ChangeWriter().Model())
    header.SetName(TCollection_HAsciiString(path.name))
    header.SetOriginatingSystem(TCollection_HAsciiString("Isotomon"))
    header.SetAuthorValue(1, TCollection_HAsciiString(""))
    header.SetOrganizationValue(1, TCollection_HAsciiString(""))
    header.SetDescriptionValue(1, TCollection_HAsciiString("Isotomon"))
    _write(path, lambda part: writer.Write(part) == IFSelect_ReturnStatus.IFSelect_RetDone)


def write_iges(bodies: Sequence[Leaving], name: str, path: Path) -> None:
    """An IGES file (millimetres) in which bodies are boundary representations, with names, colours and levels.

    Raises: SolidError.
    """
    _put_iges(_document([_entry(leaving, "IGES") for leaving in bodies]), name, path)


def _put_iges(document: TDocStd_Document, name: str, path: Path) -> None:
    IGESControl_Controller.Init_s()  # before it, what is said here is not heard
    Interface_Static.SetIVal_s("write.iges.brep.mode", 1)
    Interface_Static.SetCVal_s("write.iges.unit", "MM")
    writer = IGESCAFControl_Writer()
    if not writer.Transfer(document):
        raise SolidError("the kernel cannot turn the body into IGES")
    model = writer.Model()
    header = model.GlobalSection()
    header.SetSendName(TCollection_HAsciiString(_plain(name)))
    header.SetFileName(TCollection_HAsciiString(_plain(path.name)))
    header.SetSystemId(TCollection_HAsciiString("Isotomon"))
    header.SetAuthorName(TCollection_HAsciiString(""))
    header.SetCompanyName(TCollection_HAsciiString(""))
    model.SetGlobalSection(header)
    _write(path, lambda part: bool(writer.Write(part)))


def _plain(text: str) -> str:
    """What of a text is ASCII, which is all that IGES, and the heads of STEP files, hold."""
    return text.encode("ascii", "replace").decode()


class _Entry(NamedTuple):
    """A shape of a document."""

    shape: Any
    name: str
    layer: str
    rgb: tuple[int, int, int]


INK = (34, 48, 58)
"""The colour of curves."""


def write_wires(wires: Sequence[tuple[str, str, Sequence[Edge]]], name: str, form: Form, path: Path) -> None:
    """Curves as a STEP or IGES file, millimetres: a wire for each layer, name and run of edges.

    Raises: SolidError.
    """
    put = {"step": _put_step, "iges": _put_iges}.get(form)
    if put is None:
        raise SolidError(f"curves cannot be written as {form}; write them as STEP, IGES or DXF")
    plain = _plain if form == "iges" else str
    entries = [_Entry(wire_of(kernel_edges(edges)), plain(called), layer, INK) for layer, called, edges in wires]
    put(_document(entries), name, path)


def _entry(leaving: Leaving, form: str) -> _Entry:
    """Raises: SolidError, for a body that is nothing but triangles."""
    if is_mesh(leaving.body.shape):
        raise SolidError(
            f"{leaving.name} is a mesh of very many triangles, which {form} does not hold; write it as STL"
        )
    name = leaving.name if form == "STEP" else _plain(leaving.name)
    return _Entry(leaving.body.shape, name, "skins" if is_skin(leaving.body) else "solids", leaving.rgb)


def _document(entries: Sequence[_Entry]) -> TDocStd_Document:
    """Shapes with their names, colours and layers."""
    document = TDocStd_Document(TCollection_ExtendedString("isotomon"))
    shapes, colours, layers = (
        tool(document.Main())
        for tool in (
            XCAFDoc_DocumentTool.ShapeTool_s,
            XCAFDoc_DocumentTool.ColorTool_s,
            XCAFDoc_DocumentTool.LayerTool_s,
        )
    )
    for entry in entries:
        label = shapes.AddShape(entry.shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(entry.name, True))
        shade = (part / 255.0 for part in entry.rgb)
        colour = Quantity_Color(*shade, Quantity_TypeOfColor.Quantity_TOC_sRGB)
        colours.SetColor(label, colour, XCAFDoc_ColorType.XCAFDoc_ColorGen)
        layers.SetLayer(label, TCollection_ExtendedString(entry.layer))
    return document


# Meshes


def write_stl(bodies: Sequence[Leaving], near: Near, path: Path) -> None:
    """A binary STL file, millimetres. Raises: SolidError."""
    data = stl_bytes(np.concatenate([points[index] for points, index in (welded(_mesh(b, near)) for b in bodies)]))
    _put(path, data)


def write_3mf(bodies: Sequence[Leaving], near: Near, path: Path) -> None:
    """A 3MF file, millimetres: an object for each body with its name and colour. Raises: SolidError."""
    import lib3mf  # loads a library of its own: only when it is needed

    wrapper = lib3mf.Wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    model.GetMetaDataGroup().AddMetaData("", "Application", "Isotomon", "xs:string", True)
    colours = model.AddBaseMaterialGroup()
    for leaving in bodies:
        points, triangles = welded(_mesh(leaving, near))
        mesh = model.AddMeshObject()
        mesh.SetName(leaving.name)
        corners = (lib3mf.Position * len(points)).from_buffer_copy(points.astype("<f4").tobytes())
        index = (lib3mf.Triangle * len(triangles)).from_buffer_copy(triangles.astype("<u4").tobytes())
        mesh.SetGeometry(corners, index)
        material = colours.AddMaterial(leaving.name, wrapper.RGBAToColor(*leaving.rgb, 255))
        mesh.SetObjectLevelProperty(colours.GetResourceID(), material)
        model.AddBuildItem(mesh, wrapper.GetIdentityTransform())
    _put(path, bytes(model.QueryWriter("3mf").WriteToBuffer()))


def write_obj(bodies: Sequence[Leaving], near: Near, path: Path) -> None:
    """A Wavefront OBJ file, millimetres, its colours in a file of materials beside it. Raises: SolidError."""
    from trimesh.exchange.obj import export_obj
    from trimesh.visual.material import SimpleMaterial

    beside = path.with_suffix(".mtl")
    scene = _scene(
        bodies, near, np.eye(4), lambda number, rgb: SimpleMaterial(name=f"colour-{number}", diffuse=(*rgb, 255))
    )
    text, more = export_obj(
        scene, include_normals=True, return_texture=True, mtl_name=beside.name, header="Isotomon, millimetres"
    )
    _put(beside, more[beside.name])
    _put(path, text.encode())


METRES_Y_UP = np.array([[1e-3, 0, 0, 0], [0, 0, 1e-3, 0], [0, -1e-3, 0, 0], [0, 0, 0, 1.0]])
"""From ours to what glTF asks for."""


def write_glb(bodies: Sequence[Leaving], near: Near, path: Path) -> None:
    """A binary glTF file: what it asks for, metres and Y up, is said by each body's transform. Raises: SolidError."""
    from trimesh.exchange.gltf import export_glb
    from trimesh.visual.material import PBRMaterial

    scene = _scene(
        bodies,
        near,
        METRES_Y_UP,
        lambda number, rgb: PBRMaterial(
            name=f"colour-{number}", baseColorFactor=(*rgb, 255), metallicFactor=0.0, roughnessFactor=0.6
        ),
    )
    _put(path, export_glb(scene, include_normals=True))


def _scene(
    bodies: Sequence[Leaving], near: Near, stands: Any, material: Callable[[int, tuple[int, int, int]], Any]
) -> Any:
    """Bodies with smooth normals, as their surfaces have them, for the library that writes meshes to be looked at."""
    import trimesh
    from trimesh.visual import TextureVisuals

    scene, names = trimesh.Scene(), list[str]()
    for number, leaving in enumerate(bodies, 1):
        mesh = _mesh(leaving, near)
        made = trimesh.Trimesh(
            mesh.points,
            mesh.triangles,
            vertex_normals=None if is_mesh(leaving.body.shape) else mesh.normals,
            process=False,
            visual=TextureVisuals(material=material(number, leaving.rgb)),
        )
        name = leaving.name if leaving.name not in names else f"{leaving.name} {number}"
        names.append(name)
        scene.add_geometry(made, node_name=name, geom_name=name, transform=stands)
    return scene


_SOLID_FILES = {"step": write_step, "iges": write_iges}
_MESH_FILES = {"stl": write_stl, "3mf": write_3mf, "obj": write_obj, "glb": write_glb}

FINER = 6
"""So often a mesh is made finer until its volume is right."""
BEGIN = 3e-4
"""Of a body's size: how far its mesh may lie from it at first, where its volume is to be right."""
FIRST_STEPS = (0.3, 0.5)
"""By how much a mesh is then nearer to its body, or turns less from triangle to triangle, as long as it is not known what that helps."""
STEPS = (0.2, 0.9)
"""The same, least and most, when it is known."""
HELPS = 0.5
"""A way whose error falls more slowly than with this power of its step does not tell how far to go."""


def _mesh(leaving: Leaving, near: Near) -> Mesh:
    """A body's mesh, as near to it as is asked for. Where its volume is to be right, both ways of making it finer are tried, and that
    is taken which gains more for the triangles that it costs: on a helical ribbon that is the angle, on a wide belly the distance."""
    shape = leaving.body.shape
    if not near.share or leaving.volume <= 0.0 or is_mesh(shape):
        return mesh_of(shape, near.deflection, near.angle)
    fine = BEGIN * extent_of(shape), near.angle
    mesh = mesh_of(shape, *fine)
    off = _off(mesh, leaving.volume)
    powers = [0.0, 0.0]
    for _ in range(FINER):
        if off <= near.share:
            break
        best, count, was, chosen = -math.inf, len(mesh.triangles), off, fine
        for way in (0, 1):
            step = FIRST_STEPS[way]
            if powers[way] > HELPS:
                step = min(max((0.9 * near.share / was) ** (1.0 / powers[way]), STEPS[0]), STEPS[1])
            finer = (step * fine[0], fine[1]) if way == 0 else (fine[0], step * fine[1])
            tried = mesh_of(shape, *finer)
            found = max(_off(tried, leaving.volume), 1e-9)
            less = math.log(was / found)
            gain, powers[way] = less / max(math.log(len(tried.triangles) / count), 0.1), -less / math.log(step)
            if gain > best:
                best, mesh, off, chosen = gain, tried, found, finer
        fine = chosen
    return mesh


def _off(mesh: Mesh, volume: float) -> float:
    """By which share of it the volume of a mesh is off."""
    a, b, c = mesh.points[mesh.triangles].transpose(1, 0, 2)
    return abs(float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6.0 / volume - 1.0)


def _put(path: Path, data: bytes) -> None:
    _write(path, lambda part: Path(part).write_bytes(data) == len(data))


def _write(path: Path, write: Callable[[str], bool]) -> None:
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        if not write(str(part)) or not part.exists():
            raise SolidError(f"{path} cannot be written: the place is missing, read-only or full; choose another")
        with part.open("rb+") as stream:
            os.fsync(stream.fileno())
        os.replace(part, path)
    except OSError as error:
        raise SolidError(f"{path} cannot be written: {error.strerror}; choose another place or make room") from None
    finally:
        part.unlink(missing_ok=True)
