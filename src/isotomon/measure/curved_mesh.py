"""Closed meshes whose triangles bulge with the surfaces that they stand for, whose normals are known at their corners."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.geometry.planar import cross3

SHARP = 0.02
"""rad: where faces meet at more than this, their edge runs square to both normals."""
LEAST_COSINE = 0.5
"""A tangent that leans farther from its chord than this is of a surface that ends there, a cone's tip perhaps, and is not believed."""


@dataclass(frozen=True, eq=False)
class CurvedMesh:
    """A closed mesh that bulges with its surfaces. `points` (n, 3) mm; `edges` (e, 2) of them, `tangents` (e, 2, 3) of each at its two
    ends. Of both its sides, the one on which a triangle runs from its first end to its second coming first: `triangles` (e, 2), and
    `normals` (e, 2, 2, 3) at either end. `index` (m, 3): the points of each triangle; `sides` (m, 3): its edges, from each to the next;
    `corner_normals` (m, 3, 3); `kept` (m,): which of the triangles it was made of each is."""

    points: Array
    edges: Index
    tangents: Array
    triangles: Index
    normals: Array
    index: Index
    sides: Index
    corner_normals: Array
    kept: Index

    @cached_property
    def corners(self) -> Array:
        """(m, 3, 3) mm."""
        return self.points[self.index]

    @cached_property
    def ball(self) -> tuple[Array, float]:
        """(3,) and mm: a ball round it, by its middle and radius."""
        centre = (self.points.min(axis=0) + self.points.max(axis=0)) / 2.0
        return centre, float(np.linalg.norm(self.points - centre, axis=1).max())

    @cached_property
    def packed(self) -> Array:
        """(24, e): of each edge its two ends, the tangents there, and the normals there on one side and on the other."""
        ends = self.points[self.edges].reshape(-1, 6)
        rows = np.hstack([ends, self.tangents.reshape(-1, 6), self.normals.reshape(-1, 12)])
        return np.ascontiguousarray(rows.T)

    @cached_property
    def bulge(self) -> Array:
        """(m, 3, 3) mm by which the middle of each side lies beside its chord."""
        return ((self.tangents[:, 0] - self.tangents[:, 1]) / 8.0)[self.sides]


def curved_mesh(vertices: Array, triangles: Index, normals: Array, same: Index) -> CurvedMesh:
    """Of a finished body's mesh: vertices (n, 3), outward triangles (m, 3), outward normals (n, 3), nought where there are none, and
    (n,) a number that vertices have in common which are one."""
    kept, place = np.unique(same, return_inverse=True)
    merged = place.ravel()[triangles]
    whole = (merged[:, 0] != merged[:, 1]) & (merged[:, 1] != merged[:, 2]) & (merged[:, 2] != merged[:, 0])
    merged, index = merged[whole], triangles[whole]
    here, there = merged.ravel(), np.roll(merged, -1, axis=1).ravel()
    from_here, from_there = index.ravel(), np.roll(index, -1, axis=1).ravel()
    count = np.int64(len(kept))
    ahead = here < there
    forward, back = np.flatnonzero(ahead), np.flatnonzero(~ahead)
    forward = forward[np.argsort(here[forward] * count + there[forward], kind="stable")]
    back = back[np.argsort(there[back] * count + here[back], kind="stable")]
    if len(forward) != len(back) or (here[forward] != there[back]).any() or (there[forward] != here[back]).any():
        raise ValueError("the mesh is not closed")
    edges = np.stack([here[forward], there[forward]], axis=1)
    sides = np.stack(
        [normals[[from_here[forward], from_there[forward]]], normals[[from_there[back], from_here[back]]]]
    ).transpose(2, 0, 1, 3)
    points, number = vertices[kept], np.zeros(len(here), dtype=np.int64)
    number[forward] = number[back] = np.arange(len(edges))
    both = np.stack([forward // 3, back // 3], axis=1)
    tangents = _edge_tangents(points, edges, sides)
    shown = number.reshape(-1, 3), normals[index], np.flatnonzero(whole)
    return CurvedMesh(points, edges, tangents, both, sides, merged, *shown)


def _edge_tangents(points: Array, edges: Index, sides: Array) -> Array:
    """(e, 2, 3) of edges at their ends: square to the normals on both sides."""
    chord = (points[edges[:, 1]] - points[edges[:, 0]])[:, None]
    one, other = sides[:, 0], sides[:, 1]
    between = cross3(one, other)
    sine = np.linalg.norm(between, axis=2, keepdims=True)
    middle = one + other
    middle /= np.maximum(np.linalg.norm(middle, axis=2, keepdims=True), 1e-300)
    smooth = chord - np.sum(chord * middle, axis=2, keepdims=True) * middle
    sharp = between * np.sign(np.sum(between * chord, axis=2, keepdims=True))
    direction = np.where(sine > SHARP, sharp, smooth)
    return end_tangents(direction.transpose(2, 1, 0), chord.transpose(2, 1, 0)).transpose(2, 1, 0)


def _unit(a: Array) -> Array:
    """(d, …) with length 1."""
    return np.asarray(a / np.maximum(np.sqrt(dot(a, a)), 1e-300))


def dot(a: Array, b: Array) -> Array:
    """(…) of vectors (d, …), a component after another, which is how so many are reckoned with fastest."""
    return np.asarray(np.einsum("d...,d...->...", a, b))


def end_tangents(direction: Array, chord: Array) -> Array:
    """(d, 2, n) derivatives at both ends of cubics along chords (d, 1, n) in given directions; of an arc of a circle they are what is
    nearest to it."""
    direction, straight = _unit(direction), _unit(chord)
    direction = np.where(dot(direction, straight) > LEAST_COSINE, direction, straight)
    half = np.sqrt(np.maximum((1.0 + dot(direction[:, 0], direction[:, 1])) / 2.0, 0.0))
    length = 2.0 * np.sqrt(dot(chord[:, 0], chord[:, 0])) / (1.0 + half)
    return np.asarray(direction * length)
