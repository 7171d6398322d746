"""Drawings: shapes and what keeps them, edits, runs, exact figures, and what becomes of them as sections."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.design import edits
from isotomon.design.edits import change_number
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import DesignError, ProfileError
from isotomon.evaluate.drawn import solved
from isotomon.evaluate.settle import settle, settled
from isotomon.geometry.planar import signed_area
from isotomon.profile import shapes
from isotomon.profile.change import bevel_corner, break_at, extend, round_corner, trim
from isotomon.profile.copies import mirror, offset, ring, row, similarity, transform
from isotomon.profile.draw_edits import Pen, copy_into, join, part_from, remove
from isotomon.profile.drawing import (
    Arc,
    CirclePart,
    Curve,
    Drawing,
    Line,
    check_drawing,
    find_part,
    find_point,
    replace,
)
from isotomon.profile.drawn import drawn_shape, figures_of
from isotomon.profile.loops import find_runs
from isotomon.profile.readymade import naca4
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot
from isotomon.profile.solver import freedoms, measured, solve
from tests.helpers import body

EMPTY = Drawing("g1", "test")


def area(drawing: Drawing) -> float:
    """Area of the outer run, after checking that the drawing holds together and is solved as it stands."""
    check_drawing(drawing)
    solution = solve(drawing, measured(drawing))
    assert solution.ok, solution.conflicts
    runs = find_runs(solution.drawing)
    assert runs.outer is not None, runs.findings
    return figures_of(runs.outer).area


def freedom(drawing: Drawing) -> int:
    """Freedoms left; a repeated constraint fails."""
    free, repeats = freedoms(drawing)
    assert not repeats, repeats
    return free.count


class Shapes(unittest.TestCase):
    def test_shapes_keep_what_they_are(self) -> None:
        """Each shape has its textbook area and just the freedoms a hand would give it, with nothing said twice."""
        s = Spot
        r3 = math.sqrt(3.0)
        cases = (
            (shapes.rectangle_corners(EMPTY, s(1, 2), s(11, 10)), 80.0, 4),
            (shapes.rectangle_about(EMPTY, s(1, 2), s(6, 6)), 80.0, 4),
            (shapes.rectangle_three(EMPTY, s(0, 0), s(6, 8), s(-4, 3)), 50.0, 5),
            (shapes.polygon(EMPTY, s(3, 3), s(13, 3), 6), 150.0 * r3, 4),
            (shapes.star(EMPTY, s(0, 0), s(0, 10), 5, 0.4), 10 * 0.5 * 10 * 4 * math.sin(math.pi / 5), 5),
            (shapes.slot(EMPTY, s(0, 0), s(20, 0), s(3, 5)), 200.0 + 25 * math.pi, 5),
            (
                shapes.slot_curved(EMPTY, s(0, 0), s(20, 0), s(0, 20), s(25, 0)),
                math.pi / 4 * (625 - 225) + 25 * math.pi,
                6,
            ),
            (shapes.circle(EMPTY, s(1, 1), s(4, 5)), 25 * math.pi, 3),
            (shapes.circle_through(EMPTY, (s(-5, 0), s(5, 0))), 25 * math.pi, 3),
            (shapes.circle_through(EMPTY, (s(5, 0), s(0, 5), s(-5, 0))), 25 * math.pi, 3),
            (shapes.ellipse(EMPTY, s(0, 0), s(6, 8), s(-4, 3)), math.pi * 50, 5),
        )
        for number, (drawing, want, free) in enumerate(cases):
            with self.subTest(number):
                self.assertAlmostEqual(area(drawing), want, delta=1e-7 * want)
                self.assertEqual(freedom(drawing), free)

    def test_arcs(self) -> None:
        """Three ways to an arc give the same half disc."""
        base = shapes.line(EMPTY, Spot(-5, 0), Spot(5, 0))
        a, b = Spot(-5, 0, "p1"), Spot(5, 0, "p2")
        ways = (
            shapes.arc_through(base, b, a, Spot(3, 4)),
            shapes.arc_about(base, Spot(0, 0), b, a),
            shapes.arc_tangent(base, b, np.array([0.0, 1.0]), a),
        )
        for drawing in ways:
            self.assertAlmostEqual(area(drawing), 12.5 * math.pi, delta=1e-9)
        with self.assertRaisesRegex(ProfileError, "one line"):
            shapes.arc_through(EMPTY, Spot(0, 0), Spot(2, 0), Spot(1, 0))

    def test_curves(self) -> None:
        """A closed curve through points of a circle comes near its area; one by control points is convex and smooth."""
        angle = 2 * np.pi * np.arange(16) / 16
        spots = tuple(Spot(10 * math.cos(a), 10 * math.sin(a)) for a in angle.tolist())
        self.assertAlmostEqual(area(shapes.curve(EMPTY, spots, closed=True)), 100 * math.pi, delta=0.03)
        self.assertEqual(drawn_shape(shapes.spline(EMPTY, spots, closed=True)).outline.smooth, True)

    def test_ready_made_turned_into_drawn(self) -> None:
        """A foil turned into drawn geometry has its area within 1e-4 and its sharp trailing edge as one corner."""
        foil = naca4("2412", False)
        drawing = shapes.from_outline(EMPTY, foil, 200.0)
        want = float(signed_area(foil.polygon(4000))) * 200.0**2
        self.assertAlmostEqual(area(drawing), want, delta=1e-4 * want)
        self.assertEqual(len(drawn_shape(drawing).outline.runs), 1)


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.box = shapes.rectangle_corners(EMPTY, Spot(0, 0), Spot(10, 8))

    def test_round_and_bevel(self) -> None:
        """A rounded corner takes (1 - π/4) r² off, a bevelled one its triangle; the sides' constraints stay."""
        rounded = round_corner(self.box, "p3", 2.0)
        self.assertAlmostEqual(area(rounded), 80.0 - (1 - math.pi / 4) * 4.0, delta=1e-9)
        self.assertEqual(freedom(rounded), 4)  # its radius is given
        both = round_corner(rounded, "p1", 1.5)
        self.assertAlmostEqual(area(both), 80.0 - (1 - math.pi / 4) * (4.0 + 2.25), delta=1e-9)
        self.assertAlmostEqual(area(bevel_corner(self.box, "p2", 3.0)), 80.0 - 4.5, delta=1e-9)
        with self.assertRaisesRegex(ProfileError, "does not fit"):
            round_corner(self.box, "p3", 9.0)

    def test_round_between_curves(self) -> None:
        """A corner between an arc and a line is rounded too: the arc touches both."""
        half = shapes.arc_about(
            shapes.line(EMPTY, Spot(-5, 0), Spot(5, 0)), Spot(0, 0), Spot(5, 0, "p2"), Spot(-5, 0, "p1")
        )
        made = round_corner(half, "p2", 1.0)
        self.assertEqual(freedom(made), freedom(half))  # the arc's place follows from its radius
        runs = find_runs(made)
        assert runs.outer is not None
        self.assertEqual(figures_of(runs.outer).corners, 1)

    def test_trim_extend_break(self) -> None:
        """Two crossing lines trimmed and carried on again; a circle broken in halves keeps its area."""
        cross = shapes.line(shapes.line(EMPTY, Spot(-10, 0), Spot(10, 0)), Spot(0, -6), Spot(0, 6))
        cut = trim(cross, "e1", np.array([6.0, 0.0]))
        end = find_part(cut, "e1")
        assert isinstance(end, Line)
        self.assertAlmostEqual(find_point(cut, end.b).x, 0.0, delta=1e-12)
        self.assertEqual([c.kind for c in cut.constraints], ["on"])
        moved = trim(cross, "e1", np.array([-6.0, 0.0]))
        wall = shapes.line(moved, Spot(-4, -5), Spot(-4, 5))
        onward = extend(wall, "e1", np.array([0.0, 0.0]))
        start = find_part(onward, "e1")
        assert isinstance(start, Line)
        self.assertAlmostEqual(find_point(onward, start.a).x, -4.0, delta=1e-9)
        disc = shapes.circle(EMPTY, Spot(0, 0), Spot(5, 0))
        halves = break_at(disc, "e1", np.array([5.0, 1.0]))
        self.assertEqual(len(halves.parts), 2)
        self.assertAlmostEqual(area(halves), 25 * math.pi, delta=1e-9)
        chord = shapes.line(disc, Spot(-9, 0), Spot(9, 0))
        upper = trim(
            trim(trim(chord, "e1", np.array([0.0, -5.0])), "e2", np.array([8.0, 0.0])), "e2", np.array([-8.0, 0.0])
        )
        self.assertAlmostEqual(area(upper), 12.5 * math.pi, delta=1e-8)

    def test_break_a_curve(self) -> None:
        """A smooth curve broken in two keeps its shape exactly."""
        spots = tuple(Spot(x, y) for x, y in ((0, 0), (5, 4), (10, -2), (16, 3)))
        whole = shapes.curve(EMPTY, spots)
        before = find_runs(whole).open[0].polygon(400)
        parts = break_at(whole, "e1", np.array([7.0, 1.5]))
        after = np.vstack([c.polygon(4000) for c in find_runs(parts).open])
        gap = np.linalg.norm(before[:, None] - after[None], axis=2).min(axis=1).max()
        self.assertLess(gap, 5e-3)  # only as far as the samples lie apart
        self.assertEqual(sum(isinstance(p, Curve) for p in parts.parts), 2)

    def test_copies(self) -> None:
        """Mirrored, repeated, moved and offset shapes have the areas they must; a tied mirror stays one."""
        out = offset(self.box, ("e1", "e2", "e3", "e4"), 1.0)
        self.assertAlmostEqual(area(remove(out, ("e1", "e2", "e3", "e4"))), 120.0, delta=1e-9)
        slot = shapes.slot(EMPTY, Spot(0, 0), Spot(20, 0), Spot(3, 5))
        keys = tuple(p.id for p in slot.parts)
        self.assertAlmostEqual(area(remove(offset(slot, keys, -2.0), keys)), 120.0 + 9 * math.pi, delta=1e-9)
        with self.assertRaisesRegex(ProfileError, "closes up"):
            offset(slot, keys, -6.0)
        big = transform(self.box, ("e1", "e2", "e3", "e4"), similarity(0.0, 1.5), np.array([3.0, 0.0]))
        self.assertAlmostEqual(area(big), 180.0, delta=1e-9)
        self.assertEqual(len(row(self.box, ("e1",), np.array([0.0, 2.0]), 4).parts), 7)
        lobes = ring(shapes.circle(EMPTY, Spot(10, 0), Spot(12, 0)), ("e1",), np.zeros(2), 4)
        centres = sorted(
            (round(find_point(lobes, p.centre).x, 9), round(find_point(lobes, p.centre).y, 9))
            for p in lobes.parts
            if isinstance(p, CirclePart)
        )
        self.assertEqual(centres, [(-10.0, 0.0), (0.0, -10.0), (0.0, 10.0), (10.0, 0.0)])
        axis = shapes.line(EMPTY, Spot(0, -9), Spot(0, 9), "centre")
        half = shapes.line(shapes.line(axis, Spot(0, 0), Spot(5, 0)), Spot(5, 0, "p4"), Spot(0, 7))
        pen = Pen(mirror(half, ("e2", "e3"), "e1", tied=True))
        pen.tie("fixed", "e1")
        both = pen.done()
        pulled = replace(both, points=tuple(replace(p, x=6.0) if p.id == "p4" else p for p in both.points))
        solved = solve(pulled, {}).drawing
        xs = sorted(p.x for p in solved.points if abs(p.y) < 1.0 and abs(p.x) > 1.0)
        self.assertAlmostEqual(xs[0], -xs[1], delta=1e-9)

    def test_join_part_copy_remove(self) -> None:
        """Points joined and parted again, parts copied with their constraints, and what falls with what is removed."""
        parted = part_from(self.box, "e2", "p2")
        gaps = find_runs(
            replace(parted, points=tuple(replace(p, y=0.05) if p.id == "p5" else p for p in parted.points))
        )
        self.assertIn("0.05", next(f.text for f in gaps.findings if f.kind == "gap"))
        self.assertAlmostEqual(area(join(parted, "p2", "p5")), 80.0, delta=1e-9)
        twice, made = copy_into(self.box, self.box, ("e1", "e2"), (20.0, 0.0))
        self.assertEqual((len(made), len(twice.parts), len(twice.constraints)), (2, 6, 6))
        less = remove(self.box, ("p1",))
        self.assertEqual((len(less.parts), len(less.constraints)), (2, 2))
        with self.assertRaises(DesignError):
            join(self.box, "p1", "p1")
        pen = Pen(self.box)
        pen.line("p1", "p99")
        with self.assertRaisesRegex(DesignError, "p99"):
            check_drawing(pen.done())


