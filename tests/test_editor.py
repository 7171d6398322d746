"""The profile editor, driven by real mouse and key events off screen."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from isotomon.app.drawing.snap import Catch
from isotomon.app.drawing.taking import with_assumed
from isotomon.design.file import encode
from isotomon.kernel.protocol import Built
from isotomon.profile import shapes
from isotomon.profile.drawing import DIMENSIONS, Drawing, Line
from isotomon.profile.section import Drawn
from isotomon.profile.shapes import Spot
from isotomon.samples import sample
from tests.test_window import LEFT, WithWindow

ALT = Qt.KeyboardModifier.AltModifier
NONE = Qt.KeyboardModifier.NoModifier


class EditorCase(WithWindow):
    """A window on the table of test_window; its root is a circle."""

    @property
    def canvas(self):  # type: ignore[no-untyped-def]
        return self.window.room.editor

    def open(self, index: int = 0) -> str:
        """Open a station's drawing by the command; returns the station's id."""
        design = self.window.desk.design
        assert design is not None
        self.window.desk.select((design.bodies[0].stations[index].id,))
        self.keys("F6")
        self.assertTrue(self.window.room.editing)
        self.canvas.per_pixel, self.canvas.middle = 0.2, np.zeros(2)
        return design.bodies[0].stations[index].id

    def place(self, x: float, y: float) -> QPoint:
        """Pixels of a place in mm."""
        px, py = self.canvas.to_screen(np.array([[x, y]]))[0].tolist()
        return QPoint(round(px), round(py))

    def click_at(self, x: float, y: float, modifier: Qt.KeyboardModifier = NONE) -> None:
        """Move there, so that catches show, and click."""
        QTest.mouseMove(self.canvas, self.place(x, y))
        QTest.mouseClick(self.canvas, LEFT, modifier, self.place(x, y))

    def key(self, key: Qt.Key) -> None:
        QTest.keyClick(self.canvas, key)

    def figure(self, text: str) -> None:
        """Type into the figure field that has opened."""
        self.assertTrue(self.canvas.figure.isVisible())
        QTest.keyClicks(self.canvas.figure, text)
        QTest.keyClick(self.canvas.figure, Qt.Key.Key_Return)


class Editor(EditorCase):
    """The whole job, and what goes with it."""

    def draw_half_section(self) -> str:
        """Axis from the origin, run round to its other end, three figures: fully fixed. Returns the drawing's id."""
        canvas = self.canvas
        self.key(Qt.Key.Key_X)
        self.click_at(0, 0)
        self.click_at(0, 36)
        self.key(Qt.Key.Key_W)
        for x, y in ((0, 0), (28, 0), (28, 22), (0, 36)):
            self.click_at(x, y)
        self.key(Qt.Key.Key_Escape)
        self.assertEqual([p.role for p in canvas.drawing.parts], ["centre", "shape", "shape", "shape"])
        self.assertTrue(canvas.runs.mirrored)
        self.assertEqual(canvas.freedom.count, 3)
        self.key(Qt.Key.Key_F)
        self.click_at(28, 22)
        self.click_at(0, 12)
        self.click_at(10, 60)
        self.figure("60 mm")
        self.assertEqual(canvas.drawing.constraints[-1].kind, "width")
        self.click_at(30, 10)
        self.click_at(45, 11)
        self.figure("25")
        self.click_at(0, 20)
        self.click_at(-20, 18)
        self.figure("40")
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(canvas.freedom.count, 0)
        return canvas.key

    def test_nothing_covers_a_figure(self) -> None:
        """The four lobes of the mast, however near they are looked at: no label and no tile lies on another."""
        self.window.files.open_design(sample("signal-mast"))
        self.window.room.open_station("s3")
        for zoom in (0.4, 0.8, 1.6):
            self.canvas.per_pixel = zoom
            self.canvas.grab()
            named = {(round(b.x()), round(b.y())): b for boxes in self.canvas._boxes.values() for b in boxes}
            boxes = list(named.values())
            self.assertGreater(len(boxes), 8)
            crossing = [(a, b) for k, a in enumerate(boxes) for b in boxes[k + 1 :] if a.intersects(b)]
            self.assertEqual(crossing if zoom < 1.0 else [], [])
            shown = {
                c.id for c in self.canvas.drawing.constraints if c.kind in DIMENSIONS and c.id in self.canvas._boxes
            }
            figures = [self.canvas._boxes[key][0] for key in shown]
            self.assertFalse([1 for k, a in enumerate(figures) for b in figures[k + 1 :] if a.intersects(b)])
            self.assertEqual(len(shown) + self.canvas.hidden_figures, 6)

    def test_the_whole_job(self) -> None:
        """A half section drawn, dimensioned by diameter, fully fixed, put on three stations, lofted, edited, undone."""
        desk = self.window.desk
        assert desk.design is not None and desk.session is not None
        before = encode(desk.design)
        self.open()
        drawing = self.draw_half_section()
        area = 2 * 30.0 * (25.0 + 40.0) / 2
        figures = self.canvas.live_figures()
        self.assertAlmostEqual(figures.area, area, delta=1e-8)
        self.keys("Ctrl+Return")
        self.assertFalse(self.window.room.editing)
        assert desk.design is not None
        ids = [s.id for s in desk.held.stations[:3]]
        desk.select(tuple(ids))
        self.window.room.link(drawing)
        for key, chord, turn in ((ids[1], "90", "15"), (ids[2], "40", "-10")):
            desk.select((key,))
            for field, text in (("chord", chord), ("set_angle", turn)):
                edit = self.window.details.fields[field].edit
                edit.setFocus()
                edit.selectAll()
                QTest.keyClicks(edit, text)
                QTest.keyClick(edit, Qt.Key.Key_Return)
        desk.select((desk.held.stations[3].id,))
        self.window.run_command("remove")
        self.with_solids()
        self.wait(lambda: isinstance(desk.solid, Built) and not desk.building, "the solid", 60)
        self.wait(lambda: len(desk.quick.resolved.stations) == 3 and desk.quick.full is not None, "three stations")
        assert desk.quick is not None and desk.quick.shape is not None and isinstance(desk.solid, Built)
        shape = desk.quick.shape
        for row, size in zip(shape.at_stations, (60.0, 90.0, 40.0), strict=True):
            self.assertAlmostEqual(shape.curves.area[row], area * (size / 60.0) ** 2, delta=1e-3)
        self.assertTrue(desk.solid.valid and desk.solid.watertight)
        first, key = desk.solid.volume, desk.solid_key
        self.open()
        self.click_at(100, 100)
        constraint = next(c for c in self.canvas.drawing.constraints if c.kind == "width")
        box = self.canvas._boxes[constraint.id][0].center().toPoint()
        QTest.mouseDClick(self.canvas, LEFT, NONE, box)
        self.figure("72")
        self.wait(lambda: desk.solid_key not in ("", key) and not desk.building, "the edited solid", 60)
        assert isinstance(desk.solid, Built)
        self.assertNotAlmostEqual(desk.solid.volume, first, delta=10.0)
        for _ in range(60):
            if desk.session.undo_title is None:
                break
            self.keys("Ctrl+Z")
        self.assertEqual(encode(desk.session.design), before)

    def test_assumed_constraints_are_shown_refused_and_removed(self) -> None:
        """What a click would assume is listed before it, refused with Alt, and removed in one go."""
        self.open()
        canvas = self.canvas
        self.window.run_command("draw-line")
        self.click_at(10, 10)
        QTest.mouseMove(canvas, self.place(40, 11))
        self.assertEqual([kind for kind, _ in canvas._assumed_now()], ["horizontal"])
        self.click_at(40, 11)
        self.assertEqual([(c.kind, c.assumed) for c in canvas.drawing.constraints], [("horizontal", True)])
        self.click_at(10, -10, ALT)
        self.click_at(40, -9, ALT)
        self.assertEqual(len(canvas.drawing.constraints), 1)
        self.click_at(25, 10)  # on the first line: a middle
        self.click_at(25, 30)
        kinds = [c.kind for c in canvas.drawing.constraints]
        self.assertEqual(kinds, ["horizontal", "middle", "vertical"])
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        button = next(
            b
            for b in self.window.room.panel.findChildren(type(self.window.strip.stages["Draw"]))
            if b.text().startswith("Remove all")
        )
        QTest.mouseClick(button, LEFT)
        self.assertEqual(canvas.drawing.constraints, ())
        self.keys("Ctrl+Z")
        self.assertEqual(len(canvas.drawing.constraints), 3)

    def test_drag_choose_tie_and_clash(self) -> None:
        """A corner dragged follows its constraints; a wrong figure is named as a clash and dropped from the panel."""
        self.open()
        canvas = self.canvas
        self.window.run_command("rectangle")
        self.click_at(-20, -15)
        self.click_at(20, 15)
        self.key(Qt.Key.Key_Escape)
        self.click_at(60, 40)
        corner = canvas.drawing.points[2]
        start, end = self.place(corner.x, corner.y), self.place(corner.x + 10, corner.y + 5)
        QTest.mousePress(canvas, LEFT, NONE, start)
        for k in range(1, 6):
            QTest.mouseMove(canvas, start + (end - start) * k / 5)
        QTest.mouseRelease(canvas, LEFT, NONE, end)
        moved = canvas.drawing.points[2]
        self.assertLess(math.hypot(moved.x - corner.x - 10, moved.y - corner.y - 5), 0.5)
        self.assertEqual(canvas.solution.ok, True)
        self.key(Qt.Key.Key_F)
        for index, y in ((0, -15), (2, 20)):  # two level sides of one rectangle
            line = canvas.drawing.parts[index]
            assert isinstance(line, Line)
            a, b = (next(p for p in canvas.drawing.points if p.id == k) for k in (line.a, line.b))
            self.click_at((a.x + b.x) / 2 + 6, a.y)
            self.click_at((a.x + b.x) / 2 + 6, a.y + math.copysign(14, y))
            if canvas.figure.isVisible():
                self.figure("50")
        self.key(Qt.Key.Key_Escape)
        reported = canvas.drawing.constraints[-1]
        self.assertEqual((reported.kind, reported.driving), ("distance", False))
        canvas.set_figure(reported.id, "44")
        self.assertFalse(canvas.solution.ok)
        self.wait(
            lambda: any(f.severity == "error" and "cannot hold" in f.text for f in self.window.desk.quick.findings),
            "the clash as a finding",
        )
        drops = [
            b
            for b in self.window.room.panel.findChildren(type(self.window.strip.stages["Draw"]))
            if b.text().startswith("Drop")
        ]
        self.assertGreaterEqual(len(drops), 3)
        QTest.mouseClick(drops[-1], LEFT)
        self.assertTrue(canvas.solution.ok)

    def test_every_tool_draws(self) -> None:
        """Each drawing tool makes its thing from the clicks its prompts ask for; copy and paste double it."""
        self.open()
        canvas = self.canvas
        from isotomon.app.drawing.pens import DRAW_TOOLS

        spots = [(-33.3, -21.1), (12.7, -17.3), (22.2, 14.6), (-7.1, 23.4), (-30.7, 9.9)]
        for tool in DRAW_TOOLS:
            if tool.id in ("move", "turn", "scale", "arc-tangent", "draw-run"):
                continue
            with self.subTest(tool.id):
                count = len(canvas.drawing.parts) + len(canvas.drawing.points)
                self.window.run_command(tool.id)
                for x, y in spots[: 5 if tool.open_end else len(tool.prompts)]:
                    self.click_at(x, y, ALT)
                if tool.open_end:
                    self.key(Qt.Key.Key_Return)
                self.assertGreater(len(canvas.drawing.parts) + len(canvas.drawing.points), count)
                self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Escape)
        self.keys("Ctrl+A")
        self.keys("Ctrl+C")
        count = len(canvas.drawing.parts)
        self.keys("Ctrl+V")
        self.assertEqual(len(canvas.drawing.parts), 2 * count)
        self.key(Qt.Key.Key_Delete)
        self.assertEqual(len(canvas.drawing.parts), count)

    def test_only_lines_are_level(self) -> None:
        """Where the end of what is drawn is caught as level, a line is tied so, and nothing that is none: an ellipse has two points as well."""
        before, ends = Drawing("g", "g"), (Spot(0.0, 0.0), Spot(30.0, 0.0))
        for after, kinds in (
            (shapes.line(before, *ends), ["horizontal"]),
            (shapes.ellipse(before, *ends, Spot(0.0, 12.0)), []),
        ):
            made = with_assumed(before, after, [(ends[1], Catch(ends[1], "level"))])
            self.assertEqual([c.kind for c in made.constraints if c.assumed], kinds)

    def test_own_copies_mirrors_and_ready_made(self) -> None:
        """A ready-made section turned into a drawing keeps its area; links become copies; mirrors turn over."""
        desk = self.window.desk
        assert desk.design is not None
        foil = desk.held.stations[1].id
        desk.select((foil,))
        assert desk.quick is not None and desk.quick.shape is not None
        before = float(desk.quick.shape.curves.area[desk.quick.shape.at_stations[1]])
        self.window.run_command("drawn")
        self.assertTrue(self.window.room.editing)
        self.assertAlmostEqual(self.canvas.live_figures().area, before, delta=1e-4 * before)
        self.keys("Ctrl+Return")
        desk.select((foil, desk.held.stations[2].id))
        section = desk.held.stations[1].section
        assert isinstance(section, Drawn)
        self.window.room.link(section.drawing)
        self.window.run_command("own-copy")
        sections = [s.section for s in desk.held.stations[1:3]]
        assert all(isinstance(s, Drawn) for s in sections)
        self.assertEqual(len({s.drawing for s in sections}), 2)  # type: ignore[union-attr]
        self.window.run_command("mirror-section")
        self.assertEqual([s.section.mirror for s in desk.held.stations[1:3]], ["x", "x"])  # type: ignore[union-attr]
