"""The form of a guide: what it is made from, its points, numbers and choices, its figures and joins, its use as a rail."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QLineEdit, QPushButton, QWidget

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.mends import MendList
from isotomon.app.forms.wiring import wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.guides import guide_candidates, point_candidates, slots_of
from isotomon.design import edits, loft_edits
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.walk import users
from isotomon.errors import IsotomonError
from isotomon.evaluate.guides import joined_run
from isotomon.geometry import space
from isotomon.inspect.looks import ground_of
from isotomon.quantity import Kind, Value, display, resolve, to_unit

_SLOTS = {"c": "Curve", "D": "Drawing", "S": "Skin", "V": "Along", "P": "Plane", "R": "Axis or cylinder"}
_FREE = "Its own way"
_POINT_FIELDS = ("x", "y", "z", "pull")


class GuideForm(QWidget):
    """Edits one guide through the desk."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__()
        self.desk, self.key, self.at = desk, key, 0
        self.fields: dict[str, NumberField] = {}
        self.column = column_of(self)
        guide = self._guide()
        head = QLabel(guide.way.title)
        head.setProperty("head", True)
        head.setWordWrap(True)
        self.name = QLineEdit(guide.name)
        self.name.setAccessibleName("Name")
        self.name.editingFinished.connect(self._rename)
        self.rail = QCheckBox("Rail: the loft follows it")
        self.rail.clicked.connect(self._use)
        for widget in (head, self.name, self.rail):
            self.column.addWidget(widget)
        self.slots: list[QComboBox] = []
        self._make_slots(guide)
        self.choices: list[QComboBox] = []
        for index, (title, allowed) in enumerate(guide.way.choices):
            box = self._box(title)
            for word in allowed:
                box.addItem(word.capitalize(), word)
            box.activated.connect(partial(self._choose, index))
            self.choices.append(box)
        self._make_points(guide)
        self._make_numbers(guide)
        self.figures, self.users = QLabel(), QLabel()
        self.wrong = MendList(desk)
        self.column.addWidget(self.wrong)
        self.column.addWidget(self.figures)
        self.column.addWidget(self.users)
        for label in (self.figures, self.users):
            label.setWordWrap(True)
        self.users.setProperty("soft", True)
        self.refresh()

    def _guide(self) -> Guide:
        assert self.desk.design is not None
        return edits.find(self.desk.design.guides, self.key)

    def _box(self, title: str) -> QComboBox:
        """A choice with its title beside it."""
        box = choice(title)
        self.column.addWidget(titled(title, box))
        return box

    def _make_slots(self, guide: Guide) -> None:
        letters = slots_of(guide.kind) if guide.way.on != "c*" else ["c"] * len(guide.on)
        for number, letter in enumerate(letters):
            box = self._box(_SLOTS[letter] if len(letters) < 3 else f"{_SLOTS[letter]} {number + 1}")
            box.activated.connect(partial(self._pick, number))
            self.slots.append(box)
        if guide.way.on == "c*":
            self._button("Join another", "The next curve or edge of the run", self._join_another)
            if len(guide.on) > 1:
                self._button("Leave the last one out", "", self._leave_last)

    def _make_points(self, guide: Guide) -> None:
        self.point_box: QComboBox | None = None
        if guide.kind not in ("through", "on-skin"):
            return
        self.point_box = self._box("Point")
        self.point_box.activated.connect(self._go_to_point)
        if guide.kind == "through":
            self.on_box = self._box("At")
            self.on_box.activated.connect(lambda row: self._set_point(on=self.on_box.itemData(row)))
        assert self.desk.design is not None
        unit = self.desk.design.unit
        rows: tuple[tuple[str, str, Kind, str], ...] = (
            ("x", "X", "length", "Coordinate, or how far from the point it is at"),
            ("y", "Y", "length", "Coordinate, or how far from the point it is at"),
            ("z", "Z", "length", "Coordinate, or how far from the point it is at"),
            ("pull", "Pull", "length", "How long the handle is; nought for the usual length"),
        )
        if guide.kind == "on-skin":
            rows = (
                ("x", "Round", "ratio", "The share of the way round the section, 0 to 1"),
                ("z", "Along", "length", "The position along the body"),
            )
        for name, title, kind, tip in rows:
            if name == "pull":
                self.toward_box = self._box("Heads")
                self.toward_box.activated.connect(lambda row: self._head(self.toward_box.itemData(row)))
            field = NumberField(title, kind, unit if kind == "length" else "", tip)
            wire(self.desk, field, f"move a point of {guide.name}", lambda v, n=name: self._point_edit(n, v))  # type: ignore[misc]
            self.fields[name] = field
            self.column.addWidget(field)
        self._button("Another point after it", "Halfway to the next one", self._add_point)
        self._button("Remove the point", "", self._remove_point)
        if guide.kind == "through":
            self._button("Handles all as long as this one", "Each handle's pull made equal", self._equal_handles)

    def _make_numbers(self, guide: Guide) -> None:
        assert self.desk.design is not None
        for index, given in enumerate(guide.way.fields):
            unit = self.desk.design.unit if given.kind == "length" else "deg" if given.kind == "angle" else ""
            tip = given.title
            if guide.kind == "helix" and given.title in ("Pitch", "Radius"):
                tip += "; a formula with `fraction` (0 at its start, 1 at its end) makes it change along the helix"
            field = NumberField(given.title, given.kind, unit, tip)
            wire(self.desk, field, f"change {guide.name}", lambda v, k=index: self._number_edit(k, v))  # type: ignore[misc]
            self.fields[str(index)] = field
            self.column.addWidget(field)

    def _button(self, text: str, tip: str, run: Callable[[], None]) -> None:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda: run())
        self.column.addWidget(button)

    # Changing

    def _rename(self) -> None:
        text = self.name.text().strip()
        if text and text != self._guide().name:
            self.desk.do("rename the guide", lambda d: loft_edits.change_guide(d, self.key, name=text))

    def _use(self, on: bool) -> None:
        rail = self._rail_id()
        if on:
            self.desk.do("use as a rail", lambda d: loft_edits.add_rail(d, self.desk.hand, self.key))
        elif rail:
            self.desk.do("take the rail out", lambda d: loft_edits.remove_rail(d, rail))

    def _rail_id(self) -> str:
        assert self.desk.design is not None
        return next((r.id for r in self.desk.held.loft.rails if r.guide == self.key), "")

    def _pick(self, slot: int, row: int) -> None:
        on = list(self._guide().on)
        on[slot] = self.slots[slot].itemData(row)
        self.desk.do("pick again", lambda d: loft_edits.change_guide(d, self.key, on=tuple(on)))

    def _choose(self, index: int, row: int) -> None:
        word = self.choices[index].itemData(row)
        title = self._guide().way.choices[index][0].lower()
        self.desk.do(f"change {title}", lambda d: loft_edits.set_guide_choice(d, self.key, index, word))

    def _number_edit(self, index: int, value: Value | None) -> Callable[[Design], Design]:
        return lambda d: loft_edits.set_guide_value(d, self.key, index, value if value is not None else 0.0)

    def _point_edit(self, name: str, value: Value | None) -> Callable[[Design], Design]:
        given, at = value if value is not None else 0.0, self.at
        return lambda d: loft_edits.set_guide_point(d, self.key, at, **{name: given})

    def _set_point(self, **changes: object) -> None:
        at = self.at
        self.desk.do("move the point", lambda d: loft_edits.set_guide_point(d, self.key, at, **changes))
        self.refresh()

    def _head(self, ref: str) -> None:
        if ref == "handle":
            return
        self._set_point(toward=ref, handle=None)

    def _go_to_point(self, row: int) -> None:
        self.at = row
        self.refresh()

    def _add_point(self) -> None:
        guide, at = self._guide(), self.at
        if guide.kind == "on-skin":
            near = guide.points[at], guide.points[min(at + 1, len(guide.points) - 1)]
            x, z = (
                float(np.mean([v for p in near if isinstance(v := getattr(p, n), float)] or [0.0])) for n in ("x", "z")
            )
            fresh = GuidePoint(x=x, z=z)
        else:
            quick = self.desk.quick
            curve = quick.guides.get(guide.id) if quick is not None else None
            if curve is None:
                return
            count = len(guide.points) - (0 if curve.closed else 1)
            x, y, z = np.round(curve.at(np.array([min((at + 0.5) / max(count, 1), 1.0)]))[0], 3).tolist()
            fresh = GuidePoint(x=x, y=y, z=z)
        points = (*guide.points[: at + 1], fresh, *guide.points[at + 1 :])
        if not self.desk.do("add a point", lambda d: loft_edits.change_guide(d, self.key, points=points)):
            self.at += 1
            self.refresh()

    def _remove_point(self) -> None:
        guide, at = self._guide(), self.at
        points = guide.points[:at] + guide.points[at + 1 :]
        if len(points) < 2:
            self.desk.said.emit("note", "A curve needs two points or more.")
            return
        self.desk.do("remove a point", lambda d: loft_edits.change_guide(d, self.key, points=points))
        self.at = max(at - 1, 0)
        self.refresh()

    def _equal_handles(self) -> None:
        guide = self._guide()
        pull = guide.points[self.at].pull
        points = tuple(edits.replace(p, pull=pull) for p in guide.points)
        self.desk.do("make handles equal", lambda d: loft_edits.change_guide(d, self.key, points=points))

    def _join_another(self) -> None:
        assert self.desk.design is not None
        guide = self._guide()
        free = [
            r
            for r, _ in guide_candidates(self.desk.design, "c", self.desk.held, self.desk.quick)
            if r != self.key and r not in guide.on
        ]
        if free:
            self.desk.do("join another", lambda d: loft_edits.change_guide(d, self.key, on=(*guide.on, free[0])))

    def _leave_last(self) -> None:
        on = self._guide().on[:-1]
        self.desk.do("leave one out", lambda d: loft_edits.change_guide(d, self.key, on=on))

    # Showing

    def refresh(self) -> None:
        """The guide as it is now."""
        design, quick = self.desk.design, self.desk.quick
        if design is None or all(g.id != self.key for g in design.guides):
            return
        guide = self._guide()
        if not self.name.isModified():
            self.name.setText(guide.name)
        self.rail.setChecked(bool(self._rail_id()))
        letters = slots_of(guide.kind) if guide.way.on != "c*" else ["c"] * len(guide.on)
        for box, letter, ref in zip(self.slots, letters, guide.on, strict=False):
            _offer(box, [c for c in guide_candidates(design, letter, self.desk.held, quick) if c[0] != self.key], ref)
        for box, word in zip(self.choices, guide.choices, strict=True):
            box.setCurrentIndex(box.findData(word))
        if quick is None:
            return
        names = quick.resolved.names
        for index, (given, value) in enumerate(zip(guide.way.fields, guide.values, strict=True)):
            _show(self.fields[str(index)], value, given.kind, names)
            self.fields[str(index)].setVisible(given.title not in _idle(guide))
        self._refresh_point(design, guide)
        self.wrong.show_findings([f for f in quick.findings if f.about in (self.key, self._rail_id() or self.key)])
        self.figures.setText(self._said(guide))
        used = users(design, self.key)
        self.users.setText("Used by " + ", ".join(used) if used else "Nothing is made from it yet.")
        layout = self.layout()
        assert layout is not None
        self.setMinimumHeight(layout.heightForWidth(max(self.width(), 200)))

    def _refresh_point(self, design: Design, guide: Guide) -> None:
        if self.point_box is None or not guide.points:
            return
        self.at = min(self.at, len(guide.points) - 1)
        words = [f"{k + 1} of {len(guide.points)}" for k in range(len(guide.points))]
        if [self.point_box.itemText(k) for k in range(self.point_box.count())] != words:
            self.point_box.clear()
            self.point_box.addItems(words)
        self.point_box.setCurrentIndex(self.at)
        point = guide.points[self.at]
        assert self.desk.quick is not None
        for name in _POINT_FIELDS:
            if name in self.fields:
                kind: Kind = "ratio" if guide.kind == "on-skin" and name == "x" else "length"
                _show(self.fields[name], getattr(point, name), kind, self.desk.quick.resolved.names)
        if guide.kind == "through":
            _offer(self.on_box, point_candidates(design, self.desk.held), point.on)
            ways = [("", _FREE), *guide_candidates(design, "V", self.desk.held, self.desk.quick)[1:]]
            ways += [("handle", "By its handle")] if point.handle is not None else []
            _offer(self.toward_box, ways, "handle" if point.handle is not None else point.toward)

    def _said(self, guide: Guide) -> str:
        quick = self.desk.quick
        curve = quick.guides.get(guide.id) if quick is not None else None
        if quick is None or curve is None:
            return ""
        unit, scale = quick.design.unit, to_unit(1.0, quick.design.unit)
        length = curve.length
        bend = np.linalg.norm(space.curvature(curve, np.linspace(0.002, 0.998, 201)), axis=1)
        tight = 1.0 / bend.max() if bend.max() > 1e-9 / length else np.inf
        lines = [f"Length {display(length * scale, 3)} {unit}{', closed' if curve.closed else ''}"]
        lines.append("Straight" if np.isinf(tight) else f"Tightest radius {display(float(tight) * scale, 3)} {unit}")
        if guide.kind == "joined":
            for k, join in enumerate(joined_run(ground_of(quick), guide)[1]):
                lines.append(
                    f"Join {k + 1}: gap {join.gap * scale:.3g} {unit}, kink {np.degrees(join.kink):.3g}°, "
                    f"curvature step {join.step / scale:.3g} /{unit}"
                )
        return "\n".join(lines)


