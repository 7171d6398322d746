"""Ready-made sections and foils through points."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.errors import ProfileError
from isotomon.profile.foil_points import parse_foil_text
from isotomon.profile.outline import Outline2D, fit_run
from isotomon.profile.readymade import naca4, outline_of
from isotomon.profile.section import FromPoints, Outline
from isotomon.profile.section_text import parse_section, section_text
from tests.helpers import naca_area


def area_of(outline: Outline2D) -> float:
    """Area by Green's theorem run by run, with more Gauss sites than the product uses."""
    total = 0.0
    for run in outline.runs:
        u, w = run.basis.gauss(9)
        p, d = run.basis.matrix(u) @ run.control, run.basis.matrix(u, 1) @ run.control
        total += 0.5 * float(np.sum(w * (p[:, 0] * d[:, 1] - p[:, 1] * d[:, 0])))
    return total


class ReadyMade(unittest.TestCase):
    """Each outline against its formula."""

    def test_areas_are_the_formulas(self) -> None:
        """Areas of all shapes with a closed formula, for chord 1, within 1e-7."""
        gamma = math.gamma
        n = 3.0
        cases = {
            "circle": math.pi / 4,
            "ellipse:0.4": math.pi * 0.1,
            "rounded:0.6:0.1": 0.6 - (4 - math.pi) * 0.01,
            "superellipse:0.6:3": 0.6 * gamma(1 + 1 / n) ** 2 / gamma(1 + 2 / n),
            "polygon:5": 5 / 8 * math.sin(2 * math.pi / 5),
            "polygon:4": 0.5,
            "star:5:0.5": 5 * 0.25 * 0.5 * math.sin(math.pi / 5),
        }
        for text, area in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(area_of(outline_of(parse_section(text), {})), area, delta=1e-7)

    def test_foils_follow_the_published_equations(self) -> None:
        """Points of a cambered foil lie on the four-digit equations within 1e-7, and its area is their integral."""
        for digits, blunt in (("0012", False), ("2412", False), ("0018", True), ("4415", True), ("0006", False)):
            with self.subTest(digits):
                outline = naca4(digits, blunt)
                self.assertAlmostEqual(area_of(outline) / naca_area(digits, blunt), 1.0, delta=3e-7)
                self.assertEqual(len(outline.runs), 2 if blunt else 1)
        outline = naca4("2412", False)
        x = np.linspace(0.02, 0.98, 60)
        half = 0.6 * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
        slope = np.where(x < 0.4, 0.25 * (0.4 - x), 0.04 / 0.36 * (0.4 - x))
        line = np.where(x < 0.4, 0.125 * (0.8 * x - x * x), 0.02 / 0.36 * (0.2 + 0.8 * x - x * x))
        upper = np.stack([x - half * np.sin(np.arctan(slope)), line + half * np.cos(np.arctan(slope))], axis=1)
        dense = outline.points(np.linspace(0, outline.length, 200_001))
        gap = [float(np.min(np.hypot(*(dense - p).T))) for p in upper]
        # The samples are 1e-5 apart along the curve, which is nearly straight between them.
        self.assertLess(max(gap), 5.2e-6)

    def test_a_curve_that_stands_still_is_refused(self) -> None:
        """A run needs a way that goes on everywhere; one that rests, or is a point, says so."""
        for rests in (lambda t: np.stack([np.maximum(t, 0.5), 0.0 * t], axis=1), lambda t: np.ones((len(t), 2))):
            with self.assertRaisesRegex(ProfileError, "stands still"):
                fit_run(rests)

    def test_texts_read_back(self) -> None:
        """A section's text is read back as the same section; wrong ones say how to write it."""
        for text in ("naca:2412", "naca:0018b", "circle", "ellipse:0.4", "rounded:0.6:0.1", "star:5:0.5", "polygon:7"):
            self.assertEqual(section_text(parse_section(text)), text)
        for text, words in (
            ("square", "not a known section; use one of"),
            ("naca:24", "four digits"),
            ("naca:2400", "no thickness"),
            ("naca:2012", "camber without its place"),
            ("ellipse", "write it as ellipse:0.4"),
            ("ellipse:x", "not a number"),
            ("ellipse:nan", "expected 0.01 to 100"),
            ("polygon:2", "whole number from 3"),
            ("rounded:0.6:0.4", "expected"),
            ("file:a.dat", "no foil coordinates called 'a.dat'"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ProfileError, words):
                parse_section(text)


class FoilFiles(unittest.TestCase):
    """Coordinate text in its usual forms, and wrong ones."""

    def text(self, digits: str = "2412", two_runs: bool = False, counts: bool = False) -> str:
        """A foil's coordinates as text."""
        outline = naca4(digits, False)
        # Crowd the points at the nose, as such files do.
        share = (1 - np.cos(np.linspace(0, np.pi, 61))) / 2
        around = np.concatenate([share / 2, 0.5 + share[1:] / 2])
        points = outline.points(np.clip(around, 0, 1 - 1e-15) * outline.length)
        points[-1] = points[0]
        if not two_runs:
            return "TEST FOIL\n" + "\n".join(f"{x:.8f} {y:.8f}" for x, y in points)
        upper, lower = points[60::-1], points[60:]
        head = f"TEST FOIL\n{len(upper)}. {len(lower)}.\n\n" if counts else "TEST FOIL\n"
        return (
            head
            + "\n".join(f"{x:.8f} {y:.8f}" for x, y in upper)
            + "\n\n"
            + "\n".join(f"{x:.8f} {y:.8f}" for x, y in lower)
        )

    def test_one_and_two_runs_are_the_same_foil(self) -> None:
        """The three forms give one outline, whose area is the foil's within 2e-5."""
        areas = []
        for form in ((False, False), (True, False), (True, True)):
            points = parse_foil_text(self.text(two_runs=form[0], counts=form[1]))
            outline = outline_of(FromPoints("o"), {"o": Outline("o", "x", points)})
            areas.append(area_of(outline))
            self.assertEqual(len(outline.runs), 1)
        self.assertAlmostEqual(areas[0], areas[1], places=9)
        self.assertAlmostEqual(areas[0], areas[2], places=9)
        self.assertAlmostEqual(areas[0] / naca_area("2412", False), 1.0, delta=2e-5)

    def test_wrong_coordinates_are_refused_with_their_fault(self) -> None:
        """Too few and too many points, text, infinities and crossings each get their own words."""
        crossing = "1 0\n0.7 0.1\n0.3 0.1\n0 0\n0.3 0.15\n0.5 0.2\n0.7 0.05\n0.9 0.04\n1 0"
        for text, words in (
            ("1 0", "1 points; a foil needs 8"),
            ("", "0 points"),
            ("\n".join("1 0" for _ in range(200_000)), "more than 5000 points"),
            ("name\n1 0\n0.5 x", "line 3: expected two numbers"),
            ("1 0\n0.5 inf", "line 2: expected finite"),
            ("a\n50. 50.\n0 0\n", "counts say 50"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ProfileError, words):
                parse_foil_text(text)
        points = parse_foil_text(crossing)
        with self.assertRaisesRegex(ProfileError, "crosses itself"):
            outline_of(FromPoints("o"), {"o": Outline("o", "x", points)})
