"""The graph: each thing is worked out once, and what stands on itself is told where the circle closes."""

from __future__ import annotations

import itertools
import unittest
import warnings

import numpy as np

from isotomon.design import bodies, edits, loft_edits, station_edits
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.resolve import resolve_body
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.evaluate.drawn import Drawings
from isotomon.evaluate.graph import Graph
from isotomon.evaluate.ground import Worked
from isotomon.evaluate.placing import body_angles
from isotomon.inspect.quick import rebuild
from isotomon.operations.mirror import Mirror
from isotomon.pace import GivenUp, watched
from isotomon.profile.section import BodyEnd, Circle, Naca4
from isotomon.quantity.record import Ref
from isotomon.samples import SAMPLES, sample
from tests.helpers import body, design


class Once(unittest.TestCase):
    """In one rebuild."""

    def test_nothing_is_worked_out_twice(self) -> None:
        """The demos, whichever body is in hand, and bodies that stand on each other's ends, points and skins with a guide, datums and
        a drawing between them: every node of the graph once."""
        for name in SAMPLES:
            made = sample(name)
            for one in made.bodies:
                with self.subTest(name, body=one.name):
                    self.assertEqual(set(rebuild(made, one.id).worked.counts.values()), {1})
        made = design([(0.0, "polygon:4", 60.0, 0.0), (100.0, "circle", 50.0, 0.0)])
        made = bodies.go_on(made, "body", 180.0, 30.0)
        made = bodies.go_on(made, "b1", 240.0, 20.0)
        made = edits.add_datum(made, Datum("d1", "top", "parallel", ("b1/last",), (10.0,)))
        points = (GuidePoint("s0/upper"), GuidePoint(f"{made.body('b2').stations[1].id}/upper"))
        made = loft_edits.add_guide(made, Guide("u1", "over all", "through", (), (), ("open",), points))
        made = loft_edits.add_guide(made, Guide("u2", "round it", "meets", ("body", "d1"), (1.0,)))
        quick = rebuild(made, "b2")
        self.assertEqual([key for key, count in quick.worked.counts.items() if count > 1], [])
        self.assertEqual(len(quick.others), 2)
        self.assertGreater(quick.worked.counts["field", "body"], 0)

    def test_what_is_given_up_leaves_nothing_behind(self) -> None:
        """A rebuild ended at its first checkpoints, and at later ones: the error goes all the way out, and the same design comes out right
        afterwards."""
        left = 0

        def watch(_: str, __: float) -> None:
            nonlocal left
            left -= 1
            if left < 0:
                raise GivenUp("for something newer")

        made, number = sample("ribbon-stirrer"), 0
        for number in itertools.chain(range(4), (5 * 2**k for k in itertools.count())):
            fresh = edits.replace(made, tolerance=made.tolerance * (1.0 + 1e-6 * number))  # nothing of it is remembered
            left = number
            try:
                with watched(watch):
                    rebuild(fresh)
                break
            except GivenUp:
                quick = rebuild(fresh)
                self.assertTrue(all(q.shape is not None for q in (quick, *quick.others)))
                self.assertFalse([f.text for q in (quick, *quick.others) for f in q.findings if "newer" in f.text])
        self.assertGreater(number, 5)

    def test_errors_are_values_and_circles_are_told(self) -> None:
        """What fails fails once, and says the same to all who ask; a circle names what it goes through; what was worked out above it
        is not kept, and comes out right when it is asked for by itself."""
        made = edits.add_datum(
            design([(0.0, "circle", 50.0, 0.0), (90.0, "circle", 50.0, 0.0)]),
            Datum("d1", "a", "parallel", ("d2",), (5.0,)),
        )
        made = edits.add_datum(made, Datum("d2", "b", "parallel", ("d1",), (5.0,)))
        worked = Worked(made)
        for ref in ("d1", "d2", "d1"):
            with self.assertRaisesRegex(DesignError, "stand on each other in a circle"):
                worked.ground("body").plane(ref)
        pair = station_edits.change_station(
            bodies.go_on(design([(0.0, "circle", 50.0, 0.0), (90.0, "circle", 50.0, 0.0)]), "body", 150.0, 20.0),
            "s0",
            section=BodyEnd("b1"),
        )
        told = " ".join(f.text for f in rebuild(pair).findings)
        self.assertRegex(told, "circle|stands on it")

        graph = Graph(made, {"n": lambda name: name})
        value = {"a": 1}

        def a() -> int:
            try:
                return graph.once("n", "b", b)
            except DesignError:
                return value["a"]

        def b() -> int:
            return graph.once("n", "a", a) + 1

        self.assertEqual(graph.once("n", "a", a), 1)
        self.assertEqual(graph.once("n", "b", b), 2)
        self.assertEqual(graph.counts["n", "b"], 2)

    def test_a_branch_knows_what_was_known(self) -> None:
        """Nothing is worked out again in a branch; what is new there is not known to the graph it came from."""
        quick = rebuild(sample("kelp-steeper"))
        before = dict(quick.worked.counts)
        branch = quick.worked.branch()
        guide = quick.design.guides[0].id
        curve = branch.ground("body").curve(guide)
        np.testing.assert_array_equal(curve.at(np.linspace(0, 1, 9)), quick.guides[guide].at(np.linspace(0, 1, 9)))
        self.assertEqual(branch.counts.total(), 0)
        branch.ground("body").plane("body/last")
        self.assertEqual((branch.counts.total(), quick.worked.counts), (1, before))

    def test_stations_on_planes_may_lie_together_until_these_are_known(self) -> None:
        """Found by a walk: what is asked of angles before planes are worked out is the stations' own."""
        on = (
            Station("s1", "a", 0.0, Circle(), 40.0),
            Station("s2", "b", 0.0, Naca4("0012"), 40.0, 0.3, plane=Ref("u1")),
        )
        plane = Datum("u1", "P", "parallel", (Ref("xy"),), (50.0,))
        made = Design("d", bodies=(body("body", "b", on),), datums=(plane,))
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            resolved = resolve_body(made, made.bodies[0])
            self.assertEqual(body_angles(resolved, made, Drawings({})), {"s1": 0.0, "s2": 0.3})

    def test_what_names_a_station_that_goes_is_not_as_before(self) -> None:
        """A body whose step names another's station is told of its end, with and without what was known."""
        made = design([(0.0, "circle", 50.0, 0.0), (40.0, "circle", 40.0, 0.0), (90.0, "circle", 50.0, 0.0)])
        stations = (Station("t0", "low", 200.0, Circle(), 20.0), Station("t1", "high", 260.0, Circle(), 20.0))
        other = body("b1", "beside", stations, steps=(Mirror(plane=Ref("s1")),))
        before = rebuild(replace(made, bodies=(*made.bodies, other)))
        after = station_edits.remove_stations(before.design, ("s1",))
        told = [{(f.where, f.text) for f in rebuild(after, before=known).findings} for known in (None, before)]
        self.assertEqual(told[0], told[1])
        self.assertTrue(any("is gone" in text for _, text in told[0]), told[0])


if __name__ == "__main__":
    unittest.main()
