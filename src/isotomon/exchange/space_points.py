"""A section from a file of points in space: a plane is fitted to them, and the section drawn in it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from isotomon.arrays import Array
from isotomon.design.disk import decode_text, read_bytes
from isotomon.errors import DesignError, FileError
from isotomon.exchange.pieces import MOST_PIECES, PieceCollector
from isotomon.geometry.datums import fitted_plane, tilts_of
from isotomon.profile.drawing import Drawing
from isotomon.quantity import LENGTHS


@dataclass(frozen=True)
class SpaceSection:
    """The drawing in its plane, the plane as a station says it (mm, rad), and how far the points lie off it at most."""

    drawing: Drawing
    position: float
    tilt_x: float
    tilt_y: float
    off: float


def read_points(path: Path, unit: str) -> Array:
    """(n, 3) mm: three columns of text, apart by blanks, commas or semicolons. `unit`: what they are in, unless a first
    line names it (`# cm`).

    Raises: FileError, with the line.
    """
    lines = decode_text(read_bytes(path, 20 * 1024 * 1024, "point file"), str(path)).splitlines()
    rows: list[list[float]] = []
    for number, line in enumerate(lines, 1):
        named = line.replace("#", " ").split()
        if not rows and len(named) == 1 and named[0] in LENGTHS:
            unit = named[0]
            continue
        cells = line.split("#")[0].replace(",", " ").replace(";", " ").split()
        if not cells:
            continue
        try:
            row = [float(c) for c in cells]
        except ValueError:
            if not rows:
                continue  # a title
            raise FileError(f"{path}, line {number}: '{line.strip()[:40]}' is not three numbers") from None
        if len(row) != 3 or not np.isfinite(row).all():
            raise FileError(f"{path}, line {number}: {len(row)} numbers where X, Y and Z are needed")
        rows.append(row)
        if len(rows) > MOST_PIECES:
            raise FileError(f"{path} has more than {MOST_PIECES} points; thin them out")
    if len(rows) < 4:
        raise FileError(f"{path} has {len(rows)} points; a section in space needs four or more")
    return np.array(rows) * LENGTHS[unit]


def section_in_space(points: Array, name: str) -> SpaceSection:
    """A closed smooth section through points (n, 3) given in order round it; corners sharper than 30° stay corners.

    Raises: FileError, DesignError, for points on a line or a plane along the body's axis.
    """
    plane, off = fitted_plane(points)
    position, a, b = tilts_of(plane)
    across = np.array([np.cos(b), 0.0, -np.sin(b)])
    up = np.array([np.sin(b) * np.sin(a), np.cos(a), np.cos(b) * np.sin(a)])
    away = points - np.array([0.0, 0.0, position])
    flat = np.stack([away @ across, away @ up], axis=1)
    keep = np.r_[True, np.linalg.norm(np.diff(flat, axis=0), axis=1) > 0.0]
    flat = flat[keep]
    if not np.allclose(flat[0], flat[-1], atol=1e-9 * float(np.ptp(flat))):
        flat = np.vstack([flat, flat[:1]])
    if len(flat) < 5:
        raise DesignError("the points fall together in their plane; a section needs four that do not")
    sheet = PieceCollector(name)
    sheet.through(flat)
    return SpaceSection(sheet.done(name), position, a, b, off)
