"""Edges rounded by a rolling ball."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.operations.edges import Edges, Without, edge_choices
from isotomon.quantity import Quantity, Value, names_in, resolve

PLACES = 17
"""Places along a run of edges at which a radius that changes is worked out."""


class Round(Operation, frozen=True, tag="round"):
    """Edges rounded by a ball of a radius (mm) that rolls along both faces. In a formula `fraction` runs from 0 to 1 along each run
    of edges. Edges that run on smoothly come along."""

    TITLE = "Edges rounded"
    COMMAND = "Round edges"
    HELP = "Edges rounded by a radius, which may change along them; edges that run on smoothly come along"
    FAMILY = ""
    STAGE = "Finish"
    PLACE = 10
    ICON = "round-edge"
    SHORTCUT = "Ctrl+Shift+F"
    SIZE = "radius"

    edges: Edges = ()
    radius: Annotated[
        Value, Says("Radius", "length", tip="May be a formula in `fraction`, which runs along the edges")
    ] = 2.0
    without: Without = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """All of it is the kernel's. Raises: DesignError, for a radius that is not more than nought."""
        radii = self._radii(ask)
        if not radii.min() > 0.0:
            raise DesignError(f"edges rounded: the radius comes to {radii.min():.4g} mm; it must be more than nought")
        return Asked(
            "round",
            "edges rounded of",
            (),
            {"edges": edge_choices(self.edges, ask.body, self.without)},
            {"radii": radii},
        )

    def _radii(self, ask: Ask) -> np.ndarray:
        if not (isinstance(self.radius, str) and "fraction" in names_in(self.radius)):
            return np.array([ask.number(self, "radius")])
        places = np.linspace(0.0, 1.0, PLACES).tolist()
        return np.array([resolve(self.radius, "length", {**ask.names, "fraction": Quantity(f)}) for f in places])
