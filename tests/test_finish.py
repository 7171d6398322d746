"""Edges rounded and bevelled: exact volumes, names, choices that stay right, the largest size that works, and the window."""

from __future__ import annotations

import contextlib
import io
import math
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec import structs
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QToolButton
from scipy.integrate import quad
from scipy.spatial import KDTree

from isotomon.app.forms.edges import EdgesRow
from isotomon.app.forms.steps import StepsForm
from isotomon.app.shell.commands import BY_ID
from isotomon.app.viewport.parts import edge_lines, part_at
from isotomon.app.viewport.sketch import meanwhile
from isotomon.cli import main
from isotomon.design import bodies, station_edits
from isotomon.design.body import Carrying, Span
from isotomon.design.file import decode, encode, load, save
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError, FieldError, SizeError, SolidError
from isotomon.exchange.operations import read_operation
from isotomon.field.offsets import fitted
from isotomon.field.parallel import WorkedSkin
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import walls_of
from isotomon.inspect.sections import mesh_of_finished
from isotomon.kernel.protocol import Built
from isotomon.operations.base import Operation
from isotomon.operations.bend import Bend
from isotomon.operations.bevel import Bevel
from isotomon.operations.combine import Combine
from isotomon.operations.hollow import Hollow
from isotomon.operations.move import Move
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn, Polygon
from isotomon.profile.shapes import Spot, rectangle_corners
from isotomon.quantity.record import refs
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, body, changed, design, trials
from tests.test_operations import RADIUS, post
from tests.test_window import WithWindow

NONE = Qt.KeyboardModifier.NoModifier
SIDE, HIGH = 60.0, 80.0
BOX = SIDE * SIDE * HIGH


def box(*steps: Operation) -> Design:
    """A square box of 60 × 60 × 80 mm."""
    made = design([(0.0, "polygon:4", SIDE * math.sqrt(2.0), 0.0), (HIGH, "polygon:4", SIDE * math.sqrt(2.0), 0.0)])
    for step in steps:
        made = bodies.add_step(made, "body", step)
    return made


def drum(*steps: Operation) -> Design:
    """A cylinder of 60 mm, 80 mm high, with a post of 20 mm standing out of its upper end as another body."""
    made = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
    made = bodies.add_body(made, "post")
    post = made.bodies[1]
    for number, station in enumerate(post.stations):
        made = station_edits.change_station(made, station.id, position=(-10.0, 50.0)[number] + HIGH, chord=20.0)
    for step in (Combine(post.id), *steps):
        made = bodies.add_step(made, "body", step)
    return made


def wedge_less_cone(rate: float) -> float:
    """Of a square corner, at 1 mm from the point where a ball that grows by `rate` a mm along it has no size: mm² outside the cone
    that such balls fill."""
    size = math.sqrt(1.0 + 2.0 * rate**2)
    square = 1.0 - (rate / size) ** 2

    def near(angle: float) -> float:
        # (p · axis)² = cos² |p|² at p = (r cos, r sin, 1), the axis along (rate, rate, 1)
        lean = rate * (math.cos(angle) + math.sin(angle))
        a, b, c = lean**2 / size**2 - square, lean / size**2, 1.0 / size**2 - square
        root = math.sqrt(max(b * b - a * c, 0.0))
        return min(r for r in ((-b - root) / a, (-b + root) / a) if r > 0.0)

    return quad(lambda angle: near(angle) ** 2 / 2.0, 0.0, math.pi / 2.0, epsabs=1e-13)[0]


def rim_cut(radius: float, round_: float) -> float:
    """mm³ that rounding the rim of a cylinder takes away, by Pappus."""
    inner = radius - round_
    quarter = math.pi * round_**2 / 4.0
    kept = math.pi * inner**2 * round_ + 2.0 * math.pi * quarter * (inner + 4.0 * round_ / (3.0 * math.pi))
    return math.pi * radius**2 * round_ - kept


class Building(WithWorker):
    """Tests that look at one finished body."""

    def built(self, made: Design) -> Built:
        """The finished first body, sound, from the design as it comes back from a file."""
        found = build_all(rebuild(decode(encode(made))), self.supervisor)["body"]
        self.assertTrue(found.valid and found.watertight and found.pieces == 1)
        return found


