"""Faces shifted, taken out and drafted, bodies cut by planes: exact volumes, names, refusals in words, and the window."""

from __future__ import annotations

import contextlib
import io
import math
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec import structs
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest

from isotomon.app.forms.steps import StepsForm
from isotomon.app.viewport.finished_parts import borders_of, corners_of, edge_reference, finished_lines
from isotomon.app.viewport.parts import is_edge
from isotomon.cli import main
from isotomon.design import bodies, edits
from isotomon.design.file import decode, encode, load, save
from isotomon.design.pieces import cut_in_two
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import IsotomonError, SizeError, SolidError
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.kernel.protocol import Built, Failed
from isotomon.operations.base import Operation
from isotomon.operations.combine import Combine
from isotomon.operations.cut_by_skin import CutBySkin
from isotomon.operations.cut_off import CutOff
from isotomon.operations.draft import Draft
from isotomon.operations.hollow import Hollow
from isotomon.operations.mirror import Mirror
from isotomon.operations.move import Move
from isotomon.operations.replace_faces import ReplaceFaces
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.operations.shift import Shift
from isotomon.operations.take_out import TakeOut
from isotomon.operations.turn_over import TurnOver
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot, line
from isotomon.quantity.record import Ref, refs
from isotomon.solids.deliver import build_all
from tests.helpers import body, design
from tests.test_finish import BOX, HIGH, SIDE, Building, box, drum
from tests.test_window import CTRL, LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier
LANES = tuple(f"s0.{k}of4~s0.{k % 4 + 1}of4" for k in range(1, 5))
SIDES = refs(*(f"body/face:{name}" for name in LANES))
DRUM = math.pi * SIDE**2 / 4.0 * HIGH


def _under_fold(edge: float) -> float:
    """mm² of a square with corners at ±edge on the axes that lie below the line from (-50, 0) to (0, 10) to (50, 0)."""
    steep = 0.2
    x = (edge - 10.0) / (1.0 - steep)  # where the line meets the side from (edge, 0) to (0, edge)
    right = 10.0 * x - steep * x**2 / 2.0 + (edge - x) ** 2 / 2.0
    return edge**2 + 2.0 * right


def folded(step: CutBySkin, reach: float = 50.0) -> Design:
    """A box with a skin through it, folded at the middle."""
    left, middle, right = Spot(-reach, 0.0), Spot(0.0, 10.0), Spot(reach, 0.0)
    drawn = line(line(Drawing("g1", "fold"), left, middle), middle, right)
    ends = [Station(f"t{k}", f"t{k}", z, Drawn("g1"), None, 0.0) for k, z in enumerate((-60.0, 120.0))]
    skin = body("skin", "skin", stations=tuple(ends))
    made = edits.replace(box(), drawings=(drawn,))
    return bodies.add_step(edits.replace(made, bodies=(*made.bodies, skin)), "body", step)


