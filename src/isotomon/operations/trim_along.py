"""A skin trimmed along a curve that lies on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.strand import strand_of
from isotomon.operations.base import Ask, Asked, Operation, Says
from isotomon.quantity.record import Ref, usual

KEPT = (
    ("left", "what lies left of the curve, seen from before the skin"),
    ("right", "what lies right of the curve, seen from before the skin"),
    ("both", "both, in pieces"),
)


class TrimAlong(Operation, frozen=True, tag="trim-along"):
    """A skin cut along a curve that lies on it and runs from edge to edge, or round: what lies `left` of it is kept, `right` of it, or both, as
    pieces."""

    TITLE = "Trimmed along a curve"
    COMMAND = "Trim along a curve"
    HELP = (
        "The skin cut along a curve that lies on it, from edge to edge or round; a part of it is kept, or all in pieces"
    )
    FAMILY = "Skins"
    PLACE = 59
    STAGE = "Finish"

    along: Annotated[Ref, Says("Along", "c")] = usual("")
    keep: Annotated[Literal["left", "right", "both"], Says("Keep", words=KEPT)] = "left"

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """The curve in its smooth runs. Raises: DesignError."""
        if not self.along:
            raise DesignError("there is no curve that the skin is to be trimmed along; choose one")
        try:
            strand = strand_of(ask.references.curve(self.along), ask.tolerance)
        except ValueError as error:
            raise DesignError(f"{ask.references.called(self.along)}: {error}") from None
        basis, control = strand.clamped()
        arrays = dict[str, np.ndarray]()
        for k, run in enumerate(basis.runs):
            breaks, times, own = basis.part(run)
            width = breaks[-1] - breaks[0]
            arrays |= {f"breaks {k}": (breaks - breaks[0]) / width, f"times {k}": times, f"control {k}": control[own]}
        values: dict[str, bool | float | str] = {
            "keep": self.keep,
            "runs": float(len(basis.runs)),
            "closed": strand.closed,
            "called": self.id,
        }
        return Asked(
            "trim_along", f"trimmed along {ask.references.called(self.along)}:", (), values, arrays, skins=True
        )
