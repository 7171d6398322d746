"""Skins that fill a closed run of curves: of least bending, flush or fair with neighbours where asked.

Over the plane nearest to the run the skin is one B-spline in x and y, three coordinates of it; it is the one of least bending among those
that meet the run, and is trimmed by it. Source: the thin plate, J. Duchon, Splines minimizing rotation-invariant semi-norms in Sobolev
spaces (1977); where curvatures are given, the third derivatives in place of the second. Conditions by multipliers: M. Hestenes (1969).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.sparse import csr_array, diags_array, vstack

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.sheet import SkinSheet
from isotomon.field.strand import Strand
from isotomon.field.trims import Trim, TrimEdge
from isotomon.geometry.basis import Basis, make_basis
from isotomon.geometry.datums import Plane, fitted_plane

DEGREE = 5
MARGIN = 0.04
"""Of the run's extent: so far the skin's rectangle reaches beyond it."""
OUTSIDE = 1e-4
"""So much as within the run bending counts outside of it."""
PER_CELL, PER_SPAN = 4, 6
"""Places in each cell, either way, at which bending is taken; and along the run, for each span that it passes, at which it is met."""
SPANS = (6, 12, 24, 40)
"""Spans that are tried where the skin is to be as fine as needed."""
MOST_SPANS = 40
MOST_KEPT = 16
"""Fillings that are not worked out anew as long as their curves are the same."""
STIFF, ROUNDS = 1e7, 5
"""How much a miss counts against bending, times the cube of the spans, so that a coarse skin stays calm; and how often what is left of it is
put right."""
TINY = 1e-15
"""Of the system: added to its diagonal, so that what nothing is said of is something."""
STEEP = 0.3
"""A neighbour's skin that stands steeper on the plane than that (its sine) is gone on from as if it stood so."""


@dataclass(frozen=True)
class RunEdge:
    """A curve of the run, head to tail with the next, and how many derivatives across are given by the skin that it is an edge of."""

    strand: Strand
    given: int
    called: str


@dataclass(frozen=True, eq=False)
class Filling:
    """The skin over its rectangle, by what it is trimmed, how far it is off the run at most (mm), and into how many spans it goes."""

    sheet: SkinSheet
    trim: Trim
    off: float
    spans: tuple[int, int]


@dataclass(frozen=True, eq=False)
class _Conditions:
    """What is asked of the skin: at places (m, 2) of the unit square, a derivative of an order (m,) in a direction (m, 2), and the value (m, 3)
    mm, by the unit square's sides."""

    places: Array
    directions: Array
    orders: Array
    values: Array

    def of(self, order: int) -> _Conditions:
        """Those of one order."""
        own = self.orders == order
        return _Conditions(self.places[own], self.directions[own], self.orders[own], self.values[own])


@dataclass(frozen=True, eq=False)
class _FlatRun:
    """All edges of the closed runs, in the order of the trim; the plane nearest to the outer one, and the corner and the sides (2,) of the
    rectangle on it that is the unit square; the runs as they lie in that."""

    edges: list[RunEdge]
    plane: Plane
    low: Array
    size: Array
    trim: Trim

    def square(self, points: Array) -> Array:
        """(n, 2) points (n, 3) as they lie in the unit square."""
        return (_flat(points, self.plane) - self.low) / self.size


@lru_cache(maxsize=MOST_KEPT)
def fill(
    loops: tuple[tuple[RunEdge, ...], ...], within: tuple[tuple[float, float, float], ...], spans: int, tolerance: float
) -> Filling:
    """The skin that fills the first of some closed runs, with holes where the others are; `within`: places that it passes, mm. In so
    many `spans` along the longer side, or, for nought, as many as it takes to be within `tolerance` (mm) of the run.

    Raises: FieldError, for a run that crosses itself as it is seen from its plane.
    """
    run, inside = _laid_flat(loops), np.array(within).reshape(-1, 3)
    for count in (spans,) if spans else SPANS:
        made = _filled(run, inside, min(count, MOST_SPANS))
        if made.off <= tolerance:
            break
    return made


