"""Details: the fields, figures and findings of what is chosen."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from isotomon.app.forms.body import BodyForm
from isotomon.app.forms.datum import DatumForm
from isotomon.app.forms.design import BaseForm, DesignForm, NumberForm
from isotomon.app.forms.drawing import DrawingForm
from isotomon.app.forms.fields import NoteEdit, NumberField
from isotomon.app.forms.form import Form
from isotomon.app.forms.gauge import GaugeForm
from isotomon.app.forms.guide import GuideForm
from isotomon.app.forms.law import LawForm
from isotomon.app.forms.station import StationForm
from isotomon.app.state.desk import CHECKS, Desk
from isotomon.design.datums import BASE_SHOWN
from isotomon.design.records import Design
from isotomon.profile.section import Elsewhere


class Details(QScrollArea):
    """Makes another form when other things are chosen; refreshes its values otherwise."""

    def __init__(self, desk: Desk, checks_form: Callable[[], Form]) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAccessibleName("Details")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.desk, self._checks_form = desk, checks_form
        self.form: Form | None = None
        self._shown: object = None
        self._filling = self._again = False
        desk.selection_changed.connect(self.rebuild)
        desk.design_changed.connect(self.rebuild)
        desk.quick_changed.connect(lambda _: self.refresh())
        desk.solid_changed.connect(self.refresh)
        self.rebuild()

    @property
    def fields(self) -> dict[str, NumberField]:
        """The number fields of the form that stands, by what they are of."""
        return self.form.fields if self.form is not None else {}

    def refresh(self) -> None:
        """New values in the form that stands."""
        if self.form is not None and self.desk.design is not None:
            self.form.refresh()

    def commit(self) -> None:
        """Take what has been typed into a field and not yet entered, so that nothing done next leaves it behind."""
        field = QApplication.focusWidget()
        if isinstance(field, NoteEdit):
            field.commit()
        elif isinstance(field, QLineEdit) and field.isModified() and self.isAncestorOf(field):
            field.editingFinished.emit()

    def rebuild(self) -> None:
        """A new form when what is chosen is of another kind or other things; else only new values."""
        shown = self._what_is_shown()
        if shown == self._shown:
            self.refresh()
            return
        if self._filling:  # what changes while a form is being made is taken up once it stands
            self._again = True
            return
        self._filling = True
        try:
            self._show_form(shown)
        finally:
            self._filling = False
        if self._again:
            self._again = False
            self.rebuild()

    def _what_is_shown(self) -> tuple[object, ...]:
        """What decides which form stands, and with which rows."""
        design, body, chosen = self.desk.design, self.desk.body, self.desk.selection
        if design is None or body is None:
            return (None, chosen)
        return (
            chosen,
            design.unit,
            tuple(n.kind for n in design.numbers if n.id in chosen),
            tuple(len(g.on) for g in design.guides if g.id in chosen),
            (body.id, type(body.shaped), body.loft.carrier.how, len(body.stations) > 1),
            tuple(s.id for s in body.stations if s.id in chosen and isinstance(s.section, Elsewhere)),
        )

    def _show_form(self, shown: tuple[object, ...]) -> None:
        self._shown = shown
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(4)
        self.form = self._form(self.desk.design) if self.desk.design is not None else None
        if self.form is not None:
            column.addWidget(self.form)
        column.addStretch(1)
        # The change may come from a field of the old page, which must outlive its own signal.
        old = self.takeWidget()
        if old is not None:
            # What it stood for may be gone: leaving its fields must not enter what is typed in them any more.
            for widget in old.findChildren(QWidget):
                widget.blockSignals(True)
            old.hide()
            old.deleteLater()
        self.setWidget(page)
        self.refresh()

    def _form(self, design: Design) -> Form:
        """The form of what is chosen: of the first kind of thing, in this order, that is among it."""
        desk, chosen = self.desk, set(self.desk.selection)
        stations = desk.selected_stations()
        if stations:
            return StationForm(desk, stations)
        kinds: tuple[tuple[list[str], Callable[[Desk, str], Form]], ...] = (
            ([n.id for n in design.numbers], NumberForm),
            ([law.id for law in desk.held.laws], LawForm),
            ([d.id for d in design.datums], DatumForm),
            ([g.id for g in design.guides], GuideForm),
            ([g.id for g in design.drawings], DrawingForm),
            ([g.id for g in design.gauges], GaugeForm),
            ([desk.hand], lambda desk, _: BodyForm(desk)),
            ([*BASE_SHOWN], BaseForm),
            ([CHECKS], lambda *_: self._checks_form()),
        )
        for ids, form in kinds:
            key = next((key for key in ids if key in chosen), "")
            if key:
                return form(desk, key)
        return DesignForm(desk)