class Solids(Building):
    """What the kernel makes of edges."""

    def test_exact_volumes(self) -> None:
        """All edges of a box rounded, one rim bevelled in three ways, edges along it rounded by a radius that changes, and a
        cylinder's rim: each by formula."""
        r = 5.0
        a, c = SIDE - 2 * r, HIGH - 2 * r
        ball = a * a * c + 2 * r * (a * a + 2 * a * c) + math.pi * r * r * (2 * a + c) + 4 / 3 * math.pi * r**3
        self.assertAlmostEqual(self.built(box(Round(edges=("body/all",), radius=r))).volume / ball, 1.0, delta=1e-9)
        grown = Round(edges=("body/along",), radius="2 mm + 6 mm * fraction")
        lost = 4.0 * wedge_less_cone(6.0 / HIGH) / 3.0 * ((8.0 / 6.0 * HIGH) ** 3 - (2.0 / 6.0 * HIGH) ** 3)
        self.assertAlmostEqual(self.built(box(grown)).volume / (BOX - lost), 1.0, delta=1e-7)
        for fields, up in (({}, 3.0), ({"how": "angle", "angle": math.radians(60.0)}, 3.0 * math.sqrt(3.0))):
            cut = self.built(box(Bevel(edges=("body/last-rim",), width=3.0, **fields))).volume
            sizes = {
                (s, h): h / 3.0 * (SIDE**2 + (SIDE - 2 * s) ** 2 + SIDE * (SIDE - 2 * s))
                for s, h in ((3.0, up), (up, 3.0))
            }
            wanted = [BOX - (SIDE**2 * h - volume) for (_, h), volume in sizes.items()]
            self.assertLess(min(abs(cut - volume) for volume in wanted), 1e-6 * BOX)
        round_ = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
        made = bodies.add_step(round_, "body", Round(edges=("body/last-rim",), radius=r))
        whole = math.pi * 900.0 * HIGH
        self.assertAlmostEqual(self.built(made).volume / (whole - rim_cut(30.0, r)), 1.0, delta=1e-9)

    def test_several_radii_in_one_step(self) -> None:
        """Both rims of a cylinder and edges along a box, each with a radius of its own, by formula; a corner where three radii meet
        is sound; what is too large shrinks with the others; through file and command line."""
        rims = Round(edges=("body/first-rim", "body/last-rim"), radius=3.0, radii=(0.0, 8.0))
        round_ = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
        whole = math.pi * 900.0 * HIGH - rim_cut(30.0, 3.0) - rim_cut(30.0, 8.0)
        found = self.built(bodies.add_step(round_, "body", rims))
        self.assertAlmostEqual(found.volume / whole, 1.0, delta=1e-9)
        # An edge that a rule means, too, has the radius that is its own.
        sides = Round(edges=("body/along:s0.2of4", "body/along"), radius=3.0, radii=(9.0,))
        lost = (1.0 - math.pi / 4.0) * (3.0 * 9.0 + 81.0) * HIGH
        self.assertAlmostEqual(self.built(box(sides)).volume / (BOX - lost), 1.0, delta=1e-7)
        three = Round(edges=("body/along", "body/last-rim"), radius=4.0, radii=(6.0, "2 mm + 1 mm"))
        corner = self.built(decode(encode(box(three))))
        self.assertLess(corner.volume, BOX - 4.0 * (1.0 - math.pi / 4.0) * 36.0 * (HIGH - 6.0))
        self.assertEqual(
            structs.replace(rims, radius=20.0, radii=(0.0, 40.0)).sized(10.0), {"radius": 5.0, "radii": (0.0, 10.0)}
        )
        with self.assertRaises(SizeError) as caught:
            self.built(box(structs.replace(three, radii=(31.0,))))
        key = box(three).bodies[0].steps[0].id
        self.built(
            bodies.change_step(box(three), key, **structs.replace(three, radii=(31.0,)).sized(caught.exception.fits))
        )
        read = read_operation(
            "round", ["edges=body/along, body/last-rim", "radii=6 mm, 2 mm + 1 mm", "radius=4"], "mm", {"body": "body"}
        )
        self.assertEqual(read, structs.replace(three, radii=(6.0, 3.0)))

    def test_edges_that_run_on_come_along(self) -> None:
        """One side of a rim with rounded corners means all of it, to Pappus's volume and by names; no part of it can be left out."""
        corner, size = 6.0, 2.0
        upright = Round(edges=refs("body/along"), radius=corner)
        plain = self.built(box(upright))
        sides = [name for name in plain.names if name.startswith("lane ")]
        straight = 4.0 * (SIDE - 2.0 * corner)
        bevelled = straight * size**2 / 2.0 + math.pi * (corner - size / 3.0) * size**2
        rounded = straight * (1.0 - math.pi / 4.0) * size**2 + rim_cut(corner, size)
        one = refs(f"body/edge:{sides[0]}|last cap")
        for step, taken in ((Bevel(edges=one, width=size), bevelled), (Round(edges=one, radius=size), rounded)):
            found = self.built(box(upright, step))
            self.assertLess(abs(plain.volume - taken - found.volume), 1e-6 * plain.volume)
            made = [name for name in found.names if name not in plain.names]
            self.assertEqual(len(set(made)), 8)
            self.assertTrue(all("last cap" in name for name in made), made)
            left_out = structs.replace(step, without=refs(f"body/edge:{sides[2]}|last cap"))
            with self.assertRaisesRegex(SolidError, "runs on smoothly from one that is chosen; choose both or neither"):
                self.built(box(upright, left_out))

    def test_what_the_kernel_is_at_is_sketched(self) -> None:
        """On the box as it was last finished: a new round of its rim, and one that grows, begin a radius from the edge on both faces; a
        bevel its widths; what is shaped otherwise is not kept on show."""

        def last(*steps: Operation) -> Quick:
            quick = rebuild(box(*steps))
            return with_finished(quick, build_all(quick, self.supervisor))

        rim, flat = Round(edges=refs("body/last-rim"), radius=8.0), math.sqrt(0.5)
        bevel = Bevel(edges=refs("body/last-rim"), width=8.0, how="widths", other=4.0)
        sharp, rounded = last(), last(structs.replace(rim, radius=5.0))
        for before, step, sizes in ((sharp, rim, {8.0}), (rounded, rim, {8.0}), (sharp, bevel, {8.0, 4.0})):
            kept, lines = meanwhile(rebuild(box(step)), before)
            self.assertEqual(set(kept), {"body"} if before is rounded else set())  # else its skin shows what it was
            found = set()
            for x, y, z in np.mean(lines, axis=1):  # their ends may lie beside the next side
                side = (abs(x) + abs(y)) * flat
                self.assertTrue(abs(z - HIGH) < 1e-3 or abs(side - SIDE / 2.0) < 1e-3)
                found.add(round(max(HIGH - z, SIDE / 2.0 - side), 2))
            self.assertEqual(found, sizes)
        other = station_edits.change_station(box(rim), "s1", chord=70.0)
        self.assertEqual(meanwhile(rebuild(other), rounded), ({}, ()))

    def test_a_bevel_ends_at_sharp_corners(self) -> None:
        """Where two corners of a box are rounded, half its rim is one run with two sharp ends: as wide all along, by two widths, too."""
        corner, size = 6.0, 2.0
        plain = self.built(box(Round(edges=refs("body/along:s0.1of4", "body/along:s0.2of4"), radius=corner)))
        one = next(name for name in plain.names if name.startswith("lane s0.1of4~"))
        length = 3.0 * SIDE - 4.0 * corner
        for other in (2.0, 3.0):
            wanted = []
            for flat, up in {(size, other), (other, size)}:
                wanted.append(length * flat * up / 2.0 + math.pi / 2.0 * (corner - flat / 3.0) * flat * up)
            step = Bevel(edges=refs(f"body/edge:{one}|last cap"), how="widths", width=size, other=other)
            made = bodies.add_step(
                box(Round(edges=refs("body/along:s0.1of4", "body/along:s0.2of4"), radius=corner)), "body", step
            )
            taken = plain.volume - self.built(made).volume
            self.assertLess(min(abs(taken - volume) for volume in wanted), 1e-6 * plain.volume, taken)

    def test_where_bodies_meet_and_what_comes_after(self) -> None:
        """A post on a drum, rounded where they meet, then the new face's edges named in a further step; each face says what made it,
        and the choice stays right when the post is made thicker."""
        made = drum(Round(edges=("b1/meets",), radius=4.0))
        whole = math.pi * (900.0 * HIGH + 100.0 * 50.0)
        inner, quarter = 10.0, 16.0 * (1.0 - math.pi / 4.0)
        middle = 4.0 * (1.0 - (10.0 - 3.0 * math.pi) / (3.0 * (4.0 - math.pi)))
        filled = 2.0 * math.pi * quarter * (inner + 4.0 - middle)
        found = self.built(made)
        self.assertAlmostEqual((found.volume - whole) / filled, 1.0, delta=1e-6)
        self.assertIn("round of (b1: lane round|last cap)", found.names)
        thicker = station_edits.change_station(made, made.bodies[1].stations[0].id, chord=24.0)
        thicker = station_edits.change_station(thicker, made.bodies[1].stations[1].id, chord=24.0)
        self.assertIn("round of (b1: lane round|last cap)", self.built(thicker).names)

    def test_too_large_says_what_would_do(self) -> None:
        """A radius beyond the box is refused with the edge, the place and the largest that works; that one works, and mends do it."""
        made = box(Round(edges=("body/last-rim",), radius=40.0))
        with self.assertRaises(SizeError) as caught:
            self.built(made)
        self.assertRegex(str(caught.exception), "cannot be rounded with a radius of 40 mm; up to 29.9. mm works")
        self.assertIn("last cap", caught.exception.culprit)
        self.assertAlmostEqual(caught.exception.place[2], HIGH)  # type: ignore[index]
        key = made.bodies[0].steps[0].id
        mended = bodies.change_step(made, key, radius=caught.exception.fits)
        self.assertGreater(caught.exception.fits, 29.5)
        self.assertLess(self.built(mended).volume, BOX)

    def test_what_is_no_choice(self) -> None:
        """No edges, edges that are not there, all left out, no radius: each in words."""
        for step, words in (
            (Round(), "no edges are chosen"),
            (Round(edges=("body/edge:lane a~b|last cap",)), "there is no edge between lane a~b and last cap any more"),
            (Round(edges=("body/all",), without=("body/all",)), "all edges that are chosen are left out"),
            (Round(edges=("body/all",), radius=0.0), "must be more than nought"),
            (Bevel(edges=("body/all",), how="angle", angle=0.0), "use 1° to 89°"),
            (Round(edges=("body/nothing",)), "is no choice of edges"),
        ):
            with self.subTest(words), self.assertRaisesRegex((DesignError, SolidError), words):
                build_all(rebuild(box(step)), self.supervisor)

    def test_hollow_when_it_is_no_field_any_more(self) -> None:
        """A moved box hollowed out by the kernel, open and shut, with a rim rounded before: by formula, the faces named; a wall that is too
        thick is told with the thickest that goes."""
        moved, t = Move(x=5.0), 2.0
        for last, high in ((True, HIGH - t), (False, HIGH - 2 * t)):
            found = self.built(box(moved, Hollow(wall=t, last=last)))
            self.assertAlmostEqual(found.volume / (BOX - (SIDE - 2 * t) ** 2 * high), 1.0, delta=1e-9)
            self.assertEqual("inside of last cap" in found.names, not last)
        found = self.built(box(Round(edges=("body/first-rim",), radius=5.0), Hollow(wall=t)))
        self.assertTrue(any(name.startswith("inside of round of (first cap|lane") for name in found.names))
        with self.assertRaises(SizeError) as caught:
            self.built(box(moved, Hollow(wall=40.0)))
        self.assertTrue(29.0 < caught.exception.fits < 30.0)

    def test_rings_and_plates(self) -> None:
        """A ring hollow all round, a plate with a hole, both of its rims rounded, and hollow all round: by Pappus and by formula."""
        ring = changed(design([(0.0, "circle", 20.0, 0.0)]), carrier=Carrying("axis", "z", 50.0), span=Span(whole=True))
        wall = 2.0 * math.pi**2 * 50.0 * (10.0**2 - 8.0**2)
        hollow = Hollow(wall=2.0, first=False, last=False)
        made = self.built(bodies.add_step(ring, "body", hollow))
        self.assertAlmostEqual(made.volume / wall, 1.0, delta=1e-9)
        self.assertEqual(made.names, ["lane round from s0", "inside of lane round from s0"])
        plate = design(
            [(0.0, "polygon:4", SIDE * math.sqrt(2.0), 0.0), (10.0, "polygon:4", SIDE * math.sqrt(2.0), 0.0)]
        )
        plate = bodies.add_body(plate, "pin")
        for number, station in enumerate(plate.bodies[1].stations):
            plate = station_edits.change_station(plate, station.id, position=(-5.0, 15.0)[number], chord=20.0)
        plate = bodies.add_step(plate, "body", Combine("b1", how="cut"))
        whole = SIDE**2 * 10.0 - math.pi * 100.0 * 10.0
        r = 2.0
        lost, away = r * r * (1.0 - math.pi / 4.0), r * (10.0 - 3.0 * math.pi) / (12.0 - 3.0 * math.pi)
        rounded = whole - 2.0 * 2.0 * math.pi * (10.0 + away) * lost
        made = self.built(bodies.add_step(plate, "body", Round(edges=("b1/meets",), radius=r)))
        self.assertAlmostEqual(made.volume / rounded, 1.0, delta=1e-9)
        inner = ((SIDE - 4.0) ** 2 - math.pi * 144.0) * 6.0
        made = self.built(bodies.add_step(plate, "body", hollow))
        self.assertAlmostEqual(made.volume / (whole - inner), 1.0, delta=1e-9)

    def test_a_copy_means_its_own_edges(self) -> None:
        """A copied body's steps name its own edges, faces and stations, and it comes to the same volume."""
        made = box(Round(edges=("body/along:s0.1of4", "body/last-rim"), radius=4.0))
        made = bodies.copy_body(bodies.change_body(made, "body", name="one"), "body")
        own = made.bodies[1]
        self.assertEqual(own.steps[0].edges, (f"{own.id}/along:{own.stations[0].id}.1of4", f"{own.id}/last-rim"))
        found = build_all(rebuild(made), self.supervisor)
        self.assertAlmostEqual(found[own.id].volume / found["body"].volume, 1.0, delta=1e-12)

    def test_the_command_line(self) -> None:
        """A step by its fields, edges by names of bodies, listed, refused when there is no such body."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "box.isotomon"
            save(box(), path)
            name, said = box().bodies[0].name, io.StringIO()
            with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
                self.assertEqual(
                    main(["step", str(path), "round", f"edges={name}/along, {name}/last-rim", "radius=3"]), 0
                )
                self.assertEqual(main(["step", str(path), "round", "edges=nobody/along"]), 2)
            self.assertIn("Edges rounded", said.getvalue())
            step = load(path).bodies[0].steps[0]
            self.assertIsInstance(step, Round)
            self.assertEqual((step.edges, step.radius), (("body/along", "body/last-rim"), 3.0))


def vessel(*steps: Operation) -> Design:
    """A twisted three-cornered vessel: from its middle to a corner 36, 54, 33, 48 mm."""
    rows = ((0.0, 36.0, 0.0), (65.0, 54.0, 22.0), (110.0, 33.0, 44.0), (160.0, 48.0, 66.0))
    made = design([(z, "polygon:3", 2.0 * corner, turn) for z, corner, turn in rows])
    for step in steps:
        made = bodies.add_step(made, "body", step)
    return made


def swept(rng: np.random.Generator, sides: int, *steps: Operation) -> Design:
    """A section of so many sides carried along a random path in space."""
    places = np.cumsum(rng.uniform((20.0, -15.0, 10.0), (60.0, 25.0, 40.0), (4, 3)), axis=0)
    path = Guide(
        "u1", "path", "through", (), (), ("open",), tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in places.tolist())
    )
    station = Station("s1", "s1", 0.0, Polygon(sides), 22.0, 0.3)
    carried = {"carrier": Carrying("path", "u1"), "span": Span(whole=True)}
    own = body(stations=(station,), steps=steps, **carried)
    return Design("swept", tolerance=1e-4, guides=(path,), bodies=(own,))


def rebuild_or_raise(made: Design) -> None:
    """Raises: DesignError, with the first finding there is."""
    findings = rebuild(made).findings
    if findings:
        raise DesignError(findings[0].text)


def worked(made: Design) -> WorkedSkin:
    """The skin that the last step of a design's first body works on."""
    skin = rebuild(made).stages[-1].worked[0]  # type: ignore[union-attr]
    assert skin is not None
    return skin


