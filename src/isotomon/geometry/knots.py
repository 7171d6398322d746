"""Where a B-spline's pieces begin and how smoothly they join: plain data, which the kernel's process also needs."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.errors import KnotError


@dataclass(frozen=True, eq=False)
class Knots:
    """The knots of a B-spline basis on [0, 1].

    `breaks`: (n,) increasing, from 0 to 1. `multiplicity`: (n,) of the inner breaks (the ends are clamped,
    or, when periodic, simple). `degree`: 1 or more.
    """

    degree: int
    breaks: Array
    multiplicity: Index
    periodic: bool

    def __post_init__(self) -> None:
        if len(self.breaks) < 2 or np.any(np.diff(self.breaks) <= 0.0):
            raise KnotError(f"breaks must increase, got {self.breaks}")
        if self.periodic and len(self.breaks) <= self.degree:
            raise KnotError(
                f"a periodic basis of degree {self.degree} needs {self.degree} spans, got {len(self.breaks) - 1}"
            )
        for array in (self.breaks, self.multiplicity):
            array.setflags(write=False)

    @cached_property
    def knots(self) -> Array:
        """The full knot vector; a periodic one is continued on both sides by `degree` knots."""
        p = self.degree
        if not self.periodic:
            times = self.multiplicity.copy()
            times[[0, -1]] = p + 1
            return np.repeat(self.breaks, times)
        once = np.repeat(self.breaks[:-1], self.multiplicity[:-1])
        return np.concatenate([once[-p:] - 1.0, once, once[: p + 1] + 1.0])

    @cached_property
    def creases(self) -> Array:
        """The inner breaks through which not even the slope goes on."""
        inner = np.arange(1, len(self.breaks) - 1)
        return self.breaks[inner[self.multiplicity[inner] >= self.degree]]

    @cached_property
    def runs(self) -> tuple[tuple[int, int], ...]:
        """The numbers of the breaks at which each smooth run begins and ends."""
        cuts = [0, *np.searchsorted(self.breaks, self.creases).tolist(), len(self.breaks) - 1]
        return tuple(zip(cuts[:-1], cuts[1:], strict=True))

    def part(self, run: tuple[int, int]) -> tuple[Array, Index, slice]:
        """The breaks of a smooth run, how often each counts, and which control points it has; all of a periodic basis."""
        low, high = run
        times = self.multiplicity[low : high + 1].copy()
        if self.periodic:
            return self.breaks, times, slice(None)
        times[[0, -1]] = self.degree + 1
        before = int(self.multiplicity[1 : low + 1].sum()) if low else 0
        return self.breaks[low : high + 1], times, slice(before, before + int(times[:-1].sum()))

    @property
    def size(self) -> int:
        """How many control points the basis has."""
        return len(self.knots) - self.degree - 1 - (self.degree if self.periodic else 0)
