"""Ends rounded away from side to side: exact volumes, balls that touch three faces, what is drawn, and refusals in words."""

from __future__ import annotations

import math
import unittest

import numpy as np
from scipy.spatial import KDTree

from isotomon.design import bodies
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import SolidError
from isotomon.inspect.quick import rebuild
from isotomon.kernel.protocol import unpack
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot, rectangle_corners, slot
from isotomon.quantity.record import Ref, refs
from tests.helpers import body, design
from tests.test_finish import Building

HIGH, WIDE, THICK = 80.0, 60.0, 12.0
ENDS = ("body/first", "body/last")


def drawn(drawing: Drawing) -> Design:
    """A straight body of a drawing."""
    stations = tuple(Station(f"s{k}", f"s{k}", z, Drawn(Ref("g1")), None) for k, z in enumerate((0.0, HIGH)))
    return Design("drawn", drawings=(drawing,), bodies=(body(stations=stations),))


def rounded_away(made: Design, *ends: str) -> Design:
    """With ends rounded away."""
    return bodies.add_step(made, "body", RoundAway(faces=refs(*ends)))


def lost_of_ellipse(a: float, b: float) -> float:
    """mm³ that rounding an end of an elliptic cylinder away takes: below the end each place is as deep as the highest of the balls
    about its middle axis."""
    at, weight = np.polynomial.legendre.leggauss(160)
    far = (a * a - b * b) / a
    c = np.linspace(-far, far, 6001)
    r = b * np.sqrt(1.0 - c * c / (a * a - b * b))
    total = 0.0
    for x, w in zip(a * at, a * weight, strict=True):
        half = b * math.sqrt(1.0 - (x / a) ** 2)
        left = r**2 - (x - c) ** 2 - (half * at[:, None]) ** 2
        deep = np.where(left >= -1e-3, r - np.sqrt(np.maximum(left, 0.0)), np.inf).min(axis=1)
        total += w * half * float(weight @ deep)
    return total


