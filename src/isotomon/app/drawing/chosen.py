"""What is chosen in a drawing, in the panel: its figures, its role, what would tie it, and changes by figures."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtWidgets import QCheckBox, QToolButton, QWidget

from isotomon.app.drawing.editor import DrawingEditor
from isotomon.app.drawing.rows import Press, Rows
from isotomon.app.drawing.ties import tie_chosen
from isotomon.app.forms.choices import choice
from isotomon.arrays import Array
from isotomon.profile import draw_edits
from isotomon.profile.copies import offset, ring, row, similarity, transform
from isotomon.profile.drawing import DIMENSIONS, CirclePart, Constraint, Line, Spline, replace
from isotomon.profile.relate import constraint_words, possible_ties
from isotomon.quantity import Kind, display, to_unit

_ROLES = {"shape": "Bounds the section", "construction": "Construction", "centre": "Centre line"}
FIGURES: dict[str, tuple[str, Kind, float]] = {
    "dx": ("Along X", "length", 0.0),
    "dy": ("Along Y", "length", 0.0),
    "turn": ("Turn", "angle", 0.0),
    "scale": ("Scale", "ratio", 1.0),
}
"""What is moved, turned and scaled by, and from what each begins."""


def add_chosen(rows: Rows, opened: bool, open_: Callable[[bool], None]) -> None:
    """Rows for what is chosen; `opened`: whether changes by figures are, and `open_` keeps that."""
    editor = rows.editor
    refs = editor.selection
    if not refs:
        return
    rows.text(f"Chosen: {', '.join(refs[:5])}{' …' if len(refs) > 5 else ''}", group=True)
    constraint = next((c for c in editor.drawing.constraints if (c.id,) == refs), None)
    if constraint is not None:
        _constraint(rows, constraint)
        return
    if len(refs) == 1:
        _one(rows, refs[0])
    parts = [p for p in editor.drawing.parts if p.id in refs]
    if parts:
        _role(rows, parts[0].role)
    fits = possible_ties(editor.drawing, refs)
    if fits:
        rows.text("Make", soft=True)
        rows.buttons([(title, partial(tie_chosen, editor, kind)) for kind, title in fits])
    if parts or len(refs) > 1:
        _by_figures(rows, bool(parts), opened, open_)


def _role(rows: Rows, role: str) -> None:
    editor, box = rows.editor, choice("Drawn as", _ROLES)
    refs = editor.selection
    box.setCurrentIndex(box.findData(role))
    box.activated.connect(
        lambda k: editor.commit("change how it is drawn", lambda d: draw_edits.set_role(d, refs, box.itemData(k)))
    )
    rows.column.addWidget(box)


def _one(rows: Rows, ref: str) -> None:
    """Fields of the one thing chosen."""
    drawing = rows.editor.drawing
    if any(p.id == ref for p in drawing.points):
        _point(rows, ref)
    match next((p for p in drawing.parts if p.id == ref), None):
        case CirclePart(radius=radius):
            rows.plain("radius", "Radius", "length", radius, "The circle's radius", partial(_set_radius, rows, ref))
        case Line(a=first, b=last):
            a, b = (next(p for p in drawing.points if p.id == k) for k in (first, last))
            unit = rows.editor.design.unit
            length = display(to_unit(math.hypot(b.x - a.x, b.y - a.y), unit), 4)
            angle = math.degrees(math.atan2(b.y - a.y, b.x - a.x))
            rows.text(f"Length {length} {unit}, at {angle:.3f}°", soft=True)
        case Spline() as spline:
            rows.text(f"Degree {spline.degree}, {len(spline.points)} control points", soft=True)
    if "@" in ref:
        _tangent(rows, ref)


def _point(rows: Rows, ref: str) -> None:
    editor = rows.editor
    point = next(p for p in editor.drawing.points if p.id == ref)
    tip = "Where the point stands; what is tied to it follows"
    for axis in ("x", "y"):
        rows.plain(axis, axis.upper(), "length", getattr(point, axis), tip, partial(editor.place_point, ref, axis))
    shared = [p for p in editor.drawing.parts if ref in draw_edits.part_points(p)]
    if len(shared) > 1:
        rows.button(
            "Part what meets here",
            lambda: editor.commit("part the ends", lambda d: draw_edits.part_from(d, shared[-1].id, ref)),
        )


def _set_radius(rows: Rows, ref: str, radius: float) -> str:
    return rows.editor.commit(
        "change a radius",
        lambda d: replace(d, parts=tuple(replace(p, radius=radius) if p.id == ref else p for p in d.parts)),
    )


def _tangent(rows: Rows, ref: str) -> None:
    editor = rows.editor
    held = {
        f"{p.id}@{k}"
        for p in editor.drawing.parts
        for k, handle in enumerate(getattr(p, "handles", ()))
        if handle is not None
    }
    if ref in held:
        rows.button(
            "Let the curve choose its tangent",
            lambda: editor.commit("free a tangent", lambda d: draw_edits.free_handle(d, ref)),
        )
    else:
        rows.text("Drag its end to hold this tangent.", soft=True)


def _constraint(rows: Rows, c: Constraint) -> None:
    editor = rows.editor
    rows.text(constraint_words(c))
    if c.kind in DIMENSIONS:
        number = editor._measures().get(c.id, 0.0)
        tip = "A number with a unit, or a formula on named numbers"
        field = rows.number("figure", "Figure", DIMENSIONS[c.kind], number, tip, partial(editor.drive, c.id), c.value)
        field.named.connect(lambda name, value: field.explain(editor.drive(c.id, value, name)))
        _drives(rows, c, number)
    rows.button("Remove it", lambda: drop(editor, c.id))


def _drives(rows: Rows, c: Constraint, number: float) -> None:
    editor, box = rows.editor, QCheckBox("Drives the drawing")
    box.setToolTip("Off: it only reports what it measures")
    box.setChecked(c.driving)
    value = number if c.value is None else c.value
    box.toggled.connect(
        lambda on: editor.commit(
            "let a figure drive" if on else "let a figure report",
            lambda d: draw_edits.change_constraint(d, c.id, driving=on, value=value),
        )
    )
    rows.column.addWidget(box)


def drop(editor: DrawingEditor, key: str) -> str:
    """A constraint taken away; what is wrong with that, or nothing."""
    return editor.commit("drop a constraint", lambda d: draw_edits.remove(d, (key,)))


# Changes by figures


def _by_figures(rows: Rows, parts: bool, opened: bool, open_: Callable[[bool], None]) -> None:
    """Move, turn, scale and copies by figures, folded away until they are wanted."""
    editor, settings = rows.editor, rows.editor.settings
    figures = dict(FIGURES)
    if parts:
        figures |= {"count": ("Copies", "ratio", settings.count), "offset": ("Offset", "length", settings.offset)}
    given = {key: start for key, (_, _, start) in figures.items()}

    def take(key: str, number: float) -> str:
        given[key] = number
        rows.fields[key].set_value(number, number)
        if key in ("count", "offset"):
            setattr(settings, key, number)
        return ""

    holder, fold = QWidget(), QToolButton()
    inner = rows.within(holder)
    for key, (title, kind, start) in figures.items():
        inner.plain(key, title, kind, start, "Used by the buttons below", partial(take, key))
    inner.buttons(_changes(editor, given, parts))
    fold.setText("Change by figures ▾")
    fold.setCheckable(True)
    fold.setChecked(opened)
    fold.toggled.connect(holder.setVisible)
    fold.toggled.connect(open_)
    rows.column.addWidget(fold)
    rows.column.addWidget(holder)
    holder.setVisible(opened)


def _changes(editor: DrawingEditor, given: dict[str, float], parts: bool) -> list[tuple[str, Press]]:
    """(title, what it does) by the figures given at the time."""
    refs = editor.selection

    def step() -> Array:
        return np.array([given["dx"], given["dy"]])

    def moved() -> str:
        matrix, centre = similarity(given["turn"], given["scale"]), _about(editor, refs)
        shift = centre - matrix @ centre + step()
        return editor.commit("move, turn, scale", lambda d: transform(d, refs, matrix, shift))

    def in_row() -> str:
        return editor.commit("row of copies", lambda d: row(d, refs, step(), round(given["count"])))

    def in_ring() -> str:
        centre = _point_of(editor, refs)
        middle = np.zeros(2) if centre is None else centre
        return editor.commit("ring of copies", lambda d: ring(d, refs, middle, round(given["count"])))

    def beside() -> str:
        return editor.commit("offset", lambda d: offset(d, refs, given["offset"]))

    copies: list[tuple[str, Press]] = [("Row of copies", in_row), ("Ring of copies", in_ring), ("Offset", beside)]
    return [("Move, turn, scale", moved), *(copies if parts else [])]


def _point_of(editor: DrawingEditor, refs: tuple[str, ...]) -> Array | None:
    """(2,) mm: the first chosen point."""
    point = next((p for p in editor.drawing.points if p.id in refs), None)
    return None if point is None else np.array([point.x, point.y])


def _about(editor: DrawingEditor, refs: tuple[str, ...]) -> Array:
    """(2,) mm: what things are turned and scaled about: a chosen point, else the middle of what is chosen."""
    point = _point_of(editor, refs)
    if point is not None:
        return point
    pieces = editor.catcher.pieces
    places = [pieces[k].at(np.linspace(0, 1, 17)) for k in refs if k in pieces]
    every = np.vstack(places) if places else np.zeros((1, 2))
    return np.asarray((every.min(axis=0) + every.max(axis=0)) / 2.0)
