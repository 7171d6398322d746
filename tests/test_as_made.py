"""Parts as they were made: points read, fitted, held against the design; planted changes found; a machine spoken to over its line."""

from __future__ import annotations

import contextlib
import io
import math
import re
import socket
import tempfile
import threading
import unittest
import warnings
from collections.abc import Callable
from pathlib import Path

import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

from isotomon import script
from isotomon.arrays import Array
from isotomon.cli import main
from isotomon.design.file import save
from isotomon.design.law import Law, LawPoint
from isotomon.design.station import Station
from isotomon.errors import FileError, MachineError
from isotomon.exchange.clouds import Cloud, read_cloud
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.measure.onto import onto
from isotomon.metrology.compare import AsMade, coloured, held_against
from isotomon.metrology.line import GREETING, HOST, Server, probed
from isotomon.metrology.machine import Dent, Faults, Habits, machine
from isotomon.metrology.plan import ProbePlan, probe_plan
from isotomon.metrology.target import named_places, target_of
from isotomon.profile.section import Circle, Naca4
from isotomon.quantity.record import Ref
from isotomon.quantity.table import said
from tests.helpers import body

ANY = Rotation.from_rotvec([1.0, 0.7, -2.0]).as_matrix()


def blade() -> script.Design:
    """Five foils along 240 mm, with a law of area."""
    rows = ((0.0, 70.0, 18.0), (60.0, 64.0, 13.0), (120.0, 56.0, 9.0), (180.0, 50.0, 6.0), (240.0, 42.0, 4.0))
    stations = tuple(
        Station(f"s{k}", f"p{k}", z, Naca4("2416"), chord, math.radians(angle))
        for k, (z, chord, angle) in enumerate(rows)
    )
    made = body("body", "blade", stations)
    areas = rebuild(script.Design("blade", bodies=(made,))).shape
    assert areas is not None
    points = tuple(
        LawPoint(float(areas.curves.area[row]), Ref(f"s{k}")) for k, row in enumerate(areas.at_stations.tolist())
    )
    return script.Design(
        "blade",
        bodies=(body("body", "blade", stations, laws=(Law("l1", "area law", "area", 0.01, True, points=points),)),),
    )


def touched(quick: Quick, faults: Faults = script.Faults(), seed: int = 1, **habits: float) -> tuple[Array, ProbePlan]:  # noqa: B008
    """What a machine touches of a part, 48 places in each of 21 rows."""
    plan = probe_plan(quick, 48, 4)
    found = machine(quick, Habits(**{"accuracy": 0.005, **habits}, seed=seed), faults).touch(plan.places, -plan.normals)  # type: ignore[arg-type]
    return found[~np.isnan(found).any(axis=1)], plan


