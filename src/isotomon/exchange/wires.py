"""Curves in space as DXF, STEP or IGES."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from isotomon.design.disk import write_atomically
from isotomon.geometry.wire import Wire

ByWorker = Callable[[Sequence[Wire], str, Path], None]
"""Writes curves, under a name, as STEP or IGES, which the kernel's worker does."""


def write_wires(wires: Sequence[Wire], name: str, path: Path, by_worker: ByWorker) -> None:
    """Write curves by a file's ending: `.dxf`, `.step` or `.iges`.

    Raises: FileError, SolidError.
    """
    if path.suffix.lower() != ".dxf":
        by_worker(wires, name, path)
        return
    from isotomon.exchange import dxf  # its library takes half a second to load: only when it is needed

    write_atomically(path, dxf.write_wires(wires))
