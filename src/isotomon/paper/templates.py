"""Templates of sections at 1:1, as cut from board or laid on the work: a section a sheet, parted over sheets where it is larger."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, QuantityError
from isotomon.geometry.planar import signed_area
from isotomon.inspect.results import Quick
from isotomon.paper.frame import Block, Box, Fact, Paper, bar, framed, rectangle, room_on, segment
from isotomon.paper.outlines import DrawnSection, finished_runs, sections_of
from isotomon.paper.page import Bezier, Item, Page, Stroke, Text, moved, text_width
from isotomon.paper.sizes import drawn_sizes
from isotomon.quantity import display, read, to_unit

Kind = Literal["section", "outside", "inside"]
KINDS: tuple[Kind, ...] = ("section", "outside", "inside")
CARD = 25.0
"""mm of board round a section, of a template that is held against its outside."""
ROUND_IT = 7.0
"""mm that what is drawn of a section keeps from the edge of its sheet."""
HEAD = 15.0
"""mm at the top of a sheet for the section's figures."""
FOOT = 14.0
"""mm at the foot for the bar that is measured."""
OVERLAP = 10.0
"""mm that neighbouring sheets of one template have in common."""
CROSS = 4.0
"""mm: half of the marks by which such sheets are joined."""
MOST_SHEETS = 400


def templates(
    quick: Quick,
    block: Block,
    paper: Paper = "A3",
    kind: Kind = "section",
    finished: bool = False,
    places: tuple[str, ...] = (),
) -> list[Page]:
    """Sheets with the sections of a body at 1:1, at `places`: names of stations, or lengths along it such as 640 mm; all stations, where none
    is said.

    `outside`: the board that fits round the section, in two halves along its chord; `inside`: what fits into the finished body's hollow.
    `finished`: with holes and walls. Raises: DesignError, for what cannot be drawn.
    """
    where, names = sections_wanted(quick, places)
    drawn = sections_of(quick, where, names)
    sizes = [drawn_sizes(quick, one, block.unit) if kind == "section" else [] for one in drawn]
    if kind == "inside" or finished:
        drawn = [_as_finished(quick, one) for one in drawn]
    sheets: list[tuple[DrawnSection, list[tuple[str, tuple[Item, ...]]]]] = []
    for one, carried in zip(drawn, sizes, strict=True):
        figure, box = _figure(one, kind, carried)
        sheets.append((one, parted_sheets(figure, box, paper)))
    count = sum(len(parts) for _, parts in sheets)
    if count > MOST_SHEETS:
        raise DesignError(f"this would be {count} sheets of {paper}; take larger paper, or fewer stations")
    unit, number, pages = block.unit, 0, []
    state = "as finished" if finished or kind == "inside" else "as shaped"
    for one, parts in sheets:
        for mark, items in parts:
            number += 1
            title = f"{one.name}, template" + (f", {kind}" if kind != "section" else "")
            facts = (Fact("body", quick.body.name), Fact("scale", "1:1"), Fact("section", state))
            room = room_on(paper)
            head = (*_head(one, room, unit), *bar(room.left + 6.0, room.bottom + 4.0))
            if mark:
                words = f"part {mark}: lay the marks of neighbouring sheets on each other"
                x = room.left + room.width - 6.0
                head = (*head, Text(x, room.bottom + 8.0, words, 2.2, "right"))
            name = f"{title} {mark}".rstrip()
            pages.append(framed(name, paper, block, facts, (*head, *items), number, count))
    return pages