def _offer(box: QComboBox, wanted: list[tuple[str, str]], ref: str) -> None:
    """What a box offers, with what it holds chosen; what is gone says so."""
    if ref not in [r for r, _ in wanted]:
        named = ref.partition("/")[2]
        kept = named.startswith(("at:", "c:")) or "." in named
        wanted = [(ref, f"{ref} (on the profile)" if kept else f"✕ {ref or 'nothing'}: pick again"), *wanted]
    if [(box.itemData(k), box.itemText(k)) for k in range(box.count())] != wanted:
        box.clear()
        for r, text in wanted:
            box.addItem(text, r)
    box.setCurrentIndex(box.findData(ref))


def _idle(guide: Guide) -> set[str]:
    """The numbers of a helix that its choices leave without effect: they are worked out, or not asked for."""
    if guide.kind != "helix":
        return set()
    worked, _, shape, leads = guide.choices
    idle = {worked.capitalize()}
    idle |= {"End radius"} if shape != "to the end radius" else set()
    idle |= {"Taper"} if shape != "by the taper" else set()
    return idle | ({"Fade by"} if leads != "fading" else set())


def _show(field: NumberField, value: Value, kind: Kind, names: object) -> None:
    try:
        field.set_value(value, resolve(value, kind, names))  # type: ignore[arg-type]
    except IsotomonError:
        field.set_value(value, 0.0)
