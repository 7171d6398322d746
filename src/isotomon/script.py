"""What scripts use: build a design, rebuild it, measure it, write it. The same core as the window.

import isotomon
design = isotomon.read_table("blade.csv")
session = isotomon.Session(design)
session.apply("wider", lambda d: isotomon.edits.change_station(d, "s3", chord=120.0))
with isotomon.Solids() as solids:
    result = isotomon.check(session.design, solids)
    isotomon.export(session.design, "blade.step", solids)
"""

from __future__ import annotations

from pathlib import Path
from types import TracebackType
from typing import Any

from isotomon.errors import IsotomonError
from isotomon.exchange.table import read_table as _read_table
from isotomon.exchange.table import write_table
from isotomon.model import edits, file
from isotomon.model.records import (
    Circle,
    Design,
    Ellipse,
    FromPoints,
    Law,
    LawPoint,
    Loft,
    Naca4,
    Number,
    Outline,
    Polygon,
    Rounded,
    Star,
    Station,
    Superellipse,
)
from isotomon.model.sections import parse_section, section_text
from isotomon.rebuild import check as _check
from isotomon.rebuild import deliver
from isotomon.rebuild.insert import insert_station
from isotomon.rebuild.quick import Quick
from isotomon.rebuild.quick import rebuild as rebuilt
from isotomon.rebuild.session import Session
from isotomon.rebuild.supervisor import Supervisor
from isotomon.samples import sample
from isotomon.solid.protocol import Built


class Solids:
    """A solid worker for a `with` block; it is started when first needed."""

    def __init__(self) -> None:
        self.supervisor = Supervisor()

    def __enter__(self) -> Solids:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.supervisor.close()


def read_table(path: str | Path) -> Design:
    """A design from a station table.

    Raises: FileError.
    """
    return _read_table(Path(path))


def load(path: str | Path) -> Design:
    """A design from its file.

    Raises: FileError.
    """
    return file.load(Path(path))


def save(design: Design, path: str | Path) -> None:
    """Write a design file.

    Raises: FileError.
    """
    file.save(design, Path(path))


def build(design: Design, solids: Solids) -> Built:
    """The solid of a design: its mesh and the kernel's figures.

    Raises: SolidError, FieldError.
    """
    return deliver.build(rebuilt(design), solids.supervisor)


def check(design: Design, solids: Solids | None = None) -> dict[str, Any]:
    """The check of a design as JSON values; with `solids` also the solid's figures.

    A solid that cannot be made is a finding in the result.
    """
    return _check.checked(rebuilt(design), solids.supervisor if solids else None)


def export(design: Design, path: str | Path, solids: Solids) -> None:
    """Write the solid of a design as STEP or STL, by the file's ending.

    Raises: SolidError, FieldError, FileError.
    """
    deliver.export(rebuilt(design), solids.supervisor, Path(path))


__all__ = [
    "Circle",
    "Design",
    "Ellipse",
    "FromPoints",
    "IsotomonError",
    "Law",
    "LawPoint",
    "Loft",
    "Naca4",
    "Number",
    "Outline",
    "Polygon",
    "Quick",
    "Rounded",
    "Session",
    "Solids",
    "Star",
    "Station",
    "Superellipse",
    "build",
    "check",
    "edits",
    "export",
    "insert_station",
    "load",
    "parse_section",
    "read_table",
    "rebuilt",
    "sample",
    "save",
    "section_text",
    "write_table",
]
