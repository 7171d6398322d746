"""Station tables: CSV in and out. Header names carry the unit (`chord_mm`, `set_angle_deg`, `target_area_cm2`)."""

from __future__ import annotations

import csv
import io
import math
import re
from dataclasses import dataclass
from pathlib import Path

from isotomon.design.bodies import leading
from isotomon.design.body import Body
from isotomon.design.disk import decode_text, read_bytes
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.design.resolve import MOST_STATIONS, resolve_body
from isotomon.design.station import Station
from isotomon.errors import DesignError, FileError, ProfileError
from isotomon.profile.foil_points import parse_foil_text
from isotomon.profile.readymade import outline_of
from isotomon.profile.section import Drawn, FromPoints, Kept, Outline, Section
from isotomon.profile.section_text import parse_section, section_text
from isotomon.quantity import ANGLES, AREAS, LENGTHS, scale_of, to_unit
from isotomon.quantity.record import Ref

MOST_BYTES = 256 * 1024 * 1024
MOST_FOIL_BYTES = 16 * 1024 * 1024

_COLUMNS: dict[str, dict[str, float]] = {
    "position": LENGTHS,
    "chord": LENGTHS,
    "set_angle": ANGLES,
    "offset_x": LENGTHS,
    "offset_y": LENGTHS,
    "target_area": AREAS,
    "target_set_angle": ANGLES,
}
_PLAIN = ("station", "section", "pivot", "band_percent", "band_deg")
_NEEDED = ("station", "position", "section", "chord", "set_angle")


@dataclass(frozen=True)
class _TableColumn:
    index: int
    scale: float
    header: str


@dataclass(frozen=True)
class _TableRow:
    line: int
    cells: list[str]
    columns: dict[str, _TableColumn]
    source: str

    def text(self, name: str) -> str:
        column = self.columns.get(name)
        return self.cells[column.index].strip() if column and column.index < len(self.cells) else ""

    def fail(self, name: str, problem: str) -> FileError:
        column = self.columns.get(name)
        return FileError(f"{self.source}, line {self.line}, column '{column.header if column else name}': {problem}")

    def number(self, name: str, blank: float | None = None) -> float | None:
        """The cell in mm, rad, mm² or as it stands.

        Raises: FileError, for text and for NaN and infinities.
        """
        text = self.text(name)
        if not text:
            return blank
        try:
            value = float(text)
        except ValueError:
            comma = "; write a decimal point, not a comma" if re.fullmatch(r"[+-]?\d+,\d+", text) else ""
            raise self.fail(name, f"'{text[:40]}' is not a number{comma}") from None
        if not math.isfinite(value):
            raise self.fail(name, f"'{text}' is not a finite number; give a value or leave the cell blank")
        return value * self.columns[name].scale

    def needed(self, name: str) -> float:
        value = self.number(name)
        if value is None:
            raise self.fail(name, "the cell is blank; give a number")
        return value


def read_table(path: Path) -> Design:
    """A design from a station table. Foil files are read relative to the table and kept in the design.

    Raises: FileError, naming the file, line and column and what to do.
    """
    source = str(path)
    text = decode_text(read_bytes(path, MOST_BYTES, "station table"), source)
    return table_design(text, source, path.stem, path.parent)


