"""Which constraints and dimensions fit what is chosen in a drawing, and how they are put on it."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import IsotomonError
from isotomon.profile.draw_edits import Pen, letters
from isotomon.profile.drawing import (
    DIMENSIONS,
    Arc,
    Constraint,
    ConstraintKind,
    Drawing,
    Line,
    arrange,
    find_part,
    replace,
)
from isotomon.profile.loops import places_of
from isotomon.profile.solver import freedoms, measured
from isotomon.quantity import show

TITLES: dict[str, str] = {
    "coincident": "Coincident",
    "on": "On the curve",
    "horizontal": "Horizontal",
    "vertical": "Vertical",
    "parallel": "Parallel",
    "square": "Square",
    "tangent": "Tangent",
    "smooth": "Smooth (same curvature)",
    "in_line": "In line",
    "concentric": "Concentric",
    "equal": "Equal",
    "symmetric": "Symmetric",
    "middle": "Middle",
    "fixed": "Fixed",
}
_CHAINED = ("equal", "parallel", "horizontal", "vertical", "concentric", "in_line", "fixed")
"""Kinds that more than two things can be tied with, each to the first (or on its own)."""


def possible_ties(drawing: Drawing, chosen: tuple[str, ...]) -> list[tuple[str, str]]:
    """(kind, title) of every constraint that fits what is chosen."""
    return [(kind, title) for kind, title in TITLES.items() if groups_for(drawing, kind, chosen)]


def groups_for(drawing: Drawing, kind: str, chosen: tuple[str, ...]) -> list[tuple[str, ...]]:
    """What each constraint of this kind would stand on; none when it does not fit what is chosen."""
    known = {p.id for p in drawing.points} | {p.id for p in drawing.parts}
    refs = tuple(r for r in chosen if r.partition("@")[0] in known)
    if not refs or len(refs) != len(chosen) or len(refs) > 40:
        return []
    word = letters(drawing, refs)
    if kind in ("horizontal", "vertical", "fixed"):
        single = [arrange(kind, (r,), w) for r, w in zip(refs, word, strict=True)]
        if all(single):
            return [s for s in single if s]
    if len(refs) <= 3:
        order = arrange(kind, refs, word)
        return [order] if order else []
    if kind in _CHAINED:
        pairs = [arrange(kind, (refs[0], r), word[0] + w) for r, w in zip(refs[1:], word[1:], strict=True)]
        return [p for p in pairs if p] if all(pairs) else []
    return []


def put_ties(drawing: Drawing, kind: str, groups: list[tuple[str, ...]]) -> Drawing:
    """The drawing with a constraint of a kind on each group of references."""
    pen = Pen(drawing)
    for on in groups:
        pen.tie(kind, *on)  # type: ignore[arg-type]
    return pen.done()


def dimension_kind(
    drawing: Drawing, picked: tuple[str, ...], at: Array
) -> tuple[ConstraintKind, tuple[str, ...], int] | None:
    """(kind, what it stands on, sector) of the dimension meant by what was picked and where its label goes."""
    word = letters(drawing, picked)
    places = places_of(drawing)
    parts = [find_part(drawing, r) if w != "p" and w != "h" else None for r, w in zip(picked, word, strict=True)]
    if word == "c":
        return ("radius" if isinstance(parts[0], Arc) else "diameter"), picked, 0
    if word in ("l", "pp"):
        ends = (parts[0].a, parts[0].b) if isinstance(parts[0], Line) else picked
        return _straight(places[ends[0]], places[ends[1]], at), picked, 0
    if word == "ll":
        return _two_lines(drawing, picked, at)
    for kind in ("width", "distance", "angle"):
        order = arrange(kind, picked, word)
        if order is None:
            continue
        line = find_part(drawing, order[1]) if kind == "width" else None
        if kind != "width" or (isinstance(line, Line) and line.role == "centre"):
            return kind, order, 0
    return None


def _straight(a: Array, b: Array, at: Array) -> ConstraintKind:
    """Along X when the label stands above or below the two ends, along Y when beside them, else from end to end."""
    low, high = np.minimum(a, b), np.maximum(a, b)
    if np.min(high - low) < 1e-9 * max(float(np.max(high - low)), 1e-9):
        return "distance"
    within = (at >= low) & (at <= high)
    return "across" if within[0] and not within[1] else "up" if within[1] and not within[0] else "distance"


def _two_lines(drawing: Drawing, picked: tuple[str, ...], at: Array) -> tuple[ConstraintKind, tuple[str, ...], int]:
    places = places_of(drawing)
    first, second = (find_part(drawing, r) for r in picked)
    assert isinstance(first, Line) and isinstance(second, Line)
    u, v = places[first.b] - places[first.a], places[second.b] - places[second.a]
    cell = float(u[0] * v[1] - u[1] * v[0])
    if abs(cell) <= 1e-9 * float(np.hypot(*u) * np.hypot(*v)):
        if "centre" in (first.role, second.role):
            line, axis = (second, first) if first.role == "centre" else (first, second)
            return "width", (line.a, axis.id), 0
        return "distance", picked, 0
    gap = places[second.a] - places[first.a]
    corner = places[first.a] + u * float(gap[0] * v[1] - gap[1] * v[0]) / cell
    away = np.linalg.solve(np.stack([u, v], axis=1), at - corner)
    return "angle", picked, (1 if away[0] < 0 else 0) | (2 if away[1] < 0 else 0)


def add_dimension(
    drawing: Drawing, kind: ConstraintKind, on: tuple[str, ...], sector: int, place: tuple[float, float] | None
) -> Drawing:
    """A dimension with what it measures now; where that is settled already, it only reports."""
    pen = Pen(drawing)
    key = pen.tie(kind, *on, value=0.0)
    asked = replace(pen.constraints[key], sector=sector, place=place)
    pen.constraints[key] = asked
    value = measured(replace(drawing, constraints=(asked,)))[key]
    pen.constraints[key] = replace(asked, value=value)
    made = pen.done()
    try:
        _, repeats = freedoms(made)
    except IsotomonError:
        return made
    if any(r.extra == key for r in repeats):
        pen.constraints[key] = replace(asked, value=value, driving=False)
    return pen.done()


def constraint_words(c: Constraint) -> str:
    """A constraint for a list: its kind and what it stands on."""
    name = TITLES.get(c.kind) or c.kind.capitalize()
    return f"{name.split(' (')[0]}  {', '.join(c.on)}"


def figure_words(c: Constraint, value: float, unit: str) -> str:
    """A dimension's label: what it measures (mm or rad), in `unit`, and the formula that drives it."""
    kind = DIMENSIONS[c.kind]
    text = show(value, kind, "deg" if kind == "angle" else unit)
    marks = {"angle": f"{text}°", "radius": f"R {text}", "diameter": f"⌀ {text}", "width": f"⌀ {text}"}
    text = marks.get(c.kind, text)
    return f"{text}  =  {c.value}" if isinstance(c.value, str) else text
