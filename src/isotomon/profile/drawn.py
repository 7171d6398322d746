"""A solved drawing as an outline to loft, and its exact figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.optimize import brentq

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.geometry.planar import cross, thickness
from isotomon.geometry.quadrature import gauss_rule
from isotomon.profile.curves import CurvePiece
from isotomon.profile.drawing import Drawing
from isotomon.profile.loops import Chain, Runs, find_runs
from isotomon.profile.outline import Outline2D, Run, fit_run, line

CORNER = 1e-5
"""Angle (rad) from which a joint is a corner."""


@dataclass(frozen=True, eq=False)
class DrawnShape:
    """The outline for a chord of 1. `width`: the chord as drawn, mm. `pivot`: where the drawing's origin lies on it. `holes`:
    the runs inside it in the same frame, counter-clockwise too."""

    outline: Outline2D
    width: float
    pivot: float
    holes: tuple[Outline2D, ...] = ()


@dataclass(frozen=True)
class Figures:
    """Exact figures of a closed run: mm, mm², mm⁴, rad. `axis`: angle from X to the axis of least second moment."""

    area: float
    perimeter: float
    centroid: tuple[float, float]
    i_max: float
    i_min: float
    axis: float
    low: tuple[float, float]
    high: tuple[float, float]
    thickness: float
    corners: int


def drawn_shape(drawing: Drawing, mirror: Literal["", "x", "y"] = "") -> DrawnShape:
    """The outline of a solved drawing, as it is or mirrored in its own X or Y axis.

    Raises: ProfileError, saying why it cannot be lofted.
    """
    runs = find_runs(drawing)
    if runs.outer is None and runs.skin is not None:
        return _open_shape(drawing, runs.skin, mirror)
    chain, inner = lofted_run(drawing, runs), runs.holes
    if mirror:
        chain, *rest = (_mirrored(c, mirror) for c in (chain, *inner))
        inner = tuple(rest)
    low, high = extremes(chain)
    width = float(high[0] - low[0])
    if not width > 1e-9:
        raise ProfileError(f"drawing '{drawing.name}' has no width; draw a closed run with some extent along X")
    unit, *insides = (tuple(p.moved(np.eye(2) / width, np.zeros(2)) for p in c.pieces) for c in (chain, *inner))
    anchor = np.array([[low[0] / width, 0.0], [high[0] / width, 0.0]])
    centred = all(abs(float(x)) < 1e-9 for x in (low + high) / width)
    whole = len(chain.pieces) == 1 and chain.pieces[0].kind == "circle"
    outline = Outline2D(_outline_runs(unit, drawing.id), anchor, round=whole and centred and not inner)
    holes = tuple(
        Outline2D(_outline_runs(h, drawing.id), anchor, name=f"{drawing.id}.{min((p.part for p in h), key=_natural)}")
        for h in insides
    )
    return DrawnShape(outline, width, -float(low[0]) / width, holes)


def _open_shape(drawing: Drawing, chain: Chain, mirror: str) -> DrawnShape:
    """The same of an open run, from its -X end to its +X end (from the lower, where it is upright)."""
    if mirror:
        matrix = np.diag([1.0, -1.0] if mirror == "x" else [-1.0, 1.0])
        chain = Chain(tuple(p.moved(matrix, np.zeros(2)) for p in chain.pieces), False, chain.ends)
    way = chain.pieces[-1].end - chain.pieces[0].start
    if way[0] < -1e-9 or (abs(way[0]) <= 1e-9 and way[1] < 0.0):
        chain = chain.reversed()
    low, high = extremes(chain)
    width = float(max(high - low))
    if not width > 1e-9:
        raise ProfileError(f"drawing '{drawing.name}' has no size; draw a run")
    pieces = tuple(p.moved(np.eye(2) / width, np.zeros(2)) for p in chain.pieces)
    corner = np.flatnonzero(joints(pieces)[1:] > CORNER) + 1
    edges = [0, *corner.tolist(), len(pieces)]
    groups = [pieces[a:b] for a, b in zip(edges[:-1], edges[1:], strict=True)]
    names = ["", *(corner_name(drawing.id, pieces[k - 1], pieces[k]) for k in corner), ""]
    runs = [
        _run_of(g, drawing.id).named(*ends)
        for g, ends in zip(groups, zip(names[:-1], names[1:], strict=True), strict=True)
    ]
    anchor = np.array([[low[0] / width, 0.0], [low[0] / width + 1.0, 0.0]])
    return DrawnShape(Outline2D(tuple(runs), anchor, open=True), width, -float(low[0]) / width)


def _mirrored(chain: Chain, mirror: str) -> Chain:
    matrix = np.diag([1.0, -1.0] if mirror == "x" else [-1.0, 1.0])
    return Chain(tuple(p.moved(matrix, np.zeros(2)) for p in chain.pieces), True).reversed()


def lofted_run(drawing: Drawing, runs: Runs) -> Chain:
    """The one closed run that bounds the section. Raises: ProfileError, saying why there is none."""
    if runs.outer is None:
        why = next(
            (f.text for f in runs.findings if f.kind in ("crossing", "gap", "branch", "many", "open", "empty")), ""
        )
        raise ProfileError(f"drawing '{drawing.name}' bounds no section: {why}")
    return runs.outer


def joints(pieces: tuple[CurvePiece, ...]) -> Array:
    """(pieces,) the turn (rad) at the start of each piece from the one before it."""
    ends = np.array([p.slope(np.array([0.0, 1.0])) for p in pieces])
    into, out = np.roll(ends[:, 1], 1, axis=0), ends[:, 0]
    return np.abs(np.arctan2(cross(into, out), (into * out).sum(axis=1)))


def _outline_runs(pieces: tuple[CurvePiece, ...], name: str) -> tuple[Run, ...]:
    """Smooth runs between corners; a run without any is periodic and begins at its +X side. Marks bear the drawing's
    `name`, since other drawings may call their parts the same."""
    corner = np.flatnonzero(joints(pieces) > CORNER)
    if not len(corner):
        return (_fitted(_from_plus_x(pieces), name, periodic=True),)
    starts = np.array([pieces[k].start for k in corner])
    middle = (starts.max(axis=0) + starts.min(axis=0)) / 2.0
    first = int(np.argmin(np.abs(np.arctan2(*(starts - middle).T[::-1]))))
    order = [*corner[first:].tolist(), *corner[:first].tolist()]
    runs = []
    for a, b in zip(order, [*order[1:], order[0]], strict=True):
        count = (b - a - 1) % len(pieces) + 1
        own = tuple(pieces[(a + k) % len(pieces)] for k in range(count))
        ends = [corner_name(name, pieces[k - 1], pieces[k]) for k in (a, b)]
        runs.append(_run_of(own, name).named(*ends))
    # Neighbours share their ends exactly.
    shared = [(a.control[-1] + b.control[0]) / 2.0 for a, b in zip(runs, [*runs[1:], runs[0]], strict=True)]
    for k, run in enumerate(runs):
        control = run.control.copy()
        control[0], control[-1] = shared[k - 1], shared[k]
        runs[k] = replace(run, control=control)
    return tuple(runs)


def _natural(name: str) -> tuple[int, str]:
    """Names in order: p9 before p10, and p9 before its image p9'."""
    return len(name), name


