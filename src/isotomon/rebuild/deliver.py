"""Solids from quick results: requests to the worker, and the files it writes."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import numpy as np

from isotomon.errors import FileError, SolidError
from isotomon.field.patches import patches
from isotomon.rebuild.quick import Quick, Shape
from isotomon.rebuild.supervisor import Supervisor
from isotomon.solid.protocol import Built, Export, Loft, pack_patch

STEP_SECONDS = 120.0
Form = Literal["step", "stl"]


def loft_request(shape: Shape, tolerance: float, request_id: int, limit: float = STEP_SECONDS) -> Loft:
    """The request that builds a shape's solid.

    Raises: FieldError, when the skin cannot be fitted.
    """
    wrap = shape.field.wrap
    ends = shape.field.sections(shape.field.nodes[[0, -1]])
    return Loft(
        id=request_id,
        key=shape.key,
        patches=[pack_patch(p) for p in patches(shape.field, tolerance)],
        ends=[]
        if shape.field.ring
        else [(_vector(ends.origin[i]), _vector(ends.normal[i])) for i in (0, 1)]
        if wrap is None
        else [((0.0, 0.0, wrap.height), (*wrap.way, 0.0))] * 2,
        radii=None if wrap is None else (shape.field.first - wrap.height, shape.field.last - wrap.height),
        tolerance=max(tolerance, 1e-7),
        deflection=deflection(shape),
        limit=limit,
    )


def _vector(a: np.ndarray) -> tuple[float, float, float]:
    return float(a[0]), float(a[1]), float(a[2])


def deflection(shape: Shape) -> float:
    """How far the solid's mesh may lie from it: a two-thousandth of the largest chord (mm)."""
    return float(shape.curves.chord.max()) / 2000.0


def blocked(quick: Quick) -> str | None:
    """Why no solid can be made of these results, or None."""
    if quick.shape is None:
        return quick.findings[0].text if quick.findings else "there is no body yet"
    loft = quick.design.loft
    about = {loft.id, *(rail.id for rail in loft.rails)}
    for finding in quick.findings:
        if finding.severity == "error" and finding.about in about:
            return f"{finding.where}: {finding.text}"
    return None


def build(quick: Quick, supervisor: Supervisor, limit: float = STEP_SECONDS) -> Built:
    """The solid of quick results; waits for it.

    Raises: SolidError, FieldError.
    """
    reason = blocked(quick)
    if reason is not None or quick.shape is None:
        raise SolidError(f"no solid can be made: {reason}")
    shape = quick.shape
    outcome = supervisor.submit(lambda i: loft_request(shape, quick.design.tolerance, i, limit)).wait(limit + 60.0)
    if not isinstance(outcome, Built):
        raise SolidError(getattr(outcome, "text", "the solid was not built"))
    return outcome


def export_form(path: Path) -> Form:
    """The format a file name asks for.

    Raises: FileError.
    """
    ending = path.suffix.lower()
    if ending in (".step", ".stp"):
        return "step"
    if ending == ".stl":
        return "stl"
    raise FileError(f"'{path.name}' has no ending that says its format; name it .step or .stl")


def export_request(quick: Quick, path: Path, request_id: int, limit: float = STEP_SECONDS) -> Export:
    """The request that writes the solid built of these results."""
    assert quick.shape is not None
    name, slack = quick.design.loft.name, 2.0 * quick.design.tolerance
    return Export(
        request_id,
        quick.shape.key,
        name,
        export_form(path),
        str(path.absolute()),
        deflection(quick.shape),
        slack,
        limit,
    )


def export(quick: Quick, supervisor: Supervisor, path: Path) -> None:
    """Build the solid and write it; waits for both.

    Raises: SolidError, FieldError, FileError.
    """
    export_form(path)
    if not path.absolute().parent.is_dir():
        raise FileError(f"{path} cannot be written: the folder does not exist; choose another place")
    build(quick, supervisor)
    outcome = supervisor.submit(lambda i: export_request(quick, path, i)).wait(STEP_SECONDS + 60.0)
    if getattr(outcome, "path", None) is None:
        raise SolidError(getattr(outcome, "text", f"{path} was not written"))
