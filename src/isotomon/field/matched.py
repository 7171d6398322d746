"""A side of a sheet brought to another curve, and to how the skin goes on whose edge that is."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.blends import Given
from isotomon.field.reshaped import reach_share
from isotomon.field.sheet import Side, SkinSheet
from isotomon.field.side_joins import Beyond, beyond_at, ending, lacking, swapped, with_vectors
from isotomon.field.spreads import NEARLY, ShareMap, joins_beside, vectors_along
from isotomon.field.strand import Strand, headed, strand_of
from isotomon.geometry.hermite import smooth
from isotomon.geometry.roots import crossings

SITES = 13
"""Places from end to end at which a side and a curve correspond by their length; between they do so nearly."""


def matched(sheet: SkinSheet, side: Side, to: Strand, given: Given, reach: float, tolerance: float) -> SkinSheet:
    """The sheet with a side on a curve, which it runs along from end to end; with as many derivatives across as are `given` it goes on from the skin
    whose edge that is: flush, or fair. What is nearer to the side than `reach` (mm; nought: all of it) follows, ever less.

    Raises: FieldError, where the curve and the side do not go together.
    """
    own = strand_of(sheet.side(side), tolerance)
    if own.closed != to.closed:
        raise FieldError(
            "a side that is closed is matched with a closed curve, and one that has ends with one that has ends"
        )
    if any(order == 0 for _, order in to.joins) or own.corners:
        raise FieldError("a side is matched with a curve that turns sharply nowhere; choose a part of it")
    to = headed([own, to])[1]
    beyond = to.beyond
    if given and beyond is None:
        raise FieldError(
            "it can be flush with the edge of another skin alone; choose a side or rim of one, or bring it into position"
        )
    turned, at = side in ("start", "end"), 1.0 if side in ("last", "end") else 0.0
    made = swapped(sheet) if turned else sheet
    part = reach_share(sheet, side, reach)
    sites, course = _course(own, to)
    joins = {**dict.fromkeys(sites, 2), **_joins(course, to, given), **joins_beside(made.u)}
    over = partial(beyond_at, beyond, course) if beyond is not None else None
    for order in range(given + 1):
        lacks = partial(_away, made, at, to, course)
        if order and over is not None:
            _check_ahead(made, at, part, over)
            lacks = partial(lacking, made, at, over, order)
        across, rows = ending(part, int(at), order)
        near = tolerance / float(np.abs(rows).max())
        basis, control = vectors_along(lacks, joins, made.u.periodic, near)
        made = with_vectors(made, across, [(basis, control, rows)])
    return replace(swapped(made) if turned else made, corners=sheet.corners)


def _check_ahead(sheet: SkinSheet, at: float, part: float, beyond: Beyond) -> None:
    """Raises: FieldError, where the sheet lies on the same side of the edge as the other skin, as far as it follows."""
    u = np.linspace(0.0, 1.0, SITES)
    out = np.subtract(*sheet.grid(u, np.array([abs(at - part), at])).transpose(1, 0, 2))
    if np.median(np.sum(out * beyond(u)[0], axis=1)) < 0.0:
        raise FieldError(
            "the skin comes to the edge from over the other skin, so that it would be folded back there; match its other side, or in position alone"
        )


def _course(own: Strand, to: Strand) -> tuple[list[float], ShareMap]:
    """The places of a curve at places along a side, and the inner ones at which that is less smooth."""
    share = np.linspace(0.0, 1.0, SITES)
    here, there = own.parameter(own.at_share(share)), to.at_share(share)
    if np.abs(here - there).max() < NEARLY:
        return [], np.asarray
    pieces = smooth(here, there[:, None]).pieces()
    return here[1:-1].tolist(), lambda t: np.asarray(pieces(t)).reshape(-1)


def _joins(course: ShareMap, to: Strand, given: Given) -> dict[float, int]:
    """Where along a side what is to be matched is less smooth, and how many derivatives go on there."""
    inner = [(place, order) for place, order in to.joins if 0.0 < place < 1.0]
    wanted = np.array([place for place, _ in inner])
    if not len(wanted):
        return {}
    found = crossings(lambda t: course(t) - wanted, np.zeros(len(wanted)), np.ones(len(wanted)))
    return {round(float(t), 12): max(order - (given > 0), 0) for t, (_, order) in zip(found, inner, strict=True)}


def _away(sheet: SkinSheet, at: float, to: Strand, course: ShareMap, u: Array) -> Array:
    """(n, 3) mm: from the side to the curve."""
    return np.asarray(to.at(course(u)) - sheet.grid(u, np.array([at]))[:, 0])
