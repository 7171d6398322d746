"""What a loft is carried along: straight, a path, an axis; and whether it comes round to its start."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QLabel

from isotomon.app.forms.choices import title_of
from isotomon.app.forms.form import Form, Offer, given
from isotomon.app.forms.wiring import MakeEdit
from isotomon.app.state.desk import Desk
from isotomon.app.tools.carrying import carriers, carry_otherwise, leaned_on
from isotomon.author.carry import carry
from isotomon.design.bodies import change_loft
from isotomon.design.body import Carrying
from isotomon.design.edits import replace
from isotomon.design.records import Design

CARRIED = {
    "straight": "Straight, along Z",
    "plane": "Square to a plane",
    "path": "Along a path",
    "axis": "About an axis",
}
HOLDS = {
    "least": "Square, least turn",
    "fixed": "As at its start",
    "up": "Square, Y kept up",
    "curve": "Square, X to a curve",
    "skin": "Square, Y off a skin",
    "axis": "Upright on an axis",
}
CORNERS = {"refused": "refused", "rounded": "rounded by a bend", "mitred": "mitred"}
SIZED = {"across": "away from the axis", "whole": "as a whole"}
LEANS_ON = {"up": "Up is", "curve": "Curve", "skin": "Skin", "axis": "Axis"}


class CarrierForm(Form):
    """Edits the carrier of the body in hand through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.pick("Carried", CARRIED, lambda: self.carrier.how, lambda how: self._choose(how=how))
        self._pick_of("Along", lambda: carriers(desk, self.carrier.how), "on", lambda: self.carrier.how != "straight")
        self.pick("Held", HOLDS, lambda: self.carrier.hold, lambda hold: self._choose(hold=hold), shown=self._on_path)
        leaning = self._pick_of("Towards", lambda: leaned_on(desk, self.carrier.hold), "toward", self._leans)
        self._refreshers.append(lambda: leaning.setText(LEANS_ON.get(self.carrier.hold, "")))
        self._pick_of("Begins", self._drawn_on, "drawn_on", lambda: self.carrier.how in ("path", "axis"))
        self.number(
            "radius",
            "Radius",
            "length",
            lambda: self.carrier.radius,
            self._edit("radius"),
            "How far from the axis the sections' origins stand",
            does="change the radius about the axis",
            shown=self._turned,
            worth=lambda: desk.quick.resolved.radius if desk.quick is not None else 0.0,
        )
        self._path_rows()
        self._axis_rows()
        self.tick(
            "The other way",
            lambda: self.carrier.back,
            lambda on: self._choose(back=on),
            shown=lambda: self.carrier.how != "straight",
        )
        self.tick(
            "Closed into a ring",
            lambda: desk.held.loft.ring,
            lambda on: self.do("close into a ring", lambda d: change_loft(d, desk.hand, ring=on)),
            shown=lambda: self.carrier.how in ("path", "axis") and desk.held.loft.span is None,
        )
        self.refresh()

    def _path_rows(self) -> None:
        self.pick(
            "Corners", CORNERS, lambda: self.carrier.corners, lambda how: self._choose(corners=how), shown=self._on_path
        )
        self.number(
            "bend",
            "Bend",
            "length",
            lambda: self.carrier.bend,
            self._edit("bend"),
            "The radius by which corners of the path are rounded",
            shown=lambda: self._on_path() and self.carrier.corners == "rounded",
        )

    def _axis_rows(self) -> None:
        desk = self.desk
        self._pick_of("Rim", lambda: [("", "none"), *carriers(desk, "path")], "rim", self._turned)
        self.pick(
            "Sized",
            SIZED,
            lambda: self.carrier.sized,
            lambda how: self._choose(sized=how),
            shown=lambda: self._turned() and bool(self.carrier.rim),
        )

    @property
    def carrier(self) -> Carrying:
        """What the body in hand is carried along."""
        return self.desk.held.loft.carrier

    def _on_path(self) -> bool:
        return self.carrier.how == "path"

    def _turned(self) -> bool:
        return self.carrier.how == "axis"

    def _leans(self) -> bool:
        return self._on_path() and self.carrier.hold in LEANS_ON

    def _drawn_on(self) -> list[Offer]:
        planes = [(ref, f"as it lies on {name}") for ref, name in carriers(self.desk, "plane")]
        return [("", "at its start"), *planes]

    def _pick_of(self, title: str, offers: Any, field: str, shown: Any) -> QLabel:
        """One of the design's things, for a field of the carrier: the label of its row."""
        box = self.pick(
            title, offers, lambda: getattr(self.carrier, field), lambda ref: self._choose(**{field: ref}), shown=shown
        )
        return title_of(box)

    def _edit(self, field: str) -> MakeEdit:
        def edit(design: Design, value: object) -> Design:
            key = self.desk.hand
            return change_loft(design, key, carrier=replace(design.body(key).loft.carrier, **{field: value}))

        return lambda value: lambda d: edit(d, given(value))

    def _choose(self, **changes: Any) -> None:
        """Another choice: what goes with it is chosen, too."""
        key = self.desk.hand
        if "how" in changes:
            carry_otherwise(self.desk, changes["how"])
        else:
            hold = changes.get("hold")
            if hold in LEANS_ON:
                refs = [ref for ref, _ in leaned_on(self.desk, hold)]
                if self.carrier.toward not in refs:
                    changes["toward"] = (refs or [""])[0]
            to = replace(self.carrier, **changes)
            again = partial(carry, key=key, to=to) if "on" in changes else partial(change_loft, key=key, carrier=to)
            self.do("carry the loft otherwise", again)
        self.refresh()
