"""Rails, ties, ends and points of a loft: exact bodies, what does not depend on what, and what is said when it fails."""

from __future__ import annotations

import math
import re
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from isotomon.author.insert import insert_station
from isotomon.author.meet import freedoms, meet
from isotomon.design import bodies
from isotomon.design import loft_edits as e
from isotomon.design.bodies import change_loft
from isotomon.design.body import Span
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import End, Guide, GuidePoint, Rail
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.design.station_edits import add_station, change_station, remove_stations
from isotomon.field.patches import patches
from isotomon.field.rails import Track, met
from isotomon.geometry.space import line
from isotomon.geometry.through import side_by_side, through
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick, Shape
from isotomon.measure.sections import moments
from isotomon.profile.section import Apex
from tests.helpers import changed, curves_at, design

Array = NDArray[np.float64]
Z = (0.0, 60.0, 140.0, 200.0)
ROUND = [(z, "circle", 80.0, 0.0) for z in Z]


def radius(z: float) -> float:
    """The bulging radius that the rails of these tests follow."""
    return 40.0 + 12.0 * math.sin(math.pi * z / 200.0)


def rail(key: str, angle: float, places: tuple[float, ...] = Z, out: float = 0.0) -> Guide:
    """A guide through points of the bulge in one direction."""
    c, s = math.cos(angle), math.sin(angle)
    points = tuple(GuidePoint(x=(radius(z) + out) * c, y=(radius(z) + out) * s, z=z) for z in places)
    return Guide(key, f"rail {key}", "through", choices=("open",), points=points)


def railed(start: Design, guides: list[Guide], follow: bool = True) -> Design:
    """A design with guides as its rails; the profiles' points follow them."""
    for k, guide in enumerate(guides):
        start = e.add_guide(start, guide)
        stations = tuple(s.id for s in start.bodies[0].stations) if follow else ()
        start = change_loft(
            start, "body", rails=(*start.bodies[0].loft.rails, Rail(f"r{k + 1}", guide.id, follows=stations))
        )
    return start


def shape(made: Design) -> Shape:
    """The body of a design that must have one, without errors."""
    quick = rebuild(made)
    assert quick.shape is not None and not [f for f in quick.findings if f.severity == "error"], quick.findings
    return quick.shape


def ring(s: Shape, v: float, count: int = 360) -> Array:
    """Points (count, 2) of the section at v in its plane."""
    rows = s.form.common.rows(np.linspace(0.0, 1.0, count, endpoint=False))
    return np.asarray(rows @ s.field.sections(np.array([v])).local[0])


def errors(quick: Quick) -> str:
    """All error findings in one text."""
    return " | ".join(f"{f.where}: {f.text}" for f in quick.findings if f.severity == "error")


