"""The solver: the nearest coordinates that satisfy a drawing's constraints, what is left free, and what conflicts."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.linalg import LinAlgError, cho_factor, cho_solve, qr
from scipy.linalg.blas import dsyrk

from isotomon.arrays import Array
from isotomon.profile.drawing import CirclePart, Constraint, Curve, Drawing, Oval, Part, TangentHandle, replace
from isotomon.profile.system import System, make_system

Outside = Mapping[str, tuple[float, float]]

SOLVED = 1e-10
"""Largest residual of a solved drawing, for a size of 1."""
STRIDE = 0.25
"""A figure that changes by more of itself is approached in steps, so that the shape follows it without a flip."""


@dataclass(frozen=True)
class Conflict:
    """Constraints that cannot hold together (`clash`), or of which one says nothing new (`repeat`).

    `culprits`: without any one of them the rest holds. `extra`: the newest of them.
    """

    kind: str
    extra: str
    culprits: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Solution:
    """A drawing with its coordinates solved. `error`: the largest residual, mm. `conflicts`: constraints left out.

    `system` and `x`: the equations of those that hold, and the variables that satisfy them.
    """

    drawing: Drawing
    error: float
    conflicts: tuple[Conflict, ...] = ()
    system: System | None = None
    x: Array | None = None

    @property
    def ok(self) -> bool:
        """Whether all constraints hold."""
        return not any(c.kind == "clash" for c in self.conflicts)


@dataclass(frozen=True)
class Freedoms:
    """`count`: how many ways the drawing can still move. `free`: the ids of points and parts that can."""

    count: int
    free: frozenset[str]


def project(
    system: System, goal: Array, x: Array, target: Array, weights: Array | None = None, most: int = 40
) -> Array:
    """The x nearest to `target` (in the weighted sense) at which the rows reach their goal, from x.

    Each step is the exact answer of the problem with the rows made linear; when the target pulls no more, plain
    Newton steps finish it. The answer is the best found: the caller looks at its residual.
    """
    scale, tolerance = system.size, 1e-13 * system.size
    spread = np.ones(len(x)) if weights is None else 1.0 / weights
    best, best_error = x, np.inf
    pulling, before, stalled = True, np.inf, 0
    for count in range(most):
        values, jacobian = system.evaluate(x)
        left = system.residual(values, goal)
        error = float(np.abs(left).max(initial=0.0))
        stalled = 0 if error < 0.9 * best_error else stalled + 1
        if error < best_error:
            best, best_error = x, error
        if not pulling and (error < tolerance or stalled > 5):
            break
        pull = target - x if pulling else np.zeros_like(x)
        step = pull - factored(jacobian, spread)(left + jacobian @ pull)
        length = float(np.abs(step).max(initial=0.0))
        if length > 0.5 * scale:
            step *= 0.5 * scale / length
        x = x + _shortened(system, goal, x, step, float(np.linalg.norm(left))) if error > 1e-6 * scale else x + step
        # Where nothing is free the pull dies out at once; elsewhere steps shrink by a factor each.
        settled = length < 1e-9 * scale or (length < 1e-3 * scale and length > 0.7 * before)
        pulling, before = pulling and not settled and stalled < 6 and count < most // 2, length
        if length < 1e-15 * scale and not pulling:
            break
    values = system.values(x)
    return x if float(np.abs(system.residual(values, goal)).max(initial=0.0)) <= best_error else best


Solver = Callable[[Array], Array]


def factored(jacobian: Array, spread: Array) -> Solver:
    """right → the shortest step (weighted) with jacobian @ step = right; in a singular case the nearest to it."""
    root = np.sqrt(spread)
    wide = np.ascontiguousarray(jacobian * root)
    gram = dsyrk(1.0, wide.T, trans=1)  # the upper triangle of wide @ wide.T
    # Rows that say the same make the matrix singular; a trace of damping keeps it sound and costs one more step.
    damping = 1e-13 * max(float(np.trace(gram)) / max(len(gram), 1), 1e-30)
    for _ in range(6):
        gram[np.diag_indices_from(gram)] += damping
        try:
            factor = cho_factor(gram, lower=False, check_finite=False)
        except LinAlgError:
            damping *= 1000.0
        else:
            return lambda right: root * (wide.T @ cho_solve(factor, right, check_finite=False))
    return lambda right: root * np.linalg.lstsq(wide, right, rcond=1e-9)[0]


def _shortened(system: System, goal: Array, x: Array, step: Array, error: float) -> Array:
    """The step, or a half, quarter … of it when it makes matters much worse."""
    for _ in range(6):
        left = system.residual(system.values(x + step), goal)
        if np.linalg.norm(left) < 1.5 * error + 1e-12 * system.size:
            return step
        step = step / 2.0
    return step


def goals(system: System, figures: Mapping[str, float]) -> Array:
    """(rows,) what every row must be. `figures`: dimension id → its value in mm or rad."""
    return np.array([figures[o] * system.factors[o] if o in system.factors else 0.0 for o in system.owner])


def solve_system(system: System, figures: Mapping[str, float]) -> tuple[Array, float]:
    """(x, largest residual): the nearest solution, figures that change much approached in steps."""
    goal = goals(system, figures)
    start = system.start
    if not system.count:
        return start, 0.0
    first = system.values(start)
    dimension = np.array([o in system.factors for o in system.owner])
    change = np.abs(system.residual(first, goal)) / np.maximum(
        np.maximum(np.abs(first), np.abs(goal)), 1e-3 * system.size
    )
    steps = int(np.clip(np.ceil(float(change[dimension].max(initial=0.0)) / STRIDE), 1, 12))
    x = start
    for k in range(1, steps + 1):
        now = np.where(dimension, goal + (1.0 - k / steps) * system.residual(first, goal), goal)
        x = project(system, now, x, start if k == steps else x, most=60 if k == steps else 12)
        if k < steps and np.abs(system.residual(system.values(x), now)).max() > 1e-3 * system.size:
            x = project(system, goal, start, start, most=60)
            break
    return x, float(np.abs(system.residual(system.values(x), goal)).max(initial=0.0))


def with_coordinates(drawing: Drawing, system: System, x: Array) -> Drawing:
    """The drawing with the variables' values in it, rounded far below what counts as solved."""
    digits = int(np.clip(13 - np.ceil(np.log10(system.size)), 0, 15))
    seen: dict[str, list[float]] = {}
    for name, number in zip(system.names, np.round(x, digits).tolist(), strict=True):
        seen.setdefault(name, []).append(number)
    points = tuple(replace(p, x=seen[p.id][0], y=seen[p.id][1]) if p.id in seen else p for p in drawing.points)
    return replace(drawing, points=points, parts=tuple(_with_scalars(p, seen) for p in drawing.parts))


