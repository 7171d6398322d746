"""Designs, edits, files and sessions."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.author.insert import insert_station
from isotomon.author.session import Session, find_recovered, restore
from isotomon.design import edits, station_edits
from isotomon.design.file import SCHEMA_FILE, decode, encode, load, save, schema
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.resolve import resolve_body
from isotomon.design.station import Station
from isotomon.errors import DesignError, FileError, IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.profile.section import Circle, Naca4, Polygon
from isotomon.samples import sample
from tests.helpers import body


def small() -> Design:
    """Two stations, a number, a law."""
    return Design(
        "small",
        numbers=(Number("n1", "size", 40.0, "length"),),
        bodies=(
            body(
                stations=(
                    Station("s1", "a", 0, Circle(), "size"),
                    Station("s2", "b", 100.0, Naca4("2412"), "2*size - 3 mm"),
                ),
                laws=(Law("law1", "area", "area", 0.01, relative=True, points=(LawPoint(1256.0, "s1"),)),),
            ),
        ),
    )


class Files(unittest.TestCase):
    """The design file."""

    def test_equal_designs_give_equal_bytes_and_come_back(self) -> None:
        """-0.0, 1 and 1.0 are one number; what is read back is the same design and the same bytes."""
        a = station_edits.change_station(small(), "s2", position=100, offset_x=-0.0)
        self.assertEqual(a, small())
        self.assertEqual(encode(a), encode(small()))
        for design in (a, sample("reach-blade")):
            self.assertEqual(decode(encode(design)), design)
            self.assertEqual(encode(decode(encode(design))), encode(design))

    def test_the_shipped_schema_is_the_records(self) -> None:
        """The JSON Schema in the package is the one the records give (make schema writes it)."""
        self.assertEqual(json.loads(SCHEMA_FILE.read_bytes()), json.loads(msgspec.json.encode(schema())))

    def test_a_file_cut_anywhere_is_refused_in_words(self) -> None:
        """Every truncation of a design is refused as a FileError."""
        data = encode(small())
        for end in range(0, len(data) - 2, 37):
            with self.assertRaises(FileError):
                decode(data[:end])

    def test_wrong_files_name_their_fault(self) -> None:
        """Newer version, wrong type, unknown field, infinity, circle, double position, deep nesting, not a design."""
        data = encode(small())
        for old, new, words in (
            (b'"version": 3', b'"version": 4', "newer Isotomon"),
            (b'"isotomon-design"', b'"something"', "not an Isotomon design"),
            (b'"position": 100.0', b'"position": []', r"Expected `float \| str`.*stations\[1\].position"),
            (b'"position": 100.0', b'"position": 0', "stand at one position"),
            (b'"position": 100.0', b'"position": 1e400', "out of range"),
            (b'"unit": "mm"', b'"unit": "furlong"', "Invalid enum value"),
            (b'"unit": "mm"', b'"unit": "mm", "x": 1', "unknown field"),
            (b'"value": 40.0', b'"value": "size"', "circle"),
            (b'"chord": "size"', b'"chord": "-1 mm"', "greater than zero"),
            (b'"chord": "size"', b'"chord": "sise"', "'sise' is not known"),
            (b'"digits": "2412"', b'"digits": "24"', "four digits"),
            (b'"tolerance": 0.0001', b'"tolerance": 1e-30', "tolerance"),
            (data, b"[" * 200_000, "damaged"),
            (data, b"", "damaged"),
            (data, b"\xff\xfe\x00", "damaged"),
        ):
            with self.subTest(words), self.assertRaisesRegex(FileError, words):
                decode(data.replace(old, new))

    def test_a_hostile_kept_section_is_refused(self) -> None:
        """Knots, degrees and sizes of a kept section are checked before anything is made of them."""
        quick = rebuild(small())
        assert quick.shape is not None
        good = insert_station(small(), quick.shape, 50.0)
        data = encode(good)
        self.assertEqual(decode(data), good)
        compact = msgspec.json.format(data, indent=-1)
        for old, new in (
            (b'"degree":5', b'"degree":50000000'),
            (b'"multiplicity":[1', b'"multiplicity":[900000000'),
            (b'"breaks":[0.0', b'"breaks":[0.5'),
            (b'"anchor":[[', b'"anchor":[[1e300,0.0],[0.0,0.0]],"more":[['),
            (b'"runs":[{', b'"runs":[],"more":[{'),
        ):
            self.assertIn(old, compact)
            with self.subTest(new), self.assertRaises(FileError):
                decode(compact.replace(old, new))

    def test_a_full_or_missing_place_leaves_nothing(self) -> None:
        """A failing write raises in words, keeps the old file and leaves no part behind."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.isotomon"
            save(small(), path)
            before = path.read_bytes()
            for place in (Path(folder) / "none" / "a.isotomon", Path(folder), Path("/proc/a.isotomon")):
                with self.assertRaises(FileError):
                    save(small(), place)
            # A limit on file size stands in for a full disk.
            code = (
                "import resource, signal, sys\nfrom pathlib import Path\nfrom isotomon.design.file import load, save\n"
                "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\nresource.setrlimit(resource.RLIMIT_FSIZE, (100, 100))\n"
                "from isotomon.errors import FileError\n"
                f"p = Path({str(path)!r})\n"
                "try:\n    save(load(p), p)\nexcept FileError as e:\n    print(e)\n"
            )
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            self.assertIn("cannot be written", done.stdout)
            self.assertEqual(path.read_bytes(), before)
            self.assertEqual(os.listdir(folder), ["a.isotomon"])
            for wrong, words in ((Path(folder), "directory"), (Path(folder) / "b", "does not exist")):
                with self.assertRaisesRegex(FileError, words):
                    load(wrong)


