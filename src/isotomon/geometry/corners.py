"""Corners of curves in space: rounded off by bends, or found as the corners of a run of straight lines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, PlaceError
from isotomon.geometry.datums import SpaceCurve

NEAR = 1e-7
"""Parameters this near to a corner are on either side of it."""


@dataclass(frozen=True, eq=False)
class _Stretch:
    length: float
    at: Callable[[Array], Array]


def rounded(curve: SpaceCurve, radius: float) -> SpaceCurve:
    """The curve with its corners rounded off: by arcs of a radius (mm) between straight runs, and by as smooth a bend, begun
    as far from the corner, between others.

    Raises: DesignError, when a bend does not find room between its neighbours.
    """
    if not curve.corners:
        return curve
    if not radius > 0.0:
        raise DesignError("corners are rounded by a radius greater than nought")
    corners = sorted(c % 1.0 if curve.closed else c for c in curve.corners)
    edges = [*corners, corners[0] + 1.0] if curve.closed else [0.0, *corners, 1.0]
    pieces = [_Between(curve, a, b) for a, b in zip(edges[:-1], edges[1:], strict=True)]
    bends = [_bend(curve, c, radius) for c in corners]
    cuts = [*bends, bends[0]] if curve.closed else [0.0, *bends, 0.0]
    stretches: list[_Stretch] = []
    for k, piece in enumerate(pieces):
        low, high = cuts[k], piece.length - cuts[k + 1]
        if high - low < -1e-9 * piece.length:
            x, y, z = piece.at(np.zeros(1))[0].tolist()
            raise PlaceError(
                f"bends of radius {radius:.4g} mm have no room on the run after ({x:.4g}, {y:.4g}, {z:.4g}), which is "
                f"{piece.length:.4g} mm long; use a smaller radius",
                (x, y, z),
            )
        a, b = piece.place(low), piece.place(max(high, low))
        stretches.append(_Stretch(max(high - low, 0.0), _part(piece, a, b)))
        if k + 1 < len(pieces) or curve.closed:
            after = pieces[(k + 1) % len(pieces)]
            stretches.append(_arc(piece, b, after, after.place(cuts[k + 1]), radius))
    return _joined([s for s in stretches if s.length > 1e-12], curve.closed)


class _Between:
    """The stretch of a curve between two corners, its parameter from nought to one; never asked for beyond them."""

    def __init__(self, curve: SpaceCurve, a: float, b: float) -> None:
        self.curve, self.a, self.b = curve, a, b
        self._t = np.linspace(0.0, 1.0, 2001)
        steps = np.linalg.norm(np.diff(self.at(self._t), axis=0), axis=1)
        self._run = np.r_[0.0, np.cumsum(steps)]

    @property
    def length(self) -> float:
        return float(self._run[-1])

    def at(self, t: Array) -> Array:
        """(n, 3) places."""
        where = self.a + np.clip(t, NEAR, 1.0 - NEAR) * (self.b - self.a)
        return self.curve.at(np.mod(where, 1.0) if self.curve.closed else where)

    def place(self, length: float) -> float:
        """The parameter so many mm from its start."""
        return float(np.interp(length, self._run, self._t))

    def way(self, t: float) -> Array:
        """(3,) the direction there, of length 1."""
        a, b = max(t - 1e-5, 0.0), min(t + 1e-5, 1.0)
        p, q = self.at(np.array([a, b]))
        return np.asarray((q - p) / np.linalg.norm(q - p))


def _ways(curve: SpaceCurve, corner: float) -> tuple[Array, Array]:
    """Directions of length 1 before and after a corner."""
    c = corner % 1.0 if curve.closed else corner
    out = []
    for side in (-1.0, 1.0):
        a, b = c + side * NEAR, c + side * 1e-5
        p, q = curve.at(np.mod(np.array([a, b]), 1.0) if curve.closed else np.clip(np.array([a, b]), 0.0, 1.0))
        way = (q - p) * side
        out.append(way / np.linalg.norm(way))
    return out[0], out[1]


def _bend(curve: SpaceCurve, corner: float, radius: float) -> float:
    """How far before and after a corner its bend reaches, mm."""
    a, b = _ways(curve, corner)
    turn = float(np.arccos(np.clip(a @ b, -1.0, 1.0)))
    _check_turn(turn, curve.at(np.array([corner % 1.0]))[0])
    return radius * float(np.tan(turn / 2.0))


def _check_turn(turn: float, place: Array) -> None:
    """Raises: PlaceError, for a corner at which the path comes back on itself."""
    if turn > np.radians(175.0):
        x, y, z = place.tolist()
        raise PlaceError(
            f"the path turns back on itself at ({x:.4g}, {y:.4g}, {z:.4g}); neither a bend nor a mitre can be there",
            (x, y, z),
        )


def _part(piece: _Between, a: float, b: float) -> Callable[[Array], Array]:
    return lambda s: piece.at(a + s * (b - a))


def _arc(before: _Between, a: float, after: _Between, b: float, radius: float) -> _Stretch:
    """The bend from a place on one piece to one on the next: a circle's arc where both ends lie on it, else a quintic's."""
    p, q = before.at(np.array([a]))[0], after.at(np.array([b]))[0]
    u, v = before.way(a), after.way(b)
    turn = float(np.arccos(np.clip(u @ v, -1.0, 1.0)))
    inward = v - (v @ u) * u
    inward = inward / max(float(np.linalg.norm(inward)), 1e-300)
    end = p + radius * (np.sin(turn) * u + (1.0 - np.cos(turn)) * inward)
    if np.linalg.norm(end - q) < 1e-4 * radius:
        centre = p + radius * inward
        return _Stretch(
            radius * turn,
            lambda s: centre + radius * (np.sin(turn * s)[:, None] * u - np.cos(turn * s)[:, None] * inward),
        )
    far = float(np.linalg.norm(q - p))

    def at(s: Array) -> Array:
        s = s[:, None]
        h = [
            s**3 * (10.0 - 15.0 * s + 6.0 * s * s),
            s - 6.0 * s**3 + 8.0 * s**4 - 3.0 * s**5,
            -4.0 * s**3 + 7.0 * s**4 - 3.0 * s**5,
        ]
        return np.asarray(p + h[0] * (q - p) + far * (h[1] * u + h[2] * v))

    fine = at(np.linspace(0.0, 1.0, 401))
    return _Stretch(float(np.linalg.norm(np.diff(fine, axis=0), axis=1).sum()), at)


def _joined(stretches: list[_Stretch], closed: bool) -> SpaceCurve:
    edges = np.r_[0.0, np.cumsum([s.length for s in stretches])]
    edges = edges / edges[-1]

    def at(s: Array) -> Array:
        s = np.asarray(s, dtype=float)
        which = np.clip(np.searchsorted(edges, s, side="right") - 1, 0, len(stretches) - 1)
        points = np.empty((len(s), 3))
        for k, stretch in enumerate(stretches):
            here = which == k
            if here.any():
                points[here] = stretch.at(np.clip((s[here] - edges[k]) / (edges[k + 1] - edges[k]), 0.0, 1.0))
        return points

    return SpaceCurve(at, closed, joints=tuple(edges[1:-1].tolist()))


def polyline(curve: SpaceCurve, what: str) -> tuple[Array, float]:
    """(n, 3) corners of a run of straight lines, with the ends of an open one, and at which parameter the first of them lies.

    Raises: DesignError, when it is not straight between its corners, or comes back on itself at one.
    """
    corners = sorted(c % 1.0 if curve.closed else c for c in curve.corners)
    places = np.array([*corners, corners[0] + 1.0] if curve.closed else [0.0, *corners, 1.0])
    for a, b in zip(places[:-1], places[1:], strict=True):
        t = np.linspace(a, b, 35)
        p, *inner, q = curve.at(np.where(t > 1.0, t - 1.0, t))
        far = float(np.linalg.norm(q - p))
        way = (q - p) / max(far, 1e-300)
        away = np.array(inner) - p
        if np.linalg.norm(away - (away @ way)[:, None] * way, axis=1).max() > 1e-6 * max(far, 1e-9):
            raise DesignError(f"{what} is not straight between its corners, so that they cannot be mitred; round them")
    found = curve.at(places[:-1] if curve.closed else places)
    ways = np.diff(np.vstack([found, found[:2]]) if curve.closed else found, axis=0)
    ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
    for k, cosine in enumerate(np.einsum("nk,nk->n", ways[:-1], ways[1:]), 1):
        _check_turn(float(np.arccos(np.clip(cosine, -1.0, 1.0))), found[k % len(found)])
    return found, float(places[0])
