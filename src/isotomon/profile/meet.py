"""Where curves meet, and the nearest place on a curve."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.planar import cross
from isotomon.profile.curves import CurvePiece

SAMPLES = 161


def _samples(piece: CurvePiece) -> Array:
    return np.linspace(0.0, 1.0, 2 if piece.kind == "line" else SAMPLES)


def meets(a: CurvePiece, b: CurvePiece, size: float) -> Array:
    """(n, 2) parameters on a and b of the places where they cross or touch ends, in order along a."""
    ta, tb = _samples(a), _samples(b)
    p, q = a.at(ta), b.at(tb)
    d, e = np.diff(p, axis=0), np.diff(q, axis=0)
    gap = q[None, :-1] - p[:-1, None]
    cell = cross(d[:, None], e[None])
    sound = np.abs(cell) > 1e-14 * size * size
    safe = np.where(sound, cell, 1.0)
    s, t = cross(gap, e[None]) / safe, cross(gap, d[:, None]) / safe
    slack = 0.05
    i, j = np.nonzero(sound & (s > -slack) & (s < 1 + slack) & (t > -slack) & (t < 1 + slack))
    if not len(i):
        return np.zeros((0, 2))
    x = ta[i] + s[i, j] * np.diff(ta)[i]
    y = tb[j] + t[i, j] * np.diff(tb)[j]
    for _ in range(8):
        x, y = np.clip(x, 0.0, 1.0), np.clip(y, 0.0, 1.0)
        gap = b.at(y) - a.at(x)
        u, v = a.slope(x), b.slope(y)
        det = cross(u, v)
        det = np.where(np.abs(det) < 1e-14 * size * size, np.inf, det)
        x, y = x + cross(gap, v) / det, y + cross(gap, u) / det
    x, y = np.clip(x, 0.0, 1.0), np.clip(y, 0.0, 1.0)
    close = np.linalg.norm(b.at(y) - a.at(x), axis=1) < 1e-8 * size
    found = np.stack([x[close], y[close]], axis=1)
    found = found[np.argsort(found[:, 0])]
    keep: list[Array] = []
    for row in found:
        if all(float(np.abs(row - other).max()) > 1e-7 for other in keep):
            keep.append(row)
    return np.array(keep).reshape(-1, 2)


def nearest(piece: CurvePiece, point: Array) -> tuple[float, float]:
    """(parameter, distance) of the place on a piece nearest to a point."""
    t = _samples(piece)
    on = piece.at(t)
    if piece.kind == "line":
        along = on[1] - on[0]
        share = float(np.clip((point - on[0]) @ along / max(float(along @ along), 1e-300), 0.0, 1.0))
        return share, float(np.hypot(*(on[0] + share * along - point)))
    best = int(np.argmin(np.linalg.norm(on - point, axis=1)))
    low, high = t[max(best - 1, 0)], t[min(best + 1, len(t) - 1)]
    for _ in range(3):  # each pass looks twenty times as closely
        t = np.linspace(low, high, 41)
        distance = np.linalg.norm(piece.at(t) - point, axis=1)
        best = int(np.argmin(distance))
        low, high = t[max(best - 1, 0)], t[min(best + 1, 40)]
    return float(t[best]), float(distance[best])
