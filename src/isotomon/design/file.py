"""The design file: canonical JSON, checked on the way in, written atomically."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from isotomon.design.disk import read_bytes, write_atomically
from isotomon.design.records import FORMAT, VERSION, Design
from isotomon.design.resolve import resolve_bodies
from isotomon.design.upgrade import upgraded
from isotomon.errors import DesignError, FileError, IsotomonError
from isotomon.quantity.record import from_text, plain_text

MOST_BYTES = 64 * 1024 * 1024
SCHEMA_FILE = Path(__file__).with_name("design.schema.json")


class _Head(msgspec.Struct):
    format: str = ""
    version: int = 0


def encode(design: Design) -> bytes:
    """The design as the bytes of its file: equal designs give equal bytes."""
    return msgspec.json.format(msgspec.json.encode(design, enc_hook=plain_text), indent=1) + b"\n"


def decode(data: bytes, name: str = "the file") -> Design:
    """The design in `data`.

    Raises: FileError, saying what is wrong and where; nothing in the data is executed.
    """
    try:
        head = msgspec.json.decode(data, type=_Head)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise FileError(f"{name} is not an Isotomon design, or is damaged: {error}") from None
    if head.format != FORMAT:
        raise FileError(f"{name} is not an Isotomon design (no format '{FORMAT}' in it)")
    if head.version > VERSION:
        raise FileError(
            f"{name} was written by a newer Isotomon (format {head.version}; this one reads up to {VERSION}); update Isotomon"
        )
    try:
        return _design_in(data, head.version)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError, IsotomonError) as error:
        raise FileError(f"{name} cannot be used: {error}") from None


def _design_in(data: bytes, version: int) -> Design:
    if version < VERSION:
        data = msgspec.json.encode(upgraded(msgspec.json.decode(data), version))
    design = msgspec.json.decode(data, type=Design, dec_hook=from_text)
    resolve_bodies(design)
    return design


def check_kept(design: Design) -> None:
    """Whether a design can be saved, and read again.

    Raises: DesignError.
    """
    try:
        _design_in(encode(design), VERSION)
    except (IsotomonError, TypeError, ValueError, msgspec.MsgspecError) as error:
        raise DesignError(f"{error}; give each field what it takes") from None


def load(path: Path) -> Design:
    """The design in a file.

    Raises: FileError.
    """
    return decode(read_bytes(path, MOST_BYTES, "design file"), str(path))


def save(design: Design, path: Path) -> None:
    """Write the design file.

    Raises: FileError.
    """
    write_atomically(path, encode(design))


def schema() -> dict[str, Any]:
    """The JSON Schema of the design file."""
    return msgspec.json.schema(Design, schema_hook=lambda kind: {"type": "string"})
