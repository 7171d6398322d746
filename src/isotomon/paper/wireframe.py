"""Guides and sections as lines in space, seen from the side, from above and along the body: what a file of curves holds."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.geometry.wire import Wire
from isotomon.inspect.results import Quick
from isotomon.inspect.wires import GUIDES, guide_wires, section_wires
from isotomon.paper.frame import Block, Box, Fact, Paper, framed, room_on, scale_for, scale_words
from isotomon.paper.page import Item, Page, Stroke, Text
from isotomon.paper.templates import sections_wanted

SIDE, ABOVE, ALONG = ((2, 1), (2, 0), (0, 1))
"""The axes of space that run across and up in each view; stations stand along Z."""
BETWEEN = 14.0
"""mm on paper between views."""


def wires_of(quick: Quick, places: tuple[str, ...] = ()) -> tuple[Wire, ...]:
    """All guides, and sections at `places`: names of stations, or lengths along the body; at all stations where none is said.

    Raises: DesignError, where there are neither; KnotError.
    """
    found = guide_wires(quick)
    if quick.shape is not None:
        found += section_wires(quick, *sections_wanted(quick, places))
    if not found:
        raise DesignError("there are neither guides nor stations, and so no curves to be written; draw a guide first")
    return found


def wireframe(wires: Sequence[Wire], block: Block, paper: Paper) -> Page:
    """A sheet with curves from three sides, at the largest scale that fits."""
    runs = [(wire, wire.places()) for wire in wires]
    every = np.vstack([points for _, points in runs])
    low, high = every.min(axis=0), every.max(axis=0)
    size, room = high - low, room_on(paper).within(8.0)
    across, up = float(size[2] + size[0]), float(size[1] + size[0])
    scale = scale_for(across, up, Box(0.0, 0.0, room.width - BETWEEN, room.height - 2.0 * BETWEEN))
    left = room.left + (room.width - scale * across - BETWEEN) / 2.0
    base = room.bottom + (room.height - scale * up) / 2.0
    upper = base + scale * size[0] + BETWEEN
    corners = {SIDE: (left, upper), ABOVE: (left, base), ALONG: (left + scale * size[2] + BETWEEN, upper)}
    items: list[Item] = []
    for axes, words in ((SIDE, "from the side"), (ABOVE, "from above"), (ALONG, "along the body")):
        corner = np.array(corners[axes])
        items += [_stroke(wire, corner + scale * (points - low)[:, list(axes)]) for wire, points in runs]
        items.append(Text(float(corner[0]), float(corner[1]) - 6.0, words, 2.6, bold=True))
    count = len({wire.name for wire in wires if wire.layer == GUIDES})
    facts = (Fact("scale", scale_words(scale)), Fact("guides", str(count)), Fact("curves", str(len(wires))))
    return framed("guides and sections", paper, block, facts, tuple(items), 1, 1)


def _stroke(wire: Wire, line: Array) -> Stroke:
    return Stroke(line, "curve" if wire.layer == GUIDES else "edge")
