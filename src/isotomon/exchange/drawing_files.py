"""Drawings from and to DXF, SVG and coordinate text. Files are untrusted: sizes and numbers are checked, links never followed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.design.disk import decode_text, read_bytes, write_atomically
from isotomon.errors import FileError, ProfileError
from isotomon.exchange import svg
from isotomon.exchange.pieces import FURTHEST, MOST_PIECES, PieceCollector
from isotomon.profile.draw_edits import join_all, remove
from isotomon.profile.drawing import Drawing, part_ends
from isotomon.profile.drawn import lofted_run
from isotomon.profile.loops import find_runs
from isotomon.quantity import LENGTHS

MOST_BYTES = 20 * 1024 * 1024


@dataclass(frozen=True)
class ReadDrawing:
    """What a file held: a drawing, the ids of all in it, and a sentence about it."""

    drawing: Drawing
    keys: tuple[str, ...]
    said: str


def read_drawing(path: Path, unit: str) -> ReadDrawing:
    """The lines and curves of a file, in mm. `unit`: what lengths are in where the file does not say.

    Raises: FileError, saying what is wrong and what to do.
    """
    ending = path.suffix.lower()
    data = read_bytes(path, MOST_BYTES, "drawing")
    sheet = PieceCollector(str(path))
    if ending == ".dxf":
        from isotomon.exchange import dxf  # its library takes half a second to load: only when it is needed

        said_unit = dxf.read(data, sheet, LENGTHS[unit])
    elif ending == ".svg":
        said_unit = svg.read(data, sheet)
    else:
        said_unit = _read_text(data, sheet, unit)
    drawing = _welded(sheet.done(path.stem[:60] or "drawing"))
    if not drawing.parts:
        raise FileError(f"{path} holds no lines or curves that can be drawn{sheet.left_out()}")
    keys = tuple(p.id for p in drawing.parts) + tuple(p.id for p in drawing.points)
    return ReadDrawing(drawing, keys, f"{len(drawing.parts)} lines and curves, {said_unit}{sheet.left_out()}")


def _welded(drawing: Drawing) -> Drawing:
    """Ends that lie within a millionth of the size of one another made one point."""
    ends = {e for p in drawing.parts for e in part_ends(p) or ()}
    chosen = [p for p in drawing.points if p.id in ends]
    if len(chosen) < 2:
        return drawing
    at = np.array([(p.x, p.y) for p in chosen])
    near = 1e-6 * max(float(np.ptp(at, axis=0).max()), 1e-9)
    pairs = cKDTree(at).query_pairs(near, output_type="ndarray")
    links = csr_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(at), len(at)))
    _, group = connected_components(links, directed=False)
    first = np.unique(group, return_index=True)[1][group]
    dots = [p.id for p in drawing.parts if (e := part_ends(p)) is not None and e[0] == e[1]]
    drawing = join_all(drawing, {chosen[k].id: chosen[keep].id for k, keep in enumerate(first.tolist()) if k != keep})
    return remove(drawing, dots) if dots else drawing


def _read_text(data: bytes, sheet: PieceCollector, unit: str) -> str:
    """Two columns of coordinates. A first line may name the unit: `# mm`. Corners sharper than 30° stay corners."""
    rows: list[tuple[float, float]] = []
    lines = decode_text(data, sheet.name).splitlines()
    for number, line in enumerate(lines, 1):
        text = line.split("#")[0].replace(",", " ").replace(";", " ").split()
        named = line.replace("#", " ").split()
        if not rows and len(named) == 1 and named[0] in LENGTHS:
            unit = named[0]
            continue
        if not text:
            continue
        try:
            x, y = (float(v) for v in text[:2])
        except ValueError:
            if not rows:
                continue  # a title
            raise FileError(f"{sheet.name}, line {number}: '{line.strip()[:40]}' is not two numbers") from None
        rows.append((x, y))
        if len(rows) > MOST_PIECES:
            raise FileError(f"{sheet.name} has more than {MOST_PIECES} points; thin them out")
    points = np.array(rows).reshape(-1, 2) * LENGTHS[unit]
    if not np.isfinite(points).all() or np.abs(points).max(initial=0.0) > FURTHEST:
        raise FileError(f"{sheet.name} reaches beyond {FURTHEST:g} mm, or holds what is no number; check its units")
    keep = (
        np.r_[True, np.linalg.norm(np.diff(points, axis=0), axis=1) > 0.0] if len(points) else np.zeros(0, dtype=bool)
    )
    points = points[keep]
    if len(points) < 3:
        raise FileError(f"{sheet.name} has {len(points)} points; a section needs three or more")
    sheet.through(points)
    return f"read in {unit}"


def write_drawing(drawing: Drawing, path: Path) -> None:
    """Write a solved drawing as DXF or SVG, its curves as curves, or the outer run as coordinate text, all in mm.

    Raises: FileError, ProfileError.
    """
    ending = path.suffix.lower()
    if ending == ".dxf":
        from isotomon.exchange import dxf

        write_atomically(path, dxf.write(drawing))
    elif ending == ".svg":
        write_atomically(path, svg.write(drawing))
    elif ending in (".dat", ".txt", ".csv"):
        polygon = _even(drawing)
        lines = [f"{x:.9g} {y:.9g}" for x, y in [*polygon.tolist(), polygon[0].tolist()]]
        write_atomically(path, ("# mm\n" + "\n".join(lines) + "\n").encode())
    else:
        raise FileError(f"'{path.suffix}' is not a drawing's ending; use .dxf, .svg or .dat")


def _even(drawing: Drawing) -> Array:
    """Points along the outer run, corners among them."""
    try:
        chain = lofted_run(drawing, find_runs(drawing))
    except ProfileError as error:
        raise FileError(str(error)) from None
    lengths = [np.linalg.norm(np.diff(p.at(np.linspace(0, 1, 65)), axis=0), axis=1).sum() for p in chain.pieces]
    counts = [
        max(math.ceil(240 * length / sum(lengths)), 1 if p.kind == "line" else 8)
        for length, p in zip(lengths, chain.pieces, strict=True)
    ]
    return np.vstack([p.at(np.arange(n) / n) for p, n in zip(chain.pieces, counts, strict=True)])
