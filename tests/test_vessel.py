"""A vessel designer's whole job in the real window: from nothing to the STEP file of a finished vessel, by mouse and keys."""

from __future__ import annotations

import unittest
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QToolButton

from isotomon.app.forms.edges import EdgesRow
from isotomon.app.forms.steps import StepsForm
from isotomon.design.file import encode, load
from isotomon.inspect.quick import rebuild
from isotomon.solids.deliver import build_all
from tests.helpers import volume_read
from tests.test_window import LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier
ROWS = "0\tpolygon:3\t72\t0\n65\tpolygon:3\t108\t22\n110\tpolygon:3\t66\t44\n160\tpolygon:3\t96\t66\n"
"""Position, section, size and set angle of a twisted three-cornered vessel's stations."""
ROUND, WALL, BEVEL = 6.0, 2.5, 0.8


class TheVessel(WithWindow):
    """By mouse and keys alone."""

    def test_from_nothing_to_its_step_file(self) -> None:
        """Four stations pasted into the grid; its long edges rounded, hollow, both rims at the mouth bevelled; the Board shows what is left
        of its sections; saved, undone to the first bytes and redone; the STEP file has its volume in another program's reader."""
        w = self.window
        self.with_solids()
        self.keys("Ctrl+N")
        self.settle()
        first = encode(self.design)
        self.keys("Ctrl+Shift+T")
        self.keys("Ctrl+Shift+T")
        self.settle()
        self.keys("Ctrl+T")
        w.grid.setFocus()
        w.grid.setCurrentIndex(w.grid.model().index(0, 1))
        QGuiApplication.clipboard().setText(ROWS)
        self.keys("Ctrl+V", widget=w.grid)
        self.settle()
        self.assertEqual([s.chord for s in self.body.stations], [72.0, 108.0, 66.0, 96.0])
        self.keys("Ctrl+T")
        self.body_in_details()
        self.keys("Ctrl+Shift+F")
        self.choose_edges(f"all edges along {self.body.name}")
        self.typed("0 radius", f"{ROUND:g}")
        self.action("hollow out")
        self.typed("1 wall", f"{WALL:g}")
        last = self.choose(self.body.stations[-1].name)
        self.assertEqual(w.desk.selection, (last,))
        self.action("bevel edges")
        self.typed("2 width", f"{BEVEL:g}")
        self.settle()
        self.assertEqual([type(step).__name__ for step in self.body.steps], ["Round", "Hollow", "Bevel"])
        self.wait(lambda: bool(w.desk.quick.finished), "the solid", 90.0)
        built = w.desk.quick.finished[w.desk.hand]
        self.assertTrue(built.valid and built.watertight)
        self.wait(lambda: w.board.cut is not None and not w.board.cut.stale, "its sections")
        self.assertEqual(set(w.board.cut.sections.cuts.holes[10:-5].tolist()), {1})
        path, step = self.folder / "vessel.isotomon", self.folder / "vessel.step"
        self.keys("Ctrl+S", answer=path)
        done = encode(self.design)
        self.assertEqual(encode(load(path)), done)
        self.keys("Ctrl+Shift+E", answer=step)
        self.wait(lambda: "Wrote vessel.step" in w.foot.message.text(), "word of the STEP file", 90.0)
        self.assertAlmostEqual(volume_read(step) / built.volume, 1.0, delta=1e-3)
        while w.desk.session.undo_title:
            self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), first)
        while w.desk.session.redo_title:
            self.keys("Ctrl+Shift+Z")
        self.assertEqual(encode(self.design), done)
        again = build_all(rebuild(load(Path(path))), w.desk.engine.supervisor)
        self.assertAlmostEqual(next(iter(again.values())).volume, built.volume, places=6)

    def body_in_details(self) -> None:
        """Click the body's row in the Ledger."""
        w = self.window
        row = w.ledger._rows[w.desk.hand]
        w.ledger.scrollToItem(row)
        QTest.mouseClick(w.ledger.viewport(), LEFT, NONE, w.ledger.visualItemRect(row).center())
        self.assertEqual(w.desk.selection, (w.desk.hand,))

    def choose_edges(self, words: str) -> None:
        """Of the newest step: what is chosen is taken out, and an entry of the menu put in its place."""
        row = self.window.details.findChildren(EdgesRow)[0]
        for button in [b for b in row.findChildren(QToolButton) if b.accessibleName().startswith("Take out")]:
            QTest.mouseClick(button, LEFT, NONE)
        QTest.qWait(50)
        add = next(
            b for b in row.findChildren(QToolButton) if b.accessibleName().startswith("Add to") and b.isVisible()
        )
        QTest.mouseClick(add, LEFT, NONE)
        menu = row.findChildren(QMenu)[-1]
        entry = next(a for a in menu.actions() if a.text() == words)
        QTest.mouseClick(menu, LEFT, NONE, menu.actionGeometry(entry).center())
        QApplication.processEvents()

    def typed(self, field: str, text: str) -> None:
        """A figure into a field of the list of steps, by its place and name."""
        self.type(self.window.details.findChild(StepsForm).fields[field].edit, text)
        QTest.mouseMove(self.window, QPoint(5, 5))


if __name__ == "__main__":
    unittest.main()
