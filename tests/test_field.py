"""Section fields: exact bodies, properties, and what is inserted, carried and found wrong."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.author.insert import insert_station
from isotomon.design.file import decode, encode
from isotomon.design.station import Station
from isotomon.design.station_edits import add_station, change_station
from isotomon.errors import FieldError
from isotomon.evaluate.shape import keep_section
from isotomon.field.checks import find_flaws
from isotomon.field.mesh import sampling, skin_mesh, triangles
from isotomon.field.patches import patches
from isotomon.field.section_field import pinched
from isotomon.field.ties import automatic_ties
from isotomon.geometry.basis import fit
from isotomon.geometry.hermite import smooth
from isotomon.inspect.compare import compare
from isotomon.inspect.quick import rebuild
from isotomon.measure.body import body_measures
from isotomon.measure.sections import extents
from isotomon.profile.outline import Outline2D, line
from isotomon.profile.readymade import naca4
from tests.helpers import changed, curves_at, design, naca_area, results

SECTIONS = ["circle", "ellipse:0.4", "naca:2412", "naca:0018b", "polygon:5", "rounded:0.6:0.1", "star:5:0.5"]
ROWS = st.lists(
    st.tuples(st.floats(20, 90), st.sampled_from(SECTIONS), st.floats(20, 120), st.floats(-50, 50)),
    min_size=2,
    max_size=4,
)


def stacked(rows: list[tuple[float, str, float, float]]) -> list[tuple[float, str, float, float]]:
    """Rows of bay lengths as rows of positions."""
    ends = np.cumsum([row[0] for row in rows])
    return [(float(z), text, chord, angle) for z, (_, text, chord, angle) in zip(ends, rows, strict=True)]


class Interpolant(unittest.TestCase):
    """The C2 interpolant along the body."""

    @given(st.lists(st.tuples(st.floats(0.1, 3.0), st.floats(-5, 5)), min_size=2, max_size=12))
    @settings(max_examples=80, deadline=None)
    def test_it_never_overshoots_and_is_c2(self, data: list[tuple[float, float]]) -> None:
        """Between two sites it stays between their values; first and second derivatives do not jump."""
        x, y = np.cumsum([d[0] for d in data]), np.round([d[1] for d in data], 3)
        curve = smooth(x, y[:, None])
        t = np.linspace(x[0], x[-1], 1500)
        bay = np.clip(np.searchsorted(x, t, side="right") - 1, 0, len(x) - 2)
        low, high = np.minimum(y[bay], y[bay + 1]), np.maximum(y[bay], y[bay + 1])
        value = curve(t)[:, 0]
        slack = 1e-9 * max(1.0, float(np.ptp(y)))
        self.assertTrue(np.all(value >= low - slack) and np.all(value <= high + slack))
        np.testing.assert_allclose(curve(x)[:, 0], y, atol=1e-9)
        for order in (1, 2):
            left = curve(x[1:-1] - 1e-9, order)
            right = curve(x[1:-1] + 1e-9, order)
            np.testing.assert_allclose(left, right, atol=1e-4 * (1 + np.abs(curve(t, order)).max()))

    def test_it_is_the_natural_spline_where_that_does_not_turn_back(self) -> None:
        """On monotone convex data it equals the natural cubic spline; a straight line stays one."""
        from scipy.interpolate import CubicSpline

        x = np.array([0.0, 1.0, 2.5, 4.0, 5.0])
        y = np.exp(0.4 * x)
        t = np.linspace(0, 5, 300)
        np.testing.assert_allclose(smooth(x, y[:, None])(t)[:, 0], CubicSpline(x, y, bc_type="natural")(t), atol=1e-12)
        np.testing.assert_allclose(smooth(x, (3 * x)[:, None])(t)[:, 0], 3 * t, atol=1e-12)

    def test_a_fit_meets_its_tolerance(self) -> None:
        """An adaptive fit of a curve with a kink in its curvature lies within the tolerance everywhere."""
        curve = lambda u: np.stack([u, np.abs(u - 0.3) ** 2.5], axis=1)  # noqa: E731
        basis, control = fit(curve, 1e-7, joins={0.3: 2})
        u = np.linspace(0, 1, 5000)
        self.assertLess(np.abs(basis.matrix(u) @ control - curve(u)).max(), 2e-7)
        ring = lambda u: np.stack([np.cos(2 * np.pi * u), np.sin(2 * np.pi * u)], axis=1)  # noqa: E731
        basis, control = fit(ring, 1e-8, periodic=True)
        np.testing.assert_allclose(
            basis.matrix(np.array([0.0]), 2) @ control, basis.matrix(np.array([1 - 1e-12]), 2) @ control, atol=1e-5
        )


class ExactBodies(unittest.TestCase):
    """Bodies with a formula."""

    def test_frusta(self) -> None:
        """A cone frustum and a pyramid frustum have their volumes, and the cone its surface and centre."""
        quick, shape = results([(0.0, "circle", 40.0, 0.0), (100.0, "circle", 20.0, 0.0)])
        body = body_measures(shape.field, shape.form.rule)
        self.assertAlmostEqual(body.volume / (math.pi * 100 / 3 * 700), 1.0, delta=1e-7)
        self.assertAlmostEqual(body.area / (math.pi * 500 + math.pi * 30 * math.hypot(100, 10)), 1.0, delta=1e-7)
        self.assertAlmostEqual(body.centre[2], 25 * 1100 / 700, places=5)
        _, shape = results([(0.0, "polygon:4", 40.0, 0.0), (90.0, "polygon:4", 10.0, 0.0)])
        low, high = 800.0, 50.0
        self.assertAlmostEqual(
            body_measures(shape.field, shape.form.rule).volume / (30 * (low + high + math.sqrt(low * high))),
            1.0,
            places=9,
        )
        assert quick.full is not None
        mass = quick.full.body
        cylinder = results([(0.0, "circle", 40.0, 0.0), (100.0, "circle", 40.0, 0.0)])[0].full
        assert cylinder is not None
        inertia = cylinder.body.inertia(1e9 / cylinder.body.volume)
        np.testing.assert_allclose(np.diag(inertia), [100**2 / 12 + 100, 100**2 / 12 + 100, 200], rtol=1e-6)
        self.assertAlmostEqual(mass.mass(1000.0), mass.volume * 1e-6, places=9)

    def test_a_turned_prism_keeps_its_area_and_rulings_lose_half(self) -> None:
        """A square turned 90° keeps its area along the body; straight rulings have half of it in the middle."""
        rows = [(0.0, "polygon:4", 40.0, 0.0), (100.0, "polygon:4", 40.0, 90.0)]
        _, shape = results(rows)
        self.assertLess(np.ptp(shape.curves.area) / 800, 1e-12)
        self.assertAlmostEqual(body_measures(shape.field, shape.form.rule).volume, 80000.0, places=6)
        self.assertAlmostEqual(math.degrees(shape.curves.turn[-1]), 90.0, places=9)
        np.testing.assert_allclose(shape.curves.twist_rate, math.pi / 2 / 100, atol=1e-12)
        _, ruled = results(rows, ruled=True)
        middle = curves_at(ruled, [50.0])
        self.assertAlmostEqual(middle.area[0], 400.0, places=9)
        self.assertAlmostEqual(math.degrees(middle.set_angle[0]), 45.0, places=9)
        self.assertAlmostEqual(body_measures(ruled.field, ruled.form.rule).volume, 80000 * 2 / 3, places=6)

    def test_foil_stations_have_their_areas_and_angles(self) -> None:
        """At each station the area is the foil's integral within 1e-6 and the angle the one that was set."""
        rows = [
            (0.0, "circle", 60.0, 0.0),
            (80.0, "naca:4418", 150.0, 372.0),
            (160.0, "naca:0018b", 120.0, 20.0),
            (240.0, "naca:2412", 90.0, -4.0),
        ]
        quick, shape = results(rows)
        for row, (_, text, chord, angle) in zip(shape.at_stations, rows, strict=True):
            if text == "circle":
                self.assertTrue(math.isnan(shape.curves.set_angle[row]))
                continue
            digits = text[5:9]
            self.assertAlmostEqual(
                shape.curves.area[row] / (chord**2 * naca_area(digits, text.endswith("b"))), 1.0, delta=1e-6
            )
            self.assertAlmostEqual(math.degrees(shape.curves.set_angle[row]), angle, delta=1e-9)
        assert quick.full is not None
        self.assertAlmostEqual(quick.full.extents.thickness[0], 60.0, delta=5e-4)
        self.assertAlmostEqual(quick.full.extents.thickness[2] / 120.0, 0.18, delta=2e-4)
        self.assertAlmostEqual(quick.full.extents.caliper[0], 60.0, delta=1e-3)

    def test_moments_of_an_ellipse(self) -> None:
        """Second moments and perimeter of a turned ellipse are the formulas'."""
        quick, _shape = results([(0.0, "ellipse:0.5", 80.0, 30.0), (50.0, "ellipse:0.5", 80.0, 30.0)])
        assert quick.full is not None
        moments = quick.full.moments
        self.assertAlmostEqual(moments.i_max[0] / (math.pi / 4 * 40**3 * 20), 1.0, delta=1e-6)
        self.assertAlmostEqual(moments.i_min[0] / (math.pi / 4 * 40 * 20**3), 1.0, delta=1e-6)
        self.assertAlmostEqual(math.degrees(moments.principal[0]), 30.0, places=5)
        # Source: complete elliptic integral of the second kind.
        from scipy.special import ellipe

        self.assertAlmostEqual(moments.perimeter[0], 4 * 40 * float(ellipe(0.75)), delta=1e-4)


