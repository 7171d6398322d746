"""Finished bodies by their sections: areas, moments, stiffness and walls by formula; laws of them; on the Board and the command line."""

from __future__ import annotations

import contextlib
import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest

from isotomon.app.shell.commands import BY_ID
from isotomon.cli import main
from isotomon.design import bodies, edits, station_edits
from isotomon.design.body import Carrying, Span
from isotomon.design.file import decode, encode, save
from isotomon.design.gauges import Gauge
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.inspect.finished import with_finished
from isotomon.inspect.finished_laws import finished_points
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import walls_of
from isotomon.inspect.sections import finished_sections, mesh_of_finished
from isotomon.measure.stiffness import stiffness
from isotomon.operations.base import Operation
from isotomon.operations.combine import Combine
from isotomon.operations.hollow import Hollow
from isotomon.operations.move import Move
from isotomon.operations.round import Round
from isotomon.quantity.record import Ref, refs
from isotomon.script import capacity_table
from isotomon.solids.deliver import build_all
from isotomon.solids.requests import READ_SECONDS
from tests.helpers import Array, WithWorker, changed, design
from tests.test_window import WithWindow

NONE = Qt.KeyboardModifier.NoModifier
WALL, FLOOR, HIGH = 3.0, 5.0, 100.0
ROOT, TIP = 40.0, 20.0
"""mm: the radii of a cone."""
LEAN = math.atan((ROOT - TIP) / HIGH)


def cone(*steps: Operation) -> Design:
    """A frustum from a radius of 40 to 20 mm, 100 mm high."""
    made = design([(0.0, "circle", 2.0 * ROOT, 0.0), (HIGH, "circle", 2.0 * TIP, 0.0)])
    for step in steps:
        made = bodies.add_step(made, "body", step)
    return made


def hollow_cone(z: Array) -> tuple[Array, Array]:
    """The outer and the inner radius of the hollow one, above its floor, at heights z."""
    outer = ROOT + (TIP - ROOT) * z / HIGH
    return outer, outer - WALL / math.cos(LEAN)


def circle(radius: float, way: int = 1, count: int = 240) -> Array:
    t = way * np.linspace(0.0, 2.0 * np.pi, count, endpoint=False)
    return radius * np.stack([np.cos(t), np.sin(t)], axis=1)


def polygon(*corners: tuple[float, float]) -> Array:
    p = np.array(corners, dtype=float)
    t = np.linspace(0.0, 1.0, 40, endpoint=False)[:, None]
    return np.vstack([a + t * (b - a) for a, b in zip(p, np.roll(p, -1, axis=0), strict=True)])


