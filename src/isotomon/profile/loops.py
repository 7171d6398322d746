"""The runs of a drawing: what is closed, what is open and by how much, what crosses, and whether it can be lofted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.geometry.planar import crossing, inside, signed_area
from isotomon.profile.curves import CurvePiece, Places, piece_of
from isotomon.profile.drawing import CirclePart, Drawing, Line, part_ends

TOUCH = 1e-7
"""Ends nearer than this share of the drawing's size are one."""
PER_PIECE = 60


@dataclass(frozen=True, eq=False)
class Chain:
    """Pieces head to tail. `ends`: the point ids at both ends of an open one."""

    pieces: tuple[CurvePiece, ...]
    closed: bool
    ends: tuple[str, str] = ("", "")

    def polygon(self, per_piece: int = PER_PIECE) -> Array:
        """Points along it (n, 2); a closed one does not repeat its first."""
        t = np.arange(per_piece) / per_piece
        rows = [p.at(np.zeros(1)) if p.kind == "line" else p.at(t) for p in self.pieces]
        if not self.closed:
            rows.append(self.pieces[-1].at(np.ones(1)))
        return np.vstack(rows)

    def reversed(self) -> Chain:
        """The same run from its end."""
        return Chain(tuple(p.reversed() for p in self.pieces[::-1]), self.closed, self.ends[::-1])


@dataclass(frozen=True)
class RunFinding:
    """What is wrong with a drawing's runs: `place` where, `ends` two points that can be joined to mend a gap."""

    kind: Literal["gap", "open", "branch", "crossing", "hole", "many", "empty"]
    text: str
    place: tuple[float, float]
    ends: tuple[str, str] | None = None


@dataclass(frozen=True, eq=False)
class Runs:
    """A drawing's runs. `outer`: the one that can be lofted, counter-clockwise; None, with findings that say why not.

    `mirrored`: it was closed by its mirror image in the centre line.
    """

    closed: tuple[Chain, ...]
    open: tuple[Chain, ...]
    outer: Chain | None
    mirrored: bool
    findings: tuple[RunFinding, ...]
    holes: tuple[Chain, ...] = ()
    """Closed runs right inside the outer one, counter-clockwise."""
    skin: Chain | None = None
    """The one open run there is, where nothing is closed: it makes a skin."""


def places_of(drawing: Drawing) -> Places:
    """Point id → (2,) mm."""
    return {p.id: np.array([p.x, p.y]) for p in drawing.points}


def size_of(drawing: Drawing, places: Places) -> float:
    """About the drawing's largest extent, mm: of its points, and of its widest circle."""
    if not places:
        return 1.0
    points = np.array(list(places.values()))
    radius = max((p.radius for p in drawing.parts if isinstance(p, CirclePart)), default=0.0)
    return max(float(np.ptp(points, axis=0).max()), 2.0 * radius, 1e-9)


def find_runs(drawing: Drawing) -> Runs:
    """The runs of a solved drawing."""
    places = places_of(drawing)
    shape = [p for p in drawing.parts if p.role == "shape"]
    size = size_of(drawing, places)
    closed = [Chain((piece_of(p, places),), True) for p in shape if part_ends(p) is None]
    ended = [p for p in shape if part_ends(p) is not None]
    pieces = [piece_of(p, places) for p in ended]
    findings: list[RunFinding] = []
    chains: list[Chain] = []
    if pieces:
        ends = np.array([[p.start, p.end] for p in pieces])
        node = _nodes(ends.reshape(-1, 2), TOUCH * size).reshape(-1, 2)
        names = [part_ends(p) or ("", "") for p in ended]
        chains, branches = _chains(pieces, node, names)
        for place in branches:
            at = ends.reshape(-1, 2)[np.flatnonzero(node.ravel() == place)[0]]
            findings.append(RunFinding("branch", "more than two parts meet here; trim one", _pair(at)))
    closed += [c for c in chains if c.closed]
    opened = [c for c in chains if not c.closed]
    findings += _gaps(opened, size)
    return _judge(drawing, places, size, tuple(_turned_left(c) for c in closed), opened, findings)


def _pair(point: Array) -> tuple[float, float]:
    return float(point[0]), float(point[1])


def _turned_left(chain: Chain) -> Chain:
    return chain if signed_area(chain.polygon()) >= 0.0 else chain.reversed()


def _nodes(points: Array, near: float) -> Index:
    """(n,) the same number for points that lie at one place."""
    name = np.arange(len(points))
    for i, j in sorted(cKDTree(points).query_pairs(near)):
        a, b = name[i], name[j]
        if a != b:
            name[name == max(a, b)] = min(a, b)
    return name


