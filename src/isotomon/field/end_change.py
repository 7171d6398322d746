"""What an end's condition changes of a body: over an absolute length the sections are moved by a function that changes their slope
at the end and nothing else, so that all stations are still met and the skin stays C2."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array


@dataclass(frozen=True, eq=False)
class EndChange:
    """At `v` (mm), over `length` mm towards the other end (`way` is 1 or -1), slopes change by `change` (n + 2, 2) and, where it
    is wanted, second derivatives by `bend` (n + 2, 2)."""

    v: float
    length: float
    way: float
    change: Array
    bend: Array | None = None

    def moved(self, v: Array) -> tuple[Array, Array]:
        """(n_v, n + 2, 2) each: what is added to the sections at v, and its derivative."""
        t = np.clip(self.way * (v - self.v) / self.length, 0.0, 1.0)
        # Nought at both ends with first and second derivative, but for a slope of 1 at the start.
        rise = (1.0 - t) ** 3 * (t + 3.0 * t * t)
        slope = (1.0 - t) ** 2 * ((1.0 - t) * (1.0 + 6.0 * t) - 3.0 * (t + 3.0 * t * t))
        size = self.length * self.way
        more, more1 = size * rise[:, None, None] * self.change, slope[:, None, None] * self.change
        if self.bend is not None:
            # The same, but for a second derivative of 1 at the start.
            rise = 0.5 * t * t * (1.0 - t) ** 3
            slope = 0.5 * t * (1.0 - t) ** 2 * (2.0 - 5.0 * t)
            more = more + self.length**2 * rise[:, None, None] * self.bend
            more1 = more1 + size * slope[:, None, None] * self.bend
        return more, more1
