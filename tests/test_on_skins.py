"""Curves, skins and figures that stand on skins made from curves."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import ezdxf
import numpy as np
from scipy.spatial import cKDTree

from isotomon import cli
from isotomon.author.unroll import unroll
from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode, save
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.exchange.drawing_files import write_drawing
from isotomon.field.blends import blend
from isotomon.field.sheet import SIDES, Side, SkinSheet
from isotomon.field.spreads import drawn_out, through
from isotomon.field.strand import strand_of
from isotomon.field.unrolled import unrolled
from isotomon.geometry.datums import SpaceCurve
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.operations.base import Operation
from isotomon.operations.lengthen import Lengthen
from isotomon.operations.match_skin import MatchSkin
from isotomon.operations.pull_skin import PullSkin
from isotomon.operations.skins.beside import BesideSkin
from isotomon.operations.skins.between import BetweenCurves
from isotomon.operations.skins.drawn_out import DrawnOut
from isotomon.operations.skins.filled import FillRun
from isotomon.operations.skins.net import NetSkin
from isotomon.operations.skins.several import SeveralCurves
from isotomon.operations.smooth_skin import SmoothSkin
from isotomon.profile.section import Circle
from isotomon.quantity.record import Ref, refs
from tests.test_bodies import stacked
from tests.test_made_skins import guide

rng = np.random.default_rng(8)

SADDLE = (guide("g1", (-50, -50, 25), (-50, 50, -25)), guide("g2", (50, -50, -25), (50, 50, 25)))
"""Between these: z = x y / 100."""
T = np.linspace(0.0, 1.0, 129)


def saddle(*guides: Guide) -> Design:
    """The saddle, a wall that crosses it, and guides on them."""
    wall = guide("g3", (-70, -10, 0), (0, 30, 0), (70, -10, 0))
    made = (Body("b1", "saddle", BetweenCurves(first=Ref("g1"), second=Ref("g2"))),)
    upright = Body("b2", "wall", DrawnOut(curve=Ref("g3"), how="direction", length=60.0))
    return Design("saddle", guides=(*SADDLE, wall, *guides), bodies=(*made, upright))


class OnSkins(unittest.TestCase):
    """Guides that stand on a skin made from curves."""

    def curve(self, made: Design, key: str = "u1") -> np.ndarray:
        """(129, 3) places on a guide."""
        quick = rebuild(made)
        self.assertIn(key, quick.guides, [f.text for f in quick.findings])
        return quick.guides[key].at(T)

    def test_dropped(self) -> None:
        """Along a direction: the saddle's height over every place; along the normals: the foot of each place, square to the saddle."""
        above = guide("g4", (-30, -20, 60), (10, 30, 70), (35, -5, 50))
        fall = Guide("u1", "shadow", "dropped", refs("g4", "b1", "z"), (), ())
        found = self.curve(saddle(above, fall))
        want = rebuild(saddle(above)).guides["g4"].at(np.linspace(0.0, 1.0, 40001))
        near = cKDTree(want[:, :2]).query(found[:, :2])[0]
        self.assertLess(near.max(), 2e-3)
        np.testing.assert_allclose(found[:, 2], found[:, 0] * found[:, 1] / 100.0, atol=1e-4)
        foot = self.curve(saddle(above, replace(fall, on=refs("g4", "b1", ""))))
        square = np.stack([-foot[:, 1] / 100.0, -foot[:, 0] / 100.0, np.ones(len(foot))], axis=1)
        square /= np.linalg.norm(square, axis=1, keepdims=True)
        for p, n in zip(foot, square, strict=True):  # the line square to the saddle meets the curve above
            away = want - p
            self.assertLess(np.linalg.norm(away - (away @ n)[:, None] * n, axis=1).min(), 3e-3)

    def test_where_skins_meet(self) -> None:
        """Two skins, a skin and a plane, one and a cylinder: on both by their formulas, and from rim to rim."""
        both = self.curve(saddle(Guide("u1", "seam", "meets", refs("b1", "b2"), (1.0,), ())))
        np.testing.assert_allclose(both[:, 2], both[:, 0] * both[:, 1] / 100.0, atol=1e-4)
        self.assertTrue(abs(both[:, 2]).max() < 60.0 and both[:, 2].min() > -1e-6)
        plane = saddle(Guide("u1", "level", "meets", refs("b1", "d1"), (1.0,), ()))
        plane = replace(plane, datums=(Datum("d1", "level", "parallel", refs("xy"), (6.0,)),))
        level = self.curve(plane)
        np.testing.assert_allclose(level[:, 0] * level[:, 1], 600.0, atol=1e-4)
        np.testing.assert_allclose(np.abs(level[[0, -1], :2]).max(axis=1), 50.0, atol=1e-6)
        round_ = replace(plane, datums=(Datum("d1", "tube", "cylinder", refs("z"), (20.0,)),))
        ring = self.curve(round_)
        np.testing.assert_allclose(np.hypot(ring[:, 0], ring[:, 1]), 20.0, atol=1e-5)
        np.testing.assert_allclose(ring[:, 2], ring[:, 0] * ring[:, 1] / 100.0, atol=1e-5)

    def test_drawn_on_it(self) -> None:
        """A straight line in its parameters, along it in mm."""
        run = rebuild(saddle()).sheet
        assert run is not None
        points = (GuidePoint(x=0.25, z=0.0), GuidePoint(x=0.75, z=40.0))
        found = self.curve(saddle(Guide("u1", "line", "on-skin", refs("b1"), (), ("open",), points)))
        np.testing.assert_allclose(found[:, 2], found[:, 0] * found[:, 1] / 100.0, atol=2e-5)
        np.testing.assert_allclose(found[0], [-50.0, -25.0, 12.5], atol=1e-6)

    def test_sides_are_as_the_first_steps_leave_them(self) -> None:
        """Lengthened, a skin's side for others is where it is seen; and what stands on the skin stands on all of it."""
        made = saddle(Guide("u1", "seam", "meets", refs("b1", "b2"), (1.0,), ()))
        longer = replace(made.bodies[0], steps=(Lengthen(id="k1", side="end", by=20.0),))
        flange = Body("b3", "flange", DrawnOut(curve=Ref("b1/side:end"), how="direction", length=10.0))
        quick = rebuild(replace(made, bodies=(longer, made.bodies[1], flange)))
        sheet = next(q.sheet for q in quick.others if q.body.id == "b3")
        assert sheet is not None
        lean = (T - 0.5) ** 2  # of the rulings; the skin goes on square to its side, which rises by a half
        np.testing.assert_allclose(
            sheet.sheet.grid(T, np.zeros(1))[:, 0, 1], 50.0 + 20.0 / np.sqrt(1.0 + 0.8 * lean), atol=1e-4
        )

    def test_a_path_on_it_is_held_by_it(self) -> None:
        """Along a curve that lies on the saddle sections stand with their height along its normal, by its formula, all the way."""
        above = guide("g4", (-30, -20, 60), (10, 30, 70), (35, -5, 50))
        laid = Guide("u1", "laid", "dropped", refs("g4", "b1", "z"), (), ())
        carrier = Carrying("path", Ref("u1"), hold="skin", toward=Ref("b1"))
        swept = Body(
            "b3",
            "swept",
            Loft(carrier=carrier, span=Span(whole=True)),
            stations=(Station("s1", "s1", 0.0, Circle(), 5.0),),
        )
        plain = saddle(above, laid)
        quick = rebuild(replace(plain, bodies=(*plain.bodies, swept)), "b3")
        assert quick.shape is not None, [f.text for f in quick.findings]
        x, y, _ = quick.shape.sections.origin.T
        square = np.stack([-y / 100.0, -x / 100.0, np.ones(len(x))], axis=1)
        square /= np.linalg.norm(square, axis=1, keepdims=True)
        along = np.sum(quick.shape.sections.up * square, axis=1)
        np.testing.assert_allclose(along, np.sign(along[0]), atol=1e-5)


