"""A drawing's equations as arrays: residuals and exact derivatives for all constraints at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy import sparse

from isotomon.arrays import Array, Index
from isotomon.profile.dimensions import Writer
from isotomon.profile.drawing import Constraint, Drawing
from isotomon.profile.forms import NOUGHT, UNIT, LinearForm, Vec, stack
from isotomon.profile.rows import EquationRows, Function

MOST_TERMS = 4
"""So many lengths are added up in one row at most."""
TINY = 1e-60
"""Least length that is divided by, mm: parts without extent have no direction, but break nothing."""
STEP = 1e-100
"""Length of a complex step: so small that the derivative is exact to rounding."""


@dataclass(frozen=True, eq=False)
class System:
    """`names`: variables (a point's come in pairs). `owner`: each row's constraint or part. `goal`: what rows must be.

    Rows run: linear, lengths, dots, beside, turns, general. `forms`, `const`: the linear forms (forms, variables) they are written in.
    """

    names: tuple[str, ...]
    start: Array
    size: float
    owner: tuple[str, ...]
    factors: Mapping[str, float]
    forms: sparse.csr_matrix
    const: Array
    linear: Index
    lengths: tuple[Array, Index, Index]
    """signs (n, 4), vectors (n, 4, 2), form (n,)"""
    dots: tuple[Array, Index]
    """scale (n,), vectors (n, 2, 2)"""
    beside: tuple[Array, Index, Array, Index, Index]
    """sign (n,), vectors (n, 2, 2), signs (n, 4), vectors (n, 4, 2), form (n,)"""
    turns: Index
    """vectors (n, 2, 2)"""
    general: tuple[tuple[Function, Index], ...]
    pattern: tuple[Index, Index]
    """rows and form columns of the derivative's entries, in the order in which `evaluate` gives them"""

    @property
    def count(self) -> int:
        """How many equations there are."""
        return len(self.owner)

    def values(self, x: Array) -> Array:
        """(rows,): what each row is at x; a row holds when this is its goal."""
        return self._evaluate(x)[0]

    def evaluate(self, x: Array) -> tuple[Array, Array]:
        """(rows,) values and (rows, variables) derivatives."""
        values, entries = self._evaluate(x)
        outer = sparse.csr_matrix((entries, self.pattern), shape=(self.count, len(self.const)))
        return values, np.asarray((outer @ self.forms).toarray())

    def _evaluate(self, x: Array) -> tuple[Array, Array]:
        y = self.forms @ x + self.const
        values = [y[self.linear]]
        entries = [np.ones(len(self.linear))]
        total, parts = _lengths(y, *self.lengths)
        values.append(total)
        entries += parts
        scale, pairs = self.dots
        u, v = y[pairs[:, 0]], y[pairs[:, 1]]
        values.append(scale * (u * v).sum(axis=1))
        entries += [(scale[:, None] * v).ravel(), (scale[:, None] * u).ravel()]
        sign, pairs, signs, vectors, form = self.beside
        u, v = y[pairs[:, 0]], y[pairs[:, 1]]
        size = np.maximum(np.hypot(v[:, 0], v[:, 1]), TINY)
        product = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
        total, parts = _lengths(y, signs, vectors, form)
        values.append(sign * product / size + total)
        by_u = np.stack([v[:, 1], -v[:, 0]], axis=1) * (sign / size)[:, None]
        by_v = np.stack([-u[:, 1], u[:, 0]], axis=1) * (sign / size)[:, None] - v * (sign * product / size**3)[:, None]
        entries += [by_u.ravel(), by_v.ravel(), *parts]
        u, v = y[self.turns[:, 0]], y[self.turns[:, 1]]
        turn = np.arctan2(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0], (u * v).sum(axis=1))
        values.append(self.size * turn)
        for w, way in ((u, -self.size), (v, self.size)):
            square = np.maximum((w * w).sum(axis=1), TINY)
            entries.append((way / square[:, None] * np.stack([-w[:, 1], w[:, 0]], axis=1)).ravel())
        for function, index in self.general:
            values_here, slope = _complex_step(function, y[index])
            values.append(np.array([values_here]))
            entries.append(slope)
        return np.concatenate(values), np.concatenate(entries)

    def residual(self, values: Array, goal: Array) -> Array:
        """values - goal, with angles wrapped to the nearest turn."""
        left = values - goal
        first = len(self.linear) + len(self.lengths[0]) + len(self.dots[0]) + len(self.beside[0])
        turns = slice(first, first + len(self.turns))
        whole = 2 * np.pi * self.size
        left[turns] -= whole * np.round(left[turns] / whole)
        return left


def _lengths(y: Array, signs: Array, vectors: Index, form: Index) -> tuple[Array, list[Array]]:
    """Σ sign·|vector| + form, and its derivatives by the vectors and the form."""
    v = y[vectors]
    size = np.hypot(v[..., 0], v[..., 1])
    slope = v * (signs / np.maximum(size, TINY))[..., None]
    return (signs * size).sum(axis=1) + y[form], [slope.ravel(), np.ones(len(form))]


