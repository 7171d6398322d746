"""Sweeps, revolutions and extrusions: exact volumes, areas along the way, laws along the body, what cannot be made."""

from __future__ import annotations

import math
import re
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.author import shaping
from isotomon.author.insert import insert_station
from isotomon.design import edits
from isotomon.design.body import Along, Carrying, Span, Wall
from isotomon.design.datums import Datum
from isotomon.design.edits import change_number, replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import Guide, GuidePoint, Rail
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.design.walk import number_uses
from isotomon.errors import DesignError
from isotomon.geometry.datums import Axis, SpaceCurve
from isotomon.inspect.compare import compare, wall_widths
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Polygon, Rounded
from isotomon.profile.shapes import Spot, arc_through, line, rectangle_corners
from isotomon.samples import sample
from isotomon.solids.deliver import build_all, export
from tests.helpers import WithWorker, body, changed, volume_read

SQUARE = 60.0**2 / 2.0
"""mm²: of a square whose corners lie on a circle of 60."""


def shaped(section: object = None, **fields: object) -> Design:
    """A body of one station, of a square of that size unless said."""
    station = Station("s1", "profile", 0.0, section or Polygon(4), 60.0)  # type: ignore[arg-type]
    return Design("shaped", bodies=(body("body", "body", **fields, stations=(station,)),))  # type: ignore[arg-type]


def helix(radius: float = 40.0, pitch: float = 20.0, turns: float = 3.0) -> Guide:
    values = (radius, pitch, turns, 60.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 10.0)
    return Guide("u1", "helix", "helix", ("z",), values, ("height", "right", "constant", "straight"))


def volume(quick: Quick) -> float:
    assert quick.full is not None, quick.findings
    return quick.full.body.volume


class WithSolids(WithWorker):
    """Bodies built by the worker."""

    def solid(self, design: Design) -> tuple[float, bool]:
        built = build_all(rebuild(design), self.supervisor)["body"]
        return built.volume, built.valid and built.watertight


