"""Bodies as triangles where they stand, copies and all: from their fields, or, where these do not say it all, as finished."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.design.bodies import name_of, results, tools_of
from isotomon.errors import DesignError, IsotomonError
from isotomon.field.mesh import open_triangles, sampling, skin_mesh, triangles
from isotomon.geometry.datums import Plane
from isotomon.geometry.planar import cross
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import changes_sections
from isotomon.kernel.protocol import unpack
from isotomon.measure.faces import Faces

FINE, COARSE = (401, 1000), (121, 240)
"""Sections along a body, and places round each: where a section or a thickness is taken, and for all else."""


class WaitsForSolid(IsotomonError):
    """What is asked for is known once the solid is finished."""


def of_solid(quick: Quick, one: Quick) -> bool:
    """Whether a body is known by its finished solid alone: it was brought in, worked on, combined with others or with its own
    copies, or has holes."""
    shape = one.shape
    if changes_sections(one) or any(s.joins for s in one.body.done) or tools_of(quick.design, one.body.id):
        return True
    return shape is not None and bool(shape.form.samples.holes)


def _fanned(one: Quick) -> bool:
    """Whether the triangles of each flat end, from its middle to its rim, lie within it."""
    if one.shape is None:
        return True
    mesh, sections = one.shape.mesh, one.shape.sections
    for row in () if one.shape.open or mesh.ring else (0, -1):
        rim = mesh.points[row, mesh.sampling.outline] @ np.stack([sections.across[row], sections.up[row]], axis=1)
        spokes = rim - rim.mean(axis=0)
        if cross(spokes, np.roll(spokes, -1, axis=0)).min() < -1e-9 * float(np.ptp(rim, axis=0).max()) ** 2:
            return False
    return True


def faces_of(
    quick: Quick,
    body: str,
    fine: tuple[int, int],
    plane: Plane | None = None,
    whole_ends: bool = False,
) -> Faces:
    """A body with all its copies; only what a `plane` passes through, where there is one. `whole_ends`: each triangle of its ends
    is to lie within them, not only their sum to be right.

    Raises: DesignError, when it is not there; Waits, while its solid is not finished.
    """
    one = quick.of(body)
    if one is None or not one.there:
        raise DesignError("the body is not there; choose another")
    if not of_solid(quick, one) and (_fanned(one) or not whole_ends):
        return field_faces(one, one.placed, fine, plane)
    if body not in results(quick.design):
        raise DesignError(f"{name_of(quick.design, body)} is part of another body, or set aside; measure that one")
    if body not in quick.finished:
        raise WaitsForSolid("the solid is not finished yet")
    built = quick.finished[body]
    faces = Faces(unpack(built.vertices).astype(np.float64), unpack(built.triangles).astype(np.int64))
    return faces if plane is None else faces.cut_by(plane)


def _plain_faces(one: Quick, fine: tuple[int, int]) -> Faces:
    """A body as it is shaped."""
    shape = one.shape
    if shape is None:
        assert one.sheet is not None
        return Faces(*open_triangles(one.sheet.mesh))
    v = np.union1d(np.linspace(shape.field.first, shape.field.last, fine[0]), shape.field.edges)
    mesh = skin_mesh(shape.field.sections(v), sampling(shape.form.common, fine[1]), shape.field.ring)
    return Faces(*(open_triangles if shape.open else triangles)(mesh))


def field_faces(one: Quick, maps: Array, fine: tuple[int, int], plane: Plane | None = None) -> Faces:
    """A body from its field, where affine maps (k, 4, 4) take it; only what a `plane` passes through, where there is one."""
    plain = _plain_faces(one, fine)
    if plane is None:
        return plain.taken(maps)
    cuts = [plain.taken(m[None]).cut_by(plane) for m in maps]
    count = np.cumsum([0, *(len(c.vertices) for c in cuts)])
    return Faces(
        np.vstack([c.vertices for c in cuts]), np.vstack([c.index + n for c, n in zip(cuts, count[:-1], strict=True)])
    )
