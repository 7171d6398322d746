"""Station tables: what they mean, and what is refused."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

from isotomon.author.insert import insert_station
from isotomon.errors import DesignError, FileError
from isotomon.exchange.table import read_table, table_design, write_table
from isotomon.inspect.quick import rebuild

GOOD = """# a comment
station,position_mm,section,chord_mm,set_angle_deg,target_area_mm2,band_percent,target_set_angle_deg
tip,200,naca:2412,80,2,524,2,2.4
root,0,circle,60,0,2827.4,,
mid,100,naca:4418,120,20,2000,1,20
"""
HEAD = "station,position_mm,section,chord_mm,set_angle_deg\n"


def refuse(case: unittest.TestCase, text: str, words: str, folder: Path | None = None) -> None:
    """A table's text is refused with these words."""
    with case.subTest(words), case.assertRaisesRegex(FileError, words):
        table_design(text, "blade.csv", "blade", folder or Path("."))


class Meaning(unittest.TestCase):
    """What a table says."""

    def test_rows_units_and_separators(self) -> None:
        """Rows in any order, cm and inches, semicolons and tabs, all give the same body."""
        design = table_design(GOOD, "t", "t", Path("."))
        quick = rebuild(design)
        self.assertEqual([n.station.name for n in quick.resolved.stations], ["root", "mid", "tip"])
        self.assertAlmostEqual(math.degrees(quick.resolved.stations[1].set_angle), 20.0, places=12)
        cm = "station;position_cm;section;chord_in;set_angle_turn\na;0;circle;1;0\nb;20;circle;2;0.25\n"
        for text in (cm, cm.replace(";", "\t")):
            design = table_design(text, "t", "t", Path("."))
            self.assertEqual([(s.position, s.chord) for s in design.bodies[0].stations], [(0.0, 25.4), (200.0, 50.8)])
            self.assertEqual(design.unit, "cm")

    def test_targets_become_laws_judged_at_the_stations(self) -> None:
        """A missing band is 1 % and 0.5°, a blank target no law there; the worst place is found."""
        quick = rebuild(table_design(GOOD, "t", "t", Path(".")))
        area, angle = quick.judged
        self.assertEqual(list(area.position), [0.0, 100.0, 200.0])
        self.assertAlmostEqual(area.band[0], 28.274, places=6)
        self.assertAlmostEqual(area.band[1], 20.0, places=9)
        self.assertEqual(list(angle.position), [100.0, 200.0])
        self.assertAlmostEqual(math.degrees(angle.band[1]), 0.5, places=9)
        self.assertEqual([(f.severity, f.where) for f in quick.findings], [("band", "station mid")])
        self.assertFalse(quick.ok)

    def test_a_table_written_reads_back(self) -> None:
        """Positions, chords, angles and sections survive the table."""
        design = table_design(GOOD, "t", "t", Path("."))
        again = table_design(write_table(design), "t", "t", Path("."))
        for a, b in zip(rebuild(design).resolved.stations, rebuild(again).resolved.stations, strict=True):
            self.assertEqual((a.station.name, a.station.section), (b.station.name, b.station.section))
            self.assertAlmostEqual(a.position, b.position, places=9)
            self.assertAlmostEqual(a.chord, b.chord, places=9)
            self.assertAlmostEqual(a.set_angle, b.set_angle, places=9)
            self.assertAlmostEqual(a.pivot, b.pivot, places=9)

    def test_a_section_taken_from_the_body_is_not_written(self) -> None:
        """A table cannot say it; the refusal names the station."""
        design = table_design(GOOD, "t", "t", Path("."))
        shape = rebuild(design).shape
        assert shape is not None
        with self.assertRaisesRegex(DesignError, "station '.* to .*' holds a section taken from the body"):
            write_table(insert_station(design, shape, 50.0))


class Refusals(unittest.TestCase):
    """Bad input names file, line, column and remedy."""

    def test_wrong_tables(self) -> None:
        """Columns, units, numbers, sizes, names and counts."""
        row = "a,0,circle,10,0\n"
        for text, words in (
            ("# only\n", "only comments"),
            ("station,position_mm\na,0\n", "columns section, chord_mm, set_angle_deg are missing"),
            (HEAD.replace("chord_mm", "chord_ft") + row, "'chord_ft': 'ft' is not a unit for it; use chord_mm"),
            (HEAD.replace("chord_mm", "chord") + row, "it has no unit"),
            (HEAD.replace("section", "sektion") + row, "'sektion' is not known"),
            (HEAD.replace("set_angle_deg", "chord_cm") + row, "two columns give chord"),
            (HEAD + row + "b,x,circle,10,0\n", "blade.csv, line 3, column 'position_mm': 'x' is not a number"),
            (HEAD + row + 'b,"1,5",circle,10,0\n', "write a decimal point"),
            (HEAD + row + "b,nan,circle,10,0\n", "not a finite number"),
            (HEAD + row + "b,inf,circle,10,0\n", "not a finite number"),
            (HEAD + row + "b,,circle,10,0\n", "blank"),
            (HEAD + row + "b,5,circle,-3,0\n", "line 3, column 'chord_mm': -3 is not a size"),
            (HEAD + row + "b,5,circle,0,0\n", "greater than zero"),
            (HEAD + row + "b,0,circle,10,0\n", "stand at one position"),
            (HEAD + row, "1 station; a loft needs two"),
            (HEAD + row + "a,5,circle,10,0\n", "used twice"),
            (HEAD + row + ",5,circle,10,0\n", "no name"),
            (HEAD + row + "b,5,blob,10,0\n", "column 'section': 'blob' is not a known section"),
            (HEAD + row + "b,5,circle,10,0,9,9\n", "7 cells under 5 columns"),
            (HEAD + row + 'b,5,"circle,10,0\n', "not a table"),
            (HEAD + row + "b,5,file:none.dat,10,0\n", "none.dat does not exist"),
            (HEAD + row + "b,5,file:/etc/hostname,10,0\n", "an absolute path"),
            (HEAD + row * 1001, "1,001 rows"),
            (GOOD.replace("524,2", "524,-2"), "greater than zero"),
            (GOOD.replace("524", "-524"), "not a positive area"),
        ):
            refuse(self, text, words)

    def test_wrong_files(self) -> None:
        """Missing, directory, empty, binary, a million rows, and foil files with each fault."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "empty.csv").write_text("\n")
            (folder / "binary.csv").write_bytes(bytes(range(256)) * 20)
            (folder / "big.csv").write_text(HEAD + "a,0,circle,10,0\n" * 1_000_000)
            for file, words in (
                ("none.csv", "does not exist"),
                ("", "directory"),
                ("empty.csv", "empty"),
                ("binary.csv", "not a text file"),
                ("big.csv", "1,000,000 rows"),
            ):
                with self.subTest(words), self.assertRaisesRegex(FileError, words):
                    read_table(folder / file)
            for file, content, words in (
                ("none.dat", "", "is empty"),
                ("one.dat", "1 0\n", "1 points"),
                ("many.dat", "1 0\n" * 200_000, "more than 5000"),
                ("cross.dat", "1 0\n.7 .1\n.3 .1\n0 0\n.3 .15\n.5 .2\n.7 .05\n.9 .04\n1 0\n", "crosses itself"),
            ):
                (folder / file).write_text(content)
                refuse(self, HEAD + f"a,0,circle,10,0\nb,5,file:{file},10,0\n", f"column 'section'.*{words}", folder)
            with self.assertRaises(FileError):
                read_table(Path("/proc/self/mem"))
