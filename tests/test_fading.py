"""Corners along a body that fade out, and come again: rounded as far as they are there, and hollow, by the rolling ball's own rule."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial import KDTree

from isotomon.arrays import Array
from isotomon.design import bodies
from isotomon.design.records import Design
from isotomon.inspect.quick import rebuild
from isotomon.inspect.section_figures import walls_of
from isotomon.inspect.sections import mesh_of_finished
from isotomon.kernel.protocol import Built, unpack
from isotomon.operations.base import Operation
from isotomon.operations.hollow import Hollow
from isotomon.operations.round import Round
from isotomon.quantity.record import refs
from tests.helpers import design
from tests.test_finish import Building, worked

RADIUS = 5.0
DUCTS = {
    "square to round": ("polygon:4", "circle"),
    "square, and then to round": ("polygon:4", "polygon:4", "circle"),
    "to round and back": ("polygon:4", "circle", "polygon:4"),
    "to round, and on, where a corner turns inward a little": ("polygon:4", "circle", "circle"),
}


def duct(sections: tuple[str, ...], *steps: Operation) -> Design:
    """A body of sections 60 mm apart, of 60 mm and a tenth less each."""
    made = design([(60.0 * k, section, 60.0 - 6.0 * k, 0.0) for k, section in enumerate(sections)])
    for step in steps:
        made = bodies.add_step(made, "body", step)
    return made


def on_rounds(found: Built) -> Array:
    """(n, 3) mm: places on a finished body's outer rounds."""
    own = [k for k, name in enumerate(found.names) if name.startswith("round of")]
    triangles = unpack(found.triangles)[np.isin(unpack(found.owner), own)]
    return np.asarray(unpack(found.vertices)[np.unique(triangles)].astype(float))


class Fading(Building):
    """Solids and their fields."""

    def test_rounds_are_where_corners_are(self) -> None:
        """Every place of a round is the radius away from where the ball's centre goes, to the design's tolerance, and that is the radius
        away from the skin. The solid is sound, and so it is hollow, with less wall than the radius and with more."""
        rounded, levels = Round(edges=refs("body/along"), radius=RADIUS), np.linspace(-0.02, 1.02, 4001)
        for name, sections in DUCTS.items():
            with self.subTest(name):
                skin = worked(duct(sections, rounded))
                places, off = on_rounds(self.built(duct(sections, rounded))), []
                for way in (RADIUS, -RADIUS):  # within the skin along outward corners, and outside along inward ones
                    centres = []
                    for lane in range(4):
                        by = np.full(len(levels), way)
                        x = skin.base.corners((lane - 1) % 4, lane, levels, (by, by))
                        centres.append(skin.base.moved(lane, x[:, 2], x[:, 3], by)[0])
                    off.append(np.abs(KDTree(np.concatenate(centres)).query(places)[0] - RADIUS))
                self.assertLess(np.minimum(*off).max(), 1e-4)
                self.assertGreater((off[0] < 1e-4).mean(), 0.6)
        for name, wall in (
            ("to round and back", 1.2 * RADIUS),
            ("to round, and on, where a corner turns inward a little", 2.0),
        ):
            hollow = self.built(duct(DUCTS[name], rounded, Hollow(wall=wall)))
            thick = walls_of(hollow, mesh_of_finished(hollow))
            self.assertAlmostEqual(thick.extreme(1.0)[0] / wall, 1.0, delta=2e-2)

    def test_too_large_says_what_would_do(self) -> None:
        """A radius that does not fit is told with the one that does, which then works, with a hollow after it, too."""
        sections = DUCTS["to round and back"]
        for further in ((), (Hollow(wall=3.0),)):
            made = duct(sections, Round(edges=refs("body/along"), radius=60.0), *further)
            (finding,) = [f for f in rebuild(made).findings if f.severity == "error"]
            self.assertRegex(finding.mends[0].title, r"^Use 14\.\d mm$")
            self.assertFalse([f.text for f in rebuild(finding.mends[0].edit(made)).findings if f.severity == "error"])

    def test_names_and_places(self) -> None:
        """There are rounds only where there is a corner: up to the round station, and again after it."""
        skin = worked(duct(DUCTS["to round and back"], Round(edges=refs("body/along"), radius=RADIUS)))
        self.assertEqual(len(skin.rounds), 4)
        spans = [ball.span for ball in skin.balls(skin.rounds[0])]
        self.assertEqual([span.way for span in spans], [1.0, 1.0])
        self.assertAlmostEqual(spans[0].high, 0.5, delta=1e-9)
        self.assertEqual((spans[0].fades, spans[1].fades), ((False, True), (True, False)))
        sides = skin.points([np.array([0.0, 1.0])] * 8, np.array([0.25, 0.5]))
        widths = [np.linalg.norm(side[:, 1] - side[:, 0], axis=1) for side in sides[::2]]
        self.assertGreater(min(width[0] for width in widths), 1.0)
        self.assertLess(max(width[1] for width in widths), 1e-6)


del Building

if __name__ == "__main__":
    unittest.main()