def _laid_flat(loops: Sequence[Sequence[RunEdge]]) -> _FlatRun:
    """Raises: FieldError, with the place, where a run crosses itself; DesignError, for a straight one, which has no plane."""
    t = np.linspace(0.0, 1.0, 65)
    points = np.vstack([e.strand.at(t) for e in loops[0]])
    plane, _ = fitted_plane(points)
    flat = _flat(points, plane)
    extent = np.ptp(flat, axis=0)
    margin = MARGIN * float(extent.max())
    low, size = flat.min(axis=0) - margin, extent + 2.0 * margin
    made = list[tuple[TrimEdge, ...]]()
    for loop in loops:
        clamped = [(e.called, *e.strand.clamped()) for e in loop]
        made.append(tuple(TrimEdge(name, basis, (_flat(c, plane) - low) / size) for name, basis, c in clamped))
    run = _FlatRun([e for loop in loops for e in loop], plane, low, size, Trim(tuple(made)))
    place = run.trim.crossing()
    if place is not None:
        x, y, z = (plane.origin + (low + place * size) @ np.stack([plane.across, plane.up])).tolist()
        error = FieldError("seen from the plane nearest to it the run of curves crosses itself; fill it in parts")
        error.place = (x, y, z)
        raise error
    return run


def _flat(points: Array, plane: Plane) -> Array:
    return np.asarray((points - plane.origin) @ np.stack([plane.across, plane.up], axis=1))


def _filled(run: _FlatRun, within: Array, spans: int) -> Filling:
    """The skin of least bending in so many spans along the longer side."""
    counts = [max(2, math.ceil(spans * s / run.size.max())) for s in run.size]
    u, v = (make_basis(DEGREE, np.linspace(0.0, 1.0, n + 1)) for n in counts)
    order = 3 if any(e.given == 2 for e in run.edges) else 2
    control = _least(_bending(u, v, run.trim, run.size, order), u, v, _conditions(run, within, counts))
    sheet = SkinSheet(u, v, control.reshape(u.size, v.size, 3))
    return Filling(sheet, run.trim, _off(sheet, run), (counts[0], counts[1]))


def _off(sheet: SkinSheet, run: _FlatRun) -> float:
    """mm: the greatest distance of the skin's edges from the curves."""
    t, worst = np.linspace(0.0, 1.0, 129), 0.0
    for edge, own in zip(run.edges, run.trim.edges, strict=True):
        x, y = own.at(t).T
        worst = max(worst, float(np.linalg.norm(sheet.at(x, y) - edge.strand.at(t), axis=1).max()))
    return worst


def _conditions(run: _FlatRun, within: Array, counts: Sequence[int]) -> _Conditions:
    """What the run, its neighbours and what lies inside ask of the skin."""
    rows = list[tuple[Array, Array, int, Array]]()
    for edge, own in zip(run.edges, run.trim.edges, strict=True):
        rough = own.at(np.linspace(0.0, 1.0, 33))
        passed = float(np.linalg.norm(np.diff(rough, axis=0) * counts, axis=1).sum())
        count = max(8, math.ceil(PER_SPAN * passed))
        t = (np.arange(count) + 0.5) / count
        t = np.r_[0.0, t, 1.0]
        rows.append((own.at(t), np.zeros((len(t), 2)), 0, edge.strand.at(t)))
        if edge.given:
            rows += _from_beyond(edge, own.at(t[1:-1]), t[1:-1], run)
    rows.append((run.square(within), np.zeros((len(within), 2)), 0, within))
    orders = np.concatenate([np.full(len(places), order) for places, _, order, _ in rows])
    places, ways, values = (np.concatenate([row[k] for row in rows]) for k in (0, 1, 3))
    return _Conditions(places, ways, orders, values)


