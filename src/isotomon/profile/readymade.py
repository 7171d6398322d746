"""Ready-made sections as outlines of chord 1, leading point toward -X, counter-clockwise from the +X side."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import assert_never

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.geometry.basis import Basis, fit
from isotomon.profile.foil_points import foil_runs, outline_from_points
from isotomon.profile.outline import FIT, ROUND_FIT, Outline2D, OutlineMark, Run, fit_run, line
from isotomon.profile.section import (
    Apex,
    Circle,
    Ellipse,
    FromPoints,
    Kept,
    Naca4,
    Outline,
    Polygon,
    Rounded,
    Section,
    Star,
    Superellipse,
)

FOIL_ANCHOR = np.array([[0.0, 0.0], [1.0, 0.0]])
CENTRED_ANCHOR = np.array([[-0.5, 0.0], [0.5, 0.0]])


def outline_of(section: Section, outlines: Mapping[str, Outline]) -> Outline2D:
    """The outline of any section; `outlines` holds the design's foil coordinates by id.

    Raises: ProfileError.
    """
    if isinstance(section, FromPoints):
        if section.outline not in outlines:
            raise ProfileError("the foil coordinates of this section are gone; choose another section")
        return _from_points(outlines[section.outline].points)
    return _made(section)


@lru_cache(maxsize=64)
def _from_points(points: tuple[tuple[float, float], ...]) -> Outline2D:
    return outline_from_points(np.array(points, dtype=np.float64))


@lru_cache(maxsize=512)
def _made(section: Apex | Naca4 | Circle | Ellipse | Rounded | Superellipse | Polygon | Star | Kept) -> Outline2D:
    match section:
        case Naca4(digits, blunt):
            return naca4(digits, blunt)
        case Circle() | Apex():  # a point has all of its places at one: any outline of no size does
            return ellipse(1.0)
        case Ellipse(ratio):
            return ellipse(ratio)
        case Rounded(ratio, radius):
            return rounded(ratio, radius)
        case Superellipse(ratio, exponent):
            return superellipse(ratio, exponent)
        case Polygon(sides):
            return star(sides, None)
        case Star(points, ratio):
            return star(points, ratio)
        case Kept():
            return kept(section)
    assert_never(section)


def naca4(digits: str, blunt: bool) -> Outline2D:
    """A four-digit foil.

    Source: Jacobs, Ward, Pinkerton, NACA Report 460 (1933). The closed trailing edge takes -0.1036 as the last
    coefficient, the blunt one -0.1015.
    """
    camber, place, thick = int(digits[0]) / 100.0, int(digits[1]) / 10.0, int(digits[2:]) / 100.0
    last = -0.1015 if blunt else -0.1036

    def surface(w: Array) -> Array:
        """Signed square root of x: positive above, negative below. In it the nose is smooth."""
        size, side = np.abs(w), np.where(w >= 0.0, 1.0, -1.0)
        x = size * size
        half = 5.0 * thick * (0.2969 * size + x * (-0.1260 + x * (-0.3516 + x * (0.2843 + x * last))))
        y, slope = np.zeros_like(x), np.zeros_like(x)
        if camber:
            front = x < place
            scale = camber / np.where(front, place, 1.0 - place) ** 2
            y = scale * np.where(front, 0.0, 1.0 - 2.0 * place) + scale * (2.0 * place - x) * x
            slope = 2.0 * scale * (place - x)
        turn = np.arctan(slope)
        return np.stack([x - side * half * np.sin(turn), y + side * half * np.cos(turn)], axis=1)

    marks = [("nose", 0.5, 2)]
    if camber:
        root = np.sqrt(place)
        name = f"camber {digits[1]}"
        marks = [(f"{name} above", (1.0 - root) / 2.0, 1), *marks, (f"{name} below", (1.0 + root) / 2.0, 1)]
    around = fit_run(lambda t: surface(1.0 - 2.0 * t), marks=marks)
    if not blunt:
        return Outline2D(foil_runs(_with_ends(around, np.array([1.0, 0.0]), np.array([1.0, 0.0]))), FOIL_ANCHOR)
    top, bottom = surface(np.array([1.0, -1.0]))
    return Outline2D(foil_runs(_with_ends(around, top, bottom)), FOIL_ANCHOR)


def _with_ends(run: Run, first: Array, last: Array) -> Run:
    """The same run with its ends set exactly, so that neighbours share them."""
    control = run.control.copy()
    control[0], control[-1] = first, last
    return replace(run, control=control)


def ellipse(ratio: float) -> Outline2D:
    """An ellipse of width 1 and height `ratio`; a circle for 1."""

    def curve(t: Array) -> Array:
        return np.stack([0.5 * np.cos(2 * np.pi * t), 0.5 * ratio * np.sin(2 * np.pi * t)], axis=1)

    run = fit_run(curve, periodic=True, tolerance=ROUND_FIT if ratio == 1.0 else FIT)
    return Outline2D((run,), CENTRED_ANCHOR, round=ratio == 1.0)


def superellipse(ratio: float, exponent: float) -> Outline2D:
    """|2x|^n + |2y/ratio|^n = 1, by an angle that keeps the curve's speed finite at its flat places."""

    def curve(t: Array) -> Array:
        angle = 2 * np.pi * t
        c, s = np.cos(angle), np.sin(angle)
        radius = (np.abs(c) ** exponent + np.abs(s) ** exponent) ** (-1.0 / exponent)
        return np.stack([0.5 * c * radius, 0.5 * ratio * s * radius], axis=1)

    flats = [("above", 0.25, 2), ("nose", 0.5, 2), ("below", 0.75, 2)] if exponent != 2.0 else []
    run = fit_run(curve, periodic=True, marks=flats)
    return Outline2D((run,), CENTRED_ANCHOR, round=ratio == 1.0 and exponent == 2.0)


