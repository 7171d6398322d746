"""Solids of random profiles, rails, ties, turns and ends: valid and watertight, or it is said why there is none."""

from __future__ import annotations

import random
import tempfile
import unittest
from pathlib import Path

from isotomon.design import bodies
from isotomon.design import loft_edits as e
from isotomon.design.guides import End, Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.inspect.quick import rebuild
from isotomon.solids.deliver import build, export
from tests.helpers import WithWorker, design, trials, volume_read

SECTIONS = [
    "circle",
    "ellipse:0.5",
    "rounded:0.7:0.15",
    "polygon:3",
    "polygon:4",
    "polygon:6",
    "star:4:0.6",
    "superellipse:0.8:3",
    "naca:2418",
    "naca:0012b",
]
WAYS = {"lead": (-1.0, 0.0), "trail": (1.0, 0.0), "upper": (0.0, 1.0), "lower": (0.0, -1.0)}


def combination(rng: random.Random) -> Design:
    """Two or three stations, up to three rails with bulges of their own, up to two ties, whole turns, and ends."""
    z = [0.0]
    for _ in range(rng.choice((1, 1, 2))):
        z.append(z[-1] + rng.uniform(40, 120))
    made = design([(p, rng.choice(SECTIONS), rng.uniform(40, 90), rng.uniform(-25, 25)) for p in z])
    for k, part in enumerate(rng.sample(sorted(WAYS), rng.choice((0, 0, 1, 2, 3)))):
        points = [GuidePoint(f"s{i}/{part}") for i in range(len(z))]
        if rng.random() < 0.4:
            x, y = (w * rng.uniform(0, 8) for w in WAYS[part])
            points.insert(1, GuidePoint(f"s0/{part}", x=x, y=y, z=z[1] / 2))
        guide = Guide(f"u{k}", f"guide {k}", "through", choices=("open",), points=tuple(points))
        made = e.add_rail(e.add_guide(made, guide), "body", guide.id)
    for _ in range(rng.choice((0, 0, 1, 2))):
        share = rng.random()
        made = e.add_tie(
            made, "body", tuple(End(f"s{i}", (share + rng.uniform(-0.06, 0.06)) % 1.0) for i in range(len(z)))
        )
    if rng.random() < 0.2:
        made = e.set_turns(made, "s1", rng.choice((-1, 1)))
    if rng.random() < 0.3:
        how, which = rng.choice(("square", "leaning")), rng.choice(("first", "last"))
        made = bodies.change_ending(
            made, "body", which, how=how, angle=rng.uniform(-0.3, 0.3), strength=rng.uniform(0, 40)
        )
    return made


COUNT = trials(200, 8)


class RandomSolids(WithWorker):
    """Combinations of everything a loft may have."""

    def test_each_is_sound_or_says_why_not(self) -> None:
        """Three in four and more are built: valid, watertight, of the field's volume to 1e-4, in another program's reader, too, which
        integrates by a fixed number of places (every fifth is read); the others are explained."""
        rng = random.Random(11)
        built, wrong, off = 0, [], []
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "body.step"
            for number in range(COUNT):
                quick = rebuild(combination(rng))
                errors = [f.text for f in quick.findings if f.severity == "error"]
                if errors:
                    wrong += [(number, text) for text in errors if len(text) <= 20]
                    continue
                assert quick.full is not None
                solid, volume = build(quick, self.supervisor), quick.full.body.volume
                built += 1
                if not (solid.valid and solid.watertight and abs(solid.volume / volume - 1.0) < 1e-4):
                    wrong.append((number, solid.valid, solid.watertight, solid.volume / volume - 1.0))
                if number % 5 == 0:
                    export(quick, self.supervisor, path)
                    off.append(volume_read(path) / volume - 1.0)
        self.assertEqual(wrong, [])
        self.assertGreaterEqual(built, 0.75 * COUNT)
        self.assertGreaterEqual(len(off), 0.125 * COUNT)
        self.assertLess(max(map(abs, off)), 1e-4)


if __name__ == "__main__":
    unittest.main()