def _from_beyond(edge: RunEdge, places: Array, t: Array, run: _FlatRun) -> list[tuple[Array, Array, int, Array]]:
    """How the skin goes on over an edge from the one that it is an edge of: in mm by mm on the plane, made such by the unit square's sides."""
    if edge.strand.beyond is None:
        raise FieldError(f"{edge.called} is no edge of a skin that could be gone on from; let it be free")
    (direction, bend), plane, size = edge.strand.beyond(t), run.plane, run.size
    flat = direction @ np.stack([plane.across, plane.up], axis=1)
    far = np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), STEEP)
    way = flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-12)
    whole = float(size.max())
    made = [(places, whole * way / size, 1, whole * direction / far)]
    if edge.given == 2:
        # Seen as a height over the plane, all that is left of the curvature lies along its normal.
        upright = bend @ plane.normal
        strong = np.linalg.norm(bend, axis=1)
        steep = np.abs(upright) < STEEP * strong
        lift = np.where(steep | (strong == 0.0), 0.0, strong**2 / np.where(upright == 0.0, 1.0, upright))
        value = np.where(steep[:, None], bend, lift[:, None] * plane.normal) / far**2
        made.append((places, whole * way / size, 2, whole**2 * value))
    return made


def _local(basis: Basis, t: Array, derivative: int) -> tuple[Array, Index]:
    """(m, degree + 1) each: what the splines that are not nought at places (m,) are there, and which ones they are."""
    span = np.clip(np.searchsorted(basis.breaks, t, side="right") - 1, 0, len(basis.breaks) - 2)
    columns = span[:, None] + np.arange(basis.degree + 1)  # breaks are simple
    return np.take_along_axis(basis.matrix(t, derivative), columns, axis=1), columns


def _rows(u: Basis, v: Basis, places: Array, by_u: int, by_v: int) -> csr_array:
    """(m, size) one row a place (m, 2): what each control point counts for in a derivative there."""
    (a, at_u), (b, at_v) = _local(u, places[:, 0], by_u), _local(v, places[:, 1], by_v)
    data = (a[:, :, None] * b[:, None, :]).reshape(len(places), -1)
    columns = (at_u[:, :, None] * v.size + at_v[:, None, :]).reshape(len(places), -1)
    starts = np.arange(len(places) + 1) * data.shape[1]
    return csr_array((data.ravel(), columns.ravel(), starts), shape=(len(places), u.size * v.size))


def _bending(u: Basis, v: Basis, trim: Trim, size: Array, order: int) -> Array:
    """(size, size) the quadratic form of bending: the squares of all second derivatives, or third ones, by mm on the plane, summed over what
    the skin covers, and next to nothing of the rest."""
    (x, weight_x), (y, weight_y) = u.gauss(PER_CELL), v.gauss(PER_CELL)
    places = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1).reshape(-1, 2)
    weight = np.outer(weight_x, weight_y).ravel() * np.where(trim.holds(places), 1.0, OUTSIDE)
    # Of the longer side, so that no number depends on how large the skin is.
    stretch_x, stretch_y = (float(size.max() / s) for s in size)
    form = np.zeros((u.size * v.size, u.size * v.size))
    for k in range(order + 1):
        rows = _rows(u, v, places, order - k, k)
        scale = math.comb(order, k) * (stretch_x ** (order - k) * stretch_y**k) ** 2
        form += scale * (rows.T @ diags_array(weight) @ rows).toarray()
    return form


def _least(form: Array, u: Basis, v: Basis, asked: _Conditions) -> Array:
    """(size, 3) the control points of the skin of least bending that meets what is asked of it, as nearly as it can be met."""
    rows, parts = list[csr_array](), [asked.of(order) for order in np.unique(asked.orders)]
    for own in parts:
        order = int(own.orders[0])
        found = csr_array((len(own.places), u.size * v.size))
        for k in range(order + 1):
            share = math.comb(order, k) * own.directions[:, 0] ** (order - k) * own.directions[:, 1] ** k
            found = found + diags_array(share) @ _rows(u, v, own.places, order - k, k)
        rows.append(found)
    wanted = vstack(rows, format="csr")
    values = np.concatenate([own.values for own in parts])
    stiff = STIFF * (max(len(u.breaks), len(v.breaks)) - 1) ** 3 / len(values)
    system = form + stiff * (wanted.T @ wanted).toarray()
    system[np.diag_indices_from(system)] += TINY * np.trace(system) / len(system)
    factor = cho_factor(system, overwrite_a=True, check_finite=False)
    pull = np.zeros_like(values)
    control = np.zeros((system.shape[0], 3))
    for _ in range(ROUNDS):
        control = cho_solve(factor, wanted.T @ (stiff * values + pull), check_finite=False)
        pull += stiff * (values - wanted @ control)
    return control
