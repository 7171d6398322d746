"""What a loft is carried along: straight, a path, an axis; and whether it comes round to its start."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QWidget

from isotomon.app.choices import choice, column_of, titled
from isotomon.app.datums import candidates, edges_along, rims_of
from isotomon.app.desk import Desk
from isotomon.app.fields import NumberField
from isotomon.app.wiring import wire
from isotomon.author.carry import carry
from isotomon.design.bodies import change_loft
from isotomon.design.body import Carrying
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.inspect.results import Quick
from isotomon.quantity import resolve

WAYS = {"straight": "Straight, along Z", "plane": "Square to a plane", "path": "Along a path", "axis": "About an axis"}
HOLDS = {
    "least": "Square, least turn",
    "fixed": "As at its start",
    "up": "Square, Y kept up",
    "curve": "Square, X to a curve",
    "skin": "Square, Y off a skin",
    "axis": "Upright on an axis",
}
CORNERS = {"refused": "refused", "rounded": "rounded by a bend", "mitred": "mitred"}
LEANS_ON = {"up": "Up is", "curve": "Curve", "skin": "Skin", "axis": "Axis"}


def unit_of(desk: Desk) -> str:
    """The design's unit of length."""
    return desk.design.unit if desk.design is not None else "mm"


def offers(design: Design, how: str, quick: Quick | None) -> list[tuple[str, str]]:
    """(reference, name) of what a loft can be carried along; edges of the other bodies as the results have them."""
    if how == "plane":
        others = [(s.id, f"{s.name} plane") for p in design.rest for s in p.stations]
        return candidates(design, "P", stations=False) + others
    if how == "axis":
        return sorted(candidates(design, "A", stations=False), key=lambda pair: pair[0] != "y")
    drawn = [(g.id, g.name) for g in design.guides] + [(d.id, d.name) for d in design.drawings]
    return drawn + [rim for p in design.rest for rim in rims_of(p.loft)] + edges_along(quick, others=True)


def leaning_offers(design: Design, hold: str, quick: Quick | None) -> list[tuple[str, str]]:
    """(reference, name) of what sections can be held towards."""
    if hold == "curve":
        return [(ref, name) for ref, name in offers(design, "path", quick) if ref != design.loft.carrier.on]
    if hold == "skin":
        planes = candidates(design, "P", stations=False) + candidates(design, "R", stations=False)
        return [(p.loft.id, p.loft.name) for p in design.rest] + planes
    return candidates(design, "A", stations=False)


def carry_otherwise(desk: Desk, how: str) -> None:
    """Carry the loft along what is chosen, or along the first thing that will do."""
    if desk.design is None:
        return
    refs = [ref for ref, _ in offers(desk.design, how, desk.quick)] if how != "straight" else []
    on = next((ref for ref in (*desk.selection, *refs) if ref in refs), "")
    to = Carrying(how, on, 0.0 if how == "axis" else 100.0)  # type: ignore[arg-type]
    desk.do("carry the loft otherwise", lambda d: carry(d, to))


