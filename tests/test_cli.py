"""The command line: most of it in this process, which is quicker, some of it as a user calls it."""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import isotomon.app.state.engine
import isotomon.script  # both before anything is lent: what is imported meanwhile keeps it
from isotomon import cli
from isotomon.design.file import load, save
from isotomon.design.station_edits import change_station
from isotomon.exchange.drawing_files import read_drawing
from isotomon.inspect.quick import rebuild
from isotomon.samples import sample
from tests.helpers import shared_supervisor
from tests.test_table import GOOD

ROOT = Path(__file__).parent.parent


class _Lent:
    """The shared worker, for a command that takes it for its own."""

    def __init__(self) -> None:
        self.submit = shared_supervisor().submit

    def close(self) -> None:
        """It stays."""


def isotomon(*words: str, cwd: str | Path = ROOT) -> subprocess.CompletedProcess[str]:
    """Run the command in this process: as it comes to its words, and with what it says and ends with."""
    out, err, before = io.StringIO(), io.StringIO(), Path.cwd()
    os.chdir(cwd)
    try:
        with (
            mock.patch("isotomon.solids.supervisor.Supervisor", _Lent),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
        ):
            code = cli.main(list(words))
    except SystemExit as ended:
        code = int(ended.code or 0)
    finally:
        os.chdir(before)
    return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())


def in_a_process(*words: str, cwd: str | Path = ROOT) -> subprocess.CompletedProcess[str]:
    """Run the command as a user does."""
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    return subprocess.run(
        [sys.executable, "-m", "isotomon.cli", *words],
        capture_output=True,
        text=True,
        cwd=cwd,
        env=environment,
        check=False,
    )