class Extruded(unittest.TestCase):
    """One section moved straight, with laws along the way."""

    def test_prisms_frusta_and_twists(self) -> None:
        """A prism either way, twisted in all or by length, drafted, tapered, waved: each by its formula."""
        side, lean = 60.0 / math.sqrt(2.0), math.radians(-5.0)
        small = side + 200.0 * math.tan(lean)
        for along, wanted in (
            (Along(), SQUARE * 100.0),
            (Along(turn=math.radians(450.0)), SQUARE * 100.0),
            (Along(turn=math.radians(90.0), turn_over=25.0), SQUARE * 100.0),
            (Along(draft=lean), 100.0 / 3.0 * (side**2 + small**2 + side * small)),
            (Along(width=0.5, height=0.5), 100.0 / 3.0 * SQUARE * 1.75),
            (Along(width="1 + 0.2 * sin(360 deg * fraction)"), SQUARE * 100.0),
            (Along(offset_x=30.0, offset_y="10 mm * fraction"), SQUARE * 100.0),
        ):
            with self.subTest(along):
                quick = rebuild(decode(encode(shaped(span=Span(on=70.0, back=30.0), along=along))))
                self.assertEqual(quick.findings, ())
                self.assertAlmostEqual(volume(quick) / wanted, 1.0, delta=2e-9)
        turned = rebuild(shaped(span=Span(on=100.0), along=Along(turn=math.radians(90.0), turn_over=25.0)))
        assert turned.shape is not None
        self.assertAlmostEqual(float(turned.shape.curves.turn[-1]), 2.0 * math.pi, delta=1e-9)

    def test_the_area_is_kept_between_unlike_profiles(self) -> None:
        """A square that becomes a circle of any size keeps the square's area to 1e-9 all along."""
        stations = (Station("s1", "a", 0.0, Polygon(4), 60.0), Station("s2", "b", 200.0, Circle(), 90.0))
        quick = rebuild(Design("kept", bodies=(body("body", "body", along=Along(keep_area=True), stations=stations),)))
        assert quick.shape is not None
        np.testing.assert_allclose(quick.shape.curves.area, SQUARE, rtol=1e-9)
        self.assertAlmostEqual(volume(quick), SQUARE * 200.0, delta=1e-3)

    def test_up_to_planes_and_points(self) -> None:
        """It goes on to a plane square to it or a point's height; to what lies behind, or leans, it says why not."""
        made = shaping.extrude(Design("x"), "", 5.0)
        made = changed(made, stations=(replace(made.bodies[0].stations[0], position=-40.0),))
        quick = rebuild(changed(made, span=Span(on_to="origin")))
        self.assertAlmostEqual(volume(quick), math.pi * 400.0 * 40.0, delta=1e-4)
        for ref, words in (("zx", "never comes to it"), ("gone", "gone")):
            told = rebuild(changed(made, span=Span(on_to=ref))).findings
            self.assertIn(words, told[0].text)
        behind = changed(made, stations=(replace(made.bodies[0].stations[0], position=40.0),))
        told = rebuild(changed(behind, span=Span(on_to="origin"))).findings
        self.assertIn("does not lie beyond the last station", told[0].text)

    def test_up_to_a_leaning_plane(self) -> None:
        """A post up to a plane that leans by 30°: the volume is area × its middle's length, the skin's area by formula."""
        lean = math.radians(30.0)
        datums = (
            Datum("d1", "lean", "turned", ("x", "xy"), (lean,)),
            Datum("d2", "roof", "parallel", ("d1",), (80.0,)),
        )
        quick = rebuild(replace(shaped(Circle(), span=Span(on_to="d2")), datums=datums))
        self.assertEqual(quick.findings, ())
        high = 80.0 / math.cos(lean)
        self.assertAlmostEqual(volume(quick) / (math.pi * 900.0 * high), 1.0, delta=1e-8)
        assert quick.full is not None
        skin = 2.0 * math.pi * 30.0 * high + math.pi * 900.0 * (1.0 + 1.0 / math.cos(lean))
        self.assertAlmostEqual(quick.full.body.area / skin, 1.0, delta=1e-8)

    def test_up_to_another_body(self) -> None:
        """A peg goes on until all of it has come to a drum across its way, as far as the drum's side is away at the peg's rim; beside the
        drum it says so; the drum itself knows nothing of it."""
        side = (Station("h1", "drum", 0.0, Circle(), 100.0),)
        drum = body("drum", "drum", side, carrier=Carrying("plane", "zx"), span=Span(on=60.0, back=60.0))
        peg = Station("s9", "peg", -120.0, Circle(), 20.0)
        design = Design(
            "peg",
            bodies=(
                drum,
                body("body", "peg", span=Span(on_to="drum"), stations=(peg,)),
            ),
        )
        quick = rebuild(decode(encode(design)), "body")
        self.assertEqual(quick.findings, ())
        assert quick.shape is not None
        self.assertAlmostEqual(quick.shape.field.last, -math.sqrt(2500.0 - 100.0), delta=0.02)
        beside = changed(design, "body", stations=(replace(peg, offset_x=45.0),))
        self.assertIn("not all of the profile comes to drum", rebuild(beside).findings[0].text)

    def test_walls(self) -> None:
        """A wall along an angle is mitred: inside, about and outside it; shut by a line it is a triangle; a tube is hollow."""
        drawn = line(
            line(Drawing("g1", "angle"), Spot(20.0, 0.0), Spot(20.0, 40.0)), Spot(20.0, 40.0), Spot(50.0, 40.0)
        )
        made = shaping.extrude(Design("x", drawings=(drawn,)), "g1", 10.0)
        for side, area in (("inside", 144.0), ("middle", 140.0), ("outside", 136.0)):
            walled = changed(made, wall=Wall(2.0, side))  # type: ignore[arg-type]
            self.assertAlmostEqual(volume(rebuild(walled)), 10.0 * area, delta=1e-6)
        self.assertAlmostEqual(volume(rebuild(changed(made, shut=True))), 6000.0, delta=1e-6)
        tube = rebuild(shaped(Circle(), span=Span(on=100.0), wall=Wall(5.0)))
        self.assertAlmostEqual(volume(tube), math.pi * (30.0**2 - 25.0**2) * 100.0, delta=1e-2)
        thick = rebuild(shaped(Circle(), span=Span(on=100.0), wall=Wall(40.0)))
        self.assertIn("thicker than the profile has room for", thick.findings[-1].text)

    def test_numbers_behind_it_follow_their_names(self) -> None:
        """Reach, laws, wall and copies may be formulas: a number's new name reaches all, and its uses are told."""
        numbers = (Number("n1", "far", 100.0, "length"), Number("n2", "spin", math.radians(90.0), "angle"))
        made = shaped(Circle(), span=Span(on="far"), along=Along(turn="spin * fraction"), wall=Wall("far / 20"))
        made = replace(made, numbers=numbers)
        before = volume(rebuild(made))
        self.assertEqual(number_uses(made, "far"), ["body, how far it goes", "body, its wall"])
        renamed = change_number(change_number(made, "n1", name="reach"), "n2", name="whirl")
        self.assertEqual(renamed.bodies[0].loft.along.turn, "whirl * fraction")
        self.assertEqual(volume(rebuild(renamed)), before)


