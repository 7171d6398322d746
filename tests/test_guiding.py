"""Guides, rails, ties, ends, carriers, bodies and checks of shape in the real window, by mouse and keys."""

from __future__ import annotations

import math
import unittest

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QLabel, QPushButton

from isotomon.app.forms.meet import MeetForm
from isotomon.design import bodies, loft_edits
from isotomon.design.body import Carrying
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.design.station_edits import change_station, change_stations
from isotomon.samples import sample
from tests.test_window import LEFT, WithWindow

NONE = Qt.KeyboardModifier.NoModifier


class GuidingWindow(WithWindow):
    """A window with what tests of shaping do to it."""

    def on(self, design: Design) -> None:
        """Work on a design, at rest."""
        self.window.files.open_design(design, ask=False)
        self.window.show_work()
        self.settle()

    def run_command(self, key: str) -> None:
        """An action by its id, as the tray, menus and finder run it."""
        self.window.run_command(key)
        QApplication.processEvents()
        self.settle()

    def pixel(self, place: np.ndarray) -> QPoint:
        """Where a place in space is in the View."""
        view = self.window.view
        x, y = view.camera.project(np.asarray(place)[None], view.width(), view.height())[0][:2].tolist()
        return QPoint(round(x), round(y))

    def combo(self, name: str) -> QComboBox:
        """A choice in Details by its name."""
        return next(
            b for b in self.window.details.findChildren(QComboBox) if b.accessibleName() == name and b.isVisible()
        )

    def pick(self, name: str, data: object) -> None:
        """Choose in a combo as a click on its entry does."""
        box = self.combo(name)
        box.setCurrentIndex(box.findData(data))
        box.activated.emit(box.currentIndex())
        QApplication.processEvents()
        self.settle()


