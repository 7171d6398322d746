"""Skins cut by planes and along curves, in pieces that are chosen; faces taken off bodies."""

from __future__ import annotations

import math
from collections.abc import Callable

from scipy.integrate import dblquad

from isotomon.design.bodies import change_body
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode
from isotomon.design.guides import Guide
from isotomon.design.pieces import cut_in_two, faces_taken
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.inspect.quick import rebuild
from isotomon.operations import Step
from isotomon.operations.cut_off import CutOff
from isotomon.operations.keep_faces import KeepFaces
from isotomon.operations.trim import TrimSkin
from isotomon.operations.trim_along import TrimAlong
from isotomon.quantity.record import Ref, refs
from isotomon.solids.checked import checked
from tests.helpers import WithWorker, numbered
from tests.test_bodies import stacked
from tests.test_made_skins import guide
from tests.test_on_skins import saddle

ROUND = guide(
    "g5", *((30.0 * math.cos(k * math.pi / 8), 30.0 * math.sin(k * math.pi / 8), 50.0) for k in range(16)), closed=True
)
ACROSS = guide("g6", (-50, -20, 40), (-10, -20, 40), (20, 10, 40), (35, 50, 40))
LAID = tuple(Guide(f"u{k}", f"laid {k}", "dropped", refs(key, "b1", "z"), (), ()) for k, key in enumerate(("g5", "g6")))


def area(low: float, high: float, first: Callable[[float], float], last: Callable[[float], float]) -> float:
    """mm² of the saddle for x from low to high, and y from one to the other."""
    return float(dblquad(lambda y, x: math.sqrt(1.0 + (x * x + y * y) / 1e4), low, high, first, last, epsabs=1e-9)[0])


def cut(*steps: Step) -> Design:
    """The saddle and what is done with it."""
    made = saddle(ROUND, ACROSS, *LAID)
    return replace(made, bodies=(replace(made.bodies[0], steps=numbered("b1", steps)), made.bodies[1]))


WHOLE = area(-50.0, 50.0, lambda x: -50.0, lambda x: 50.0)


