"""How a loft is carried: its rails and how they act, the ties set by hand, the turn these cause, and its ends."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.app.forms.form import Form, Offer, given
from isotomon.app.forms.wiring import MakeEdit
from isotomon.app.state.desk import Desk
from isotomon.design import bodies, loft_edits
from isotomon.design.body import Ending, Loft
from isotomon.quantity import Kind, display

HOW = {
    "free": "Free",
    "square": "Square to its plane",
    "leaning": "Leaning outward",
    "flush": "Flush with that body",
    "fair": "Fair with that body",
}
ENDS = (("first", "First end"), ("last", "Last end"))
NUMBERS: tuple[tuple[str, Kind, str], ...] = (
    ("angle", "angle", "From square to the plane; outward is positive"),
    ("strength", "length", "Over what length the skin is brought to it; nought: the whole bay"),
)


class LoftForm(Form):
    """Edits the loft's rails and ties through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.rails = QWidget()
        self.rail_column = QVBoxLayout(self.rails)
        self.rail_column.setContentsMargins(0, 0, 0, 0)
        self.rail_column.setSpacing(2)
        self._shown: list[Offer] | None = None
        self.row(self.rails, self._refresh_rails)
        self.pick(
            "", self._free, lambda: "", self._add_rail, shown=lambda: len(self._free()) > 1, name="Follow another guide"
        )
        self.pick(
            "",
            {"evenly": "Scale and turn evenly", "stretch": "Stretch towards them"},
            lambda: "stretch" if self.loft.stretch else "evenly",
            lambda how: self.do(
                "change how rails act", partial(bodies.change_loft, key=desk.hand, stretch=how == "stretch")
            ),
            shown=lambda: bool(self.loft.rails),
            name="Rails act",
        )
        self.told(self._turn)
        self.button(
            "Even out: all ties automatic",
            lambda: self.do("even the ties out", lambda d: loft_edits.remove_ties(d, desk.hand)),
            shown=lambda: bool(self.loft.ties),
        )
        for k, (which, title) in enumerate(ENDS):
            self._end(k, which, title)
        self.refresh()

    @property
    def loft(self) -> Loft:
        """How the body in hand is shaped."""
        return self.desk.held.loft

    # Rails and ties

    def _free(self) -> list[Offer]:
        used = {r.guide for r in self.loft.rails}
        first = "Follow a guide…" if not used else "Follow another guide…"
        return [("", first), *((g.id, g.name) for g in self.design.guides if g.id not in used)]

    def _add_rail(self, key: str) -> None:
        if key:
            self.do("use as a rail", lambda d: loft_edits.add_rail(d, self.desk.hand, key))

    def _refresh_rails(self) -> None:
        names = {g.id: g.name for g in self.design.guides}
        wanted = [(r.id, names.get(r.guide, r.guide)) for r in self.loft.rails]
        if wanted == self._shown:
            return
        self._shown = wanted
        while (item := self.rail_column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for key, name in wanted:
            self.rail_column.addWidget(self._rail_row(key, name))

    def _rail_row(self, key: str, name: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        out = QPushButton("Take out")
        out.setAccessibleName(f"Take rail {name} out")
        out.clicked.connect(lambda *_: self.do("take the rail out", lambda d: loft_edits.remove_rail(d, key)))
        line.addWidget(QLabel(f"Rail: {name}"), 1)
        line.addWidget(out)
        return row

    def _turn(self) -> str:
        lines, quick = [], self.desk.quick
        if self.loft.ties:
            lines.append(f"{len(self.loft.ties)} tie{'s' if len(self.loft.ties) > 1 else ''} set by hand")
        if self.loft.turns:
            lines.append(f"{sum(t.turns for t in self.loft.turns)} whole turns added")
        if quick is not None and quick.unintended is not None and quick.shape is not None:
            worst = max((abs(float(u)) for u in quick.unintended), default=0.0)
            lines.append(f"Turn by ties up to {display(math.degrees(worst), 2)}°")
        return "\n".join(lines)

    # Its ends

    def _end(self, k: int, which: str, title: str) -> None:
        def ending() -> Ending:
            found: Ending = getattr(self.loft, which)
            return found

        def edit(name: str) -> MakeEdit:
            return lambda v: lambda d: bodies.change_ending(d, self.desk.hand, which, **{name: given(v)})

        def worth(name: str) -> float:
            quick = self.desk.quick
            numbers = quick.resolved.ends[k] if quick is not None else None
            return float(getattr(numbers, name)) if numbers is not None else 0.0

        def wanted(name: str) -> bool:
            return not self.loft.ring and (ending().how == "leaning" if name == "angle" else ending().how != "free")

        self.pick(
            title,
            HOW,
            lambda: ending().how,
            lambda how: self.do("change an end", lambda d: bodies.change_ending(d, self.desk.hand, which, how=how)),
            shown=lambda: not self.loft.ring,
        )
        for name, kind, tip in NUMBERS:
            self.number(
                f"{which} {name}",
                name.capitalize(),
                kind,
                lambda name=name: getattr(ending(), name),  # type: ignore[misc]
                edit(name),
                tip,
                does=f"change an end's {name}",
                shown=partial(wanted, name),
                worth=partial(worth, name),
            )
        self.told(lambda: self._reached(k, ending().how), soft=True)

    def _reached(self, k: int, how: str) -> str:
        """How an end came to leave its plane."""
        quick = self.desk.quick
        if quick is None or quick.full is None or quick.shape is None or self.loft.ring:
            return ""
        low, high = np.degrees(quick.full.leans[k])
        done = quick.full.reached[k]
        if done is not None:
            return f"Reached: kink {math.degrees(done.kink):.1g}°, curvature step {done.step:.1g} of the greatest"
        if how in ("free", "flush", "fair"):
            return f"Leans {display(float(low), 2)}° to {display(float(high), 2)}°"
        numbers = quick.resolved.ends[k]
        aim = math.degrees(numbers.angle) if numbers is not None else 0.0
        return f"Reached within {max(abs(low - aim), abs(high - aim)):.2g}°"