class RunsAndFigures(unittest.TestCase):
    def test_half_section(self) -> None:
        """An open run on a centre line is closed by its mirror image; figures are those of the whole."""
        drawing = shapes.line(EMPTY, Spot(0, -9), Spot(0, 9), "centre")
        drawing = shapes.line(drawing, Spot(0, -3), Spot(10, -3))
        drawing = shapes.arc_about(drawing, Spot(10, 0), Spot(10, -3, "p4"), Spot(10, 3))
        drawing = shapes.line(drawing, Spot(10, 3, drawing.points[-1].id), Spot(0, 3))
        runs = find_runs(drawing)
        assert runs.outer is not None
        self.assertTrue(runs.mirrored)
        f = figures_of(runs.outer)
        self.assertAlmostEqual(f.area, 120 + 9 * math.pi, delta=1e-10)
        self.assertAlmostEqual(f.perimeter, 40 + 6 * math.pi, delta=1e-10)
        inertia = 20 * 6**3 / 12 + math.pi * 3**4 / 4
        self.assertAlmostEqual(f.i_min, inertia, delta=1e-8)
        self.assertEqual((f.low, f.high, f.corners), ((-13.0, -3.0), (13.0, 3.0), 0))
        shape = drawn_shape(drawing)
        self.assertAlmostEqual(float(signed_area(shape.outline.polygon(20000))) * shape.width**2, f.area, delta=1e-4)
        self.assertEqual((shape.width, shape.pivot), (26.0, 0.5))

    def test_what_cannot_be_lofted_says_why(self) -> None:
        """Crossings, branches, side by side runs, holes and loose ends are found."""
        bow = EMPTY
        for a, b in (((0, 0), (10, 10)), ((10, 10), (10, 0)), ((10, 0), (0, 10)), ((0, 10), (0, 0))):
            bow = shapes.line(bow, Spot(*a), Spot(*b))
        kinds = {f.kind for f in find_runs(bow).findings}
        self.assertEqual(kinds, {"crossing"})
        two = shapes.circle(shapes.circle(EMPTY, Spot(0, 0), Spot(2, 0)), Spot(9, 0), Spot(8, 0))
        self.assertEqual({f.kind for f in find_runs(two).findings}, {"many"})
        ringed = shapes.circle(shapes.circle(EMPTY, Spot(0, 0), Spot(5, 0)), Spot(0, 0), Spot(2, 0))
        self.assertEqual({f.kind for f in find_runs(ringed).findings}, {"hole"})
        fork = shapes.line(
            shapes.line(shapes.line(EMPTY, Spot(0, 0), Spot(5, 0)), Spot(5, 0), Spot(9, 4)), Spot(5, 0), Spot(9, -4)
        )
        self.assertIn("branch", {f.kind for f in find_runs(fork).findings})
        with self.assertRaisesRegex(ProfileError, "crosses itself"):
            drawn_shape(bow)

    def test_mirrored_section(self) -> None:
        """A drawing mirrored in X or Y stays counter-clockwise and keeps its area; its pivot follows."""
        drawing = EMPTY
        corners = [(0, 0), (30, 0), (0, 10)]
        for k in range(3):
            drawing = shapes.line(drawing, Spot(*corners[k]), Spot(*corners[(k + 1) % 3]))
        for axis, pivot in (("", 0.0), ("x", 0.0), ("y", 1.0)):
            shape = drawn_shape(drawing, axis)  # type: ignore[arg-type]
            self.assertAlmostEqual(float(signed_area(shape.outline.polygon())) * shape.width**2, 150.0, delta=1e-9)
            self.assertAlmostEqual(shape.pivot, pivot, delta=1e-12)

    def test_arc_of_a_whole_turn_is_round(self) -> None:
        """A single circle about the origin has no angle of its own; one aside has."""
        self.assertTrue(drawn_shape(shapes.circle(EMPTY, Spot(0, 0), Spot(4, 0))).outline.round)
        self.assertFalse(drawn_shape(shapes.circle(EMPTY, Spot(3, 0), Spot(4, 0))).outline.round)
        self.assertIsInstance(find_part(shapes.arc_about(EMPTY, Spot(0, 0), Spot(1, 0), Spot(0, 2)), "e1"), Arc)


