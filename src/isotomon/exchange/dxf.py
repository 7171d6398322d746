"""DXF: the lines and curves of the model space in, a drawing's parts out."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterable, Sequence
from typing import Any

import ezdxf
import numpy as np
from ezdxf import recover
from scipy.interpolate import BSpline, make_interp_spline

from isotomon.arrays import Array
from isotomon.errors import FileError
from isotomon.exchange.pieces import MOST_PIECES, PieceCollector
from isotomon.geometry.wire import Wire, clamped
from isotomon.profile.curves import frame_of, oval_span, sources
from isotomon.profile.drawing import Arc, CirclePart, Curve, Drawing, Line, Oval, Spline
from isotomon.profile.loops import places_of

_UNITS = {1: ("in", 25.4), 4: ("mm", 1.0), 5: ("cm", 10.0), 6: ("m", 1000.0)}
_NUMBER = re.compile(rb"[+-]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eEdD][+-]?\d++)?+")
MOST_DIGITS = 64
_REAL = ((10, 59), (140, 149), (210, 239))
"""Group codes whose values are real numbers."""
_FAULTS = (
    ezdxf.DXFError,
    ValueError,
    KeyError,
    IndexError,
    TypeError,
    AttributeError,
    OSError,
    RecursionError,
    ArithmeticError,
    AssertionError,
)
"""What reading a damaged file may raise inside the library."""


def read(data: bytes, sheet: PieceCollector, plain: float) -> str:
    """Put the model space of a DXF file on a sheet; `plain`: mm of a unit where the file does not say. Returns the unit in words.

    Blocks, texts, pictures and outside references are left out and counted; nothing outside the file is opened.
    Raises: FileError.
    """
    if b"SECTION" not in data[:4096]:
        raise FileError(f"{sheet.name} is not a DXF file, or is damaged")
    _check_numbers(data, sheet.name)
    try:
        document, audit = recover.read(io.BytesIO(data))
        if audit.errors:
            raise FileError(f"{sheet.name} is damaged: {audit.errors[0].message[:120]}; write it anew")
        space = list(document.modelspace())
        named = _UNITS.get(int(document.header.get("$INSUNITS", 0)))
    except FileError:
        raise
    except _FAULTS as error:
        raise FileError(f"{sheet.name} cannot be read as DXF: {str(error)[:120]}") from None
    if len(space) > 4 * MOST_PIECES:
        raise FileError(f"{sheet.name} holds {len(space):,} things; at most {4 * MOST_PIECES:,} can be read")
    scale = named[1] if named else plain
    for entity in space:
        try:
            _entity(entity, sheet, scale)
        except FileError:
            raise
        except _FAULTS as error:
            raise FileError(f"{sheet.name}: a {entity.dxftype()} in it cannot be used ({str(error)[:80]})") from None
    return f"read in {named[0]}" if named else "its unit is not said, taken as the design's"


def _check_numbers(data: bytes, name: str) -> None:
    """Whether all coordinates and sizes in a text file are numbers: the library reads what is none as something else.

    Raises: FileError, with the line.
    """
    lines = data.splitlines()
    for at in range(0, len(lines) - 1, 2):
        code = lines[at].strip()
        if code.isdigit() and any(low <= int(code) <= high for low, high in _REAL) and len(code) < 5:
            value = lines[at + 1].strip()
            if len(value) > MOST_DIGITS or _NUMBER.fullmatch(value) is None:
                comma = "; write a decimal point, not a comma" if b"," in value else ""
                shown = value[:30].decode("latin-1")
                raise FileError(f"{name}, line {at + 2}: '{shown}' is not a number{comma}")


def _flat(value: Any, scale: float) -> Array:
    return scale * np.array([float(value[0]), float(value[1])])


def _entity(entity: Any, sheet: PieceCollector, scale: float) -> None:
    kind, d = entity.dxftype(), entity.dxf
    if kind in ("ARC", "CIRCLE", "ELLIPSE", "LWPOLYLINE") and abs(float(d.get("extrusion", (0, 0, 1))[2]) - 1.0) > 1e-9:
        sheet.other(f"{kind} not in the plane")
        return
    if kind == "LINE":
        sheet.line(_flat(d.start, scale), _flat(d.end, scale))
    elif kind == "POINT":
        sheet.point(_flat(d.location, scale))
    elif kind == "CIRCLE":
        sheet.ring(_flat(d.center, scale), scale * float(d.radius))
    elif kind == "ARC":
        sheet.arc(
            _flat(d.center, scale), scale * float(d.radius), math.radians(d.start_angle), math.radians(d.end_angle)
        )
    elif kind == "ELLIPSE":
        sheet.oval(
            _flat(d.center, scale), _flat(d.major_axis, scale), float(d.ratio), float(d.start_param), float(d.end_param)
        )
    elif kind == "LWPOLYLINE":
        _polyline([(x, y, bulge) for x, y, bulge in entity.get_points("xyb")], bool(entity.closed), sheet, scale)
    elif kind == "POLYLINE" and entity.is_2d_polyline:
        rows = [(v.dxf.location[0], v.dxf.location[1], v.dxf.get("bulge", 0.0)) for v in entity.vertices]
        _polyline(rows, bool(entity.is_closed), sheet, scale)
    elif kind == "SPLINE":
        _spline(entity, sheet, scale)
    else:
        sheet.other(kind)


def _polyline(rows: list[tuple[float, float, float]], closed: bool, sheet: PieceCollector, scale: float) -> None:
    """Straight stretches and arcs; a bulge is the tangent of a quarter of the arc's angle."""
    count = len(rows)
    for k in range(count if closed else count - 1):
        (x0, y0, bulge), (x1, y1, _) = rows[k], rows[(k + 1) % count]
        a, b = scale * np.array([x0, y0]), scale * np.array([x1, y1])
        if abs(bulge) < 1e-12 or np.array_equal(a, b):
            sheet.line(a, b)
            continue
        half = (b - a) / 2.0
        centre = a + half + np.array([-half[1], half[0]]) * (1.0 - bulge * bulge) / (2.0 * bulge)
        angles = [math.atan2(*(p - centre)[::-1]) for p in (a, b)]
        start, end = angles if bulge > 0.0 else angles[::-1]
        sheet.arc(centre, float(np.hypot(*(a - centre))), start, end)


