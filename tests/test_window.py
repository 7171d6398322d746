"""The real window, driven by mouse and keyboard events off screen."""

from __future__ import annotations

import contextlib
import json
import math
import os
import signal
import tempfile
import time
import unittest
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from unittest import mock

import shiboken6
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication, QKeySequence, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMenu, QMessageBox, QWidget

from isotomon.app.board.board import Board
from isotomon.app.shell.main import make_window, scratch_settings, solid_ready, wait_for
from isotomon.app.shell.window import Window
from isotomon.app.state.engine import Engine
from isotomon.design import station_edits
from isotomon.design.file import encode, load
from isotomon.kernel.protocol import Built, Failed
from isotomon.samples import sample
from isotomon.solids.supervisor import Supervisor
from tests.helpers import changed, shared_supervisor
from tests.test_solid import grandchildren

TABLE = """station,position_mm,section,chord_mm,set_angle_deg,target_area_mm2,band_percent
root,0,circle,60,0,2827.4,1
mid,100,naca:4418,120,20,2000,1
far,200,naca:2412,90,8,,
tip,300,naca:2412,70,2,401,1
"""
SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
LEFT = Qt.MouseButton.LeftButton


class WithWindow(unittest.TestCase):
    """A window on a table, with its own settings and recovery folder."""

    def setUp(self) -> None:
        self.scratch = tempfile.TemporaryDirectory()
        self.folder = Path(self.scratch.name)
        (self.folder / "blade.csv").write_text(TABLE)
        (self.folder / "recovery").mkdir()
        self.window = make_window(scratch_settings(self.folder), self.folder / "recovery", Engine(self.worker()))
        self._want = self.window.desk.engine.solids.want
        self.window.desk.engine.solids.want = lambda quick: None
        # A smooth frame takes ten times as long as a quick one.
        self.window.view._still.setInterval(3000)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.activateWindow()
        self.assertTrue(QTest.qWaitForWindowActive(self.window, 5000))
        self.keys("Ctrl+Shift+O", answer=self.folder / "blade.csv")
        self.wait(
            lambda: self.window.desk.quick is not None and self.window.desk.quick.full is not None, "the table's body"
        )

    def tearDown(self) -> None:
        with mock.patch.object(Window, "closeEvent", lambda w, e: e.accept()):
            self.window.close()
        self.window.desk.engine.close()
        self.window.view.close_scene()
        QApplication.processEvents()
        shiboken6.delete(self.window)
        self.scratch.cleanup()

    def with_solids(self) -> None:
        """Have solids built from now on, which most tests do without: it takes the worker's time."""
        desk = self.window.desk
        desk.engine.solids.want = self._want
        if desk.design is not None:
            desk.engine.show(desk.design, desk.hand)

    def worker(self) -> Supervisor | None:
        """The worker that builds this window's solids; None for one of its own."""
        return shared_supervisor()

    # Doing

    def wait(self, ready: Callable[[], bool], what: str, seconds: float = 60.0) -> None:
        """Let the application run until something holds."""
        self.assertTrue(wait_for(ready, seconds), f"waited in vain for {what}")

    def settle(self) -> None:
        """Until the newest design is shown at rest."""
        desk = self.window.desk
        self.wait(
            lambda: (
                desk.quick is not None
                and desk.quick.full is not None
                and desk.quick.design == desk.design
                and desk.quick.body.id == desk.hand
            ),
            "the rebuild",
        )

    def keys(self, sequence: str, answer: Path | None = None, widget: QWidget | None = None) -> None:
        """Press a shortcut; a file dialog it opens is answered."""
        names = ("getOpenFileName", "getSaveFileName")
        with (
            mock.patch.object(QFileDialog, names[0], return_value=(str(answer or ""), "")),
            mock.patch.object(QFileDialog, names[1], return_value=(str(answer or ""), "")),
        ):
            QTest.keySequence(widget or self.window, QKeySequence(sequence))
            QApplication.processEvents()

    def action(self, words: str) -> None:
        """Found by typing, and done."""
        self.window.activateWindow()
        self.wait(self.window.isActiveWindow, "the window to the front")
        self.keys("Ctrl+K")
        QTest.keyClicks(self.window.finder.query, words)
        QTest.keyClick(self.window.finder.query, Qt.Key.Key_Return)
        QApplication.processEvents()

    def choose(self, name: str) -> str:
        """Click a station's handle on the Board."""
        key = next(s.id for s in self.body.stations if s.name == name)
        QTest.mouseClick(
            self.window.board, LEFT, Qt.KeyboardModifier.NoModifier, self.window.board.handle_of(key).toPoint()
        )
        self.assertEqual(self.window.desk.selected_stations(), (key,))
        return key

    def type(self, edit: QLineEdit, text: str, end: Qt.Key = Qt.Key.Key_Return) -> None:
        """Replace a field's text and press a key."""
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, text)
        QTest.keyClick(edit, end)
        QApplication.processEvents()

    def drag(self, widget: QWidget, start: QPoint, end: QPoint, steps: int = 6, release: bool = True) -> None:
        """Press, move in steps, release."""
        QTest.mousePress(widget, LEFT, Qt.KeyboardModifier.NoModifier, start)
        for k in range(1, steps + 1):
            QTest.mouseMove(widget, start + (end - start) * k / steps)
            QApplication.processEvents()
        if release:
            QTest.mouseRelease(widget, LEFT, Qt.KeyboardModifier.NoModifier, end)
            QApplication.processEvents()

    @property
    def design(self):
        """The design as it is."""
        return self.window.desk.design

    @property
    def body(self):
        """The body in hand."""
        return self.window.desk.held

    def station(self, name: str):
        """A station by name."""
        return next(s for s in self.body.stations if s.name == name)