class Swept(WithSolids):
    """One section or several carried along paths."""

    def test_pappus_along_a_helix(self) -> None:
        """Square to a helix, held any way, the volume is area × length; upright it is area × the way round; the area is kept
        to 1e-9 all along."""
        area, length = math.pi * 16.0, 3.0 * math.hypot(2.0 * math.pi * 40.0, 20.0)
        for hold, wanted in (
            ("least", area * length),
            ("up", area * length),
            ("axis", area * 3.0 * 2.0 * math.pi * 40.0),
        ):
            carrier = Carrying("path", "u1", hold=hold, toward="z")  # type: ignore[arg-type]
            made = replace(shaped(Circle(), carrier=carrier, span=Span(whole=True)), guides=(helix(),))
            made = changed(made, stations=(replace(made.bodies[0].stations[0], chord=8.0),))
            quick = rebuild(made)
            self.assertEqual(quick.findings, ())
            assert quick.shape is not None
            self.assertAlmostEqual(volume(quick) / wanted, 1.0, delta=2e-9)
            self.assertLess(float(np.ptp(quick.shape.curves.area)) / area, 1e-9)
            self.assertGreater(len(quick.shape.v), 180)

    def test_leaning_on_a_curve_and_standing_as_drawn(self) -> None:
        """X looks at the second curve all along; a profile that begins as it lies on a plane is there at the path's start."""
        points = tuple(
            GuidePoint(x=x, y=y, z=z) for x, y, z in ((0.0, 0.0, 0.0), (20.0, 5.0, 60.0), (0.0, 30.0, 120.0))
        )
        path = Guide("u1", "path", "through", (), (), ("open",), points)
        beside = Guide("u2", "beside", "through", (), (), ("open",), tuple(replace(p, x=p.x + 50.0) for p in points))  # type: ignore[operator]
        carrier = Carrying("path", "u1", hold="curve", toward="u2")
        made = replace(shaped(Circle(), carrier=carrier, span=Span(whole=True)), guides=(path, beside))
        made = changed(made, stations=(replace(made.bodies[0].stations[0], chord=10.0),))
        shape = rebuild(made).shape
        assert shape is not None
        normal, across = shape.sections.normal, shape.sections.across
        aim = np.array([1.0, 0.0, 0.0]) - normal[:, :1] * normal
        aim = aim / np.linalg.norm(aim, axis=1, keepdims=True)
        self.assertLess(float(np.abs(across - aim)[5:-5].max()), 1e-3)
        drawn = rebuild(changed(made, carrier=replace(carrier, drawn_on="xy"))).shape
        assert drawn is not None
        np.testing.assert_allclose(drawn.sections.normal[0], [0.0, 0.0, 1.0], atol=1e-12)

    def test_a_rail_sets_the_size(self) -> None:
        """A circle swept along a straight path with two opposite rails that part: a cone's frustum, as wide as the rails."""
        lines = {
            "u1": ((0.0, 0.0), (0.0, 90.0)),
            "u2": ((10.0, 0.0), (25.0, 90.0)),
            "u3": ((-10.0, 0.0), (-25.0, 90.0)),
        }
        guides = tuple(
            Guide(key, key, "through", (), (), ("open",), tuple(GuidePoint(x=x, z=z) for x, z in ends))
            for key, ends in lines.items()
        )
        rails = (Rail("r1", "u2"), Rail("r2", "u3"))
        made = shaped(Circle(), carrier=Carrying("path", "u1"), span=Span(whole=True), rails=rails)
        made = replace(changed(made, stations=(replace(made.bodies[0].stations[0], chord=20.0),)), guides=guides)
        quick = rebuild(made)
        self.assertEqual(quick.findings, ())
        self.assertAlmostEqual(volume(quick) / (math.pi * 90.0 / 3.0 * (100.0 + 625.0 + 250.0)), 1.0, delta=1e-8)

    def test_folding_says_what_would_go_round(self) -> None:
        """A path tighter than the section is found before any solid, with the size that would do; of that size it is sound."""
        points = tuple(GuidePoint(x=x, z=z) for x, z in ((0.0, 0.0), (6.0, 20.0), (26.0, 26.0)))
        path = Guide("u1", "bend", "through", (), (), ("open",), points)
        made = replace(shaped(Circle(), carrier=Carrying("path", "u1"), span=Span(whole=True)), guides=(path,))
        told = next(f for f in rebuild(made).findings if "bends tighter" in f.text)
        share = float(told.text.split("at most ")[1].split(" %")[0]) / 100.0
        fits = changed(made, stations=(replace(made.bodies[0].stations[0], chord=60.0 * share * 0.99),))
        self.assertEqual(rebuild(fits).findings, ())
        tight = changed(made, stations=(replace(made.bodies[0].stations[0], chord=60.0 * share * 1.02),))
        self.assertIn("bends tighter", rebuild(tight).findings[0].text)

    def bent(self, corners: str, bend: float = 20.0, hold: str = "least") -> Design:
        """A rectangle along three straight runs at right angles."""
        ends = [(0.0, 0.0, 0.0), (0.0, 0.0, 100.0), (80.0, 0.0, 100.0), (80.0, 60.0, 100.0)]
        points = [GuidePoint(x=x, y=y, z=z) for x, y, z in ends]
        edges = tuple(
            Guide(f"u{k}", f"edge {k}", "through", (), (), ("open",), (points[k], points[k + 1])) for k in range(3)
        )
        joined = Guide("u9", "run", "joined", ("u0", "u1", "u2"), (), ("kept",))
        carrier = Carrying("path", "u9", hold=hold, toward="x", corners=corners, bend=bend)  # type: ignore[arg-type]
        made = replace(shaped(Rounded(0.6, 0.1), carrier=carrier, span=Span(whole=True)), guides=(*edges, joined))
        return changed(made, stations=(replace(made.bodies[0].stations[0], chord=20.0),))

    def test_corners_of_the_path(self) -> None:
        """Mitred, the volume is area × length; rounded, the length less what the bends cut off; refused, the place is told."""
        area = 240.0 - (4.0 - math.pi) * 4.0
        mitred = rebuild(self.bent("mitred"))
        self.assertEqual(mitred.findings, ())
        self.assertAlmostEqual(volume(mitred) / (area * 240.0), 1.0, delta=1e-8)
        round_ = rebuild(self.bent("rounded"))
        self.assertAlmostEqual(volume(round_) / (area * (240.0 - 2.0 * (40.0 - 10.0 * math.pi))), 1.0, delta=2e-6)
        self.assertIn("has a corner at (0, 0, 100)", rebuild(self.bent("refused")).findings[0].text)
        self.assertIn("no room on the run", rebuild(self.bent("rounded", 50.0)).findings[0].text)
        self.assertIn("mitred corners sections stand square", rebuild(self.bent("mitred", hold="up")).findings[0].text)

    def test_what_is_wrong_with_a_path_has_its_place_and_a_mend(self) -> None:
        """A corner, rounded or mitred by a mend; a path that turns back; a gap that is bridged; a profile drawn far off: each is
        marked where it is, and mended it is told of no more."""
        (told,) = rebuild(self.bent("refused")).findings
        self.assertEqual(told.place, (0.0, 0.0, 100.0))
        for mend in told.mends:
            self.assertEqual(rebuild(mend.edit(self.bent("refused"))).findings, ())
        points = [GuidePoint(z=z) for z in (0.0, 100.0, 20.0)]

        def run(a: GuidePoint, b: GuidePoint, c: GuidePoint, d: GuidePoint, corners: str) -> Design:
            edges = (
                Guide("u0", "a", "through", (), (), ("open",), (a, b)),
                Guide("u1", "b", "through", (), (), ("open",), (c, d)),
            )
            joined = Guide("u9", "run", "joined", ("u0", "u1"), (), ("kept",))
            carrier = Carrying("path", "u9", corners=corners, bend=20.0)  # type: ignore[arg-type]
            made = replace(shaped(Circle(), carrier=carrier, span=Span(whole=True)), guides=(*edges, joined))
            return changed(made, stations=(replace(made.bodies[0].stations[0], chord=10.0),))

        for corners in ("rounded", "mitred"):
            back = rebuild(run(points[0], points[1], points[1], points[2], corners)).findings[0]
            self.assertIn("turns back on itself", back.text)
            self.assertEqual(back.place, (0.0, 0.0, 100.0))
        apart = run(points[0], points[1], GuidePoint(z=103.0), GuidePoint(y=50.0, z=150.0), "rounded")
        (gap,) = rebuild(apart).findings
        self.assertIn("a gap of 3 mm", gap.text)
        self.assertEqual((gap.severity, gap.place), ("note", (0.0, 0.0, 101.5)))
        self.assertFalse(any("gap" in f.text for f in rebuild(gap.mends[0].edit(apart)).findings))
        drawn = rectangle_corners(Drawing("g1", "p", plane="xy"), Spot(500.0, 0.0), Spot(520.0, 20.0))
        straight = Guide("u1", "way", "through", (), (), ("open",), (points[0], points[1]))
        far = shaping.sweep(Design("x", drawings=(drawn,), guides=(straight,)), "g1", "u1")
        far = changed(far, carrier=replace(far.bodies[0].loft.carrier, drawn_on="xy"))
        (told,) = rebuild(far).findings
        self.assertIn("drawn 500 mm from where the path begins", told.text)
        self.assertEqual(rebuild(told.mends[0].edit(far)).findings, ())

    def test_a_drawing_that_is_a_path_is_not_removed_under_it(self) -> None:
        """Its removal is refused, naming the body that goes along it."""
        drawn = rectangle_corners(Drawing("g1", "frame", plane="yz"), Spot(-60.0, -40.0), Spot(60.0, 40.0))
        made = replace(
            shaped(Circle(), carrier=Carrying("path", "g1", corners="mitred"), span=Span(whole=True)), drawings=(drawn,)
        )
        with self.assertRaisesRegex(DesignError, "is the way of body body"):
            edits.remove_drawing(made, "g1")

    def test_a_frame_with_mitred_corners(self) -> None:
        """Round a closed path of straight runs: area × its length wherever the profile stands, valid and without ends; a part of
        the way; one whose corners are in no plane says by how much the section comes round turned."""
        drawn = rectangle_corners(Drawing("g1", "frame", plane="yz"), Spot(-60.0, -40.0), Spot(60.0, 40.0))
        for place, span, far in ((0.0, Span(whole=True), 400.0), (37.0, Span(whole=True), 400.0), (10.0, Span(on=150.0, back=60.0), 210.0)):  # fmt: skip
            carrier = Carrying("path", "g1", corners="mitred")
            made = replace(shaped(Rounded(0.5, 0.1), carrier=carrier, span=span), drawings=(drawn,))
            made = changed(made, stations=(replace(made.bodies[0].stations[0], position=place, chord=10.0),))
            quick = rebuild(decode(encode(made)))
            self.assertEqual(quick.findings, ())
            area = 50.0 - (4.0 - math.pi)
            self.assertAlmostEqual(volume(quick) / (area * far), 1.0, delta=1e-8)
            built, sound = self.solid(made)
            self.assertTrue(sound)
            self.assertAlmostEqual(built / volume(quick), 1.0, delta=1e-8)
        corners = ((0, 0, 0), (100, 0, 0), (120, 90, 50), (0, 100, -20), (0, 0, 0))
        points = [GuidePoint(x=float(x), y=float(y), z=float(z)) for x, y, z in corners]
        runs = tuple(
            Guide(f"u{k}", f"run {k}", "through", (), (), ("open",), (points[k], points[k + 1])) for k in range(4)
        )
        skew = Guide("u9", "skew", "joined", ("u0", "u1", "u2", "u3"), (), ("kept",))
        made = replace(
            shaped(Circle(), carrier=Carrying("path", "u9", corners="mitred"), span=Span(whole=True)),
            guides=(*runs, skew),
        )
        self.assertRegex(rebuild(made).findings[0].text, "comes round turned by [0-9.]+°")

    def test_turns_that_meet(self) -> None:
        """A helix whose turns come nearer than its section is high meets itself: where, and the size that would leave room."""
        ribbon = rectangle_corners(Drawing("g1", "ribbon"), Spot(-1.5, -10.0), Spot(1.5, 10.0))
        carrier = Carrying("path", "u1", hold="axis", toward="z")
        station = Station("s1", "ribbon", 0.0, Drawn("g1"), None)
        for pitch, share in ((21.0, None), (16.0, 80.0)):
            made = Design(
                "ribbon",
                drawings=(ribbon,),
                guides=(helix(pitch=pitch),),
                bodies=(body("body", "ribbon", carrier=carrier, span=Span(whole=True), stations=(station,)),),
            )
            told = [f for f in rebuild(made).findings if "meets itself" in f.text]
            self.assertEqual(bool(told), share is not None)
            if share is not None:
                self.assertAlmostEqual(float(told[0].text.split("at most ")[1].split(" %")[0]), share, delta=0.3)

    def test_what_cannot_be_swept(self) -> None:
        """Beyond the path, through the axis it stands along, along nothing: each is told in plain words."""
        made = replace(shaped(Circle(), carrier=Carrying("path", "u1"), span=Span(on=900.0)), guides=(helix(),))
        self.assertIn("beyond the ends of the path", rebuild(made).findings[0].text)
        for carrier, words in (
            (Carrying("path", "u1", hold="axis", toward="x"), "comes to the axis|go round the axis"),
            (Carrying("path", "u9"), "gone"),
        ):
            told = rebuild(changed(made, carrier=carrier)).findings
            self.assertRegex(told[0].text, words)
        with self.assertRaisesRegex(DesignError, "as the path"):
            shaping.sweep(Design("x"), "", "")