FIELD = (
    guide("a1", (0, 0, 0), (50, 5, 8), (100, 0, 0)),
    guide("a2", (0, 40, 10), (50, 42, 20), (100, 40, 6)),
    guide("a3", (0, 0, 0), (0, 20, 9), (0, 40, 10)),
    guide("a4", (100, 0, 0), (100, 20, 8), (100, 40, 6)),
    guide("c1", (-3, 52, 18), (45, 55, 24), (104, 50, 12)),
    guide("c2", (0, 95, 10), (50, 90, 5), (100, 92, 0)),
    guide("c3", (130, 0, 0), (128, 25, 12), (133, 45, 9)),
)


class Tied(unittest.TestCase):
    """Curves that ties make correspond."""

    def test_rulings_go_from_tie_to_tie(self) -> None:
        """Each tie's shares of both lengths are the ends of one ruling, of open curves and round closed ones; the skin still passes both curves; ties
        that cross are refused."""
        ring = [(30 * np.cos(a), 30 * np.sin(a)) for a in np.linspace(0.0, 2.0 * np.pi, 13)[:-1]]
        guides = (
            guide("g1", (0, 0, 0), (50, 10, 20), (100, 0, 0)),
            guide("g2", (0, 60, 10), (40, 70, 30), (100, 60, 0)),
            guide("g3", *((x, y, 0.0) for x, y in ring), closed=True),
            guide("g4", *((1.3 * x, 0.8 * y, 40.0) for x, y in ring), closed=True),
        )
        for pair, ties in ((("g1", "g2"), ((0.5, 0.4), (0.25, 0.3))), (("g3", "g4"), ((0.1, 0.2), (0.95, 0.9)))):
            body = Body("b1", "skin", BetweenCurves(first=Ref(pair[0]), second=Ref(pair[1]), ties=ties))
            made = Design("ties", guides=guides, bodies=(body,))
            self.assertEqual(decode(encode(made)), made)
            quick = rebuild(made)
            assert quick.sheet is not None and quick.figures is not None, [f.text for f in quick.findings]
            assert quick.figures.off is not None
            self.assertLess(quick.figures.off[1], 1e-4)
            ends = quick.sheet.tie_lines[:, [0, -1]]
            for key, end in ((pair[0], 0), (pair[1], 1)):
                strand = strand_of(quick.guides[key], 1e-7)
                places = strand.at(strand.at_share(np.array([tie[end] for tie in ties])))
                np.testing.assert_allclose(ends[:, end], places, atol=1e-4)
        crossed = replace(made, bodies=(replace(body, shaped=replace(body.shaped, ties=((0.2, 0.6), (0.4, 0.3)))),))
        self.assertIn("cross each other", str([f.text for f in rebuild(crossed).findings]))