class Rails(unittest.TestCase):
    """Bodies that follow rails."""

    def test_two_equal_opposite_rails_keep_a_round_body_round(self) -> None:
        """Out of round by less than 1e-9 of its size at every place, and its radius is the rails'."""
        s = shape(railed(design(ROUND), [rail("u1", 0.0), rail("u2", math.pi)]))
        curve = s.field.rails.tracks[0].curve if s.field.rails else None
        assert curve is not None
        for v in (10.0, 77.0, 133.3, 190.0):
            r = np.linalg.norm(ring(s, v), axis=1)
            self.assertLess(float(np.ptp(r)), 1e-9 * 80.0)
            on = s.field.rails.tracks[0].levels(np.array([[0, 0, v]]), np.array([[0.0, 0, 1]]))[0]  # type: ignore[union-attr]
            self.assertAlmostEqual(float(r.mean()), abs(float(curve.at(on)[0, 0])), places=7)

    @given(st.permutations(range(4)), st.booleans())
    @settings(max_examples=8, deadline=None)
    def test_order_does_not_matter_and_rails_are_met(self, order: list[int], stretch: bool) -> None:
        """Any order of four unlike rails gives the same section everywhere, and it passes all rails."""
        guides = [rail(f"u{k}", a, out=o) for k, (a, o) in enumerate([(0.2, 0), (1.7, 3), (3.3, -2), (4.9, 5)])]
        bodies = [
            shape(change_loft(railed(design(ROUND), g), "body", stretch=stretch))
            for g in (guides, [guides[k] for k in order])
        ]
        for v in (0.0, 35.0, 101.0, 200.0):
            np.testing.assert_allclose(ring(bodies[0], v), ring(bodies[1], v), atol=1e-9)
        rails = bodies[1].field.rails
        assert rails is not None
        v = np.linspace(0.0, 200.0, 41)
        got = np.matmul(rails.rows, bodies[1].field.sections(v).control)
        for column, track in enumerate(rails.tracks):
            at = track.levels(np.column_stack([0 * v, 0 * v, v]), np.tile([0.0, 0, 1], (41, 1)))[0]
            np.testing.assert_allclose(got[:, column], track.curve.at(at), atol=1e-9)

    def test_symmetric_rails_make_a_symmetric_body(self) -> None:
        """A rail and its mirror image on a square-to-round body leave both halves alike."""
        start = design(
            [(0.0, "rounded:1:0.1", 80.0, 0.0), (100.0, "ellipse:0.7", 90.0, 0.0), (200.0, "circle", 60.0, 0.0)]
        )
        s = shape(railed(start, [rail("u1", 0.6, (0.0, 90.0, 200.0)), rail("u2", -0.6, (0.0, 90.0, 200.0))]))
        for v in (30.0, 120.0, 170.0):
            found = moments(s.field.sections(np.array([v])), s.form.rule)
            self.assertLess(abs(float(found.centroid[0, 1])), 1e-6 * 80.0)
            self.assertLess(abs(math.sin(2.0 * float(found.principal[0]))), 1e-5)

    def test_slopes_are_the_derivatives(self) -> None:
        """The field's slopes agree with differences, with four rails, turned and tilted stations."""
        rows = [(z, "naca:0018", 80.0, a) for z, a in zip(Z, (0, 10, 25, 30), strict=True)]
        start = change_station(design(rows), "s2", tilt_x=0.1, tilt_y=-0.05)
        guides = [rail(f"u{k}", a) for k, a in enumerate((0.3, 1.4, 3.4, 4.6))]
        made = rebuild(railed(start, guides)).shape
        assert made is not None
        field = made.field
        v, h = np.linspace(1.0, 199.0, 57), 1e-4
        numeric = (field.sections(v + h).control - field.sections(v - h).control) / (2 * h)
        np.testing.assert_allclose(field.sections(v).slopes, numeric, atol=2e-5)

    def test_a_miss_is_a_finding_with_two_mends(self) -> None:
        """Rail, station, gap and place are named; either mend leaves no error, and both survive the file."""
        missing = railed(design(ROUND), [rail("u1", 0.0)], follow=False)
        quick = rebuild(missing)
        found = [f for f in quick.findings if f.severity == "error"]
        self.assertEqual([f.where for f in found], ["rail rail u1 at station st1", "rail rail u1 at station st2"])
        self.assertIn(f"misses the profile by {radius(60.0) - 40.0:.4g} mm", found[0].text)
        np.testing.assert_allclose(found[0].place, (40.0, 0.0, 60.0), atol=1e-6)
        for choice in (0, 1):
            mended = missing
            for f in rebuild(missing).findings:
                mended = f.mends[choice].edit(mended)
            self.assertEqual(errors(rebuild(mended)), "")
            self.assertEqual(encode(decode(encode(mended))), encode(mended))

    def test_rails_that_cannot_be_followed_are_explained(self) -> None:
        """Stopping short, doubling back, at one place, crossing, and ruled: each says what and keeps the body."""
        short = railed(design(ROUND), [rail("u1", 0.0, (0.0, 90.0, 180.0))])
        quick = rebuild(short)
        self.assertIn("stops 20 mm short of the plane of station st3", errors(quick))
        self.assertIsNotNone(quick.shape)
        self.assertEqual(errors(rebuild(quick.findings[0].mends[0].edit(short))), "")
        back = replace(rail("u1", 0.0), points=tuple(GuidePoint(x=40.0, z=z) for z in (0.0, 150.0, 100.0, 200.0)))
        back = replace(back, points=(*back.points[:1], replace(back.points[1], x=60.0), *back.points[2:]))
        self.assertIn("doubles back", errors(rebuild(railed(design(ROUND), [back]))))
        near = rebuild(railed(design(ROUND), [rail("u1", 0.0), rail("u2", 0.01)]))
        self.assertIn("act as one", " ".join(f.text for f in near.findings))
        a, b = rail("u1", 0.0), rail("u2", 0.5)
        swap = tuple(q if k > 1 else p for k, (p, q) in enumerate(zip(a.points, b.points, strict=True)))
        other = tuple(p if k > 1 else q for k, (p, q) in enumerate(zip(a.points, b.points, strict=True)))
        third = rail("u3", 3.0)
        crossing = rebuild(railed(design(ROUND), [replace(a, points=swap), replace(b, points=other), third]))
        said = errors(crossing)
        self.assertIn("cross between profiles", said)
        self.assertEqual(sorted(re.findall(r"rail (rail u\d)", said)), ["rail u1", "rail u2", "rail u3"])
        self.assertIsNotNone(crossing.shape)
        ruled = railed(design(ROUND, ruled=True), [rail("u1", 0.0)])
        self.assertIn("straight rulings", errors(rebuild(ruled)))

    def test_a_rail_on_a_body_that_goes_on_past_its_stations(self) -> None:
        """Flat or round ends beyond what a rail reaches: it is told how far it is short, and the body is there without it."""
        made = design([(0.0, "ellipse:0.5", 40.0, 0.0), (100.0, "ellipse:0.6", 60.0, 0.0)])
        points = (GuidePoint("s0/lead"), GuidePoint("s1/lead"))
        made = e.add_rail(
            e.add_guide(made, Guide("u0", "edge", "through", choices=("open",), points=points)), "body", "u0"
        )
        for span, short in ((Span(on=20.0), 20), (Span(on=20.0, ends="round"), 50), (Span(ends="round"), 30)):
            quick = rebuild(change_loft(made, "body", span=span))
            self.assertIn(f"stops {short} mm short", quick.findings[0].text)
            self.assertIsNotNone(quick.full)

    def test_an_inserted_station_keeps_a_railed_shape(self) -> None:
        """A station put in between moves no point of the body, with rails and a square end."""
        start = railed(design(ROUND), [rail("u1", 0.1), rail("u2", 2.0), rail("u3", 4.0)])
        start = bodies.change_ending(start, "body", "last", how="square")
        before = shape(start)
        after = shape(insert_station(start, before, 101.0))
        for v in (20.0, 99.0, 101.0, 180.0):
            np.testing.assert_allclose(ring(after, v), ring(before, v), atol=1e-6)

    def test_a_station_put_in_is_left_at_a_round_end(self) -> None:
        """Its outer neighbour is removed: the body ends as far past it as it did past that, by as much as it is wide."""
        start = design([(0.0, "circle", 40.0, 0.0), (100.0, "circle", 60.0, 0.0)])
        start = change_loft(start, "body", span=Span(on=20.0, back=10.0, ends="round"))
        left = rebuild(remove_stations(insert_station(start, shape(start), 50.0), ("s1",)))
        assert left.shape is not None
        chord = max(s.chord for s in left.shape.field.stations)
        self.assertAlmostEqual(float(left.shape.mesh.points[..., 2].max()), 50.0 + 20.0 + chord / 2.0, delta=1e-6)


