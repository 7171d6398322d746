"""A drawing's variables, its parts as forms of them, and the equations by shape."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from isotomon.arrays import Array
from isotomon.profile.curves import SplineFrame, frame_of
from isotomon.profile.drawing import (
    Arc,
    CirclePart,
    Curve,
    Drawing,
    Line,
    Oval,
    Part,
    Spline,
)
from isotomon.profile.forms import NOUGHT, LinearForm, Vec, combine, fixed

Terms = tuple[tuple[float, Vec], ...]
Function = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]


@dataclass
class EquationRows:
    """Equations by shape, each with its owner (a constraint's id, or a part's for what holds it together).

    linear: form = goal. lengths: Σ sign·|vector| + form = goal. dots: scale·(u·v) = goal.
    beside: sign·(u × v)/|v| + Σ sign·|vector| + form = goal. turns: size·angle from u to v = goal (wrapped).
    general: function of the forms = goal, differentiated by complex steps, which is exact to rounding
    (source: Squire and Trapp, SIAM Review 40 (1998) 110).
    """

    linear: list[tuple[str, LinearForm]] = field(default_factory=list)
    lengths: list[tuple[str, Terms, LinearForm]] = field(default_factory=list)
    dots: list[tuple[str, float, Vec, Vec]] = field(default_factory=list)
    beside: list[tuple[str, float, Vec, Vec, Terms, LinearForm]] = field(default_factory=list)
    turns: list[tuple[str, Vec, Vec]] = field(default_factory=list)
    general: list[tuple[str, Function, tuple[LinearForm, ...]]] = field(default_factory=list)
    factors: dict[str, float] = field(default_factory=dict)
    """Dimension id → what its figure is multiplied by to be the goal of its row."""


class Geometry:
    """Knows the drawing's variables, and what its parts are as forms of them; writes what holds parts together into rows. `x` holds the coordinates signs are taken from."""

    def __init__(self, drawing: Drawing, outside: Mapping[str, tuple[float, float]]) -> None:
        self.parts: dict[str, Part] = {p.id: p for p in drawing.parts}
        self.vec: dict[str, Vec] = {}
        self.scalar: dict[str, LinearForm] = {}
        self.handle: dict[str, Vec] = {}
        self.names: list[str] = []
        start: list[float] = []

        def variable(name: str, value: float) -> LinearForm:
            self.names.append(name)
            start.append(value)
            return LinearForm({len(start) - 1: 1.0})

        for p in drawing.points:
            if p.source:
                self.vec[p.id] = fixed(*outside.get(p.source, (p.x, p.y)))
            else:
                self.vec[p.id] = Vec(variable(p.id, p.x), variable(p.id, p.y))
        for part in drawing.parts:
            if isinstance(part, CirclePart | Oval):
                self.scalar[part.id] = variable(part.id, part.radius if isinstance(part, CirclePart) else part.minor)
            if isinstance(part, Curve):
                for index, h in enumerate(part.handles):
                    if h is not None:
                        key = f"{part.id}@{index}"
                        self.handle[key] = Vec(variable(key, h.x), variable(key, h.y))
        self._aux = variable
        self._start = start
        places = np.array([(p.x, p.y) for p in drawing.points]) if drawing.points else np.zeros((1, 2))
        radii = [p.radius for p in drawing.parts if isinstance(p, CirclePart)]
        self.size = max(float(np.ptp(places, axis=0).max()), 2.0 * max(radii, default=0.0), 1e-6)
        self.rows = EquationRows()
        self._joined = _joined(drawing)
        for part in drawing.parts:
            self._hold(part)

    @property
    def x(self) -> Array:
        """(n,) where the variables begin."""
        return np.array(self._start)

    # Geometry of parts as forms

    def _direction(self, ref: str) -> Vec:
        """A line's direction, or a handle's tangent."""
        if "@" in ref:
            return self._tangent_at(ref)
        line = self.parts[ref]
        assert isinstance(line, Line)
        return self.vec[line.b].minus(self.vec[line.a])

    def _tangent_at(self, ref: str) -> Vec:
        if ref in self.handle:
            return self.handle[ref]
        key, _, index = ref.partition("@")
        curve = self.parts[key]
        assert isinstance(curve, Curve)
        return self._on_frame(curve, curve.params[int(index)], 1)

    def _sources(self, part: Curve | Spline) -> list[Vec]:
        held = [self.handle[f"{part.id}@{i}"] for i in frame_of(part).held] if isinstance(part, Curve) else []
        return [self.vec[p] for p in part.points] + held

    def _on_frame(self, part: Curve | Spline, t: float, derivative: int) -> Vec:
        return combine(frame_of(part).row(np.array([t]), derivative)[0], self._sources(part))

    def _centre(self, ref: str) -> Vec:
        part = self.parts.get(ref)
        return self.vec[part.centre] if isinstance(part, Arc | CirclePart | Oval) else self.vec[ref]

    def _radius(self, ref: str, sign: float = 1.0) -> tuple[Terms, LinearForm]:
        """A circle's radius as a length or a form, times `sign`."""
        part = self.parts[ref]
        if isinstance(part, CirclePart):
            return (), self.scalar[ref].times(sign)
        assert isinstance(part, Arc)
        return ((sign, self.vec[part.a].minus(self.vec[part.centre])),), NOUGHT

    def _value(self, terms: Terms, form: LinearForm) -> float:
        x = self.x
        return form.at(x) + sum(sign * float(np.hypot(*v.at(x))) for sign, v in terms)

    def _side(self, u: Vec, v: Vec) -> float:
        a, b = u.at(self.x), v.at(self.x)
        return -1.0 if a[0] * b[1] - a[1] * b[0] < 0.0 else 1.0

    # Rows

    def _dot(self, owner: str, u: Vec, v: Vec) -> None:
        """u · v = 0, scaled to a length."""
        scale = 1.0 / max(float(np.hypot(*v.at(self.x))), 1e-3 * self.size)
        self.rows.dots.append((owner, scale, u, v))

    def _cross(self, owner: str, u: Vec, v: Vec) -> None:
        self._dot(owner, u, v.turned())

    def _equal_vectors(self, owner: str, a: Vec, b: Vec) -> None:
        difference = a.minus(b)
        self.rows.linear += [(owner, difference.x), (owner, difference.y)]

    def _hold(self, part: Part) -> None:
        """What a part itself demands: an arc's ends are equally far from its centre, an ellipse's lie on it."""
        if isinstance(part, Arc):
            centre = self.vec[part.centre]
            terms = ((1.0, self.vec[part.a].minus(centre)), (-1.0, self.vec[part.b].minus(centre)))
            self.rows.lengths.append((part.id, terms, NOUGHT))
        if isinstance(part, Oval):
            for end in (part.a, part.b):
                if end is not None:
                    self._on_oval(part.id, self.vec[end], part)

    def _on_oval(self, owner: str, p: Vec, oval: Oval) -> None:
        away, major = p.minus(self.vec[oval.centre]), self.vec[oval.major].minus(self.vec[oval.centre])
        size = self.size

        def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
            px, py, mx, my, minor = v
            length = mx * mx + my * my
            along = (px * mx + py * my) / length
            across = (mx * py - my * px) / (np.sqrt(length) * minor)
            return size * (along * along + across * across - 1.0) / 2.0

        self.rows.general.append((owner, off, (away.x, away.y, major.x, major.y, self.scalar[oval.id])))

    def _on_spline(self, owner: str, p: Vec, part: Curve | Spline) -> None:
        """p lies on the curve at a parameter that is a variable of its own."""
        frame, sources = frame_of(part), self._sources(part)
        x = self.x
        t = np.linspace(frame.start, frame.end, 401)
        on = frame.row(t) @ np.array([s.at(x) for s in sources])
        near = float(t[np.argmin(np.linalg.norm(on - p.at(x), axis=1))])
        aux = self._aux(f"{owner}~", near * self.size)
        forms = [combine(row, sources) for row in frame.weights]
        for axis in (0, 1):
            target = p.x if axis == 0 else p.y
            chosen = tuple(f.x if axis == 0 else f.y for f in forms)
            self.rows.general.append((owner, on_curve(frame, self.size), (aux, target, *chosen)))


