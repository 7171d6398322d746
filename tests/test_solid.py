"""Solids: figures that agree, files that others accept, and a worker that survives what happens to it."""

from __future__ import annotations

import contextlib
import io
import math
import os
import signal
import subprocess
import tempfile
import threading
import time
import unittest
from pathlib import Path

import msgspec
import numpy as np

from isotomon.design import station_edits
from isotomon.errors import FileError, SolidError
from isotomon.inspect.check import check_json, exit_code
from isotomon.inspect.quick import rebuild
from isotomon.kernel.protocol import (
    PROTOCOL,
    ArrayData,
    Built,
    Failed,
    Ready,
    decode_reply,
    decode_request,
    frames,
    pack,
    send,
    unpack,
)
from isotomon.measure.body import body_measures
from isotomon.profile.section import Naca4
from isotomon.samples import sample
from isotomon.solids.arrived import check_built
from isotomon.solids.checked import checked
from isotomon.solids.deliver import build, export
from isotomon.solids.requests import shape_request
from isotomon.solids.supervisor import Job, Supervisor
from tests.__main__ import children
from tests.helpers import WithWorker, design, results, trials, volume_read
from tests.test_wrapped import fan

BODIES = {
    "frustum": ([(0.0, "circle", 40.0, 0.0), (100.0, "circle", 20.0, 0.0)], False),
    "turned prism": ([(0.0, "polygon:4", 40.0, 0.0), (100.0, "polygon:4", 40.0, 90.0)], False),
    "ruled prism": ([(0.0, "polygon:4", 40.0, 0.0), (100.0, "polygon:4", 40.0, 90.0)], True),
    "edge closing": (
        [
            (0.0, "circle", 40.0, 0.0),
            (50.0, "naca:0018b", 60.0, 10.0),
            (100.0, "naca:2412", 60.0, 10.0),
            (150.0, "naca:0012", 50.0, 0.0),
        ],
        False,
    ),
    "edge closing, ruled": (
        [(0.0, "naca:0018b", 60.0, 10.0), (100.0, "naca:2412", 60.0, 10.0), (150.0, "naca:0012", 50.0, 0.0)],
        True,
    ),
    "star to round": (
        [(0.0, "star:5:0.5", 40.0, 0.0), (50.0, "rounded:0.6:0.1", 60.0, 10.0), (100.0, "circle", 60.0, 0.0)],
        False,
    ),
}


def grandchildren(pid: int) -> list[int]:
    """Living children of a process."""
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            fields = stat.read_text().rsplit(")", 1)[1].split()
            if int(fields[1]) == pid and fields[0] != "Z":
                found.append(int(stat.parent.name))
    return found


