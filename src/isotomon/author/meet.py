"""Meeting a law: the least change of what may change that brings the body into a law's band.

Every round the judged places are made linear in the values that may change, by differences, and the least change that
brings all of them into the band is found as a least distance problem (Lawson and Hanson, "Solving Least Squares
Problems", 1974, chapter 23, by non-negative least squares).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.optimize import linprog, nnls

from isotomon.arrays import Array
from isotomon.design import edits, loft_edits
from isotomon.design.bodies import body_of
from isotomon.design.records import Design
from isotomon.design.station_edits import change_station
from isotomon.errors import DesignError, IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Judged
from isotomon.profile.section import Apex, Elsewhere
from isotomon.quantity import display

Kind = Literal["sizes", "set angles", "offsets", "rail points"]
KINDS: tuple[Kind, ...] = ("sizes", "set angles", "offsets", "rail points")
AIM = 0.85
"""How far out in its band a place is brought to: a little inside, so that rounding keeps it there."""
ROUNDS = 12
BESIDE, MORE_STARTS = 0.15, 3
"""A second attempt is made from so many places more, beside the beginning by so much of each value's scale."""
LEAST_REACH = 1e-5
"""A share of its scale by which to change a value is not worth while."""
HALVINGS, GAIN = 5, 1e-3
"""A step is halved so often at most until it makes the worst place better by this share."""
REACH = 0.25
"""The most any value changes in one round, as a share of its scale."""


@dataclass(frozen=True)
class Freedom:
    """A value that may change. `owner` is a station's or guide's id, `scale` a usual change of it (mm or rad)."""

    owner: str
    field: str
    name: str
    value: float
    scale: float
    angle: bool = False
    index: int = 0


@dataclass(frozen=True, eq=False)
class Meeting:
    """What came of it: the changed design, the worst deviation in half bands before and after, what changed and by how
    much (freedom, new value), and what it says in words."""

    design: Design
    before: float
    after: float
    changes: tuple[tuple[Freedom, float], ...]
    text: str

    @property
    def met(self) -> bool:
        """Whether the law is kept at every place."""
        return self.after <= 1.0 + 1e-9


def freedoms(quick: Quick, kinds: Sequence[Kind], stations: Sequence[str] = ()) -> tuple[list[Freedom], list[str]]:
    """What may change, and names of what a formula drives, at some stations (none given: all)."""
    found: list[Freedom] = []
    driven: list[str] = []

    def offer(
        owner: str, field: str, name: str, value: object, scale: float, angle: bool = False, index: int = 0
    ) -> None:
        if isinstance(value, str):
            driven.append(name)
        elif isinstance(value, float):
            found.append(Freedom(owner, field, name, value, scale, angle, index))

    size = max((n.chord for n in quick.resolved.stations), default=100.0)
    for n in quick.resolved.stations:
        s = n.station
        if (stations and s.id not in stations) or isinstance(s.section, Apex | Elsewhere):
            continue
        if "sizes" in kinds:
            offer(s.id, "chord", f"chord of {s.name}", s.chord if s.chord is not None else n.chord, n.chord)
        if "set angles" in kinds:
            offer(s.id, "set_angle", f"set angle of {s.name}", s.set_angle, 0.5, True)
        for axis in "xy" if "offsets" in kinds else "":
            field = f"offset_{axis}"
            offer(s.id, field, f"offset {axis.upper()} of {s.name}", getattr(s, field), size)
    rails = {r.guide for r in quick.body.loft.rails}
    for guide in quick.design.guides if "rail points" in kinds else ():
        for k, p in enumerate(guide.points if guide.kind == "through" and guide.id in rails else ()):
            station = p.on.thing
            if p.on and stations and station not in stations:
                continue
            for axis in "xy":
                offer(
                    guide.id, axis, f"{axis.upper()} of point {k + 1} of {guide.name}", getattr(p, axis), size, False, k
                )
    return found, driven


def meet(
    design: Design,
    law: str,
    chosen: Sequence[Freedom],
    told: Callable[[int, float], bool] = lambda round_, worst: True,
    driven: Sequence[str] = (),
) -> Meeting:
    """Bring the body into the band of a law with the least change of what is chosen.

    `told` hears the round and the worst deviation so far, and stops it by returning False.
    Raises: DesignError, when nothing may change or there is no body.
    """
    edits.find(body_of(design, law).laws, law)
    if not chosen:
        why = f" ({', '.join(driven[:4])} follow formulas)" if driven else ""
        raise DesignError(f"nothing that may change is chosen{why}; choose sizes, set angles, offsets or rail points")
    scale = np.array([f.scale for f in chosen])
    task, x0 = _Task(design, law, chosen, scale, told), np.array([f.value for f in chosen]) / scale
    r = _deviation(_judged(design, law))
    before = float(np.abs(r).max())
    best_x, best, slopes = _first_attempt(task, x0, r)
    if best > 1.0:
        found = _second_attempt(task, x0, best_x, best)
        if found is not None:
            best_x, best = found
    values = best_x * scale
    made = _put(design, chosen, values)
    changes = tuple((f, float(v)) for f, v in zip(chosen, values, strict=True) if abs(v - f.value) > 1e-6 * f.scale)
    return Meeting(made, before, best, changes, _said(made, law, best, before, changes, slopes, driven))


