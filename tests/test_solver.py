"""The drawing's solver: against plain geometry, for random drawings, disturbed ones, and ones that ask too much."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.profile.dragging import begin_drag, drag_to
from isotomon.profile.drawing import (
    Arc,
    CirclePart,
    Constraint,
    Curve,
    Drawing,
    Line,
    Oval,
    Point,
    Spline,
    TangentHandle,
    check_drawing,
    replace,
)
from isotomon.profile.solver import freedoms, measured, solve, with_coordinates
from isotomon.profile.system import make_system
from tests.drawings import misses, random_drawing, shaken
from tests.helpers import trials


def distance(a: Drawing, b: Drawing) -> float:
    """How far apart two states of one drawing are, mm."""
    return max(math.hypot(p.x - q.x, p.y - q.y) for p, q in zip(a.points, b.points, strict=True))


def every_kind() -> Drawing:
    """A drawing with each kind of part, and constraints whose derivatives are not tried by the random ones."""
    at = [
        (0, 0),
        (40, 0),
        (40, 20),
        (0, 20),
        (20, 10),
        (30, 10),
        (26, 14),
        (14, 12),
        (60, 0),
        (70, 8),
        (80, 2),
        (20, 31),
        (33, 3),
        (90, 9),
        (99, 0),
        (24.5, 4),
        (12, 8.6),
    ]
    points = tuple(Point(f"p{i + 1}", float(x), float(y)) for i, (x, y) in enumerate(at))
    parts = (
        Line("e1", "p1", "p2"),
        Line("e2", "p2", "p3"),
        Arc("e3", "p12", "p4", "p3"),
        Oval("e4", "p5", "p6", 5.0, "p7", "p8"),
        Curve(
            "e5",
            ("p2", "p9", "p10", "p11"),
            (0.0, 0.3, 0.7, 1.0),
            (TangentHandle(30.0, 1.0), None, TangentHandle(9.0, -8.0, 0.5), None),
        ),
        CirclePart("e6", "p13", 4.0),
        Spline("e7", ("p11", "p14", "p15", "p10"), 3),
        CirclePart("e8", "p16", 11.0),
        Oval("e9", "p5", "p6", 3.0),
        Line("e10", "p8", "p17"),
    )
    ties = (
        ("tangent", "e5", "e1"), ("smooth", "e5", "e7"), ("on", "p4", "e9"), ("on", "p9", "e7"), ("tangent", "e9", "e2"),
        ("tangent", "e10", "e4"), ("tangent", "e6", "e8"), ("concentric", "e6", "e9"), ("equal", "e4", "e9"), ("equal", "e5@0", "e5@2"),
        ("parallel", "e2", "e5@2"), ("middle", "p13", "e3"), ("middle", "p6", "p1", "p3"), ("in_line", "e1", "e10"), ("on", "p13", "e3"),
        ("distance", "e6", "e8"), ("distance", "e1", "e6"), ("width", "e6", "e2"), ("angle", "e1", "e5@2"), ("equal", "e6", "e3"),
    )  # fmt: skip
    dims = ("distance", "width", "angle")
    constraints = tuple(
        Constraint(f"c{i + 1}", k, tuple(on), 1.0 if k in dims else None) for i, (k, *on) in enumerate(ties)
    )  # type: ignore[arg-type]
    return check_drawing(Drawing("g1", "all", points, parts, constraints))


class Solver(unittest.TestCase):
    def test_derivatives(self) -> None:
        """The exact derivatives of every kind of row agree with central differences."""
        system = make_system(every_kind())
        x = system.start + np.random.default_rng(2).normal(0.0, 0.3, len(system.start))
        _, jacobian = system.evaluate(x)
        h = 1e-5
        numeric = np.stack([(system.values(x + h * e) - system.values(x - h * e)) / (2 * h) for e in np.eye(len(x))], 1)
        scale = np.maximum(np.abs(jacobian).max(axis=1, keepdims=True), 1.0)
        self.assertLess(np.abs((jacobian - numeric) / scale).max(), 1e-6)
        self.assertGreater(system.count, 25)

    def test_random_drawings(self) -> None:
        """Random drawings of up to 60 entities are solved to 1e-9 from coordinates half a millimetre off."""
        for seed in range(trials(300, 75)):
            drawing, figures = random_drawing(seed, 4 + seed % 57)
            solution = solve(shaken(drawing, seed, 0.5), figures)
            self.assertTrue(solution.ok, seed)
            self.assertLess(misses(solution.drawing, figures), 1e-9, seed)

    def test_return_to_the_nearest(self) -> None:
        """Disturbed drawings with nothing free come back to where they were, and say that nothing is free."""
        for seed in range(trials(300, 75)):
            drawing, figures = random_drawing(1000 + seed, 3 + seed % 30)
            solution = solve(shaken(drawing, seed, 0.02), figures)
            self.assertLess(distance(solution.drawing, drawing), 1e-6, seed)
            if seed % 5 == 0:
                free, repeats = freedoms(drawing)
                self.assertEqual((free.count, free.free, repeats), (0, frozenset(), ()), seed)

    def test_too_much(self) -> None:
        """In drawings with one figure too many, each named culprit, taken out alone, cures the clash; none else is needed."""
        fewest = 99
        for seed in range(trials(100, 8)):
            drawing, figures = random_drawing(seed, 4 + seed % 9)
            rng = np.random.default_rng(seed)
            a, b = rng.choice(len(drawing.points), 2, replace=False)
            on = (drawing.points[int(a)].id, drawing.points[int(b)].id)
            extra = Constraint("c900", "distance", on, 1.0)
            asked = {
                **figures,
                "c900": math.dist(*[(p.x, p.y) for p in (drawing.points[int(a)], drawing.points[int(b)])]) + 1.5,
            }
            solution = solve(replace(drawing, constraints=(*drawing.constraints, extra)), asked)
            self.assertEqual([c.kind for c in solution.conflicts], ["clash"], seed)
            culprits = solution.conflicts[0].culprits
            self.assertIn("c900", culprits)
            fewest = min(fewest, len(culprits))
            for name in culprits:
                left = tuple(c for c in (*drawing.constraints, extra) if c.id != name)
                self.assertTrue(solve(replace(drawing, constraints=left), asked).ok, (seed, name, culprits))
        self.assertGreaterEqual(fewest, 2)

    def test_repeats_are_named(self) -> None:
        """A constraint that says nothing new is found, with those that say it already."""
        drawing, figures = random_drawing(4, 6)
        twice = replace(drawing.constraints[2], id="c50")
        doubled = replace(drawing, constraints=(*drawing.constraints, twice))
        self.assertTrue(solve(doubled, {**figures, "c50": figures["c3"]}).ok)
        _, repeats = freedoms(doubled)
        self.assertEqual([(r.extra, r.culprits) for r in repeats], [("c50", ("c3", "c50"))])

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 10_000), st.floats(0.2, 5.0))
    def test_a_typed_figure_never_flips(self, seed: int, factor: float) -> None:
        """A figure typed in, far or near, leaves a rectangle turning the same way with its first corner in place."""
        rng = np.random.default_rng(seed)
        w, h = rng.uniform(5, 50, 2).tolist()
        points = tuple(Point(f"p{i}", x, y) for i, (x, y) in enumerate([(0, 0), (w, 0), (w, h), (0, h)], 1))
        parts = tuple(Line(f"e{i}", f"p{i}", f"p{i % 4 + 1}") for i in range(1, 5))
        ties = [
            ("fixed", "p1"),
            ("horizontal", "e1"),
            ("vertical", "e2"),
            ("horizontal", "e3"),
            ("vertical", "e4"),
            ("distance", "e1"),
            ("distance", "p3", "e1"),
        ]
        constraints = tuple(
            Constraint(f"c{i}", k, tuple(on), 1.0 if k == "distance" else None) for i, (k, *on) in enumerate(ties, 1)
        )  # type: ignore[arg-type]
        solution = solve(Drawing("g1", "r", points, parts, constraints), {"c6": w * factor, "c7": h / factor})
        corner = solution.drawing.points[2]
        self.assertTrue(solution.ok)
        self.assertLess(math.hypot(corner.x - w * factor, corner.y - h / factor), 1e-8)

    def test_nearest_when_free(self) -> None:
        """With freedoms left, the answer is the nearest point of all solutions: a point drawn to a line and a circle."""
        line = Drawing("g1", "n", (Point("p1", 0, 0), Point("p2", 8, 0), Point("p3", 3, 4)), (Line("e1", "p1", "p2"),), (
            Constraint("c1", "fixed", ("e1",)), Constraint("c2", "distance", ("p3", "p1"), 10.0)))  # fmt: skip
        solution = solve(line, {"c2": 10.0}).drawing
        self.assertLess(math.hypot(solution.points[2].x - 6.0, solution.points[2].y - 8.0), 1e-9)
        self.assertEqual(freedoms(solution)[0].count, 1)

    def test_drag_keeps_constraints(self) -> None:
        """While a point is dragged every constraint holds, what is free follows the pointer, and going back restores it."""
        drawing, figures = random_drawing(12, 20)
        free = replace(drawing, constraints=drawing.constraints[:-1])
        drag = begin_drag(free, figures, (free.points[-1].id,))
        x = drag.system.start
        way = [0.1 * k for k in range(1, 15)] + [0.1 * k for k in range(14, -1, -1)]
        for shift in way:
            x = drag_to(drag, x, np.array([shift, shift / 2]))
            self.assertLess(np.abs(drag.system.residual(drag.system.values(x), drag.goal)).max(), 1e-5)
        x = drag_to(drag, x, np.zeros(2), steps=20)
        self.assertLess(distance(with_coordinates(free, drag.system, x), free), 1e-4)

    def test_measured(self) -> None:
        """Dimensions read what the drawing has: checked by plain geometry through `misses`."""
        drawing, figures = random_drawing(7, 25)
        self.assertLess(misses(drawing, measured(drawing)), 1e-11)
        self.assertEqual(set(figures), {c.id for c in drawing.constraints if c.value is not None})
