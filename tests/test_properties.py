"""What holds of every shape: rails that change nothing, sections within their neighbours, rims and coils at any angle."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.author import shaping
from isotomon.author.insert import insert_station
from isotomon.design import station_edits
from isotomon.design.body import Carrying, Span
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide, GuidePoint, Rail
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import FieldError
from isotomon.field.correspond import correspond
from isotomon.field.outward import outward
from isotomon.inspect.quick import rebuild
from isotomon.profile.drawing import Drawing
from isotomon.profile.outline import Outline2D, line
from isotomon.profile.section import Circle
from isotomon.profile.shapes import Spot, rectangle_corners
from tests.helpers import body, changed, design, trials

SECTIONS = ["circle", "ellipse:0.5", "naca:2412", "naca:0015b", "polygon:4", "rounded:0.7:0.2", "superellipse:0.8:4"]


def with_rails(made: Design, names: tuple[str, ...], off: float = 0.0) -> Design:
    """A design with a rail through each named point of all stations' profiles; at the second one `off` mm away from it."""
    order = [n.station.id for n in rebuild(made).resolved.stations]

    def points(name: str) -> tuple[GuidePoint, ...]:
        return tuple(GuidePoint(on=f"{key}/{name}", x=off if k == 1 else 0.0) for k, key in enumerate(order))

    guides = tuple(Guide(f"u{k}", f"edge {k}", "through", (), (), ("open",), points(n)) for k, n in enumerate(names))
    rails = tuple(Rail(f"r{k}", f"u{k}") for k in range(len(names)))
    return replace(changed(made, rails=rails), guides=guides)


class RailsOnPoints(unittest.TestCase):
    """A rail that passes through points that the sections have already changes nothing there."""

    def test_at_all_stations_of_random_stacks(self) -> None:
        """Sections of any kind and rank, one to four rails: each station's area, and its middle, are what they were."""
        rng = np.random.default_rng(20261127)
        done = 0
        for _ in range(trials(20, 6)):
            count = int(rng.integers(2, 5))
            rows = [
                (80.0 * i, str(rng.choice(SECTIONS)), float(rng.uniform(40, 60)), float(rng.uniform(-20, 20)))
                for i in range(count)
            ]
            made = design(rows)
            shape = rebuild(made).shape
            assert shape is not None
            if rng.random() < 0.6:
                made = insert_station(made, shape, 80.0 * float(rng.integers(0, count - 1)) + 40.0)
                made = station_edits.change_station(made, made.bodies[0].stations[-1].id, chord=60.0)
            names = tuple(rng.permutation(["lead", "trail", "upper", "lower"]))[: int(rng.integers(1, 5))]
            plain, railed = rebuild(made), rebuild(with_rails(made, names))
            if any(f.severity == "error" for f in railed.findings) or plain.shape is None or railed.shape is None:
                continue
            done += 1
            rows_of = (plain.shape.at_stations, railed.shape.at_stations)
            before, after = (s.curves.area[r] for s, r in zip((plain.shape, railed.shape), rows_of, strict=True))
            np.testing.assert_allclose(after, before, rtol=2e-4, err_msg=f"{rows} {names}")
        self.assertGreater(done, trials(12, 3))

    def test_a_vessel_s_first_minute(self) -> None:
        """Two round stations, one inserted and widened, a rail through their trailing points: no turn, no pinch; and as a
        point of it is dragged off, the body follows without a jump and keeps its tie."""
        made = design([(0.0, "circle", 100.0, 0.0), (300.0, "circle", 60.0, 0.0)])
        shape = rebuild(made).shape
        assert shape is not None
        made = insert_station(made, shape, 150.0)
        self.assertEqual(made.bodies[0].stations[-1].section, Circle())
        self.assertEqual(made.bodies[0].stations[-1].name, "st0 to st1")
        made = station_edits.change_station(made, made.bodies[0].stations[-1].id, chord=130.0)
        plain = rebuild(made).shape
        last = None
        for off in (0.0, 1.0, 4.0, 7.0, 10.0):
            quick = rebuild(with_rails(made, ("trail",), off))
            assert quick.shape is not None and plain is not None
            self.assertLess(np.abs(quick.shape.curves.turn).max(), 1e-3)
            middle = quick.shape.sections.anchor[quick.shape.at_stations[1]].mean(axis=0)[0]
            if last is not None:
                self.assertLess(abs(middle - last), 4.0)
            last = middle
        self.assertFalse([f for f in rebuild(with_rails(made, ("trail",))).findings if f.severity == "error"])