class TheWholeJob(WithWindow):
    """A blade designer's job from a table to a file another program takes."""

    def test_table_edit_scrub_drag_insert_undo_save_export(self) -> None:
        """Each step by mouse and keys; undo and redo give the same bytes; the file reopens equal; STEP is written."""
        w = self.window
        history = [encode(self.design)]
        self.assertEqual([f.where for f in w.desk.quick.findings], ["station mid"])
        self.assertIn("1 out of band", w.foot.count_button.text())

        self.choose("mid")
        self.type(w.details.fields["chord"].edit, "127 mm")
        self.settle()
        history.append(encode(self.design))
        self.assertEqual(self.station("mid").chord, 127.0)
        self.assertEqual(w.desk.quick.findings, ())
        self.assertIn("All in band", w.foot.count_button.text())

        label = w.details.fields["set_angle"].label
        self.drag(label, QPoint(10, 8), QPoint(50, 8))
        self.settle()
        history.append(encode(self.design))
        self.assertAlmostEqual(self.station("mid").set_angle, 0.3490658503988659 + 20 * 0.0017453292519943296, places=9)
        self.assertEqual(w.desk.session.undo_title, "change set angle")

        board = w.board
        key = self.choose("far")
        start = board.handle_of(key).toPoint()
        self.drag(board, start, start + QPoint(82, 3))
        self.settle()
        history.append(encode(self.design))
        moved = self.station("far").position
        self.assertTrue(215.0 < moved < 240.0)
        self.assertEqual(2 * moved, round(2 * moved))

        before = w.desk.quick.shape
        stations = w.desk.quick.resolved.stations
        box = board.layout_now()
        plus = QPoint(round((box.x(stations[0].position) + box.x(stations[1].position)) / 2), round(box.rail))
        QTest.mouseClick(board, LEFT, Qt.KeyboardModifier.NoModifier, plus)
        self.settle()
        history.append(encode(self.design))
        self.assertEqual(len(self.body.stations), 5)
        after = w.desk.quick.shape
        v = before.v
        gap = abs(before.field.sections(v).control - after.field.sections(v).control).max()
        self.assertLess(gap, self.design.tolerance)

        for state in reversed(history[:-1]):
            self.keys("Ctrl+Z")
            self.assertEqual(encode(self.design), state)
        for state in history[1:]:
            self.keys("Ctrl+Shift+Z")
            self.assertEqual(encode(self.design), state)

        path = self.folder / "blade.isotomon"
        self.keys("Ctrl+S", answer=path)
        self.assertEqual(encode(load(path)), history[-1])
        self.assertFalse(w.desk.session.dirty)
        self.keys("Ctrl+N")
        self.assertEqual(len(self.body.stations), 2)
        self.keys("Ctrl+O", answer=path)
        self.settle()
        self.assertEqual(encode(self.design), history[-1])
        self.assertEqual(w.files.recent()[0], path)

        step = self.folder / "blade.step"
        self.keys("Ctrl+Shift+E", answer=step)
        self.wait(step.exists, "the STEP file")
        self.wait(lambda: "Wrote blade.step" in w.foot.message.text(), "word of the STEP file")
        self.assertIn("MANIFOLD_SOLID_BREP", step.read_text())

    def test_a_drag_is_given_up_and_stops_at_its_neighbours(self) -> None:
        """Esc during a drag changes nothing; a drag past a neighbour ends before it; one drag is one undo."""
        board, before = self.window.board, encode(self.design)
        key = self.choose("mid")
        start = board.handle_of(key).toPoint()
        self.drag(board, start, start + QPoint(60, 0), release=False)
        self.wait(lambda: self.window.desk.quick.design != self.design, "the preview")
        QTest.keyClick(board, Qt.Key.Key_Escape)
        QTest.mouseRelease(board, LEFT, Qt.KeyboardModifier.NoModifier, start + QPoint(60, 0))
        self.settle()
        self.assertEqual(encode(self.design), before)
        self.drag(board, start, start + QPoint(1100, 0))
        self.settle()
        self.assertTrue(195.0 < self.station("mid").position < 200.0)
        self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), before)

    def test_a_drag_ends_where_the_board_shows_no_stations_any_more(self) -> None:
        """Sections cut another way come while a station is dragged: nothing is thrown, nothing changed. Two stations cannot be exchanged
        before both are worked out."""
        board, before, desk = self.window.board, encode(self.design), self.window.desk
        start = board.handle_of(self.choose("mid")).toPoint()
        self.drag(board, start, start + QPoint(20, 0), release=False)
        at = QPointF(start + QPoint(30, 0))
        move = QMouseEvent(QEvent.Type.MouseMove, at, at, LEFT, LEFT, Qt.KeyboardModifier.NoModifier)
        with mock.patch.object(Board, "otherwise", object()), mock.patch.object(board, "_hover"):
            board.mouseMoveEvent(move)
        self.assertIsNone(board._drag)
        QTest.mouseRelease(board, LEFT, Qt.KeyboardModifier.NoModifier, start + QPoint(30, 0))
        self.settle()
        self.assertEqual(encode(self.design), before)
        resolved = replace(desk.quick.resolved, stations=desk.quick.resolved.stations[:-1])
        desk.select((self.body.stations[-1].id,))
        with mock.patch.object(desk, "quick", replace(desk.quick, resolved=resolved)):
            self.window.run_command("exchange")
        self.assertIn("being worked out still", self.window.foot.message.text())
        self.assertEqual(encode(self.design), before)

    def test_scrub_given_up_with_esc(self) -> None:
        """Esc during a scrub brings the value back."""
        before = encode(self.design)
        self.choose("tip")
        label = self.window.details.fields["chord"].label
        self.drag(label, QPoint(10, 8), QPoint(90, 8), release=False)
        QTest.keyClick(label, Qt.Key.Key_Escape)
        QTest.mouseRelease(label, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(90, 8))
        self.settle()
        self.assertEqual(encode(self.design), before)
        self.assertEqual(self.window.details.fields["chord"].edit.text(), "70")


