"""Several bodies in one design: the one in hand, what they make together, and what is made from one another."""

from __future__ import annotations

import math
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.app.shell.main import application, wait_for
from isotomon.app.state.desk import Desk
from isotomon.app.state.engine import Engine
from isotomon.author.session import Session
from isotomon.design import bodies as b
from isotomon.design import edits, loft_edits, station_edits
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import DesignError, SolidError
from isotomon.inspect.check import check_table
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.operations.combine import Combine
from isotomon.operations.move import Move
from isotomon.profile.section import BodyEnd
from isotomon.profile.section_text import parse_section
from isotomon.solids.checked import checked
from isotomon.solids.deliver import build_all
from isotomon.solids.plan import finished_key, plan
from tests.helpers import WithWorker, body, changed, design, full_vessel, shared_supervisor, trials


def stacked(*rows: tuple[float, float, str, float], makes: tuple[str, ...] = ()) -> Design:
    """Prisms (from, to, section, size): the first a body of its own, the others as `makes` says with it."""
    start, end, text, size = rows[0]
    made = design([(start, text, size, 0.0), (end, text, size, 0.0)])
    for k, (start, end, text, size) in enumerate(rows[1:]):
        made = b.add_body(made, f"tool {k}", ())
        for z in (start, end):
            key = edits.fresh_id(made, "s")
            made = station_edits.add_station(made, f"b{k + 1}", Station(key, key, z, parse_section(text), size))
        made = b.combine(made, f"b{k + 1}", makes[k], ("body",)) if makes and makes[k] != "own" else made
    return made