class OnTheField(Building):
    """What is done on a body's skin, without the kernel."""

    def test_parallels_lie_at_distance(self) -> None:
        """The hollow of a twisted vessel with rounded edges: each of 10,000 random points of it is at the wall's distance from the
        nearest place of the rounded skin, and neighbouring sides meet."""
        made = vessel(Round(edges=("body/along",), radius=6.0))
        outer, inner = worked(made), worked(bodies.add_step(made, "body", Hollow(wall=2.5)))
        rng = np.random.default_rng(20261127)
        shares = [np.sort(rng.random(42)) for _ in inner.sides]
        found = inner.points(shares, np.sort(rng.uniform(0.05, 0.9, 40)))
        self.assertEqual(len(found), 6)
        grid = outer.points([np.linspace(0.0, 1.0, 121)] * 6, np.linspace(0.0, 1.0, 241))
        tree = KDTree(np.concatenate([side.reshape(-1, 3) for side in grid]))
        away = tree.query(np.concatenate([side.reshape(-1, 3) for side in found]))[0]
        self.assertGreater(len(away), 10_000)
        # No place is nearer; the nearest of the grid is farther than the true foot by its step's square over twice the distance.
        self.assertGreater(away.min(), 2.5 - 2.5e-6)
        self.assertLess(away.max(), 2.5 + 0.15)
        for skin in (outer, inner):
            ends = skin.points([np.array([0.0, 1.0])] * 6, np.linspace(0.0, 1.0, 33))
            gaps = [np.abs(a[:, 1] - b[:, 0]).max() for a, b in zip(ends, [*ends[1:], ends[0]], strict=True)]
            self.assertLess(max(gaps), 1e-6)

    def test_a_round_is_round_and_tangent(self) -> None:
        """Of random lofted and swept bodies: square to its own way a round along the body has the radius asked for, to 1e-4, and runs on
        into both sides within 0.1°."""
        at, by = np.linspace(0.05, 0.95, 13), np.full(13, 3.0)
        for seed in range(trials(40, 6)):
            rng = np.random.default_rng(seed)
            sides, rounded = int(rng.integers(3, 7)), Round(edges=("body/along",), radius=3.0)
            if seed % 2:
                rows = [
                    (z, f"polygon:{sides}", float(rng.uniform(50, 80)), 12.0 * k)
                    for k, z in enumerate((0.0, 40.0, 90.0))
                ]
                made = bodies.add_step(design(rows), "body", rounded)
            else:
                made = swept(rng, sides, rounded)
            with self.subTest(seed=seed):
                skin = worked(made)
                for corner in skin.rounds:
                    (ball,) = skin.balls(corner)
                    for end, lane, way in ((0.0, ball.before, 1.0), (1.0, ball.lane, -1.0)):
                        first, touch = ball.balls.arcs(
                            skin.base, np.full(13, ball.number), np.full(13, end), at, np.zeros(13)
                        )
                        own = touch[:, :2] if lane == ball.before else touch[:, 2:]
                        centre, _, _, normal, _ = skin.base.moved(lane, own[:, 0], own[:, 1], by)
                        self.assertLess(np.abs(np.linalg.norm(first - centre, axis=1) / 3.0 - 1.0).max(), 1e-4)
                        step = (
                            ball.balls.arcs(
                                skin.base, np.full(13, ball.number), np.full(13, end + way * 1e-4), at, np.zeros(13)
                            )[0]
                            - first
                        )
                        lean = np.arcsin(np.abs(np.sum(step * normal, axis=1)) / np.linalg.norm(step, axis=1))
                        self.assertLess(np.degrees(lean.max()), 0.1)

    def test_along_a_path_and_about_an_axis(self) -> None:
        """A square bar turned about an axis by less than a turn: its long edges rounded, hollow, both, by Pappus's rule; one swept along a
        path in space, both, is sound, and its wall is what was asked for."""
        side, way, r, wall = 20.0 / math.sqrt(2.0), 1.2 * 80.0, 3.0, 1.5

        def bar(*steps: Operation) -> Design:
            station = Station("s1", "s1", 0.0, Polygon(4), 20.0, 0.0)
            carried = {"carrier": Carrying("axis", "z", 80.0), "span": Span(on=1.2)}
            return Design("bar", tolerance=1e-4, bodies=(body(stations=(station,), steps=steps, **carried),))

        corners, rounded, hollow = 4.0 - math.pi, Round(edges=("body/along",), radius=r), Hollow(wall=wall, first=True)
        outer, inner = side**2, (side - 2.0 * wall) ** 2
        less, within = corners * r**2, corners * (r - wall) ** 2
        for steps, area in (
            ((rounded,), outer - less),
            ((hollow,), outer - inner),
            ((rounded, hollow), outer - less - inner + within),
        ):
            self.assertAlmostEqual(self.built(bar(*steps)).volume / (way * area), 1.0, delta=2e-7)
        bent = post(Bend(1.0, "d2"), rounded, Hollow(wall=wall, first=True))
        across = 800.0 - less - ((math.sqrt(800.0) - 2.0 * wall) ** 2 - within)
        self.assertAlmostEqual(self.built(bent).volume / (across * RADIUS), 1.0, delta=2e-6)
        built = self.built(swept(np.random.default_rng(4), 4, rounded, hollow))
        thick = walls_of(built, mesh_of_finished(built))
        self.assertAlmostEqual(thick.extreme(1.0)[0], wall, delta=5e-3)
        self.assertAlmostEqual(thick.extreme(-1.0)[0], wall, delta=5e-3)

    def test_exact_solids(self) -> None:
        """A box with rounded long edges, outside and hollow; a hollow cone, open, shut and open at both ends: by formula, and the faces
        say what they are."""
        r, t, corner = 6.0, 2.5, 4.0 - math.pi
        solid = HIGH * (SIDE**2 - corner * r * r)
        found = self.built(box(Round(edges=("body/along",), radius=r)))
        self.assertAlmostEqual(found.volume / solid, 1.0, delta=1e-7)
        self.assertEqual(sum(name.startswith("round of (lane") for name in found.names), 4)
        hollow = (HIGH - t) * ((SIDE - 2 * t) ** 2 - corner * (r - t) ** 2)
        found = self.built(box(Round(edges=("body/along",), radius=r), Hollow(wall=t)))
        self.assertAlmostEqual(found.volume / (solid - hollow), 1.0, delta=1e-6)
        self.assertIn("inside of first cap", found.names)
        cone, lean = design([(0.0, "circle", 60.0, 0.0), (80.0, "circle", 30.0, 0.0)]), math.atan(15.0 / 80.0)

        def within(low: float, high: float) -> float:
            a, b = (30.0 - 15.0 * z / 80.0 - 3.0 / math.cos(lean) for z in (low, high))
            return math.pi / 3.0 * (high - low) * (a * a + b * b + a * b)

        whole = math.pi / 3.0 * 80.0 * (900.0 + 225.0 + 450.0)
        for fields, low, high in (
            ({}, 3.0, 80.0),
            ({"last": False, "floor": 5.0}, 5.0, 75.0),
            ({"first": True}, 0.0, 80.0),
        ):
            found = self.built(bodies.add_step(cone, "body", Hollow(wall=3.0, **fields)))
            self.assertAlmostEqual(found.volume / (whole - within(low, high)), 1.0, delta=1e-6)

    def test_walls_that_taper_and_walls_outside(self) -> None:
        """A drum with a wall that thins from its floor to its mouth, and one with a wall outside it, by formula; a twisted vessel's walls,
        rounded, sharp and tapering, are what is asked for wherever a ray goes through one."""
        round_ = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
        whole, floor = math.pi * 900.0 * HIGH, 5.0
        taper = Hollow(wall="6 mm - 4 mm * fraction", floor=floor)
        hole = math.pi * (HIGH - floor) / 3.0 * (24.0**2 + 24.0 * 28.0 + 28.0**2)
        found = self.built(bodies.add_step(round_, "body", taper)).volume
        self.assertAlmostEqual(found / (whole - hole), 1.0, delta=1e-6)
        found = self.built(bodies.add_step(round_, "body", Hollow(wall=4.0, side="outward", floor=floor))).volume
        self.assertAlmostEqual(found / (math.pi * 34.0**2 * (HIGH + floor) - whole), 1.0, delta=1e-6)
        about = Hollow(wall=4.0, side="about", floor=floor)
        hole = math.pi * 28.0**2 * (HIGH - floor / 2.0)
        found = self.built(bodies.add_step(round_, "body", about)).volume
        self.assertAlmostEqual(found / (math.pi * 32.0**2 * (HIGH + floor / 2.0) - hole), 1.0, delta=1e-6)
        rounded = Round(edges=("body/along",), radius=6.0)
        for steps, least, greatest in (
            ((rounded, Hollow(wall=2.5)), 2.5, 2.5),
            ((Hollow(wall=2.5, side="about"),), 2.5, 2.5),
            ((Hollow(wall="3 mm - 1.5 mm * fraction", floor=3.0),), 1.5, 3.0),
        ):
            built = self.built(vessel(*steps))
            thick = walls_of(built, mesh_of_finished(built))
            self.assertAlmostEqual(thick.extreme(1.0)[0], least, delta=5e-3)
            self.assertAlmostEqual(thick.extreme(-1.0)[0], greatest, delta=5e-3)
        with self.assertRaisesRegex(DesignError, "one not within the skin, or another"):
            rebuild_or_raise(box(Bevel(edges=("body/all",), width=1.0), Hollow(side="outward")))

    def test_walls_of_their_own_at_some_faces(self) -> None:
        """A box whose one side is thicker, by formula, within and outside; a rounded edge beside it, or no face at all, is refused."""
        face, other = "body/face:s0.1of4~s0.2of4", 7.0
        inside = Hollow(wall=3.0, others=(face,), other=other)
        hole = (SIDE - 6.0) * (SIDE - 3.0 - other) * (HIGH - 3.0)
        self.assertAlmostEqual(self.built(box(inside)).volume / (BOX - hole), 1.0, delta=1e-7)
        outside = structs.replace(inside, side="outward")
        whole = (SIDE + 6.0) * (SIDE + 3.0 + other) * (HIGH + 3.0)
        self.assertAlmostEqual(self.built(box(outside)).volume / (whole - BOX), 1.0, delta=1e-7)
        twisted = self.built(vessel(Hollow(wall=2.5, others=("body/face:s0.1of3~s0.2of3",), other=4.0)))
        thick = walls_of(twisted, mesh_of_finished(twisted))
        self.assertAlmostEqual(thick.extreme(1.0)[0], 2.5, delta=5e-3)
        self.assertAlmostEqual(thick.extreme(-1.0)[0], 4.0, delta=5e-3)
        for steps, words in (
            ((Round(edges=("body/along",), radius=9.0), inside), "between walls of two thicknesses is rounded"),
            ((structs.replace(inside, others=("body/last",)),), "no face along the body"),
        ):
            with self.assertRaisesRegex((DesignError, FieldError, SolidError), words):
                self.built(box(*steps))

    def test_narrow_sides_rounded_away(self) -> None:
        """A flat bar's narrow sides, one and both, straight and about an axis, solid and hollow, by formula; the blunt tail of a twisted
        foil, whose ball touches all three faces; a side as wide as the body; what has nothing beside it but a narrow tail is refused in words."""
        wide, thick, way = 30.0, 6.0, 50.0
        drawn = rectangle_corners(Drawing("g1", "bar"), Spot(0.0, 0.0), Spot(wide, thick))
        stations = tuple(Station(f"s{k}", f"s{k}", k * way, Drawn("g1"), None) for k in range(2))
        bar = Design("bar", tolerance=1e-5, drawings=(drawn,), bodies=(body(stations=stations),))
        lanes = rebuild(bar).shape.field.names.lanes  # type: ignore[union-attr]
        field = rebuild(bar).shape.field  # type: ignore[union-attr]
        sizes = [
            np.ptp(field.sections(np.zeros(1)).control[0, lane.columns], axis=0).max() for lane in field.common.lanes
        ]
        narrow = [f"body/face:{lanes[k]}" for k in np.argsort(sizes)[:2]]
        lost = thick**2 / 2.0 - math.pi * thick**2 / 8.0
        for count in (1, 2):
            away = RoundAway(faces=refs(*narrow[:count]))
            found = self.built(bodies.add_step(bar, "body", away))
            self.assertAlmostEqual(found.volume / ((wide * thick - count * lost) * way), 1.0, delta=1e-7)
            self.assertEqual(sum(name.startswith("round of (lane") for name in found.names), count)
        hollow = self.built(bodies.add_step(bodies.add_step(bar, "body", away), "body", Hollow(wall=1.0, first=True)))
        within = (wide - 2.0) * (thick - 2.0) - 2.0 * lost * ((thick - 2.0) / thick) ** 2
        self.assertAlmostEqual(hollow.volume / ((wide * thick - 2.0 * lost - within) * way), 1.0, delta=1e-7)
        foil = design([(0.0, "naca:0018b", 80.0, 0.0), (60.0, "naca:0018b", 60.0, 12.0)])
        tail = RoundAway(faces=refs("body/face:s0.lower-tail~s0.upper-tail"))
        skin = worked(bodies.add_step(foil, "body", tail))
        (ball,), at = skin.balls(skin.rounds[0]), np.linspace(0.0, 1.0, len(skin.rounds[0].radii))
        u, v = (a.ravel() for a in np.meshgrid(np.linspace(0.0, 1.0, 1001), np.linspace(-1.0, 61.0, 500)))
        for lane in range(len(skin.base.field.common.lanes)):
            places = skin.base.moved(lane, u, v, np.zeros(len(u)))[0]
            # A place of the grid is nearer than the true foot nowhere, and little farther.
            more = (
                KDTree(places).query(ball.balls.courses(np.full(len(at), ball.number), at)[:, 4:7])[0]
                - skin.rounds[0].radii
            )
            self.assertGreater(more.min(), -1e-6)
            self.assertLess(more.max(), 3e-2)
        self.assertTrue(
            self.built(bodies.add_step(bodies.add_step(foil, "body", tail), "body", Hollow(wall=1.0))).watertight
        )
        found = self.built(box(RoundAway(faces=refs("body/face:s0.1of4~s0.2of4"))))
        self.assertAlmostEqual(found.volume / (BOX - SIDE**2 * (0.5 - math.pi / 8.0) * HIGH), 1.0, delta=1e-7)
        with self.assertRaisesRegex(SolidError, "no ball touches the face|round their edges by a radius instead"):
            self.built(bodies.add_step(foil, "body", RoundAway(faces=refs("body/face:s0.upper-tail~s0.lower-tail"))))

    def test_the_vessel_from_round_to_rim(self) -> None:
        """Long edges rounded, then hollow, then both rims bevelled: one sound solid, and the bevels say of what they are."""
        steps = (Round(edges=("body/along",), radius=6.0), Hollow(wall=2.5), Bevel(edges=("body/last-rim",), width=0.8))
        found = self.built(vessel(*steps))
        self.assertTrue(any(name.startswith("bevel of (inside of lane") for name in found.names))
        self.assertTrue(any(name.startswith("bevel of (last cap|round of") for name in found.names))

    def test_a_wall_or_radius_that_does_not_fit_says_what_does(self) -> None:
        """Before any solid: a wall and a radius too large for a vessel's narrow waist have a finding with one that works, and its mend
        leaves none."""
        for step in (Hollow(wall=18.0), Round(edges=("body/along",), radius=40.0)):
            made = vessel(step)
            with self.subTest(step.TITLE):
                (finding,) = [f for f in rebuild(made).findings if f.severity == "error"]
                self.assertRegex(finding.text, r"; [\d.]+ mm works$")
                mended = finding.mends[0].edit(made)
                self.assertFalse([f for f in rebuild(mended).findings if f.severity == "error"])
                self.assertGreater(getattr(mended.bodies[0].steps[0], step.SIZE), 0.2 * getattr(step, step.SIZE))

    def test_a_skin_that_cannot_be_fitted_is_tried_once(self) -> None:
        """Why there is none is kept, too: to find it out takes seconds."""
        shape = rebuild(vessel()).shape
        assert shape is not None
        with mock.patch("isotomon.field.offsets.fit_along", side_effect=FieldError("too many spans")) as fit:
            for _ in range(3):
                with self.assertRaisesRegex(FieldError, "too many spans"):
                    fitted(shape.field, 1.0)
        self.assertEqual(fit.call_count, 1)

    def test_what_is_not_hollowed_out(self) -> None:
        """A wall thicker than the body, a ring of copies before, no wall: each in words."""
        for steps, words in (
            ((Hollow(wall=40.0),), "make the radius or the wall less|thinner"),
            ((Move(x=5.0), Hollow(wall=2.0, floor=5.0)), "need a smooth solid that runs"),
            ((Hollow(wall=0.0),), "must be more than nought"),
        ):
            with self.subTest(words), self.assertRaisesRegex((DesignError, SolidError, FieldError), words):
                build_all(rebuild(box(*steps)), self.supervisor)