@dataclass(frozen=True, eq=False)
class _Task:
    """What is to be met, and what may change."""

    design: Design
    law: str
    chosen: Sequence[Freedom]
    scale: Array
    told: Callable[[int, float], bool]

    def deviations(self, x: Array) -> Array | None:
        """(places,) at values over their scales; None where there is no body."""
        try:
            return _deviation(_judged(_put(self.design, self.chosen, x * self.scale), self.law))
        except IsotomonError:
            return None

    def slopes(self, x: Array, r: Array) -> Array:
        """(places, freedoms) how they change."""
        return _slopes(self.design, self.law, self.chosen, x * self.scale, r, self.scale)


def _first_attempt(task: _Task, x0: Array, r: Array) -> tuple[Array, float, Array]:
    """The best found by steps of least change from where the values are; its worst deviation, and the slopes there.

    `r`: (places,) the deviations at `x0` (freedoms,).
    """
    x = best_x = x0
    best, slopes = float(np.abs(r).max()), np.zeros((len(r), len(x0)))
    for round_ in range(ROUNDS):
        if best <= 1.0 or not task.told(round_, best):
            break
        slopes = task.slopes(x, r)
        step = np.clip(_least_change(r, slopes, x - x0) - (x - x0), -REACH, REACH)
        moved = _moved(task, x, step, float(np.abs(r).max()))
        if moved is None:
            break
        x, r = moved
        if np.abs(r).max() < best:
            best, best_x = float(np.abs(r).max()), x
    return best_x, best, slopes


def _moved(task: _Task, x: Array, step: Array, worst: float) -> tuple[Array, Array] | None:
    """Values a step further, or a part of it, where they are clearly better; and the deviations there."""
    for _ in range(HALVINGS):
        trial = task.deviations(x + step)
        if trial is not None and np.abs(trial).max() < worst * (1.0 - GAIN):
            return x + step, trial
        step = step / 2.0
    return None


def _second_attempt(task: _Task, x0: Array, best_x: Array, best: float) -> tuple[Array, float] | None:
    """The least of the worst deviation, by linear programs within a trusted reach, from where the first attempt ended, from
    the beginning and from places beside it; and then less change, as long as all stays in the band. None when that is no
    better.

    Source: Madsen, "An algorithm for minimax solution of overdetermined systems of non-linear equations", J. Inst. Maths
    Applics 16 (1975).
    """
    rng = np.random.default_rng(1)
    starts = [best_x, x0, *(x0 + rng.uniform(-BESIDE, BESIDE, len(x0)) for _ in range(MORE_STARTS))]
    reached, found = best, None
    for start in starts:
        try:
            x, worst = _minimax(task, start)
        except _Stopped:
            break
        if worst < reached:
            reached, found = worst, x
        if reached <= 1.0:
            break
    if found is None:
        return None
    return (_with_less_change(task, x0, found), 1.0) if reached <= 1.0 else (found, reached)


class _Stopped(Exception):
    """Whoever asked has heard enough."""


def _minimax(task: _Task, x: Array) -> tuple[Array, float]:
    r = task.deviations(x)
    if r is None:
        return x, np.inf
    reach, n = REACH, len(x)
    for round_ in range(ROUNDS):
        worst = float(np.abs(r).max())
        if worst <= AIM or reach < LEAST_REACH:
            break
        if not task.told(ROUNDS + round_, worst):
            raise _Stopped
        slopes = task.slopes(x, r)
        one = np.ones((len(r), 1))
        inside = np.vstack([np.hstack([slopes, -one]), np.hstack([-slopes, -one])])
        bounds = [*[(-reach, reach)] * n, (0.0, None)]
        answer = linprog(np.r_[np.zeros(n), 1.0], A_ub=inside, b_ub=np.concatenate([-r, r]), bounds=bounds)
        if answer.x is None:
            break
        trial = task.deviations(x + answer.x[:n])
        if trial is not None and np.abs(trial).max() < worst * (1.0 - 1e-4):
            x, r, reach = x + answer.x[:n], trial, 1.5 * reach
        else:
            reach = reach / 3.0
    return x, float(np.abs(r).max())