def corner_name(drawing: str, before: CurvePiece, after: CurvePiece) -> str:
    """The lasting name of the corner between two pieces: the point they share, the older one where each has its own."""
    return f"{drawing}.{min(before.ends[1], after.ends[0], key=_natural)}"


def _run_of(pieces: tuple[CurvePiece, ...], name: str) -> Run:
    """Pieces that join smoothly as one run: a straight one as it is."""
    if len(pieces) == 1 and pieces[0].kind == "line":
        return line(pieces[0].start.tolist(), pieces[0].end.tolist())
    return _fitted(pieces, name)


def _fitted(pieces: tuple[CurvePiece, ...], name: str, periodic: bool = False) -> Run:
    """Pieces that join smoothly as one run."""
    t = np.linspace(0.0, 1.0, 65)
    lengths = np.array([np.linalg.norm(np.diff(p.at(t), axis=0), axis=1).sum() for p in pieces])
    edges = np.concatenate([[0.0], np.cumsum(lengths) / lengths.sum()])
    edges[-1] = 1.0

    def curve(s: Array) -> Array:
        s = np.mod(s, 1.0) if periodic else np.clip(s, 0.0, 1.0)
        which = np.clip(np.searchsorted(edges, s, side="right") - 1, 0, len(pieces) - 1)
        result = np.empty((len(s), 2))
        for k, piece in enumerate(pieces):
            here = which == k
            if here.any():
                result[here] = piece.at((s[here] - edges[k]) / (edges[k + 1] - edges[k]))
        return result

    marks = [(f"{name} {p.part} {k}", float(edges[k]), 1) for k, p in enumerate(pieces) if k]
    for k, p in enumerate(pieces):
        wide = edges[k + 1] - edges[k]
        marks += [
            (f"{name} {p.part} {k}.{n}", float(edges[k] + wide * s), order) for n, (s, order) in enumerate(p.breaks)
        ]
    return fit_run(curve, marks=sorted(marks, key=lambda m: m[1]), periodic=periodic)


