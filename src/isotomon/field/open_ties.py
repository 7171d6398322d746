"""Ties of open outlines: from end to end, corners matched in their order, never across a tie that is held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.ties import APART, SNAP, Held, Ties, in_order
from isotomon.profile.outline import Outline2D

ALONE = 0.1
"""What it costs a corner to have no partner, as a share of the length: corners up to twice as far apart are matched."""


def open_ties(outlines: Sequence[Outline2D], held: Sequence[Held] = ()) -> Ties:
    """Ties of open outlines: their starts, their corners in order, those held, and their ends, at which the last lane ends.

    Raises: FieldError, when held ties do not follow each other on all outlines in one order.
    """
    corners = [o.corner_lengths() / o.length for o in outlines]
    base = max(range(len(outlines)), key=lambda i: (len(corners[i]), -i))
    ends, inner = _held_on_open(held)
    columns = [_OpenTie("", float(c), {base: float(c)}) for c in corners[base]]
    for i, own in enumerate(corners):
        if i != base and len(own):
            _match_open(columns, i, own, [(h[base], h[i]) for _, h in inner if base in h and i in h])
            columns.sort(key=lambda c: c.at)
    for name, known in inner:
        same = next((c for c in columns if _at_one_place(c.share, known)), None)
        if same is not None:
            same.name, same.share = name, known | same.share
        else:
            columns.append(_OpenTie(name, known.get(base, float(np.mean(list(known.values())))), known))
    columns.sort(key=lambda c: c.at)
    share = np.full((len(outlines), len(columns) + 2), np.nan)
    share[:, 0], share[:, -1] = 0.0, 1.0
    for k, column in enumerate(columns, 1):
        share[list(column.share), k] = list(column.share.values())
    mean = np.array([0.0, *(c.at for c in columns), 1.0])
    for row in share:
        known_here = np.isfinite(row)
        if np.any(np.diff(row[known_here]) < APART):
            raise FieldError(
                "ties or rails cross or touch between profiles: they do not follow each other in one order; move one"
            )
        row[~known_here] = np.interp(mean[~known_here], mean[known_here], row[known_here])
    corner = np.ones((len(outlines), share.shape[1] - 1), dtype=bool)
    for i, own in enumerate(corners):
        corner[i, 1:] = [bool(len(own)) and np.abs(own - s).min() < 1e-9 for s in share[i, 1:-1]]
    return Ties(share, corner, share.mean(axis=0), (ends[0], *(c.name for c in columns), ends[1]))


@dataclass(eq=False)
class _OpenTie:
    """A tie of open outlines under way: where it lies on the base outline, and its places so far by outline."""

    name: str
    at: float
    share: dict[int, float]


def _held_on_open(held: Sequence[Held]) -> tuple[list[str], list[tuple[str, dict[int, float]]]]:
    """The names of those held at the starts and at the ends, and (name, places by outline) of those between."""
    ends, inner = ["", ""], []
    for h in held:
        known = {i: s for i, s in enumerate(h.shares) if s is not None}
        at_end = next((e for e in (0, 1) if known and all(abs(s - e) < SNAP for s in known.values())), None)
        if at_end is not None:
            ends[at_end] = h.name
        elif known:
            inner.append((h.name, known))
    return ends, inner


def _match_open(columns: list[_OpenTie], i: int, own: Array, held: list[tuple[float, float]]) -> None:
    """Give the corners of outline i to the columns nearest to them, in order and never across a held tie (place on the
    base outline, place on this one); what has no partner becomes a column of its own."""
    pairs = np.array(sorted(held)).reshape(-1, 2)
    at = np.interp(own, np.r_[0.0, pairs[:, 1], 1.0], np.r_[0.0, pairs[:, 0], 1.0])
    places = np.array([c.at for c in columns])
    cost = np.abs(places[:, None] - at)
    cost[np.any(_side(places, pairs[:, 0])[:, None] != _side(own, pairs[:, 1]), axis=2)] = np.inf
    _, matched = in_order(cost, ALONE)
    for a, b in matched:
        columns[a].share[i] = float(own[b])
    alone = set(range(len(own))) - {b for _, b in matched}
    columns += [_OpenTie("", float(at[b]), {i: float(own[b])}) for b in alone]


def _side(places: Array, held: Array) -> Array:
    """(places, held): on which side of each held place a place lies, 0 where it is one of them."""
    away = places[:, None] - held
    return np.sign(np.where(np.abs(away) < SNAP, 0.0, away))


def _at_one_place(a: dict[int, float], b: dict[int, float]) -> bool:
    """Whether two ties lie at one place wherever both are known."""
    both = a.keys() & b.keys()
    return bool(both) and all(abs(a[i] - b[i]) < SNAP for i in both)
