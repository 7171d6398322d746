"""Guides: curves in space against formulas, and as records of a design."""

from __future__ import annotations

import math
import unittest

import numpy as np
from numpy.typing import NDArray
from scipy.special import ellipe

from isotomon.design import loft_edits as e
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import GUIDES, Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station_edits import change_station, remove_stations
from isotomon.errors import DesignError
from isotomon.geometry import space
from isotomon.geometry.datums import Plane, SpaceCurve
from isotomon.geometry.through import through
from isotomon.inspect.quick import rebuild
from isotomon.profile import shapes
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.shapes import Spot
from tests.helpers import design

Array = NDArray[np.float64]
CONE = [(0.0, "circle", 80.0, 0.0), (200.0, "circle", 40.0, 0.0)]


def made(kind: str, on: tuple[str, ...] = (), values: dict[str, object] | None = None, **fields: object) -> Guide:
    """A guide with its kind's usual numbers and choices but those given by title; `choices` replaces some by title."""
    way = GUIDES[kind]
    numbers = tuple((values or {}).get(f.title, f.default) for f in way.fields)
    picks = dict(fields.pop("choices", ()))  # type: ignore[call-overload]
    choices = tuple(picks.get(title, allowed[0]) for title, allowed in way.choices)
    return Guide("u1", "guide", kind, on, numbers, choices, **fields)  # type: ignore[arg-type]


def curve(guide: Guide, start: Design | None = None) -> SpaceCurve:
    """The guide's curve in a design."""
    quick = rebuild(e.add_guide(start or design(CONE), guide))
    found = quick.guides.get(guide.id)
    if found is None:
        raise AssertionError([f.text for f in quick.findings])
    return found


def trouble(guide: Guide, start: Design | None = None) -> str:
    """What is said of a guide that cannot be made."""
    return next(f.text for f in rebuild(e.add_guide(start or design(CONE), guide)).findings if f.about == guide.id)


def length(c: SpaceCurve, count: int = 40001) -> float:
    """Length by a fine polygon, apart from the curve's own table."""
    return float(np.linalg.norm(np.diff(c.at(np.linspace(0.0, 1.0, count)), axis=0), axis=1).sum())


def places(*rows: tuple[float, float, float]) -> tuple[GuidePoint, ...]:
    """Points by coordinates."""
    return tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in rows)


class Helices(unittest.TestCase):
    """The helix by its numbers."""

    def test_length_pitch_and_leads(self) -> None:
        """Length √((2πr)² + p²) a turn; each of pitch, turns and height follows from the two others; leads run straight on."""
        numbers: dict[str, object] = {"Radius": 30.0, "Pitch": 50.0, "Turns": 3.0, "Height": 150.0}
        expected = 3.0 * math.hypot(2 * math.pi * 30.0, 50.0)
        for worked, wrong in (("height", "Height"), ("turns", "Turns"), ("pitch", "Pitch")):
            c = curve(made("helix", ("z",), {**numbers, wrong: 1.0}, choices={"Worked out": worked}))
            self.assertAlmostEqual(length(c) / expected, 1.0, places=7)
            self.assertAlmostEqual(c.length / expected, 1.0, places=9)
            self.assertAlmostEqual(float(c.at(np.array([1.0]))[0, 2]), 150.0, places=6)
        led = curve(made("helix", ("z",), {**numbers, "Lead-in": 20.0, "Lead-out": 35.0}))
        self.assertAlmostEqual(length(led), expected + 55.0, places=3)
        fading = made("helix", ("z",), {**numbers, "Lead-out": 40.0, "Fade by": 12.0}, choices={"Leads": "fading"})
        self.assertAlmostEqual(float(np.hypot(*curve(fading).at(np.array([1.0]))[0, :2])), 42.0, places=6)

    def test_hand_taper_spiral_and_laws(self) -> None:
        """Left is right mirrored; a taper by angle or end radius agree; no pitch gives a flat spiral; a radius law is met."""
        t = np.linspace(0.0, 1.0, 301)
        right = curve(made("helix", ("z",), {"Radius": 30.0})).at(t)
        left = curve(made("helix", ("z",), {"Radius": 30.0}, choices={"Hand": "left"})).at(t)
        np.testing.assert_allclose(left, right * [1, -1, 1], atol=1e-9)
        by_end = {"Radius": 30.0, "End radius": 18.0}
        by_angle = {"Radius": 30.0, "Taper": -math.atan2(12.0, 120.0)}
        a = curve(made("helix", ("z",), by_end, choices={"Radius along it": "to the end radius"})).at(t)
        b = curve(made("helix", ("z",), by_angle, choices={"Radius along it": "by the taper"})).at(t)
        np.testing.assert_allclose(a, b, atol=1e-6)
        np.testing.assert_allclose(np.hypot(a[:, 0], a[:, 1]), 30.0 - a[:, 2] / 10.0, atol=1e-6)
        flat = {"Radius": 10.0, "Pitch": 0.0, "Turns": 4.0, "End radius": 50.0}
        spiral = curve(made("helix", ("z",), flat, choices={"Radius along it": "to the end radius"})).at(t)
        self.assertLess(float(np.ptp(spiral[:, 2])), 1e-9)
        np.testing.assert_allclose(np.hypot(*spiral[[0, -1], :2].T), [10.0, 50.0], atol=1e-9)
        law = curve(made("helix", ("z",), {"Radius": "20 mm + 10 mm * fraction * fraction"})).at(t)
        share = law[:, 2] / 120.0
        np.testing.assert_allclose(np.hypot(law[:, 0], law[:, 1]), 20.0 + 10.0 * share**2, atol=1e-5)

    def test_on_a_picked_cylinder_and_what_cannot_be(self) -> None:
        """Without a radius of its own it takes the cylinder's; impossible numbers are explained."""
        prism = design([(0.0, "circle", 60.0, 0.0), (90.0, "circle", 60.0, 0.0)])
        c = curve(made("helix", ("body/skin",), {"Radius": 0.0}), prism).at(np.linspace(0, 1, 50))
        np.testing.assert_allclose(np.hypot(c[:, 0], c[:, 1]), 30.0, atol=1e-6)
        self.assertIn("turns", trouble(made("helix", ("z",), {"Radius": 9.0, "Turns": 0.0})))
        self.assertIn("radius", trouble(made("helix", ("z",), {"Radius": -9.0})))
        self.assertIn(
            "pitch is nought", trouble(made("helix", ("z",), {"Pitch": 0.0}, choices={"Worked out": "turns"}))
        )


