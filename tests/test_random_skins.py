"""Random sets of skins, sewn: what closes is a sound solid of the volume that its skins enclose; a planted gap is named with its size."""

from __future__ import annotations

import re
import unittest

import numpy as np
from scipy.spatial import cKDTree

from isotomon.design.body import Body
from isotomon.design.edits import replace
from isotomon.design.guides import Guide
from isotomon.design.records import Design
from isotomon.inspect.quick import rebuild
from isotomon.operations.sew import Sew
from isotomon.operations.skins.base import Making
from isotomon.operations.skins.between import BetweenCurves
from isotomon.operations.skins.filled import FillRun
from isotomon.operations.skins.net import NetSkin
from isotomon.quantity.record import Ref, refs
from isotomon.solids.checked import checked
from tests.helpers import WithWorker, enclosed, trials
from tests.test_made_skins import guide

Array = np.ndarray


def edge(key: str, a: Array, b: Array, bulge: Array) -> Guide:
    """A curve from corner to corner, bulging in its middle."""
    return guide(key, tuple(a), tuple((a + b) / 2.0 + bulge), tuple(b))


class RandomSkins(WithWorker):
    """Boxes, wedges and drums of skins with bulging edges."""

    def block(self, rng: np.random.Generator) -> tuple[tuple[Guide, ...], list[tuple[Ref, ...]], list[Making]]:
        """A box or a wedge: its edges, and the edges and the skin of each face."""
        count = int(rng.integers(3, 5))
        turn = 2.0 * np.pi * (np.arange(count) + rng.uniform(-0.15, 0.15, count)) / count
        ring = np.column_stack([50.0 * np.cos(turn), 50.0 * np.sin(turn)])
        corners = [
            np.column_stack([ring * rng.uniform(0.8, 1.1), np.full(count, z)]) + rng.uniform(-4, 4, (count, 3))
            for z in (-30.0, 30.0)
        ]
        made = list[Guide]()
        for k in range(count):
            for level in (0, 1):
                made.append(
                    edge(f"r{level}{k}", corners[level][k], corners[level][(k + 1) % count], rng.uniform(-5, 5, 3))
                )
            made.append(edge(f"p{k}", corners[0][k], corners[1][k], rng.uniform(-5, 5, 3)))
        faces = [tuple(refs(f"r0{k}", f"p{(k + 1) % count}", f"r1{k}", f"p{k}")) for k in range(count)]
        faces += [tuple(refs(*(f"r{level}{k}" for k in range(count)))) for level in (0, 1)]
        return tuple(made), faces, [self.skin(rng, face) for face in faces]

    def skin(self, rng: np.random.Generator, face: tuple[Ref, ...]) -> Making:
        """A net of four edges, or a filling of any."""
        if len(face) == 4 and rng.uniform() < 0.7:
            return NetSkin(along=refs(face[0], face[2]), across=refs(face[1], face[3]))
        return FillRun(curves=face)

    def drum(self, rng: np.random.Generator) -> tuple[tuple[Guide, ...], list[tuple[Ref, ...]], list[Making]]:
        """Between two closed curves, with a filling in each."""
        t = 2.0 * np.pi * np.arange(6) / 6
        rims = []
        for key, z in (("g1", 0.0), ("g2", 45.0)):
            r = rng.uniform(30.0, 40.0) * (1.0 + rng.uniform(-0.06, 0.06, 6))
            spots = np.column_stack([r * np.cos(t), r * np.sin(t), z + rng.uniform(-3.0, 3.0, 6)])
            rims.append(guide(key, *(tuple(p) for p in spots.tolist()), closed=True))
        faces = [tuple(refs("g1", "g2")), tuple(refs("g1")), tuple(refs("g2"))]
        return (
            tuple(rims),
            faces,
            [BetweenCurves(first=Ref("g1"), second=Ref("g2")), *(FillRun(curves=f) for f in faces[1:])],
        )

    def design(self, guides: tuple[Guide, ...], skins: list[Making]) -> Design:
        """All skins, sewn to the first."""
        made = [Body(f"b{k}", f"skin {k}", skin) for k, skin in enumerate(skins)]
        first = replace(made[0], steps=(Sew(id="k1", others=refs(*(b.id for b in made[1:])), within=0.01),))
        return Design("sewn", guides=guides, bodies=(first, *made[1:]))

    def test_sewn(self) -> None:
        """Half of them with a gap."""
        rng = np.random.default_rng(21)
        for number in range(trials(200, 4)):
            guides, faces, skins = (self.drum if number % 3 == 2 else self.block)(rng)
            with self.subTest(number=number, faces=faces, skins=[type(s).__name__ for s in skins]):
                if number % 2:
                    self.torn(rng, guides, faces, skins)
                else:
                    self.closed(self.design(guides, skins))

    def closed(self, made: Design) -> None:
        """A valid, watertight solid of the volume between its skins."""
        quick = rebuild(made)
        sheets = [q.sheet for q in (quick, *quick.others)]
        self.assertTrue(all(sheet is not None for sheet in sheets), [f.text for f in quick.findings])
        centre = np.mean([s.sheet.at(np.array([0.5]), np.array([0.5]))[0] for s in sheets if s], axis=0)
        whole = sum(enclosed(s.sheet, s.made.trim, centre) for s in sheets if s)
        found = checked(quick, self.supervisor)
        (row,) = found["bodies"]
        self.assertTrue(row["valid"] and row["watertight"], [f["text"] for f in found["findings"]])
        self.assertAlmostEqual(row["volume_mm3"] / whole, 1.0, delta=1e-4)

    def torn(
        self, rng: np.random.Generator, guides: tuple[Guide, ...], faces: list[tuple[Ref, ...]], skins: list[Making]
    ) -> None:
        """One skin has another curve in place of one that two share: both are named, and how far they are apart."""
        size = float(rng.uniform(0.2, 1.0))
        number = int(rng.integers(len(faces) - 2, len(faces)))
        key = faces[number][int(rng.integers(len(faces[number])))]
        own = next(g for g in guides if g.id == key)
        aside = tuple(replace(p, z=p.z + size) if k % 2 else p for k, p in enumerate(own.points))  # type: ignore[operator]
        moved = replace(own, id="torn", name="torn", points=aside)
        swapped = [ref if ref != key else Ref("torn") for ref in faces[number]]
        skin: Making = FillRun(curves=tuple(swapped))
        torn = self.design((*guides, moved), [skin if k == number else s for k, s in enumerate(skins)])
        quick = rebuild(torn)
        t = np.linspace(0.0, 1.0, 2001)
        truth = float(cKDTree(quick.guides[key].at(t)).query(quick.guides["torn"].at(t))[0].max())
        found = checked(quick, self.supervisor)
        row = next(r for r in found["bodies"] if r["name"] == "skin 0")
        self.assertFalse(row["watertight"])
        text = " ".join(f["text"] for f in found["findings"])
        told = re.search(r"are up to ([0-9.e-]+) mm apart", text)
        self.assertIsNotNone(told, text)
        assert told is not None
        self.assertAlmostEqual(float(told[1]) / truth, 1.0, delta=0.1)
        self.assertIn(f"skin {number}", text)


if __name__ == "__main__":
    unittest.main()
