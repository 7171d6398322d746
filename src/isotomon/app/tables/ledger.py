"""The Ledger: all that the design holds, by what things are, with a live key figure on each row."""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QColor, QFont, QIcon, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from isotomon.app.theme import Theme, station_colour
from isotomon.app.tools.gauges import reading_lines
from isotomon.design import edits
from isotomon.design.bodies import makes, results
from isotomon.design.body import Piece
from isotomon.design.datums import BASE_SHOWN, BUILT_IN_NAMES, Datum
from isotomon.design.records import Design
from isotomon.design.walk import users as users_of
from isotomon.errors import IsotomonError
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.quantity import display, resolve, show, to_unit
from isotomon.solids.plan import finished_key

KEY = Qt.ItemDataRole.UserRole


@lru_cache(maxsize=512)
def _dot(colour: str) -> QIcon:
    """A filled circle, for a station's place on the scale."""
    pixmap = QPixmap(14, 14)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(colour), 1.5))
    painter.setBrush(QColor(colour))
    painter.drawEllipse(3, 3, 8, 8)
    painter.end()
    return QIcon(pixmap)


def _drawing_figure(design: Design, drawing: str) -> str:
    """Where a drawing is used."""
    stations = len(edits.drawing_users(design, drawing))
    if stations:
        return "at 1 station" if stations == 1 else f"at {stations} stations"
    return "as a curve" if users_of(design, drawing) else "not used"


def _datum_figure(datum: Datum, quick: Quick) -> str:
    """What a datum makes, and its first length."""
    made, unit = datum.recipe, quick.design.unit
    index = next(
        (k for k, f in enumerate(made.fields) if f.kind == "length" and f.title in ("Distance", "Radius")), None
    )
    if index is None:
        return made.makes
    try:
        number = resolve(datum.values[index], "length", quick.resolved.names)
    except IsotomonError:
        return made.makes
    return f"{made.makes} · {show(number, 'length', unit)} {unit}"


_MAKES = {"add": "added", "cut": "cut out", "common": "in common"}
_FACING = {"xy": "faces +Z", "yz": "faces +X", "zx": "faces +Y"}
"""Of the base planes, in the figure's place."""


FIGURES_MOST = 0.52
"""Of the Ledger's width."""