class InHand(unittest.TestCase):
    """Which body is in hand, and the order of all."""

    def test_taking_another_in_hand_changes_nothing_else(self) -> None:
        """On the desk, back and forth: results of the body in hand, the same design, no step of the history, no unsaved work; what
        belongs to a body is found and changed wherever it stands."""
        made = stacked((0, 50, "circle", 40), (20, 60, "polygon:4", 30), (5, 15, "circle", 10))
        self.assertEqual(b.body_ids(made), ("body", "b1", "b2"))
        application()
        desk, session = Desk(Engine(shared_supervisor())), Session(made)
        desk.open(session)
        for key in ("b2", "b1", "body", "b2"):
            desk.take_up(key)
            self.assertTrue(wait_for(lambda key=key: desk.quick is not None and desk.quick.body.id == key, 20.0))
            self.assertEqual(
                (desk.held.id, session.design, session.dirty, session.undo_title), (key, made, False, None)
            )
            own = desk.quick.resolved.stations[0].station
            self.assertEqual(own, desk.held.stations[0])
        with mock.patch.object(shared_supervisor(), "close"):
            desk.engine.close()
        wider = station_edits.change_station(made, made.body("b1").stations[0].id, chord=33.0)
        self.assertEqual((wider.bodies[0], wider.body("b1").stations[0].chord), (made.bodies[0], 33.0))
        self.assertEqual(b.owner_of(made, made.body("b2").stations[0].id), "b2")

    def test_removing_and_copying(self) -> None:
        """A body goes with its stations; not while others are made with or from it, and never the last one."""
        made = stacked((0, 50, "circle", 40), (20, 60, "circle", 30), makes=("add",))
        with self.assertRaisesRegex(DesignError, "is made with"):
            b.remove_body(b.go_on(made, "body", 90.0, 20.0), "body")
        alone = b.remove_body(made, "b1")
        self.assertEqual(alone.bodies[0].steps, ())
        self.assertEqual(len(alone.bodies), 1)
        with self.assertRaisesRegex(DesignError, "only body"):
            b.remove_body(alone, "body")
        twin = b.copy_body(alone, "body")
        self.assertEqual(len({s.id for s in b.stations_of_all(twin)}), 4)
        self.assertAlmostEqual(rebuild(twin).full.body.volume, rebuild(alone).full.body.volume)  # type: ignore[union-attr]

    def test_names_formulas_and_findings_reach_all_bodies(self) -> None:
        """A number is renamed and protected in bodies at rest, and their findings are told with the body's name."""
        made = stacked((0, 50, "circle", 40), (20, 60, "circle", 30))
        made = edits.add_number(made, Number("n1", "girth", 30.0, "length"))
        made = station_edits.change_station(made, made.body("b1").stations[0].id, chord="girth")
        made = edits.change_number(made, "n1", name="width")
        self.assertEqual(made.body("b1").stations[0].chord, "width")
        with self.assertRaisesRegex(DesignError, "is used by"):
            edits.remove_number(made, "n1")
        law = Law("law9", "area", "area", 1.0, points=(LawPoint(1.0, made.body("b1").stations[0].id),))
        made = station_edits.add_law(made, "b1", law)
        found = [f for f in rebuild(made).findings if f.severity == "band"]
        self.assertTrue(found and found[0].where.startswith("tool 0: station"))

    def test_a_guide_from_another_body(self) -> None:
        """A guide from one body's profile to another's, and one on another's skin, follow both; circles are explained."""
        made = stacked((0, 50, "circle", 40), (80, 120, "polygon:4", 30))
        other = made.body("b1").stations[0].id
        bridge = Guide(
            "u1", "bridge", "through", (), (), ("open",), (GuidePoint("s1/upper"), GuidePoint(f"{other}/c:1of4"))
        )
        made = loft_edits.add_guide(made, bridge)
        curve = rebuild(made).guides["u1"]
        np.testing.assert_allclose(curve.at(np.array([0.0, 1.0])), [[0, 20, 50], [15, 0, 80]], atol=1e-6)
        moved = station_edits.change_station(made, other, position=90.0)
        np.testing.assert_allclose(rebuild(moved).guides["u1"].at(np.array([1.0]))[0], [15, 0, 90], atol=1e-6)
        skin = Guide("u2", "ring", "meets", ("b1", "d1"), (1.0,))
        made = loft_edits.add_guide(edits.add_datum(made, Datum("d1", "cut", "parallel", ("xy",), (100.0,))), skin)
        p = rebuild(made).guides["u2"].at(np.linspace(0, 1, 33))
        np.testing.assert_allclose(p[:, 2], 100.0, atol=1e-6)
        np.testing.assert_allclose(np.abs(p[:, 0]) + np.abs(p[:, 1]), 15.0, atol=0.2)
        with self.assertRaisesRegex(DesignError, "is made with"):
            b.remove_body(made, "b1")

    def test_the_curve_where_two_bodies_meet(self) -> None:
        """A cylinder and a cone beside its axis: one closed curve whose points lie on both by their equations; where they
        do not meet it says so. A second cylinder beside the first meets it in two open curves from end to end."""
        made = stacked((0, 200, "circle", 80), (60, 140, "circle", 120))
        tip = made.body("b1").stations[1].id
        made = station_edits.change_station(made, tip, chord=40.0, offset_x=6.0)
        made = loft_edits.add_guide(made, Guide("u1", "where they meet", "meets", ("body", "b1"), (1.0,)))
        curve = rebuild(made).guides["u1"]
        self.assertTrue(curve.closed)
        # A spline through 129 points of both skins; those themselves are on both to rounding.
        x, y, z = curve.at(np.arange(128) / 128.0).T
        share = (z - 60.0) / 80.0
        np.testing.assert_allclose(np.hypot(x, y), 40.0, atol=1e-6)
        np.testing.assert_allclose(np.hypot(x - 6.0 * share, y), 60.0 - 40.0 * share, atol=1e-6)
        self.assertGreater(float(np.ptp(z)), 5.0)
        away = station_edits.change_station(made, tip, chord=110.0)
        self.assertNotIn("u1", rebuild(away).guides)
        self.assertIn("meet nowhere", " ".join(f.text for f in rebuild(away).findings))
        block = stacked((0, 200, "circle", 80), (60, 140, "circle", 60))
        for station in block.body("b1").stations:
            block = station_edits.change_station(block, station.id, offset_x=40.0)
        block = loft_edits.add_guide(block, Guide("u1", "second", "meets", ("body", "b1"), (2.0,)))
        x, y, z = rebuild(block).guides["u1"].at(np.linspace(0, 1, 50)).T
        np.testing.assert_allclose(np.hypot(x, y), 40.0, atol=1e-6)
        np.testing.assert_allclose(np.hypot(x - 40.0, y), 30.0, atol=1e-6)
        np.testing.assert_allclose([z.min(), z.max()], [60.0, 140.0], atol=1e-6)

    def test_files_that_do_not_hold_together_are_refused(self) -> None:
        """No body, the same id twice, a body combined with one that is gone, or with one that is made with it; a step without an
        id; rebuilt up to a step that is gone."""
        made = stacked((0, 50, "circle", 40), (20, 60, "circle", 30), makes=("cut",))
        for wrong, words in (
            (replace(made, bodies=()), "0 bodies"),
            (changed(made, "b1", stations=made.bodies[0].stations), "same id"),
            (changed(made, "body", steps=(Combine("b9", "cut"),)), "gone"),
            (changed(made, "b1", steps=(Combine("body"),)), "in a circle"),
            (b.change_body(made, "b1", steps=(Move(x=1.0),)), "has no id"),
            (changed(made, up_to="k9"), "is gone"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Exception, words):
                decode(encode(wrong))


class GoingOn(unittest.TestCase):
    """Bodies that begin on another one's end."""

    def on_top(
        self, rows: list[tuple[float, str, float, float]], top: tuple[float, str, float], how: str, tilt: float = 0.0
    ) -> Design:
        """A body of rows, and one from its last end to another section."""
        made = station_edits.change_station(design(rows), f"s{len(rows) - 1}", tilt_x=tilt)
        made = b.add_body(made, "top", ())
        made = station_edits.add_station(made, "b1", Station("s8", "from", 0.0, BodyEnd("body", "last"), None))
        made = station_edits.add_station(made, "b1", Station("s9", "to", top[0], parse_section(top[1]), top[2]))
        return b.change_ending(made, "b1", "first", how=how, strength=30.0)

    def test_flush_and_fair_are_reached(self) -> None:
        """Round, unlike, cornered and foil sections, flat and tilted: kinks below 1e-6 rad, and fair ones without a step in
        curvature of 1e-4; the section is the other body's to 1e-6."""
        for rows, top, tilt in (
            (
                [(0.0, "circle", 60.0, 0.0), (50.0, "circle", 90.0, 0.0), (100.0, "circle", 50.0, 0.0)],
                (160.0, "circle", 30.0),
                0.0,
            ),
            (
                [(0.0, "circle", 60.0, 0.0), (50.0, "ellipse:0.7", 90.0, 20.0), (100.0, "ellipse:0.5", 60.0, 40.0)],
                (160.0, "circle", 30.0),
                0.0,
            ),
            (
                [
                    (0.0, "polygon:4", 60.0, 0.0),
                    (50.0, "rounded:0.6:0.1", 90.0, 20.0),
                    (100.0, "polygon:5", 60.0, 40.0),
                ],
                (160.0, "polygon:4", 30.0),
                0.0,
            ),
            (
                [(0.0, "naca:2418", 100.0, 0.0), (80.0, "naca:2415", 90.0, 10.0), (160.0, "naca:0012", 60.0, 20.0)],
                (260.0, "circle", 12.0),
                0.1,
            ),
        ):
            for how in ("flush", "fair"):
                with self.subTest(rows[-1], how=how):
                    quick = rebuild(self.on_top(rows, top, how, tilt), "b1")
                    self.assertEqual([f.text for f in quick.findings], [])
                    assert quick.full is not None and quick.full.reached[0] is not None
                    self.assertLess(quick.full.reached[0].kink, 1e-6)
                    if how == "fair":
                        self.assertLess(quick.full.reached[0].step, 1e-4)
                    assert quick.shape is not None and quick.others[0].shape is not None
                    mine, theirs = quick.shape.curves.area[0], quick.others[0].shape.curves.area[-1]
                    self.assertAlmostEqual(mine / theirs, 1.0, places=6)

    def test_it_follows_the_other_body_and_says_what_cannot_be(self) -> None:
        """It moves and turns with that body's end; flush with nothing, on its own end, and a circle of two are explained."""
        rows = [(0.0, "circle", 60.0, 0.0), (100.0, "ellipse:0.5", 60.0, 40.0)]
        made = self.on_top(rows, (180.0, "circle", 30.0), "flush")
        moved = station_edits.change_station(made, "s1", position=120.0, offset_x=7.0)
        first = rebuild(moved, "b1").resolved.stations[0]
        self.assertEqual((first.position, round(first.offset[0], 6)), (120.0, 7.0))
        alone = b.change_ending(design(rows), "body", "last", how="fair")
        own = station_edits.change_station(made, "s8", section=BodyEnd("b1", "last"))
        other = station_edits.change_station(made, "s0", section=BodyEnd("b1", "last"))
        for wrong, words in ((alone, "stands on no body's end"), (own, "its own end"), (other, "circle|stands on")):
            with self.subTest(words):
                self.assertRegex(" ".join(f.text for f in rebuild(wrong).findings), words)
        with self.assertRaisesRegex(DesignError, "is made with"):
            b.remove_body(made, "body")
        self.assertEqual(encode(decode(encode(made))), encode(made))


class OnCurves(unittest.TestCase):
    """Sections that a flat curve in space bounds."""

    def drawn(self, *edges: str) -> Design:
        """Four edges of a 60 × 40 rectangle tilted about X at 200 mm, and a run of some of them."""
        c, s = math.cos(0.3), math.sin(0.3)
        places = [(x, y * c, 200.0 + y * s) for x, y in ((-30.0, -20.0), (30.0, -20.0), (30.0, 20.0), (-30.0, 20.0))]
        made = [GuidePoint(x=x, y=y, z=z) for x, y, z in places]
        lines = tuple(
            Guide(f"u{k}", f"edge {k}", "through", (), (), ("open",), (made[k], made[(k + 1) % 4])) for k in range(4)
        )
        foot = Station("s0", "foot", 0.0, parse_section("polygon:4"), 60.0)
        head = Station("s9", "on the run", 100.0, parse_section("curve:run"), None)
        run = Guide("run", "run", "joined", edges, (), ("kept",))
        return Design("on a run", guides=(*lines, run), bodies=(body(stations=(foot, head)),))

    def test_a_closed_run_of_edges_is_a_section_where_it_stands(self) -> None:
        """A tilted rectangle of four edges, run either way: its place, tilt, area and corners are the section's."""
        for edges in (("u0", "u1", "u2", "u3"), ("u0", "u3", "u2", "u1")):
            said = self.drawn(*edges)
            quick = rebuild(decode(encode(said)))
            self.assertEqual(quick.findings, ())
            assert quick.shape is not None
            head = quick.resolved.stations[1]
            np.testing.assert_allclose([head.position, *head.tilt], [200.0, 0.3, 0.0], atol=1e-9)
            self.assertAlmostEqual(float(quick.shape.curves.area[-1]), 2400.0, delta=1e-5)
            self.assertEqual(len(quick.drawings.ends["s9"].runs), 4)
        with self.assertRaisesRegex(DesignError, "station on the run is made from 'run'"):
            loft_edits.remove_guide(said, "run")

    def test_open_runs_and_curves_that_are_not_flat(self) -> None:
        """Three edges make a skin's section; a bent curve is refused with how far it leaves its plane."""
        said = self.drawn("u0", "u1", "u2")
        mixed = rebuild(said)
        self.assertIsNone(mixed.shape)
        self.assertRegex(mixed.findings[-1].text, "open")
        lower = tuple(
            replace(g, id=f"v{g.id}", points=tuple(replace(p, z=p.z - 150.0) for p in g.points))
            for g in said.guides[:3]
        )  # type: ignore[operator]
        low = Guide("low", "low", "joined", tuple(g.id for g in lower), (), ("kept",))
        foot = replace(said.bodies[0].stations[0], section=parse_section("curve:low"), chord=None)
        skin = rebuild(
            replace(changed(said, stations=(foot, said.bodies[0].stations[1])), guides=(*said.guides, *lower, low))
        )
        self.assertEqual(skin.findings, ())
        assert skin.shape is not None and skin.full is not None
        self.assertTrue(skin.shape.form.common.open)
        # Edges of 60, 40 and 60 moved 150 along Z; the shadow of the leaning one is 40·cos 0.3 long.
        self.assertAlmostEqual(skin.full.body.area, 150.0 * (2 * 60.0 + 40.0 * math.cos(0.3)), delta=1e-3)
        points = tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in ((0.0, 0.0, 0.0), (9.0, 0.0, 9.0), (20.0, 9.0, 0.0)))
        bent = Guide("run", "run", "through", (), (), ("open",), (*points, GuidePoint(z=40.0)))
        gone = rebuild(replace(said, guides=(bent,)))
        self.assertRegex(gone.findings[0].text, r"does not lie in a plane \(it leaves it by")


