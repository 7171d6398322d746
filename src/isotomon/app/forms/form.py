"""A form: a column of rows that change one thing through the desk. A row is declared once, by what it reads and what it does."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QLineEdit, QPushButton, QWidget

from isotomon.app.forms.choices import TITLE_WIDTH, choice, column_of, titled
from isotomon.app.forms.fields import NumberField
from isotomon.app.forms.mends import MendList
from isotomon.app.forms.wiring import MakeEdit, wire
from isotomon.app.state.desk import Desk
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.quantity import Kind, Value, resolve

Offer = tuple[str, str]
"""What is stored, and what is shown."""
Shown = Callable[[], bool]
MOST_FINDINGS = 4
NARROWEST = 200
"""Pixels: as narrow as Details becomes."""


class Form(QWidget):
    """Rows, and how each is brought up to date."""

    TITLES = TITLE_WIDTH
    """Pixels: as wide as the titles of its choices."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = column_of(self)
        self.fields: dict[str, NumberField] = {}
        self._refreshers: list[Callable[[], object]] = []

    @property
    def design(self) -> Design:
        """The design, which a form stands on."""
        assert self.desk.design is not None
        return self.desk.design

    @property
    def unit(self) -> str:
        """The unit of lengths."""
        return self.desk.design.unit if self.desk.design is not None else "mm"

    def there(self) -> bool:
        """Whether the thing that is edited is there still."""
        return self.desk.body is not None

    def refresh(self) -> None:
        """Every row as it is now; a row of something that is gone stays as it was."""
        if not self.there():
            return
        for refresher in self._refreshers:
            try:
                refresher()
            except IsotomonError:
                continue
        # Wrapped labels in a nested layout do not ask for room when their text grows.
        height = self.column.heightForWidth(max(self.width(), NARROWEST))
        if height > 0:
            self.setMinimumHeight(height)

    def do(self, title: str, edit: Callable[[Design], Design]) -> str:
        """An edit through the desk: what is wrong with it, in words, or nothing."""
        return self.desk.do(title, edit)

    # Rows

    def row(self, widget: QWidget, refresh: Callable[[], object] | None = None, shown: Shown | None = None) -> None:
        """A row of any kind; `shown` tells whether it is wanted now."""
        self.column.addWidget(widget)
        if shown is not None:
            self._refreshers.append(lambda: widget.setVisible(shown()))
        if refresh is not None:
            self._refreshers.append(refresh)

    def part(self, form: Form) -> None:
        """Another form in its place among the rows."""
        self.row(form, form.refresh)
        self.fields |= form.fields

    def text(self, text: str = "", **properties: Any) -> QLabel:
        """Words that stay."""
        label = QLabel(text)
        label.setWordWrap(True)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        for name, value in properties.items():
            label.setProperty(name, value)
        self.row(label)
        return label

    def told(self, read: Callable[[], str], **properties: Any) -> QLabel:
        """Words that follow the design; without a row when there are none."""
        label = self.text(**properties)

        def refresh() -> None:
            label.setText(read())
            label.setVisible(bool(label.text()))

        self._refreshers.append(refresh)
        return label

    def line(
        self,
        title: str,
        get: Callable[[], str],
        put: Callable[[str], str],
        tip: str = "",
        *,
        shown: Shown | None = None,
    ) -> QLineEdit:
        """A line of text; `put` returns what is wrong with it, or nothing."""
        edit, wrong = QLineEdit(), QLabel()
        edit.setToolTip(tip)
        edit.setAccessibleName(title)
        wrong.setWordWrap(True)
        wrong.hide()

        def now() -> str:
            """What it says now; of a thing that is gone, whose form goes next, what stands in the field."""
            try:
                return get()
            except DesignError:
                return edit.text()

        def done() -> None:
            if edit.isModified() and edit.text() != now():
                problem = put(edit.text())
                wrong.setText(f"✕ {problem}. Nothing was changed." if problem else "")
                wrong.setVisible(bool(problem))
                if problem:
                    return
            edit.setModified(False)

        def refresh() -> None:
            if not edit.isModified() and edit.text() != now():
                edit.setText(now())
                wrong.hide()

        edit.editingFinished.connect(done)
        self.row(titled(title, edit), refresh, shown)
        self.column.addWidget(wrong)
        refresh()
        return edit

    def name(self, get: Callable[[], str], rename: Callable[[str], Callable[[Design], Design]], what: str) -> QLineEdit:
        """The name of what is edited; one that is left blank is called what it is."""

        def put(text: str) -> str:
            return self.do(f"rename the {what}", rename(text.strip() or what))

        return self.line("Name", get, put)

    def pick(
        self,
        title: str,
        offers: Mapping[str, str] | Callable[[], Sequence[Offer]],
        get: Callable[[], str],
        put: Callable[[str], object],
        *,
        shown: Shown | None = None,
        tip: str = "",
        lost: Callable[[str], str] = lambda now: f"✕ {now or 'nothing'}: pick again",
        name: str = "",
    ) -> QComboBox:
        """One of several, by its title (none: as wide as the form) or another `name`; what is chosen and not offered is put as `lost`."""
        box = choice(name or title, offers if isinstance(offers, Mapping) else None)
        box.setToolTip(tip)
        box.activated.connect(lambda k: put(box.itemData(k)))

        def refresh() -> None:
            now = get()
            if callable(offers):
                wanted = list(offers())
                if now not in [ref for ref, _ in wanted]:
                    wanted.insert(0, (now, lost(now)))
                if [(box.itemData(k), box.itemText(k)) for k in range(box.count())] != wanted:
                    box.clear()
                    for ref, text in wanted:
                        box.addItem(text, ref)
            box.setCurrentIndex(box.findData(now))

        self.row(titled(title, box, self.TITLES) if title else box, refresh, shown)
        return box

    def tick(
        self,
        text: str,
        get: Callable[[], bool],
        put: Callable[[bool], object],
        *,
        tip: str = "",
        shown: Shown | None = None,
    ) -> QCheckBox:
        """Yes or no."""
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda on: put(on))
        self.row(box, lambda: box.setChecked(get()), shown)
        return box

    def number(
        self,
        key: str,
        title: str,
        kind: Kind,
        get: Callable[[], Value | None],
        edit: MakeEdit,
        tip: str = "",
        *,
        does: str = "",
        blank: str = "",
        shown: Shown | None = None,
        worth: Callable[[], float] | None = None,
    ) -> NumberField:
        """A number or formula. `does` is the edit's title, `blank` what holds when nothing is given; `worth` the number
        it stands for, which is resolved from the design's names else."""
        unit = self.unit if kind == "length" else "deg" if kind == "angle" else ""
        field = NumberField(title, kind, unit, tip or title, blank)
        wire(self.desk, field, does or f"change {title.lower()}", edit)

        def refresh() -> None:
            value = get()
            field.set_value(value, self.worth(value, kind) if worth is None else worth())

        self.fields[key] = field
        self.row(field, refresh, shown)
        return field

    def worth(self, value: Value | None, kind: Kind) -> float:
        """The number that a value stands for; none for a course along the body, and for what cannot be worked out."""
        try:
            return resolve(
                0.0 if value is None else value, kind, self.desk.quick.resolved.names if self.desk.quick else {}
            )
        except ValueError:
            return float("nan")

    def button(
        self, text: str, press: Callable[[], object], tip: str = "", *, shown: Shown | None = None
    ) -> QPushButton:
        """Something to be done at once."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda *_: press())
        self.row(button, None, shown)
        return button

    def findings(self, about: Callable[[], set[str]]) -> None:
        """What is found about these ids, with the ways to mend it."""
        listed = MendList(self.desk, MOST_FINDINGS)

        def refresh() -> None:
            quick, keys = self.desk.quick, about()
            listed.show_findings([f for f in quick.findings if f.about in keys] if quick is not None else [])

        self.row(listed, refresh)


def given(value: Value | None) -> Value:
    """What a field that was left blank stands for where nothing else holds: nought."""
    return 0.0 if value is None else value


def plain(value: Value | None) -> float:
    """A number where no formula will do.

    Raises: DesignError.
    """
    if not isinstance(value, float | int):
        raise DesignError("this takes a plain number, not a formula")
    return float(value)
