"""Edges rounded and bevelled: exact volumes, names, choices that stay right, the largest size that works, and the window."""

from __future__ import annotations

import contextlib
import io
import math
import tempfile
import unittest
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton

from isotomon.app.forms.edges import EdgesRow
from isotomon.app.forms.steps import StepsForm
from isotomon.cli import main
from isotomon.design import bodies, station_edits
from isotomon.design.file import decode, encode, load, save
from isotomon.design.records import Design
from isotomon.errors import DesignError, SizeError, SolidError
from isotomon.inspect.quick import rebuild
from isotomon.kernel.protocol import Built
from isotomon.operations.base import Operation
from isotomon.operations.bevel import Bevel
from isotomon.operations.combine import Combine
from isotomon.operations.round import Round
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, design
from tests.test_window import WithWindow

SIDE, HIGH = 60.0, 80.0
BOX = SIDE * SIDE * HIGH


def box(*steps: Operation) -> Design:
    """A square box of 60 × 60 × 80 mm."""
    made = design([(0.0, "polygon:4", SIDE * math.sqrt(2.0), 0.0), (HIGH, "polygon:4", SIDE * math.sqrt(2.0), 0.0)])
    for step in steps:
        made = bodies.add_step(made, "body", step)
    return made


def drum(*steps: Operation) -> Design:
    """A cylinder of 60 mm, 80 mm high, with a post of 20 mm standing out of its upper end as another body."""
    made = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
    made = bodies.add_body(made, "post")
    post = made.bodies[1]
    for number, station in enumerate(post.stations):
        made = station_edits.change_station(made, station.id, position=(-10.0, 50.0)[number] + HIGH, chord=20.0)
    for step in (Combine(post.id), *steps):
        made = bodies.add_step(made, "body", step)
    return made


def rim_cut(radius: float, round_: float) -> float:
    """mm³ that rounding the rim of a cylinder takes away, by Pappus."""
    inner = radius - round_
    quarter = math.pi * round_**2 / 4.0
    kept = math.pi * inner**2 * round_ + 2.0 * math.pi * quarter * (inner + 4.0 * round_ / (3.0 * math.pi))
    return math.pi * radius**2 * round_ - kept