class Points(unittest.TestCase):
    """Files of points."""

    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name)

    def read(self, name: str, data: str | bytes, unit: str = "") -> Cloud:
        """What a file of that content holds."""
        path = self.folder / name
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
        return read_cloud(path, unit)

    def test_text_with_units_columns_and_names(self) -> None:
        """Columns in any order and with any mark between them; the unit as the file says, else as asked; names with blanks."""
        plain = self.read("a.xyz", "1 2 3\n4 5 6\n")
        self.assertEqual((plain.unit, plain.said, plain.points.tolist()), ("mm", False, [[1, 2, 3], [4, 5, 6]]))
        inches = self.read("a.csv", "# unit: in\nid;Z;X;Y\n7;3;1;2\n8;6;4;5\n")
        self.assertTrue(inches.said)
        np.testing.assert_allclose(inches.points, 25.4 * plain.points)
        np.testing.assert_allclose(self.read("a.txt", "1,2,3\n4,5,6\n", "cm").points, 10.0 * plain.points)
        named = self.read("n.txt", "1 2 3 tip leading\n4 5 6\n")
        self.assertEqual({key: place.tolist() for key, place in named.named.items()}, {"tip leading": [1, 2, 3]})
        self.assertEqual(len(named.points), 2)

    def test_ply_and_stl_as_another_library_writes_them(self) -> None:
        """Binary and text PLY, and the corners of an STL's triangles, each once."""
        ball = trimesh.creation.icosphere(2, 10.0)
        for name, how in (("b.ply", {"encoding": "binary"}), ("t.ply", {"encoding": "ascii"}), ("s.stl", {})):
            made = ball.export(file_type=name[-3:], **how)
            cloud = self.read(name, made)
            self.assertEqual(len(cloud.points), len(ball.vertices), name)
            np.testing.assert_allclose(np.linalg.norm(cloud.points, axis=1), 10.0, atol=1e-4)
        head = b"ply\nformat ascii 1.0\ncomment unit in\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n"
        np.testing.assert_allclose(self.read("u.ply", head).points, [[25.4, 50.8, 76.2]])

    def test_bad_files_say_what_and_where(self) -> None:
        """Empty, cut off, lying about their size, binary, without a column, with words or no numbers: told with the line where there is one."""
        lying = b"ply\nformat ascii 1.0\nelement vertex 999999999\nproperty float x\nend_header\n"
        cases: tuple[tuple[str, str | bytes, str], ...] = (
            ("a.csv", "", "is empty"),
            ("a.csv", "# nothing\n", "no line with X, Y and Z"),
            ("a.csv", "x,y\n1,2\n", "no column Z"),
            ("a.csv", "1,2\n", "2 numbers where X, Y and Z are needed"),
            ("a.csv", "1,2,3\n4,five,6\n", "line 2: '4,five,6'"),
            ("a.csv", "1,2,3\n4,nan,6\n", "no numbers"),
            ("a.csv", "1,2,3\n4,1e300,6\n", "farther away"),
            ("a.csv", b"1,2,3\n\0\0\0", "no text"),
            ("a.txt", "1 2 3 A\n1 2 3 A\n", "line 2: the name 'A' is there twice"),
            ("a.ply", b"solid", "no PLY"),
            ("a.ply", lying, "999,999,999 points"),
            ("a.stl", b"\1" * 50, "cannot be read as STL"),
            ("a.doc", "1 2 3", "no ending"),
        )
        for name, data, words in cases:
            with self.subTest(words), self.assertRaisesRegex(FileError, re.escape(words)):
                self.read(name, data)
        with self.assertRaisesRegex(FileError, "no unit"):
            self.read("a.csv", "1,2,3\n", "furlong")


