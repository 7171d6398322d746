"""Operations: what each declares is enough for file, form, command, command line and help; and a body bent about an axis."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.design import bodies
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.inspect.quick import rebuild
from isotomon.operations import OPERATIONS
from isotomon.operations.base import inputs_of
from isotomon.operations.bend import Bend
from isotomon.operations.move import Move
from isotomon.operations.skins import MAKINGS
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, changed, design

RADIUS, LENGTH, AREA = 150.0, 240.0, 40.0**2 / 2.0


def post(*steps: object, text: str = "polygon:4", tilt: float = 0.0) -> Design:
    """A square post along Z, and an axis along Y beside it."""
    made = design([(0.0, text, 40.0, 0.0), (LENGTH, text, 40.0, 0.0)])
    foot = Datum("d1", "foot", "coordinates", ("world",), (-RADIUS, 0.0, 0.0))
    axis = Datum("d2", "beside", "square-through", ("zx", "d1"))
    stations = made.bodies[0].stations
    stations = (stations[0], replace(stations[1], tilt_x=tilt))
    return changed(replace(made, datums=(foot, axis)), stations=stations, steps=steps)


class Bent(WithWorker):
    """Volumes by Pappus's rule."""

    def test_a_post_is_bent(self) -> None:
        """By 30° to 300°: as much volume as its area sweeps at the distance of its middle, sections as they were, the far end turned
        about the axis; the solid and, moved and copied after it, two of them, the same."""
        for degrees in (30.0, 90.0, 300.0):
            angle = math.radians(degrees)
            with self.subTest(degrees):
                made = decode(encode(post(Bend(angle, "d2"))))
                quick = rebuild(made)
                self.assertEqual(quick.findings, ())
                assert quick.full is not None and quick.shape is not None
                wanted = AREA * RADIUS * angle
                self.assertAlmostEqual(quick.full.body.volume / wanted, 1.0, delta=1e-7)
                np.testing.assert_allclose(quick.shape.curves.area, AREA, rtol=1e-9)
                far = quick.shape.sections.control[-1].mean(axis=0) + np.array([RADIUS, 0.0, 0.0])
                np.testing.assert_allclose(far, RADIUS * np.array([math.cos(angle), 0.0, math.sin(angle)]), atol=1e-6)
                self.assertAlmostEqual(abs(float(quick.shape.sections.normal[-1, 2])), abs(math.cos(angle)), delta=1e-9)
                built = build_all(quick, self.supervisor)["body"]
                self.assertTrue(built.valid and built.watertight)
                self.assertAlmostEqual(built.volume / wanted, 1.0, delta=1e-6)
        twice = post(Bend("90 deg", "y", RADIUS), Move(y=300.0))
        self.assertAlmostEqual(
            build_all(rebuild(twice), self.supervisor)["body"].volume / (AREA * RADIUS * math.pi / 2.0), 1.0, delta=1e-6
        )

    def test_what_cannot_be_bent(self) -> None:
        """After a move, tilted sections, along the axis, across it, by nought: told, and the body is shown as it is shaped."""
        for made, words in (
            (post(Move(x=5.0), Bend(1.0, "d2")), "let it come before moves"),
            (post(Bend(1.0, "d2"), tilt=0.2), "only a straight body"),
            (post(Bend(1.0, "z")), "does not stand square"),
            (post(Bend(1.0, "y")), "passes through the body"),
            (post(Bend(0.0, "d2")), "more than 0°"),
            (post(Bend(1.0, "y", 20.0)), "a larger radius"),
            (post(Bend("nobody", "d2")), "angle: "),
        ):
            with self.subTest(words):
                told = [f for f in rebuild(made).findings if f.severity == "error"]
                self.assertEqual(len(told), 1)
                self.assertIn(words, told[0].text)
                self.assertEqual(told[0].about, "body")


class Declared(unittest.TestCase):
    """What all of them declare."""

    def test_each_says_all_that_is_asked_for(self) -> None:
        """Title, command and help; every field has a title and a kind that a form knows; the usual one comes back from a file; an
        unknown field and a count beyond bounds are refused."""
        known = {
            "length",
            "angle",
            "ratio",
            "count",
            "copies",
            "pairs",
            "yes",
            "choice",
            "edges",
            "faces",
            "lengths",
            "bodies",
        }
        for kind, operation in OPERATIONS.items():
            with self.subTest(kind):
                self.assertTrue(operation.TITLE and operation.COMMAND and operation.HELP)
                for given in inputs_of(operation):
                    self.assertTrue(given.title)
                    self.assertTrue(given.what in known or set(given.what) <= set("APpcBS"), given)
                made = bodies.add_body(post(), "other")
                other = {i.name: "b1" for i in inputs_of(operation) if i.what == "B"}
                made = bodies.add_step(made, "body", operation(**{**operation.BEGIN, **other}))
                self.assertEqual(decode(encode(made)), made)
                with self.assertRaisesRegex(Exception, "unknown field"):
                    decode(encode(made).replace(f'"kind": "{kind}"'.encode(), f'"kind": "{kind}", "more": 1'.encode()))
        for kind, making in MAKINGS.items():
            with self.subTest(kind):
                self.assertTrue(making.TITLE and making.COMMAND and making.HELP and making.ICON)
                for given in inputs_of(making):
                    self.assertTrue(
                        given.title
                        and (given.what in {*known, "curves", "points"} or given.what in ("c", "A", "B", "SP")),
                        given,
                    )
                made = bodies.change_body(post(), "body", shaped=making(), stations=())
                self.assertEqual(decode(encode(made)), made)
                self.assertEqual(len(rebuild(made).findings), 1, "one that has no curves says so")
        with self.assertRaisesRegex(DesignError, "401 copies"):
            OPERATIONS["ring"](count=401).check()


if __name__ == "__main__":
    unittest.main()