class WithinNeighbours(unittest.TestCase):
    """Between foils whose neighbours fall evenly, behind a round root, nothing leaves the two stations' range by 1 %."""

    def test_area_and_chord_of_random_blades(self) -> None:
        """Forty blades of three to seven foils of falling chord and thickness."""
        rng = np.random.default_rng(7)
        for _ in range(40):
            count = int(rng.integers(3, 8))
            chord = np.sort(rng.uniform(60, 260, count))[::-1]
            thick = np.sort(rng.integers(6, 25, count))[::-1]
            place = np.cumsum(rng.uniform(30, 200, count))
            rows = [(0.0, "circle", float(rng.uniform(60, 160)), 0.0)]
            rows += [(float(z), f"naca:24{t:02d}", float(c), 0.0) for z, t, c in zip(place, thick, chord, strict=True)]
            quick = rebuild(design(rows, pivot=0.3), moving=True)
            assert quick.shape is not None
            at = quick.shape.at_stations
            for values in (quick.shape.curves.area, quick.shape.curves.chord):
                rise = np.diff(values[at])
                for k, (a, b) in enumerate(zip(at[1:-1], at[2:], strict=True), 1):
                    if rise[k - 1] * rise[k] < 0.0 or rise[k] * rise[min(k + 1, len(rise) - 1)] < 0.0:
                        continue
                    bay, low, high = values[a : b + 1], min(values[a], values[b]), max(values[a], values[b])
                    self.assertGreater(bay.min(), 0.99 * low, rows)
                    self.assertLess(bay.max(), 1.01 * high, rows)

    def test_an_area_that_leaves_the_range_is_told(self) -> None:
        """A square turned into its like by half a turn of ties starves; without, it says nothing."""
        told = rebuild(
            design([(0.0, "ellipse:0.3", 60.0, 0.0), (80.0, "ellipse:0.3", 60.0, 90.0)], ruled=False)
        ).findings
        self.assertEqual([f for f in told if "the area is" in f.text], [])
        blade = rebuild(
            design([(0.0, "circle", 88.0, 0.0), (83.0, "naca:1416", 228.0, 0.0), (167.0, "naca:1414", 205.0, 0.0)])
        )
        self.assertTrue(any("more than at either" in f.text and f.severity == "note" for f in blade.findings))


