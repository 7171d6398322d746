"""What the View draws as lines: outlines of stations, datums, guides, chosen parts, curves on the skin; and which is meant."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from PySide6.QtGui import QColor

from isotomon.app.theme import Theme, station_colour
from isotomon.app.viewport.copies import skins_shown
from isotomon.app.viewport.datum_lines import base_lines, datum_lines
from isotomon.app.viewport.drawn_lines import drawings_lying
from isotomon.app.viewport.finished_parts import finished_lines
from isotomon.app.viewport.parts import edge_lines, face_lines
from isotomon.arrays import Array
from isotomon.design.datums import BASE_SHOWN
from isotomon.evaluate.datums import BASE
from isotomon.geometry import space
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.quantity.record import Id

Colour = tuple[float, float, float]
GUIDE_PLACES = 241
PICK_PIXELS = 7.0
EMPTY_REACH = 50.0
"""mm: half of what an empty design is taken to be as large as."""
COMB_LENGTH = 0.12
"""Of a curve's size: its comb's longest bristle."""
FLAT = 1e-6
"""Times its size: a curve that bends less has no comb."""


def rgb(colour: str | QColor) -> Colour:
    """A colour's shares of red, green and blue."""
    c = QColor(colour)
    return c.redF(), c.greenF(), c.blueF()


@dataclass(eq=False)
class Lines:
    """The lines (n, 3), mm, of one result, by ids. `shares`: how far along the scale of stations each one's colour lies;
    `box`: the body's, as large as which base planes and axes are shown when chosen."""

    outlines: dict[str, Array] = field(default_factory=dict)
    shares: dict[str, float] = field(default_factory=dict)
    holes: dict[str, list[Array]] = field(default_factory=dict)
    datums: dict[str, list[Array]] = field(default_factory=dict)
    box: tuple[Array, Array] | None = None
    guides: dict[str, Array] = field(default_factory=dict)
    drawings: dict[str, list[Array]] = field(default_factory=dict)

    @property
    def places(self) -> Array:
        """(n, 3) what there is of an empty design: its planes and axes, curves and drawings."""
        several = [line for lines in (*self.datums.values(), *self.drawings.values()) for line in lines]
        return np.vstack([*several, *self.guides.values()])

    def datum(self, key: str, strong: bool) -> list[Array]:
        """Those of a datum, as it is shown when it is chosen or not."""
        if strong and self.box is not None and key in BASE_SHOWN:
            return datum_lines(BASE[key], *self.box)
        return self.datums[key]


@dataclass
class Wanted:
    """What of them is wanted, and what besides: where along the body (mm) the live section is, or its lines; curves on the skin, lines
    of another body."""

    selected: tuple[str, ...] = ()
    hovered: str = ""
    datums: bool = True
    ties: bool = False
    live: float | tuple[Array, ...] = math.nan
    on_skin: tuple[Array, ...] = ()
    over: tuple[Array, ...] = ()
    sketch: tuple[Array, ...] = ()
    """Where what the kernel is at work on will reach."""
    finished: Mapping[Id, Built] = field(default_factory=dict)
    """The finished bodies that are seen in place of their skins."""

    def strong(self, key: str) -> bool:
        """Whether a thing is chosen, or under the pointer."""
        return key in self.selected or key == self.hovered


def drawn_of(quick: Quick) -> Lines:
    """The lines of a result."""
    drawn = Lines(guides={k: curve.at(np.linspace(0.0, 1.0, GUIDE_PLACES)) for k, curve in quick.guides.items()})
    shape = quick.shape
    if shape is not None:
        sampling, count = shape.mesh.sampling, max(len(quick.resolved.stations) - 1, 1)
        for index, station in quick.resolved.own:
            key, ring = station.station.id, quick.stood(shape.mesh.points[shape.mesh_rows[index]])
            drawn.shares[key] = index / count
            drawn.outlines[key] = ring[sampling.rim]
            drawn.holes[key] = [ring[np.append(h, h[0])] for h in sampling.holes]
    mesh = quick.mesh
    points = mesh.points.reshape(-1, 3) if mesh is not None else np.array([[-EMPTY_REACH] * 3, [EMPTY_REACH] * 3])
    low, high = points.min(axis=0), points.max(axis=0)
    drawn.box = (low, high) if mesh is not None else None
    reach = (0.5 if mesh is None else 0.12) * float((high - low).max())
    drawn.drawings = drawings_lying(quick)
    drawn.datums = {key: base_lines(BASE[key], reach) for key in BASE_SHOWN}
    drawn.datums |= {key: made for key, thing in quick.datums.items() if (made := datum_lines(thing, low, high))}
    return drawn


