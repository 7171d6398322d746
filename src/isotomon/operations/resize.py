"""A body resized."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.geometry.affine import affine
from isotomon.operations.base import Array, Ask, Operation, Ratio, Says
from isotomon.operations.grips import Grip, scaling
from isotomon.quantity.record import Ref, usual

LEAST = 1e-6
"""The least size in any direction: what is smaller is flat to any tolerance."""
NO_REACH = 1e-9
"""mm: a body that reaches no further from what it is resized about has no handle there."""


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
    about: Annotated[Ref, Says("About", "p")] = usual("origin")

    def maps(self, ask: Ask) -> Array:
        """One map. Raises: DesignError, for sizes of nought or less."""
        sizes = np.array([ask.number(self, name) for name in "xyz"])
        if sizes.min() <= LEAST:
            raise DesignError("sizes must be greater than nought; use a mirror to turn the body over")
        origin = ask.references.point(self.about)
        return affine(np.diag(sizes), origin - sizes * origin)[None]

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One for each direction at the body's far side, and one for all three beyond its corner."""
        own, origin = self.maps(ask)[0], ask.references.point(self.about)
        body = body @ own[:3, :3].T + own[:3, 3]
        low, high = body.min(axis=0), body.max(axis=0)
        far = np.where(high - origin >= origin - low, high, low)
        found, values = {}, {axis: getattr(self, axis) for axis in "xyz"}
        for k, (axis, value) in enumerate(values.items()):
            reach = float(far[k] - origin[k])
            if isinstance(value, float) and abs(reach) > NO_REACH:
                place = (low + high) / 2.0
                place[k] = far[k]
                words = f"resize the body along {axis.upper()}"
                found[f"size-{axis}"] = scaling(
                    place, reach * np.eye(3)[k], {axis: value}, "resize the body", words, letter=axis.upper()
                )
        if all(isinstance(v, float) for v in values.values()) and np.abs(far - origin).max() > NO_REACH:
            words = "resize the body evenly"
            found["size-all"] = scaling(far, far - origin, values, "resize the body", words)
        return found