class InADesign(unittest.TestCase):
    def test_one_number_solves_only_what_depends_on_it(self) -> None:
        """In a design of 40 stations with a drawing each, a changed number solves the two drawings that use it, no more."""
        drawings, stations = [], []
        for k in range(40):
            pen = Pen(replace(shapes.rectangle_corners(EMPTY, Spot(-10, -5), Spot(10, 5)), id=f"g{k}", name=f"box {k}"))
            pen.tie("distance", "e1", value="wide" if k in (3, 17) else 20.0 + k)
            drawings.append(pen.done())
            stations.append(Station(f"s{k}", f"st{k}", 25.0 * k, Drawn(f"g{k}"), None))
        design = Design(
            "many",
            numbers=(Number("n1", "wide", 24.0, "length"),),
            drawings=tuple(drawings),
            bodies=(body(stations=tuple(stations)),),
        )
        settle(design, design.bodies[0])
        before = solved.cache_info().misses
        _, changed = settle(change_number(design, "n1", value=31.0), change_number(design, "n1", value=31.0).bodies[0])
        self.assertEqual(solved.cache_info().misses - before, 2)
        xs = [p.x for p in changed.solutions["g17"].drawing.points]
        self.assertAlmostEqual(max(xs) - min(xs), 31.0, delta=1e-9)

    def test_a_clash_stays_until_something_is_dropped(self) -> None:
        """Two fixed ends and a figure that does not fit between them clash, however often the drawing is settled."""
        pen = Pen(replace(shapes.line(EMPTY, Spot(0, 0), Spot(40, 0)), id="g1"))
        for end in ("p1", "p2"):
            pen.tie("fixed", end)
        pen.tie("distance", "e1", value=30.0)
        design = Design("clash", drawings=(pen.done(),))
        for _ in range(3):
            design = settled(design, "g1")
        _, drawings = settle(design, design.bodies[0])
        self.assertEqual([set(c.culprits) for c in drawings.solutions["g1"].conflicts], [{"c1", "c2", "c3"}])
        freed = settled(edits.change_drawing(design, "g1", lambda d: remove(d, ("c2",))), "g1")
        self.assertAlmostEqual(find_point(freed.drawings[0], "p2").x, 30.0, delta=1e-9)
