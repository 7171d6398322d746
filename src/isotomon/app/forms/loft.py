"""How a loft is carried: its rails and how they act, the ties set by hand, and the turn these cause."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.design import bodies, loft_edits
from isotomon.design.body import Body
from isotomon.quantity import display

HOW = {
    "free": "Free",
    "square": "Square to its plane",
    "leaning": "Leaning outward",
    "flush": "Flush with that body",
    "fair": "Fair with that body",
}


class LoftForm(QWidget):
    """Edits the loft's rails and ties through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = column_of(self)
        self.rails = QWidget()
        self.rail_column = QVBoxLayout(self.rails)
        self.rail_column.setContentsMargins(0, 0, 0, 0)
        self.rail_column.setSpacing(2)
        self.add = choice("Follow another guide")
        self.add.activated.connect(self._add_rail)
        self.act = choice("Rails act")
        self.act.addItem("Scale and turn evenly", False)
        self.act.addItem("Stretch towards them", True)
        self.act.activated.connect(
            lambda row: desk.do(
                "change how rails act", lambda d: bodies.change_loft(d, desk.hand, stretch=self.act.itemData(row))
            )
        )
        self.ties = QLabel()
        self.ties.setWordWrap(True)
        self.even = QPushButton("Even out: all ties automatic")
        self.even.clicked.connect(lambda: desk.do("even the ties out", lambda d: loft_edits.remove_ties(d, desk.hand)))
        for widget in (self.rails, self.add, self.act, self.ties, self.even):
            column.addWidget(widget)
        self.fields: dict[str, NumberField] = {}
        self.how: dict[str, QComboBox] = {}
        self.rows: dict[str, QWidget] = {}
        self.reached: dict[str, QLabel] = {}
        for which, title in (("first", "First end"), ("last", "Last end")):
            self._make_end(column, which, title)
        self._shown: list[tuple[str, str]] | None = None
        self.refresh()

    def _make_end(self, column: QVBoxLayout, which: str, title: str) -> None:
        box = choice(title, HOW)
        box.activated.connect(
            lambda k: self.desk.do(
                "change an end", lambda d: bodies.change_ending(d, self.desk.hand, which, how=box.itemData(k))
            )
        )
        self.rows[which] = titled(title, box)
        column.addWidget(self.rows[which])
        self.how[which] = box
        unit = self.desk.design.unit if self.desk.design is not None else "mm"
        for name, kind, tip in (
            ("angle", "angle", "From square to the plane; outward is positive"),
            ("strength", "length", "Over what length the skin is brought to it; nought: the whole bay"),
        ):
            field = NumberField(name.capitalize(), kind, unit if kind == "length" else "deg", tip)  # type: ignore[arg-type]
            wire(
                self.desk,
                field,
                f"change an end's {name}",
                lambda v, n=name: (
                    lambda d: bodies.change_ending(d, self.desk.hand, which, **{n: 0.0 if v is None else v})
                ),  # type: ignore[misc]
            )
            self.fields[f"{which} {name}"] = field
            column.addWidget(field)
        self.reached[which] = QLabel()
        self.reached[which].setProperty("soft", True)
        self.reached[which].setWordWrap(True)
        column.addWidget(self.reached[which])

    def _refresh_ends(self, body: Body) -> None:
        quick = self.desk.quick
        for row, which in enumerate(("first", "last")):
            self.rows[which].setVisible(not body.loft.ring)
            ending = getattr(body.loft, which)
            self.how[which].setCurrentIndex(self.how[which].findData(ending.how))
            for name, shown in (("angle", ending.how == "leaning"), ("strength", ending.how != "free")):
                field = self.fields[f"{which} {name}"]
                field.setVisible(shown and not body.loft.ring)
                numbers = quick.resolved.ends[row] if quick is not None else None
                field.set_value(getattr(ending, name), getattr(numbers, name) if numbers is not None else 0.0)
            text = ""
            if quick is not None and quick.full is not None and quick.shape is not None:
                low, high = np.degrees(quick.full.leans[row])
                done = quick.full.reached[row]
                if done is not None:
                    text = (
                        f"Reached: kink {math.degrees(done.kink):.1g}°, curvature step {done.step:.1g} of the greatest"
                    )
                elif ending.how in ("free", "flush", "fair"):
                    text = f"Leans {display(float(low), 2)}° to {display(float(high), 2)}°"
                else:
                    aim = math.degrees(numbers.angle) if numbers is not None else 0.0
                    text = f"Reached within {max(abs(low - aim), abs(high - aim)):.2g}°"
            self.reached[which].setText(text)
            self.reached[which].setVisible(bool(text) and not body.loft.ring)

    def _add_rail(self, row: int) -> None:
        key = self.add.itemData(row)
        if key:
            self.desk.do("use as a rail", lambda d: loft_edits.add_rail(d, self.desk.hand, key))

    def _remove(self, key: str, *_: object) -> None:
        self.desk.do("take the rail out", lambda d: loft_edits.remove_rail(d, key))

    def refresh(self) -> None:
        """The loft as it is now."""
        design, body, quick = self.desk.design, self.desk.body, self.desk.quick
        if design is None or body is None:
            return
        loft = body.loft
        names = {g.id: g.name for g in design.guides}
        wanted = [(r.id, names.get(r.guide, r.guide)) for r in loft.rails]
        if wanted != self._shown:
            self._shown = wanted
            while (item := self.rail_column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            for key, name in wanted:
                self.rail_column.addWidget(self._rail_row(key, name))
        free = [(g.id, g.name) for g in design.guides if all(r.guide != g.id for r in loft.rails)]
        self.add.clear()
        self.add.addItem("Follow a guide…" if not wanted else "Follow another guide…", "")
        for key, name in free:
            self.add.addItem(name, key)
        self.add.setVisible(bool(free))
        self.act.setVisible(bool(wanted))
        self.act.setCurrentIndex(int(loft.stretch))
        lines = []
        if loft.ties:
            lines.append(f"{len(loft.ties)} tie{'s' if len(loft.ties) > 1 else ''} set by hand")
        if loft.turns:
            lines.append(f"{sum(t.turns for t in loft.turns)} whole turns added")
        if quick is not None and quick.unintended is not None and quick.shape is not None:
            worst = max((abs(float(u)) for u in quick.unintended), default=0.0)
            lines.append(f"Turn by ties up to {display(math.degrees(worst), 2)}°")
        self.ties.setText("\n".join(lines))
        self.ties.setVisible(bool(lines))
        self.even.setVisible(bool(loft.ties))
        self._refresh_ends(body)

    def _rail_row(self, key: str, name: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        out = QPushButton("Take out")
        out.setAccessibleName(f"Take rail {name} out")
        out.clicked.connect(partial(self._remove, key))
        line.addWidget(QLabel(f"Rail: {name}"), 1)
        line.addWidget(out)
        return row