def _complex_step(function: Function, y: Array) -> tuple[float, Array]:
    """A function's value and its derivatives by each of y (n,)."""
    v = np.repeat(y[:, None].astype(np.complex128), len(y), axis=1)
    v[np.arange(len(y)), np.arange(len(y))] += 1j * STEP
    with np.errstate(all="ignore"):  # an ellipse without extent has no sides; its row then says nothing
        result = np.nan_to_num(function(v), posinf=0.0, neginf=0.0)
    return float(result[0].real), np.nan_to_num(result.imag / STEP)


def make_system(
    drawing: Drawing,
    constraints: Sequence[Constraint] | None = None,
    outside: Mapping[str, tuple[float, float]] | None = None,
) -> System:
    """The equations of a drawing's driving constraints, or of the given ones.

    `outside`: where what points follow stands, by their source.
    Raises: ProfileError, for a constraint that cannot be written.
    """
    writer = Writer(drawing, outside or {})
    for c in drawing.constraints if constraints is None else constraints:
        if c.driving or constraints is not None:
            writer.write(c)
    return _assemble(writer, writer.rows)


class _Packer:
    """Collects linear forms, each with its number; 0 and 1 stand for what a row does not use."""

    def __init__(self) -> None:
        self.forms: list[LinearForm] = [NOUGHT, UNIT.x]

    def form(self, form: LinearForm) -> int:
        """The number of a form."""
        if not form.terms and form.const == 0.0:
            return 0
        self.forms.append(form)
        return len(self.forms) - 1

    def vector(self, v: Vec) -> tuple[int, int]:
        """The numbers of its two parts."""
        return self.form(v.x), self.form(v.y)

    def pairs(self, rows: Sequence[tuple[Vec, Vec]]) -> Index:
        """(rows, 2, 2) the numbers of two vectors a row."""
        return _numbers([(self.vector(u), self.vector(v)) for u, v in rows], 2, 2)

    def lengths(self, rows: Sequence[tuple[Sequence[tuple[float, Vec]], LinearForm]]) -> tuple[Array, Index, Index]:
        """(rows, 4) signs and (rows, 4, 2) numbers of vectors whose lengths are added up, and (rows,) of what they come to."""
        signs, vectors, sums = [], [], []
        for terms, form in rows:
            free = MOST_TERMS - len(terms)
            signs.append([s for s, _ in terms] + [0.0] * free)
            vectors.append([self.vector(v) for _, v in terms] + [(1, 0)] * free)
            sums.append(self.form(form))
        return np.array(signs).reshape(-1, MOST_TERMS), _numbers(vectors, MOST_TERMS, 2), _numbers(sums)


def _numbers(values: Sequence[object], *shape: int) -> Index:
    return np.array(values, dtype=np.intp).reshape(len(values), *shape)


def _assemble(writer: Writer, rows: EquationRows) -> System:
    groups = (rows.linear, rows.lengths, rows.dots, rows.beside, rows.turns, rows.general)
    pack = _Packer()
    linear = _numbers([pack.form(f) for _, f in rows.linear])
    lengths = pack.lengths([(terms, f) for _, terms, f in rows.lengths])
    dots = (np.array([s for _, s, _, _ in rows.dots]), pack.pairs([(u, v) for _, _, u, v in rows.dots]))
    beside = (
        np.array([s for _, s, *_ in rows.beside]),
        pack.pairs([(u, v) for _, _, u, v, _, _ in rows.beside]),
        *pack.lengths([(terms, f) for *_, terms, f in rows.beside]),
    )
    turns = pack.pairs([(u, v) for _, u, v in rows.turns])
    general = tuple((f, np.array([pack.form(x) for x in args], dtype=np.intp)) for _, f, args in rows.general)
    matrix, const = stack(pack.forms, len(writer.names))
    return System(
        names=tuple(writer.names),
        start=writer.x,
        size=writer.size,
        owner=tuple(str(row[0]) for group in groups for row in group),
        factors=rows.factors,
        forms=matrix,
        const=const,
        linear=linear,
        lengths=lengths,
        dots=dots,
        beside=beside,
        turns=turns,
        general=general,
        pattern=_pattern(linear, lengths, dots, beside, turns, general),
    )


def _pattern(
    linear: Index,
    lengths: tuple[Array, Index, Index],
    dots: tuple[Array, Index],
    beside: tuple[Array, Index, Array, Index, Index],
    turns: Index,
    general: Sequence[tuple[Function, Index]],
) -> tuple[Index, Index]:
    """Where the entries that `evaluate` lists stand in (rows, forms)."""
    row = 0
    rows: list[Index] = []
    columns: list[Index] = []

    def add(index: Index, first: int) -> None:
        here = first + np.arange(len(index))
        rows.append(np.repeat(here, int(np.prod(index.shape[1:]))))
        columns.append(index.ravel())

    add(linear, row)
    row += len(linear)
    add(lengths[1], row)
    add(lengths[2], row)
    row += len(lengths[2])
    for side in (0, 1):
        add(dots[1][:, side], row)
    row += len(dots[0])
    for index in (beside[1][:, 0], beside[1][:, 1], beside[3], beside[4]):
        add(index, row)
    row += len(beside[0])
    for side in (0, 1):
        add(turns[:, side], row)
    row += len(turns)
    for number, (_, index) in enumerate(general):
        add(index[None, :], row + number)
    return np.concatenate(rows), np.concatenate(columns)
