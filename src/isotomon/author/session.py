"""The one place where a design changes: a session holds it, its history and its file. No interface code here.

Window, scripts, command line and tests all go through `Session.apply`.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import msgspec

from isotomon.design.disk import mark_of, read_bytes, runs_since, write_atomically
from isotomon.design.file import check_kept, encode, load, save
from isotomon.design.records import Design
from isotomon.errors import ChangedFileError, FileError, IsotomonError
from isotomon.evaluate.settle import check_design

Edit = Callable[[Design], Design]
MOST_STEPS = 500


@dataclass(frozen=True)
class HistoryEntry:
    """One entry of the history: what was done, and the design after it."""

    title: str
    design: Design


class Session:
    """A design under work. Listeners are told after every change, by whom it is called."""

    def __init__(
        self, design: Design, path: Path | None = None, recovery: Path | None = None, unsaved: bool = False
    ) -> None:
        check_design(design)
        self._steps = [HistoryEntry("open", design)]
        self._at = 0
        self._saved: Design | None = None if unsaved else design
        self.path = path
        self._mark = ""
        """Of what the file held when this session last read or wrote it."""
        self.recovery = recovery
        self._noted: tuple[Path, str] | None = None
        """Where what is kept is noted as belonging to which file."""
        self.unkept = ""
        """Why unsaved work cannot be kept for the case of a crash; empty where it is."""
        self.listeners: list[Callable[[], None]] = []

    @property
    def design(self) -> Design:
        """The design as it is now."""
        return self._steps[self._at].design

    @property
    def dirty(self) -> bool:
        """Whether there is work that would be lost."""
        return self.design is not self._saved and self.design != self._saved

    @property
    def undo_title(self) -> str | None:
        """What undo takes back, or None."""
        return self._steps[self._at].title if self._at > 0 else None

    @property
    def redo_title(self) -> str | None:
        """What redo does again, or None."""
        return self._steps[self._at + 1].title if self._at + 1 < len(self._steps) else None

    def try_edit(self, edit: Edit) -> Design:
        """The design after an edit, checked, without making it. Used for previews.

        Raises: IsotomonError, when the edit cannot be made; the design stays as it was.
        """
        design = edit(self.design)
        check_design(design)
        return design

    def apply(self, title: str, edit: Edit) -> Design:
        """Make an edit one step of the history.

        Raises: IsotomonError, when the edit cannot be made; the design stays as it was.
        """
        design = self.try_edit(edit)
        if design == self.design:
            return self.design
        check_kept(design)
        self._steps = [*self._steps[: self._at + 1], HistoryEntry(title, design)][-MOST_STEPS:]
        self._at = len(self._steps) - 1
        self._changed()
        return design

    def undo(self) -> None:
        """Take the last step back."""
        if self._at > 0:
            self._at -= 1
            self._changed()

    def redo(self) -> None:
        """Do the step taken back again."""
        if self._at + 1 < len(self._steps):
            self._at += 1
            self._changed()

    def save(self, path: Path | str | None = None, replace: bool = False) -> None:
        """Write the design to its file, or to a new one; with `replace` whatever has become of the file meanwhile.

        Raises: FileError; ChangedFileError, when the file holds what this session has neither read nor written.
        """
        target = Path(path) if path else self.path
        if target is None:
            raise FileError("the design has no file yet; choose a name with Save as")
        if not replace and target == self.path and self.changed_outside():
            raise ChangedFileError(f"{target} was changed by someone else since it was opened here")
        save(self.design, target)
        self.path, self._saved, self._mark = target, self.design, mark_of(target)
        self.drop_recovery()
        self._tell()

    def changed_outside(self) -> bool:
        """Whether the session's file holds what it has neither read nor written. One that is gone is not changed: it is
        written anew."""
        now = mark_of(self.path) if self.path is not None and self._mark else ""
        return now not in ("", self._mark)

    def _changed(self) -> None:
        self.write_recovery()
        self._tell()

    def _tell(self) -> None:
        for listener in list(self.listeners):
            listener()

    def write_recovery(self) -> None:
        """Keep the present state for the case of a crash. A full or missing disk must not stop the work: what is wrong is
        kept in `unkept`."""
        if self.recovery is None:
            return
        if not self.dirty:
            self.drop_recovery()
            return
        try:
            noted = self.recovery, str(self.path) if self.path else ""
            beside = self.recovery.with_suffix(".note")
            if noted != self._noted or not beside.exists():  # each of the two files takes ten milliseconds
                note = {"path": noted[1], "pid": os.getpid()}
                write_atomically(beside, json.dumps(note).encode())
                self._noted = noted
            write_atomically(self.recovery, encode(self.design))
            self.unkept = ""
        except FileError as error:
            self.unkept = str(error)

    def drop_recovery(self) -> None:
        """Remove what was kept for the case of a crash."""
        self._noted = None
        if self.recovery is None:
            return
        for kept in (self.recovery, self.recovery.with_suffix(".note")):
            with contextlib.suppress(OSError):
                kept.unlink(missing_ok=True)


def open_session(path: Path, recovery: Path | None = None) -> Session:
    """A session on a design file.

    Raises: FileError.
    """
    mark = mark_of(path)
    session = Session(load(path), path, recovery)
    session._mark = mark
    return session


class _Note(msgspec.Struct):
    """What is written beside recovered work: the file it belongs to, and the process it is of."""

    path: str = ""
    pid: int = 0


@dataclass(frozen=True)
class Recovered:
    """Work that a crash left behind: its design, the file it belongs to, and where it is kept."""

    design: Design
    path: Path | None
    kept: Path


def find_recovered(folder: Path) -> list[Recovered]:
    """What crashed sessions left in `folder`, newest first. Work of living processes, and what is no design, is passed
    over; a missing or damaged note only leaves unsaid where the work belongs."""
    found: list[tuple[float, Recovered]] = []
    try:
        files = sorted(folder.glob("session-*.isotomon"))
    except OSError:
        return []
    for kept in files:
        try:
            written = kept.stat().st_mtime
            note = _note_of(kept)
            if runs_since(note.pid, written):
                continue
            design = load(kept)
        except (IsotomonError, OSError):
            continue
        path = Path(note.path) if note.path and "\0" not in note.path else None
        found.append((written, Recovered(design, path, kept)))
    return [r for _, r in sorted(found, key=lambda pair: -pair[0])]


def _note_of(kept: Path) -> _Note:
    try:
        return msgspec.json.decode(read_bytes(kept.with_suffix(".note"), 100_000, "note"), type=_Note)
    except (IsotomonError, msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        named = re.match(r"session-(\d{1,9})\b", kept.name)
        return _Note(pid=int(named[1]) if named else 0)


def restore(recovered: Recovered, recovery: Path | None) -> Session:
    """A session on recovered work: its changes count as not saved. At no time is the work nowhere: where it cannot be kept
    under `recovery`, it stays where it was and is kept on there."""
    session = Session(recovered.design, recovered.path, recovery, unsaved=True)
    session.write_recovery()
    if recovery is None or session.unkept:
        session.recovery = recovered.kept
    elif recovery != recovered.kept:
        for left in (recovered.kept, recovered.kept.with_suffix(".note")):
            with contextlib.suppress(OSError):
                left.unlink(missing_ok=True)
    return session
