"""Which share of its arc length each outline has reached round the section: monotone, C2 except at its corners."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PPoly

from isotomon.arrays import Array
from isotomon.field.ties import Ties
from isotomon.geometry.hermite import smooth_each
from isotomon.profile.outline import Outline2D


@dataclass(frozen=True)
class CommonMark:
    """A place inside a lane that outlines have in common: at u, on each outline (by its number) at a share of its arc length;
    there so many derivatives are continuous. `held`: by a tie or a rail."""

    name: str
    u: float
    continuity: int
    shares: dict[int, float]
    held: bool = False


def share_maps(which: Sequence[int], ties: Ties, marks: Sequence[CommonMark], periodic: bool) -> list[PPoly]:
    """u, 0 to 1 → share of arc length on each outline: monotone, C2 except at the outline's own corners."""
    runs = [_runs_of(i, ties, marks, periodic) for i in which]
    curves = _through([run for own in runs for run in own])
    ends = np.cumsum([len(own) for own in runs])
    return [_from_0_to_1(curves[end - len(own) : end]) for end, own in zip(ends.tolist(), runs, strict=True)]


def _runs_of(i: int, ties: Ties, marks: Sequence[CommonMark], periodic: bool) -> list[tuple[Array, Array]]:
    """(u, share) of one outline's places from corner to corner, or of three turns of it where it has none."""
    nodes = {float(u): float(s) for u, s in zip(ties.u, ties.share[i], strict=True)}
    for mark in marks:
        if i in mark.shares and all(abs(mark.u - u) > 1e-6 for u in nodes):
            nodes[mark.u] = mark.shares[i]
    u = np.array(sorted(nodes))
    share = np.maximum.accumulate(np.array([nodes[x] for x in u]))
    if periodic or not ties.corner[i].any():
        # Tiled over three turns, the middle one is periodic and C2 through the start.
        tiled_u = np.concatenate([u[:-1] - 1.0, u, u[1:] + 1.0])
        return [(tiled_u, np.concatenate([share[:-1] - 1.0, share, share[1:] + 1.0]))]
    # The first tie need not be a corner of this outline: pieces from corner to corner, begun one turn before the start.
    corner_u = ties.u[:-1][ties.corner[i]]
    loop_u = np.concatenate([u[:-1] - 1.0, u[:-1], u + 1.0])
    loop_s = np.concatenate([share[:-1] - 1.0, share[:-1], share + 1.0])
    ends = np.concatenate([corner_u - 1.0, corner_u, corner_u[:1] + 1.0])
    return [
        (loop_u[inside], loop_s[inside])
        for a, b in zip(ends[:-1], ends[1:], strict=True)
        if (inside := (loop_u >= a - 1e-12) & (loop_u <= b + 1e-12)).sum() > 1
    ]


def _through(runs: Sequence[tuple[Array, Array]]) -> list[PPoly]:
    """The C2 curve through each run's shares (n,) at u (n,) that does not turn back; between two it is straight."""
    found: dict[int, PPoly] = {}
    alike: dict[bytes, list[int]] = {}
    for k, (u, share) in enumerate(runs):
        if len(u) > 2:
            alike.setdefault(u.tobytes(), []).append(k)
            continue
        powers = np.zeros((6, 1, 1))
        powers[-2:, 0, 0] = (share[1] - share[0]) / (u[1] - u[0]), share[0]
        found[k] = PPoly.construct_fast(powers, u)
    for rows in alike.values():
        curves = smooth_each(runs[rows[0]][0], np.stack([runs[k][1] for k in rows], axis=1))
        found |= {k: curve.pieces() for k, curve in zip(rows, curves, strict=True)}
    return [found[k] for k in range(len(runs))]


def _from_0_to_1(pieces: Sequence[PPoly]) -> PPoly:
    """Curves that follow each other, as one, cut to 0 … 1."""
    starts, powers = np.concatenate([p.x[:-1] for p in pieces]), np.concatenate([p.c for p in pieces], axis=1)
    ends = np.append(starts[1:], pieces[-1].x[-1])
    here = (ends > 0.0) & (starts < 1.0)
    breaks = np.append(np.maximum(starts[here], 0.0), 1.0)
    shift = breaks[:-1] - starts[here]
    return PPoly(_begun_later(powers[:, here], shift), breaks)


def _begun_later(powers: Array, shift: Array) -> Array:
    """Polynomials (degree + 1, pieces, m), highest power first, in a variable that begins `shift` (pieces,) later."""
    result = powers.copy()
    for k in range(1, len(powers)):
        for row in range(1, len(powers) - k + 1):
            result[row] += shift[:, None] * result[row - 1]
    return result


def sampler(outlines: Sequence[Outline2D], weights: Array, maps: Sequence[PPoly]) -> Callable[[Array], Array]:
    """u (n,) → (n, 2 outlines) points of all outlines at once, each weighted."""
    shares, points = _side_by_side(maps), _side_by_side([o.pieces for o in outlines])
    begins = GAP * np.arange(len(outlines))[:, None]
    closed = not outlines[0].open

    def sample(u: Array) -> Array:
        share = shares(u + begins)[..., 0]
        share = np.mod(share, 1.0) if closed else np.clip(share, 0.0, 1.0)
        found = weights[:, None, None] * points(share + begins)
        return np.asarray(found.transpose(1, 0, 2).reshape(len(u), -1))

    return sample


GAP = 2.0
"""How far apart the curves of a family lie in one parameter; each takes 1 of it."""


def _side_by_side(curves: Sequence[PPoly]) -> PPoly:
    """One curve that runs through all `curves`, each from 0 to 1, with the k-th one begun at k times `GAP`."""
    degree = max(len(c.c) for c in curves)
    powers, breaks = [], []
    for k, curve in enumerate(curves):
        rest = curve(np.array([curve.x[-1]]))[None]
        still = np.concatenate(
            [np.zeros((len(curve.c) - 1, *rest.shape[1:])), rest]
        )  # it rests at its end up to the next
        rows = np.concatenate([curve.c, still], axis=1)
        powers.append(np.concatenate([np.zeros((degree - len(rows), *rows.shape[1:])), rows]))
        breaks.append(curve.x + k * GAP)
    return PPoly(np.concatenate(powers, axis=1), np.append(np.concatenate(breaks), GAP * len(curves)))
