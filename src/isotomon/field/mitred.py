"""The carrier along straight runs with mitred corners, and up to planes that lean."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from isotomon.field.carriers import Frames
from isotomon.geometry.datums import plane_at

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Mitred:
    """Along straight runs through `corners` (n, 3), the first and last its ends. Between corners the axes are those of a section
    square to the run, drawn out along it to planes midway at the corners, so that straight rulings go from one to the next.
    """

    corners: Array
    first: Array | None = None
    last: Array | None = None
    """(3,) normals of the planes in which it begins and ends, square to the runs where none is given."""
    closed: bool = False
    bending: float = 0.0
    begin: float = 0.0
    """mm: what the first corner counts as."""
    square: tuple[Array, Array] | None = None
    """(3,) X and Y axes square to the first run, else the usual ones."""

    @cached_property
    def nodes(self) -> Array:
        """(n,) mm: where the corners and ends lie along it."""
        return self.begin + np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(self.corners, axis=0), axis=1))]

    @property
    def length(self) -> float:
        return float(self.nodes[-1])

    @cached_property
    def _axes(self) -> tuple[Array, Array]:
        """X and Y axes at the corners and ends (n, 3): of sections drawn out along the runs."""
        ways = np.diff(self.corners, axis=0)
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        start = plane_at(self.corners[0], ways[0])
        square = self.square or (start.across, start.up)
        x, y = ([_drawn_out(a, ways[0], self.first)] for a in square)
        for before, after in zip(ways[:-1], ways[1:], strict=True):
            x.append(_drawn_out(square[0], before, before + after))
            y.append(_drawn_out(square[1], before, before + after))
            # The mitre plane is a mirror: the section goes on as its image, carried into the next run's own square plane.
            square = (
                x[-1] - after * float(x[-1] @ after),
                y[-1] - after * float(y[-1] @ after),
            )
        x.append(_drawn_out(square[0], ways[-1], self.last))
        y.append(_drawn_out(square[1], ways[-1], self.last))
        return np.array(x), np.array(y)

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm; the axes are neither square to each other nor of length 1 near a corner."""
        run = np.clip(np.searchsorted(self.nodes, s, side="right") - 1, 0, len(self.nodes) - 2)
        long = np.diff(self.nodes)[run]
        share = ((s - self.nodes[run]) / long)[:, None]
        (x, y), p = self._axes, self.corners
        steps = [(a[1:] - a[:-1])[run] / long[:, None] for a in (p, x, y)]
        return Frames(
            *(a[run] + share * (a[1:] - a[:-1])[run] for a in (p, x, y)),
            *steps,
        )

    def marks(self) -> bytes:
        """The corners, the planes at the ends and the axes."""
        more = (self.first, self.last, *(self.square or ()))
        return self.corners.tobytes() + b"".join(a.tobytes() for a in more if a is not None)


def _drawn_out(axis: Array, way: Array, normal: Array | None) -> Array:
    """An axis square to a way, drawn out along it into the plane with a normal."""
    return axis if normal is None else axis - way * float(axis @ normal) / float(way @ normal)
