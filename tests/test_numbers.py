"""Named numbers: the table, naming in place, and CSV."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from isotomon.design import edits
from isotomon.design.records import Design, Number
from isotomon.errors import FileError
from isotomon.exchange.numbers import read_numbers, write_numbers
from tests.test_window import LEFT, WithWindow


class NumbersCsv(unittest.TestCase):
    def test_csv_round_trip_and_refusals(self) -> None:
        """Numbers written as CSV come back the same; wrong lines are refused by their number."""
        numbers = (
            Number("n1", "span", 1150.0, "length", "root to tip"),
            Number("n2", "turn_by", math.radians(17.3), "angle"),
            Number("n3", "half", "span / 2", "length", 'say "half"'),
            Number("n4", "share", 0.3, "ratio"),
        )
        design = Design("d", numbers=numbers)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "n.csv"
            path.write_text(write_numbers(design))
            back = read_numbers(path, "mm")
            self.assertEqual([edits.replace(n, id="") for n in numbers], list(back))
            self.assertEqual(edits.put_numbers(Design("d"), back), design)
            self.assertEqual(edits.put_numbers(design, back), design)
            for text, words in (
                ("a,b\n", "columns"),
                ("name,value\n2x,5\n", "line 2: '2x'"),
                ("name,value\nx,5 mm\nx,6 mm\n", "line 3: the name 'x' is there twice"),
                ("name,value,kind\nx,5,area\n", "no kind"),
                ("name,value\nx,5 mm + \n", "line 2"),
            ):
                path.write_text(text)
                with self.assertRaisesRegex(FileError, words):
                    read_numbers(path, "mm")


class NumberTableTest(WithWindow):
    def test_the_table_and_naming_in_place(self) -> None:
        """A number is typed into the last row, used, renamed through its uses, refused while in use, named in a field."""
        window, desk = self.window, self.window.desk
        window.run_command("numbers")
        model = window.numbers.numbers
        last = model.index(0, 0)
        self.assertTrue(model.setData(last, "width"))
        self.assertTrue(model.setData(model.index(0, 1), "80 mm"))
        self.assertTrue(model.setData(model.index(1, 1), "2*width"))
        self.assertFalse(model.setData(model.index(0, 1), "number_1"))  # a circle
        assert desk.design is not None
        desk.select((desk.held.stations[0].id,))
        field = window.details.fields["chord"]
        self.type(field.edit, "number_1")
        self.settle()
        self.assertEqual(model.text(desk.design.numbers[0], 5), "number number_1")
        self.assertTrue(model.setData(model.index(0, 0), "breadth"))
        self.assertEqual(desk.design.numbers[1].value, "2*breadth")
        window.numbers.selectRow(1)
        window.numbers.setFocus()
        QTest.keyClick(window.numbers, Qt.Key.Key_Delete)
        self.assertEqual(len(desk.design.numbers), 2)
        self.assertIn("is used by station root chord", window.foot.message.text())
        desk.select((desk.held.stations[1].id,))
        field = window.details.fields["chord"]
        self.type(field.edit, "belly = 131 mm")
        self.assertEqual((desk.design.numbers[2].name, desk.held.stations[1].chord), ("belly", "belly"))
        QTest.mouseClick(field.label, LEFT)
        field.begin_naming()
        self.assertEqual(field.edit.selectedText(), "name")
        self.keys("Ctrl+Z")

    def test_a_cell_of_the_grid_names_its_value(self) -> None:
        """`name = value` in a cell of the station grid makes the number and lets the cell use it."""
        desk = self.window.desk
        model = self.window.grid.stations
        self.assertTrue(model.setData(model.index(1, 3), "girth = 133 mm"))
        assert desk.design is not None
        self.assertEqual((desk.design.numbers[0].name, desk.design.numbers[0].value), ("girth", 133.0))
        self.assertEqual(desk.held.stations[1].chord, "girth")

    def test_csv_and_points_in_space_through_the_window(self) -> None:
        """Numbers go out and come in as CSV; a file of points in space becomes a station; wrong files change nothing."""
        window, desk = self.window, self.window.desk
        assert desk.design is not None
        path = self.folder / "n.csv"
        path.write_text("name,value\nhub,41 mm\nlean,3 deg\n")
        window.files.read_numbers(path)
        self.assertEqual([(n.name, n.kind) for n in desk.design.numbers], [("hub", "length"), ("lean", "angle")])
        path.write_text("name,value\nhub,44 mm\nworse,oops\n")
        window.files.read_numbers(path)
        self.assertEqual(desk.design.numbers[0].value, 41.0)
        self.assertIn("oops", window.foot.message.text())
        ring = [(20 * math.cos(a), 20 * math.sin(a), 340 + 2 * math.cos(a)) for a in (0.1 * k for k in range(63))]
        points = self.folder / "ring.xyz"
        points.write_text("\n".join(" ".join(f"{c:.9f}" for c in p) for p in ring))
        count = len(desk.held.stations)
        window.tools.put_space(points)
        self.assertEqual(len(desk.held.stations), count + 1)
        self.assertAlmostEqual(desk.held.stations[-1].position, 340.0, delta=1e-3)
        self.assertIn("of the plane", window.foot.message.text())
        self.settle()
        points.write_text("1 2 3\n")
        window.tools.put_space(points)
        self.assertEqual(len(desk.held.stations), count + 1)
