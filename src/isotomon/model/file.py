"""The design file: canonical JSON, checked on the way in, written atomically."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

import msgspec

from isotomon.errors import FileError, IsotomonError
from isotomon.model.bodies import resolve_bodies
from isotomon.model.records import FORMAT, VERSION, Design
from isotomon.model.upgrade import upgraded

MOST_BYTES = 64 * 1024 * 1024
SCHEMA_FILE = Path(__file__).with_name("design.schema.json")


class _Head(msgspec.Struct):
    format: str = ""
    version: int = 0


def encode(design: Design) -> bytes:
    """The design as the bytes of its file: equal designs give equal bytes."""
    return msgspec.json.format(msgspec.json.encode(design), indent=1) + b"\n"


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
        if head.version < VERSION:
            data = msgspec.json.encode(upgraded(msgspec.json.decode(data), head.version))
        design = msgspec.json.decode(data, type=Design)
        resolve_bodies(design)
    except (msgspec.DecodeError, RecursionError, IsotomonError) as error:
        raise FileError(f"{name} cannot be used: {error}") from None
    return design


def read_bytes(path: Path, most: int, what: str) -> bytes:
    """A file's contents.

    Raises: FileError, for a missing or unreadable file, a directory, or more than `most` bytes.
    """
    try:
        if path.is_dir():
            raise FileError(f"{path} is a directory; name the {what} itself")
        size = path.stat().st_size
        if size > most:
            raise FileError(f"{path} has {size:,} bytes; a {what} may have at most {most:,}")
        with path.open("rb") as stream:
            return stream.read(most + 1)
    except FileError:
        raise
    except FileNotFoundError:
        raise FileError(f"{path} does not exist; check the name") from None
    except (OSError, ValueError) as error:
        raise FileError(f"{path} cannot be read: {getattr(error, 'strerror', None) or error}") from None


def load(path: Path) -> Design:
    """The design in a file.

    Raises: FileError.
    """
    return decode(read_bytes(path, MOST_BYTES, "design file"), str(path))


def write_atomically(path: Path, data: bytes) -> None:
    """Write all of `data` or nothing: a temporary file beside it, flushed, then renamed.

    Raises: FileError.
    """
    temporary = ""
    try:
        if path.is_dir():
            raise FileError(f"{path} is a directory; name a file in it")
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
    except FileError:
        raise
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise FileError(f"{path} cannot be written: {reason}; choose another place or make room") from None
    finally:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)


def _umask() -> int:
    mask = os.umask(0o022)
    os.umask(mask)
    return mask


def save(design: Design, path: Path) -> None:
    """Write the design file.

    Raises: FileError.
    """
    write_atomically(path, encode(design))


def schema() -> dict[str, Any]:
    """The JSON Schema of the design file."""
    return msgspec.json.schema(Design)
