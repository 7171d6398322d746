"""Datums in the window: made from what is chosen, changed in Details, dragged in the View, hidden with a key."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox

from isotomon.design import edits, station_edits
from isotomon.design.datums import CONSTRUCTIONS
from isotomon.design.file import encode
from isotomon.geometry.datums import Plane
from tests.test_window import LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier


class DatumTools(WithWindow):
    def test_made_changed_dragged_hidden_and_stood_on(self) -> None:
        """A plane made from a chosen station moves by its field and by a drag; a new station stands on it; D hides all."""
        window, desk = self.window, self.window.desk
        assert desk.design is not None and desk.session is not None
        self.settle()
        before = encode(desk.design)
        desk.select((desk.held.stations[3].id,))
        window.run_command("datum-parallel")
        key = desk.design.datums[0].id
        self.assertEqual(desk.design.datums[0].on, (desk.held.stations[3].id,))
        self.settle()
        plane = desk.quick.datums[key]
        assert isinstance(plane, Plane)
        self.assertAlmostEqual(plane.origin[2], 350.0)
        self.type(window.details.fields["0"].edit, "80 mm")
        self.settle()
        view = window.view
        line = view.camera.project(view._drawn.datums[key][0], view.width(), view.height())
        start = QPoint(*np.round((line[0] + line[1])[:2] / 2).astype(int).tolist())
        along = view.camera.project(np.array([[0, 0, 0.0], [0, 0, 40.0]]), view.width(), view.height())
        way = (along[1] - along[0])[:2]
        end = start + QPoint(*np.round(way).astype(int).tolist())
        self.assertEqual(view.pick(start.toPointF()), key)
        self.drag(view, start, end)
        self.settle()
        moved = desk.design.datums[0].values[0]
        self.assertAlmostEqual(moved, 80.0 + 40.0, delta=3.0)  # type: ignore[arg-type]
        window.run_command("station")
        self.settle()
        self.assertEqual(desk.held.stations[-1].plane, key)
        self.assertAlmostEqual(desk.quick.resolved.stations[-1].position, 300.0 + moved, delta=1e-9)  # type: ignore[operator]
        desk.select((key,))
        self.assertTrue(view.datums_shown)
        view.setFocus()
        QTest.keyClick(view, Qt.Key.Key_D)
        self.assertFalse(view.datums_shown)
        self.assertEqual(view.pick(start.toPointF()) == key, False)
        window.run_command("remove")
        self.assertIn("stands on", window.foot.message.text())
        while desk.session.undo_title:
            self.keys("Ctrl+Z")
        self.assertEqual(encode(desk.session.design), before)

    def test_every_tool_has_defaults_or_says_why_not(self) -> None:
        """Each construction is made from nothing chosen, or its command says what it needs; a lost source is picked again."""
        window, desk = self.window, self.window.desk
        assert desk.design is not None
        for kind in CONSTRUCTIONS:
            with self.subTest(kind):
                count = len(desk.design.datums)
                reason = window.datums.reason(kind)
                window.run_command(f"datum-{kind}")
                self.assertEqual(len(desk.design.datums), count + (0 if reason else 1), reason)
        self.settle()
        desk.select((desk.held.stations[1].id,))
        window.run_command("datum-centre")
        key = desk.design.datums[-1].id
        self.assertTrue(desk.design.datums[-1].on[0].startswith("s2"))
        desk.do("remove", lambda d: station_edits.remove_stations(d, ("s2",)))
        self.settle()
        self.assertTrue(any(f.about == key and "ick again" in f.text for f in desk.quick.findings))
        desk.select((key,))
        box = window.details.widget().findChildren(QComboBox)[0]
        self.assertIn("pick again", box.itemText(0))
        box.setCurrentIndex(1)
        box.activated.emit(1)
        self.settle()
        self.assertFalse(any(f.about == key for f in desk.quick.findings))

    def test_bring_in_follows(self) -> None:
        """A datum point brought into a drawing stays in step with it."""
        window, desk = self.window, self.window.desk
        assert desk.design is not None
        window.run_command("datum-coordinates")
        key = desk.design.datums[0].id
        desk.select((desk.held.stations[0].id,))
        self.keys("F6")
        room = window.room
        self.assertEqual(room.bring_in(key), "")
        self.assertEqual(room.bring_in("x"), "")
        desk.do("move", lambda d: edits.set_datum_value(d, key, 0, 25.0))
        self.settle()
        point = room.editor.drawing.points[0]
        self.assertLess(math.hypot(point.x - 25.0, point.y), 1e-9)
        self.assertEqual(room.editor.drawing.parts[0].role, "construction")
        QTest.mouseClick(room.editor, LEFT, NONE, QPoint(5, 5))

    def test_a_station_is_moved_turned_and_tilted_by_its_grips(self) -> None:
        """Each grip of the chosen station changes its own fields, as one step; Details show it."""
        window, desk = self.window, self.window.desk
        assert desk.design is not None and desk.session is not None
        key = desk.held.stations[1].id
        desk.select((key,))
        self.settle()
        view = window.view
        for kind, fields in (
            ("move", ("offset_x", "offset_y")),
            ("turn", ("set_angle",)),
            ("tilt_x", ("tilt_x",)),
            ("tilt_y", ("tilt_y",)),
        ):
            with self.subTest(kind):
                station = next(s for s in desk.held.stations if s.id == key)
                before = [getattr(station, f) for f in fields]
                x, y = view.camera.project(view.handles[kind].place[None], view.width(), view.height())[0][:2].tolist()
                start = QPoint(round(x), round(y))
                self.drag(view, start, start + QPoint(9, -14))
                self.settle()
                station = next(s for s in desk.held.stations if s.id == key)
                self.assertNotEqual([getattr(station, f) for f in fields], before)
                end = view.camera.project(view.handles[kind].place[None], view.width(), view.height())[0][:2]
                if kind == "move":
                    self.assertLess(float(np.hypot(*(end - np.array([x + 9, y - 14])))), 3.0)
        self.assertEqual(desk.session.undo_title, "tilt about Y the station")
