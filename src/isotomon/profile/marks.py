"""Where a drawing's dimensions and constraint marks stand: plain geometry, mm in, mm out."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from isotomon.arrays import Array
from isotomon.profile.curves import CurvePiece, Places, handles_of, piece_of
from isotomon.profile.drawing import DIMENSIONS, Arc, CirclePart, Constraint, Curve, Drawing, Line, Oval, Part
from isotomon.profile.loops import places_of


class LaidOut(Protocol):
    """A drawing as it lies: its points' places, its parts, and where these run, by their ids."""

    @property
    def places(self) -> Places:
        """(2,) mm each."""

    @property
    def parts(self) -> Mapping[str, Part]:
        """Lines, arcs and curves."""

    @property
    def pieces(self) -> Mapping[str, CurvePiece]:
        """The same as curves."""


@dataclass(frozen=True)
class LaidParts:
    """A drawing laid out once, where nothing is caught in it."""

    places: Places
    parts: Mapping[str, Part]
    pieces: Mapping[str, CurvePiece]


def laid_out(drawing: Drawing) -> LaidParts:
    """A solved drawing as it lies."""
    places = places_of(drawing)
    return LaidParts(places, {p.id: p for p in drawing.parts}, {p.id: piece_of(p, places) for p in drawing.parts})


@dataclass(frozen=True, eq=False)
class DimensionMark:
    """How a dimension is drawn: thin `lines` (each (n, 2)), `arrows` as (tip, direction), and its label's place."""

    lines: tuple[Array, ...]
    arrows: tuple[tuple[Array, Array], ...]
    label: Array


def _unit(v: Array) -> Array:
    return v / max(float(np.hypot(*v)), 1e-12)


def _turned(v: Array) -> Array:
    return np.array([-v[1], v[0]])


def anchor(laid: LaidOut, ref: str) -> Array:
    """(2,) a place that stands for a point, part or handle."""
    name, _, index = ref.partition("@")
    if name in laid.places:
        return laid.places[name]
    part = laid.parts[name]
    if index and isinstance(part, Curve):
        return laid.places[part.points[int(index)]]
    if isinstance(part, CirclePart):
        return laid.places[part.centre] + part.radius * np.array([math.sqrt(0.5), math.sqrt(0.5)])
    return laid.pieces[name].at(np.array([0.5]))[0]


def handle_tips(laid: LaidOut, key: str) -> list[tuple[str, Array, Array, bool]]:
    """(reference, foot, tip, held) of the tangent handles of a curve; tips are a third of a span away."""
    part = laid.parts[key]
    if not isinstance(part, Curve):
        return []
    tangents = handles_of(part, laid.places)
    spans = np.diff(part.params)
    return [
        (
            f"{key}@{i}",
            laid.places[p],
            laid.places[p] + t * spans[min(i, len(spans) - 1)] / 3.0,
            part.handles[i] is not None,
        )
        for i, (p, t) in enumerate(zip(part.points, tangents, strict=True))
    ]


def middle_of(laid: LaidOut, c: Constraint) -> Array:
    """(2,) the middle of what a dimension measures: labels are placed from here."""
    return np.mean([anchor(laid, ref) for ref in c.on], axis=0)


SIDES = (1.0, -1.0, 2.0, -2.0, 3.0, -3.0, 4.0, -4.0)
"""How far out a dimension without a place of its own may stand, and on which side, the best first."""


def mark_of(laid: LaidOut, c: Constraint, per_pixel: float, side: float = 1.0) -> DimensionMark:
    """How a dimension is drawn where it stands; `per_pixel`: mm a pixel, and `side`, one of `SIDES`, for what has no place of its
    own."""
    at = middle_of(laid, c)
    place = None if c.place is None else at + np.array(c.place)
    if c.kind in ("radius", "diameter"):
        return _round_mark(laid, c, place, per_pixel, side)
    if c.kind == "angle":
        return _angle_mark(laid, c, place, per_pixel * abs(side))
    a, b = _ends(laid, c)
    if c.kind == "across":
        way = np.array([1.0, 0.0])
    elif c.kind == "up":
        way = np.array([0.0, 1.0])
    else:
        way = _unit(b - a)
    normal = _turned(way)
    if place is None:
        place = (a + b) / 2.0 + 26.0 * side * per_pixel * normal
    off = float((place - a) @ normal)
    p = a + off * normal
    q = b + float((place - b) @ normal) * normal
    arrows = ((p, _unit(p - q)), (q, _unit(q - p)))
    label = p + way * float((place - p) @ way)
    return DimensionMark((np.array([a, p]), np.array([b, q]), np.array([p, q])), arrows, label)


