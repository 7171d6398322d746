"""What has been delivered of a design: files, how each was made, and of which state of the design; remembered beside the window's settings."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

import msgspec
from PySide6.QtCore import QSettings

from isotomon.design.file import encode
from isotomon.design.records import Design
from isotomon.paper.delivery import Requested

MOST = 60
"""Files of one design that are remembered."""


@dataclass(frozen=True)
class Written:
    """A file, what is in it (None: the finished bodies, their mesh no farther off than `distance`, mm), and the state of the design that
    it shows."""

    path: str
    wanted: Requested | None
    state: str
    distance: float = 0.0

    @property
    def name(self) -> str:
        """Of the file, without its folder."""
        return Path(self.path).name

    @property
    def there(self) -> bool:
        """Whether the file is there; of several pages each may have its own number."""
        path = Path(self.path)
        return path.exists() or path.with_stem(f"{path.stem}-1").exists()


def state_of(design: Design) -> str:
    """What tells one state of a design from another."""
    return hashlib.sha256(encode(design)).hexdigest()[:16]


def _key(design: Path) -> str:
    return f"delivered/{hashlib.sha256(str(design.absolute()).encode()).hexdigest()[:16]}"


def remembered(settings: QSettings, design: Path | None) -> tuple[Written, ...]:
    """What was delivered of a design file in earlier sessions; nothing, where what is kept of that cannot be read."""
    kept = settings.value(_key(design), "") if design is not None else ""
    try:
        return msgspec.json.decode(str(kept), type=tuple[Written, ...]) if kept else ()
    except (msgspec.DecodeError, ValueError):
        return ()


def remember(settings: QSettings, design: Path | None, written: tuple[Written, ...]) -> None:
    """Keep what was delivered of a design file for the next session."""
    if design is not None:
        settings.setValue(_key(design), msgspec.json.encode(written[-MOST:]).decode())


def with_one(written: tuple[Written, ...], one: Written) -> tuple[Written, ...]:
    """One more; a file that is written again takes the place of what it was."""
    return (*(other for other in written if other.path != one.path), one)
