"""The one place where a design changes: a session holds it, its history and its file. No interface code here.

Window, scripts, command line and tests all go through `Session.apply`.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from isotomon.errors import FileError, IsotomonError
from isotomon.model.bodies import in_hand
from isotomon.model.file import decode, encode, load, read_bytes, save, write_atomically
from isotomon.model.records import Design
from isotomon.rebuild.settle import check_design

Edit = Callable[[Design], Design]
MOST_STEPS = 500


@dataclass(frozen=True)
class Step:
    """One entry of the history: what was done, and the design after it."""

    title: str
    design: Design


class Session:
    """A design under work. Listeners are told after every change, by whom it is called."""

    def __init__(
        self, design: Design, path: Path | None = None, recovery: Path | None = None, unsaved: bool = False
    ) -> None:
        check_design(design)
        self._steps = [Step("open", design)]
        self._at = 0
        self._saved: Design | None = None if unsaved else design
        self.path = path
        self.recovery = recovery
        self.listeners: list[Callable[[], None]] = []

    @property
    def design(self) -> Design:
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
        self._steps = [*self._steps[: self._at + 1], Step(title, design)][-MOST_STEPS:]
        self._at = len(self._steps) - 1
        self._changed()
        return design

    def take(self, key: str) -> None:
        """Take another body in hand. That is no step: nothing of the design is changed by it.

        Raises: DesignError.
        """
        step = self._steps[self._at]
        design = in_hand(step.design, key)
        if design is step.design:
            return
        if not self.dirty:
            self._saved = design
        self._steps[self._at] = Step(step.title, design)
        self._tell()

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

    def save(self, path: Path | str | None = None) -> None:
        """Write the design to its file, or to a new one.

        Raises: FileError.
        """
        target = Path(path) if path else self.path
        if target is None:
            raise FileError("the design has no file yet; choose a name with Save as")
        save(self.design, target)
        self.path, self._saved = target, self.design
        self.drop_recovery()
        self._tell()

    def _changed(self) -> None:
        self.write_recovery()
        self._tell()

    def _tell(self) -> None:
        for listener in list(self.listeners):
            listener()

    def write_recovery(self) -> None:
        """Keep the present state for the case of a crash. A full or missing disk must not stop the work."""
        if self.recovery is None:
            return
        try:
            if self.dirty:
                write_atomically(self.recovery, encode(self.design))
                note = {"path": str(self.path) if self.path else "", "pid": os.getpid(), "time": time.time()}
                write_atomically(self.recovery.with_suffix(".note"), json.dumps(note).encode())
            else:
                self.drop_recovery()
        except FileError:
            pass

    def drop_recovery(self) -> None:
        """Remove what was kept for the case of a crash."""
        if self.recovery is not None:
            self.recovery.unlink(missing_ok=True)
            self.recovery.with_suffix(".note").unlink(missing_ok=True)


def open_session(path: Path, recovery: Path | None = None) -> Session:
    """A session on a design file.

    Raises: FileError.
    """
    return Session(load(path), path, recovery)


@dataclass(frozen=True)
class Recovered:
    """Work that a crash left behind: its design, the file it belongs to, and where it is kept."""

    design: Design
    path: Path | None
    kept: Path


def find_recovered(folder: Path) -> list[Recovered]:
    """What crashed sessions left in `folder`, newest first. Files of living processes and damaged ones are passed over."""
    found: list[tuple[float, Recovered]] = []
    for kept in folder.glob("*.isotomon"):
        try:
            note = json.loads(read_bytes(kept.with_suffix(".note"), 100_000, "note"))
            if _alive(int(note["pid"])):
                continue
            design = decode(kept.read_bytes(), str(kept))
            path = Path(note["path"]) if note["path"] else None
            found.append((float(note["time"]), Recovered(design, path, kept)))
        except (IsotomonError, OSError, ValueError, KeyError, TypeError):
            continue
    return [r for _, r in sorted(found, key=lambda pair: -pair[0])]


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def restore(recovered: Recovered, recovery: Path | None) -> Session:
    """A session on recovered work: its changes count as not saved."""
    session = Session(recovered.design, recovered.path, recovery, unsaved=True)
    session.write_recovery()
    recovered.kept.unlink(missing_ok=True)
    recovered.kept.with_suffix(".note").unlink(missing_ok=True)
    return session
