"""Damaged files for every reader: cut off, bits turned, pieces swapped, swollen, nested, of other types and encodings."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from isotomon.design.file import encode, load
from isotomon.design.imports import read_import
from isotomon.errors import IsotomonError
from isotomon.exchange.clouds import read_cloud
from isotomon.exchange.drawing_files import read_drawing
from isotomon.exchange.numbers import read_numbers
from isotomon.exchange.space_points import read_points
from isotomon.exchange.table import read_foil, read_table
from isotomon.inspect.quick import rebuild
from isotomon.profile.readymade import outline_of
from isotomon.profile.section import FromPoints, Outline
from isotomon.samples import SAMPLES, sample
from tests.walk_session import Hit

SECONDS = 4.0
"""No reader takes longer over a damaged small file, on a machine that does other things, too."""
SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60"><g transform="translate(1 2)">
<path d="M 10 10 L 60 10 C 70 20 70 30 60 40 A 5 5 0 0 1 50 45 Q 30 60 10 40 Z"/><circle cx="30" cy="25" r="6"/>
<path d="m1 1a5 5 0 0110 0h4v3z"/><polygon points="1,1 5,1 5,4"/></g></svg>"""
FOIL = "foil\n" + "\n".join(
    f"{x:.5f} {y:.5f}"
    for t in np.linspace(0, 2 * np.pi, 41)
    for x, y in [(0.5 + 0.5 * np.cos(t), 0.06 * np.sin(t) * (1 - 0.5 * np.cos(t)))]
)
TABLE = "station,position_mm,section,chord_mm,set_angle_deg\nroot,0,circle,60,0\nmid,100,naca:4418,120,20\ntip,300,polygon:5,70,2\n"
NUMBERS = "name,value,kind,note\nspan,1200,length,all of it\nlean,5 deg,angle,\nratio,0.4,ratio,\n"
POINTS = "# mm\n" + "\n".join(
    f"{30 * np.cos(t):.4f} {20 * np.sin(t):.4f} {50 + 5 * np.cos(t):.4f}" for t in np.linspace(0, 6.2, 24)
)
MEASURED = "# unit: in\nname,x,y,z\ntip,1,2,3\n,4.5,5,6\n" + ",1e0,2,3\n" * 9
SCANNED = b"ply\nformat ascii 1.0\ncomment unit mm\nelement vertex 3\n" + b"".join(
    b"property float %s\n" % axis for axis in (b"x", b"y", b"z")
)
SCANNED += b"end_header\n0 0 1.5\n1 0 0\n0 1 0\n"


def dxf() -> bytes:
    """A drawing as our own writer writes it."""
    from isotomon.exchange import dxf as writer
    from isotomon.profile import shapes
    from isotomon.profile.drawing import Drawing
    from isotomon.profile.shapes import Spot

    made = shapes.rectangle_corners(Drawing("g1", "box"), Spot(-20, -10), Spot(20, 10))
    return writer.write(shapes.circle(made, Spot(0, 0), Spot(5, 0)))


def sources() -> dict[str, tuple[str, bytes, Callable[[Path], object]]]:
    """Reader → (file name, a good file, what reads it)."""
    design = encode(sample(next(iter(SAMPLES))))

    def foil(path: Path) -> object:
        made: Outline = read_foil(path, "o1", "foil")
        return outline_of(FromPoints("o1"), {"o1": made})

    return {
        "svg": ("a.svg", SVG, lambda p: read_drawing(p, "mm")),
        "dxf": ("a.dxf", dxf(), lambda p: read_drawing(p, "mm")),
        "coordinates": ("a.dat", FOIL.encode(), lambda p: read_drawing(p, "mm")),
        "foil": ("b.dat", FOIL.encode(), foil),
        "table": ("a.csv", TABLE.encode(), read_table),
        "numbers": ("n.csv", NUMBERS.encode(), lambda p: read_numbers(p, "mm")),
        "points": ("p.txt", POINTS.encode(), lambda p: read_points(p, "mm")),
        "measured": ("m.csv", MEASURED.encode(), read_cloud),
        "scanned": ("m.ply", SCANNED, read_cloud),
        "body": ("b.stl", b"solid x\n" * 20, lambda p: read_import(p, "f1")),
        "design": ("a.isotomon", design, lambda p: rebuild(load(p), moving=True)),
    }


