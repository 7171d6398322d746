"""Laws: what is intended, where it is judged, and what is found."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.design import edits, station_edits
from isotomon.design.law import Law, LawPoint
from isotomon.design.law_values import law_targets
from isotomon.design.records import Design, Number
from isotomon.design.resolve import resolve_body
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from tests.helpers import body, design

ROWS = [(0.0, "circle", 40.0, 0.0), (100.0, "circle", 30.0, 0.0), (200.0, "circle", 20.0, 0.0)]
FOILS = [(0.0, "naca:0012", 40.0, 0.0), (100.0, "naca:0012", 40.0, 10.0), (200.0, "naca:0012", 40.0, 20.0)]


def with_law(base: Design, **fields: object) -> Quick:
    """The results of a design with one law."""
    law = Law("l", fields.pop("name", "law"), fields.pop("quality", "area"), fields.pop("band", 0.01), **fields)  # type: ignore[arg-type]
    return rebuild(station_edits.add_law(base, "body", law))


class Judging(unittest.TestCase):
    """Points, formulas, bands."""

    def test_at_stations_only_the_points_count(self) -> None:
        """Points that hold are in band although the body between is not where a straight law would have it."""
        base = design(ROWS)
        areas = [math.pi / 4 * chord**2 for _, _, chord, _ in ROWS]
        points = tuple(LawPoint(a, f"s{i}") for i, a in enumerate(areas))
        quick = with_law(base, points=points, relative=True)
        self.assertEqual(quick.findings, ())
        self.assertLess(quick.judged[0].excess.max(), 1e-4)
        off = with_law(base, points=(points[0], LawPoint(areas[1] * 1.03, "s1"), points[2]), relative=True)
        self.assertEqual([(f.severity, f.where) for f in off.findings], [("band", "station st1")])
        self.assertIn("-2.91%", off.findings[0].text)
        self.assertEqual(off.findings[0].position, 100.0)

    def test_along_the_body_the_worst_place_is_found(self) -> None:
        """A formula judged along is out between stations; the finding is at the worst place."""
        base = design([(0.0, "circle", 40.0, 0.0), (200.0, "circle", 20.0, 0.0)])
        quick = with_law(
            base,
            formula="pi/4 * (40 mm - 20 mm * fraction) * (40 mm - 20 mm * fraction)",
            judged="along",
            relative=True,
        )
        self.assertEqual(quick.findings, ())
        straight = with_law(
            base, formula="pi/4 * (1600 mm - 1200 mm * fraction) * 1 mm", judged="along", band=0.02, relative=True
        )
        judged = straight.judged[0]
        z = judged.position / 200.0
        truth = np.abs((40 - 20 * z) ** 2 / (1600 - 1200 * z) - 1)
        self.assertAlmostEqual(straight.findings[0].position, judged.position[int(np.argmax(truth))], places=9)
        self.assertIn("places are out, this is the worst", straight.findings[0].text)

    def test_angles_turn_and_rate(self) -> None:
        """Set angle, turn and twist rate of an evenly turned blade are in a narrow band; half a degree off is out."""
        base = design(FOILS)
        half = math.radians(0.01)
        for quality, formula in (
            ("set_angle", "20 deg * fraction"),
            ("turn", "20 deg * position / 200 mm"),
            ("twist_rate", "100 deg / 1 m"),
        ):
            with self.subTest(quality):
                band = half / 100 if quality == "twist_rate" else half
                self.assertEqual(
                    with_law(base, quality=quality, formula=formula, judged="along", band=band).findings, ()
                )
                off = formula.replace("20 deg", "20.5 deg").replace("100 deg", "101 deg")
                finding = with_law(base, quality=quality, formula=off, judged="along", band=band).findings[0]
                self.assertEqual(finding.severity, "band")
                self.assertIn("°/m" if quality == "twist_rate" else "°", finding.text)

    def test_a_round_section_is_noted_not_judged(self) -> None:
        """A set angle intended at a circle makes a note, and the design is still in band."""
        base = station_edits.change_station(design(FOILS), "s0", section=design(ROWS).bodies[0].stations[0].section)
        quick = with_law(
            base, quality="set_angle", points=(LawPoint(0.0, "s0"), LawPoint(math.radians(10), "s1")), band=0.01
        )
        self.assertEqual([f.severity for f in quick.findings], ["note"])
        self.assertTrue(quick.ok)

    def test_points_follow_their_station_and_take_their_own_band(self) -> None:
        """A point at a station moves with it; its own band replaces the law's; formulas work in both."""
        base = edits.add_number(design(ROWS), Number("n", "aim", 1000.0, "ratio"))
        base = station_edits.change_station(base, "s1", position=120.0)
        law = Law(
            "l",
            "area",
            "area",
            0.01,
            relative=True,
            points=(LawPoint("aim * 1 mm * 1 mm", "s1", band=0.5), LawPoint(300.0, position="180 mm")),
        )
        targets = law_targets(law, resolve_body(base, base.bodies[0]))
        self.assertEqual(
            [(t.position, t.value, t.band) for t in targets], [(120.0, 1000.0, 500.0), (180.0, 300.0, 3.0)]
        )
        self.assertEqual(rebuild(station_edits.add_law(base, "body", law)).judged[0].position.tolist(), [120.0, 180.0])

    def test_wrong_laws_are_findings_or_refusals(self) -> None:
        """A wrong unit, two points at one place, a lost station and a band of nothing each say so."""
        base = design(ROWS)
        for fields, words in (
            ({"formula": "5 mm"}, "is a length; area needs an area"),
            ({"formula": "nope * 1 mm"}, "'nope' is not known"),
            ({"points": (LawPoint(1.0, "s1"), LawPoint(2.0, position=100.0))}, "two points at one position"),
            ({"points": (LawPoint(1.0, "gone"),)}, "a station that is gone"),
            ({"quality": "twist_rate", "formula": "5 deg"}, "needs an angle over a length"),
        ):
            with self.subTest(words):
                quick = with_law(base, **fields)
                self.assertEqual(quick.findings[0].severity, "error")
                self.assertRegex(quick.findings[0].text, words)
        with self.assertRaisesRegex(IsotomonError, "band is 0"):
            with_law(base, points=(LawPoint(1.0, "s1"),), band=0.0)

    def test_one_station_or_none_is_said(self) -> None:
        """Too few stations make a finding, not an error in the program."""
        self.assertIn("none", rebuild(Design("x")).findings[0].text)
        one = Design(
            "x", bodies=(body(stations=(Station("s", "s", 0.0, design(ROWS).bodies[0].stations[0].section, 5.0),)),)
        )
        self.assertIn("a body of one station goes on", rebuild(one).findings[0].text)