class UpTo(unittest.TestCase):
    """Skins that run up to others."""

    def test_up_to_the_saddle(self) -> None:
        """Drawn down from a curve above it, and lengthened straight on, a skin ends on the saddle by its formula; where it misses that, it is told."""
        roof = (
            guide("g9", (-30, -20, 90), (0, -25, 95), (30, -20, 90)),
            guide("g10", (-30, -15, 70), (0, -20, 72), (30, -15, 70)),
        )
        lift = guide("g8", (-40, -30, 60), (0, 10, 70), (30, 40, 65))
        ways = (
            Body("b3", "curtain", DrawnOut(curve=Ref("g8"), how="direction", length=-1.0, until=Ref("b1"))),
            Body(
                "b3",
                "roof",
                BetweenCurves(first=Ref("g9"), second=Ref("g10")),
                steps=(Lengthen(until=Ref("b1"), id="k1"),),
            ),
        )
        for body in ways:
            plain = saddle(*roof, lift)
            made = replace(plain, bodies=(*plain.bodies, body))
            self.assertEqual(decode(encode(made)), made)
            quick = rebuild(made, "b3")
            assert quick.sheet is not None, [f.text for f in quick.findings]
            end = quick.sheet.sheet.side("last").at(T)
            np.testing.assert_allclose(end[:, 2], end[:, 0] * end[:, 1] / 100.0, atol=5e-6)
        beside = replace(made, guides=(*made.guides[:-1], guide("g8", (-90, -30, 60), (-80, 40, 65))))
        away = replace(beside, bodies=(*plain.bodies, ways[0]))
        self.assertIn("misses the skin", str([f.text for f in rebuild(away, "b3").findings]))


