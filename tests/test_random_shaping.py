"""Random bodies of one profile or two, shaped in every way: each is sound or says why not."""

from __future__ import annotations

import math
import random
import unittest

from isotomon.design.body import Along, Carrying, Span, Wall
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.operations import Step
from isotomon.operations.mirror import Mirror
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.operations.row import Row
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Ellipse, Naca4, Polygon, Rounded, Section, Star, Superellipse
from isotomon.profile.shapes import Spot, line, rectangle_corners
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, body, trials

SOLIDS = 8
"""So many of the sound ones are built."""


def guides(r: random.Random) -> tuple[Guide, ...]:
    """A path, a helix, a curve beside them and an oval."""
    wander = tuple(GuidePoint(x=r.uniform(-60, 60), y=r.uniform(-60, 60), z=40.0 * k) for k in range(r.randint(3, 5)))
    oval = tuple(
        GuidePoint(x=r.uniform(50, 80) * math.cos(k * math.tau / 8), y=r.uniform(50, 80) * math.sin(k * math.tau / 8))
        for k in range(8)
    )
    beside = tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in ((80.0, 0.0, 0.0), (90.0, 20.0, 60.0), (80.0, 40.0, 120.0)))
    winding = (r.uniform(20, 60), r.uniform(10, 60), r.uniform(0.5, 3), 60.0, 0.0, 0.0, 0.0, 0.0, 20.0, 0.0, 10.0)
    return (
        Guide("u1", "path", "through", (), (), (r.choice(["open", "closed"]),), wander),
        Guide("u2", "helix", "helix", ("z",), winding, ("height", r.choice(["right", "left"]), "constant", "straight")),
        Guide("u3", "beside", "through", (), (), ("open",), beside),
        Guide("u4", "oval", "through", (), (), ("closed",), oval),
    )


def carrying(r: random.Random) -> Carrying:
    how = r.choice(["straight", "plane", "path", "path", "path", "axis", "axis"])
    on = {
        "straight": "",
        "plane": r.choice(["xy", "yz", "zx"]),
        "path": r.choice(["u1", "u2", "u4"]),
        "axis": r.choice("xyz"),
    }
    hold = r.choice(["least", "fixed", "up", "curve", "axis", "skin"])
    toward = {"curve": "u3", "skin": r.choice(["xy", "zx"])}.get(hold, r.choice("xyz"))
    return Carrying(
        how,  # type: ignore[arg-type]
        on[how],
        r.uniform(30, 80),
        hold,  # type: ignore[arg-type]
        toward,
        r.choice(["", "", "xy", "zx"]) if how in ("path", "axis") else "",
        r.random() < 0.3,
        r.choice(["refused", "rounded", "mitred"]),  # type: ignore[arg-type]
        rim=r.choice(["", "u4"]) if how == "axis" else "",
        sized=r.choice(["across", "whole"]),  # type: ignore[arg-type]
    )


def steps(r: random.Random) -> tuple[Step, ...]:
    every: list[Step] = [
        Move(x=10.0, turn=0.4),
        Resize(r.uniform(0.5, 2.0)),
        Mirror(),
        Ring(count=r.randint(2, 5)),
        Row(r.choice(["x", "u1"]), 3, r.uniform(0.0, 80.0)),
    ]
    return tuple(r.sample(every, r.choice([0, 0, 0, 1, 2])))


def design(r: random.Random) -> Design:
    """A random body."""
    box = rectangle_corners(Drawing("g1", "box"), Spot(-12.0, -8.0), Spot(r.uniform(15, 40), r.uniform(10, 30)))
    angle = line(line(Drawing("g2", "angle"), Spot(5.0, 0.0), Spot(5.0, 30.0)), Spot(5.0, 30.0), Spot(30.0, 25.0))
    sections: list[Section] = [Circle(), Polygon(r.choice([3, 4, 6])), Rounded(r.uniform(0.3, 1.5), 0.1), Naca4("2412")]
    sections += [Ellipse(r.uniform(0.3, 1.2)), Superellipse(0.8, 3.0), Star(5, 0.5), Drawn("g1"), Drawn("g2")]
    carrier = carrying(r)
    turned = carrier.how == "axis"
    reach = r.uniform(0.2, 3.0) if turned else r.uniform(5.0, 150.0)
    span = Span(on=reach, back=0.2 if turned else 10.0, ends=r.choice(["flat", "round"]))  # type: ignore[arg-type]
    if carrier.how in ("path", "axis") and r.random() < 0.6:
        span = Span(whole=True)
    along = r.choice(
        [
            Along(),
            Along(),
            Along(turn=r.uniform(-6.0, 6.0)),
            Along(width=r.uniform(0.3, 2.0), height="1 + 0.3 * sin(360 deg * fraction)"),
            Along(draft=r.uniform(-0.2, 0.2)),
            Along(keep_area=True, width=2.0),
        ]
    )
    wall = r.choice([None, None, Wall(r.uniform(0.5, 4.0), r.choice(["inside", "middle", "outside"]))])  # type: ignore[arg-type]
    stations = tuple(
        Station(
            f"s{k}",
            f"s{k}",
            (0.3 if turned else 30.0) * k,
            r.choice(sections),
            r.uniform(5.0, 30.0),
            r.uniform(-1.0, 1.0),
        )
        for k in range(r.choice([1, 1, 1, 2]))
    )
    carried = {"carrier": carrier, "span": span, "along": along, "wall": wall, "shut": r.random() < 0.3}
    made = body(stations=stations, steps=steps(r), **carried)
    return Design("random", tolerance=1e-3, drawings=(box, angle), guides=guides(r), bodies=(made,))


class RandomShaping(WithWorker):
    """Nothing that can be asked for breaks it."""

    def test_each_is_sound_or_says_why_not(self) -> None:
        """Random bodies: every one is rebuilt, or refused in words; of the sound ones, solids of the field's volume."""
        sound: list[tuple[int, Design]] = []
        for seed in range(trials(110, 14)):
            made = design(random.Random(seed))
            try:
                quick = rebuild(made)
            except IsotomonError as error:
                self.assertGreater(len(str(error)), 20)
                continue
            for finding in quick.findings:
                self.assertGreater(len(finding.text), 20, seed)
            if quick.shape is None:
                self.assertTrue(quick.findings, seed)
            elif not any(f.severity == "error" for f in quick.findings):
                sound.append((seed, made))
        self.assertGreater(len(sound), trials(12, 3))
        for seed, made in sound[: trials(SOLIDS, 3)]:
            quick = rebuild(made)
            try:
                built = build_all(quick, self.supervisor)["body"]
            except IsotomonError as error:
                self.assertIn("resized unevenly", str(error), seed)
                continue
            self.assertTrue(built.valid and (built.watertight or not built.pieces), seed)
            if built.pieces:
                self.assertAlmostEqual(built.volume / quick.volume, 1.0, delta=1e-4, msg=str(seed))


if __name__ == "__main__":
    unittest.main()