class Combined(WithWorker):
    """Bodies put together by the kernel."""

    @given(st.floats(5, 35), st.floats(12, 34), st.sampled_from(["circle", "polygon:6", "ellipse:0.6"]))
    @settings(max_examples=trials(4, 2), deadline=None)
    def test_inclusion_and_exclusion(self, start: float, size: float, text: str) -> None:
        """Union, cut and common of two prisms: each volume by the others, all valid and watertight."""
        rows = ((0.0, 50.0, "polygon:4", 60.0), (start, 80.0, text, size))
        a, t = (rebuild(stacked(row)).full.body.volume for row in rows)  # type: ignore[union-attr]
        found = {}
        for how in ("add", "cut", "common"):
            built = build_all(rebuild(stacked(*rows, makes=(how,))), self.supervisor)
            self.assertEqual(list(built), ["body"])
            self.assertTrue(built["body"].valid and built["body"].watertight)
            found[how] = built["body"].volume
        self.assertAlmostEqual(found["common"] / (t * (50.0 - start) / (80.0 - start)), 1.0, places=6)
        self.assertAlmostEqual((found["cut"] + found["common"]) / a, 1.0, places=6)
        self.assertAlmostEqual((found["add"] - found["cut"]) / t, 1.0, places=6)

    def test_a_body_gone_on_from_is_one_solid(self) -> None:
        """A vessel's neck carried on from its end and added: one valid piece with both volumes."""
        start = full_vessel()
        made = b.go_on(start, "body", 470.0, 60.0)
        quick = rebuild(made)
        built = build_all(quick, self.supervisor)["body"]
        self.assertTrue(built.valid and built.watertight and built.pieces == 1)
        both = sum(q.full.body.volume for q in (quick, *quick.others) if q.full is not None)
        self.assertAlmostEqual(built.volume / both, 1.0, places=5)

    def test_the_check_names_and_what_is_done_again(self) -> None:
        """A cut body's check has the solid's figures and its tool; faces keep their names; only what follows an edit is built."""
        made = stacked(
            (0, 50, "polygon:4", 60), (-10, 60, "circle", 20), (100, 150, "circle", 30), makes=("cut", "own")
        )
        quick = rebuild(made)
        result = checked(quick, self.supervisor)
        self.assertEqual([row["name"] for row in result["bodies"]], ["test body", "tool 1"])
        self.assertEqual(result["bodies"][0]["combined"], [{"how": "cut", "body": "tool 0"}])
        self.assertAlmostEqual(result["bodies"][0]["volume_mm3"] / (50 * (1800 - math.pi * 100)), 1.0, places=6)
        self.assertIn("cut by tool 0", check_table(result))
        names = build_all(quick, self.supervisor)["body"].names
        self.assertTrue({"first cap", "last cap", "b1: lane round from s2"} <= set(names), names)
        renamed = rebuild(b.change_body(made, "body", name="other"))
        self.assertEqual(finished_key(renamed), finished_key(quick))
        moved = rebuild(station_edits.change_station(made, "s1", position=51.0))
        self.assertNotEqual(finished_key(moved), finished_key(quick))
        self.assertEqual([q.shape.key for q in moved.others], [q.shape.key for q in quick.others])  # type: ignore[union-attr]

    def test_what_leaves_nothing_says_so(self) -> None:
        """A cut that takes all, and bodies without anything in common."""
        for rows, how, words in (
            (((0, 50, "circle", 20), (-5, 55, "circle", 40)), "cut", "takes away all"),
            (((0, 50, "circle", 20), (100, 150, "circle", 20)), "common", "nothing in common"),
        ):
            with self.subTest(words), self.assertRaisesRegex(SolidError, words):
                build_all(rebuild(stacked(*rows, makes=(how,))), self.supervisor)

    def test_a_result_in_pieces_is_told(self) -> None:
        """A slot right through a block leaves two pieces: a note names what was cut, in the check too; its mend sets that aside."""
        made = stacked((0, 50, "polygon:4", 60), (-10, 60, "rounded:0.2:0.02", 90), makes=("cut",))
        quick = rebuild(made)
        built = build_all(quick, self.supervisor)
        (note,) = with_finished(quick, built).findings
        self.assertIn("with tool 0 cut from it it is in 2 pieces", note.text)
        self.assertEqual(checked(quick, self.supervisor)["findings"][0]["text"], note.text)
        whole = rebuild(note.mends[0].edit(made))
        self.assertEqual(with_finished(whole, build_all(whole, self.supervisor)).findings, ())

    def test_one_bad_body_does_not_keep_the_others_from_being_made(self) -> None:
        """A body that cannot be shaped, or whose cut fails in the kernel, is named; the other is finished all the same."""
        good = stacked(
            (0, 50, "polygon:4", 60), (100, 150, "circle", 20), (90, 160, "circle", 60), makes=("own", "cut")
        )
        good = b.combine(good, "b2", "cut", ("b1",))  # takes all of it away
        broken = station_edits.change_station(good, good.body("b2").stations[1].id, tilt_x=1.4)
        wanted = plan(rebuild(broken))
        self.assertEqual((list(wanted.finished), list(wanted.refused)), (["body"], ["b1"]))
        self.assertIn("tool 1", wanted.refused["b1"])
        with self.assertRaisesRegex(SolidError, "tool 1"):
            wanted.whole()
        application()
        for made in (good, broken):
            came: list[object] = []
            engine = Engine(self.supervisor)
            engine.solid_done.connect(lambda key, outcome, came=came: came.append(outcome))
            engine.show(made, "body")
            self.assertTrue(wait_for(lambda came=came: bool(came), 30.0))
            self.assertEqual(list(engine.finished), ["body"])
            self.assertAlmostEqual(engine.finished["body"].volume / 90000.0, 1.0, delta=1e-9)
            with mock.patch.object(self.supervisor, "close"):
                engine.close()


if __name__ == "__main__":
    unittest.main()
