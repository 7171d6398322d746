"""Planted changes that measuring is to find: `python -m bench.planted [HOW_MANY] [SEED]` makes parts of reach-blade wrong in one way each, has the simulated
machine touch them, and says of how many what was planted was found, with its size and place, and nothing else."""

from __future__ import annotations

import math
import sys

import numpy as np

from isotomon.inspect.quick import rebuild
from isotomon.metrology.changes import Change
from isotomon.metrology.compare import held_against
from isotomon.metrology.machine import Dent, Faults, Habits, machine
from isotomon.metrology.plan import ProbePlan, probe_plan
from isotomon.samples import sample

KINDS = ("chord", "angle", "dent")
NEAR = 0.15
"""Of what was planted: so near what is found must be to it."""


def planted(seed: int, plan: ProbePlan, names: list[str]) -> tuple[Faults, str]:
    """One fault, by chance: 0.5 to 2 % of the chords, 0.2 to 0.8° from a station on, or a dent or bump of 0.2 to 0.5 mm; and in words."""
    chance = np.random.default_rng(seed)
    sign, kind = float(chance.choice([-1.0, 1.0])), KINDS[seed % len(KINDS)]
    if kind == "chord":
        size = sign * chance.uniform(0.005, 0.02)
        return Faults(chord=size), f"chord {100.0 * size:+.2f} %"
    if kind == "angle":
        size, station = sign * chance.uniform(0.2, 0.8), names[int(chance.integers(3, len(names) - 1))]
        return Faults(twist=math.radians(size), twist_from=station), f"{size:+.2f}° from {station} on"
    x, y, z = (plan.places[int(chance.integers(len(plan)))] + chance.normal(0.0, 3.0, 3)).tolist()
    dent = Dent((x, y, z), sign * chance.uniform(0.2, 0.5), chance.uniform(25.0, 40.0))
    return Faults(dents=(dent,)), f"{-dent.deep:+.2f} mm, {dent.wide:.0f} mm wide at ({x:.0f}, {y:.0f}, {z:.0f})"


def found(change: Change, faults: Faults) -> bool:
    """Whether a change is what was planted, near enough in size and place."""
    if faults.dents:
        dent = faults.dents[0]
        near = change.place is not None and math.dist(change.place, dent.place) < dent.wide / 2.0
        return change.kind in ("dent", "bump") and near and abs(change.size + dent.deep) < NEAR * abs(dent.deep)
    if faults.chord:
        return change.kind == "chord" and "all along" in change.words and abs(change.size / faults.chord - 1.0) < NEAR
    there = change.kind == "angle" and change.stations[0] == faults.twist_from
    return there and abs(change.size / faults.twist - 1.0) < NEAR


def main(count: int = 30, seed: int = 0) -> int:
    """0 where all are found."""
    quick = rebuild(sample("reach-blade"))
    plan, right, others = probe_plan(quick, 80, 5), 0, 0
    flanks = ProbePlan(plan.places[:-36], plan.normals[:-36])  # dents are pressed into these, not into the flat ends
    names = [n.station.name for n in quick.resolved.stations]
    for k in range(seed, seed + count):
        faults, words = planted(k, flanks, names)
        habits = Habits(accuracy=0.01, bias=0.005, drift=0.01, missing=0.02, seed=k)
        points = machine(quick, habits, faults).touch(plan.places, -plan.normals)
        made = held_against(quick, points[~np.isnan(points).any(axis=1)])
        hits = [change for change in made.changes if found(change, faults)]
        right, others = right + bool(hits), others + len(made.changes) - len(hits)
        print(
            f"{k}: {words}: {'found' if hits else 'NOT FOUND'}",
            *(c.words for c in made.changes),
            sep="\n    ",
            flush=True,
        )
    print(f"{right} of {count} found, {others} besides")
    return 0 if right == count else 1


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
