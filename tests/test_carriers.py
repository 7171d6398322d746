"""Carriers: bodies along paths, about axes and closed into rings, against formulas; what cannot be is explained."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.author.carry import carry
from isotomon.author.insert import insert_station
from isotomon.design import loft_edits as e
from isotomon.design.bodies import change_loft
from isotomon.design.body import Carrying
from isotomon.design.edits import add_number, change_number, replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design, Number
from isotomon.errors import DesignError, FieldError
from isotomon.field.carriers import path
from isotomon.field.mesh import triangles
from isotomon.field.patches import patches
from isotomon.geometry import space
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.through import through
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.measure.joins import joins
from tests.helpers import changed, design

R = 60.0
AXIS = Carrying("axis", "y", R)
TURN = math.pi / 2


def about(rows: list[tuple[float, str, float, float]], ring: bool = False, axis: Carrying = AXIS) -> Design:
    """A design whose stations stand at angles about Y."""
    return change_loft(design(rows), "body", carrier=axis, ring=ring)


def along(rows: list[tuple[float, str, float, float]], guide: Guide, **loft: object) -> Design:
    """A design whose stations stand along a guide."""
    return change_loft(e.add_guide(design(rows), guide), "body", **{"carrier": Carrying("path", guide.id), **loft})


def helix(turns: float = 2.0, radius: float = 40.0, pitch: float = 60.0) -> Guide:
    """A helix about Z."""
    values = (radius, pitch, turns, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 10.0)
    return Guide("u1", "helix", "helix", ("z",), values, ("height", "right", "constant", "straight"))


def loop() -> Guide:
    """A closed curve that is not flat."""
    phi = np.arange(8) * math.pi / 4
    points = tuple(GuidePoint(x=70 * math.cos(p), y=50 * math.sin(p), z=12 * math.sin(2 * p)) for p in phi)
    return Guide("u1", "loop", "through", choices=("closed",), points=points)


def volume(made: Design) -> float:
    """Volume of a body without findings, its mesh closed."""
    quick = rebuild(made)
    assert quick.full is not None and quick.shape is not None and not quick.findings, quick.findings
    vertices, faces = triangles(quick.shape.mesh)
    if quick.shape.field.ring:
        edges = np.sort(np.vstack([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
        assert np.all(np.unique(edges, axis=0, return_counts=True)[1] == 2) and len(vertices)
    return quick.full.body.volume


def said(quick: Quick) -> str:
    """All findings in one text."""
    return " | ".join(f.text for f in quick.findings)


class AboutAnAxis(unittest.TestCase):
    """Bodies turned about an axis."""

    def test_a_turned_circle_is_a_torus(self) -> None:
        """Volume by Pappus for a part and a whole ring to 1e-9; it sets off along +Z from where it would stand straight."""
        exact = math.pi * 15.0**2 * R
        part = about([(0.0, "circle", 30.0, 0.0), (1.2, "circle", 30.0, 0.0)])
        self.assertAlmostEqual(volume(part) / (exact * 1.2), 1.0, places=8)
        ring = about([(k * 2.0, "circle", 30.0, 0.0) for k in range(3)], ring=True)
        self.assertAlmostEqual(volume(ring) / (exact * 2 * math.pi), 1.0, places=8)
        field = rebuild(part).shape.field  # type: ignore[union-attr]
        s = field.sections(np.array([0.0, R * TURN / 2]))
        np.testing.assert_allclose(
            (s.origin[0], s.across[0], s.normal[0]), ([R, 0, 0], [1, 0, 0], [0, 0, 1]), atol=1e-12
        )

    @given(st.integers(3, 6), st.integers(-2, 2), st.integers(3, 5))
    @settings(max_examples=8, deadline=None)
    def test_rings_of_turned_prisms(self, sides: int, turns: int, count: int) -> None:
        """Polygons turned evenly by whole turns round a ring keep area and volume, and come back smoothly."""
        step = 360.0 * turns / count
        rows = [(2 * math.pi * k / count, f"polygon:{sides}", 30.0, k * step) for k in range(count)]
        area = 0.5 * sides * 225.0 * math.sin(2 * math.pi / sides)
        made = about(rows, ring=True)
        if abs(turns) * 2 < count:  # else the nearest way round is another one
            self.assertAlmostEqual(volume(made) / (area * R * 2 * math.pi), 1.0, places=9)
        field = rebuild(made).shape.field  # type: ignore[union-attr]
        first, last = field.sections(np.array([field.first])), field.sections(np.array([field.last]))
        np.testing.assert_allclose(first.control, last.control, atol=1e-9)
        np.testing.assert_allclose(first.slopes, last.slopes, atol=1e-9)

    def test_positions_are_angles(self) -> None:
        """They take degrees and formulas of angles, follow the radius, and an inserted station keeps the shape."""
        made = about([(0.0, "circle", 30.0, 0.0), (1.0, "ellipse:0.6", 40.0, 0.0), (2.0, "circle", 26.0, 0.0)])
        made = add_number(made, Number("n1", "sweep", 2.0, "angle"))
        made = changed(
            made, stations=(*made.bodies[0].stations[:2], replace(made.bodies[0].stations[2], position="sweep * 0.75"))
        )
        self.assertAlmostEqual(rebuild(made).resolved.stations[2].position, 1.5 * R, places=9)
        wider = change_loft(change_number(made, "n1", value=2.4), "body", carrier=replace(AXIS, radius=100.0))
        self.assertAlmostEqual(rebuild(wider).resolved.stations[2].position, 180.0, places=9)
        before = rebuild(made).shape
        assert before is not None
        after = rebuild(insert_station(made, before, 40.0)).shape
        assert after is not None
        for v in (10.0, 39.0, 75.0):
            a, b = (x.field.sections(np.array([v])) for x in (before, after))
            rows = [x.form.common.rows(np.linspace(0, 1, 50)) for x in (before, after)]
            np.testing.assert_allclose(rows[0] @ a.control[0], rows[1] @ b.control[0], atol=1e-7)
        self.assertEqual(encode(decode(encode(made))), encode(made))


class AlongAPath(unittest.TestCase):
    """Bodies carried along curves."""

    def test_a_circle_along_a_helix_has_its_length_times_its_area(self) -> None:
        """To 1e-8; sections stay square to the path and keep their areas to 1e-12."""
        length = 2.0 * math.hypot(2 * math.pi * 40.0, 60.0)
        made = along([(0.0, "circle", 14.0, 0.0), (length, "circle", 14.0, 0.0)], helix())
        self.assertAlmostEqual(volume(made) / (math.pi * 49.0 * length), 1.0, places=7)
        shape = rebuild(made).shape
        assert shape is not None
        np.testing.assert_allclose(shape.curves.area, math.pi * 49.0, rtol=1e-9)
        s = shape.field.sections(np.linspace(1.0, length - 1.0, 40))
        h = 1e-4
        run = (shape.field.sections(s.v + h).origin - shape.field.sections(s.v - h).origin) / (2 * h)
        np.testing.assert_allclose(run, s.normal, atol=1e-6)

    def test_least_rotation_fixed_and_up(self) -> None:
        """Least: the X axis turns only with the path (no spin about it). Fixed: it never turns. Up: Y stays in the plane of up."""
        t = np.linspace(0.0, 2.0, 30)
        points = np.column_stack([40 * np.sin(t), 30 * t, 25 * np.cos(1.3 * t) + 60 * t])
        curve = through(points)
        least, fixed, up = (
            path(curve),
            path(curve, "fixed"),
            path(curve, "up", lambda _, p: np.tile([0.0, 0.0, 1.0], (len(p), 1))),
        )
        s = np.linspace(1.0, least.length - 1.0, 200)
        f = least.frames(s)
        self.assertLess(float(np.abs(np.einsum("nk,nk->n", f.across1, f.up)).max()), 1e-5)
        np.testing.assert_allclose(np.ptp(fixed.frames(s).across, axis=0), 0.0)
        g = up.frames(s)
        np.testing.assert_allclose(np.einsum("nk,k->n", g.across, [0.0, 0.0, 1.0]), 0.0, atol=1e-7)
        h = 1e-4
        for carrier in (least, up):
            a, b, c = (carrier.frames(x) for x in (s - h, s, s + h))
            for name in ("origin", "across", "up"):
                numeric = (getattr(c, name) - getattr(a, name)) / (2 * h)
                np.testing.assert_allclose(getattr(b, f"{name}1"), numeric, atol=1e-6)
        with self.assertRaisesRegex(FieldError, "runs along the direction"):
            path(
                space.line(np.zeros(3), np.array([0.0, 0, 50.0])),
                "up",
                lambda _, p: np.tile([0.0, 0.0, 1.0], (len(p), 1)),
            )

    def test_a_closed_path_comes_round(self) -> None:
        """On a closed curve that is not flat frames come back as they began, and the body's faces meet smoothly."""
        rows = [(0.0, "circle", 20.0, 0.0), (100.0, "rounded:0.6:0.2", 28.0, 0.0), (220.0, "circle", 20.0, 0.0)]
        made = along(rows, loop(), ring=True)
        self.assertGreater(volume(made), 0.0)
        shape = rebuild(made).shape
        assert shape is not None
        f = shape.field.carrier.frames(np.array([0.0, shape.field.last - 1e-9]))
        np.testing.assert_allclose(f.across[0], f.across[1], atol=1e-6)
        for j in joins(patches(shape.field, 1e-4)):
            self.assertLess(j.gap, 1e-9)
            self.assertLess(j.angle, 1e-6)

    def test_rails_along_a_path(self) -> None:
        """A rail beside the path is met by every section, also where its planes pass it elsewhere."""
        length = 1.5 * math.hypot(2 * math.pi * 40.0, 60.0)
        made = along(
            [(0.0, "circle", 14.0, 0.0), (length / 2, "circle", 16.0, 0.0), (length, "circle", 14.0, 0.0)], helix(1.5)
        )
        inner = replace(helix(1.5, 31.0), id="u2", name="inner")
        made = e.add_rail(e.add_guide(made, inner), "body", "u2")
        made = change_loft(
            made, "body", rails=tuple(replace(r, follows=("s0", "s1", "s2")) for r in made.bodies[0].loft.rails)
        )
        quick = rebuild(made)
        assert quick.shape is not None and quick.shape.field.rails is not None, said(quick)
        self.assertEqual(said(quick), "")
        v = np.linspace(5.0, length - 5.0, 31)
        got = np.matmul(quick.shape.field.rails.rows, quick.shape.field.sections(v).control)[:, 0]
        np.testing.assert_allclose(np.hypot(got[:, 0], got[:, 1]), 31.0, atol=1e-6)


