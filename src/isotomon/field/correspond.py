"""Sections made to correspond: every outline in one common B-spline basis, lane by lane."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import FieldError, KnotError
from isotomon.field.ties import Ties, automatic_ties
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.hermite import smooth
from isotomon.profile.outline import Outline2D

Array = NDArray[np.float64]

FIT = 7e-8
"""Largest distance of a section in the common basis from its outline, for a chord of 1."""


@dataclass(frozen=True, eq=False)
class Lane:
    """The run between two ties: one face of the body. Its columns are `columns` of the section's control points."""

    name: str
    basis: Basis
    columns: slice


@dataclass(frozen=True, eq=False)
class Correspondence:
    """`lanes` in order round the section; `control`: (outlines, n, 2), each outline in the lanes' bases."""

    lanes: tuple[Lane, ...]
    control: Array

    @property
    def size(self) -> int:
        return self.lanes[-1].columns.stop

    def matrix(self, per_lane: Sequence[Array], derivative: int = 0) -> Array:
        """Block matrix (sum of samples, n) that evaluates each lane at its own parameters."""
        result = np.zeros((sum(len(u) for u in per_lane), self.size))
        row = 0
        for lane, u in zip(self.lanes, per_lane, strict=True):
            result[row : row + len(u), lane.columns] = lane.basis.matrix(u, derivative)
            row += len(u)
        return result


def correspond(outlines: Sequence[Outline2D]) -> Correspondence:
    """The common form of `outlines` (turned back, chord 1).

    Raises: FieldError, when they cannot be made to correspond.
    """
    ties = automatic_ties(outlines)
    if ties is None:
        start = np.zeros((len(outlines), 1))
        ties = Ties(np.hstack([start, start + 1.0]), np.zeros((len(outlines), 1), dtype=bool), np.array([0.0, 1.0]))
        names, periodic = ["round"], True
    else:
        count = len(ties.u) - 1
        names, periodic = [f"{k + 1}-{(k + 1) % count + 1}" for k in range(count)], False
    marks = _common_marks(outlines, ties)
    maps = [_share_map(o, i, ties, marks, periodic) for i, o in enumerate(outlines)]
    lanes, blocks, column = [], [], 0
    for k, name in enumerate(names):
        u0, u1 = ties.u[k], ties.u[k + 1]
        joins = {(m.u - u0) / (u1 - u0): m.continuity for m in marks if u0 < m.u < u1}
        try:
            basis, control = fit(_sampler(outlines, maps, u0, u1), FIT, joins=joins, periodic=periodic)
        except KnotError as error:
            raise FieldError(f"the sections cannot be carried into one another smoothly: {error}") from None
        lanes.append(Lane(name, basis, slice(column, column + basis.size)))
        blocks.append(control.reshape(basis.size, len(outlines), 2).transpose(1, 0, 2))
        column += basis.size
    if not periodic:
        for here, after in zip(blocks, [*blocks[1:], blocks[0]], strict=True):
            after[:, 0] = here[:, -1]
    control = np.concatenate(blocks, axis=1)
    control.setflags(write=False)
    return Correspondence(tuple(lanes), control)


def _sampler(
    outlines: Sequence[Outline2D], maps: Sequence[Callable[[Array], Array]], u0: float, u1: float
) -> Callable[[Array], Array]:
    def sample(w: Array) -> Array:
        u = u0 + w * (u1 - u0)
        return np.hstack([o.points(share(u) * o.length) for o, share in zip(outlines, maps, strict=True)])

    return sample


@dataclass(frozen=True)
class _CommonMark:
    name: str
    u: float
    continuity: int
    shares: dict[int, float]


def _marks_of(outline: Outline2D) -> list[tuple[str, float, int]]:
    """(name, share of the outline's arc length, continuity) of every mark."""
    start, found = 0.0, []
    for run in outline.runs:
        found += [(m.name, (start + m.share * run.length) / outline.length, m.continuity) for m in run.marks]
        start += run.length
    return found


def _common_marks(outlines: Sequence[Outline2D], ties: Ties) -> list[_CommonMark]:
    """Marks by name, each at the mean place of the outlines that have it, where their order agrees.

    Within each pair of ties a mark lies at the same fraction of the way as on its outline, so that between ties
    that fall on corners the correspondence stays by arc length.
    """
    gathered: dict[str, dict[int, tuple[float, int]]] = {}
    for i, outline in enumerate(outlines):
        for name, share, continuity in _marks_of(outline):
            relative = ties.share[i, 0] + np.mod(share - ties.share[i, 0], 1.0)
            gathered.setdefault(name, {})[i] = (float(relative), continuity)
    marks = []
    for name, here in gathered.items():
        places = [float(np.interp(share, ties.share[i], ties.u)) for i, (share, _) in here.items()]
        marks.append(
            _CommonMark(
                name, float(np.mean(places)), min(c for _, c in here.values()), {i: s for i, (s, _) in here.items()}
            )
        )
    marks.sort(key=lambda m: m.u)
    return marks


def _share_map(
    outline: Outline2D, i: int, ties: Ties, marks: list[_CommonMark], periodic: bool
) -> Callable[[Array], Array]:
    """u → share of arc length on outline i: monotone, C2 except at the outline's own corners."""
    nodes = {float(u): float(s) for u, s in zip(ties.u, ties.share[i], strict=True)}
    for mark in marks:
        if i in mark.shares and all(abs(mark.u - u) > 1e-6 for u in nodes):
            nodes[mark.u] = mark.shares[i]
    u = np.array(sorted(nodes))
    share = np.maximum.accumulate(np.array([nodes[x] for x in u]))
    if periodic or not ties.corner[i].any():
        # Tiled over three turns, the middle one is periodic and C2 through the start.
        tiled_u = np.concatenate([u[:-1] - 1.0, u, u[1:] + 1.0])
        tiled_s = np.concatenate([share[:-1] - 1.0, share, share[1:] + 1.0])
        curve = smooth(tiled_u, tiled_s[:, None])
        return lambda x: curve(x)[:, 0]
    # The first tie need not be a corner of this outline; start at one that is, and go once round from there.
    corner_u = ties.u[:-1][ties.corner[i]]
    loop_u = np.concatenate([u[:-1], u + 1.0])
    loop_s = np.concatenate([share[:-1], share + 1.0])
    pieces = [
        smooth(loop_u[inside], loop_s[inside, None])
        for a, b in zip(corner_u, np.append(corner_u[1:], corner_u[0] + 1.0), strict=True)
        if (inside := (loop_u >= a - 1e-12) & (loop_u <= b + 1e-12)).sum() > 1
    ]
    starts = np.array([piece.x[0] for piece in pieces])

    def by_piece(x: Array) -> Array:
        ahead = x < starts[0] - 1e-12
        turned = np.where(ahead, x + 1.0, x)
        # Inside a lane every sample belongs to the piece that holds the lane's middle.
        which = int(np.clip(np.searchsorted(starts, np.median(turned) + 1e-12, side="right") - 1, 0, len(pieces) - 1))
        return pieces[which](turned)[:, 0] - np.where(ahead, 1.0, 0.0)

    return by_piece
