"""Open profiles: a loft of them is a skin that bounds nothing."""

from __future__ import annotations

import json
import math
import unittest

import numpy as np

from isotomon.author.insert import insert_station
from isotomon.design import bodies
from isotomon.design import loft_edits as e
from isotomon.design.file import decode, encode
from isotomon.design.guides import End, Guide, GuidePoint
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.design.station_edits import add_station
from isotomon.errors import SolidError
from isotomon.inspect.quick import rebuild
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Apex, Circle, Drawn
from isotomon.solids.checked import checked
from isotomon.solids.deliver import build
from tests.helpers import WithWorker, body, changed


def chain(key: str, *points: tuple[float, float]) -> Drawing:
    """Lines from point to point."""
    pen = Pen(Drawing(key, key))
    made = [pen.point(x, y) for x, y in points]
    for a, b in zip(made[:-1], made[1:], strict=True):
        pen.line(a, b)
    return pen.done()


def bow(key: str, radius: float) -> Drawing:
    """Half a circle, open below."""
    pen = Pen(Drawing(key, key))
    pen.arc(pen.point(0.0, 0.0), pen.point(radius, 0.0), pen.point(-radius, 0.0))
    return pen.done()


def skin(*drawings: Drawing, turn: float = 0.0) -> Design:
    """The drawings as drawn, 100 mm apart, each turned by so much more."""
    stations = tuple(
        Station(f"s{k}", f"st{k}", 100.0 * k, Drawn(d.id), None, set_angle=turn * k) for k, d in enumerate(drawings)
    )
    return Design("skin", drawings=tuple(dict.fromkeys(drawings)), bodies=(body(stations=stations),))


def said(design: Design) -> str:
    """All findings in one text."""
    return " | ".join(f.text for f in rebuild(design).findings)


class Skins(WithWorker):
    """Lofts of open profiles."""

    def test_half_a_cone(self) -> None:
        """Its area is half a frustum's skin; the shell is valid with that area, has no volume, and says so in the check."""
        quick = rebuild(skin(bow("g1", 30.0), bow("g2", 50.0)))
        assert quick.shape is not None and quick.full is not None
        self.assertEqual(quick.findings, ())
        area = math.pi * 80.0 * math.hypot(100.0, 20.0) / 2.0
        self.assertAlmostEqual(quick.full.body.area, area, delta=1e-6 * area)
        self.assertTrue(np.isnan(quick.shape.curves.area).all())
        built = build(quick, self.supervisor)
        self.assertTrue(built.valid)
        self.assertEqual((built.watertight, built.pieces, len(built.names), built.volume), (False, 0, 1, 0.0))
        self.assertAlmostEqual(built.area, area, delta=1e-6 * area)
        row = json.loads(json.dumps(checked(quick, self.supervisor), allow_nan=False))
        self.assertEqual((row["ok"], row["bodies"][0]["skin"], row["bodies"][0]["volume_mm3"]), (True, True, None))
        self.assertEqual(row["stations"][0]["area_mm2"], None)

    def test_creases_turn_and_insertion(self) -> None:
        """Bends in the profile become creases; a prism's skin turned keeps its perimeter; an inserted station moves nothing."""
        made = skin(chain("g1", (-30, 0), (0, 10), (30, 0)), chain("g2", (-30, 0), (-10, 20), (10, 20), (30, 0)))
        one = rebuild(made)
        assert one.shape is not None and one.full is not None
        self.assertEqual(len(one.shape.form.common.lanes), 3)
        self.assertTrue(build(one, self.supervisor).valid)
        two = rebuild(insert_station(made, one.shape, 40.0))
        assert two.shape is not None
        v = np.linspace(0.0, 100.0, 21)
        rows = one.shape.form.common.rows(np.linspace(0.0, 1.0, 50))
        a, b = (rows @ s.field.sections(v).control for s in (one.shape, two.shape))
        self.assertLess(float(np.abs(a - b).max()), 1e-6)
        turned = rebuild(skin(bow("g1", 30.0), bow("g1", 30.0), turn=0.6))
        assert turned.full is not None and turned.shape is not None
        self.assertAlmostEqual(float(turned.full.moments.perimeter[7]), math.pi * 30.0, places=5)
        self.assertAlmostEqual(float(turned.shape.curves.turn[-1]), 0.6, places=9)
        again = rebuild(decode(encode(turned.design)))
        self.assertEqual(again.full.body.area if again.full else None, turned.full.body.area)

    def test_rails_at_both_edges_and_ties(self) -> None:
        """Guides from end to end of the profiles bend the edges of the skin; a tie across is held; points and ends go too."""
        made = skin(bow("g1", 30.0), bow("g1", 30.0), bow("g1", 30.0))
        for k, (part, way) in enumerate((("at:0", -1.0), ("at:1", 1.0))):
            points = [GuidePoint(f"s{i}/{part}") for i in range(3)]
            points.insert(1, GuidePoint("s0/" + part, x=6.0 * way, y=0.0, z=50.0))
            made = e.add_rail(
                e.add_guide(made, Guide(f"u{k}", f"edge {k}", "through", choices=("open",), points=tuple(points))),
                "body",
                f"u{k}",
            )
        made = e.add_tie(made, "body", tuple(End(f"s{i}", 0.4) for i in range(3)))
        quick = rebuild(made)
        assert quick.shape is not None and quick.full is not None, quick.findings
        self.assertEqual([f for f in quick.findings if f.severity == "error"], [])
        ends = (
            quick.shape.form.common.rows(np.array([0.0, 1.0])) @ quick.shape.field.sections(np.array([50.0])).local[0]
        )
        self.assertAlmostEqual(float(ends[1, 0] - ends[0, 0]), 72.0, places=6)
        self.assertTrue(build(quick, self.supervisor).valid)
        pointed = add_station(made, "body", Station("tip", "tip", 240.0, Apex(), 0.0))
        pointed = changed(pointed, rails=())
        quick = rebuild(bodies.change_ending(pointed, "body", "first", how="leaning", angle=0.3))
        assert quick.shape is not None, quick.findings
        self.assertTrue(build(quick, self.supervisor).valid)

    def test_what_does_not_go_is_said(self) -> None:
        """Open with closed, an area law, a skin among bodies combined: each in words, and nothing is lost."""
        made = skin(bow("g1", 30.0), bow("g1", 30.0))
        mixed = add_station(made, "body", Station("s9", "round", 200.0, Circle(), 60.0))
        self.assertIn("mixture of open and closed profiles", said(mixed))
        law = Law("l1", "area", "area", 0.01, points=(LawPoint(100.0, "s0"),))
        self.assertIn("an open section has no area", said(changed(made, laws=(law,))))
        stations = tuple(Station(f"t{k}", f"block {k}", 100.0 * k, Circle(), 20.0) for k in range(2))
        other = bodies.combine(bodies.add_body(made, "block", stations), "body", "cut")
        with self.assertRaisesRegex(SolidError, "is a skin, which bounds nothing"):
            build(rebuild(other), self.supervisor)


if __name__ == "__main__":
    unittest.main()
