"""Details of the checks of shape: what is looked at, and the figures that came of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from isotomon.app.board.overlay import table_of
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.form import Form
from isotomon.app.tools.datums import candidates
from isotomon.app.tools.shape_checks import COLOURS, ShapeChecks
from isotomon.measure.joins import Joint
from isotomon.quantity import Kind, display

_PLAIN = {"x": "X", "-x": "−X", "y": "Y", "-y": "−Y", "z": "Z", "-z": "−Z"}
MOST_JOINS = 12


class ShapeForm(Form):
    """Chooses what is looked at; follows the checks."""

    TITLES = 92

    def __init__(self, checks: ShapeChecks) -> None:
        super().__init__(checks.w.desk)
        self.checks = checks
        axes = {ref: f"Along {name}" for ref, name in candidates(self.design, "A") if ref not in ("x", "y", "z")}
        self.text("Checks of shape", head=True)
        self._pick_of("Colour by", COLOURS, "colour")
        self._pick_of("Pull along", {**_PLAIN, **axes}, "pull", lambda: checks.wanted.colour == "slope")
        self.told(lambda: f"From {checks.reference_name}" if checks.reference_name and self._deviation() else "")
        self.button("Take this shape as reference", checks.take_reference, shown=self._deviation)
        self.told(self._figures)
        self.told(lambda: table_of(list(checks.seen.rows)) if checks.seen is not None and checks.seen.rows else "")
        self._pick_of("Light stripes", {"": "None", "z": "Along Z", "x": "Along X", "y": "Along Y"}, "lamps")
        self._count_of(
            "count", "Stripes", "ratio", "How many pairs of dark and light all round", lambda: bool(checks.wanted.lamps)
        )
        planes = {"": "None", "y": "Square to Y", "x": "Square to X", "z": "Square to Z", **axes}
        self._pick_of("Section curves", planes, "along")
        self._count_of(
            "spacing",
            "Spacing",
            "length",
            "Between the planes; nought: about twenty curves",
            lambda: bool(checks.wanted.along),
        )
        self._tick_of("Joins of the faces", "joins")
        self.told(self._joins)
        self._tick_of("Fairness of area and turn", "fair")
        self.told(
            lambda: _fair_words(checks.seen.fair) if checks.seen is not None and checks.seen.fair is not None else ""
        )
        self.told(lambda: f"✕ {checks.seen.trouble}" if checks.seen is not None and checks.seen.trouble else "")
        self.refresh()

    def _wanted(self, name: str) -> Any:
        return getattr(self.checks.wanted, name)

    def _deviation(self) -> bool:
        return bool(self.checks.wanted.colour == "deviation")

    def _pick_of(
        self, title: str, items: Mapping[str, str], name: str, shown: Callable[[], bool] | None = None
    ) -> None:
        self.pick(title, items, lambda: self._wanted(name), lambda to: self.checks.set(**{name: to}), shown=shown)

    def _tick_of(self, title: str, name: str) -> None:
        self.tick(title, lambda: self._wanted(name), lambda on: self.checks.set(**{name: on}))

    def _count_of(self, name: str, title: str, kind: Kind, tip: str, shown: Callable[[], bool]) -> None:
        """A number that is of the checks, and not of the design: a plain one."""
        field = NumberField(title, kind, self.unit if kind == "length" else "", tip)

        def entered(value: object) -> None:
            wrong = "a plain number is wanted here" if not isinstance(value, float) or value < 0.0 else ""
            field.explain(wrong)
            if isinstance(value, float) and not wrong:
                self.checks.set(**{name: round(value) if name == "count" else value})

        field.entered.connect(entered)
        field.scrubbed.connect(lambda number: entered(max(float(number), 0.0)))
        self.row(field, lambda: field.set_value(float(self._wanted(name)), float(self._wanted(name))), shown)

    def _figures(self) -> str:
        seen, lines = self.checks.seen, []
        colouring = seen.colouring if seen is not None else None
        if colouring is not None:
            for word, (value, place) in (("Greatest", colouring.greatest), ("Least", colouring.least)):
                lines.append(f"{word} {display(value, 4)} {colouring.unit} at {_place(place)}")
        if seen is not None and seen.lines:
            total = sum(float(np.linalg.norm(np.diff(p, axis=0), axis=1).sum()) for _, p in seen.lines)
            lines.append(f"{len(seen.lines)} section curves, {display(total, 1)} mm in all")
        return "\n".join(lines)

    def _joins(self) -> str:
        seen, body = self.checks.seen, self.desk.body
        names = {s.id: s.name for s in body.stations} if body is not None else {}
        return _join_words(seen.joins, names) if seen is not None and self.checks.wanted.joins else ""


def _place(place: tuple[float, float, float]) -> str:
    return ", ".join(display(c, 1) for c in place)


def _join_words(joins: tuple[Joint, ...], names: Mapping[str, str]) -> str:
    if not joins:
        return "The skin is one face: it meets nothing."
    lines = []
    for j in joins[:MOST_JOINS]:
        low, high = math.degrees(j.least), math.degrees(j.angle)
        how = (
            f"edge of {low:.3g}° to {high:.3g}°"
            if j.step is None
            else f"smooth, kink {_small(high)}°, curvature step {_small(j.step * 1e3)} 1/m"
        )
        lines.append(f"{_faces(j, names)}: {how}, gap {_small(j.gap)} mm")
    if len(joins) > MOST_JOINS:
        lines.append(f"and {len(joins) - MOST_JOINS} more")
    return "\n".join(lines)


def _small(value: float) -> str:
    """A measured figure; what is only rounding is nought."""
    return "0" if value < 1e-8 else f"{value:.2g}"


def _faces(joint: Joint, names: Mapping[str, str]) -> str:
    """The two faces by their ties and the station they begin at."""
    first, second = (_face(name, names) for name in (joint.first, joint.second))
    if first[1] == second[1]:
        return f"{first[0]} and {second[0]}, from {first[1]}"
    return (
        f"{first[0]} at {second[1]}"
        if first[0] == second[0]
        else f"{first[0]} from {first[1]} and {second[0]} from {second[1]}"
    )


def _face(name: str, names: Mapping[str, str]) -> tuple[str, str]:
    lane, _, rest = name.removeprefix("lane ").partition(" from ")
    station, _, side = rest.partition(" ")
    return f"Face {lane} {side}".strip(), names.get(station, station)


def _fair_words(fair: Mapping[str, np.ndarray]) -> str:
    lines = []
    for name, places in fair.items():
        if not len(places):
            lines.append(f"{name.capitalize()} bends one way all along: fair.")
        else:
            where = ", ".join(display(float(z), 0) for z in places[:8])
            lines.append(
                f"{name.capitalize()} changes its bend {len(places)} time{'s' if len(places) > 1 else ''}, at {where} mm."
            )
    return "\n".join(lines)
