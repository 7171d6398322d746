"""Curves in space as DXF, STEP or IGES."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Sequence
from pathlib import Path

import ezdxf

from isotomon.design.disk import write_atomically
from isotomon.geometry.wire import Wire, clamped

_NOT_IN_LAYERS = re.compile(r'[<>/\\":;?*|=`,]')


ByWorker = Callable[[Sequence[Wire], str, Path], None]
"""Writes curves, under a name, as STEP or IGES, which the kernel's worker does."""


def write_wires(wires: Sequence[Wire], name: str, path: Path, by_worker: ByWorker) -> None:
    """Write curves by a file's ending: `.dxf`, `.step` or `.iges`.

    Raises: FileError, SolidError.
    """
    if path.suffix.lower() == ".dxf":
        write_atomically(path, wires_dxf(wires))
    else:
        by_worker(wires, name, path)


def wires_dxf(wires: Sequence[Wire]) -> bytes:
    """Curves as splines of a DXF file in mm, those of each thing on a layer of its own: `guides rim`, `sections r3`."""
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    for wire in wires:
        layer = _NOT_IN_LAYERS.sub("_", f"{wire.layer} {wire.name}")
        if layer not in document.layers:
            document.layers.add(layer)
        for edge in wire.edges:
            own = clamped(edge)
            assert own.basis is not None
            look = {"layer": layer}
            made = space.add_open_spline(own.points.tolist(), degree=own.basis.degree, dxfattribs=look)
            made.knots = own.basis.knots.tolist()
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode()