def _with_scalars(part: Part, seen: Mapping[str, Sequence[float]]) -> Part:
    if isinstance(part, CirclePart):
        return replace(part, radius=abs(seen[part.id][0]))
    if isinstance(part, Oval):
        return replace(part, minor=abs(seen[part.id][0]))
    if isinstance(part, Curve) and any(part.handles):
        handles = tuple(
            None if h is None else TangentHandle(seen[f"{part.id}@{i}"][0], seen[f"{part.id}@{i}"][1], h.back)
            for i, h in enumerate(part.handles)
        )
        return replace(part, handles=handles)
    return part


def solve(drawing: Drawing, figures: Mapping[str, float], outside: Outside | None = None) -> Solution:
    """The drawing at the nearest coordinates that satisfy its driving constraints.

    `figures`: values of its driving dimensions. Points with a source are put where `outside` says.
    When constraints clash, the newest that cannot hold are left out and named, with what they clash with.
    Raises: ProfileError, for a constraint that cannot be written as it stands.
    """
    outside = outside or {}
    system = make_system(drawing, outside=outside)
    x, error = solve_system(system, figures)
    if error <= SOLVED * system.size:
        return Solution(_follow(with_coordinates(drawing, system, x), outside), error, (), system, x)
    kept, conflicts = _sort_out(drawing, figures, outside)
    system = make_system(drawing, kept, outside)
    x, error = solve_system(system, figures)
    return Solution(_follow(with_coordinates(drawing, system, x), outside), error, tuple(conflicts), system, x)


