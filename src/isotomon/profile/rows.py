"""Constraints written as equations on a drawing's variables: which rows each kind makes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import ProfileError
from isotomon.model.drawing import (
    Arc,
    Constraint,
    Curve,
    Drawing,
    Line,
    Oval,
    Part,
    Ring,
    Spline,
    letter_of,
    part_ends,
    part_points,
)
from isotomon.profile.curves import Frame, frame_of
from isotomon.profile.forms import NOUGHT, Form, Vec, combine, fixed

Array = NDArray[np.float64]
Terms = tuple[tuple[float, Vec], ...]
Function = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]


@dataclass
class Rows:
    """Equations by shape, each with its owner (a constraint's id, or a part's for what holds it together).

    linear: form = goal. lengths: Σ sign·|vector| + form = goal. dots: scale·(u·v) = goal.
    beside: sign·(u × v)/|v| + Σ sign·|vector| + form = goal. turns: size·angle from u to v = goal (wrapped).
    general: function of the forms = goal, differentiated by complex steps, which is exact to rounding
    (source: Squire and Trapp, SIAM Review 40 (1998) 110).
    """

    linear: list[tuple[str, Form]] = field(default_factory=list)
    lengths: list[tuple[str, Terms, Form]] = field(default_factory=list)
    dots: list[tuple[str, float, Vec, Vec]] = field(default_factory=list)
    beside: list[tuple[str, float, Vec, Vec, Terms, Form]] = field(default_factory=list)
    turns: list[tuple[str, Vec, Vec]] = field(default_factory=list)
    general: list[tuple[str, Function, tuple[Form, ...]]] = field(default_factory=list)
    factors: dict[str, float] = field(default_factory=dict)
    """Dimension id → what its figure is multiplied by to be the goal of its row."""


class Writer:
    """Knows the drawing's variables; writes constraints into rows. `x` holds the coordinates signs are taken from."""

    def __init__(self, drawing: Drawing, outside: Mapping[str, tuple[float, float]]) -> None:
        self.parts: dict[str, Part] = {p.id: p for p in drawing.parts}
        self.vec: dict[str, Vec] = {}
        self.scalar: dict[str, Form] = {}
        self.handle: dict[str, Vec] = {}
        self.names: list[str] = []
        start: list[float] = []

        def variable(name: str, value: float) -> Form:
            self.names.append(name)
            start.append(value)
            return Form({len(start) - 1: 1.0})

        for p in drawing.points:
            if p.source:
                self.vec[p.id] = fixed(*outside.get(p.source, (p.x, p.y)))
            else:
                self.vec[p.id] = Vec(variable(p.id, p.x), variable(p.id, p.y))
        for part in drawing.parts:
            if isinstance(part, Ring | Oval):
                self.scalar[part.id] = variable(part.id, part.radius if isinstance(part, Ring) else part.minor)
            if isinstance(part, Curve):
                for index, h in enumerate(part.handles):
                    if h is not None:
                        key = f"{part.id}@{index}"
                        self.handle[key] = Vec(variable(key, h.x), variable(key, h.y))
        self._aux = variable
        self._start = start
        places = np.array([(p.x, p.y) for p in drawing.points]) if drawing.points else np.zeros((1, 2))
        radii = [p.radius for p in drawing.parts if isinstance(p, Ring)]
        self.size = max(float(np.ptp(places, axis=0).max()), 2.0 * max(radii, default=0.0), 1e-6)
        self.rows = Rows()
        self._joined = _joined(drawing)
        for part in drawing.parts:
            self._hold(part)

    @property
    def x(self) -> Array:
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
        return self.vec[part.centre] if isinstance(part, Arc | Ring | Oval) else self.vec[ref]

    def _radius(self, ref: str, sign: float = 1.0) -> tuple[Terms, Form]:
        """A circle's radius as a length or a form, times `sign`."""
        part = self.parts[ref]
        if isinstance(part, Ring):
            return (), self.scalar[ref].times(sign)
        assert isinstance(part, Arc)
        return ((sign, self.vec[part.a].minus(self.vec[part.centre])),), NOUGHT

    def _value(self, terms: Terms, form: Form) -> float:
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
            self.rows.general.append((owner, _on_curve(frame, self.size), (aux, target, *chosen)))

    def write(self, c: Constraint) -> None:
        """Add a constraint's rows."""
        letters = "".join(letter_of(self.parts, set(self.vec), ref) for ref in c.on)
        getattr(self, f"row_{c.kind}")(c, letters)

    def row_coincident(self, c: Constraint, letters: str) -> None:
        self._equal_vectors(c.id, self.vec[c.on[0]], self.vec[c.on[1]])

    def row_on(self, c: Constraint, letters: str) -> None:
        p, part = self.vec[c.on[0]], self.parts[c.on[1]]
        if isinstance(part, Line):
            self.rows.beside.append((c.id, 1.0, p.minus(self.vec[part.a]), self._direction(c.on[1]), (), NOUGHT))
        elif isinstance(part, Arc | Ring):
            terms, form = self._radius(c.on[1], -1.0)
            self.rows.lengths.append((c.id, ((1.0, p.minus(self._centre(c.on[1]))), *terms), form))
        elif isinstance(part, Oval):
            self._on_oval(c.id, p, part)
        else:
            self._on_spline(c.id, p, part)

    def _level(self, c: Constraint, axis: int) -> None:
        if len(c.on) == 2:
            v = self.vec[c.on[1]].minus(self.vec[c.on[0]])
        else:
            v = self._direction(c.on[0])
        self.rows.linear.append((c.id, v.y if axis == 0 else v.x))

    def row_horizontal(self, c: Constraint, letters: str) -> None:
        self._level(c, 0)

    def row_vertical(self, c: Constraint, letters: str) -> None:
        self._level(c, 1)

    def row_parallel(self, c: Constraint, letters: str) -> None:
        self._cross(c.id, self._direction(c.on[0]), self._direction(c.on[1]))

    def row_square(self, c: Constraint, letters: str) -> None:
        self._dot(c.id, self._direction(c.on[0]), self._direction(c.on[1]))

    def row_in_line(self, c: Constraint, letters: str) -> None:
        first = self.parts[c.on[0]]
        assert isinstance(first, Line)
        along, start = self._direction(c.on[0]), self.vec[first.a]
        other = self.parts.get(c.on[1])
        points = (other.a, other.b) if isinstance(other, Line) else (c.on[1],)
        for p in points:
            self.rows.beside.append((c.id, 1.0, self.vec[p].minus(start), along, (), NOUGHT))

    def row_concentric(self, c: Constraint, letters: str) -> None:
        self._equal_vectors(c.id, self._centre(c.on[0]), self._centre(c.on[1]))

    def row_equal(self, c: Constraint, letters: str) -> None:
        a, b = c.on
        if letters == "cc":
            (first, one), (second, two) = self._radius(a), self._radius(b, -1.0)
            self.rows.lengths.append((c.id, (*first, *second), one.plus(two)))
        elif letters == "oo":
            self.rows.linear.append((c.id, self.scalar[a].plus(self.scalar[b], -1.0)))
            axes = [(s, self._major(k)) for s, k in ((1.0, a), (-1.0, b))]
            self.rows.lengths.append((c.id, tuple(axes), NOUGHT))
        else:
            self.rows.lengths.append((c.id, ((1.0, self._direction(a)), (-1.0, self._direction(b))), NOUGHT))

    def _major(self, key: str) -> Vec:
        part = self.parts[key]
        assert isinstance(part, Oval)
        return self.vec[part.major].minus(self.vec[part.centre])

    def row_symmetric(self, c: Constraint, letters: str) -> None:
        p, q = self.vec[c.on[0]], self.vec[c.on[1]]
        axis = self.parts[c.on[2]]
        assert isinstance(axis, Line)
        along = self._direction(c.on[2])
        middle = Vec(p.x.plus(q.x).times(0.5), p.y.plus(q.y).times(0.5))
        self.rows.beside.append((c.id, 1.0, middle.minus(self.vec[axis.a]), along, (), NOUGHT))
        self._dot(c.id, q.minus(p), along)

    def row_middle(self, c: Constraint, letters: str) -> None:
        p = self.vec[c.on[0]]
        if letters == "pc":
            arc = self.parts[c.on[1]]
            if isinstance(arc, Arc):
                terms = ((1.0, p.minus(self.vec[arc.a])), (-1.0, p.minus(self.vec[arc.b])))
                self.rows.lengths.append((c.id, terms, NOUGHT))
                radius, form = self._radius(arc.id, -1.0)
                self.rows.lengths.append((c.id, ((1.0, p.minus(self.vec[arc.centre])), *radius), form))
            else:
                self._equal_vectors(c.id, p, self._centre(c.on[1]))
            return
        line = self.parts.get(c.on[1])
        a, b = (line.a, line.b) if isinstance(line, Line) else c.on[1:]
        middle = Vec(self.vec[a].x.plus(self.vec[b].x).times(0.5), self.vec[a].y.plus(self.vec[b].y).times(0.5))
        self._equal_vectors(c.id, p, middle)

    def row_fixed(self, c: Constraint, letters: str) -> None:
        x = self.x
        part = self.parts.get(c.on[0])
        keys = (c.on[0],) if part is None else tuple(k for k in part_points(part) if k in self.vec)
        for key in keys:
            self._equal_vectors(c.id, self.vec[key], fixed(*self.vec[key].at(x).tolist()))
        if part is not None and part.id in self.scalar:
            form = self.scalar[part.id]
            self.rows.linear.append((c.id, Form(form.terms, form.const - form.at(x))))

    # Touching

    def _shared_end(self, a: Part, b: Part) -> tuple[int, int] | None:
        """(which end of a, which end of b) that are one point."""
        first, second = part_ends(a), part_ends(b)
        if first is None or second is None:
            return None
        return next(
            (
                (i, j)
                for i in (0, 1)
                for j in (0, 1)
                if self._joined.get(first[i], first[i]) == self._joined.get(second[j], second[j])
            ),
            None,
        )

    def _end_direction(self, part: Part, end: int) -> Vec:
        """A vector along the part at its end (for splines and lines) in the sense of its run."""
        if isinstance(part, Line):
            return self._direction(part.id)
        if isinstance(part, Arc):
            spoke = self.vec[(part.a, part.b)[end]].minus(self.vec[part.centre])
            return spoke.turned().times(-1.0)
        if isinstance(part, Curve | Spline):
            frame = frame_of(part)
            return self._on_frame(part, frame.end if end else frame.start, 1)
        raise AssertionError(part)

    def row_tangent(self, c: Constraint, letters: str) -> None:
        a, b = self.parts[c.on[0]], self.parts[c.on[1]]
        shared = self._shared_end(a, b)
        if shared is not None and "o" not in letters:
            self._cross(c.id, self._end_direction(a, shared[0]), self._end_direction(b, shared[1]))
        elif shared is not None:
            self._tangent_oval_end(c.id, a, b, shared)
        elif letters == "cc":
            self._tangent_circles(c)
        elif set(letters) == {"l", "c"}:
            line, circle = (c.on[0], c.on[1]) if letters == "lc" else (c.on[1], c.on[0])
            self._line_beside(c.id, line, circle)
        elif set(letters) == {"l", "o"}:
            line, oval = (c.on[0], c.on[1]) if letters == "lo" else (c.on[1], c.on[0])
            self._line_oval(c.id, line, oval)
        else:
            raise ProfileError(f"{a.id} and {b.id} share no end; join their ends before making them touch")

    def _tangent_circles(self, c: Constraint) -> None:
        apart = self._centre(c.on[0]).minus(self._centre(c.on[1]))
        distance = float(np.hypot(*apart.at(self.x)))
        first, second = self._value(*self._radius(c.on[0])), self._value(*self._radius(c.on[1]))
        outside = abs(distance - first - second) <= abs(distance - abs(first - second))
        signs = (-1.0, -1.0) if outside else (-1.0, 1.0) if first > second else (1.0, -1.0)
        (one, f), (two, g) = self._radius(c.on[0], signs[0]), self._radius(c.on[1], signs[1])
        self.rows.lengths.append((c.id, ((1.0, apart), *one, *two), f.plus(g)))

    def _line_beside(self, owner: str, line: str, circle: str) -> None:
        """Distance from a line to a circle's centre less its radius."""
        part = self.parts[line]
        assert isinstance(part, Line)
        away, along = self._centre(circle).minus(self.vec[part.a]), self._direction(line)
        terms, form = self._radius(circle, -1.0)
        self.rows.beside.append((owner, self._side(away, along), away, along, terms, form))

    def _line_oval(self, owner: str, line: str, oval: str) -> None:
        """Squared distance of the line from the centre equals that of the ellipse's parallel tangent."""
        part, curve = self.parts[line], self.parts[oval]
        assert isinstance(part, Line) and isinstance(curve, Oval)
        away, along, major = self.vec[curve.centre].minus(self.vec[part.a]), self._direction(line), self._major(oval)

        def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
            ax, ay, ux, uy, mx, my, minor = v
            length = np.sqrt(ux * ux + uy * uy)
            distance = (ax * uy - ay * ux) / length
            size = np.sqrt(mx * mx + my * my)
            across, along_major = (mx * uy - my * ux) / length, minor * (mx * ux + my * uy) / (size * length)
            support = np.sqrt(across * across + along_major * along_major)
            return support * np.sign(distance.real) - distance

        forms = (away.x, away.y, along.x, along.y, major.x, major.y, self.scalar[oval])
        self.rows.general.append((owner, off, forms))

    def _tangent_oval_end(self, owner: str, a: Part, b: Part, shared: tuple[int, int]) -> None:
        """An ellipse's end direction against the other part's: its gradient is square to it."""
        if not isinstance(a, Oval):
            a, b, shared = b, a, shared[::-1]
        assert isinstance(a, Oval) and a.a is not None and a.b is not None
        end = self.vec[(a.a, a.b)[shared[0]]]
        away, major = end.minus(self.vec[a.centre]), self._major(a.id)
        if isinstance(b, Oval):
            assert b.a is not None and b.b is not None
            other, second = self.vec[(b.a, b.b)[shared[1]]].minus(self.vec[b.centre]), self._major(b.id)
            forms = (away, major, other, second)
            flat = tuple(f for v in forms for f in v)
            self.rows.general.append((owner, _ovals_touch(self.size), (*flat, self.scalar[a.id], self.scalar[b.id])))
            return
        along = self._end_direction(b, shared[1])
        flat = (away.x, away.y, major.x, major.y, along.x, along.y, self.scalar[a.id])
        self.rows.general.append((owner, _oval_touches(self.size), flat))

    def row_smooth(self, c: Constraint, letters: str) -> None:
        self.row_tangent(c, letters)
        a, b = self.parts[c.on[0]], self.parts[c.on[1]]
        shared = self._shared_end(a, b)
        if shared is None or "o" in letters:
            raise ProfileError(f"{a.id} and {b.id} share no end; join their ends before making them touch")
        # Curvatures seen while running through the joint: in at the end of a, out at the start of b.
        forms: list[Form] = []
        signs = []
        for part, end, runs_in in ((a, shared[0], 1), (b, shared[1], 0)):
            first, second = self._bend(part, end)
            forms += [first.x, first.y, second.x, second.y]
            signs.append(1.0 if end == runs_in else -1.0)
        size = self.size

        def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
            def bend(x: NDArray[np.complex128]) -> NDArray[np.complex128]:
                speed = np.sqrt(x[0] * x[0] + x[1] * x[1])
                return (x[0] * x[3] - x[1] * x[2]) / speed**3

            return size * size * (signs[0] * bend(v[:4]) - signs[1] * bend(v[4:]))

        self.rows.general.append((c.id, off, tuple(forms)))

    def _bend(self, part: Part, end: int) -> tuple[Vec, Vec]:
        """First and second derivatives at an end, from which the curvature comes."""
        if isinstance(part, Line):
            return self._direction(part.id), Vec(NOUGHT, NOUGHT)
        if isinstance(part, Arc):
            spoke = self.vec[(part.a, part.b)[end]].minus(self.vec[part.centre])
            return spoke.turned().times(-1.0), spoke.times(-1.0)
        assert isinstance(part, Curve | Spline)
        frame = frame_of(part)
        t = frame.end if end else frame.start
        return self._on_frame(part, t, 1), self._on_frame(part, t, 2)

    # Dimensions

    def _figure(self, c: Constraint, factor: float = 1.0) -> None:
        self.rows.factors[c.id] = factor

    def row_distance(self, c: Constraint, letters: str) -> None:
        self._figure(c)
        if letters in ("pp", "l"):
            v = self.vec[c.on[1]].minus(self.vec[c.on[0]]) if letters == "pp" else self._direction(c.on[0])
            self.rows.lengths.append((c.id, ((1.0, v),), NOUGHT))
        elif letters in ("pl", "ll"):
            self._from_line(c, 1.0)
        elif letters == "lc":
            self._line_beside(c.id, c.on[0], c.on[1])
        else:
            self._between_circles(c, letters)

    def _from_line(self, c: Constraint, factor: float) -> None:
        """Distance of a point (a circle's centre, a line's first end) from a line."""
        line = self.parts[c.on[1]]
        assert isinstance(line, Line)
        first = self.parts.get(c.on[0])
        p = self.vec[first.a] if isinstance(first, Line) else self._centre(c.on[0])
        away, along = p.minus(self.vec[line.a]), self._direction(c.on[1])
        self.rows.beside.append((c.id, factor * self._side(away, along), away, along, (), NOUGHT))

    def _between_circles(self, c: Constraint, letters: str) -> None:
        apart = self._centre(c.on[0]).minus(self._centre(c.on[1]))
        distance = float(np.hypot(*apart.at(self.x)))
        radii = [self._value(*self._radius(ref)) for ref in c.on if ref in self.parts]
        inside = distance < max(radii)
        sign = -1.0 if inside else 1.0
        terms: Terms = ((sign, apart),)
        form = NOUGHT
        for ref, r in zip([ref for ref in c.on if ref in self.parts], radii, strict=True):
            add, f = self._radius(ref, 1.0 if inside and r == max(radii) else -1.0)
            terms, form = (*terms, *add), form.plus(f)
        self.rows.lengths.append((c.id, terms, form))

    def _axis(self, c: Constraint, letters: str, axis: int) -> None:
        self._figure(c)
        v = self.vec[c.on[1]].minus(self.vec[c.on[0]]) if letters == "pp" else self._direction(c.on[0])
        form = v.x if axis == 0 else v.y
        sign = -1.0 if form.at(self.x) < 0.0 else 1.0
        self.rows.linear.append((c.id, form.times(sign)))

    def row_across(self, c: Constraint, letters: str) -> None:
        self._axis(c, letters, 0)

    def row_up(self, c: Constraint, letters: str) -> None:
        self._axis(c, letters, 1)

    def _radius_row(self, c: Constraint, factor: float) -> None:
        self._figure(c, factor)
        terms, form = self._radius(c.on[0])
        if terms:
            self.rows.lengths.append((c.id, terms, form))
        else:
            self.rows.linear.append((c.id, form))

    def row_radius(self, c: Constraint, letters: str) -> None:
        self._radius_row(c, 1.0)

    def row_diameter(self, c: Constraint, letters: str) -> None:
        self._radius_row(c, 0.5)

    def row_angle(self, c: Constraint, letters: str) -> None:
        u, v = self._direction(c.on[0]), self._direction(c.on[1])
        u, v = u.times(-1.0 if c.sector & 1 else 1.0), v.times(-1.0 if c.sector & 2 else 1.0)
        sign = self._side(u, v)
        self._figure(c, self.size)
        self.rows.turns.append((c.id, u, v) if sign > 0 else (c.id, v, u))

    def row_width(self, c: Constraint, letters: str) -> None:
        self._figure(c, 0.5)
        if letters == "cl":
            line = self.parts[c.on[1]]
            assert isinstance(line, Line)
            away, along = self._centre(c.on[0]).minus(self.vec[line.a]), self._direction(c.on[1])
            terms, form = self._radius(c.on[0])
            self.rows.beside.append((c.id, self._side(away, along), away, along, terms, form))
        else:
            self._from_line(c, 1.0)


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


def _on_curve(frame: Frame, size: float) -> Function:
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


def _oval_touches(size: float) -> Function:
    def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
        ux, uy, minor = v[4:]
        gx, gy = _oval_gradient(v[:4], minor)
        return size * (gx * ux + gy * uy) / (np.sqrt(gx * gx + gy * gy) * np.sqrt(ux * ux + uy * uy))

    return off


def _ovals_touch(size: float) -> Function:
    def off(v: NDArray[np.complex128]) -> NDArray[np.complex128]:
        gx, gy = _oval_gradient(v[:4], v[8])
        hx, hy = _oval_gradient(v[4:8], v[9])
        return size * (gx * hy - gy * hx) / (np.sqrt(gx * gx + gy * gy) * np.sqrt(hx * hx + hy * hy))

    return off
