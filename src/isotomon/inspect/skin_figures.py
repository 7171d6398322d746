"""What is told of a skin made from curves: how far it is off these, how it goes on from the skins beside it, how it bends."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from isotomon.design.body import Body
from isotomon.errors import IsotomonError
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.sheets import SheetShape
from isotomon.evaluate.stages import on_sheet
from isotomon.field.nearest import GoesOn, goes_on, nearest
from isotomon.field.sheet import SkinSheet
from isotomon.field.unrolled import bent_both_ways
from isotomon.geometry.datums import SpaceCurve
from isotomon.operations.base import inputs_of
from isotomon.operations.match_skin import MatchSkin
from isotomon.quantity.record import Ref

PLACES = 33
"""Of each curve."""
ASIDE = 1e-6
"""So far within its ends a curve is looked at."""


@dataclass(frozen=True, eq=False)
class SkinFigures:
    """`off`: (curve, mm) how far a skin is off the curve that it misses most; `joins`: how it goes on from the skins whose edges its curves are, or
    with which a side of it is matched; `bent` (rad): how far it is from developable, of one that is not trimmed; `moved` (mm): how far
    it has been moved at most where it was matched."""

    off: tuple[str, float] | None
    joins: tuple[tuple[str, GoesOn], ...]
    bent: float | None
    moved: float | None = None


def skin_figures(ground: Ground, shape: SheetShape) -> SkinFigures:
    """What is told of a skin. `ground`: its own."""
    t = np.linspace(ASIDE, 1.0 - ASIDE, PLACES)
    sheet, off, joins = shape.sheet, list[tuple[str, float]](), list[tuple[str, GoesOn]]()
    for ref, curve in _curves(ground, ground.body):
        called, points = ground.called(ref), curve.at(t)
        places = nearest(sheet, points)
        off.append((called, float(np.linalg.norm(sheet.at(*places) - points, axis=1).max())))
        if curve.beyond is not None:
            joins.append((called, goes_on(sheet, places, points, curve.rate(t), curve.beyond(t))))
    moved = None
    for ref, before, after in _matched(ground):
        curve, s = ground.curve(ref), np.linspace(0.0, 1.0, 2 * PLACES)
        moved = max(moved or 0.0, float(np.linalg.norm(after.grid(s, s) - before.grid(s, s), axis=2).max()))
        if curve.beyond is not None:
            points = curve.at(t)
            joins.append(
                (ground.called(ref), goes_on(sheet, nearest(sheet, points), points, curve.rate(t), curve.beyond(t)))
            )
    worst = max(off, key=lambda pair: pair[1], default=None)
    return SkinFigures(worst, tuple(joins), None if shape.whole is None else bent_both_ways(sheet), moved)


def _matched(ground: Ground) -> Iterator[tuple[Ref, SkinSheet, SkinSheet]]:
    """Of each step that matches a side: with what, and the skin before and after it."""
    steps, made = ground.body.done, ground.sheet()
    for k, step in enumerate(steps):
        if isinstance(step, MatchSkin) and made.trim is None:
            before, done = on_sheet(ground, steps[:k], made.sheet)
            if done == k:
                yield step.to, before, on_sheet(ground, steps[k : k + 1], before)[0]


def _curves(ground: Ground, body: Body) -> Iterator[tuple[Ref, SpaceCurve]]:
    """The curves that a skin is to lie on."""
    making = body.making
    if making is None:
        return
    passed = [i for i in inputs_of(type(making)) if i.what in ("c", "curves") and i.name not in making.APART]
    found = [getattr(making, i.name) for i in passed]
    refs = [ref for value in found for ref in ((value,) if isinstance(value, Ref) else value)]
    for ref in dict.fromkeys(refs):
        with contextlib.suppress(IsotomonError):  # a point inside; what is gone is told where the skin is made
            yield ref, ground.curve(ref)
