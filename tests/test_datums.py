"""Datums: every construction against plain geometry, chains, circles, lost sources, and stations that stand on them."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.design import edits, station_edits
from isotomon.design.datums import CONSTRUCTIONS, Datum
from isotomon.design.file import decode, encode
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, fitted_plane, plane_at, tilts_of
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.profile import shapes
from isotomon.profile.drawing import Drawing, Point
from isotomon.profile.section import Circle, Drawn, Naca4, Polygon
from isotomon.profile.shapes import Spot
from tests.helpers import body

BOX = shapes.rectangle_corners(Drawing("g1", "box"), Spot(-10, -5), Spot(10, 5))


def base(*datums: Datum, **fields: object) -> Design:
    """A cylinder of three stations (radius 30, Z from 0 to 200), with datums."""
    stations = tuple(Station(f"s{k}", f"st{k}", 100.0 * k, Circle(), 60.0) for k in range(3))
    return edits.replace(Design("d", datums=datums, bodies=(body(stations=stations),)), **fields)


def made(*datums: Datum, **fields: object) -> Quick:
    """The results; no datum may fail."""
    quick = rebuild(base(*datums, **fields))
    lost = [f for f in quick.findings if f.where.startswith("datum")]
    assert not lost, lost
    return quick


class Constructions(unittest.TestCase):
    def near(self, got: object, want: object, delta: float = 1e-9) -> None:
        self.assertLess(float(np.abs(np.asarray(got) - np.asarray(want)).max()), delta, (got, want))

    def plane(self, datum: Datum, *others: Datum, **fields: object) -> Plane:
        thing = made(*others, datum, **fields).datums[datum.id]
        assert isinstance(thing, Plane)
        return thing

    def test_planes(self) -> None:
        """Each way to a plane gives the plane that plain geometry gives."""
        p = self.plane(Datum("d9", "p", "parallel", ("s1",), (25.0,)))
        self.near((p.origin, p.normal), ((0, 0, 125), (0, 0, 1)))
        tip = Datum("d1", "tip", "coordinates", ("world",), (3.0, 4.0, 77.0))
        p = self.plane(Datum("d9", "p", "parallel-through", ("xy", "d1")), tip)
        self.near(p.origin, (3, 4, 77))
        p = self.plane(Datum("d9", "p", "turned", ("x", "xy"), (math.radians(30),)))
        self.near(p.normal, (0, -0.5, math.sqrt(0.75)))
        a, b, c = (
            Datum(f"d{k}", "", "coordinates", ("world",), v)
            for k, v in ((1, (1.0, 0, 0)), (2, (0, 2.0, 0)), (3, (0, 0, 3.0)))
        )
        p = self.plane(Datum("d9", "p", "three-points", ("d1", "d2", "d3")), a, b, c)
        self.near(p.normal, np.array([6.0, 3.0, 2.0]) / 7.0)
        p = self.plane(Datum("d9", "p", "line-and-point", ("z", "d1")), a)
        self.near(np.abs(p.normal), (0, 1, 0))
        p = self.plane(Datum("d9", "p", "line-square", ("x", "xy")))
        self.near(np.abs(p.normal), (0, 1, 0))
        p = self.plane(Datum("d9", "p", "midway", ("s0", "s2")))
        self.near(p.origin[2], 100.0)
        p = self.plane(Datum("d9", "p", "midway", ("xy", "zx")))
        self.near(p.normal, (0, math.sqrt(0.5), math.sqrt(0.5)))
        p = self.plane(Datum("d9", "p", "square-to-curve", ("s1",), (0.25, 0.0)))
        self.near((np.abs(p.normal), p.origin), ((1, 0, 0), (0, 30, 100)), 1e-4)
        p = self.plane(Datum("d9", "p", "tangent", ("body/skin",), (0.0,)))
        self.near((abs(p.normal[0]), np.hypot(*p.origin[:2])), (1, 30), 1e-4)
        p = self.plane(Datum("d9", "p", "placed", ("world",), (1.0, 2.0, 3.0, 0.0, math.radians(90), 0.0)))
        self.near((p.origin, p.normal), ((1, 2, 3), (1, 0, 0)))

    def test_axes_points_frames_cylinders(self) -> None:
        """So do the ways to axes, points, frames and cylinders."""
        a = Datum("d1", "a", "coordinates", ("world",), (10.0, 0.0, 0.0))
        b = Datum("d2", "b", "end", ("s1/outline",), (1.0,))
        wanted = {
            "two-points": (("origin", "d1"), (), Axis, lambda x: x.way, (1, 0, 0)),
            "planes-meet": (("xy", "yz"), (), Axis, lambda x: np.abs(x.way), (0, 1, 0)),
            "square-through": (("xy", "d1"), (), Axis, lambda x: x.origin, (10, 0, 0)),
            "axis-of": (("s1/outline",), (), Axis, lambda x: np.abs(x.way), (0, 0, 1)),
            "on-curve": (("s1/outline",), (0.5, 0.0), np.ndarray, lambda x: x, (-30, 0, 100)),
            "centre": (("s2",), (), np.ndarray, lambda x: x, (0, 0, 200)),
            "curve-meets": (("s1/outline", "yz"), (1.0,), np.ndarray, lambda x: np.abs(x), (0, 30, 100)),
            "curves-nearest": (("s0/outline", "s1/outline"), (), np.ndarray, lambda x: x[2], 50.0),
            "frame": (("d1", "xy", "y"), (), Frame, lambda x: x.axes[0], (0, 1, 0)),
            "cylinder": (("z",), (80.0,), Cylinder, lambda x: x.radius, 80.0),
        }
        for kind, (on, values, cls, read, want) in wanted.items():
            with self.subTest(kind):
                thing = made(a, b, Datum("d9", "t", kind, on, values)).datums["d9"]  # type: ignore[arg-type]
                self.assertIsInstance(thing, cls)
                self.near(read(thing), want, 1e-4)
        square = (Station("s0", "st0", 0.0, Polygon(4), 60.0), Station("s1", "st1", 100.0, Polygon(4), 60.0))
        corner = rebuild(
            Design(
                "d",
                datums=(
                    Datum("d1", "c", "corner", ("s1/outline",), (2.0,)),
                    Datum("d2", "e", "along", ("body/along:s0.1of4",)),
                ),
                bodies=(body(stations=square),),
            )
        )
        self.near(corner.datums["d1"], (0, 30, 100), 1e-6)
        edge = corner.datums["d2"]
        assert isinstance(edge, Axis)
        self.near(edge.way, (0, 0, 1), 1e-6)
        self.near(edge.length, 100.0, 1e-6)

    def test_every_kind_is_tried(self) -> None:
        """The two tests above leave no construction out."""
        import inspect

        text = inspect.getsource(Constructions)
        self.assertEqual([k for k in CONSTRUCTIONS if f'"{k}"' not in text], [])

    @settings(max_examples=60, deadline=None)
    @given(st.floats(-80, 80), st.floats(-80, 80), st.floats(-500, 500))
    def test_tilts_read_back(self, a: float, b: float, z: float) -> None:
        """A plane's position and tilts give the plane again."""
        x, y = math.radians(a), math.radians(b)
        normal = np.array([math.sin(y) * math.cos(x), -math.sin(x), math.cos(y) * math.cos(x)])
        position, tx, ty = tilts_of(plane_at(np.array([0.0, 0.0, z]), normal))
        self.near((position, tx, ty), (z, x, y), 1e-7)

    def test_plane_through_scattered_points(self) -> None:
        """The fitted plane is that of the points, with the distance off it."""
        rng = np.random.default_rng(3)
        flat = rng.uniform(-50, 50, (40, 2))
        points = np.column_stack([flat, 0.2 * flat[:, 0] + 7.0])
        plane, off = fitted_plane(points)
        self.assertLess(off, 1e-12)
        self.near(plane.normal, np.array([-0.2, 0.0, 1.0]) / math.hypot(0.2, 1.0))


