"""Bodies of other programs' files, kept in the design as they are."""

from __future__ import annotations

import base64
import zlib
from pathlib import Path

from isotomon.design.disk import read_bytes
from isotomon.design.records import Imported
from isotomon.errors import FileError

MOST_BYTES = 64 * 1024 * 1024
FORMS = {".step": "step", ".stp": "step", ".iges": "iges", ".igs": "iges", ".stl": "stl"}


def read_import(path: Path, key: str) -> Imported:
    """A file as it is to be kept in a design under an id.

    Raises: FileError, for a form that is not known, a file that is too large or cannot be read.
    """
    form = FORMS.get(path.suffix.lower())
    if form is None:
        raise FileError(f"'{path.name}' is no body that can be brought in; use .step, .iges or .stl")
    data = read_bytes(path, MOST_BYTES, "body")
    return Imported(key, path.name, form, base64.b64encode(zlib.compress(data, 6)).decode())  # type: ignore[arg-type]


def bytes_of(imported: Imported) -> bytes:
    """The file again.

    Raises: FileError, when what is kept is damaged or swells to more than is allowed.
    """
    try:
        stream = zlib.decompressobj()
        data = stream.decompress(base64.b64decode(imported.data, validate=True), MOST_BYTES + 1)
    except (ValueError, zlib.error):
        raise FileError(f"the body '{imported.name}' kept in the design is damaged; bring it in again") from None
    if len(data) > MOST_BYTES:
        raise FileError(f"the body '{imported.name}' kept in the design is too large")
    return data
