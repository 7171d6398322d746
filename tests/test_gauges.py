"""Measures kept on a design: capacities by formula, distances, sections by planes; and on the command line."""

from __future__ import annotations

import io
import math
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path

import numpy as np

from isotomon import script
from isotomon.cli import main
from isotomon.design import bodies, edits, station_edits
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode, save
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.inspect.quick import rebuild
from isotomon.measure.capacity import inside
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.profile import shapes
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Polygon
from isotomon.profile.shapes import Spot
from tests.helpers import body, changed, full_vessel

UP = np.array([0.0, 0.0, 1.0])


def bucket(top: float, tilt: float = 0.0) -> Design:
    """A cone's frustum standing on 100, 200 high, `top` wide."""
    stations = (Station("s1", "foot", 0.0, Circle(), 100.0), Station("s2", "rim", 200.0, Circle(), top, tilt_x=tilt))
    return Design("bucket", bodies=(body(stations=stations),))


def frustum(low: float, high: float, far: float) -> float:
    return math.pi / 3.0 * far * (low * low + high * high + low * high)


class Capacity(unittest.TestCase):
    """What a vessel holds."""

    def test_cylinders_and_cones_with_and_without_a_wall(self) -> None:
        """Volume to a level by formula to 1e-6, the wall within the skin and above the floor; the level for it; the wetted area."""
        for top in (100.0, 200.0):
            shape = rebuild(bucket(top)).shape
            assert shape is not None
            slope = (top - 100.0) / 400.0
            for wall in (0.0, 4.0):
                inner = inside(shape.field, UP, wall)
                thin = wall * math.sqrt(1.0 + slope * slope)
                low, far = 50.0 + wall * slope - thin, 120.0 - wall
                high = low + far * slope
                wanted = frustum(low, high, far)
                self.assertAlmostEqual(float(inner.volumes(np.array([120.0]))[0]) / wanted, 1.0, delta=1e-6)
                self.assertAlmostEqual(inner.level(wanted), 120.0, delta=1e-3)
                side = math.pi * (low + high) * math.hypot(far, high - low)
                wet = float(inner.wetted(np.array([120.0]))[0])
                self.assertAlmostEqual(wet / (side + math.pi * low * low), 1.0, delta=1e-4)

    def test_what_holds_nothing_or_not_so_much(self) -> None:
        """A level above the brim, too much for it, a wall too thick, a leaning floor: each is told; a tilted rim lowers the brim."""
        shape = rebuild(bucket(200.0, math.radians(10.0))).shape
        assert shape is not None
        inner = inside(shape.field, UP)
        self.assertAlmostEqual(inner.brim, 200.0 - 100.0 * math.sin(math.radians(10.0)), delta=1e-2)
        kelp = full_vessel()
        for values, choice, words in (
            ((395.0, 6.0, 1.0), "volume", "above the brim"),
            ((100.0, 6.0, 40.0), "level", "litres to the brim"),
            ((100.0, 60.0, 1.0), "volume", "make it thinner"),
        ):
            gauge = Gauge("m1", "fill", "capacity", ("body", "z"), values, (choice,))
            quick = rebuild(replace(kelp, gauges=(gauge,)))
            self.assertRegex(quick.readings["m1"].wrong, words)
            self.assertEqual(quick.findings[-1].about, "m1")


