"""A sheet that readers put lines and curves on, in mm; it keeps counts and numbers within bounds."""

from __future__ import annotations

import math
from collections import Counter

import numpy as np
from scipy.interpolate import CubicHermiteSpline

from isotomon.arrays import Array
from isotomon.errors import FileError
from isotomon.profile.curves import spread
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing, TangentHandle

MOST_PIECES = 5000
FURTHEST = 1e6
"""mm: a drawing of a section does not reach further."""


class PieceCollector:
    """Readers call its methods with mm; `name` is the file's, for messages."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.pen = Pen(Drawing("g1", "sheet"))
        self._others: Counter[str] = Counter()

    def other(self, kind: str) -> None:
        """Something that is not drawn: counted, to be said."""
        self._others[kind] += 1

    def left_out(self) -> str:
        """What was left out, in words, after a semicolon; empty when nothing was."""
        if not self._others:
            return ""
        kinds = ", ".join(f"{n} × {kind}" for kind, n in self._others.most_common(5))
        return f"; left out: {kinds}"

    def _point(self, x: float, y: float) -> str:
        if not (math.isfinite(x) and math.isfinite(y)):
            raise FileError(f"{self.name} holds a coordinate that is no number")
        if max(abs(x), abs(y)) > FURTHEST:
            raise FileError(f"{self.name} reaches {max(abs(x), abs(y)):g} mm from its origin; check its units")
        if len(self.pen.parts) >= MOST_PIECES:
            raise FileError(f"{self.name} holds more than {MOST_PIECES} lines and curves; simplify it first")
        return self.pen.point(x, y)

    def line(self, a: Array, b: Array) -> None:
        """A straight line; one without length is passed over."""
        if not np.array_equal(a, b):
            self.pen.line(self._point(*a.tolist()), self._point(*b.tolist()))

    def point(self, a: Array) -> None:
        """A single point."""
        self._point(*a.tolist())

    def ring(self, centre: Array, radius: float) -> None:
        """A whole circle."""
        if radius > 0.0:
            self.pen.ring(self._point(*centre.tolist()), radius)

    def arc(self, centre: Array, radius: float, start: float, end: float) -> None:
        """A circular arc, counter-clockwise between angles in rad."""
        if radius > 0.0:
            a, b = (centre + radius * np.array([math.cos(t), math.sin(t)]) for t in (start, end))
            self.pen.arc(self._point(*centre.tolist()), self._point(*a.tolist()), self._point(*b.tolist()))

    def oval(self, centre: Array, major: Array, ratio: float, start: float, end: float) -> None:
        """An ellipse with a half axis vector and the ratio of the other to it, or its part between parameters in rad."""
        size = float(np.hypot(*major))
        if size == 0.0 or ratio == 0.0:
            return
        minor = ratio * np.array([-major[1], major[0]])
        c, tip = self._point(*centre.tolist()), self._point(*(centre + major).tolist())
        if abs(end - start) >= 2 * math.pi - 1e-9:
            self.pen.oval(c, tip, abs(ratio) * size)
            return
        a, b = (centre + math.cos(t) * major + math.sin(t) * minor for t in (start, end))
        self.pen.oval(c, tip, abs(ratio) * size, self._point(*a.tolist()), self._point(*b.tolist()))

    def bezier(self, poles: Array) -> None:
        """A cubic Bézier arc by its four poles, kept exactly."""
        self.hermite(
            poles[[0, 3]], np.array([3.0 * (poles[1] - poles[0]), 3.0 * (poles[3] - poles[2])]), np.array([0.0, 1.0])
        )

    def hermite(self, points: Array, slopes: Array, params: Array) -> None:
        """A cubic through points with all its tangents held."""
        if np.ptp(points, axis=0).max() == 0.0 and not slopes.any():
            return
        if not (np.isfinite(slopes).all() and np.isfinite(points).all()):
            raise FileError(f"{self.name} holds a curve whose direction is no number")
        if np.allclose(points[0], points[-1], atol=1e-9 * max(float(np.ptp(points, axis=0).max()), 1e-300)):
            self._loop(points, slopes, params)
            return
        keys = [self._point(*p.tolist()) for p in points]
        self.pen.curve(keys, params.tolist(), handles=[TangentHandle(*s.tolist()) for s in slopes])

    def _loop(self, points: Array, slopes: Array, params: Array) -> None:
        """A cubic that comes back to where it began: closed when it does so smoothly, else in two halves."""
        if len(points) > 3 and np.allclose(slopes[0], slopes[-1], atol=1e-6 * float(np.abs(slopes).max())):
            keys = [self._point(*p.tolist()) for p in points[:-1]]
            self.pen.curve(
                keys, params.tolist(), closed=True, handles=[TangentHandle(*s.tolist()) for s in slopes[:-1]]
            )
            return
        cubic = CubicHermiteSpline(params, points, slopes)
        middle = 0.5 * float(params[0] + params[-1])
        for low, high in ((float(params[0]), middle), (middle, float(params[-1]))):
            t = np.unique(np.r_[low, params[(params > low) & (params < high)], high])
            inner = (t[1:-1] - low) / (high - low)
            self.hermite(cubic(t), cubic(t, 1) * (high - low), np.r_[0.0, inner, 1.0])

    def through(self, points: Array) -> None:
        """Smooth curves through points, parted at corners sharper than 30°; closed when the last is the first again."""
        closed = (
            bool(np.allclose(points[0], points[-1], atol=1e-9 * max(float(np.ptp(points)), 1e-300))) and len(points) > 3
        )
        ways = np.diff(points, axis=0)
        turn = np.abs(np.angle((ways[1:, 0] + 1j * ways[1:, 1]) / (ways[:-1, 0] + 1j * ways[:-1, 1])))
        corners = (np.flatnonzero(turn > math.radians(30.0)) + 1).tolist()
        if closed:
            seam = abs(np.angle(complex(*ways[0]) / complex(*ways[-1])))
            if not corners and seam <= math.radians(30.0):
                keys = [self._point(*p.tolist()) for p in points[:-1]]
                self.pen.curve(keys, spread(points[:-1], True), closed=True)
                return
        for a, b in zip([0, *corners], [*corners, len(points) - 1], strict=True):
            if b - a == 1:
                self.line(points[a], points[b])
            else:
                for c, d in [(a, b)] if not closed or b - a < len(points) - 1 else [(a, b // 2), (b // 2, b)]:
                    keys = [self._point(*p.tolist()) for p in points[c : d + 1]]
                    self.pen.curve(keys, spread(points[c : d + 1], False))

    def done(self, name: str) -> Drawing:
        """All that was put on the sheet."""
        drawing = self.pen.done()
        return Drawing(drawing.id, name, drawing.points, drawing.parts, drawing.constraints)
