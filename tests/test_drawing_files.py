"""Drawings through DXF, SVG and coordinate text, and files that are damaged, huge or hostile."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

import ezdxf
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.errors import DesignError, FileError
from isotomon.exchange.drawing_files import read_drawing, write_drawing
from isotomon.exchange.pieces import MOST_PIECES
from isotomon.exchange.space_points import read_points, section_in_space
from isotomon.geometry.planar import signed_area
from isotomon.profile import shapes
from isotomon.profile.change import break_at
from isotomon.profile.drawing import Arc, CirclePart, Curve, Drawing, Line, Oval, check_drawing
from isotomon.profile.drawn import figures_of
from isotomon.profile.loops import find_runs
from isotomon.profile.shapes import Spot

EMPTY = Drawing("g1", "files")


def samples() -> dict[str, Drawing]:
    """Closed drawings of every kind of part."""
    half = shapes.ellipse(EMPTY, Spot(1, 2), Spot(31, 2), Spot(1, 14))
    blob = tuple(
        Spot(20 * math.cos(a) * (1.2 + math.sin(3 * a) / 4), 20 * math.sin(a))
        for a in np.linspace(0, 2 * math.pi, 9)[:-1].tolist()
    )
    upright = shapes.ellipse(EMPTY, Spot(0, 0), Spot(0, 9), Spot(4, 0))
    return {
        "slot": shapes.slot(EMPTY, Spot(0, 0), Spot(20, 0), Spot(3, 5)),
        "oval": break_at(half, "e1", np.array([31.0, 2.0])),
        "upright": break_at(upright, "e1", np.array([0.0, 9.0])),
        "ring": shapes.circle(EMPTY, Spot(3, 4), Spot(9, 4)),
        "curve": shapes.curve(EMPTY, blob, closed=True),
        "spline": shapes.spline(EMPTY, blob, closed=True),
    }


def area(drawing: Drawing) -> float:
    runs = find_runs(drawing)
    assert runs.outer is not None, runs.findings
    return figures_of(runs.outer).area


class DrawingFiles(unittest.TestCase):
    def setUp(self) -> None:
        self.scratch = tempfile.TemporaryDirectory()
        self.folder = Path(self.scratch.name)

    def tearDown(self) -> None:
        self.scratch.cleanup()

    def file(self, name: str, text: str | bytes) -> Path:
        path = self.folder / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    def test_round_trips_keep_curves(self) -> None:
        """Every kind of part comes back from DXF and SVG as a curve of the same area, not as chords."""
        for name, drawing in samples().items():
            for ending in ("dxf", "svg"):
                with self.subTest(name, ending=ending):
                    path = self.folder / f"{name}.{ending}"
                    write_drawing(drawing, path)
                    back = check_drawing(read_drawing(path, "mm").drawing)
                    self.assertAlmostEqual(area(back), area(drawing), delta=1e-6 * area(drawing))
                    self.assertLess(len(back.parts), 12)

    def test_an_independent_reader_of_dxf(self) -> None:
        """The DXF library's own flattening of what we wrote has the drawing's area."""
        for name, drawing in samples().items():
            with self.subTest(name):
                write_drawing(drawing, self.folder / "a.dxf")
                space = ezdxf.readfile(self.folder / "a.dxf").modelspace()
                runs = [np.array([(p.x, p.y) for p in ezdxf.path.make_path(e).flattening(1e-5)]) for e in space]
                loop = runs.pop(0)
                while runs:
                    gaps = [
                        (min(np.hypot(*(loop[-1] - r[0])), np.hypot(*(loop[-1] - r[-1]))), k)
                        for k, r in enumerate(runs)
                    ]
                    piece = runs.pop(min(gaps)[1])
                    flip = np.hypot(*(loop[-1] - piece[0])) > np.hypot(*(loop[-1] - piece[-1]))
                    loop = np.vstack([loop, piece[::-1] if flip else piece])
                self.assertAlmostEqual(
                    abs(float(signed_area(loop))), area(drawing), delta=4e-4 * area(drawing)
                )  # it flattens arcs by way of cubics

    def test_coordinates(self) -> None:
        """Coordinate text is read in its own unit, with corners kept, and written so that it comes back."""
        path = self.file("box.txt", "a box\n# cm\n0 0\n4, 0\n4;3\n0 3\n0 0\n")
        found = read_drawing(path, "m")
        self.assertAlmostEqual(area(found.drawing), 1200.0, delta=1e-9)
        self.assertEqual([type(p) for p in found.drawing.parts], [Line] * 4)
        write_drawing(samples()["slot"], self.folder / "slot.dat")
        back = read_drawing(self.folder / "slot.dat", "mm").drawing
        self.assertAlmostEqual(area(back), 200 + 25 * math.pi, delta=0.02)
        self.assertTrue(any(isinstance(p, Curve) for p in back.parts))

    def test_dxf_units_bulges_and_what_is_left_out(self) -> None:
        """Inches are read as such; bulges become arcs; texts and blocks are counted, not followed."""
        document = ezdxf.new("R2010")
        document.header["$INSUNITS"] = 1
        space = document.modelspace()
        space.add_lwpolyline([(0, 0, 1.0), (2, 0, 0.0), (2, 1, 0.0), (0, 1, 0.0)], format="xyb", close=True)
        space.add_text("note")
        space.add_point((5, 5))
        document.saveas(self.folder / "p.dxf")
        found = read_drawing(self.folder / "p.dxf", "mm")
        self.assertIn("read in in; left out: 1 × TEXT", found.said)
        self.assertAlmostEqual(area(found.drawing), (2 + math.pi / 2) * 25.4**2, delta=1e-6)
        self.assertEqual(sum(isinstance(p, Arc) for p in found.drawing.parts), 1)

    def test_svg_commands_and_transforms(self) -> None:
        """Relative and absolute commands, smooth cubics, squeezed circles and page units come out at their true size."""
        text = (
            '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 200 100">'
            '<g transform="translate(10 10) scale(2)"><path d="m0 0h10v5l-10 0z"/></g></svg>'
        )
        found = read_drawing(self.file("a.svg", text), "mm").drawing
        self.assertAlmostEqual(area(found), 10 * 5, delta=1e-9)
        squeezed = '<svg width="10mm" viewBox="0 0 10 10"><circle cx="1" cy="2" r="3" transform="rotate(30) scale(2 1)"/></svg>'
        oval = read_drawing(self.file("b.svg", squeezed), "mm").drawing
        self.assertIsInstance(oval.parts[0], Oval)
        self.assertAlmostEqual(area(oval), 18 * math.pi, delta=1e-9)
        arc = '<svg width="10mm" viewBox="0 0 10 10"><path d="M3 0a3 3 0 1 1-6 0 3 3 0 0 1 6 0z"/></svg>'
        round_ = read_drawing(self.file("c.svg", arc), "mm").drawing
        self.assertAlmostEqual(area(round_), 9 * math.pi, delta=1e-9)
        ring = read_drawing(
            self.file("d.svg", '<svg width="1in" viewBox="0 0 1 1"><circle r="2"/></svg>'), "mm"
        ).drawing
        self.assertIsInstance(ring.parts[0], CirclePart)
        self.assertAlmostEqual(area(ring), 4 * math.pi * 25.4**2, delta=1e-6)

    def test_bad_files_say_what_is_wrong(self) -> None:
        """Truncated, huge, hostile and nonsensical files each get their own words; nothing else is opened."""
        write_drawing(samples()["curve"], self.folder / "good.dxf")
        good = (self.folder / "good.dxf").read_bytes()
        secret = self.file("secret.txt", "17 4")
        tiny = "\n".join(f"{k * 1e-3} {math.sin(k)}" for k in range(MOST_PIECES + 2))
        path = " ".join(f"L{k % 7} {k % 11}" for k in range(MOST_PIECES + 9))
        cases = {
            "cut.dxf": (good[: len(good) // 40], "DXF|no lines"),
            "not.dxf": (b"\x00\x01binary", "not a DXF"),
            "cut.svg": (b"<svg><path d='M0 0 L1", "cannot be read as SVG"),
            "bomb.svg": (b'<!DOCTYPE svg [<!ENTITY a "b">]><svg>&a;</svg>', "entities"),
            "outside.svg": (
                f'<!DOCTYPE svg [<!ENTITY x SYSTEM "file://{secret}">]><svg>&x;</svg>'.encode(),
                "entities",
            ),
            "deep.svg": (b"<svg>" + b"<g>" * 200 + b"</g>" * 200 + b"</svg>", "nested"),
            "far.svg": (b'<svg><path d="M0 0 L1e300 5"/></svg>', "beyond any drawing"),
            "path.svg": (b'<svg><path d="M0 0 C1 2"/></svg>', "breaks off"),
            "many.svg": (f'<svg><path d="M0 0 {path}"/></svg>'.encode(), "more than"),
            "use.svg": (
                b'<svg><image href="http://127.0.0.1:9/x.png"/><use href="#a"/></svg>',
                "left out: 1 × image, 1 × use",
            ),
            "words.txt": (b"0 0\n1 0\none two\n", "line 3"),
            "few.txt": (b"0 0\n1 0\n", "three or more"),
            "many.txt": (tiny.encode(), "thin them out"),
            "bytes.dat": (b"\xff\xfe\x00", "not a text file"),
            "huge.svg": (
                b'<svg><g transform="' + b"scale(1e8) " * 60 + b'"><path d="M0 0h1v1z"/></g></svg>',
                "its transforms",
            ),
            "far.txt": (b"0 0\n1 0\n1e9 1\n", "check its units"),
        }
        for name, (data, words) in cases.items():
            with self.subTest(name), self.assertRaisesRegex(FileError, words):
                read_drawing(self.file(name, data), "mm")
        with self.assertRaisesRegex(FileError, "ending"):
            write_drawing(samples()["slot"], self.folder / "a.pdf")

    @settings(max_examples=150, deadline=None, derandomize=True)
    @given(st.binary(max_size=400), st.integers(0, 4000), st.sampled_from(["dxf", "svg", "txt"]))
    def test_damage_never_breaks_the_reader(self, noise: bytes, at: int, ending: str) -> None:
        """Whatever is written over a good file, it is read or refused in words."""
        write_drawing(samples()["slot"], self.folder / f"g.{ending if ending != 'txt' else 'dat'}")
        good = (self.folder / f"g.{ending if ending != 'txt' else 'dat'}").read_bytes()
        place = at % len(good)
        path = self.file(f"damaged.{ending}", good[:place] + noise + good[place + len(noise) :])
        try:
            check_drawing(read_drawing(path, "mm").drawing)
        except FileError as error:
            self.assertTrue(str(error))


class SpacePoints(unittest.TestCase):
    def test_a_plane_is_fitted_and_the_section_lies_in_it(self) -> None:
        """Points of a tilted circle, a little off their plane, give its plane, its area and the distance off it."""
        angle = 2 * np.pi * np.arange(48) / 48
        a, b = math.radians(12.0), math.radians(-7.0)
        across = np.array([math.cos(b), 0.0, -math.sin(b)])
        up = np.array([math.sin(b) * math.sin(a), math.cos(a), math.cos(b) * math.sin(a)])
        points = np.array([3.0, 4.0, 120.0]) + 30 * (np.cos(angle)[:, None] * across + np.sin(angle)[:, None] * up)
        points += 0.01 * (-1.0) ** np.arange(48)[:, None] * np.cross(across, up)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "ring.xyz"
            path.write_text("ring\n# cm\n" + "\n".join(" ".join(f"{c / 10:.12f}" for c in p) for p in points))
            found = section_in_space(read_points(path, "mm"), "ring")
            self.assertLess(max(abs(found.tilt_x - a), abs(found.tilt_y - b)), 1e-3)
            self.assertAlmostEqual(found.off, 0.01, delta=1e-3)
            self.assertAlmostEqual(area(found.drawing), 900 * math.pi, delta=0.5)
            for text, words in (
                ("1 2\n" * 5, "2 numbers"),
                ("1 2 3\n" * 3, "four or more"),
                ("1 2 3\n4 5 x\n", "line 2"),
            ):
                path.write_text(text)
                with self.assertRaisesRegex(FileError, words):
                    read_points(path, "mm")
        with self.assertRaisesRegex(DesignError, "one line"):
            section_in_space(np.outer(np.arange(6.0), [1.0, 2.0, 3.0]), "line")