class Kept(unittest.TestCase):
    """Measures as part of a design."""

    def design(self) -> Design:
        post = bucket(100.0)
        beside = Datum("d1", "beside", "parallel", ("yz",), (80.0,))
        gauges = (
            Gauge("m1", "gap", "distance", ("body", "d1")),
            Gauge("m2", "cut", "section", ("body", "yz"), (30.0,)),
            Gauge("m3", "square cut", "section", ("body", "xy"), (90.0,)),
            Gauge("m4", "rim", "radius", ("s2/outline",)),
            Gauge("m5", "lean", "angle", ("xy", "z")),
            Gauge("m6", "round", "length", ("s1/outline",)),
            Gauge("m7", "through", "thickness", ("body", "s2/at:0.3")),
        )
        return replace(post, datums=(beside,), gauges=gauges)

    def test_figures_by_formula(self) -> None:
        """Gap, chord section, round section, radius, angle and length of a cylinder; kept through the file; live on edits."""
        quick = rebuild(decode(encode(self.design())))
        self.assertEqual(quick.findings, ())
        first = {key: {t: v for t, v, _ in r.figures} for key, r in quick.readings.items()}
        self.assertAlmostEqual(first["m1"]["Distance"], 30.0, delta=1e-6)
        self.assertAlmostEqual(first["m2"]["Area"] / (80.0 * 200.0), 1.0, delta=1e-4)
        self.assertAlmostEqual(first["m3"]["Area"] / (math.pi * 2500.0), 1.0, delta=2e-5)
        self.assertAlmostEqual(first["m3"]["Least second moment"] / (math.pi * 50.0**4 / 4.0), 1.0, delta=4e-5)
        self.assertAlmostEqual(first["m4"]["Radius"], 50.0, delta=1e-6)
        self.assertAlmostEqual(first["m5"]["Angle"], math.pi / 2.0, delta=1e-12)
        self.assertAlmostEqual(first["m6"]["Length"], 100.0 * math.pi, delta=1e-4)
        self.assertAlmostEqual(first["m7"]["Thickness"], 100.0, delta=2e-3)
        wider = station_edits.change_station(
            station_edits.change_station(self.design(), "s1", chord=120.0), "s2", chord=120.0
        )
        self.assertAlmostEqual(rebuild(wider).readings["m1"].figures[0][1], 20.0, delta=1e-6)

    def test_what_is_lost_is_told(self) -> None:
        """A plane that misses, a thing that is gone: the measure says so; what it is taken of is not removed under it."""
        made = edits.change_gauge(self.design(), "m2", values=(60.0,))
        self.assertIn("misses", rebuild(made).readings["m2"].wrong)
        made = edits.change_gauge(made, "m4", on=("s7/outline",))
        self.assertIn("gone", rebuild(made).readings["m4"].wrong)
        with self.assertRaisesRegex(DesignError, "measure gap"):
            edits.remove_datum(self.design(), "d1")
        self.assertEqual(len(edits.remove_gauge(made, "m4").gauges), 6)
        with self.assertRaisesRegex(
            DesignError, "stands on 2 things and has 1 numbers and 0 choices; found 1, 0 and 0"
        ):
            edits.add_gauge(made, Gauge("m9", "x", "section", ("body",)))

    def test_moved_and_copied_bodies(self) -> None:
        """Copies are cut and weighed together, moved ones measured where they stand, flat ends count; a vessel that is moved
        and made larger holds so much more at a level so much higher."""
        start = changed(bucket(100.0), density=1000.0)
        gauges = (
            Gauge("m1", "cut", "section", ("body", "xy"), (90.0,)),
            Gauge("m2", "mass", "body", ("body",)),
            Gauge("m3", "gap", "distance", ("body", "z")),
            Gauge("m4", "above", "distance", ("body", "d1")),
        )
        above = Datum("d1", "above", "coordinates", ("world",), (310.0, 5.0, 230.0))
        made = replace(changed(start, steps=(Move(x=300.0), Ring(count=3))), datums=(above,), gauges=gauges)
        read = {key: {t: v for t, v, _ in r.figures} for key, r in rebuild(decode(encode(made))).readings.items()}
        self.assertAlmostEqual(read["m1"]["Area"] / (3.0 * math.pi * 2500.0), 1.0, delta=2e-5)
        self.assertAlmostEqual(read["m2"]["Mass"] / (3.0 * math.pi * 0.0025 * 0.2 * 1000.0), 1.0, delta=5e-4)
        about = read["m2"]["Mass"] * (2500.0 / 2.0 + 300.0**2)
        self.assertAlmostEqual(read["m2"]["Greatest inertia"] / about, 1.0, delta=5e-4)
        self.assertAlmostEqual(read["m3"]["Distance"], 250.0, delta=0.02)
        self.assertAlmostEqual(read["m4"]["Distance"], 30.0, delta=1e-6)
        held = Gauge("m1", "fill", "capacity", ("body", "z"), (190.0, 8.0, 1.0), ("volume",))
        larger = changed(start, steps=(Move(x=40.0, turn=1.0), Resize(2.0, 2.0, 2.0), Move(z=-50.0)))
        read = {t: v for t, v, _ in rebuild(replace(larger, gauges=(held,))).readings["m1"].figures}
        self.assertAlmostEqual(read["Volume"] / (math.pi * 92.0**2 * (190.0 + 50.0 - 8.0)), 1.0, delta=1e-6)
        self.assertAlmostEqual(read["Brim"], 350.0, delta=1e-9)

    def test_areas_of_faces_sections_and_curves(self) -> None:
        """A frustum with four sides: each side, both ends, a section, all of it, and an oval in space, by formula."""
        sides = tuple(Station(f"s{k}", f"s{k}", 80.0 * k, Polygon(4), 60.0 - 30.0 * k) for k in (0, 1))
        oval = tuple(
            GuidePoint(x=20.0 * math.cos(t), y=10.0 * math.sin(t), z=5.0) for t in np.arange(48) * math.tau / 48
        )
        guide = Guide("u1", "oval", "through", (), (), ("closed",), oval)
        refs = ("body/face:s0.1of4~s0.2of4", "body/first", "s1", "body", "u1")
        gauges = tuple(Gauge(f"m{k}", f"m{k}", "area", (ref,)) for k, ref in enumerate(refs))
        quick = rebuild(
            decode(encode(Design("frustum", guides=(guide,), gauges=gauges, bodies=(body(stations=sides),))))
        )
        self.assertEqual(quick.findings, ())
        found = [r.figures[0][1] for r in quick.readings.values()]
        low, high = 60.0 / math.sqrt(2.0), 30.0 / math.sqrt(2.0)
        side = (low + high) / 2.0 * math.hypot(80.0, (low - high) / 2.0)
        wanted = (side, low**2, high**2, 4.0 * side + low**2 + high**2, math.pi * 200.0)
        for value, exact, near in zip(found, wanted, (1e-9, 1e-12, 1e-12, 1e-9, 1e-5), strict=True):
            self.assertAlmostEqual(value / exact, 1.0, delta=near)

    def test_how_far_a_skin_is(self) -> None:
        """From a point in the mouth of an arch to the arch: nothing closes its mouth."""
        arch = shapes.arc_through(Drawing("g1", "arch"), Spot(-30.0, 0.0), Spot(30.0, 0.0), Spot(0.0, 30.0))
        stations = tuple(Station(f"s{k}", f"s{k}", 80.0 * k, Drawn("g1"), None) for k in (0, 1))
        mouth = Datum("d1", "mouth", "coordinates", ("world",), (0.0, 2.0, 40.0))
        gap = Gauge("m1", "gap", "distance", ("body", "d1"))
        made = Design("arch", drawings=(arch,), datums=(mouth,), gauges=(gap,), bodies=(body(stations=stations),))
        self.assertAlmostEqual(rebuild(made).readings["m1"].figures[0][1], 28.0, delta=1e-6)

    def test_combined_bodies_are_measured_once_they_are_finished(self) -> None:
        """A block with a hole right through: its section, wall, mass, inertia and how far a disc above it is, by formula; asked
        of the field alone they wait; from scripts and the command line they are there."""
        block = tuple(Station(f"s{k}", f"s{k}", z, Polygon(4), 60.0) for k, z in ((1, 0.0), (2, 50.0)))
        made = Design("x", bodies=(body("body", "block", density=1000.0, stations=block),))
        for name, low, high, wide in (("hole", -10.0, 60.0, 20.0), ("disc", 80.0, 90.0, 10.0)):
            made = bodies.add_body(
                made, name, tuple(Station(f"{name}{z}", f"{name}{z}", z, Circle(), wide) for z in (low, high))
            )
            made = bodies.combine(made, "b1", "cut", ("body",)) if name == "hole" else made
        gauges = (
            Gauge("m1", "cut", "section", ("body", "xy"), (20.0,)),
            Gauge("m2", "mass", "body", ("body",)),
            Gauge("m3", "gap", "distance", ("body", "b2")),
            Gauge("m4", "wall", "thickness", ("body", "s2/at:0.125")),
            Gauge("m5", "bore", "distance", ("body", "z")),
        )
        made = replace(made, gauges=gauges)
        self.assertTrue(all(r.waits for r in rebuild(made).readings.values()))
        found = script.measures(made)
        area = 1800.0 - math.pi * 100.0
        self.assertAlmostEqual(found["cut"]["Area"] / area, 1.0, delta=5e-6)
        self.assertAlmostEqual(
            found["cut"]["Least second moment"] / (1800.0**2 / 12.0 - math.pi * 1e4 / 4.0), 1.0, delta=5e-6
        )
        self.assertAlmostEqual(found["mass"]["Volume"] / (50.0 * area), 1.0, delta=1e-4)
        spin = 50.0e-6 * (1800.0**2 / 6.0 - math.pi * 1e4 / 2.0)
        self.assertAlmostEqual(found["mass"]["Least inertia"] / spin, 1.0, delta=1e-4)
        self.assertAlmostEqual(found["gap"]["Distance"], math.hypot(30.0, 5.0), delta=2e-3)
        self.assertAlmostEqual(found["wall"]["Thickness"], math.sqrt(450.0) - 10.0, delta=3e-3)
        self.assertAlmostEqual(found["bore"]["Distance"], 10.0, delta=3e-3)
        with tempfile.TemporaryDirectory() as folder:
            save(made, Path(folder) / "x.isotomon")
            with redirect_stdout(io.StringIO()) as out:
                self.assertEqual(main(["measure", str(Path(folder) / "x.isotomon")]), 0)
        self.assertIn("cut: Area 1485.8", out.getvalue())

    def test_two_bodies_side_by_side_where_they_stand(self) -> None:
        """A post against itself 7 mm to the side, and twice as large: how far it lies outside, centres, volumes; by names and as
        files on the command line; a body against itself is refused."""
        post = bucket(100.0)
        aside = changed(post, steps=(Move(x=7.0), Resize(1.0, 1.0, 1.0)))
        found = script.compare(aside, post)
        self.assertAlmostEqual(found["outside"][0], 7.0, delta=1e-2)
        self.assertAlmostEqual(found["Centre X"][0] - found["Centre X"][1], 7.0, delta=1e-9)
        larger = changed(post, steps=(Resize(2.0, 2.0, 2.0),))
        found = script.compare(larger, post)
        self.assertAlmostEqual(found["Volume"][0] / found["Volume"][1], 8.0, delta=1e-9)
        self.assertAlmostEqual(found["Surface"][0] / found["Surface"][1], 4.0, delta=1e-9)
        self.assertAlmostEqual(found["outside"][0], 50.0, delta=1e-2)
        both = bodies.add_body(post, "other")
        self.assertEqual(script.compare(both, bodies=("other", both.bodies[0].name))["Length"], (100.0, 200.0))
        for wrong in ((), ("nobody", "other")):
            with self.assertRaisesRegex(DesignError, "no body 'nobody'|another one"):
                script.compare(both, bodies=wrong)
        with tempfile.TemporaryDirectory() as folder:
            for name, design in (("a", aside), ("b", post)):
                save(design, Path(folder) / f"{name}.isotomon")
            with redirect_stdout(io.StringIO()) as out:
                self.assertEqual(main(["compare", *(str(Path(folder) / f"{n}.isotomon") for n in "ab")]), 0)
        self.assertRegex(out.getvalue(), r"Length +200 +200\n")

    def test_scripts_and_command_line(self) -> None:
        """Measures by name in litres and degrees; the command prints them and writes a capacity's table, which ends at the brim."""
        kelp = full_vessel()
        found = script.measures(kelp)["fill"]
        self.assertGreater(found["Volume"], 10.0)
        with tempfile.TemporaryDirectory() as folder:
            path, table = Path(folder) / "kelp.isotomon", Path(folder) / "levels.csv"
            save(kelp, path)
            with redirect_stdout(io.StringIO()) as out:
                self.assertEqual(main(["measure", str(path), "--table", "fill", str(table)]), 0)
            self.assertIn("fill: Volume 10.4", out.getvalue())
            rows = np.genfromtxt(table, delimiter=",", names=True)
            self.assertEqual(len(rows), 41)
            self.assertAlmostEqual(float(rows["volume_l"][-1]), float(found["To the brim"]), delta=1e-4)
            self.assertTrue(np.all(np.diff(rows["volume_l"]) > 0.0))
        with self.assertRaisesRegex(DesignError, "there are fill"):
            script.capacity_table(kelp, "nothing")
        square = Design(
            "x",
            bodies=(
                body(stations=(Station("s1", "a", 0.0, Polygon(4), 60.0), Station("s2", "b", 9.0, Polygon(4), 60.0))),
            ),
        )
        self.assertEqual(script.measures(square), {})


if __name__ == "__main__":
    unittest.main()
