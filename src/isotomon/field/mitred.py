"""The carrier along straight runs with mitred corners, and up to planes that lean."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.carriers import Frames
from isotomon.geometry.datums import plane_at


@dataclass(frozen=True, eq=False)
class Mitred:
    """Along straight runs through `corners` (n, 3), the first and last its ends, or, when it is `closed`, from the last to the
    first again. Between corners the axes are those of a section
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
        """(n,) mm: where the corners and ends lie along it; (n + 1,) of a closed one, which comes back to the first."""
        return self.begin + np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(self._points, axis=0), axis=1))]

    @cached_property
    def _points(self) -> Array:
        return np.vstack([self.corners, self.corners[:1]]) if self.closed else self.corners

    @property
    def length(self) -> float:
        """mm: all round a closed one; up to where an open one ends."""
        return float(self.nodes[-1] - self.begin if self.closed else self.nodes[-1])

    @cached_property
    def _axes(self) -> tuple[Array, Array]:
        """X and Y axes at the corners and ends (n, 3): of sections drawn out along the runs.

        Raises: FieldError, when a section comes round a closed run turned.
        """
        ways = np.diff(self._points, axis=0)
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        start = plane_at(self.corners[0], ways[0])
        square = self.square or (start.across, start.up)
        first, last = (ways[-1] + ways[0],) * 2 if self.closed else (self.first, self.last)
        x, y = ([_drawn_out(a, ways[0], first)] for a in square)
        for before, after in zip(ways[:-1], ways[1:], strict=True):
            x.append(_drawn_out(square[0], before, before + after))
            y.append(_drawn_out(square[1], before, before + after))
            # The mitre plane is a mirror: the section goes on as its image, carried into the next run's own square plane.
            square = (
                x[-1] - after * float(x[-1] @ after),
                y[-1] - after * float(y[-1] @ after),
            )
        x.append(_drawn_out(square[0], ways[-1], last))
        y.append(_drawn_out(square[1], ways[-1], last))
        if self.closed and np.linalg.norm(x[-1] - x[0]) > 1e-9:
            share = float(x[-1] @ x[0]) / float(np.linalg.norm(x[-1]) * np.linalg.norm(x[0]))
            turn = float(np.degrees(np.arccos(np.clip(share, -1.0, 1.0))))
            raise FieldError(
                f"its corners do not lie in a plane, so that the section comes round turned by {turn:.3g}°; bring them into "
                "one plane, or round the corners"
            )
        return np.array(x), np.array(y)

    def frames(self, s: Array) -> Frames:
        """The frames at positions s (n,) mm; the axes are neither square to each other nor of length 1 near a corner."""
        if self.closed:
            s = self.begin + np.mod(np.asarray(s) - self.begin, self.length)
        run = np.clip(np.searchsorted(self.nodes, s, side="right") - 1, 0, len(self.nodes) - 2)
        long = np.diff(self.nodes)[run]
        share = ((s - self.nodes[run]) / long)[:, None]
        (x, y), p = self._axes, self._points
        steps = [(a[1:] - a[:-1])[run] / long[:, None] for a in (p, x, y)]
        return Frames(
            *(a[run] + share * (a[1:] - a[:-1])[run] for a in (p, x, y)),
            *steps,
        )

    def marks(self) -> bytes:
        """The corners, the planes at the ends and the axes."""
        more = (self.first, self.last, *(self.square or ()))
        return bytes([self.closed]) + self.corners.tobytes() + b"".join(a.tobytes() for a in more if a is not None)


def _drawn_out(axis: Array, way: Array, normal: Array | None) -> Array:
    """An axis square to a way, drawn out along it into the plane with a normal."""
    return axis if normal is None else axis - way * float(axis @ normal) / float(way @ normal)
