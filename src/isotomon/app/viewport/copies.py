"""Meshes of bodies where they come to stand: moved, and copied, without being built again."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.field.mesh import SkinMesh, taken
from isotomon.geometry.affine import ITSELF
from isotomon.inspect.results import Quick
from isotomon.inspect.sections import changes_sections
from isotomon.kernel.protocol import Built
from isotomon.quantity.record import Id

MOST_QUADS = 160_000
"""Of all copies of a body: more of them are shown by fewer sections each."""


def placed_mesh(mesh: SkinMesh, affine: Array) -> SkinMesh:
    """A skin where an affine map (4, 4) takes it; the normals of a mirrored one go the way its quads are turned."""
    if np.array_equal(affine, ITSELF[0]):
        return mesh
    made = taken(mesh, affine)
    return replace(made, normals=made.normals * np.sign(np.linalg.det(affine[:3, :3])))


def skins_shown(quick: Quick, finished: Container[Id] = ()) -> list[Quick]:
    """The bodies that are seen by their skins: neither hidden, nor set aside, nor seen as what they are `finished` as."""
    every = (quick, *quick.others)
    return [q for q in every if not (q.mesh is None or q.body.seen == "hidden" or q.body.aside or q.result in finished)]


def meshes_beside(
    quick: Quick, usual: str, finished: Container[Id] = (), hidden: str = ""
) -> list[tuple[SkinMesh, str, bool]]:
    """Everything to be seen but the body in hand where it first comes to stand: its copies, and the other bodies; each with its
    colour (`usual` where it has none of its own) and whether it is seen through; not those that are seen as what they are `finished` as.
    `hidden`: a body not to be seen now."""
    found = []
    for q in skins_shown(quick, finished):
        body, maps = q.body, q.placed[1:] if q is quick else q.placed
        if q.mesh is None or body.id == hidden:
            continue
        found += [(mesh, body.colour or usual, body.seen == "see-through") for mesh in copies(q.mesh, maps)]
    return found


def copies(mesh: SkinMesh, maps: Array) -> list[SkinMesh]:
    """A skin taken by each of many maps (k, 4, 4), with fewer sections where they are many."""
    n_v, n_u = mesh.points.shape[:2]
    step = max(1, int(np.ceil(len(maps) * n_v * n_u / MOST_QUADS)))
    if step > 1:
        rows = np.unique(np.append(np.arange(0, n_v, step), n_v - 1))
        mesh = replace(mesh, v=mesh.v[rows], points=mesh.points[rows], normals=mesh.normals[rows])
    return [placed_mesh(mesh, affine) for affine in maps]


def finished_bodies(quick: Quick, plain: bool) -> dict[Id, Built]:
    """The finished bodies that are shown, where any is other than its skin shows, or `plain` ones are wanted, too. One that is missing
    yet, or cannot be made, is seen by its skin."""
    if not plain and not any(changes_sections(q) for q in (quick, *quick.others)):
        return {}
    hidden = {b.id for b in quick.design.bodies if b.seen == "hidden" or b.aside}
    return {key: built for key, built in {**quick.before, **quick.finished}.items() if key not in hidden}


def corners(quick: Quick) -> Array:
    """(n, 3) points of all bodies where they stand, enough to fit them into a picture."""
    found = []
    for q in (quick, *quick.others):
        if q.mesh is not None:
            points = q.mesh.points[::4, ::2].reshape(-1, 3)
            low, high = points.min(axis=0), points.max(axis=0)
            box = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
            some = points if len(q.placed) == 1 else box
            found.append((some @ q.placed[:, :3, :3].transpose(0, 2, 1) + q.placed[:, None, :3, 3]).reshape(-1, 3))
    return np.vstack(found)


def lying(quick: Quick, before: bytes | None) -> bytes | None:
    """What says where the bodies lie, by what carries the one in hand and how many there are; as `before` where nothing is known of it."""
    others = bytes([len(quick.others), min(len(quick.placed), 255)])
    if quick.shape is not None:
        return quick.shape.field.carrier.marks() + others
    if quick.sheet is not None:
        return others
    return b"" if quick.empty else before