class Standing(unittest.TestCase):
    def test_stations_follow_their_planes(self) -> None:
        """A chain of planes carries stations; one number moves all; undoing is the old record."""
        design = base(
            Datum("d1", "first", "parallel", ("xy",), ("bay",)),
            Datum("d2", "second", "parallel", ("d1",), ("bay",)),
            numbers=(Number("n1", "bay", 40.0, "length"),),
        )
        design = station_edits.stand_on(station_edits.stand_on(design, ("s1",), "d1"), ("s2",), "d2")
        for bay in (40.0, 65.0):
            moved = edits.change_number(design, "n1", value=bay)
            quick = rebuild(moved)
            self.assertEqual([n.position for n in quick.resolved.stations], [0.0, bay, 2 * bay])
            assert quick.full is not None
            self.assertAlmostEqual(quick.full.body.volume, math.pi * 900 * 2 * bay, delta=1.0)
        tilted = edits.add_datum(
            design, Datum("d3", "tilt", "placed", ("d2",), (0.0, 0.0, 0.0, 0.0, math.radians(10), 0.0))
        )
        numbers = rebuild(station_edits.stand_on(tilted, ("s2",), "d3")).resolved.stations
        self.assertAlmostEqual(
            max(abs(t) for t in next(n for n in numbers if n.station.id == "s2").tilt), math.radians(10), delta=1e-12
        )
        self.assertEqual(decode(encode(tilted)), tilted)

    def test_what_is_lost_or_circular_is_said(self) -> None:
        """A gone source, a circle, a body that stands on itself: findings in words, nothing moved, nothing raised."""
        gone = rebuild(base(Datum("d1", "a", "parallel", ("s9",), (1.0,))))
        self.assertIn("pick again", " ".join(f.text.lower() for f in gone.findings))
        ring = base(Datum("d1", "a", "parallel", ("d2",), (1.0,)), Datum("d2", "b", "parallel", ("d1",), (1.0,)))
        self.assertIn("in a circle: a → b → a", " ".join(f.text for f in rebuild(ring).findings))
        self_made = station_edits.stand_on(base(Datum("d1", "a", "parallel", ("body/last",), (5.0,))), ("s1",), "d1")
        quick = rebuild(self_made)
        self.assertTrue(any("stands on it" in f.text for f in quick.findings))
        self.assertEqual(quick.resolved.stations[1].position, 100.0)
        used = base(Datum("d1", "a", "parallel", ("xy",), (1.0,)), Datum("d2", "b", "parallel", ("d1",), (1.0,)))
        with self.assertRaisesRegex(DesignError, "datum b stands on 'a'"):
            edits.remove_datum(used, "d1")
        with self.assertRaisesRegex(DesignError, "stands on 1 things"):
            rebuild(base(Datum("d1", "a", "parallel", ("xy", "yz"), (1.0,))))

    def test_drawings_follow_datums_and_neighbours(self) -> None:
        """Points brought in from a datum and from another station's drawing move with them; a lost one is a finding."""
        follower = Drawing("g2", "follower", (Point("p1", 0, 0, "d1"), Point("p2", 9, 9, "s0/g1.p3")), plane="s1")
        stations = (
            Station("s0", "st0", 0.0, Drawn("g1"), None),
            Station("s1", "st1", 100.0, Naca4("2412"), 60.0, set_angle=0.5),
        )
        design = Design(
            "d",
            drawings=(BOX, follower),
            datums=(Datum("d1", "mark", "coordinates", ("world",), (12.0, 5.0, 40.0)),),
            bodies=(body(stations=stations),),
        )
        quick = rebuild(design)
        c, s = math.cos(0.5), math.sin(0.5)
        for point, (x, y) in zip(
            quick.drawings.solutions["g2"].drawing.points, ((12.0, 5.0), (10.0, 5.0)), strict=True
        ):
            self.assertLess(math.hypot(point.x - (c * x + s * y), point.y - (c * y - s * x)), 1e-9)
        moved = rebuild(edits.set_datum_value(design, "d1", 0, 20.0))
        self.assertGreater(
            abs(
                moved.drawings.solutions["g2"].drawing.points[0].x - quick.drawings.solutions["g2"].drawing.points[0].x
            ),
            5.0,
        )
        lost = rebuild(edits.replace(design, datums=()))
        self.assertTrue(any("reference is lost" in f.text for f in lost.findings))
