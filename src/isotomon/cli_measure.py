"""Commands of the command line about parts as they were made."""

from __future__ import annotations

import argparse
import math
import sys
import time
from contextlib import nullcontext
from pathlib import Path
from typing import Any

from isotomon.cli_deliver import of_design, points_options
from isotomon.design.disk import refuse_same
from isotomon.errors import FileError, MachineError


def add_measure_parsers(commands: Any) -> None:
    """The parsers of `as-made`, `probe` and `machine`; `commands`: where sub-parsers are added."""
    made = of_design(commands, "as-made", _as_made, "hold measured points against a design")
    made.add_argument("points", type=Path, metavar="POINTS.csv|.txt|.xyz|.ply|.stl", help="what was measured")
    points_options(made)
    made.add_argument("--named", type=Path, metavar="FILE", help="measured places with names that the design knows")
    made.add_argument("--body", default="", metavar="NAME", help="which body (default: the one with most stations)")
    made.add_argument("--shaped", action="store_true", help="against the body as it is shaped: no solids are built")
    made.add_argument("--out", type=Path, metavar="FILE.pdf|.html|.csv", help="what is told, as a file")
    probe = of_design(commands, "probe", _probe, "have a measuring machine touch a body, and write the points")
    probe.add_argument("file", type=Path, metavar="FILE.csv", help="where the points go")
    probe.add_argument("--port", type=int, metavar="N", help="of the machine, on this computer")
    probe.add_argument("--around", type=int, default=60, metavar="N", help="places round each section (default: 60)")
    probe.add_argument("--between", type=int, default=2, metavar="N", help="rows between stations (default: 2)")
    probe.add_argument("--seconds", type=float, default=5.0, metavar="S", help="to wait for an answer (default: 5)")
    probe.add_argument("--body", default="", metavar="NAME", help="which body (default: the one with most stations)")
    _machine_parser(commands)


def _machine_parser(commands: Any) -> None:
    machine = of_design(commands, "machine", _machine, "a simulated measuring machine with a part of the design on it")
    machine.add_argument("--port", type=int, default=0, metavar="N", help="where it answers (default: a free one)")
    for name, usual, metavar, words in (
        ("accuracy", 0.01, "MM", "standard deviation of a touch (default: 0.01)"),
        ("bias", 0.0, "MM", "what all touches are too far out"),
        ("drift", 0.0, "MM", "how far it drifts in a thousand touches"),
        ("missing", 0.0, "SHARE", "of the part that it cannot touch"),
        ("pause", 0.0, "S", "that each touch takes"),
        ("chord", 0.0, "SHARE", "by which the part's chords are larger than designed"),
        ("twist", 0.0, "DEG", "by which it is turned more than designed"),
    ):
        machine.add_argument(f"--{name}", type=float, default=usual, metavar=metavar, help=words)
    machine.add_argument("--twist-from", default="", metavar="STATION", help="from which on it is turned more")
    machine.add_argument("--dent", default="", metavar="X,Y,Z,DEEP,WIDE", help="a dent pressed in there, mm")
    machine.add_argument("--seed", type=int, default=1, metavar="N", help="of its chances")
    machine.add_argument("--lose", type=int, default=0, metavar="N", help="touches after which it drops the line once")
    machine.add_argument("--hang", type=int, default=0, metavar="N", help="touches after which it answers nothing")
    machine.add_argument("--body", default="", metavar="NAME", help="which body (default: the one with most stations)")


def _as_made(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.paper.as_made import fit_words, made_tables
    from isotomon.quantity.table import said

    if options.out is not None:
        refuse_same(options.out, options.design)
        refuse_same(options.out, options.points)
    design = script.load(options.design)
    with nullcontext() if options.shaped else script.Solids() as solids:
        made = script.as_made(design, options.points, options.unit, options.fit, options.named, solids, options.body)
    print(fit_words(made))
    for table in made_tables(made)[:2]:
        print(f"\n{table.title}")
        rows = [[c.title for c in table.columns], *([said(cell) for cell in row] for row in table.rows)]
        widths = [max(map(len, column)) for column in zip(*rows, strict=True)]
        print("\n".join("  ".join(cell.ljust(w) for cell, w in zip(row, widths, strict=True)).rstrip() for row in rows))
    print()
    for finding in made.findings:
        print(f"{finding.where}: {finding.text}")
    if options.out is not None:
        for path in script.deliver(design, "as-made", options.out, body=options.body, made=made):
            print(path)
    return 1 if any(f.severity in ("error", "band") for f in made.findings) else 0


def _probe(options: argparse.Namespace) -> int:
    from isotomon import script

    if options.port is None or not 1 <= options.port <= 65535:
        raise MachineError(
            "say at which port of this computer the machine answers: --port 1 to 65535; `isotomon machine` starts a simulated one"
        )
    if not 0.01 <= options.seconds <= 3600.0:
        raise MachineError(f"{options.seconds:g} s cannot be waited for; use 0.01 to 3600")
    refuse_same(options.file, options.design)
    design = script.load(options.design)

    def told(done: int, count: int) -> None:
        if done == count or done % 200 == 0:
            print(f"{done} of {count}", file=sys.stderr, flush=True)

    found = script.probe(
        design,
        options.port,
        around=options.around,
        between=options.between,
        seconds=options.seconds,
        body=options.body,
        told=told,
    )
    if len(found.points):
        script.write_points(found.points, options.file)
        print(f"{options.file}: {len(found.points):,} points, {found.missed:,} places missed")
    if found.problem:
        raise MachineError(found.problem)
    return 0


def _machine(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.metrology.machine import Dent, Faults, Habits

    dents: tuple[Dent, ...] = ()
    if options.dent:
        try:
            x, y, z, deep, wide = (float(cell) for cell in options.dent.split(","))
        except ValueError:
            raise FileError(f"'{options.dent}' is no dent; write X,Y,Z,DEEP,WIDE in mm") from None
        dents = (Dent((x, y, z), deep, wide),)
    habits = Habits(options.accuracy, options.bias, options.drift, options.missing, seed=options.seed)
    faults = Faults(options.chord, math.radians(options.twist), options.twist_from, dents)
    design = script.load(options.design)
    server = script.simulated_machine(design, habits, faults, options.port, options.body, options.pause)
    server.lost_after, server.hung_after = options.lose, options.hang
    with server:
        print(f"answering at 127.0.0.1:{server.port}; Ctrl+C ends it", flush=True)
        while True:
            time.sleep(1.0)