def _ends(laid: LaidOut, c: Constraint) -> tuple[Array, Array]:
    """The two places a straight dimension runs between."""
    first = laid.parts.get(c.on[0])
    if len(c.on) == 1:
        assert isinstance(first, Line)
        return laid.places[first.a], laid.places[first.b]
    second = laid.parts.get(c.on[1])
    if isinstance(second, Line):
        p = _reference(laid, c.on[0])
        foot = _foot(p, laid.places[second.a], laid.places[second.b])
        if c.kind == "width":
            p = p + _unit(p - foot) * (first.radius if isinstance(first, CirclePart) else 0.0)
            return p, 2.0 * foot - p
        return p, foot
    if isinstance(first, Line):
        p = _reference(laid, c.on[1])
        foot = _foot(p, laid.places[first.a], laid.places[first.b])
        return p + _unit(foot - p) * _radius(laid, c.on[1]), foot
    p, q = _reference(laid, c.on[0]), _reference(laid, c.on[1])
    way = _unit(q - p)
    return p + way * _radius(laid, c.on[0]), q - way * _radius(laid, c.on[1])


def _radius(laid: LaidOut, ref: str) -> float:
    part = laid.parts.get(ref)
    if isinstance(part, CirclePart):
        return part.radius
    if isinstance(part, Arc):
        return float(np.hypot(*(laid.places[part.a] - laid.places[part.centre])))
    return 0.0


def _reference(laid: LaidOut, ref: str) -> Array:
    """A point; a circle's centre; a line's first end."""
    part = laid.parts.get(ref)
    if isinstance(part, CirclePart | Arc | Oval):
        return laid.places[part.centre]
    if isinstance(part, Line):
        return laid.places[part.a]
    return laid.places[ref]


def _foot(p: Array, a: Array, b: Array) -> Array:
    along = _unit(b - a)
    return a + along * float((p - a) @ along)


def _round_mark(laid: LaidOut, c: Constraint, place: Array | None, per_pixel: float, side: float) -> DimensionMark:
    centre, radius = _reference(laid, c.on[0]), _radius(laid, c.on[0])
    way = (
        _unit(place - centre) if place is not None else math.copysign(1.0, side) * _unit(anchor(laid, c.on[0]) - centre)
    )
    rim = centre + radius * way
    if place is None:
        place = rim + 30.0 * abs(side) * per_pixel * way
    start = centre - radius * way if c.kind == "diameter" else centre
    arrows = [(rim, way)] + ([(start, -way)] if c.kind == "diameter" else [])
    return DimensionMark((np.array([start, rim]), np.array([rim, place])), tuple(arrows), place)


def _angle_mark(laid: LaidOut, c: Constraint, place: Array | None, per_pixel: float) -> DimensionMark:
    ways, feet = [], []
    for ref, flip in zip(c.on, (c.sector & 1, c.sector & 2), strict=True):
        part = laid.parts[ref.partition("@")[0]]
        if isinstance(part, Line):
            a, b = laid.places[part.a], laid.places[part.b]
            ways.append(_unit(b - a) * (-1.0 if flip else 1.0))
            feet.append(a)
        else:
            tip = next(t for name, _, t, _ in handle_tips(laid, part.id) if name == ref)
            feet.append(anchor(laid, ref))
            ways.append(_unit(tip - feet[-1]) * (-1.0 if flip else 1.0))
    u, v = ways
    cell = u[0] * v[1] - u[1] * v[0]
    corner = feet[0]
    if abs(cell) > 1e-9:
        gap = feet[1] - feet[0]
        corner = feet[0] + u * float(gap[0] * v[1] - gap[1] * v[0]) / cell
    start = math.atan2(u[1], u[0])
    sweep = math.atan2(cell, float(u @ v))
    radius = float(np.hypot(*(place - corner))) if place is not None else 46.0 * per_pixel
    turn = start + np.linspace(0.0, sweep, 33)
    arc = corner + radius * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    label = place if place is not None else corner + 1.25 * (arc[16] - corner)
    way = 1.0 if sweep > 0 else -1.0
    arrows = ((arc[-1], way * _turned(v)), (arc[0], -way * _turned(u)))
    return DimensionMark((arc,), arrows, label)


def constraint_anchors(laid: LaidOut, c: Constraint) -> list[Array]:
    """Places at which a constraint's mark stands: on everything it ties, but for a point on something just once."""
    if c.kind in DIMENSIONS:
        return []
    if c.kind in ("on", "middle", "coincident", "concentric", "symmetric"):
        return [anchor(laid, c.on[0])]
    if c.kind in ("tangent", "smooth"):
        return [_touch(laid, c)]
    if c.kind in ("horizontal", "vertical"):
        return [middle_of(laid, c)]
    return [anchor(laid, ref) for ref in c.on]


def _touch(laid: LaidOut, c: Constraint) -> Array:
    """About where two parts touch."""
    a, b = (laid.pieces[ref] for ref in c.on)
    t = np.linspace(0.0, 1.0, 41)
    p, q = a.at(t), b.at(t)
    gap = np.linalg.norm(p[:, None] - q[None], axis=2)
    i, j = np.unravel_index(int(np.argmin(gap)), gap.shape)
    return (p[i] + q[j]) / 2.0
