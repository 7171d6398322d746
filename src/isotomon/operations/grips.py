"""Handles of steps, and of how skins are made: where each is, the places that it can be dragged to, and what the step's fields are there."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.datums import Axis

FAR = 20.0
"""Times its size: so far a body is dragged either way."""


@dataclass(frozen=True, eq=False)
class Grip:
    """`course`: places (n, 3), mm, for shares (n,) of the way from one end of its course to the other, 0.5 being where it is;
    `changes`: the record's fields at a share. `does`: the title of the edit; `words`: what dragging does, to follow "Drag
    to"; `letter`: the direction it is of."""

    place: Array
    course: Callable[[Array], Array]
    changes: Callable[[float], dict[str, Any]]
    does: str
    words: str
    look: Literal["dot", "hub", "square"] = "dot"
    letter: str = ""


def along(
    place: Array,
    direction: Array,
    reach: float,
    field: str,
    value: float,
    does: str,
    words: str,
    *,
    scale: float = 1.0,
    letter: str = "",
) -> Grip:
    """One that goes straight, `reach` mm either way; the value changes by so many mm times the scale."""
    return Grip(
        place,
        lambda t: place + ((t - 0.5) * 2.0 * reach)[:, None] * direction,
        lambda t: {field: round(value + (t - 0.5) * 2.0 * reach * scale, 2)},
        does,
        words,
        letter=letter,
    )


def growing(
    place: Array, direction: Array, field: str, value: float, does: str, words: str, *, scale: float = 1.0
) -> Grip:
    """One that goes straight from where a size (mm) is next to nothing to three times as much; the size changes by so many mm times
    the scale."""
    reach = 2.0 * value / scale

    def share(t: Array) -> Array:
        return np.where(t < 0.5, (t - 0.5) * 2.0 * 0.95 * value / scale, (t - 0.5) * 2.0 * reach)

    return Grip(
        place,
        lambda t: place + share(t)[:, None] * direction,
        lambda t: {field: float(f"{value + float(share(np.array(t))) * scale:.3g}")},
        does,
        words,
        "square",
    )


def about(
    axis: Axis, place: Array, beyond: float, field: str, value: float, does: str, words: str, *, scale: float = 1.0
) -> Grip:
    """One that goes round an axis, so many mm `beyond` a place; the value (rad) changes by its angle times the scale."""
    foot = axis.origin + axis.way * float((place - axis.origin) @ axis.way)
    spoke = place - foot
    far = float(np.linalg.norm(spoke))
    out = spoke / far if far > 1e-6 * max(beyond, 1.0) else _square(axis.way, value)
    spoke = spoke + beyond * out
    side = np.cross(axis.way, spoke)

    def course(t: Array) -> Array:
        angle = ((t - 0.5) * 2.0 * math.pi)[:, None]
        return np.asarray(foot + np.cos(angle) * spoke + np.sin(angle) * side)

    def changes(t: float) -> dict[str, float]:
        return {field: math.radians(round(math.degrees(value + (t - 0.5) * 2.0 * math.pi * scale), 1))}

    return Grip(foot + spoke, course, changes, does, words, "hub")


def scaling(place: Array, away: Array, values: dict[str, float], does: str, words: str, *, letter: str = "") -> Grip:
    """One `away` from what is resized about: the sizes change as its distance does, from a hundredth to ten times."""

    def share(t: Array) -> Array:
        return np.asarray(np.where(t < 0.5, 0.01 + 1.98 * t, 1.0 + (t - 0.5) * 18.0))

    return Grip(
        place,
        lambda t: place + (share(t) - 1.0)[:, None] * away,
        lambda t: {axis: float(f"{value * float(share(np.array(t))):.4g}") for axis, value in values.items()},
        does,
        words,
        "square",
        letter,
    )


def _square(direction: Array, angle: float) -> Array:
    """(3,) a direction square to another, turned about it with the body."""
    first = np.array([1.0, 0.0, 0.0]) if abs(direction[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    first = first - direction * float(first @ direction)
    first = first / np.linalg.norm(first)
    return np.asarray(math.cos(angle) * first + math.sin(angle) * np.cross(direction, first))
