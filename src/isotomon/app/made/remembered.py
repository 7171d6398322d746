"""Which points were held against a design last, and how; remembered by the design's file in the window's settings."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

import msgspec
from PySide6.QtCore import QSettings


@dataclass(frozen=True)
class MadeSource:
    """A file of points, the unit they are in, what the fit may do, and what they are held against."""

    path: str = ""
    unit: str = ""
    fit: str = "turn"
    against: str = ""


def _key(design: Path) -> str:
    return f"made/{hashlib.sha256(str(design.absolute()).encode()).hexdigest()[:16]}"


def remembered_source(settings: QSettings, design: Path | None) -> MadeSource | None:
    """Of a design file; None where nothing is, or what is kept cannot be read."""
    kept = settings.value(_key(design), "") if design is not None else ""
    try:
        return msgspec.json.decode(str(kept), type=MadeSource) if kept else None
    except (msgspec.DecodeError, ValueError):
        return None


def remember_source(settings: QSettings, design: Path | None, source: MadeSource) -> None:
    """Keep it for the next session."""
    if design is not None:
        settings.setValue(_key(design), msgspec.json.encode(source).decode())