class ThroughPoints(unittest.TestCase):
    """Curves through points, handles and profile points."""

    def test_it_is_c2_and_takes_its_handles(self) -> None:
        """It passes its points, has the directions asked for, and its curvature does not jump, also where a handle is."""
        points = np.array([[0, 0, 0], [30, 10, 40], [20, 40, 90], [-10, 30, 150]], dtype=float)
        way = np.array([1.0, 2.0, 2.0]) / 3.0
        c = through(points, [None, way, None, np.array([0.0, 0.0, 1.0])])
        x = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))]
        t = x / x[-1]
        np.testing.assert_allclose(c.at(t), points, atol=1e-9)
        np.testing.assert_allclose(c.tangent(float(t[1])), way, atol=1e-6)
        np.testing.assert_allclose(c.tangent(1.0), [0, 0, 1], atol=1e-6)
        h = 1e-4
        for k in t[1:-1]:
            (left, right) = (c.rate(np.array([k - h, k])), c.rate(np.array([k, k + h])))
            np.testing.assert_allclose(np.diff(left, axis=0) / h, np.diff(right, axis=0) / h, atol=2e-2 * x[-1])

    def test_a_closed_one_comes_round_smoothly(self) -> None:
        """Through eight points of a circle it stays within 0.3 % of it and its ends agree in direction."""
        phi = np.arange(8) * math.pi / 4
        ring = through(np.column_stack([np.cos(phi), np.sin(phi), 0 * phi]), closed=True)
        p = ring.at(np.linspace(0, 1, 999))
        self.assertLess(float(np.abs(np.linalg.norm(p, axis=1) - 1.0).max()), 3e-3)
        np.testing.assert_allclose(ring.rate(np.array([0.0])), ring.rate(np.array([1.0])), atol=1e-9)

    def test_profile_points_move_with_their_profile(self) -> None:
        """Through the leading points it follows a change of size; a handle square to a plane is along its normal."""
        foils = design(
            [(0.0, "naca:0012", 80.0, 0.0), (100.0, "naca:0012", 60.0, 0.0), (200.0, "naca:0012", 40.0, 0.0)]
        )
        points = (GuidePoint("s0/lead", toward="s0"), GuidePoint("s1/lead"), GuidePoint("s2/lead"))
        edge = made("through", points=points)
        c = curve(edge, foils)
        np.testing.assert_allclose(c.at(np.array([0.0, 1.0])), [[-20, 0, 0], [-10, 0, 200]], atol=1e-6)
        np.testing.assert_allclose(c.tangent(0.0), [0, 0, 1], atol=1e-6)
        wider = curve(edge, change_station(foils, "s0", chord=120.0))
        np.testing.assert_allclose(wider.at(np.array([0.0]))[0], [-30, 0, 0], atol=1e-6)
        left = remove_stations(e.add_guide(foils, edge), ["s1"])
        self.assertEqual([p.on for p in left.guides[0].points], ["s0/lead", "s2/lead"])
        self.assertIn("two or more", trouble(made("through", points=points[:1]), foils))


