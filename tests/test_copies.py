"""Bodies moved, resized, mirrored and copied: exact volumes of sound solids, and what cannot be."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.design import bodies
from isotomon.design.body import Along, Span, Wall
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError, SolidError
from isotomon.inspect.quick import rebuild
from isotomon.operations import Step
from isotomon.operations.mirror import Mirror
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.operations.row import Row
from isotomon.profile.section import Circle, Ellipse, Naca4, Polygon
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, body, changed


def post(*steps: Step, **fields: object) -> Design:
    """A square post of 200 mm² by 100 mm, 60 mm from the Z axis, and what is done with it."""
    station = Station("s1", "post", 0.0, Polygon(4), 20.0, offset_x=60.0)
    return Design(
        "post", bodies=(body("body", "post", span=Span(on=100.0), steps=steps, **fields, stations=(station,)),)
    )  # type: ignore[arg-type]


VOLUME = 200.0 * 100.0


class Copies(WithWorker):
    """What is done with a body once it is shaped."""

    def test_solids_of_moves_and_copies(self) -> None:
        """Moved, resized either way, mirrored, in rings with some left out and in rows: volume, pieces and names, all sound."""
        path = Guide(
            "u1", "path", "through", (), (), ("open",), (GuidePoint(), GuidePoint(y=200.0, z=50.0), GuidePoint(y=400.0))
        )
        for steps, times, pieces in (
            ((Move(x=5.0, turn=0.3),), 1.0, 1),
            ((Resize(2.0, 0.5, 3.0),), 3.0, 1),
            ((Resize(2.0, 2.0, 2.0), Move(z=9.0)), 8.0, 1),
            ((Mirror(),), 2.0, 2),
            ((Mirror(keep=False),), 1.0, 1),
            ((Ring(count=5, without=(1, 3)),), 3.0, 3),
            ((Row(count=4, distance=30.0), Mirror("zx", keep=False)), 4.0, 4),
            ((Row("u1", 3, 0.0, "total", turning=True),), 3.0, 3),
        ):
            with self.subTest(steps):
                design = decode(encode(replace(post(*steps), guides=(path,))))
                quick = rebuild(design)
                self.assertEqual(quick.findings, ())
                self.assertAlmostEqual(quick.volume / VOLUME, times, delta=1e-9)
                built = build_all(quick, self.supervisor)["body"]
                self.assertTrue(built.valid and built.watertight)
                self.assertEqual(built.pieces, pieces)
                self.assertAlmostEqual(built.volume / VOLUME, times, delta=1e-9)
                self.assertEqual(len(set(built.names)), len(built.names))

    def test_a_tapered_body_is_stretched_and_a_tube_has_round_ends(self) -> None:
        """A tapered, turned body is stretched one way in three copies; a tube closed by round ends is hollow; both are sound."""
        steps = (Move(turn=0.4), Resize(1.6, 1.0, 0.7), Ring(count=3))
        tapered = post(*steps, along=Along(width=0.6, height=0.6, turn=1.0))
        quick = rebuild(tapered)
        built = build_all(quick, self.supervisor)["body"]
        self.assertEqual((built.valid, built.watertight, built.pieces), (True, True, 3))
        self.assertAlmostEqual(built.volume / quick.volume, 1.0, delta=1e-6)
        station = Station("s1", "tube", 0.0, Ellipse(0.7), 30.0)
        tube = Design(
            "tube",
            bodies=(body("body", "tube", span=Span(on=80.0, ends="round"), wall=Wall(3.0), stations=(station,)),),
        )
        quick = rebuild(tube)
        built = build_all(quick, self.supervisor)["body"]
        self.assertEqual((built.valid, built.watertight, built.pieces), (True, True, 1))
        self.assertAlmostEqual(built.volume / quick.volume, 1.0, delta=1e-6)

    def test_joined_copies_and_many_on_a_hub(self) -> None:
        """Three posts that overlap are one piece when joined; forty thin blades and their hub are one, of their volumes."""
        near = post(Ring(count=3, joined=True))
        near = changed(near, stations=(replace(near.bodies[0].stations[0], chord=60.0, offset_x=20.0),))
        built = build_all(rebuild(near), self.supervisor)["body"]
        self.assertEqual((built.pieces, built.valid, built.watertight), (1, True, True))
        self.assertLess(built.volume, 3.0 * 1800.0 * 100.0)
        hub = body("hub", "hub", span=Span(on=100.0), stations=(Station("h1", "hub", 0.0, Circle(), 120.0),))
        blades = changed(post(Ring(count=40)), span=Span(on=80.0))
        blades = changed(blades, stations=(replace(blades.bodies[0].stations[0], chord=6.0, position=10.0),))
        blades = bodies.combine(replace(blades, bodies=(hub, *blades.bodies)), "body", "add")
        one = build_all(rebuild(blades), self.supervisor)["hub"]
        self.assertEqual((one.pieces, one.valid, one.watertight), (1, True, True))
        alone = math.pi * 60.0**2 * 100.0
        self.assertGreater(one.volume, alone)
        self.assertLess(one.volume, alone + 40 * 18.0 * 80.0)

    def test_cut_through_set_aside_and_reordered(self) -> None:
        """A hole through all of a hub, by formula; set aside the hub is whole again; beside it the cut misses, and says so; bodies
        change places and nothing else."""
        hub = body("hub", "hub", span=Span(on=100.0), stations=(Station("h1", "hub", 0.0, Circle(), 120.0),))
        hole = Station("s1", "hole", 50.0, Circle(), 20.0)
        bore = body("body", "hole", (hole,), span=Span(whole=True))
        design = bodies.combine(Design("bored", bodies=(hub, bore)), "body", "cut")
        whole = math.pi * 3600.0 * 100.0
        for made, wanted in (
            (design, whole - math.pi * 100.0 * 100.0),
            (bodies.set_aside(design, ("body",), True), whole),
        ):
            one = build_all(rebuild(made), self.supervisor)["hub"]
            self.assertAlmostEqual(one.volume / wanted, 1.0, delta=1e-9)
        missed = changed(design, "body", stations=(replace(hole, offset_x=200.0),))
        with self.assertRaisesRegex(SolidError, "the cut misses"):
            build_all(rebuild(missed), self.supervisor)
        moved = bodies.move_body(design, "body", -1)
        self.assertEqual((bodies.body_ids(moved), moved.bodies[0]), (("body", "hub"), design.bodies[1]))
        self.assertEqual(bodies.move_body(moved, "body", 1), design)
        with self.assertRaisesRegex(DesignError, "leave one"):
            bodies.set_aside(design, ("body", "hub"), True)
        self.assertEqual([b.aside for b in bodies.bodies_up_to(design, "hub").bodies], [False, True])

    def test_what_cannot_be_copied(self) -> None:
        """A copy over another, none left, too many, beyond the path, about nothing: told, and the body is shown as shaped."""
        for step, words in (
            (Ring(count=3, by="step"), "lies over copy 1"),
            (Row("z", 3, 0.0), "lies over copy 1"),
            (Ring("u7", 3), "gone"),
            (Resize(x=0.0), "greater than nought"),
        ):
            quick = rebuild(post(step))
            self.assertRegex(quick.findings[0].text, words)
            self.assertEqual(len(quick.placed), 1)
        for steps, words in (
            ((Ring(count=2, without=(0, 1)),), "left out"),
            ((Ring(count=401),), "use 1 to 400"),
            ((Ring(count=30), Row(count=30)), "make 900 bodies"),
        ):
            with self.assertRaisesRegex(DesignError, words):
                rebuild(post(*steps))

    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 9), st.floats(0.1, 3.0), st.floats(-40.0, 40.0))
    def test_rings_about_axes_keep_distances(self, count: int, angle: float, shift: float) -> None:
        """Copies lie as far from the axis as the body, each by the same angle from the one before."""
        maps = rebuild(post(Move(x=shift), Ring("z", count, angle / max(count, 1), "step"))).placed
        centres = maps[:, :3, :3] @ np.array([60.0, 0.0, 50.0]) + maps[:, :3, 3]
        far = np.hypot(centres[:, 0], centres[:, 1])
        np.testing.assert_allclose(far, abs(60.0 + shift), atol=1e-9)
        turns = np.unwrap(np.arctan2(centres[:, 1], centres[:, 0]))
        np.testing.assert_allclose(np.diff(turns), angle / count, atol=1e-9)


class Over(unittest.TestCase):
    """Copies where the body looks the same."""

    def test_a_copy_over_the_body_itself_is_told(self) -> None:
        """A round post round its own axis, a square one by quarters, a foil mirrored in its chord: told with the place, and mended;
        a square one by eighths makes a star."""
        for section, step, over in (
            (Circle(), Ring("z", 3), True),
            (Polygon(4), Ring("z", 4), True),
            (Naca4("0012"), Mirror("zx"), True),
            (Polygon(4), Ring("z", 2, math.pi / 4.0, "step"), False),
            (Naca4("2412"), Mirror("zx"), False),
        ):
            post = Station("s1", "post", 0.0, section, 40.0, pivot=0.5)
            made = Design("post", bodies=(body("body", "post", span=Span(on=30.0), steps=(step,), stations=(post,)),))
            told = [f for f in rebuild(made).findings if "lies over the body itself" in f.text]
            self.assertEqual(len(told), int(over), (section, step))
            if over:
                self.assertIsNotNone(told[0].place)
                self.assertEqual(rebuild(told[0].mends[0].edit(made)).findings, ())


if __name__ == "__main__":
    unittest.main()