class EndRounds(Building):
    """Ends of bodies that are fields."""

    def test_exact_volumes(self) -> None:
        """A flat bar, whose ends have two tails, and a slot, whose noses are arcs, at one end and at both; an ellipse, whose balls shrink
        toward its noses."""
        along = THICK**2 * (0.5 - math.pi / 8.0)
        bar = rectangle_corners(Drawing("g1", "bar"), Spot(0.0, 0.0), Spot(WIDE, THICK))
        oblong = slot(Drawing("g1", "slot"), Spot(0.0, 0.0), Spot(WIDE, 0.0), Spot(0.0, THICK / 2.0))
        disc = math.pi * THICK**2 / 4.0
        for drawing, area, lost in (
            (bar, WIDE * THICK, WIDE * along),
            (oblong, WIDE * THICK + disc, WIDE * along + math.pi * (THICK / 2.0) ** 3 / 3.0),
        ):
            for ends in (ENDS[1:], ENDS):
                with self.subTest(drawing.name, ends=ends):
                    found = self.built(rounded_away(drawn(drawing), *ends))
                    self.assertAlmostEqual(found.volume / (area * HIGH - len(ends) * lost), 1.0, delta=1e-6)
                    self.assertFalse({name.partition(" from")[0] for name in found.names} & {"last cap"})
        a, b = 30.0, 9.0
        ellipse = design([(0.0, f"ellipse:{b / a}", 2.0 * a, 0.0), (HIGH, f"ellipse:{b / a}", 2.0 * a, 0.0)])
        found = self.built(rounded_away(ellipse, "body/last"))
        self.assertAlmostEqual(found.volume / (math.pi * a * b * HIGH - lost_of_ellipse(a, b)), 1.0, delta=1e-6)

    def test_balls_touch_both_sides_and_the_end(self) -> None:
        """On twisted, tapered foils with sharp and blunt tails: at each place of the finished round a ball inside touches the end, and the
        skin at both its sides, and nothing of the skin is in it."""
        for digits in ("2412", "0018b"):
            made = design([(0.0, f"naca:{digits}", 60.0, 0.0), (HIGH, f"naca:{digits}", 44.0, 9.0)])
            found = self.built(rounded_away(made, "body/last"))
            shape = rebuild(made).shape
            assert shape is not None
            v = np.linspace(70.0, HIGH, 200)
            rows = shape.field.common.rows(np.linspace(0.0, 1.0, 2000))
            skin = np.einsum("un,vnd->uvd", rows, shape.field.sections(v).control).reshape(-1, 3)
            own = np.array([name.startswith("round of (last cap)") for name in found.names])[unpack(found.owner)]
            at = np.unique(unpack(found.triangles)[own])
            points, normals = (unpack(data).astype(float)[at] for data in (found.vertices, found.normals))
            radius = (HIGH - points[:, 2]) / (1.0 - normals[:, 2]).clip(1e-9)
            there = np.linalg.norm(normals, axis=1) > 0.5
            self.assertGreater(float(there.mean()), 0.99)  # but at the poles
            big = (radius > 1.0) & (normals[:, 2] < 0.99) & there
            centre, radius = (points - radius[:, None] * normals)[big], radius[big]
            tree = KDTree(skin)
            miss = tree.query(centre)[0] - radius
            self.assertGreater(len(radius), 200)
            self.assertGreater(float(miss.min()), -5e-3)
            self.assertLess(float(np.median(np.abs(miss))), 5e-3)
            sides = [tree.query_ball_point(c, r + 2e-2) for c, r in zip(centre[::20], radius[::20], strict=True)]
            across = [float(np.ptp(skin[near], axis=0).max()) for near in sides if near]
            self.assertGreater(float(np.median(across)), float(np.median(radius)))

    def test_drawn_at_once_where_it_will_be(self) -> None:
        """While the solid is not there, and while something moves: the round begins where the skin ends, its parts meet, and its highest
        place is the end; a first end, too."""
        made = design([(0.0, "naca:2412b", 60.0, 0.0), (HIGH, "naca:0018b", 40.0, 12.0)])
        for end, row, level in (("first", 0, 0.0), ("last", -1, HIGH)):
            for moving in (True, False):
                with self.subTest(end, moving=moving):
                    grids = rebuild(rounded_away(made, f"body/{end}"), moving=moving).grids
                    assert grids is not None
                    rims = np.concatenate([side[row] for side in grids.outer])
                    begin = np.concatenate([side[-1 - row] for side in grids.rounds])
                    self.assertLess(float(KDTree(rims).query(begin)[0].max()), 4.0)
                    highest = np.concatenate([side[row] for side in grids.rounds])
                    np.testing.assert_allclose(highest[:, 2], level, atol=2e-3)
                    self.assertEqual(grids.away, (end == "first", end == "last"))

    def test_then_more_is_done_by_the_kernel(self) -> None:
        """After it the skin is a solid like others: another end in a step of its own is rounded away on the skin still, an edge by the
        kernel."""
        bar = drawn(rectangle_corners(Drawing("g1", "bar"), Spot(0.0, 0.0), Spot(WIDE, THICK)))
        both = self.built(rounded_away(rounded_away(bar, "body/first"), "body/last"))
        self.assertAlmostEqual(both.volume, self.built(rounded_away(bar, *ENDS)).volume, delta=1e-3)
        less = self.built(
            bodies.add_step(rounded_away(bar, "body/last"), "body", Round(edges=("body/first-rim",), radius=1.0))
        )
        self.assertLess(less.volume, WIDE * THICK * HIGH)

    def test_refused_in_words(self) -> None:
        """Ends without two long sides; bodies too short: each says what else to do."""
        pen = Pen(Drawing("g1", "three sides"))
        corners = [pen.point(*place) for place in ((0.0, 0.0), (50.0, 0.0), (25.0, 40.0))]
        for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
            pen.line(a, b)
        ellipse = design([(0.0, "ellipse:0.5", 60.0, 0.0), (20.0, "ellipse:0.5", 60.0, 0.0)])
        cases = (
            drawn(pen.done()),
            design([(0.0, "circle", 60.0, 0.0), (HIGH, "circle", 60.0, 0.0)]),
            ellipse,
        )
        for made in cases:
            with (
                self.subTest(made),
                self.assertRaisesRegex(
                    SolidError, "round its edges by a radius|choose a narrow one|by a radius instead"
                ),
            ):
                self.built(rounded_away(made, "body/last"))


if __name__ == "__main__":
    unittest.main()
