"""A skin unrolled flat: exactly where it is developable, with the least strain elsewhere.

What is laid flat without strain keeps lengths, angles and geodesic curvatures: a middle line is laid first, by its geodesic curvature, then
all lines across it, by theirs, each beginning at the angle at which it leaves the middle one. Of a skin that is not developable this is where
the search for the least strain begins (Gauss-Newton on Green's strain).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from scipy.sparse import csr_array, diags_array, eye_array, hstack, kron, vstack
from scipy.sparse.linalg import splu

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import SkinSheet
from isotomon.field.thick import curvature_of
from isotomon.field.trims import Trim
from isotomon.geometry.basis import Basis, make_basis
from isotomon.geometry.planar import cross3
from isotomon.geometry.quadrature import gauss_rule
from isotomon.pace import checkpoint

NODES = 8
"""Places at which a stretch is looked at when lines are laid."""
WIDEST = 1.0 / 24.0
"""Stretches are no wider."""
MIDDLE = 0.487
"""The middle line: no crease lies just there."""
ASIDE = 1e-12
"""At a crease, lines are taken by what is before it."""
PER_SPAN = 4
"""Places in each span, both ways, at which strain is looked at."""
NO_STRAIN = 1e-5
"""What is strained by no more is developable: there is nothing to be searched for."""
MOST_STEPS, AT_REST = 40, 1e-9
"""Steps of the search; when the strain changes by no more, it is done."""
DEVELOPABLE = 1e-4
"""rad: a skin that bends both ways by no more is laid flat as it is."""
OUTSIDE = 1e-4
"""So much as within the run, strain counts outside of it."""
FINE, MOST_JOINS, NEAR = 12, 12, 0.01
"""Spans each way in which a skin with strain is laid flat, the places where it is less smooth that are followed there, and how near to these no other span ends."""


@dataclass(frozen=True, eq=False)
class Unrolled:
    """A skin laid `flat` (z nought); `strain`: the greatest one, by which any length in it changes, and its `place` (3,) mm on the skin;
    `bent`: how far it is from developable, the integral of the size of its Gaussian curvature."""

    flat: SkinSheet
    strain: float
    place: Array
    bent: float


@lru_cache(maxsize=8)
def unrolled(sheet: SkinSheet, tolerance: float, trim: Trim | None = None) -> Unrolled:
    """A skin, or what of it lies within a run, laid flat, within a tolerance (mm); one that closes is cut open along its start.

    Raises: FieldError, for one that cannot be laid flat without folding.
    """
    lines, bent = _LinesLaid(sheet), bent_both_ways(sheet)
    if bent < DEVELOPABLE:
        less_u, less_v = ({p: max(k - 1, 0) for p, k in joins_of(b).items()} for b in (sheet.u, sheet.v))
        laid = fit_sheet(lines.places, less_u, less_v, tolerance)
    else:
        laid = _evenly(lines, sheet)
    cells = _cells(sheet, laid, trim)
    strain = _strains(cells, laid.control[..., :2])
    if strain.max() > NO_STRAIN and bent >= DEVELOPABLE:
        control = _least_strain(cells, laid.control[..., :2])
        laid = replace(laid, control=np.concatenate([control, np.zeros((*control.shape[:2], 1))], axis=2))
        strain = _strains(cells, control)
    worst = int(strain.argmax())
    row, column = divmod(int(cells.inside[worst]), len(cells.v))
    place = sheet.grid(cells.u[row : row + 1], cells.v[column : column + 1])[0, 0]
    return Unrolled(replace(laid, corners=sheet.corners), float(strain[worst]), place, bent)


def bent_both_ways(sheet: SkinSheet) -> float:
    """How far a skin is from developable: the integral of the size of its Gaussian curvature, rad."""
    (u, by_u), (v, by_v) = sheet.u.gauss(8), sheet.v.gauss(8)
    cells = np.linalg.norm(cross3(sheet.grid(u, v, 1, 0), sheet.grid(u, v, 0, 1)), axis=2)
    return float(by_u @ (np.nan_to_num(np.abs(curvature_of(sheet, u, v).gauss)) * cells) @ by_v)


@dataclass(frozen=True, eq=False)
class _LinesLaid:
    """A skin's lines, laid flat one after the other."""

    sheet: SkinSheet

    def places(self, u: Array, v: Array) -> Array:
        """(n_u, n_v, 3) mm."""
        u = np.maximum(u - ASIDE, 0.0)
        begin, heading = self._middle(u)
        turn, size, jumps = self._rates(u, across=True)
        _, way = _integrated(turn, size, jumps, self.sheet.v, v, heading, len(u))
        found = begin[:, None] + way
        return np.stack([found.real, found.imag, np.zeros(found.shape)], axis=2)

    def _middle(self, u: Array) -> tuple[Array, Array]:
        """(n,) where the middle line lies, as complex numbers, and the directions (rad) in which the others leave it."""
        turn, size, jumps = self._rates(np.array([MIDDLE]), across=False)
        angle, way = _integrated(turn, size, jumps, self.sheet.u, u, np.zeros(1), 1)
        return way[0], angle[0] + self._corner(u, np.array([MIDDLE]))[:, 0]

    def _rates(
        self, fixed: Array, across: bool
    ) -> tuple[Callable[[Array], Array], Callable[[Array], Array], Callable[[Array], Array]]:
        """Of lines along u at v (n,), or along v at u (n,): how they turn on the skin, their speed, and how they turn at creases; each
        (n, m) at places (m,)."""
        first = (0, 1) if across else (1, 0)
        second = (0, 2) if across else (2, 0)

        def grid(t: Array, order: tuple[int, int]) -> Array:
            found = self.sheet.grid(fixed, t, *order) if across else self.sheet.grid(t, fixed, *order)
            return found if across else found.transpose(1, 0, 2)

        def turn(t: Array) -> Array:
            way, bend = grid(t, first), grid(t, second)
            normal = cross3(grid(t, (1, 0)), grid(t, (0, 1)))
            size = np.linalg.norm(normal, axis=2) * np.sum(way * way, axis=2)
            return np.asarray(np.sum(cross3(way, bend) * normal, axis=2) / np.maximum(size, 1e-300))

        def size(t: Array) -> Array:
            return np.asarray(np.linalg.norm(grid(t, first), axis=2))

        def jumps(t: Array) -> Array:
            near = 1e-9
            if across:
                return self._corner(fixed, t + near) - self._corner(fixed, t - near)
            return (self._corner(t - near, fixed) - self._corner(t + near, fixed)).T

        return turn, size, jumps

    def _corner(self, u: Array, v: Array) -> Array:
        """(n_u, n_v) rad: the angle from the line along u to that along v."""
        one, other = self.sheet.grid(u, v, 1, 0), self.sheet.grid(u, v, 0, 1)
        return np.arctan2(np.linalg.norm(cross3(one, other), axis=2), np.sum(one * other, axis=2))