class Edits(unittest.TestCase):
    """Pure functions on designs."""

    def test_renaming_a_number_rewrites_its_uses(self) -> None:
        """Formulas follow a new name, and only whole names; a used number cannot be removed."""
        design = edits.add_number(small(), Number("n2", "size_2", "size/2", "length"))
        renamed = edits.change_number(design, "n1", name="girth")
        self.assertEqual([s.chord for s in renamed.bodies[0].stations], ["girth", "2*girth - 3 mm"])
        self.assertEqual(renamed.numbers[1].name, "size_2")
        self.assertEqual(renamed.numbers[1].value, "girth/2")
        with self.assertRaisesRegex(DesignError, "used by number size_2, station a chord"):
            edits.remove_number(design, "n1")
        with self.assertRaisesRegex(DesignError, "already"):
            edits.change_number(design, "n1", name="size_2")

    def test_removing_a_station_takes_its_law_points(self) -> None:
        """A law without points left goes too."""
        self.assertEqual(station_edits.remove_stations(small(), ("s1",)).bodies[0].laws, ())

    def test_position_and_fraction_in_formulas(self) -> None:
        """At a station, formulas may use its position and fraction."""
        design = station_edits.change_station(small(), "s2", set_angle="30 deg * fraction", offset_x="position / 10")
        found = resolve_body(design, design.bodies[0]).stations[1]
        self.assertAlmostEqual(found.set_angle, 0.5235987755982988, places=12)
        self.assertEqual(found.offset[0], 10.0)


class Sessions(unittest.TestCase):
    """History, saving, recovery."""

    @given(st.lists(st.integers(0, 7), min_size=1, max_size=30))
    @settings(max_examples=60)
    def test_undo_goes_back_to_the_same_bytes(self, choices: list[int]) -> None:
        """Whatever is done, refused or not, undo all the way gives the first bytes and redo the last."""
        session = Session(small())
        first = encode(session.design)
        for step, choice in enumerate(choices):
            try:
                if choice == 0:
                    session.apply("chord", lambda d, k=step: station_edits.change_station(d, "s1", chord=20.0 + k))
                elif choice == 1:
                    session.apply(
                        "section", lambda d, k=step: station_edits.change_station(d, "s2", section=Polygon(3 + k % 5))
                    )
                elif choice == 2:
                    session.apply("number", lambda d, k=step: edits.change_number(d, "n1", name=f"name{k}"))
                elif choice == 3:
                    session.apply("wrong", lambda d: station_edits.change_station(d, "s2", position=0.0))
                elif choice == 4:
                    session.apply(
                        "add",
                        lambda d, k=step: station_edits.add_station(
                            d, "body", Station(edits.fresh_id(d, "s"), f"x{k}", 3.0 * k + 1, Circle(), 9.0)
                        ),
                    )
                elif choice == 5:
                    session.apply("remove", lambda d: station_edits.remove_stations(d, ("s2",)))
                elif choice == 6:
                    session.undo()
                else:
                    session.redo()
            except IsotomonError:
                continue
        last = encode(session.design)
        steps = 0
        while session.redo_title:
            session.redo()
        last = encode(session.design)
        while session.undo_title:
            session.undo()
            steps += 1
        self.assertEqual(encode(session.design), first)
        for _ in range(steps):
            session.redo()
        self.assertEqual(encode(session.design), last)

    def test_a_refused_edit_changes_nothing(self) -> None:
        """A circle, a bad chord and a lost station are refused; the design and its history stay."""
        session = Session(small())
        for edit in (
            lambda d: edits.change_number(d, "n1", value="size * 2"),
            lambda d: station_edits.change_station(d, "s1", chord=-1.0),
            lambda d: station_edits.change_station(d, "nobody", chord=1.0),
        ):
            with self.assertRaises(IsotomonError):
                session.apply("wrong", edit)
        self.assertEqual((session.design, session.undo_title, session.dirty), (small(), None, False))

    def test_unsaved_work_of_a_killed_process_is_found(self) -> None:
        """A process killed at once after an edit leaves that edit for the next one; a living one's is left alone."""
        with tempfile.TemporaryDirectory() as folder:
            code = (
                "import os, signal\nfrom pathlib import Path\nfrom isotomon.design import station_edits\n"
                "from isotomon.author.session import Session\nfrom isotomon.samples import sample\n"
                f"s = Session(sample('reach-blade'), None, Path({folder!r}) / f'session-{{os.getpid()}}.isotomon')\n"
                "s.apply('edit', lambda d: station_edits.change_station(d, 's6', chord=214.0))\n"
                "os.kill(os.getpid(), signal.SIGKILL)\n"
            )
            subprocess.run([sys.executable, "-c", code], check=False)
            mine = Session(small(), None, Path(folder) / f"session-{os.getpid()}.isotomon")
            mine.apply("edit", lambda d: station_edits.change_station(d, "s1", chord=1.0))
            (Path(folder) / "session-1.isotomon").write_bytes(b"damaged")
            found = find_recovered(Path(folder))
            self.assertEqual(len(found), 1)
            session = restore(found[0], mine.recovery)
            self.assertEqual(session.design.bodies[0].stations[5].chord, 214.0)
            self.assertTrue(session.dirty)
            session.save(Path(folder) / "kept.isotomon")
            self.assertEqual(find_recovered(Path(folder)), [])
            self.assertFalse(session.dirty)
