"""A body mirrored."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from isotomon.geometry.affine import ITSELF, affine
from isotomon.operations.base import Array, Ask, Operation, Says
from isotomon.quantity.record import Ref, usual


class Mirror(Operation, frozen=True, tag="mirror"):
    """Mirrored in a plane; `keep`: the body itself stays, too, `joined` with its image or apart."""

    TITLE = "Mirrored"
    COMMAND = "Mirror the body"
    HELP = "Its mirror image in the chosen plane, with it or instead of it"
    PLACE = 3

    plane: Annotated[Ref, Says("Plane", "P")] = usual("yz")
    keep: Annotated[bool, Says("Keep the body itself, too")] = True
    joined: bool = False

    @property
    def copies(self) -> int:
        """The image, and the body itself where it is kept."""
        return 2 if self.keep else 1

    @property
    def joins(self) -> bool:
        """As it says."""
        return self.joined

    def maps(self, ask: Ask) -> Array:
        """The body itself, where it is kept, and its image."""
        plane = ask.references.plane(self.plane)
        flip = np.eye(3) - 2.0 * np.outer(plane.normal, plane.normal)
        image = affine(flip, plane.origin - flip @ plane.origin)[None]
        return np.concatenate([ITSELF, image]) if self.keep else image