class Bodies(WithWorker):
    """Every kind of loft becomes a valid, watertight solid with the field's volume."""

    def test_solids_agree_with_their_fields(self) -> None:
        """Valid, watertight, named faces, kernel volume within 1e-6 of the field's, mesh closed."""
        for name, (rows, ruled) in BODIES.items():
            with self.subTest(name):
                quick, shape = results(rows, ruled)
                built = build(quick, self.supervisor)
                self.assertTrue(built.valid and built.watertight)
                volume = body_measures(shape.field, shape.form.rule).volume
                self.assertAlmostEqual(built.volume / volume, 1.0, delta=1e-6)
                self.assertEqual(len(set(built.names)), len(built.names))
                self.assertTrue({"first cap", "last cap"} < set(built.names) and "unnamed" not in built.names)
                points, index = unpack(built.vertices).astype(float), unpack(built.triangles)
                a, b, c = (points[index[:, k]] for k in range(3))
                self.assertAlmostEqual(float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6 / volume, 1.0, delta=1e-2)

    def test_random_stacks_make_valid_solids(self) -> None:
        """Stacks of random sections, sizes, angles, offsets and tilts, smooth and ruled: each a valid,
        watertight solid with the field's volume, or a flaw found on the field in words.
        """
        rng = np.random.default_rng(20261124)
        texts = [
            "circle",
            "ellipse:0.5",
            "naca:2412",
            "naca:0015b",
            "polygon:4",
            "polygon:7",
            "rounded:0.7:0.2",
            "star:6:0.6",
            "superellipse:0.8:4",
        ]
        made = 0
        for case in range(trials(16, 5)):
            count = int(rng.integers(2, 5))
            rows = [
                (60.0 * i, str(rng.choice(texts)), float(rng.uniform(25, 60)), float(rng.uniform(-40, 40)))
                for i in range(count)
            ]
            base = design(rows, ruled=case % 4 == 3)
            for i in range(count):
                tilt = float(rng.uniform(-0.25, 0.25)) if case % 4 != 3 else 0.0
                base = station_edits.change_station(base, f"s{i}", offset_x=float(rng.uniform(-8, 8)), tilt_x=tilt)
            quick = rebuild(base)
            with self.subTest(rows=rows):
                assert quick.shape is not None, quick.findings
                if quick.findings:
                    self.assertRegex(quick.findings[0].text, "folds|crosses|inside out")
                    continue
                built = build(quick, self.supervisor)
                self.assertTrue(built.valid and built.watertight, rows)
                assert quick.full is not None
                self.assertAlmostEqual(built.volume / quick.full.body.volume, 1.0, delta=1e-5)
                made += 1
        self.assertGreaterEqual(made, trials(12, 3))

    def test_the_step_file_is_one_closed_solid_of_the_same_volume(self) -> None:
        """Another program's reader finds one volume, within 1e-4 of the field's; the header speaks mm, AP214 and the name."""
        with tempfile.TemporaryDirectory() as folder:
            for name, quick in (
                ("blade", rebuild(sample("reach-blade"))),
                ("prism", results(*BODIES["turned prism"])[0]),
                ("fan", rebuild(fan(Naca4("4412")))),
            ):
                path = Path(folder) / f"{name}.step"
                export(quick, self.supervisor, path)
                text = path.read_text()
                self.assertIn("AUTOMOTIVE_DESIGN", text)
                self.assertIn("SI_UNIT(.MILLI.,.METRE.)", text)
                self.assertIn(f"'{quick.body.name}'", text)
                self.assertEqual(text.count("MANIFOLD_SOLID_BREP("), 1)
                assert quick.full is not None
                self.assertAlmostEqual(volume_read(path) / quick.full.body.volume, 1.0, delta=1e-4)

    def test_the_stl_file_is_watertight(self) -> None:
        """Another library finds the mesh watertight, outward, and of the volume within its deflection."""
        import trimesh

        quick, _ = results(*BODIES["edge closing"])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "body.stl"
            export(quick, self.supervisor, path)
            mesh = trimesh.load(path)
        assert quick.full is not None
        self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent)
        self.assertAlmostEqual(mesh.volume / quick.full.body.volume, 1.0, delta=2e-4)

    def test_unwritable_targets_leave_nothing(self) -> None:
        """A missing folder, a wrong ending, a forbidden place: each its own words, no file, no part."""
        quick, _ = results(*BODIES["frustum"])
        with tempfile.TemporaryDirectory() as folder:
            for path, words in (
                (Path(folder) / "no" / "a.step", "folder does not exist"),
                (Path(folder) / "a.xyz", "name it .step, .*or .glb"),
                (Path("/proc/a.step"), "cannot be written"),
            ):
                with self.subTest(words), self.assertRaisesRegex((FileError, SolidError), words):
                    export(quick, self.supervisor, path)
            os.mkdir(Path(folder) / "b.step")
            with self.assertRaises((FileError, SolidError)):
                export(quick, self.supervisor, Path(folder) / "b.step")
            self.assertEqual(os.listdir(folder), ["b.step"])

    def test_the_check_says_the_same_in_json(self) -> None:
        """Figures, null for what is undefined, exit codes, and a folded body that is not called valid."""
        result = checked(
            rebuild(station_edits.change_station(sample("reach-blade"), "s6", chord=202.0)), self.supervisor
        )
        self.assertEqual((result["ok"], exit_code(result)), (False, 1))
        self.assertIsNone(result["stations"][0]["set_angle_deg"])
        self.assertGreaterEqual(len(result["along"]), 101)
        body = result["bodies"][0]
        self.assertTrue(body["valid"] and body["watertight"])
        self.assertAlmostEqual(body["volume_mm3"] / body["volume_solid_mm3"], 1.0, delta=1e-4)
        self.assertEqual([f["severity"] for f in result["findings"]], ["band"])
        folded = checked(
            rebuild(design([(0.0, "circle", 40.0, 0.0), (30.0, "circle", 40.0, 0.0)], tilt_y="1.5 rad * fraction")),
            self.supervisor,
        )
        self.assertEqual(exit_code(folded), 2)
        self.assertFalse(folded["bodies"][0]["valid"])
        self.assertEqual(check_json(rebuild(design([])), {})["findings"][0]["severity"], "error")


def worked(pid: int) -> bool:
    """Whether a process has worked for two of the system's ticks."""
    return sum(map(int, Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[11:13])) >= 2