class Stiff(unittest.TestCase):
    """Torsion constants and shear centres, by formula."""

    def test_torsion_constants(self) -> None:
        """Circle, tube, ellipse, equilateral triangle, square and thin strip within half a per cent; a thin box as Bredt has it."""
        side = 10.0
        tall = side * math.sqrt(3.0) / 2.0
        cases = {
            "circle": ([circle(10.0)], math.pi * 1e4 / 2.0),
            "tube": ([circle(10.0), circle(9.0, -1)], math.pi / 2.0 * (1e4 - 9.0**4)),
            "thin tube": ([circle(50.0), circle(49.0, -1)], math.pi / 2.0 * (50.0**4 - 49.0**4)),
            "ellipse": ([circle(1.0) * [20.0, 3.0]], math.pi * 60.0**3 / (400.0 + 9.0)),
            "triangle": ([polygon((0, 0), (side, 0), (side / 2.0, tall))], math.sqrt(3.0) / 80.0 * side**4),
            "square": ([polygon((0, 0), (10, 0), (10, 10), (0, 10))], 0.1405770 * 1e4),
            "strip": ([polygon((0, 0), (100, 0), (100, 2), (0, 2))], 800.0 / 3.0 * (1.0 - 0.630 * 0.02)),
        }
        for name, (runs, exact) in cases.items():
            with self.subTest(name):
                turned = np.array([[0.6, -0.8], [0.8, 0.6]])
                found = stiffness([run @ turned + np.array([300.0, -70.0]) for run in runs]).torsion
                self.assertAlmostEqual(found / exact, 1.0, delta=5e-3)
        wide, high, wall = 39.5, 19.5, 0.5
        outer = polygon((0, 0), (40, 0), (40, 20), (0, 20))
        inner = polygon((0.5, 0.5), (0.5, 19.5), (39.5, 19.5), (39.5, 0.5))
        bredt = 4.0 * (wide * high) ** 2 / (2.0 * (wide + high) / wall)
        self.assertAlmostEqual(stiffness([outer, inner]).torsion / bredt, 1.0, delta=0.02)

    def test_shear_centres(self) -> None:
        """In the middle of what is symmetric both ways; of a half circle at 8 R / 5 π from its flat side; of a thin channel behind its web.
        An open channel's torsion constant, which is lost beside its other moments, is not told."""
        t = np.linspace(0.0, math.pi, 200)
        half = np.vstack([10.0 * np.stack([np.cos(t), np.sin(t)], axis=1), polygon((-10, 0), (10, 0))[1:40]])
        np.testing.assert_allclose(stiffness([half]).shear_centre, [0.0, 80.0 / (5.0 * math.pi)], atol=0.02)
        np.testing.assert_allclose(stiffness([circle(10.0) + np.array([3.0, 4.0])]).shear_centre, [3.0, 4.0], atol=1e-6)
        channel = polygon((0, 0), (20, 0), (20, 1), (1, 1), (1, 39), (20, 39), (20, 40), (0, 40))
        found, flange, web = stiffness([channel]), 19.5, 39.0
        behind = 3.0 * flange**2 / (6.0 * flange + web)
        np.testing.assert_allclose(found.shear_centre, [0.5 - behind, 20.0], atol=0.06)
        self.assertTrue(math.isnan(found.torsion))

    def test_what_is_no_section(self) -> None:
        """Two parts, a hole alone, nothing: told."""
        for runs in ([], [circle(5.0, -1)], [circle(5.0), circle(5.0) + np.array([20.0, 0.0])]):
            with self.assertRaisesRegex(ValueError, "not in one part"):
                stiffness(runs)