def rounded(ratio: float, radius: float) -> Outline2D:
    """A rectangle of width 1 and height `ratio` with its corners rounded by `radius`: lines and arcs, tangent."""
    half_w, half_h = 0.5 - radius, 0.5 * ratio - radius
    quarter = np.pi * radius / 2.0
    lengths = np.array([half_h, quarter, 2 * half_w, quarter, 2 * half_h, quarter, 2 * half_w, quarter, half_h])
    ends = np.concatenate([[0.0], np.cumsum(lengths)])
    centres = np.array([[half_w, half_h], [-half_w, half_h], [-half_w, -half_h], [half_w, -half_h]])
    normals = np.array([[1.0, 0.0], [0.0, 1.0], [-1.0, 0.0], [0.0, -1.0]])

    def curve(t: Array) -> Array:
        along = np.mod(t, 1.0) * ends[-1]
        piece = np.clip(np.searchsorted(ends, along, side="right") - 1, 0, 8)
        inner = along - ends[piece]
        side = (piece // 2) % 4
        normal = normals[side]
        tangent = np.stack([-normal[:, 1], normal[:, 0]], axis=1)
        centre = centres[side]
        angle = inner / radius
        arc = centre + radius * (np.cos(angle)[:, None] * normal + np.sin(angle)[:, None] * tangent)
        # A straight side ends where its arc begins; the last half side ends at the start, half a side earlier.
        left = lengths[piece] - inner + np.where(piece == 8, half_h, 0.0)
        straight = centre + radius * normal - left[:, None] * tangent
        return np.where((piece % 2 == 1)[:, None], arc, straight)

    # The curve runs by arc length already.
    marks = tuple(OutlineMark(f"arc end {number}", float(end / ends[-1]), 1) for number, end in enumerate(ends[1:-1]))
    basis, control = fit(curve, FIT, joins={m.share: m.continuity for m in marks}, periodic=True)
    return Outline2D((Run(basis, control, float(ends[-1]), marks),), CENTRED_ANCHOR)


def star(points: int, ratio: float | None) -> Outline2D:
    """A star of outer diameter 1 with a point at +X, or, without `ratio`, a regular polygon."""
    count = points if ratio is None else 2 * points
    angle = 2 * np.pi * np.arange(count) / count
    radius = np.full(count, 0.5)
    if ratio is not None:
        radius[1::2] *= ratio
    corners = radius[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    corners[0] = (0.5, 0.0)
    if ratio is None:
        names = [f"{k + 1}of{count}" for k in range(count)]
    else:
        names = [f"{'tip' if k % 2 == 0 else 'notch'}{k // 2 + 1}of{points}" for k in range(count)]
    around = zip(corners, np.roll(corners, -1, axis=0), names, [*names[1:], names[0]], strict=True)
    runs = tuple(line(a, b).named(first, last) for a, b, first, last in around)
    return Outline2D(runs, CENTRED_ANCHOR)


def kept(section: Kept) -> Outline2D:
    """A section taken from a body: its runs as they are, by their own parameter."""
    runs = []
    for run in section.runs:
        basis = Basis(run.degree, np.array(run.breaks), np.array(run.multiplicity, dtype=np.int64), run.periodic)
        control = np.array(run.control, dtype=np.float64)
        if control.shape != (basis.size, 2):
            raise ProfileError(f"a kept section needs {basis.size} control points in each run, got {len(control)}")
        u, w = basis.gauss()
        length = float(np.sum(w * np.linalg.norm(basis.matrix(u, 1) @ control, axis=1)))
        runs.append(Run(basis, control, length))
    return Outline2D(tuple(runs), np.array(section.anchor), section.round)
