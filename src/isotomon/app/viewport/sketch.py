"""Edges that the kernel is at work on, sketched on the body as it was last finished: how far a round or a bevel will reach on the faces beside
them. The round itself would lie hidden in the body."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from scipy.spatial import KDTree

from isotomon.app.viewport.copies import finished_bodies
from isotomon.app.viewport.finished_parts import Borders, borders_of
from isotomon.arrays import Array, Index, Mask
from isotomon.evaluate.stages import Stage
from isotomon.geometry.face_names import edge_is_meant, made_of, whole_face
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.operations.base import Asked
from isotomon.quantity.record import Id

WORK = {"round": "round of", "bevel": "bevel of"}
"""The kernel's work that is sketched, and how what it makes is called."""


def meanwhile(quick: Quick, last: Quick | None) -> tuple[dict[Id, Built], tuple[Array, ...]]:
    """What is shown until the kernel is there: the bodies as they were last finished, and the sketch on them; nothing where they are
    shaped otherwise now, and are shown by their skins."""
    if last is None or not _stands_alike(quick, last):
        return {}, ()
    return finished_bodies(last, False), tuple(sketched(quick, last))


def _stands_alike(quick: Quick, last: Quick) -> bool:
    """Whether all bodies are shaped, worked on by their skins, put and seen as they were: only what the kernel does with them is other."""
    now, then = (quick, *quick.others), (last, *last.others)
    return len(now) == len(then) and all(_standing(q) == _standing(p) for q, p in zip(now, then, strict=True))


def _standing(q: Quick) -> tuple[object, ...]:
    worked = [tuple(skin.said()) for stage in q.stages if isinstance(stage, Asked) for skin in stage.worked]
    return q.body.id, q.body.seen, q.body.aside, q.shape.key if q.shape is not None else "", q.placed.tobytes(), worked


def sketched(quick: Quick, last: Quick) -> list[Array]:
    """Lines (2, 3), mm, on the bodies as they were last finished: where the rounds and bevels begin that are other now than then."""
    found = list[Array]()
    for q, before in zip((quick, *quick.others), (last, *last.others), strict=True):
        built = last.finished.get(q.body.id)
        if built is None or q.result != q.body.id:
            continue
        for asked in _asked(q.stages):
            old = next((one for one in _asked(before.stages) if one.step == asked.step), None)
            if old is None:
                found += _on_edges(built, asked)
            elif _reaches(asked) != _reaches(old):
                found += _on_rounds(built, asked, old)
    return found


def _asked(stages: Sequence[Stage]) -> Iterator[Asked]:
    return (stage for stage in stages if isinstance(stage, Asked) and stage.work in WORK)


def _reaches(asked: Asked) -> list[tuple[str, float, float]]:
    """Each choice of edges, and how large the round is there, or the bevel on the first face and the other, mm."""
    choices = [choice for choice in str(asked.values["edges"]).split("\n") if not choice.startswith("without ")]
    if asked.work == "bevel":
        width = float(asked.values["width"])
        return [(choice, width, width * float(asked.values["ratio"])) for choice in choices]
    radii = np.asarray(asked.arrays["radii"]).mean(axis=1).tolist()
    return [(choice, radius, radius) for choice, radius in zip(choices, radii, strict=True)]


def _on_edges(built: Built, asked: Asked) -> list[Array]:
    """Beside sharp edges that are there still."""
    borders, names = borders_of(built), [whole_face(name) for name in built.names]
    pairs, which = np.unique(borders.faces, axis=0, return_inverse=True)
    found = list[Array]()
    for choice, first, second in _reaches(asked):
        meant = np.array([edge_is_meant((names[a], names[b]), choice) for a, b in pairs.tolist()], dtype=bool)
        some = np.flatnonzero(meant[which.ravel()] & borders.sharp)
        turn = 1.0 if asked.work == "bevel" else _half_turn(borders.normals[some, 0], borders.normals[some, 1])
        ahead = np.array([names[a] <= names[b] for a, b in borders.faces[some].tolist()], dtype=bool)
        for side in (0, 1):
            size = np.where(ahead == (side == 0), first, second) * turn
            found += list(_beside(borders, some, side, size))
    return found


def _on_rounds(built: Built, asked: Asked, old: Asked) -> list[Array]:
    """Beside the rounds or bevels that are there, where these grow or shrink."""
    borders, names, found = borders_of(built), [whole_face(name) for name in built.names], list[Array]()
    for (choice, *sizes), (_, *were) in zip(_reaches(asked), _reaches(old), strict=False):
        for number, name in enumerate(names):
            pair = made_of(name, WORK[asked.work])
            if len(pair) != 2 or not edge_is_meant((pair[0], pair[1]), choice):
                continue
            own = [_bordering(borders, names, number, face) for face in pair]
            for k, (some, side) in enumerate(own):
                other, there = own[1 - k]
                if not len(some) or not len(other):
                    continue
                near = KDTree(borders.lines[other, 0]).query(borders.lines[some, 0])[1]
                turn = _half_turn(borders.normals[some, side], borders.normals[other, there][near])
                # The names stand in order: a bevel's first width is on the first.
                more = (sizes[k] - were[k]) * (turn if asked.work == "round" else np.ones(len(some)))
                for at in (0, 1):
                    here = np.flatnonzero(side == at)
                    found += list(_beside(borders, some[here], at, more[here]))
    return found


def _bordering(borders: Borders, names: Sequence[str], number: int, face: str) -> tuple[Index, Index]:
    """The borders (k,) of a face, by its number, with another, by its name, and on which side of each that other lies (k,)."""
    called: Mask = np.array([name == face for name in names], dtype=bool)
    one = (borders.faces[:, 0] == number) & called[borders.faces[:, 1]]
    other = (borders.faces[:, 1] == number) & called[borders.faces[:, 0]]
    some = np.flatnonzero(one | other)
    return some, np.where(one[some], 1, 0)


def _half_turn(n: Array, m: Array) -> Array:
    """(k,) the tangent of half the angle between normals (k, 3): of a ball's radius so far its touching lies from the edge."""
    cosine = np.clip(np.sum(n * m, axis=1), -0.99, 1.0)
    return np.sqrt((1.0 - cosine) / (1.0 + cosine))


def _beside(borders: Borders, some: Index, side: int, away: Array) -> Array:
    """(k, 2, 3) borders moved sideways into the face on one side of them by so many mm (k,)."""
    lines, normal = borders.lines[some], borders.normals[some, side]
    along = lines[:, 1] - lines[:, 0]
    inward = np.cross(normal, along) * (1.0 if side == 0 else -1.0)
    inward /= np.maximum(np.linalg.norm(inward, axis=1, keepdims=True), 1e-300)
    return np.asarray(lines + (away[:, None] * inward)[:, None])
