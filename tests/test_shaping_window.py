"""Extruding, sweeping, revolving, copying, measuring and comparing in the real window, by mouse and keys."""

from __future__ import annotations

import math
import unittest
from unittest import mock

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox

from isotomon.app.forms.along import AlongForm
from isotomon.app.forms.gauge import GaugeForm
from isotomon.design.bodies import change_step
from isotomon.design.file import encode
from isotomon.design.guides import Guide
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.inspect.looks import ground_of
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.operations.row import Row
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Polygon
from isotomon.profile.shapes import Spot, rectangle_corners
from tests.helpers import body, full_vessel
from tests.test_guiding import GuidingWindow
from tests.test_window import CTRL, LEFT

NONE = Qt.KeyboardModifier.NoModifier
WINDING = (40.0, 30.0, 2.0, 60.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 10.0)


class Shaping(GuidingWindow):
    """What a user does with one profile."""

    def setUp(self) -> None:
        super().setUp()
        box = rectangle_corners(Drawing("g1", "box", plane="zx"), Spot(-6.0, 20.0), Spot(6.0, 30.0))
        helix = Guide("u1", "helix", "helix", ("z",), WINDING, ("height", "right", "constant", "straight"))
        self.on_empty(Design("shaped", drawings=(box,), guides=(helix,)))

    def on_empty(self, design: Design) -> None:
        """A design that has no body yet."""
        w = self.window
        w.files.open_design(design, ask=False)
        w.show_work()
        self.wait(lambda: w.desk.quick is not None and w.desk.quick.design == w.desk.design, "the rebuild")

    def volume(self) -> float:
        quick = self.window.desk.quick
        return quick.full.body.volume

    def test_a_drawing_is_extruded_and_its_end_dragged(self) -> None:
        """The shortcut extrudes what is chosen; its end is dragged on the Board as one step; figures and laws along it are typed;
        both ways and back by undo to the same bytes."""
        w = self.window
        before = encode(self.design)
        w.desk.select(("g1",))
        self.keys("Ctrl+Shift+X")
        self.settle()
        self.assertEqual(w.desk.selection, (self.body.id,))
        self.assertAlmostEqual(self.volume(), 120.0 * 12.0, delta=1e-6)
        start = w.board.handle_of("reach on").toPoint()
        middle = w.board.handle_of(self.body.stations[0].id).toPoint()
        self.drag(w.board, start, start + (middle - start) / 2)
        self.settle()
        shorter = self.body.loft.span.on
        self.assertTrue(4.0 < shorter < 8.0, shorter)
        self.assertAlmostEqual(self.volume(), 120.0 * shorter, delta=1e-6)
        grip = w.view.handles["reach on"].place
        normal = w.desk.quick.shape.sections.normal[-1]
        self.drag(w.view, self.pixel(grip), self.pixel(grip + 8.0 * normal))
        self.settle()
        self.assertAlmostEqual(self.body.loft.span.on, shorter + 8.0, delta=0.6)
        self.run_command("after-move")
        grip = w.view.handles[f"step {self.body.steps[0].id} z"].place
        self.drag(w.view, self.pixel(grip), self.pixel(grip + np.array([0.0, 0.0, 5.0])))
        self.settle()
        self.assertAlmostEqual(self.body.steps[0].z, 5.0, delta=0.6)
        self.type(w.details.fields["on"].edit, "50 mm")
        self.settle()
        QTest.mouseClick(w.details.findChild(AlongForm).more, LEFT)
        self.type(w.details.fields["turn"].edit, "90 deg * fraction")
        self.settle()
        self.assertAlmostEqual(self.volume(), 6000.0, delta=1e-6)
        self.assertAlmostEqual(float(w.desk.quick.shape.curves.turn[-1]), math.pi / 2.0, delta=1e-9)
        self.type(w.details.fields["width"].edit, "no number")
        self.assertTrue(w.details.fields["width"].wrong.isVisible())
        self.assertEqual(self.body.loft.along.width, 1.0)
        self.run_command("both-ways")
        self.assertEqual((self.body.loft.span.on, self.body.loft.span.back), (25.0, 25.0))
        while encode(self.design) != before:
            self.keys("Ctrl+Z")
        self.assertEqual(self.body.stations, ())

    def test_a_body_that_goes_on_at_both_ends(self) -> None:
        """Its stations are meant by themselves, and not by the sections that are carried on to its ends: figures, ties, a curve through
        all of them, one inserted after the chosen, one looked straight at."""
        w = self.window
        w.desk.select(("g1",))
        self.keys("Ctrl+Shift+X")
        self.run_command("both-ways")
        self.type(w.details.fields["on"].edit, "20")
        self.settle()
        self.assertTrue(w.desk.quick.resolved.stations[0].carried and w.desk.quick.resolved.stations[-1].carried)
        first = self.body.stations[0].id
        w.desk.select((first,))
        self.run_command("insert")
        self.settle()
        second = next(s for s in self.body.stations if s.id != first)
        self.assertTrue(0.0 < second.position < 20.0, second.position)
        for _ in range(2):
            self.run_command("insert")
            self.settle()
        names = [s.name for s in self.body.stations]
        self.assertFalse([name for name in names if name.count("within") > 1], names)
        w.desk.select(())
        self.run_command("guide-through")
        self.settle()
        own = [n.station.id for _, n in w.desk.quick.resolved.own]
        self.assertEqual([p.on.thing for p in self.design.guides[-1].points], own)
        self.assertFalse([f.text for f in w.desk.quick.findings if f.severity == "error"])
        self.run_command("tie-add")
        self.assertTrue(self.body.loft.ties)
        for tie in self.body.loft.ties:
            ends = [end.station for end in tie.ends]
            self.assertEqual(len(set(ends)), len(ends))
        w.view.look_at_station(first)
        sections = w.desk.quick.shape.sections
        row = w.desk.quick.shape.at_stations[w.desk.quick.resolved.row(first)]
        away = float((w.view.camera.target - sections.origin[row]) @ sections.normal[row])
        self.assertAlmostEqual(away, 0.0, places=6)

    def test_swept_revolved_copied_and_set_aside(self) -> None:
        """A drawing is swept along the helix and held otherwise; revolved about an axis by a part of a turn; copied round it; the
        solid is built; a body set aside is not seen and comes back."""
        w = self.window
        w.desk.select(("g1", "u1"))
        self.keys("Ctrl+Shift+W")
        self.settle()
        self.assertEqual(self.body.loft.carrier.hold, "axis")
        upright = self.volume()
        self.pick("Held", "least")
        self.assertEqual(self.body.loft.carrier.hold, "least")
        self.assertGreater(self.volume(), upright)
        w.desk.select(("g1",))
        self.keys("Ctrl+Shift+V")
        self.settle()
        self.assertEqual(len(self.design.bodies), 2)
        self.assertAlmostEqual(self.volume() / (2.0 * math.pi * 25.0 * 120.0), 1.0, delta=1e-8)
        whole = next(b for b in w.details.findChildren(QCheckBox) if b.text() == "Once round" and b.isVisible())
        QTest.mouseClick(whole, LEFT, pos=QPoint(8, whole.height() // 2))
        self.assertFalse(self.body.loft.span.whole)
        self.type(w.details.fields["on"].edit, "30")
        self.settle()
        self.assertAlmostEqual(self.volume() / (2.0 * math.pi * 25.0 * 120.0), 1.0 / 12.0, delta=1e-8)
        self.pick("Material", "Steel")
        self.assertEqual((self.body.material, self.body.density), ("Steel", 7850.0))
        self.type(w.details.fields["density"].edit, "7800")
        self.assertEqual((self.body.material, self.body.density), ("", 7800.0))
        self.run_command("after-ring")
        self.assertEqual(len(w.desk.quick.placed), 3)
        self.run_command("aside")
        self.assertTrue(self.body.aside)
        self.run_command("take-up")
        self.assertFalse(self.body.aside)
        self.with_solids()
        self.wait(lambda: self.body.id in w.desk.finished and not w.desk.building, "the solids", 60)
        built = w.desk.finished[self.body.id]
        self.assertEqual((built.pieces, built.valid, built.watertight), (3, True, True))

    def test_moves_sizes_and_copies_by_their_handles(self) -> None:
        """A post turned, resized in one direction and evenly, copied round and in a row: each by a handle in the View as one step,
        in proportion to the pull; a formula takes the handle away; undo brings the same bytes."""
        w = self.window
        post = (Station("s1", "foot", 0.0, Polygon(4), 20.0, offset_x=60.0), Station("s2", "head", 40.0, Polygon(4), 20.0, offset_x=60.0))  # fmt: skip
        steps = (Move(), Resize(), Ring("z", 3, 0.5, "step"), Row("z", 3, 200.0, "total"))
        self.on(Design("post", bodies=(body("body", "post", steps=steps, stations=post),)))
        w.desk.select(("body",))
        self.settle()
        before = encode(self.design)
        move, size, ring, row = (step.id for step in self.body.steps)
        wanted = {f"step {move} {f}" for f in ("x", "y", "z", "turn")} | {
            f"step {size} size-{f}" for f in ("x", "y", "z", "all")
        }
        self.assertEqual(
            {k for k in w.view.handles if k.startswith("step")},
            wanted | {f"step {ring} angle", f"step {row} distance"},
        )

        def pull(kind: str, to: np.ndarray) -> None:
            start, end = self.pixel(w.view.handles[kind].place), self.pixel(to)
            self.drag(w.view, start, end)
            self.settle()

        def round_z(place: np.ndarray, angle: float) -> np.ndarray:
            c, s = math.cos(angle), math.sin(angle)
            return np.array([c * place[0] - s * place[1], s * place[0] + c * place[1], place[2]])

        w.view.look_from("front")
        pull(
            f"step {self.body.steps[0].id} turn",
            round_z(w.view.handles[f"step {self.body.steps[0].id} turn"].place, 0.6),
        )
        self.assertAlmostEqual(self.body.steps[0].turn, 0.6, delta=0.05)
        pull(
            f"step {self.body.steps[2].id} angle",
            round_z(w.view.handles[f"step {self.body.steps[2].id} angle"].place, 0.4),
        )
        self.assertAlmostEqual(self.body.steps[2].angle, 0.9, delta=0.05)
        w.view.look_from("plan")
        high = w.view.handles[f"step {self.body.steps[1].id} size-z"].place
        pull(f"step {self.body.steps[1].id} size-z", high * np.array([1.0, 1.0, 1.5]))
        self.assertAlmostEqual(self.body.steps[1].z, 1.5, delta=0.05)
        far = w.view.handles[f"step {self.body.steps[1].id} size-all"].place
        pull(f"step {self.body.steps[1].id} size-all", far * 1.2)
        sizes = self.body.steps[1]
        self.assertAlmostEqual(sizes.x, 1.2, delta=0.05)
        self.assertAlmostEqual(sizes.z / sizes.x, 1.5, delta=0.05)
        last = w.view.handles[f"step {self.body.steps[3].id} distance"].place
        pull(f"step {self.body.steps[3].id} distance", last + np.array([0.0, 0.0, 30.0]))
        self.assertAlmostEqual(self.body.steps[3].distance, 230.0, delta=4.0)
        w.desk.do("by a formula", lambda d: change_step(d, self.body.steps[0].id, turn="45 deg"))
        self.settle()
        self.assertNotIn(f"step {self.body.steps[0].id} turn", w.view.handles)
        for _ in range(6):
            self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), before)

    def test_edges_and_faces_are_picked_in_the_view(self) -> None:
        """Ctrl and a click on an edge and on a face chooses them besides each other, named below; measures are taken of them, and of
        two edges a run is joined; a click without it chooses the body again."""
        w = self.window
        block = tuple(Station(f"s{k}", f"s{k}", 80.0 * k, Polygon(4), 60.0, 0.4) for k in (0, 1))
        self.on(Design("block", bodies=(body("body", "block", stations=block),)))
        self.settle()
        quick = w.desk.quick
        ground = ground_of(quick)
        ahead = w.view.camera.axes()[2]
        planes = {name: ground.plane(f"body/face:{name}") for name in quick.shape.field.names.lanes}
        name, plane = min(planes.items(), key=lambda pair: float(pair[1].normal @ ahead))

        def ctrl(place: np.ndarray) -> None:
            QTest.mouseClick(w.view, LEFT, CTRL, self.pixel(place))

        w.desk.select(("body",))
        ctrl(plane.origin)  # a part is meant then, and no body as a whole
        self.assertEqual(w.desk.selection, (f"body/face:{name}",))
        self.run_command("measure-area")
        self.settle()
        (reading,) = w.desk.quick.readings.values()
        self.assertAlmostEqual(reading.figures[0][1], 80.0 * 60.0 / math.sqrt(2.0), delta=1e-6)
        edges = [f"body/along:{side}" for side in name.split("~")]
        w.desk.select(())
        for ref in edges:
            ctrl(ground.curve(ref).at(np.array([0.37]))[0])
        self.assertEqual(w.desk.selection, tuple(edges))
        self.assertIn("Now take a tool", w.foot.message.text())
        self.run_command("guide-joined")
        self.assertEqual(self.design.guides[-1].on, tuple(edges))
        QTest.mouseClick(w.view, LEFT, NONE, self.pixel(plane.origin))
        self.assertEqual(w.desk.selection, ("body",))

    def test_measured_and_compared(self) -> None:
        """A capacity is measured of the demo vessel and follows an edit; a distance is taken and removed; two bodies are compared in
        figures, on the Board and in the body plan, and no more when the colour is taken off."""
        w = self.window
        self.on(full_vessel())
        w.desk.select(("m1",))
        self.settle()
        first = {t: v for t, v, _ in w.desk.quick.readings["m1"].figures}["Volume"]
        self.type(w.details.fields["Level"].edit, "200 mm")
        self.settle()
        second = {t: v for t, v, _ in w.desk.quick.readings["m1"].figures}["Volume"]
        self.assertLess(second, 0.8 * first)
        table = self.folder / "levels.csv"
        next(f for f in w.details.widget().findChildren(GaugeForm)).write_table(table)
        self.assertEqual(len(table.read_text().splitlines()), 42)
        table.unlink()
        with mock.patch.object(w.desk, "quick", None):  # as right after a design has been opened
            next(f for f in w.details.widget().findChildren(GaugeForm)).write_table(table)
            w.desk.select((self.body.stations[0].id,))
            w.room.turn_into_drawn()
        self.assertFalse(table.exists())
        self.assertIn("being worked out still", w.foot.message.text())
        w.desk.select(("m1",))
        self.run_command("measure-distance")
        self.assertEqual(len(self.design.gauges), 2)
        self.keys("Del", widget=w.ledger)
        self.settle()
        self.assertEqual(len(self.design.gauges), 1)
        self.run_command("copy-body")
        other = w.desk.others[0]
        w.checks.compare_with(other.id, other.name)
        self.wait(lambda: w.checks.seen is not None and bool(w.checks.seen.rows), "the comparison", 30)
        rows = {title: (a, b) for title, a, b in w.checks.seen.rows}
        self.assertEqual(set(rows) >= {"Volume, mm³", "Lies outside, mm"}, True)
        self.assertNotEqual(*rows["Volume, mm³"])
        self.assertIsNotNone(w.board._over)
        self.assertTrue(any(len(pieces) for pieces in w.body_plan._over))
        w.checks.set(colour="")
        QApplication.processEvents()
        self.wait(lambda: w.board._over is None, "the end of the comparison")
        self.assertFalse(np.any([len(x) for x in w.view._wanted.over]))


if __name__ == "__main__":
    unittest.main()
