"""Delivering in the real window: sheets as they will be, written, remembered, and written again."""

from __future__ import annotations

import unittest
from unittest import mock

import pypdfium2
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton

from isotomon.app.paper.written import remembered, state_of
from isotomon.design import station_edits
from isotomon.design.file import load
from tests.test_window import LEFT, WithWindow


class Delivering(WithWindow):
    """The stage Deliver, by mouse and keyboard."""

    def shown(self, what: str, pages: int) -> None:
        """Wait until a sheet's picture is there."""
        room = self.window.paper
        self.wait(
            lambda: room.made is not None and room.made.title == what and not room.view.image.isNull(), f"the {what}"
        )
        self.assertEqual(len(room.made.pages), pages)

    def press(self, text: str, answer: str = "") -> None:
        """A button of the panel; a file dialog that it opens is answered."""
        button = next(b for b in self.window.paper.panel.findChildren(QPushButton) if b.text() == text)
        path = str(self.folder / answer) if answer else ""
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(path, "")):
            QTest.mouseClick(button, LEFT)

    def listed(self) -> list[str]:
        """What the panel says of written files."""
        box = self.window.paper.panel.list
        return [box.item(k).text() for k in range(box.count())]

    def test_a_sheet_is_seen_written_and_written_again(self) -> None:
        """Templates are leafed through, written, told to be older after an edit, and written again; kept with the design's file; Esc and
        another stage lead back to the View; what cannot be made is told in the sheet's place."""
        window, room = self.window, self.window.paper
        window.files.save_to(self.folder / "fin.isotomon")
        window.run_command("paper-templates")
        self.shown("templates", 4)
        self.assertIs(window.canvas.currentWidget(), room.view)
        QTest.keyClick(room.view, Qt.Key.Key_PageDown)
        QTest.keyClick(room.view, Qt.Key.Key_PageDown)
        self.assertEqual((room.number, room.panel.page.text()), (2, "page 3 of 4"))
        QTest.keyClick(room.view, Qt.Key.Key_Plus)
        self.assertGreater(room.view.scale, 1.0)
        self.press("Write…", "cards.pdf")
        self.assertEqual(self.listed(), ["✓ cards.pdf"])
        self.assertEqual(len(pypdfium2.PdfDocument(self.folder / "cards.pdf")), 4)
        room.panel.stations.setText("far, nowhere")
        QTest.keyClick(room.panel.stations, Qt.Key.Key_Return)
        self.wait(lambda: "no station 'nowhere'" in room.view.text, "the reason")
        self.assertFalse(room.panel.write.isEnabled())
        room.panel.stations.setText("far")
        QTest.keyClick(room.panel.stations, Qt.Key.Key_Return)
        self.shown("templates", 1)
        self.press("Write…", "far.dxf")
        window.desk.do("wider", lambda d: station_edits.change_station(d, "s3", chord=100.0))
        self.settle()
        self.wait(lambda: self.listed() == ["older: cards.pdf", "older: far.dxf"], "the marks")
        (self.folder / "far.dxf").unlink()
        window.run_command("write-all")
        self.assertEqual(self.listed(), ["✓ cards.pdf", "✓ far.dxf"])
        words = pypdfium2.PdfDocument(self.folder / "cards.pdf")[2].get_textpage().get_text_bounded()
        self.assertIn("100 mm", words)
        self.press("Write…", "fin.isotomon")  # its own file is never written to
        self.assertEqual(load(self.folder / "fin.isotomon").name, "blade")
        QTest.keyClick(room.view, Qt.Key.Key_Escape)
        self.assertIs(window.canvas.currentWidget(), window.view)
        window.run_command("paper-wireframe")
        self.shown("guides and sections", 1)
        self.press("Write…", "wires.step")
        self.assertIn("GEOMETRIC_CURVE_SET", (self.folder / "wires.step").read_text())
        window.run_command("paper-general")
        self.shown("general drawing", 1)
        window.set_stage("Shape")
        self.assertIs(window.canvas.currentWidget(), window.view)
        kept = remembered(window.settings, self.folder / "fin.isotomon")
        self.assertEqual([one.name for one in kept], ["cards.pdf", "far.dxf", "wires.step"])
        self.assertEqual({one.state for one in kept}, {state_of(window.desk.design)})

    def test_the_report_has_the_view_and_leaves_it_as_it_was(self) -> None:
        """Its pictures are of four sides and the Board; the View's camera is where it was; drawing and sheet give way to each other."""
        window, room = self.window, self.window.paper
        window.view.look_from("side")
        before, plan = window.view.stance, window.body_plan.isHidden()
        window.run_command("paper-report")
        self.wait(lambda: room.made is not None and room.made.title == "report", "the report")
        pictures = [item for page in room.made.pages for item in page.items if type(item).__name__ == "Picture"]
        self.assertEqual(len(pictures), 5)
        self.assertEqual(len({picture.png for picture in pictures}), 5)
        self.assertEqual(window.view.stance, before)
        window.room.open("s2")
        self.assertIs(window.canvas.currentWidget(), window.room.editor)
        window.run_command("paper-curves")
        self.assertIs(window.canvas.currentWidget(), room.view)
        self.assertFalse(window.room.editing)
        room.leave()
        self.assertEqual(window.body_plan.isHidden(), plan)
        QApplication.processEvents()


if __name__ == "__main__":
    unittest.main()