class Ledger(QTreeWidget):
    """Shows a Quick; tells what is chosen."""

    chosen = Signal(tuple)
    opened = Signal(str)
    remove_wanted = Signal()
    menu_wanted = Signal(str, QPoint)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("ledger")
        self.setAccessibleName("Ledger")
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.setIndentation(12)
        self.setRootIsDecorated(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Fixed)
        self.header().setStretchLastSection(False)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.theme = theme
        self._groups: dict[str, QTreeWidgetItem] = {}
        self._rows: dict[str, QTreeWidgetItem] = {}
        self._finished: Mapping[str, Built] = {}
        self._fresh = False
        """The finished bodies are those of the results that are shown."""
        self._solid_key = ""
        self._quick: Quick | None = None
        for name in ("Numbers", "Base", "Datums", "Drawings", "Stations", "Guides", "Bodies", "Laws", "Measures"):
            item = QTreeWidgetItem(self, [name])
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            font = QFont(self.font())
            font.setBold(True)
            item.setFont(0, font)
            item.setFirstColumnSpanned(True)
            item.setExpanded(name != "Base")
            self._groups[name] = item
        self._told: tuple[str, ...] = ()
        self._adding = False
        self.itemSelectionChanged.connect(self._tell)
        self.itemDoubleClicked.connect(lambda item, _: self.opened.emit(item.data(0, KEY) or ""))

    def set_theme(self, theme: Theme) -> None:
        """Marks in the theme's colours."""
        self.theme = theme
        if self._quick is not None:
            self.show_quick(self._quick)

    def selected_ids(self) -> tuple[str, ...]:
        """Ids of the chosen rows."""
        return tuple(item.data(0, KEY) for item in self.selectedItems() if item.data(0, KEY))

    def _tell(self) -> None:
        """What is chosen, in the order in which it was; edges and faces that are chosen in the View have no row, and stay when more is added."""
        rows = self.selected_ids()
        kept = tuple(key for key in self._told if key in rows or (self._adding and key not in self._rows))
        self._told = (*kept, *(key for key in rows if key not in kept))
        self.chosen.emit(self._told)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """With Ctrl rows are chosen besides what is."""
        self._adding = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        super().mousePressEvent(event)
        self._adding = False

    def set_selected(self, ids: tuple[str, ...]) -> None:
        """Choose rows without telling."""
        self._told = ids
        self.blockSignals(True)
        self.clearSelection()
        for key in ids:
            if key in self._rows:
                self._rows[key].setSelected(True)
                self.scrollToItem(self._rows[key])
        self.blockSignals(False)

    def show_solid(self, key: str, finished: Mapping[str, Built]) -> None:
        """The finished bodies, by their ids, of which the one in hand has, or is in one that has, this key."""
        self._solid_key, self._finished = key, finished
        if self._quick is not None:
            self.show_quick(self._quick)

    def show_quick(self, quick: Quick) -> None:
        """Show new results; rows that stay keep their place and selection."""
        self._quick = quick
        self._fresh = bool(self._solid_key) and finished_key(quick) == self._solid_key
        flagged = {f.about for f in quick.findings if f.severity != "note"}
        unit = quick.design.unit
        rows: list[tuple[str, str, str, str, QIcon | None]] = []
        for number in quick.design.numbers:
            q = quick.resolved.names[number.name]
            text = show(q.value, number.kind, "deg" if number.kind == "angle" else unit)
            mark = {"length": f" {unit}", "angle": "°", "ratio": ""}[number.kind]
            rows.append(("Numbers", number.id, number.name, text + mark, None))
        rows += [("Base", key, BUILT_IN_NAMES[key], _FACING.get(key, ""), None) for key in BASE_SHOWN]
        for datum in quick.design.datums:
            rows.append(("Datums", datum.id, datum.name, _datum_figure(datum, quick), None))
        for drawing in quick.design.drawings:
            rows.append(("Drawings", drawing.id, drawing.name, _drawing_figure(quick.design, drawing.id), None))
        count = max(len(quick.resolved.stations) - 1, 1)
        flagged |= quick.stations_out()
        for index, n in quick.resolved.own:
            dot = _dot(station_colour(self.theme, index / count).name())
            rows.append(("Stations", n.station.id, n.station.name, self._station_figure(quick, index), dot))
        rails = {r.guide: r.id for r in quick.body.loft.rails}
        flagged |= {key for key, rail in rails.items() if rail in flagged}
        for guide in quick.design.guides:
            curve = quick.guides.get(guide.id)
            text = "–" if curve is None else f"{show(curve.length, 'length', unit, 3)} {unit}"
            rows.append(("Guides", guide.id, guide.name, f"rail · {text}" if guide.id in rails else text, None))
        for body in quick.design.bodies if not quick.empty else ():
            one = quick.of(body.id)
            rows.append(("Bodies", body.id, body.name, self._body_figure(quick, one), None))
        for law in quick.body.laws:
            judged = next((j for j in quick.judged if j.key == law.id), None)
            text = f"{judged.excess.max():.0%} of band" if judged is not None and len(judged.position) else "–"
            rows.append(("Laws", law.id, law.name, text, None))
        for gauge in quick.design.gauges:
            read = reading_lines(quick.readings.get(gauge.id), unit)
            # Of a capacity the figure that was worked out, of all others the first.
            row = 1 if gauge.kind == "capacity" and gauge.choices[0] == "volume" else 0
            rows.append(("Measures", gauge.id, gauge.name, read[row][1] if read else "–", None))
        self._fill(rows, flagged)
        if quick.empty:
            self._groups["Base"].setExpanded(True)

    def _body_figure(self, quick: Quick, one: Quick | None) -> str:
        """Volume, what the body makes, and a hook once the solid in hand is sound."""
        if one is None or not one.there or (one.shape is not None and one.full is None):
            return "–"
        body = one.body
        how = "own" if body.id in results(quick.design) else makes(quick.design, body.id)
        built = self._finished.get(body.id) if self._fresh else None
        skin = one.open if built is None else not built.pieces
        if built is None and one.body.ready:
            return "brought in" if one.body.file else "a piece" if isinstance(body.shaped, Piece) else "faces"
        volume = one.volume if built is None else built.volume
        shaped = one.full.body.area if one.full is not None else one.sheet.area if one.sheet is not None else 0.0
        area = shaped if built is None else built.area
        figure = f"skin {display(area / 100.0, 1)} cm²" if skin else f"{display(volume / 1e3, 1)} cm³"
        if body.aside:
            return "set aside"
        if how != "own":
            return f"{_MAKES[how]} · {figure}"
        good = built is not None and built.valid and (skin or built.watertight)
        return f"{figure} ✓" if good else figure

    def _station_figure(self, quick: Quick, index: int) -> str:
        if quick.shape is None:
            return (
                f"{display(to_unit(quick.resolved.stations[index].position, quick.design.unit), 2)} {quick.design.unit}"
            )
        c, row = quick.shape.curves, quick.shape.at_stations[index]
        angle = "" if math.isnan(c.set_angle[row]) else f" · {display(math.degrees(c.set_angle[row]), 2)}°"
        if quick.shape.open:
            return f"open{angle}"
        return f"{display(float(c.area[row]) / 100.0, 2)} cm²{angle}"

    def _fill(self, rows: list[tuple[str, str, str, str, QIcon | None]], flagged: set[str]) -> None:
        self.blockSignals(True)
        wanted = [key for _, key, *_ in rows]
        if wanted != list(self._rows):
            chosen = self.selected_ids()
            for group in self._groups.values():
                group.takeChildren()
            self._rows = {}
            for group_name, key, *_ in rows:
                item = QTreeWidgetItem(self._groups[group_name])
                item.setData(0, KEY, key)
                item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setSelected(key in chosen)
                self._rows[key] = item
        for _, key, name, figure, dot in rows:
            item = self._rows[key]
            mark = "▲ " if key in flagged else ""
            for column, text in ((0, mark + name), (1, figure)):
                if item.text(column) != text:
                    item.setText(column, text)
                    item.setToolTip(column, "Has a finding; see the list below" if mark else text)
            if dot is not None and item.icon(0).cacheKey() != dot.cacheKey():
                item.setIcon(0, dot)
        for name, group in self._groups.items():
            of = f" of {self._quick.body.name}" if self._quick is not None and self._quick.others else ""
            text = f"{name}{of if name in ('Stations', 'Laws') else ''}  {group.childCount()}"
            if group.text(0) != text:
                group.setText(0, text)
            group.setHidden(name in ("Datums", "Drawings", "Guides", "Measures") and not group.childCount())
        self.blockSignals(False)
        if self._quick is None or not self._quick.moving:  # to find the widest figure takes longer than all else
            self._fit()

    def _fit(self) -> None:
        """Figures take what they need, but leave about half of the width to the names."""
        self.header().resizeSection(1, min(self.sizeHintForColumn(1), int(FIGURES_MOST * self.viewport().width())))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Names and figures share what is there now."""
        super().resizeEvent(event)
        self._fit()

    def _menu(self, at: QPoint) -> None:
        item = self.itemAt(at)
        if item is not None and item.data(0, KEY):
            self.menu_wanted.emit(item.data(0, KEY), self.viewport().mapToGlobal(at))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Delete removes what is chosen."""
        if event.key() == Qt.Key.Key_Delete:
            self.remove_wanted.emit()
        else:
            super().keyPressEvent(event)