class Sections(WithWorker):
    """Of finished solids."""

    def finished(self, made: Design) -> Quick:
        """The results with their solids, of the design as it comes back from a file."""
        quick = rebuild(decode(encode(made)))
        return with_finished(quick, build_all(quick, self.supervisor))

    def test_a_hollow_cone(self) -> None:
        """Areas, perimeters, second moments, holes and walls along its own way, by formula; square to Z the same; to X symmetric."""
        quick = self.finished(cone(Hollow(wall=WALL, floor=FLOOR)))
        built = quick.finished["body"]
        along = np.linspace(FLOOR + 1.0, HIGH - 1.0, 50)
        outer, inner = hollow_cone(along)
        for way in ("", "z"):
            cuts = finished_sections(quick, built, Ref(way), along).cuts
            np.testing.assert_allclose(cuts.area, math.pi * (outer**2 - inner**2), rtol=3e-5)
            np.testing.assert_allclose(cuts.perimeter, 2.0 * math.pi * (outer + inner), rtol=1e-6)
            np.testing.assert_allclose(cuts.i_min, math.pi / 4.0 * (outer**4 - inner**4), rtol=5e-5)
            np.testing.assert_allclose(cuts.centroid, 0.0, atol=2e-3)
            self.assertEqual((set(cuts.parts), set(cuts.holes)), ({1}, {1}))
        below = finished_sections(quick, built, position=np.array([FLOOR / 2.0])).cuts
        self.assertAlmostEqual(float(below.area[0]) / (math.pi * hollow_cone(FLOOR / 2.0)[0] ** 2), 1.0, delta=1e-6)
        self.assertEqual((below.parts[0], below.holes[0]), (1, 0))
        across = finished_sections(quick, built, Ref("x"))
        np.testing.assert_allclose(across.cuts.area, across.cuts.area[::-1], rtol=2e-4, atol=1e-3)
        self.assertAlmostEqual(np.trapezoid(across.cuts.area, across.position) / built.volume, 1.0, delta=2e-3)
        (run,) = [r for r in finished_sections(quick, built, position=along[:1]).outlines(0) if np.ptp(r) > 75.0]
        np.testing.assert_allclose(np.linalg.norm(run, axis=1), outer[0], rtol=5e-5)
        thick = walls_of(built, mesh_of_finished(built))
        self.assertAlmostEqual(thick.extreme(1.0)[0], WALL, delta=1e-3)

    def test_bodies_about_an_axis_and_moved_ones(self) -> None:
        """A ring is cut by half-planes along its own way, and square to its axis has a hole; what is moved is cut where it stands."""
        one = design([(0.0, "circle", 20.0, 0.0)])
        ring = changed(one, carrier=Carrying("axis", "z", 50.0), span=Span(whole=True))
        quick = self.finished(bodies.add_step(ring, "body", Move(x=30.0, y=-10.0)))
        sections = finished_sections(quick, quick.finished["body"])
        self.assertEqual((sections.unit, sections.planes.half), ("°", True))
        np.testing.assert_allclose(sections.cuts.area, math.pi * 100.0, rtol=1e-5)
        np.testing.assert_allclose(sections.cuts.centroid[:, 0], 50.0, rtol=1e-5)
        flat = finished_sections(quick, quick.finished["body"], Ref("z"), np.array([0.0, 6.0])).cuts
        half = np.array([10.0, 8.0])
        np.testing.assert_allclose(flat.area, math.pi * ((50.0 + half) ** 2 - (50.0 - half) ** 2), rtol=1e-5)
        self.assertEqual(flat.holes.tolist(), [1, 1])
        np.testing.assert_allclose(flat.centroid, [[30.0, -10.0]] * 2, atol=1e-3)

    def test_united_bodies_square_to_an_axis(self) -> None:
        """A post that is added to a plate beside it: its area comes on top; where nothing is, there is none."""
        made = design([(0.0, "polygon:4", 80.0, 0.0), (10.0, "polygon:4", 80.0, 0.0)])
        made = bodies.add_body(made, "post")
        for number, station in enumerate(made.bodies[1].stations):
            made = station_edits.change_station(made, station.id, position=(5.0, 60.0)[number], chord=20.0)
        quick = self.finished(bodies.add_step(bodies.add_step(made, "body", Combine("b1")), "body", Move(z=7.0)))
        cuts = finished_sections(quick, quick.finished["body"], Ref("z"), np.array([12.0, 50.0])).cuts
        np.testing.assert_allclose(cuts.area, [80.0**2 / 2.0, math.pi * 100.0], rtol=1e-5)
        own = finished_sections(quick, quick.finished["body"], position=np.array([5.0])).cuts
        self.assertAlmostEqual(float(own.area[0]), 3200.0, delta=1e-3)
        with self.assertRaisesRegex(DesignError, "gone"):
            finished_sections(quick, quick.finished["body"], Ref("nothing"))

    def test_laws_of_the_finished_body(self) -> None:
        """An area law of the finished body is judged once the solid is there, and not before; of anything but areas it is refused."""
        wanted = math.pi * (hollow_cone(50.0)[0] ** 2 - hollow_cone(50.0)[1] ** 2)
        for value, quality, out in ((wanted, "area", 0), (wanted * 1.1, "area", 1), (0.0, "turn", 1)):
            law = Law("law1", "wall", quality, 0.01, True, of="finished", points=(LawPoint(value, position=50.0),))
            made = changed(cone(Hollow(wall=WALL, floor=FLOOR)), laws=(law,))
            before = rebuild(made)
            self.assertEqual((before.judged, before.findings), ((), ()))
            after = self.finished(made)
            self.assertEqual(len(after.findings), out)
            self.assertEqual(len(after.judged), int(quality == "area"))
            stations = {p.station: p.value for p in finished_points(after)}
            self.assertAlmostEqual(stations["s0"] / (math.pi * ROOT**2), 1.0, delta=1e-4)
            if out:
                self.assertRegex(after.findings[0].text, "intended|areas alone are judged")

    def test_what_a_hollow_body_holds(self) -> None:
        """A capacity is of what is really inside, floor and all, to the level, to the brim and as a table."""
        gauge = Gauge("m1", "fill", "capacity", refs("body", "z"), (60.0, 0.0, 1.0), ("volume",))
        made = edits.add_gauge(cone(Hollow(wall=WALL, floor=FLOOR)), gauge)
        self.assertTrue(rebuild(made).readings["m1"].waits)
        figures = {title: value for title, value, _ in self.finished(made).readings["m1"].figures}

        def held(level: float) -> float:
            low, high = (float(hollow_cone(z)[1]) for z in (FLOOR, level))
            return math.pi / 3.0 * (level - FLOOR) * (low**2 + low * high + high**2)

        self.assertAlmostEqual(figures["Volume"] / held(60.0), 1.0, delta=1e-5)
        self.assertAlmostEqual(figures["To the brim"] / held(HIGH), 1.0, delta=1e-5)
        self.assertAlmostEqual(figures["Floor"], FLOOR, delta=1e-6)
        low, high = (float(hollow_cone(z)[1]) for z in (FLOOR, 60.0))
        wet = math.pi * low**2 + math.pi * (low + high) * (60.0 - FLOOR) / math.cos(LEAN)
        self.assertAlmostEqual(figures["Wetted area"] / wet, 1.0, delta=5e-3)
        rows = capacity_table(made, "fill").splitlines()
        self.assertEqual(float(rows[-1].split(",")[0]), HIGH)

    def test_the_command_line(self) -> None:
        """`check --finished` prints and writes sections at stations or square to an axis, stiffness and walls; a way that is not there is an
        error."""
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder) / "cone.isotomon", Path(folder) / "check.json"
            save(cone(Hollow(wall=WALL, floor=FLOOR)), path)
            with contextlib.redirect_stdout(io.StringIO()) as said:
                self.assertEqual(main(["check", str(path), "--finished", "--json", str(out)]), 0)
            self.assertRegex(
                said.getvalue(), r"(?s)Finished test body, cut along its own way.*Least wall (2.99\d|3|3.00\d) mm at"
            )
            (found,) = json.loads(out.read_text())["finished"]
            last = found["sections"][-1]
            outer, inner = hollow_cone(HIGH)
            self.assertAlmostEqual(last["area_mm2"] / (math.pi * (outer**2 - inner**2)), 1.0, delta=1e-4)
            self.assertAlmostEqual(last["torsion_mm4"] / (math.pi / 2.0 * (outer**4 - inner**4)), 1.0, delta=5e-3)
            with contextlib.redirect_stdout(io.StringIO()) as said:
                self.assertEqual(main(["check", str(path), "--finished", "y"]), 0)
            self.assertIn("cut along Y", said.getvalue())
            with contextlib.redirect_stderr(io.StringIO()) as wrong, contextlib.redirect_stdout(io.StringIO()) as said:
                self.assertEqual(main(["check", str(path), "--finished", "nothing"]), 2)
            self.assertEqual((said.getvalue(), wrong.getvalue().count("\n")), ("", 1))


