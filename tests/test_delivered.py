"""What leaves the program, read back by other libraries."""

from __future__ import annotations

import math
import re
import tempfile
import unittest
import zipfile
from functools import partial
from pathlib import Path

import ezdxf
import msgspec
import numpy as np
import trimesh

from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError
from isotomon.exchange.deliveries import write_made
from isotomon.inspect.quick import rebuild
from isotomon.paper.delivery import Requested, make
from isotomon.profile.section import Circle, Polygon
from isotomon.samples import sample
from isotomon.solids.deliver import ENDINGS, export, export_wires
from tests.helpers import WithWorker, body, lengths_read, volumes_read
from tests.test_guides import made as guide

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


def wired() -> Design:
    """A round and a square station, a helix of three turns with a name that layers cannot have, and a guide through points."""
    stations = (Station("s1", "foot", 0.0, Circle(), 40.0), Station("s2", "top", 100.0, Polygon(4), 30.0))
    points = (GuidePoint(x=20.0), GuidePoint(x=24.0, z=50.0), GuidePoint(x=12.0, z=100.0))
    guides = (
        msgspec.structs.replace(
            guide("helix", ("z",), {"Radius": 25.0, "Turns": 3.0, "Height": 80.0}, choices={"Worked out": "pitch"}),
            id="u1",
            name="turns: 3",
        ),
        Guide("u2", "side", "through", choices=("open",), points=points),
    )
    return Design("wired", bodies=(body("body", "body", stations),), guides=guides)


class Wires(WithWorker):
    """Guides and sections as curves in space."""

    def test_other_readers_find_the_same_curves(self) -> None:
        """DXF holds splines on layers by what they are and are called, whose places lie on the guides and on the body's own sections; STEP and
        IGES hold curves of the lengths that a helix, a circle and a square have."""
        quick = rebuild(wired())
        made = make(quick, Requested("wireframe"), "2026-12-02")
        self.assertEqual(len(made.pages), 1)
        with tempfile.TemporaryDirectory() as kept:
            files = {ending: Path(kept) / f"curves{ending}" for ending in made.endings}
            for file in files.values():
                write_made(made, file, partial(export_wires, self.supervisor))
            found = dict[str, np.ndarray]()
            for spline in ezdxf.readfile(files[".dxf"]).modelspace().query("SPLINE"):
                places = np.array([*spline.construction_tool().approximate(400)])
                found[spline.dxf.layer] = np.vstack([found.get(spline.dxf.layer, np.zeros((0, 3))), places])
            self.assertEqual(set(found), {"guides turns_ 3", "guides side", "sections foot", "sections top"})
            helix = found["guides turns_ 3"]
            turn = 3.0 * math.tau * helix[:, 2] / 80.0
            np.testing.assert_allclose(helix[:, :2], 25.0 * np.column_stack([np.cos(turn), np.sin(turn)]), atol=1e-4)
            np.testing.assert_allclose(np.hypot(*found["sections foot"][:, :2].T), 20.0, atol=1e-4)
            side = quick.guides["u2"].at(np.linspace(0.0, 1.0, 4001))
            off = np.linalg.norm(found["guides side"][:, None] - side, axis=2).min(axis=1)
            self.assertLess(off.max(), 0.02)
            wanted = [math.hypot(80.0, 3.0 * math.tau * 25.0), *[math.tau * 5.0] * 4, *[30.0 / math.sqrt(2.0)] * 4]
            for ending in (".step", ".iges"):
                lengths = lengths_read(files[ending])
                np.testing.assert_allclose(sorted([*wanted, quick.guides["u2"].length]), lengths, rtol=2e-6)
            text = files[".step"].read_text()
            self.assertIn("PRODUCT('turns: 3'", text)
            self.assertRegex(text, r"PRESENTATION_LAYER_ASSIGNMENT\('sections'")

    def test_what_has_no_curves_is_told(self) -> None:
        """A body without stations or guides; a place that is not on the body."""
        with self.assertRaisesRegex(DesignError, "neither guides nor stations"):
            make(rebuild(sample("compass-rose")), Requested("wireframe"), "2026-12-02")
        with self.assertRaisesRegex(DesignError, "is not on body"):
            make(rebuild(wired()), Requested("wireframe", stations=("140 mm",)), "2026-12-02")


COLOUR = r"COLOUR_RGB\('[^']*',([^,]+),([^,]+),([^)]+)\)"


if __name__ == "__main__":
    unittest.main()