class Faces(Building):
    """Of boxes and drums."""

    def test_shifted(self) -> None:
        """An end and a side outward and inward, all sides of a drum; the neighbours follow and all names stay."""
        self.assertAlmostEqual(
            self.built(box(Shift(faces=refs("body/last"), by=5.0))).volume / (SIDE**2 * 85.0), 1.0, delta=1e-9
        )
        made = self.built(box(Shift(faces=SIDES[:1], by=-4.0)))
        self.assertAlmostEqual(made.volume / ((SIDE - 4.0) * SIDE * HIGH), 1.0, delta=1e-9)
        self.assertEqual(sorted(made.names), sorted(self.built(box()).names))
        grown = self.built(drum(TakeOut(faces=refs("b1/faces")), Shift(faces=refs("body/face:round"), by=3.0)))
        self.assertAlmostEqual(grown.volume / (math.pi * (SIDE / 2.0 + 3.0) ** 2 * HIGH), 1.0, delta=1e-9)

    def test_shifted_in_a_direction(self) -> None:
        """A side aslant, by formula; a post and a blind hole sideways, whose centre of mass goes with them; into the depth, and past the
        rim, is refused in words."""
        aslant = {"how": "direction", "along": Ref("x")}
        made = self.built(box(Shift(faces=SIDES[:1], by=5.0, **aslant)))
        self.assertAlmostEqual(made.volume / ((SIDE + 5.0 / math.sqrt(2.0)) * SIDE * HIGH), 1.0, delta=1e-9)
        with self.assertRaisesRegex(IsotomonError, "lie along the direction"):
            self.built(box(Shift(faces=SIDES[:1], by=5.0, how="direction")))
        for how, size in (("add", 50.0), ("cut", -10.0)):
            stands = drum(Shift(faces=refs("b1/faces"), by=4.0, **aslant))
            stands, piece = bodies.change_step(stands, "k1", how=how), math.pi * 100.0 * size
            made = self.built(stands)
            self.assertAlmostEqual(made.volume / (DRUM + piece), 1.0, delta=1e-9)
            self.assertEqual(sorted(made.names), sorted(self.built(bodies.remove_step(stands, "k2")).names))
            self.assertAlmostEqual(made.centre[0] * made.volume / (4.0 * piece), 1.0, delta=1e-6)
            for changed in ({"along": Ref("z")}, {"by": 25.0}):
                with self.assertRaisesRegex(IsotomonError, "do not run along the direction"):
                    self.built(bodies.change_step(stands, "k2", **changed))

    def test_a_skin_turned_over(self) -> None:
        """A cut by it keeps the other part; a solid is refused."""
        made, kept = folded(CutBySkin(Ref("skin"))), list[float]()
        for design_ in (made, bodies.add_step(made, "skin", TurnOver())):
            kept.append(self.built(design_).volume)
        self.assertAlmostEqual(sum(kept) / BOX, 1.0, delta=1e-8)
        self.assertGreater(abs(kept[0] - kept[1]), 0.1 * BOX)
        with self.assertRaisesRegex(IsotomonError, "only a skin is turned over"):
            self.built(box(TurnOver()))

    def test_taken_out(self) -> None:
        """All that a post has left on a drum, and a round with its corners: what was there before is there again."""
        self.assertAlmostEqual(self.built(drum(TakeOut(faces=refs("b1/faces")))).volume / DRUM, 1.0, delta=1e-9)
        rounds = refs(*(f"body/face:round of (lane {name}|last cap)" for name in LANES))
        made = self.built(box(Round(edges=refs("body/last-rim"), radius=5.0), TakeOut(faces=rounds)))
        self.assertAlmostEqual(made.volume / BOX, 1.0, delta=1e-9)

    def test_rims_and_edges_rounded_away(self) -> None:
        """The kernel's: a disc's edge, a cup's rim and a tapered cup's, by Pappus; what came of the face is called so."""
        round_ = design([(0.0, "circle", SIDE, 0.0), (6.0, "circle", SIDE, 0.0)])
        disc = self.built(bodies.add_step(round_, "body", RoundAway(faces=refs("body/face:round"))))
        inner = SIDE / 2.0 - 3.0
        whole = math.pi * inner**2 * 6.0 + math.pi**2 * 9.0 * (inner + 4.0 / math.pi)
        self.assertAlmostEqual(disc.volume / whole, 1.0, delta=2e-5)
        self.assertTrue(any(name.startswith("round of (lane round)") for name in disc.names))
        for upper, exact in ((SIDE, True), (1.3 * SIDE, False)):
            cup = design([(0.0, "circle", SIDE, 0.0), (HIGH, "circle", upper, 0.0)])
            cup = bodies.add_step(cup, "body", Hollow(wall=6.0))
            sharp, away = self.built(cup), self.built(bodies.add_step(cup, "body", RoundAway(faces=refs("body/last"))))
            self.assertTrue(away.valid and away.watertight)
            lost = (1.0 - math.pi / 4.0) * 18.0 * 2.0 * math.pi * 27.0
            if exact:
                self.assertAlmostEqual((sharp.volume - away.volume) / lost, 1.0, delta=2e-3)
            self.assertLess(away.volume, sharp.volume)

    def test_a_wedge_is_rounded_away_by_a_ball_that_grows(self) -> None:
        """The upper end of a slab that widens from 4 to 8 mm: what goes is what lies outside all balls that touch it and both sides, by
        numbers, within a hundredth; the kernel's round is square to each edge and not to the balls' way."""
        narrow, wide, long, high = 4.0, 8.0, 60.0, 20.0
        spots = [Spot(0.0, -narrow / 2), Spot(long, -wide / 2), Spot(long, wide / 2), Spot(0.0, narrow / 2)]
        drawn = Drawing("g1", "wedge")
        for one, other in zip(spots, [*spots[1:], spots[0]], strict=True):
            drawn = line(drawn, one, other)
        stations = tuple(Station(f"s{k}", f"s{k}", k * high, Drawn("g1"), None) for k in range(2))
        slab = Design("slab", tolerance=1e-5, drawings=(drawn,), bodies=(body(stations=stations),))
        made = self.built(bodies.add_step(slab, "body", RoundAway(faces=refs("body/last"))))
        widens = (wide - narrow) / long
        x, weight = np.polynomial.legendre.leggauss(10)
        x, weight = (x + 1.0) * long / 2.0, weight * long / 2.0
        turn, share = np.polynomial.legendre.leggauss(40)
        turn, share = (turn + 1.0) * math.pi / 4.0, share * math.pi / 4.0
        half = (narrow + widens * x)[:, None] / 2.0
        off = np.linspace(-5.0, 5.0, 2001)
        radius = (narrow + widens * (x[:, None] + off)) / 2.0 / math.hypot(1.0, widens / 2.0)
        left = radius[:, None] ** 2 - (half * np.sin(turn))[:, :, None] ** 2 - off**2
        above = np.where(left >= 0.0, np.sqrt(np.maximum(left, 0.0)) - radius[:, None], -np.inf).max(axis=2)
        depth = np.where(np.isfinite(above), -above, half)
        lost = float(weight @ (2.0 * depth * half * np.cos(turn)) @ share)
        sharp = (narrow + wide) / 2.0 * long * high
        self.assertAlmostEqual((sharp - made.volume) / lost, 1.0, delta=1e-2)

    def test_drafted(self) -> None:
        """All four sides of a box leaned inward from its foot: a frustum of a pyramid by formula; outward it grows."""
        for angle in (math.radians(5.0), -math.radians(2.0)):
            top = SIDE - 2.0 * HIGH * math.tan(angle)
            exact = HIGH / 3.0 * (SIDE**2 + SIDE * top + top**2)
            made = self.built(box(Draft(faces=SIDES, angle=angle)))
            self.assertAlmostEqual(made.volume / exact, 1.0, delta=1e-9)
            self.assertEqual(sorted(made.names), sorted(self.built(box()).names))

    def test_cut_by_a_plane(self) -> None:
        """What lies behind it, before it, or both in pieces; the flat face is called by the step, so that it can be worked on; half of it
        mirrored again is the whole."""
        for keep, share in (("behind", 0.25), ("before", 0.75)):
            made = self.built(box(CutOff(plane=Ref("xy"), offset=HIGH / 4.0, keep=keep)))
            self.assertAlmostEqual(made.volume / (share * BOX), 1.0, delta=1e-9)
            self.assertIn("cut of k1", made.names)
        made = box(CutOff(plane=Ref("xy"), offset=20.0), Round(edges=refs("body/face:cut of k1"), radius=4.0))
        self.assertEqual(sum(name.startswith("round of") for name in self.built(made).names), 4)
        whole = self.built(box(CutOff(plane=Ref("yz")), Mirror(plane=Ref("yz"), joined=True)))
        self.assertAlmostEqual(whole.volume / BOX, 1.0, delta=1e-9)
        both = build_all(rebuild(box(CutOff(plane=Ref("yz"), offset=10.0, keep="both"))), self.supervisor)["body"]
        self.assertTrue(both.valid and both.watertight)
        self.assertEqual(both.pieces, 2)
        self.assertAlmostEqual(both.volume / BOX, 1.0, delta=1e-9)

    def test_refused_in_words(self) -> None:
        """What cannot be says why, and, of a length, what would do, which then does."""
        for step, words in (
            (Shift(), "no faces are chosen"),
            (Shift(faces=refs("body/last"), by=0.0), "by nought"),
            (Shift(faces=refs("body/along"), by=1.0), "is no face"),
            (TakeOut(faces=refs("body/face:lane a~b")), "there is no face lane a~b any more"),
            (TakeOut(faces=refs("body/last")), "do not meet when they are drawn out"),
            (Draft(faces=SIDES, angle=2.0), "use up to 60"),
            (CutOff(plane=Ref("xy"), offset=500.0), "the plane misses the body"),
        ):
            with self.subTest(words), self.assertRaisesRegex(IsotomonError, words):
                build_all(rebuild(box(step)), self.supervisor)
        with self.assertRaises(SizeError) as caught:
            build_all(rebuild(box(Shift(faces=refs("body/last"), by=-90.0))), self.supervisor)
        self.assertLess(caught.exception.fits, -70.0)
        fitting: Operation = Shift(faces=refs("body/last"), by=caught.exception.fits)
        self.assertGreater(self.built(box(fitting)).volume, 0.0)

    def test_a_name_that_is_gone_is_told(self) -> None:
        """A step on a round's face, when the round is set aside: an error at that step, and the body stays without it."""
        made = box(
            Round(edges=refs("body/last-rim"), radius=5.0),
            TakeOut(faces=refs(f"body/face:round of (lane {LANES[0]}|last cap)")),
        )
        quick = rebuild(bodies.change_step(made, "k1", aside=True))
        after = with_finished(quick, {}, [("body", "k2", Failed(0, "lost", "what it works with is not there"))])
        self.assertEqual(after.findings, quick.findings)
        with self.assertRaisesRegex(SolidError, "there is no face round of"):
            with_finished(quick, build_all(quick, self.supervisor))

    def test_cut_in_two_bodies(self) -> None:
        """What a cut leaves away is a body of its own, that follows: when the plane moves, the owner's sizes change, a step comes before;
        it is worked on, put elsewhere, and outlives its file; made with its owner in a circle, or of a cut that is gone, it is told."""
        made = cut_in_two(box(), "body", CutOff(plane=Ref("xy"), offset=20.0))
        made = decode(encode(made))
        piece, cut = made.bodies[1].id, made.bodies[0].steps[0].id

        def volumes(of: Design) -> list[float]:
            built = build_all(rebuild(of), self.supervisor)
            self.assertTrue(all(one.valid and one.watertight for one in built.values()))
            return [built[key].volume / SIDE**2 for key in ("body", piece)]

        np.testing.assert_allclose(volumes(made), [20.0, 60.0], rtol=1e-9)
        np.testing.assert_allclose(volumes(bodies.change_step(made, cut, offset=50.0)), [50.0, 30.0], rtol=1e-9)
        np.testing.assert_allclose(volumes(bodies.change_step(made, cut, keep="before")), [60.0, 20.0], rtol=1e-9)
        hollow = bodies.move_step(bodies.add_step(made, "body", Hollow(wall=5.0)), "k2", 0)
        np.testing.assert_allclose(volumes(hollow), [20.0 - 15.0 * 2500.0 / 3600.0, 60.0 * 1100.0 / 3600.0], rtol=1e-9)
        worked = bodies.add_step(made, piece, Round(edges=refs(f"{piece}/all"), radius=4.0))
        worked = bodies.add_step(worked, piece, Move(x=100.0))
        built = build_all(rebuild(worked), self.supervisor)[piece]
        self.assertGreater(built.centre[0], 99.0)
        self.assertLess(built.volume, 60.0 * SIDE**2)
        with self.assertRaisesRegex(IsotomonError, "circle"):
            bodies.check_combinations(bodies.add_step(made, "body", Combine(Ref(piece))))
        self.assertFalse(bodies.may_receive(made, "body", piece))
        self.assertTrue(bodies.may_receive(made, piece, "body"))
        with self.assertRaisesRegex(IsotomonError, "is made with 'test body'"):
            bodies.remove_body(made, "body")
        gone = rebuild(bodies.remove_step(made, cut))
        self.assertTrue(any("is gone" in f.text and f.about == piece for f in gone.findings))
        for told, words in (
            (bodies.change_step(made, cut, keep="both"), "keeps both"),
            (bodies.change_step(made, cut, aside=True), "is not done"),
            (bodies.set_aside(made, ("body",), True), "set aside"),
        ):
            with self.assertRaisesRegex(IsotomonError, words):
                volumes(told)

    def test_cut_by_a_skin(self) -> None:
        """A skin through a box, folded at the middle: what lies behind it, before it, both in pieces and as two bodies, by formula; one
        that ends inside the body, and a solid, are refused in words."""
        # Over the square with its corners on the axes, the fold goes from its corners, 10 less 30 √2 / 5 high there.
        edge = SIDE / math.sqrt(2.0)
        part = {}
        for keep in ("behind", "before", "both"):
            found = build_all(rebuild(folded(CutBySkin(Ref("skin"), keep))), self.supervisor)["body"]
            self.assertTrue(found.valid and found.watertight)
            part[keep] = found.volume
            self.assertEqual(found.pieces, 1 + (keep == "both"))
            self.assertIn("cut of k1", " ".join(found.names))
        below = _under_fold(edge) * HIGH
        self.assertAlmostEqual(min(abs(part[keep] - below) for keep in ("behind", "before")) / below, 0.0, delta=1e-7)
        self.assertAlmostEqual((part["behind"] + part["before"]) / BOX, 1.0, delta=1e-8)
        self.assertAlmostEqual(part["both"] / BOX, 1.0, delta=1e-8)
        two = cut_in_two(bodies.remove_step(folded(CutBySkin(Ref("skin"))), "k1"), "body", CutBySkin(Ref("skin")))
        built = build_all(rebuild(two), self.supervisor)
        self.assertEqual(set(built), {"body", two.bodies[-1].id})
        self.assertAlmostEqual(sum(one.volume for one in built.values()) / BOX, 1.0, delta=1e-8)
        for design_, words in (
            (folded(CutBySkin(Ref("skin")), 20.0), "does not part the body"),
            (drum(CutBySkin(Ref("b1"))), "is a solid"),
        ):
            with self.assertRaisesRegex(IsotomonError, words):
                self.built(design_)

    def test_replaced_by_a_skin(self) -> None:
        """The upper end of a box, drawn out to a leaning roof over it, or cut off at one within it; what does not reach is refused in words."""

        def under(low: float, high: float, reach: float = 60.0) -> Design:
            drawn = line(Drawing("g1", "roof"), Spot(-reach, low), Spot(reach, high))
            ends = [Station(f"t{k}", f"t{k}", y, Drawn("g1"), None, 0.0) for k, y in enumerate((-60.0, 60.0))]
            skin = body("skin", "skin", stations=tuple(ends))
            turned = structs.replace(skin, steps=(Move(turn=math.pi / 2.0, about=Ref("x"), id="k9"),))
            made = edits.replace(box(), drawings=(drawn,))
            made = edits.replace(made, bodies=(*made.bodies, turned))
            return bodies.add_step(made, "body", ReplaceFaces(Ref("skin"), refs("body/last")))

        for low, high in ((90.0, 110.0), (50.0, 70.0), (70.0, 100.0)):
            made = self.built(under(low, high))
            self.assertAlmostEqual(made.volume / (SIDE**2 * (low + high) / 2.0), 1.0, delta=1e-8)
            self.assertIn("cut of k1", " ".join(made.names))
        with self.assertRaisesRegex(SolidError, "does not part|neither before"):
            self.built(under(90.0, 110.0, 20.0))

    def test_on_the_command_line(self) -> None:
        """A box cut, the other piece kept as a body; a piece of what is no cut is refused."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "box.isotomon"
            save(box(), path)
            with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
                self.assertEqual(main(["step", str(path), "cut-off", "offset=30 mm", "--piece"]), 0)
                self.assertEqual(main(["step", str(path), "hollow", "--piece"]), 2)
            self.assertEqual([type(b.shaped).__name__ for b in load(path).bodies], ["Loft", "Piece"])


class InTheWindow(WithWindow):
    """By mouse and keys."""

    def open(self, made: Design) -> None:
        self.window.files.open_design(made)
        self.with_solids()
        self.window.desk.select(("body",))

    def test_a_body_is_cut_and_a_face_shifted(self) -> None:
        """From the stage Finish: cut by the chosen plane, offset typed; the last end shifted; undone to the first bytes."""
        w = self.window
        self.open(box())
        first = encode(w.desk.design)
        w.desk.select(("xy",))
        w.run_command("after-cut-off")
        self.assertEqual(w.desk.held.steps[0].plane, "xy")
        field = w.details.findChild(StepsForm).fields["0 offset"]
        field.edit.setFocus()
        field.edit.selectAll()
        QTest.keyClicks(field.edit, "20")
        QTest.keyClick(field.edit, Qt.Key.Key_Return)
        self.solid(SIDE**2 * 20.0)
        w.desk.select(("body/first",))
        w.run_command("after-shift")
        self.assertEqual(w.desk.held.steps[1].faces, ("body/first",))
        self.solid(SIDE**2 * 22.0)
        while w.desk.session.undo_title is not None:
            w.desk.session.undo()
        self.assertEqual(encode(w.desk.design), first)

    def test_finished_bodies_keep_their_looks(self) -> None:
        """A finished body has its own colour, and can be seen through; coloured by its walls, and not any more, it has it again."""
        w, scene = self.window, self.window.view.scene
        self.open(bodies.change_body(box(CutOff(plane=Ref("xy"), offset=20.0)), "body", colour="#c02020"))
        self.solid(SIDE**2 * 20.0)

        def middle() -> tuple[int, int, int]:
            at = w.view.seen(np.array([15.0, -15.0, 10.0])).toPoint()  # of a side that is towards the eye
            return w.view.render_image(w.view.width(), w.view.height(), False).pixelColor(at).getRgb()[:3]

        red, _, blue = middle()
        self.assertGreater(red, 2 * blue)
        w.view.scene.set_scalars(
            np.zeros(scene._solids_data.GetNumberOfPoints()), np.full((2, 3), 90, np.uint8), 0.0, 1.0
        )
        self.assertLess(max(middle()) - min(middle()), 12)
        w.view.scene.set_scalars(None, np.full((2, 3), 90, np.uint8), 0.0, 1.0)
        self.assertEqual(middle(), (red, middle()[1], blue))
        w.toggle_theme()
        w.toggle_theme()
        self.assertEqual(middle()[0], red)
        w.desk.do("see through", lambda d: bodies.change_body(d, "body", seen="see-through"))
        self.wait(
            lambda: w.desk.quick.design == w.desk.design and bool(w.desk.quick.finished), "the same, seen through"
        )
        self.assertEqual(scene._solids_data.GetNumberOfPoints(), 0)
        self.assertGreater(scene._seen_through_data.GetNumberOfPoints(), 0)
        self.assertGreater(min(middle()), blue)

    def test_a_body_is_cut_in_two(self) -> None:
        """From the stage Finish, without a plane chosen: through the middle; the piece is chosen in the Ledger, rounded and taken out."""
        w = self.window
        self.open(box())
        first = encode(w.desk.design)
        self.settle()
        self.wait(lambda: w.desk.quick.result in w.desk.quick.finished, "the box")
        w.desk.select(())
        w.run_command("cut-in-two")  # the XY plane only touches the box
        self.solid(SIDE**2 * HIGH / 2.0)
        piece = w.desk.design.bodies[1]
        w.desk.select(("body",))
        self.wait(lambda: w.board.cut is not None and w.board.cut.sections.body == "body", "the owner's sections")
        with mock.patch.object(w.cuts.later, "ask") as ask, mock.patch.object(w.desk.engine.solids, "want"):
            w.cuts._latest = None
            w.cuts.refresh()
            late = ask.call_args.args[0]()
            w.desk.do("deeper", lambda d: bodies.change_step(d, "k1", offset=30.0))
            self.wait(lambda: w.desk.quick.design == w.desk.design and not w.desk.quick.finished, "the newer design")
            w.cuts._show(late)
            self.assertTrue(w.board.cut is None or w.board.cut.stale)  # what is answered late is of before
        w.run_command("undo")
        w.desk.select((piece.id,))
        self.wait(lambda: w.desk.quick.body.id == piece.id, "the piece in hand")
        self.solid(SIDE**2 * HIGH / 2.0)
        w.desk.select((f"{piece.id}/edge:cut of k1|lane s0.1of4~s0.2of4",))
        w.run_command("after-round")
        self.assertEqual(w.desk.held.steps[0].edges, (f"{piece.id}/edge:cut of k1|lane s0.1of4~s0.2of4",))
        self.wait(
            lambda: isinstance(w.desk.solid, Built) and w.desk.solid.volume < SIDE**2 * HIGH / 2.0 - 10.0, "the round"
        )
        self.assertFalse([f.text for f in w.desk.quick.findings if f.severity == "error"])
        while w.desk.session.undo_title is not None:
            w.desk.session.undo()
        self.assertEqual(encode(w.desk.design), first)

    def test_finished_faces_and_edges_are_picked_in_the_view(self) -> None:
        """Of a box that is hollow, and cut in two: the nearest edge along it, a face, and the other body are what is clicked; an edge
        behind the wall is not; what is chosen is drawn, and what a step makes is found by its name."""
        w = self.window
        self.open(
            bodies.add_step(
                cut_in_two(box(Hollow(wall=4.0)), "body", CutOff(plane=Ref("xy"), offset=50.0)), "b1", Move(x=150.0)
            )
        )
        self.wait(lambda: set(w.view._wanted.finished) == {"body", "b1"}, "both solids")
        w.view.fit()
        ahead = w.view.camera.axes()[2]
        half = SIDE / 2.0
        turned = [np.array([half * x, half * y, 25.0]) for x, y in ((1, 1), (-1, 1), (-1, -1), (1, -1))]
        # The box stands on its corners: these lie on the axes.
        corners = [
            np.array([p[0] - p[1], p[0] + p[1], 2.0 * p[2]]) / 2.0 * [math.sqrt(2.0), math.sqrt(2.0), 1.0]
            for p in turned
        ]
        nearest = min(corners, key=lambda place: float(place @ ahead))
        QTest.mouseClick(w.view, LEFT, CTRL, w.view.seen(nearest).toPoint())
        (edge,) = w.desk.selection
        self.assertRegex(edge, r"^body/along:s0\.\dof4$")
        self.assertNotIn("along", w.view.pick_part(QPointF(w.view.seen(np.array([0.0, 0.0, 25.0])))))
        w.desk.select(())
        place, beside = w.view.seen(nearest).toPoint(), QPoint(25, 0)
        QTest.mousePress(w.view, LEFT, CTRL, place - beside)
        for share in (-0.6, 0.3, 1.0):  # the pointer jumps over the edge itself
            sent = QPointF(place + beside * share)
            w.view.mouseMoveEvent(QMouseEvent(QEvent.Type.MouseMove, sent, sent, LEFT, LEFT, CTRL))
        QTest.mouseRelease(w.view, LEFT, CTRL, place + beside)
        self.assertIn(edge, w.desk.selection)
        self.assertTrue(all(is_edge(Ref(key)) for key in w.desk.selection))
        built = w.view._wanted.finished["b1"]
        middle = corners_of(built).reshape(-1, 3).mean(axis=0)
        QTest.mouseClick(w.view, LEFT, NONE, w.view.seen(middle).toPoint())
        self.assertEqual(w.desk.selection, ("b1",))
        borders = borders_of(built)
        names = {edge_reference("b1", built.names[a], built.names[b]) for a, b in borders.faces[borders.sharp].tolist()}
        self.assertTrue(any(name.startswith("b1/edge:cut of k2|inside of lane") for name in names), names)
        self.assertTrue(all(finished_lines(w.view._wanted.finished, name) for name in names))
        self.assertEqual(finished_lines(w.view._wanted.finished, "b1/face:round of (nothing)"), [])

    def test_two_edges_between_the_same_faces_are_not_taken_for_one(self) -> None:
        """A blunt foil's skin meets its tail at both corners: an edge picked there is told by both faces, and never by one corner."""
        w = self.window
        self.open(
            bodies.add_step(
                design([(0.0, "naca:0018b", 80.0, 0.0), (60.0, "naca:0018b", 60.0, 0.0)]),
                "body",
                CutOff(plane=Ref("xy"), offset=50.0),
            )
        )
        self.wait(lambda: "body" in w.view._wanted.finished, "the solid")
        built = w.view._wanted.finished["body"]
        borders = borders_of(built)
        skin, tail = (f"lane s0.{a}-tail~s0.{b}-tail" for a, b in (("upper", "lower"), ("lower", "upper")))
        self.assertEqual(edge_reference("body", skin, tail), f"body/edge:{tail}|{skin}")
        self.assertEqual(edge_reference("body", tail, skin), edge_reference("body", skin, tail))
        lines = np.array(finished_lines(w.view._wanted.finished, f"body/edge:{tail}|{skin}"))
        self.assertEqual({float(np.sign(line[0, 1])) for line in lines}, {-1.0, 1.0})
        self.assertEqual(
            edge_reference("body", "lane s0.a~s0.b", "copy 2: lane s0.b~s0.c"),
            "body/edge:copy 2: lane s0.b~s0.c|lane s0.a~s0.b",
        )
        self.assertEqual(edge_reference("body", "b1: lane s9.a~s9.b", "b1: lane s9.b~s9.c"), "b1/along:s9.b")
        self.assertGreater(len(borders.lines), len(lines))

    def test_a_body_that_cannot_be_made_hides_no_other(self) -> None:
        """A cut that misses leaves its body as its skin; another body is seen as it is finished, and not as its skin, and hidden it is
        not seen at all."""
        w = self.window
        made = bodies.add_body(box(CutOff(plane=Ref("xy"), offset=20.0)), "post")
        post = made.bodies[1].id
        made = bodies.add_step(made, post, Move(x=150.0))
        self.open(bodies.add_step(made, post, CutOff(plane=Ref("xy"), offset=5000.0)))
        self.wait(lambda: "body" in w.view._wanted.finished, "the box")
        self.assertTrue(any("misses" in f.text for f in w.desk.quick.findings))
        scene = w.view.scene
        self.assertFalse(scene._skin.GetVisibility())
        self.assertGreater(scene._solids_data.GetNumberOfPoints(), 0)
        for place, seen in (([10.0, -30.0, 15.0], "body"), ([160.0, -30.0, 55.0], post)):
            self.assertEqual(w.view.pick(w.view.seen(np.array(place))), seen)
        w.desk.do("hide", lambda d: bodies.change_body(d, "body", seen="hidden"))
        self.wait(lambda: w.desk.quick.design == w.desk.design and w.desk.quick.finished, "the same, hidden")
        self.assertNotIn("body", w.view._wanted.finished)
        self.assertFalse(scene._skin.GetVisibility())

    def solid(self, volume: float) -> None:
        """Wait until the solid has a volume, mm³."""
        desk = self.window.desk
        self.wait(
            lambda: isinstance(desk.solid, Built) and abs(desk.solid.volume - volume) < 1e-3 * volume, f"{volume} mm³"
        )


if __name__ == "__main__":
    unittest.main()
