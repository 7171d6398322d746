"""SVG: paths and basic shapes in, a drawing's parts out. No entities, links, styles or scripts are looked at."""

from __future__ import annotations

import math
import re
import xml.etree.ElementTree as ET
from collections.abc import Iterator

import numpy as np

from isotomon.arrays import Array
from isotomon.design.disk import decode_text
from isotomon.errors import FileError
from isotomon.exchange.pieces import PieceCollector
from isotomon.pace import checkpoint
from isotomon.profile.curves import Places, arc_angles, frame_of, oval_axes, oval_span, piece_of, sources
from isotomon.profile.drawing import Arc, CirclePart, Curve, Drawing, Line, Oval, Part, Spline
from isotomon.profile.loops import places_of

# Possessive, so that no text makes them go back and try again.
_PLAIN = r"[+-]?(?:\d++(?:\.\d*+)?+|\.\d++)(?:[eE][+-]?\d++)?+"
_NUMBER = re.compile(_PLAIN)
_LENGTH = re.compile(rf"\s*+({_PLAIN})\s*+([a-z%]*+)\s*+\Z")
_BETWEEN = re.compile(r"[\s,]*+")
ARC_LENGTH = 1e-9
"""An arc whose chord is a smaller share of its radii has no length that could be drawn round."""
NO_RADIUS = 1e-12
"""Of the distance between an arc's ends: a lesser radius is none, and the arc the line between them."""
MOST_DIGITS = 64
"""Longer numbers are none that a drawing has."""
_UNITS = {"": 25.4 / 96, "px": 25.4 / 96, "mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6}
MOST_DEPTH = 60
MOST_SCALE = 1e12
"""No transform of a drawing scales or moves by as much."""


def read(data: bytes, sheet: PieceCollector) -> str:
    """Put the shapes of an SVG file on a sheet, Y upwards. Returns in words how its lengths were read.

    Raises: FileError; a file with entities of its own is refused, links and uses are left out and counted.
    """
    text = decode_text(data, sheet.name)
    head = text.upper()
    if "<!ENTITY" in head or ("<!DOCTYPE" in head and "[" in head.split("<!DOCTYPE", 1)[1].split(">", 1)[0]):
        raise FileError(f"{sheet.name} defines entities of its own, which are not read; save it as plain SVG")
    try:
        root = ET.fromstring(text)
    except (ET.ParseError, ValueError, RecursionError, LookupError) as error:
        raise FileError(f"{sheet.name} cannot be read as SVG: {error}") from None
    if _tag(root) != "svg":
        raise FileError(f"{sheet.name} is not an SVG file")
    matrix, said = _page(root, sheet)
    _children(root, matrix, sheet, 0)
    return said


def _tag(element: ET.Element) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _length(text: str | None, sheet: PieceCollector) -> tuple[float, str]:
    found = _LENGTH.match(text or "")
    if found is None or found[2] not in _UNITS:
        return 0.0, ""
    return _finite(found[1], sheet), found[2]


def _finite(text: str, sheet: PieceCollector) -> float:
    value = float(text) if len(text) <= MOST_DIGITS else math.inf
    if not math.isfinite(value) or abs(value) > 1e9:
        raise FileError(f"{sheet.name} holds the number {text[:20]}, which is beyond any drawing")
    return value


def _page(root: ET.Element, sheet: PieceCollector) -> tuple[Array, str]:
    """(3, 3) from the file's coordinates to mm with Y upwards, and how lengths were read."""
    box = [_finite(n, sheet) for n in _NUMBER.findall(root.get("viewBox", ""))]
    width, unit = _length(root.get("width"), sheet)
    scale = _UNITS[unit] if unit in _UNITS else _UNITS["px"]
    if len(box) == 4 and box[2] > 0.0 and width > 0.0:
        scale = width * scale / box[2]
    said = f"lengths in {unit}" if unit else "its unit is not said, taken as 96 to the inch"
    return _bounded(np.diag([scale, -scale, 1.0]), sheet), said


def _children(element: ET.Element, matrix: Array, sheet: PieceCollector, depth: int) -> None:
    if depth > MOST_DEPTH:
        raise FileError(f"{sheet.name} is nested more than {MOST_DEPTH} deep; flatten its groups")
    for child in element:
        tag = _tag(child)
        here = _bounded(matrix @ _transform(child.get("transform", ""), sheet), sheet)
        if tag in ("g", "svg", "a"):
            _children(child, here, sheet, depth + 1)
        elif tag in _SHAPES:
            _SHAPES[tag](child, here, sheet)
        elif tag not in ("", "defs", "title", "desc", "metadata", "style", "namedview"):
            sheet.other(tag)


def _transform(text: str, sheet: PieceCollector) -> Array:
    total = np.eye(3)
    for name, inside in re.findall(r"(\w+)\s*\(([^)]*)\)", text[:2000]):
        n = [_finite(x, sheet) for x in _NUMBER.findall(inside)]
        m = np.eye(3)
        if name == "matrix" and len(n) == 6:
            m[:2] = np.array(n).reshape(3, 2).T
        elif name == "translate" and n:
            m[:2, 2] = (n[0], n[1] if len(n) > 1 else 0.0)
        elif name == "scale" and n:
            m[0, 0], m[1, 1] = n[0], n[1] if len(n) > 1 else n[0]
        elif name == "rotate" and n:
            c, s = math.cos(math.radians(n[0])), math.sin(math.radians(n[0]))
            m[:2, :2] = [[c, -s], [s, c]]
            if len(n) == 3:
                centre = np.array(n[1:])
                m[:2, 2] = centre - m[:2, :2] @ centre
        elif name in ("skewX", "skewY") and n:
            m[(0, 1) if name == "skewX" else (1, 0)] = math.tan(math.radians(n[0]))
        total = _bounded(total @ m, sheet)
    return total


def _bounded(matrix: Array, sheet: PieceCollector) -> Array:
    """A transform, if it leaves places within what can be drawn. Raises: FileError."""
    if not np.abs(matrix).max() < MOST_SCALE:
        raise FileError(f"{sheet.name} is scaled or moved beyond any drawing; mend its transforms")
    return matrix


def _at(matrix: Array, x: float, y: float) -> Array:
    return np.asarray(matrix[:2, :2] @ np.array([x, y]) + matrix[:2, 2])


def _get(element: ET.Element, name: str, sheet: PieceCollector) -> float:
    value, _ = _length(element.get(name, "0"), sheet)
    return value


def _line(e: ET.Element, m: Array, sheet: PieceCollector) -> None:
    x0, y0, x1, y1 = (_get(e, k, sheet) for k in ("x1", "y1", "x2", "y2"))
    sheet.line(_at(m, x0, y0), _at(m, x1, y1))


def _poly(e: ET.Element, m: Array, sheet: PieceCollector) -> None:
    numbers = [_finite(n, sheet) for n in _NUMBER.findall(e.get("points", ""))]
    points = [_at(m, x, y) for x, y in zip(numbers[::2], numbers[1::2], strict=False)]
    if _tag(e) == "polygon" and points:
        points.append(points[0])
    for a, b in zip(points[:-1], points[1:], strict=True):
        sheet.line(a, b)


def _rect(e: ET.Element, m: Array, sheet: PieceCollector) -> None:
    x, y, w, h = (_get(e, k, sheet) for k in ("x", "y", "width", "height"))
    corners = [_at(m, *p) for p in ((x, y), (x + w, y), (x + w, y + h), (x, y + h))]
    for k in range(4):
        sheet.line(corners[k], corners[(k + 1) % 4])


def _round(e: ET.Element, m: Array, sheet: PieceCollector) -> None:
    rx = _get(e, "r", sheet) or _get(e, "rx", sheet)
    ry = _get(e, "r", sheet) or _get(e, "ry", sheet)
    _ellipse(sheet, m, np.array([_get(e, "cx", sheet), _get(e, "cy", sheet)]), rx, ry, 0.0, 0.0, 2 * math.pi)


def _ellipse(
    sheet: PieceCollector, m: Array, centre: Array, rx: float, ry: float, tilt: float, start: float, sweep: float
) -> None:
    """An ellipse or its part under a matrix: again an ellipse, whose axes come from the singular values."""
    c, s = math.cos(tilt), math.sin(tilt)
    frame = m[:2, :2] @ np.array([[c, -s], [s, c]]) @ np.diag([rx, ry])
    u, sizes, vt = np.linalg.svd(frame)
    if sizes[1] <= 0.0:
        return
    middle = _at(m, *centre.tolist())
    flip = np.linalg.det(u) < 0.0
    if flip:
        u, vt = u * np.array([1.0, -1.0]), vt * np.array([[1.0], [-1.0]])
    # The unit circle's angle t becomes the angle of vt @ (cos t, sin t), reversed when vt reflects.
    way = 1.0 if np.linalg.det(vt) > 0.0 else -1.0
    first = math.atan2(*(vt @ np.array([math.cos(start), math.sin(start)]))[::-1])
    a, b = (first, first + way * sweep) if way * sweep > 0 else (first + way * sweep, first)
    if abs(sizes[0] - sizes[1]) < 1e-9 * sizes[0]:
        turn = math.atan2(u[1, 0], u[0, 0])
        if abs(sweep) >= 2 * math.pi - 1e-9:
            sheet.ring(middle, float(sizes[0]))
        else:
            sheet.arc(middle, float(sizes[0]), a + turn, b + turn)
        return
    sheet.oval(middle, u[:, 0] * sizes[0], float(sizes[1] / sizes[0]), a, b)


def _tokens(text: str, name: str) -> Iterator[str]:
    """Commands and numbers of a path, in order. An arc's two flags are one digit each, with or without anything between.

    Raises: FileError, for anything else.
    """
    place, command, given = _BETWEEN.match(text).end(), "", 0  # type: ignore[union-attr]
    while place < len(text):
        if text[place] in "MmZzLlHhVvCcSsQqTtAa":
            command, given, end = text[place], 0, place + 1
        elif command in ("A", "a") and given % 7 in (3, 4):
            given, end = given + 1, place + 1
            if text[place] not in "01":
                raise FileError(f"{name}: an arc in a path has '{text[place]}' where 0 or 1 belongs")
        else:
            found = _NUMBER.match(text, place)
            if found is None:
                raise FileError(f"{name}: a path has '{text[place : place + 10]}' where a command or number belongs")
            given, end = given + 1, found.end()
        yield text[place:end]
        place = _BETWEEN.match(text, end).end()  # type: ignore[union-attr]


_COUNTS = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}


