"""The form of a measure: what it is taken of, its numbers and choices, and what it reads."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from isotomon.app.forms.declared import DeclaredForm
from isotomon.app.forms.form import Offer
from isotomon.app.tools.gauges import gauge_candidates, reading_lines
from isotomon.design import edits
from isotomon.design.disk import write_atomically
from isotomon.design.gauges import Gauge
from isotomon.design.recipe import Field
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.inspect.capacity import capacity_table
from isotomon.inspect.results import Reading


class GaugeForm(DeclaredForm):
    """Edits one measure through the desk, and shows what it reads."""

    WHAT = "measure"
    SLOTS = {"p": "Near", "*": "Of", "D": "Of", "c": "Curve", "B": "Body", "P": "Plane", "A": "Up along", "G": "Of"}

    def records(self) -> tuple[Gauge, ...]:
        """The design's measures."""
        return self.design.gauges

    def edit(self, design: Design, **changes: object) -> Design:
        """The design with the measure changed."""
        return edits.change_gauge(design, self.key, **changes)

    def offers(self, letter: str) -> list[Offer]:
        """What a measure can be taken of."""
        return gauge_candidates(self.design, letter, self.desk.held, self.desk.quick)

    def slot_title(self, k: int, letter: str, many: int) -> str:
        """The second of two things of any kind comes after an 'and'."""
        return self.SLOTS[letter] if k == 0 or letter not in "*D" else "and"

    def number_key(self, k: int, field: Field) -> str:
        """By its title."""
        return field.title

    def wanted(self, field: Field) -> bool:
        """Of a capacity, the level or the volume is asked for."""
        gauge = edits.find(self.records(), self.key)
        if gauge.kind != "capacity" or field.title not in ("Level", "Litres"):
            return True
        return (field.title == "Litres") == (gauge.choices[0] == "level")

    def finish(self) -> None:
        """What it reads; of a capacity, also the table of its levels."""
        if "Litres" in self.fields:
            self.fields["Litres"].unit_label.setText("l")
        self.told(self._figures)
        self.told(lambda: f"▲ {wrong}" if (wrong := self._reading().wrong) else "")
        if edits.find(self.records(), self.key).kind == "capacity":
            self.button(
                "Table of levels…", self.ask_table, "Level, volume and wetted area from the floor to the brim, as CSV"
            )

    def _reading(self) -> Reading:
        quick = self.desk.quick
        found = quick.readings.get(self.key) if quick is not None else None
        return found if found is not None else Reading((), (), waits=True)

    def _figures(self) -> str:
        reading = self._reading()
        rows = "".join(
            f"<tr><td style='padding-right:10px'>{a}</td><td align='right'>{b}</td></tr>"
            for a, b in reading_lines(reading, self.unit)
        )
        told = "<p>Of the mesh: close, not exact.</p>" if reading.near and rows else ""
        waits = "Once the solid is finished…" if reading.waits else ""
        return f"<table width='100%'>{rows}</table>{told}" if rows else waits

    def ask_table(self) -> None:
        """Ask where the table of levels goes, and write it."""
        name, _ = QFileDialog.getSaveFileName(self, "Table of levels", f"{self.record().name}.csv", "CSV (*.csv)")
        if name:
            self.write_table(Path(name))

    def write_table(self, path: Path) -> None:
        """Write level, volume and wetted area from the floor to the brim."""
        quick = self.desk.quick
        if quick is None:  # the design has just been opened
            self.desk.said.emit("note", "The body is being worked out still; try again in a moment.")
            return
        try:
            gauge = edits.find(self.records(), self.key)
            write_atomically(path, capacity_table(quick, gauge).encode())
        except IsotomonError as error:
            self.desk.said.emit("error", f"{error}. Nothing was written.")
            return
        self.desk.said.emit("", f"Written: {path}")