def table_design(text: str, source: str, name: str, folder: Path) -> Design:
    """A design from the text of a station table.

    Raises: FileError.
    """
    rows, columns = _rows(text, source)
    unit = next((u for u in LENGTHS if columns["position"].header.lower().endswith(f"_{u}")), "mm")
    outlines: dict[str, Outline] = {}
    stations, areas, angles = [], [], []
    names: set[str] = set()
    for number, row in enumerate(rows, 1):
        label = row.text("station")
        if not label:
            raise row.fail("station", "the station has no name; give it one")
        if label in names or len(label) > 80:
            raise row.fail(
                "station",
                f"'{label[:80]}' is {'used twice' if label in names else 'too long'}; give each station its own short name",
            )
        names.add(label)
        stations.append(_station(row, f"s{number}", label, outlines, folder))
        area, angle = row.number("target_area"), row.number("target_set_angle")
        if area is not None:
            if area <= 0.0:
                raise row.fail(
                    "target_area", f"{row.text('target_area')} is not a positive area; correct it or leave it blank"
                )
            areas.append(LawPoint(area, Ref(f"s{number}"), band=_band(row, "band_percent", 0.01)))
        if angle is not None:
            angles.append(LawPoint(angle, Ref(f"s{number}"), band=_band(row, "band_deg", math.pi / 180.0)))
    laws = []
    if areas:
        laws.append(Law("law1", "area", "area", 0.01, relative=True, points=tuple(areas)))
    if angles:
        laws.append(Law(f"law{len(laws) + 1}", "set angle", "set_angle", math.radians(0.5), points=tuple(angles)))
    size = max(station.chord for station in stations if isinstance(station.chord, float))
    design = Design(
        name=name,
        unit=unit,  # type: ignore[arg-type]
        tolerance=_tolerance(size),
        outlines=tuple(outlines.values()),
        bodies=(Body("body", name, stations=tuple(stations), laws=tuple(laws)),),
    )
    try:
        resolve_body(design, design.bodies[0])
    except DesignError as error:
        raise FileError(f"{source}: {error}") from None
    return design


def _tolerance(size: float) -> float:
    """A millionth of the size, to one digit, and never finer than the profiles themselves are fitted."""
    return float(f"{max(size * 1e-6, 1e-7):.0e}")


def _band(row: _TableRow, name: str, scale: float) -> float | None:
    value = row.number(name)
    if value is None:
        return None
    if value <= 0.0:
        raise row.fail(name, f"the band is {value:g}; it must be greater than zero")
    return value * scale


def _rows(text: str, source: str) -> tuple[list[_TableRow], dict[str, _TableColumn]]:
    lines = [
        (n, line) for n, line in enumerate(text.splitlines(), 1) if line.strip() and not line.lstrip().startswith("#")
    ]
    if not lines:
        raise FileError(f"{source} holds no table, only comments; the first line must name the columns")
    head = lines[0][1]
    mark = max(",;\t", key=head.count)
    if len(lines) - 1 > MOST_STATIONS:
        raise FileError(f"{source} has {len(lines) - 1:,} rows; a station table may have at most {MOST_STATIONS:,}")
    try:
        cells = list(csv.reader(io.StringIO("\n".join(line for _, line in lines)), delimiter=mark, strict=True))
    except csv.Error as error:
        raise FileError(f"{source} is not a table: {error}; save it as CSV") from None
    if len(cells) != len(lines):
        raise FileError(f"{source}: a quoted cell runs over the end of its line; write each station on one line")
    columns = _columns(cells[0], source, lines[0][0])
    rows = [
        _TableRow(n, row, columns, source)
        for (n, _), row in zip(lines[1:], cells[1:], strict=True)
        if any(c.strip() for c in row)
    ]
    for row in rows:
        if len(row.cells) > len(cells[0]):
            raise FileError(
                f"{source}, line {row.line}: {len(row.cells)} cells under {len(cells[0])} columns; check for a stray separator"
            )
    if len(rows) < 2:
        raise FileError(f"{source} has {len(rows)} station{'s' if len(rows) != 1 else ''}; a loft needs two or more")
    return rows, columns


def _columns(headers: list[str], source: str, line: int) -> dict[str, _TableColumn]:
    found: dict[str, _TableColumn] = {}
    for index, raw in enumerate(headers):
        header = raw.strip().lower()
        name, scale = header, 1.0
        if not header and index == len(headers) - 1:
            continue
        if header not in _PLAIN:
            name, _, unit = header.rpartition("_")
            stem = name if name in _COLUMNS else header if header in _COLUMNS else ""
            if not stem:
                known = ", ".join([*_PLAIN, *(f"{n}_{next(iter(t))}" for n, t in _COLUMNS.items())])
                raise FileError(
                    f"{source}, line {line}: the column '{raw.strip()[:40]}' is not known; known are {known}"
                )
            if stem == header or unit not in _COLUMNS[stem]:
                what = f"'{unit}' is not a unit for it" if stem != header else "it has no unit"
                raise FileError(
                    f"{source}, line {line}: the column '{raw.strip()}': {what}; use {', '.join(f'{stem}_{u}' for u in _COLUMNS[stem])}"
                )
            scale = scale_of(unit)
        if name in found:
            raise FileError(
                f"{source}, line {line}: two columns give {name.replace('_', ' ')} ('{found[name].header}' and '{raw.strip()}'); keep one"
            )
        found[name] = _TableColumn(index, scale, raw.strip())
    missing = [n for n in _NEEDED if n not in found]
    if missing:
        wanted = ", ".join(f"{n}_{next(iter(_COLUMNS[n]))}" if n in _COLUMNS else n for n in missing)
        raise FileError(f"{source}, line {line}: the columns {wanted} are missing")
    return found