def _path(e: ET.Element, m: Array, sheet: PieceCollector) -> None:
    """A path's commands one after another; cubics and arcs are kept as they are."""
    here, start, last, command = np.zeros(2), np.zeros(2), np.zeros(2), ""
    before = ""
    tokens = list(_tokens(e.get("d", ""), sheet.name))
    place = 0
    while place < len(tokens):
        checkpoint(place / len(tokens))
        if tokens[place].isalpha():
            command = tokens[place]
            place += 1
        elif not command or command in "Zz":
            raise FileError(f"{sheet.name}: a path has numbers where a command belongs")
        need = _COUNTS[command.upper()]
        given = tokens[place : place + need]
        if len(given) < need or any(t.isalpha() for t in given):
            raise FileError(f"{sheet.name}: a path breaks off in its command {command}")
        n = [_finite(t, sheet) for t in given]
        place += need
        base = here if command.islower() else np.zeros(2)
        kind = command.upper()
        if kind == "Z":
            sheet.line(_at(m, *here), _at(m, *start))
            here = start
        elif kind == "A":
            end = base + n[5:7]
            _path_arc(sheet, m, here, end, n)
            here = end
        elif kind in "HV":
            end = here.copy()
            end[0 if kind == "H" else 1] = n[0] + (base[0 if kind == "H" else 1])
            sheet.line(_at(m, *here), _at(m, *end))
            here = end
        else:
            points = base + np.array(n).reshape(-1, 2)
            here, last, start, command = _path_points(sheet, m, kind, command, points, here, last, start, before)
        before = kind