def sections_wanted(quick: Quick, places: tuple[str, ...]) -> tuple[Array, tuple[str, ...]]:
    """Where sections are drawn (mm along the body), and what they are called: at `places`, names of stations or lengths along, or at all stations.

    Raises: DesignError, for what is neither, or off the body.
    """
    if quick.shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and so no sections of its own to draw")
    field, known = quick.shape.field, {n.station.name: n.position for n in quick.resolved.stations}
    points = {n.station.name for n in quick.resolved.stations if n.chord == 0.0}
    names = tuple(name for name in places or known if name not in points)
    where = np.array([known[name] if name in known else _position(name, known, quick) for name in names])
    if not names:
        raise DesignError("all that is chosen is points, of which there is nothing to draw; choose other stations")
    off = np.flatnonzero((where < field.first) | (where > field.last))
    if len(off):
        raise DesignError(
            f"{names[off[0]]} is not on {quick.body.name}, which runs from {field.first:g} to {field.last:g} mm"
        )
    return where, tuple(name if name in known else f"at {name}" for name in names)


def _position(text: str, known: Mapping[str, float], quick: Quick) -> float:
    """mm along the body of a length in words. Raises: DesignError, for what is neither that nor a station."""
    try:
        found = read(text, "length", quick.design.unit)
    except QuantityError:
        found = text
    if isinstance(found, str):
        raise DesignError(
            f"there is no station '{text}', nor is it a length along {quick.body.name}; there are {', '.join(known)}"
        )
    return found


def _as_finished(quick: Quick, one: DrawnSection) -> DrawnSection:
    """A section with what the finished body has there, holes and walls."""
    if quick.body.id not in quick.finished:
        raise DesignError(f"{quick.body.name} is not finished; wait for its solid, or take it as it is shaped")
    runs, area, perimeter = finished_runs(quick, one.position)
    if not runs:
        raise DesignError(f"there is nothing left of {quick.body.name} at '{one.name}'; choose another station")
    return replace(one, runs=runs, area=area, perimeter=perimeter)


def _figure(one: DrawnSection, kind: Kind, sizes: Sequence[Item]) -> tuple[tuple[Item, ...], Array]:
    """What is drawn of a section in its plane, the sizes that its drawing carries among it, and the box (2, 2) that it takes, words and all."""
    runs = one.runs
    if kind == "inside":
        holes = [run for run in runs if signed_area(run.points) < 0.0]
        if not holes:
            raise DesignError(
                f"'{one.name}' is not hollow, so that nothing fits into it; take the section, or its outside"
            )
        one = replace(one, runs=tuple(holes))
    low, high = one.box
    items: list[Item] = [*one.runs, *_marks(one, low, high), *sizes]
    if sizes:
        strokes = np.vstack([item.points for item in sizes if isinstance(item, Stroke)])
        low, high = np.minimum(low, strokes.min(axis=0)), np.maximum(high, strokes.max(axis=0))
    if kind == "outside":
        low, high = low - CARD, high + CARD
        items += [rectangle(_box(low, high), "outline"), *_split(one, low, high)]
    return tuple(items), np.array([low - ROUND_IT, high + ROUND_IT])


def _marks(one: DrawnSection, low: Array, high: Array) -> list[Item]:
    """Axes of the plane, chord line, set angle, pivot and centroid."""
    over = 6.0
    items: list[Item] = [
        segment(low[0] - over, 0.0, high[0] + over, 0.0, "axis"),
        segment(0.0, low[1] - over, 0.0, high[1] + over, "axis"),
        Text(high[0] + over + 1.0, -0.8, "X", 2.2),
        Text(1.0, high[1] + over, "Y", 2.2),
    ]
    a, b = one.anchor
    if one.chord > 0.0 and not math.isnan(one.set_angle):
        ahead = (b - a) / one.chord
        items.append(Stroke(np.array([a - over * ahead, b + over * ahead]), "chord"))
        if abs(one.set_angle) > 1e-3:
            reach = min(0.3 * one.chord, 40.0)
            turned = np.linspace(0.0, one.set_angle, 25)
            away = one.pivot if np.isfinite(one.pivot).all() else np.zeros(2)
            arc = away + reach * np.stack([np.cos(turned), np.sin(turned)], axis=1)
            items += [Stroke(np.array([away, away + np.array([1.15 * reach, 0.0])]), "axis"), Stroke(arc, "size")]
            at = away + (reach + 2.0) * np.array([math.cos(turned[12]), math.sin(turned[12])])
            items.append(Text(float(at[0]), float(at[1]), f"{math.degrees(one.set_angle):.2f}°", 2.2))
    if np.isfinite(one.pivot).all():
        items += _cross(one.pivot, 2.5)
        items.append(Text(one.pivot[0] + 2.0, one.pivot[1] + 2.0, "pivot", 2.0))
    if np.isfinite(one.centroid).all():
        items += _cross(one.centroid, 1.5, math.pi / 4.0)
        items.append(Text(one.centroid[0] + 2.0, one.centroid[1] - 3.2, "centroid", 2.0))
    return items


