"""Files in and out, in one place: what is read is bounded and an ordinary file, what is written is whole or not at all."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import stat
import tempfile
import time
from pathlib import Path

from isotomon.errors import FileError

OLD_SECONDS = 86400.0
"""A part file this old was left behind, whoever may have the process id in its name by now."""


def read_bytes(path: Path, most: int, what: str) -> bytes:
    """A file's contents.

    Raises: FileError, for a missing or unreadable file, a directory, a pipe or device (also behind a link), or more than
    `most` bytes.
    """
    try:
        # Not blocking, so that a pipe nobody writes to is told as what it is.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(handle, "rb") as stream:
            found = os.fstat(handle)
            if stat.S_ISDIR(found.st_mode):
                raise FileError(f"{path} is a directory; name the {what} itself")
            if not stat.S_ISREG(found.st_mode):
                raise FileError(f"{path} is a pipe or a device, not an ordinary file; name the {what} itself")
            data = stream.read(most + 1) if found.st_size <= most else b""
    except FileError:
        raise
    except FileNotFoundError:
        raise FileError(f"{path} does not exist; check the name") from None
    except IsADirectoryError:
        raise FileError(f"{path} is a directory; name the {what} itself") from None
    except (OSError, ValueError) as error:
        raise FileError(f"{path} cannot be read: {getattr(error, 'strerror', None) or error}") from None
    if max(len(data), found.st_size) > most:
        raise FileError(f"{path} has {max(len(data), found.st_size):,} bytes; a {what} may have at most {most:,}")
    return data


def decode_text(data: bytes, source: str) -> str:
    """UTF-8 text, with or without a mark at its start.

    Raises: FileError, for anything else, and where there is nothing.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        wide = " (it is UTF-16)" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ""
        raise FileError(
            f"{source} is not a text file in UTF-8{wide}, from byte {error.start} on; save it as UTF-8"
        ) from None
    if not text.strip():
        raise FileError(f"{source} is empty")
    if "\0" in text:
        raise FileError(f"{source} is not a text file (it holds a zero byte); save it as UTF-8 text")
    return text


def write_atomically(path: Path, data: bytes) -> None:
    """Write all of `data` or nothing: a temporary file beside it, flushed, then renamed. Behind a link its target is
    written; a file that was there keeps its permissions.

    Raises: FileError.
    """
    temporary = ""
    try:
        target = Path(os.path.realpath(path))
        mode = _mode_for(path, target)
        clear_parts(target)
        handle, temporary = tempfile.mkstemp(prefix=f".{target.name}.{os.getpid()}.", suffix=".part", dir=target.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fchmod(handle, mode)
            os.fsync(handle)
        os.replace(temporary, target)
        _settle(target.parent)
    except FileError:
        raise
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise FileError(f"{path} cannot be written: {reason}; choose another place or make room") from None
    finally:
        if temporary:
            with contextlib.suppress(OSError):
                os.unlink(temporary)


def _mode_for(path: Path, target: Path) -> int:
    """The permissions of what is to be written. Raises: FileError, where no file can be."""
    try:
        found = target.stat()
    except FileNotFoundError:
        return 0o666 & ~_umask()
    if stat.S_ISDIR(found.st_mode):
        raise FileError(f"{path} is a directory; name a file in it")
    if not stat.S_ISREG(found.st_mode):
        raise FileError(f"{path} is a pipe or a device, not an ordinary file; choose another place")
    return stat.S_IMODE(found.st_mode)


def _umask() -> int:
    """The process's, read without changing it, which other threads would notice."""
    with contextlib.suppress(OSError, ValueError):
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("Umask:"):
                return int(line.split()[1], 8)
    return 0o022


def _settle(folder: Path) -> None:
    """Have the folder's new entry survive a loss of power, where the file system can do that."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def clear_parts(target: Path) -> None:
    """Remove what processes that were killed while writing this file have left beside it."""
    named = re.compile(rf"\.{re.escape(target.name)}\.(\d+)\.[^.]*\.part")
    with contextlib.suppress(OSError):
        for entry in os.scandir(target.parent):
            found = named.fullmatch(entry.name)
            if found is None or int(found[1]) == os.getpid():
                continue
            with contextlib.suppress(OSError):
                if (
                    not runs_since(int(found[1]), entry.stat().st_mtime)
                    or time.time() - entry.stat().st_mtime > OLD_SECONDS
                ):
                    os.unlink(entry.path)


def runs_since(pid: int, moment: float) -> bool:
    """Whether the process that had an id at a moment (s since 1970) still runs: one that began later only has its id."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        booted = next(
            float(line.split()[1]) for line in Path("/proc/stat").read_text().splitlines() if line.startswith("btime")
        )
        began = booted + float(fields[19]) / os.sysconf("SC_CLK_TCK")
    except (OSError, ValueError, IndexError, StopIteration):
        return False
    return fields[0] != "Z" and began <= moment + 2.0  # the moment of booting is told to the second


def mark_of(path: Path) -> str:
    """What tells a file's contents from others; empty where there is none."""
    try:
        with Path(path).open("rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return ""


def refuse_same(target: Path | str, source: Path | None) -> None:
    """Raises: FileError, when `target` is the design's own file, which something else is about to be written to."""
    try:
        same = source is not None and os.path.samefile(target, source)
    except OSError:
        return
    if same:
        raise FileError(f"{target} is the design itself, which would be lost; choose another file")