class Solids(WithWorker):
    """What the kernel makes of edges."""

    def built(self, made: Design) -> Built:
        """The finished first body, sound, from the design as it comes back from a file."""
        found = build_all(rebuild(decode(encode(made))), self.supervisor)["body"]
        self.assertTrue(found.valid and found.watertight and found.pieces == 1)
        return found

    def test_exact_volumes(self) -> None:
        """All edges of a box rounded, one rim bevelled in three ways, edges along it rounded by a radius that changes, and a
        cylinder's rim: each by formula."""
        r = 5.0
        a, c = SIDE - 2 * r, HIGH - 2 * r
        ball = a * a * c + 2 * r * (a * a + 2 * a * c) + math.pi * r * r * (2 * a + c) + 4 / 3 * math.pi * r**3
        self.assertAlmostEqual(self.built(box(Round(edges=("body/all",), radius=r))).volume / ball, 1.0, delta=1e-9)
        grown = Round(edges=("body/along",), radius="2 mm + 6 mm * fraction")
        lost = 4.0 * (1.0 - math.pi / 4.0) * HIGH * (4.0 + 12.0 + 12.0)
        self.assertAlmostEqual(self.built(box(grown)).volume / (BOX - lost), 1.0, delta=2e-6)
        for fields, up in (({}, 3.0), ({"how": "angle", "angle": math.radians(60.0)}, 3.0 * math.sqrt(3.0))):
            cut = self.built(box(Bevel(edges=("body/rim:last",), width=3.0, **fields))).volume
            sizes = {
                (s, h): h / 3.0 * (SIDE**2 + (SIDE - 2 * s) ** 2 + SIDE * (SIDE - 2 * s))
                for s, h in ((3.0, up), (up, 3.0))
            }
            wanted = [BOX - (SIDE**2 * h - volume) for (_, h), volume in sizes.items()]
            self.assertLess(min(abs(cut - volume) for volume in wanted), 1e-6 * BOX)
        round_ = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", SIDE, 0.0)])
        made = bodies.add_step(round_, "body", Round(edges=("body/rim:last",), radius=r))
        whole = math.pi * 900.0 * HIGH
        self.assertAlmostEqual(self.built(made).volume / (whole - rim_cut(30.0, r)), 1.0, delta=1e-9)

    def test_where_bodies_meet_and_what_comes_after(self) -> None:
        """A post on a drum, rounded where they meet, then the new face's edges named in a further step; each face says what made it,
        and the choice stays right when the post is made thicker."""
        made = drum(Round(edges=("b1/meets",), radius=4.0))
        whole = math.pi * (900.0 * HIGH + 100.0 * 50.0)
        inner, quarter = 10.0, 16.0 * (1.0 - math.pi / 4.0)
        middle = 4.0 * (1.0 - (10.0 - 3.0 * math.pi) / (3.0 * (4.0 - math.pi)))
        filled = 2.0 * math.pi * quarter * (inner + 4.0 - middle)
        found = self.built(made)
        self.assertAlmostEqual((found.volume - whole) / filled, 1.0, delta=1e-6)
        self.assertIn("round of (b1: lane round|last cap)", found.names)
        thicker = station_edits.change_station(made, made.bodies[1].stations[0].id, chord=24.0)
        thicker = station_edits.change_station(thicker, made.bodies[1].stations[1].id, chord=24.0)
        self.assertIn("round of (b1: lane round|last cap)", self.built(thicker).names)

    def test_too_large_says_what_would_do(self) -> None:
        """A radius beyond the box is refused with the edge, the place and the largest that works; that one works, and mends do it."""
        made = box(Round(edges=("body/rim:last",), radius=40.0))
        with self.assertRaises(SizeError) as caught:
            self.built(made)
        self.assertRegex(str(caught.exception), "cannot be rounded with a radius of 40 mm; up to 29.9. mm works")
        self.assertIn("last cap", caught.exception.culprit)
        self.assertAlmostEqual(caught.exception.place[2], HIGH)  # type: ignore[index]
        key = made.bodies[0].steps[0].id
        mended = bodies.change_step(made, key, radius=caught.exception.fits)
        self.assertGreater(caught.exception.fits, 29.5)
        self.assertLess(self.built(mended).volume, BOX)

    def test_what_is_no_choice(self) -> None:
        """No edges, edges that are not there, all left out, no radius: each in words."""
        for step, words in (
            (Round(), "no edges are chosen"),
            (Round(edges=("body/edge:lane a~b|last cap",)), "there is no edge between lane a~b and last cap any more"),
            (Round(edges=("body/all",), without=("body/all",)), "all edges that are chosen are left out"),
            (Round(edges=("body/all",), radius=0.0), "must be more than nought"),
            (Bevel(edges=("body/all",), how="angle", angle=0.0), "use 1° to 89°"),
            (Round(edges=("body/nothing",)), "is no choice of edges"),
        ):
            with self.subTest(words), self.assertRaisesRegex((DesignError, SolidError), words):
                build_all(rebuild(box(step)), self.supervisor)

    def test_the_command_line(self) -> None:
        """A step by its fields, edges by names of bodies, listed, refused when there is no such body."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "box.isotomon"
            save(box(), path)
            name, said = box().bodies[0].name, io.StringIO()
            with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
                self.assertEqual(
                    main(["step", str(path), "round", f"edges={name}/along, {name}/rim:last", "radius=3"]), 0
                )
                self.assertEqual(main(["step", str(path), "round", "edges=nobody/along"]), 2)
            self.assertIn("Edges rounded", said.getvalue())
            step = load(path).bodies[0].steps[0]
            self.assertIsInstance(step, Round)
            self.assertEqual((step.edges, step.radius), (("body/along", "body/rim:last"), 3.0))


class InTheWindow(WithWindow):
    """The stage Finish by mouse and keys."""

    def test_a_rim_is_rounded_too_much_and_mended(self) -> None:
        """The tool rounds the rim of the last end at once; a radius typed that does not fit is a finding with the radius that would; its
        mend is one step, and undo leads back to the first bytes."""
        self.with_solids()
        w = self.window
        w.files.open_design(box())
        first = encode(w.desk.design)
        w.set_stage("Finish")
        QTest.keyClick(w, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        self.wait(lambda: w.desk.body is not None and len(w.desk.body.steps) == 1, "the step")
        self.assertEqual(w.desk.held.steps[0].edges, ("body/rim:last",))
        self.wait(
            lambda: isinstance(w.desk.solid, Built) and not w.desk.building and w.desk.solid.volume < BOX - 1.0,
            "the rounded solid",
        )
        field = w.details.findChild(StepsForm).fields["0 radius"]
        field.edit.setFocus()
        field.edit.selectAll()
        QTest.keyClicks(field.edit, "40")
        QTest.keyClick(field.edit, Qt.Key.Key_Return)
        self.wait(lambda: any("cannot be rounded" in f.text for f in w.desk.quick.findings), "the finding")
        finding = next(f for f in w.desk.quick.findings if "cannot be rounded" in f.text)
        self.assertRegex(finding.mends[0].title, "^Use 29.9")
        w.desk.do("mend", finding.mends[0].edit)
        self.wait(
            lambda: isinstance(w.desk.solid, Built) and not w.desk.building and not w.desk.quick.findings,
            "the mended solid",
        )
        row = w.details.findChild(EdgesRow)
        self.assertIsNotNone(row)
        out = next(b for b in row.findChildren(QToolButton) if b.accessibleName().startswith("Take out"))
        QTest.mouseClick(out, Qt.MouseButton.LeftButton)
        self.assertEqual(w.desk.held.steps[0].edges, ())
        while w.desk.session.undo_title is not None:
            w.desk.session.undo()
        self.assertEqual(encode(w.desk.design), first)


if __name__ == "__main__":
    unittest.main()