def _from_plus_x(pieces: tuple[CurvePiece, ...]) -> tuple[CurvePiece, ...]:
    """The same closed run begun where it crosses the level of its middle on the +X side."""
    t = np.linspace(0.0, 1.0, 129)
    points = [p.at(t) for p in pieces]
    everything = np.vstack(points)
    level = float(everything[:, 1].max() + everything[:, 1].min()) / 2.0
    best: tuple[float, int, float] | None = None
    for k, own in enumerate(points):
        y = own[:, 1] - level
        for i in np.flatnonzero((y[:-1] <= 0.0) & (y[1:] > 0.0)).tolist():
            if best is None or own[i, 0] > best[0]:
                at = brentq(lambda s, p=pieces[k]: float(p.at(np.array([s]))[0, 1]) - level, t[i], t[i + 1], xtol=1e-14)
                best = (float(own[i, 0]), k, float(at))
    if best is None:
        raise ProfileError("the run has no height; draw a closed run with some extent along Y")
    _, k, at = best
    rest = (*pieces[k + 1 :], *pieces[:k])
    head = () if at > 1.0 - 1e-9 else (pieces[k].cut(at, 1.0),)
    tail = () if at < 1e-9 else (pieces[k].cut(0.0, at),)
    return (*head, *rest, *tail)


def extremes(chain: Chain) -> tuple[Array, Array]:
    """(2,), (2,): least and greatest X and Y of a run, sharpened beyond the samples by parabolas."""
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    t = np.linspace(0.0, 1.0, 201)
    for piece in chain.pieces:
        points = piece.at(t[[0, -1]] if piece.kind == "line" else t)
        for way, keep in ((-1.0, low), (1.0, high)):
            for axis in (0, 1):
                value = way * points[:, axis]
                i = int(np.argmax(value))
                top = float(value[i])
                if 0 < i < len(value) - 1:
                    a, b, c = value[i - 1 : i + 2].tolist()
                    bend = a - 2 * b + c
                    top = b - (a - c) ** 2 / (8 * bend) if bend < 0.0 else b
                if top > way * keep[axis]:
                    keep[axis] = way * top
    return low, high


def figures_of(chain: Chain, holes: Sequence[Chain] = ()) -> Figures:
    """Figures of a closed run less its holes, all counter-clockwise, by Green's theorem with Gauss quadrature on each smooth
    stretch. Size, thickness and corners are the run's own; the perimeter goes round the holes, too."""
    x, w = gauss_rule(12)
    points, slopes, weights, signs = [], [], [], []
    for piece, sign in [(p, s) for c, s in ((chain, 1.0), *((h, -1.0) for h in holes)) for p in c.pieces]:
        cuts = np.unique(np.r_[np.linspace(0.0, 1.0, 2 if piece.kind == "line" else 9), [b for b, _ in piece.breaks]])
        wide = np.diff(cuts)
        t = (cuts[:-1, None] + wide[:, None] * (x + 1.0) / 2.0).ravel()
        points.append(piece.at(t))
        slopes.append(piece.slope(t))
        weights.append((wide[:, None] * w / 2.0).ravel())
        signs.append(np.full(len(t), sign))
    p, d, length = np.vstack(points), np.vstack(slopes), np.concatenate(weights)
    g = length * np.concatenate(signs)
    area = float(0.5 * g @ cross(p, d))
    centroid = np.array([g @ (p[:, 0] ** 2 * d[:, 1]) / 2.0, -(g @ (p[:, 1] ** 2 * d[:, 0])) / 2.0]) / area
    q = p - centroid
    ixx = -float(g @ (q[:, 1] ** 3 * d[:, 0])) / 3.0
    iyy = float(g @ (q[:, 0] ** 3 * d[:, 1])) / 3.0
    ixy = float(g @ (q[:, 0] ** 2 * q[:, 1] * d[:, 1])) / 2.0
    mean, half = (ixx + iyy) / 2.0, float(np.hypot((ixx - iyy) / 2.0, ixy))
    low, high = extremes(chain)
    return Figures(
        area=area,
        perimeter=float(length @ np.hypot(d[:, 0], d[:, 1])),
        centroid=(float(centroid[0]), float(centroid[1])),
        i_max=mean + half,
        i_min=mean - half,
        axis=0.5 * float(np.arctan2(2.0 * ixy, iyy - ixx)),
        low=(float(low[0]), float(low[1])),
        high=(float(high[0]), float(high[1])),
        thickness=float(thickness(chain.polygon(120)[None])[0]),
        corners=int(np.sum(joints(chain.pieces) > CORNER)),
    )
