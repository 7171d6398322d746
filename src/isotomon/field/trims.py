"""What of a sheet there is: within one closed run on its unit square, and outside of others."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import Delaunay

from isotomon.arrays import Array, Index, Mask
from isotomon.geometry.basis import Basis
from isotomon.geometry.patch import TrimPiece
from isotomon.geometry.planar import cross, inside

EACH = 24
"""Places at which an edge is looked at, at least."""
SLIVER = 1e-9
"""Of the unit square: triangles of less are none."""


@dataclass(frozen=True, eq=False)
class TrimEdge:
    """A part of a run: a curve by its `basis` and `control` (n, 2) in the unit square, clamped at its ends. `name`: of the curve that it
    follows."""

    name: str
    basis: Basis
    control: Array

    @cached_property
    def length(self) -> float:
        """About, by the square's side."""
        return float(np.linalg.norm(np.diff(self.at(np.linspace(0.0, 1.0, 33)), axis=0), axis=1).sum())

    def at(self, t: Array, derivative: int = 0) -> Array:
        """(n, 2)."""
        return np.asarray(self.basis.sparse(t, derivative) @ self.control)


@dataclass(frozen=True, eq=False)
class Trim:
    """Closed runs, the outer one first; each of edges head to tail."""

    loops: tuple[tuple[TrimEdge, ...], ...]

    @property
    def edges(self) -> list[TrimEdge]:
        """All edges."""
        return [edge for loop in self.loops for edge in loop]

    def counts(self, step: float) -> list[list[int]]:
        """Of each run, at how many places each of its edges is looked at, so that they are about `step` of the square apart."""
        least = [EACH if len(loop) < 4 else EACH // 2 for loop in self.loops]
        return [
            [max(few, int(np.ceil(edge.length / step))) for edge in loop]
            for few, loop in zip(least, self.loops, strict=True)
        ]

    def polygons(self, step: float) -> list[Array]:
        """(n, 2) of each run, with a place about every `step` of the square, and in each corner."""
        pairs = zip(self.loops, self.counts(step), strict=True)
        return [np.vstack([e.at(np.arange(n) / n) for e, n in zip(loop, own, strict=True)]) for loop, own in pairs]

    def holds(self, places: Array, step: float = 0.02) -> Mask:
        """(m,) whether places (m, 2) lie within."""
        outer, *holes = self.polygons(step)
        within = inside(places, outer)
        for hole in holes:
            within = within & ~inside(places, hole)
        return within

    def pieces(self) -> tuple[tuple[TrimPiece, ...], ...]:
        """The runs in pieces that are smooth each, their ends exactly on each other."""
        return tuple(_closed([piece for edge in loop for piece in _smooth(edge)]) for loop in self.loops)

    def crossing(self) -> Array | None:
        """(2,) where two of its edges, or an edge and itself, cross; None where none do."""
        ends = self.polygons(0.02)
        a, b = np.vstack(ends), np.vstack([np.roll(p, -1, axis=0) for p in ends])
        way, apart = b - a, a[None] - a[:, None]
        across = cross(way[:, None], way[None])
        safe = np.where(np.abs(across) > 1e-15, across, np.inf)
        s, t = cross(apart, way[None]) / safe, cross(apart, way[:, None]) / safe
        hit = (s > 1e-9) & (s < 1.0 - 1e-9) & (t > 1e-9) & (t < 1.0 - 1e-9)
        found = np.argwhere(hit)
        return None if not len(found) else a[found[0, 0]] + s[tuple(found[0])] * way[found[0, 0]]

    def triangles(self, step: float) -> tuple[Array, Index, list[Index]]:
        """Places (n, 2) about `step` apart, triangles (m, 3) of them that cover it, and which places each run passes, in order."""
        runs = self.polygons(step)
        border = np.vstack(runs)
        edges = np.cumsum([0, *(len(run) for run in runs)])
        side = np.arange(step / 2.0, 1.0, step)
        grid = np.stack(np.meshgrid(side, side, indexing="ij"), axis=-1).reshape(-1, 2)
        grid = grid[self.holds(grid)]
        if len(grid):
            far = np.sqrt(((grid[:, None] - border[None]) ** 2).sum(axis=2).min(axis=1))
            grid = grid[far > 0.6 * step]
        places = np.vstack([border, grid])
        found = Delaunay(places).simplices
        p, q, r = (places[found[:, k]] for k in range(3))
        area = cross(q - p, r - p)
        found = np.where((area < 0.0)[:, None], found[:, ::-1], found)
        keep = (np.abs(area) > SLIVER) & self.holds((p + q + r) / 3.0, step)
        return places, found[keep], [np.arange(a, b) for a, b in zip(edges[:-1], edges[1:], strict=True)]


def _smooth(edge: TrimEdge) -> list[TrimPiece]:
    """An edge parted where it is creased."""
    made = list[TrimPiece]()
    for run in edge.basis.runs:
        breaks, times, columns = edge.basis.part(run)
        made.append(TrimPiece(edge.basis.degree, breaks, times, edge.control[columns].copy()))
    return made


def _closed(pieces: list[TrimPiece]) -> tuple[TrimPiece, ...]:
    """Pieces of which each begins exactly where the one before ends."""
    for before, piece in zip(pieces[-1:] + pieces[:-1], pieces, strict=True):
        middle = (before.control[-1] + piece.control[0]) / 2.0
        before.control[-1] = piece.control[0] = middle
    return tuple(pieces)