def _station(row: _TableRow, key: str, label: str, outlines: dict[str, Outline], folder: Path) -> Station:
    chord = row.needed("chord")
    if chord <= 0.0:
        raise row.fail("chord", f"{row.text('chord')} is not a size; it must be greater than zero")
    pivot = row.number("pivot")
    section = _section(row, outlines, folder)
    return Station(
        id=key,
        name=label,
        position=row.needed("position"),
        section=section,
        chord=chord,
        set_angle=row.number("set_angle", 0.0) or 0.0,
        pivot=pivot,
        offset_x=row.number("offset_x", 0.0) or 0.0,
        offset_y=row.number("offset_y", 0.0) or 0.0,
    )


def _section(row: _TableRow, outlines: dict[str, Outline], folder: Path) -> Section:
    text = row.text("section")
    try:
        if not text.lower().startswith("file:"):
            return parse_section(text)
        name = text[5:].strip()
        if not name:
            raise ProfileError("'file:' names no file; write it as file:root.dat")
        if Path(name).is_absolute():
            raise ProfileError(f"'{name}' is an absolute path; put the file beside the table and name it from there")
        if name not in outlines:
            if not (folder / name).resolve().is_relative_to(folder.resolve()):
                raise ProfileError(f"'{name}' lies outside the table's folder; put the file beside the table")
            outlines[name] = read_foil(folder / name, f"o{len(outlines) + 1}", name)
        return FromPoints(Ref(outlines[name].id))
    except (ProfileError, FileError) as error:
        raise row.fail("section", str(error)) from None


def read_foil(path: Path, key: str, name: str) -> Outline:
    """Foil coordinates from a file, checked to make an outline.

    Raises: FileError, ProfileError.
    """
    text = decode_text(read_bytes(path, MOST_FOIL_BYTES, "foil file"), str(path))
    try:
        outline = Outline(key, name, parse_foil_text(text))
        outline_of(FromPoints(Ref(key)), {key: outline})
    except ProfileError as error:
        raise ProfileError(f"{path}: {error}") from None
    return outline


def write_table(design: Design, hand: str = "") -> str:
    """The stations of a body (the leading one where none is said) as a table that `read_table` reads back; formulas as their
    values.

    Raises: IsotomonError.
    """
    body = design.body(hand or leading(design))
    if body.loft.carrier.how != "straight":
        raise DesignError(
            "a table says positions along a straight body; carry the loft straight, or save the design instead"
        )
    resolved = resolve_body(design, body)
    unit = design.unit
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        [
            "station",
            f"position_{unit}",
            "section",
            f"chord_{unit}",
            "set_angle_deg",
            "pivot",
            f"offset_x_{unit}",
            f"offset_y_{unit}",
        ]
    )
    for n in resolved.stations:
        lengths = [f"{to_unit(x, unit):.10g}" for x in (n.position, n.chord, *n.offset)]
        angle = f"{math.degrees(n.set_angle):.10g}"
        if isinstance(n.station.section, Kept | Drawn):
            what = "a drawing" if isinstance(n.station.section, Drawn) else "a section taken from the body"
            raise DesignError(
                f"station '{n.station.name}' holds {what}, which a table cannot say; "
                "give it a ready-made section, or save the design instead"
            )
        text = section_text(n.station.section, design.outlines)
        writer.writerow([n.station.name, lengths[0], text, lengths[1], angle, f"{n.pivot:.10g}", *lengths[2:]])
    return out.getvalue()