class Together(unittest.TestCase):
    """Several curves at once."""

    @given(st.integers(1, 5), st.integers(2, 9), st.booleans(), st.integers(0, 10_000))
    @settings(max_examples=30)
    def test_curves_side_by_side_are_those_by_themselves(self, count: int, points: int, mixed: bool, seed: int) -> None:
        """Places and rates of each, at its ends, at and between its points, and beyond; also where one is made otherwise."""
        rng = np.random.default_rng(seed)
        curves = [through(np.cumsum(rng.uniform(0.1, 1.0, (points + k, 3)), axis=0)) for k in range(count)]
        curves += [line(np.zeros(3), np.ones(3))] if mixed else []
        places = [np.r_[-0.1, 0.0, c.joints[:2], rng.uniform(0, 1, 20), 1.0, 1.2][:20] for c in curves]
        at = np.array([p if c.spline is not None else np.clip(p, 0, 1) for p, c in zip(places, curves, strict=True)])
        place, rate = side_by_side(curves)(at)
        for k, curve in enumerate(curves):
            np.testing.assert_allclose(place[k], curve.at(at[k]), atol=1e-12)
            np.testing.assert_allclose(rate[k], curve.rate(at[k]), atol=1e-10)

    def test_rails_met_together_are_those_met_alone(self) -> None:
        """By parallel planes, some of them short of a rail's end, and by planes that turn; rising, falling and doubling back."""
        z = np.linspace(0.0, 200.0, 7)
        rising = through(np.column_stack([40.0 + np.sin(z / 50.0), z / 20.0, z]))
        falling = through(np.column_stack([-40.0 + 0 * z, np.cos(z / 70.0), z])[::-1])
        back = through(np.array([[0.0, 0, 0], [5.0, 30.0, 120.0], [0.0, 60.0, 60.0], [0.0, 40.0, 200.0]]))
        origin = np.column_stack([np.zeros((41, 2)), np.linspace(-10.0, 200.0, 41)])
        even, turned = np.tile([0.0, 0.0, 1.0], (41, 1)), np.linspace(-0.1, 0.1, 41)
        leaning = np.column_stack([np.sin(turned), 0 * turned, np.cos(turned)])
        for names in ("rf", "rfb"):
            tracks = [Track(key, {"r": rising, "f": falling, "b": back}[key]) for key in names]
            for normal in (even, leaning):
                found = met(tracks, origin, normal)
                for row, track in enumerate(tracks):
                    for whole, alone in zip(found, met([track], origin, normal), strict=True):
                        np.testing.assert_allclose(whole[row], alone[0], atol=1e-9)
            at, gap, count, place, _ = met(tracks, origin, even)
            held = count > 0
            np.testing.assert_allclose(place[..., 2][held], np.broadcast_to(origin[:, 2], at.shape)[held], atol=1e-9)
            self.assertAlmostEqual(float(gap[0, 0]), 10.0, places=6)


