"""The panel beside the canvas: what is free or clashes, runs and figures, what is chosen, and all constraints."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.drawing.chosen import add_chosen, drop
from isotomon.app.drawing.editor import DrawingEditor
from isotomon.app.drawing.rows import Rows
from isotomon.app.forms.drawing import figure_lines
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.tables import two_columns
from isotomon.design import edits
from isotomon.design.bodies import stations_of_all
from isotomon.errors import IsotomonError
from isotomon.profile import draw_edits
from isotomon.profile.drawing import DIMENSIONS, replace
from isotomon.profile.drawn import Figures
from isotomon.profile.relate import constraint_words, figure_words
from isotomon.profile.section import Drawn
from isotomon.quantity import Kind, display

ASKED: dict[str, tuple[str, Kind, str]] = {
    "sides": ("Sides", "ratio", "How many sides"),
    "points": ("Tips", "ratio", "How many tips"),
    "ratio": ("Inner radius", "ratio", "The inner radius as a fraction of the outer"),
    "radius": ("Radius", "length", "The radius of the rounding"),
    "length": ("Length", "length", "How much of each side the bevel takes"),
}
SAME_PLACE = 1e-6
"""mm: a law judged nearer to a station than this is judged at the station."""


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
        self._by_figures = False
        """Whether changes by figures are open."""
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
        rows = Rows(self.editor, column, self.fields)
        self._head(rows)
        _state(rows)
        _tool(rows)
        add_chosen(rows, self._by_figures, self._keep_open)
        _figures(rows)
        _constraints(rows)
        column.addStretch(1)
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        self.setWidget(page)
        self.verticalScrollBar().setValue(place)

    def _keep_open(self, opened: bool) -> None:
        self._by_figures = opened

    def _head(self, rows: Rows) -> None:
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
        rows.column.addWidget(row_)
        users = edits.drawing_users(editor.design, editor.key)
        if users:
            rows.text("Stands at " + ", ".join(s.name for s in users[:8]), soft=True)
        else:
            here = next((s for s in stations_of_all(editor.design) if s.id == editor.station), None)
            waits = here is not None and not isinstance(here.section, Drawn)
            how = "its first closed run takes this station's section" if waits else "Link a drawing puts it on stations"
            rows.text(f"Stands at no station yet; {how}.", soft=True)

    def _rename(self, name: QLineEdit) -> None:
        text, key = name.text().strip(), self.editor.key
        if text and text != self.editor.drawing.name:
            self.editor.desk.do(
                "rename the drawing", lambda d: edits.change_drawing(d, key, lambda g: replace(g, name=text))
            )


def _state(rows: Rows) -> None:
    editor = rows.editor
    free, solution = editor.freedom, editor.solution
    if solution.conflicts:
        for clash in solution.conflicts:
            rows.text("✕ These cannot hold together. Drop one of them:")
            _drops(rows, clash.culprits)
    elif free.count == 0 and editor.drawing.points:
        rows.text("✓ Fully fixed: nothing can move", group=True)
    elif editor.drawing.points:
        ways = "one way" if free.count == 1 else f"{free.count} ways"
        rows.text(f"Free to move in {ways} (green, hollow points)", group=True)
    for repeat in editor.repeats[:3]:
        rows.text("▲ Says nothing new beside the others:")
        _drops(rows, (repeat.extra,))
    quiet = ("empty", "hole", *(["open"] if editor.runs.skin is not None else []))
    for finding in editor.runs.findings[:4]:
        rows.text(
            f"{'·' if finding.kind in quiet else '▲'} {finding.text[0].upper()}{finding.text[1:]}.",
        )
        if finding.ends is not None:
            a, b = finding.ends
            rows.button("Close the gap", partial(_close_gap, editor, a, b))
    if editor.runs.skin is not None and not editor.placed:
        rows.button("Use it as it is, for a skin", editor.place)
    if editor.runs.mirrored:
        rows.text("A half section: closed by its mirror image in the centre line.", soft=True)


def _drops(rows: Rows, culprits: tuple[str, ...]) -> None:
    by_id = {c.id: c for c in rows.editor.drawing.constraints}
    for key in culprits:
        if key in by_id:
            rows.button(f"Drop: {constraint_words(by_id[key])}", partial(drop, rows.editor, key))


def _close_gap(editor: DrawingEditor, a: str, b: str) -> str:
    return editor.commit("close the gap", lambda d: draw_edits.join(d, a, b))


def _tool(rows: Rows) -> None:
    tool, settings = rows.editor.tool, rows.editor.settings
    if tool is None:
        return

    def take(name: str, number: float) -> str:
        setattr(settings, name, number)
        rows.editor.update()
        return ""

    rows.text(tool.title, group=True)
    for name in tool.asks:
        title, kind, tip = ASKED[name]
        rows.plain(name, title, kind, getattr(settings, name), tip, partial(take, name))
    if tool.id == "arc-centre":
        box = QCheckBox("Clockwise")
        box.setChecked(settings.clockwise)
        box.toggled.connect(lambda on: setattr(settings, "clockwise", on))
        rows.column.addWidget(box)


def _figures(rows: Rows) -> None:
    try:
        f = rows.editor.live_figures()
    except IsotomonError:
        f = None
    if not isinstance(f, Figures):
        return
    rows.text("Figures", group=True)
    lines = figure_lines(f, rows.editor.design.unit)
    rows.text(two_columns([*lines, *_law_lines(rows)]))


def _law_lines(rows: Rows) -> list[tuple[str, str]]:
    """The station's area law, if it has one, against the section there."""
    quick = rows.editor.desk.quick
    if quick is None:
        return []
    here = quick.resolved.get(rows.editor.station)
    found = []
    for j in quick.judged if here is not None else ():
        near = np.flatnonzero(np.abs(j.position - (here.position if here is not None else 0.0)) < SAME_PLACE)
        if len(near) and j.quality == "area":
            k, target = int(near[0]), float(j.target[near[0]])
            mark, off = "▲ " if bool(j.out[k]) else "✓ ", float(j.value[k] / target - 1.0)
            found.append((f"Law {j.name}", f"{mark}{off:+.2%} of {display(target, 1)} mm²"))
    return found


def _constraints(rows: Rows) -> None:
    editor = rows.editor
    assumed = [c for c in editor.drawing.constraints if c.assumed]
    if editor.drawing.constraints:
        rows.text(f"Constraints and figures  {len(editor.drawing.constraints)}", group=True)
    if assumed:
        rows.text(f"{len(assumed)} were taken for granted while drawing (dashed).", soft=True)
        rows.button(
            "Remove all taken for granted",
            lambda: editor.commit("remove what was taken for granted", draw_edits.drop_assumed),
        )
    listed = QListWidget()
    listed.setAccessibleName("Constraints and figures")
    listed.setUniformItemSizes(True)
    listed.setStyleSheet("QListWidget::item { padding: 2px 4px; }")
    for c in editor.drawing.constraints:
        text = constraint_words(c)
        if c.kind in DIMENSIONS:
            figure = c.value if isinstance(c.value, str) else figure_words(c, float(c.value or 0.0), editor.design.unit)
            text += f"  {figure}"
        item = QListWidgetItem(("◌ " if c.assumed else "") + text, listed)
        item.setData(Qt.ItemDataRole.UserRole, c.id)
        item.setSelected(c.id in editor.selection)
    listed.setFixedHeight(min(len(editor.drawing.constraints), 14) * 23 + 6)
    listed.itemClicked.connect(lambda item: editor.choose((item.data(Qt.ItemDataRole.UserRole),)))
    if listed.count():
        rows.column.addWidget(listed)
