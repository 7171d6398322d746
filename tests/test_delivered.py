"""What leaves the program, read back by other libraries."""

from __future__ import annotations

import math
import re
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np
import trimesh

from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.inspect.quick import rebuild
from isotomon.profile.section import Circle, Polygon
from isotomon.solids.deliver import ENDINGS, export
from tests.helpers import WithWorker, body, volumes_read

FRUSTUM = math.pi * 100.0 / 3.0 * (20.0**2 + 20.0 * 15.0 + 15.0**2)
PRISM = 60.0 * 30.0**2 / 2.0


def two_bodies() -> Design:
    """A frustum, rust-coloured and with a name that is not ASCII, and a square prism apart from it."""
    cone = (Station("s1", "foot", 0.0, Circle(), 40.0), Station("s2", "top", 100.0, Circle(), 30.0))
    bar = tuple(Station(f"t{k}", f"t{k}", 60.0 * k, Polygon(4), 30.0, offset_x=90.0) for k in (0, 1))
    return Design(
        "pair",
        bodies=(
            body("body", "Fuß", cone, ruled=True, colour="#B2451E"),
            body("b1", "bar", bar, ruled=True),
        ),
    )


class Bodies(WithWorker):
    """Two bodies in every form."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.kept = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.kept.cleanup)
        cls.folder, quick = Path(cls.kept.name), rebuild(two_bodies())
        for ending in ENDINGS:
            export(quick, cls.supervisor, cls.folder / f"pair{ending}")

    def test_meshes_hold_names_colours_units_and_volumes(self) -> None:
        """Another library finds both bodies watertight, of their volumes, each with its name and colour; 3MF says millimetres, and what
        glTF asks for, metres and Y up, comes of the bodies' transforms."""
        for form in ("3mf", "obj", "glb"):
            own = {"split_objects": True, "group_material": False} if form == "obj" else {}
            scene = trimesh.load_scene(self.folder / f"pair.{form}", **own)
            self.assertEqual(sorted(scene.geometry), ["Fuß", "bar"], form)
            for name, wanted in (("Fuß", FRUSTUM), ("bar", PRISM)):
                mesh = scene.geometry[name]
                if form == "obj":
                    self.assertEqual(mesh.visual.material.main_color[:3].tolist() == [178, 69, 30], name == "Fuß")
                if form == "glb":
                    self.assertEqual(mesh.visual.material.baseColorFactor[:3].tolist() == [178, 69, 30], name == "Fuß")
                mesh.merge_vertices(merge_tex=True, merge_norm=True)
                self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent, (form, name))
                self.assertAlmostEqual(mesh.volume / wanted, 1.0, delta=2.1e-3 if form == "glb" else 2.1e-4)
            if form == "glb":
                np.testing.assert_allclose(scene.bounds, [[-0.02, 0.0, -0.02], [0.105, 0.1, 0.02]], atol=1e-4)
            else:
                np.testing.assert_allclose(scene.bounds, [[-20.0, -20.0, 0.0], [105.0, 20.0, 100.0]], atol=0.05)
        self.assertEqual(trimesh.load_scene(self.folder / "pair.3mf").units, "millimeter")
        with zipfile.ZipFile(self.folder / "pair.3mf") as packed:
            model = packed.read("3D/3dmodel.model").decode()
        self.assertIn('<base name="Fuß" displaycolor="#B2451EFF"/>', model)

    def test_solids_hold_names_colours_and_layers(self) -> None:
        """STEP says names, the colour and the layer of solids; IGES holds two boundary representations of millimetres; and what a reader
        makes of both has the bodies' volumes."""
        step = (self.folder / "pair.step").read_text()
        self.assertEqual(step.count("MANIFOLD_SOLID_BREP("), 2)
        self.assertRegex(step, r"PRESENTATION_LAYER_ASSIGNMENT\('solids'")
        shades = {tuple(round(float(x) ** (1 / 2.2), 1) for x in found) for found in re.findall(COLOUR, step)}
        self.assertEqual(len(shades), 2)
        self.assertIn("'bar'", step)
        iges = (self.folder / "pair.iges").read_text()
        self.assertIn("2HMM", iges)
        self.assertEqual(len(re.findall(r"^     186 .*D", iges, re.M)), 4)
        for ending in ("step", "iges", "igs"):
            np.testing.assert_allclose(volumes_read(self.folder / f"pair.{ending}"), (PRISM, FRUSTUM), rtol=1e-6)


COLOUR = r"COLOUR_RGB\('[^']*',([^,]+),([^,]+),([^)]+)\)"


if __name__ == "__main__":
    unittest.main()