class Properties(unittest.TestCase):
    """What holds for any stack of sections."""

    @given(ROWS)
    @settings(max_examples=8, deadline=None)
    def test_areas_agree_with_a_refined_integration(self, rows: list[tuple[float, str, float, float]]) -> None:
        """Areas by the quadrature equal, within 1e-9, a nine-point rule on the same boundary; so do volumes from a mesh."""
        _, shape = results(stacked(rows))
        sections = shape.field.sections(shape.v[::7])
        lanes = shape.form.common.lanes
        total = np.zeros(len(sections.v))
        for lane in lanes:
            u, w = lane.basis.gauss(9)
            p = np.matmul(lane.basis.matrix(u), sections.local[:, lane.columns])
            d = np.matmul(lane.basis.matrix(u, 1), sections.local[:, lane.columns])
            total += 0.5 * (p[..., 0] * d[..., 1] - p[..., 1] * d[..., 0]) @ w
        np.testing.assert_allclose(shape.curves.area[::7], total, rtol=1e-9)
        mesh = skin_mesh(
            shape.field.sections(np.linspace(shape.field.first, shape.field.last, 250)),
            sampling(shape.form.common, 700),
        )
        vertices, index = triangles(mesh)
        a, b, c = (vertices[index[:, k]] for k in range(3))
        by_mesh = float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6
        self.assertAlmostEqual(by_mesh / body_measures(shape.field, shape.form.rule).volume, 1.0, delta=3e-3)

    @given(ROWS, st.floats(0.05, 0.95), st.booleans())
    @settings(max_examples=8, deadline=None)
    def test_an_inserted_station_keeps_the_shape(
        self, rows: list[tuple[float, str, float, float]], share: float, ruled: bool
    ) -> None:
        """Before and after inserting, and after a round trip through the file, no point moves by 1e-8."""
        quick, shape = results(stacked(rows), ruled)
        field = shape.field
        place = field.first + share * (field.last - field.first)
        if min(abs(field.nodes - place)) < 0.5:
            place += 1.0
        after = rebuild(decode(encode(insert_station(quick.design, shape, place))))
        assert after.shape is not None
        v = np.linspace(field.first, field.last, 160)
        np.testing.assert_allclose(after.shape.field.sections(v).control, field.sections(v).control, atol=1e-8)
        self.assertEqual(len(after.resolved.stations), len(quick.resolved.stations) + 1)

    @given(ROWS, st.booleans())
    @settings(max_examples=8, deadline=None)
    def test_patches_lie_within_the_tolerance_and_meet(
        self, rows: list[tuple[float, str, float, float]], ruled: bool
    ) -> None:
        """Patches follow the field within the tolerance, are exact at stations, and share their borders exactly."""
        from scipy.interpolate import BSpline

        _, shape = results(stacked(rows), ruled)
        tolerance = 1e-3
        made = patches(shape.field, tolerance)
        for patch in made:
            knots = np.repeat(patch.breaks_v, patch.times_v)
            along = BSpline(knots, patch.control.transpose(1, 0, 2), patch.degree_v)
            if patch.periodic_u or " part " in patch.name:
                continue
            lane = shape.form.common.lanes[
                next(k for k, n in enumerate(shape.field.names.lanes) if f"lane {n} " in patch.name)
            ]
            v = np.linspace(patch.breaks_v[0], patch.breaks_v[-1], 77)[:-1]
            truth = shape.field.sections(v).control[:, lane.columns]
            self.assertLess(np.abs(along(v) - truth).max(), tolerance)
            inside = shape.field.nodes[(shape.field.nodes >= v[0]) & (shape.field.nodes <= v[-1])]
            np.testing.assert_allclose(along(inside), shape.field.sections(inside).control[:, lane.columns], atol=1e-8)
        ends = [p.control[k].tobytes() for p in made for k in (0, -1) if not p.periodic_u]
        for patch in made:
            if not patch.periodic_u and len(shape.form.common.lanes) > 1 and not pinched(shape.field).any():
                self.assertGreaterEqual(ends.count(patch.control[-1].tobytes()), 2)

    def test_slopes_are_the_derivative(self) -> None:
        """The field's slopes equal central differences, also with tilted planes and offsets."""
        base = design([(0.0, "circle", 40.0, 0.0), (50.0, "naca:2412", 80.0, 30.0), (120.0, "naca:0012", 60.0, -10.0)])
        base = change_station(base, "s1", tilt_x=0.2, tilt_y=-0.1, offset_x=7.0)
        for made in (base, changed(base, ruled=True)):
            shape = rebuild(made).shape
            assert shape is not None
            v, h = np.array([13.0, 47.0, 71.0]), 1e-4
            ahead, behind = shape.field.sections(v + h), shape.field.sections(v - h)
            np.testing.assert_allclose(
                (ahead.control - behind.control) / (2 * h), shape.field.sections(v).slopes, atol=1e-6
            )
            np.testing.assert_allclose(
                (ahead.angle - behind.angle) / (2 * h), shape.field.sections(v).twist_rate, atol=1e-6
            )


