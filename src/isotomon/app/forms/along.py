"""How far a body goes on past its stations, and what changes along it: turn, sizes, offsets, draft, kept area."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QPushButton, QWidget

from isotomon.app.forms.choices import choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.wiring import MakeEdit, wire
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates, faces
from isotomon.design.bodies import change_loft
from isotomon.design.body import ALIKE, Along, Span, Wall
from isotomon.design.edits import replace
from isotomon.design.records import Design
from isotomon.quantity import Kind, Value, resolve

ALONG: tuple[tuple[str, str, Kind, str], ...] = (
    (
        "turn",
        "Turn",
        "angle",
        "In all, from the first end to the last; a formula in fraction or position is its course",
    ),
    ("turn_over", "Over every", "length", "The turn is for every such length; nought: for the whole body"),
    ("width", "Width", "ratio", "Times as wide at the last end; a formula in fraction or position is its course"),
    ("height", "Height", "ratio", "Times as high at the last end; a formula in fraction or position is its course"),
    ("offset_x", "Across", "length", "How far the section is moved across at the last end, or by a formula on the way"),
    ("offset_y", "Up", "length", "How far the section is moved up at the last end, or by a formula on the way"),
    ("draft", "Draft", "angle", "How far the skin leans outward from the way the body goes"),
)
SIDES = {"inside": "inside the profile", "middle": "about the profile", "outside": "outside the profile"}
REACH: tuple[tuple[str, str, str], ...] = (
    ("on", "On by", "How far the body goes on past its last station"),
    ("back", "Back by", "How far the body goes back before its first station"),
)


def change_span(design: Design, key: str, **changes: Any) -> Design:
    """A body reaching otherwise; a reach of nothing on a loft of stations is none."""
    body = design.body(key)
    span: Span = replace(body.loft.span or Span(), **changes)
    nothing = span == Span() and len(body.stations) > 1
    return change_loft(design, key, span=None if nothing else span)


def change_side(design: Design, key: str, side: str) -> Design:
    """The wall of a body on another side of its profiles."""
    wall = design.body(key).loft.wall
    return design if wall is None else change_loft(design, key, wall=replace(wall, side=side))


def change_along(design: Design, key: str, **changes: Any) -> Design:
    """A body with something else changing along it."""
    return change_loft(design, key, along=replace(design.body(key).loft.along, **changes))


class AlongForm(QWidget):
    """Edits reach and laws along the body through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of(self)
        self.fields: dict[str, NumberField] = {}
        self.whole = self._check(
            "Whole way", "go the whole way", lambda on: lambda d: change_span(d, desk.hand, whole=on)
        )
        self.up_to: dict[str, QComboBox] = {}
        self.rows: dict[str, QWidget] = {}
        turned = desk.body is not None and desk.body.loft.carrier.how == "axis"
        for name, title, tip in REACH:
            self._number(name, title, "angle" if turned else "length", tip, partial(self._span_edit, name))
            self._up_to(f"{name}_to", "up to")
        self.ends = self._check(
            "Round ends",
            "round the ends off",
            lambda on: lambda d: change_span(d, desk.hand, ends="round" if on else "flat"),
        )
        self.ends.setToolTip("Round ends are added beyond the ends of the body, half as far as its sections are wide")
        self.more = QPushButton("Turn, sizes and draft along it…")
        self.more.setToolTip("Laws along the body: turn, width, height, offsets, draft, kept area")
        self.more.clicked.connect(self._open)
        self.column.addWidget(self.more)
        for name, title, kind, tip in ALONG:
            self._number(name, title, kind, tip, partial(self._along_edit, name))
        self.keep = self._check(
            "Keep the area",
            "keep the area along the body",
            lambda on: lambda d: change_along(d, desk.hand, keep_area=on),
        )
        self.keep.setToolTip("Sections are sized so that their area stays what it is at the first end")
        self.wall = self._number(
            "wall",
            "Wall",
            "length",
            "How thick a wall along the profile is; blank: the body is not a wall",
            self._wall_edit,
            "none",
        )
        self.side = choice("Wall is", SIDES)
        self.side.activated.connect(
            lambda k: desk.do("the wall's side", lambda d: change_side(d, desk.hand, self.side.itemData(k)))
        )
        self.side_row = titled("It is", self.side)
        self.column.addWidget(self.side_row)
        self.shut = self._check(
            "Shut open profiles", "shut open profiles", lambda on: lambda d: change_loft(d, desk.hand, shut=on)
        )
        self.shut.setToolTip("Open profiles are closed by a straight line from their end to their start")
        self._opened = False
        self.refresh()

    def _open(self) -> None:
        self._opened = True
        self.refresh()

    def _check(self, text: str, title: str, edit: Callable[[bool], Callable[[Design], Design]]) -> QCheckBox:
        box = QCheckBox(text)
        box.clicked.connect(lambda on: self.desk.do(title, edit(on)))
        self.column.addWidget(box)
        return box

    def _number(self, name: str, title: str, kind: Kind, tip: str, edit: MakeEdit, blank: str = "") -> NumberField:
        unit = self.desk.design.unit if self.desk.design is not None else "mm"
        field = NumberField(title, kind, {"length": unit, "angle": "deg"}.get(kind, ""), tip, blank)
        wire(self.desk, field, f"change {title.lower()}", edit)
        self.fields[name] = field
        self.column.addWidget(field)
        return field

    def _up_to(self, name: str, title: str) -> None:
        box = choice(title)
        box.activated.connect(
            lambda k: self.desk.do(
                "go up to something", lambda d: change_span(d, self.desk.hand, **{name: box.itemData(k)})
            )
        )
        self.up_to[name], self.rows[name] = box, titled(title, box)
        self.column.addWidget(self.rows[name])

    def refresh(self) -> None:
        """Reach and laws as they are now."""
        design, body, quick = self.desk.design, self.desk.body, self.desk.quick
        if design is None or body is None:
            return
        loft, span = body.loft, body.loft.span or Span()
        goes = loft.span is not None or len(body.stations) == 1
        ended = loft.carrier.how in ("path", "axis")
        names = quick.resolved.names if quick is not None else {}
        through = not ended and goes and bool(self.desk.others)
        self.whole.setVisible(ended or through)
        words = {"axis": "Once round", "path": "The whole path"}
        self.whole.setText(words.get(loft.carrier.how, "Through all bodies"))
        self.whole.setChecked(span.whole)
        offers = candidates(design, "P") + candidates(design, "p")
        offers += [(p.id, p.name) for p in self.desk.others] + faces(quick, others=True)
        for name, _, _ in REACH:
            field, to = self.fields[name], getattr(span, f"{name}_to")
            field.setVisible(goes and not span.whole and not to)
            self._show(field, getattr(span, name), names)
            self._fill(self.up_to[f"{name}_to"], [("", "a distance"), *offers], to)
            self.rows[f"{name}_to"].setVisible(goes and not span.whole)
        self.ends.setVisible(goes and not (span.whole and loft.carrier.how == "axis"))
        self.ends.setChecked(span.ends == "round")
        opened = self._opened or loft.along != ALIKE
        self.more.setVisible(not opened)
        for name, _, _, _ in ALONG:
            self.fields[name].setVisible(opened)
            self._show(self.fields[name], getattr(loft.along, name), names)
        wall, open_ = loft.wall, self._open_profiles()
        self.wall.setVisible(goes or wall is not None or open_)
        self.wall.set_value(
            None if wall is None else wall.thickness, self._worked_out(wall.thickness if wall else 0.0, names)
        )
        self.side_row.setVisible(wall is not None)
        self.side.setCurrentIndex(self.side.findData(wall.side if wall is not None else "inside"))
        self.shut.setVisible(loft.shut or (open_ and wall is None))
        self.shut.setChecked(loft.shut)
        self.keep.setVisible(opened)
        self.keep.setChecked(loft.along.keep_area)

    def _open_profiles(self) -> bool:
        quick = self.desk.quick
        return quick is not None and quick.shape is not None and quick.shape.open

    def _show(self, field: NumberField, value: Value, names: dict[str, Any]) -> None:
        field.set_value(value, self._worked_out(value, names, field.kind))

    def _worked_out(self, value: Value, names: dict[str, Any], kind: Kind = "length") -> float:
        try:
            return resolve(value, kind, names)
        except ValueError:  # a course along the body is no number
            return float("nan")

    def _fill(self, box: QComboBox, offers: list[tuple[str, str]], now: str) -> None:
        box.clear()
        for key, text in offers:
            box.addItem(text, key)
        if box.findData(now) < 0:
            box.addItem(f"{now} (gone)", now)
        box.setCurrentIndex(box.findData(now))

    def _wall_edit(self, value: Value | None) -> Callable[[Design], Design]:
        key = self.desk.hand

        def edit(design: Design) -> Design:
            wall = design.body(key).loft.wall
            made = None if value is None else Wall(value, wall.side if wall is not None else "inside")
            return change_loft(design, key, wall=made)

        return edit

    def _span_edit(self, name: str, value: Value | None) -> Callable[[Design], Design]:
        return lambda d: change_span(d, self.desk.hand, **{name: 0.0 if value is None else value})

    def _along_edit(self, name: str, value: Value | None) -> Callable[[Design], Design]:
        default = getattr(Along(), name)
        return lambda d: change_along(d, self.desk.hand, **{name: default if value is None else value})
