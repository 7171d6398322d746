"""A body resized."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.geometry.affine import affine
from isotomon.operations.base import Array, Ask, Operation, Ratio, Says
from isotomon.quantity.record import Ref

LEAST = 1e-6
"""The least size in any direction: what is smaller is flat to any tolerance."""


class Resize(Operation, frozen=True, tag="resize"):
    """Resized about a point, each direction by its own ratio."""

    TITLE = "Resized"
    COMMAND = "Resize the body"
    HELP = "Each direction by its own ratio, about a point"
    PLACE = 2
    BEGIN = {"x": 2.0, "y": 2.0, "z": 2.0}

    x: Ratio = 1.0
    y: Ratio = 1.0
    z: Ratio = 1.0
    about: Annotated[Ref, Says("About", "p")] = "origin"

    def maps(self, ask: Ask) -> Array:
        """One map. Raises: DesignError, for sizes of nought or less."""
        sizes = np.array([ask.number(self, name) for name in "xyz"])
        if sizes.min() <= LEAST:
            raise DesignError("sizes must be greater than nought; use a mirror to turn the body over")
        origin = ask.references.point(self.about)
        return affine(np.diag(sizes), origin - sizes * origin)[None]
