"""Faces and edges of finished bodies in the View, by their lasting names: where they run, and which is under the pointer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from isotomon.app.viewport.camera import Camera
from isotomon.app.viewport.copies import skins_shown
from isotomon.app.viewport.parts import EDGE, is_edge, nearest_cover, part_at, seen_at
from isotomon.arrays import Array, Index, Mask
from isotomon.geometry.face_names import is_piece, own_name, owner_and_name, whole_face
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, unpack
from isotomon.quantity.record import Id, Ref

BEHIND = 4.0
"""Pixels by which an edge may lie behind what is seen where it is: it bounds that."""
MOST_PICKED = 400_000
"""Bodies of more triangles are not picked in the View: that would take more memory than showing them."""
SEEN = np.cos(np.radians(12.0))
"""Edges whose faces' normals have a lesser cosine are drawn."""
SHARP = np.cos(np.radians(2.0))
"""Faces whose normals have a greater cosine run on smoothly into each other."""


@dataclass(frozen=True, eq=False)
class Borders:
    """Where the faces of a body meet: `lines` (e, 2, 3) mm, the first face lying left of each, seen from outside; the numbers of the `faces`
    (e, 2) and their `normals` (e, 2, 3) at its first end; and whether that is `sharp`. `open`: (k, 2, 3) mm, where there is one face alone,
    and its number, `of_open` (k,)."""

    lines: Array
    faces: Index
    normals: Array
    sharp: Mask
    open: Array
    of_open: Index

    def drawn(self, names: Sequence[str]) -> Array:
        """(e, 2, 3) mm: those that are seen to be sharp, and those between pieces."""
        piece = np.array([is_piece(name) for name in names], dtype=bool)
        seen = np.sum(self.normals[:, 0] * self.normals[:, 1], axis=1) < SEEN
        return np.asarray(self.lines[seen | piece[self.faces].all(axis=1)])


@lru_cache(maxsize=4)
def corners_of(built: Built) -> Array:
    """(m, 3, 3) mm: the triangles of a finished body."""
    return np.asarray(unpack(built.vertices).astype(np.float64)[unpack(built.triangles)])


