"""Bodies from files by the kernel: STEP, IGES and STL, mended where they need it. Runs only in the worker process."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepLib import BRepLib
from OCP.IFSelect import IFSelect_ReturnStatus
from OCP.IGESControl import IGESControl_Reader
from OCP.ShapeFix import ShapeFix_Shape
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Shape

from isotomon.errors import SolidError
from isotomon.kernel.facets import MOST_SEWN, faceted, read_stl
from isotomon.kernel.making import NamedShape
from isotomon.kernel.meshing import Mesh, parts

_FACE, _SOLID, _SHELL = (
    TopAbs_ShapeEnum.TopAbs_FACE,
    TopAbs_ShapeEnum.TopAbs_SOLID,
    TopAbs_ShapeEnum.TopAbs_SHELL,
)
MOST_FACES = MOST_SEWN


def read_body(data: bytes, form: str, tolerance: float) -> tuple[NamedShape, tuple[str, ...], Mesh | None]:
    """The body a file of a form (`step`, `iges`, `stl`) holds, what was mended, in words, and its mesh where the file is one.

    Raises: SolidError, when it holds none that can be used.
    """
    told: list[str] = []
    if form == "stl":
        shape, mesh = faceted(read_stl(data), max(tolerance, 1e-6), told)
        return NamedShape(shape, tuple(f"face {k + 1}" for k in range(int(mesh.owner[-1]) + 1))), tuple(told), mesh
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"body.{form}"
        path.write_bytes(data)
        shape = _read(str(path), form)
    faces = len(parts(shape, _FACE))
    if not faces:
        raise SolidError("the file holds no face; choose another")
    if faces > MOST_FACES:
        raise SolidError(f"the file holds {faces} faces; at most {MOST_FACES} can be used")
    if not parts(shape, _SOLID):
        shape = _closed(shape, tolerance, told)
    if not BRepCheck_Analyzer(shape).IsValid():
        fix = ShapeFix_Shape(shape)
        fix.SetPrecision(tolerance)
        fix.Perform()
        shape = fix.Shape()
        mended = BRepCheck_Analyzer(shape).IsValid()
        told.append("faces and edges were mended" if mended else "it is not valid, and could not be mended")
    for solid in parts(shape, _SOLID):
        BRepLib.OrientClosedSolid_s(TopoDS.Solid(solid))
    names = tuple(f"face {k + 1}" for k in range(len(parts(shape, _FACE))))
    return NamedShape(shape, names), tuple(told), None


def _read(path: str, form: str) -> TopoDS_Shape:
    reader: Any = STEPControl_Reader() if form == "step" else IGESControl_Reader()
    if reader.ReadFile(path) != IFSelect_ReturnStatus.IFSelect_RetDone or not reader.TransferRoots():
        raise SolidError(f"this is no {form.upper()} file that can be read, or it holds no body")
    return reader.OneShape()


def _closed(shape: TopoDS_Shape, tolerance: float, told: list[str]) -> TopoDS_Shape:
    """A solid sewn of loose faces where they close, else the sewn skin."""
    sewing = BRepBuilderAPI_Sewing(max(tolerance, 1e-6))
    sewing.Add(shape)
    sewing.Perform()
    sewn, gaps = sewing.SewedShape(), sewing.NbFreeEdges()
    shells = parts(sewn, _SHELL)
    if gaps or not shells:
        told.append(f"its faces do not close ({gaps} open edges), so that it is a skin")
        return sewn
    made = [BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell)).Solid() for shell in shells]
    told.append("its faces were sewn into a solid")
    if len(made) > 1:
        raise SolidError(f"the file holds {len(made)} separate skins; bring them in one by one")
    return made[0]