def _with_less_change(task: _Task, x0: Array, x: Array) -> Array:
    """Values nearer to those there were, as long as all stays in the band."""
    for _ in range(ROUNDS):
        r = task.deviations(x)
        if r is None:
            break
        wanted = _least_change(r, task.slopes(x, r), x - x0) + x0
        step, moved = wanted - x, False
        for _ in range(5):
            trial = task.deviations(x + step)
            nearer = np.linalg.norm(x + step - x0) < np.linalg.norm(x - x0) * (1.0 - 1e-4)
            if trial is not None and np.abs(trial).max() <= AIM and nearer:
                x, moved = x + step, True
                break
            step = step / 2.0
        if not moved:
            break
    return x


def _judged(design: Design, law: str) -> Judged:
    quick = rebuild(design, body_of(design, law).id, moving=True)
    found = next((j for j in quick.judged if j.key == law), None)
    if found is None or not len(found.position):
        text = quick.findings[0].text if quick.findings else "it says nothing anywhere along the body; give it points"
        raise DesignError(f"the law cannot be judged: {text}")
    return found


def _deviation(judged: Judged) -> Array:
    """(places,) signed, in half bands; nought where the law says nothing."""
    return np.asarray(np.nan_to_num((judged.value - judged.target) / judged.band))


def _put(design: Design, chosen: Sequence[Freedom], values: Array) -> Design:
    for f, value in zip(chosen, values.tolist(), strict=True):
        if abs(value - f.value) <= 1e-12 * f.scale:
            continue
        if any(g.id == f.owner for g in design.guides):
            design = loft_edits.set_guide_point(design, f.owner, f.index, **{f.field: value})
        else:
            design = change_station(design, f.owner, **{f.field: value})
    return design


def _slopes(design: Design, law: str, chosen: Sequence[Freedom], values: Array, r: Array, scale: Array) -> Array:
    """(places, freedoms) change of the deviations by each value, over its scale."""
    columns = []
    for k in range(len(chosen)):
        moved = values.copy()
        moved[k] += 1e-4 * scale[k]
        columns.append((_deviation(_judged(_put(design, chosen, moved), law)) - r) / 1e-4)
    return np.stack(columns, axis=1)


def _least_change(r: Array, slopes: Array, so_far: Array) -> Array:
    """The least change in all that brings the linear deviations into the band, or as near to it as can be."""
    base = r - slopes @ so_far
    for share in (0.0, 0.3, 0.6, 0.8, 0.9, 0.95):
        limit = np.maximum(AIM, AIM + share * (np.abs(r) - AIM))
        found = _least_distance(np.vstack([slopes, -slopes]), np.concatenate([-limit - base, base - limit]))
        if found is not None:
            return found
    # Nothing linear brings it nearer everywhere: a damped step downhill.
    damped = slopes.T @ slopes + 1e-3 * np.trace(slopes.T @ slopes) * np.eye(slopes.shape[1])
    return np.asarray(so_far - np.linalg.solve(damped + 1e-12 * np.eye(len(damped)), slopes.T @ r))


def _least_distance(g: Array, h: Array) -> Array | None:
    """The shortest x with g x ≥ h; None if there is none."""
    e = np.vstack([g.T, h[None]])
    f = np.zeros(len(e))
    f[-1] = 1.0
    try:
        u, _ = nnls(e, f, maxiter=20 * e.shape[1])
    except RuntimeError:
        return None
    left = e @ u - f
    if np.linalg.norm(left) < 1e-9:
        return None
    return np.asarray(-left[:-1] / left[-1])


def _said(
    design: Design,
    law: str,
    best: float,
    before: float,
    changes: Sequence[tuple[Freedom, float]],
    slopes: Array,
    driven: Sequence[str],
) -> str:
    if best <= 1.0 + 1e-9:
        if not changes:
            return "The law is met already; nothing was changed."
        f, value = max(changes, key=lambda c: abs(c[1] - c[0].value) / c[0].scale)
        amount = f"{display(np.degrees(value - f.value), 3)}°" if f.angle else f"{display(value - f.value, 3)} mm"
        what = f"the {f.name} changes by {amount}"
        more = what if len(changes) == 1 else f"{len(changes)} values change; most of all, {what}"
        return f"Met: the worst place is at {best:.0%} of the band (was {before:.0%}); {more}."
    judged = _judged(design, law)
    k = judged.worst
    acts = np.abs(slopes[k]).max() if slopes.size else 0.0
    if acts < 1e-3:
        why = "none of what may change acts on that place; choose more of it, or a station nearer to it"
    else:
        why = "what would mend that place puts others out; let more change, insert a station there, or widen the band"
    blind = int(np.isnan(judged.value).sum())
    if blind:
        why += f"; at {blind} of its places the body has no such value, and the law judges nothing there"
    if driven:
        why += f"; {', '.join(driven[:3])} follow formulas and were left alone"
    return f"Not met: the best reached is {best:.0%} of the band (was {before:.0%}), at {judged.position[k]:.4g} mm: {why}."