@lru_cache(maxsize=8)
def borders_of(built: Built) -> Borders:
    """The borders between faces that have different names, from the triangles at both sides."""
    triangles, same, owner = unpack(built.triangles), unpack(built.same), unpack(built.owner)
    if len(triangles) > MOST_PICKED:
        none = np.empty((0, 2, 3))
        return Borders(
            none, np.empty((0, 2), dtype=np.int64), none, np.empty(0, dtype=bool), none, np.empty(0, dtype=np.int64)
        )
    names = {name: k for k, name in enumerate(dict.fromkeys(map(whole_face, built.names)))}
    called = np.array([names[whole_face(name)] for name in built.names])
    here, there = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    sides = np.arange(len(here))
    if built.pieces:  # of a body that is closed only those between vertices that several faces have, or one at its seam
        shared = (np.bincount(same) > 1)[same]
        sides = np.flatnonzero(shared[here] & shared[there])
    here, there, face = here[sides], there[sides], owner[sides // 3]
    low, high = np.minimum(same[here], same[there]), np.maximum(same[here], same[there])
    order = np.lexsort((high, low))
    first, second = order[:-1], order[1:]
    one, other = called[face[first]], called[face[second]]
    met = (low[first] == low[second]) & (high[first] == high[second])
    pair = met & (one != other)
    a, b = first[pair], second[pair]
    points, normals = unpack(built.vertices).astype(np.float64), unpack(built.normals).astype(np.float64)
    alone = order[~(np.append(met, False) | np.append(False, met)) & (low < high)[order]]
    # The second side runs the other way: its last end is where the first one's first is.
    n, m = normals[here[a]], normals[there[b]]
    lines = np.stack([points[here[a]], points[there[a]]], axis=1)
    faces = np.stack([face[a], face[b]], axis=1)
    out = np.stack([points[here[alone]], points[there[alone]]], axis=1)
    return Borders(lines, faces, np.stack([n, m], axis=1), np.sum(n * m, axis=1) < SHARP, out, face[alone])


def face_reference(body: Id, name: str) -> str:
    """The reference of a finished body's face by its name."""
    other, plain = owner_and_name(name)
    part = {"first cap": "first", "last cap": "last"}.get(plain) or f"face:{plain.removeprefix('lane ')}"
    return f"{other or body}/{part}"


def edge_reference(body: Id, one: str, other: str) -> str:
    """The reference of the edge where two faces of a finished body meet: of one along a body as it is shaped, by its corner, where they
    have but that in common; else by their names, which mean all edges between the two."""
    (owner, first), (owner2, second) = owner_and_name(one), owner_and_name(other)
    shaped = first.startswith("lane ") and second.startswith("lane ") and owner == owner2
    if shaped and (one, other) == (own_name(one), own_name(other)):
        (a, b), (c, d) = (name.removeprefix("lane ").partition("~")[::2] for name in (first, second))
        if (b == c) != (d == a):
            return f"{owner or body}/along:{b if b == c else d}"
    return f"{body}/edge:{'|'.join(sorted((whole_face(one), whole_face(other))))}"


def shown_at(
    quick: Quick, finished: Mapping[Id, Built], camera: Camera, at: Array, size: tuple[int, int], part: bool
) -> str:
    """What is seen at a pixel, of finished bodies and of the skins of those that are not: the reference of the edge, face or end, else
    the body; the body's id where no `part` is asked for; nothing where nothing is."""
    skins = skins_shown(quick, finished)
    deep, body, _ = seen_at(skins, camera, at, size)
    if _first(finished, camera, at, size)[0] <= deep:
        found = (
            finished_part_at(finished, camera, at, size) if part else finished_face_at(finished, camera, at, size)[1]
        )
        if found:
            return found
    return part_at(skins, camera, at, size) if part else body


def finished_face_at(shown: Mapping[Id, Built], camera: Camera, at: Array, size: tuple[int, int]) -> tuple[str, str]:
    """The reference of the face that is seen at a pixel, and the id of the body that has it; nothing where there is none."""
    _, body, face = _first(shown, camera, at, size)
    if not body:
        return "", ""
    name = shown[body].names[face]
    return face_reference(body, name), owner_and_name(name)[0] or body


def finished_part_at(shown: Mapping[Id, Built], camera: Camera, at: Array, size: tuple[int, int]) -> str:
    """The reference of the edge that is seen at a pixel, else of the face; empty where there is none."""
    edge = _edge_at(shown, camera, at, size)
    return edge_reference(edge[0], *edge[1]) if edge is not None else finished_face_at(shown, camera, at, size)[0]


def _edge_at(
    shown: Mapping[Id, Built], camera: Camera, at: Array, size: tuple[int, int]
) -> tuple[Id, tuple[str, str]] | None:
    """The body, and the names of the faces, of the nearest sharp edge at a pixel that is not hidden."""
    found: list[tuple[float, Array, Id, tuple[str, str]]] = []
    for body, built in shown.items():
        borders = borders_of(built)
        lines, faces = borders.lines[borders.sharp], borders.faces[borders.sharp]
        if not len(lines):
            continue
        seen = camera.project(lines.reshape(-1, 3), *size)[:, :2].reshape(-1, 2, 2)
        way = seen[:, 1] - seen[:, 0]
        share = np.sum((at - seen[:, 0]) * way, axis=1) / np.maximum(np.sum(way * way, axis=1), 1e-12)
        share = np.clip(share, 0.0, 1.0)[:, None]
        away = np.linalg.norm(seen[:, 0] + share * way - at, axis=1)
        for pair in np.unique(faces[away < EDGE], axis=0):
            own = np.flatnonzero((faces == pair).all(axis=1))
            k = own[int(away[own].argmin())]
            place = lines[k, 0] + share[k] * (lines[k, 1] - lines[k, 0])
            found.append((float(away[k]), place, body, (built.names[int(pair[0])], built.names[int(pair[1])])))
    near = BEHIND * camera.height / max(size[1], 1)
    for _, place, body, names in sorted(found, key=lambda one: one[0]):
        pixel = camera.project(place[None], *size)[0, :2]
        if float(place @ camera.axes()[2]) < _first(shown, camera, pixel, size)[0] + near:
            return body, names
    return None


def _first(shown: Mapping[Id, Built], camera: Camera, at: Array, size: tuple[int, int]) -> tuple[float, Id, int]:
    """How deep (mm) what is seen at a pixel lies, of which body it is, and the number of its face; endlessly deep where nothing is."""
    found = (np.inf, "", -1)
    for body, built in shown.items():
        hit = _hit(built, camera, at, size)
        if hit is not None and hit[0] < found[0]:
            found = (hit[0], body, int(unpack(built.owner)[hit[1]]))
    return found


@lru_cache(maxsize=4)
def _on_picture(built: Built, camera: Camera, size: tuple[int, int]) -> tuple[Array, Array, Array]:
    """Of a body's triangles as a camera sees them: their corners (m, 3, 2), and the least and greatest pixel (m, 2) of each."""
    pixels = camera.project(unpack(built.vertices).astype(np.float64), *size)[:, :2][unpack(built.triangles)]
    return pixels, pixels.min(axis=1), pixels.max(axis=1)


def _hit(built: Built, camera: Camera, at: Array, size: tuple[int, int]) -> tuple[float, int] | None:
    """The depth (mm) and the number of the nearest of a body's triangles that covers a pixel."""
    if built.triangles.shape[0] > MOST_PICKED:
        return None
    pixels, low, high = _on_picture(built, camera, size)
    x, y = at
    near = np.flatnonzero((low[:, 0] <= x) & (high[:, 0] >= x) & (low[:, 1] <= y) & (high[:, 1] >= y))
    hit = nearest_cover(pixels[near], corners_of(built)[near] @ camera.axes()[2], at)
    return None if hit is None else (hit[0], int(near[hit[1]]))


def finished_lines(shown: Mapping[Id, Built], ref: str) -> list[Array]:
    """The lines (2, 3) of an edge of the finished bodies, or round a face; none of what they do not have."""
    found = list[Array]()
    for body, built in shown.items():
        borders = borders_of(built)
        if is_edge(Ref(ref)):
            pairs, which = np.unique(borders.faces, axis=0, return_inverse=True)
            called = [edge_reference(body, *(built.names[k] for k in pair)) for pair in pairs.tolist()]
            meant = np.array([name == ref for name in called], dtype=bool)[which.ravel()]
        else:
            own = np.array([face_reference(body, name) == ref for name in built.names])
            meant = np.asarray(own[borders.faces].any(axis=1))
            found += list(borders.open[own[borders.of_open]])
        found += list(borders.lines[meant])
    return found
