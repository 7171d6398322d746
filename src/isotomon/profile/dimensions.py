"""Dimensions written as equations, and the writer of all kinds."""

from __future__ import annotations

import numpy as np

from isotomon.profile.constraints import Constraints
from isotomon.profile.drawing import (
    Constraint,
    Line,
    letter_of,
)
from isotomon.profile.forms import NOUGHT
from isotomon.profile.rows import Terms


class Writer(Constraints):
    """Writes any constraint of a drawing into rows."""

    def write(self, c: Constraint) -> None:
        """Add a constraint's rows."""
        letters = "".join(letter_of(self.parts, set(self.vec), ref) for ref in c.on)
        getattr(self, f"row_{c.kind}")(c, letters)

    # Dimensions

    def _figure(self, c: Constraint, factor: float = 1.0) -> None:
        self.rows.factors[c.id] = factor

    def row_distance(self, c: Constraint, letters: str) -> None:
        """How far points, or a point and a line, are apart."""
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
        """How far apart along X."""
        self._axis(c, letters, 0)

    def row_up(self, c: Constraint, letters: str) -> None:
        """How far apart along Y."""
        self._axis(c, letters, 1)

    def _radius_row(self, c: Constraint, factor: float) -> None:
        self._figure(c, factor)
        terms, form = self._radius(c.on[0])
        if terms:
            self.rows.lengths.append((c.id, terms, form))
        else:
            self.rows.linear.append((c.id, form))

    def row_radius(self, c: Constraint, letters: str) -> None:
        """Of a circle or arc."""
        self._radius_row(c, 1.0)

    def row_diameter(self, c: Constraint, letters: str) -> None:
        """Of a circle or arc."""
        self._radius_row(c, 0.5)

    def row_angle(self, c: Constraint, letters: str) -> None:
        """Between lines."""
        u, v = self._direction(c.on[0]), self._direction(c.on[1])
        u, v = u.times(-1.0 if c.sector & 1 else 1.0), v.times(-1.0 if c.sector & 2 else 1.0)
        sign = self._side(u, v)
        self._figure(c, self.size)
        self.rows.turns.append((c.id, u, v) if sign > 0 else (c.id, v, u))

    def row_width(self, c: Constraint, letters: str) -> None:
        """Twice the distance from a centre line."""
        self._figure(c, 0.5)
        if letters == "cl":
            line = self.parts[c.on[1]]
            assert isinstance(line, Line)
            away, along = self._centre(c.on[0]).minus(self.vec[line.a]), self._direction(c.on[1])
            terms, form = self._radius(c.on[0])
            self.rows.beside.append((c.id, self._side(away, along), away, along, terms, form))
        else:
            self._from_line(c, 1.0)
