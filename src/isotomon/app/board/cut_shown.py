"""What the Board shows of a finished body: its sections, and one more figure of them below."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import Stiff
from isotomon.inspect.sections import FinishedSections
from isotomon.quantity import display, to_unit

ANGLES = "angles"
BELOW = {
    ANGLES: "Set angle and turn",
    "perimeter": "Perimeter",
    "second": "Second moments",
    "torsion": "Torsion constant",
    "wall": "Wall thickness",
}
"""What the lower plot shows."""


@dataclass(frozen=True, eq=False)
class CutShown:
    """Sections of a finished body. `of`: the results whose solid it is. `stale`: something newer is under way. `below`: which of
    `BELOW`; `stiff`, `wall` where these are that: the torsion constant at some places, (position, least, greatest) of the wall."""

    sections: FinishedSections
    of: Quick
    below: str = ANGLES
    outlines: tuple[tuple[str, list[Array]], ...] = ()
    """(station, runs (n, 2), mm in its plane) at stations, where it is cut along its own way."""
    stiff: Stiff | None = None
    wall: tuple[Array, Array, Array] | None = None
    stale: bool = False
    waits: bool = False
    """The figure below is being worked out."""
    refined: bool = False
    """The sections are of a mesh that is nearer to the body than the one that is shown."""

    @cached_property
    def area(self) -> Array:
        """(n,) mm², nought where there is nothing."""
        return np.nan_to_num(self.sections.cuts.area)

    def lower(self, unit: str) -> list[tuple[str, Array, Array]]:
        """(what with its unit, positions, values in that) of the lower plot's curves; none for angles, of which sections
        cut another way than the body's own have none: there the perimeter stands for them."""
        one, cuts, at = to_unit(1.0, unit), self.sections.cuts, self.sections.position
        if self.below == "perimeter" or (self.below == ANGLES and self.sections.way):
            return [(f"Perimeter {unit}", at, cuts.perimeter * one)]
        if self.below == "second":
            return [
                (f"Greatest second moment {unit}⁴", at, cuts.i_max * one**4),
                (f"Least {unit}⁴", at, cuts.i_min * one**4),
            ]
        if self.below == "torsion" and self.stiff is not None:
            return [(f"Torsion constant {unit}⁴", self.stiff.position, self.stiff.torsion * one**4)]
        if self.below == "wall" and self.wall is not None:
            place, least, greatest = self.wall
            return [(f"Greatest wall {unit}", place, greatest * one), (f"Least wall {unit}", place, least * one)]
        return []

    def figures(self, position: float, unit: str) -> list[str]:
        """What is said of a place along."""
        one, at = to_unit(1.0, unit), self.sections.position
        row = int(np.argmin(np.abs(at - position)))
        cuts = self.sections.cuts
        lines = [f"finished area {display(float(self.area[row]) * one**2, 2)} {unit}²"]
        parts, holes = int(cuts.parts[row]), int(cuts.holes[row])
        if parts != 1 or holes:
            said = f"{parts} part{'' if parts == 1 else 's'}"
            lines.append(f"{said}, {holes} hole{'' if holes == 1 else 's'}" if holes else said)
        for title, place, values in self.lower(unit):
            value = float(np.interp(position, place, values))
            if not math.isnan(value):
                what, _, mark = title.rpartition(" ")
                lines.append(f"{what.lower()} {value:.6g} {mark}")
        return lines
