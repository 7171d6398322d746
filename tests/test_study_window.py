"""Variants in the real window: chosen, run, seen, taken, stopped and gone on with."""

from __future__ import annotations

import unittest

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from tests.test_studies import cone
from tests.test_window import LEFT, WithWindow


class Variants(WithWindow):
    """The cone's variants, by mouse and keyboard."""

    def press(self, text: str) -> None:
        """A button of the panel."""
        button = next(b for b in self.window.study.panel.findChildren(QPushButton) if b.text() == text)
        QTest.mouseClick(button, LEFT)

    def type_values(self, name: str, text: str) -> None:
        """What a number is to take, typed; it is ticked by that."""
        box, edit = self.window.study.panel.varies[name]
        edit.selectAll()
        QTest.keyClicks(edit, text)
        self.assertTrue(box.isChecked())

    def test_variants_are_run_seen_and_taken(self) -> None:
        """Without a file of its own a design has no place for results; then all combinations are run, chosen in the plot, taken as one step and
        taken back; a run that is stopped goes on where it was; wrong ranges are told."""
        window, room = self.window, self.window.study
        window.files.open_design(cone())
        self.settle()
        window.run_command("study")
        self.assertIs(window.canvas.currentWidget(), room.view)
        self.assertEqual(list(room.panel.varies), ["height", "top"])
        self.type_values("height", "80, 100, 12 cm")
        room.panel.how.setCurrentIndex(room.panel.how.findData("all"))
        room.panel.show_asked()
        self.press("Run")
        self.assertFalse(room.running)
        self.assertIn("Save the design first", window.foot.message.text())
        window.files.save_to(self.folder / "cone.isotomon")
        self.press("Run")
        self.wait(lambda: not room.running and len(room.model.rows) == 3, "the variants")
        self.assertIn("3 variants", room.panel.said.text())
        room.panel.up.setCurrentIndex(room.panel.up.findData("volume_mm3"))
        room.panel.plot_changed.emit()
        chosen = next(k for k, row in enumerate(room.model.rows) if row.values == (120.0,))
        place = room.plot._placed(room.plot.places)[chosen]
        QTest.mouseClick(room.plot, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(*map(round, place.tolist())))
        self.assertEqual(room.table.chosen(), chosen)
        over = window.board._over
        assert over is not None and window.desk.quick is not None and window.desk.quick.shape is not None
        self.assertEqual((over.name, over.marked), (f"Variant {room.model.rows[chosen].number + 1}", False))
        window.desk.quick_changed.emit(window.desk.quick)  # as when its solid has come
        self.assertIs(window.board._over, over)
        self.assertAlmostEqual(float(over.area[0]), float(window.desk.quick.shape.curves.area[0]), places=6)
        self.press("Take this variant")
        self.assertEqual(window.desk.design.numbers[0].value, 120.0)
        self.keys("Ctrl+Z")
        self.assertEqual(window.desk.design, cone())
        self.settle()
        self.type_values("height", "200 .. 100")
        self.press("Run")
        self.assertIn("its end must be greater", window.foot.message.text())
        self.type_values("height", "80 .. 120 / 40")
        self.press("Run")
        self.wait(lambda: len(room.model.rows) >= 3, "the first of them")
        self.press("Stop")
        self.wait(lambda: not room.running, "the stop")
        there = len((self.folder / "cone-study-2" / "variants.jsonl").read_text().splitlines()) - 1
        self.assertTrue(3 <= there < 40, there)
        self.press("Run")
        self.wait(lambda: not room.running and len(room.model.rows) == 40, "the rest")
        self.assertTrue((self.folder / "cone-study-2" / "variants.csv").exists())
        self.assertFalse((self.folder / "cone-study-3").exists())
        window.set_stage("Shape")
        self.assertIs(window.canvas.currentWidget(), window.view)


if __name__ == "__main__":
    unittest.main()