class Revolved(WithSolids):
    """Profiles turned about axes, in the solid by exact forms."""

    def drawn(self) -> Design:
        box = rectangle_corners(Drawing("g1", "box", plane="zx"), Spot(10.0, 20.0), Spot(40.0, 35.0))
        ball = arc_through(Drawing("g2", "half", plane="xy"), Spot(0.0, -30.0), Spot(0.0, 30.0), Spot(30.0, 0.0))
        return Design("turned", drawings=(box, ball))

    def test_pappus_and_exact_solids(self) -> None:
        """Tori, rings, spheres, shells and parts of them: field to 1e-8 of the formula, solid to 1e-12, as drawn on their planes."""
        start = self.drawn()
        ring = shaping.revolve(start, "g1")
        ball = shaping.revolve(start, "g2", "y")
        self.assertTrue(ball.bodies[0].loft.shut)
        part = changed(ring, span=Span(on=math.radians(90.0), back=math.radians(30.0)))
        shell = changed(ball, shut=False, wall=Wall(3.0))
        torus = shaped(Circle(), carrier=Carrying("axis", "z", 50.0), span=Span(whole=True))
        for name, made, wanted in (
            ("ring", ring, 2.0 * math.pi * 27.5 * 450.0),
            ("about x", shaping.revolve(start, "g1", "x"), 2.0 * math.pi * 25.0 * 450.0),
            ("a third", part, 2.0 * math.pi * 27.5 * 450.0 / 3.0),
            ("ball", ball, 4.0 / 3.0 * math.pi * 27000.0),
            ("shell", shell, 4.0 / 3.0 * math.pi * (27000.0 - 27.0**3)),
            ("torus", torus, 2.0 * math.pi * 50.0 * math.pi * 900.0),
        ):
            with self.subTest(name):
                quick = rebuild(decode(encode(made)))
                self.assertEqual(quick.findings, ())
                self.assertAlmostEqual(volume(quick) / wanted, 1.0, delta=1e-8)
                built, sound = self.solid(made)
                self.assertTrue(sound)
                self.assertAlmostEqual(built / wanted, 1.0, delta=1e-9)

    def test_exact_forms_stay_exact_in_the_step_file(self) -> None:
        """Cylinder, cone, sphere, torus and prism: the file has these surfaces with their radii and no splines, and an
        independent reader finds the volume of the formula to 1e-6."""
        tri = line(line(line(Drawing("g1", "half", plane="zx"), Spot(0, 0), Spot(50, 0)), Spot(50, 0), Spot(0, 30)), Spot(0, 30), Spot(0, 0))  # fmt: skip
        ball = shaping.revolve(self.drawn(), "g2", "y")
        around = {"carrier": Carrying("axis", "y", radius=50.0), "span": Span(whole=True)}
        ring = Design("ring", bodies=(body(stations=(Station("s1", "p", 0.0, Circle(), 20.0),), **around),))
        cases = (
            ("cylinder", shaped(Circle(), span=Span(on=80.0)), math.pi * 900.0 * 80.0, "CYLINDRICAL_SURFACE", "30."),
            ("prism", shaped(Polygon(6), span=Span(on=80.0)), 60.0**2 * 3.0 * math.sqrt(3.0) / 8.0 * 80.0, "PLANE", ""),
            ("cone", shaping.revolve(Design("cone", drawings=(tri,)), "g1", "z"), math.pi * 900.0 * 50.0 / 3.0, "CONICAL_SURFACE", ""),
            ("sphere", ball, 36000.0 * math.pi, "SPHERICAL_SURFACE", "30."),
            ("torus", ring, 2.0 * math.pi**2 * 50.0 * 100.0, "TOROIDAL_SURFACE", "50.,10."),
        )  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            for name, made, wanted, surface, radii in cases:
                with self.subTest(name):
                    path = Path(folder) / f"{name}.step"
                    export(rebuild(made), self.supervisor, path)
                    text = path.read_text().replace("\n", "").replace(" ", "")
                    found = re.findall(rf"={surface}\('',#\d+,?([^)]*)\)", text)
                    self.assertTrue(found)
                    if radii:
                        self.assertIn(radii, {re.sub(r"(\d\.)0+\b", r"\1", f) for f in found})
                    self.assertNotIn("B_SPLINE_SURFACE", text)
                    self.assertAlmostEqual(volume_read(path) / wanted, 1.0, delta=1e-6)

    def test_guided_by_a_rim(self) -> None:
        """A wall turned by an oval rim has the oval's area less that of its like; the same profile along the rim has another
        volume and an even wall; both are told side by side."""
        corners = 2.0 * math.pi * np.arange(48) / 48.0
        spots = tuple(GuidePoint(x=60.0 * math.cos(t), y=40.0 * math.sin(t)) for t in corners.tolist())
        for points in (spots, spots[::-1]):
            oval = Guide("u1", "oval", "through", (), (), ("closed",), points)
            box = rectangle_corners(Drawing("g1", "wall", plane="zx"), Spot(-10.0, 30.0), Spot(0.0, 40.0))
            made = shaping.revolve(Design("tub", drawings=(box,), guides=(oval,)), "g1", "z")
            made = changed(made, carrier=replace(made.bodies[0].loft.carrier, rim="u1"))
            quick = rebuild(decode(encode(made)))
            self.assertEqual(quick.findings, ())
            self.assertAlmostEqual(volume(quick) / (math.pi * 2400.0 * 10.0 * (1.0 - 9.0 / 16.0)), 1.0, delta=1e-5)
            built, sound = self.solid(made)
            self.assertTrue(sound)
            self.assertAlmostEqual(built / volume(quick), 1.0, delta=1e-6)
            assert quick.shape is not None and quick.shape.field.rim is not None
            beside = shaping.along_the_rim(made, "body", quick.shape.field.rim)
            along = rebuild(beside, beside.bodies[-1].id)
            self.assertEqual(along.findings, ())
            axis = Axis(np.zeros(3), np.array([0.0, 0.0, 1.0]))
            below = SpaceCurve(lambda t, rim=quick.guides["u1"]: rim.at(t) - [0.0, 0.0, 1.0], True)  # type: ignore[misc]
            uneven, even = (wall_widths(q, below, axis, 24)[1] for q in (quick, along))
            self.assertLess(float(np.ptp(even)), 0.02)
            self.assertGreater(float(np.ptp(uneven)), 4.0)
            rows = {title: (a, b) for title, a, b, _ in compare(quick, along).figures}
            self.assertEqual(rows["Volume"], (volume(quick), volume(along)))
            self.assertLess(rows["Volume"][1], rows["Volume"][0])
        lost = changed(made, carrier=replace(made.bodies[0].loft.carrier, rim="g1"))
        self.assertIn("once round the axis", rebuild(lost).findings[0].text)

    def test_a_station_is_put_into_a_ring(self) -> None:
        """It says the angle at which it stands, and moves nothing."""
        ring = rebuild(shaping.revolve(self.drawn(), "g1", "x"))
        assert ring.shape is not None
        more = rebuild(insert_station(ring.design, ring.shape, ring.shape.field.last / 6.0))
        self.assertEqual([f.text for f in more.findings if f.severity == "error"], [])
        self.assertAlmostEqual(float(more.body.stations[-1].position), math.pi / 3.0, places=9)
        self.assertAlmostEqual(more.volume / ring.volume, 1.0, places=9)

    def test_what_cannot_be_turned(self) -> None:
        """A profile across its axis by how much; an axis beside the plane or leaning out of it; no axis that will do."""
        start = self.drawn()
        made = shaping.revolve(start, "g1")
        crossing = changed(made, stations=(replace(made.bodies[0].stations[0], offset_y=-25.0),))
        self.assertIn("crosses the axis it is turned about, by up to 5 mm", rebuild(crossing).findings[0].text)
        for section, shift, words in (
            (Polygon(4), -20.0, "touches the axis in a point alone"),
            (Circle(), -20.0, "touches the axis in a point alone"),
            (Rounded(1.0, 0.1), -19.95, "a sliver of 0.05 mm"),
        ):
            near = shaped(section, carrier=Carrying("axis", "z", 50.0), span=Span(whole=True))
            near = changed(near, stations=(replace(near.bodies[0].stations[0], offset_x=shift),))
            self.assertIn(words, rebuild(near).findings[0].text)
        with self.assertRaisesRegex(DesignError, "leans out of it by 90°"):
            shaping.revolve(start, "g1", "y")

    @settings(max_examples=12, deadline=None)
    @given(st.floats(5.0, 60.0), st.floats(0.1, 6.2), st.sampled_from(["polygon", "rounded"]))
    def test_random_parts_of_rings(self, radius: float, angle: float, kind: str) -> None:
        """Parts of rings of random size and angle: the solid's volume is Pappus's."""
        section = Polygon(5) if kind == "polygon" else Rounded(0.7, 0.2)
        made = shaped(section, carrier=Carrying("axis", "y", 40.0 + radius), span=Span(on=angle))
        made = changed(made, stations=(replace(made.bodies[0].stations[0], chord=radius),))
        quick = rebuild(made)
        assert quick.shape is not None and quick.full is not None
        built, sound = self.solid(made)
        self.assertTrue(sound)
        self.assertAlmostEqual(built / volume(quick), 1.0, delta=1e-6)


class Demos(unittest.TestCase):
    """The demo designs are in order."""

    def test_their_figures(self) -> None:
        """No findings; the duct keeps its area to 1e-6; the rotor has three blades; the ribbons' lengths are their helices'."""
        for name in ("vapour-duct", "reach-rotor", "ribbon-stirrer"):
            found = [f for f in rebuild(sample(name)).findings if "the area is" not in f.text]
            self.assertEqual(found, [], name)
        duct = rebuild(sample("vapour-duct")).shape
        assert duct is not None
        self.assertLess(float(np.ptp(duct.curves.area)) / float(duct.curves.area[0]), 1e-6)
        self.assertEqual(len(rebuild(sample("reach-rotor")).placed), 3)


if __name__ == "__main__":
    unittest.main()