class TiesByHand(unittest.TestCase):
    """Ties set by hand, whole turns, and the turn they make."""

    def test_shifting_by_a_corner_turns_squares_by_90(self) -> None:
        """Corner on next corner: 90° of unintended turn, named between the stations, evened out or intended by a mend."""
        start = design([(0.0, "polygon:4", 80.0, 0.0), (100.0, "polygon:4", 80.0, 0.0)])
        for k in range(4):
            start = e.add_tie(
                start, "body", (End("s0", corner=f"{k + 1}of4"), End("s1", corner=f"{(k + 1) % 4 + 1}of4"))
            )
        quick = rebuild(start)
        assert quick.unintended is not None and quick.shape is not None
        np.testing.assert_allclose(np.degrees(quick.unintended), [0.0, 90.0], atol=1e-6)
        finding = next(f for f in quick.findings if f.severity == "band")
        self.assertIn("90° in all, most between st0 and st1", finding.text)
        self.assertLess(float(quick.shape.curves.area.min()), 0.51 * 80.0**2 / 2)  # ties alone starve the waist
        for mend in finding.mends:
            self.assertTrue(rebuild(mend.edit(start)).ok)
        self.assertEqual(encode(decode(encode(start))), encode(start))

    @given(st.integers(-3, 3), st.integers(3, 6), st.floats(-80, 80))
    @settings(max_examples=12, deadline=None)
    def test_whole_turns_keep_the_area(self, turns: int, sides: int, angle: float) -> None:
        """A prism turned by whole turns and any angle has the same area everywhere, and the turn asked for."""
        start = e.set_turns(
            design([(0.0, f"polygon:{sides}", 60.0, 0.0), (90.0, f"polygon:{sides}", 60.0, angle)]), "s1", turns
        )
        s = shape(start)
        exact = 0.5 * sides * 900.0 * math.sin(2 * math.pi / sides)
        np.testing.assert_allclose(s.curves.area, exact, rtol=1e-12)
        self.assertAlmostEqual(float(s.curves.turn[-1]), math.radians(angle) + 2 * math.pi * turns, places=9)

    def test_unlike_profiles_tie_with_least_turn(self) -> None:
        """Three corners against four, and against none: no turn, and every lane has its own corners at its ends."""
        for first, second in (("polygon:3", "polygon:4"), ("polygon:4", "circle"), ("star:5:0.6", "polygon:5")):
            s = shape(design([(0.0, first, 80.0, 0.0), (100.0, second, 80.0, 0.0)]))
            self.assertLess(float(np.abs(s.curves.turn).max()), 0.06)
            self.assertGreater(float(s.curves.area.min()), 0.9 * float(s.curves.area[[0, -1]].min()))