class CommandLine(unittest.TestCase):
    """Every command, and its exit codes."""

    def test_numbers_and_drawings(self) -> None:
        """Numbers are printed and changed, with what depends on them; a drawing is written; wrong words exit 2."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            save(sample("signal-mast"), folder / "mast.isotomon")
            done = isotomon("numbers", "mast.isotomon", "lobe_reach=12.5 cm", "--out", "wide.isotomon", cwd=folder)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertIn("lobe_reach,125.0 mm,length", done.stdout)
            wide = rebuild(load(folder / "wide.isotomon"))
            self.assertAlmostEqual(wide.resolved.stations[0].chord, 2 * (125.0 + 52.0), delta=1e-6)
            done = isotomon("drawing", "wide.isotomon", "four lobes", "lobes.dxf", cwd=folder)
            self.assertEqual((done.returncode, done.stdout.strip()), (0, "lobes.dxf"))
            self.assertEqual(len(read_drawing(folder / "lobes.dxf", "mm").drawing.parts), 9)
            for words, said in (
                (("numbers", "mast.isotomon", "girth=5"), "lobe_reach"),
                (("numbers", "mast.isotomon", "height=foot"), "'foot' is not known"),
                (("drawing", "mast.isotomon", "none", "a.dxf"), "four lobes"),
                (("drawing", "mast.isotomon", "four lobes", "a.png"), "ending"),
            ):
                done = isotomon(*words, cwd=folder)
                self.assertEqual(done.returncode, 2, words)
                self.assertIn(said, done.stderr)

    def test_table_check_export_picture(self) -> None:
        """From a table to a design, its check, a solid and a picture; nothing is overwritten unasked."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "blade.csv").write_text(GOOD)
            done = isotomon("table", "blade.csv", "--out", "blade.isotomon", cwd=folder)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            again = isotomon("table", "blade.csv", "--out", "blade.isotomon", cwd=folder)
            self.assertEqual(again.returncode, 2)
            self.assertIn("--force", again.stderr)
            self.assertEqual(
                isotomon("table", "blade.csv", "--out", "blade.isotomon", "--force", cwd=folder).returncode, 0
            )
            check = isotomon("check", "blade.isotomon", "--json", "-", cwd=folder)
            self.assertEqual(check.returncode, 1)
            result = json.loads(check.stdout)
            self.assertEqual([s["name"] for s in result["stations"]], ["root", "mid", "tip"])
            self.assertTrue(result["bodies"][0]["valid"])
            spoken = isotomon("check", "blade.isotomon", "--json", "c.json", cwd=folder)
            self.assertIn("OUT OF BAND  station mid", spoken.stdout)
            self.assertEqual(json.loads((folder / "c.json").read_text()), result)
            self.assertEqual(isotomon("export", "blade.isotomon", "blade.step", cwd=folder).returncode, 0)
            self.assertTrue((folder / "blade.step").read_text().startswith("ISO-10303-21;"))
            for view, run in (("side", isotomon), ("body", in_a_process)):
                done = run("picture", "blade.isotomon", f"{view}.png", "--size", "320x200", "--view", view, cwd=folder)
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertEqual((folder / f"{view}.png").read_bytes()[:4], b"\x89PNG")

    def test_errors_are_one_line_and_leave_nothing(self) -> None:
        """Exit 2, one line, no traceback, no file."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "bad.csv").write_text("a,b\n1,2\n")
            (folder / "cut.isotomon").write_text('{"format": "isotomon-design"')
            for words in (
                ("table", "bad.csv", "--out", "x.isotomon"),
                ("table", "none.csv", "--out", "x.isotomon"),
                ("check", "cut.isotomon"),
                ("open", "cut.isotomon"),
                ("export", "none.isotomon", "x.step"),
                ("export", "none.isotomon", "x.xyz"),
                ("picture", "none.isotomon", "x.png"),
                ("demo", "nobody"),
            ):
                with self.subTest(words):
                    done = isotomon(*words, cwd=folder)
                    self.assertEqual(done.returncode, 2)
                    self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
                    self.assertTrue(done.stderr.startswith("isotomon: "))
            self.assertEqual(sorted(os.listdir(folder)), ["bad.csv", "cut.isotomon"])

    def test_a_law_is_met_and_the_skin_looked_at(self) -> None:
        """A design out of band is met by least change and written; its joins and bends are printed; wrong words exit 2."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            save(change_station(sample("reach-blade"), "s6", chord=202.0), folder / "narrow.isotomon")
            done = isotomon("meet", "narrow.isotomon", "area", "--at", "r5", "--out", "met.isotomon", cwd=folder)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertIn("chord of r5: 21", done.stdout)
            done = isotomon("check", "met.isotomon", "--skin", cwd=folder)
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertIn("Joins of the faces", done.stdout)
            self.assertIn("Area changes its bend", done.stdout)
            for words, said in (
                (("meet", "narrow.isotomon", "girth"), "there are area, set angle"),
                (("meet", "narrow.isotomon", "area", "--by", "luck"), "sizes, set angles"),
                (("meet", "narrow.isotomon", "area", "--at", "r99"), "no station 'r99'"),
            ):
                done = isotomon(*words, cwd=folder)
                self.assertEqual(done.returncode, 2, words)
                self.assertIn(said, done.stderr)

    def test_the_demo_runs_without_a_display(self) -> None:
        """Off screen it prints the checks, and writes a picture and a solid."""
        with tempfile.TemporaryDirectory() as folder:
            done = in_a_process("demo", "reach-blade", "--out", folder)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("All in band.", done.stdout)
            self.assertNotIn("Error", done.stderr)  # nothing is left to be done while it ends
            self.assertEqual(sorted(os.listdir(folder)), ["reach-blade.png", "reach-blade.step"])

    def test_the_examples_in_the_docs_run(self) -> None:
        """Every Python block of docs/scripts.md runs as it stands."""
        text = (ROOT / "docs" / "scripts.md").read_text()
        blocks = [part.split("```")[0] for part in text.split("```python\n")[1:]]
        self.assertGreaterEqual(len(blocks), 3)
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "blade.csv").write_text(GOOD)
            before = Path.cwd()
            os.chdir(folder)
            try:
                with mock.patch("isotomon.delivering.Supervisor", _Lent), contextlib.redirect_stdout(io.StringIO()):
                    exec("\n".join(blocks), {})
            finally:
                os.chdir(before)