class OnTheBoard(WithWindow):
    """The finished body on the Board, by mouse and keys."""

    def test_the_board_shows_the_finished_body(self) -> None:
        """A hollow body's areas come with its solid, stay as of before while something newer is under way, and are cut otherwise from the
        menu; the pointer has the finished section drawn; what is chosen here is no change of the design."""
        w = self.window
        made = cone(Hollow(wall=WALL, floor=FLOOR), Round(edges=refs("body/last-rim"), radius=1.0))
        w.files.open_design(edits.replace(made, tolerance=1e-6))
        w.desk.select(("body",))
        self.with_solids()
        self.wait(lambda: w.board.cut is not None and not w.board.cut.stale, "the finished sections", READ_SECONDS)
        first = encode(w.desk.design)
        outer, inner = hollow_cone(50.0)
        exact = math.pi * (outer**2 - inner**2)
        self.assertAlmostEqual(
            float(np.interp(50.0, w.board.cut.sections.position, w.board.cut.area)) / exact, 1.0, delta=1e-3
        )
        box = w.board.layout_now()
        QTest.mouseMove(w.board, QPointF(float(box.x(50.0)), box.area.center().y()).toPoint())
        self.assertRegex("\n".join(w.board._figures()), r"finished area 547\.\d+ mm²\n1 part, 1 hole")
        self.assertEqual(len(w.view._wanted.live), 2)
        before = w.board.cut
        w.cuts.idle.setInterval(0)
        w.cuts.idle.start()
        self.wait(lambda: w.board.cut.refined, "the refined sections")
        position = before.sections.position
        some = (position > 20.0) & (position < 80.0)
        outer, inner = hollow_cone(position[some])
        exact = math.pi * (outer**2 - inner**2)
        rough, fine = (np.abs(cut.area[some] / exact - 1.0).max() for cut in (before, w.board.cut))
        outer, inner = hollow_cone(50.0)
        self.assertLess(fine, min(1.5e-5, rough))  # of a thin wall: a circle is fitted to 7e-8 of its own size
        self.menu("Square to Z")
        self.wait(lambda: w.board.otherwise is not None, "the other way")
        self.assertEqual(w.board._stations(), ())
        self.menu("Torsion constant")
        self.wait(lambda: w.board.cut is not None and w.board.cut.stiff is not None, "how stiff it is")
        middle = w.board.cut.stiff
        found = float(np.interp(50.0, middle.position, middle.torsion))
        self.assertAlmostEqual(found / (math.pi / 2.0 * (outer**4 - inner**4)), 1.0, delta=5e-3)
        self.menu("Wall thickness")
        self.wait(lambda: w.board.cut is not None and w.board.cut.wall is not None, "its walls")
        self.assertAlmostEqual(float(np.interp(50.0, w.board.cut.wall[0], w.board.cut.wall[1])), WALL, delta=1e-2)
        self.menu("As shaped")
        self.assertIsNone(w.board.cut)
        self.assertEqual(encode(w.desk.design), first)
        self.menu("As finished")
        self.wait(lambda: w.board.cut is not None, "the finished sections again")
        w.desk.preview("thinner", lambda d: bodies.change_step(d, w.desk.held.steps[0].id, wall=2.0))
        self.wait(lambda: w.board.cut is not None and w.board.cut.stale, "what was before")
        w.desk.give_up_preview()
        self.wait(lambda: w.board.cut is not None and not w.board.cut.stale, "the newest")
        w.desk.select(("s1",))
        w.refresh_commands()
        self.assertEqual(BY_ID["cut-chosen"].reason(w), "")
        w.run_command("cut-chosen")
        self.wait(lambda: w.board.otherwise is not None, "square to a station's plane")

    def menu(self, title: str) -> None:
        """Choose something from the Board's menu."""
        menu = self.window.board.shown.menu()
        menu.popup(self.window.board.shown.mapToGlobal(QPoint(2, 20)))
        QTest.mouseClick(menu, Qt.MouseButton.LeftButton, NONE, menu.actionGeometry(self.action(title)).center())

    def action(self, title: str) -> QAction:
        """An entry of the Board's menu."""
        return next(a for a in self.window.board.shown.menu().actions() if a.text() == title)


if __name__ == "__main__":
    unittest.main()