class Editing(WithWindow):
    """Fields, grid, laws, tools."""

    def test_wrong_input_is_explained_beside_the_field(self) -> None:
        """Text, a bad formula and an impossible size change nothing and say why; Esc brings the value back."""
        self.choose("tip")
        field, before = self.window.details.fields["chord"], encode(self.design)
        for text, words in (
            ("abc", "'abc' is not known"),
            ("5 deg", "is an angle where a length is needed"),
            ("-5", "greater than zero"),
            ("2*", "not a number"),
        ):
            self.type(field.edit, text)
            self.assertIn(words, field.wrong.text())
            self.assertFalse(field.wrong.isHidden())
            self.assertEqual(encode(self.design), before)
            QTest.keyClick(field.edit, Qt.Key.Key_Escape)
        self.assertEqual(field.edit.text(), "70")
        wheel = QWheelEvent(
            QPointF(5, 5),
            QPointF(5, 5),
            QPoint(),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        self.window.board.setFocus()
        QApplication.sendEvent(field.edit, wheel)
        self.assertEqual(encode(self.design), before)

    def test_a_formula_on_a_named_number_drives_stations(self) -> None:
        """A number made by keys, used in a field, changed by name: the body follows; it cannot be removed while used."""
        w = self.window
        self.keys("Ctrl+Shift+N")
        number = self.design.numbers[0]
        line = next(e for e in w.details.findChildren(QLineEdit) if e.accessibleName() == "Name")
        self.type(line, "girth")
        self.assertEqual(self.design.numbers[0].name, "girth")
        self.choose("root")
        self.type(w.details.fields["chord"].edit, "girth * 0.5")
        self.settle()
        self.assertEqual(self.station("root").chord, "girth * 0.5")
        self.assertEqual(w.details.fields["chord"].result.text(), "= 50")
        w.desk.select((number.id,))
        self.type(w.details.fields["value"].edit, "12 cm")
        self.settle()
        self.assertAlmostEqual(w.desk.quick.resolved.stations[0].chord, 60.0)
        w.board.setFocus()
        self.keys("Del", widget=w.board)
        self.assertIn("used by station root chord", w.foot.message.text())
        # Dragging what a formula drives offers the number behind it.
        self.choose("root")
        self.drag(w.details.fields["chord"].label, QPoint(10, 8), QPoint(60, 8))
        menu = QApplication.activePopupWidget()
        self.assertIsInstance(menu, QMenu)
        self.assertIn("Change the number 'girth'…", [action.text() for action in menu.actions()])
        QTest.keyClick(menu, Qt.Key.Key_Escape)
        self.assertEqual(self.station("root").chord, "girth * 0.5")

    def test_the_grid_pastes_fills_and_copies(self) -> None:
        """A block from the clipboard is one step, whole or not at all; fill down and copy do as in a spreadsheet."""
        w = self.window
        self.keys("Ctrl+T")
        grid = w.grid
        self.assertTrue(grid.isVisible())
        model = grid.model()
        grid.setFocus()
        grid.setCurrentIndex(model.index(1, 3))
        QGuiApplication.clipboard().setText("130\t21\n95 mm\t0.02 turn\n")
        self.keys("Ctrl+V", widget=grid)
        self.settle()
        self.assertEqual((self.station("mid").chord, self.station("far").chord), (130.0, 95.0))
        self.assertAlmostEqual(self.station("far").set_angle, 0.12566370614359174)
        before = encode(self.design)
        QGuiApplication.clipboard().setText("131\nx y\n")
        self.keys("Ctrl+V", widget=grid)
        self.assertEqual(encode(self.design), before)
        self.assertIn("Nothing was changed", w.foot.message.text())
        selection = grid.selectionModel()
        for row in (1, 2, 3):
            selection.select(model.index(row, 2), selection.SelectionFlag.Select)
        self.keys("Ctrl+D", widget=grid)
        self.settle()
        self.assertEqual(self.station("tip").section, self.station("mid").section)
        grid.clearSelection()
        selection.select(model.index(1, 3), selection.SelectionFlag.Select)
        self.keys("Ctrl+C", widget=grid)
        self.assertEqual(QGuiApplication.clipboard().text().strip(), "130")
        self.keys("Ctrl+Z")
        self.keys("Ctrl+Z")
        self.assertEqual(self.station("mid").chord, 120.0)

    def test_tools_sections_laws_and_the_finder(self) -> None:
        """Change a section, add a law, find an action by typing; each makes its thing at once and Esc or undo takes it back."""
        w = self.window
        self.choose("tip")
        line = next(e for e in w.details.findChildren(QLineEdit) if e.accessibleName() == "Section")
        self.type(line, "ellipse:0.3")
        self.settle()
        self.assertEqual(w.desk.quick.shape.curves.area[-1].round(3), round(3.141592653589793 / 4 * 0.3 * 4900, 3))
        self.keys("Ctrl+K")
        QTest.keyClicks(w.finder.query, "turn law")
        QTest.keyClick(w.finder.query, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.body.laws[-1].quality, "turn")
        self.assertEqual(w.desk.selection, (self.body.laws[-1].id,))
        form_band = next(e for e in w.details.findChildren(QLineEdit) if "percentage" in e.toolTip())
        self.type(form_band, "0.25")
        self.assertAlmostEqual(self.body.laws[-1].band, 0.004363323129985824)
        self.keys("Ctrl+Shift+T")
        self.settle()
        self.assertEqual(len(self.body.stations), 5)
        self.assertEqual(w.desk.quick.resolved.stations[-1].position, 400.0)
        w.board.setFocus()
        self.keys("Del", widget=w.board)
        self.assertEqual(len(self.body.stations), 4)
        self.keys("F8")
        self.assertTrue(w.findings.isVisible())
        self.keys("Ctrl+F8")
        self.assertIn("station tip", w.foot.message.text())
        w.desk.do("drop the laws", lambda d: changed(d, laws=()))
        self.settle()
        self.assertEqual(w.foot.message.text(), "")

    def test_themes_views_and_help(self) -> None:
        """Both themes paint; the View turns, zooms to the pointer and picks; help opens."""
        w = self.window
        light = w.grab().toImage().pixelColor(640, 60).lightness()
        self.keys("Ctrl+Shift+L")
        dark = w.grab().toImage().pixelColor(640, 60).lightness()
        self.assertGreater(light, 200)
        self.assertLess(dark, 80)
        view, camera = w.view, w.view.camera
        self.drag(view, QPoint(200, 200), QPoint(260, 220))
        self.assertFalse((view.camera.ahead == camera.ahead).all())
        view.setFocus()
        self.keys("2", widget=view)
        self.assertEqual(tuple(view.camera.ahead), (1.0, 0.0, 0.0))
        key = next(s.id for s in self.body.stations if s.name == "far")
        line = view.camera.project(view._drawn.outlines[key], view.width(), view.height())
        spot = QPoint(*(round(float(c)) for c in line[len(line) // 3]))
        QTest.mouseMove(view, spot)
        self.assertEqual(view.hovered, key)
        QTest.mouseClick(view, LEFT, Qt.KeyboardModifier.NoModifier, spot)
        self.assertEqual(w.desk.selected_stations(), (key,))
        at = QPointF(120.0, 90.0)
        scale = view.camera.height / view.height()
        right, up, _ = view.camera.axes()

        def under() -> object:
            s = view.camera.height / view.height()
            return view.camera.target + (at.x() - view.width() / 2) * s * right + (view.height() / 2 - at.y()) * s * up

        fixed = under()
        view._zoom(1.5, at)
        self.assertLess(abs(under() - fixed).max(), 1e-9)
        self.assertLess(view.camera.height / view.height(), scale)
        self.keys("F1")
        self.assertTrue(w.help_sheet.isVisible())
        w.help_sheet.close()

    def test_hovering_the_board_shows_the_live_section(self) -> None:
        """Over the curves the View and the body plan show the section there; leaving hides it."""
        w = self.window
        QTest.mouseMove(w.board, QPoint(600, round(w.board.layout_now().area.center().y())))
        self.assertFalse(math.isnan(w.view._wanted.live))
        self.assertIsNotNone(w.body_plan._live)
        QApplication.sendEvent(w.board, QEvent(QEvent.Type.Leave))
        self.assertTrue(math.isnan(w.view._wanted.live))


class Survival(WithWindow):
    """Cancel, crashes, files that cannot be opened, unsaved work."""

    def worker(self) -> Supervisor | None:
        return None

    def freeze(self) -> int:
        """Ask for a solid and freeze its step."""
        w = self.window
        self.with_solids()
        self.wait(lambda: solid_ready(w), "the first solid")
        self.choose("mid")
        self.type(w.details.fields["chord"].edit, str(100 + time.monotonic() % 20))
        pid = w.desk.engine.supervisor.pid
        self.wait(lambda: bool(grandchildren(pid)), "the step", 20)
        step = grandchildren(pid)[0]
        os.kill(step, signal.SIGSTOP)
        return step

    def test_a_rebuild_is_cancelled_and_made_again(self) -> None:
        """The cancel button ends a step that hangs; the next rebuild works."""
        w = self.window
        self.freeze()
        self.wait(lambda: w.foot.cancel_button.isVisible(), "the cancel button")
        QTest.mouseClick(w.foot.cancel_button, LEFT)
        self.wait(lambda: isinstance(w.desk.solid, Failed) and not w.desk.building, "the cancel", 3)
        self.keys("F5")
        self.wait(lambda: isinstance(w.desk.solid, Built) and solid_ready(w), "the solid")

    def test_a_killed_worker_is_told_and_the_solid_comes_again(self) -> None:
        """Killed in a step, the worker is missed within 3 s in words; an edit meanwhile is not lost; F5 builds again."""
        w = self.window
        self.freeze()
        os.kill(w.desk.engine.supervisor.pid, signal.SIGKILL)
        self.wait(lambda: "solid worker stopped" in w.foot.message.text(), "the message", 3)
        chord = self.station("mid").chord
        self.keys("F5")
        self.wait(lambda: isinstance(w.desk.solid, Built) and solid_ready(w), "the solid")
        self.assertEqual(self.station("mid").chord, chord)

    def test_the_window_never_waits_for_a_stopped_worker(self) -> None:
        """While the whole worker stands still, and does not even read what it is sent, edits are shown at rest, one by one, undone and saved, by
        a window that goes on; once it runs again, or another does, the solid of the newest design comes."""
        w = self.window
        self.with_solids()
        self.wait(lambda: solid_ready(w), "the first solid")
        worker = w.desk.engine.supervisor.pid
        os.kill(worker, signal.SIGSTOP)
        ticks: list[int] = []
        timer = QTimer()
        timer.timeout.connect(lambda: ticks.append(1))
        timer.start(1)
        before = w.desk.solid_key
        for step in range(8):
            told, was = len(ticks), w.desk.quick
            w.desk.do("wider", lambda d, k=step: station_edits.change_station(d, "s2", chord=101.0 + k))  # type: ignore[misc]
            self.settle()
            self.assertIsNot(w.desk.quick, was)
            self.assertGreater(len(ticks), told)  # it went on between
        self.assertEqual(w.desk.solid_key, before)
        self.keys("Ctrl+Z")
        self.settle()
        w.files.save_to(self.folder / "while.isotomon")
        self.assertEqual(load(self.folder / "while.isotomon"), w.desk.design)
        with contextlib.suppress(ProcessLookupError):  # it has been replaced meanwhile
            os.kill(worker, signal.SIGCONT)
        self.wait(lambda: isinstance(w.desk.solid, Built) and solid_ready(w), "the newest solid", 90)

    def test_what_cannot_be_opened_changes_nothing(self) -> None:
        """A bad table dropped, a missing design opened: one sentence, the design stays."""
        w, before = self.window, encode(self.design)
        bad = self.folder / "bad.csv"
        bad.write_text(TABLE.replace("naca:4418", "nacka"))
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(bad))])
        drop = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
        w.dropEvent(drop)
        self.assertIn("line 3, column 'section': 'nacka' is not a known section", w.foot.message.text())
        self.keys("Ctrl+O", answer=self.folder / "none.isotomon")
        self.assertIn("does not exist", w.foot.message.text())
        self.keys("Ctrl+Shift+S", answer=self.folder / "no" / "x.isotomon")
        self.assertIn("cannot be written", w.foot.message.text())
        self.assertEqual(encode(self.design), before)
        foil = self.folder / "foil.dat"
        foil.write_text("1 0\n0 0\n")
        self.choose("tip")
        w.tools.put_foil(foil)
        self.assertIn("2 points; a foil needs 8", w.foot.message.text())
        self.assertEqual(encode(self.design), before)

    def test_unsaved_work_is_kept_and_asked_about(self) -> None:
        """An edit is on disk at once; closing asks; staying stays; saving removes the copy."""
        w = self.window
        self.choose("mid")
        self.type(w.details.fields["chord"].edit, "111")
        kept = list((self.folder / "recovery").glob("*.isotomon"))
        self.assertEqual(json.loads(kept[0].read_bytes())["bodies"][0]["stations"][1]["chord"], 111.0)
        asked: list[str] = []
        with mock.patch.object(QMessageBox, "exec", lambda box: asked.append(box.text())):
            self.assertFalse(w.files.may_leave())
        self.assertIn("not saved", asked[0])
        self.keys("Ctrl+S", answer=self.folder / "kept")
        self.assertTrue((self.folder / "kept.isotomon").exists())
        self.assertEqual(list((self.folder / "recovery").glob("*")), [])
        self.assertTrue(w.files.may_leave())

    def test_the_start_page_offers_demos_and_recovered_work(self) -> None:
        """The demo opens by a click; a crashed session's work is offered and comes back."""
        w = self.window
        left = self.folder / "recovery" / "session-999999999.isotomon"
        left.write_bytes(encode(sample("reach-blade")))
        left.with_suffix(".note").write_text(json.dumps({"path": "", "pid": 999999999, "time": 1.0}))
        self.keys("Ctrl+Home")
        cards = {
            c.accessibleName(): c
            for c in w.start_page.findChildren(QWidget)
            if c.objectName() == "card" and c.isVisible()
        }
        QTest.mouseClick(cards["Recover unsaved work on reach-blade"], LEFT)
        self.settle()
        self.assertEqual(len(self.body.stations), 12)
        self.assertTrue(w.desk.session.dirty)
        self.assertFalse(left.exists())
