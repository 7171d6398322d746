"""Skins made from curves, as arrays: nets, fillings, blends, rails and parallels against surfaces that are known."""

from __future__ import annotations

import unittest
from collections.abc import Callable

import numpy as np
from scipy.interpolate import RectBivariateSpline

from isotomon.arrays import Array
from isotomon.errors import FieldError, FoldError
from isotomon.field.blends import blend
from isotomon.field.filling import Filling, RunEdge, fill
from isotomon.field.lengthened import lengthened
from isotomon.field.nearest import goes_on, nearest
from isotomon.field.nets import Net, net, two_families
from isotomon.field.runs import closed_runs
from isotomon.field.sheet import SIDES, SkinSheet
from isotomon.field.spreads import through
from isotomon.field.strand import Strand, headed, strand_of
from isotomon.field.thick import Thick
from isotomon.field.two_rails import along_rails
from isotomon.geometry.basis import Basis
from isotomon.geometry.curvature import curvature_from
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.space import line, turned_round
from isotomon.geometry.tensor import going_on
from isotomon.geometry.through import through as curve_through
from tests.helpers import trials

Known = Callable[[Array, Array], Array]
NEAR = 1e-9
rng = np.random.default_rng(11)


def random_spline() -> Known:
    """A graph over 100 by 80 mm, some mm high."""
    u = np.linspace(0.0, 1.0, 7)
    high = RectBivariateSpline(u, u, rng.uniform(-6.0, 6.0, (7, 7)), kx=3, ky=3)
    return lambda a, b: np.stack([100.0 * a, 80.0 * b, high.ev(a, b)], axis=1)


KNOWN: dict[str, Known] = {
    "plane": lambda u, v: np.stack([100.0 * u, 80.0 * v + 5.0 * u, 0.0 * u], axis=1),
    "saddle": lambda u, v: np.stack([100.0 * u, 80.0 * v, 60.0 * (u - 0.5) * (v - 0.4)], axis=1),
    "cylinder": lambda u, v: np.stack([50.0 * np.cos(2.0 * u), 50.0 * np.sin(2.0 * u), 80.0 * v], axis=1),
    "torus": lambda u, v: np.stack(
        [
            (80.0 + 30.0 * np.cos(1.5 * v)) * np.cos(1.2 * u),
            (80.0 + 30.0 * np.cos(1.5 * v)) * np.sin(1.2 * u),
            30.0 * np.sin(1.5 * v),
        ],
        axis=1,
    ),
    "spline": random_spline(),
}


def curves(known: Known, along_u: bool, levels: Array, sticks_out: float = 0.0) -> list[SpaceCurve]:
    """Curves of a surface at levels of the other parameter, in random order and direction."""

    def one(level: float) -> SpaceCurve:
        def at(t: Array) -> Array:
            own = -sticks_out + (1.0 + 2.0 * sticks_out) * np.asarray(t)
            other = np.full(len(own), level)
            return known(own, other) if along_u else known(other, own)

        return SpaceCurve(at)

    made = [one(float(level)) for level in levels]
    return [turned_round(made[k]) if rng.random() < 0.5 else made[k] for k in rng.permutation(len(made))]


def strands(found: list[SpaceCurve]) -> tuple[Strand, ...]:
    """As they are made skins from."""
    return tuple(strand_of(curve, NEAR) for curve in found)


def netted(along: list[SpaceCurve], across: list[SpaceCurve], within: float = 1e-6) -> Net:
    """Their net."""
    names = tuple(f"a{k}" for k in range(len(along))), tuple(f"b{k}" for k in range(len(across)))
    return net(strands(along), strands(across), within, NEAR, names)


