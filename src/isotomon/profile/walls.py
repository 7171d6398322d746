"""Open profiles made into closed ones: shut by a straight line, or given the thickness of a wall; closed ones hollowed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.geometry.planar import crossing
from isotomon.profile.outline import Outline2D, Run, fit_run, line


def shut(outline: Outline2D) -> Outline2D:
    """An open outline closed by a straight line from its end to its start, counter-clockwise.

    Raises: ProfileError, when that bounds nothing.
    """
    start, end = outline.points(np.array([0.0, outline.length]))
    own = _with_names(outline, outline.runs, "")
    runs = own if np.hypot(*(end - start)) < 1e-9 else [*own, line(end.tolist(), start.tolist()).named("end", "start")]
    return _sound(
        Outline2D(tuple(runs), outline.anchor), "shut by a straight line, the profile bounds nothing; draw it otherwise"
    )


def walled(outline: Outline2D, left: float, right: float) -> tuple[Outline2D, Outline2D | None]:
    """A wall that reaches `left` and `right` (chords of 1) of an outline as it runs, mitred at its corners: one closed
    outline for an open profile; the outer one and the hole in it for a closed one, of which the left is the inside.

    Raises: ProfileError, when the wall is too thick for the profile.
    """
    text = "the wall is thicker than the profile has room for, so that it crosses itself; make it thinner"
    if min(_way_kept(run, far) for run in outline.runs for far in (right, -left)) <= 0.0:
        raise ProfileError(text)
    outer = _with_names(outline, [_beside(outline, k, right) for k in range(len(outline.runs))], "right-")
    inner = _with_names(outline, [_beside(outline, k, -left) for k in range(len(outline.runs))], "left-")
    if not outline.open:
        hole = _sound(Outline2D(tuple(inner), outline.anchor, name="inside"), text)
        return _sound(Outline2D(tuple(outer), outline.anchor, outline.round), text), hole
    back = [run.reversed() for run in reversed(inner)]
    ends = [(outer[-1], back[0]), (back[-1], outer[0])]
    caps = [line(a.control[-1].tolist(), b.control[0].tolist()).named(a.ends[1], b.ends[0]) for a, b in ends]
    return _sound(Outline2D((*outer, caps[0], *back, caps[1]), outline.anchor), text), None


def _with_names(outline: Outline2D, runs: Sequence[Run], before: str) -> list[Run]:
    """Runs made of an outline's own, between corners of its names with a word before them."""
    names = [outline.corner_at(float(c)) for c in np.cumsum([0.0, *(r.length for r in outline.runs)]) / outline.length]
    pairs = zip(names[:-1], names[1:], strict=True)
    return [r.named(before + a, before + b) if a and b else r for r, (a, b) in zip(runs, pairs, strict=True)]


def _beside(outline: Outline2D, number: int, far: float) -> Run:
    """A run moved `far` to the right of its way, drawn out or in to the mitre where it meets the next at a corner."""
    if far == 0.0:
        return outline.runs[number]
    run, count = outline.runs[number], len(outline.runs)
    slides = []
    for step, own in ((-1, 0.0), (1, 1.0)):
        other = number + step
        alone = run.basis.periodic or (outline.open and not 0 <= other < count)
        slides.append(
            0.0
            if alone
            else _slide(*((outline.runs[other % count], run) if own == 0.0 else (run, outline.runs[other % count])))
        )
    if run.basis.size == 2:
        ends = _moved(run, far, slides[0], slides[1], np.array([0.0, 1.0]))
        return line(ends[0].tolist(), ends[1].tolist())
    return fit_run(partial(_moved, run, far, slides[0], slides[1]), periodic=run.basis.periodic, marks=_joins(run))


def _way_kept(run: Run, far: float) -> float:
    """Least of how much of its way a run moved `far` to the right goes, where it bends: nought or less is a fold."""
    u = np.linspace(0.0, 1.0, 401)
    moved = _moved(run, far, 0.0, 0.0, u)
    step, own = np.diff(moved, axis=0), np.diff(run.points(u), axis=0)
    return float((np.sum(step * own, axis=1) / np.maximum(np.sum(own * own, axis=1), 1e-300)).min())


def _joins(run: Run) -> list[tuple[str, float, int]]:
    """Where the run is less smooth than its degree; moved sideways it is once less smooth there."""
    pairs = zip(run.basis.breaks[1:-1].tolist(), run.basis.multiplicity[1:-1].tolist(), strict=True)
    return [(f"join {k}", u, max(run.basis.degree - m - 1, 1)) for k, (u, m) in enumerate(pairs) if m > 1]


def _moved(run: Run, far: float, before: float, after: float, u: Array) -> Array:
    way = run.basis.matrix(u, 1) @ run.control
    t = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-300)
    n = np.stack([t[:, 1], -t[:, 0]], axis=1)
    return np.asarray(run.points(u) + far * (n + (after * u - before * (1.0 - u))[:, None] * t))


def _slide(before: Run, after: Run) -> float:
    """Tan of half the turn at the corner between two runs: how far the mitre lies along either, moved outward by 1."""
    a = before.basis.matrix(np.ones(1), 1)[0] @ before.control
    b = after.basis.matrix(np.zeros(1), 1)[0] @ after.control
    turn = float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))
    return float(np.tan(np.clip(turn, -2.8, 2.8) / 2.0))


def _sound(outline: Outline2D, text: str) -> Outline2D:
    """A closed outline, counter-clockwise. Raises: ProfileError, with the text, when it crosses itself."""
    polygon = outline.points(np.arange(720) / 720.0 * outline.length)
    x, y = polygon.T
    area = float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2.0
    if abs(area) < 1e-9 or crossing(polygon, slack=1e-9) is not None:
        raise ProfileError(text)
    if area < 0.0:
        return replace(outline, runs=tuple(r.reversed() for r in reversed(outline.runs)))
    return outline