class EndsAndPoints(unittest.TestCase):
    """How the skin leaves its ends, and bodies that end in a point."""

    def test_square_and_leaning_ends_measure_as_asked(self) -> None:
        """The measured lean at the end is the one asked for to 1e-6 rad; a strength longer than the bay counts as the bay."""
        for how, angle in (("square", 0.0), ("leaning", 0.35), ("leaning", -0.4)):
            for strength in (0.0, 25.0, 900.0):
                start = design(
                    [(0.0, "circle", 60.0, 0.0), (90.0, "ellipse:0.6", 100.0, 20.0), (150.0, "circle", 40.0, 0.0)]
                )
                start = bodies.change_ending(start, "body", "first", how=how, angle=angle, strength=strength)
                start = bodies.change_ending(start, "body", "last", how=how, angle=angle, strength=strength)
                quick = rebuild(start)
                assert quick.full is not None
                np.testing.assert_allclose(quick.full.leans, angle, atol=1e-6)

    def test_a_sharp_point_on_a_circle_is_a_cone(self) -> None:
        """Its volume is a third of base times height to 1e-9, its sections are round, and its faces end in poles."""
        start = changed(design([(0.0, "circle", 80.0, 0.0)]), stations=())
        start = add_station(
            start, "body", Station("s0", "base", 0.0, design(ROUND).bodies[0].stations[0].section, 80.0)
        )
        start = add_station(start, "body", Station("s1", "tip", 120.0, Apex(rounded=False), None))
        quick = rebuild(start)
        assert quick.full is not None and quick.shape is not None
        self.assertAlmostEqual(quick.full.body.volume / (math.pi * 1600.0 * 40.0), 1.0, places=8)
        for patch in patches(quick.shape.field, 1e-5):
            self.assertLess(float(np.ptp(patch.control[:, -1], axis=0).max()), 1e-9)

    def test_a_rounded_point_is_smooth(self) -> None:
        """Close to a rounded tip the skin is square to the axis, and the section's size grows as the root of the depth."""
        start = design([(0.0, "circle", 80.0, 0.0), (60.0, "circle", 80.0, 0.0)])
        s = shape(add_station(start, "body", Station("s2", "tip", 100.0, Apex(), None)))
        depth = np.array([1e-3, 4e-3, 16e-3])
        r = [float(np.linalg.norm(ring(s, float(s.field.params(np.array([100.0 - d]))[0]))[0])) for d in depth]
        np.testing.assert_allclose(r[1] / r[0], 2.0, rtol=2e-2)
        np.testing.assert_allclose(r[2] / r[1], 2.0, rtol=2e-2)

    def test_points_in_the_middle_or_alone_are_explained(self) -> None:
        """A point inside the body, and points alone, say why there is no body."""
        inner = add_station(design([ROUND[0], ROUND[3]]), "body", Station("s9", "tip", 100.0, Apex(), None))
        self.assertIn("only be at an end", errors(rebuild(inner)))
        start = changed(design([ROUND[0]]), stations=())
        for k in (0.0, 50.0):
            start = add_station(start, "body", Station(f"s{k:g}", f"p{k:g}", k, Apex(), None))
        self.assertIn("from point to point", errors(rebuild(start)))