def ended(pid: int) -> bool:
    """Whether a process has ended, be it that nobody has taken notice yet."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except (FileNotFoundError, ProcessLookupError):
        return True


class Survival(unittest.TestCase):
    """What the worker and its steps live through."""

    def setUp(self) -> None:
        self.supervisor = Supervisor()
        self.quick, self.shape = results(BODIES["frustum"][0])
        self.heavy, self.heavy_shape = (lambda q: (q, q.shape))(rebuild(sample("reach-blade")))
        build(self.quick, self.supervisor)

    def tearDown(self) -> None:
        self.supervisor.close()

    def begin(self, limit: float = 60.0) -> Job:
        """A step that takes a while, frozen in its course."""
        shape = self.heavy_shape
        assert shape is not None
        job = self.supervisor.submit(lambda i: shape_request(shape, 1e-4, i, limit))
        pid = self.supervisor.pid
        assert pid is not None
        end = time.monotonic() + 20
        while not (steps := grandchildren(pid)) and time.monotonic() < end:
            time.sleep(0.002)
        self.step = steps[0]
        while (
            not worked(self.step) and time.monotonic() < end
        ):  # frozen as it begins, it would not yet end with its worker
            time.sleep(0.002)
        os.kill(self.step, signal.SIGSTOP)
        return job

    def kept(self) -> None:
        """The body built before is still there: asking for it starts no step."""
        job = self.supervisor.submit(lambda i: shape_request(self.shape, 1e-4, i))
        self.assertIsInstance(job.wait(5), Built)

    def test_a_hanging_step_is_ended_at_its_limit(self) -> None:
        """A frozen step ends as a timeout; the bodies stay; the next step works."""
        outcome = self.begin(limit=0.5).wait(10)
        assert isinstance(outcome, Failed)
        self.assertEqual(outcome.kind, "timeout")
        self.kept()
        self.assertIsInstance(build(self.heavy, self.supervisor), Built)

    def test_cancel_ends_a_step_at_once(self) -> None:
        """A frozen step is cancelled without waiting for it; a waiting one too."""
        job = self.begin()
        waiting = self.supervisor.submit(lambda i: shape_request(self.shape, 1e-4, i))
        self.supervisor.cancel(waiting)
        self.supervisor.cancel(job)
        for cancelled in (waiting, job):
            outcome = cancelled.wait(5)
            assert isinstance(outcome, Failed)
            self.assertEqual(outcome.kind, "cancelled")
        self.kept()

    def test_a_crash_takes_only_its_step(self) -> None:
        """A step killed by the system is a crash in words; the worker and its bodies live on."""
        job = self.begin()
        worker = self.supervisor.pid
        os.kill(self.step, signal.SIGKILL)
        outcome = job.wait(3)
        assert isinstance(outcome, Failed)
        self.assertEqual(outcome.kind, "crash")
        self.assertEqual(self.supervisor.pid, worker)
        self.kept()

    def test_a_dead_worker_is_told_and_started_anew(self) -> None:
        """The worker's death fails its jobs within 3 s, its steps die with it, and the next request works."""
        job = self.begin()
        worker = self.supervisor.pid
        assert worker is not None
        os.kill(worker, signal.SIGKILL)
        outcome = job.wait(3)
        assert isinstance(outcome, Failed)
        self.assertEqual(outcome.kind, "lost")
        end = time.monotonic() + 20
        while not ended(self.step) and time.monotonic() < end:
            time.sleep(0.01)
        self.assertTrue(ended(self.step))
        self.assertIsInstance(build(self.quick, self.supervisor), Built)
        self.assertNotEqual(self.supervisor.pid, worker)

    def test_the_worker_dies_with_its_parent(self) -> None:
        """When the process that started it is killed, the worker ends."""
        code = (
            "import os, signal\nfrom isotomon.solids.supervisor import Supervisor\ns = Supervisor()\ns.start()\n"
            "s.ready.wait(30)\nprint(s.pid, flush=True)\nos.kill(os.getpid(), signal.SIGKILL)\n"
        )
        import sys

        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
        pid = int(done.stdout)
        end = time.monotonic() + 5
        while Path(f"/proc/{pid}").exists() and time.monotonic() < end:
            time.sleep(0.02)
        self.assertFalse(Path(f"/proc/{pid}").exists())
        self.assertIn(self.supervisor.pid, children())


