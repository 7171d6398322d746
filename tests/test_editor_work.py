"""More work in the profile editor by mouse and keys: cutting, moving, copying, tangents, figures, files and references."""

from __future__ import annotations

import math
from unittest import mock

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QListWidget, QMenu, QPushButton, QToolButton

from isotomon.design import edits
from isotomon.kernel.protocol import Built
from isotomon.profile import draw_edits, shapes
from isotomon.profile.drawing import Arc, CirclePart, Curve, Drawing, Line
from isotomon.profile.drawn import figures_of
from isotomon.profile.marks import handle_tips
from isotomon.profile.relate import add_dimension, put_ties
from isotomon.profile.section import Drawn, Star
from isotomon.profile.shapes import Spot
from isotomon.samples import sample
from tests.test_editor import ALT, NONE, EditorCase
from tests.test_window import LEFT

SHIFT = Qt.KeyboardModifier.ShiftModifier


class Work(EditorCase):
    """A rectangle 40 × 24 about the origin on the root's paper."""

    def setUp(self) -> None:
        super().setUp()
        self.open()
        self.canvas.commit("box", lambda d: shapes.rectangle_corners(d, Spot(-20, -12), Spot(20, 12)))
        self.settle()
        self.canvas.per_pixel, self.canvas.middle = 0.2, np.zeros(2)
        self.canvas.choose(())

    def button(self, text: str) -> QPushButton:
        return next(b for b in self.window.room.panel.findChildren(QPushButton) if b.text().startswith(text))

    def area(self) -> float:
        return float(self.canvas.live_figures().area)

    def drag_from(self, start: QPoint, end: QPoint) -> None:
        QTest.mousePress(self.canvas, LEFT, NONE, start)
        for k in range(1, 6):
            QTest.mouseMove(self.canvas, start + (end - start) * k / 5)
        QTest.mouseRelease(self.canvas, LEFT, NONE, end)

    def test_corners_cuts_and_their_settings(self) -> None:
        """Rounding takes its radius from the panel; trimming and breaking work on what is clicked."""
        self.key(Qt.Key.Key_R)
        self.type(self.window.room.panel.fields["radius"].edit, "4 mm")
        self.click_at(20, 12)
        self.assertAlmostEqual(self.area(), 960 - (1 - math.pi / 4) * 16, delta=1e-8)
        self.click_at(-20, 0)  # no corner there: nothing happens
        self.window.run_command("bevel")
        self.type(self.window.room.panel.fields["length"].edit, "5")
        self.click_at(-20, -12)
        self.assertAlmostEqual(self.area(), 960 - (1 - math.pi / 4) * 16 - 12.5, delta=1e-8)
        self.window.run_command("draw-line")
        for x in (-30, 30):
            self.click_at(x, 3, ALT)
        self.key(Qt.Key.Key_T)
        self.click_at(28, 3)
        self.click_at(-28, 3)
        line = self.canvas.drawing.parts[-1]
        assert isinstance(line, Line)
        ends = sorted(p.x for p in self.canvas.drawing.points if p.id in (line.a, line.b))
        np.testing.assert_allclose(ends, [-20, 20], atol=1e-7)
        self.window.run_command("break")
        count = len(self.canvas.drawing.parts)
        self.click_at(5, 3)
        self.assertEqual(len(self.canvas.drawing.parts), count + 1)
        self.window.run_command("extend")
        self.assertEqual(self.window.room.holds("extend"), True)
        self.key(Qt.Key.Key_Escape)

    def test_move_turn_scale_by_hand_and_by_figures(self) -> None:
        """What is chosen follows the tools' clicks and the panel's figures; a typed length scales along."""
        canvas = self.canvas
        canvas.commit("wide", lambda d: add_dimension(d, "distance", ("e1",), 0, None))
        self.drag_from(self.place(-32, -25), self.place(32, 25))  # a box round everything
        self.assertEqual(len([k for k in canvas.selection if k.startswith("e")]), 4)
        self.window.run_command("scale")
        for x, y in ((0, 0), (10, 0), (15, 0)):
            self.click_at(x, y, ALT)
        self.assertAlmostEqual(self.area(), 960 * 2.25, delta=0.2)
        self.assertAlmostEqual(canvas.drawing.constraints[-1].value, 60.0, delta=0.05)
        self.key(Qt.Key.Key_Escape)
        self.keys("Ctrl+A")
        fold = next(b for b in self.window.room.panel.findChildren(QToolButton) if b.text().startswith("Change by"))
        QTest.mouseClick(fold, LEFT)
        for name, text in (("dx", "7"), ("dy", "-3 mm")):
            self.type(self.window.room.panel.fields[name].edit, text)
        before = np.array([(p.x, p.y) for p in canvas.drawing.points])
        QTest.mouseClick(self.button("Move, turn"), LEFT)
        np.testing.assert_allclose(
            np.array([(p.x, p.y) for p in canvas.drawing.points]) - before, [[7.0, -3.0]] * 4, atol=1e-6
        )
        self.keys("Ctrl+A")
        self.window.run_command("move")
        for x in (0, 10):
            self.click_at(x, 0, ALT)
        self.assertAlmostEqual(float(np.mean([p.x for p in canvas.drawing.points])), 17.0, delta=0.3)

    def test_copies_offsets_and_mirrors(self) -> None:
        """Rows, rings and offsets from the panel; a mirrored part stays tied to its image."""
        canvas = self.canvas
        canvas.commit("hole", lambda d: shapes.circle(d, Spot(10, 5), Spot(12, 5)))
        ring = canvas.drawing.parts[-1].id
        canvas.choose((ring,))
        QTest.mouseClick(self._unfold("Ring of copies"), LEFT)
        self.assertEqual(sum(isinstance(p, CirclePart) for p in canvas.drawing.parts), 4)
        canvas.choose(tuple(p.id for p in canvas.drawing.parts if isinstance(p, Line)))
        self.type(self.window.room.panel.fields["offset"].edit, "2")
        QTest.mouseClick(self.button("Offset"), LEFT)
        areas = [figures_of(c).area for c in canvas.runs.closed]
        self.assertAlmostEqual(max(areas), 44 * 28, delta=0.5)
        self.window.run_command("draw-axis")
        for y in (-30, 30):
            self.click_at(31, y, ALT)
        self.key(Qt.Key.Key_Escape)
        canvas.choose((ring,))
        self.window.run_command("mirror")
        self.click_at(31, 25)
        self.assertEqual({c.kind for c in canvas.drawing.constraints} >= {"symmetric", "equal"}, True)

    def _unfold(self, text: str) -> QPushButton:
        fold = next(b for b in self.window.room.panel.findChildren(QToolButton) if b.text().startswith("Change by"))
        QTest.mouseClick(fold, LEFT)
        return self.button(text)

    def test_tangents_and_figures_are_dragged(self) -> None:
        """A curve's tangent is held by dragging its end and freed again; a label keeps its new place; undo takes each back."""
        canvas = self.canvas
        canvas.commit(
            "curve", lambda d: shapes.curve(d, tuple(Spot(x, y) for x, y in ((-30, 20), (-10, 32), (12, 20), (30, 30))))
        )
        curve = canvas.drawing.parts[-1]
        canvas.choose((curve.id,))
        ref, _, tip, held = handle_tips(canvas.catcher, curve.id)[1]
        self.assertFalse(held)
        start = self.place(*tip.tolist())
        self.drag_from(start, start + QPoint(10, 22))
        curve = next(p for p in canvas.drawing.parts if p.id == curve.id)
        assert isinstance(curve, Curve)
        self.assertIsNotNone(curve.handles[1])
        canvas.choose((ref,))
        QTest.mouseClick(self.button("Let the curve"), LEFT)
        self.assertEqual(next(p for p in canvas.drawing.parts if isinstance(p, Curve)).handles, (None,) * 4)
        canvas.commit("wide", lambda d: add_dimension(d, "distance", ("e1",), 0, (0.0, -8.0)))
        QApplication.processEvents()
        key = canvas.drawing.constraints[-1].id
        label = canvas._boxes[key][0].center().toPoint()
        self.drag_from(label, label + QPoint(15, 25))
        place = next(c.place for c in canvas.drawing.constraints if c.id == key)
        assert place is not None
        self.assertLess(math.hypot(place[0] - 3.0, place[1] + 13.0), 1.0)
        canvas.choose((key,))
        self.type(self.window.room.panel.fields["figure"].edit, "belly = 44 mm")
        assert self.window.desk.design is not None
        self.assertEqual(self.window.desk.design.numbers[-1].name, "belly")
        self.assertAlmostEqual(canvas._measures()[key], 44.0)

    def test_points_roles_lists_menus_and_the_wheel(self) -> None:
        """Coordinates typed, roles chosen, constraints picked from the list, the menu offers what fits, the wheel zooms."""
        canvas = self.canvas
        canvas.choose(("p3",))
        self.type(self.window.room.panel.fields["x"].edit, "26")
        self.assertAlmostEqual(next(p.x for p in canvas.drawing.points if p.id == "p3"), 26.0)
        canvas.choose(("e1",))
        box = next(b for b in self.window.room.panel.findChildren(QComboBox) if b.accessibleName() == "Drawn as")
        box.setCurrentIndex(1)
        box.activated.emit(1)
        self.assertEqual(canvas.drawing.parts[0].role, "construction")
        rows = self.window.room.panel.findChildren(QListWidget)[0]
        rows.itemClicked.emit(rows.item(0))
        self.assertEqual(canvas.selection, ("c1",))
        QTest.mouseClick(self.button("Remove it"), LEFT)
        self.assertNotIn("c1", {c.id for c in canvas.drawing.constraints})
        canvas.choose(("e2", "e4"))
        menu = QMenu()
        canvas.fill_menu(menu)
        titles = [a.text() for a in menu.actions()]
        self.assertIn("Equal", titles)
        self.assertNotIn("Concentric", titles)
        self.click_at(60, 45)
        self.click_at(26, 0)
        self.click_at(-20, 3, SHIFT)
        self.assertEqual(len(canvas.selection), 2)
        at = QPointF(200, 100)
        before = canvas.to_plane(at)
        wheel = QWheelEvent(
            at, at, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, NONE, Qt.ScrollPhase.NoScrollPhase, False
        )
        canvas.wheelEvent(wheel)
        np.testing.assert_allclose(canvas.to_plane(at), before, atol=1e-9)
        with mock.patch.object(QMenu, "popup") as popup:
            canvas.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, self.place(26, 0), QPoint(0, 0)))
        popup.assert_called_once()

    def test_a_gap_is_found_and_closed(self) -> None:
        """A corner pulled apart shows its width in the panel, and its button closes it."""
        canvas = self.canvas
        canvas.commit("apart", lambda d: draw_edits.part_from(d, "e2", "p2"))
        canvas.commit(
            "pull",
            lambda d: edits.replace(
                d, points=tuple(edits.replace(p, y=-11.5) if p.id == "p5" else p for p in d.points)
            ),
        )
        self.assertIsNone(canvas.live_figures())
        QTest.mouseClick(self.button("Close the gap"), LEFT)
        self.assertGreater(self.area(), 900)

    def test_files_and_references_in_the_window(self) -> None:
        """The drawing is written and read again by the window; a neighbour's profile is brought in and followed."""
        window, canvas = self.window, self.canvas
        path = self.folder / "box.svg"
        window.room.write(path)
        self.assertIn("Written", window.foot.message.text())
        count = len(canvas.drawing.parts)
        window.room.read(path)
        self.assertEqual(len(canvas.drawing.parts), 2 * count)
        (self.folder / "bad.dxf").write_text("no")
        window.room.read(self.folder / "bad.dxf")
        self.assertIn("not a DXF", window.foot.message.text())
        window.room.write(self.folder / "box.pdf")
        self.assertIn("ending", window.foot.message.text())
        self.keys("Ctrl+Z")
        desk = window.desk
        assert desk.design is not None
        self.assertIsInstance(desk.held.stations[0].section, Drawn)
        self.keys("Ctrl+Return")
        self.settle()
        self.open(1)
        self.assertEqual(window.room.bring_in("s1/*"), "")
        self.settle()
        self.assertEqual([p.role for p in canvas.drawing.parts], ["construction"] * 4)
        xs = [p.x for p in canvas.drawing.points]
        root = next(s for s in desk.held.stations if s.id == "s1").section
        assert isinstance(root, Drawn)
        desk.do(
            "wider",
            lambda d: edits.change_drawing(
                d,
                root.drawing,
                lambda g: edits.replace(g, points=tuple(edits.replace(p, x=1.5 * p.x) for p in g.points)),
            ),
        )
        self.settle()
        moved = np.abs(np.array([p.x for p in canvas.drawing.points]) - xs)
        self.assertGreater(float(moved.max()), 5.0)

    def test_enter_before_a_tool_has_all_it_asks_for(self) -> None:
        """A tool ended early makes nothing and breaks nothing; a coordinate that is given a name says it stays plain."""
        count = len(self.canvas.drawing.parts)
        for tool in ("arc-three", "slot-curved", "rectangle-three"):
            self.window.run_command(tool)
            for x in (-30, 30):
                self.click_at(x, 24, ALT)
            self.key(Qt.Key.Key_Return)
            self.assertEqual((len(self.canvas.drawing.parts), self.canvas.spots), (count, ()))
        self.key(Qt.Key.Key_Escape)
        self.canvas.choose(("p3",))
        field = self.window.room.panel.fields["x"]
        self.type(field.edit, "far = 30 mm")
        self.assertIn("plain number", field.wrong.text())

    def test_another_design_leaves_the_drawing(self) -> None:
        """Opening another design goes back to the View, even when that has a drawing of the same id."""
        self.assertTrue(self.window.room.editing)
        with mock.patch.object(type(self.window.files), "may_leave", lambda _: True):
            self.window.files.open_design(sample("signal-mast"), ask=True)
        self.assertFalse(self.window.room.editing)
        self.settle()

    def test_draw_on_a_plane_ready_made_and_half(self) -> None:
        """A drawing begun on a datum plane; a ready-made section put on it; a half section opened and closed again."""
        window, canvas, desk = self.window, self.canvas, self.window.desk
        self.keys("Ctrl+Return")
        desk.select(())
        window.run_command("datum-parallel")
        self.keys("F6")
        self.assertTrue(window.room.editing)
        self.assertEqual(canvas.drawing.plane, "d1")
        window.room.put_drawn(Star(5, 0.5))
        self.assertEqual(len(canvas.drawing.parts), 10)
        canvas.commit("half", lambda _: _half())
        self.assertTrue(canvas.runs.mirrored)
        window.run_command("half")
        self.assertFalse(canvas.runs.mirrored)
        for what in ("see-grid", "see-ghosts", "see-body", "see-fit"):
            window.run_command(what)
        canvas.choose(("e2", "e3"))
        window.run_command("tie-square")
        self.assertIn("square", {c.kind for c in canvas.drawing.constraints})
        window.run_command("tie-concentric")
        self.assertIn("Choose what", window.foot.message.text())


