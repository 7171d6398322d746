"""Parts of the window one by one: Board, body plan, Ledger, law form, finder, settings, menus."""

from __future__ import annotations

import math
import sys
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PySide6.QtCore import QMimeData, QObject, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QContextMenuEvent, QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QMenu, QWidget

from isotomon.app.board.layout import Layout, nice_step
from isotomon.app.forms.law import LawForm
from isotomon.app.shell.commands import COMMANDS, MENUS, STAGES
from isotomon.app.shell.finder import HELP, matches
from isotomon.app.shell.main import application, run_events, wait_for
from isotomon.app.state.later import Later
from isotomon.app.theme import ASSETS, FONTS, SLATE, VELLUM, station_colour
from isotomon.app.viewport.polydata import grid_quads, sparser
from isotomon.design import edits, station_edits
from isotomon.design.file import encode, save
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.inspect.quick import rebuild
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Naca4, Polygon
from isotomon.samples import sample
from tests.helpers import body
from tests.test_window import CTRL, LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two colours. Source: WCAG 2.1, relative luminance."""

    def light(colour: str) -> float:
        parts = [c / 255 for c in QColor(colour).getRgb()[:3]]
        r, g, b = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    high, low = sorted((light(a), light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


class Tables(unittest.TestCase):
    """What needs no window."""

    def test_every_command_is_reachable_and_described(self) -> None:
        """Ids and shortcuts are used once; menus and stages name only what exists; tools have icons and tips."""
        ids = [c.id for c in COMMANDS]
        keys = [c.shortcut for c in COMMANDS if c.shortcut]
        self.assertEqual(len(set(ids)), len(ids))
        self.assertEqual(len(set(keys)), len(keys))
        in_menus = {key for menu in MENUS.values() for key in menu if key}
        self.assertLessEqual(in_menus, set(ids))
        for command in COMMANDS:
            self.assertTrue(command.stage in STAGES or command.id in in_menus or command.shortcut, command.id)
            if command.stage:
                pictured = (ASSETS / "icons" / f"{command.icon}.svg").exists()
                self.assertTrue(command.tip and (pictured or command.family or command.drawing), command.id)

    def test_text_and_marks_keep_their_contrast(self) -> None:
        """Text has 4.5:1 on every ground of both themes, marks and station colours 3:1."""
        for theme in (VELLUM, SLATE):
            for ground in (theme.paper, theme.panel, theme.field, theme.chosen):
                self.assertGreaterEqual(contrast(theme.ink, ground), 4.5)
            for ground in (theme.paper, theme.panel, theme.field):
                self.assertGreaterEqual(contrast(theme.soft_ink, ground), 4.5)
            for mark in (
                theme.accent,
                theme.attention,
                theme.failure,
                *(station_colour(theme, k / 10).name() for k in range(11)),
            ):
                self.assertGreaterEqual(contrast(mark, theme.panel), 3.0, (theme.name, mark))

    def test_fonts_icons_and_licences_are_shipped(self) -> None:
        """The font and the icons lie in the package with their licences."""
        self.assertTrue((FONTS / "Lato-LICENSE.txt").read_text().count("OFL"))
        self.assertIn("ISC License", (ASSETS / "icons" / "LICENSE-lucide.txt").read_text())

    def test_round_steps_and_the_finder(self) -> None:
        """Steps are 1, 2 or 5 times a power of ten; words match in any order."""
        for span, count, step in ((100, 10, 10), (1150, 12, 100), (0.37, 5, 0.1), (7, 3, 5), (1e-6, 2, 5e-7)):
            self.assertAlmostEqual(nice_step(span, count) / step, 1.0, places=9)
        self.assertTrue(matches("step sol", "Solid as STEP"))
        self.assertFalse(matches("step mesh", "Solid as STEP"))
        box = Layout(1000.0, 260.0, 0.0, 500.0)
        self.assertAlmostEqual(box.position(float(box.x(123.0))), 123.0, places=9)

    def test_what_is_drawn_while_something_moves(self) -> None:
        """Part of the cells of a skin: its ends, all borders of lanes, and no more than every fourth row and second place left out."""
        for outlines in ((Polygon(4), Polygon(4)), (Circle(), Naca4("4415"))):
            ends = tuple(Station(f"s{k}", f"s{k}", 300.0 * k, one, 60.0) for k, one in enumerate(outlines))
            mesh = rebuild(Design("d", bodies=(body("body", "b", ends),))).shape.mesh  # type: ignore[union-attr]
            samples, (n_v, n_u) = mesh.sampling, mesh.points.shape[:2]
            rows = sparser(n_v)
            self.assertEqual((rows[0], rows[-1], int(np.diff(rows).max())), (0, n_v - 1, 4))
            rough = samples.every_other
            self.assertLessEqual(int((rough[:, 1] - rough[:, 0]).max()), 2)
            first = np.flatnonzero(np.r_[True, np.diff(samples.lane) != 0])
            self.assertTrue(set(first.tolist()) <= set(rough.ravel().tolist()))
            self.assertTrue((samples.lane[rough[:, 0]] == samples.lane[rough[:, 1]]).all())
            cells, whole = grid_quads(rows, rough, n_u), grid_quads(np.arange(n_v), samples.quads, n_u)
            self.assertLess(len(cells), len(whole) / 6)
            areas = [_area(mesh.points.reshape(-1, 3), index) for index in (cells, whole)]
            self.assertAlmostEqual(areas[0] / areas[1], 1.0, delta=2e-3)

    def test_what_answers_a_view_that_is_gone_is_dropped(self) -> None:
        """Long work is answered, but no more once what it was shown in is gone."""
        application()
        ready, answers = threading.Event(), list[object]()
        shown_in = QObject()
        later = Later("test", shown_in)
        later.answered.connect(answers.append)
        later.ask(lambda: 1)
        self.assertTrue(wait_for(lambda: answers == [1], 20.0))
        later.ask(ready.wait)
        del shown_in
        ready.set()
        self.assertTrue(wait_for(lambda: all(thread.name != "test" for thread in threading.enumerate()), 20.0))
        run_events()
        self.assertEqual(answers, [1])


def _area(points: np.ndarray, quads: np.ndarray) -> float:
    """mm² of cells, each as two triangles."""
    a, b, c, d = (points[quads[:, k]] for k in range(4))
    return float(sum(np.linalg.norm(np.cross(q - p, r - p), axis=1).sum() for p, q, r in ((a, b, c), (a, c, d))) / 2.0)


class OnTheBoard(WithWindow):
    """Choosing, menus and keys of the Board."""

    def test_keys_and_several_stations(self) -> None:
        """Arrows go from station to station; Ctrl adds; one field then edits all of them in one step."""
        w, board = self.window, self.window.board
        board.setFocus()
        QTest.keyClick(board, Qt.Key.Key_Right)
        self.assertEqual(w.desk.selection, ("s1",))
        QTest.keyClick(board, Qt.Key.Key_Right)
        QTest.keyClick(board, Qt.Key.Key_Right)
        QTest.keyClick(board, Qt.Key.Key_Left)
        self.assertEqual(w.desk.selection, ("s2",))
        QTest.mouseClick(board, LEFT, CTRL, board.handle_of("s3").toPoint())
        QTest.mouseClick(board, LEFT, CTRL, board.handle_of("s4").toPoint())
        self.assertEqual(w.desk.selection, ("s2", "s3", "s4"))
        before = encode(self.design)
        field = w.details.fields["chord"]
        self.assertEqual((field.edit.text(), field.edit.placeholderText()), ("", "differ"))
        self.type(field.edit, "85")
        self.settle()
        self.assertEqual([s.chord for s in self.body.stations], [60.0, 85.0, 85.0, 85.0])
        self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), before)

    def test_the_right_click_menu_inserts_where_it_was_opened(self) -> None:
        """Between stations the menu offers an insertion there; on one it offers what can be done with it."""
        w, board = self.window, self.window.board
        box = board.layout_now()
        spot = QPoint(round(float(box.x(150.0))), round(box.area.center().y()))
        QApplication.sendEvent(board, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, spot, board.mapToGlobal(spot)))
        menu = QApplication.activePopupWidget()
        self.assertIsInstance(menu, QMenu)
        action = next(a for a in menu.actions() if "keeping the shape" in a.text())
        action.trigger()
        menu.close()
        self.settle()
        new = self.body.stations[-1]
        self.assertAlmostEqual(new.position, 150.0, delta=0.6)
        self.assertEqual((new.rank, w.desk.selection), (1, (new.id,)))
        QApplication.processEvents()
        w.board_hands.show_menu("s2", math.nan, QPoint(10, 10))
        menu = QApplication.activePopupWidget()
        self.assertIn("Look straight at", [a.text() for a in menu.actions()])
        menu.close()

    def test_double_click_draws_and_a_key_looks_straight_at_a_station(self) -> None:
        """A double click opens the drawing; back in the View, Ctrl+L looks along the plane's normal."""
        board = self.window.board
        QTest.mouseDClick(board, LEFT, NONE, board.handle_of("s3").toPoint())
        self.assertTrue(self.window.room.editing)
        self.assertEqual(self.window.desk.selection, ("s3",))
        self.keys("Ctrl+Return")
        self.keys("Ctrl+L")
        ahead = self.window.view.camera.axes()[2]
        self.assertAlmostEqual(abs(float(ahead[2])), 1.0, places=9)


