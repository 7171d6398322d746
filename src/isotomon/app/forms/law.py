"""The form of a law: what is intended, where, and within which band."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from isotomon.app.forms.form import Form
from isotomon.app.forms.meet import MeetForm
from isotomon.app.state.desk import Desk
from isotomon.design import edits, station_edits
from isotomon.design.bodies import body_of
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.inspect.finished_laws import finished_points
from isotomon.measure.laws import quality_of
from isotomon.quantity import display, evaluate, names_in, to_unit

QUALITY_NAMES = {
    "area": "Area",
    "set_angle": "Set angle",
    "turn": "Turn",
    "twist_rate": "Twist rate",
    "thickness": "Thickness",
}

SAME_PLACE = 1e-6
"""mm: a law's point and the place where it is judged are one and the same within this."""


def surface_scale(law: Law, unit: str) -> tuple[float, str]:
    """How many shown units one inner unit of the law's quality is, and the unit's name."""
    if law.quality == "area":
        return to_unit(1.0, unit) ** 2, f"{unit}²"
    if law.quality == "thickness":
        return to_unit(1.0, unit), unit
    return (math.degrees(1.0) * 1000.0, "°/m") if law.quality == "twist_rate" else (math.degrees(1.0), "°")


class LawForm(Form):
    """Edits one law through the desk."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__(desk)
        self.key = key
        self.told(
            lambda: f"Law: {QUALITY_NAMES[self.law().quality].lower()} in {surface_scale(self.law(), self.unit)[1]}",
            head=True,
        )
        self.name(lambda: self.law().name, lambda text: self._change(name=text), "law")
        self.judged = self.pick(
            "Judged",
            {"stations": "At the points", "along": "Along the whole body"},
            lambda: self.law().judged,
            lambda where: self._do("change where the law is judged", judged=where),
        )
        self.of = self.pick(
            "Of",
            {"shaped": "The body as shaped", "finished": "The finished body"},
            lambda: self.law().of,
            lambda which: self._do("change of which body the law is", of=which),
            shown=lambda: self.law().quality == "area",
        )
        self.band = self.line(
            "Band ±", self._band_text, self._put_band, "A percentage of the target (2 %), or an amount (0.5)"
        )
        self.given_by = self.pick(
            "Given by",
            {"points": "Points", "formula": "Formula"},
            lambda: "formula" if self._by_formula() else "points",
            self._give_by,
        )
        self.formula = self.line(
            "Formula",
            lambda: self.law().formula or "",
            self._put_formula,
            "May use position, fraction (0 to 1) and named numbers",
            shown=self._by_formula,
        )
        self.formula.setPlaceholderText("e.g. 20 deg - 15 deg * fraction")
        self.points = self._table()
        self.row(self.points, self._fill_points, lambda: not self._by_formula())
        self.button(
            "Add points from the present body",
            self._add_points,
            "Intends at each station without a point what the body has there now",
            shown=lambda: not self._by_formula(),
        )
        self.wrong = self.text()
        self.wrong.hide()
        self.told(self._found)
        self.row(MeetForm(desk, key))

    def _table(self) -> QTableWidget:
        table = QTableWidget(0, 3)
        table.verticalHeader().hide()
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        table.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        table.setMinimumHeight(190)
        table.itemChanged.connect(self._set_point)
        return table

    def there(self) -> bool:
        """Whether the law is there still."""
        return self.desk.body is not None and any(law.id == self.key for law in self.desk.body.laws)

    def law(self) -> Law:
        """The law as it stands."""
        return edits.find(self.desk.held.laws, self.key)

    def _by_formula(self) -> bool:
        return self.law().formula is not None

    def _change(self, **changes: object) -> Callable[[Design], Design]:
        return lambda d: station_edits.change_law(d, self.key, **changes)

    def _do(self, title: str, **changes: object) -> None:
        self._explain(self.do(title, self._change(**changes)))

    def _explain(self, problem: str) -> None:
        self.wrong.setText(f"✕ {problem}. Nothing was changed." if problem else "")
        self.wrong.setVisible(bool(problem))

    def _put_band(self, text: str) -> str:
        share = text.strip().endswith("%")
        try:
            number = evaluate(text.strip().rstrip("% "), {}).value
        except IsotomonError as error:
            return str(error)
        scale, _ = surface_scale(self.law(), self.unit)
        return self.do(
            "change the band", self._change(relative=share, band=number / 100.0 if share else number / scale)
        )

    def _band_text(self) -> str:
        law = self.law()
        if isinstance(law.band, str):
            return law.band
        scale, _ = surface_scale(law, self.unit)
        return f"{display(law.band * 100, 4)} %" if law.relative else display(law.band * scale, 4)

    def _give_by(self, how: str) -> None:
        law = self.law()
        if how == "formula" and law.formula is None:
            scale, unit = surface_scale(law, "mm")
            middle = self._present(law) * scale
            formula = {
                "mm²": f"{display(middle, 3)} mm * 1 mm",
                "mm": f"{display(middle, 3)} mm",
                "°/m": f"{display(middle, 4)} deg / 1 m",
            }.get(unit, f"{display(middle, 4)} deg")
            self._do("give the law by a formula", formula=formula, points=())
        elif how == "points" and law.formula is not None:
            self._explain(self.do("give the law by points", lambda d: self._with_points(self._change(formula=None)(d))))

    def _present(self, law: Law) -> float:
        quick = self.desk.quick
        if quick is None or quick.shape is None:
            return 1.0
        return float(np.nanmean(quality_of(quick.shape.curves, law.quality)))

    def _put_formula(self, text: str) -> str:
        try:
            names_in(text.strip())
        except IsotomonError as error:
            return str(error)
        return self.do("change the law's formula", self._change(formula=text.strip()))

    def _add_points(self) -> None:
        self._explain(self.do("add points to the law", self._with_points))

    def _with_points(self, design: Design) -> Design:
        """The law with a point at every station that has none, at what the body has there now."""
        law, quick = edits.find(body_of(design, self.key).laws, self.key), self.desk.quick
        if quick is None or quick.shape is None:
            raise DesignError("there is no body to take the figures from")
        have = {p.station for p in law.points}
        there = finished_points(quick) if law.of == "finished" else quick.law_points(law.quality)
        new = [point for point in there if point.station not in have]
        return station_edits.change_law(design, self.key, points=(*law.points, *new))

    def _set_point(self, item: QTableWidgetItem) -> None:
        law = self.law()
        place = item.data(Qt.ItemDataRole.UserRole)
        if place is None or item.column() != 1:
            return
        scale, _ = surface_scale(law, self.unit)
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

    def _found(self) -> str:
        found = [f for f in self.desk.quick.findings if f.about == self.key] if self.desk.quick else []
        return "\n".join(f"▲ {f.where}: {f.text}" for f in found) or "✓ In its band everywhere it is judged."

    def _fill_points(self) -> None:
        """The table's rows, but while one of them is typed in."""
        if self.points.state() == QAbstractItemView.State.EditingState:
            return
        law = self.law()
        order = sorted(range(len(law.points)), key=lambda i: self._place(law.points[i])[0])
        self.points.blockSignals(True)
        self.points.setHorizontalHeaderLabels(["At", "Intended", "Has"])
        self.points.setRowCount(len(order))
        for row, index in enumerate(order):
            for column, text in enumerate(self._cells(law, law.points[index])):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, index)
                if column != 1:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                self.points.setItem(row, column, item)
        self.points.blockSignals(False)

    def _place(self, point: LawPoint) -> tuple[float, str]:
        """(position, the station's name) of a point of the law."""
        n = self.desk.quick.resolved.get(point.station) if self.desk.quick and point.station else None
        if n is not None:
            return n.position, n.station.name
        return float(point.position or 0.0) if not isinstance(point.position, str) else 0.0, ""

    def _cells(self, law: Law, point: LawPoint) -> tuple[str, str, str]:
        """Where, what is intended, and what the body has there."""
        scale, _ = surface_scale(law, self.unit)
        place, name = self._place(point)
        intended = point.value if isinstance(point.value, str) else display(point.value * scale, 3)
        has = "–"
        judged = next((j for j in self.desk.quick.judged if j.key == law.id), None) if self.desk.quick else None
        if judged is not None and len(judged.position):
            near = int(np.argmin(np.abs(judged.position - place)))
            if abs(judged.position[near] - place) < SAME_PLACE and not math.isnan(judged.value[near]):
                has = display(float(judged.value[near]) * scale, 2) + (" ▲" if judged.out[near] else "")
        return name or f"{display(place, 3)} mm", intended, has