def _cross(at: Array, arm: float, turn: float = 0.0) -> list[Item]:
    ways = [np.array([math.cos(turn + k * math.pi / 2.0), math.sin(turn + k * math.pi / 2.0)]) for k in (0, 1)]
    return [Stroke(np.array([at - arm * way, at + arm * way]), "mark") for way in ways]


def _box(low: Array, high: Array) -> Box:
    (left, bottom), (wide, tall) = low.tolist(), (high - low).tolist()
    return Box(left, bottom, wide, tall)


def _split(one: DrawnSection, low: Array, high: Array) -> list[Item]:
    """Where a board that fits round a section is cut in two: along the chord, out to its edges."""
    a, b = one.anchor
    chord = float(np.linalg.norm(b - a))
    ahead = (b - a) / chord if chord > 0.0 else np.array([1.0, 0.0])
    found: list[Item] = []
    for end, way in ((a, -ahead), (b, ahead)):
        with np.errstate(divide="ignore", invalid="ignore"):
            reach = np.where(way > 0.0, (high - end) / way, np.where(way < 0.0, (low - end) / way, np.inf))
        found.append(Stroke(np.array([end, end + float(reach.min()) * way]), "cut"))
    return found


def _head(one: DrawnSection, room: Box, unit: str) -> tuple[Item, ...]:
    """The section's name and figures, along the top of a sheet."""
    y = room.bottom + room.height - 7.0
    items: list[Item] = [Text(room.left + 6.0, y, one.name, 4.0, bold=True)]
    x = room.left + 6.0 + text_width(one.name, 4.0, True) + 6.0
    for title, words in figures(one, unit):
        items += [Text(x, y + 1.6, title, 2.0), Text(x, y - 2.2, words, 2.6)]
        x += max(text_width(title, 2.0), text_width(words, 2.6)) + 5.0
    return tuple(items)


def figures(one: DrawnSection, unit: str) -> list[tuple[str, str]]:
    """What is said of a section, in words; what is undefined is left out."""
    said = [
        ("position", one.position, unit),
        ("chord", one.chord, unit),
        ("thickness", one.thickness, unit),
        ("area", one.area, "mm²"),
        ("perimeter", one.perimeter, unit),
    ]
    found = [
        (title, f"{display(to_unit(value, own) if own != 'mm²' else value, 3)} {own}")
        for title, value, own in said
        if not math.isnan(value)
    ]
    if not math.isnan(one.set_angle):
        found.insert(2, ("set angle", f"{math.degrees(one.set_angle):.3f}°"))
    return found


