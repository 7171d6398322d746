"""Bodies brought in from files: as they are, mended where needed, copied and combined; what cannot be read is told."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np

from isotomon import script
from isotomon.design import bodies
from isotomon.design.body import Loft, Span
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.imports import bytes_of
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError, FileError, SolidError
from isotomon.inspect.quick import rebuild
from isotomon.operations.mirror import Mirror
from isotomon.operations.resize import Resize
from isotomon.operations.round import Round
from isotomon.profile.section import Circle, Polygon
from isotomon.quantity.record import refs
from isotomon.solids.deliver import build_all, export
from tests.helpers import WithWorker, body, changed

SIX = 40.0**2 * 3.0 * math.sqrt(3.0) / 8.0 * 100.0
"""mm³: of a six-sided post of 40 by 100."""


def ring_volume(n: int, big: float, small: float) -> float:
    """mm³ of a ring with n flat wedges whose section is a polygon of n sides: each wedge holds the polygon's first moment about
    the axis times the sine of its angle."""
    turn = 2.0 * math.pi / n
    return n * math.sin(turn) * (0.5 * n * small**2 * math.sin(turn)) * big


class BroughtIn(WithWorker):
    """Files of other programs as bodies of a design."""

    def setUp(self) -> None:
        self.scratch = tempfile.TemporaryDirectory()
        self.addCleanup(self.scratch.cleanup)
        self.folder = Path(self.scratch.name)

    def post(self, ending: str) -> Path:
        station = Station("s1", "post", 0.0, Polygon(6), 40.0)
        path = self.folder / f"post.{ending}"
        export(
            rebuild(Design("post", bodies=(body("body", "post", span=Span(on=100.0), stations=(station,)),))),
            self.supervisor,
            path,
        )
        return path

    def test_step_and_stl_as_they_are(self) -> None:
        """The body of a file has its volume, through the design's own file too; mirrored and bored it is as sound as any."""
        for ending, near in (("step", 1e-9), ("stl", 1e-6)):
            made = decode(encode(script.bring_in(Design("in"), self.post(ending))))
            self.assertEqual(rebuild(made).findings, ())
            built = build_all(rebuild(made), self.supervisor)["body"]
            self.assertTrue(built.valid and built.watertight)
            self.assertAlmostEqual(built.volume / SIX, 1.0, delta=near)
            self.assertEqual(bool(built.told), ending == "stl")
            twice = changed(made, steps=(Mirror("xy"),))
            self.assertAlmostEqual(build_all(rebuild(twice), self.supervisor)["body"].volume / SIX, 2.0, delta=2 * near)
            if ending == "step":  # its faces have names by which they are worked on
                worked = changed(made, steps=(Round(edges=refs("body/face:face 1"), radius=1.0),))
                rounded = build_all(rebuild(worked), self.supervisor)["body"]
                self.assertTrue(rounded.valid and 0.99 * SIX < rounded.volume < SIX)
            hole = Station("s9", "bore", -5.0, Circle(), 10.0)
            bored = bodies.add_body(made, "bore", (hole,), Loft(span=Span(on=120.0)))
            bored = bodies.combine(bored, bored.bodies[-1].id, "cut")
            one = build_all(rebuild(bored), self.supervisor)["body"]
            self.assertAlmostEqual(one.volume / (SIX - math.pi * 25.0 * 100.0), 1.0, delta=1e-6)

    def test_a_mesh_of_very_many_triangles(self) -> None:
        """It stays a mesh: its own volume, moved and mirrored too, written as STL again; not combined, nor written as STEP."""
        n, big, small = 180, 50.0, 20.0
        made = script.bring_in(Design("in"), self.torus(n, big, small))
        wanted = ring_volume(n, big, small)
        built = build_all(rebuild(made), self.supervisor)["body"]
        self.assertTrue(built.valid and built.watertight and "stay a mesh" in built.told[0])
        self.assertAlmostEqual(built.volume / wanted, 1.0, delta=1e-6)
        self.assertLess(np.abs(built.centre).max(), 1e-3)
        stretched = changed(made, steps=(Resize(x=2.0, y=1.0, z=1.0), Mirror("xy")))
        self.assertAlmostEqual(build_all(rebuild(stretched), self.supervisor)["body"].volume / wanted, 4.0, delta=1e-5)
        export(rebuild(made), self.supervisor, self.folder / "again.stl")
        self.assertEqual((self.folder / "again.stl").stat().st_size, (self.folder / "torus.stl").stat().st_size)
        with self.assertRaisesRegex(SolidError, "write it as STL"):
            export(rebuild(made), self.supervisor, self.folder / "again.step")
        hole = Station("s9", "bore", -60.0, Circle(), 10.0)
        bored = bodies.add_body(made, "bore", (hole,), Loft(span=Span(on=120.0)))
        bored = bodies.combine(bored, bored.bodies[-1].id, "cut")
        with self.assertRaisesRegex(SolidError, "stays a mesh"):
            build_all(rebuild(bored), self.supervisor)

    def torus(self, n: int, big: float, small: float) -> Path:
        """A file of 2 n² triangles."""
        u = 2.0 * np.pi * np.arange(n) / n
        out = big + small * np.cos(u)
        points = np.stack(
            [np.outer(np.cos(u), out), np.outer(np.sin(u), out), np.broadcast_to(small * np.sin(u), (n, n))], axis=-1
        )
        on, over = np.roll(points, -1, axis=0), np.roll(points, -1, axis=1)
        both = np.roll(on, -1, axis=1)
        corners = np.concatenate(
            [np.stack(t, axis=2).reshape(-1, 3, 3) for t in ((points, on, both), (points, both, over))]
        )
        facets = np.zeros(len(corners), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
        facets["corners"] = corners
        path = self.folder / "torus.stl"
        path.write_bytes(b"torus".ljust(80) + np.uint32(len(facets)).tobytes() + facets.tobytes())
        return path

    def test_what_cannot_be_brought_in(self) -> None:
        """A form that is not known, a file that is none, a damaged or lost one: told, and nothing else changes."""
        with self.assertRaisesRegex(FileError, r"use .step, .iges or .stl"):
            script.bring_in(Design("in"), self.folder / "x.txt")
        (self.folder / "bad.step").write_text("nothing of the sort")
        bad = script.bring_in(Design("in"), self.folder / "bad.step")
        with self.assertRaisesRegex(SolidError, "no STEP file that can be read"):
            build_all(rebuild(bad), self.supervisor)
        with self.assertRaisesRegex(FileError, "damaged"):
            bytes_of(replace(bad.imports[0], data="AAAA"))
        with self.assertRaisesRegex(DesignError, "bring it in again"):
            rebuild(replace(bad, imports=()))
        good = script.bring_in(
            Design("in", bodies=(body(stations=(Station("s1", "a", 0.0, Circle(), 9.0),)),)), self.post("stl")
        )
        self.assertEqual(len(bodies.remove_body(good, good.bodies[-1].id).imports), 0)


if __name__ == "__main__":
    unittest.main()
