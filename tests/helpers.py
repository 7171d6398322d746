"""What tests share: bodies from short rows, and independent figures to hold against them."""

from __future__ import annotations

import math
import os
import signal
import unittest
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import quad

from isotomon.design.bodies import change_body, change_loft, leading
from isotomon.design.body import Body, Loft
from isotomon.design.edits import replace
from isotomon.design.law import Law
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.field.sheet import SkinSheet
from isotomon.field.trims import Trim
from isotomon.geometry.planar import cross3
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick, Shape
from isotomon.measure.sections import Curves, curves
from isotomon.operations import Step
from isotomon.profile.section_text import parse_section
from isotomon.samples import sample
from isotomon.solids.supervisor import Supervisor

Array = NDArray[np.float64]


def trials(long: int, short: int) -> int:
    """How many trials a random test makes: all in a long run, some in the usual one."""
    return long if os.environ.get("ISOTOMON_LONG") else short


_shared: list[Supervisor] = []


def shared_supervisor() -> Supervisor:
    """The one worker of this process's tests: to start another takes seconds."""
    if not _shared:
        _shared.append(Supervisor())
    return _shared[0]


def close_shared() -> None:
    """End the shared worker."""
    while _shared:
        _shared.pop().close()


class WithWorker(unittest.TestCase):
    """Tests that have solids built."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.supervisor = shared_supervisor()


def volumes_read(path: Path) -> list[float]:
    """mm³ of the solids in a STEP or IGES file, smallest first, by another program's reader."""
    return _sizes_read(path, 3)


def lengths_read(path: Path) -> list[float]:
    """mm of the curves in such a file, shortest first."""
    return _sizes_read(path, 1)


def _sizes_read(path: Path, dimension: int) -> list[float]:
    import gmsh

    gmsh.initialize(interruptible=False)
    try:
        gmsh.option.setNumber("General.Terminal", 0)
        gmsh.model.occ.importShapes(str(path))
        gmsh.model.occ.synchronize()
        return sorted(float(gmsh.model.occ.getMass(*entity)) for entity in gmsh.model.getEntities(dimension))
    finally:
        gmsh.finalize()
        # It takes the interrupt key for itself.
        signal.signal(signal.SIGINT, signal.default_int_handler)


def volume_read(path: Path) -> float:
    """mm³ of the one solid in such a file."""
    (found,) = volumes_read(path)
    return found


def full_vessel() -> Design:
    """The sample vessel before it is hollowed out."""
    return change_body(sample("kelp-steeper"), "body", steps=())


def body(
    key: str = "body",
    name: str = "body",
    stations: tuple[Station, ...] = (),
    laws: tuple[Law, ...] = (),
    steps: tuple[Step, ...] = (),
    **fields: Any,
) -> Body:
    """A body that is carried through stations; `fields` are its own or of how it is carried. Its steps get their ids."""
    carried = {k: v for k, v in fields.items() if k in Loft.__struct_fields__}
    own = {k: v for k, v in fields.items() if k not in carried}
    return Body(key, name, Loft(**carried), stations, laws, numbered(key, steps), **own)


def numbered(key: str, steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """A body's steps with ids."""
    return tuple(replace(step, id=f"{key}-k{n}") for n, step in enumerate(steps, 1))


def changed(design: Design, key: str = "", **fields: Any) -> Design:
    """The design with fields of a body (the leading one where none is said), or of how it is carried, said otherwise."""
    key = key or leading(design)
    fields = fields | ({"steps": numbered(key, fields["steps"])} if "steps" in fields else {})
    carried = {k: v for k, v in fields.items() if k in Loft.__struct_fields__}
    own = {k: v for k, v in fields.items() if k not in carried}
    return change_body(change_loft(design, key, **carried) if carried else design, key, **own)


def design(rows: Sequence[tuple[float, str, float, float]], ruled: bool = False, **fields: object) -> Design:
    """A design from (position, section, chord, set angle in degrees); `fields` go to every station."""
    stations = tuple(
        Station(f"s{i}", f"st{i}", z, parse_section(text), chord, math.radians(angle), **fields)
        for i, (z, text, chord, angle) in enumerate(rows)
    )
    return Design("test", bodies=(body("body", "test body", ruled=ruled, stations=stations),))


def results(
    rows: Sequence[tuple[float, str, float, float]], ruled: bool = False, **fields: object
) -> tuple[Quick, Shape]:
    """The quick results of such a design, with its shape."""
    quick = rebuild(design(rows, ruled, **fields))
    assert quick.shape is not None, quick.findings
    return quick, quick.shape


def curves_at(shape: Shape, v: Sequence[float]) -> Curves:
    """Curves of a shape at chosen places."""
    first = shape.field.sections(shape.field.nodes[:1])
    return curves(shape.field.sections(np.array(v, dtype=float)), first, shape.form.rule)


def naca_area(digits: str, blunt: bool) -> float:
    """∫ 2 y_t √(1 + y_c'²) dx for a chord of 1, by adaptive quadrature of the published equations."""
    m, p, t = int(digits[0]) / 100, int(digits[1]) / 10, int(digits[2:]) / 100
    last = 0.1015 if blunt else 0.1036

    def strip(x: float) -> float:
        half = 5 * t * (0.2969 * math.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - last * x**4)
        slope = 0.0 if not m else 2 * m / (p * p if x < p else (1 - p) ** 2) * (p - x)
        return 2 * half * math.sqrt(1 + slope * slope)

    pieces = [0.0, p, 1.0] if m else [0.0, 1.0]
    return sum(quad(strip, a, b, epsabs=1e-13, epsrel=1e-13)[0] for a, b in zip(pieces, pieces[1:], strict=False))


INNER = np.array([[4.0, 1.0, 1.0], [1.0, 4.0, 1.0], [1.0, 1.0, 4.0]]) / 6.0


def enclosed(sheet: SkinSheet, trim: Trim | None, centre: Array) -> float:
    """mm3 between a skin and a place that sees its outside from within, by the divergence theorem."""
    if trim is None:
        (u, by_u), (v, by_v) = sheet.u.gauss(8), sheet.v.gauss(8)
        square = cross3(sheet.grid(u, v, 1, 0), sheet.grid(u, v, 0, 1))
        return abs(float(by_u @ np.sum((sheet.grid(u, v) - centre) * square, axis=2) @ by_v)) / 3.0
    places, cells, _ = trim.triangles(0.01)
    corners = places[cells]
    u, v = np.einsum("pk,mkj->jpm", INNER, corners).reshape(2, -1)
    square = cross3(sheet.at(u, v, 1, 0), sheet.at(u, v, 0, 1))
    rate = np.sum((sheet.at(u, v) - centre) * square, axis=1).reshape(3, -1)
    sides = corners[:, 1:] - corners[:, :1]
    area = (sides[:, 0, 0] * sides[:, 1, 1] - sides[:, 0, 1] * sides[:, 1, 0]) / 2.0
    return abs(float((rate * np.abs(area)).sum())) / 9.0
