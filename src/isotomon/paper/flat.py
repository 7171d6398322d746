"""The flat pattern of a skin at 1:1, as it is cut from sheet."""

from __future__ import annotations

import numpy as np

from isotomon.author.unroll import said_of, unroll
from isotomon.errors import DesignError
from isotomon.inspect.results import Quick
from isotomon.paper.frame import Block, Fact, Paper, bar, framed, room_on
from isotomon.paper.page import Bezier, Item, Page, Text, through
from isotomon.paper.templates import ROUND_IT, parted_sheets
from isotomon.profile.curves import piece_of
from isotomon.profile.loops import places_of

PIECES = 96
"""Cubics for each curve of a pattern, between which it is smooth."""


def flat_pattern(quick: Quick, block: Block, paper: Paper = "A3") -> list[Page]:
    """The skin of the body in hand laid flat, its outline and the lines at which it is folded, on one sheet or on as many as it takes.

    Raises: IsotomonError, for a body that has no skin that can be laid flat; DesignError, where that is too large.
    """
    design, flat = unroll(quick.design, quick.body.id)
    drawing = design.drawings[-1]
    places = places_of(drawing)
    items = list[Item]()
    for part in drawing.parts:
        piece = piece_of(part, places)
        stops = [0.0, *(at for at, _ in piece.breaks), 1.0]
        even = [np.linspace(low, high, PIECES + 1) for low, high in zip(stops[:-1], stops[1:], strict=True)]
        for at in even if piece.kind != "line" else [np.array([0.0, 1.0])]:
            run = through(at, piece.at(at), piece.slope(at))
            items.append(Bezier(run, "cut" if part.role == "construction" else "outline"))
    if not items:
        raise DesignError(f"{quick.body.name} has no outline when it is laid flat")
    points = np.vstack([item.points for item in items if isinstance(item, Bezier)])
    box = np.array([points.min(axis=0) - ROUND_IT, points.max(axis=0) + ROUND_IT])
    parts = parted_sheets(tuple(items), box, paper)
    facts, room = (Fact("body", quick.body.name), Fact("scale", "1:1")), room_on(paper)
    high = room.bottom + room.height - 7.0
    head = (
        Text(room.left + 6.0, high, f"{quick.body.name}, {said_of(flat)}", 3.0, bold=True),
        *bar(room.left + 6.0, room.bottom + 4.0),
    )
    return [
        framed(f"flat pattern {mark}".rstrip(), paper, block, facts, (*head, *own), k, len(parts))
        for k, (mark, own) in enumerate(parts, 1)
    ]
