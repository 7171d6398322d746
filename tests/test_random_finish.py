"""Random bodies with random steps of Finish: each is built sound, with its volume checked by another mesh program, or refused in words,
with a size that works where a size is at fault."""

from __future__ import annotations

import math
import unittest

import numpy as np
import trimesh

from isotomon.design import bodies
from isotomon.design.records import Design
from isotomon.errors import IsotomonError, SizeError
from isotomon.inspect.quick import rebuild
from isotomon.kernel.protocol import Built, unpack
from isotomon.operations.base import Operation
from isotomon.operations.bevel import Bevel
from isotomon.operations.cut_off import CutOff
from isotomon.operations.hollow import Hollow
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.operations.row import Row
from isotomon.operations.shift import Shift
from isotomon.quantity.record import Ref, refs
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, design, trials

SECTIONS = (
    "circle",
    "polygon:3",
    "polygon:4",
    "polygon:6",
    "ellipse:0.6",
    "superellipse:0.8:3",
    "rounded:0.7:0.2",
    "star:5:0.7",
)
HIGH = 80.0
VOLUMES = 3e-3
"""By so much of the volume a display mesh may be off."""


def random_body(rng: np.random.Generator) -> Design:
    """Two to four stations of one kind of section, of changing size and angle."""
    section, count = str(rng.choice(SECTIONS)), int(rng.integers(2, 5))
    sizes = rng.uniform(40.0, 80.0, count)
    turns = np.cumsum(rng.uniform(0.0, 25.0, count))
    rows = [
        (float(z), section, float(s), float(a))
        for z, s, a in zip(np.linspace(0.0, HIGH, count), sizes, turns, strict=True)
    ]
    return design(rows)


def random_steps(rng: np.random.Generator) -> list[Operation]:
    """One to three steps, in any order."""
    size = float(rng.uniform(0.5, 8.0))
    edges = refs(str(rng.choice(["body/along", "body/last-rim", "body/first-rim", "body/all"])))
    offers: list[Operation] = [
        Round(edges=edges, radius=size),
        Bevel(edges=edges, width=size / 2.0),
        Hollow(wall=size / 2.0, last=bool(rng.integers(2))),
        CutOff(plane=Ref("xy"), offset=float(rng.uniform(10.0, 70.0)), keep=str(rng.choice(["behind", "before"]))),  # type: ignore[arg-type]
        CutOff(plane=Ref("yz"), offset=float(rng.uniform(-10.0, 10.0))),
        Shift(faces=refs("body/last"), by=size - 4.0),
        RoundAway(faces=refs("body/last")),
        Row(count=2, distance=120.0),
    ]
    return [offers[k] for k in rng.permutation(len(offers))[: int(rng.integers(1, 4))]]


class RandomFinish(WithWorker):
    """By seeds."""

    def test_sound_or_refused_in_words(self) -> None:
        """No traceback, no unsound body, and a size that is offered works."""
        for seed in range(trials(200, 3)):
            with self.subTest(seed=seed):
                self.outcome(seed)

    def outcome(self, seed: int) -> str:
        """What came of one of them: sound, refused, or mended by the size offered."""
        rng = np.random.default_rng(seed)
        made, steps = random_body(rng), random_steps(rng)
        for number, step in enumerate(steps):
            tried = bodies.add_step(made, "body", step)
            quick = rebuild(tried)
            errors = [f for f in quick.findings if f.severity == "error"]
            if errors:
                self.assertNotRegex(errors[0].text, "Error|Traceback|None")
                return "refused"
            try:
                built = build_all(quick, self.supervisor)["body"]
            except SizeError as error:
                self.assertRegex(str(error), "up to .* mm works|no .* was found")
                if not error.fits or number:
                    return "refused"
                smaller = bodies.change_step(tried, tried.body("body").steps[-1].id, **step.sized(error.fits))
                self.sound(build_all(rebuild(smaller), self.supervisor)["body"])
                return "mended"
            except IsotomonError as error:
                self.assertNotRegex(str(error), "Traceback|the geometry kernel cannot do this step")
                return "refused"
            self.sound(built)
            made = tried
        return "sound"

    def sound(self, built: Built) -> None:
        """Valid, watertight, and of the volume that another program finds within its mesh."""
        self.assertTrue(built.valid and built.watertight)
        mesh = trimesh.Trimesh(unpack(built.vertices), unpack(built.triangles))
        self.assertAlmostEqual(mesh.volume / built.volume, 1.0, delta=VOLUMES)
        self.assertFalse(math.isnan(built.volume))


if __name__ == "__main__":
    unittest.main()