def _follow(drawing: Drawing, outside: Outside) -> Drawing:
    """Points that follow something elsewhere, put where it is."""
    if not outside:
        return drawing
    points = tuple(
        replace(p, x=outside[p.source][0], y=outside[p.source][1]) if p.source in outside else p for p in drawing.points
    )
    return replace(drawing, points=points)


def _driving(drawing: Drawing) -> list[Constraint]:
    return [c for c in drawing.constraints if c.driving]


def _holds(drawing: Drawing, chosen: Sequence[Constraint], figures: Mapping[str, float], outside: Outside) -> bool:
    system = make_system(drawing, chosen, outside)
    _, error = solve_system(system, figures)
    return error <= SOLVED * system.size


def _sort_out(
    drawing: Drawing, figures: Mapping[str, float], outside: Outside
) -> tuple[list[Constraint], list[Conflict]]:
    """The constraints that hold together, oldest first, and a conflict for each that does not."""
    left = _driving(drawing)
    kept: list[Constraint] = []
    conflicts: list[Conflict] = []
    while left:
        if _holds(drawing, [*kept, *left], figures, outside):
            return [*kept, *left], conflicts
        low, high = 0, len(left)  # kept + left[:low] holds; kept + left[:high] does not
        while high - low > 1:
            middle = (low + high) // 2
            if _holds(drawing, [*kept, *left[:middle]], figures, outside):
                low = middle
            else:
                high = middle
        kept += left[:low]
        extra = left[low]
        conflicts.append(Conflict("clash", extra.id, _least_clash(drawing, kept, extra, figures, outside)))
        left = left[low + 1 :]
    return kept, conflicts