class Matched(unittest.TestCase):
    """Sides brought to the edges of other skins."""

    def match(self, side: Side, to: str, join: str, reach: float, curves: tuple[str, str]) -> Quick:
        """A skin between two curves beside a net, matched."""
        net = Body("b1", "net", NetSkin(along=refs("a1", "a2"), across=refs("a3", "a4")))
        step = MatchSkin(side=side, to=Ref(to), join=join, reach=reach, id="k1")  # type: ignore[arg-type]
        between = Body("b2", "between", BetweenCurves(first=Ref(curves[0]), second=Ref(curves[1])), steps=(step,))
        made = Design("field", guides=FIELD, bodies=(net, between))
        self.assertEqual(decode(encode(made)), made)
        return rebuild(made, "b2")

    def test_position_direction_curvature(self) -> None:
        """Each side comes to the edge exactly, into its tangent planes, to its curvature; within the reach alone; how far it went is told."""
        cases: tuple[tuple[Side, tuple[str, str], float], ...] = (
            ("first", ("c1", "c2"), 0.9),
            ("last", ("c2", "c1"), 0.1),
        )
        for side, curves, away in cases:
            to = "b1/side:last"
            for join, reach in (("free", 20.0), ("flush", 20.0), ("fair", 0.0)):
                with self.subTest(side, join=join):
                    quick = self.match(side, to, join, reach, curves)
                    assert quick.sheet is not None and quick.figures is not None, [f.text for f in quick.findings]
                    found = dict(quick.figures.joins)["net side along its last curve"]
                    self.assertLess(found.gap, 1e-7)
                    self.assertLess(found.angle, 1e-6 if join != "free" else np.inf)
                    self.assertLess(found.bend, 1e-6 if join == "fair" else np.inf)
                    self.assertGreater(found.angle + found.bend, 0.01 if join == "free" else -1.0)
                    self.assertAlmostEqual(quick.figures.moved or 0.0, 14.0, delta=2.0)
                    bodies = quick.design.bodies[0], replace(quick.body, steps=())
                    before = rebuild(replace(quick.design, bodies=bodies), "b2")
                    assert before.sheet is not None
                    level = np.array([away])
                    if reach:
                        np.testing.assert_allclose(
                            quick.sheet.sheet.grid(T, level), before.sheet.sheet.grid(T, level), atol=1e-9
                        )

    def test_what_is_refused(self) -> None:
        """Folded back over the other skin; flush with what is no edge of one; no curve."""
        for to, join, words in (
            ("b1/side:first", "flush", "folded back"),
            ("a2", "flush", "edge of another skin"),
            ("", "free", "no curve"),
        ):
            quick = self.match("last", to, join, 0.0, ("a2", "c1") if "first" in to else ("c1", "c2"))
            self.assertIn(words, " ".join(f.text for f in quick.findings))


