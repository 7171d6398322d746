"""As made in the real window: touched, read, told, held against the design as it changes, remembered."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from isotomon.design.station_edits import change_station
from isotomon.metrology.machine import Faults
from isotomon.script import write_points
from tests.test_as_made import blade, touched
from tests.test_window import LEFT, WithWindow


class MadeParts(WithWindow):
    """The blade's parts, by mouse and keyboard."""

    def press(self, text: str, answer: str = "") -> None:
        """A button of the panel; a file dialog it opens is answered."""
        panel = self.window.made.panel
        button = next(b for b in panel.findChildren(QPushButton) if b.text() == text)
        panel.ensureWidgetVisible(button)
        with (
            mock.patch.object(QFileDialog, "getOpenFileName", return_value=(answer, "")),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(answer, "")),
        ):
            QTest.mouseClick(button, LEFT)

    def told(self) -> str:
        """What the panel tells of the part."""
        findings = self.window.made.panel.findings
        return "\n".join(findings.item(k).text() for k in range(findings.count()))

    def test_a_part_is_touched_told_and_remembered(self) -> None:
        """A simulated machine touches a part whose chords are too large: that is told, coloured, marked; the points are kept beside the design. A design
        that is changed to be as large has nothing other; taken back, it has. The design opened again has its points."""
        window, room = self.window, self.window.made
        window.files.open_design(blade())
        window.files.save_to(self.folder / "blade.isotomon")
        self.settle()
        self.keys("Ctrl+Shift+A")
        self.assertIs(window.side.currentWidget(), room.panel)
        room.panel.with_machine.setFocus()
        QTest.keyClick(room.panel.with_machine, Qt.Key.Key_Space)
        for key, text in (("around", "40"), ("between", "3"), ("chord", "0.02"), ("accuracy", "five")):
            room.panel.edits[key].setText(text)
        self.press("Touch")
        self.assertFalse(room.touching.running)
        self.assertIn("five", window.foot.message.text())
        room.panel.edits["accuracy"].setText("0.005 mm")
        self.press("Touch")
        self.assertTrue(room.touching.running)
        self.wait(lambda: room.touching.tried > 20, "some touches", 120.0)
        self.press("Stop")
        self.wait(lambda: not room.touching.running, "the stop")
        before = room.touching.tried
        self.assertIn("tried", room.panel.said.text())
        self.press("Touch")
        self.wait(lambda: not room.touching.running and room.touching.tried == room.touching.planned, "the rest", 200.0)
        self.assertLess(before, room.touching.planned)
        self.wait(lambda: "2.0" in self.told(), "what is told")
        self.assertIn("as made, area law", self.told())
        window.desk.quick_changed.emit(window.desk.quick)  # as when its solid has come
        self.assertIsNotNone(window.view._colouring)
        self.assertTrue((self.folder / "blade-points-2.csv").exists())
        chords = [70.0, 64.0, 56.0, 50.0, 42.0]
        for k, chord in enumerate(chords):
            window.desk.do("wider", lambda d, k=k, chord=chord: change_station(d, f"s{k}", chord=1.02 * chord))  # type: ignore[misc]
        self.settle()
        self.wait(lambda: "the chord is" not in self.told(), "the part held against the changed design")
        for _ in chords:
            self.keys("Ctrl+Z")
        self.settle()
        self.wait(lambda: "the chord is 2.0" in self.told(), "the part held against it as it was")
        self.press("Report")
        self.wait(lambda: window.paper.made is not None and window.paper.made.title == "as made", "the report")
        window.files.open_path(self.folder / "blade.isotomon")
        self.settle()
        self.assertIsNone(window.desk.made)
        window.run_command("as-made")
        self.wait(lambda: "the chord is 2.0" in self.told(), "the points read again")
        window.set_stage("Shape")
        self.assertIs(window.side.currentWidget(), window.details)
        self.assertIsNone(window.view._colouring)

    def test_files_of_points_good_and_bad(self) -> None:
        """A file without a unit is taken to be in the design's, and told where it is not; the unit is chosen, and all is as it should be. A file that
        cannot be read says so and changes nothing."""
        window, room = self.window, self.window.made
        window.files.open_design(blade())
        self.settle()
        points = touched(room.w.desk.quick, Faults())[0]  # type: ignore[arg-type]
        path = self.folder / "inches.csv"
        path.write_text("x,y,z\n" + "\n".join(",".join(map(str, row)) for row in (points / 25.4).tolist()))
        window.run_command("as-made")
        self.press("Read points…", str(path))
        self.assertIn("as if they were in inches", self.told())
        room.panel.unit.setCurrentIndex(room.panel.unit.findData("in"))
        room.panel.unit.activated.emit(room.panel.unit.currentIndex())
        self.assertIn("Nothing is other", self.told())
        (self.folder / "bad.csv").write_text("x,y\n1,2\n")
        self.press("Read points…", str(self.folder / "bad.csv"))
        self.assertIn("no column Z", window.foot.message.text())
        self.assertIn("Nothing is other", self.told())
        self.press("Write the points…", str(self.folder / "kept.csv"))
        kept = np.loadtxt(self.folder / "kept.csv", delimiter=",", skiprows=2)
        np.testing.assert_allclose(kept, points, atol=1e-5)
        self.press("Read points…", str(self.folder / "kept.csv"))
        room.panel.unit.setCurrentIndex(room.panel.unit.findData("in"))
        room.panel.unit.activated.emit(room.panel.unit.currentIndex())
        self.assertIn("25.4 times too large", self.told())
        self.assertIsNone(window.view._colouring)
        write_points(kept, self.folder / "again.csv")
        self.assertEqual((self.folder / "again.csv").read_bytes(), (self.folder / "kept.csv").read_bytes())


if __name__ == "__main__":
    unittest.main()
