"""Skins that are no section field: one tensor-product B-spline, made from curves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from scipy.interpolate import BSpline

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.trims import Trim
from isotomon.geometry.basis import Basis
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.patch import Patch
from isotomon.geometry.planar import cross3
from isotomon.geometry.tensor import going_on

Side = Literal["first", "last", "start", "end"]
SIDES: tuple[Side, ...] = ("first", "last", "start", "end")
"""v = 0, v = 1, u = 0 and u = 1: along the first and the last curve, and where these begin and end."""
SAME = 1e-9
"""Breaks nearer than that (of the whole) are one."""


@dataclass(frozen=True, eq=False)
class SkinSheet:
    """A skin on the unit square: `control` (n_u, n_v, 3) mm, in bases along u and v. `corners`: lasting names of the places along u at
    which it may be creased."""

    u: Basis
    v: Basis
    control: Array
    corners: tuple[tuple[float, str], ...] = ()

    def grid(self, u: Array, v: Array, by_u: int = 0, by_v: int = 0) -> Array:
        """(n_u, n_v, 3): places at every u (n_u,) and v (n_v,), or derivatives."""
        along = self._by_u(_within(self.u, u), nu=by_u)  # (n_u, m_v, 3)
        across = self.v.spline(along.transpose(1, 0, 2))
        return np.asarray(across(_within(self.v, v), nu=by_v).transpose(1, 0, 2))

    @cached_property
    def _by_u(self) -> BSpline:
        return self.u.spline(self.control)

    @cached_property
    def _rows_v(self) -> BSpline:
        return self.v.spline(np.eye(self.v.size))

    def at(self, u: Array, v: Array, by_u: int = 0, by_v: int = 0) -> Array:
        """(m, 3): the same at pairs of u and v (m,)."""
        along = self._by_u(_within(self.u, u), nu=by_u)  # (m, n_v, 3)
        return np.asarray(np.matmul(self._rows_v(_within(self.v, v), nu=by_v)[:, None], along)[:, 0])

    def normals(self, u: Array, v: Array) -> Array:
        """(n_u, n_v, 3) of length 1; nought where the skin comes to a point."""
        across = cross3(self.grid(u, v, 1, 0), self.grid(u, v, 0, 1))
        size = np.linalg.norm(across, axis=2, keepdims=True)
        return np.asarray(across / np.where(size > 0.0, size, 1.0))

    @cached_property
    def area(self) -> float:
        """mm², by Gauss's rule in every span."""
        (u, weight_u), (v, weight_v) = self.u.gauss(8), self.v.gauss(8)
        cells = np.linalg.norm(cross3(self.grid(u, v, 1, 0), self.grid(u, v, 0, 1)), axis=2)
        return float(weight_u @ cells @ weight_v)

    @property
    def closed(self) -> tuple[bool, bool]:
        """Whether it comes round to where it began, along u and along v."""
        size = float(np.ptp(self.control.reshape(-1, 3), axis=0).max())
        s = np.linspace(0.0, 1.0, 17)
        ends = np.array([0.0, 1.0])
        round_u, round_v = self.grid(ends, s), self.grid(s, ends)
        gaps = np.abs(round_u[1] - round_u[0]).max(), np.abs(round_v[:, 1] - round_v[:, 0]).max()
        return bool(gaps[0] < SAME * size), bool(gaps[1] < SAME * size)

    def side(self, which: Side) -> SpaceCurve:
        """One of its four sides."""
        at, fixed = _side_place(which)
        along = self.u if fixed == 1 else self.v
        creases = tuple(along.creases.tolist())
        names = dict(self.corners) if fixed == 1 else {}

        def place(t: Array, derivative: int = 0) -> Array:
            t = np.clip(np.asarray(t, dtype=float), 0.0, 1.0)
            level = np.array([at])
            found = self.grid(t, level, derivative, 0) if fixed == 1 else self.grid(level, t, 0, derivative)
            return found.reshape(-1, 3)

        closed = self.closed[0 if fixed == 1 else 1]
        return SpaceCurve(
            place,
            closed,
            creases,
            lambda t: place(t, 1),
            tuple(names.get(c, f"{c:.6g}") for c in creases),
            tuple(along.breaks[1:-1][along.multiplicity[1:-1] > along.degree - 3].tolist()),
            lambda t: self.beyond(which, np.asarray(t, dtype=float)),
        )

    def beyond(self, which: Side, t: Array) -> tuple[Array, Array]:
        """(n, 3) each: at places along a side, the direction in which the skin goes on over it, and its curvature that way."""
        at, fixed = _side_place(which)
        sign, level = (1.0 if at else -1.0), np.full(len(t), at)
        u, v = (t, level) if fixed == 1 else (level, t)

        def by(along: int, out: int) -> Array:
            return sign**out * self.at(u, v, *((along, out) if fixed == 1 else (out, along)))

        return going_on(by(1, 0), by(0, 1), (by(2, 0), by(1, 1), by(0, 2)))

    def patches(self, name: str, trim: Trim | None = None) -> list[Patch]:
        """The skin as faces that are smooth, parted where it is creased; one that is smooth may be trimmed."""
        if trim is not None:
            return [_flat(replace(self._patch(name, 0, self.u.runs[0], self.v.runs[0]), trims=trim.pieces()))]
        return [_flat(patch) for patch in self._patches(name)]

    def _patches(self, name: str) -> list[Patch]:
        return [self._patch(name, j, run_u, run_v) for run_u in self.u.runs for j, run_v in enumerate(self.v.runs)]

    def _patch(self, name: str, j: int, run_u: tuple[int, int], run_v: tuple[int, int]) -> Patch:
        (breaks_u, times_u, at_u), (breaks_v, times_v, at_v) = self.u.part(run_u), self.v.part(run_v)
        control = self.control[at_u][:, at_v]
        called = self.face_name(name, run_u)
        called = called if len(self.v.runs) == 1 else f"{called} {j + 1}"
        return Patch(
            called,
            self.u.degree,
            self.v.degree,
            breaks_u,
            times_u,
            breaks_v,
            times_v,
            self.u.periodic,
            control,
        )

    def face_name(self, name: str, run: tuple[int, int]) -> str:
        """What the face between two breaks along u is called: where there are several, by the corners it lies between."""
        if len(self.u.runs) == 1:
            return name
        names = {round(place, 9): called for place, called in self.corners}
        ends = [
            names.get(round(float(self.u.breaks[k]), 9), word) for k, word in zip(run, ("start", "end"), strict=True)
        ]
        return f"{name} {'~'.join(ends)}"

    def turned_over(self) -> SkinSheet:
        """The same with its other side before it: u runs the other way."""
        if self.u.periodic:
            raise FieldError("a skin that closes smoothly is turned over by its curves")
        times = self.u.multiplicity[::-1].copy()
        basis = Basis(self.u.degree, 1.0 - self.u.breaks[::-1], times, False)
        corners = tuple((1.0 - place, called) for place, called in self.corners[::-1])
        return replace(self, u=basis, control=self.control[::-1], corners=corners)


