"""The form of a law: what is intended, where, and within which band."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from isotomon.app.forms.choices import choice
from isotomon.app.forms.meet import MeetForm
from isotomon.app.state.desk import Desk
from isotomon.design import edits, station_edits
from isotomon.design.bodies import body_of
from isotomon.design.law import Law
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.measure.laws import quality_of
from isotomon.quantity import display, evaluate, names_in, to_unit

QUALITY_NAMES = {
    "area": "Area",
    "set_angle": "Set angle",
    "turn": "Turn",
    "twist_rate": "Twist rate",
    "thickness": "Thickness",
}


def surface_scale(law: Law, unit: str) -> tuple[float, str]:
    """How many shown units one inner unit of the law's quality is, and the unit's name."""
    if law.quality == "area":
        return to_unit(1.0, unit) ** 2, f"{unit}²"
    if law.quality == "thickness":
        return to_unit(1.0, unit), unit
    return (math.degrees(1.0) * 1000.0, "°/m") if law.quality == "twist_rate" else (math.degrees(1.0), "°")


class LawForm(QWidget):
    """Edits one law through the desk."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__()
        self.desk, self.key = desk, key
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        self.head, self.name, self.band = QLabel(), QLineEdit(), QLineEdit()
        self.head.setProperty("head", True)
        self.judged = choice("Judged", {"stations": "At the points", "along": "Along the whole body"})
        self.way = choice("Given by")
        for by_formula, text in ((False, "Points"), (True, "Formula")):
            self.way.addItem(text, by_formula)
        self.formula = QLineEdit()
        self.formula.setPlaceholderText("e.g. 20 deg - 15 deg * fraction")
        self.formula.setToolTip("May use position, fraction (0 to 1) and named numbers")
        self.band.setToolTip("A percentage of the target (2 %), or an amount (0.5)")
        self.points = QTableWidget(0, 3)
        self.points.verticalHeader().hide()
        self.points.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.points.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.points.setMinimumHeight(190)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        self.worst = QLabel()
        self.worst.setWordWrap(True)
        self.add = QPushButton("Add points from the present body")
        self.add.setToolTip("Intends at each station without a point what the body has there now")
        rows = (
            ("", self.head),
            ("Name", self.name),
            ("Judged", self.judged),
            ("Band ±", self.band),
            ("Given by", self.way),
            ("", self.formula),
        )
        for row, (title, widget) in enumerate(rows):
            if title:
                grid.addWidget(QLabel(title), row, 0)
            grid.addWidget(widget, row, 1 if title else 0, 1, 1 if title else 2)
        self.meet = MeetForm(desk, key)
        for row, wide in enumerate((self.points, self.add, self.wrong, self.worst, self.meet), len(rows)):
            grid.addWidget(wide, row, 0, 1, 2)
        self.wrong.hide()
        self.name.editingFinished.connect(self._rename)
        self.band.editingFinished.connect(self._set_band)
        self.formula.editingFinished.connect(self._set_formula)
        self.judged.activated.connect(
            lambda i: self._do("change where the law is judged", judged=self.judged.itemData(i))
        )
        self.way.activated.connect(self._change_way)
        self.points.itemChanged.connect(self._set_point)
        self.add.clicked.connect(self._add_points)
        self.refresh()

    def law(self) -> Law:
        """The law as it stands."""
        assert self.desk.design is not None
        return edits.find(self.desk.held.laws, self.key)

    def _do(self, title: str, **changes: object) -> None:
        self._explain(self.desk.do(title, lambda d: station_edits.change_law(d, self.key, **changes)))

    def _explain(self, problem: str) -> None:
        self.wrong.setText(f"✕ {problem}. Nothing was changed." if problem else "")
        self.wrong.setVisible(bool(problem))

    def _rename(self) -> None:
        if self.name.text().strip() != self.law().name:
            self._do("rename the law", name=self.name.text().strip() or "law")

    def _set_band(self) -> None:
        text = self.band.text().strip()
        if text == self._band_text():
            return
        share = text.endswith("%")
        try:
            number = evaluate(text.rstrip("% "), {}).value
        except IsotomonError as error:
            self._explain(str(error))
            return
        scale, _ = surface_scale(self.law(), self.desk.design.unit if self.desk.design else "mm")
        self._do("change the band", relative=share, band=number / 100.0 if share else number / scale)

    def _band_text(self) -> str:
        law = self.law()
        if isinstance(law.band, str):
            return law.band
        scale, _unit = surface_scale(law, self.desk.design.unit if self.desk.design else "mm")
        return f"{display(law.band * 100, 4)} %" if law.relative else display(law.band * scale, 4)

    def _change_way(self, index: int) -> None:
        law, by_formula = self.law(), bool(self.way.itemData(index))
        if by_formula and law.formula is None:
            middle = self._present(law)
            scale, unit = surface_scale(law, "mm")
            name = {
                "mm²": f"{display(middle * scale, 3)} mm * 1 mm",
                "mm": f"{display(middle * scale, 3)} mm",
                "°/m": f"{display(middle * scale, 4)} deg / 1 m",
            }.get(unit, f"{display(middle * scale, 4)} deg")
            self._do("give the law by a formula", formula=name, points=())
        elif not by_formula and law.formula is not None:
            self._explain(
                self.desk.do(
                    "give the law by points",
                    lambda d: self._with_points(station_edits.change_law(d, self.key, formula=None)),
                )
            )

    def _present(self, law: Law) -> float:
        quick = self.desk.quick
        if quick is None or quick.shape is None:
            return 1.0
        return float(np.nanmean(quality_of(quick.shape.curves, law.quality)))

    def _set_formula(self) -> None:
        law = self.law()
        if law.formula is not None and self.formula.text().strip() != law.formula:
            text = self.formula.text().strip()
            try:
                names_in(text)
            except IsotomonError as error:
                self._explain(str(error))
                return
            self._do("change the law's formula", formula=text)

    def _add_points(self) -> None:
        self._explain(self.desk.do("add points to the law", self._with_points))

    def _with_points(self, design: Design) -> Design:
        """The law with a point at every station that has none, at what the body has there now."""
        law, quick = edits.find(body_of(design, self.key).laws, self.key), self.desk.quick
        if quick is None or quick.shape is None:
            raise DesignError("there is no body to take the figures from")
        have = {p.station for p in law.points}
        new = [point for point in quick.law_points(law.quality) if point.station not in have]
        return station_edits.change_law(design, self.key, points=(*law.points, *new))

    def _set_point(self, item: QTableWidgetItem) -> None:
        law = self.law()
        place = item.data(Qt.ItemDataRole.UserRole)
        if place is None or item.column() != 1:
            return
        scale, _ = surface_scale(law, self.desk.design.unit if self.desk.design else "mm")
        text = item.text().strip()
        points = list(law.points)
        try:
            if not text:
                del points[place]
                if not points:
                    raise DesignError("a law needs one point at least; remove the law itself instead")
            else:
                value = text if names_in(text) else evaluate(text, {}).value / scale
                points[place] = edits.replace(points[place], value=value)
        except IsotomonError as error:
            self._explain(str(error))
            self.refresh()
            return
        self._do("change a point of the law", points=tuple(points))

    def refresh(self) -> None:
        """New values."""
        design, body = self.desk.design, self.desk.body
        if design is None or body is None or all(law.id != self.key for law in body.laws):
            return
        law = self.law()
        scale, unit = surface_scale(law, design.unit)
        self.head.setText(f"Law: {QUALITY_NAMES[law.quality].lower()} in {unit}")
        for edit, text in ((self.name, law.name), (self.band, self._band_text()), (self.formula, law.formula or "")):
            if not edit.hasFocus():
                edit.setText(text)
        self.judged.setCurrentIndex(self.judged.findData(law.judged))
        self.way.setCurrentIndex(1 if law.formula is not None else 0)
        self.formula.setVisible(law.formula is not None)
        self.points.setVisible(law.formula is None)
        self.add.setVisible(law.formula is None)
        self._fill_points(law, scale, unit)
        found = [f for f in self.desk.quick.findings if f.about == law.id] if self.desk.quick else []
        self.worst.setText(
            "\n".join(f"▲ {f.where}: {f.text}" for f in found) or "✓ In its band everywhere it is judged."
        )

    def _fill_points(self, law: Law, scale: float, unit: str) -> None:
        if self.points.state() == QAbstractItemView.State.EditingState:
            return
        quick = self.desk.quick
        names = {n.station.id: (n.position, n.station.name) for n in quick.resolved.stations} if quick else {}
        judged = next((j for j in quick.judged if j.key == law.id), None) if quick else None
        self.points.blockSignals(True)
        self.points.setHorizontalHeaderLabels(["At", "Intended", "Has"])
        order = sorted(range(len(law.points)), key=lambda i: names.get(law.points[i].station or "", (0.0, ""))[0])
        self.points.setRowCount(len(order))
        for row, index in enumerate(order):
            point = law.points[index]
            place, name = names.get(
                point.station or "", (float(point.position or 0.0) if not isinstance(point.position, str) else 0.0, "")
            )
            intended = point.value if isinstance(point.value, str) else display(point.value * scale, 3)
            has = "–"
            if judged is not None and len(judged.position):
                near = int(np.argmin(np.abs(judged.position - place)))
                if abs(judged.position[near] - place) < 1e-6 and not math.isnan(judged.value[near]):
                    has = display(float(judged.value[near]) * scale, 2) + (" ▲" if judged.out[near] else "")
            for column, text in enumerate((name or f"{display(place, 3)} mm", intended, has)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, index)
                if column != 1:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                self.points.setItem(row, column, item)
        self.points.blockSignals(False)