class Behaviour(unittest.TestCase):
    """Choices the field makes."""

    def test_an_outline_that_encloses_nothing_is_told(self) -> None:
        """There and back along one line: no area, and no body."""
        flat = Outline2D((line((0, 0), (1, 0)), line((1, 0), (0, 0))), np.array([[0.0, 0.0], [1.0, 0.0]]))
        with self.assertRaisesRegex(FieldError, "encloses no area"):
            automatic_ties([flat, naca4("0012", False)])

    def test_turn_is_counted_from_the_first_section_that_is_one(self) -> None:
        """A body that begins or ends in a point turns from its first section on, and has no turn at a point."""
        _, shape = results(
            [(0.0, "point", 1.0, 0.0), (80.0, "polygon:4", 50.0, 40.0), (160.0, "polygon:4", 50.0, 70.0)]
        )
        turn = np.degrees(shape.curves.turn[shape.at_stations])
        np.testing.assert_allclose(turn, [np.nan, 0.0, 30.0], atol=1e-9)
        quick, shape = results(
            [(0.0, "polygon:4", 50.0, 40.0), (80.0, "polygon:4", 50.0, 65.0), (160.0, "point", 1.0, 0.0)]
        )
        np.testing.assert_allclose(np.degrees(shape.curves.turn[shape.at_stations]), [0.0, 25.0, np.nan], atol=1e-9)
        turned = next(own for title, own, _, _ in compare(quick, quick).figures if title == "Turn in all")
        self.assertAlmostEqual(math.degrees(turned), 25.0, delta=0.5)

    def test_a_changed_inserted_station_acts_and_its_neighbours_stay(self) -> None:
        """Widening an inserted station widens the body there and moves no other station's section."""
        quick, shape = results(
            [(0.0, "circle", 50.0, 0.0), (100.0, "naca:2412", 90.0, 20.0), (200.0, "naca:0012", 60.0, 5.0)]
        )
        inserted = insert_station(quick.design, shape, 150.0)
        wide = rebuild(change_station(inserted, inserted.bodies[0].stations[-1].id, chord=100.0)).shape
        assert wide is not None
        before, after = curves_at(shape, [0, 100, 150, 200]), curves_at(wide, [0, 100, 150, 200])
        np.testing.assert_allclose(after.area[[0, 1, 3]], before.area[[0, 1, 3]], rtol=1e-12)
        self.assertAlmostEqual(after.chord[2], 100.0, places=9)
        # Moving a neighbour leaves what the inserted station holds.
        moved = rebuild(change_station(inserted, "s1", chord=120.0)).shape
        assert moved is not None
        self.assertAlmostEqual(curves_at(moved, [150.0]).area[0] / before.area[2], 1.0, places=9)

    def test_another_profile_beside_a_kept_section_still_makes_a_body(self) -> None:
        """A kept section outlives a change of the profiles it was cut from."""
        quick, shape = results([(0.0, "circle", 50.0, 0.0), (100.0, "naca:2412", 90.0, 20.0)])
        inserted = insert_station(quick.design, shape, 40.0)
        for text in ("polygon:5", "naca:0018b", "rounded:0.6:0.1"):
            from isotomon.profile.section_text import parse_section

            changed = rebuild(change_station(inserted, "s0", section=parse_section(text)))
            assert changed.shape is not None, changed.findings
            kept_area = curves_at(changed.shape, [40.0]).area[0]
            self.assertAlmostEqual(kept_area / curves_at(shape, [40.0]).area[0], 1.0, delta=1e-4)

    def test_a_trailing_edge_that_closes_keeps_its_width_positive(self) -> None:
        """From a blunt to a sharp edge the lane is pinched to nothing, its width never below zero, and its face ends."""
        _, shape = results(
            [
                (0.0, "circle", 40.0, 0.0),
                (50.0, "naca:0018b", 60.0, 10.0),
                (100.0, "naca:2412", 60.0, 10.0),
                (150.0, "naca:0012", 50.0, 0.0),
            ]
        )
        self.assertEqual(pinched(shape.field).tolist(), [[False, False], [False, False], [False, True], [False, True]])
        lane = shape.form.common.lanes[1]
        sections = shape.field.sections(np.linspace(0, 150, 400))
        width = sections.local[:, lane.columns][:, -1] - sections.local[:, lane.columns][:, 0]
        up = np.stack([-np.sin(sections.angle), np.cos(sections.angle)], axis=1)
        self.assertGreater(np.sum(width * up, axis=1).min(), -1e-9)
        spans = {p.name.split(" from")[0]: p.breaks_v[-1] for p in patches(shape.field, 1e-3)}
        self.assertEqual(spans["lane s1.lower-tail~s1.upper-tail"], 100.0)
        self.assertEqual(find_flaws(shape.field), [])

    def test_a_round_root_takes_its_neighbours_angle(self) -> None:
        """A circle before a foil at 30° does not wring the neck: the frame angle is 30° from the root on."""
        _, shape = results(
            [
                (0.0, "circle", 60.0, 0.0),
                (40.0, "circle", 60.0, 77.0),
                (100.0, "naca:0018", 100.0, 30.0),
                (200.0, "naca:0012", 80.0, 30.0),
            ]
        )
        np.testing.assert_allclose(shape.field.angle(shape.v), math.radians(30.0), atol=1e-12)
        self.assertLess(np.abs(np.degrees(shape.curves.turn)).max(), 0.01)

    def test_a_blend_of_round_and_foil_has_no_swollen_neck(self) -> None:
        """Between a thick circle and a wide thin foil the thickness stays between theirs."""
        _, shape = results([(0.0, "circle", 60.0, 0.0), (100.0, "naca:0018", 150.0, 0.0)])
        thick = extents(shape.field.sections(np.linspace(0, 100, 21)), shape.form.common).thickness
        self.assertTrue(np.all(np.diff(thick) < 0.0))

    def test_impossible_bodies_are_found_on_the_field(self) -> None:
        """A disc bent tighter than its radius folds; a foil turned inside out between two others crosses itself."""
        base = design([(0.0, "circle", 40.0, 0.0), (30.0, "circle", 40.0, 0.0)])
        folded = rebuild(change_station(base, "s1", tilt_y=1.5))
        self.assertEqual([f.severity for f in folded.findings], ["error"])
        self.assertIn("folds over itself", folded.findings[0].text)
        assert folded.findings[0].place is not None
        gentle = rebuild(change_station(base, "s1", tilt_y=0.3))
        self.assertEqual(gentle.findings, ())
        quick, shape = results([(0.0, "naca:0012", 60.0, 0.0), (50.0, "naca:0012", 60.0, 0.0)])
        kept = keep_section(shape.field, shape.form, 25.0)
        section = kept["section"]
        run = section.runs[0]  # type: ignore[attr-defined]
        crossed = tuple((x, -y if 0.2 < x < 0.5 else y) for x, y in run.control)
        bad = section.__class__(
            (run.__class__(run.degree, run.breaks, run.multiplicity, crossed),), section.anchor, section.basis
        )  # type: ignore[attr-defined]
        station = Station("x", "x", 25.0, bad, 60.0, pivot=kept["pivot"], rank=1)  # type: ignore[arg-type]
        self.assertIn("crosses itself", rebuild(add_station(quick.design, "body", station)).findings[0].text)