def _chains(pieces: list[CurvePiece], node: Index, names: list[tuple[str, str]]) -> tuple[list[Chain], list[int]]:
    """Runs from joint to joint; where more than two parts meet, runs end."""
    at: dict[int, list[tuple[int, int]]] = {}
    for i, (a, b) in enumerate(node.tolist()):
        at.setdefault(a, []).append((i, 0))
        at.setdefault(b, []).append((i, 1))
    branches = [n for n, here in at.items() if len(here) > 2]
    left = set(range(len(pieces)))
    chains = []
    # Begin at loose ends and branches, so that open runs are found whole; what is left then is closed.
    starts = [here for n, heres in sorted(at.items()) if len(heres) != 2 for here in heres]
    starts += [(i, 0) for i in range(len(pieces))]
    for piece, side in starts:
        if piece not in left:
            continue
        run, first, last = [], names[piece][side], ""
        begin = node[piece, side]
        here = int(begin)
        while True:
            left.discard(piece)
            run.append(pieces[piece] if side == 0 else pieces[piece].reversed())
            last, here = names[piece][1 - side], int(node[piece, 1 - side])
            onward = [(p, s) for p, s in at[here] if p in left] if len(at[here]) == 2 else []
            if not onward:
                break
            piece, side = onward[0]
        whole = here == begin and (len(at[here]) == 2 or len(run) > 1)
        chains.append(Chain(tuple(run), whole, ("", "") if whole else (first, last)))
    return chains, branches


def _gaps(opened: list[Chain], size: float) -> list[RunFinding]:
    """Each loose end against the nearest other one."""
    ends = [(c.ends[side], (c.pieces[0].start, c.pieces[-1].end)[side]) for c in opened for side in (0, 1)]
    if len(ends) < 2:
        return []
    points = np.array([p for _, p in ends])
    distance, index = cKDTree(points).query(points, k=2)
    found, told = [], set()
    for i, (d, j) in enumerate(zip(distance[:, 1].tolist(), index[:, 1].tolist(), strict=True)):
        pair = (min(i, j), max(i, j))
        if pair in told or d > 0.05 * size:
            continue
        told.add(pair)
        middle = _pair((points[i] + points[j]) / 2.0)
        found.append(
            RunFinding("gap", f"a gap of {d:.4g} mm; close it by joining its ends", middle, (ends[i][0], ends[j][0]))
        )
    return found


def _judge(
    drawing: Drawing,
    places: Places,
    size: float,
    closed: tuple[Chain, ...],
    opened: list[Chain],
    findings: list[RunFinding],
) -> Runs:
    mirrored = False
    if drawing.mirror_half and not closed and len(opened) == 1:
        whole = _mirrored(drawing, places, opened[0], size)
        if whole is not None:
            closed, mirrored = (_turned_left(whole),), True
            findings = [f for f in findings if f.kind != "gap"]
    gapped = {e for f in findings for e in f.ends or ()}
    for chain in [] if mirrored else opened:
        if not gapped & set(chain.ends):
            text = "an open run: it makes a skin; join its ends, or end it on a centre line, to make a solid"
            findings.append(RunFinding("open", text, _pair(chain.pieces[0].start)))
    crossed = False
    for chain in closed:
        hit = crossing(chain.polygon(), 1e-6 * size)
        if hit is not None:
            crossed = True
            findings.append(RunFinding("crossing", "the run crosses itself here", _pair(chain.polygon()[hit[0]])))
    polygons = [c.polygon() for c in closed]
    depth = [sum(bool(inside(p[:1], q)[0]) for q in polygons if q is not p) for p in polygons]
    outer = [c for c, d in zip(closed, depth, strict=True) if d % 2 == 0]
    inner = [c for c, d in zip(closed, depth, strict=True) if d == 1]
    holes = [p for p, d in zip(polygons, depth, strict=True) if d % 2 == 1]
    findings += [
        RunFinding("hole", "a hole; it goes through the loft where every section of it has one", _pair(p[0]))
        for p in holes
    ]
    if len(outer) > 1:
        findings.append(
            RunFinding(
                "many",
                f"{len(outer)} closed runs lie side by side; a section is one of them",
                _pair(outer[1].pieces[0].start),
            )
        )
    if not closed and not opened:
        findings.append(RunFinding("empty", "nothing is drawn yet that bounds a section", (0.0, 0.0)))
    good = outer[0] if len(outer) == 1 and not crossed else None
    lone = opened[0] if not closed and len(opened) == 1 and not mirrored and not gapped else None
    pierced = tuple(inner) if good is not None else ()
    return Runs(closed, () if mirrored else tuple(opened), good, mirrored, tuple(findings), pierced, lone)


def _twin(piece: CurvePiece) -> CurvePiece:
    """A mirror image, which bears its ends' names with a stroke."""
    return replace(piece, ends=(f"{piece.ends[0]}'", f"{piece.ends[1]}'"))


def _mirrored(drawing: Drawing, places: Places, chain: Chain, size: float) -> Chain | None:
    """An open run that begins and ends on one centre line, closed by its mirror image."""
    first, last = chain.pieces[0].start, chain.pieces[-1].end
    for axis in drawing.parts:
        if not (isinstance(axis, Line) and axis.role == "centre"):
            continue
        a, along = places[axis.a], places[axis.b] - places[axis.a]
        length = float(np.hypot(*along))
        if length < 1e-9 * size:
            continue
        along = along / length
        away = [abs(float((p - a)[0] * along[1] - (p - a)[1] * along[0])) for p in (first, last)]
        if max(away) > 1e-6 * size:
            continue
        matrix = 2.0 * np.outer(along, along) - np.eye(2)
        image = [_twin(p.moved(matrix, a - matrix @ a)).reversed() for p in chain.pieces[::-1]]
        return Chain((*chain.pieces, *image), True)
    return None