def parted_sheets(figure: tuple[Item, ...], box: Array, paper: Paper) -> list[tuple[str, tuple[Item, ...]]]:
    """What is drawn, on one sheet or on as many as it takes, each with its mark (A1, A2, B1…) and the crosses that join it."""
    room = room_on(paper)
    room = Box(room.left, room.bottom + FOOT, room.width, room.height - FOOT - HEAD)
    wide, high = (box[1] - box[0]).tolist()
    if wide <= room.width and high <= room.height:
        middle = room.middle - box.mean(axis=0)
        return [("", moved(figure, *middle.tolist()))]
    columns, rows = (
        max(1, math.ceil((size - OVERLAP) / (there - OVERLAP)))
        for size, there in ((wide, room.width), (high, room.height))
    )
    if columns * rows > MOST_SHEETS:
        raise DesignError(f"a section of {wide:.0f} × {high:.0f} mm would be {columns * rows} sheets of {paper}")
    step = np.array([room.width - OVERLAP, room.height - OVERLAP])
    spare = (np.array([columns, rows]) * step + OVERLAP - (wide, high)) / 2.0
    found = []
    for row in range(rows):
        for column in range(columns):
            corner = box[0] - spare + step * (column, row)
            window = Box(float(corner[0]), float(corner[1]), room.width, room.height)
            crosses = [
                line
                for x in (column, column + 1)
                for y in (row, row + 1)
                if 0 < x < columns or 0 < y < rows
                for line in _cross(box[0] - spare + step * (x, y) + OVERLAP / 2.0, CROSS)
            ]
            kept = _clipped((*figure, *crosses), window)
            found.append((f"{chr(65 + row)}{column + 1}", moved(kept, room.left - corner[0], room.bottom - corner[1])))
    return found


def _clipped(items: tuple[Item, ...], window: Box) -> tuple[Item, ...]:
    """What of a drawing lies in a window; curves that leave it as lines to 0.01 mm."""
    low = np.array([window.left, window.bottom])
    high = low + np.array([window.width, window.height])
    kept = list[Item]()
    for item in items:
        if isinstance(item, Stroke | Bezier):
            inside = np.all((item.points >= low) & (item.points <= high), axis=1)
            if inside.all():
                kept.append(item)
                continue
            points = _flattened(item)
            kept += [Stroke(run, item.role) for run in _runs_within(points, low, high)]
        elif low[0] <= item.x <= high[0] and low[1] <= item.y <= high[1]:
            kept.append(item)
    return tuple(kept)


FLAT = 16
"""Straight pieces for one cubic where a template is parted: 1e-3 mm off a section of 1 m."""


def _flattened(item: Stroke | Bezier) -> Array:
    """(n, 2) a polyline of a run, back to its beginning where it is closed."""
    points = item.points
    if isinstance(item, Bezier):
        t = np.linspace(0.0, 1.0, FLAT + 1)[:-1, None, None]
        a, b, c, d = points[:-1:3], points[1::3], points[2::3], points[3::3]
        s = 1.0 - t
        run = s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d
        points = np.vstack([run.transpose(1, 0, 2).reshape(-1, 2), points[-1:]])
    return np.vstack([points, points[:1]]) if item.closed else points


def _runs_within(points: Array, low: Array, high: Array) -> list[Array]:
    """The runs of a polyline within a window: each piece cut where it crosses an edge (Liang and Barsky), and pieces that hang together
    joined."""
    begin, way = points[:-1], np.diff(points, axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        both = np.stack([(low - begin) / way, (high - begin) / way])
    still = way == 0.0
    outside = still & ((begin < low) | (begin > high))
    enter = np.where(still, -np.inf, both.min(axis=0)).max(axis=1)
    leave = np.where(still, np.inf, both.max(axis=0)).min(axis=1)
    enter, leave = np.maximum(enter, 0.0), np.minimum(leave, 1.0)
    there = (enter < leave) & ~outside.any(axis=1)
    rows = np.flatnonzero(there)
    if not len(rows):
        return []
    starts, ends = (begin[rows] + share[rows, None] * way[rows] for share in (enter, leave))
    joined = (np.diff(rows) == 1) & (leave[rows[:-1]] == 1.0) & (enter[rows[1:]] == 0.0)
    groups = np.split(np.arange(len(rows)), np.flatnonzero(~joined) + 1)
    return [np.vstack([starts[group[:1]], ends[group]]) for group in groups]