class Guiding(GuidingWindow):
    """What a user does to guide a shape."""

    def test_a_curve_becomes_a_rail_and_is_dragged(self) -> None:
        """A curve through the stations is made at once and used as a rail; dragging its point by the mouse moves guide and body
        as one step; the miss it makes is mended by the button beside it, either way; undo goes back to the same."""
        w = self.window
        start = self.design
        w.set_stage("Guide")
        self.run_command("guide-through")
        guide = self.design.guides[0]
        self.assertEqual((w.desk.selection, len(guide.points)), ((guide.id,), 4))
        self.pick("Point", "3")
        button = next(b for b in w.details.findChildren(QPushButton) if b.text() == "Another point after it")
        QTest.mouseClick(button, LEFT)
        self.settle()
        fresh, ahead = self.design.guides[0].points[-1], w.desk.quick.guides[guide.id].tangent(1.0)
        self.assertTrue(len(self.design.guides[0].points) == 5 and 320.0 < fresh.z < 380.0)  # straight on, half a bay
        self.assertGreater(float(ahead[2]), 0.9)
        self.run_command("undo")
        self.run_command("rail")
        self.assertEqual([r.guide for r in self.body.loft.rails], [guide.id])
        self.assertEqual([f for f in w.desk.quick.findings if f.severity == "error"], [])
        middles = w.desk.quick.full.moments.centroid
        grips = {k: h.place for k, h in w.view.handles.items() if k.startswith("point")}
        self.assertEqual(len(grips), 4)
        steps = w.desk.session.undo_title
        outline = w.view._drawn.outlines[self.station("mid").id]
        self.drag(w.view, self.pixel(grips["point 1"]), self.pixel(outline[len(outline) // 10]))
        self.settle()
        self.assertNotEqual(w.desk.session.undo_title, steps)
        self.assertNotEqual(self.design.guides[0].points[1], guide.points[1])
        self.assertGreater(float(np.abs(w.desk.quick.full.moments.centroid - middles).max()), 0.05)
        w.desk.do("off", lambda d: loft_edits.set_guide_point(d, guide.id, 0, x=4.0))
        self.settle()
        missed = [f for f in w.desk.quick.findings if "misses the profile" in f.text]
        self.assertEqual(len(missed), 1)
        w.desk.select((self.body.id,))
        QApplication.processEvents()
        mend = next(b for b in w.details.findChildren(QPushButton) if "follow" in b.text() and b.isVisible())
        QTest.mouseClick(mend, LEFT)
        self.settle()
        self.assertFalse([f for f in w.desk.quick.findings if "misses the profile" in f.text])
        while self.design != start:
            self.keys("Ctrl+Z")
        self.settle()
        self.assertEqual(self.design.guides, ())

    def test_a_tie_is_dragged_in_the_body_plan_and_evened_out(self) -> None:
        """The end of a tie slides along its profile, the turn it makes is told by station and in all, and one click evens it out."""
        w = self.window
        self.on(sample("signal-mast"))
        w.desk.select(("s6",))
        plan = w.body_plan
        ends = plan._tie_ends()
        self.assertTrue(ends)
        index = ends[0][1]
        x, y = plan.to_pixels(plan._ties[0][index : index + 1])[0].tolist()
        middle = plan.to_pixels(np.zeros((1, 2)))[0]
        turn = np.array([[0.0, 1.0], [-1.0, 0.0]])
        goal = middle + (np.array([x, y]) - middle) @ turn
        self.drag(plan, QPoint(round(x), round(y)), QPoint(round(goal[0]), round(goal[1])), steps=10)
        self.settle()
        self.assertTrue(any("tie" in f.text for f in w.desk.quick.findings), w.desk.quick.findings)
        self.assertTrue(any("Turn by ties" in label.text() for label in w.details.findChildren(QLabel)))
        w.desk.select(("body",))
        even = next(b for b in w.details.findChildren(QPushButton) if b.text().startswith("Even out") and b.isVisible())
        QTest.mouseClick(even, LEFT)
        self.settle()
        self.assertEqual(self.body.loft.ties, ())

    def test_an_end_leans_by_its_handle(self) -> None:
        """Leaning is chosen in Details; its handle in the View changes strength and angle, and what is reached is shown."""
        w = self.window
        w.desk.select((self.body.id,))
        self.pick("First end", "leaning")
        self.assertEqual(self.body.loft.first.how, "leaning")
        handle = self.pixel(w.view.handles["end first"].place)
        self.drag(w.view, handle, handle + QPoint(14, -20))
        self.settle()
        first = self.body.loft.first
        self.assertGreater(first.strength, 0.0)
        self.assertNotEqual(first.angle, 0.0)
        np.testing.assert_allclose(w.desk.quick.full.leans[0], first.angle, atol=1e-6)
        self.keys("Ctrl+Z")
        self.settle()
        self.assertEqual(self.body.loft.first.angle, 0.0)

    def test_a_law_is_met_by_a_proposal(self) -> None:
        """The least change is proposed and shown, not made; put back leaves nothing, accepted it is one step."""
        w = self.window
        self.on(change_station(sample("reach-blade"), "s6", chord=202.0))
        before = self.design
        w.desk.select(("law1",))
        form = next(f for f in w.details.findChildren(MeetForm))
        QTest.mouseClick(form.propose, LEFT)
        self.wait(lambda: form.accept.isVisible(), "the proposal")
        self.assertTrue(form.result.text().startswith("✓ Met"))
        self.assertEqual(self.design, before)
        QTest.mouseClick(form.put_back, LEFT)
        self.settle()
        self.assertEqual(self.design, before)
        QTest.mouseClick(form.propose, LEFT)
        self.wait(lambda: form.accept.isVisible(), "the proposal again")
        QTest.mouseClick(form.accept, LEFT)
        self.settle()
        self.assertFalse(w.desk.quick.judged[0].out.any())
        self.keys("Ctrl+Z")
        self.settle()
        self.assertEqual(self.design, before)

    def test_carried_about_an_axis_and_closed(self) -> None:
        """About an axis stations are given by angles, typed in degrees; closed into a ring the Board comes round; straight again."""
        w = self.window
        w.set_stage("Shape")
        self.run_command("carry-axis")
        carrier = self.body.loft.carrier
        self.assertEqual((carrier.how, carrier.on), ("axis", "y"))
        self.assertIsInstance(carrier, Carrying)
        self.choose("far")
        self.type(w.details.fields["position"].edit, "75")
        self.settle()
        self.assertAlmostEqual(self.station("far").position, math.radians(75.0))
        w.desk.select((self.body.id,))
        self.type(w.details.fields["radius"].edit, "300")
        self.settle()
        self.run_command("ring")
        self.assertTrue(self.body.loft.ring)
        self.assertEqual([f for f in w.desk.quick.findings if f.severity == "error"], [])
        self.assertAlmostEqual(w.desk.quick.shape.field.last, 2 * math.pi * 300.0, places=6)
        self.run_command("insert")
        self.assertEqual(len(self.body.stations), 5)
        self.run_command("carry-straight")
        self.assertEqual((self.body.loft.carrier.how, self.body.loft.ring), ("straight", False))
        self.assertEqual([f for f in w.desk.quick.findings if f.severity == "error"], [])

    def test_bodies_are_made_combined_and_switched(self) -> None:
        """A new body comes in hand; it is added to the first; a click on the other's row takes that in hand; Delete removes."""
        w = self.window
        w.set_stage("Shape")
        first = self.body
        self.run_command("new-body")
        self.assertEqual(len(self.design.bodies), 2)
        own = self.body.id
        # Thinner, so that it does not begin on the very same circle: the kernel takes half a minute for that.
        keys = [s.id for s in self.body.stations]
        w.desk.do("thinner", lambda d: change_stations(d, keys, lambda s: replace(s, chord=44.0)))
        self.settle()
        self.assertEqual(w.desk.selection, (own,))
        self.pick("Makes", "add")
        self.assertEqual((bodies.makes(self.design, own), bodies.receivers(self.design, own)), ("add", (first.id,)))
        tick = next(box for box in w.details.findChildren(QCheckBox) if box.text() == f"with {first.name}")
        self.assertTrue(tick.isChecked())
        tick.click()
        self.assertTrue(tick.isChecked())  # the last one stays
        self.assertEqual(bodies.receivers(self.design, own), (first.id,))
        w.desk.do("a third", lambda d: bodies.add_body(d, "third"))
        w.desk.select((own,))
        self.settle()
        third = self.design.bodies[-1]
        other = next(box for box in w.details.findChildren(QCheckBox) if box.text() == f"with {third.name}")
        self.assertFalse(other.isChecked())
        for onto in ((first.id, third.id), (first.id,)):
            other.click()
            self.assertEqual(bodies.receivers(self.design, own), onto)
        for _ in range(3):
            self.keys("Ctrl+Z")
            self.settle()
        row = w.ledger._rows[first.id]
        QTest.mouseClick(w.ledger.viewport(), LEFT, NONE, w.ledger.visualItemRect(row).center())
        self.settle()
        self.assertEqual(self.body.id, first.id)
        self.assertEqual(w.board.quick.resolved.stations[0].station.id, first.stations[0].id)
        self.with_solids()
        self.wait(lambda: w.desk.finished.keys() == {first.id} and not w.desk.building, "the union", 60)
        alone = w.desk.quick.full.body.volume
        self.assertGreater(w.desk.finished[first.id].volume, alone)
        self.assertTrue(w.isActiveWindow())
        self.keys("Ctrl+J")
        self.settle()
        self.assertEqual(self.body.id, own)
        self.keys("Del", widget=w.ledger)
        self.settle()
        self.assertEqual(len(self.design.bodies), 1)
        self.keys("Ctrl+Z")
        self.settle()
        self.assertEqual(len(self.design.bodies), 2)

    def test_the_skin_is_looked_at_closely(self) -> None:
        """Every colour, stripes, section curves, joins and fairness show their figures, and nothing of the design changes."""
        w = self.window
        w.set_stage("Check")
        before = self.design
        plain = w.view.grab().toImage()
        for key in ("turn-rate", "mean", "largest", "gauss", "slope"):
            self.run_command(f"colour-{key}")
            self.wait(lambda: w.checks.seen is not None and w.checks.seen.wanted == w.checks.wanted, key)
            self.assertIsNotNone(w.checks.seen.colouring)
            self.assertTrue(any(label.text().startswith("Greatest") for label in w.details.findChildren(QLabel)))
        self.assertNotEqual(w.view.grab().toImage(), plain)
        for key in ("section-curves", "joins", "fairness", "stripes", "take-reference"):
            self.run_command(key)
        self.wait(lambda: w.checks.seen.wanted == w.checks.wanted, "the rest")
        self.assertTrue(w.checks.seen.lines and w.checks.seen.fair is not None)
        self.assertEqual(w.checks.seen.trouble, "")
        self.assertAlmostEqual(w.checks.seen.colouring.greatest[0], 0.0, places=9)
        self.assertEqual(self.design, before)


if __name__ == "__main__":
    unittest.main()