def _path_points(sheet, m, kind, command, points, here, last, start, before):  # type: ignore[no-untyped-def]
    """M, L, C, S, Q and T: (where the path is then, its last control point, where it began, the command that repeats)."""
    if kind == "M":
        return points[0], points[0], points[0], "l" if command == "m" else "L"
    if kind == "L":
        sheet.line(_at(m, *here), _at(m, *points[0]))
        return points[0], points[0], start, command
    if kind in "CS":
        first = points[0] if kind == "C" else 2 * here - last if before in ("C", "S") else here
        second, end = points[-2], points[-1]
        sheet.bezier(np.array([_at(m, *p) for p in (here, first, second, end)]))
        return end, second, start, command
    middle = points[0] if kind == "Q" else 2 * here - last if before in ("Q", "T") else here
    end = points[-1]
    first, second = here + 2.0 / 3.0 * (middle - here), end + 2.0 / 3.0 * (middle - end)
    sheet.bezier(np.array([_at(m, *p) for p in (here, first, second, end)]))
    return end, middle, start, command


def _path_arc(sheet: PieceCollector, m: Array, a: Array, b: Array, n: list[float]) -> None:
    """An arc by its end points (source: SVG 1.1, appendix F.6)."""
    rx, ry, tilt = abs(n[0]), abs(n[1]), math.radians(n[2])
    if min(rx, ry) <= NO_RADIUS * float(np.abs(a - b).max()):
        sheet.line(_at(m, *a), _at(m, *b))
        return
    c, s = math.cos(tilt), math.sin(tilt)
    back = np.array([[c, s], [-s, c]])
    p = back @ (a - b) / 2.0 / np.array([rx, ry])
    square = float(p @ p)
    if square < ARC_LENGTH**2:
        sheet.line(_at(m, *a), _at(m, *b))
        return
    if square > 1.0:
        rx, ry, p = rx * math.sqrt(square), ry * math.sqrt(square), p / math.sqrt(square)
        square = 1.0
    reach = math.sqrt(max(1.0 / square - 1.0, 0.0)) * (-1.0 if bool(n[3]) == bool(n[4]) else 1.0)
    q = reach * np.array([p[1], -p[0]])
    centre = back.T @ (q * np.array([rx, ry])) + (a + b) / 2.0
    start = math.atan2(*(p - q)[::-1])
    end = math.atan2(*(-p - q)[::-1])
    sweep = (end - start) % (2 * math.pi)
    if not n[4]:
        sweep -= 2 * math.pi
    _ellipse(sheet, m, centre, rx, ry, tilt, start, sweep)


