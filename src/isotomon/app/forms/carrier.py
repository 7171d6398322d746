"""What a loft is carried along: straight, a path, an axis; and whether it comes round to its start."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QWidget

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates, edges_along, rims_of
from isotomon.author.carry import carry
from isotomon.design.bodies import change_loft
from isotomon.design.body import Carrying
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.quantity import Value, resolve

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


def offers(desk: Desk, how: str) -> list[tuple[str, str]]:
    """(reference, name) of what a loft can be carried along; edges of the other bodies as the results have them."""
    design = desk.design
    assert design is not None
    if how == "plane":
        others = [(s.id, f"{s.name} plane") for b in desk.others for s in b.stations]
        return candidates(design, "P") + others
    if how == "axis":
        return sorted(candidates(design, "A"), key=lambda pair: pair[0] != "y")
    drawn = [(g.id, g.name) for g in design.guides] + [(d.id, d.name) for d in design.drawings]
    return drawn + [rim for b in desk.others for rim in rims_of(b)] + edges_along(desk.quick, others=True)


def leaning_offers(desk: Desk, hold: str) -> list[tuple[str, str]]:
    """(reference, name) of what sections can be held towards."""
    design = desk.design
    assert design is not None
    if hold == "curve":
        return [(ref, name) for ref, name in offers(desk, "path") if ref != desk.held.loft.carrier.on]
    if hold == "skin":
        planes = candidates(design, "P") + candidates(design, "R")
        return [(b.id, b.name) for b in desk.others] + planes
    return candidates(design, "A")


def carry_otherwise(desk: Desk, how: str) -> None:
    """Carry the loft along what is chosen, or along the first thing that will do."""
    if desk.design is None:
        return
    refs = [ref for ref, _ in offers(desk, how)] if how != "straight" else []
    on = next((ref for ref in (*desk.selection, *refs) if ref in refs), "")
    to = Carrying(how, on, 0.0 if how == "axis" else 100.0)  # type: ignore[arg-type]
    desk.do("carry the loft otherwise", lambda d: carry(d, desk.hand, to))


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
            lambda v: self._carrier_edit("radius", v),
        )
        self.column.addWidget(self.radius)
        self.corners = self._choice("corners", "Corners", CORNERS)
        self.bend = NumberField("Bend", "length", unit_of(desk), "The radius by which corners of the path are rounded")
        wire(
            desk,
            self.bend,
            "change the bend",
            lambda v: self._carrier_edit("bend", v),
        )
        self.column.addWidget(self.bend)
        self.rim = self._choice("rim", "Rim", {})
        self.sized = self._choice("sized", "Sized", {"across": "away from the axis", "whole": "as a whole"})
        self.back = QCheckBox("The other way")
        self.back.clicked.connect(lambda on: self._choose("back", on))
        self.column.addWidget(self.back)
        self.ring = QCheckBox("Closed into a ring")
        self.ring.clicked.connect(lambda on: desk.do("close into a ring", lambda d: change_loft(d, desk.hand, ring=on)))
        self.column.addWidget(self.ring)
        self.refresh()

    def _choice(self, name: str, title: str, items: dict[str, str]) -> QComboBox:
        box = choice(title, items)
        box.activated.connect(lambda index: self._choose(name, box.itemData(index)))
        self.rows[name] = titled(title, box)
        self.column.addWidget(self.rows[name])
        return box

    def _carrier_edit(self, name: str, value: Value | None) -> Callable[[Design], Design]:
        key = self.desk.hand

        def edit(design: Design) -> Design:
            carrier = design.body(key).loft.carrier
            return change_loft(design, key, carrier=replace(carrier, **{name: 0.0 if value is None else value}))

        return edit

    def _choose(self, name: str, value: str | bool) -> None:
        if self.desk.body is None:
            return
        carrier = self.desk.body.loft.carrier
        changes: dict[str, Any] = {name: value}
        if name == "how":
            carry_otherwise(self.desk, str(value))
        else:
            if name == "hold":
                refs = [ref for ref, _ in leaning_offers(self.desk, str(value))]
                if value in LEANS_ON and carrier.toward not in refs:
                    changes["toward"] = refs[0] if refs else ""
            to = replace(carrier, **changes)
            edit = (
                partial(carry, key=self.desk.hand, to=to)
                if name == "on"
                else (lambda d: change_loft(d, self.desk.hand, carrier=to))
            )
            self.desk.do("carry the loft otherwise", edit)
        self.refresh()

    def refresh(self) -> None:
        """The carrier as it is now."""
        body, quick = self.desk.body, self.desk.quick
        if body is None:
            return
        carrier: Carrying = body.loft.carrier
        self.how.setCurrentIndex(self.how.findData(carrier.how))
        self._fill(self.on, offers(self.desk, carrier.how) if carrier.how != "straight" else [], carrier.on)
        self._fill(self.toward, leaning_offers(self.desk, carrier.hold), carrier.toward)
        label = self.rows["toward"].findChild(QLabel)
        if isinstance(label, QLabel):
            label.setText(LEANS_ON.get(carrier.hold, ""))
        planes = [(ref, f"as it lies on {name}") for ref, name in offers(self.desk, "plane")]
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
        self._fill(self.rim, [("", "none"), *offers(self.desk, "path")], carrier.rim)
        self.sized.setCurrentIndex(self.sized.findData(carrier.sized))
        self.rows["rim"].setVisible(carrier.how == "axis")
        self.rows["sized"].setVisible(carrier.how == "axis" and bool(carrier.rim))
        self.back.setVisible(carrier.how != "straight")
        self.back.setChecked(carrier.back)
        self.radius.setVisible(carrier.how == "axis")
        self.radius.set_value(carrier.radius, quick.resolved.radius if quick is not None else 0.0)
        self.ring.setVisible(carrier.how in ("path", "axis") and body.loft.span is None)
        self.ring.setChecked(body.loft.ring)

    def _fill(self, box: QComboBox, offers: list[tuple[str, str]], now: str) -> None:
        box.clear()
        for key, text in offers:
            box.addItem(text, key)
        if box.findData(now) < 0 and now:
            box.addItem(f"{now} (gone)", now)
        box.setCurrentIndex(box.findData(now))
