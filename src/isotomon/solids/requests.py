"""What the worker is asked for, as its messages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.design.imports import bytes_of
from isotomon.design.records import Imported
from isotomon.evaluate.sheets import FACE, SheetShape
from isotomon.field.exact import motion
from isotomon.field.lining import lining
from isotomon.field.parallel import WorkedSkin
from isotomon.field.patches import patches
from isotomon.field.thick import Thick
from isotomon.inspect.results import Quick, Shape
from isotomon.kernel.protocol import Apply, LoftPatches, MoveProfile, Read, pack, pack_edge, pack_patch
from isotomon.operations.base import Asked

STEP_SECONDS = 120.0
READ_SECONDS, READ_SECONDS_A_MB = 25.0, 10.0


def shape_request(
    shape: Shape,
    tolerance: float,
    request_id: int,
    limit: float = STEP_SECONDS,
    stretch: Array | None = None,
    key: str = "",
) -> LoftPatches | MoveProfile:
    """The request that builds a shape's solid: by the kernel's exact forms where it has them, else by patches, which are
    taken where the affine map `stretch` (4, 4) takes them and kept under `key`.

    Raises: FieldError, when the skin cannot be fitted.
    """
    exact = motion(shape.field)
    if exact is not None and stretch is None:
        return MoveProfile(
            id=request_id,
            key=shape.key,
            edges=[pack_edge(e) for e in exact.edges],
            way=_vector(exact.way),
            origin=None if exact.origin is None else _vector(exact.origin),
            angle=exact.angle,
            deflection=deflection(shape),
            limit=limit,
            skin=shape.open,
        )
    wrap = shape.field.wrap
    ends = shape.field.sections(shape.field.nodes[[0, -1]])
    made, origin, normal = patches(shape.field, tolerance), ends.origin, ends.normal
    if stretch is not None:
        linear, shift = stretch[:3, :3], stretch[:3, 3]
        made = [replace(p, control=p.control @ linear.T + shift) for p in made]
        origin, normal = origin @ linear.T + shift, normal @ np.linalg.inv(linear)
    return LoftPatches(
        id=request_id,
        key=key or shape.key,
        patches=[pack_patch(p) for p in made],
        ends=[]
        if shape.field.ring or shape.open
        else [(_vector(origin[i]), _vector(normal[i])) for i in (0, 1)]
        if wrap is None
        else [((0.0, 0.0, wrap.height), (*wrap.way, 0.0))] * 2,
        radii=None if wrap is None else (shape.field.first - wrap.height, shape.field.last - wrap.height),
        tolerance=max(tolerance, 1e-7),
        deflection=deflection(shape),
        limit=limit,
        skin=shape.open,
    )


SKIN_FINE = 2000.0
"""So often the distance of a skin's mesh from it goes into its extent."""
FINER = 0.1
"""Of the design's tolerance: so near the hollow's skin is to the parallel that it is."""


def lining_request(skin: WorkedSkin, key: str, fine: float, limit: float, inside: str, request_id: int) -> LoftPatches:
    """The request that builds what a worked skin bounds, kept under `key`; `inside`: before the names of its faces.

    Raises: FieldError, when there is no such skin.
    """
    base = skin.base
    return LoftPatches(
        id=request_id,
        key=key,
        patches=[pack_patch(p) for p in lining(skin, FINER * base.tolerance, inside)],
        ends=[
            None if away else (_vector(origin), _vector(normal))
            for origin, normal, away in zip(*base.ends, skin.away, strict=True)
        ],
        radii=None,
        tolerance=max(base.tolerance, 1e-7),
        deflection=fine,
        limit=limit,
    )


def sheet_request(shape: SheetShape, tolerance: float, fine: float, limit: float, request_id: int) -> LoftPatches:
    """The request that builds a skin made from curves, `fine` (mm) for its mesh."""
    return LoftPatches(
        id=request_id,
        key=shape.key,
        patches=[pack_patch(p) for p in shape.sheet.patches(FACE, shape.made.trim)],
        ends=[],
        radii=None,
        tolerance=max(tolerance, 1e-7),
        deflection=min(fine, shape.size / SKIN_FINE),
        limit=limit,
        skin=True,
    )


def walls_request(walls: Thick, key: str, fine: float, limit: float, request_id: int) -> LoftPatches:
    """The request that builds a sheet with a thickness, kept under `key`.

    Raises: FieldError, where it folds.
    """
    return LoftPatches(
        id=request_id,
        key=key,
        patches=[pack_patch(p) for p in walls.patches(FACE)],
        ends=[],
        radii=None,
        tolerance=max(10.0 * walls.tolerance, 1e-7),
        deflection=fine,
        limit=limit,
    )


def _vector(a: np.ndarray) -> tuple[float, float, float]:
    return float(a[0]), float(a[1]), float(a[2])


def deflection(shape: Shape) -> float:
    """How far the solid's mesh may lie from it (mm): a two-thousandth of the largest chord, but for a long thin body no
    less than a five-thousandth of its extent."""
    extent = float(np.linalg.norm(np.ptp(shape.mesh.points.reshape(-1, 3), axis=0)))
    return max(float(shape.curves.chord.max()) / 2000.0, extent / 5000.0)


def fine_of(quick: Quick) -> float:
    """How far meshes of a design's bodies may lie from them, mm: as its finest one; a twentieth where none has a field."""
    return min((deflection(q.shape) for q in (quick, *quick.others) if q.shape is not None), default=0.05)


def read_seconds(imported: Imported) -> float:
    """How long reading a file may take: a damaged one may keep the kernel busy without end."""
    return READ_SECONDS + READ_SECONDS_A_MB * len(imported.data) / 2**20


def read_request(key: str, imported: Imported, tolerance: float, fine: float, limit: float, request_id: int) -> Read:
    """Read what was brought in; what is embedded, `fine` (mm) for its mesh, `limit` in seconds."""
    return Read(request_id, key, bytes_of(imported), imported.form, max(tolerance, 1e-7), fine, limit)


def apply_request(
    key: str,
    asked: Asked,
    inputs: Sequence[str],
    tolerance: float,
    fine: float,
    limit: float,
    skin: bool,
    request_id: int,
) -> Apply:
    """The request that has something done with bodies kept under `inputs`, the one worked on first."""
    arrays = {name: pack(array) for name, array in asked.arrays.items()}
    return Apply(
        id=request_id,
        key=key,
        operation=asked.work,
        inputs=list(inputs),
        arrays=arrays,
        values=dict(asked.values),
        tolerance=max(tolerance, 1e-7),
        deflection=fine,
        limit=limit,
        skin=skin,
    )