def _integrated(
    turn: Callable[[Array], Array],
    size: Callable[[Array], Array],
    jumps: Callable[[Array], Array],
    basis: Basis,
    wanted: Array,
    heading: Array,
    rows: int,
) -> tuple[Array, Array]:
    """Of lines (rows,) with a heading (rad) in the middle: (rows, m) the directions at `wanted` places, and how far they lie from the middle,
    as complex numbers."""
    stops = np.unique(np.concatenate([wanted, basis.breaks, [MIDDLE], np.linspace(0.0, 1.0, round(1.0 / WIDEST) + 1)]))
    stops = np.clip(stops, 0.0, 1.0)
    x, weights = gauss_rule(NODES)
    wide = np.diff(stops)
    inner = (stops[:-1, None] + wide[:, None] * (x + 1.0) / 2.0).ravel()
    shape = (rows, len(wide), NODES)
    rate = turn(inner).reshape(shape) * wide[:, None] / 2.0
    speed = size(inner).reshape(shape) * wide[:, None] / 2.0
    steps = np.concatenate([np.zeros((rows, 1)), np.cumsum(rate @ weights, axis=1)], axis=1)
    for crease in basis.creases:
        steps[:, stops > crease + 1e-12] += jumps(np.array([crease]))
    # What has been turned at a crease counts from its far side on.
    begins = np.concatenate([steps[:, :1], steps[:, 1:] - rate @ weights], axis=1)[:, 1:]
    middle = int(np.searchsorted(stops, MIDDLE))
    shift = heading - steps[:, middle]
    inside = begins[:, :, None] + rate @ _running(x).T + shift[:, None, None]
    far = np.concatenate([np.zeros((rows, 1)), np.cumsum((speed * np.exp(1j * inside)) @ weights, axis=1)], axis=1)
    at = np.searchsorted(stops, wanted)
    return steps[:, at] + shift[:, None], far[:, at] - far[:, middle : middle + 1]


@lru_cache(maxsize=2)
def _running_of(places: tuple[float, ...]) -> Array:
    powers = np.arange(len(places))
    x = np.array(places)
    coefficients = np.linalg.inv(x[:, None] ** powers)
    return np.asarray((x[:, None] ** (powers + 1) - (-1.0) ** (powers + 1)) / (powers + 1) @ coefficients)


def _running(x: Array) -> Array:
    """(n, n): what gives integrals from -1 to each of n places, from the values there."""
    return _running_of(tuple(x.tolist()))


@dataclass(frozen=True, eq=False)
class _Cells:
    """Where strain is looked at: every `u` and `v`, by rows of `along` and `across` (m, n): what these make of control points are the images
    of two directions square to each other on the skin. `weight` (m,) mm²."""

    u: Array
    v: Array
    along: csr_array
    across: csr_array
    weight: Array
    inside: Index
    """The numbers of those that count."""


