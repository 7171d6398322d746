"""The form of the body in hand: its look, what it makes, how it is shaped, what is done with it, and its figures."""

from __future__ import annotations

import math
from functools import partial

import numpy as np

from isotomon.app.forms.along import AlongForm
from isotomon.app.forms.carrier import CarrierForm
from isotomon.app.forms.form import Form, plain
from isotomon.app.forms.loft import LoftForm
from isotomon.app.forms.makes import MakesForm
from isotomon.app.forms.making import MakingForm
from isotomon.app.forms.steps import StepsForm
from isotomon.app.forms.tables import two_columns
from isotomon.app.state.desk import Desk
from isotomon.design import bodies
from isotomon.design.body import Loft
from isotomon.design.materials import MATERIALS
from isotomon.design.pieces import origin_of
from isotomon.inspect.finished import in_names
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import changes_sections
from isotomon.kernel.protocol import Built
from isotomon.quantity import display, to_unit
from isotomon.solids.plan import finished_key

SEEN = {"shown": "Shown", "see-through": "See-through", "hidden": "Hidden"}
COLOURS = {
    "": "As usual",
    "#E6DFD3": "Porcelain",
    "#B08D57": "Bronze",
    "#8FA3A8": "Slate",
    "#1F7A6D": "Verdigris",
    "#B9770E": "Ochre",
    "#6B4E71": "Plum",
}
BETWEEN = {"smooth": "Smooth", "ruled": "Straight rulings"}


