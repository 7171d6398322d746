"""What is done with a body once it is shaped, worked out in order: affine maps of moves and copies, what is made of its field, and
what it is combined with."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.evaluate.sources import Sources
from isotomon.field.parallel import WorkedSkin
from isotomon.field.section_field import SectionField
from isotomon.field.seen import WorkedGrids, seen, seen_rounds
from isotomon.field.sheet import SkinSheet
from isotomon.geometry.affine import ITSELF
from isotomon.operations.base import SKIN, Ask, Asked, Operation
from isotomon.operations.counting import check_steps

T = TypeVar("T")
SAME = 1e-6
"""Maps that differ by no more than this (in directions times 100, in shifts in mm) put copies at one place."""


@dataclass(frozen=True, eq=False)
class Put:
    """What steps in a row do with a body: affine maps (k, 4, 4), mm, one for each place it comes to, and whether the copies
    are made one."""

    maps: Array
    joined: bool


Stage = Put | Asked
"""What is done with a finished body at once: put elsewhere, or what is asked of the kernel."""


def on_field(ground: Sources, steps: Sequence[Operation], field: SectionField) -> tuple[SectionField, int]:
    """What the first steps make of a body's field, and how many of them these are.

    Raises: IsotomonError, naming the step.
    """
    ask = ask_of(ground)
    return _as_far(steps, field, lambda step, made: step.on_field(ask, made))


def on_sheet(ground: Sources, steps: Sequence[Operation], sheet: SkinSheet) -> tuple[SkinSheet, int]:
    """What the first steps make of a skin from curves, and how many of them these are.

    Raises: IsotomonError, naming the step.
    """
    ask = ask_of(ground)
    return _as_far(steps, sheet, lambda step, made: step.on_sheet(ask, made))


def _as_far(steps: Sequence[Operation], made: T, work: Callable[[Operation, T], T | None]) -> tuple[T, int]:
    """What the first steps make of something, as long as they make anything of it, and how many of them these are."""
    for number, step in enumerate(steps):
        further = _said(step, lambda step=step, made=made: work(step, made))
        if further is None:
            return made, number
        made = further
    return made, len(steps)


def stages(
    ground: Sources, steps: Sequence[Operation], skin: WorkedSkin | None = None, sheet: SkinSheet | None = None
) -> tuple[Stage, ...]:
    """What steps do with a body that is finished, in order; those that put it elsewhere and follow one another at once, but for copies of a
    skin that are sewn to a solid, of which there are further ones. `skin`: the
    body's, as it is when the first of them begins; `sheet`: what it is made as from curves.

    Raises: IsotomonError, naming the step; for copies that lie over one another.
    """
    check_steps(steps)
    ask, made = ask_of(ground), list[Stage]()
    names = {b.id: b.name for b in ground.design.bodies}
    for step in steps:
        asked = step.asks(replace(ask, skin=skin, sheet=sheet), lambda key: names.get(key, "what is gone"))
        skin, sheet = asked.outer if asked is not None and asked.work == SKIN else None, None
        before = made[-1] if made else None
        if asked is not None:
            made.append(replace(asked, step=step.id))
        elif isinstance(before, Put) and not (before.joined and ground.body.making is not None):
            made[-1] = Put(_after(before.maps, placements(ground, (step,))), before.joined or step.joins)
        else:
            made.append(Put(placements(ground, (step,)), step.joins))
    _check_apart(placed_by(made))
    return tuple(made)


def worked_by(made: Sequence[Stage], plain: WorkedSkin | None, moving: bool) -> WorkedGrids | None:
    """What stages make of a body's `plain` skin, to be looked at; None where they leave that as it is.

    Raises: FieldError, where a skin folds, or its sides do not meet.
    """
    walls = next((stage.walls for stage in made if isinstance(stage, Asked) and stage.walls is not None), None)
    if walls is not None:
        return WorkedGrids(walls.grids(moving), away=(True, True))
    works = [stage for stage in made if isinstance(stage, Asked) and stage.worked]
    if plain is None or not works:
        return None
    last = works[-1]
    before = replace(plain, rounds=last.worked[0].rounds)
    outer = seen(last.outer or before, moving)
    if last.work == SKIN:
        away = (last.outer or before).away
        return WorkedGrids(outer, away=away, rounds=seen_rounds(last.outer or before, moving))
    return WorkedGrids(
        outer, seen(last.inner or before, moving), (bool(last.values["first"]), bool(last.values["last"]))
    )


def placed_by(made: Sequence[Stage]) -> Array:
    """(k, 4, 4) affine maps, mm, of a body's copies, one for each place it comes to; combining it with others moves nothing."""
    maps = ITSELF
    for stage in made:
        if isinstance(stage, Put):
            maps = _after(maps, stage.maps)
    return maps


def ask_of(ground: Sources) -> Ask:
    """What operations work from."""
    return Ask(ground, ground.names, ground.body.id, ground.design.tolerance)


def placed_after(ground: Sources, steps: Iterable[Operation]) -> Array:
    """(k, 4, 4) affine maps, mm, of those of some steps that put a body elsewhere.

    Raises: IsotomonError, naming the step.
    """
    ask = ask_of(ground)
    putting = [step for step in steps if _said(step, lambda step=step: step.maps(ask)) is not None]
    return placements(ground, putting)


def placements(ground: Sources, steps: Iterable[Operation]) -> Array:
    """(k, 4, 4) affine maps, mm, of steps that put a body elsewhere.

    Raises: IsotomonError, naming the step, for one that does not, too.
    """
    ask, maps = ask_of(ground), ITSELF
    for step in steps:
        own = _said(step, lambda step=step: step.maps(ask))
        if own is None:
            raise DesignError(
                f"{step.TITLE.lower()}: this is done with a body as it is shaped; let it come before moves, copies and combinations"
            )
        maps = _after(maps, own)
    return maps


def _said(step: Operation, work):  # type: ignore[no-untyped-def]
    """What a step's work gives. Raises: IsotomonError, naming the step."""
    try:
        return work()
    except ValueError as error:
        raise DesignError(f"{step.TITLE.lower()}: {error}") from None


def _after(first: Array, then: Array) -> Array:
    """(k m, 4, 4) every one of `then` (m, 4, 4) done after every one of `first` (k, 4, 4)."""
    return np.asarray((then[:, None] @ first[None]).reshape(-1, 4, 4))


def _check_apart(maps: Array) -> None:
    """Raises: DesignError, for copies that lie over one another."""
    if len(maps) < 2:
        return
    flat = maps[:, :3].reshape(len(maps), 12) * np.array([100.0, 100.0, 100.0, 1.0] * 3)
    near = np.abs(flat[:, None] - flat[None]).max(axis=2) < SAME
    a, b = np.nonzero(np.triu(near, 1))
    if len(a):
        raise DesignError(
            f"copy {b[0] + 1} lies over copy {a[0] + 1}; use fewer copies, or another angle or distance between them"
        )
