"""A closed 2D outline: smooth runs between corners, each a B-spline by arc length."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.interpolate import BSpline, PPoly, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import KnotError, ProfileError
from isotomon.geometry.basis import Basis, fit
from isotomon.geometry.quadrature import gauss_rule

Curve = Callable[[Array], Array]

FIT = 3e-8
"""Largest distance of a run from its definition, for a chord of 1."""
SAME = 1e-9
"""A share of the arc length this near a corner's is the corner's."""
ROUND_FIT = 1e-10
"""The same for a circle: what is round is to be round to about the last digit that shows."""


@dataclass(frozen=True)
class OutlineMark:
    """A place on a run that belongs to the same place on other outlines of its family (a nose, an arc's end).

    `share` of the run's arc length; `continuity`: how many derivatives are continuous there.
    """

    name: str
    share: float
    continuity: int


@dataclass(frozen=True, eq=False)
class Run:
    """A smooth piece of an outline. Its parameter in [0, 1] is the share of its arc length."""

    basis: Basis
    control: Array
    length: float
    marks: tuple[OutlineMark, ...] = ()
    ends: tuple[str, str] = ("", "")
    """Lasting names of the corners at its start and end, where these have any."""

    def points(self, share: Array) -> Array:
        """(n, 2) points at shares of the arc length."""
        return self.basis.matrix(share) @ self.control

    def named(self, first: str, last: str) -> Run:
        """The same run between corners of these names."""
        return replace(self, ends=(first, last))

    def reversed(self) -> Run:
        """The same run from its end, without its marks."""
        b = self.basis
        back = Basis(b.degree, 1.0 - b.breaks[::-1], b.multiplicity[::-1].copy(), b.periodic)
        return Run(back, self.control[::-1].copy(), self.length, ends=self.ends[::-1])


@dataclass(frozen=True, eq=False)
class Outline2D:
    """Runs counter-clockwise, head to tail, for a chord of 1; a corner stands between runs. An `open` one has two ends.

    One periodic run has no corner. `anchor`: (2, 2), the nominal leading and trailing points. `round`: no angle of
    its own. `name`: lasting, of a hole.
    """

    runs: tuple[Run, ...]
    anchor: Array
    round: bool = False
    open: bool = False
    name: str = ""

    @property
    def smooth(self) -> bool:
        """Whether it has no corner."""
        return self.runs[0].basis.periodic

    @cached_property
    def length(self) -> float:
        """Of its arc, in its own unit."""
        return sum(run.length for run in self.runs)

    def corner_lengths(self) -> Array:
        """Arc length of each corner: (corners,); none for a smooth outline. The ends of an open one are no corners."""
        if self.smooth:
            return np.zeros(0)
        inner = np.cumsum([run.length for run in self.runs])[:-1]
        return inner if self.open else np.concatenate([[0.0], inner])

    @property
    def corner_names(self) -> tuple[str, ...]:
        """The lasting name of each corner; where it has none, its number and how many there are, so that it means nothing
        when that changes."""
        if self.smooth:
            return ()
        starts = [run.ends[0] for run in self.runs[1 if self.open else 0 :]]
        return tuple(name or f"{k + 1}of{len(starts)}" for k, name in enumerate(starts))

    def corner_at(self, share: float) -> str:
        """The name of the corner at a share of the arc length; of an open outline also `start` and `end`; empty where there
        is none."""
        if self.open and (share < SAME or share > 1.0 - SAME):
            return "start" if share < SAME else "end"
        away = np.abs((self.corner_lengths() / self.length - share + 0.5) % 1.0 - 0.5)
        return self.corner_names[int(away.argmin())] if len(away) and away.min() < SAME else ""

    def share_of(self, corner: str) -> float:
        """The share of the arc length at which a corner stands.

        Raises: ProfileError, when it has none of that name.
        """
        if self.open and corner in ("start", "end"):
            return float(corner == "end")
        if corner not in self.corner_names:
            raise ProfileError(f"its corner {corner} is gone; pick it again")
        return float(self.corner_lengths()[self.corner_names.index(corner)] / self.length)

    def on(self, share: float) -> float:
        """A share of the arc length brought onto the outline: round a closed one, up to the ends of an open one."""
        return min(max(share, 0.0), 1.0) if self.open else share % 1.0

    def points(self, along: Array) -> Array:
        """(n, 2) points at arc lengths, taken modulo the whole length of a closed one."""
        share = along / self.length
        return np.asarray(self.pieces(np.clip(share, 0.0, 1.0) if self.open else np.mod(share, 1.0)))

    @cached_property
    def pieces(self) -> PPoly:
        """The points by the share of the arc length, 0 to 1, as polynomials: much quicker for many places."""
        degree = max(run.basis.degree for run in self.runs)
        starts, powers, begun = [], [], 0.0
        for run in self.runs:
            basis = run.basis
            control = np.vstack([run.control, run.control[: basis.degree]]) if basis.periodic else run.control
            spline, scale = BSpline(basis.knots, control, basis.degree), self.length / run.length
            orders = range(degree, -1, -1)
            rows = [spline(basis.breaks[:-1], k) * scale**k / math.factorial(k) for k in orders]
            powers.append(np.stack(rows))
            starts.append(begun + basis.breaks[:-1] / scale)
            begun += run.length / self.length
        return PPoly(np.concatenate(powers, axis=1), np.append(np.concatenate(starts), 1.0))

    def polygon(self, per_run: int = 200) -> Array:
        """Closed polygon (n, 2) for drawing and tests, without a repeated end."""
        share = np.arange(per_run) / per_run
        return np.vstack([run.points(share) for run in self.runs])


def corner_words(name: str) -> str:
    """A corner's lasting name in words: `g1.p3` is p3, `2of6` corner 2 of 6, `tip2of5` tip 2 of 5."""
    side = re.match(r"(left|right)-(.+)", name)
    if side is not None:
        return f"{corner_words(side[2])} on the {side[1]}"
    own = name.rpartition(".")[2]
    counted = re.fullmatch(r"(.*?)(\d+)of(\d+)", own)
    return f"{counted[1] or 'corner'} {counted[2]} of {counted[3]}" if counted else own.replace("-", " ")


def edge_words(name: str, stations: Mapping[str, str]) -> str:
    """An edge's lasting name in words; `stations`: id → name."""
    station, _, corner = name.partition(".")
    return f"{stations.get(station, station)} {corner_words(corner)}".strip()


def line(a: Sequence[float], b: Sequence[float]) -> Run:
    """The straight run from a to b."""
    ends = np.array([a, b], dtype=np.float64)
    basis = Basis(1, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False)
    return Run(basis, ends, float(np.linalg.norm(ends[1] - ends[0])))


def fit_run(
    curve: Curve, *, marks: Sequence[tuple[str, float, int]] = (), periodic: bool = False, tolerance: float = FIT
) -> Run:
    """A run fitted to `curve` (t in [0, 1] → (n, 2)) with the parameter changed to arc length.

    `marks`: (name, t, continuity) in order of t, where the curve is less smooth than elsewhere.
    Raises: ProfileError, when the curve cannot be followed.
    """
    edges = np.array([0.0, *(t for _, t, _ in marks), 1.0])
    tables = [_arc_table(curve, a, b) for a, b in zip(edges[:-1], edges[1:], strict=True)]
    lengths = np.array([table[1][-1] for table in tables])
    length = float(lengths.sum())
    if not all((np.diff(arc) > 0.0).all() for _, arc in tables):
        raise ProfileError("the section has no length, or stands still in places; mend its points")
    starts = np.concatenate([[0.0], np.cumsum(lengths)[:-1]])
    inverses = [make_interp_spline(arc, t, k=5) for t, arc in tables]

    def by_share(share: Array) -> Array:
        along = np.clip(share, 0.0, 1.0) * length
        piece = np.clip(np.searchsorted(starts, along, side="right") - 1, 0, len(starts) - 1)
        t = np.empty(len(along))
        for number, inverse in enumerate(inverses):
            here = piece == number
            t[here] = inverse(np.minimum(along[here] - starts[number], lengths[number]))
        return curve(np.clip(t, 0.0, 1.0))

    placed = tuple(
        OutlineMark(name, float(start / length), order)
        for (name, _, order), start in zip(marks, starts[1:], strict=True)
    )
    try:
        basis, control = fit(by_share, tolerance, joins={m.share: m.continuity for m in placed}, periodic=periodic)
    except KnotError as error:
        raise ProfileError(f"the section cannot be followed smoothly: {error}") from None
    return Run(basis, control, length, placed)


def _arc_table(curve: Curve, start: float, end: float, cells: int = 250) -> tuple[Array, Array]:
    """Parameters and the arc length up to them on a smooth piece, by Gauss quadrature of the speed in each cell."""
    t = np.linspace(start, end, cells + 1)
    step = (end - start) / cells
    x, w = gauss_rule(6)
    inner = (t[:-1, None] + step * (x + 1.0) / 2.0).ravel()
    eps = 1e-3 * step
    speed = np.linalg.norm(curve(inner + eps) - curve(inner - eps), axis=1) / (2.0 * eps)
    cell = (speed.reshape(cells, -1) * w).sum(axis=1) * step / 2.0
    return t, np.concatenate([[0.0], np.cumsum(cell)])
