"""Measured points from files: text, CSV, PLY and STL, millions of them, with their units and names."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from isotomon.arrays import Array, unique_rows
from isotomon.design.disk import decode_text, read_bytes
from isotomon.errors import FileError
from isotomon.metrology.compare import MOST_POINTS
from isotomon.pace import checkpoint
from isotomon.quantity import LENGTHS

MOST_BYTES = 800 * 1024 * 1024
ENDINGS = (".csv", ".txt", ".xyz", ".asc", ".pts", ".ply", ".stl")
LARGEST = 1e7
"""mm: nothing that is measured is as far away."""
MOST_NAMED = 1000
LINES_AT_A_TIME = 200_000
WORDS = {
    "x": ("x", "px", "pos_x", "x_mm", "x-coordinate"),
    "y": ("y", "py", "pos_y", "y_mm", "y-coordinate"),
    "z": ("z", "pz", "pos_z", "z_mm", "z-coordinate"),
    "name": ("name", "label", "point"),
}
"""What columns may be called."""


class Cloud(NamedTuple):
    """Points (n, 3) mm as they were measured; `named`: those of them that have a name, (3,) each; the unit they were in, and whether the file said so."""

    points: Array
    named: dict[str, Array]
    unit: str
    said: bool


def read_cloud(path: Path, unit: str = "", usual: str = "mm") -> Cloud:
    """Measured points from a file. `unit`: what they are in, where it is known; else what the file says, else the `usual` one.

    Text and CSV: X, Y and Z in the first three columns, or in those that a first line calls so, with a column of names perhaps; a line
    `# unit: in` says the unit. PLY: its points; a comment `unit in` says the unit. STL: the corners of its triangles, each once.

    Raises: FileError, with the line where there is one.
    """
    if unit and unit not in LENGTHS:
        raise FileError(f"'{unit}' is no unit of length; use {', '.join(LENGTHS)}")
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise FileError(f"'{path.name}' has no ending of measured points; there are {', '.join(ENDINGS)}")
    data = read_bytes(path, MOST_BYTES, "file of measured points")
    points, named, found = _of_mesh(data, path) if ending in (".ply", ".stl") else _of_text(data, path)
    if len(points) > MOST_POINTS:
        raise FileError(f"{path} has {len(points):,} points; at most {MOST_POINTS:,} can be used: thin them out")
    used = unit or found or usual
    scale = LENGTHS[used]
    if not len(points) and not named:
        raise FileError(f"{path} holds no points")
    for places in (points, *named.values()):
        if not np.isfinite(places).all() or np.abs(places).max(initial=0.0) * scale > LARGEST:
            raise FileError(f"{path} has points that are no numbers, or farther away than {LARGEST / 1e6:g} km")
    return Cloud(points * scale, {name: place * scale for name, place in named.items()}, used, bool(found))


# PLY and STL


def _of_mesh(data: bytes, path: Path) -> tuple[Array, dict[str, Array], str]:
    import trimesh  # slow to load, and wanted here alone

    kind = path.suffix.lower()[1:]
    if kind == "ply" and not data.startswith(b"ply"):
        raise FileError(f"{path} is no PLY file: it does not begin with 'ply'")
    head = data[:4096].decode("ascii", "replace")
    count = re.search(r"element vertex (\d+)", head)
    if kind == "ply" and (count is None or int(count[1]) > MOST_POINTS):
        told = f"{int(count[1]):,} points; at most {MOST_POINTS:,} can be used: thin them out" if count else "no points"
        raise FileError(f"{path} has {told}")
    try:
        loaded: Any = trimesh.load(io.BytesIO(data), file_type=kind, process=False)
        places = np.asarray(loaded.vertices, dtype=np.float64).reshape(-1, 3)
    except Exception as error:  # noqa: BLE001 - whatever is wrong with a file, its reader raises what it likes
        raise FileError(f"{path} cannot be read as {kind.upper()} ({type(error).__name__}); is it whole?") from None
    if kind == "stl":
        places = places[unique_rows(places)[0]]
    said = re.search(r"comment\s+units?\s*[:=]?\s*(\w+)", head) if kind == "ply" else None
    return places, {}, said[1].lower() if said is not None and said[1].lower() in LENGTHS else ""


# Text


class _Columns(NamedTuple):
    """Which columns are X, Y, Z and, perhaps, the name; by what they are apart (None: blanks); and the first line of points, from nought."""

    places: tuple[int, int, int]
    name: int | None
    apart: str | None
    first: int


def _of_text(data: bytes, path: Path) -> tuple[Array, dict[str, Array], str]:
    if b"\0" in data[:65536]:
        raise FileError(f"{path} is no text: it holds bytes of nought; name it by what it is")
    text = decode_text(data, str(path))
    lines = text.splitlines()
    head = lines[:200]
    unit = next(
        (
            m[1].lower()
            for m in (re.match(r"\s*#.*?units?\s*[:=]?\s*([A-Za-z]+)", line) for line in head)
            if m and m[1].lower() in LENGTHS
        ),
        "",
    )
    columns = _columns(head, path)
    if columns.name is not None:
        return *_named(lines, columns, path), unit
    parts = list[Array]()
    for start in range(columns.first, len(lines), LINES_AT_A_TIME):
        checkpoint(start / len(lines))
        parts.append(_numbers(lines[start : start + LINES_AT_A_TIME], start, columns, path))
    return (np.vstack(parts) if parts else np.zeros((0, 3))), {}, unit


def _cells(line: str, apart: str | None) -> list[str]:
    return [cell.strip().strip('"') for cell in line.split(apart)]


def _columns(head: list[str], path: Path) -> _Columns:
    """What the first lines say of the columns. Raises: FileError, where there are not three."""
    for number, line in enumerate(head):
        plain = line.split("#")[0].strip()
        if not plain:
            continue
        apart = next((mark for mark in (";", "\t", ",") if mark in plain), None)
        cells = _cells(plain, apart)
        lower = [cell.lower() for cell in cells]
        named = {key: next((k for k, cell in enumerate(lower) if cell in words), None) for key, words in WORDS.items()}
        if any(named[key] is not None for key in "xyz"):
            lacking = [key.upper() for key in "xyz" if named[key] is None]
            if lacking:
                raise FileError(
                    f"{path}, line {number + 1}: there is no column {lacking[0]}; the columns are {', '.join(cells)}"
                )
            places = named["x"], named["y"], named["z"]
            return _Columns(places, named["name"], apart, number + 1)  # type: ignore[arg-type]
        if _is_number(cells[0]) and len(cells) >= 3 and all(map(_is_number, cells[:3])):
            last = 3 if len(cells) > 3 and not _is_number(cells[3]) else None
            return _Columns((0, 1, 2), last, apart, number)
        if len(cells) >= 4 and all(map(_is_number, cells[1:4])):
            return _Columns((1, 2, 3), 0, apart, number)
        if _is_number(cells[0]):
            raise FileError(f"{path}, line {number + 1}: {len(cells)} numbers where X, Y and Z are needed")
    raise FileError(f"{path} has no line with X, Y and Z in its first {len(head)} lines")


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _numbers(lines: list[str], start: int, columns: _Columns, path: Path) -> Array:
    """(n, 3) of lines of numbers alone. Raises: FileError, with the line."""
    try:
        found = np.loadtxt(lines, delimiter=columns.apart, usecols=columns.places, comments="#", ndmin=2)
    except ValueError:
        for number, line in enumerate(lines, start + 1):
            plain = line.split("#")[0].strip()
            cells = _cells(plain, columns.apart)
            if plain and not (len(cells) > max(columns.places) and all(_is_number(cells[k]) for k in columns.places)):
                raise FileError(f"{path}, line {number}: '{plain[:40]}' is not X, Y and Z") from None
        raise FileError(f"{path} cannot be read as rows of X, Y and Z") from None
    return found if found.size else np.zeros((0, 3))


def _named(lines: list[str], columns: _Columns, path: Path) -> tuple[Array, dict[str, Array]]:
    """Points one by one, some with names. Raises: FileError, with the line."""
    rows, named = list[list[float]](), dict[str, Array]()
    for number, line in enumerate(lines[columns.first :], columns.first + 1):
        plain = line.split("#")[0].strip()
        if not plain:
            continue
        cells = _cells(plain, columns.apart)
        try:
            row = [float(cells[k]) for k in columns.places]
        except (ValueError, IndexError):
            raise FileError(f"{path}, line {number}: '{plain[:40]}' is not X, Y and Z") from None
        rows.append(row)
        name = cells[columns.name] if columns.name is not None and columns.name < len(cells) else ""
        if columns.apart is None and columns.name == 3:  # a name may have blanks
            name = " ".join(cells[3:])
        if name:
            if name in named:
                raise FileError(f"{path}, line {number}: the name '{name}' is there twice; remove one")
            named[name] = np.array(row)
            if len(named) > MOST_NAMED:
                raise FileError(
                    f"{path} has more than {MOST_NAMED} names; leave out the column where they number the points"
                )
    return np.array(rows).reshape(-1, 3), named