class Angles(unittest.TestCase):
    """What must not hang on the angle at which something is drawn."""

    def test_rims_at_any_angle(self) -> None:
        """A wall drawn on a plane at any angle to the axis's own X, guided by an oval: one volume."""
        corners = 2.0 * math.pi * np.arange(48) / 48.0
        oval = Guide(
            "u1",
            "oval",
            "through",
            (),
            (),
            ("closed",),
            tuple(GuidePoint(x=60 * math.cos(t), y=40 * math.sin(t)) for t in corners.tolist()),
        )
        found = []
        for degrees in (0.0, 10.0, 30.0, 90.0, 200.0):
            plane = Datum("d1", "wall plane", "turned", ("z", "zx"), (math.radians(degrees),))
            box = rectangle_corners(Drawing("g1", "wall", plane="d1"), Spot(-10.0, 30.0), Spot(0.0, 40.0))
            made = shaping.revolve(Design("tub", drawings=(box,), guides=(oval,), datums=(plane,)), "g1", "z")
            quick = rebuild(changed(made, carrier=replace(made.bodies[0].loft.carrier, rim="u1")))
            assert quick.full is not None, quick.findings
            found.append(quick.full.body.volume)
        np.testing.assert_allclose(found, math.pi * 2400.0 * 10.0, rtol=2e-6)

    def test_coils_that_overlap_a_little(self) -> None:
        """Turns that overlap by a fiftieth meet; those a hundredth apart do not: at radii and counts of turns between samples."""
        for turns, radius in ((2.3, 90.0), (3.37, 40.0), (8.1, 90.0)):
            near = 2.0 * math.pi + np.linspace(-2, 2, 40001)
            apart = float(np.sqrt(2 * radius**2 * (1 - np.cos(near)) + (20.0 * near / 2 / math.pi) ** 2).min())
            helix = Guide(
                "u1",
                "helix",
                "helix",
                ("z",),
                (radius, 20.0, turns, 60.0, *[0.0] * 6, 10.0),
                ("height", "right", "constant", "straight"),
            )
            for size, meets in ((apart / 0.98, True), (apart / 1.01, False)):
                made = Design(
                    "coil",
                    guides=(helix,),
                    bodies=(
                        body(
                            stations=(Station("s1", "wire", 0.0, Circle(), size),),
                            carrier=Carrying("path", "u1"),
                            span=Span(whole=True),
                        ),
                    ),
                )
                told = [f for f in rebuild(made).findings if "meets itself" in f.text]
                self.assertEqual(bool(told), meets, (turns, radius, size))

    def test_outward_of_sharp_edges(self) -> None:
        """A wedge of any angle moved outward by 1: all of its sides are 1 farther out; one sharper than a degree is refused."""
        for degrees in (90.0, 20.0, 5.0, 2.0):
            tip = np.array([math.cos(math.radians(degrees / 2)), math.sin(math.radians(degrees / 2))]) * 50.0
            corners = np.array([[0.0, 0.0], [tip[0], -tip[1]], tip])
            runs = tuple(line(a, b) for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True))
            common = correspond([Outline2D(runs, np.array([[0.0, 0.0], [50.0, 0.0]]))])
            moved = common.control[0] + outward(common, common.control[0])
            for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
                normal = np.array([(b - a)[1], -(b - a)[0]]) / np.linalg.norm(b - a)
                self.assertAlmostEqual(float(((moved - a) @ normal).max()), 1.0, places=9)
        thin = np.array([[0.0, 0.0], [50.0, -0.2], [50.0, 0.2]])
        runs = tuple(line(a, b) for a, b in zip(thin, np.roll(thin, -1, axis=0), strict=True))
        common = correspond([Outline2D(runs, np.array([[0.0, 0.0], [50.0, 0.0]]))])
        with self.assertRaisesRegex(FieldError, "sharper than 1°"):
            outward(common, common.control[0])

    def test_short_bays_that_fold(self) -> None:
        """Tilted planes that cross inside the section, in a bay a hundredth of the body long, are found."""
        made = design(
            [
                (0.0, "circle", 80.0, 0.0),
                (100.0, "circle", 80.0, 0.0),
                (101.0, "circle", 80.0, 0.0),
                (200.0, "circle", 80.0, 0.0),
            ]
        )
        self.assertEqual([f for f in rebuild(made).findings if f.severity == "error"], [])
        folded = rebuild(station_edits.change_station(made, "s2", tilt_x=math.radians(3.0)))
        self.assertTrue(any("folds over itself" in f.text for f in folded.findings))


class Searches(unittest.TestCase):
    """Every search ends, with an answer or a reason."""

    def test_thickness_on_an_axis_of_many_nearest_places(self) -> None:
        """From the middle of a round end, through the body's axis and from outside: the length, and the diameter there."""
        for place, wanted in (((0.0, 0.0, 0.0), 300.0), ((0.0, 0.0, 150.0), 80.0), ((0.0, 0.0, 400.0), 300.0)):
            made = design([(0.0, "circle", 100.0, 0.0), (300.0, "circle", 60.0, 0.0)])
            made = replace(
                made,
                datums=(Datum("d1", "spot", "coordinates", ("xy",), place),),
                gauges=(Gauge("m1", "through", "thickness", ("body", "d1")),),
            )
            reading = rebuild(made).readings["m1"]
            self.assertEqual(reading.wrong, "")
            self.assertAlmostEqual(reading.figures[0][1] / wanted, 1.0, delta=5e-3)


class GoingOn(unittest.TestCase):
    """Bodies that go on past their stations."""

    def test_an_inserted_station_leaves_them_as_long_as_they_were(self) -> None:
        """Before and after the one station, and again beyond the new one, with plain reaches and formulas: the same volume."""
        for reach in (40.0, "span * 2"):
            post = changed(design([(0.0, "rounded:0.7:0.2", 50.0, 10.0)]), span=Span(on=reach, back=10.0))
            made = replace(post, numbers=(Number("n1", "span", 20.0, "length"),))
            quick = rebuild(made)
            assert quick.full is not None and quick.shape is not None
            volume = quick.full.body.volume
            for place in (20.0, 30.0, -5.0):
                quick = rebuild(insert_station(quick.design, quick.shape, place))
                assert quick.full is not None and quick.shape is not None
                self.assertAlmostEqual(quick.full.body.volume / volume, 1.0, delta=1e-9)
                self.assertAlmostEqual(quick.shape.field.last - quick.shape.field.first, 50.0, places=9)