class BesideSkins(unittest.TestCase):
    """Skins beside others."""

    def made(self, body: Body, distance: float) -> SkinSheet:
        """The skin beside the first body, alone with it."""
        beside = Body("b9", "beside", BesideSkin(of=Ref(body.id), distance=distance))
        quick = rebuild(Design("beside", guides=SADDLE, bodies=(body, beside)), "b9")
        self.assertIsNotNone(quick.sheet, [f.text for f in quick.findings])
        assert quick.sheet is not None
        return quick.sheet.sheet

    def test_at_true_distance(self) -> None:
        """Beside a saddle, before it and behind it; of a round body the tube of its radius and so much more; of a square one flat sides."""
        skin = Body("b1", "saddle", BetweenCurves(first=Ref("g1"), second=Ref("g2")))
        places = rng.uniform(0.0, 1.0, (2, 300))
        for distance in (3.0, -4.0):
            p = self.made(skin, distance).at(*places)
            foot = p[:, :2].copy()
            for _ in range(30):  # towards the foot on z = x y / 100, by its normal
                n = np.stack([-foot[:, 1] / 100.0, -foot[:, 0] / 100.0, np.ones(len(foot))], axis=1)
                n /= np.linalg.norm(n, axis=1, keepdims=True)
                off = np.sum((p - np.column_stack([foot, foot.prod(axis=1) / 100.0])) * n, axis=1)
                foot += 0.9 * ((p - off[:, None] * n)[:, :2] - foot)
            np.testing.assert_allclose(np.abs(off), abs(distance), atol=1e-4)
        p = self.made(stacked((0, 90, "circle", 40)).bodies[0], 5.0).at(*places)
        np.testing.assert_allclose(np.hypot(p[:, 0], p[:, 1]), 25.0, atol=1e-4)
        square = stacked((0, 90, "polygon:4", 30)).bodies[0]
        within = self.made(square, -2.0)
        np.testing.assert_allclose(np.abs(within.at(*places)[:, :2]).sum(axis=1), 15.0 - 2.0 * 2.0**0.5, atol=1e-5)
        self.assertEqual(len(within.u.runs), 4)
        self.assertAlmostEqual(self.made(square, 0.0).area / (4 * 15.0 * 2.0**0.5 * 90.0), 1.0, places=9)