FLAT = 1e-10
"""Of its extent: a face that leaves its plane by no more is flat."""


def _flat(patch: Patch) -> Patch:
    """A face marked as flat where it is."""
    points = patch.control.reshape(-1, 3)
    away = points - points.mean(axis=0)
    _, sizes, ways = np.linalg.svd(away, full_matrices=False)
    off = np.abs(away @ ways[2]).max() if len(away) >= 3 else 1.0
    return replace(patch, flat=bool(off < FLAT * sizes[0] and sizes[1] > FLAT * sizes[0]))


def _within(basis: Basis, t: Array) -> Array:
    """Parameters brought to where a basis is defined."""
    return np.mod(t, 1.0) if basis.periodic else np.clip(t, 0.0, 1.0)


def _side_place(which: Side) -> tuple[float, int]:
    """At which value of which parameter (0 of u, 1 of v) a side lies."""
    return {"first": (0.0, 1), "last": (1.0, 1), "start": (0.0, 0), "end": (1.0, 0)}[which]


def union(bases: Sequence[Basis], degree: int, periodic: bool = True) -> Basis:
    """The basis of a degree in which everything that any of some bases holds can be said; `periodic` where all of them are, if it may be."""
    breaks = np.unique(np.concatenate([b.breaks for b in bases]))
    keep = np.r_[True, np.diff(breaks) > SAME]
    breaks = breaks[keep]
    breaks[-1] = 1.0
    times = np.ones(len(breaks), dtype=np.int64)
    for basis in bases:
        inner = basis.breaks if basis.periodic else basis.breaks[1:-1]
        own = basis.multiplicity if basis.periodic else basis.multiplicity[1:-1]
        places = np.abs(breaks[None] - inner[:, None]).argmin(axis=1)
        np.maximum.at(times, places, own + degree - basis.degree)
    return Basis(degree, breaks, np.minimum(times, degree), periodic and all(b.periodic for b in bases))


def said_in(target: Basis, basis: Basis, control: Array) -> Array:
    """(target.size, ...) the control points, in a basis that holds another, of what has `control` (basis.size, ...) there."""
    if basis.says(target):
        return control
    flat = control.reshape(len(control), -1)
    return target.interpolate(lambda u: np.asarray(basis.sparse(u) @ flat)).reshape(target.size, *control.shape[1:])