class CarrierForm(QWidget):
    """Edits the carrier of the body in hand through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of(self)
        self.rows: dict[str, QWidget] = {}
        self.how = self._choice("how", "Carried", WAYS)
        self.on = self._choice("on", "Along", {})
        self.hold = self._choice("hold", "Held", HOLDS)
        self.toward = self._choice("toward", "Towards", {})
        self.drawn_on = self._choice("drawn_on", "Begins", {})
        self.radius = NumberField(
            "Radius", "length", unit_of(desk), "How far from the axis the sections' origins stand"
        )
        wire(
            desk,
            self.radius,
            "change the radius about the axis",
            lambda v: lambda d: change_loft(d, carrier=replace(d.loft.carrier, radius=0.0 if v is None else v)),
        )
        self.column.addWidget(self.radius)
        self.corners = self._choice("corners", "Corners", CORNERS)
        self.bend = NumberField("Bend", "length", unit_of(desk), "The radius by which corners of the path are rounded")
        wire(
            desk,
            self.bend,
            "change the bend",
            lambda v: lambda d: change_loft(d, carrier=replace(d.loft.carrier, bend=0.0 if v is None else v)),
        )
        self.column.addWidget(self.bend)
        self.rim = self._choice("rim", "Rim", {})
        self.sized = self._choice("sized", "Sized", {"across": "away from the axis", "whole": "as a whole"})
        self.back = QCheckBox("The other way")
        self.back.clicked.connect(lambda on: self._choose("back", on))
        self.column.addWidget(self.back)
        self.ring = QCheckBox("Closed into a ring")
        self.ring.clicked.connect(lambda on: desk.do("close into a ring", lambda d: change_loft(d, ring=on)))
        self.column.addWidget(self.ring)
        self.refresh()

    def _choice(self, name: str, title: str, items: dict[str, str]) -> QComboBox:
        box = choice(title, items)
        box.activated.connect(lambda index: self._choose(name, box.itemData(index)))
        self.rows[name] = titled(title, box)
        self.column.addWidget(self.rows[name])
        return box

    def _choose(self, name: str, value: str | bool) -> None:
        design = self.desk.design
        if design is None:
            return
        changes: dict[str, Any] = {name: value}
        if name == "how":
            carry_otherwise(self.desk, str(value))
        else:
            if name == "hold":
                refs = [ref for ref, _ in leaning_offers(design, str(value), self.desk.quick)]
                if value in LEANS_ON and design.loft.carrier.toward not in refs:
                    changes["toward"] = refs[0] if refs else ""
            to = replace(design.loft.carrier, **changes)
            edit = (lambda d: carry(d, to)) if name == "on" else (lambda d: change_loft(d, carrier=to))
            self.desk.do("carry the loft otherwise", edit)
        self.refresh()

    def refresh(self) -> None:
        """The carrier as it is now."""
        design, quick = self.desk.design, self.desk.quick
        if design is None:
            return
        carrier: Carrying = design.loft.carrier
        self.how.setCurrentIndex(self.how.findData(carrier.how))
        self._fill(self.on, offers(design, carrier.how, quick) if carrier.how != "straight" else [], carrier.on)
        self._fill(self.toward, leaning_offers(design, carrier.hold, quick), carrier.toward)
        label = self.rows["toward"].findChild(QLabel)
        if isinstance(label, QLabel):
            label.setText(LEANS_ON.get(carrier.hold, ""))
        planes = [(ref, f"as it lies on {name}") for ref, name in offers(design, "plane", quick)]
        self._fill(self.drawn_on, [("", "at its start"), *planes], carrier.drawn_on)
        self.hold.setCurrentIndex(self.hold.findData(carrier.hold))
        self.rows["on"].setVisible(carrier.how != "straight")
        self.rows["hold"].setVisible(carrier.how == "path")
        self.rows["toward"].setVisible(carrier.how == "path" and carrier.hold in LEANS_ON)
        self.rows["drawn_on"].setVisible(carrier.how in ("path", "axis"))
        self.corners.setCurrentIndex(self.corners.findData(carrier.corners))
        self.rows["corners"].setVisible(carrier.how == "path")
        self.bend.setVisible(carrier.how == "path" and carrier.corners == "rounded")
        names = quick.resolved.names if quick is not None else {}
        try:
            self.bend.set_value(carrier.bend, resolve(carrier.bend, "length", names))
        except ValueError:
            self.bend.set_value(carrier.bend, float("nan"))
        self._fill(self.rim, [("", "none"), *offers(design, "path", quick)], carrier.rim)
        self.sized.setCurrentIndex(self.sized.findData(carrier.sized))
        self.rows["rim"].setVisible(carrier.how == "axis")
        self.rows["sized"].setVisible(carrier.how == "axis" and bool(carrier.rim))
        self.back.setVisible(carrier.how != "straight")
        self.back.setChecked(carrier.back)
        self.radius.setVisible(carrier.how == "axis")
        self.radius.set_value(carrier.radius, quick.resolved.radius if quick is not None else 0.0)
        self.ring.setVisible(carrier.how in ("path", "axis") and design.loft.span is None)
        self.ring.setChecked(design.loft.ring)

    def _fill(self, box: QComboBox, offers: list[tuple[str, str]], now: str) -> None:
        box.clear()
        for key, text in offers:
            box.addItem(text, key)
        if box.findData(now) < 0 and now:
            box.addItem(f"{now} (gone)", now)
        box.setCurrentIndex(box.findData(now))