class BodyForm(Form):
    """Edits the body in hand through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.text("Body", head=True)
        self.name(
            lambda: desk.held.name, lambda text: partial(bodies.change_body, key=desk.hand, name=text), "body"
        ).setToolTip("The name in the STEP file")
        self.pick(
            "Seen",
            SEEN,
            lambda: desk.held.seen,
            lambda how: self.do(f"{how} body", partial(bodies.change_body, key=desk.hand, seen=how)),
        )
        self.pick(
            "Colour",
            {desk.held.colour: desk.held.colour} | COLOURS if desk.held.colour not in COLOURS else COLOURS,
            lambda: desk.held.colour,
            lambda colour: self.do("colour the body", partial(bodies.change_body, key=desk.hand, colour=colour)),
        )
        self.part(MakesForm(desk))
        if isinstance(desk.held.shaped, Loft):
            self._shaped()
        elif desk.held.making is not None:
            self.part(MakingForm(desk))
        steps = StepsForm(desk)
        self.row(steps, steps.refresh)
        self._material()
        self.text("Figures", group=True)
        self.told(self._figures)
        self.told(self._solid)
        self.button(
            "Build the solid again", desk.rebuild_solid, shown=lambda: not (solid_state(desk)[1] or desk.building)
        )
        self.findings(lambda: {desk.hand, *(r.id for r in desk.held.loft.rails)})

    def _shaped(self) -> None:
        """How it is shaped; one that was brought in is as it is."""
        desk = self.desk
        if len(desk.held.stations) > 1:
            self.pick(
                "Between",
                BETWEEN,
                lambda: "ruled" if desk.held.loft.ruled else "smooth",
                lambda how: self.do(
                    "smooth or ruled", partial(bodies.change_loft, key=desk.hand, ruled=how == "ruled")
                ),
            )
        for form in (CarrierForm(desk), AlongForm(desk), LoftForm(desk)):
            self.part(form)

    def _material(self) -> None:
        desk = self.desk
        self.pick(
            "Material",
            {"": "not said", **{name: name for name in MATERIALS}},
            lambda: desk.held.material,
            lambda name: self.do(
                "choose the material",
                partial(bodies.change_body, key=desk.hand, material=name, density=MATERIALS.get(name)),
            ),
        )
        field = self.number(
            "density",
            "Density",
            "ratio",
            lambda: desk.held.density,
            lambda v: lambda d: bodies.change_body(d, desk.hand, density=None if v is None else plain(v), material=""),
            "kg/m³; leave blank when the mass is not wanted",
            does="change the density",
            blank="none",
        )
        field.unit_label.setText("kg/m³")

    # Figures

    def _solid(self) -> str:
        text, good = solid_state(self.desk)
        return f"{'✓' if good else '…' if self.desk.building else '▲'} {text}"

    def _figures(self) -> str:
        quick = self.desk.quick
        if quick is not None and quick.body.ready:
            words = origin_of(quick.design, quick.body)
            return f"{words[0].upper()}{words[1:]}: it has no stations and no laws."
        if quick is not None and quick.sheet is not None:
            return two_columns(self._finished(quick)) or f"{origin_of(quick.design, quick.body).capitalize()}."
        if quick is None or quick.full is None or quick.shape is None:
            return "…"
        return two_columns([*self._finished(quick), *_shape_figures(quick)])

    def _finished(self, quick: Quick) -> list[tuple[str, str]]:
        """Of a body that is worked on, or others are combined with: what it has come to, before what it is shaped as."""
        body, unit = quick.body, quick.design.unit
        built, scale = quick.finished.get(body.id), to_unit(1.0, quick.design.unit)
        if built is None or not changes_sections(quick):
            return []
        lines = [
            ("Finished", f"{built.volume * scale**3:,.1f} {unit}³"),
            ("Finished surface", f"{built.area * scale**2:,.1f} {unit}²"),
            ("Finished centre", ", ".join(display(x * scale, 2) for x in built.centre)),
        ]
        if body.density is not None:
            lines.append(("Finished mass", f"{built.volume * body.density * 1e-9:.5g} kg"))
        return [*lines, ("As shaped:", "")] if quick.shape is not None else lines


def _shape_figures(quick: Quick) -> list[tuple[str, str]]:
    assert quick.full is not None and quick.shape is not None
    body, unit, scale = quick.full.body, quick.design.unit, to_unit(1.0, quick.design.unit)
    copies, length = len(quick.placed), quick.shape.field.last - quick.shape.field.first
    lines = [("Volume", "– (a skin)" if quick.shape.open else f"{body.volume * scale**3:,.1f} {unit}³")]
    if copies > 1:
        lines.append((f"Of {copies} copies", f"{quick.volume * scale**3:,.1f} {unit}³"))
    lines += [
        ("Surface", f"{body.area * scale**2:,.1f} {unit}²"),
        ("Centre", ", ".join(display(float(x) * scale, 2) for x in body.centre)),
        ("Length", f"{display(length * scale, 3)} {unit}"),
        ("Turn in all", f"{display(math.degrees(quick.shape.curves.turn_in_all), 3)}°"),
    ]
    if quick.body.density is not None and not quick.shape.open:
        principal = np.linalg.eigvalsh(body.inertia(quick.body.density))
        lines.append(("Mass", f"{body.mass(quick.body.density):.5g} kg"))
        lines.append(("Inertia", ", ".join(f"{i * 1e-6:.4g}" for i in principal) + " kg·m²"))
    return lines


def solid_state(desk: Desk) -> tuple[str, bool]:
    """The state of the solid in words, and whether it is good."""
    quick, solid = desk.quick, desk.solid
    if quick is None or not quick.there:
        return "No solid: there is no body yet.", False
    if desk.building:
        return "The solid is being built…", False
    if solid is None or desk.solid_key != finished_key(quick):
        errors = [f for f in quick.findings if f.severity == "error"]
        return (f"No solid: {errors[0].text}" if errors else "The solid is not built."), False
    if not isinstance(solid, Built):
        return f"No solid: {solid.text}.", False
    told = "; ".join(in_names(quick, words) for words in solid.told)
    told = f" Brought in: {told}." if told and quick.body.file else f" {told[:1].upper()}{told[1:]}." if told else ""
    if not solid.pieces:
        words = "valid" if solid.valid else "not valid"
        return f"Skin: {words}, {_faces(solid)}, {solid.area:,.1f} mm².{told}", solid.valid
    sound = solid.valid and solid.watertight
    words = "valid, watertight" if sound else "not valid" if not solid.valid else "not watertight"
    pieces = f" in {solid.pieces} pieces" if solid.pieces > 1 else ""
    return f"Solid: {words}{pieces}, {_faces(solid)}, {solid.volume:,.1f} mm³.{told}", sound


def _faces(built: Built) -> str:
    return f"{len(built.names)} face{'' if len(built.names) == 1 else 's'}"