class InTheWindow(WithWindow):
    """The stage Finish by mouse and keys."""

    def test_a_rim_is_rounded_too_much_and_mended(self) -> None:
        """The tool rounds the rim of the last end at once; a radius typed that does not fit is a finding with the radius that would; its
        mend is one step, and undo leads back to the first bytes."""
        self.with_solids()
        w = self.window
        w.files.open_design(box())
        first = encode(w.desk.design)
        w.set_stage("Finish")
        QTest.keyClick(w, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        self.wait(lambda: w.desk.body is not None and len(w.desk.body.steps) == 1, "the step")
        self.assertEqual(w.desk.held.steps[0].edges, ("body/last-rim",))
        self.wait(
            lambda: isinstance(w.desk.solid, Built) and not w.desk.building and w.desk.solid.volume < BOX - 1.0,
            "the rounded solid",
        )
        field = w.details.findChild(StepsForm).fields["0 radius"]
        field.edit.setFocus()
        field.edit.selectAll()
        QTest.keyClicks(field.edit, "40")
        QTest.keyClick(field.edit, Qt.Key.Key_Return)
        self.wait(lambda: any("cannot be rounded" in f.text for f in w.desk.quick.findings), "the finding")
        finding = next(f for f in w.desk.quick.findings if "cannot be rounded" in f.text)
        self.wait(lambda: "Solid: " in w.foot.message.text(), "what is wrong with the solid")
        # What stands before the step is on show, and nothing of it is sketched any more.
        self.assertTrue(w.view._wanted.finished["body"] is w.desk.quick.before["body"])
        self.assertEqual(w.view._wanted.sketch, ())
        self.assertRegex(finding.mends[0].title, "^Use 29.9")
        w.desk.do("mend", finding.mends[0].edit)
        self.wait(
            lambda: isinstance(w.desk.solid, Built) and not w.desk.building and not w.desk.quick.findings,
            "the mended solid",
        )
        self.assertEqual(w.foot.message.text(), "")  # what was wrong with the solid is told no longer
        row = w.details.findChild(EdgesRow)
        self.assertIsNotNone(row)
        # More edges in the same step, with a radius of their own.
        row.offer()
        menu = row.findChildren(QMenu)[-1]
        next(action for action in menu.actions() if action.text().endswith("first rim")).trigger()
        menu.close()
        own = w.details.findChild(StepsForm).fields["0 edges 1"]
        own.edit.setFocus()
        QTest.keyClicks(own.edit, "4")
        QTest.keyClick(own.edit, Qt.Key.Key_Return)
        self.assertEqual(w.desk.held.steps[0].radii, (0.0, 4.0))
        for _ in range(2):
            w.desk.session.undo()
        w.details.refresh()
        out = next(b for b in row.findChildren(QToolButton) if b.accessibleName().startswith("Take out"))
        QTest.mouseClick(out, Qt.MouseButton.LeftButton)
        self.assertEqual(w.desk.held.steps[0].edges, ())
        while w.desk.session.undo_title is not None:
            w.desk.session.undo()
        self.assertEqual(encode(w.desk.design), first)

    def test_a_tool_without_a_body_left_says_so(self) -> None:
        """Where every other body is made of the one in hand, combining it with another says why it cannot be, and does nothing."""
        w = self.window
        w.files.open_design(drum())
        w.desk.select(("b1",))
        self.settle()
        before = encode(w.desk.design)
        self.assertIn("made of this one", BY_ID["after-combine"].reason(w))
        w.run_command("after-combine")
        self.assertEqual(encode(w.desk.design), before)

    def part(self, place: np.ndarray) -> str:
        """What is under the pointer where a place is seen."""
        w, at = self.window, self.window.view.seen(place)
        return part_at([w.desk.quick], w.view.camera, np.array([at.x(), at.y()]), (w.view.width(), w.view.height()))

    def test_wall_and_radius_are_dragged(self) -> None:
        """A vessel with rounded edges, hollow, is seen so before any solid; its wall and its radius are dragged by their handles, one undo
        each; and the station at the mouth, clicked in the View, means the rim there for the next step."""
        w = self.window
        w.files.open_design(vessel(Round(edges=("body/along",), radius=6.0), Hollow(wall=2.5)))
        w.desk.select(("body",))
        w.view.turn(-330.0, 60.0)
        self.settle()
        assert w.desk.quick is not None and w.desk.quick.grids is not None
        self.assertEqual((len(w.desk.quick.grids.outer), len(w.desk.quick.grids.inner)), (6, 6))
        for number, name in enumerate(("radius", "wall")):
            handle = next(key for key in w.view.handles if key.endswith(f" {name}"))
            before, at = getattr(w.desk.held.steps[number], name), w.view.seen(w.view.handles[handle].place).toPoint()
            QTest.mousePress(w.view, Qt.MouseButton.LeftButton, NONE, at)
            for k in range(1, 5):
                QTest.mouseMove(w.view, at + QPoint(2 * k, k))
            QTest.mouseRelease(w.view, Qt.MouseButton.LeftButton, NONE, at + QPoint(8, 4))
            self.assertNotEqual(getattr(w.desk.held.steps[number], name), before)
            w.desk.session.undo()
            self.assertEqual(getattr(w.desk.held.steps[number], name), before)
            self.settle()
        rim = edge_lines([w.desk.quick])["body/last-rim"]
        w.desk.select(())
        k = next(k for k in range(len(rim)) if self.part(rim[k]) == "body/last-rim")
        QTest.mouseClick(w.view, Qt.MouseButton.LeftButton, NONE, w.view.seen(rim[k]).toPoint())
        self.assertEqual(w.desk.selection, ("s3",))
        self.keys("Ctrl+Shift+F")
        self.assertEqual(w.desk.held.steps[-1].edges, ("body/last-rim",))


if __name__ == "__main__":
    unittest.main()