class FromOthers(unittest.TestCase):
    """Curves made from other curves, planes and skins."""

    def test_two_views_of_a_helix_give_it_back(self) -> None:
        """Its looks along X and along Y, as curves on two planes, give the one curve in space."""
        z = np.linspace(0.0, 100.0, 41)
        phi = z / 60.0
        wanted = np.column_stack([20 * np.cos(phi), 20 * np.sin(phi), z])
        side = through(wanted * [0, 1, 1])
        front = through(wanted * [1, 0, 1])
        yz, zx = (
            Plane(np.zeros(3), np.array([0.0, 1, 0]), np.array([1.0, 0, 0])),
            Plane(np.zeros(3), np.array([0.0, 0, 1]), np.array([0.0, 1, 0])),
        )
        p = space.two_views(side, yz, front, zx).at(np.linspace(0, 1, 200))
        p = p[(p[:, 2] > 20.0) & (p[:, 2] < 80.0)]  # at their natural ends the two views themselves leave the helix
        np.testing.assert_allclose(p[:, 0], 20 * np.cos(p[:, 2] / 60.0), atol=2e-6)
        np.testing.assert_allclose(p[:, 1], 20 * np.sin(p[:, 2] / 60.0), atol=2e-6)
        with self.assertRaisesRegex(DesignError, "one direction"):
            space.two_views(side, yz, front, yz)

    def test_dropped_drawn_and_met_curves_lie_on_the_skin(self) -> None:
        """A line dropped on a cone along −Y or along normals, a curve drawn on it, and where a plane meets it: on the cone."""

        def off(p: Array) -> float:
            return float(np.abs(np.hypot(p[:, 0], p[:, 1]) - (40.0 - p[:, 2] / 10.0)).max())

        t = np.linspace(0.0, 1.0, 101)
        start = design(CONE)
        start = e.add_guide(start, replace(made("through", points=places((5, 60, 20), (12, 60, 180))), id="u9"))
        along = curve(made("dropped", ("u9", "body", "y")), start).at(t)
        np.testing.assert_allclose(along[:, 0], 5 + 7 * (along[:, 2] - 20) / 160, atol=1e-6)
        self.assertLess(off(along), 1e-4)
        self.assertLess(off(curve(made("dropped", ("u9", "body", "")), start).at(t)), 1e-4)
        spots = (GuidePoint(x=0.1, z=10.0), GuidePoint(x=0.3, z=120.0), GuidePoint(x=0.4, z=190.0))
        self.assertLess(off(curve(made("on-skin", ("body",), points=spots)).at(t)), 1e-4)
        cut = curve(made("meets", ("body", "yz"))).at(t)
        self.assertLess(max(off(cut), float(np.abs(cut[:, 0]).max())), 1e-4)
        away = e.change_guide(start, "u9", points=places((500, 60, 20), (500, 60, 180)))
        self.assertIn("misses the skin", trouble(made("dropped", ("u9", "body", "y")), away))

    def test_joined_curves_report_gaps_and_kinks(self) -> None:
        """A gap of 0.5 mm and a kink of 90° are measured, closed, and on request rounded off."""
        a = space.line(np.array([0.0, 0, 0]), np.array([100.0, 0, 0]))
        b = space.line(np.array([100.5, 80.0, 0]), np.array([100.5, 0.0, 0]))
        run, joins = space.joined([a, b])
        self.assertAlmostEqual(joins[0].gap, 0.5, places=9)
        self.assertAlmostEqual(joins[0].kink, math.pi / 2, places=9)
        np.testing.assert_allclose(run.at(np.array([0.0, 1.0])), [[0, 0, 0], [100.5, 80, 0]], atol=1e-9)
        self.assertEqual(len(run.corners), 1)
        smooth, _ = space.joined([a, b], smoothed=True)
        bend = space.curvature(smooth, np.linspace(0.01, 0.99, 400))
        self.assertLess(float(np.linalg.norm(bend, axis=1).max()), 0.5)

    def test_a_curves_own_corners_stay_corners(self) -> None:
        """A drawn angle lengthened, turned round by joining, and mirrored: its corner is where it was, by the name of its point."""
        angle = shapes.line(shapes.line(Drawing("g1", "angle"), Spot(0, 0), Spot(50, 0)), Spot(50, 0), Spot(50, 30))
        ends = (GuidePoint(x=50.0, y=30.0), GuidePoint(x=50.0, y=30.0, z=40.0))
        guides = (
            Guide("u1", "longer", "extended", ("g1",), (20.0, 20.0)),
            Guide("u2", "on", "through", (), (), ("open",), ends),
            Guide("u3", "run", "joined", ("u2", "g1"), (), ("kept",)),
            Guide("u4", "twin", "mirrored", ("g1", "zx")),
        )
        made = rebuild(Design("d", drawings=(angle,), guides=guides)).guides
        (corner,) = made["u1"].names
        self.assertTrue(corner.startswith("g1.p"))
        for key, places in (
            ("u1", {corner: (50, 0, 0)}),
            ("u3", {"u2+g1": (50, 30, 0), f"g1:{corner}": (50, 0, 0)}),
            ("u4", {corner: (50, 0, 0)}),
        ):
            curve = made[key]
            self.assertEqual(set(curve.names), set(places))
            for at, name in zip(curve.corners, curve.names, strict=True):
                np.testing.assert_allclose(curve.at(np.array([at]))[0], places[name], atol=1e-6)

    def test_beside_mirrored_extended(self) -> None:
        """A circle's neighbour has another radius, a twin is its mirror image, and lengths are added and cut off exactly."""
        ring = made(
            "through", points=places(*[(50 * math.cos(k), 50 * math.sin(k), 0) for k in np.arange(16) * math.pi / 8])
        )
        ring = replace(ring, id="u9", choices=("closed",))
        start = e.add_guide(design(CONE), ring)
        inner = curve(made("offset", ("u9", "xy"), {"Distance": 12.0}), start).at(np.linspace(0, 1, 99))
        np.testing.assert_allclose(np.hypot(inner[:, 0], inner[:, 1]), 38.0, atol=0.02)
        self.assertIn("tighter", trouble(made("offset", ("u9", "xy"), {"Distance": 60.0}), start))
        line = replace(made("through", points=places((5, 7, 0), (25, 7, 100))), id="u8")
        start = e.add_guide(start, line)
        twin = curve(made("mirrored", ("u8", "yz")), start).at(np.array([0.0, 1.0]))
        np.testing.assert_allclose(twin, [[-5, 7, 0], [-25, 7, 100]], atol=1e-9)
        whole = math.hypot(20, 100)
        longer = curve(made("extended", ("u8",), {"At the start": 10.0, "At the end": -30.0}), start)
        self.assertAlmostEqual(length(longer), whole - 20.0, places=6)
        self.assertIn("cut back", trouble(made("extended", ("u8",), {"At the start": -900.0}), start))

    def test_a_drawn_outline_and_rims(self) -> None:
        """A drawn ellipse on the ZX plane has the length of one, and the body's rim that of its circle."""
        pen = Pen(Drawing("g7", "outline", plane="zx"))
        pen.oval(pen.point(0.0, 0.0), pen.point(30.0, 0.0), 12.0)
        start = replace(design(CONE), drawings=(pen.done(),))
        drawn = curve(made("drawn", ("g7",)), start)
        exact = 4 * 30 * ellipe(1 - (12 / 30) ** 2)
        self.assertAlmostEqual(length(drawn) / exact, 1.0, places=7)
        self.assertLess(float(np.abs(drawn.at(np.linspace(0, 1, 9))[:, 1]).max()), 1e-12)
        rim = curve(made("joined", ("body/first-rim",)))
        self.assertAlmostEqual(length(rim) / (80 * math.pi), 1.0, places=7)


class AsRecords(unittest.TestCase):
    """Guides in the design: names, circles, files."""

    def test_round_trip_users_and_circles(self) -> None:
        """They survive the file byte for byte, name who uses them, and a circle of references is explained."""
        start = e.add_guide(design(CONE), replace(made("through", points=places((40, 0, 0), (20, 0, 200))), id="u1"))
        start = e.add_rail(start, "body", "u1")
        start = e.mirror_guide(start, "u1", "yz")
        self.assertEqual([r.guide for r in start.bodies[0].loft.rails], ["u1", start.guides[1].id])
        self.assertEqual(encode(decode(encode(start))), encode(start))
        with self.assertRaisesRegex(DesignError, "is made from"):
            e.remove_guide(start, "u1")
        loop = e.change_guide(start, "u1", kind="mirrored", on=(start.guides[1].id, "yz"), choices=(), points=())
        self.assertTrue(any("circle" in f.text for f in rebuild(loop).findings))
        with self.assertRaisesRegex(DesignError, "a rail of the loft already"):
            e.add_rail(start, "body", "u1")


if __name__ == "__main__":
    unittest.main()