class Damage:
    """Makes damaged files of good ones; the same seed makes the same ones."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)

    def _cut(self, data: bytes) -> tuple[int, int]:
        a, b = sorted(self.rng.integers(0, len(data) + 1, 2).tolist())
        return a, b

    def __call__(self, data: bytes) -> bytes:
        """One random damage."""
        a, b = self._cut(data)
        way = int(self.rng.integers(12))
        if way == 0:
            return data[:a]
        if way == 1:
            flipped = bytearray(data)
            for at in self.rng.integers(0, len(data), 5).tolist():
                flipped[at] ^= 1 << int(self.rng.integers(8))
            return bytes(flipped)
        if way == 2:
            return data[:a] + data[b:]
        if way == 3:
            return data[:b] + data[a:]
        if way == 4:
            return data[:a] + data[a:b][::-1] + data[b:]
        if way == 5:
            return data[:a] + bytes(self.rng.integers(0, 256, 20).tolist()) + data[a:]
        if way == 6:
            return data.decode(errors="replace").encode("utf-16")
        if way == 7:
            return self._number(data)
        if way == 8:
            return data[:a] + b"(" * 3000 + data[a:]
        if way == 9 or (data[:1] == b"{" and way > 4):
            return self._typed(data)
        if way == 10:
            return data[:a] + data[a : min(b, a + 40)] * 400 + data[b:]
        return data.replace(b".", b",") if self.rng.random() < 0.5 else data[a:] + data[:a]

    def _number(self, data: bytes) -> bytes:
        """A number made another."""
        words = data.split(b" ")
        k = int(self.rng.integers(len(words)))
        odd = (b"nan", b"1e999", b"-1e308", b"5e-324", b"9" * 4000, b"0", b"1_0", b"0x1f", b"-0.0", b"1,5", b"\xd9\xa1")
        words[k] = odd[int(self.rng.integers(len(odd)))]
        return b" ".join(words)

    def _typed(self, data: bytes) -> bytes:
        """Of JSON: a value anywhere made another; of others: a line twice."""
        try:
            whole = json.loads(data)
        except ValueError:
            lines = data.split(b"\n")
            k = int(self.rng.integers(len(lines)))
            return b"\n".join([*lines[:k], lines[k], *lines[k:]])
        place = whole
        for _ in range(int(self.rng.integers(1, 7))):
            keys = list(place) if isinstance(place, dict) else list(range(len(place)))
            if not keys:
                break
            key = keys[int(self.rng.integers(len(keys)))]
            if not isinstance(place[key], dict | list) or self.rng.random() < 0.2:
                odd = (None, True, -1, 0, 1e15, 5e-324, "", "d9", [], {}, "fraction^2", 1e300, "s1/lead", 3)
                place[key] = odd[int(self.rng.integers(len(odd)))]
                break
            place = place[key]
        return json.dumps(whole).encode()


def walk(reader: str, seed: int, count: int, folder: Path) -> int:
    """How many of so many damaged files were refused, each in words and in time. Raises: Hit."""
    name, good, read = sources()[reader]
    path, damage, refused = folder / name, Damage(seed), 0
    for number in range(count):
        data = damage(good)
        path.write_bytes(data)
        begun, worked = time.monotonic(), time.process_time()
        try:
            read(path)
        except IsotomonError as error:
            refused += 1
            if not str(error):
                raise Hit(f"{reader} {seed}/{number}: refused without a word") from error
        except Exception as error:
            (folder / f"hit-{reader}-{seed}-{number}").write_bytes(data)
            raise Hit(f"{reader} {seed}/{number}: {type(error).__name__}: {error}") from error
        # What it took of this process tells more than the clock of a machine that may be busy.
        if time.process_time() - worked > SECONDS or time.monotonic() - begun > 10.0 * SECONDS:
            (folder / f"slow-{reader}-{seed}-{number}").write_bytes(data)
            raise Hit(f"{reader} {seed}/{number}: took {time.monotonic() - begun:.1f} s")
        if path.read_bytes() != data:
            raise Hit(f"{reader} {seed}/{number}: the file was changed")
    return refused
