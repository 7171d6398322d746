"""Files in and out, recovery, and files that someone else changes: nothing is lost, nothing hangs."""

from __future__ import annotations

import contextlib
import io
import json
import os
import stat
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from isotomon.author.session import Session, find_recovered, open_session, restore
from isotomon.cli import main
from isotomon.design import station_edits
from isotomon.design.disk import decode_text, read_bytes, runs_since, write_atomically
from isotomon.design.file import encode, load, save
from isotomon.errors import ChangedFileError, FileError
from tests.helpers import design

ROWS = [(0.0, "circle", 40.0, 0.0), (90.0, "circle", 30.0, 0.0)]


class WithFolder(unittest.TestCase):
    """A folder of its own."""

    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name)


class Writing(WithFolder):
    """What is written keeps what the file was."""

    def test_permissions_and_links_stay(self) -> None:
        """A private file stays private, a link stays a link to what is written, a new file is as the umask says."""
        private, link, fresh = (self.folder / name for name in ("private", "link", "fresh"))
        private.write_bytes(b"old")
        private.chmod(0o600)
        link.symlink_to(private)
        write_atomically(link, b"new")
        self.assertTrue(link.is_symlink())
        self.assertEqual((private.read_bytes(), stat.S_IMODE(private.stat().st_mode)), (b"new", 0o600))
        before = os.umask(0o027)
        try:
            write_atomically(fresh, b"x")
        finally:
            os.umask(before)
        self.assertEqual(stat.S_IMODE(fresh.stat().st_mode), 0o640)

    def test_parts_of_killed_processes_are_cleared(self) -> None:
        """Those of processes that are gone; those of living ones stay; others' files are let be."""
        gone = subprocess.Popen([sys.executable, "-c", "pass"])
        gone.wait()
        for name in (f".a.{gone.pid}.x.part", f".a.{os.getppid()}.x.part", ".b.1.x.part", "a.part"):
            (self.folder / name).write_bytes(b"")
        write_atomically(self.folder / "a", b"1")
        left = {".b.1.x.part", "a.part", "a", f".a.{os.getppid()}.x.part"}
        self.assertEqual(set(os.listdir(self.folder)), left)

    def test_what_is_no_file_is_refused_at_once(self) -> None:
        """Pipes, devices, links to them and directories, to read from or to write to."""
        pipe, link = self.folder / "pipe", self.folder / "zero"
        os.mkfifo(pipe)
        link.symlink_to("/dev/zero")
        for path in (pipe, link, self.folder, self.folder / "none"):
            with self.subTest(path.name), self.assertRaises(FileError):
                read_bytes(path, 100, "design file")
        for path in (pipe, link, self.folder):
            with self.assertRaises(FileError):
                write_atomically(path, b"x")
        for data in (b"\xff\xfea\x00", b"a\x00b", b"", b"\xc3("):
            with self.assertRaises(FileError):
                decode_text(data, "text")

    def test_a_process_id_given_anew_is_not_the_old_process(self) -> None:
        """This process ran a moment ago, and did not before it began."""
        self.assertTrue(runs_since(os.getpid(), Path("/proc/self").stat().st_mtime + 3600.0))
        self.assertFalse(runs_since(os.getpid(), 1000.0))
        self.assertFalse(runs_since(2**30, 2e9))