def _spline(entity: Any, sheet: PieceCollector, scale: float) -> None:
    """A cubic (or lower) B-spline without weights exactly; others through enough of their points."""
    tool = entity.construction_tool()
    knots = np.array(tool.knots(), dtype=float)
    poles = scale * np.array([[float(p[0]), float(p[1])] for p in tool.control_points])
    degree = int(tool.degree)
    if len(poles) > MOST_PIECES or not 1 <= degree <= 11:
        raise FileError(
            f"{sheet.name}: a spline of degree {degree} with {len(poles)} poles is beyond what can be drawn"
        )
    weights = np.array(tool.weights() or np.ones(len(poles)), dtype=float)
    start, end = knots[degree], knots[len(poles)]
    breaks = np.unique(knots[(knots >= start) & (knots <= end)])
    spline = BSpline(knots, poles, degree)
    if degree <= 3 and np.allclose(weights, weights[0]) and all(np.sum(knots == t) < degree for t in breaks[1:-1]):
        params = (breaks - start) / (end - start)
        slopes = spline(np.clip(breaks, start, np.nextafter(end, start)), 1) * (end - start)
        sheet.hermite(spline(breaks), slopes, np.r_[0.0, params[1:-1], 1.0])
        return
    t = np.linspace(start, end, max(24, 6 * len(breaks)))
    lifted = BSpline(knots, np.column_stack([poles * weights[:, None], weights]), degree)(t)
    sheet.through(lifted[:, :2] / lifted[:, 2:])