def _cells(sheet: SkinSheet, flat: SkinSheet, trim: Trim | None) -> _Cells:
    (u, by_u), (v, by_v) = flat.u.gauss(PER_SPAN), flat.v.gauss(PER_SPAN)
    pu, pv = (sheet.grid(u, v, *order).reshape(-1, 3) for order in ((1, 0), (0, 1)))
    length = np.linalg.norm(pu, axis=1)
    mixed, area = np.sum(pu * pv, axis=1), np.linalg.norm(cross3(pu, pv), axis=1)
    whole = np.maximum(length * area, 1e-300)
    du = csr_array(kron(flat.u.sparse(u, 1), flat.v.sparse(v)))
    dv = csr_array(kron(flat.u.sparse(u), flat.v.sparse(v, 1)))
    along = csr_array(diags_array(1.0 / np.maximum(length, 1e-300)) @ du)
    across = csr_array(diags_array(-mixed / whole) @ du + diags_array(length**2 / whole) @ dv)
    places = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2)
    there = trim.holds(places) if trim is not None else np.ones(len(places), dtype=bool)
    weight = np.outer(by_u, by_v).ravel() * area * np.where(there, 1.0, OUTSIDE)
    return _Cells(u, v, along, across, weight, np.flatnonzero(there))


def _strains(cells: _Cells, control: Array) -> Array:
    """(k,) the greatest change of any length, as a share of it, at the places that count.

    Raises: FieldError, where the skin is folded over.
    """
    flat = control.reshape(-1, 2)
    a, b = ((rows @ flat)[cells.inside] for rows in (cells.along, cells.across))
    stretch = (np.sum(a * a, axis=1) + np.sum(b * b, axis=1)) / 2.0
    area = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    if area.min() <= 0.0:
        raise FieldError("the skin cannot be laid flat: it would fold over; part it, or unroll less of it")
    root = np.sqrt(np.maximum(stretch**2 - area**2, 0.0))
    return np.asarray(
        np.maximum(np.abs(np.sqrt(stretch + root) - 1.0), np.abs(1.0 - np.sqrt(np.maximum(stretch - root, 0.0))))
    )


def _evenly(lines: _LinesLaid, sheet: SkinSheet) -> SkinSheet:
    """Nearly what lines lay flat, in few even spans, less smooth where a sheet is: there the search for the least strain is quick."""
    u, v = (_even_basis(basis) for basis in (sheet.u, sheet.v))
    places = lines.places(u.greville(), v.greville())
    rows = u.through(u.sparse(u.greville()), places.reshape(u.size, -1)).reshape(u.size, v.size, 3)
    columns = v.through(v.sparse(v.greville()), rows.transpose(1, 0, 2).reshape(v.size, -1))
    return SkinSheet(u, v, columns.reshape(v.size, u.size, 3).transpose(1, 0, 2))


def _even_basis(basis: Basis) -> Basis:
    joins = {place: max(order - 1, 0) for place, order in list(joins_of(basis).items())[:MOST_JOINS]}
    places = np.array(list(joins))
    breaks = np.union1d(np.linspace(0.0, 1.0, FINE + 1), places)
    keep = np.isin(breaks, [0.0, 1.0, *places]) | (np.abs(breaks[:, None] - places).min(axis=1, initial=1.0) > NEAR)
    return make_basis(5, breaks[keep], joins=joins)


def _least_strain(cells: _Cells, control: Array) -> Array:
    """The control points (n_u, n_v, 2) that lay the skin flat with the least strain, from such as do it somehow."""
    root = np.sqrt(cells.weight / cells.weight.sum())
    flat, damp = control.reshape(-1, 2), 1e-9
    count = len(flat)
    residuals = _green(cells, root, flat)
    energy = float(residuals @ residuals)
    for number in range(MOST_STEPS):
        checkpoint(number / MOST_STEPS)
        jacobian = _slopes(cells, root, flat)
        square = csr_array(jacobian.T @ jacobian)
        step = -splu((square + damp * eye_array(2 * count)).tocsc()).solve(jacobian.T @ residuals)
        moved = flat + step.reshape(2, count).T
        tried = _green(cells, root, moved)
        better = float(tried @ tried)
        if better >= energy:
            damp *= 100.0
            if damp > 1.0:
                break
            continue
        done = energy - better < AT_REST * energy
        flat, residuals, energy, damp = moved, tried, better, max(damp / 10.0, 1e-12)
        if done:
            break
    return flat.reshape(control.shape)


def _green(cells: _Cells, root: Array, flat: Array) -> Array:
    """(3 m,) Green's strain: along, across and between."""
    a, b = cells.along @ flat, cells.across @ flat
    parts = (np.sum(a * a, axis=1) - 1.0, np.sum(b * b, axis=1) - 1.0, np.sqrt(2.0) * np.sum(a * b, axis=1))
    return np.concatenate([root * part / 2.0 for part in parts])


def _slopes(cells: _Cells, root: Array, flat: Array) -> csr_array:
    """(3 m, 2 n) their derivatives by the control points: all x, then all y."""
    a, b = cells.along @ flat, cells.across @ flat
    rows = []
    for along, across in ((2.0 * a, None), (None, 2.0 * b), (np.sqrt(2.0) * b, np.sqrt(2.0) * a)):
        parts = [
            sum(
                diags_array(root * ways[:, k] / 2.0) @ matrix
                for ways, matrix in ((along, cells.along), (across, cells.across))
                if ways is not None
            )
            for k in (0, 1)
        ]
        rows.append(csr_array(hstack(parts)))
    return csr_array(vstack(rows))
