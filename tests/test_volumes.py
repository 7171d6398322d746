"""What booleans come to, held against the meshes of what went in."""

from __future__ import annotations

import unittest

import numpy as np

from isotomon.design import bodies
from isotomon.design.edits import replace
from isotomon.inspect.check import check_table, exit_code
from isotomon.inspect.quick import rebuild
from isotomon.kernel.volumes import Lump, contains, doubt, shared
from isotomon.operations.row import Row
from isotomon.samples import sample
from isotomon.solids.checked import checked
from tests.helpers import WithWorker, body, changed, design


def block(low: tuple[float, float, float], high: tuple[float, float, float]) -> Lump:
    """A box as twelve triangles, outward."""
    a, b = np.array(low), np.array(high)
    corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    triangles = np.array([t for q in quads for t in ((q[0], q[1], q[2]), (q[0], q[2], q[3]))])
    return Lump(a + corners * (b - a), triangles, float(np.prod(b - a)))


class Trials(unittest.TestCase):
    """By trial places, without the kernel."""

    def test_what_lies_in_a_body(self) -> None:
        """Places of a box by its bounds; the room two boxes share by theirs."""
        one, other = block((0, 0, 0), (10, 10, 10)), block((5, 2, 3), (25, 8, 9))
        places = np.random.default_rng(2).uniform(-5, 15, (2000, 3))
        np.testing.assert_array_equal(contains(one, places), ((places > 0) & (places < 10)).all(axis=1))
        common, room = shared(one, other)
        self.assertAlmostEqual(common, 180.0, delta=1e-9)
        self.assertEqual(room, 180.0)
        self.assertEqual(shared(one, block((20, 0, 0), (30, 9, 9))), (0.0, 0.0))

    def test_what_cannot_be_right_is_doubted(self) -> None:
        """For each way to combine: the right volume is believed; one that leaves everything as it was, or is far off, is not."""
        one, other = block((0, 0, 0), (10, 10, 10)), block((5, 2, 3), (25, 8, 9))
        right = {"add": 1000.0 + 720.0 - 180.0, "cut": 820.0, "common": 180.0}
        for how, volume in right.items():
            self.assertEqual(doubt(one, other, how, volume), "", how)
        for how, volume in (("add", 1720.0), ("cut", 1000.0), ("common", 0.0)):
            self.assertIn("nothing came of it", doubt(one, other, how, volume))
        for how, volume in (("add", 900.0), ("cut", 700.0), ("common", 300.0)):
            self.assertIn("are right", doubt(one, other, how, volume))
        away = block((20, 0, 0), (30, 9, 9))
        self.assertEqual(doubt(one, away, "cut", 1000.0), "")


class Findings(WithWorker):
    """What is wrong with a finished solid is a finding, and decides how the check ends."""

    def test_bodies_that_touch_along_a_line(self) -> None:
        """Two posts that share an edge alone: not watertight is an error, and the check does not end as if all were well."""
        square = [(0.0, "polygon:4", 40.0, 45.0), (50.0, "polygon:4", 40.0, 45.0)]
        base = design(square)
        side = 40.0 / np.sqrt(2.0)
        beside = design(square, offset_x=side, offset_y=side)
        stations = tuple(replace(s, id=f"t{k}") for k, s in enumerate(beside.bodies[0].stations))
        tool = body("b2", "beside", stations)
        both = bodies.combine(replace(base, bodies=(*base.bodies, tool)), "b2", "add")
        result = checked(rebuild(both), self.supervisor)
        self.assertEqual(exit_code(result), 2)
        self.assertRegex(" ".join(f["text"] for f in result["findings"]), "not watertight|not valid")
        self.assertNotIn("All in band", check_table(result))

    def test_copies_that_overlap(self) -> None:
        """Their volumes are added, which is told with what they have united, known from the box they fill."""
        square = [(0.0, "polygon:4", 40.0, 45.0), (50.0, "polygon:4", 40.0, 45.0)]
        side = 40.0 / np.sqrt(2.0)
        made = design(square)
        row = Row(along="x", count=3, distance=side / 2.0)
        made = changed(made, steps=(row,))
        result = checked(rebuild(made), self.supervisor)
        told = next(f["text"] for f in result["findings"] if "overlap" in f["text"])
        united = float(told.split("they have ")[1].split(";")[0].replace(",", ""))
        self.assertAlmostEqual(united, 2.0 * side * side * 50.0, delta=1.0)
        self.assertEqual(exit_code(result), 1)

    def test_the_demos_are_sound(self) -> None:
        """None of what is told of the rotor's finished solids is an error or out of band."""
        result = checked(rebuild(sample("kelp-steeper")), self.supervisor)
        self.assertEqual([f for f in result["findings"] if f["severity"] != "note"], [])
