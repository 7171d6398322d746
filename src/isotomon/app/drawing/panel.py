"""The panel beside the canvas: what is free or clashes, runs and figures, what is chosen, and all constraints."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.drawing.editor import DrawingEditor
from isotomon.app.drawing.ties import tie_chosen
from isotomon.app.forms.choices import choice
from isotomon.app.forms.fields import NumberField
from isotomon.design import edits
from isotomon.design.bodies import stations_of_all
from isotomon.errors import IsotomonError
from isotomon.profile import draw_edits
from isotomon.profile.copies import offset, ring, row, similarity, transform
from isotomon.profile.drawing import DIMENSIONS, Constraint, Line, Ring, Spline, replace
from isotomon.profile.drawn import Figures
from isotomon.profile.relate import constraint_words, possible_ties
from isotomon.profile.section import Drawn
from isotomon.quantity import Kind, Value, display, resolve, to_unit

ASKED: dict[str, tuple[str, Kind, str]] = {
    "sides": ("Sides", "ratio", "How many sides"),
    "points": ("Tips", "ratio", "How many tips"),
    "ratio": ("Inner radius", "ratio", "The inner radius as a fraction of the outer"),
    "radius": ("Radius", "length", "The radius of the rounding"),
    "length": ("Length", "length", "How much of each side the bevel takes"),
}


_ROLES = {"shape": "Bounds the section", "construction": "Construction", "centre": "Centre line"}


ALIKE_MOMENTS = 1e-6
"""Second moments nearer than this share of the greater are the same about every axis: none is principal."""


class DrawingPanel(QScrollArea):
    """Made anew whenever the drawing, the choice or the tool changes."""

    def __init__(self, editor: DrawingEditor) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("Drawing")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.editor = editor
        self.fields: dict[str, NumberField] = {}
        editor.changed.connect(self.rebuild)

    def rebuild(self) -> None:
        """Everything as it is now; the scroll stays where it was."""
        if not self.editor.key:
            return
        place = self.verticalScrollBar().value()
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(4)
        self.fields = {}
        self._head(column)
        self._state(column)
        self._tool(column)
        self._chosen(column)
        self._figures(column)
        self._constraints(column)
        column.addStretch(1)
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        self.setWidget(page)
        self.verticalScrollBar().setValue(place)

    # Pieces

    def _text(self, column: QVBoxLayout, text: str, **properties: Any) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        for name, value in properties.items():
            label.setProperty(name, value)
        column.addWidget(label)
        return label

    def _button(self, text: str, run: Callable[[], object], tip: str = "") -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setStyleSheet("padding: 3px 8px;")
        button.clicked.connect(lambda: run())
        return button

    def _number(
        self,
        column: QVBoxLayout,
        key: str,
        title: str,
        kind: Kind,
        number: float,
        tip: str,
        take: Callable[[Value], object],
        value: Value | None = None,
    ) -> NumberField:
        unit = self.editor.design.unit if kind == "length" else "deg" if kind == "angle" else ""
        field = NumberField(title, kind, unit, tip)
        field.set_value(number if value is None else value, number)
        field.entered.connect(lambda v: field.explain(str(take(v) or "")))
        field.scrub_done.connect(lambda v: field.explain(str(take(v) or "")))
        if value is None:  # a figure is named where it is made
            field.named.connect(lambda *_: field.explain("This keeps a plain number; add a named number first"))
        column.addWidget(field)
        self.fields[key] = field
        return field

    def _plain(self, value: Value, kind: Kind) -> float:
        """A value worked out once, for what keeps no formula."""
        names = self.editor.desk.quick.resolved.names if self.editor.desk.quick is not None else {}
        return resolve(value, kind, names)

    # Parts of the panel

    def _head(self, column: QVBoxLayout) -> None:
        editor = self.editor
        row_ = QWidget()
        line = QHBoxLayout(row_)
        line.setContentsMargins(0, 0, 0, 0)
        title = QLabel("Drawing")
        title.setProperty("head", True)
        line.addWidget(title)
        name = QLineEdit(editor.drawing.name)
        name.setAccessibleName("Name of the drawing")
        name.editingFinished.connect(lambda: self._rename(name))
        line.addWidget(name, 1)
        column.addWidget(row_)
        users = edits.drawing_users(editor.design, editor.key)
        if users:
            self._text(column, "Stands at " + ", ".join(s.name for s in users[:8]), soft=True)
        else:
            here = next((s for s in stations_of_all(editor.design) if s.id == editor.station), None)
            waits = here is not None and not isinstance(here.section, Drawn)
            how = "its first closed run takes this station's section" if waits else "Link a drawing puts it on stations"
            self._text(column, f"Stands at no station yet; {how}.", soft=True)

    def _rename(self, name: QLineEdit) -> None:
        text, key = name.text().strip(), self.editor.key
        if text and text != self.editor.drawing.name:
            self.editor.desk.do(
                "rename the drawing", lambda d: edits.change_drawing(d, key, lambda g: replace(g, name=text))
            )

    def _state(self, column: QVBoxLayout) -> None:
        editor = self.editor
        free, solution = editor.freedom, editor.solution
        if solution.conflicts:
            for clash in solution.conflicts:
                self._text(column, "✕ These cannot hold together. Drop one of them:")
                self._drops(column, clash.culprits)
        elif free.count == 0 and editor.drawing.points:
            self._text(column, "✓ Fully fixed: nothing can move", group=True)
        elif editor.drawing.points:
            ways = "one way" if free.count == 1 else f"{free.count} ways"
            self._text(column, f"Free to move in {ways} (green, hollow points)", group=True)
        for repeat in editor.repeats[:3]:
            self._text(column, "▲ Says nothing new beside the others:")
            self._drops(column, (repeat.extra,))
        quiet = ("empty", "hole", *(["open"] if editor.runs.skin is not None else []))
        for finding in editor.runs.findings[:4]:
            self._text(
                column,
                f"{'·' if finding.kind in quiet else '▲'} {finding.text[0].upper()}{finding.text[1:]}.",
            )
            if finding.ends is not None:
                a, b = finding.ends
                column.addWidget(self._button("Close the gap", partial(self._close_gap, a, b)))
        if editor.runs.skin is not None and not editor.placed:
            column.addWidget(self._button("Use it as it is, for a skin", editor.place))
        if editor.runs.mirrored:
            self._text(column, "A half section: closed by its mirror image in the centre line.", soft=True)

    def _drops(self, column: QVBoxLayout, culprits: tuple[str, ...]) -> None:
        by_id = {c.id: c for c in self.editor.drawing.constraints}
        for key in culprits:
            if key in by_id:
                column.addWidget(self._button(f"Drop: {constraint_words(by_id[key])}", partial(self._drop, key)))

    def _close_gap(self, a: str, b: str) -> None:
        self.editor.commit("close the gap", lambda d: draw_edits.join(d, a, b))

    def _drop(self, key: str) -> None:
        self.editor.commit("drop a constraint", lambda d: draw_edits.remove(d, (key,)))

    def _tool(self, column: QVBoxLayout) -> None:
        tool, settings = self.editor.tool, self.editor.settings
        if tool is None:
            return
        self._text(column, tool.title, group=True)
        for name in tool.asks:
            title, kind, tip = ASKED[name]

            def take(value: Value, name: str = name, kind: Kind = kind) -> str:
                try:
                    setattr(settings, name, self._plain(value, kind))
                except IsotomonError as error:
                    return str(error)
                self.editor.update()
                return ""

            self._number(column, name, title, kind, getattr(settings, name), tip, take)
        if tool.id == "arc-centre":
            box = QCheckBox("Clockwise")
            box.setChecked(settings.clockwise)
            box.toggled.connect(lambda on: setattr(settings, "clockwise", on))
            column.addWidget(box)

    def _chosen(self, column: QVBoxLayout) -> None:
        editor = self.editor
        refs = editor.selection
        if not refs:
            return
        constraint = next((c for c in editor.drawing.constraints if (c.id,) == refs), None)
        self._text(column, f"Chosen: {', '.join(refs[:5])}{' …' if len(refs) > 5 else ''}", group=True)
        if constraint is not None:
            self._constraint_fields(column, constraint)
            return
        if len(refs) == 1:
            self._one(column, refs[0])
        parts = [p for p in editor.drawing.parts if p.id in refs]
        if parts:
            box = choice("Drawn as", _ROLES)
            box.setCurrentIndex(box.findData(parts[0].role))
            box.activated.connect(
                lambda i: editor.commit(
                    "change how it is drawn", lambda d: draw_edits.set_role(d, refs, box.itemData(i))
                )
            )
            column.addWidget(box)
        fits = possible_ties(editor.drawing, refs)
        if fits:
            self._text(column, "Make", soft=True)
            self._grid(column, [(title, partial(tie_chosen, editor, kind)) for kind, title in fits])
        if parts or len(refs) > 1:
            self._change_block(column, refs, bool(parts))

    def _grid(self, column: QVBoxLayout, buttons: list[tuple[str, Callable[[], object]]]) -> None:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for k, (title, run) in enumerate(buttons):
            grid.addWidget(self._button(title.split(" (")[0], run, title), k // 2, k % 2)
        column.addWidget(holder)

    def _one(self, column: QVBoxLayout, ref: str) -> None:
        """Fields of the one thing chosen."""
        editor = self.editor
        point = next((p for p in editor.drawing.points if p.id == ref), None)
        part = next((p for p in editor.drawing.parts if p.id == ref), None)
        if point is not None:
            for axis in ("x", "y"):
                tip = "Where the point stands; what is tied to it follows"
                self._number(
                    column, axis, axis.upper(), "length", getattr(point, axis), tip, partial(self._place, ref, axis)
                )
            shared = [p for p in editor.drawing.parts if ref in draw_edits.part_points(p)]
            if len(shared) > 1:
                column.addWidget(
                    self._button(
                        "Part what meets here",
                        lambda: editor.commit("part the ends", lambda d: draw_edits.part_from(d, shared[-1].id, ref)),
                    )
                )
        if isinstance(part, Ring):
            self._number(
                column, "radius", "Radius", "length", part.radius, "The circle's radius", lambda v: self._radius(ref, v)
            )
        if isinstance(part, Line):
            a, b = (next(p for p in editor.drawing.points if p.id == k) for k in (part.a, part.b))
            unit = editor.design.unit
            length = display(to_unit(math.hypot(b.x - a.x, b.y - a.y), unit), 4)
            self._text(
                column, f"Length {length} {unit}, at {math.degrees(math.atan2(b.y - a.y, b.x - a.x)):.3f}°", soft=True
            )
        if isinstance(part, Spline):
            self._text(column, f"Degree {part.degree}, {len(part.points)} control points", soft=True)
        if "@" in ref:
            self._handle(column, ref)

    def _place(self, ref: str, axis: str, value: Value) -> str:
        try:
            number = self._plain(value, "length")
        except IsotomonError as error:
            return str(error)
        return self.editor.place_point(ref, axis, number)

    def _radius(self, ref: str, value: Value) -> str:
        try:
            number = self._plain(value, "length")
        except IsotomonError as error:
            return str(error)
        return self.editor.commit(
            "change a radius",
            lambda d: replace(d, parts=tuple(replace(p, radius=number) if p.id == ref else p for p in d.parts)),
        )

    def _handle(self, column: QVBoxLayout, ref: str) -> None:
        editor = self.editor
        held = ref in {
            f"{p.id}@{i}"
            for p in editor.drawing.parts
            for i, h in enumerate(getattr(p, "handles", ()))
            if h is not None
        }
        if held:
            column.addWidget(
                self._button(
                    "Let the curve choose its tangent",
                    lambda: editor.commit("free a tangent", lambda d: draw_edits.free_handle(d, ref)),
                )
            )
        else:
            self._text(column, "Drag its end to hold this tangent.", soft=True)

    def _constraint_fields(self, column: QVBoxLayout, c: Constraint) -> None:
        editor = self.editor
        self._text(column, constraint_words(c))
        if c.kind in DIMENSIONS:
            kind = DIMENSIONS[c.kind]
            number = editor._measures().get(c.id, 0.0)
            tip = "A number with a unit, or a formula on named numbers"
            field = self._number(column, "figure", "Figure", kind, number, tip, partial(editor.drive, c.id), c.value)
            field.named.connect(lambda name, value: field.explain(editor.drive(c.id, value, name)))
            box = QCheckBox("Drives the drawing")
            box.setToolTip("Off: it only reports what it measures")
            box.setChecked(c.driving)
            box.toggled.connect(
                lambda on: editor.commit(
                    "let a figure drive" if on else "let a figure report",
                    lambda d: draw_edits.change_constraint(
                        d, c.id, driving=on, value=number if c.value is None else c.value
                    ),
                )
            )
            column.addWidget(box)
        column.addWidget(self._button("Remove it", lambda: self._drop(c.id)))

    def _change_block(self, column: QVBoxLayout, refs: tuple[str, ...], parts: bool) -> None:
        """Move, turn, scale and copies by figures."""
        editor, settings = self.editor, self.editor.settings
        figures = {
            "dx": ("Along X", "length", 0.0),
            "dy": ("Along Y", "length", 0.0),
            "turn": ("Turn", "angle", 0.0),
            "scale": ("Scale", "ratio", 1.0),
        }
        if parts:
            figures |= {"count": ("Copies", "ratio", settings.count), "offset": ("Offset", "length", settings.offset)}
        holder = QWidget()
        inner = QVBoxLayout(holder)
        inner.setContentsMargins(0, 0, 0, 0)
        given = {key: start for key, (_, _, start) in figures.items()}
        for key, (title, kind, start) in figures.items():

            def take(value: Value, key: str = key, kind: Kind = kind) -> str:  # type: ignore[assignment]
                try:
                    given[key] = self._plain(value, kind)
                except IsotomonError as error:
                    return str(error)
                self.fields[key].set_value(given[key], given[key])
                if key in ("count", "offset"):
                    setattr(settings, key, given[key])
                return ""

            self._number(inner, key, title, kind, start, "Used by the buttons below", take)  # type: ignore[arg-type]

        def about() -> np.ndarray:
            point = next((p for p in editor.drawing.points if p.id in refs), None)
            if point is not None:
                return np.array([point.x, point.y])
            places = [editor.catcher.pieces[k].at(np.linspace(0, 1, 17)) for k in refs if k in editor.catcher.pieces]
            every = np.vstack(places) if places else np.zeros((1, 2))
            return (every.min(axis=0) + every.max(axis=0)) / 2.0

        def moved() -> str:
            matrix, centre = similarity(given["turn"], given["scale"]), about()
            shift = centre - matrix @ centre + np.array([given["dx"], given["dy"]])
            return editor.commit("move, turn, scale", lambda d: transform(d, refs, matrix, shift))

        buttons: list[tuple[str, Callable[[], object]]] = [("Move, turn, scale", moved)]
        if parts:
            step = lambda: np.array([given["dx"], given["dy"]])  # noqa: E731
            buttons += [
                (
                    "Row of copies",
                    lambda: editor.commit("row of copies", lambda d: row(d, refs, step(), round(given["count"]))),
                ),
                (
                    "Ring of copies",
                    lambda: editor.commit(
                        "ring of copies", lambda d: ring(d, refs, _centre(editor, refs), round(given["count"]))
                    ),
                ),
                ("Offset", lambda: editor.commit("offset", lambda d: offset(d, refs, given["offset"]))),
            ]
        self._grid(inner, buttons)
        fold = QToolButton()
        fold.setText("Change by figures ▾")
        fold.setCheckable(True)
        fold.setChecked(self._open_block)
        fold.toggled.connect(self._fold(holder))
        column.addWidget(fold)
        column.addWidget(holder)
        holder.setVisible(self._open_block)

    _open_block = False

    def _fold(self, holder: QWidget) -> Callable[[bool], None]:
        def fold(on: bool) -> None:
            self._open_block = on
            holder.setVisible(on)

        return fold

    def _figures(self, column: QVBoxLayout) -> None:
        try:
            f = self.editor.live_figures()
        except IsotomonError:
            f = None
        if not isinstance(f, Figures):
            return
        unit = self.editor.design.unit
        s = to_unit(1.0, unit)
        self._text(column, "Figures", group=True)
        alike = f.i_max - f.i_min < ALIKE_MOMENTS * f.i_max
        lines = [
            ("Area", f"{display(f.area * s**2, 3)} {unit}²"),
            ("Perimeter", f"{display(f.perimeter * s, 3)} {unit}"),
            ("Size", f"{display((f.high[0] - f.low[0]) * s, 3)} × {display((f.high[1] - f.low[1]) * s, 3)} {unit}"),
            ("Thickness", f"{display(f.thickness * s, 3)} {unit}"),
            ("Centroid", f"{display(f.centroid[0] * s, 3)}, {display(f.centroid[1] * s, 3)}"),
            ("I max", f"{f.i_max * s**4:.5g} {unit}⁴"),
            ("I min", f"{f.i_min * s**4:.5g} {unit}⁴"),
            ("Principal axis", "– (all alike)" if alike else f"{display(math.degrees(f.axis), 3)}°"),
            ("Corners", str(f.corners)),
        ]
        law = self._law_line(f.area)
        rows = "".join(f"<tr><td>{a}&nbsp;&nbsp;</td><td align=right>{b}</td></tr>" for a, b in [*lines, *law])
        self._text(column, f"<table width=100%>{rows}</table>")

    def _law_line(self, area: float) -> list[tuple[str, str]]:
        """The station's area law, if it has one, against the section there."""
        quick = self.editor.desk.quick
        if quick is None:
            return []
        found = []
        numbers = next((n for n in quick.resolved.stations if n.station.id == self.editor.station), None)
        for j in quick.judged if numbers is not None else ():
            near = np.flatnonzero(np.abs(j.position - numbers.position) < 1e-6)  # type: ignore[union-attr]
            if len(near) and j.quality == "area":
                k = int(near[0])
                mark = "▲ " if bool(j.out[k]) else "✓ "
                found.append(
                    (
                        f"Law {j.name}",
                        f"{mark}{float(j.value[k] / j.target[k] - 1.0):+.2%} of {display(float(j.target[k]), 1)} mm²",
                    )
                )
        return found

    def _constraints(self, column: QVBoxLayout) -> None:
        editor = self.editor
        assumed = [c for c in editor.drawing.constraints if c.assumed]
        if editor.drawing.constraints:
            self._text(column, f"Constraints and figures  {len(editor.drawing.constraints)}", group=True)
        if assumed:
            self._text(column, f"{len(assumed)} were taken for granted while drawing (dashed).", soft=True)
            column.addWidget(
                self._button(
                    "Remove all taken for granted",
                    lambda: editor.commit("remove what was taken for granted", draw_edits.drop_assumed),
                )
            )
        rows = QListWidget()
        rows.setAccessibleName("Constraints and figures")
        rows.setUniformItemSizes(True)
        rows.setStyleSheet("QListWidget::item { padding: 2px 4px; }")
        for c in editor.drawing.constraints:
            text = constraint_words(c)
            if c.kind in DIMENSIONS:
                text += f"  {c.value if isinstance(c.value, str) else editor.figure_text(c, float(c.value or 0.0))}"
            item = QListWidgetItem(("◌ " if c.assumed else "") + text, rows)
            item.setData(Qt.ItemDataRole.UserRole, c.id)
            item.setSelected(c.id in editor.selection)
        rows.setFixedHeight(min(len(editor.drawing.constraints), 14) * 23 + 6)
        rows.itemClicked.connect(lambda item: editor.choose((item.data(Qt.ItemDataRole.UserRole),)))
        if rows.count():
            column.addWidget(rows)


def _centre(editor: DrawingEditor, refs: tuple[str, ...]) -> np.ndarray:
    """What copies go round: a chosen point, or the origin."""
    point = next((p for p in editor.drawing.points if p.id in refs), None)
    return np.array([point.x, point.y]) if point is not None else np.zeros(2)