class Parted(WithWorker):
    """Parts of skins."""

    def areas(self, design: Design, name: str = "saddle") -> tuple[float, int]:
        """mm² of a body, and its faces; there is nothing to be said of it."""
        self.assertEqual(decode(encode(design)), design)
        found = checked(rebuild(design), self.supervisor)
        self.assertEqual([f["text"] for f in found["findings"] if f["severity"] == "error"], [])
        row = next(row for row in found["bodies"] if row["name"] == name)
        self.assertTrue(row["valid"])
        return row["area_mm2"], len(row.get("faces", ()))

    def test_by_a_plane(self) -> None:
        """What lies before and behind a plane has its part of the area; both are pieces, of which each can be left out, and one of a body of its own."""
        behind = area(-50.0, 10.0, lambda x: -50.0, lambda x: 50.0)
        plane = CutOff(plane=Ref("yz"), offset=10.0)
        for keep, want, faces in (("behind", behind, 1), ("before", WHOLE - behind, 1), ("both", WHOLE, 2)):
            found = self.areas(cut(replace(plane, keep=keep)))
            self.assertEqual(found[1], faces)
            self.assertAlmostEqual(found[0] / want, 1.0, delta=1e-6)
        both, piece = replace(plane, keep="both"), refs("b1/face:piece behind b1-k1 of (skin)")
        self.assertAlmostEqual(self.areas(cut(both, KeepFaces(faces=piece)))[0] / (WHOLE - behind), 1.0, delta=1e-6)
        self.assertAlmostEqual(self.areas(cut(both, KeepFaces(faces=piece, keep="these")))[0] / behind, 1.0, delta=1e-6)
        two = cut_in_two(cut(), "b1", plane)
        self.assertAlmostEqual(self.areas(two, "saddle piece")[0] / (WHOLE - behind), 1.0, delta=1e-6)
        found = checked(rebuild(cut(replace(plane, offset=60.0))), self.supervisor)
        self.assertIn("the plane misses the body", str(found["findings"]))

    def test_along_curves(self) -> None:
        """Along a closed curve and along one from edge to edge: both sides together are the whole, the round one is the circle's; a curve that is not
        on the skin, or ends within it, is told."""
        disc = area(-30.0, 30.0, lambda x: -math.sqrt(900.0 - x * x), lambda x: math.sqrt(900.0 - x * x))
        left, right, both = (
            self.areas(cut(TrimAlong(along=Ref("u0"), keep=keep))) for keep in ("left", "right", "both")
        )
        self.assertEqual((left[1], right[1], both[1]), (1, 1, 2))
        self.assertAlmostEqual(right[0] / disc, 1.0, delta=1e-4)  # the guide is a spline through sixteen places
        self.assertAlmostEqual((left[0] + right[0]) / WHOLE, 1.0, delta=1e-7)
        sides = [self.areas(cut(TrimAlong(along=Ref("u1"), keep=keep))) for keep in ("left", "right")]
        self.assertAlmostEqual((sides[0][0] + sides[1][0]) / WHOLE, 1.0, delta=1e-7)
        self.assertGreater(min(sides)[0], 0.2 * WHOLE)
        steps = TrimAlong(along=Ref("u1"), keep="both"), TrimAlong(along=Ref("u0"), keep="both")
        four = self.areas(cut(*steps))
        self.assertEqual(four[1], 4)
        self.assertAlmostEqual(four[0] / WHOLE, 1.0, delta=1e-7)
        for curve, words in (("g5", "off the skin"), ("g3", "off the skin")):
            found = checked(rebuild(cut(TrimAlong(along=Ref(curve)))), self.supervisor)
            self.assertIn(words, str(found["findings"]))

    def test_pieces_on_one_side(self) -> None:
        """A wall that crosses the skin twice leaves two pieces on one side, of which each can be left out."""
        made = cut(TrimSkin(by=Ref("b2"), keep="both"))
        bow = guide("g3", (-40, 60, -40), (0, -70, -40), (40, 60, -40))
        made = replace(made, guides=tuple(bow if g.id == "g3" else g for g in made.guides))
        made = change_body(made, "b2", shaped=replace(made.body("b2").shaped, length=80.0))
        whole, faces = self.areas(made)
        self.assertEqual(faces, 3)
        self.assertAlmostEqual(whole / WHOLE, 1.0, delta=1e-7)
        names = [f"piece {side} b1-k1{number} of (skin)" for side in ("behind", "before") for number in ("", " 2")]
        rest = dict[str, float]()
        for name in names:
            out = change_body(
                made, "b1", steps=(*made.body("b1").steps, KeepFaces(faces=refs(f"b1/face:{name}"), id="k2"))
            )
            found = checked(rebuild(out), self.supervisor)
            if not any(f["severity"] == "error" for f in found["findings"]):
                rest[name] = found["bodies"][0]["area_mm2"]
        self.assertEqual(len(rest), 3)
        self.assertAlmostEqual(sum(rest.values()) / WHOLE, 2.0, delta=1e-6)

    def test_taken_off_a_body(self) -> None:
        """Faces of a post left out, kept, and taken off as a skin that follows it."""
        post = stacked((0.0, 40.0, "circle", 30.0))
        side, end = 2.0 * math.pi * 15.0 * 40.0, math.pi * 225.0
        out = numbered("k", (KeepFaces(faces=refs("body/last")),))
        self.assertAlmostEqual(
            self.areas(replace(post, bodies=(replace(post.bodies[0], steps=out),)), "test body")[0],
            side + end,
            delta=0.02,
        )
        made = faces_taken(post, "body", refs("body/last", "body/first"))
        self.assertAlmostEqual(self.areas(made, "test body faces")[0], 2.0 * end, delta=0.01)
        wide = replace(
            made,
            bodies=(
                replace(made.bodies[0], stations=tuple(replace(s, chord=60.0) for s in made.bodies[0].stations)),
                made.bodies[1],
            ),
        )
        self.assertAlmostEqual(self.areas(wide, "test body faces")[0], 8.0 * end, delta=0.04)
        gone = replace(made, bodies=(replace(made.bodies[0], aside=True), made.bodies[1]))
        self.assertIn("set aside", str(checked(rebuild(gone), self.supervisor)["findings"]))
        with self.assertRaisesRegex(DesignError, "no faces"):
            faces_taken(post, "body", ())
