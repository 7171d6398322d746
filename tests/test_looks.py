"""Checks of shape: curvature, slope, reflections, section curves, joins and fairness against formulas."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.design.station_edits import change_station
from isotomon.errors import DesignError, FieldError
from isotomon.field.patches import patches
from isotomon.inspect.looks import check_looks, colouring, fairness, section_lines, skin_joins, way_of
from isotomon.inspect.quick import rebuild
from isotomon.measure import skin
from isotomon.measure.fairness import wiggles
from isotomon.measure.joins import joins
from tests.helpers import curves_at, design, results

CONE = [(0.0, "circle", 100.0, 0.0), (100.0, "circle", 60.0, 0.0)]


class OnTheSkin(unittest.TestCase):
    """What the skin is coloured by."""

    def test_curvatures_of_a_cone_and_of_a_bulge(self) -> None:
        """A cone: mean cos(a)/2r, Gaussian nought. A body of revolution: the formulas of its radius and its derivatives."""
        quick, shape = results(CONE, ruled=True)
        r, lean = 50.0 - 0.2 * shape.mesh.v, math.atan(0.2)
        mean = colouring(quick, "mean").values
        np.testing.assert_allclose(
            mean, np.repeat((1e3 * math.cos(lean) / (2 * r))[:, None], mean.shape[1], 1), rtol=1e-5
        )
        self.assertLess(float(np.abs(colouring(quick, "gauss").values).max()), 1e-2)
        rows = [(0.0, "circle", 40.0, 0.0), (50.0, "circle", 90.0, 0.0), (120.0, "circle", 50.0, 0.0)]
        quick, shape = results(rows)
        v = np.linspace(5.0, 115.0, 23)
        h = 1e-3
        at = shape.form.common.rows(np.zeros(1))[0]
        radii = [
            np.linalg.norm(np.einsum("n,vnk->vk", at, shape.field.sections(z).local), axis=1) for z in (v - h, v, v + h)
        ]
        r, r1, r2 = radii[1], (radii[2] - radii[0]) / (2 * h), (radii[2] - 2 * radii[1] + radii[0]) / h**2
        bent = skin.curvature(shape.field, v, shape.form.samples)
        k1, k2 = 1.0 / (r * np.sqrt(1 + r1**2)), -r2 / (1 + r1**2) ** 1.5
        np.testing.assert_allclose(bent.gauss[:, 0], k1 * k2, atol=2e-7)
        np.testing.assert_allclose(bent.mean[:, 0], (k1 + k2) / 2, atol=1e-5)
        np.testing.assert_allclose(bent.largest[:, 0], np.where(abs(k1) > abs(k2), k1, k2), atol=2e-5)

    def test_slope_turn_rate_and_deviation(self) -> None:
        """A cone leans by its angle towards its point; a turned prism has one turn rate; a wider body lies outside by as much."""
        quick, shape = results(CONE, ruled=True)
        lean = colouring(quick, "slope", "z").values
        np.testing.assert_allclose(lean, math.degrees(math.atan(0.2)), atol=1e-5)
        np.testing.assert_allclose(colouring(quick, "slope", "-z").values, -lean, atol=1e-9)
        turned, _ = results([(0.0, "polygon:4", 50.0, 0.0), (200.0, "polygon:4", 50.0, 30.0)])
        np.testing.assert_allclose(colouring(turned, "turn rate").values, 150.0, rtol=1e-9)
        wide, _ = results([(0.0, "circle", 106.0, 0.0), (100.0, "circle", 66.0, 0.0)], ruled=True)
        away = colouring(wide, "deviation", reference=shape.mesh)
        np.testing.assert_allclose(away.values[5:-5], 3.0 * math.cos(math.atan(0.2)), atol=2e-3)
        with self.assertRaisesRegex(DesignError, "no reference"):
            colouring(wide, "deviation")
        np.testing.assert_allclose(way_of(wide, "s0"), [0, 0, 1])

    def test_reflected_light_shows_an_edge(self) -> None:
        """On a cylinder stripes run along it; across an edge of a prism they jump."""
        _, tube = results([(0.0, "circle", 60.0, 0.0), (90.0, "circle", 60.0, 0.0)])
        bright = skin.reflected(tube.mesh.normals, np.array([0.0, -1.0, 0.0]), np.array([0.0, 0.0, 1.0]), 6)
        np.testing.assert_allclose(bright, np.repeat(bright[:1], len(bright), axis=0), atol=1e-6)
        self.assertGreater(int((np.diff(np.sign(bright[0])) != 0).sum()), 20)

    def test_section_curves_lie_on_their_planes(self) -> None:
        """Along Y of a cone: every curve at its level and on the cone, as many as the spacing gives; bad spacings are told."""
        quick, _ = results(CONE)
        found = section_lines(quick, "y", 12.0)
        self.assertEqual(sorted({round(level) for level, _ in found}), list(range(-48, 49, 12)))
        for level, points in found:
            self.assertLess(float(np.abs(points[:, 1] - level).max()), 1e-6)
            off = np.hypot(points[:, 0], points[:, 1]) - (50.0 - 0.2 * points[:, 2])
            self.assertLess(float(np.abs(off).max()), 1e-4)
        for spacing in (0.0, 1e-3):
            with self.assertRaises(FieldError):
                section_lines(quick, "y", spacing)

    def test_section_curves_of_a_body_with_a_rounded_tip(self) -> None:
        """Across the tip, where the skin is one point and stands still, too: each curve lies on its level."""
        quick, _ = results([(0.0, "circle", 60.0, 0.0), (60.0, "circle", 50.0, 0.0), (90.0, "point", 1.0, 0.0)])
        for along, axis, spacing in (("z", 2, 89.9995), ("x", 0, 5.0)):
            for at, line in section_lines(quick, along, spacing):
                self.assertLess(np.abs(line[:, axis] - at).max(), 0.05)

    def test_the_area_in_a_plane(self) -> None:
        """Square to a straight body it is the section's; where the plane runs out of an end there is none."""
        _, shape = results([(0.0, "circle", 40.0, 0.0), (80.0, "rounded:0.5:0.2", 60.0, 15.0)])
        area = skin.plane_area(shape.field, np.array([0.0, 0.0, 1.0]), 30.0)
        assert area is not None
        self.assertAlmostEqual(area / float(curves_at(shape, [30.0]).area[0]), 1.0, places=6)
        self.assertIsNone(skin.plane_area(shape.field, np.array([0.0, 1.0, 0.0]), 3.0))