class Parts(unittest.TestCase):
    """Points held against the design."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.design = blade()
        cls.quick = rebuild(cls.design)

    def words(self, made: AsMade) -> str:
        """All that is told."""
        return "\n".join(f.text for f in made.findings)

    def test_how_far_off_a_cylinder(self) -> None:
        """By its formula, on its side, over its flat end and inside; right to a thousandth of a mm."""
        ends = (Station("s1", "a", 0.0, Circle(), 40.0), Station("s2", "b", 100.0, Circle(), 40.0))
        target = target_of(rebuild(script.Design("rod", bodies=(body("body", "rod", ends),))))
        chance = np.random.default_rng(1)
        angle, high, off = chance.uniform(0, 7, 2000), chance.uniform(5, 95, 2000), chance.uniform(-3, 5, 2000)
        ring = np.stack([np.cos(angle), np.sin(angle)], axis=1)
        found = onto(target.surface, np.column_stack([(20.0 + off)[:, None] * ring, high]))
        np.testing.assert_allclose(found.off, off, atol=1e-3)
        np.testing.assert_allclose(found.foot[:, :2], 20.0 * ring, atol=0.04)
        over = onto(target.surface, np.array([[3.0, 2.0, 104.0], [23.0, 0.0, 104.0]]))
        np.testing.assert_allclose(over.off, [4.0, 5.0], atol=1e-3)
        away = np.column_stack([chance.uniform(300, 3000, 2000)[:, None] * ring, high])  # as in other units
        far = onto(target.surface, np.vstack([away, [[23.0, 0.0, 104.0]]]))
        np.testing.assert_allclose(far.off[:-1], np.hypot(*away[:, :2].T) - 20.0, rtol=0.05)
        self.assertAlmostEqual(float(far.off[-1]), 5.0, places=3)

    def test_planted_changes_are_found_with_size_and_place(self) -> None:
        """A chord, an angle from a station on, and a dent, none of them known to what looks for them; the bench plants thirty."""
        quick = self.quick
        chord = held_against(quick, touched(quick, Faults(chord=0.01), bias=0.004)[0])
        self.assertEqual([c.kind for c in chord.changes], ["chord"])
        self.assertAlmostEqual(chord.changes[0].size, 0.01, delta=0.0012)
        self.assertIn("all along", chord.changes[0].words)
        turned = held_against(quick, touched(quick, Faults(twist=math.radians(-0.4), twist_from="p3"), drift=0.01)[0])
        self.assertEqual([(c.kind, c.stations) for c in turned.changes], [("angle", ("p3", "p4"))])
        self.assertAlmostEqual(math.degrees(turned.changes[0].size), -0.4, delta=0.04)
        points, plan = touched(quick)
        place = plan.places[48 * 9 + 11]
        dent = Dent((float(place[0]), float(place[1]), float(place[2])), 0.3, 16.0)
        made = held_against(quick, touched(quick, Faults(dents=(dent,)), missing=0.02)[0])
        self.assertEqual([c.kind for c in made.changes], ["dent"])
        self.assertAlmostEqual(made.changes[0].size, -0.3, delta=0.04)
        self.assertLess(math.dist(made.changes[0].place or (), dent.place), 4.0)
        self.assertEqual(held_against(quick, points).changes, ())

    def test_sections_as_made_and_their_laws(self) -> None:
        """A part as designed has the design's sections; one two hundredths larger misses its law of area by its formula."""
        made = held_against(self.quick, touched(self.quick)[0])
        for one in made.sections:
            self.assertGreater(one.covered, 0.95, one.name)
            self.assertAlmostEqual(one.made.area / one.designed.area, 1.0, delta=2e-3, msg=one.name)
            self.assertAlmostEqual(one.made.chord, one.designed.chord, delta=0.06, msg=one.name)
            self.assertAlmostEqual(one.made.set_angle, one.designed.set_angle, delta=math.radians(0.03), msg=one.name)
            self.assertAlmostEqual(one.made.thickness, one.designed.thickness, delta=0.03, msg=one.name)
            self.assertAlmostEqual(one.made.leading_radius, one.designed.leading_radius, delta=0.05, msg=one.name)
        self.assertEqual(self.words(made), "")
        larger = held_against(self.quick, touched(self.quick, Faults(chord=0.02))[0])
        for one in larger.sections:
            self.assertAlmostEqual(one.made.area / one.designed.area, 1.02**2, delta=3e-3, msg=one.name)
        self.assertIn("as made, area law is", self.words(larger))

    def test_fits_from_anywhere_and_what_cannot_be(self) -> None:
        """Turned any way it is fitted as if it had not been; the wrong hand, the wrong unit, points of something else, missing regions are told; named
        points and fewer freedoms are kept to; size is found."""
        quick, points = self.quick, touched(self.quick, shift=0.0, turn=0.0)[0]
        straight = held_against(quick, points)
        anyhow = held_against(quick, points @ ANY.T + np.array([500.0, 20.0, -90.0]))
        np.testing.assert_allclose(anyhow.points, straight.points, atol=1e-3)
        np.testing.assert_allclose(anyhow.fit.matrix[:3, :3], ANY.T, atol=1e-3)
        self.assertIn("wrong hand", self.words(held_against(quick, points * [1.0, -1.0, 1.0])))
        self.assertIn("as if they were in inches", self.words(held_against(quick, points / 25.4)))
        chance = np.random.default_rng(2)
        junk = np.vstack([points, chance.uniform(-60, 60, (40, 3)) + np.array([0.0, 0.0, 120.0])])
        self.assertGreaterEqual(int(held_against(quick, junk).far[-40:].sum()), 36)
        half = held_against(quick, points[points[:, 2] < 110.0])
        self.assertIn("nothing was measured on", self.words(half))
        self.assertEqual([one.fit is None for one in half.sections], [False, False, True, True, True])
        for odd, words in (
            (np.full((50, 3), 9e3), "nothing was measured"),
            (chance.normal(0.0, 1e5, (200, 3)), "farther than"),
        ):
            with warnings.catch_warnings():
                warnings.simplefilter("error")
                made = held_against(quick, odd, "size")
            self.assertTrue(0.49 < made.fit.size < 2.01 and words in self.words(made), self.words(made))
        named = {name: ANY @ named_places(quick)[name] for name in ("p0 leading", "p0 trailing", "p4 leading")}
        by_name = held_against(quick, points @ ANY.T, "none", named)
        np.testing.assert_allclose(by_name.points, points, atol=1e-9)
        with self.assertRaisesRegex(script.IsotomonError, "no place called 'nose'"):
            held_against(quick, points, "turn", {"nose": np.zeros(3)})
        shifted = held_against(quick, points + np.array([1.0, -2.0, 3.0]), "shift")
        np.testing.assert_allclose(shifted.fit.matrix[:3, 3], [-1.0, 2.0, -3.0], atol=0.01)
        self.assertAlmostEqual(held_against(quick, points * 1.01, "size").fit.size, 1.0 / 1.01, delta=5e-4)

    def test_colours_lie_where_the_points_do(self) -> None:
        """The skin is coloured by what lies off it, and by nothing where nothing was measured."""
        plan = probe_plan(self.quick, 48, 4)
        up = plan.normals[:, 1] > 0.0
        made = held_against(self.quick, (plan.places + 0.2 * plan.normals)[up], "none")
        values = coloured(made).values
        told = np.isfinite(values)
        self.assertTrue(0.3 < told.mean() < 0.75, told.mean())
        np.testing.assert_allclose(np.median(values[told]), 0.2, atol=0.01)

    def test_report_tables_and_the_command_line(self) -> None:
        """A part is told of in PDF, HTML and CSV with the same figures, by a command, whose code says that a law is missed."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            save(self.design, folder / "blade.isotomon")
            script.write_points(touched(self.quick, Faults(chord=0.02))[0], folder / "points.csv")
            out = io.StringIO()
            files = [str(folder / f) for f in ("blade.isotomon", "points.csv", "told.html")]
            with contextlib.redirect_stdout(out):
                code = main(["as-made", *files[:2], "--shaped", "--out", files[2]])
            self.assertEqual(code, 1)
            self.assertIn("the chord is 2.0", out.getvalue())
            made = script.as_made(self.design, folder / "points.csv")
            written = script.deliver(self.design, "report", folder / "all.html", made=made)
            page, tables = written[0].read_text(), script.deliver(self.design, "as-made", folder / "t.csv", made=made)
            area = f"{made.sections[2].made.area:.10g}"
            self.assertIn(area, tables[1].read_text())
            for text in (page, Path(files[2]).read_text()):
                self.assertTrue("blade as made" in text and said(made.sections[2].made.area) in text)
            self.assertTrue(
                script.deliver(self.design, "as-made", folder / "t.pdf", made=made)[0].read_bytes().startswith(b"%PDF")
            )
            with self.assertRaisesRegex(script.IsotomonError, "nothing has been measured"):
                script.deliver(self.design, "as-made", folder / "n.pdf")


class Machines(unittest.TestCase):
    """The machine's line."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.quick = rebuild(blade())
        cls.plan = probe_plan(cls.quick, 8, 0)

    def test_points_come_one_by_one_through_lost_lines(self) -> None:
        """What is touched over the line, which is lost once, is what the machine touches; stopped, it can be gone on with; places that cannot be
        touched are missed."""
        habits = Habits(accuracy=0.0, missing=0.2)
        direct = machine(self.quick, habits, Faults()).touch(self.plan.places, -self.plan.normals)
        stop = threading.Event()
        with Server(machine(self.quick, habits, Faults()), lost_after=7) as server:
            found = []
            for one in probed(self.plan, server.port, stop=stop):
                found.append(one)
                if one.number == 20:
                    stop.set()
            self.assertEqual(len(found), 21)
            found += probed(self.plan, server.port, first=21)
        self.assertEqual([one.number for one in found], list(range(len(self.plan))))
        places = np.array([one.place if one.place is not None else [np.nan] * 3 for one in found])
        np.testing.assert_allclose(places, direct, atol=2e-6)
        self.assertTrue(0 < np.isnan(direct[:, 0]).sum() < len(direct) / 2)

    def test_a_machine_that_hangs_or_is_none_is_told(self) -> None:
        """Time-out, nobody there, somebody else there, and somebody who answers nonsense; what was touched before stays."""
        with Server(machine(self.quick, Habits(), Faults()), hung_after=3) as server:
            got = []
            with self.assertRaisesRegex(MachineError, "has not answered for 0.3 s, after 3 of 76"):
                for one in probed(self.plan, server.port, seconds=0.3):
                    got.append(one)
            self.assertEqual(len(got), 3)
            port = server.port
        with self.assertRaisesRegex(MachineError, "cannot be reached"):
            list(probed(self.plan, port, seconds=0.3))
        for heard, words in ((b"220 mail\n", "no machine that is known"), (b"x" * 999, "does not speak in lines")):
            with (
                self.other(lambda wire, heard=heard: wire.sendall(heard)) as port,
                self.assertRaisesRegex(MachineError, words),
            ):  # type: ignore[misc]
                list(probed(self.plan, port, seconds=2.0))
        for answer, words in (
            (b"POINT 0 1 nan 2\n", "says nothing of place 0"),
            (b"ERROR out of reach\n", "out of reach"),
        ):

            def nonsense(wire: socket.socket, answer: bytes = answer) -> None:
                wire.sendall(f"{GREETING}\n".encode())
                wire.recv(200)
                wire.sendall(answer)

            with self.other(nonsense) as port, self.assertRaisesRegex(MachineError, words):
                list(probed(self.plan, port, seconds=2.0))

    @contextlib.contextmanager
    def other(self, speak: Callable[[socket.socket], None]) -> contextlib.AbstractContextManager[int]:  # type: ignore[misc]
        """Somebody else at a port, who speaks so to whoever calls."""
        with socket.create_server((HOST, 0)) as door:

            def answer() -> None:
                with contextlib.suppress(OSError), door.accept()[0] as wire:
                    speak(wire)
                    wire.recv(200)

            thread = threading.Thread(target=answer, daemon=True)
            thread.start()
            yield door.getsockname()[1]
        thread.join(5.0)

    def test_a_stranger_at_the_machine_is_answered_in_words(self) -> None:
        """Commands that are none, with no numbers, or with a way of no length."""
        with (
            Server(machine(self.quick, Habits(), Faults())) as server,
            socket.create_connection((HOST, server.port), 5.0) as wire,
        ):
            lines = wire.makefile("rw", encoding="ascii", newline="\n")
            self.assertEqual(lines.readline().strip(), GREETING)
            for asked in ("", "HELLO", "PROBE 1 2 3", "PROBE 1 nan 0 0 0 0 1", "PROBE 1 0 0 0 0 0 9"):
                lines.write(f"{asked}\n")
                lines.flush()
                self.assertTrue(lines.readline().startswith("ERROR "), asked)
            lines.write("STOP\n")
            lines.flush()
            self.assertEqual(lines.readline().strip(), "BYE")


if __name__ == "__main__":
    unittest.main()
