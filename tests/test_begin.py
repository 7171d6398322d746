"""A new user's first minutes in the real window: begin empty, draw, extrude; hover, note, close; files read beside it."""

from __future__ import annotations

import time
import unittest
from unittest import mock

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QMessageBox, QProgressDialog

from isotomon.app.forms.fields import NoteEdit
from isotomon.app.shell.commands import BY_ID
from isotomon.app.shell.main import solid_ready
from isotomon.app.state.later import read_aside
from isotomon.design import station_edits
from isotomon.design.file import load, save
from isotomon.errors import FileError, IsotomonError
from isotomon.kernel.protocol import Built
from isotomon.pace import checkpoint
from isotomon.profile.section_text import parse_section
from isotomon.quantity import display
from tests.test_window import LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier


class FirstMinutes(WithWindow):
    """By mouse and keys."""

    def test_begin_empty_and_draw_first(self) -> None:
        """An empty design shows its base planes and no body; a rectangle drawn on one is chosen when done, and extruded it is
        the one body there is, also when nothing was chosen, which is said; undo leads back to nothing."""
        w = self.window
        self.keys("Ctrl+Alt+N")
        self.settle_empty()
        self.assertEqual((len(self.body.stations), w.desk.selection), (0, ("xy",)))
        for tool in ("after-hollow", "after-move", "cut-in-two"):  # there is nothing yet that they could be done with
            self.assertIn("no body yet", BY_ID[tool].reason(w))
        self.assertIn("XY plane", [item.text(0) for item in w.ledger._rows.values()])
        self.keys("F6")
        editor = w.room.editor
        w.run_command("rectangle")
        for at in (QPoint(300, 300), QPoint(420, 220)):
            QTest.mouseMove(editor, at)
            QTest.mouseClick(editor, LEFT, NONE, at)
            QApplication.processEvents()
        self.keys("Ctrl+Return")
        drawn = self.design.drawings[-1]
        self.assertEqual((w.desk.selection, drawn.plane, len(drawn.parts)), ((drawn.id,), "xy", 4))
        width, height = np.ptp([(p.x, p.y) for p in drawn.points], axis=0).tolist()
        self.settle_empty()
        told = " ".join(label.text() for label in w.details.findChildren(QLabel))
        self.assertIn("Lies on the XY plane. Not used yet", told)
        self.assertIn(display(width * height, 3), told)
        lines = w.view._drawn.drawings[drawn.id]
        corners = {tuple(np.round(place, 9).tolist()) for line in lines for place in line}
        self.assertEqual(corners, {(p.x, p.y, 0.0) for p in drawn.points})
        w.desk.select(())
        middle = w.view.seen(lines[0].mean(axis=0)).toPoint()
        QTest.mouseClick(w.view, LEFT, NONE, middle)
        self.assertEqual(w.desk.selection, (drawn.id,))
        QTest.mouseDClick(w.view, LEFT, NONE, middle)
        QApplication.processEvents()
        self.assertEqual(w.room.editor.key, drawn.id)
        self.keys("Ctrl+Return")
        w.desk.select(())
        self.keys("Ctrl+Shift+X")
        self.assertIn("the drawing made last", w.foot.message.text())
        self.with_solids()
        self.wait(lambda: solid_ready(w) and isinstance(w.desk.solid, Built), "the block", 30)
        self.assertEqual(len(self.design.bodies), 1)
        self.assertTrue(w.desk.solid.valid and w.desk.solid.watertight)
        while w.desk.session.undo_title:
            w.run_command("undo")
        self.assertEqual((self.design.drawings, self.body.stations), ((), ()))

    def settle_empty(self) -> None:
        """Until the empty design is shown."""
        desk = self.window.desk
        self.wait(lambda: desk.quick is not None and desk.quick.design is desk.design, "the empty design")

    def test_an_edit_while_the_pointer_rests_on_the_board(self) -> None:
        """Another section, of other sizes of arrays, is shown by all views; the section under the pointer is of it, too."""
        w = self.window
        QTest.mouseMove(w.board, QPoint(w.board.width() // 2, int(w.board.layout_now().area.center().y())))
        QApplication.processEvents()
        self.assertIsNotNone(w.body_plan._live)
        for text in ("star:7:0.5", "circle", "polygon:5"):
            w.desk.do("section", lambda d, t=text: station_edits.put_section(d, ("s2",), parse_section(t)))
            self.settle()
            self.assertEqual(
                {id(w.view.quick), id(w.body_plan.quick), id(w.board.quick), id(w.ledger._quick)}, {id(w.desk.quick)}
            )
            self.assertEqual(len(w.body_plan._live), len(w.desk.quick.shape.mesh.sampling.rim))

    def test_a_note_is_kept_however_it_is_left(self) -> None:
        """By another click, and by saving while the text still has the focus."""
        w = self.window
        w.desk.select(())
        note = w.details.findChild(NoteEdit)
        note.setFocus()
        QTest.keyClicks(note, "two blades")
        w.board.setFocus()
        QApplication.processEvents()
        self.assertEqual(self.design.note, "two blades")
        note.setFocus()
        QTest.keyClicks(note, " more")
        self.keys("Ctrl+S", answer=self.folder / "noted.isotomon")
        self.assertIn("more", load(self.folder / "noted.isotomon").note)

    def test_what_is_typed_is_saved_before_it_is_entered(self) -> None:
        """Saving with a chord still being typed takes it into the design and the file, as one step to undo."""
        w = self.window
        w.desk.select((self.body.stations[0].id,))
        edit, before = w.details.fields["chord"].edit, self.body.stations[0].chord
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, "77")
        self.assertEqual(self.body.stations[0].chord, before)
        self.keys("Ctrl+S", answer=self.folder / "typed.isotomon")
        self.assertEqual(
            (self.body.stations[0].chord, load(self.folder / "typed.isotomon").bodies[0].stations[0].chord),
            (77.0, 77.0),
        )
        w.run_command("undo")
        self.assertEqual(self.body.stations[0].chord, before)

    def test_a_file_changed_meanwhile_asks(self) -> None:
        """Saving over someone else's change asks; going back changes nothing; taking theirs shows it."""
        w, path = self.window, self.folder / "shared.isotomon"
        self.keys("Ctrl+S", answer=path)
        save(station_edits.change_station(load(path), "s2", chord=99.0), path)
        w.desk.do("size", lambda d: station_edits.change_station(d, "s2", chord=111.0))
        w.files.tell_changed()
        self.assertIn("changed by someone else", w.foot.message.text())
        asked: list[list[str]] = []

        def press(word: str):  # type: ignore[no-untyped-def]
            def run(box: QMessageBox) -> int:
                asked.append([b.text() for b in box.buttons()])
                next(b for b in box.buttons() if word in b.text()).click()
                return 0

            return run

        with mock.patch.object(QMessageBox, "exec", press("Go back")):
            self.assertFalse(w.files.save())
        self.assertEqual(load(path).bodies[0].stations[1].chord, 99.0)
        self.assertTrue({"Take theirs", "Compare"} <= set(asked[0]))
        with mock.patch.object(QMessageBox, "exec", press("Take theirs")):
            w.files.save()
        self.assertEqual(self.station("mid").chord, 99.0)

    def test_files_are_read_beside_the_window(self) -> None:
        """What takes long shows progress and can be cancelled; what is wrong with it is raised where it was asked for."""

        def slow() -> str:
            for k in range(120):
                checkpoint(k / 120.0)
                time.sleep(0.025)
            return "read"

        def bad() -> str:
            raise FileError("no good")

        self.assertEqual(read_aside(self.window, "Reading", lambda: "at once"), "at once")
        self.assertEqual(read_aside(self.window, "Reading", slow), "read")
        with self.assertRaisesRegex(FileError, "no good"):
            read_aside(self.window, "Reading", bad)
        QTimer.singleShot(2200, lambda: [d.cancel() for d in self.window.findChildren(QProgressDialog)])
        with self.assertRaisesRegex(IsotomonError, "nothing was changed"):
            read_aside(self.window, "Reading", slow)


del WithWindow

if __name__ == "__main__":
    unittest.main()