def _joined(drawing: Drawing) -> dict[str, str]:
    """Point id → the one name of all points that coincidence makes one with it."""
    name = {p.id: p.id for p in drawing.points}

    def top(key: str) -> str:
        while name[key] != key:
            key = name[key]
        return key

    for c in drawing.constraints:
        if c.kind == "coincident":
            a, b = (top(ref) for ref in c.on)
            name[a] = b
    return {key: top(key) for key in name}


def on_curve(frame: SplineFrame, size: float) -> Function:
    """Residual of one coordinate: pole values at parameter t, less the point's. Forms: t·size, the point, the poles."""
    p = frame.degree

    def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
        t = v[0] / size
        real = np.clip(np.atleast_1d(t.real), frame.start, frame.end)
        span = np.clip(np.searchsorted(frame.knots, real, side="right") - 1, p, len(frame.knots) - p - 2)
        # De Boor's recursion, which carries complex steps (source: de Boor, A Practical Guide to Splines, ch. X).
        poles = v[2:]
        d = [poles[span - p + j, np.arange(poles.shape[1])] for j in range(p + 1)]
        for r in range(1, p + 1):
            for j in range(p, r - 1, -1):
                low, high = frame.knots[span - p + j], frame.knots[span + 1 + j - r]
                a = (t - low) / (high - low)
                d[j] = (1.0 - a) * d[j - 1] + a * d[j]
        return np.asarray(d[p] - v[1])

    return off


def _oval_gradient(v: NDArray[np.complex128], minor: NDArray[np.complex128]) -> tuple[Any, Any]:
    """Outward normal of an ellipse with half axis v[2:4] at its centre + v[:2]."""
    ax, ay, mx, my = v
    length = mx * mx + my * my
    along = (ax * mx + ay * my) / (length * length)
    across = (mx * ay - my * ax) / (length * minor * minor)
    return along * mx - across * my, along * my + across * mx


def oval_touches(size: float) -> Function:
    """The equation of an ellipse tangent to a direction: of a point of it from its centre (2), a half axis (2), the direction
    (2) and the other half axis. `size`: what it is measured by, mm."""

    def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
        ux, uy, minor = v[4:]
        gx, gy = _oval_gradient(v[:4], minor)
        return size * (gx * ux + gy * uy) / (np.sqrt(gx * gx + gy * gy) * np.sqrt(ux * ux + uy * uy))

    return off


def ovals_touch(size: float) -> Function:
    """The equation of two ellipses tangent where they meet: of the point from each centre and a half axis (4 each), and the
    two other half axes. `size`: what it is measured by, mm."""

    def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
        gx, gy = _oval_gradient(v[:4], v[8])
        hx, hy = _oval_gradient(v[4:8], v[9])
        return size * (gx * hy - gy * hx) / (np.sqrt(gx * gx + gy * gy) * np.sqrt(hx * hx + hy * hy))

    return off