class Carried(unittest.TestCase):
    """Putting a loft on another carrier, and what cannot be."""

    def test_stations_keep_their_places_as_far_as_they_can(self) -> None:
        """About an axis a straight body is bent to a quarter turn; onto a shorter path it is shortened; and back again."""
        start = e.add_guide(
            design([(0.0, "circle", 30.0, 0.0), (50.0, "circle", 40.0, 0.0), (150.0, "circle", 30.0, 0.0)]), loop()
        )
        bent = carry(start, "body", Carrying("axis", "y", 0.0))
        np.testing.assert_allclose([s.position for s in bent.bodies[0].stations], [0.0, TURN / 3, TURN], atol=1e-4)  # type: ignore[arg-type]
        back = carry(bent, "body", Carrying())
        np.testing.assert_allclose([s.position for s in back.bodies[0].stations], [0.0, 50.0, 150.0], atol=1e-3)  # type: ignore[arg-type]
        short = e.change_guide(start, "u1", choices=("open",), points=loop().points[:2])
        on = carry(short, "body", Carrying("path", "u1"))
        self.assertNotIn("error", [f.severity for f in rebuild(on).findings])
        with self.assertRaisesRegex(DesignError, "choose a guide"):
            carry(start, "body", Carrying("path"))

    def test_a_ring_of_two_stations(self) -> None:
        """Two sections about an axis closed into a ring: alike a torus to rounding, unlike as large at both as they say; two or three
        go on where they began with equal slope and curvature."""
        two = [(0.0, "circle", 20.0, 0.0), (2.5, "circle", 20.0, 0.0)]
        torus = rebuild(about(two, ring=True))
        self.assertEqual(said(torus), "")
        assert torus.full is not None
        self.assertAlmostEqual(torus.full.body.volume / (2.0 * math.pi**2 * 60.0 * 100.0), 1.0, delta=1e-8)
        unlike = rebuild(about([(0.0, "circle", 20.0, 0.0), (2.5, "circle", 30.0, 0.0)], ring=True))
        assert unlike.shape is not None
        np.testing.assert_allclose(
            unlike.shape.curves.area[unlike.shape.at_stations], math.pi * np.array([100.0, 225.0]), rtol=1e-9
        )
        three = rebuild(
            about([(0.0, "circle", 20.0, 0.0), (2.0, "circle", 30.0, 0.0), (4.0, "circle", 18.0, 0.0)], ring=True)
        )
        for quick in (unlike, three):
            assert quick.shape is not None
            field, step = quick.shape.field, 1e-4
            v = np.array([field.first, field.first + step, field.last - step, field.last])
            slopes = field.sections(v).slopes
            np.testing.assert_allclose(slopes[0], slopes[3], atol=1e-9)
            np.testing.assert_allclose((slopes[1] - slopes[0]) / step, (slopes[3] - slopes[2]) / step, atol=1e-6)

    def test_what_cannot_be_is_explained(self) -> None:
        """A ring without a way round, a station beyond the path, a corner in it, a path made from the body itself,
        straight rulings, and a body that folds over its axis: each in words."""
        two = [(0.0, "circle", 20.0, 0.0), (1.5, "circle", 20.0, 0.0)]
        bend = Guide(
            "u1",
            "bend",
            "through",
            choices=("open",),
            points=tuple(GuidePoint(x=30.0 * k * k, z=60.0 * k) for k in range(3)),
        )
        corner = Guide("u2", "corner", "joined", ("u1", "u3"), (), ("kept",))
        other = replace(bend, id="u3", points=tuple(GuidePoint(x=120.0, y=40.0 * k, z=120.0) for k in range(3)))
        own = replace(bend, points=(GuidePoint("s0/lead"), GuidePoint("s1/lead")))
        far = [(0.0, "circle", 20.0, 0.0), (900.0, "circle", 20.0, 0.0)]
        near = [(0.0, "circle", 20.0, 0.0), (50.0, "circle", 20.0, 0.0)]
        kinked = along(near, bend)
        kinked = change_loft(e.add_guide(e.add_guide(kinked, other), corner), "body", carrier=Carrying("path", "u2"))
        for made, words in (
            (
                change_loft(design([(10.0 * k, "circle", 5.0, 0.0) for k in range(3)]), "body", ring=True),
                "needs a closed path",
            ),
            (along(far, bend), "beyond the ends of the path"),
            (kinked, "has a corner"),
            (along(near, own), "circle"),
            (change_loft(about(two), "body", ruled=True), "straight rulings"),
            (about(two, axis=Carrying("axis", "y", 5.0)), "crosses the axis"),
            (about(two, axis=Carrying("axis", "u9", 50.0)), "gone"),
        ):
            with self.subTest(words):
                self.assertIn(words, said(rebuild(made)))
        with self.assertRaisesRegex(DesignError, "radius about the axis"):
            rebuild(about(two, axis=Carrying("axis", "y", -5.0)))
        still = SpaceCurve(lambda t: np.zeros((len(t), 3)))
        with self.assertRaisesRegex(FieldError, "no length"):
            path(still)


if __name__ == "__main__":
    unittest.main()
