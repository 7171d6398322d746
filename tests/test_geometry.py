"""B-spline bases, plane figures and the camera, each against a naive way of saying the same."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from isotomon.app.viewport.camera import VIEWS, Camera
from isotomon.arrays import unique_rows
from isotomon.errors import KnotError
from isotomon.field.nearest import shares
from isotomon.geometry.basis import Basis, fit, make_basis
from isotomon.geometry.nearby import far_off, nearest
from isotomon.geometry.planar import caliper, cross3, crossing, plainly_simple, signed_area, thickness


def de_boor(knots: np.ndarray, degree: int, index: int, u: float) -> float:
    """The basis function's definition by recursion.

    Source: Piegl and Tiller, The NURBS Book, equation 2.5.
    """
    if degree == 0:
        last = u == knots[-1] and knots[index] < knots[index + 1] == knots[-1]
        return 1.0 if knots[index] <= u < knots[index + 1] or last else 0.0
    left = knots[index + degree] - knots[index]
    right = knots[index + degree + 1] - knots[index + 1]
    value = (u - knots[index]) / left * de_boor(knots, degree - 1, index, u) if left else 0.0
    return value + (
        (knots[index + degree + 1] - u) / right * de_boor(knots, degree - 1, index + 1, u) if right else 0.0
    )


class Places(unittest.TestCase):
    """Rows that are one, places that are nearest, shares of two vectors."""

    @given(st.integers(0, 2**32 - 1), st.integers(1, 60), st.integers(1, 4))
    @settings(max_examples=60, deadline=None)
    def test_rows_that_are_one(self, seed: int, count: int, values: int) -> None:
        """As numpy says."""
        rows = np.random.default_rng(seed).integers(0, values, (count, 3))
        first, which = unique_rows(rows)
        there, at, of = np.unique(rows, axis=0, return_index=True, return_inverse=True)
        np.testing.assert_array_equal(rows[first], there)
        np.testing.assert_array_equal(first, at)
        np.testing.assert_array_equal(which, of.ravel())

    def test_the_nearest_also_from_far_off(self) -> None:
        """Right among the places; from far off no farther than a twentieth more than the nearest is."""
        chance = np.random.default_rng(3)
        places, points = chance.normal(size=(500, 3)), chance.normal(size=(300, 3))
        points[::3] *= 1e3
        away = np.linalg.norm(points[:, None] - places, axis=2)
        tree = cKDTree(places)
        far, found = far_off(tree, points), nearest(tree, points, 2)
        self.assertEqual(far.tolist(), [k % 3 == 0 for k in range(300)])
        np.testing.assert_array_equal(found[~far], away[~far].argsort(axis=1)[:, :2])
        self.assertTrue((away[np.arange(300), found[:, 0]] <= 1.05 * away.min(axis=1)).all())

    @given(st.integers(0, 2**32 - 1))
    @settings(max_examples=40, deadline=None)
    def test_shares_of_two_vectors(self, seed: int) -> None:
        """Of two that are not one by least squares; of others the longer alone comes as near."""
        chance = np.random.default_rng(seed)
        rates, way = chance.normal(size=(30, 3, 2)), chance.normal(size=(30, 3))
        rates[10:15, :, 1] = 0.0
        rates[15:20, :, 0] = 0.0
        rates[20:, :, 1] = rates[20:, :, 0] * chance.uniform(-3, 3, (10, 1))
        found = shares(rates, way)
        best = np.stack([np.linalg.lstsq(a, b)[0] for a, b in zip(rates, way, strict=True)])
        np.testing.assert_allclose(found[:20], best[:20], atol=1e-9)
        reached = np.einsum("nkc,ncm->nkm", rates, np.stack([found, best], axis=2))
        np.testing.assert_allclose(reached[..., 0], reached[..., 1], atol=1e-9)


class Bases(unittest.TestCase):
    """Values, derivatives, sizes."""

    def test_joins_that_are_one_but_for_rounding(self) -> None:
        """Two joins a rounding apart, of which one is less smooth, fit as the less smooth one alone does."""

        def bent(u: np.ndarray) -> np.ndarray:
            return np.column_stack([u, np.abs(u - 0.5) ** 2 * np.sign(u - 0.5)])

        apart = fit(bent, 1e-9, joins={0.5: 1, 0.5 + 1e-16: 2, np.nextafter(0.5, 1.0): 1})[0]
        alone = fit(bent, 1e-9, joins={0.5: 1})[0]
        self.assertTrue(apart.says(alone))

    def test_values_are_the_recursion(self) -> None:
        """A clamped quintic with a tangent-only join, and a cubic, against the recursion at many places."""
        for degree, breaks, joins in ((5, [0.0, 0.2, 0.3, 0.7, 1.0], {0.3: 1}), (3, [0.0, 0.5, 1.0], {})):
            basis = make_basis(degree, np.array(breaks), joins=joins)
            u = np.linspace(0.0, 1.0, 41)
            naive = [[de_boor(basis.knots, degree, k, x) for k in range(basis.size)] for x in u]
            np.testing.assert_allclose(basis.matrix(u), naive, atol=1e-12)
            np.testing.assert_allclose(basis.matrix(u).sum(axis=1), 1.0, atol=1e-12)
            self.assertEqual(basis.matrix(u[:0], 1).shape, (0, basis.size))

    def test_derivatives_are_differences(self) -> None:
        """First and second derivatives against central differences, clamped and periodic."""
        rng = np.random.default_rng(3)
        for periodic in (False, True):
            basis = make_basis(5, np.linspace(0, 1, 9), periodic)
            control, h = rng.normal(size=(basis.size, 2)), 1e-4
            u = rng.uniform(0.01, 0.99, 50)
            points = [basis.matrix(x) @ control for x in (u - h, u, u + h)]
            np.testing.assert_allclose(basis.matrix(u, 1) @ control, (points[2] - points[0]) / (2 * h), atol=1e-3)
            np.testing.assert_allclose(
                basis.matrix(u, 2) @ control, (points[2] - 2 * points[1] + points[0]) / h**2, atol=0.5
            )
            self.assertEqual(np.abs(basis.matrix(u, 6)).max(), 0.0)

    def test_a_periodic_basis_has_no_seam(self) -> None:
        """Values and four derivatives agree at both ends, also with a join inside."""
        basis = make_basis(5, np.linspace(0, 1, 12), True, {5 / 11: 1})
        control = np.random.default_rng(1).normal(size=(basis.size, 1))
        for order in range(5):
            a, b = (basis.matrix(np.array([x]), order) @ control for x in (0.0, 1.0 - 1e-13))
            np.testing.assert_allclose(a, b, atol=1e-5 * max(1.0, float(np.abs(a).max())))

    @given(st.lists(st.floats(0.02, 0.98), min_size=0, max_size=6, unique=True), st.integers(1, 5))
    @settings(max_examples=40)
    def test_interpolation_returns_what_is_in_the_space(self, inner: list[float], degree: int) -> None:
        """A spline sampled at the Greville sites comes back as itself, whatever the breaks."""
        breaks = np.array([0.0, *sorted(inner), 1.0])
        if np.any(np.diff(breaks) < 1e-3):
            return
        basis = make_basis(degree, breaks)
        control = np.random.default_rng(len(inner)).normal(size=(basis.size, 2))
        back = basis.interpolate(lambda u: basis.matrix(u) @ control)
        np.testing.assert_allclose(back, control, atol=1e-7)

    def test_gauss_sites_integrate_exactly(self) -> None:
        """Four sites a span integrate a degree 7 polynomial exactly."""
        basis = make_basis(5, np.array([0.0, 0.3, 1.0]))
        u, w = basis.gauss()
        self.assertAlmostEqual(float(np.sum(w * u**7)), 1 / 8, places=14)

    def test_wrong_knots_are_refused(self) -> None:
        """Breaks that do not increase, a periodic basis with too few spans, and a curve that cannot be followed."""
        ones = np.ones(3, dtype=np.int64)
        with self.assertRaisesRegex(KnotError, "must increase"):
            Basis(3, np.array([0.0, 0.5, 0.5]), ones, False)
        with self.assertRaisesRegex(KnotError, "needs 5 spans, got 2"):
            Basis(5, np.array([0.0, 0.5, 1.0]), ones, True)
        with self.assertRaisesRegex(KnotError, "more than 50 spans"):
            fit(lambda u: np.sign(u - 0.123)[:, None], 1e-6, most=50)
        with self.assertRaises(ValueError):
            make_basis(3, np.array([0.0, 1.0])).breaks[0] = 5.0


class Figures(unittest.TestCase):
    """Crossings, calipers, widths."""

    @given(st.integers(5, 60), st.integers(0, 10_000))
    @settings(max_examples=60)
    def test_crossings_are_those_of_the_naive_search(self, count: int, seed: int) -> None:
        """The sweep finds a crossing exactly when testing all pairs one by one does."""
        rng = np.random.default_rng(seed)
        angle = np.sort(rng.uniform(0, 2 * np.pi, count))
        polygon = np.stack([np.cos(angle), np.sin(angle)], axis=1) * rng.uniform(0.6, 1.4, count)[:, None]
        if seed % 2:
            polygon = rng.permutation(polygon)

        def side(a: np.ndarray, b: np.ndarray, c: np.ndarray) -> float:
            return float((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))

        naive = False
        for i in range(count):
            for j in range(i + 2, count):
                if i == 0 and j == count - 1:
                    continue
                a, b, c, d = polygon[i], polygon[(i + 1) % count], polygon[j], polygon[(j + 1) % count]
                naive |= side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0
        found = crossing(polygon)
        self.assertEqual(found is not None, naive)
        for shape in (polygon, np.round(4.0 * polygon)):  # round figures lie on each other, and stand upright
            ring = shape if signed_area(shape) > 0.0 else shape[::-1]
            for way in (*np.eye(2), rng.normal(size=2)):
                self.assertFalse(plainly_simple(ring, way) and crossing(ring) is not None)

    def test_foils_are_plainly_simple(self) -> None:
        """Of outlines that go out and back along their chord it is told at once that they do not cross; of a bow tie it is not."""
        t = np.linspace(0, 2 * np.pi, 200, endpoint=False)
        foil = np.stack([np.cos(t), 0.1 * np.sin(t) + 0.05 * np.cos(t) ** 2], axis=1)
        square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
        self.assertTrue(plainly_simple(foil, np.array([1.0, 0.0])) and plainly_simple(square, np.array([1.0, 0.0])))
        self.assertFalse(plainly_simple(square[[0, 1, 3, 2]], np.array([1.0, 0.0])))

    def test_touching_is_not_crossing(self) -> None:
        """A repeated point, a square, and a spike that goes and comes the same way do not cross."""
        square = np.array([[0, 0], [1, 0], [1, 0], [1, 1], [0, 1]], dtype=float)
        self.assertIsNone(crossing(square))
        spike = np.array([[0, 0], [1, 0], [2, 0], [1, 0], [1, 1], [0, 1]], dtype=float)
        self.assertIsNone(crossing(spike))
        bow = np.array([[0, 0], [1, 1], [1, 0], [0, 1]], dtype=float)
        self.assertEqual(crossing(bow), (0, 2))

    def test_calipers_and_thickness(self) -> None:
        """A rectangle's diagonal and height, an ellipse's axes; signed areas of both turns."""
        t = np.linspace(0, 2 * np.pi, 2000, endpoint=False)
        ellipse = np.stack([3 * np.cos(t), np.sin(t)], axis=1)
        self.assertAlmostEqual(float(caliper(ellipse)), 6.0, places=5)
        self.assertAlmostEqual(float(thickness(ellipse[None])[0]), 2.0, places=5)
        rectangle = np.array([[0, 0], [4, 0], [4, 3], [0, 3]], dtype=float)
        self.assertAlmostEqual(float(caliper(rectangle)), 5.0, places=3)
        self.assertEqual(float(signed_area(rectangle)), 12.0)
        self.assertEqual(float(signed_area(rectangle[::-1])), -12.0)
        a, b = np.random.default_rng(0).normal(size=(2, 7, 5, 3))
        np.testing.assert_allclose(cross3(a, b), np.cross(a, b), atol=1e-14)


class Cameras(unittest.TestCase):
    """The camera's plain numbers."""

    def test_named_views_lie_as_they_say(self) -> None:
        """In side and plan views the body runs left to right; in front X is right and Y up."""
        along = np.array([[0.0, 0.0, 0.0], [0.0, 0.0, 10.0]])
        for name in ("side", "plan"):
            a, b = Camera().looking(name).project(along, 400, 300)
            self.assertGreater(b[0], a[0])
            self.assertAlmostEqual(a[1], b[1], places=9)
        front = Camera().looking("front").project(np.array([[0.0, 0, 0], [5.0, 0, 0], [0, 5.0, 0]]), 400, 300)
        self.assertGreater(front[1, 0], front[0, 0])
        self.assertLess(front[2, 1], front[0, 1])
        self.assertEqual(set(VIEWS), {"side", "plan", "front", "round"})

    @given(st.floats(-3, 3), st.floats(-3, 3), st.floats(0.3, 4))
    @settings(max_examples=50)
    def test_turning_keeps_axes_square_and_zoom_keeps_the_pointer(self, dx: float, dy: float, factor: float) -> None:
        """However it is turned, the axes stay square; what lies under the pointer stays there in a zoom."""
        camera = Camera().turned(dx, dy).turned(dy, dx)
        axes = np.stack(camera.axes())
        np.testing.assert_allclose(axes @ axes.T, np.eye(3), atol=1e-12)
        right, up, _ = camera.axes()
        place = camera.target + 7.0 * right - 3.0 * up
        before = camera.project(place[None], 640, 480)
        after = camera.zoomed(factor, (7.0, -3.0)).project(place[None], 640, 480)
        np.testing.assert_allclose(before, after, atol=1e-8)

    def test_fitting_and_moving(self) -> None:
        """After a fit all points are in the picture; a move carries the picture by as many pixels."""
        points = np.random.default_rng(5).normal(size=(200, 3)) * [10, 20, 300]
        for name in VIEWS:
            camera = Camera().looking(name).fitting(points, 640 / 480)
            seen = camera.project(points, 640, 480)
            self.assertTrue(np.all(seen > 0) and np.all(seen < [640, 480]))
        scale = camera.height / 480
        moved = camera.moved(11 * scale, 5 * scale).project(points, 640, 480)
        np.testing.assert_allclose(moved - seen, np.broadcast_to([11.0, 5.0], seen.shape), atol=1e-6)
        self.assertEqual(Camera().fitting(points[:0], 1.0).height, 100.0)
        self.assertTrue(math.isclose(float(np.linalg.norm(camera.eye() - camera.target)), camera.height * 10))
