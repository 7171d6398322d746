"""Bodies that are skins made from curves: worked out, and what they give others to stand on."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.errors import DesignError
from isotomon.evaluate.shape import digest
from isotomon.evaluate.sources import Sources
from isotomon.evaluate.stages import ask_of, on_sheet
from isotomon.field.mesh import SkinMesh
from isotomon.field.sheet import SIDES, SkinSheet
from isotomon.field.sheet_mesh import looked_at, sheet_mesh, step_of, trimmed_mesh
from isotomon.field.trimmed import border, trimmed_area
from isotomon.geometry.curvature import Curvature, curvature_from
from isotomon.geometry.datums import SpaceCurve
from isotomon.operations.skins.base import MadeSheet
from isotomon.version import VERSION

FACE = "skin"
"""What the face of a skin made from curves is called; where it is creased, with the corners between which it lies."""


@dataclass(frozen=True, eq=False)
class SheetShape:
    """A skin made from curves, as arrays: the `made` one, and its `mesh`."""

    made: MadeSheet
    moving: bool

    @property
    def sheet(self) -> SkinSheet:
        """The skin."""
        return self.made.sheet

    @property
    def whole(self) -> SkinSheet | None:
        """The skin, if nothing of it is trimmed away."""
        return self.sheet if self.made.trim is None else None

    @cached_property
    def mesh(self) -> SkinMesh:
        """To be looked at; more roughly while something moves."""
        if self.made.trim is not None:
            return trimmed_mesh(self.sheet, self.made.trim, self.moving)
        return sheet_mesh(self.sheet, self.moving)

    @cached_property
    def tie_lines(self) -> Array:
        """(ties, places, 3): from curve to curve where they were tied by hand."""
        return self.sheet.grid(np.array(self.made.ties), np.linspace(0.0, 1.0, 17))

    @cached_property
    def borders(self) -> dict[str, Index]:
        """Of a trimmed skin, the name of each curve at its border → which of the mesh's points lie along it, in order."""
        trim, found = self.made.trim, dict[str, Index]()
        if trim is None:
            return found
        runs = (self.mesh.sampling.outline, *self.mesh.sampling.holes)
        for run, loop, counts in zip(runs, trim.loops, trim.counts(step_of(self.moving)), strict=True):
            round_, ends = np.append(run, run[0]), np.cumsum([0, *counts])
            found |= {edge.name: round_[a : b + 1] for edge, a, b in zip(loop, ends[:-1], ends[1:], strict=True)}
        return found

    @cached_property
    def curvature(self) -> Curvature:
        """(n_v, samples) each, at the places of the mesh."""
        orders = ((1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
        sheet, trim = self.sheet, self.made.trim
        if trim is not None:
            u, v = trim.triangles(step_of(self.moving))[0].T
            return curvature_from(*(sheet.at(u, v, *order)[None] for order in orders))
        u, v = looked_at(sheet.u, self.moving), looked_at(sheet.v, self.moving)
        return curvature_from(*(sheet.grid(u, v, *order).transpose(1, 0, 2) for order in orders))

    @cached_property
    def area(self) -> float:
        """mm²; of a trimmed skin by triangles, to about 1e-4."""
        trim = self.made.trim
        return self.sheet.area if trim is None else trimmed_area(self.sheet, trim)

    @cached_property
    def size(self) -> float:
        """mm: its largest extent."""
        return float(np.ptp(self.sheet.control.reshape(-1, 3), axis=0).max())

    @cached_property
    def faces(self) -> tuple[str, ...]:
        """The names of the smooth faces, in the order of the mesh's lanes."""
        return tuple(dict.fromkeys(self.sheet.face_name(FACE, run) for run in self.sheet.u.runs))

    @cached_property
    def key(self) -> str:
        """What bears on the shape, and nothing else."""
        sheet = self.sheet
        bases = [(b.degree, b.breaks.tobytes(), b.multiplicity.tobytes(), b.periodic) for b in (sheet.u, sheet.v)]
        edges = self.made.trim.edges if self.made.trim is not None else []
        trimmed = [(e.name, e.basis.breaks.tobytes(), hashlib.sha256(e.control.tobytes()).digest()) for e in edges]
        return digest(
            (VERSION, FACE, *bases, hashlib.sha256(sheet.control.tobytes()).digest(), sheet.corners, *trimmed)
        )


def sheet_of(ground: Sources) -> MadeSheet:
    """The skin that the body is made as.

    Raises: IsotomonError.
    """
    making = ground.body.making
    if making is None:
        raise DesignError(f"{ground.body.name} is no skin made from curves")
    return making.made(ask_of(ground))


def grown(ground: Sources, made: MadeSheet) -> tuple[MadeSheet, int]:
    """What the first of the body's steps make of a skin, and how many of them these are; none of one that is trimmed.

    Raises: IsotomonError, naming the step.
    """
    if made.trim is not None:
        return made, 0
    sheet, done = on_sheet(ground, ground.body.done, made.sheet)
    return replace(made, sheet=sheet), done


def side_of(made: MadeSheet, part: str, what: str) -> SpaceCurve:
    """A side of a skin by its name, `what` in words.

    Raises: DesignError.
    """
    kind, _, name = part.partition(":")
    if made.trim is not None:
        edge = next((e for e in made.trim.edges if e.name == name), None)
        if kind != "side" or edge is None:
            raise DesignError(f"{what} is no edge of the filling any more; pick one of them")
        return border(made.sheet, made.trim, edge)
    side = next((s for s in SIDES if s == name), None)
    if kind != "side" or side is None:
        raise DesignError(f"{what} is no part of a skin made from curves; pick one of its sides")
    found = made.sheet.side(side)
    if np.ptp(found.at(np.linspace(0.0, 1.0, 17)), axis=0).max() == 0.0:
        raise DesignError(f"{what} is a point, where the skin comes together; pick another side")
    return found
