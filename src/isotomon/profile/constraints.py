"""Constraints written as equations: which rows each kind makes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import ProfileError
from isotomon.profile.curves import frame_of
from isotomon.profile.drawing import (
    Arc,
    CirclePart,
    Constraint,
    Curve,
    Line,
    Oval,
    Part,
    Spline,
    part_ends,
    part_points,
)
from isotomon.profile.forms import NOUGHT, LinearForm, Vec, fixed
from isotomon.profile.rows import Geometry, oval_touches, ovals_touch


class Constraints(Geometry):
    """Writes relations without a figure."""

    def row_coincident(self, c: Constraint, letters: str) -> None:
        """Two points in one place."""
        self._equal_vectors(c.id, self.vec[c.on[0]], self.vec[c.on[1]])

    def row_on(self, c: Constraint, letters: str) -> None:
        """A point on a curve."""
        p, part = self.vec[c.on[0]], self.parts[c.on[1]]
        if isinstance(part, Line):
            self.rows.beside.append((c.id, 1.0, p.minus(self.vec[part.a]), self._direction(c.on[1]), (), NOUGHT))
        elif isinstance(part, Arc | CirclePart):
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
        """Level lines, or two points side by side."""
        self._level(c, 0)

    def row_vertical(self, c: Constraint, letters: str) -> None:
        """Upright lines, or two points one over the other."""
        self._level(c, 1)

    def row_parallel(self, c: Constraint, letters: str) -> None:
        """Lines in one direction."""
        self._cross(c.id, self._direction(c.on[0]), self._direction(c.on[1]))

    def row_square(self, c: Constraint, letters: str) -> None:
        """Lines at right angles."""
        self._dot(c.id, self._direction(c.on[0]), self._direction(c.on[1]))

    def row_in_line(self, c: Constraint, letters: str) -> None:
        """Lines that lie on one line."""
        first = self.parts[c.on[0]]
        assert isinstance(first, Line)
        along, start = self._direction(c.on[0]), self.vec[first.a]
        other = self.parts.get(c.on[1])
        points = (other.a, other.b) if isinstance(other, Line) else (c.on[1],)
        for p in points:
            self.rows.beside.append((c.id, 1.0, self.vec[p].minus(start), along, (), NOUGHT))

    def row_concentric(self, c: Constraint, letters: str) -> None:
        """Circles and arcs about one centre."""
        self._equal_vectors(c.id, self._centre(c.on[0]), self._centre(c.on[1]))

    def row_equal(self, c: Constraint, letters: str) -> None:
        """Equal lengths or radii."""
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
        """Two points, mirror images in a line."""
        p, q = self.vec[c.on[0]], self.vec[c.on[1]]
        axis = self.parts[c.on[2]]
        assert isinstance(axis, Line)
        along = self._direction(c.on[2])
        middle = Vec(p.x.plus(q.x).times(0.5), p.y.plus(q.y).times(0.5))
        self.rows.beside.append((c.id, 1.0, middle.minus(self.vec[axis.a]), along, (), NOUGHT))
        self._dot(c.id, q.minus(p), along)

    def row_middle(self, c: Constraint, letters: str) -> None:
        """A point halfway along."""
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
        """A point where it is."""
        x = self.x
        part = self.parts.get(c.on[0])
        keys = (c.on[0],) if part is None else tuple(k for k in part_points(part) if k in self.vec)
        for key in keys:
            self._equal_vectors(c.id, self.vec[key], fixed(*self.vec[key].at(x).tolist()))
        if part is not None and part.id in self.scalar:
            form = self.scalar[part.id]
            self.rows.linear.append((c.id, LinearForm(form.terms, form.const - form.at(x))))

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
        """Curves that go on in one direction where they meet."""
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
            self.rows.general.append((owner, ovals_touch(self.size), (*flat, self.scalar[a.id], self.scalar[b.id])))
            return
        along = self._end_direction(b, shared[1])
        flat = (away.x, away.y, major.x, major.y, along.x, along.y, self.scalar[a.id])
        self.rows.general.append((owner, oval_touches(self.size), flat))

    def row_smooth(self, c: Constraint, letters: str) -> None:
        """Curves that go on with one curvature where they meet."""
        self.row_tangent(c, letters)
        a, b = self.parts[c.on[0]], self.parts[c.on[1]]
        shared = self._shared_end(a, b)
        if shared is None or "o" in letters:
            raise ProfileError(f"{a.id} and {b.id} share no end; join their ends before making them touch")
        # Curvatures seen while running through the joint: in at the end of a, out at the start of b.
        forms: list[LinearForm] = []
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
