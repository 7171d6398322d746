"""What would close skins that are sewn and stay open: fillings of their open ends, or wider gaps closed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.design.bodies import add_body, change_body, change_step
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.evaluate.sheets import side_of
from isotomon.field.runs import closed_runs
from isotomon.field.sheet import SIDES
from isotomon.field.strand import Strand, strand_of
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Mend
from isotomon.operations.sew import Sew
from isotomon.operations.skins.base import MadeSheet
from isotomon.operations.skins.filled import FillRun
from isotomon.quantity.record import Id, Ref

PLACES, FINE = 33, 1025
"""Of a side, those that are looked at, and those of the others among which they are looked for."""
NEAR = 0.1
"""Of the whole: open sides no further apart were to be one."""
MORE = 1.01
"""A gap is closed by so much more than it is wide."""


@dataclass(frozen=True, eq=False)
class _SideOfSkin:
    """A side of one of the skins, and how far it is from the nearest other one, at most (mm)."""

    ref: Ref
    strand: Strand
    away: float


def sew_mends(quick: Quick, body: Id) -> tuple[Mend, ...]:
    """What would close the skins that a body is sewn from, as far as their sides say."""
    one = quick.of(body)
    steps = [step for step in one.body.done if isinstance(step, Sew)] if one is not None else []
    if not steps:
        return ()
    step = steps[-1]
    sides = _sides(quick, (body, *step.others))
    within = step.within if isinstance(step.within, float) else 0.0
    open_ = [side for side in sides if side.away > max(within, quick.design.tolerance)]
    size, near = _size(sides), max(within, quick.design.tolerance)
    lone = [side for side in open_ if side.away >= NEAR * size]
    return (*(_filled(step, lone, near) or _filled(step, open_, near)), *_widened(step, open_, size))


def _sides(quick: Quick, bodies: Sequence[Id]) -> list[_SideOfSkin]:
    """The sides of skins, each with its distance from the others."""
    found = [pair for body in bodies for pair in _own_sides(quick, body)]
    every, looked = np.linspace(0.0, 1.0, FINE), np.linspace(0.0, 1.0, PLACES)
    trees = [cKDTree(strand.at(every)) for _, strand in found]
    made = list[_SideOfSkin]()
    for k, (ref, strand) in enumerate(found):
        points = strand.at(looked)
        far = [_off(points, tree) for j, tree in enumerate(trees) if j != k]
        made.append(_SideOfSkin(ref, strand, float(np.min(far, axis=0).max()) if far else np.inf))
    return made


def _off(points: Array, tree: cKDTree) -> Array:
    """(n,) mm: how far points (n, 3) are from a fine line through places: from the straight pieces beside the nearest one."""
    places = np.asarray(tree.data)
    k = np.asarray(tree.query(points)[1])
    found = np.full(len(points), np.inf)
    for a, b in ((np.maximum(k - 1, 0), k), (k, np.minimum(k + 1, len(places) - 1))):
        way, away = places[b] - places[a], points - places[a]
        share = np.clip(np.sum(away * way, axis=1) / np.maximum(np.sum(way * way, axis=1), 1e-300), 0.0, 1.0)
        found = np.minimum(found, np.linalg.norm(away - share[:, None] * way, axis=1))
    return found


def _own_sides(quick: Quick, body: Id) -> Iterator[tuple[Ref, Strand]]:
    """The sides of a skin from curves at which it does not close by itself."""
    one = quick.of(body)
    if one is None or one.sheet is None:
        return
    made: MadeSheet = one.sheet.made
    if made.trim is not None:
        names = [edge.name for edge in made.trim.edges]
    else:
        round_u, round_v = made.sheet.closed
        names = [side for side in SIDES if not (round_v if side in ("first", "last") else round_u)]
    for name in names:
        try:
            yield Ref(f"{body}/side:{name}"), strand_of(side_of(made, f"side:{name}", name), quick.design.tolerance)
        except (IsotomonError, ValueError):  # a point, where the skin comes together
            continue


def _size(sides: Sequence[_SideOfSkin]) -> float:
    """mm: how large all of it is."""
    ends = np.array([0.0, 0.5, 1.0])
    return float(np.ptp(np.concatenate([s.strand.at(ends) for s in sides]), axis=0).max()) if sides else 0.0


def _filled(step: Sew, sides: Sequence[_SideOfSkin], within: float) -> tuple[Mend, ...]:
    """Fillings of the runs that open sides make, sewn with the others, where they run round."""
    if not sides:
        return ()
    try:
        runs, _ = closed_runs([side.strand for side in sides], within, [str(side.ref) for side in sides])
    except IsotomonError:
        return ()
    curves = [tuple(sides[k].ref for k, _ in run) for run in runs]

    def fill(design: Design) -> Design:
        others = cast(Sew, next(s for b in design.bodies for s in b.steps if s.id == step.id)).others
        for run in curves:
            design = add_body(design, FillRun.NAME, ())
            key = design.bodies[-1].id
            design = change_body(design, key, shaped=FillRun(curves=run, within=max(within, 0.01)))
            others = (*others, Ref(key))
        return change_step(design, step.id, others=others)

    count = len(curves)
    return (Mend("Fill the open end" if count == 1 else f"Fill the {count} open ends", fill),)


def _widened(step: Sew, sides: Sequence[_SideOfSkin], size: float) -> tuple[Mend, ...]:
    """Wider gaps closed, where open sides run side by side."""
    wide = max((side.away for side in sides if side.away < NEAR * size), default=0.0)
    if not wide:
        return ()
    within = float(f"{MORE * wide:.3g}")
    return (Mend(f"Close gaps up to {within:g} mm", lambda d: change_step(d, step.id, within=within)),)