class Sessions(WithFolder):
    """Two windows on one file, and work left by a crash."""

    def test_a_file_changed_by_someone_else_is_not_overwritten(self) -> None:
        """The later save is refused with the reason, and goes through when it is meant, or under another name."""
        path = self.folder / "a.isotomon"
        save(design(ROWS), path)
        one, other = open_session(path), open_session(path)
        one.apply("size", lambda d: station_edits.change_station(d, "s0", chord=41.0))
        one.save()
        one.apply("size", lambda d: station_edits.change_station(d, "s0", chord=42.0))
        one.save()
        other.apply("size", lambda d: station_edits.change_station(d, "s0", chord=50.0))
        self.assertTrue(other.changed_outside())
        with self.assertRaisesRegex(ChangedFileError, "changed by someone else"):
            other.save()
        self.assertEqual(load(path).bodies[0].stations[0].chord, 42.0)
        other.save(self.folder / "mine.isotomon")
        self.assertEqual(load(path).bodies[0].stations[0].chord, 42.0)
        third = open_session(path)
        save(design(ROWS), path)
        third.apply("size", lambda d: station_edits.change_station(d, "s0", chord=60.0))
        third.save(replace=True)
        self.assertEqual(load(path).bodies[0].stations[0].chord, 60.0)

    def test_what_is_kept_says_whose_it_is(self) -> None:
        """After the first edit, one after it was saved elsewhere, and one after what was kept is gone."""
        session = Session(design(ROWS), None, self.folder / "session-7.isotomon")
        for number, saved in enumerate(("", "one.isotomon", "two.isotomon")):
            if saved:
                session.save(self.folder / saved)
            for position in (11.0 + number, 21.0 + number):
                session.apply("move", lambda d, z=position: station_edits.change_station(d, "s0", position=-z))
                note = json.loads((self.folder / "session-7.note").read_text())
                self.assertEqual(note, {"path": str(self.folder / saved) if saved else "", "pid": os.getpid()})
                self.assertEqual(load(self.folder / "session-7.isotomon"), session.design)
                (self.folder / "session-7.note").unlink()

    def test_recovered_work_is_at_no_time_nowhere(self) -> None:
        """Damaged, missing and hostile notes hide nothing; where the work cannot be kept anew it stays where it is."""
        made = encode(design(ROWS))
        notes = {"1": b"[1]", "2": b'{"pid": 1e999}', "3": b"[" * 5000, "4": b'{"path": "a\\u0000b"}', "5": None}
        for key, note in notes.items():
            kept = self.folder / f"session-99999999{key}.isotomon"
            kept.write_bytes(made)
            if note is not None:
                kept.with_suffix(".note").write_bytes(note)
        found = find_recovered(self.folder)
        self.assertEqual(len(found), len(notes))
        session = restore(found[0], self.folder / "no such folder" / "session-1.isotomon")
        self.assertTrue(found[0].kept.exists() and session.dirty)
        self.assertEqual(session.recovery, found[0].kept)
        session = restore(found[1], self.folder / "session-mine.isotomon")
        self.assertTrue((self.folder / "session-mine.isotomon").exists())
        self.assertFalse(found[1].kept.exists())

    def test_what_cannot_be_kept_is_told_and_does_not_stop_the_work(self) -> None:
        """A folder that is not there: edits go on, and the reason is there to be said."""
        session = Session(design(ROWS), None, self.folder / "none" / "session-1.isotomon")
        session.apply("size", lambda d: station_edits.change_station(d, "s0", chord=41.0))
        self.assertEqual(session.design.bodies[0].stations[0].chord, 41.0)
        self.assertIn("cannot be written", session.unkept)


class ExitCodes(WithFolder):
    """2 is an error, whatever kind; 1 is out of band alone."""

    def said(self, *words: str) -> tuple[int, str]:
        """The exit code of a command, and what it says is wrong."""
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main(words)
        return code, err.getvalue()

    def test_each_has_its_meaning(self) -> None:
        """Designs that are not UTF-8, outputs that are the design itself, no display, and what nobody foresaw."""
        good, bad = self.folder / "a.isotomon", self.folder / "bad.isotomon"
        save(design(ROWS), good)
        before = good.read_bytes()
        bad.write_bytes(before.replace(b"test", b"t\xe9st"))
        for words, expected in (
            (("check", str(bad)), "cannot be used|damaged"),
            (("check", str(good), "--json", str(good)), "is the design itself"),
            (("export", str(good), str(self.folder / "x.xyz")), "ending"),
            (("export", str(good), str(self.folder / "x.stl"), "--fine", "-1"), "mesh"),
            (("picture", str(good), str(self.folder / "no" / "x.png")), "cannot be written"),
        ):
            with self.subTest(words):
                code, text = self.said(*words)
                self.assertEqual(code, 2)
                self.assertRegex(text, expected)
                self.assertEqual(len(text.splitlines()), 1)
        self.assertEqual(good.read_bytes(), before)
        environment = {
            k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        }
        shown = subprocess.run(
            [sys.executable, "-m", "isotomon.cli", "open", str(good)],
            env=environment,
            capture_output=True,
            text=True,
            timeout=60,
        )
        self.assertEqual((shown.returncode, "no display" in shown.stderr), (2, True))
        out = self.folder / "same.isotomon"
        self.assertEqual(self.said("numbers", str(good), "--out", str(out))[0], 0)
        self.assertEqual(out.read_bytes(), before)
        note = self.folder / "session-5.note"
        note.write_text(json.dumps({"path": ""}))
