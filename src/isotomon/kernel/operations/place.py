"""A body put where affine maps take it, once or several times."""

from __future__ import annotations

from isotomon.kernel import combining
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """All copies, one for each of the `maps` (k, 4, 4), side by side or `joined`. Raises: SolidError."""
    (base,), maps = given.bodies, given.arrays["maps"]
    joined = bool(given.values["joined"])
    made = combining.placed(base, maps, joined, given.tolerance)
    if len(maps) == 1 or joined or given.values["skin"]:
        return MadeBody(made)
    return MadeBody(made, combining.united(base, given.lump(0), maps, given.tolerance))