def write(drawing: Drawing) -> bytes:
    """A solved drawing as DXF in mm; construction and centre lines on layers of their own."""
    document = _document(("construction", "centre"))
    space = document.modelspace()
    places = places_of(drawing)
    for part in drawing.parts:
        look = {"layer": str("0" if part.role == "shape" else part.role)}
        match part:
            case Line():
                space.add_line(places[part.a].tolist(), places[part.b].tolist(), dxfattribs=look)
            case Arc():
                centre = places[part.centre]
                a, b = (math.degrees(math.atan2(*(places[k] - centre)[::-1])) for k in (part.a, part.b))
                space.add_arc(centre.tolist(), float(np.hypot(*(places[part.a] - centre))), a, b, dxfattribs=look)
            case CirclePart():
                space.add_circle(places[part.centre].tolist(), part.radius, dxfattribs=look)
            case Oval():
                _write_oval(space, part, drawing, look)
            case _:
                _write_spline(space, part, drawing, look)
    return _bytes_of(document)


_NOT_IN_LAYERS = re.compile(r'[<>/\\":;?*|=`,]')


def write_wires(wires: Sequence[Wire]) -> bytes:
    """Curves in space as splines of a DXF file in mm, those of each thing on a layer of its own: `guides rim`, `sections r3`."""
    layers = [_NOT_IN_LAYERS.sub("_", f"{wire.layer} {wire.name}") for wire in wires]
    document = _document(dict.fromkeys(layers))
    space = document.modelspace()
    for wire, layer in zip(wires, layers, strict=True):
        for edge in map(clamped, wire.edges):
            assert edge.basis is not None
            _add_spline(space, edge.points, edge.basis.degree, edge.basis.knots, {"layer": layer})
    return _bytes_of(document)


def _document(layers: Iterable[str]) -> Any:
    """A new file in mm."""
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 4
    for layer in layers:
        document.layers.add(layer)
    return document


def _bytes_of(document: Any) -> bytes:
    stream = io.StringIO()
    document.write(stream)
    return bytes(stream.getvalue().encode())


def _add_spline(space: Any, poles: Array, degree: int, knots: Array, look: dict[str, str]) -> None:
    """A spline with clamped ends, by its control points (n, 3)."""
    made = space.add_open_spline(poles.tolist(), degree=degree, dxfattribs=look)
    made.knots = knots.tolist()


def _write_spline(space: Any, part: Curve | Spline, drawing: Drawing, look: dict[str, str]) -> None:
    """The same spline with clamped ends, which every reader takes."""
    frame = frame_of(part)
    p, n = frame.degree, len(frame.knots)
    inner = frame.knots[p + 1 : n - p - 1]
    knots = np.r_[np.full(p + 1, frame.start), inner, np.full(p + 1, frame.end)]
    sites = np.lib.stride_tricks.sliding_window_view(knots[1:-1], p).mean(axis=1)
    values = frame.row(np.clip(sites, frame.start, frame.end)) @ sources(part, places_of(drawing))
    poles = make_interp_spline(sites, values, k=p, t=knots).c
    _add_spline(space, np.column_stack([poles, np.zeros(len(poles))]), p, knots, look)


def _write_oval(space: Any, part: Oval, drawing: Drawing, look: dict[str, str]) -> None:
    places = places_of(drawing)
    centre, major = places[part.centre], places[part.major] - places[part.centre]
    ratio = part.minor / float(np.hypot(*major))
    start, sweep = oval_span(part, places)
    if ratio > 1.0:  # the format wants the longer half axis first
        major, ratio, start = np.array([-major[1], major[0]]) * ratio, 1.0 / ratio, start - math.pi / 2
    space.add_ellipse((*centre.tolist(), 0.0), (*major.tolist(), 0.0), ratio, start, start + sweep, dxfattribs=look)
