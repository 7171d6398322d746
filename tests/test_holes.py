"""Profiles with holes: areas, volumes, solids; holes that go through and holes that do not."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.author.insert import insert_station
from isotomon.design import loft_edits
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.design.station_edits import change_station
from isotomon.field.checks import _crossed
from isotomon.inspect.quick import rebuild
from isotomon.measure.sections import extents
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.drawn import figures_of
from isotomon.profile.loops import find_runs
from isotomon.profile.section import Circle, Drawn
from isotomon.profile.shapes import Spot, rectangle_corners
from isotomon.solids.deliver import build
from isotomon.solids.supervisor import Supervisor
from tests.helpers import body


def plate(key: str, *holes: tuple[float, float, float]) -> Drawing:
    """A rectangle 60 by 40 with round holes (x, y, radius)."""
    pen = Pen(rectangle_corners(Drawing(key, key), Spot(-30, -20), Spot(30, 20)))
    for x, y, radius in holes:
        pen.ring(pen.point(x, y), radius)
    return pen.done()


def tube(*drawings: Drawing, turn: float = 0.0) -> Design:
    """The drawings as drawn, 100 mm apart, each turned by so much more."""
    stations = tuple(
        Station(f"s{k}", f"st{k}", 100.0 * k, Drawn(d.id), None, set_angle=turn * k) for k, d in enumerate(drawings)
    )
    return Design("tube", drawings=tuple(dict.fromkeys(drawings)), bodies=(body(stations=stations),))


class Holes(unittest.TestCase):
    """Holes through a loft."""

    def test_a_turned_plate_keeps_its_net_area(self) -> None:
        """Rectangle less circles, along all of a turned prism; centroid and volume alike; thickness is the outer run's."""
        made = plate("g1", (-12.0, 0.0, 6.0), (14.0, 3.0, 5.0))
        quick = rebuild(tube(made, made, turn=0.7))
        net = 2400.0 - math.pi * 61.0
        assert quick.shape is not None and quick.full is not None
        self.assertEqual(quick.findings, ())
        for area in quick.shape.curves.area[::20]:
            self.assertAlmostEqual(float(area), net, places=4)
        self.assertAlmostEqual(quick.full.body.volume, 100.0 * net, places=2)
        middle = -(math.pi * 36.0 * -12.0 + math.pi * 25.0 * 14.0) / net
        self.assertAlmostEqual(float(quick.full.moments.centroid[0, 0]), middle, places=6)
        self.assertAlmostEqual(float(quick.shape.curves.turn[-1]), 0.7, places=9)
        runs = find_runs(made)
        assert runs.outer is not None
        drawn = figures_of(runs.outer, runs.holes)
        m = quick.full.moments
        self.assertAlmostEqual(drawn.area, net, places=9)
        self.assertAlmostEqual(drawn.centroid[0], middle, places=9)
        for name in ("perimeter", "i_max", "i_min"):
            self.assertAlmostEqual(float(getattr(m, name)[0]) / getattr(drawn, name), 1.0, places=6)
        wide = extents(quick.shape.field.sections(quick.shape.field.nodes), quick.shape.form.common)
        self.assertAlmostEqual(float(wide.thickness[0]), 40.0, places=6)

    def test_holes_are_followed_inserted_and_built(self) -> None:
        """They are matched by where they lie, not by their order; an inserted station moves nothing; the solid has them."""
        quick = rebuild(tube(plate("g1", (-12, 0, 6), (14, 3, 5)), plate("g2", (15, 0, 4), (-12, 2, 7))))
        assert quick.shape is not None and quick.full is not None
        self.assertEqual(quick.findings, ())
        inserted = rebuild(insert_station(quick.design, quick.shape, 40.0))
        assert inserted.full is not None
        self.assertAlmostEqual(inserted.full.body.volume / quick.full.body.volume, 1.0, places=12)
        supervisor = Supervisor()
        try:
            solid = build(quick, supervisor)
        finally:
            supervisor.close()
        self.assertTrue(solid.valid and solid.watertight)
        self.assertAlmostEqual(solid.volume / quick.full.body.volume, 1.0, places=6)
        self.assertEqual(sum("hole" in name for name in solid.names), 2)

    def test_rails_carry_them_and_what_cannot_be_is_said(self) -> None:
        """A rail that widens a plate widens its hole; a hole that ends, or leaves the section, is told."""
        one = plate("g1", (0, 0, 8))
        guides = [
            Guide(
                f"u{k}",
                f"side {k}",
                "through",
                (),
                (),
                ("open",),
                tuple(GuidePoint(x=way * x, z=z) for x, z in ((30.0, 0.0), (36.0, 50.0), (30.0, 100.0))),
            )
            for k, way in enumerate((1.0, -1.0))
        ]
        made = tube(one, one)
        for guide in guides:
            made = loft_edits.add_rail(loft_edits.add_guide(made, guide), "body", guide.id)
        quick = rebuild(made)
        assert quick.shape is not None
        self.assertEqual([f.text for f in quick.findings], [])
        middle = quick.shape.curves.area[len(quick.shape.v) // 2]
        self.assertAlmostEqual(float(middle / (2400.0 - math.pi * 64.0)), 1.2**2, places=3)
        ended = rebuild(change_station(tube(one, one), "s1", section=Circle(), chord=50.0))
        self.assertIn("the holes are left out", ended.findings[0].text)
        assert ended.full is not None
        wide = rebuild(tube(one, plate("g2", (26.0, 14.0, 3.0)), plate("g3", (-26.0, -14.0, 3.0))))
        self.assertEqual([f for f in wide.findings if f.severity == "error"], [])  # nothing overshoots: it stays inside
        points = np.array(
            [[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0], *([[9.0, 4.0], [12.0, 4.0], [12.0, 6.0], [9.0, 6.0]])]
        )
        found = _crossed(points, np.array([0] * 4 + [1] * 4))
        assert found is not None
        self.assertIn("a hole leaves the section", found[1])


if __name__ == "__main__":
    unittest.main()
