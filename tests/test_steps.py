"""The ordered list of what is done with a body: anything may stand anywhere in it."""

from __future__ import annotations

import math
import unittest

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QToolButton

from isotomon.app.forms.steps import DragHandle, StepsForm
from isotomon.design import bodies
from isotomon.design.file import decode, encode
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError, SolidError
from isotomon.inspect.check import check_json
from isotomon.inspect.quick import rebuild
from isotomon.operations import Step
from isotomon.operations.combine import Combine
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.row import Row
from isotomon.profile.section import Circle, Polygon, Section
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, body, changed
from tests.test_window import WithWindow

LEFT = Qt.MouseButton.LeftButton
BLOCK, HOLE = 1800.0 * 50.0, 100.0 * math.pi * 50.0
"""mm³ of the block, and of what the bore takes out of it."""


def prism(key: str, section: Section, size: float, low: float, high: float, x: float = 0.0):
    """A body along Z."""
    ends = ((f"{key}-0", low), (f"{key}-1", high))
    return body(key, key, tuple(Station(k, k, z, section, size, offset_x=x) for k, z in ends))


def block(*steps: Step) -> Design:
    """A square block, a bore through it, and a post 100 mm beside it."""
    others = (prism("bore", Circle(), 20.0, -10.0, 60.0), prism("post", Circle(), 30.0, -1.0, 70.0, 100.0))
    return changed(Design("steps", bodies=(prism("block", Polygon(4), 60.0, 0.0, 50.0), *others)), "block", steps=steps)


class InAnyOrder(WithWorker):
    """Solids by formula."""

    def volume(self, design: Design) -> float:
        built = build_all(rebuild(decode(encode(design))), self.supervisor)["block"]
        self.assertTrue(built.valid and built.watertight)
        return built.volume

    def test_a_cut_moved_copied_and_added_to(self) -> None:
        """Cut, then moved, then copied: both copies are bored. Moved first, the cut misses. Cut, moved, added to: the post stands in
        the bore. Copies of the whole, after that, too."""
        cut, move = Combine("bore", "cut"), Move(x=100.0)
        self.assertAlmostEqual(
            self.volume(block(cut, move, Row("x", 2, 100.0))) / (2.0 * (BLOCK - HOLE)), 1.0, delta=1e-9
        )
        with self.assertRaisesRegex(SolidError, "the cut misses"):
            build_all(rebuild(block(move, cut)), self.supervisor)
        post = 225.0 * math.pi * 21.0  # above and below the block
        self.assertAlmostEqual(self.volume(block(cut, move, Combine("post"))) / (BLOCK + post), 1.0, delta=1e-9)
        twice = block(cut, move, Combine("post"), Row("y", 2, 200.0))
        self.assertAlmostEqual(self.volume(twice) / (2.0 * (BLOCK + post)), 1.0, delta=1e-9)
        with self.assertRaisesRegex(SolidError, "let the size come before"):
            build_all(rebuild(block(cut, Resize(2.0, 1.0, 1.0))), self.supervisor)

    def test_set_aside_and_up_to(self) -> None:
        """A step set aside is not done, nor one after the place up to which a body is rebuilt; a tool that nothing uses is a body
        of its own again; a tool may be made with another one itself."""
        made = block(Combine("bore", "cut"), Move(x=100.0), Combine("post"))
        first, move, _ = (step.id for step in made.bodies[0].steps)
        self.assertEqual(bodies.results(made), ("block",))
        aside = bodies.change_step(made, first, aside=True)
        self.assertAlmostEqual(self.volume(aside) / (BLOCK + 225.0 * math.pi * 21.0), 1.0, delta=1e-9)
        self.assertEqual(bodies.results(aside), ("block", "bore"))
        for up_to, volume, own in ((move, BLOCK - HOLE, 2), (first, BLOCK - HOLE, 2), ("", BLOCK, 3)):
            early = bodies.rebuild_up_to(made, "block", up_to)
            self.assertAlmostEqual(self.volume(early) / volume, 1.0, delta=1e-9)
            self.assertEqual(len(bodies.results(early)), own)
        self.assertEqual(bodies.remove_step(bodies.rebuild_up_to(made, "block", move), move).bodies[0].up_to, first)
        nested = bodies.add_step(block(Combine("post")), "post", Combine("bore"))
        whole = (
            BLOCK + 100.0 * math.pi * 20.0 + 225.0 * math.pi * 71.0
        )  # what the bore is longer, and the post beside it
        self.assertAlmostEqual(self.volume(nested) / whole, 1.0, delta=1e-9)
        self.assertEqual([row["name"] for row in check_json(rebuild(nested), {})["bodies"]], ["block"])

    def test_circles_are_refused(self) -> None:
        """A body is not combined with what is made with itself, however far round."""
        made = block(Combine("bore", "cut"))
        self.assertFalse(bodies.may_receive(made, "bore", "block"))
        with self.assertRaisesRegex(DesignError, "in a circle"):
            bodies.check_bodies(bodies.add_step(made, "bore", Combine("block")))


class InTheWindow(WithWindow):
    """The list in Details, by mouse."""

    def test_the_list_is_rearranged(self) -> None:
        """A step is dragged before another by its handle, set aside by its tick, and all after one are left undone by its button;
        each is one step of the history."""
        w = self.window
        w.files.open_design(block(Combine("bore", "cut"), Move(x=100.0), Row("x", 2, 100.0)))
        w.show_work()
        w.desk.select(("block",))
        self.settle()
        w.resize(1280, 1400)
        before = encode(self.design)
        names = [step.id for step in self.body.steps]
        form = w.details.findChild(StepsForm)
        w.details.ensureWidgetVisible(form)
        handles = form.findChildren(DragHandle)
        start = handles[2].rect().center()
        up = form.heads[0].y() - form.heads[2].y() - 5
        self.drag(handles[2], start, start + QPoint(0, up))
        self.settle()
        self.assertEqual([step.id for step in self.body.steps], [names[2], names[0], names[1]])
        form = w.details.findChild(StepsForm)
        tick = form.heads[0].findChild(QCheckBox)
        QTest.mouseClick(tick, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(8, tick.height() // 2))
        self.settle()
        self.assertEqual([step.aside for step in self.body.steps], [True, False, False])
        button = next(
            b for b in form.findChildren(QToolButton) if b.accessibleName().startswith("Rebuild up to here: Comb")
        )
        QTest.mouseClick(button, LEFT)
        self.settle()
        self.assertEqual((self.body.up_to, [step.id for step in self.body.done]), (names[0], [names[0]]))
        self.assertIn("(not done)", form.heads[2].findChild(QCheckBox).text())
        self.with_solids()
        self.wait(lambda: "block" in w.desk.finished and not w.desk.building, "the solid", 60)
        self.assertAlmostEqual(w.desk.finished["block"].volume / (BLOCK - HOLE), 1.0, delta=1e-9)
        for _ in range(3):
            self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), before)


if __name__ == "__main__":
    unittest.main()