_SHAPES = {
    "line": _line,
    "polyline": _poly,
    "polygon": _poly,
    "rect": _rect,
    "circle": _round,
    "ellipse": _round,
    "path": _path,
}


def write(drawing: Drawing) -> bytes:
    """A solved drawing as SVG in mm, Y upwards on paper; curves as cubics, arcs as arcs."""
    places = places_of(drawing)
    every = [piece_of(p, places).at(np.linspace(0.0, 1.0, 65)) for p in drawing.parts] or [np.zeros((1, 2))]
    low, high = np.vstack(every).min(axis=0) - 5.0, np.vstack(every).max(axis=0) + 5.0
    size = high - low
    looks = {"shape": "", "construction": ' stroke-dasharray="2 1.5"', "centre": ' stroke-dasharray="5 1 1 1"'}
    paths = [f'<path d="{_d(part, places)}"{looks[part.role]}/>' for part in drawing.parts]
    box = f"{low[0]:.6g} {-high[1]:.6g} {size[0]:.6g} {size[1]:.6g}"
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]:.6g}mm" height="{size[1]:.6g}mm" viewBox="{box}">'
    group = '<g fill="none" stroke="#22303A" stroke-width="0.3">'
    return "\n".join([head, group, *paths, "</g>", "</svg>", ""]).encode()


def _xy(p: Array) -> str:
    return f"{p[0]:.10g} {-p[1]:.10g}"


def _d(part: Part, places: Places) -> str:
    match part:
        case Line():
            return f"M {_xy(places[part.a])} L {_xy(places[part.b])}"
        case Arc():
            radius, _, sweep = arc_angles(places[part.centre], places[part.a], places[part.b])
            large = int(sweep > math.pi)
            return f"M {_xy(places[part.a])} A {radius:.10g} {radius:.10g} 0 {large} 0 {_xy(places[part.b])}"
        case CirclePart():
            c, r = places[part.centre], part.radius
            a, b = c + np.array([r, 0.0]), c - np.array([r, 0.0])
            return f"M {_xy(a)} A {r:.10g} {r:.10g} 0 0 0 {_xy(b)} A {r:.10g} {r:.10g} 0 0 0 {_xy(a)} Z"
        case Oval():
            return _d_oval(part, places)
        case _:
            return _d_spline(part, places)


def _d_oval(part: Oval, places: Places) -> str:
    centre, major, minor = oval_axes(part, places)
    rx, ry, tilt = np.hypot(*major), part.minor, -math.degrees(math.atan2(major[1], major[0]))
    first, sweep = oval_span(part, places)
    halves = [first, first + sweep / 2.0, first + sweep]
    at = [centre + math.cos(t) * major + math.sin(t) * minor for t in halves]
    steps = [f"A {rx:.10g} {ry:.10g} {tilt:.10g} 0 0 {_xy(p)}" for p in at[1:]]
    return f"M {_xy(at[0])} {' '.join(steps)}"


def _d_spline(part: Curve | Spline, places: Places) -> str:
    """A spline as cubics, span by span; exact for degree 3 and less."""
    frame = frame_of(part)
    base = sources(part, places)
    breaks = frame.breaks
    wide = np.diff(breaks)
    low, high = breaks[:-1], breaks[1:]
    p, q = frame.row(low) @ base, frame.row(high) @ base
    u = frame.row(low, 1) @ base
    v = frame.row(high - 1e-12 * wide, 1) @ base
    steps = [
        f"C {_xy(a + w * s / 3.0)} {_xy(b - w * t / 3.0)} {_xy(b)}"
        for a, b, s, t, w in zip(p, q, u, v, wide, strict=True)
    ]
    return f"M {_xy(p[0])} {' '.join(steps)}"