class Joined(unittest.TestCase):
    """How faces meet."""

    def test_edges_and_smooth_joins_are_measured(self) -> None:
        """A square prism's edges are 90° without a gap; a foil parted at its nose and where its camber line changes is smooth there,
        crisp at its tail."""
        quick, _ = results([(0.0, "polygon:4", 50.0, 0.0), (100.0, "polygon:4", 50.0, 0.0)])
        found = skin_joins(quick)
        self.assertEqual(len(found), 4)
        for j in found:
            self.assertEqual((j.gap, j.step), (0.0, None))
            np.testing.assert_allclose((j.least, j.angle), math.pi / 2, atol=1e-9)
        quick, shape = results([(0.0, "naca:2412", 90.0, 0.0), (150.0, "naca:2412", 60.0, 12.0)])
        *smooth, tail = sorted(joins(patches(shape.field, 1e-4)), key=lambda j: j.angle)
        self.assertEqual(len(smooth), 3)
        self.assertLess(max(j.angle for j in smooth), 1e-6)
        nose = min(smooth, key=lambda j: j.place[0])
        assert nose.step is not None
        self.assertLess(nose.step, 1e-4 * 1000 / 90)
        self.assertGreater(math.degrees(tail.least), 100.0)
        self.assertEqual(len(check_looks(quick)["joins"]), 4)  # type: ignore[arg-type]


class Fair(unittest.TestCase):
    """Whether curves along the body are fair."""

    def test_bends_are_counted_and_noise_is_not(self) -> None:
        """A bow has none, an S one in its middle, a wave one at every turn of its bend; rounding adds none."""
        x = np.linspace(0.0, 11.0, 201)
        noise = 1e-9 * np.sin(37.0 * x)
        self.assertEqual(len(wiggles(x, x * x + noise)), 0)
        np.testing.assert_allclose(wiggles(x, np.tanh(x - 5.0) + noise), [5.0], atol=0.06)
        np.testing.assert_allclose(wiggles(x, np.sin(x) + noise), math.pi * np.arange(1, 4), atol=0.06)
        self.assertEqual(len(wiggles(x, np.full(201, 3.0))), 0)

    def test_a_station_out_of_line_makes_bends(self) -> None:
        """An even body is fair; a station made smaller puts bends on either side of it."""
        even = design([(z, "circle", 100.0 - 0.2 * z, 0.0) for z in (0.0, 50.0, 100.0, 150.0)])
        self.assertEqual(len(fairness(rebuild(even))["area"]), 0)
        found = fairness(rebuild(change_station(even, "s2", chord=74.0)))["area"]
        self.assertTrue(len(found) >= 1 and np.any(np.abs(found - 100.0) < 50.0))


if __name__ == "__main__":
    unittest.main()
