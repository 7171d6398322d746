"""The form of a drawing that is chosen: where it lies, what it bounds, and what uses it."""

from __future__ import annotations

import math

from isotomon.app.forms.form import Form
from isotomon.app.forms.tables import two_columns
from isotomon.app.state.desk import Desk
from isotomon.design import edits
from isotomon.design.datums import BUILT_IN_NAMES
from isotomon.design.walk import users
from isotomon.errors import IsotomonError
from isotomon.profile.drawing import Drawing, replace
from isotomon.profile.drawn import Figures, figures_of
from isotomon.profile.loops import find_runs
from isotomon.quantity import display, to_unit

ALIKE_MOMENTS = 1e-6
"""Second moments nearer than this share of the greater are the same about every axis: none is principal."""


class DrawingForm(Form):
    """Its name and figures; the drawing itself is opened with F6."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__(desk)
        self.key = key
        self.text("Drawing", head=True)
        self.name(
            lambda: self._drawing().name,
            lambda text: lambda d: edits.change_drawing(d, key, lambda g: replace(g, name=text)),
            "drawing",
        )
        self.told(self._place, soft=True)
        self.told(self._figures)
        self.findings(lambda: {key})

    def _drawing(self) -> Drawing:
        return edits.find(self.design.drawings, self.key)

    def _place(self) -> str:
        """Where it lies, and what may be done with it."""
        key = self.key
        stands = ", ".join(s.name for s in edits.drawing_users(self.design, key)[:8])
        if stands:
            return f"Stands at {stands}. Draw in it with F6."
        along, plane = users(self.design, key), self._drawing().plane
        names = BUILT_IN_NAMES | {d.id: d.name for d in self.design.datums}
        lies = f"Lies on the {names[plane]}. " if plane in names else ""
        use = (
            f"Used by {', '.join(along[:6])}." if along else "Not used yet: extrude, revolve or sweep it (stage Shape)."
        )
        return f"{lies}{use} Draw in it with F6."

    def _figures(self) -> str:
        quick = self.desk.quick
        solution = quick.drawings.solutions.get(self.key) if quick is not None else None
        if solution is None:
            return ""
        try:
            runs = find_runs(solution.drawing)
            return two_columns(figure_lines(figures_of(runs.outer, runs.holes), self.unit)) if runs.outer else ""
        except IsotomonError:
            return ""


def figure_lines(f: Figures, unit: str) -> list[tuple[str, str]]:
    """(title, figure) of a closed run, in a unit."""
    s = to_unit(1.0, unit)
    alike = f.i_max - f.i_min < ALIKE_MOMENTS * f.i_max
    return [
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