class MeetingALaw(unittest.TestCase):
    """Values changed, least first, until a law is met."""

    def setUp(self) -> None:
        """A body with one station too small for its area law, judged all along."""
        rows = [(0.0, "ellipse:0.5", 80.0, 0.0), (60.0, "ellipse:0.5", 60.0, 0.0), (140.0, "ellipse:0.5", 60.0, 0.0)]
        areas = [math.pi / 8 * c * c for c in (80.0, 72.0, 60.0)]
        points = tuple(LawPoint(a, f"s{i}") for i, a in enumerate(areas))
        self.law = Law("law1", "area", "area", 0.01, relative=True, points=points)
        self.start = changed(design(rows), laws=(self.law,))

    def test_the_size_that_is_wrong_is_changed(self) -> None:
        """Only that station's size changes by much; the law is met, told truly, and the design is one edit away."""
        chosen, _ = freedoms(rebuild(self.start), ["sizes"])
        result = meet(self.start, "law1", chosen)
        self.assertTrue(result.met and result.before > 20.0)
        self.assertFalse(rebuild(result.design).judged[0].out.any())
        moved = {f.owner: value for f, value in result.changes}
        self.assertAlmostEqual(moved["s1"], 72.0, delta=0.4)
        self.assertLess(abs(moved.get("s0", 80.0) - 80.0), 0.3)
        self.assertIn("Met", result.text)

    def test_what_cannot_be_met_says_so(self) -> None:
        """Set angles do not change an area: the best reached and what stands in the way are said."""
        chosen, _ = freedoms(rebuild(self.start), ["set angles"])
        result = meet(self.start, "law1", chosen)
        self.assertFalse(result.met)
        self.assertIn("none of what may change acts", result.text)
        curve = curves_at(rebuild(result.design).shape, [60.0])  # type: ignore[arg-type]
        self.assertAlmostEqual(float(curve.area[0]), math.pi / 8 * 3600.0, delta=1e-3)

    def test_thickness_and_rail_points(self) -> None:
        """A thickness law is met by the points of a rail, and formulas are left alone."""
        guides = [rail("u1", math.pi / 2), rail("u2", -math.pi / 2)]
        start = railed(design(ROUND), guides)
        start = change_station(start, "s0", chord="80 mm")
        points = tuple(LawPoint(2 * radius(z) + (4.0 if k == 1 else 0.0), f"s{k}") for k, z in enumerate(Z))
        start = changed(start, laws=(Law("law1", "thick", "thickness", 0.5, points=points),))
        chosen, driven = freedoms(rebuild(start), ["sizes", "rail points"])
        self.assertEqual(driven, ["chord of st0"])
        result = meet(start, "law1", [f for f in chosen if f.owner in ("u1", "u2")])
        self.assertTrue(result.met, result.text)


if __name__ == "__main__":
    unittest.main()
