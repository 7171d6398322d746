"""Opening, saving and writing files from the window. Dialogs are asked here; what they answer goes to plain methods."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path
from typing import Literal

from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox

from isotomon.app.api import Api
from isotomon.app.shapes import png_of
from isotomon.app.state.later import read_aside
from isotomon.author.session import Recovered, Session, open_session, restore
from isotomon.design import edits
from isotomon.design.body import Body
from isotomon.design.disk import refuse_same, write_atomically
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import ChangedFileError, FileError, IsotomonError
from isotomon.exchange.numbers import read_numbers, write_numbers
from isotomon.exchange.table import read_table, write_table
from isotomon.inspect.check import check_json
from isotomon.kernel.protocol import Built
from isotomon.profile.section import Circle
from isotomon.solids.deliver import ENDINGS, OF_SOLIDS, USUAL, Fineness, export_form
from isotomon.solids.plan import finished_key

MOST_RECENT = 8
DESIGNS = "Isotomon design (*.isotomon)"
TABLES = "Station table (*.csv *.tsv *.txt)"
DELIVERED = {
    "solid": "STEP, names and colours (*.step *.stp);;IGES (*.iges *.igs)",
    "mesh": "3MF, names and colours (*.3mf);;STL (*.stl);;OBJ, colours beside it (*.obj);;glTF, to be looked at (*.glb)",
}


def new_design() -> Design:
    """What a new design begins with: two round stations, so that there is a body to see."""
    stations = (Station("s1", "root", 0.0, Circle(), 100.0), Station("s2", "tip", 300.0, Circle(), 60.0))
    return Design("untitled", tolerance=1e-4, bodies=(Body("body", "body", stations=stations),))


def empty_design() -> Design:
    """A design with nothing in it but its base planes: one begins by drawing."""
    return Design("untitled", tolerance=1e-4)


class Files:
    """The window's files."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._unkept = ""

    def _folder(self) -> str:
        session = self.w.desk.session
        if session is not None and session.path is not None:
            return str(session.path.parent)
        return str(self.w.settings.value("folder", str(Path.home())))

    def _fail(self, error: IsotomonError) -> None:
        self.w.desk.said.emit("error", str(error))

    def may_leave(self) -> bool:
        """Whether the present design may be left: it is saved, or the user says so."""
        session = self.w.desk.session
        if session is None or not session.dirty:
            return True
        box = QMessageBox(self.w.widget)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"“{session.design.name}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        if box.clickedButton() is drop:
            session.drop_recovery()
            return True
        return False

    def _take(self, session: Session) -> None:
        old = self.w.desk.session
        if old is not None:
            old.recovery = None
        self.w.desk.open(session)
        self.w.show_work()

    def new(self) -> None:
        """A new design of two round stations."""
        if self.may_leave():
            self._take(Session(new_design(), None, self.w.recovery_file()))

    def new_empty(self) -> None:
        """A new design without stations; one draws on a base plane first."""
        if self.may_leave():
            self._take(Session(empty_design(), None, self.w.recovery_file()))
            self.w.set_stage("Draw")
            self.w.desk.select(("xy",))
            self.w.desk.said.emit(
                "note", "Draw on the XY plane (F6), or choose another plane in the Ledger or the View first."
            )

    def open_design(self, design: Design, ask: bool = False) -> None:
        """A design that has no file (a demo, a table)."""
        if ask and not self.may_leave():
            return
        self._take(Session(design, None, self.w.recovery_file()))

    def recover(self, found: Recovered) -> None:
        """Unsaved work of a session that ended unexpectedly."""
        if not self.may_leave():
            return
        self._take(restore(found, self.w.recovery_file()))
        self.w.desk.said.emit("note", "Recovered. Save it to keep it.")

    def tell_unkept(self) -> None:
        """Say, once for each reason, that unsaved work cannot be kept for the case of a crash."""
        session = self.w.desk.session
        why = session.unkept if session is not None else ""
        if why and why != self._unkept:
            self.w.desk.said.emit("band", f"Unsaved work cannot be kept for the case of a crash: {why}. Save often.")
        self._unkept = why

    def tell_changed(self) -> None:
        """Say that the design's file was changed by someone else, if it was."""
        session = self.w.desk.session
        if session is not None and session.path is not None and session.changed_outside():
            self.w.desk.said.emit(
                "band",
                f"{session.path.name} was changed by someone else since it was opened here. Saving asks what to do.",
            )

    def open_path(self, path: Path) -> bool:
        """Open a design or a table by its ending; what cannot be opened is said and changes nothing."""
        try:
            if path.suffix.lower() in (".csv", ".tsv", ".txt"):
                design = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_table(path))
                if not self.may_leave():
                    return False
                self.open_design(design)
            else:
                kept = self.w.recovery_file()
                session = read_aside(self.w.widget, f"Opening {path.name}", lambda: open_session(path, kept))
                if not self.may_leave():
                    return False
                self._take(session)
                self.remember(path)
        except IsotomonError as error:
            self._fail(error)
            return False
        self.w.settings.setValue("folder", str(path.absolute().parent))
        self.w.desk.said.emit("", "")
        return True

    def ask_open(self) -> None:
        """Choose a design or a table."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget, "Open", self._folder(), f"{DESIGNS};;{TABLES};;All files (*)"
        )
        if name:
            self.open_path(Path(name))

    def ask_table(self) -> None:
        """Choose a station table."""
        name, _ = QFileDialog.getOpenFileName(
            self.w.widget, "Station table", self._folder(), f"{TABLES};;All files (*)"
        )
        if name:
            self.open_path(Path(name))

    def save(self) -> bool:
        """Save to the design's file, or ask for one."""
        session = self.w.desk.session
        if session is None:
            return False
        if session.path is None:
            return self.ask_save()
        return self.save_to(session.path)

    def ask_save(self) -> bool:
        """Save to a file to be chosen."""
        session = self.w.desk.session
        assert session is not None
        start = str(Path(self._folder()) / f"{session.path.stem if session.path else session.design.name}.isotomon")
        name, _ = QFileDialog.getSaveFileName(self.w.widget, "Save as", start, DESIGNS)
        if not name:
            return False
        path = Path(name)
        return self.save_to(path if path.suffix else path.with_name(f"{path.name}.isotomon"))

    def save_to(self, path: Path) -> bool:
        """Save to a file."""
        session = self.w.desk.session
        assert session is not None
        try:
            session.save(path)
        except ChangedFileError as error:
            return self._save_changed(session, path, str(error))
        except FileError as error:
            self._fail(error)
            return False
        return self._saved(path)

    def _save_changed(self, session: Session, path: Path, text: str) -> bool:
        """Ask what becomes of a file that someone else has changed meanwhile."""
        box = QMessageBox(self.w.widget)
        box.setWindowTitle("Changed by someone else")
        box.setText(f"{text}.")
        box.setInformativeText("Both are kept if yours goes under another name.")
        other = box.addButton("Keep mine under another name…", QMessageBox.ButtonRole.AcceptRole)
        theirs = box.addButton("Take theirs", QMessageBox.ButtonRole.DestructiveRole)
        compare = box.addButton("Compare", QMessageBox.ButtonRole.ActionRole)
        over = box.addButton("Replace theirs", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Go back", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(other)
        box.exec()
        chosen = box.clickedButton()
        if chosen is other:
            return self.ask_save()
        if chosen is over:
            try:
                session.save(path, replace=True)
            except FileError as error:
                self._fail(error)
                return False
            return self._saved(path)
        if chosen is theirs:
            try:
                newer = open_session(path, self.w.recovery_file())
            except IsotomonError as error:
                self._fail(error)
                return False
            session.drop_recovery()
            self._take(newer)
        elif chosen is compare:
            self.w.checks.read_reference(path)
        return False

    def _saved(self, path: Path) -> bool:
        self.remember(path)
        self.w.desk.said.emit("note", f"Saved {path.name}.")
        return True

    def recent(self) -> list[Path]:
        """Designs opened or saved lately that are still there."""
        kept = self.w.settings.value("recent", [])
        names = [kept] if isinstance(kept, str) else kept if isinstance(kept, list) else []
        return [Path(n) for n in names if Path(n).exists()]

    def remember(self, path: Path) -> None:
        """Put a design first in the recent files."""
        path = path.absolute()
        names = [str(path)] + [str(p) for p in self.recent() if p != path]
        self.w.settings.setValue("recent", names[:MOST_RECENT])

    # Delivering

    def _ask_target(self, title: str, ending: str, kinds: str) -> Path | None:
        """Where something goes; a name without an ending gets that of the kind that is chosen."""
        design = self.w.desk.design
        start = str(Path(self._folder()) / f"{design.name if design else 'design'}{ending}")
        name, kind = QFileDialog.getSaveFileName(self.w.widget, title, start, kinds)
        if not name:
            return None
        path, own = Path(name), re.search(r"\*(\.\w+)", kind)
        return path if path.suffix else path.with_name(path.name + (own[1] if own else ending))

    def ask_export(self, forms: Literal["solid", "mesh"]) -> None:
        """Choose where the solid or its mesh goes, and how fine a mesh is to be."""
        path = self._ask_target(f"Deliver the {forms}", ".step" if forms == "solid" else ".3mf", DELIVERED[forms])
        if path is None:
            return
        fine = USUAL
        if ENDINGS.get(path.suffix.lower()) not in OF_SOLIDS and self.w.desk.quick is not None:
            text = "How far the triangles may lie from the body, in mm; 0: so near that its volume is right to 0.02 %"
            found, go_on = QInputDialog.getDouble(self.w.widget, "Mesh", text, 0.0, 0.0, 100.0, 4)
            if not go_on:
                return
            fine = replace(USUAL, distance=found)
        self.export_to(path, fine)

    def export_to(self, path: Path, fine: Fineness = USUAL) -> None:
        """Write the solid; what comes of it is said at the foot of the window."""
        quick = self.w.desk.quick
        if quick is None:
            return
        try:
            export_form(path)
            refuse_same(path, self._own())
        except FileError as error:
            self._fail(error)
            return
        self.w.desk.said.emit("note", f"Writing {path.name}…")
        self.w.desk.engine.export(quick, path, fine)

    def exported(self, path: Path, problem: str, _: object = None) -> None:
        """The worker has written a file, or not."""
        if problem:
            self.w.desk.said.emit("error", problem)
        else:
            self.w.desk.said.emit("note", f"Wrote {path.name}, {path.stat().st_size:,} bytes.")

    def _own(self) -> Path | None:
        """The design's own file, which nothing else may be written to."""
        return self.w.desk.session.path if self.w.desk.session is not None else None

    def _write(self, path: Path | None, text: str) -> None:
        if path is None:
            return
        try:
            refuse_same(path, self._own())
            write_atomically(path, text.encode())
        except FileError as error:
            self._fail(error)
            return
        self.w.desk.said.emit("note", f"Wrote {path.name}.")

    def ask_write_table(self) -> None:
        """The stations as CSV."""
        design = self.w.desk.design
        if design is None:
            return
        try:
            text = write_table(design)
        except IsotomonError as error:
            self._fail(error)
            return
        self._write(self._ask_target("Station table", ".csv", TABLES), text)

    def ask_numbers(self) -> None:
        """Choose a CSV of named numbers to bring in."""
        name, _ = QFileDialog.getOpenFileName(self.w.widget, "Numbers from CSV", self._folder(), TABLES)
        if name:
            self.read_numbers(Path(name))

    def read_numbers(self, path: Path) -> None:
        """Named numbers of a CSV: new ones come in, known ones change, all or none."""
        design = self.w.desk.design
        if design is None:
            return
        try:
            numbers = read_numbers(path, design.unit)
        except IsotomonError as error:
            self._fail(error)
            return
        self.w.desk.do(f"numbers from {path.name}", lambda d: edits.put_numbers(d, numbers))

    def ask_write_numbers(self) -> None:
        """The named numbers as CSV."""
        design = self.w.desk.design
        if design is not None:
            self._write(self._ask_target("Numbers", ".csv", TABLES), write_numbers(design))

    def ask_write_check(self) -> None:
        """All figures as JSON."""
        desk = self.w.desk
        if desk.quick is None or not desk.quick.there:
            return
        fresh = isinstance(desk.solid, Built) and desk.solid_key == finished_key(desk.quick)
        text = (
            json.dumps(
                check_json(desk.quick, desk.finished if fresh else {}), indent=1, ensure_ascii=False, allow_nan=False
            )
            + "\n"
        )
        self._write(self._ask_target("Check", ".json", "JSON (*.json)"), text)

    def ask_picture(self) -> None:
        """The View as PNG."""
        path = self._ask_target("Picture of the View", ".png", "PNG (*.png)")
        if path is None:
            return
        try:
            refuse_same(path, self._own())
            write_atomically(path, png_of(self.w.view))
        except FileError as error:
            self._fail(error)
            return
        self.w.desk.said.emit("note", f"Wrote {path.name}.")
