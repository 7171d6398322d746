"""What comes back from measuring, for scripts and the command line: points held against a design, and taken from a machine. `isotomon.script` gives
it out."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import NamedTuple

import numpy as np

from isotomon.arrays import Array
from isotomon.delivering import Solids, results_of
from isotomon.design.disk import write_atomically
from isotomon.design.records import Design
from isotomon.errors import DesignError, MachineError
from isotomon.exchange.clouds import read_cloud
from isotomon.metrology.compare import AsMade, held_against
from isotomon.metrology.fit import Freedom
from isotomon.metrology.line import HOST, SECONDS, Server, probed
from isotomon.metrology.machine import AS_DESIGNED, USUAL_HABITS, Faults, Habits, machine
from isotomon.metrology.plan import probe_plan
from isotomon.metrology.target import named_places


def as_made(
    design: Design,
    points: str | Path | Array,
    unit: str = "",
    fit: Freedom = "turn",
    named: Mapping[str, Array] | str | Path | None = None,
    solids: Solids | None = None,
    body: str = "",
) -> AsMade:
    """A body held against points that were measured of it: a file (text, CSV, PLY, STL), or (n, 3) mm. `unit`: of the file, where it does not say it and
    it is not the design's; `fit`: none, shift, turn (shift and turn) or size (these and size); `named`: measured places, (3,) mm or a file of
    them, by names of datum points or `STATION leading`, `STATION trailing`; those that a file of points names so count without being asked. With
    `solids`, against the finished body.

    Raises: IsotomonError.
    """
    quick = results_of(design, solids, body)
    if isinstance(named, str | Path):
        named = read_cloud(Path(named), unit, design.unit).named
    if isinstance(points, str | Path):
        cloud = read_cloud(Path(points), unit, design.unit)
        known = named_places(quick)
        named = named or {name: place for name, place in cloud.named.items() if name in known}
        points = cloud.points
    return held_against(quick, points, fit, named, solids is not None)


class Probed(NamedTuple):
    """What a machine touched: (n, 3) mm; how many places it missed; and why it ended early, if it did."""

    points: Array
    missed: int
    problem: str


def probe(
    design: Design,
    port: int,
    host: str = HOST,
    around: int = 60,
    between: int = 2,
    seconds: float = SECONDS,
    body: str = "",
    told: Callable[[int, int], None] | None = None,
    stop: threading.Event | None = None,
) -> Probed:
    """Have a measuring machine touch a body round its stations, and `between` rows in each bay, in `around` places a row. `told` hears how many of how many
    have been tried. What was touched before the line was lost, or the machine hung, is given all the same.

    Raises: DesignError, for a body without stations.
    """
    plan = probe_plan(results_of(design, None, body), around, between)
    places, missed, problem = list[Array](), 0, ""
    try:
        for touched in probed(plan, port, host, seconds, stop):
            if touched.place is None:
                missed += 1
            else:
                places.append(touched.place)
            if told is not None:
                told(touched.number + 1, len(plan))
    except MachineError as error:
        problem = str(error)
    return Probed(np.array(places).reshape(-1, 3), missed, problem)


def simulated_machine(
    design: Design,
    habits: Habits = USUAL_HABITS,
    faults: Faults = AS_DESIGNED,
    port: int = 0,
    body: str = "",
    pause: float = 0.0,
) -> Server:
    """A simulated machine with a part of the design on it, for a `with` block; its `port` is then where it answers.

    Raises: DesignError.
    """
    return Server(machine(results_of(design, None, body), habits, faults), port, pause=pause)


def write_points(points: Array, path: str | Path) -> None:
    """Measured points (n, 3) mm as CSV.

    Raises: DesignError, where there are none; FileError.
    """
    if not len(points):
        raise DesignError("nothing was touched, so that there are no points to write")
    rows = "\n".join("{:.6f},{:.6f},{:.6f}".format(*row) for row in points.tolist())
    write_atomically(Path(path), f"# unit: mm\nx,y,z\n{rows}\n".encode())
