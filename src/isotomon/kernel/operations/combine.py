"""A body combined with another one."""

from __future__ import annotations

from isotomon.kernel import combining
from isotomon.kernel.operations.base import Given, MadeBody


def apply(given: Given) -> MadeBody:
    """The second body added, cut out or kept in common, as `how` says; its faces' names have `mark` before them.

    Raises: SolidError.
    """
    base, tool = given.bodies
    how, mark = str(given.values["how"]), str(given.values["mark"])
    return MadeBody(combining.combine(base, tool, how, mark, given.tolerance, (given.lump(0), given.lump(1))))
