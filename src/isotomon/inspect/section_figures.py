"""Figures of a finished body's sections that take longer: how stiff they are, and how thick its walls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.errors import DesignError
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import FinishedSections, mesh_of_finished
from isotomon.kernel.protocol import Built, unpack
from isotomon.measure.curved_mesh import CurvedMesh
from isotomon.measure.rays import Walls, walls
from isotomon.measure.stiffness import stiffness
from isotomon.pace import checkpoint

STIFF_PLACES = 41
"""Sections along a body whose stiffness is worked out for a curve."""


@dataclass(frozen=True, eq=False)
class Stiff:
    """Of sections at `position` (n,) mm: `torsion` constant mm⁴, `shear_centre` (n, 2) mm in their planes; NaN where a section is not
    in one part, or the constant too small to be told."""

    position: Array
    torsion: Array
    shear_centre: Array


def stiff(sections: FinishedSections, rows: Index | None = None) -> Stiff:
    """Of some of the sections, or of `STIFF_PLACES` evenly chosen ones."""
    chosen = np.linspace(0, len(sections.position) - 1, STIFF_PLACES).round().astype(int) if rows is None else rows
    torsion, centre = np.full(len(chosen), np.nan), np.full((len(chosen), 2), np.nan)
    for k, row in enumerate(chosen.tolist()):
        checkpoint(k / len(chosen))
        try:
            found = stiffness(sections.outlines(row))
        except (ValueError, np.linalg.LinAlgError):
            continue
        torsion[k], centre[k] = found.torsion, found.shear_centre
    return Stiff(sections.position[chosen], torsion, centre)


ENDS = ("first cap", "last cap")
"""Faces with which no wall begins, and at which only a floor ends."""


def walls_of(built: Built, mesh: CurvedMesh) -> Walls:
    """How thick a finished body is below its faces, but for its flat ends."""
    owner = unpack(built.owner)[mesh.kept]
    ends = np.array([name.startswith(ENDS) for name in built.names])
    floors = np.array([name.startswith(tuple(f"inside of {end}" for end in ENDS)) for name in built.names])
    return walls(mesh, ends[owner], floors[owner])


def wall_colouring(quick: Quick) -> Colouring:
    """How thick the finished bodies are, at their vertices.

    Raises: DesignError, while they are not finished, for one that is not closed, or where none has a wall.
    """
    if not quick.finished:
        raise DesignError("the finished bodies are not there yet, whose walls are to be coloured")
    values = list[Array]()
    least, greatest = (list[tuple[float, tuple[float, float, float]]]() for _ in range(2))
    for built in quick.finished.values():
        mesh = mesh_of_finished(built)
        found = walls_of(built, mesh)
        there = np.isfinite(found.thick)
        corners = unpack(built.triangles)[mesh.kept[found.triangle[there]]].ravel()
        count = np.bincount(corners, minlength=built.vertices.shape[0])
        total = np.bincount(corners, weights=np.repeat(found.thick[there], 3), minlength=len(count))
        with np.errstate(invalid="ignore"):
            values.append(np.where(count > 0, total / count, np.nan))
        for ends, sign in ((least, 1.0), (greatest, -1.0)):
            thick, place = found.extreme(sign)
            if not np.isnan(thick):
                ends.append((thick, (float(place[0]), float(place[1]), float(place[2]))))
    if not least:
        raise DesignError("there is no wall: nothing lies across from the bodies' faces")
    return Colouring(np.concatenate(values), "mm", False, min(least), max(greatest), of_solid=True)


def wall_along(sections: FinishedSections, found: Walls) -> tuple[Array, Array, Array]:
    """(position, least, greatest thickness) along a body, mm; NaN where no wall is: each wall counts at the section it is nearest to."""
    lines, planes = sections.cuts.lines, sections.planes
    starts = (
        planes.origin[lines.plane]
        + lines.start[:, :1] * planes.across[lines.plane]
        + lines.start[:, 1:] * planes.up[lines.plane]
    )
    there = np.isfinite(found.thick)
    row = lines.plane[cKDTree(starts).query(found.place[there])[1]]
    least, greatest = (np.full(len(sections.position), sign * np.inf) for sign in (1.0, -1.0))
    np.minimum.at(least, row, found.thick[there])
    np.maximum.at(greatest, row, found.thick[there])
    bare = np.isinf(least)
    least[bare] = greatest[bare] = np.nan
    return sections.position[~bare], least[~bare], greatest[~bare]