class Reshaped(unittest.TestCase):
    """Skins smoothed and moved in part."""

    def sheet(self, *steps: Operation) -> SkinSheet:
        """The saddle, with steps done with it."""
        made = saddle()
        numbered = tuple(replace(step, id=f"k{n}") for n, step in enumerate(steps))
        quick = rebuild(replace(made, bodies=(replace(made.bodies[0], steps=numbered), made.bodies[1])))
        self.assertIsNotNone(quick.sheet, [f.text for f in quick.findings])
        assert quick.sheet is not None
        return quick.sheet.sheet

    def test_a_side_moved(self) -> None:
        """It is where it is said, all beyond the reach stays to rounding, and in between the skin goes on as smoothly; at the side itself it
        goes on in the same direction; a neighbour that is flush with it follows."""
        plain, made = self.sheet(), self.sheet(PullSkin(what="last", x=3.0, z=7.0, reach=40.0))
        np.testing.assert_allclose(
            made.grid(T, np.ones(1)) - plain.grid(T, np.ones(1)), np.tile([3.0, 0.0, 7.0], (len(T), 1, 1)), atol=1e-4
        )
        np.testing.assert_allclose(made.grid(T, T[:70]), plain.grid(T, T[:70]), atol=1e-4)
        np.testing.assert_allclose(made.grid(T, np.ones(1), 0, 1), plain.grid(T, np.ones(1), 0, 1), atol=2e-2)
        design = saddle(guide("g8", (90, -50, 10), (90, 50, -10)))
        pulled = replace(design.bodies[0], steps=(PullSkin(id="k1", what="last", z=7.0),))
        link = BetweenCurves(first=Ref("b1/side:last"), second=Ref("g8"), first_join="flush")
        quick = rebuild(replace(design, bodies=(pulled, Body("b2", "link", link))), "b2")
        assert quick.figures is not None
        ((_, join),) = quick.figures.joins
        self.assertLess(max(join.gap, join.angle), 1e-5)

    def test_a_place_moved(self) -> None:
        """It is where it is said; the sides, and what lies beyond the reach, stay."""
        plain, made = self.sheet(), self.sheet(PullSkin(across=0.4, along=0.6, y=2.0, z=-6.0, reach=25.0))
        at = (np.array([0.4]), np.array([0.6]))
        np.testing.assert_allclose(made.at(*at) - plain.at(*at), [[0.0, 2.0, -6.0]], atol=1e-3)
        for side in SIDES:
            np.testing.assert_allclose(made.side(side).at(T), plain.side(side).at(T), atol=1e-3)
        far = np.linalg.norm(plain.grid(T, T) - plain.at(*at)[0], axis=2) > 25.0
        np.testing.assert_allclose(made.grid(T, T)[far], plain.grid(T, T)[far], atol=1e-3)

    def test_smoothed(self) -> None:
        """Creases go, nowhere is it further off than was said, and what is calm already stays to rounding."""
        folded = guide("g1", (-50, -50, 25), (-50, 0, 30), (-50, 50, -25))
        made = Design(
            "fold",
            guides=(folded, SADDLE[1]),
            bodies=(Body("b1", "fold", SeveralCurves(curves=refs("g1", "g2"), across="straight")),),
        )
        rough = replace(made, guides=(folded, *SADDLE[1:], guide("g3", (100, -50, 30), (100, 50, 20))))
        rough = replace(
            rough,
            bodies=(replace(made.bodies[0], shaped=SeveralCurves(curves=refs("g1", "g2", "g3"), across="straight")),),
        )
        creased = rebuild(rough).sheet
        calm = rebuild(
            replace(rough, bodies=(replace(rough.bodies[0], steps=(SmoothSkin(id="k1", within=3.0),)),))
        ).sheet
        assert creased is not None and calm is not None
        self.assertEqual((len(creased.sheet.v.creases), len(calm.sheet.v.creases)), (1, 0))
        off = np.linalg.norm(calm.sheet.grid(T, T) - creased.sheet.grid(T, T), axis=2).max()
        self.assertTrue(0.05 < off < 3.0, off)
        np.testing.assert_allclose(self.sheet(SmoothSkin(within=0.5)).grid(T, T), self.sheet().grid(T, T), atol=1e-9)


class Told(unittest.TestCase):
    """What is told of a skin at rest."""

    def test_how_it_goes_on(self) -> None:
        """A flange leaning by an angle tells that angle; one that goes on from two skins flush or fair tells none, and no step of curvature when
        fair; a curve that a coarse filling misses is named with how far it is off."""
        flange = Body("b3", "flange", DrawnOut(curve=Ref("b1/side:last"), how="leaning", angle=0.4, length=10.0))
        away, far = guide("g8", (90, -50, 10), (90, 50, -10)), guide("g9", (130, -50, 40), (120, 50, 10))
        other = Body("b4", "other", BetweenCurves(first=Ref("g8"), second=Ref("g9")))
        sides = {"first": Ref("b1/side:last"), "second": Ref("b4/side:first")}
        links = [
            Body(key, how, BetweenCurves(**sides, first_join=how, last_join=how))  # type: ignore[arg-type]
            for key, how in (("b5", "flush"), ("b6", "fair"), ("b7", "free"))
        ]
        made = replace(saddle(away, far), bodies=(saddle().bodies[0], flange, other, *links))
        found = {key: rebuild(made, key).figures for key in ("b1", "b3", "b5", "b6", "b7")}
        joins = {key: [join for _, join in told.joins] for key, told in found.items() if told is not None}
        self.assertAlmostEqual(joins["b3"][0].angle, 0.4, places=6)
        self.assertEqual(len(joins["b5"]), 2)
        for key, angle, bend in (("b5", 1e-5, 1.0), ("b6", 1e-5, 1e-5)):
            for join in joins[key]:
                self.assertLess(join.gap, 1e-6)
                self.assertLess(join.angle, angle)
                self.assertLess(join.bend, bend)
        self.assertGreater(max(join.bend for join in joins["b5"]), 1e-4)
        self.assertGreater(max(join.angle for join in joins["b7"]), 0.01)
        assert found["b1"] is not None and found["b1"].off is not None and found["b1"].bent is not None
        self.assertLess(found["b1"].off[1], 1e-6)
        bent = guide("g1", (40, 0, 0), (0, 40, 9), (-40, 0, 0), (0, -40, 9), closed=True)
        quick = rebuild(
            Design("coarse", guides=(bent,), bodies=(Body("b1", "coarse", FillRun(curves=refs("g1"), spans=2)),))
        )
        assert quick.figures is not None and quick.figures.off is not None and quick.sheet is not None
        name, off = quick.figures.off
        told = dict(quick.sheet.made.told)["greatest distance off the run"]
        self.assertEqual(name, "g1")
        self.assertTrue(0.3 * told < off <= 1.01 * told, (off, told))


