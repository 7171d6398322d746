"""Curves, skins and figures that stand on skins made from curves."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial import cKDTree

from isotomon.design.body import Body
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.field.sheet import SkinSheet
from isotomon.inspect.quick import rebuild
from isotomon.operations.lengthen import Lengthen
from isotomon.operations.skins.beside import BesideSkin
from isotomon.operations.skins.between import BetweenCurves
from isotomon.operations.skins.drawn_out import DrawnOut
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


if __name__ == "__main__":
    unittest.main()