class Protocol(unittest.TestCase):
    """Messages that do not fit are refused, each in words."""

    def test_malformed_and_foreign_messages(self) -> None:
        """Noise, another version, and a cut message."""
        for decode in (decode_reply, decode_request):
            with self.assertRaisesRegex(SolidError, "cannot be read"):
                decode(b"\x81\xa4type\xa4None")
        stream = io.BytesIO()
        send(stream, Ready(version=PROTOCOL + 1))
        with self.assertRaisesRegex(SolidError, f"protocol {PROTOCOL + 1}, expected {PROTOCOL}"):
            list(frames(bytearray(stream.getvalue())))
        whole = io.BytesIO()
        send(whole, Ready())
        came = bytearray(whole.getvalue() * 2)[:-2]
        self.assertEqual([type(reply) for reply in frames(came)], [Ready])
        came += whole.getvalue()[-2:]
        self.assertEqual(([type(reply) for reply in frames(came)], len(came)), ([Ready], 0))
        with self.assertRaisesRegex(SolidError, "longer than allowed"):
            list(frames(bytearray(b"\xff" * 16)))

    def test_bodies_that_cannot_be_are_not_believed(self) -> None:
        """Each array of a reply is checked: its kind, its shape, its range, and that it is finite."""
        points, index, owner = np.zeros((3, 3), "float32"), np.array([[0, 1, 2]], "int32"), np.zeros(1, "int32")
        same = np.arange(3, dtype="int32")
        arrays = [pack(array) for array in (points, index, owner, points, same)]
        good = Built(1, ["a"], *arrays, 1.0, 1.0, (0.0, 0.0, 0.0), True, True)
        check_built(good)
        for name, value in (
            ("vertices", pack(points * np.float32("nan"))),
            ("vertices", pack(points.astype("float64"))),
            ("vertices", ArrayData("|O", (1, 3), b"\0" * 24)),
            ("vertices", ArrayData("<f4", (9, 3), b"\0" * 24)),
            ("triangles", pack(index + 1)),
            ("triangles", pack(index.ravel())),
            ("owner", pack(owner - 1)),
            ("owner", pack(np.zeros(2, "int32"))),
            ("normals", pack(points[:2])),
            ("normals", pack(points * np.float32("nan"))),
            ("same", pack(same + 1)),
            ("volume", math.inf),
        ):
            with self.subTest(name), self.assertRaisesRegex(SolidError, "the solid worker sent"):
                check_built(msgspec.structs.replace(good, **{name: value}))


class Patience(unittest.TestCase):
    """Nobody waits for a worker that is stopped, slow or dead; each of these is noticed, and work goes on."""

    def setUp(self) -> None:
        self.before = set(threading.enumerate())
        self.supervisor = Supervisor(silent=1.5)
        self.quick, self.shape = results(BODIES["frustum"][0])
        self.addCleanup(self.supervisor.close)

    def submit(self, key: str = "") -> Job:
        """Ask for a body; never takes long itself."""
        before = time.monotonic()
        job = self.supervisor.submit(lambda i: shape_request(self.shape, 1e-4, i, key=key))
        self.within.append(time.monotonic() - before)
        return job

    def works_again(self) -> None:
        """A request is answered; one that was sent to a worker about to be found dead is lost, and asked again."""
        outcome = self.submit().wait(30)
        if isinstance(outcome, Failed) and outcome.kind == "lost":
            outcome = self.submit().wait(30)
        self.assertIsInstance(outcome, Built)

    within: list[float] = []

    def test_in_every_order(self) -> None:
        """Stopped, killed or busy before or after requests, of any size, and cancelled or not: every job comes to an outcome,
        each call returns at once, and the next request works."""
        type(self).within = []
        orders = (
            "stop ask, ask kill, ask stop cancel, ask cancel kill, ask stop, kill ask, stop ask cancel, stop ask kill"
        )
        for order in [tuple(words.split()) for words in orders.split(", ")][: trials(8, 4)]:
            with self.subTest(order):
                self.works_again()
                pid, jobs = self.supervisor.pid, []
                assert pid is not None
                for number, what in enumerate(order):
                    if what == "ask":
                        jobs += [self.submit(f"{order}{number}{k}" + "x" * 300_000 * (k == 1)) for k in range(3)]
                    elif what == "cancel":
                        for job in jobs[:2]:
                            self.supervisor.cancel(job)
                    else:
                        os.kill(pid, signal.SIGSTOP if what == "stop" else signal.SIGKILL)
                outcomes = [job.wait(20) for job in jobs]
                self.assertTrue(all(isinstance(o, Built | Failed) for o in outcomes))
                if order == ("stop", "ask"):
                    self.assertEqual({o.kind for o in outcomes if isinstance(o, Failed)} - {"cancelled"}, {"lost"})
        self.works_again()
        # Not a measure of speed: a call that waited for the worker would take its whole silence.
        self.assertLess(max(self.within), 1.5)

    def test_closing_does_not_wait_for_a_stopped_worker(self) -> None:
        """A worker stopped with more in its pipe than that holds is ended, and so are the threads."""
        self.assertIsInstance(self.submit().wait(30), Built)
        assert self.supervisor.pid is not None
        os.kill(self.supervisor.pid, signal.SIGSTOP)
        jobs = [self.submit("x" * 200_000) for _ in range(3)]
        self.supervisor.close()
        self.assertEqual({getattr(job.wait(1), "kind", "") for job in jobs}, {"lost"})
        names = {thread.name for thread in set(threading.enumerate()) - self.before}
        self.assertFalse(names & {"solid-requests", "solid-replies"})
        with self.assertRaisesRegex(SolidError, "closed"):
            self.submit()