def drawn(
    near: float, first: Callable[[np.ndarray], np.ndarray], last: Callable[[np.ndarray], np.ndarray]
) -> SkinSheet:
    """The skin ruled from one curve to another."""
    return through([strand_of(SpaceCurve(curve), near) for curve in (first, last)], blend([0.0, 1.0]), near)


def radius(flat: SkinSheet, side: str) -> float:
    """Of the circle through three places of a side, which is one."""
    a, b, c = flat.side(side).at(np.array([0.05, 0.5, 0.95])) @ np.array([1.0, 1.0j, 0.0])  # type: ignore[arg-type]
    return abs(a - b) * abs(b - c) * abs(c - a) / (2.0 * abs(((b - a) * np.conj(c - a)).imag))


class Unrolls(unittest.TestCase):
    """Skins laid flat."""

    def test_cone_cylinder_and_tangents_of_a_helix(self) -> None:
        """Against their formulas: radii, areas, lengths; nothing is strained."""

        def ring(r: float, z: float, lean: float = 0.0) -> Callable[[np.ndarray], np.ndarray]:
            return lambda t: np.column_stack([r * np.cos(5 * t), r * np.sin(5 * t), z + lean * r * np.cos(5 * t)])

        cone = unrolled(drawn(1e-7, ring(30.0, 0.0), ring(60.0, 80.0)), 1e-6)
        share = 30.0 / np.hypot(30.0, 80.0)
        self.assertAlmostEqual(radius(cone.flat, "first"), 30.0 / share, places=5)
        self.assertAlmostEqual(radius(cone.flat, "last"), 60.0 / share, places=5)
        self.assertAlmostEqual(cone.flat.area / (5.0 * 45.0 * np.hypot(30.0, 80.0)), 1.0, places=7)
        leaning = strand_of(SpaceCurve(ring(40.0, 0.0, lean=0.5)), 1e-7)
        tube = unrolled(drawn_out(leaning, lambda s: np.tile([0.0, 0.0, 60.0], (len(s), 1)), 1e-7), 1e-6)
        self.assertAlmostEqual(tube.flat.area / (40.0 * 5.0 * 60.0), 1.0, places=7)
        low, high = (tube.flat.side(side).at(T)[:, :2] for side in ("first", "last"))
        up = (high - low) / 60.0
        np.testing.assert_allclose(up, up[:1] + np.zeros((len(T), 1)), atol=1e-6)
        round_ = (low - low[0]) @ np.array([up[0, 1], -up[0, 0]]) / 40.0
        np.testing.assert_allclose((low - low[0]) @ up[0], 20.0 * (np.cos(round_) - 1.0), atol=1e-5)
        w = np.hypot(40.0, 10.0)

        def helix(far: float) -> Callable[[np.ndarray], np.ndarray]:
            def at(t: np.ndarray) -> np.ndarray:
                c, s = np.cos(200.0 * t / w), np.sin(200.0 * t / w)
                curve = np.column_stack([40.0 * c, 40.0 * s, 2000.0 * t / w])
                return curve + far * np.column_stack([-40.0 * s, 40.0 * c, 10.0 + 0.0 * t]) / w

            return at

        tangents = unrolled(drawn(1e-7, helix(20.0), helix(70.0)), 1e-6)
        for side, far in (("first", 20.0), ("last", 70.0)):  # the helix itself comes to lie on a circle of its own bend
            self.assertAlmostEqual(radius(tangents.flat, side), float(np.hypot(w**2 / 40.0, far)), places=4)
        for flat in (cone, tube, tangents):
            self.assertLess(flat.strain, 1e-5)
            self.assertLess(flat.bent, 1e-6)
            np.testing.assert_allclose(flat.flat.grid(T, T)[..., 2], 0.0, atol=0.0)

    def test_what_bends_both_ways_is_strained(self) -> None:
        """A saddle's total Gaussian curvature is that of its formula; it is laid flat with less strain than any line of it needs, and
        finer bases hardly change it."""
        made = saddle()
        flat = unroll(made, "b1")[1]
        x = np.linspace(-0.5, 0.5, 801)
        lift = 1.0 + x[:, None] ** 2 + x**2  # dA = sqrt(lift), K = -1 / lift^2, in units of 100 mm
        want = np.trapezoid(np.trapezoid(lift**-1.5, x), x)
        self.assertAlmostEqual(flat.bent, want, places=5)
        self.assertTrue(0.005 < flat.strain < 0.1, flat.strain)

    def test_patterns(self) -> None:
        """Of a prism four sides in a row with three folds, to the micrometre, in DXF and SVG, read back by others; by the command line, too; of a
        round tube lines only; what cannot be is said."""
        made, flat = unroll(stacked((0, 90, "polygon:4", 30)), "body")
        self.assertLess(flat.strain, 1e-6)
        side = 15.0 * 2.0**0.5
        with tempfile.TemporaryDirectory() as folder:
            here = Path(folder)
            save(stacked((0, 90, "polygon:4", 30)), here / "box.isotomon")
            self.assertEqual(cli.main(["unroll", str(here / "box.isotomon"), "test body", str(here / "box.dxf")]), 0)
            space = ezdxf.readfile(here / "box.dxf").modelspace()
            self.assertEqual({e.dxftype() for e in space}, {"LINE"})
            folds = sorted(e.dxf.start.x for e in space if e.dxf.layer == "construction")
            np.testing.assert_allclose(folds, [side, 2.0 * side, 3.0 * side], atol=1e-6)
            ends = np.array([(*e.dxf.start, *e.dxf.end) for e in space])
            np.testing.assert_allclose(ends.reshape(-1, 3).max(axis=0), [4.0 * side, 90.0, 0.0], atol=1e-6)
            write_drawing(made.drawings[-1], here / "box.svg")
            self.assertIn("<path", (here / "box.svg").read_text())
            self.assertEqual(cli.main(["unroll", str(here / "box.isotomon"), "nothing", str(here / "no.dxf")]), 2)
        self.assertEqual(decode(encode(made)), made)
        kinds = [part.role for part in made.drawings[-1].parts]
        self.assertEqual((kinds.count("construction"), rebuild(made).findings), (3, ()))
        tipped = replace(made, bodies=(Body("b7", "ring", BesideSkin(of=Ref("body"), distance=-20.0)), *made.bodies))
        with self.assertRaisesRegex(DesignError, "ring"):
            unroll(tipped, "b7")


if __name__ == "__main__":
    unittest.main()
