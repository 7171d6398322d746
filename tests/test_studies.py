"""Variant studies: what is run, that it comes to the same wherever and however often it is run, and that nothing is lost."""

from __future__ import annotations

import math
import os
import signal
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from isotomon.cli import main
from isotomon.design.file import save
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import FileError
from isotomon.profile.section import Circle
from isotomon.studies import search as searching
from isotomon.studies.figures import VariantRow, run_variant
from isotomon.studies.run import LOG, TABLE, run_study
from isotomon.studies.search import best_of
from isotomon.studies.study import read_study, variants
from tests.helpers import body

NAMES = ("height", "top")


def cone() -> Design:
    """A frustum whose height and upper diameter are named numbers, and its lower one, 60 mm, is not."""
    stations = (Station("s1", "foot", 0.0, Circle(), 60.0), Station("s2", "top", "height", Circle(), "top"))
    numbers = (Number("n1", "height", 100.0, "length"), Number("n2", "top", 40.0, "length"))
    return Design("cone", numbers=numbers, bodies=(body("body", "cone", stations, ruled=True, density=1000.0),))


def volume(height: float, top: float) -> float:
    """mm³ of the frustum."""
    return math.pi * height / 12.0 * (3600.0 + 60.0 * top + top * top)


class Studies(unittest.TestCase):
    """In a folder of their own."""

    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name)

    def study(self, text: str, name: str = "study.toml"):  # type: ignore[no-untyped-def]
        """A study of the cone from a file of this text."""
        (self.folder / name).write_text(text)
        return read_study(self.folder / name, cone())

    def test_what_is_varied(self) -> None:
        """All combinations in order; a sample that fills the ranges, the same for the same seed; rows of a table with units; and what is
        wrong is said."""
        every = self.study('[numbers]\nheight = { from = "8 cm", to = "0.12 m", steps = 3 }\ntop = [30, "4 cm"]\n')
        self.assertEqual(list(variants(every))[:3], [(80.0, 30.0), (80.0, 40.0), (100.0, 30.0)])
        text = (
            '[numbers]\nheight = { from = 80, to = 120 }\ntop = [20, 30]\n[run]\nhow = "sample"\ncount = 40\nseed = 3\n'
        )
        sample = variants(self.study(text))
        self.assertEqual(sample, variants(self.study(text)))
        self.assertEqual(len({int(h - 80.0) for h, _ in sample}), 40)  # each fortieth of the range once
        self.assertEqual(sorted(t for _, t in sample), [20.0] * 20 + [30.0] * 20)
        rows = self.study("height_cm,top\n9,31\n10,3.2 cm\n", "rows.csv")
        self.assertEqual(variants(rows), ((90.0, 31.0), (100.0, 32.0)))
        for text, words in (
            ("", "is empty"),
            ("[run]\ncount = 3", "varies no number"),
            ("[numbers]\nwide = [1]", "no number 'wide'; it has height, top"),
            ("[numbers]\nheight = []", "empty list"),
            ('[numbers]\nheight = ["2 deg"]', "height|angle|length"),
            ("[numbers]\nheight = { from = 5, to = 4 }", "its end must be greater"),
            ("[numbers]\nheight = [nan]", "study.toml: height: nan is no number"),
            ('[numbers]\nheight = [1]\n[run]\nhow = "fast"', "no way to run"),
            ("[numbers]\nheight = [1]\n[rum]\n", "'rum' in the file is not known"),
            ("[numbers\n", "is not a study"),
            ('table = "../x.csv"', "lies outside"),
            ("[numbers]\nheight = { from = 1, to = 2 }\n[search]\n", "needs an aim|varies"),
            (
                "[numbers]\nheight = { from = 1, to = 2, steps = 10000 }\ntop = { from = 1, to = 2, steps = 10000 }",
                "at most",
            ),
        ):
            with self.subTest(words), self.assertRaisesRegex(FileError, words):
                self.study(text + ('\n[run]\nhow = "search"' if text.endswith("[search]\n") else ""))

    def test_a_run_is_exact_and_goes_on_where_it_was(self) -> None:
        """Figures are those of the formula; a variant that fails is a row with its reason; a run that was ended, in the middle of a line, works
        out only what lacks, and comes to the same table; another study is refused the folder."""
        study, out = self.study("[numbers]\nheight = [80, 100, 120]\ntop = [30, 40, -3]\n"), self.folder / "out"
        rows = run_study(cone(), study, out, workers=2)
        for row in (row for row in rows if row.values[1] > 0.0):
            self.assertAlmostEqual(row.figures["volume_mm3"] / volume(*row.values), 1.0, delta=1e-6)
            self.assertAlmostEqual(row.figures["mass_kg"], row.figures["volume_mm3"] * 1e-6, delta=1e-9)
            self.assertEqual((row.problem, row.figures["findings"]), ("", 0.0))
        self.assertEqual([k for k, row in enumerate(rows) if row.problem and not row.figures], [2, 5, 8])
        table, lines = (out / TABLE).read_text(), (out / LOG).read_bytes().splitlines(keepends=True)
        self.assertTrue(table.startswith("variant,height_mm,top_mm,volume_mm3,"))
        self.assertEqual(len(lines), 10)
        (out / LOG).write_bytes(b"".join(lines[:5]) + lines[5][:40])
        (out / TABLE).unlink()
        begun: list[int] = []
        again = run_study(cone(), study, out, told=lambda row, done, count: begun.append(done), workers=1)
        self.assertEqual((again, (out / TABLE).read_text()), (rows, table))
        self.assertEqual(begun, [4, 4, 4, 4, 5, 6, 7, 8, 9])
        other = self.study("[numbers]\nheight = [81]\n", "other.toml")
        with self.assertRaisesRegex(FileError, "holds another study"):
            run_study(cone(), other, out)

    def test_a_process_that_is_killed_costs_nothing(self) -> None:
        """While variants are worked out their processes are killed: the table is that of a run in peace."""
        study = self.study("[numbers]\nheight = { from = 80, to = 120, steps = 24 }\n")
        names = tuple(one.name for one in study.varied)
        wanted = [run_variant(cone(), names, k, v) for k, v in enumerate(variants(study))]
        killed: list[int] = []

        def told(row: VariantRow, done: int, count: int) -> None:
            if done in (5, 12):
                found = running_children()
                if found:
                    os.kill(found[0], signal.SIGKILL)
                    killed.append(found[0])

        rows = run_study(cone(), study, self.folder / "out", told, workers=2)
        self.assertTrue(killed)
        self.assertEqual(rows, wanted)

    def test_dask_comes_to_the_same_to_the_bit(self) -> None:
        """A scheduler with two workers on this machine gives the rows that this machine's processes give, one of its workers killed meanwhile."""
        from distributed import LocalCluster

        study = self.study("[numbers]\nheight = { from = 80, to = 120, steps = 24 }\n")
        alone = run_study(cone(), study, self.folder / "alone", workers=1)
        with LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1", silence_logs=50
        ) as cluster:
            pids = [worker.process.process.pid for worker in cluster.workers.values()]

            def told(row: VariantRow, done: int, count: int) -> None:
                if done == 6:
                    os.kill(pids[0], signal.SIGKILL)

            rows = run_study(cone(), study, self.folder / "dask", told, scheduler=cluster.scheduler_address)
        self.assertEqual(rows, alone)
        self.assertEqual((self.folder / "dask" / TABLE).read_bytes(), (self.folder / "alone" / TABLE).read_bytes())
        with (
            self.assertRaisesRegex(FileError, "is not reached"),
            mock.patch("distributed.Client", side_effect=OSError("nobody there")),
        ):
            run_study(cone(), study, self.folder / "none", scheduler="tcp://127.0.0.1:9")

    def test_a_search_finds_the_best_within_limits(self) -> None:
        """The tallest cone of at most 150 cm³ lies at its limit; the command line tells it, and a second run takes no step anew."""
        study = self.study(
            "[numbers]\nheight = { from = 60, to = 140 }\ntop = { from = 20, to = 50 }\n"
            '[run]\ncount = 60\n[search]\naim = "area_mm2"\n[search.limits]\nvolume_mm3 = { least = 150000 }\n'
        )
        rows = run_study(cone(), study, self.folder / "out")
        best = best_of(study, rows)
        assert best is not None
        self.assertAlmostEqual(best.figures["volume_mm3"] / 150000.0, 1.0, delta=2e-3)
        grid = [
            (math.pi * (30.0 + t / 2.0) * math.hypot(h, 30.0 - t / 2.0) + math.pi * (900.0 + t * t / 4.0))
            for h in range(60, 141)
            for t in range(20, 51)
            if volume(h, t) >= 150000.0
        ]
        self.assertLess(best.figures["area_mm2"], 1.01 * min(grid))
        save(cone(), self.folder / "cone.isotomon")
        arguments = [
            "study",
            str(self.folder / "cone.isotomon"),
            str(self.folder / "study.toml"),
            "--out",
            str(self.folder / "out"),
        ]
        with mock.patch.object(searching, "run_variant", side_effect=AssertionError("worked out anew")):
            self.assertEqual(main(arguments), 0)
        unknown = replace(study, aim="beauty")
        with self.assertRaisesRegex(FileError, "no figure 'beauty'; there are volume_mm3"):
            run_study(cone(), unknown, self.folder / "unknown")


def running_children() -> list[int]:
    """Processes of the pool that work out variants for this one."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdecimal():
            try:
                told, command = (entry / "stat").read_text(), (entry / "cmdline").read_bytes()
            except OSError:
                continue
            if int(told.rpartition(")")[2].split()[1]) == os.getpid() and b"spawn_main" in command:
                found.append(int(entry.name))
    return found


if __name__ == "__main__":
    unittest.main()
