"""A drawing dragged: one factor for several steps, and what is rigid or hangs together with other things left out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.linalg import qr
from scipy.sparse.csgraph import connected_components

from isotomon.arrays import Array, Index
from isotomon.errors import ProfileError
from isotomon.profile.drawing import Drawing
from isotomon.profile.solver import Outside, Solver, factored, goals
from isotomon.profile.system import System, make_system


@dataclass(frozen=True, eq=False)
class Drag:
    """A drag under way: the equations once, the goal, and where everything stood when it began.

    Only `moving` variables can follow, and only `rows` speak of them: the rest is rigid or hangs together with other
    things, and is left out of every step.
    """

    drawing: Drawing
    system: System
    goal: Array
    columns: Index
    spokes: Array
    moving: Index
    rows: Index


def begin_drag(
    drawing: Drawing, figures: Mapping[str, float], points: Sequence[str], outside: Outside | None = None
) -> Drag:
    """Take hold of points, handles (`e4@2`) or a circle's rim (its part's id).

    Raises: ProfileError, when nothing of it can move.
    """
    system = make_system(drawing, outside=outside)
    held = set(points)
    columns = np.array([i for i, n in enumerate(system.names) if n in held], dtype=np.intp)
    if not len(columns):
        raise ProfileError("what follows something elsewhere cannot be dragged; move that instead")
    moving, rows = _following(system, columns)
    return Drag(drawing, system, goals(system, figures), columns, system.start[columns], moving, rows)


def _following(system: System, columns: Index) -> tuple[Index, Index]:
    """(variables that can move and hang together with some, the rows that tie them)."""
    _, jacobian = system.evaluate(system.start)
    if not system.count:
        return columns, np.zeros(0, dtype=np.intp)
    norms = np.maximum(np.linalg.norm(jacobian, axis=1, keepdims=True), 1e-12)
    q, r, _ = qr((jacobian / norms).T, mode="economic", pivoting=True)
    rank = int(np.sum(np.abs(np.diag(r)) > 1e-9))
    free = 1.0 - (q[:, :rank] ** 2).sum(axis=1) > 1e-9
    free[columns] = True
    ties = sparse.csr_matrix((np.abs(jacobian) > 1e-12 * norms) & free)
    _, group = connected_components(sparse.bmat([[None, ties], [ties.T, None]]), directed=False)
    mine = set(group[system.count + columns].tolist())
    together = np.isin(group, list(mine))
    return np.flatnonzero(together[system.count :] & free), np.flatnonzero(together[: system.count])


def drag_to(drag: Drag, x: Array, shift: Array, steps: int = 8) -> Array:
    """The variables when what is held is moved by `shift` (per held variable) from where it was, from the last x.

    Everything else stays as near as it can to where it was when the drag began. The derivatives are worked out once;
    what is left is taken out by cheap steps with them, and by new ones only when those do not do.
    """
    system, rows, moving = drag.system, drag.rows, drag.moving
    target = system.start.copy()
    target[drag.columns] = drag.spokes + shift
    if not len(rows):
        return target
    spread = np.ones(len(x))
    spread[drag.columns] = 1.0 / 400.0
    solver: Solver | None = None
    before = np.inf
    for k in range(steps):
        if solver is None:
            values, jacobian = system.evaluate(x)
            jacobian = jacobian[np.ix_(rows, moving)]
            solver = factored(jacobian, spread[moving])
        else:
            values = system.values(x)
        left = system.residual(values, drag.goal)[rows]
        error = float(np.abs(left).max())
        if k and error < 1e-7 * system.size:
            break
        pull = target[moving] - x[moving] if k == 0 else np.zeros(len(moving))
        step = pull - solver(left + jacobian @ pull)
        length = float(np.abs(step).max(initial=0.0))
        x = x.copy()
        x[moving] += step if length < 0.3 * system.size else step * (0.3 * system.size / length)
        if k and error > 0.3 * before:
            solver = None
        before = error
    return x