def comb_of(quick: Quick, selected: tuple[str, ...]) -> list[Array]:
    """The curvature comb of the chosen guide, where one is: bristles, and the line over their ends."""
    chosen = [quick.guides[k] for k in selected if k in quick.guides]
    if len(chosen) != 1:
        return []
    t = np.linspace(0.004, 0.996, 81)
    place, bend = chosen[0].at(t), space.curvature(chosen[0], t)
    greatest = np.linalg.norm(bend, axis=1).max()
    if greatest * np.linalg.norm(np.ptp(place, axis=0)) <= FLAT:
        return []
    ends = place - bend * (COMB_LENGTH * float(np.ptp(place, axis=0).max()) / greatest)
    return [ends, *np.stack([place, ends], axis=1)]


def curves_of(quick: Quick | None, drawn: Lines, wanted: Wanted, theme: Theme) -> list[tuple[Array, Colour, bool]]:
    """(line (n, 3), colour, whether strong) of all that is wanted."""
    soft, ink, attention = rgb(theme.soft_ink), rgb(theme.ink), rgb(theme.attention)
    curves: list[tuple[Array, Colour, bool]] = []
    for key, line in drawn.outlines.items():
        colour, strong = rgb(station_colour(theme, drawn.shares[key])), wanted.strong(key)
        curves += [(run, colour, strong) for run in (line, *drawn.holes[key])]
    for key in drawn.datums if wanted.datums else ():
        strong = wanted.strong(key)
        curves += [(line, attention if strong else soft, strong) for line in drawn.datum(key, strong)]
    curves += [(line, rgb(theme.guide), wanted.strong(key)) for key, line in drawn.guides.items()]
    for key, lines in drawn.drawings.items():
        strong = wanted.strong(key)
        curves += [(line, rgb(theme.accent) if strong else ink, strong) for line in lines]
    curves += [(line, ink, False) for line in wanted.on_skin]
    curves += [(line, attention, False) for line in wanted.over]
    curves += [(line, rgb(theme.guide), True) for line in wanted.sketch]
    if quick is None:
        return curves
    curves += [(line, rgb(theme.accent), True) for line in _part_lines(quick, wanted)]
    curves += [(line, soft, False) for line in comb_of(quick, wanted.selected)]
    for key, reading in quick.readings.items():
        strong = key in wanted.selected
        curves += [(line, attention if strong else soft, strong) for line in reading.lines]
    shape = quick.shape or quick.sheet
    if shape is not None and wanted.ties:
        curves += [(quick.stood(line), ink, False) for line in shape.tie_lines]
    return curves + [(line, ink, True) for line in _live_lines(quick, wanted.live)]


def _part_lines(quick: Quick, wanted: Wanted) -> list[Array]:
    """The edges and the outlines of the faces that are chosen, or under the pointer."""
    keys = [key for key in dict.fromkeys((*wanted.selected, wanted.hovered)) if "/" in key]
    if not keys:
        return []
    edges = edge_lines(skins_shown(quick))
    return [
        line
        for key in keys
        for line in finished_lines(wanted.finished, key) or ([edges[key]] if key in edges else face_lines(quick, key))
    ]


def _live_lines(quick: Quick, live: float | tuple[Array, ...]) -> tuple[Array, ...]:
    """The outline of the section at a position, where there is one; or the lines that are given."""
    if isinstance(live, tuple):
        return live
    section = quick.section_at(live)
    if section is None or quick.shape is None:
        return ()
    samples = quick.shape.mesh.sampling
    return (quick.stood((samples.value @ section.control[0])[samples.rim]),)


def line_near(drawn: Lines, wanted: Wanted, project: Callable[[Array], Array], point: Array) -> str:
    """The thing whose line is seen nearest to a pixel (2,), of stations before guides before drawings before datums; empty for none near."""
    kinds = [
        {key: [line] for key, line in drawn.outlines.items()},
        {key: [line] for key, line in drawn.guides.items()},
        drawn.drawings,
        drawn.datums if wanted.datums else {},
    ]
    for kind in kinds:
        away = {key: min(_distance_to_line(point, project(x)) for x in lines) for key, lines in kind.items()}
        near = min(away, key=away.__getitem__, default="")
        if near and away[near] < PICK_PIXELS:
            return near
    return ""


def _distance_to_line(point: Array, line: Array) -> float:
    """Distance (pixels) of a point from a polyline (n, 2)."""
    a, b = line[:-1], line[1:]
    ab = b - a
    share = np.clip(np.sum((point - a) * ab, axis=1) / np.maximum(np.sum(ab * ab, axis=1), 1e-12), 0.0, 1.0)
    return float(np.min(np.linalg.norm(a + share[:, None] * ab - point, axis=1)))
