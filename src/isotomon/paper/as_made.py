"""A part as it was made, for the report: how the points lie, its sections against the design's, what is other."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from isotomon.arrays import Array
from isotomon.metrology.compare import AsMade
from isotomon.metrology.findings import laws_made
from isotomon.metrology.fit import FREEDOMS
from isotomon.metrology.sections import SectionMade
from isotomon.paper.charts import number, ticks
from isotomon.paper.frame import Box, rectangle, segment
from isotomon.paper.page import Item, Page, Stroke, Text
from isotomon.quantity.table import Cell, Column, Table

FIGURE = 180.0
"""mm: width of what is drawn in a report."""
BARS = 40
ACROSS = 3
"""Outlines beside each other."""
THIN = 8
"""Of so many places of an outline one is drawn."""
SEEN = 0.12
"""Of its size: so far off an outline that was made is drawn at most; how much that is more than it is, is said."""


def made_tables(made: AsMade) -> tuple[Table, ...]:
    """What is told of a part as it was made: the points in all, its sections, their ends, the laws at their worst, what is other."""
    name = f"{made.quick.body.name} as made"
    figures = tuple((what, value, unit) for what, value, unit in made.figures())
    found = [Table(f"{name}: points", tuple(map(Column, ("figure", "value", "unit"))), figures)]
    if made.sections:
        found.append(Table(f"{name}: sections", SECTIONS, tuple(map(_section_row, made.sections))))
        found.append(Table(f"{name}: edges and places of sections", ENDS, tuple(map(_ends_row, made.sections))))
    laws = _law_rows(made)
    if laws:
        found.append(Table(f"{name}: laws at their worst stations", LAWS, laws))
    if made.changes:
        rows = tuple((change.kind, change.words) for change in made.changes)
        found.append(Table(f"{name}: what is other than designed", tuple(map(Column, ("what", "how"))), rows))
    return tuple(found)


SECTIONS = (
    Column("station"),
    Column("points"),
    Column("covered", "%"),
    Column("area", "mm²"),
    Column("area made", "mm²"),
    Column("chord", "mm"),
    Column("chord made", "mm"),
    Column("set angle", "°"),
    Column("set angle made", "°"),
    Column("turn made", "°"),
    Column("thickness", "mm"),
    Column("thickness made", "mm"),
)


def _section_row(one: SectionMade) -> tuple[Cell, ...]:
    was, now = one.designed, one.made
    angles = (math.degrees(a) for a in (was.set_angle, now.set_angle, now.turn))
    return (
        one.name,
        float(one.count),
        round(100.0 * one.covered, 1),
        *(was.area, now.area, was.chord, now.chord),
        *angles,
        *(was.thickness, now.thickness),
    )


ENDS = (
    Column("station"),
    Column("leading edge out", "mm"),
    Column("trailing edge out", "mm"),
    Column("leading radius", "mm"),
    Column("leading radius made", "mm"),
    Column("trailing radius", "mm"),
    Column("trailing radius made", "mm"),
    Column("shifted x", "mm"),
    Column("shifted y", "mm"),
    Column("chord ±", "mm"),
    Column("set angle ±", "°"),
)


def _ends_row(one: SectionMade) -> tuple[Cell, ...]:
    was, now = one.designed, one.made
    radii = (was.leading_radius, now.leading_radius, was.trailing_radius, now.trailing_radius)
    return (one.name, one.leading, one.trailing, *radii, *one.shift, one.doubt[0], math.degrees(one.doubt[1]))


LAWS = (
    Column("law"),
    Column("met or missed"),
    Column("station"),
    Column("made", "mm², mm, °"),
    Column("intended"),
    Column("half band"),
)


def _law_rows(made: AsMade) -> tuple[tuple[Cell, ...], ...]:
    rows = list[tuple[Cell, ...]]()
    for judged, names in laws_made(made.quick, made.sections):
        worst = judged.worst
        factor = math.degrees(1.0) if judged.quality in ("set_angle", "turn") else 1.0
        figures = (float(a[worst]) * factor for a in (judged.value, judged.target, judged.band))
        rows.append((judged.name, "missed" if judged.out.any() else "met", names[worst], *figures))
    return tuple(rows)


def fit_words(made: AsMade) -> str:
    """How the points were fitted, in words."""
    moved = made.fit.matrix[:3, 3]
    ways = ["by named points"] if made.fit.by == "named points" else []
    ways += [FREEDOMS[made.freedom]] if made.freedom != "none" or not ways else []
    size = f", {made.fit.size:.6g} times as large" if made.freedom == "size" else ""
    of = "the finished body" if made.target.finished else "the body as it is shaped"
    shift = ", ".join(f"{x:.3f}" for x in moved.tolist())
    return f"{len(made.points):,} points held against {of}; {', then '.join(ways)}: by ({shift}) mm{size}"


def made_pages(made: AsMade) -> tuple[Page, ...]:
    """The deviations as a histogram, and the sections as made over those designed."""
    told = [one for one in made.sections if one.fit is not None]
    pages = [Page("deviations", FIGURE, 60.0, histogram(made.kept, Box(0.0, 0.0, FIGURE, 60.0)))]
    return (*pages, _outlines(told)) if told else tuple(pages)


def bins_of(values: Array, count: int = BARS) -> tuple[Array, Array]:
    """Counts (count,) and edges (count + 1,) over all but the outermost deviations, evenly to both sides of nought."""
    reach = float(np.percentile(np.abs(values), 99.5)) if len(values) else 0.0
    reach = max(1.05 * reach, 1e-6)
    counts, edges = np.histogram(values, np.linspace(-reach, reach, count + 1))
    return counts, edges


def histogram(values: Array, box: Box) -> tuple[Item, ...]:
    """How many points lie how far off, mm."""
    counts, edges = bins_of(values)
    plot = Box(box.left + 18.0, box.bottom + 10.0, box.width - 22.0, box.height - 20.0)
    high = max(int(counts.max()), 1)
    reach = float(edges[-1])
    items: list[Item] = [Text(plot.left, box.bottom + box.height - 6.0, "Points by deviation, mm", 3.2, bold=True)]
    x = plot.left + (edges + reach) / (2.0 * reach) * plot.width
    for left, right, count in zip(x[:-1].tolist(), x[1:].tolist(), counts.tolist(), strict=True):
        if count:
            y = plot.bottom + plot.height * count / high
            corners = np.array([[left, plot.bottom], [right, plot.bottom], [right, y], [left, y]])
            items += [Stroke(corners, "band", closed=True, filled=True), Stroke(corners, "curve", closed=True)]
    for mark in ticks(-reach, reach):
        at = plot.left + (mark + reach) / (2.0 * reach) * plot.width
        items += [segment(at, plot.bottom, at, plot.bottom - 1.2, "size")]
        items.append(Text(at, plot.bottom - 4.2, number(mark, 2.0 * reach), 2.2, "middle"))
    items.append(Text(plot.left - 1.5, plot.bottom + plot.height - 0.8, f"{high:,}", 2.2, "right"))
    items.append(Text(plot.left + plot.width, plot.bottom - 8.0, "outward is positive", 2.2, "right"))
    return (*items, rectangle(plot, "frame"))


def _outlines(told: Sequence[SectionMade]) -> Page:
    """Sections as made over those designed, what is between them drawn larger than it is."""
    wide, high = FIGURE / ACROSS, 44.0
    rows = -(-len(told) // ACROSS)
    off = max(
        float(np.linalg.norm(one.as_made - one.outline, axis=1).max() / np.ptp(one.outline, axis=0).max())
        for one in told
    )
    larger = larger_by(off)
    items: list[Item] = []
    for k, one in enumerate(told):
        box = Box(wide * (k % ACROSS), high * (rows - 1 - k // ACROSS), wide, high)
        low, size = one.outline.min(axis=0), np.ptp(one.outline, axis=0)
        scale = float(min((wide - 12.0) / size[0], (high - 16.0) / size[1]))
        middle = np.array([box.left + wide / 2.0, box.bottom + high / 2.0 + 3.0])
        own = one.outline[::THIN]
        seen = own + larger * (one.as_made[::THIN] - own)
        for line, role in ((own, "outline"), (seen, "mark")):
            placed = middle + scale * (line - low - size / 2.0)
            items.append(Stroke(placed, role, closed=True))  # type: ignore[arg-type]
        items.append(Text(box.left + wide / 2.0, box.bottom + 2.0, one.name, 2.5, "middle"))
    items.append(
        Text(
            FIGURE / 2.0,
            rows * high + 2.0,
            f"sections as made (red) over those designed, what is between them {larger:g} times larger",
            2.5,
            "middle",
        )
    )
    return Page("sections as made", FIGURE, rows * high + 6.0, tuple(items))


def larger_by(off: float) -> float:
    """A round number of times by which deviations, at most `off` of a section's size, can be drawn larger."""
    most = min(SEEN / max(off, 1e-9), 1000.0)
    power = 10.0 ** math.floor(math.log10(max(most, 1.0)))
    return float(max(m * power for m in (1.0, 2.0, 5.0) if m * power <= max(most, 1.0)))