def _least_clash(
    drawing: Drawing, kept: Sequence[Constraint], extra: Constraint, figures: Mapping[str, float], outside: Outside
) -> tuple[str, ...]:
    """What clashes with `extra`, and it: what it depends on, less all that can go without curing the clash.

    Only those are named without any one of which all the rest holds.
    """
    system = make_system(drawing, [*kept, extra], outside)
    x, _ = solve_system(system, figures)
    involved = _involved(system, x, goals(system, figures), extra.id)
    suspects = [c for c in kept if c.id in involved]
    if _holds(drawing, [*suspects, extra], figures, outside):
        suspects = list(kept)
    size = max(len(suspects) // 2, 1)
    while True:  # leave out halves, then quarters …, then one by one, as long as the clash stays
        index = 0
        while index < len(suspects):
            fewer = suspects[:index] + suspects[index + size :]
            if _holds(drawing, [*fewer, extra], figures, outside):
                index += size
            else:
                suspects = fewer
        if size == 1:
            break
        size = max(size // 2, 1)
    everything = [*kept, extra]
    cures = [c.id for c in suspects if _holds(drawing, [k for k in everything if k is not c], figures, outside)]
    return (*cures, extra.id)


def _involved(system: System, x: Array, goal: Array, extra: str) -> set[str]:
    """Owners of rows that take part in the clash: at the least squares answer the residual is a dependency of rows."""
    values, jacobian = system.evaluate(x)
    left = np.abs(system.residual(values, goal))
    mine = np.array([o == extra for o in system.owner])
    others = jacobian[~mine]
    share = np.linalg.lstsq(others.T, jacobian[mine].T, rcond=1e-10)[0] if len(others) else np.zeros((0, 1))
    weight = np.abs(share).max(axis=1, initial=0.0)
    names = np.array(system.owner)
    found = set(names[~mine][weight > 1e-7].tolist())
    return found | set(names[left > 1e-6 * max(float(left.max(initial=0.0)), 1e-300)].tolist())


def freedoms(drawing: Drawing, outside: Outside | None = None) -> tuple[Freedoms, tuple[Conflict, ...]]:
    """What can still move, and which constraints repeat what older ones say, at the drawing as it stands solved."""
    system = make_system(drawing, outside=outside)
    return freedoms_at(system, system.start)


def freedoms_at(system: System, x: Array) -> tuple[Freedoms, tuple[Conflict, ...]]:
    """The same for equations with the variables that satisfy them."""
    _, jacobian = system.evaluate(x)
    total = len(system.start)
    if not system.count:
        return Freedoms(total, frozenset(n.split("@")[0].rstrip("~") for n in system.names)), ()
    norms = np.maximum(np.linalg.norm(jacobian, axis=1), 1e-12)
    q, r, _ = qr((jacobian / norms[:, None]).T, mode="economic", pivoting=True)
    diagonal = np.abs(np.diag(r))
    rank = int(np.sum(diagonal > 1e-9 * max(diagonal[0], 1e-30)))
    moves = 1.0 - (q[:, :rank] ** 2).sum(axis=1)
    names = [n.split("@")[0].split("~")[0] for n in system.names]
    free = frozenset(n for n, m in zip(names, moves.tolist(), strict=True) if m > 1e-8)
    repeats = _repeats(system, jacobian / norms[:, None]) if rank < system.count else ()
    return Freedoms(total - rank, free), repeats


def _repeats(system: System, rows: Array) -> tuple[Conflict, ...]:
    """Constraints all of whose rows older ones imply, with those that imply them. Rows are of length 1."""
    age = {name: number for number, name in enumerate(dict.fromkeys(system.owner))}
    held = [i for i, o in enumerate(system.owner) if not o.startswith("c")]
    ordered = held + sorted(
        (i for i in range(len(rows)) if i not in set(held)), key=lambda i: _age(system.owner[i], age)
    )
    basis = np.zeros((0, rows.shape[1]))
    used: list[int] = []
    extra: dict[str, list[int]] = {}
    for i in ordered:
        rest = rows[i] - basis.T @ (basis @ rows[i])
        rest = rest - basis.T @ (basis @ rest)
        if np.linalg.norm(rest) > 1e-8:
            basis = np.vstack([basis, rest / np.linalg.norm(rest)])
            used.append(i)
        else:
            extra.setdefault(system.owner[i], []).append(i)
    found = []
    for owner, indices in extra.items():
        if len(indices) < system.owner.count(owner) or not owner.startswith("c"):
            continue
        share = np.linalg.lstsq(rows[used].T, rows[indices].T, rcond=None)[0]
        parts = {system.owner[u] for u, w in zip(used, np.abs(share).max(axis=1).tolist(), strict=True) if w > 1e-7}
        culprits = tuple(sorted((p for p in parts if p.startswith("c") and p != owner), key=lambda p: _age(p, age)))
        found.append(Conflict("repeat", owner, (*culprits, owner)))
    return tuple(found)


def _age(owner: str, seen: Mapping[str, int]) -> int:
    return int(owner[1:]) if owner[1:].isdecimal() else seen[owner]


def measured(drawing: Drawing, outside: Outside | None = None) -> dict[str, float]:
    """What every dimension, driving or not, measures in the drawing as it stands: id → mm or rad."""
    chosen = [c for c in drawing.constraints if c.kind in _FIGURED]
    system = make_system(drawing, chosen, outside)
    values = system.values(system.start)
    return {o: v / system.factors[o] for o, v in zip(system.owner, values.tolist(), strict=True) if o in system.factors}


_FIGURED = frozenset({"distance", "across", "up", "radius", "diameter", "angle", "width"})