def off(sheet: SkinSheet, points: Array) -> float:
    """mm: the greatest distance of points (n, 3) from a sheet, by Newton's rule from the nearest of many places."""
    s = np.linspace(0.0, 1.0, 121)
    grid = sheet.grid(s, s).reshape(-1, 3)
    start = ((points[:, None] - grid[None]) ** 2).sum(axis=2).argmin(axis=1)
    u, v = s[start // len(s)], s[start % len(s)]
    for _ in range(12):
        away = sheet.at(u, v) - points
        slopes = np.stack([sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1)], axis=2)
        step = np.linalg.solve(
            np.einsum("mki,mkj->mij", slopes, slopes), np.einsum("mki,mk->mi", slopes, away)[..., None]
        )[..., 0]
        u, v = np.clip(u - step[:, 0], 0.0, 1.0), np.clip(v - step[:, 1], 0.0, 1.0)
    return float(np.linalg.norm(sheet.at(u, v) - points, axis=1).max())


class Nets(unittest.TestCase):
    """Skins through two families of curves."""

    def test_all_curves_lie_on_the_skin(self) -> None:
        """Of random nets of known surfaces, whatever the order and direction of their curves and however they stick out, every curve lies
        on the skin to 1e-7 mm; where the net is fine the skin is the surface."""
        s = np.linspace(0.05, 0.95, 31)
        for name, known in KNOWN.items():
            for count in (2, 3, 6):
                with self.subTest(name, count=count):
                    inner = (
                        np.sort(rng.uniform(0.15, 0.85, count - 2)) if count < 4 else np.linspace(0.0, 1.0, count)[1:-1]
                    )
                    levels = np.r_[0.0, inner, 1.0]
                    stick = 0.0 if name == "spline" else 0.03
                    along, across = curves(known, True, levels, stick), curves(known, False, levels, stick)
                    made = netted(along, across)
                    for curve in (*along, *across):
                        self.assertLess(off(made.sheet, curve.at(s)), 1e-7)
            u, v = rng.uniform(0.0, 1.0, (2, 200))
            fine = np.linspace(0.0, 1.0, 12)
            made = netted(curves(known, True, fine), curves(known, False, fine))
            self.assertLess(off(made.sheet, known(u, v)), 2e-3 if name == "spline" else 1e-4, name)

    def test_four_curves_are_a_coons_patch(self) -> None:
        """Four curves round a field make the skin that Coons's formula gives, to 1e-12 of their size."""
        known = KNOWN["spline"]
        one, other = (
            netted(curves(known, True, np.array([0.0, 1.0])), curves(known, False, np.array([0.0, 1.0]))).sheet,
            np.linspace(0, 1, 23),
        )
        u, v = other[:, None, None], other[None, :, None]
        sides = {side: one.side(side).at(other) for side in SIDES}
        a, b, c, d = sides["first"][:, None], sides["last"][:, None], sides["start"][None], sides["end"][None]
        corners = (1 - u) * (1 - v) * a[0] + u * (1 - v) * a[-1] + (1 - u) * v * b[0] + u * v * b[-1]
        coons = (1 - v) * a + v * b + (1 - u) * c + u * d - corners
        self.assertLess(np.abs(one.grid(other, other) - coons).max(), 1e-12 * 100.0)

    def test_a_side_that_is_a_point(self) -> None:
        """Of a three-cornered flat skin: at the side that is a point it goes on in its plane and does not bend."""
        basis = Basis(1, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False)
        fan = SkinSheet(basis, basis, np.array([[[0.0, 0, 0], [3.0, 4, 0]], [[0.0, 0, 0], [-3.0, 4, 0]]]))
        out, bend = fan.beyond("first", np.array([0.0, 0.5, 1.0]))
        np.testing.assert_allclose(out, [[-0.6, -0.8, 0.0], [0.0, -1.0, 0.0], [0.6, -0.8, 0.0]], atol=1e-12)
        np.testing.assert_allclose(bend, 0.0, atol=1e-12)

    def test_directions_that_nearly_agree(self) -> None:
        """The bowl z = (x² + y²) / 2 by x = u + v and y = 1e-9 v, where e g - f² is nought in figures of 16 digits, still has a curvature."""
        up = np.array([0.0, 0.0, 1.0])
        found = curvature_from(np.array([1.0, 0.0, 0.0]), np.array([1.0, 1e-9, 0.0]), up, up, up)
        self.assertTrue(np.isfinite(found.mean) and np.isfinite(found.gauss))

    def test_flush_and_fair_along_their_sides(self) -> None:
        """Nets whose outer curves are cut out of a larger skin go on from that with its tangent planes, and with its curvature, and come nearer to it
        by both; their curves stay on them."""
        size = np.linspace(-20.0, 120.0, 6)
        x, y = np.meshgrid(size, size, indexing="ij")
        whole = SkinSheet(
            *[Basis(5, np.array([0.0, 1.0]), np.ones(2, dtype=np.int64), False)] * 2,
            np.stack([x, y, rng.uniform(-25.0, 25.0, (6, 6))], axis=2),
        )

        def iso(along_u: bool, level: float) -> SpaceCurve:
            def at(t: Array, *orders: int) -> Array:
                own, other = 0.2 + 0.6 * np.asarray(t), np.full(np.size(t), 0.2 + 0.6 * level)
                return whole.at(own, other, *orders) if along_u else whole.at(other, own, *orders[::-1])

            def beyond(t: Array) -> tuple[Array, Array]:
                return going_on(at(t, 1, 0), at(t, 0, 1), (at(t, 2, 0), at(t, 1, 1), at(t, 0, 2)))

            return SpaceCurve(at, beyond=beyond if level in (0.0, 1.0) else None)

        t = np.linspace(0.0, 1.0, 33)
        inside = 0.2 + 0.6 * rng.uniform(0.0, 1.0, (2, 200))
        for count in (2, 4):
            levels, before = np.linspace(0.0, 1.0, count), np.inf
            families = [strands([iso(way, level) for level in levels]) for way in (True, False)]
            outer = [s for family in families for s in family if s.beyond is not None]
            self.assertEqual(len(outer), 4)
            for given, least in ((0, np.inf), (1, 1e-7), (2, 1e-7)):
                made = net(
                    *families, 1e-6, NEAR, (("a",) * count, ("b",) * count), tuple((s, given) for s in outer)
                ).sheet
                joins = [goes_on(made, nearest(made, s.at(t)), s.at(t), s.at(t, 1), s.beyond(t)) for s in outer]
                self.assertLess(max(join.angle for join in joins), least)
                self.assertLess(max(join.bend for join in joins), least if given == 2 else np.inf)
                self.assertLess(max(off(made, s.at(t)) for family in families for s in family), 1e-7)
                away = off(made, whole.at(*inside))
                self.assertLess(away, 0.7 * before)
                before = away

    def test_poles_and_rings(self) -> None:
        """Meridians that come together in poles, with closed curves across, and curves that go round in both ways make a sphere and a torus."""

        def ball(u: Array, v: Array) -> Array:
            return 40.0 * np.stack([np.cos(u) * np.sin(v), np.sin(u) * np.sin(v), np.cos(v)], axis=1)

        turns, heights = np.linspace(0.0, 2.0 * np.pi, 9)[:-1], np.linspace(0.0, np.pi, 8)[1:-1]
        meridians = [SpaceCurve(lambda t, a=a: ball(np.full(len(t), a), np.pi * np.asarray(t))) for a in turns]
        rings = [
            SpaceCurve(lambda t, h=h: ball(2.0 * np.pi * np.asarray(t) + h, np.full(len(t), h)), True) for h in heights
        ]
        made = netted(rings, meridians).sheet
        s = np.linspace(0.0, 1.0, 61)
        self.assertLess(np.abs(np.linalg.norm(made.grid(s, s), axis=2) - 40.0).max(), 0.06)
        self.assertTrue(made.closed[0])
        self.assertAlmostEqual(made.area / (4.0 * np.pi * 1600.0), 1.0, delta=2e-3)
        third = netted(
            [SpaceCurve(lambda t, a=a: ball(np.full(len(t), a), 1.2 * np.asarray(t))) for a in (0.0, 0.5, 1.0)],
            [SpaceCurve(lambda t: ball(np.asarray(t), np.full(len(t), 1.2)))],
        )
        self.assertLess(off(third.sheet, ball(np.full(9, 0.5), np.linspace(0.01, 1.2, 9))), 1e-7)

    def test_gaps_are_told_with_place_and_size(self) -> None:
        """Curves that miss each other are named, with the place and the size; within a limit they are drawn together midway."""
        known = KNOWN["saddle"]
        levels = np.array([0.0, 0.5, 1.0])
        along, across = curves(known, True, levels), curves(known, False, levels)
        lifted = SpaceCurve(lambda t, c=along[1]: c.at(t) + np.array([0.0, 0.0, 0.3]))
        with self.assertRaisesRegex(FieldError, r"a1 and b\d miss each other by 0\.\d+ mm") as caught:
            netted([along[0], lifted, along[2]], across, 0.01)
        self.assertIsNotNone(caught.exception.place)
        made = netted([along[0], lifted, along[2]], across, 0.4)
        self.assertAlmostEqual(made.gaps.max(), 0.3, delta=0.03)
        self.assertLess(off(made.sheet, lifted.at(np.linspace(0.0, 1.0, 31))), 0.18)
        crossed = [
            SpaceCurve(lambda t, a=a: known(np.asarray(t), a + (1.0 - 2.0 * a) * np.asarray(t))) for a in (0.2, 0.8)
        ]
        with self.assertRaisesRegex(FieldError, "in another order"):
            netted(crossed, across)

    def test_families_are_found(self) -> None:
        """Curves that are chosen together are parted in those that run one way and those across."""
        levels = np.linspace(0.0, 1.0, 4)
        every = [*curves(KNOWN["torus"], True, levels), *curves(KNOWN["torus"], False, levels)]
        order = rng.permutation(len(every))
        found = two_families(strands([every[k] for k in order]), [str(k) for k in order])
        self.assertEqual(
            {frozenset(int(order[k]) // 4 for k in family) for family in found}, {frozenset({0}), frozenset({1})}
        )


def cap_edge(radius: float, angle: float) -> SpaceCurve:
    """The edge of a hole in a sphere, with how the sphere goes on into it."""

    def at(t: Array) -> Array:
        turn = 2.0 * np.pi * np.asarray(t)
        flat = np.stack([np.cos(turn), np.sin(turn)], axis=1) * np.sin(angle)
        return radius * np.column_stack([flat, np.full(len(turn), np.cos(angle))])

    def beyond(t: Array) -> tuple[Array, Array]:
        turn = 2.0 * np.pi * np.asarray(t)
        flat = -np.cos(angle) * np.stack([np.cos(turn), np.sin(turn)], axis=1)
        return np.column_stack([flat, np.full(len(turn), np.sin(angle))]), -at(t) / radius**2

    return SpaceCurve(at, True, beyond=beyond)


def filled(corners: list[tuple[float, float, float]], spans: int, *holes: SpaceCurve) -> Filling:
    """A filling of a run of straight lines, with holes."""
    ends = [np.array(c) for c in corners]
    lines = [line(a, b) for a, b in zip(ends, [*ends[1:], ends[0]], strict=True)]
    order = rng.permutation(len(lines))
    found = strands([turned_round(lines[k]) if k % 2 else lines[k] for k in order])
    (run,), _ = closed_runs(found, 1e-6, [str(k) for k in order])
    loops = [tuple(RunEdge(s, 0, str(k)) for k, s in run), *((RunEdge(s, 0, "hole"),) for s in strands(list(holes)))]
    return fill(tuple(loops), (), spans, 1e-6)


class Fillings(unittest.TestCase):
    """Skins of least bending."""

    def test_a_hole_in_a_sphere(self) -> None:
        """Filled fair, a hole in a sphere is the sphere to 1e-3 of its radius; flush it is less so, and free it is flat."""
        off = dict[int, float]()
        for given in (0, 1, 2):
            made = fill(((RunEdge(strand_of(cap_edge(50.0, 0.4), 1e-8), given, "hole"),),), (), 12, 1e-5)
            u, v = made.trim.triangles(0.05)[0].T
            off[given] = float(np.abs(np.linalg.norm(made.sheet.at(u, v), axis=1) - 50.0).max()) / 50.0
            self.assertLess(made.off, 1e-4)
        self.assertLess(off[2], 1e-3)
        self.assertTrue(off[2] < off[1] < off[0])

    def test_flat_is_flat_and_finer_is_nearer(self) -> None:
        """A flat run is filled exactly flat, also round a hole; twice as fine a skin is never further off its run, and a coarse one is calm."""
        hole = SpaceCurve(
            lambda t: np.stack(
                [50 + 9 * np.cos(6.283185307179586 * t), 40 + 9 * np.sin(6.283185307179586 * t), 0 * t], 1
            ),
            True,
        )
        flat = filled([(0, 0, 0), (100, 0, 0), (120, 60, 0), (40, 90, 0), (-20, 50, 0)], 4, hole)
        self.assertEqual(np.abs(flat.sheet.control[..., 2]).max(), 0.0)
        self.assertFalse(flat.trim.holds(np.array([[0.5, 0.45]]))[0])
        made = [
            filled([(0, 0, 0), (100, 0, 30), (120, 60, 0), (40, 90, 25), (-20, 50, -10)], n) for n in (4, 8, 16, 32)
        ]
        misses = [f.off for f in made]
        self.assertEqual(misses, sorted(misses, reverse=True))
        for one in made:
            u, v = one.trim.triangles(0.1)[0].T
            high = one.sheet.at(u, v)[:, 2]
            self.assertTrue(high.min() > -10.5 and high.max() < 30.5, "a calm skin stays within its run's heights")

    def test_what_is_no_run(self) -> None:
        """A run that is open says by how much and between which curves; one that crosses itself says where."""
        ends = np.array([[0.0, 0, 0], [100, 0, 0], [100, 80, 0], [0, 80, 0]])
        open_ = strands(
            [
                line(ends[0], ends[1]),
                line(ends[1], ends[2]),
                line(ends[2], ends[3]),
                line(ends[3], ends[0] + [0, 0, 0.7]),
            ]
        )
        with self.assertRaisesRegex(FieldError, r"open by 0\.7 mm between [ad] and [ad]"):
            closed_runs(open_, 0.01, ["a", "b", "c", "d"])
        with self.assertRaisesRegex(FieldError, "crosses itself"):
            filled([(0, 0, 0), (100, 80, 0), (100, 0, 0), (0, 80, 5)], 4)


class Others(unittest.TestCase):
    """Skins between curves, along rails, lengthened, thick."""

    def test_flush_and_fair(self) -> None:
        """A skin between the edges of two pieces of a sphere leaves each in its tangent plane, and with its curvature where it is fair."""
        piece = [netted(*_sphere_piece(a, b)).sheet for a, b in ((-0.6, -0.1), (0.3, 0.8))]
        ends = headed([strand_of(piece[0].side("last"), 1e-8), strand_of(piece[1].side("first"), 1e-8)])
        s, far = np.linspace(0.0, 1.0, 41), 19.0
        for given in (1, 2):
            made = through(ends, blend([0.0, 1.0], given, given), 1e-8, (far, far))
            for side, strand in (("first", ends[0]), ("last", ends[1])):
                assert strand.beyond is not None
                (out, bend), (mine, own) = strand.beyond(s), made.beyond(side, s)  # type: ignore[arg-type]
                self.assertLess(np.abs(out + mine).max(), 1e-6)
                if given == 2:
                    self.assertLess(np.abs(bend - own).max() * 50.0, 1e-4)

    def test_rails_carry_what_they_should(self) -> None:
        """A half circle between two lines that part makes a half cone, between two circles a half torus; profiles that touch the rails are
        where they were."""
        x, y, z = np.eye(3)

        def arc(centre: Array, a: Array, b: Array, radius: float, begin: float, end: float) -> SpaceCurve:
            def at(t: Array) -> Array:
                turn = begin + (end - begin) * np.asarray(t)
                return centre + radius * (np.cos(turn)[:, None] * a + np.sin(turn)[:, None] * b)

            return SpaceCurve(at)

        s, v = np.linspace(0.0, 1.0, 21), np.linspace(0.0, 1.0, 11)
        first, second, half = strands(
            [line(-20 * x, -20 * x + 100 * z), line(20 * x, 40 * x + 100 * z), arc(0 * x, x, y, 20.0, np.pi, 0.0)]
        )
        made, _ = along_rails((first, second), (half,), None, True, 1e-7)
        middle = np.stack([10.0 * v, 0.0 * v, 100.0 * v], axis=1)
        self.assertLess(np.abs(np.linalg.norm(made.grid(s, v) - middle, axis=2) - 20.0 - 10.0 * v).max(), 1e-6)
        rails = strands([arc(0 * x, x, z, 60.0, 0.0, 2.0), arc(0 * x, x, z, 100.0, 0.0, 2.0)])
        ends = strands(
            [
                turned_round(arc(80 * x, x, y, 20.0, np.pi, 0.0)),
                arc(
                    80 * np.array([np.cos(2.0), 0, np.sin(2.0)]),
                    np.array([np.cos(2.0), 0, np.sin(2.0)]),
                    0.5 * y,
                    20.0,
                    np.pi,
                    0.0,
                ),
            ]
        )
        one, _ = along_rails((rails[0], rails[1]), ends[:1], None, True, 1e-7)
        grid = one.grid(s, v)
        self.assertLess(np.abs(np.hypot(np.hypot(grid[..., 0], grid[..., 2]) - 80.0, grid[..., 1]) - 20.0).max(), 1e-6)
        both, places = along_rails((rails[0], rails[1]), ends, None, True, 1e-7)
        np.testing.assert_allclose(places, [0.0, 1.0], atol=1e-9)
        self.assertLess(off(both, ends[1].at(s)), 1e-6)

    def test_parallel_at_true_distance(self) -> None:
        """The side of a thick skin lies at its thickness from 10,000 places of the skin, and no nearer; too thick a one folds, and says how thick
        it can be."""
        sheet = netted(
            curves(KNOWN["torus"], True, np.linspace(0, 1, 6)), curves(KNOWN["torus"], False, np.linspace(0, 1, 6))
        ).sheet
        thick = Thick(sheet, np.array([3.0]), np.array([0.0]), 1e-7)
        u, v = rng.uniform(0.0, 1.0, (2, 10000))
        side = thick.sides[0]
        flat = side.at(u, v) - sheet.at(u, v)
        self.assertLess(np.abs(np.linalg.norm(flat, axis=1) - 3.0).max(), 3e-6)
        some = slice(0, 400)
        s = np.linspace(0.0, 1.0, 161)
        grid = sheet.grid(s, s).reshape(-1, 3)
        far = np.sqrt(((side.at(u[some], v[some])[:, None] - grid[None]) ** 2).sum(axis=2).min(axis=1))
        self.assertGreater(far.min(), 3.0 - 1e-6)
        for way in (1.0, -1.0):
            wide = Thick(sheet, np.array([60.0 * way]), np.array([0.0]), 1e-7)
            try:
                wide.grids(True)
            except FoldError as error:
                Thick(sheet, np.array([60.0 * way * error.share]), np.array([0.0]), 1e-7).grids(True)
                self.assertIsNotNone(error.place)
                break
        else:
            self.fail("60 mm fold on neither side")

    def test_lengthened_goes_on(self) -> None:
        """A piece of a sphere lengthened with its curvature stays on the sphere, and straight leaves it along its tangents."""
        for side in SIDES:
            sheet = netted(*_sphere_piece(0.1, 0.7)).sheet
            s = np.linspace(0.0, 1.0, 41)
            round_ = lengthened(sheet, side, 15.0, "curved", 1e-6)
            self.assertLess(np.abs(np.linalg.norm(round_.grid(s, s), axis=2) - 50.0).max(), 0.02)
            straight = lengthened(sheet, side, 15.0, "straight", 1e-6)
            self.assertAlmostEqual(np.linalg.norm(straight.grid(s, s), axis=2).max(), np.hypot(50.0, 15.0), delta=1e-2)
            self.assertLess(off(straight, sheet.grid(s, s).reshape(-1, 3)[::7]), 1e-5)

    def test_closed_curves_begin_anywhere(self) -> None:
        """Rings that begin elsewhere, or run the other way round, are carried into each other as if they did not."""

        def ring(radius: float, high: float, begin: float, sign: float) -> Strand:
            turn = sign * np.arange(9) / 9.0 * 2.0 * np.pi + begin
            spots = np.stack([radius * np.cos(turn), 1.3 * radius * np.sin(turn), high + 0.0 * turn], axis=1)
            return strand_of(curve_through(spots, closed=True), 1e-7)

        areas = []
        for begin, sign in ((0.0, 1.0), (2.0 * np.pi / 3.0, 1.0), (4.0 * np.pi / 9.0, -1.0)):
            ends = headed([ring(20.0, 0.0, 0.0, 1.0), ring(25.0, 40.0, begin, sign)])
            areas.append(through(ends, blend([0.0, 1.0]), 1e-7).area)
        self.assertLess(np.ptp(areas) / areas[0], 1e-4)

    def test_lengths_of_strands(self) -> None:
        """A curve by its length goes evenly, from corner to corner, either way round."""
        ring = SpaceCurve(
            lambda t: np.stack([np.cos(2.0 * np.pi * t), np.sin(2.0 * np.pi * t), 0.0 * t], 1), np.bool_(True)
        )  # type: ignore[arg-type]
        self.assertIs(strand_of(ring, 1e-6).closed, True)  # numpy's own could not be sent to the worker
        for _ in range(trials(200, 20)):
            a, b, phase = rng.uniform(20.0, 60.0), rng.uniform(20.0, 60.0), rng.uniform(0.0, 6.0)
            curve = SpaceCurve(
                lambda t, a=a, b=b, p=phase: np.stack([a * np.cos(3 * t + p), b * np.sin(2 * t), 30 * t * t], axis=1)
            )
            found = strand_of(curve, 1e-8)
            steps = np.linalg.norm(np.diff(found.at(found.at_share(np.linspace(0.0, 1.0, 401))), axis=0), axis=1)
            self.assertAlmostEqual(found.length / curve.length, 1.0, delta=1e-5)
            self.assertLess(np.ptp(steps) * 400.0 / found.length, 0.1)
            np.testing.assert_allclose(found.turned().at(np.array([0.25])), found.at(np.array([0.75])), atol=1e-9)


def _sphere_piece(low: float, high: float) -> tuple[list[SpaceCurve], list[SpaceCurve]]:
    """A net on a sphere of 50 mm between two heights (rad)."""

    def ball(u: Array, v: Array) -> Array:
        return 50.0 * np.stack([np.cos(v) * np.cos(u), np.cos(v) * np.sin(u), np.sin(v)], axis=1)

    known: Known = lambda u, v: ball(1.2 * u, low + (high - low) * v)  # noqa: E731
    levels = np.linspace(0.0, 1.0, 6)
    made = [SpaceCurve(lambda t, b=b: known(np.asarray(t), np.full(len(t), b))) for b in levels]
    return made, [SpaceCurve(lambda t, b=b: known(np.full(len(t), b), np.asarray(t))) for b in levels]