def _half() -> Drawing:
    drawing = shapes.line(Drawing("g9", "half"), Spot(0, -20), Spot(0, 20), "centre")
    drawing = shapes.line(drawing, Spot(0, -20, "p1"), Spot(15, -18))
    drawing = shapes.line(drawing, Spot(15, -18, "p3"), Spot(0, 20, "p2"))
    assert not any(isinstance(p, Arc) for p in drawing.parts)
    return put_ties(drawing, "fixed", [("p1",)])


class OpenRuns(EditorCase):
    """Profiles that do not close."""

    def test_a_skin_is_drawn_by_mouse(self) -> None:
        """An open run does not take the section's place until it is told to; on all stations it makes a skin, shown and built
        as one; undo goes back to the solid."""
        desk = self.window.desk
        start = desk.design
        station = self.open()
        self.key(Qt.Key.Key_W)
        for x, y in ((-30, 0), (-10, 18), (20, 18), (34, 0)):
            self.click_at(x, y)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        drawing = self.canvas.key
        self.assertNotIsInstance(desk.held.stations[0].section, Drawn)
        panel = self.window.room.panel
        QTest.mouseClick(next(b for b in panel.findChildren(QPushButton) if "for a skin" in b.text()), LEFT)
        self.assertEqual(edits.find(desk.held.stations, station).section, Drawn(drawing))
        self.wait(lambda: any("mixture of open and closed" in f.text for f in desk.quick.findings), "the finding")
        self.keys("Ctrl+Return")
        desk.select(tuple(s.id for s in desk.held.stations))
        self.window.room.link(drawing)
        self.settle()
        self.with_solids()
        self.wait(lambda: isinstance(desk.solid, Built) and not desk.building, "the skin", 60)
        self.assertEqual((desk.solid.pieces, desk.solid.valid, len(desk.solid.names)), (0, True, 3))
        self.assertIn("Skin: valid, 3 faces", self.window.foot.solid_label.text())
        while desk.session.undo_title:
            self.window.run_command("undo")
        self.assertEqual(desk.design, start)
