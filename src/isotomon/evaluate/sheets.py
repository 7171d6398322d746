"""Bodies that are skins made from curves: worked out, and what they give others to stand on."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.errors import DesignError
from isotomon.evaluate.shape import digest
from isotomon.evaluate.sources import Sources
from isotomon.evaluate.stages import ask_of
from isotomon.field.mesh import SkinMesh
from isotomon.field.sheet import SIDES, Sheet
from isotomon.field.sheet_mesh import sheet_mesh
from isotomon.geometry.datums import SpaceCurve
from isotomon.operations.skins.base import Made
from isotomon.version import VERSION

FACE = "skin"
"""What the face of a skin made from curves is called; where it is creased, with the corners between which it lies."""


@dataclass(frozen=True, eq=False)
class SheetShape:
    """A skin made from curves, as arrays: the `made` one, and its `mesh`."""

    made: Made
    moving: bool

    @property
    def sheet(self) -> Sheet:
        """The skin."""
        return self.made.sheet

    @cached_property
    def mesh(self) -> SkinMesh:
        """To be looked at; more roughly while something moves."""
        return sheet_mesh(self.sheet, self.moving)

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
        return digest((VERSION, FACE, *bases, hashlib.sha256(sheet.control.tobytes()).digest(), sheet.corners))


def sheet_of(ground: Sources) -> Made:
    """The skin that the body is made as.

    Raises: IsotomonError.
    """
    making = ground.body.making
    if making is None:
        raise DesignError(f"{ground.body.name} is no skin made from curves")
    return making.made(ask_of(ground))


def side_of(made: Made, part: str, what: str) -> SpaceCurve:
    """A side of a skin by its name, `what` in words.

    Raises: DesignError.
    """
    kind, _, name = part.partition(":")
    side = next((s for s in SIDES if s == name), None)
    if kind != "side" or side is None:
        raise DesignError(f"{what} is no part of a skin made from curves; pick one of its sides")
    found = made.sheet.side(side)
    if np.ptp(found.at(np.linspace(0.0, 1.0, 17)), axis=0).max() == 0.0:
        raise DesignError(f"{what} is a point, where the skin comes together; pick another side")
    return found