class OtherParts(WithWindow):
    """Ledger, body plan, law form, settings, drops."""

    def test_the_ledger_shows_live_figures_and_marks(self) -> None:
        """A station's row has area and angle; ▲ marks the one out of band; a click chooses; figures follow an edit."""
        w = self.window
        row = w.ledger._rows["s2"]
        self.assertTrue(row.text(0).startswith("▲"))
        self.assertEqual(row.text(1), "17.71 cm² · 20°")
        QTest.mouseClick(w.ledger.viewport(), LEFT, NONE, w.ledger.visualItemRect(row).center())
        self.assertEqual(w.desk.selection, ("s2",))
        w.desk.do("chord", lambda d: station_edits.change_station(d, "s2", chord=127.5))
        self.settle()
        self.assertEqual((row.text(0), row.text(1)), ("mid", "19.99 cm² · 20°"))

    def test_the_body_plan_picks_zooms_and_fits(self) -> None:
        """A click on an outline chooses its station; the wheel keeps the point under it; a double click fits again."""
        w, plan = self.window, self.window.body_plan
        pixels = plan.to_pixels(plan._outlines["s1"])
        spot = QPointF(*(float(c) for c in pixels[len(pixels) // 4]))
        QTest.mouseClick(plan, LEFT, NONE, spot.toPoint())
        self.assertEqual(w.desk.selection, ("s1",))
        wheel = QWheelEvent(
            spot, spot, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, NONE, Qt.ScrollPhase.NoScrollPhase, False
        )
        QApplication.sendEvent(plan, wheel)
        after = plan.to_pixels(plan._outlines["s1"])[len(pixels) // 4]
        self.assertLess(abs(after[0] - spot.x()) + abs(after[1] - spot.y()), 1e-6)
        self.assertGreater(plan._zoom, 1.2)
        QTest.mouseDClick(plan, LEFT, NONE, QPoint(5, 60))
        self.assertEqual(plan._zoom, 1.0)

    def told(self, form: QWidget) -> list[str]:
        """What a form's labels say that are seen."""
        return [label.text() for label in form.findChildren(QLabel) if not label.isHidden()]

    def test_the_law_form_edits_points_band_and_judgement(self) -> None:
        """Points are typed in the shown unit, blank removes one; along the body, a formula and wrong input work as told."""
        w = self.window
        w.desk.select(("law1",))
        form = w.details.findChild(LawForm)
        self.assertEqual([form.points.item(r, 0).text() for r in range(3)], ["root", "mid", "tip"])
        self.assertIn("▲", form.points.item(1, 2).text())
        form.points.item(1, 1).setText("1771")
        self.settle()
        self.assertEqual(w.desk.quick.findings, ())
        form = w.details.findChild(LawForm)
        form.points.item(2, 1).setText("")
        self.settle()
        self.assertEqual(len(self.body.laws[0].points), 2)
        form = w.details.findChild(LawForm)
        self.type(form.band, "nonsense %")
        self.assertTrue(any("Nothing was changed" in text for text in self.told(form)))
        self.type(form.band, "25 %")
        self.assertEqual((self.body.laws[0].band, self.body.laws[0].relative), (0.25, True))
        form.judged.setCurrentIndex(1)
        form.judged.activated.emit(1)
        self.settle()
        self.assertEqual(self.body.laws[0].judged, "along")
        form.given_by.activated.emit(1)
        self.settle()
        form = w.details.findChild(LawForm)
        self.type(form.formula, "2827 mm * 1 mm * (1 - fraction) + 400 mm * 1 mm * fraction")
        self.settle()
        self.assertIn("fraction", self.body.laws[0].formula)
        self.type(form.formula, "2 *")
        self.assertTrue(any("not a number or a formula" in text for text in self.told(form)))
        while len(self.body.laws[0].points) != 3:
            self.assertIsNotNone(w.desk.session.undo_title)
            w.board.setFocus()
            self.keys("Ctrl+Z")
        self.settle()
        self.assertEqual(form.points.rowCount(), 3)

    def test_the_body_form_rulings_density_and_units(self) -> None:
        """Straight rulings by choice, mass from a density, figures in the design's unit."""
        w = self.window
        w.desk.select(("body",))
        boxes = {b.accessibleName(): b for b in w.details.findChildren(QComboBox)}
        boxes["Between"].setCurrentIndex(1)
        boxes["Between"].activated.emit(1)
        self.settle()
        self.assertTrue(self.body.loft.ruled)
        self.type(w.details.fields["density"].edit, "1000")
        self.settle()
        text = "".join(label.text() for label in w.details.findChildren(QLabel))
        mass = w.desk.quick.full.body.volume * 1e-6
        self.assertIn(f"{mass:.5g} kg", text)
        w.desk.select(())
        boxes = {b.accessibleName(): b for b in w.details.findChildren(QComboBox)}
        boxes["Unit"].activated.emit(boxes["Unit"].findData("cm"))
        self.settle()
        self.choose("mid")
        self.assertEqual(w.details.fields["chord"].edit.text(), "12")
        self.type(w.details.fields["chord"].edit, "12.7")
        self.assertEqual(self.station("mid").chord, 127.0)

    def test_drops_settings_and_looks(self) -> None:
        """A design dropped opens; theme, stage and recent files are remembered; the body hides and changes its look."""
        w = self.window
        path = self.folder / "dropped.isotomon"
        save(sample("reach-blade"), path)
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        w.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, NONE))
        self.settle()
        self.assertEqual(len(self.body.stations), 12)
        self.assertEqual(w.windowTitle(), "dropped.isotomon – Isotomon")
        w.view.setFocus()
        for look in ("see-through", "lines", "shaded"):
            self.keys("L", widget=w.view)
            self.assertEqual(w.view.look, look)
        self.keys("H", widget=w.view)
        self.assertFalse(w.view.body_shown)
        QTest.mouseClick(w.strip.stages["Check"], LEFT)
        self.keys("Ctrl+Shift+L")
        self.assertEqual((w.settings.value("stage"), w.settings.value("theme")), ("Check", "slate"))
        self.assertEqual([Path(p) for p in w.settings.value("recent")], [path])
        self.keys("Ctrl+B")
        self.assertFalse(w.body_plan.isVisible())
        topics = (
            "view board bodyplan ledger details grid drawing numbers guides ties bodies shaping finish measures shape"
        )
        self.assertEqual(set(HELP), set(topics.split()))

    def test_handles_of_what_is_gone(self) -> None:
        """A handle that goes while it is held is let go as one, and a station without a profile has none."""
        w, heard = self.window, list[str]()
        key = w.desk.body.stations[1].id
        w.desk.select((key,))
        self.settle()
        w.view.datum_pulled.connect(lambda name, *_: heard.append(name))
        self.assertTrue(w.view.handles)
        at = w.view.seen(w.view.handles["move"].place).toPoint()
        QTest.mousePress(w.view, LEFT, NONE, at)
        w.view.handles = {}
        QTest.mouseMove(w.view, at + QPoint(30, 20))
        QTest.mouseRelease(w.view, LEFT, NONE, at + QPoint(30, 20))
        self.assertEqual(heard, [])
        drawing = Drawing("g9", "nothing yet")
        w.desk.do("draw", lambda d: edits.replace(d, drawings=(*d.drawings, drawing)))
        w.desk.do("put", lambda d: station_edits.put_section(d, (key,), Drawn("g9")))
        self.wait(lambda: w.desk.quick is not None and w.desk.quick.design == w.desk.design, "the rebuild")
        self.assertEqual(w.desk.selection, (key,))
        self.assertEqual({name: h.place for name, h in w.view.handles.items() if np.isnan(h.place).any()}, {})

    def test_stations_that_go_while_they_are_dragged(self) -> None:
        """One that the Board still shows is not dragged any more; one that goes meanwhile is let go; base planes are turned about, not
        pulled."""
        w, board = self.window, self.window.board
        old, key = w.desk.quick, w.desk.body.stations[1].id
        at = board.handle_of(key).toPoint()
        w.desk.do("remove", lambda d: station_edits.remove_stations(d, (key,)))
        board.show_quick(old)
        QTest.mousePress(board, LEFT, NONE, at)
        QTest.mouseMove(board, at + QPoint(30, 0))
        self.assertIsNone(board._drag)
        QTest.mouseRelease(board, LEFT, NONE, at + QPoint(30, 0))
        self.keys("Ctrl+Z")
        self.settle()
        QTest.mousePress(board, LEFT, NONE, at)
        QTest.mouseMove(board, at + QPoint(30, 0))
        self.assertEqual(board._drag[0], key)
        board.show_quick(rebuild(station_edits.remove_stations(w.desk.design, (key,))))
        self.assertIsNone(board._drag)
        QTest.mouseMove(board, at + QPoint(40, 0))
        QTest.mouseRelease(board, LEFT, NONE, at + QPoint(40, 0))
        self.settle()
        self.assertIn(key, [station.id for station in self.body.stations])
        # A command for a station that the results do not have yet says so.
        w.desk.do(
            "another", lambda d: station_edits.add_station(d, "body", Station("s77", "newest", 333.0, Circle(), 20.0))
        )
        w.desk.select(("s77",))
        w.run_command("drawn")
        self.assertIn("being worked out still", w.foot.message.text())
        self.keys("Ctrl+Z")
        w.desk.select(("zx",))
        self.settle()
        line, eye = w.view._drawn.datums["zx"][0], w.view.camera
        places = (line[:-1] + np.linspace(0.1, 0.9, 9)[:, None, None] * (line[1:] - line[:-1])).reshape(-1, 3)
        seen = [w.view.seen(place).toPoint() for place in places]
        on = next(at for at in seen if w.view.pick(QPointF(at)) == "zx")
        QTest.mousePress(w.view, LEFT, NONE, on)
        QTest.mouseMove(w.view, on + QPoint(25, 10))
        QTest.mouseMove(w.view, on + QPoint(50, 20))
        QTest.mouseRelease(w.view, LEFT, NONE, on + QPoint(50, 20))
        self.assertIsNot(w.view.camera, eye)

    def test_names_and_notes_are_edited_in_place(self) -> None:
        """Station, body and design names change as one step each; a blank station name is not kept blank."""
        w = self.window
        self.choose("far")
        line = next(e for e in w.details.findChildren(QLineEdit) if e.accessibleName() == "Name")
        self.type(line, "outer")
        self.assertEqual(self.body.stations[2].name, "outer")
        self.assertEqual(w.desk.session.undo_title, "rename the station")
        self.type(line, "  ")
        self.assertEqual(self.body.stations[2].name, "station")
        self.keys("Ctrl+Z")
        self.keys("Ctrl+Z")
        self.assertEqual(self.body.stations[2].name, "far")
        # A name that is still being typed when its station goes, goes with it.
        line = next(e for e in w.details.findChildren(QLineEdit) if e.accessibleName() == "Name")
        line.setFocus()
        QTest.keyClicks(line, "th")
        with mock.patch.object(sys, "excepthook") as told:
            w.desk.do("take it out", lambda d: station_edits.remove_stations(d, (d.bodies[0].stations[2].id,)))
            line.editingFinished.emit()
            QApplication.processEvents()
        told.assert_not_called()
