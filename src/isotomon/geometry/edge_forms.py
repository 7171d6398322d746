"""A profile's run as edges: lines, arcs and circles where it is one, else splines."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.basis import Basis
from isotomon.geometry.edge import Edge

EXACT = 3e-7
"""A piece this near to a line or circle, as a share of the section's size, is one: profiles are fitted to 1e-7."""


def edges_of(name: str, basis: Basis, control: Array, size: float, loop: int = 0) -> list[Edge]:
    """A spline run (control (n, 3)) as lines, arcs and circles where it is one, else as splines.

    It is parted where it is less smooth than its degree allows: there a line may go over into an arc.
    """
    middle = control if basis.periodic else None
    if middle is not None and (round_ := _circle(basis, control, size)) is not None:
        return [Edge(name, "circle", round_, loop)]
    inner = [k for k in range(1, len(basis.breaks) - 1) if basis.multiplicity[k] > 1]
    if basis.periodic and not inner:
        return [Edge(name, "spline", control, loop, basis)]
    ends = [0, *inner, len(basis.breaks) - 1]
    made = []
    for number, (a, b) in enumerate(zip(ends[:-1], ends[1:], strict=True)):
        own = f"{name} ({number + 1})" if len(ends) > 2 else name
        made.append(_edge(own, basis, control, a, b, size, loop))
    if all(e.kind == "spline" for e in made):
        return [Edge(name, "spline", control, loop, basis)]
    return made


def _edge(name: str, basis: Basis, control: Array, a: int, b: int, size: float, loop: int) -> Edge:
    u = np.linspace(float(basis.breaks[a]), float(basis.breaks[b]), 33)
    points = basis.matrix(u) @ control
    run = points[-1] - points[0]
    far = float(np.linalg.norm(run))
    if far > EXACT * size:
        way = run / far
        away = points - points[0]
        if float(np.linalg.norm(away - (away @ way)[:, None] * way, axis=1).max()) < EXACT * size:
            return Edge(name, "line", points[[0, -1]], loop)
        if _off_circle(points) < EXACT * size:
            return Edge(name, "arc", points[[0, 16, -1]], loop)
    part, net = part_of(basis, control, a, b)
    return Edge(name, "spline", net, loop, part)


def _circle(basis: Basis, control: Array, size: float) -> Array | None:
    points = basis.matrix(np.arange(36) / 36.0) @ control
    return points[[0, 12, 24]] if _off_circle(points) < EXACT * size else None


def _off_circle(points: Array) -> float:
    """How far points (n, 3) lie off the circle through three of them."""
    n = len(points)
    a, b, c = points[0], points[n // 3], points[2 * n // 3]
    u, v = b - a, c - a
    square = np.cross(u, v)
    area = float(square @ square)
    if area < 1e-18 * float(u @ u) * float(v @ v):
        return float("inf")
    centre = a + np.cross(square, u) * float(v @ v) / (2.0 * area) + np.cross(v, square) * float(u @ u) / (2.0 * area)
    away = points - centre
    flat = np.abs(away @ square) / np.sqrt(area)
    return float(max(np.abs(np.linalg.norm(away, axis=1) - np.linalg.norm(a - centre)).max(), flat.max()))


def part_of(basis: Basis, control: Array, start: int, end: int) -> tuple[Basis, Array]:
    """A spline between two of its breaks: the basis on [0, 1] and control points (m, …), whose first and last are the
    spline's own there."""
    inside = slice(start, end + 1)
    breaks = basis.breaks[inside]
    part = Basis(
        basis.degree, (breaks - breaks[0]) / (breaks[-1] - breaks[0]), basis.multiplicity[inside].copy(), False
    )
    sites = part.greville()
    values = np.tensordot(basis.matrix(breaks[0] + sites * (breaks[-1] - breaks[0])), control, 1)
    flat = np.linalg.solve(part.matrix(sites), values.reshape(part.size, -1))
    return part, flat.astype(np.float64).reshape(part.size, *control.shape[1:])
