"""Skins unrolled flat, as drawings that the shop cuts sheet by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from scipy.interpolate import CubicHermiteSpline

from isotomon.arrays import Array
from isotomon.design import edits
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError, named_error
from isotomon.evaluate.ground import Ground, Worked
from isotomon.field.beside import beside_body
from isotomon.field.sheet import SIDES, SkinSheet
from isotomon.field.trimmed import border
from isotomon.field.unrolled import NO_STRAIN, Unrolled, unrolled
from isotomon.geometry.datums import SpaceCurve
from isotomon.operations.skins.base import FINER, MadeSheet
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing, Role, TangentHandle
from isotomon.quantity.record import Id

FEWEST, MOST = 9, 257
"""Points of a curve."""
FINEST = 2e-3
"""mm: a pattern is drawn no more closely than that."""
STRAIGHT = 1e-7
"""Of its length: what leaves its chord by no more is a line; what leaves its circle by no more than a tenth of the tolerance, an arc."""
ASIDE = 1e-9
"""Of a piece: its ends are taken so far within it, since it may be bent there."""
SAME = 1e-6
"""mm: ends that are no further apart are one point."""


def said_of(flat: Unrolled) -> str:
    """How a skin was laid flat, in words."""
    if flat.strain <= NO_STRAIN:
        return "laid flat without strain"
    at = ", ".join(f"{c:.4g}" for c in flat.place)
    return f"laid flat with {100.0 * flat.strain:.3g} % strain at most, at ({at}) mm; it bends both ways by {np.degrees(flat.bent):.3g}° in all"


def unroll(design: Design, body: Id) -> tuple[Design, Unrolled]:
    """The design with one more drawing: a body's skin, as it is made or shaped, laid flat; and how it was laid.

    Raises: IsotomonError, naming the body, for one that has no skin that can be laid flat.
    """
    found = design.body(body)
    try:
        made = skin_to_unroll(Worked(design).ground(body))
        flat = unrolled(made.sheet, FINER * design.tolerance, made.trim)
    except IsotomonError as error:
        raise named_error("body", found.name, error) from None
    strain = "" if flat.strain <= NO_STRAIN else f", {100.0 * flat.strain:.2g} % strain"
    empty = Drawing(edits.fresh_id(design, "g"), f"{found.name} flat{strain}")
    return edits.add_drawing(design, pattern(empty, made, flat, max(FINER * design.tolerance, FINEST))), flat


def skin_to_unroll(ground: Ground) -> MadeSheet:
    """The skin of a body as its first steps leave it; of a body that is carried, between its ends.

    Raises: IsotomonError.
    """
    if ground.body.making is not None:
        return ground.grown()[0]
    shaped = ground.shaped()
    if shaped.made is None:
        raise DesignError("it has no skin that could be unrolled")
    return MadeSheet(beside_body(shaped.made.field, 0.0, FINER * ground.design.tolerance))


def pattern(drawing: Drawing, made: MadeSheet, flat: Unrolled, tolerance: float) -> Drawing:
    """The outline of a flat skin, and, as construction, the lines at which it is folded; its first curve from left to right, and all of it
    right of and above the origin."""
    outline, folds = _lines(made, flat)
    turn, shift = _upright(outline)
    pen = _Points(drawing)
    roles: list[tuple[SpaceCurve, Role]] = [(curve, "shape") for curve in outline]
    roles += [(curve, "construction") for curve in folds]
    for curve, role in roles:
        stops = sorted({0.0, *curve.corners, *([0.5] if curve.closed else []), 1.0})
        for low, high in zip(stops[:-1], stops[1:], strict=True):
            _draw(pen, _PatternPiece(curve, low, high, turn, shift), role, tolerance)
    return pen.done()


def _lines(made: MadeSheet, flat: Unrolled) -> tuple[list[SpaceCurve], list[SpaceCurve]]:
    """The curves round a flat skin, in whatever order, and those at which it is folded."""
    sheet = flat.flat
    if made.trim is not None:
        return [border(sheet, made.trim, edge) for edge in made.trim.edges], []
    t = np.linspace(0.0, 1.0, 17)
    sides = [sheet.side(which) for which in SIDES]
    creases = [(at, basis is made.sheet.u) for basis in (made.sheet.u, made.sheet.v) for at in basis.creases.tolist()]
    folds = [SpaceCurve(partial(_across, sheet, at=at, along_v=along_v)) for at, along_v in creases]
    return [side for side in sides if np.ptp(side.at(t), axis=0).max() > SAME], folds


def _across(sheet: SkinSheet, t: Array, at: float, along_v: bool) -> Array:
    fixed = np.array([at])
    return (sheet.grid(fixed, t) if along_v else sheet.grid(t, fixed)).reshape(-1, 3)


def _upright(curves: Sequence[SpaceCurve]) -> tuple[complex, complex]:
    """By what a flat skin is turned and then shifted, as complex numbers."""
    t = np.linspace(0.0, 1.0, 65)
    places = [_plane(curve.at(t)) for curve in curves]
    way = places[0][-1] - places[0][0]
    turn = complex(np.conj(way) / abs(way)) if abs(way) > SAME else 1.0 + 0.0j
    turned = turn * np.concatenate(places)
    return turn, -complex(turned.real.min(), turned.imag.min())


def _plane(points: Array) -> Array:
    return np.asarray(points[:, 0] + 1j * points[:, 1])


class _Points(Pen):
    """A pen that puts one point where several are asked for at one place."""

    def put_at(self, place: complex) -> Id:
        """The point there."""
        for key, point in self.points.items():
            if abs(complex(point.x, point.y) - place) < SAME:
                return key
        return self.point(place.real, place.imag)


@dataclass(frozen=True, eq=False)
class _PatternPiece:
    """A curve from one parameter to another, turned and shifted."""

    curve: SpaceCurve
    low: float
    high: float
    turn: complex
    shift: complex

    def at(self, share: Array) -> Array:
        """(n,) complex places."""
        return np.asarray(self.turn * _plane(self.curve.at(self.low + share * (self.high - self.low))) + self.shift)

    def slopes(self, share: Array) -> Array:
        """(n,) complex derivatives by the share; at the ends from within."""
        inner = np.clip(share, ASIDE, 1.0 - ASIDE)
        rate = self.curve.rate(self.low + inner * (self.high - self.low))
        return np.asarray(self.turn * _plane(rate) * (self.high - self.low))


def _draw(pen: _Points, piece: _PatternPiece, role: Role, tolerance: float) -> None:
    """A line, an arc, or a curve within the tolerance of a piece."""
    t = np.linspace(0.0, 1.0, FEWEST)
    p = piece.at(t)
    chord = p[-1] - p[0]
    off = np.abs(((p - p[0]) * np.conj(chord)).imag) / max(abs(chord), SAME)
    if off.max() < STRAIGHT * abs(chord):
        pen.line(pen.put_at(p[0]), pen.put_at(p[-1]), role)
        return
    dense = piece.at(np.linspace(0.0, 1.0, 4 * MOST))
    centre, radius = _circle(dense)
    sweep = float(np.angle((dense[1:] - centre) / (dense[:-1] - centre)).sum())
    if np.abs(np.abs(dense - centre) - radius).max() < tolerance and abs(sweep) < 2.0 * np.pi - 1e-3:
        a, b = (pen.put_at(end) for end in (p[0], p[-1]))
        pen.arc(pen.put_at(centre), *((a, b) if sweep > 0.0 else (b, a)), role)
        return
    count = FEWEST
    while True:
        t = np.linspace(0.0, 1.0, count)
        p, slopes = piece.at(t), piece.slopes(t)
        far = np.abs(CubicHermiteSpline(t, p, slopes)(np.linspace(0.0, 1.0, 4 * MOST)) - dense).max()
        if far < tolerance or count >= MOST:
            break
        count = 2 * count - 1
    keys = [pen.put_at(p[0]), *(pen.point(z.real, z.imag) for z in p[1:-1].tolist()), pen.put_at(p[-1])]
    handles = [TangentHandle(z.real, z.imag) for z in slopes.tolist()]
    pen.curve(keys, t.tolist(), handles=handles, role=role)


def _circle(p: Array) -> tuple[complex, float]:
    """The circle nearest to places, by least squares of its equation (source: Kåsa)."""
    middle = p.mean()
    z = p - middle
    rows = np.column_stack([2.0 * z.real, 2.0 * z.imag, np.ones(len(z))])
    x, y, rest = np.linalg.lstsq(rows, np.abs(z) ** 2, rcond=None)[0]
    return complex(middle + x + 1j * y), float(np.sqrt(max(rest + x * x + y * y, 0.0)))
